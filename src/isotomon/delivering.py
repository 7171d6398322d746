"""What leaves the program, for scripts and the command line: bodies, sheets, tables and the report. `isotomon.script` gives it out."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from contextlib import ExitStack
from datetime import date
from functools import partial
from pathlib import Path
from types import TracebackType
from typing import Any, NamedTuple

from isotomon.design.bodies import leading
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.exchange.deliveries import write_made
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.metrology.compare import AsMade
from isotomon.paper.delivery import DELIVERIES, Requested, make
from isotomon.solids import deliver as building
from isotomon.solids.supervisor import Supervisor
from isotomon.studies.figures import VariantRow
from isotomon.studies.run import run_study
from isotomon.studies.study import read_study


class Solids:
    """A solid worker for a `with` block; it is started when first needed."""

    def __init__(self) -> None:
        self.supervisor = Supervisor()

    def __enter__(self) -> Solids:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.supervisor.close()


def export(design: Design, path: str | Path, solids: Solids, fine: float = 0.0, angle: float = 12.0) -> None:
    """Write the finished bodies of a design as STEP, IGES, STL, 3MF, OBJ or binary glTF, by the file's ending. Of meshes: `fine`, how far its triangles may lie from the
    body (mm; nought: so near that its volume is right to 0.02 %), and `angle`, by how much neighbouring ones may turn (degrees).

    Raises: SolidError, FieldError, FileError.
    """
    building.export(rebuild(design), solids.supervisor, Path(path), building.Fineness(fine, math.radians(angle)))


def deliver(
    design: Design,
    what: str,
    path: str | Path,
    solids: Solids | None = None,
    body: str = "",
    made: AsMade | None = None,
    **how: Any,
) -> list[Path]:
    """Write a sheet, a table or the report of a design, by the file's ending. `what`: general, body-plan, templates, flat, curves,
    wireframe, report, as-made, stations, sections, blade, duct, points or pour; `how`: the fields of `Requested` (paper, angle, kind, finished, stations, axis). Of a `body`, by its name
    or id, or the leading one. With `solids`, of the finished bodies. `made`: a part as it was made, which the report tells
    of, too. Returns what was written: some forms take a file a page.

    Raises: IsotomonError, for what cannot be made or written.
    """
    found = make(results_of(design, solids, body), Requested(what, **how), _today(), made=made)
    with ExitStack() as ends:  # a worker of its own starts only where it is wanted
        own = solids or ends.enter_context(Solids())
        return write_made(found, Path(path), partial(building.export_wires, own.supervisor))


def _today() -> str:
    return date.today().isoformat()


def results_of(design: Design, solids: Solids | None, body: str) -> Quick:
    """The results of a body in hand, with the finished ones where there are `solids`."""
    found = next((b.id for b in design.bodies if body in (b.name, b.id)), "") if body else leading(design)
    if body and not found:
        raise DesignError(f"the design has no body '{body}'; it has {', '.join(b.name for b in design.bodies)}")
    quick = rebuild(design, found)
    return quick if solids is None else with_finished(quick, building.build_all(quick, solids.supervisor))


def file_stem(name: str) -> str:
    """A name as files can have it: letters, digits, blanks, dots and dashes."""
    return re.sub(r"[^\w .-]", "_", name).strip(" .")[:80] or "design"


class Delivered(NamedTuple):
    """What became of one thing that was to be delivered: the files written, or why there is none."""

    what: str
    written: tuple[Path, ...]
    problem: str


SOLIDS = (".step", ".3mf", ".glb")
"""As what the finished bodies are delivered when all is."""


def deliver_all(
    design: Design,
    folder: Path,
    solids: Solids,
    only: Sequence[str] = (),
    body: str = "",
    made: AsMade | None = None,
    **how: Any,
) -> list[Delivered]:
    """Write the finished bodies, all sheets and tables, and the report into a folder, or `only` some of them (`solids`, or what `deliver`
    takes); what cannot be made of the design is told and left out. `body`, `made`, `how`: as of `deliver`.

    Raises: DesignError, for something unknown.
    """
    unknown = [what for what in only if what not in ("solids", *DELIVERIES)]
    if unknown:
        raise DesignError(
            f"there is nothing called '{unknown[0]}' to deliver; there are solids, {', '.join(DELIVERIES)}"
        )
    quick = results_of(design, solids, body)
    every = (*EVERY, *(("as-made", ending) for ending in (".pdf", ".csv"))) if made is not None else EVERY
    wanted = [(what, ending) for what, ending in every if not only or what in only]
    stem, found = file_stem(design.name), list[Delivered]()
    for what, ending in wanted:
        name = folder / (f"{stem}{ending}" if what == "solids" else f"{stem}-{what}{ending}")
        try:
            if what == "solids":
                building.export(quick, solids.supervisor, name)
                written = [name]
            else:
                ready = make(quick, Requested(what, **how), _today(), made=made)
                written = write_made(ready, name, partial(building.export_wires, solids.supervisor))
            found.append(Delivered(what, tuple(written), ""))
        except IsotomonError as error:
            found.append(Delivered(what, (), str(error)))
    return found


EVERY = (
    *(("solids", ending) for ending in SOLIDS),
    *(("report", ending) for ending in (".pdf", ".html")),
    *(("wireframe", ending) for ending in (".dxf", ".step")),
    *((what, ".pdf") for what in ("general", "body-plan", "templates", "flat", "curves")),
    *((what, ".csv") for what in ("stations", "sections", "blade", "duct", "points", "pour")),
)
"""All that is delivered in one go, with its form."""


def study(
    design: Design, path: str | Path, out: str | Path, workers: int | None = None, scheduler: str = ""
) -> list[VariantRow]:
    """Run a variant study (TOML, or CSV with a row a variant) into a folder; a run that was ended goes on where it was. Its processes begin
    by loading the script that calls this, which is to be guarded by `if __name__ == "__main__":`. `scheduler`: the address of Dask's.

    Raises: FileError.
    """
    return run_study(design, read_study(Path(path), design), Path(out), workers=workers, scheduler=scheduler)
