"""Commands of the command line that come from the operations and the file's own schema."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any


def add_step_parsers(commands: Any) -> None:
    """The parsers of `step`, `skin` and `schema`; `commands`: where sub-parsers are added."""
    step = commands.add_parser("step", help="list what is done with a body, or do one thing more")
    step.add_argument("design", type=Path, metavar="DESIGN", help="the design file, DESIGN.isotomon")
    step.add_argument("kind", nargs="?", metavar="KIND", help="what is to be done, such as move, ring or bend")
    step.add_argument("fields", nargs="*", metavar="NAME=VALUE", help="such as angle='30 deg'")
    step.add_argument("--body", metavar="NAME", help="with which body (default: the one with most stations)")
    step.add_argument(
        "--piece", action="store_true", help="of cut-off and cut-by-skin: keep the other piece as a body of its own"
    )
    step.add_argument("--out", type=Path, metavar="DESIGN", help="where the changed design goes (default: back)")
    step.set_defaults(run=_step)
    skin = commands.add_parser("skin", help="list the skins made from curves, or make one more")
    skin.add_argument("design", type=Path, metavar="DESIGN", help="the design file, DESIGN.isotomon")
    skin.add_argument("kind", nargs="?", metavar="KIND", help="how it is made, such as net, between or filled")
    skin.add_argument("fields", nargs="*", metavar="NAME=VALUE", help="such as along='rib 1, rib 2'")
    skin.add_argument("--name", metavar="NAME", help="what it is to be called")
    skin.add_argument("--out", type=Path, metavar="DESIGN", help="where the changed design goes (default: back)")
    skin.set_defaults(run=_skin)
    schema = commands.add_parser("schema", help="print the JSON Schema of the design file")
    schema.set_defaults(run=_schema)


def _step(options: argparse.Namespace) -> int:
    from isotomon.design import bodies
    from isotomon.design.file import load, save
    from isotomon.design.pieces import cut_in_two
    from isotomon.errors import DesignError
    from isotomon.evaluate.settle import check_design
    from isotomon.exchange.operations import read_operation
    from isotomon.operations.cut_by_skin import CutBySkin
    from isotomon.operations.cut_off import CutOff

    design = load(options.design)
    ids = {b.name: b.id for b in design.bodies}
    if options.body is not None and options.body not in ids:
        raise DesignError(f"there is no body '{options.body}'; there are {', '.join(ids)}")
    body = ids[options.body] if options.body is not None else bodies.leading(design)
    if options.kind is not None:
        step = read_operation(options.kind, options.fields, design.unit, ids)
        if options.piece and not isinstance(step, CutOff | CutBySkin):
            raise DesignError(f"--piece goes with cut-off and cut-by-skin, not with {options.kind}")
        design = cut_in_two(design, body, step) if options.piece else bodies.add_step(design, body, step)
        check_design(design)
        save(design, options.out or options.design)
    names = {b.id: b.name for b in design.bodies}
    done = design.body(body).done
    print(f"{names[body]}:")
    for step in design.body(body).steps:
        left = "" if step in done else " (not done)"
        print(f"  {step.id}  {step.titled(lambda key: names.get(key, 'what is gone'))}{left}")
    return 0


def _skin(options: argparse.Namespace) -> int:
    from isotomon.design import bodies
    from isotomon.design.file import load, save
    from isotomon.evaluate.settle import check_design
    from isotomon.exchange.operations import read_making
    from isotomon.inspect.quick import rebuild

    design = load(options.design)
    if options.kind is not None:
        groups = (design.guides, design.drawings, design.datums, bodies.stations_of_all(design), design.bodies)
        things = {record.name: record.id for group in groups for record in group}
        making = read_making(options.kind, options.fields, design.unit, things)
        before, design = design, bodies.begin_body(design, options.name or making.NAME, shaped=making)
        if options.name:
            design = bodies.change_body(design, bodies.made_by(before, design), name=options.name)
        check_design(design)
        save(design, options.out or options.design)
    quick = rebuild(design)
    for one in (quick, *quick.others):
        if one.body.making is not None:
            figure = f"{one.sheet.area:.6g} mm²" if one.sheet is not None else "not made"
            print(f"{one.body.name}: {one.body.making.TITLE.lower()}, {figure}")
            for finding in one.own_findings:
                print(f"  {finding.text}")
    return 0


def _schema(options: argparse.Namespace) -> int:
    from isotomon.design.file import schema

    print(json.dumps(schema(), indent=1))
    return 0
