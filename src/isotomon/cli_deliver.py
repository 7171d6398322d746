"""Commands of the command line that write what leaves the program."""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

from isotomon.design.disk import refuse_same


def add_deliver_parsers(commands: Any) -> None:
    """The parsers of `export`, `drawing`, `unroll` and `picture`; `commands`: where sub-parsers are added."""
    for add in (_export_parser, _drawing_parser, _unroll_parser, _picture_parser):
        add(commands)


def _of_design(commands: Any, name: str, run: Callable[[argparse.Namespace], int], words: str) -> Any:
    parser = commands.add_parser(name, help=words)
    parser.add_argument("design", type=Path, metavar="DESIGN", help="the design file, DESIGN.isotomon")
    parser.set_defaults(run=run)
    return parser


def _export_parser(commands: Any) -> None:
    export = _of_design(commands, "export", _export, "rebuild and write the finished bodies")
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


def _drawing_parser(commands: Any) -> None:
    drawing = _of_design(commands, "drawing", _drawing, "write a drawing of a design")
    drawing.add_argument("name", metavar="NAME", help="the drawing's name")
    drawing.add_argument(
        "file", type=Path, metavar="FILE.dxf|.svg|.dat", help="where the drawing goes; the ending says its form"
    )


def _unroll_parser(commands: Any) -> None:
    flat = _of_design(commands, "unroll", _unroll, "lay the skin of a body flat and write its pattern")
    flat.add_argument("body", metavar="BODY", help="the body whose skin is laid flat")
    flat.add_argument(
        "file", type=Path, metavar="FILE.dxf|.svg|.dat", help="where the pattern goes; the ending says its form"
    )


def _picture_parser(commands: Any) -> None:
    picture = _of_design(commands, "picture", _picture, "draw a picture of a design")
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


def _drawing(options: argparse.Namespace) -> int:
    from isotomon import script

    refuse_same(options.file, options.design)
    script.write_drawing(script.load(options.design), options.name, options.file)
    print(options.file)
    return 0


def _unroll(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.author.unroll import said_of
    from isotomon.design.disk import refuse_same

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
