"""Commands of the command line that write what leaves the program."""

from __future__ import annotations

import argparse
import math
import sys
from collections.abc import Callable
from contextlib import nullcontext
from pathlib import Path
from typing import Any

from isotomon.design.disk import refuse_same
from isotomon.errors import FileError


def add_deliver_parsers(commands: Any) -> None:
    """The parsers of `export`, `sheet`, `deliver`, `study`, `drawing`, `unroll` and `picture`; `commands`: where sub-parsers are added."""
    for add in (
        _export_parser,
        _sheet_parser,
        _deliver_parser,
        _study_parser,
        _drawing_parser,
        _unroll_parser,
        _picture_parser,
    ):
        add(commands)


def of_design(commands: Any, name: str, run: Callable[[argparse.Namespace], int], words: str) -> Any:
    """A command about a design."""
    parser = commands.add_parser(name, help=words)
    parser.add_argument("design", type=Path, metavar="DESIGN", help="the design file, DESIGN.isotomon")
    parser.set_defaults(run=run)
    return parser


def _export_parser(commands: Any) -> None:
    export = of_design(commands, "export", _export, "rebuild and write the finished bodies")
    export.add_argument(
        "file",
        type=Path,
        metavar="FILE.step|.iges|.stl|.3mf|.obj|.glb",
        help="where the solid goes; the ending says its form",
    )
    export.add_argument(
        "--fine",
        type=float,
        default=0.0,
        metavar="MM",
        help="of meshes: how far its triangles may lie from the body (default: so near that its volume is right to 0.02 %%)",
    )
    export.add_argument(
        "--angle",
        type=float,
        default=12.0,
        metavar="DEG",
        help="of meshes: by how much neighbouring triangles may turn",
    )


WHAT = "general, body-plan, templates, flat, curves, wireframe, report, as-made, stations, sections, blade, duct, points, pour"


def _sheet_parser(commands: Any) -> None:
    sheet = of_design(commands, "sheet", _sheet, "write a sheet, a table or the report of a design")
    sheet.add_argument("what", metavar="WHAT", help=WHAT)
    sheet.add_argument(
        "file",
        type=Path,
        metavar="FILE.pdf|.svg|.dxf|.png|.html|.csv|.step|.iges",
        help="where it goes; the ending says its form",
    )
    _how(sheet)
    _points(sheet)
    sheet.add_argument("--shaped", action="store_true", help="of the bodies as they are shaped: no solids are built")


def _deliver_parser(commands: Any) -> None:
    deliver = of_design(commands, "deliver", _deliver, "write solids, meshes, sheets, tables and the report, in one go")
    deliver.add_argument("folder", type=Path, metavar="DIR", help="where the files go; it is made where it is missing")
    deliver.add_argument("--only", default="", metavar="WHAT,…", help=f"some of: solids, {WHAT}")
    _how(deliver)
    _points(deliver)


def _study_parser(commands: Any) -> None:
    study = of_design(commands, "study", _study, "run a variant study; one that was ended goes on where it was")
    study.add_argument("study", type=Path, metavar="STUDY.toml|.csv", help="which numbers take which values")
    study.add_argument("--out", type=Path, required=True, metavar="DIR", help="where the results go")
    study.add_argument("--workers", type=int, metavar="N", help="processes on this machine (default: one a core)")
    study.add_argument("--scheduler", default="", metavar="ADDRESS", help="of Dask's distributed scheduler, as tcp://…")


def _how(parser: Any) -> None:
    parser.add_argument(
        "--body", default="", metavar="NAME", help="of which body (default: the one with most stations)"
    )
    parser.add_argument("--paper", default="A3", metavar="A4…A0", help="size of sheets (default: A3)")
    parser.add_argument("--angle", default="first", metavar="first|third", help="projection (default: first)")
    parser.add_argument(
        "--kind", default="section", metavar="section|outside|inside", help="of templates: what is cut out"
    )
    parser.add_argument("--finished", action="store_true", help="of templates: with holes and walls")
    parser.add_argument(
        "--at", default="", metavar="STATIONS", help="of templates: names of stations, or lengths along (default: all)"
    )
    parser.add_argument(
        "--axis", default="", metavar="ID", help="what a blade turns about (default: its ring's, else Y)"
    )


def points_options(parser: Any) -> None:
    """How a file of measured points is read and fitted."""
    parser.add_argument("--unit", default="", metavar="mm|cm|m|in", help="of the points (default: as the file says)")
    parser.add_argument(
        "--fit",
        default="turn",
        metavar="none|shift|turn|size",
        help="what the fit may do with the points (default: turn, and shift)",
    )


def _points(parser: Any) -> None:
    parser.add_argument("--points", type=Path, metavar="FILE", help="measured points, for as-made and the report")
    points_options(parser)


def _drawing_parser(commands: Any) -> None:
    drawing = of_design(commands, "drawing", _drawing, "write a drawing of a design")
    drawing.add_argument("name", metavar="NAME", help="the drawing's name")
    drawing.add_argument(
        "file", type=Path, metavar="FILE.dxf|.svg|.dat", help="where the drawing goes; the ending says its form"
    )


def _unroll_parser(commands: Any) -> None:
    flat = of_design(commands, "unroll", _unroll, "lay the skin of a body flat and write its pattern")
    flat.add_argument("body", metavar="BODY", help="the body whose skin is laid flat")
    flat.add_argument(
        "file", type=Path, metavar="FILE.dxf|.svg|.dat", help="where the pattern goes; the ending says its form"
    )


def _picture_parser(commands: Any) -> None:
    picture = of_design(commands, "picture", _picture, "draw a picture of a design")
    picture.add_argument("file", type=Path, metavar="FILE.png", help="where the picture goes")
    picture.add_argument(
        "--size",
        type=_size,
        default=(1280, 800),
        metavar="1280x800",
        help="width and height in pixels, from 64 to 8192",
    )
    picture.add_argument(
        "--view", default="round", metavar="NAME", help="plan, front, side, round, window or plan of sections: body"
    )


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdecimal() and height.isdecimal() and 64 <= int(width) <= 8192 and 64 <= int(height) <= 8192):
        raise argparse.ArgumentTypeError(f"'{text}' is not a size; write it as 1280x800, from 64 to 8192")
    return int(width), int(height)


def _export(options: argparse.Namespace) -> int:
    from isotomon.design.file import load
    from isotomon.inspect.quick import rebuild
    from isotomon.solids.deliver import Fineness, export, export_form
    from isotomon.solids.supervisor import Supervisor

    export_form(options.file)
    refuse_same(options.file, options.design)
    design = load(options.design)
    supervisor = Supervisor()
    try:
        fine = Fineness(options.fine, math.radians(options.angle))
        export(rebuild(design), supervisor, options.file, fine)
    finally:
        supervisor.close()
    print(f"{options.file}: {options.file.stat().st_size:,} bytes")
    return 0


def _wanted(options: argparse.Namespace) -> dict[str, Any]:
    """How things are to be made, for `script.deliver`."""
    names = tuple(name.strip() for name in options.at.split(",") if name.strip())
    own = {name: getattr(options, name) for name in ("paper", "angle", "kind", "finished", "axis")}
    return own | {"stations": names}


def _made(design: Any, options: argparse.Namespace, solids: Any) -> Any:
    """The part as it was made, where measured points are given."""
    from isotomon import script

    if options.points is None:
        return None
    return script.as_made(design, options.points, options.unit, options.fit, solids=solids, body=options.body)


def _sheet(options: argparse.Namespace) -> int:
    from isotomon import script

    refuse_same(options.file, options.design)
    design = script.load(options.design)
    with nullcontext() if options.shaped else script.Solids() as solids:
        made = _made(design, options, solids)
        for path in script.deliver(design, options.what, options.file, solids, options.body, made, **_wanted(options)):
            print(path)
    return 0


def _deliver(options: argparse.Namespace) -> int:
    from isotomon import script

    design = script.load(options.design)
    try:
        options.folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{options.folder} cannot be made: {error.strerror}; choose another place") from None
    only = tuple(name.strip() for name in options.only.split(",") if name.strip())
    with script.Solids() as solids:
        made = _made(design, options, solids)
        done = script.deliver_all(design, options.folder, solids, only, options.body, made, **_wanted(options))
    for what, written, problem in done:
        print("\n".join(map(str, written)) if written else f"{what}: not written: {problem}")
    return 0 if any(written for _, written, _ in done) else 2


def _study(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.studies.run import TABLE, run_study
    from isotomon.studies.search import best_of
    from isotomon.studies.study import read_study

    if options.workers is not None and not 1 <= options.workers <= 256:
        raise FileError(f"{options.workers} processes cannot be used; give 1 to 256")
    design = script.load(options.design)
    study = read_study(options.study, design)

    def told(row: Any, done: int, count: int) -> None:
        if row.problem:
            print(f"variant {row.number + 1}: {row.problem}", file=sys.stderr)
        if done == count or done % 50 == 0:
            print(f"{done} of {count}", file=sys.stderr, flush=True)

    rows = run_study(design, study, options.out, told, options.workers, options.scheduler)
    print(options.out / TABLE)
    if study.how == "search":
        best = best_of(study, rows)
        if best is None:
            print("no variant keeps all limits")
            return 1
        print(f"best: variant {best.number + 1}, {study.aim} {best.figures[study.aim]:.10g}")
    return 0


def _drawing(options: argparse.Namespace) -> int:
    from isotomon import script

    refuse_same(options.file, options.design)
    script.write_drawing(script.load(options.design), options.name, options.file)
    print(options.file)
    return 0


def _unroll(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.author.unroll import said_of

    refuse_same(options.file, options.design)
    made, flat = script.unroll(script.load(options.design), options.body)
    script.write_drawing(made, made.drawings[-1].id, options.file)
    print(f"{options.body}: {said_of(flat)}")
    print(options.file)
    return 0


def _picture(options: argparse.Namespace) -> int:
    from isotomon.app.shell.main import draw_picture
    from isotomon.design.file import load

    refuse_same(options.file, options.design)
    draw_picture(load(options.design), options.file, options.size, options.view)
    print(options.file)
    return 0
