"""Datum tools: each makes its datum at once from what is chosen; a pull in the View changes its one free number."""

from __future__ import annotations

from functools import lru_cache, partial
from typing import Any

import numpy as np

from isotomon.app.api import Api
from isotomon.app.command import Command
from isotomon.arrays import Array
from isotomon.design import edits
from isotomon.design.body import Body
from isotomon.design.datums import BUILT_IN, BUILT_IN_NAMES, CONSTRUCTIONS, Datum
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.evaluate.sources import Thing
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, flat_normal
from isotomon.inspect.results import Quick, Shape
from isotomon.profile.draw_edits import next_name
from isotomon.profile.drawing import CirclePart, Line
from isotomon.profile.outline import edge_words
from isotomon.profile.section import Drawn
from isotomon.quantity import resolve

_GIVES = {"plane": "PF", "axis": "A", "point": "p", "frame": "FPp", "cylinder": "RA"}
_DEFAULTS = {"P": "xy", "A": "z", "p": "origin", "F": "world"}
MOST_FACES = 60
_FAMILIES = {"plane": "Plane", "axis": "Axis", "point": "Point", "frame": "Frame", "cylinder": "Frame"}


def rims_of(body: Body) -> list[tuple[str, str]]:
    """(reference, name) of the closed edges of a body's ends."""
    return [(f"{body.id}/{end}-rim", f"{end.capitalize()} rim of {body.name}") for end in ("first", "last")]


def edges_along(quick: Quick | None, others: bool = False) -> list[tuple[str, str]]:
    """(reference, name) of the edges that run along the body in hand, or along the `others`."""
    if quick is None:
        return []
    found = []
    for q in quick.others if others else (quick,):
        names = {s.id: s.name for s in q.body.stations}
        for edge in q.shape.field.names.edges if q.shape is not None else ():
            through = f"Edge of {q.body.name} through {edge_words(edge[0], names)}"
            found.append((f"{q.body.id}/along:{edge[0]}", through))
    return found


def faces(quick: Quick | None, others: bool = False, flat: bool = True) -> list[tuple[str, str]]:
    """(reference, name) of the ends and faces of the body in hand, or of the `others`; only those that are `flat`, or all."""
    found: list[tuple[str, str]] = []
    for q in () if quick is None else quick.others if others else (quick,):
        body, shape = q.body, q.shape
        if shape is None or shape.field.ring:
            continue
        if not shape.open:
            found += [(f"{body.id}/{end}", f"{end.capitalize()} end of {body.name}") for end in ("first", "last")]
        names = {s.id: s.name for s in q.body.stations}
        for k, lane in enumerate(shape.field.names.lanes[:MOST_FACES]):
            if flat and not _flat_lanes(shape)[k]:
                continue
            pair = lane.removeprefix("hole ").split("~")
            words = " and ".join(edge_words(edge, names) for edge in pair)
            where = "round it" if lane == "round" else f"between {words}" if len(pair) > 1 else f"of the hole {words}"
            found.append((f"{body.id}/face:{lane}", f"Face of {body.name} {where}"))
    return found


@lru_cache(maxsize=32)
def _flat_lanes(shape: Shape) -> tuple[bool, ...]:
    """Which of a body's lanes are flat; asked for at every turn, and the same as long as the body is."""
    mesh = shape.mesh
    lanes = range(len(shape.field.names.lanes[:MOST_FACES]))
    return tuple(flat_normal(mesh.points[:, mesh.sampling.lane == k].reshape(-1, 3)) is not None for k in lanes)


def candidates(
    design: Design, letter: str, body: Body | None = None, quick: Quick | None = None
) -> list[tuple[str, str]]:
    """(reference, name) of all that can stand where a construction asks for this letter; of a `body` too, where one is said, its
    edges as the results `quick` have them."""
    found = [(ref, BUILT_IN_NAMES[ref]) for ref, kind in BUILT_IN.items() if kind == letter]
    found += [(d.id, d.name) for d in design.datums if letter in _GIVES[d.recipe.makes]]
    if letter == "c":
        found += [(g.id, g.name) for g in design.guides]
    if body is None:
        return found
    for s in body.stations:
        if letter in "PF":
            found.append((s.id, f"{s.name} plane"))
        if letter in "cR":
            found.append((f"{s.id}/outline", f"{s.name} profile"))
        if letter == "p":
            found += [(f"{s.id}/lead", f"{s.name} leading point"), (f"{s.id}/trail", f"{s.name} trailing point")]
        found += _drawn(design, s, letter)
    if letter == "P":
        found += faces(quick)
    if letter in "cA":
        found += edges_along(quick)
    if letter in "RA":
        found.append((f"{body.id}/skin", f"Round skin of {body.name}"))
    return found


def _drawn(design: Design, s: Station, letter: str) -> list[tuple[str, str]]:
    """Points and parts of a station's drawing."""
    if not isinstance(s.section, Drawn):
        return []
    drawing = edits.find(design.drawings, s.section.drawing)
    if letter == "p":
        return [(f"{s.id}/{drawing.id}.{p.id}", f"{s.name} {p.id}") for p in drawing.points[:40]]
    kinds = {"c": object, "A": Line, "R": CirclePart}.get(letter)
    return [
        (f"{s.id}/{drawing.id}.{p.id}", f"{s.name} {p.id}")
        for p in drawing.parts[:40]
        if kinds is not None and isinstance(p, kinds)
    ]


def filled(
    design: Design, kind: str, selection: tuple[str, ...], body: Body, quick: Quick | None = None
) -> tuple[str, ...]:
    """What a new datum stands on: the chosen things that fit, then the usual ones, no thing twice."""
    used: list[str] = []
    for letter in CONSTRUCTIONS[kind].on:
        refs = [ref for ref, _ in candidates(design, letter, body, quick)]
        chosen = [r for k in selection for r in (k, f"{k}/outline") if r in refs and r not in used]
        usual = [r for r in (_DEFAULTS.get(letter, ""), *refs) if r in refs and r not in used]
        used.append((chosen or usual or [""])[0])
    return tuple(used)


class DatumTools:
    """The window's datum tools."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._pulling: tuple[str, float, Array] | None = None

    def make(self, kind: str) -> None:
        """A new datum of a kind; chosen, so that its Details take over."""
        desk = self.w.desk
        design = desk.design
        assert design is not None
        made = CONSTRUCTIONS[kind]
        on = filled(design, kind, desk.selection, desk.held, desk.quick)
        name = next_name((d.name for d in design.datums), made.makes)
        datum = Datum(edits.fresh_id(design, "d"), name, kind, on, tuple(f.default for f in made.fields))  # type: ignore[arg-type]
        self.w.view.show_datums(True)
        if not desk.do(f"add a {made.makes}", lambda d: edits.add_datum(d, datum)):
            desk.select((datum.id,))

    def reason(self, kind: str) -> str:
        """Why a kind cannot be made now; empty: it can. Asked often, so it only looks whether there is anything to take."""
        body, design = self.w.desk.body, self.w.desk.design
        if body is None or design is None:
            return "Open or begin a design first"
        wanted = set(CONSTRUCTIONS[kind].on) & {"c", "R"}
        there = bool(body.stations) or (bool(design.guides) and "c" in wanted)
        return "This needs a station, a curve or something round first" if wanted and not there else ""

    def pull(self, key: str, start: Array, now: Array) -> None:
        """A datum dragged in the View from one pixel to another: its first number follows."""
        desk = self.w.desk
        quick = desk.quick
        design = desk.design
        if quick is None or design is None:
            return
        datum = edits.find(design.datums, key)
        if not datum.values or isinstance(datum.values[0], str):
            desk.said.emit("note", f"{datum.name} has no free number to drag; change it in its Details.")
            return
        if self._pulling is None or self._pulling[0] != key or np.any(self._pulling[2] != start):
            self._pulling = (
                key,
                resolve(datum.values[0], datum.recipe.fields[0].kind, quick.resolved.names),
                start,
            )
        _, value, _ = self._pulling
        slope = self._slope(datum, value)
        if slope is None or float(slope @ slope) < 1e-12:
            return
        moved = value + float((now - start) @ slope) / float(slope @ slope)
        desk.preview(f"move {datum.name}", lambda d: edits.set_datum_value(d, key, 0, _rounded(moved)))

    def _slope(self, datum: Datum, value: float) -> Array | None:
        """How fast the datum's place moves on the picture when its first number grows."""
        view, quick = self.w.view, self.w.desk.quick
        assert quick is not None and self.w.desk.design is not None
        places = []
        step = 1e-4 if datum.recipe.fields[0].kind != "length" else 1e-2
        for k in (0.0, step):
            design = edits.set_datum_value(self.w.desk.design, datum.id, 0, value + k)
            try:
                places.append(handle_of(quick.worked.branch(design).ground(quick.body.id).get(datum.id)))
            except IsotomonError:
                return None
        seen = view.camera.project(np.array(places), view.width(), view.height())
        return np.asarray((seen[1] - seen[0])[:2] / step)


def _rounded(value: float) -> float:
    return float(f"{value:.6g}")


def handle_of(thing: Thing) -> Array:
    """(3,) the place a datum is taken hold of: off its axis for what turns or grows about one."""
    match thing:
        case Plane():
            return np.asarray(thing.origin + 50.0 * thing.across + 30.0 * thing.up)
        case Cylinder(axis, radius):
            way = np.array([1.0, 0.0, 0.0]) if abs(axis.way[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
            out = np.cross(axis.way, way)
            return np.asarray(axis.origin + radius * out / np.linalg.norm(out))
        case Axis() | Frame():
            return thing.origin
        case SpaceCurve():
            return np.asarray(thing.at(np.array([0.5]))[0])
        case _:
            return np.asarray(thing)


def _make(kind: str, w: Any) -> None:
    w.datums.make(kind)


def _reason(kind: str, w: Any) -> str:
    return w.datums.reason(kind)


DATUM_COMMANDS: tuple[Command, ...] = tuple(
    Command(
        f"datum-{kind}", made.title, partial(_make, kind), "", "Set out", "", "Made from what is chosen; its Details take over",
        partial(_reason, kind), None, _FAMILIES[made.makes],
    )
    for kind, made in CONSTRUCTIONS.items()
)  # fmt: skip
