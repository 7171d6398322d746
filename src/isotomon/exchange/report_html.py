"""The report as one page of HTML that holds all it needs."""

from __future__ import annotations

from html import escape

from isotomon.exchange.pages import svg_of
from isotomon.paper.page import Page
from isotomon.paper.report import Block, DesignReport, Heading, Paragraph
from isotomon.quantity.table import Table, said

STYLE = """
body { font: 15px/1.5 Lato, "Noto Sans", sans-serif; color: #22303A; background: #F6F2E8; max-width: 62rem; margin: 2rem auto; padding: 0 1rem }
h1 { font-size: 1.9rem; margin: 0 } h2 { font-size: 1.25rem; margin: 2.2rem 0 .4rem; border-bottom: 1px solid #CFC6B2 }
figure { margin: .6rem 0; background: #fff; padding: .6rem; border: 1px solid #CFC6B2; overflow-x: auto } figure svg { width: 100%; height: auto }
.wide { overflow-x: auto } table { border-collapse: collapse; font-variant-numeric: tabular-nums; font-size: .85rem; margin: .3rem 0 1rem }
caption { text-align: left; font-weight: bold; padding: .3rem 0 } th { text-align: left; border-bottom: 1px solid #22303A; padding: .1rem .7rem .1rem 0; vertical-align: bottom }
td { border-bottom: 1px solid #E4DDD0; padding: .1rem .7rem .1rem 0 } .n { text-align: right } small { font-weight: normal }
@media print { body { background: none; max-width: none } figure { break-inside: avoid } }
"""


def report_html(report: DesignReport) -> str:
    """The report with its drawings and pictures in it; nothing is fetched from anywhere."""
    body = "\n".join(_block(block) for block in report.blocks)
    title = escape(report.title)
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title><style>{STYLE}</style></head>\n'
        f"<body><h1>{title}</h1>\n{body}\n</body></html>\n"
    )


def _block(block: Block) -> str:
    if isinstance(block, Heading):
        return f"<h2>{escape(block.words)}</h2>"
    if isinstance(block, Paragraph):
        return f"<p>{escape(block.words)}</p>"
    if isinstance(block, Page):
        drawn = svg_of(block).decode().partition("?>")[2]
        return f'<figure role="img" aria-label="{escape(block.title, quote=True)}">{drawn}</figure>'
    return _table(block)


def _table(table: Table) -> str:
    words = [any(isinstance(row[k], str) for row in table.rows) for k in range(len(table.columns))]
    kind = ["" if own else ' class="n"' for own in words]
    heads = "".join(
        f"<th{kind[k]}>{escape(c.title)}{f'<br><small>{escape(c.unit)}</small>' if c.unit else ''}</th>"
        for k, c in enumerate(table.columns)
    )
    rows = "\n".join(
        "<tr>" + "".join(f"<td{kind[k]}>{escape(said(cell))}</td>" for k, cell in enumerate(row)) + "</tr>"
        for row in table.rows
    )
    title = f"<caption>{escape(table.title)}</caption>" if table.title else ""
    return f'<div class="wide"><table>{title}\n<tr>{heads}</tr>\n{rows}</table></div>'
