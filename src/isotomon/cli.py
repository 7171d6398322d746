"""The command line. Exit codes: 0 in band or done, 1 out of band, 2 error."""

from __future__ import annotations

import argparse
import contextlib
import json
import logging
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from isotomon.cli_deliver import add_deliver_parsers, of_design
from isotomon.cli_measure import add_measure_parsers
from isotomon.cli_steps import add_step_parsers
from isotomon.design.disk import refuse_same
from isotomon.errors import FileError, IsotomonError
from isotomon.version import VERSION


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; errors are one line on standard error."""
    options = _parser().parse_args(arguments)
    # Our matrices are small: threads of the linear algebra only get in each other's way. Before numpy is loaded.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    try:
        code = int(options.run(options))
        sys.stdout.flush()
        return code
    except IsotomonError as error:
        return _failed(str(error))
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:
        # Whoever read has gone; nothing more can be said there, and nothing was done wrong.
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        return 2
    except OSError as error:
        return _failed(f"{error.filename or 'the output'} cannot be used: {error.strerror or error}")
    except Exception as error:
        logging.getLogger(__name__).debug("unforeseen", exc_info=True)
        return _failed(f"this stopped unexpectedly ({type(error).__name__}: {error}); please report it with the design")


def _failed(text: str) -> int:
    with contextlib.suppress(OSError):
        print(f"isotomon: {text}", file=sys.stderr)
    return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="isotomon", description="Design blades and vessels from sections. Without a command, opens the window."
    )
    parser.add_argument("--version", action="version", version=f"isotomon {VERSION}")
    parser.set_defaults(run=_window)
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")

    for add in _PARSERS:
        add(commands)
    add_step_parsers(commands)
    add_deliver_parsers(commands)
    add_measure_parsers(commands)
    return parser


def _demo_parser(commands: Any) -> None:
    demo = commands.add_parser("demo", help="open the window with a demo")
    demo.add_argument(
        "name",
        nargs="?",
        default="reach-blade",
        metavar="NAME",
        help="which demo: the start page lists them (default: reach-blade)",
    )
    demo.add_argument(
        "--out", type=Path, default=Path("out"), help="where a run without a display writes (default: out)"
    )
    demo.set_defaults(run=_demo)


def _show_parser(commands: Any) -> None:
    of_design(commands, "open", _open, "open the window with a design")


def _table_parser(commands: Any) -> None:
    table = commands.add_parser("table", help="make a design from a station table")
    table.add_argument("table", type=Path, metavar="TABLE.csv", help="the stations, a row each")
    table.add_argument("--out", type=Path, required=True, metavar="DESIGN", help="where the design goes")
    table.add_argument("--force", action="store_true", help="replace the design file if it exists")
    table.set_defaults(run=_table)


def _check_parser(commands: Any) -> None:
    check = of_design(
        commands, "check", _check, "rebuild and print the check table; exit 0 in band, 1 out of band, 2 error"
    )
    check.add_argument("--json", metavar="FILE", help="write the check as JSON; '-' prints the JSON alone")
    check.add_argument(
        "--skin", action="store_true", help="also the joins of the faces, and how fair area and turn run"
    )
    told = "also the finished bodies' sections and walls, at their stations or cut square to WAY (x, y, z, the id of an axis…)"
    check.add_argument("--finished", metavar="WAY", nargs="?", const="", help=told)
    check.add_argument("--csv", metavar="FILE", type=Path, help="write those sections as a table, too")


def _meet_parser(commands: Any) -> None:
    meet = of_design(
        commands, "meet", _meet, "change as little as will do until a law is met; exit 0 met, 1 not met, 2 error"
    )
    meet.add_argument("law", metavar="LAW", help="the law's name")
    meet.add_argument(
        "--by",
        default="sizes",
        metavar="WHAT",
        help="what may change, such as sizes,'set angles',offsets,'rail points'",
    )
    meet.add_argument(
        "--at", default="", metavar="STATIONS", help="names of the stations at which it may (default: all)"
    )
    meet.add_argument(
        "--out", type=Path, metavar="DESIGN", help="where the changed design goes (default: nothing is written)"
    )


def _measure_parser(commands: Any) -> None:
    measure = of_design(commands, "measure", _measure, "print what the measures kept on a design read")
    measure.add_argument("--table", nargs=2, metavar=("NAME", "FILE.csv"), help="write a capacity's table of levels")


def _compare_parser(commands: Any) -> None:
    compare = of_design(commands, "compare", _compare, "print the figures of two bodies or two designs side by side")
    compare.add_argument("other", type=Path, nargs="?", metavar="OTHER", help="another design (default: the same one)")
    compare.add_argument(
        "--bodies", nargs="+", default=[], metavar="NAME", help="names of the two bodies (default: those in hand)"
    )


def _numbers_parser(commands: Any) -> None:
    numbers = of_design(commands, "numbers", _numbers, "print the named numbers, or change them")
    numbers.add_argument("changes", nargs="*", metavar="NAME=VALUE", help="such as span='1.2 m'")
    numbers.add_argument("--csv", type=Path, metavar="FILE", help="also bring in numbers from a CSV")
    numbers.add_argument("--out", type=Path, metavar="DESIGN", help="where the changed design goes (default: back)")


_PARSERS = (
    _demo_parser,
    _show_parser,
    _table_parser,
    _check_parser,
    _meet_parser,
    _measure_parser,
    _compare_parser,
    _numbers_parser,
)


def _window(options: argparse.Namespace) -> int:
    from isotomon.app.shell.main import run_window

    return run_window()


def _open(options: argparse.Namespace) -> int:
    from isotomon.app.shell.main import run_window
    from isotomon.design.file import load

    load(options.design)
    return run_window(path=options.design)


def _demo(options: argparse.Namespace) -> int:
    from isotomon.app.shell.main import has_display, run_demo_off_screen, run_window
    from isotomon.samples import sample

    design = sample(options.name)
    if has_display():
        return run_window(design=design)
    return run_demo_off_screen(design, options.out)


def _table(options: argparse.Namespace) -> int:
    from isotomon.design.file import save
    from isotomon.exchange.table import read_table

    if options.out.exists() and not options.force:
        raise FileError(f"{options.out} exists already; add --force to replace it")
    refuse_same(options.out, options.table)
    design = read_table(options.table)
    save(design, options.out)
    print(f"{options.out}: {len(design.bodies[0].stations)} stations, {len(design.bodies[0].laws)} laws")
    return 0


def _numbers(options: argparse.Namespace) -> int:
    from isotomon.design import edits
    from isotomon.design.file import load, save
    from isotomon.evaluate.settle import check_design
    from isotomon.exchange.numbers import read_numbers, write_numbers
    from isotomon.quantity import read

    design = load(options.design)
    if options.csv is not None:
        design = edits.put_numbers(design, read_numbers(options.csv, design.unit))
    for text in options.changes:
        name, equals, value = text.partition("=")
        found = next((n for n in design.numbers if n.name == name.strip()), None)
        if not equals or found is None:
            names = ", ".join(n.name for n in design.numbers) or "none"
            raise FileError(f"'{text}' changes no number; write NAME=VALUE with one of: {names}")
        unit = {"length": design.unit, "angle": "deg", "ratio": "mm"}[found.kind]
        design = edits.change_number(design, found.id, value=read(value, found.kind, unit))
    if options.changes or options.csv is not None or options.out is not None:
        check_design(design)
        save(design, options.out or options.design)
    print(write_numbers(design), end="")
    return 0


def _meet(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.design.file import save

    stations = tuple(name.strip() for name in options.at.split(",") if name.strip())
    kinds = tuple(kind.strip() for kind in options.by.split(",") if kind.strip())
    found = script.meet_law(script.load(options.design), options.law, kinds, stations)
    for freedom, value in found.changes:
        shown = f"{value * 57.29577951308232:.6g}°" if freedom.angle else f"{value:.6g} mm"
        print(f"{freedom.name}: {shown}")
    print(found.text)
    if options.out is not None:
        save(found.design, options.out)
    return 0 if found.met else 1


def _measure(options: argparse.Namespace) -> int:
    from isotomon import script
    from isotomon.design.disk import write_atomically
    from isotomon.design.file import load

    if options.table is not None:
        refuse_same(options.table[1], options.design)
    design = load(options.design)
    found = script.measures(design)
    for name, figures in found.items():
        for title, value in figures.items():
            print(f"{name}: {title} {value if isinstance(value, str) else f'{value:.10g}'}")
    if options.table is not None:
        name, path = options.table
        write_atomically(Path(path), script.capacity_table(design, name).encode())
        print(path)
    return 1 if any("wrong" in figures for figures in found.values()) else 0


def _compare(options: argparse.Namespace) -> int:
    from isotomon import script

    other = script.load(options.other) if options.other is not None else None
    found = script.compare(script.load(options.design), other, options.bodies)
    wide = max(map(len, found))
    for title, values in found.items():
        print(f"{title:<{wide}}" + "".join(f"  {'' if v != v else f'{v:.10g}':>16}" for v in values))
    return 0


def _check(options: argparse.Namespace) -> int:
    from isotomon.design.disk import write_atomically
    from isotomon.design.file import load
    from isotomon.inspect.check import check_table, exit_code
    from isotomon.inspect.finished_figures import finished_csv, finished_table
    from isotomon.inspect.looks import check_looks, looks_table
    from isotomon.inspect.quick import rebuild
    from isotomon.quantity.record import Ref
    from isotomon.solids.checked import checked
    from isotomon.solids.supervisor import Supervisor

    if options.json and options.json != "-":
        refuse_same(options.json, options.design)
    design = load(options.design)
    supervisor = Supervisor()
    try:
        quick = rebuild(design)
        result = checked(quick, supervisor, None if options.finished is None else Ref(options.finished))
    finally:
        supervisor.close()
    if options.skin:
        result["skin"] = check_looks(quick)
    text = json.dumps(result, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
    if options.json == "-":
        print(text, end="")
    else:
        if options.json:
            write_atomically(Path(options.json), text.encode())
        print(check_table(result))
        if "finished" in result:
            print(finished_table(result["finished"]))
        if options.skin:
            print(looks_table(result["skin"]))
    if options.csv and "finished" in result:
        write_atomically(options.csv, finished_csv(result["finished"]).encode())
    return exit_code(result)


if __name__ == "__main__":
    sys.exit(main())
