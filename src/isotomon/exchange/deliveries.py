"""What has been made to be delivered, written as files."""

from __future__ import annotations

from pathlib import Path

from isotomon.design.disk import write_atomically
from isotomon.errors import FileError
from isotomon.exchange.pages import write_pages
from isotomon.exchange.report_html import report_html
from isotomon.exchange.wires import ByWorker, write_wires
from isotomon.paper.delivery import Prepared


def write_made(made: Prepared, path: Path, by_worker: ByWorker) -> list[Path]:
    """Write what has been made by a file's ending: sheets as PDF, SVG, DXF or PNG, a report as PDF or HTML, tables as CSV or PDF, curves in space
    as DXF, STEP or IGES (these `by_worker`); of several tables, one file each. Returns what was written.

    Raises: FileError, SolidError.
    """
    ending = path.suffix.lower()
    if ending not in made.endings:
        raise FileError(f"'{path.name}' has no ending that {made.title} can have; name it {' or '.join(made.endings)}")
    if ending == ".html" and made.report is not None:
        write_atomically(path, report_html(made.report).encode())
        return [path]
    if made.wires:
        write_wires(made.wires, made.title, path, by_worker)
        return [path]
    if ending != ".csv":
        return write_pages(made.pages, path)
    names = [path, *(path.with_stem(f"{path.stem}-{k}") for k in range(2, len(made.tables) + 1))]
    for table, name in zip(made.tables, names, strict=True):
        write_atomically(name, table.csv().encode())
    return names
