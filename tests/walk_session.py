"""Random work on designs through a session: every kind of record, every edit there is, undo and redo, save and open between."""

from __future__ import annotations

import time
import typing
from collections.abc import Callable, Iterator
from pathlib import Path
from types import UnionType
from typing import Any, Literal

import msgspec
import numpy as np

from isotomon.app.shell.files import empty_design
from isotomon.author import shaping
from isotomon.author.carry import carry
from isotomon.author.insert import insert_station
from isotomon.author.session import Session, open_session
from isotomon.author.skins import make_skin
from isotomon.design import bodies, edits, loft_edits, station_edits
from isotomon.design.body import Carrying
from isotomon.design.datums import CONSTRUCTIONS, Datum
from isotomon.design.file import decode, encode
from isotomon.design.gauges import GAUGES, Gauge
from isotomon.design.guides import GUIDES, End, Guide, GuidePoint
from isotomon.design.law import Law, LawPoint
from isotomon.design.pieces import cut_in_two
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.operations.cut_off import CutOff
from isotomon.operations.hollow import Hollow
from isotomon.operations.lengthen import Lengthen
from isotomon.operations.mirror import Mirror
from isotomon.operations.move import Move
from isotomon.operations.resize import Resize
from isotomon.operations.ring import Ring
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.operations.row import Row
from isotomon.operations.sew import Sew
from isotomon.operations.skins import MAKINGS
from isotomon.operations.thicken import Thicken
from isotomon.operations.trim import TrimSkin
from isotomon.profile import shapes
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.profile.section_text import parse_section
from isotomon.profile.shapes import Spot
from isotomon.quantity.record import Record, Ref
from isotomon.samples import SAMPLES, sample

SECTIONS = (
    "circle",
    "ellipse:0.5",
    "naca:2412",
    "naca:0015b",
    "polygon:4",
    "rounded:0.7:0.2",
    "star:6:0.6",
    "superellipse:0.8:4",
)
NUMBERS = (0.0, 1.0, -1.0, 0.5, 2.0, 3.0, 10.0, 40.0, 100.0, -30.0, 1e-3, 1e6, 5e-324, 1e15, -1e15)
SLOW_SECONDS = 20.0
"""A rebuild that takes longer than this, on a busy machine, is a hit."""

OF_CIRCLES = ("in a circle", "stands on this itself", "or stands on it")


class Hit(Exception):
    """Something that must not happen: what was done, and what came of it."""


def differing(one: Quick, other: Quick) -> str:
    """What in two results of a design is not the same, in words; nothing where all is."""
    pairs = list(zip((one, *one.others), (other, *other.others), strict=True))
    alike = all(a.moving == b.moving for a, b in pairs)  # what was at rest may stay so, and says more
    # A circle is told from where it was met first.
    round_it = {f.where for q in (one, other) for f in q.findings if any(words in f.text for words in OF_CIRCLES)}
    said = [{(f.where, f.text) for f in q.findings if f.where not in round_it} for q in (one, other)]
    if alike and said[0] != said[1]:
        return f"a finding ({said[0] ^ said[1]})"
    if one.datums.keys() != other.datums.keys() or one.guides.keys() != other.guides.keys():
        return "what datums and guides there are"
    share = np.linspace(0.0, 1.0, 17)
    for key, curve in one.guides.items():
        if not np.array_equal(curve.at(share), other.guides[key].at(share), equal_nan=True):
            return f"the guide {key}"
    for a, b in pairs:
        for what, x, y in (("shape", a.shape, b.shape), ("sheet", a.sheet, b.sheet)):
            same = (
                x is None
                or y is None
                or a.moving != b.moving
                or np.array_equal(x.mesh.points, y.mesh.points, equal_nan=True)
            )
            if (x is None) != (y is None) or not same:
                return f"the {what} of {a.body.name}"
    return ""


class Walker:
    """Makes one random edit after another through a session; the same seed makes the same ones."""

    def __init__(self, design: Design, seed: int, folder: Path) -> None:
        self.rng = np.random.default_rng(seed)
        self.start, self.session = encode(design), Session(design)
        self.path = folder / f"walk-{seed}.isotomon"
        self.done: list[str] = []
        self.last: Quick | None = None
        """What was rebuilt last, of which the next rebuild takes over what an edit does not touch."""

    def one(self, things):  # type: ignore[no-untyped-def]
        """One of some things; None of none."""
        return things[int(self.rng.integers(len(things)))] if len(things) else None

    def step(self) -> None:
        """One random thing, and all that must hold after it. Raises: Hit."""
        way = self.rng.random()
        title = "?"
        try:
            if way < 0.06:
                title = "undo"
                self.session.undo()
            elif way < 0.09:
                title = "redo"
                self.session.redo()
            elif way < 0.12:
                title = "save and open"
                self.session.save(self.path)
                found = open_session(self.path)
                if encode(found.design) != encode(self.session.design):
                    raise Hit("what was saved is not what was opened")
                self.session = found
                self.start = encode(found.design)
            elif way < 0.55:
                title, edit = self.structured()
                self.session.apply(title, edit)
            else:
                title, edit = self.mutated()
                self.session.apply(title, edit)
        except IsotomonError as error:
            self._in_words(title, str(error))
        except Hit:
            raise
        except Exception as error:
            self.done.append(title)
            raise Hit(f"{title}: {type(error).__name__}: {error}") from error
        self.done.append(title)
        self.look(title)

    def look(self, title: str) -> None:
        """The design is rebuilt and says itself again. Raises: Hit."""
        design = self.session.design
        try:
            again = encode(decode(encode(design)))
        except Exception as error:
            raise Hit(f"{title}: what was let in is not read again: {error}") from error
        if again != encode(design):
            raise Hit(f"{title}: the design does not come back from its file as it was")
        hand, moving = self.one(design.bodies).id, bool(self.rng.random() < 0.5)
        if self.last is not None and self.rng.random() < 0.8 and any(b.id == self.last.body.id for b in design.bodies):
            hand = self.last.body.id
        begun = time.thread_time()
        try:
            quick = rebuild(design, hand, moving)
            self.last, last = rebuild(design, hand, moving, self.last), self.last
        except Exception as error:
            raise Hit(f"rebuild after {title}: {type(error).__name__}: {error}") from error
        if last is not None and (other := differing(self.last, quick)):
            raise Hit(f"rebuild after {title}: with what was known before, {other} is not as it is made anew")
        if time.thread_time() - begun > SLOW_SECONDS:
            raise Hit(f"rebuild after {title} took {time.thread_time() - begun:.1f} s of work")
        for finding in quick.findings:
            self._in_words(title, finding.text)

    def _in_words(self, title: str, text: str) -> None:
        for leak in ("object has no", "NoneType", "Traceback", "unsupported operand", "not subscriptable", "numpy"):
            if leak in text:
                raise Hit(f"{title}: no words for users: {text}")

    def end(self) -> None:
        """Undo everything: the first bytes come back. Raises: Hit."""
        while self.session.undo_title is not None:
            self.session.undo()
        if len(self.done) < 400 and encode(self.session.design) != self.start:
            raise Hit("undone to the start, the design is not what it was")

    # Edits

    def refs(self) -> list[str]:
        """References of every kind, good ones and some that are gone."""
        d = self.session.design
        found = ["xy", "yz", "zx", "x", "y", "z", "origin", "", "d99", "s1/nowhere", "body/face:a~b"]
        found += [r.id for group in (d.datums, d.guides, d.drawings, d.gauges, d.numbers) for r in group]
        for body in d.bodies:
            parts = ("first", "last", "axis", "first rim", "first-rim", "last-rim", "side:first", "side:end", "side:u1")
            found += [body.id, *(f"{body.id}/{part}" for part in parts)]
            for s in body.stations:
                found += [s.id, f"{s.id}/lead", f"{s.id}/trail", f"{s.id}/at:0.3", f"{s.id}/outline", f"{s.id}/centre"]
        return found

    def number(self) -> float:
        return float(self.one(NUMBERS)) if self.rng.random() < 0.4 else float(np.round(self.rng.uniform(-60, 160), 2))

    def value(self) -> float | str:
        if self.rng.random() < 0.75:
            return self.number()
        texts = ["2*3", "fraction*10 mm", "nobody + 1", "10 deg", "5 mm", "1/0", "fraction^2 * 20 mm"]
        texts += [f"{n.name}*0.9" for n in self.session.design.numbers]
        return str(self.one(texts))

    def structured(self) -> tuple[str, Callable[[Design], Design]]:
        """An edit as the window makes them."""
        d = self.session.design
        body = self.one(d.bodies)
        s, own = self.one(body.stations), body.id
        key, refs = s.id if s else "s1", self.refs()
        rng, one, number = self.rng, self.one, self.number
        kind = one(list(CONSTRUCTIONS))
        way, guiding, gauging = CONSTRUCTIONS[kind], one(list(GUIDES)), one(list(GAUGES))

        def some(count: int) -> tuple[str, ...]:
            return tuple(str(one(refs)) for _ in range(count))

        def inserted(design: Design) -> Design:
            shape = rebuild(design, moving=True).shape
            if shape is None:
                return design
            return insert_station(design, shape, float(rng.uniform(shape.field.first, shape.field.last)))

        def station(design: Design) -> Design:
            made = Station(
                edits.fresh_id(design, "s"),
                f"s {len(body.stations)}",
                number(),
                parse_section(str(one(SECTIONS))),
                abs(number()) + 1.0,
            )
            return station_edits.add_station(design, own, made)

        def drawing(design: Design) -> Design:
            empty = Drawing(
                edits.fresh_id(design, "g"), f"drawing {len(design.drawings)}", plane=str(one(["", "xy", "zx", "d1"]))
            )
            made = one([
                lambda: shapes.rectangle_corners(empty, Spot(-20, -10), Spot(20, 10)),
                lambda: shapes.circle(empty, Spot(0, 0), Spot(15, 0)),
                lambda: shapes.line(empty, Spot(20, 0), Spot(40, 60)),
                lambda: shapes.curve(empty, (Spot(0, 0), Spot(30, 40), Spot(0, 90), Spot(-20, 120)), False),
            ])()  # fmt: skip
            return edits.add_drawing(design, made)

        def guide(design: Design) -> Design:
            spots = (
                tuple(GuidePoint(on=str(one(refs))) for _ in range(int(rng.integers(2, 5))))
                if guiding == "through"
                else ()
            )
            choices = tuple(str(one(allowed)) for _, allowed in GUIDES[guiding].choices)
            values = tuple(f.default for f in GUIDES[guiding].fields)
            made = Guide(
                edits.fresh_id(design, "u"),
                f"guide {len(design.guides)}",
                guiding,
                some(len(GUIDES[guiding].on)),
                values,
                choices,
                spots,
            )
            return loft_edits.add_guide(design, made)

        law = Law(
            "law9",
            "random law",
            str(one(["area", "set_angle", "turn", "thickness", "twist_rate"])),
            0.05,
            True,
            "along",
            (LawPoint(1000.0, key),),
        )  # type: ignore[arg-type]
        edges, faces = (Ref(f"{own}/along"),), (Ref(f"{own}/last"),)
        worked = [Round(edges=edges, radius=1.0), Hollow(wall=1.0, side="about"), RoundAway(faces=faces)]
        other = Ref(one(d.bodies).id)
        skinned = [Thicken(thickness=1.5), Lengthen(by=4.0, how="curved"), Sew(others=(other,)), TrimSkin(by=other)]
        ways: list[tuple[str, Callable[[Design], Design]]] = [
            ("add a station", station),
            ("insert a station", inserted),
            ("remove stations", lambda d: station_edits.remove_stations(d, (key,))),
            ("size", lambda d: station_edits.change_station(d, key, chord=abs(number()) + 0.5)),
            ("angle", lambda d: station_edits.change_station(d, key, set_angle=float(rng.uniform(-4, 4)))),
            ("tilt", lambda d: station_edits.change_station(d, key, tilt_x=float(rng.uniform(-1, 1)))),
            ("section", lambda d: station_edits.put_section(d, (key,), parse_section(str(one(SECTIONS))))),
            ("stand on", lambda d: station_edits.stand_on(d, (key,), str(one(refs)))),
            ("datum", lambda d: edits.add_datum(d, Datum(edits.fresh_id(d, "d"), f"datum {len(d.datums)}", kind, some(len(way.on)), tuple(number() for _ in way.fields)))),
            ("remove a datum", lambda d: edits.remove_datum(d, one(d.datums).id) if d.datums else d),
            ("drawing", drawing),
            ("draw on a station", lambda d: station_edits.put_section(d, (key,), Drawn(one(d.drawings).id)) if d.drawings else d),
            ("remove a drawing", lambda d: edits.remove_drawing(d, one(d.drawings).id) if d.drawings else d),
            ("guide", guide),
            ("remove a guide", lambda d: loft_edits.remove_guide(d, one(d.guides).id) if d.guides else d),
            ("rail", lambda d: loft_edits.add_rail(d, own, one(d.guides).id) if d.guides else d),
            ("tie", lambda d: loft_edits.add_tie(d, own, tuple(End(x.id, float(rng.random())) for x in body.stations[:3]))),
            ("turns", lambda d: loft_edits.set_turns(d, key, int(rng.integers(-2, 3)))),
            ("end", lambda d: bodies.change_ending(d, own, str(one(["first", "last"])), how=str(one(["free", "square", "leaning"])), strength=20.0)),
            ("number", lambda d: edits.add_number(d, Number(edits.fresh_id(d, "n"), f"num{len(d.numbers)}", number(), "length"))),
            ("remove a number", lambda d: edits.remove_number(d, one(d.numbers).id) if d.numbers else d),
            ("measure", lambda d: edits.add_gauge(d, Gauge(edits.fresh_id(d, "m"), f"measure {len(d.gauges)}", gauging, some(len(GAUGES[gauging].on)), tuple(f.default for f in GAUGES[gauging].fields), tuple(c[1][0] for c in GAUGES[gauging].choices)))),  # type: ignore[arg-type]
            ("law", lambda d: station_edits.add_law(d, own, law)),
            ("body", lambda d: bodies.add_body(d)),
            ("copy the body", lambda d: bodies.copy_body(d, own)),
            ("remove a body", lambda d: bodies.remove_body(d, own)),
            ("combine", lambda d: bodies.combine(d, own, str(one(["own", "add", "cut", "common"])))),
            ("aside", lambda d: bodies.set_aside(d, (own,), bool(rng.random() < 0.5))),
            ("earlier", lambda d: bodies.move_body(d, own, int(one([-1, 1])))),
            ("step", lambda d: bodies.add_step(d, own, one([Move(x=20.0, turn=0.3), Resize(x=1.2), Mirror(), Ring(count=3), Row(count=2), *worked, *skinned]))),
            ("skin", lambda d: make_skin(d, str(one(list(MAKINGS))), some(int(rng.integers(1, 5))))),
            ("skin of guides", lambda d: make_skin(d, str(one(list(MAKINGS))), tuple(g.id for g in d.guides))),
            ("cut in two", lambda d: cut_in_two(d, own, CutOff(plane=Ref(str(one(["xy", "yz", "zx"]))), offset=number()))),
            ("step elsewhere", lambda d: bodies.move_step(d, one(body.steps).id, int(rng.integers(0, 3))) if body.steps else d),
            ("step aside", lambda d: bodies.change_step(d, one(body.steps).id, aside=bool(rng.random() < 0.5)) if body.steps else d),
            ("step out", lambda d: bodies.remove_step(d, one(body.steps).id) if body.steps else d),
            ("up to a step", lambda d: bodies.rebuild_up_to(d, own, one([None, "", *(step.id for step in body.steps)]))),
            ("carry", lambda d: carry(d, own, Carrying(str(one(["straight", "path", "axis", "plane"])), str(one(refs))))),  # type: ignore[arg-type]
            ("ring", lambda d: bodies.change_loft(d, own, ring=not body.loft.ring)),
            ("ruled", lambda d: bodies.change_loft(d, own, ruled=not body.loft.ruled)),
            ("extrude", lambda d: shaping.extrude(d, str(one(refs)))),
            ("sweep", lambda d: shaping.sweep(d, str(one(refs)), str(one(refs)))),
            ("revolve", lambda d: shaping.revolve(d, str(one(refs)), str(one(["", "z", "x"])))),
        ]  # fmt: skip
        return ways[int(rng.integers(len(ways)))]

    def mutated(self) -> tuple[str, Callable[[Design], Design]]:
        """One field of one record of any kind, changed at random; as a script, or a hand in the file, might."""
        path, record = self.one(list(_records(self.session.design)))
        fields = [f for f in record.__struct_fields__ if f not in ("id", "format", "version", "data", "source")]
        if not fields:
            return "nothing", lambda d: d
        name = str(self.one(fields))
        new = self.other(typing.get_type_hints(type(record))[name], getattr(record, name))
        where = ".".join(map(str, path))
        return f"set {where}.{name} to {new!r:.60}", lambda d: _with(d, path, name, new)

    def other(self, hint: Any, now: Any) -> Any:
        """Another value of the kind a field takes."""
        options = typing.get_args(hint) if typing.get_origin(hint) in (typing.Union, UnionType) else (hint,)
        if typing.get_origin(hint) is Literal:
            return self.one(typing.get_args(hint))
        if isinstance(now, bool):
            return not now
        if isinstance(now, int | float) or (isinstance(now, str) and float in options):
            return (
                int(self.rng.integers(-1, 9))
                if isinstance(now, int)
                else self.value()
                if str in options
                else self.number()
            )
        if isinstance(now, str):
            return str(self.one(self.refs()))
        if isinstance(now, tuple) and now:
            k = int(self.rng.integers(len(now)))
            return self.one([now[:k] + now[k + 1 :], (*now, now[k]), now[::-1], now[:1]])
        return now


def _records(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Record]]:
    """(path, record) of every record in a design."""
    if isinstance(value, msgspec.Struct):
        yield path, value  # type: ignore[misc]
        for name in value.__struct_fields__:
            yield from _records(getattr(value, name), (*path, name))
    elif isinstance(value, tuple):
        for k, item in enumerate(value[:40]):
            yield from _records(item, (*path, k))


def _with(value: Any, path: tuple[Any, ...], name: str, new: Any) -> Any:
    """A design with one field of the record at a path changed."""
    if not path:
        return edits.replace(value, **{name: new})
    head, rest = path[0], path[1:]
    if isinstance(value, tuple):
        return (*value[:head], _with(value[head], rest, name, new), *value[head + 1 :])
    return edits.replace(value, **{head: _with(getattr(value, head), rest, name, new)})


def starts() -> list[Design]:
    """What walks begin from: every demo, and an empty design."""
    return [empty_design(), *(sample(name) for name in SAMPLES)]


def walk(design: Design, seed: int, steps: int, folder: Path) -> Walker:
    """A walk of so many steps. Raises: Hit."""
    walker = Walker(design, seed, folder)
    for _ in range(steps):
        walker.step()
    walker.end()
    return walker
