"""Figures in two columns."""

from __future__ import annotations

from collections.abc import Iterable


def two_columns(lines: Iterable[tuple[str, str]]) -> str:
    """(title, figure) a line, as rich text."""
    cells = "".join(
        f"<tr><td style='padding-right:10px'>{title}</td><td align='right'>{figure}</td></tr>"
        for title, figure in lines
    )
    return f"<table width='100%'>{cells}</table>" if cells else ""
