"""Random work on a design by the thousand: nothing breaks, nothing is lost without being said, all of it can be undone."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from isotomon.author.session import Session
from isotomon.design import edits, station_edits
from isotomon.design.datums import CONSTRUCTIONS, Datum
from isotomon.design.file import decode, encode
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.errors import IsotomonError
from isotomon.evaluate.settle import settle, settled
from isotomon.inspect.quick import rebuild
from isotomon.profile import draw_edits, shapes
from isotomon.profile.change import bevel_corner, break_at, extend, round_corner, trim
from isotomon.profile.copies import mirror, offset, ring, row, similarity, transform
from isotomon.profile.drawing import Drawing
from isotomon.profile.relate import TITLES, add_dimension, dimension_kind, groups_for, put_ties
from isotomon.profile.section import Circle, Drawn
from isotomon.profile.shapes import Spot
from tests.helpers import body, trials

START = Design("random", numbers=(Number("n1", "size", 30.0, "length"),), datums=(Datum("d1", "plane", "parallel", ("xy",), (50.0,)),), drawings=(shapes.rectangle_corners(Drawing("g1", "box"), Spot(-15, -8), Spot(15, 8)),), bodies=(body(stations=(Station("s1", "a", 0.0, Drawn("g1"), None), Station("s2", "b", 80.0, Circle(), "size"), Station("s3", "c", 160.0, Circle(), 40.0, plane=""))),))  # fmt: skip


class Hand:
    """Makes one random edit after another through a session."""

    def __init__(self, session: Session, seed: int) -> None:
        self.s, self.rng = session, np.random.default_rng(seed)

    def spot(self, drawing: Drawing) -> Spot:
        if drawing.points and self.rng.random() < 0.3:
            p = drawing.points[self.rng.integers(len(drawing.points))]
            return Spot(p.x, p.y, p.id)
        return Spot(*np.round(self.rng.uniform(-40, 40, 2), 1).tolist())

    def any(self, things):  # type: ignore[no-untyped-def]
        return things[self.rng.integers(len(things))] if len(things) else None

    def refs(self, drawing: Drawing, count: int) -> tuple[str, ...]:
        ids = [p.id for p in drawing.parts] * 2 + [p.id for p in drawing.points]
        return tuple(dict.fromkeys(self.rng.choice(ids, count).tolist())) if ids else ()

    def on_drawing(self, drawing: Drawing) -> Drawing:
        """A random change of a drawing."""
        a, b, c, d = (self.spot(drawing) for _ in range(4))
        part, point = self.any(drawing.parts), self.any(drawing.points)
        at = np.array([a.x, a.y])
        key, spike = part.id if part else "e0", point.id if point else "p0"
        some = self.refs(drawing, int(self.rng.integers(1, 4)))
        size = float(self.rng.uniform(-3, 12))
        ways = (
            lambda: shapes.line(drawing, a, b, str(self.rng.choice(["shape", "construction", "centre"]))),  # type: ignore[arg-type]
            lambda: shapes.arc_through(drawing, a, b, c),
            lambda: shapes.circle(drawing, a, b),
            lambda: shapes.ellipse(drawing, a, b, c),
            lambda: shapes.rectangle_about(drawing, a, b),
            lambda: shapes.polygon(drawing, a, b, int(self.rng.integers(2, 9))),
            lambda: shapes.slot(drawing, a, b, c),
            lambda: shapes.slot_curved(drawing, a, b, c, d),
            lambda: shapes.curve(drawing, (a, b, c, d), bool(self.rng.random() < 0.5)),
            lambda: shapes.spline(drawing, (a, b, c, d), bool(self.rng.random() < 0.5)),
            lambda: trim(drawing, key, at),
            lambda: extend(drawing, key, at),
            lambda: break_at(drawing, key, at),
            lambda: round_corner(drawing, spike, size),
            lambda: bevel_corner(drawing, spike, size),
            lambda: mirror(drawing, some, key, bool(self.rng.random() < 0.5)),
            lambda: offset(drawing, some, size),
            lambda: row(drawing, some, at, 2),
            lambda: ring(drawing, some, at, 3),
            lambda: transform(drawing, some, similarity(size, 1.2), at / 10),
            lambda: draw_edits.remove(drawing, some),
            lambda: draw_edits.join(drawing, spike, (self.any(drawing.points) or point).id if point else "p0"),
            lambda: draw_edits.part_from(drawing, key, spike),
            lambda: draw_edits.copy_into(drawing, drawing, some, (3.0, 4.0))[0],
            lambda: draw_edits.set_role(drawing, some, "construction"),
            lambda: self.tie(drawing, some),
            lambda: self.tie(drawing, self.refs(drawing, 2)),
            lambda: self.measure(drawing, self.refs(drawing, int(self.rng.integers(1, 3))), at),
            lambda: self.measure(drawing, self.refs(drawing, 1), at),
            lambda: self.refer(drawing),
        )
        return ways[self.rng.integers(len(ways))]()

    def tie(self, drawing: Drawing, refs: tuple[str, ...]) -> Drawing:
        fits = [(k, g) for k in TITLES if (g := groups_for(drawing, k, refs))]
        kind, groups = fits[self.rng.integers(len(fits))] if fits else ("fixed", [])
        return put_ties(drawing, kind, groups)

    def measure(self, drawing: Drawing, refs: tuple[str, ...], at: np.ndarray) -> Drawing:
        meant = dimension_kind(drawing, refs, at) if refs else None
        if meant is None:
            return drawing
        made = add_dimension(drawing, *meant, (1.0, 2.0))
        last = made.constraints[-1]
        if self.rng.random() < 0.5 and last.driving:
            value = "size" if last.kind != "angle" and self.rng.random() < 0.3 else float(last.value) * 1.1  # type: ignore[arg-type]
            made = draw_edits.change_constraint(made, last.id, value=value)
        return made

    def refer(self, drawing: Drawing) -> Drawing:
        pen = draw_edits.Pen(edits.replace(drawing, plane=drawing.plane or "s1"))
        pen.point(0.0, 0.0, str(self.rng.choice(["d1:0", "d2", "s1/g1.p1", "s2/lead", "origin", "d7"])))
        return pen.done()

    def edit(self, design: Design) -> Design:
        """A random change of the design."""
        way = self.rng.random()
        station = design.bodies[0].stations[self.rng.integers(len(design.bodies[0].stations))]
        if way < 0.72:
            drawing = self.any(design.drawings)
            if drawing is None:
                return edits.add_drawing(design, Drawing(edits.fresh_id(design, "g"), "new"))
            return settled(edits.change_drawing(design, drawing.id, self.on_drawing), drawing.id)
        if way < 0.80:
            kind = str(self.rng.choice(list(CONSTRUCTIONS)))
            refs = [
                "xy",
                "z",
                "origin",
                "world",
                "s1",
                "s2/outline",
                "s1/g1.p1",
                "s1/g1.e1",
                "body/along:s1.g1.p1",
                "body/skin",
                "d1",
                "d2",
                "gone",
            ]
            on = tuple(self.rng.choice(refs, len(CONSTRUCTIONS[kind].on)).tolist())
            values = tuple(float(v) for v in self.rng.uniform(-60, 60, len(CONSTRUCTIONS[kind].fields)))
            return edits.add_datum(design, Datum(edits.fresh_id(design, "d"), kind, kind, on, values))  # type: ignore[arg-type]
        if way < 0.84 and design.datums:
            datum = design.datums[self.rng.integers(len(design.datums))]
            if datum.values and self.rng.random() < 0.6:
                return edits.set_datum_value(design, datum.id, 0, float(self.rng.uniform(-90, 200)))
            return edits.remove_datum(design, datum.id)
        if way < 0.88:
            plane = str(self.rng.choice(["", *(d.id for d in design.datums)]))
            return station_edits.stand_on(design, (station.id,), plane)
        if way < 0.92:
            section = (
                Drawn(self.any(design.drawings).id, str(self.rng.choice(["", "x", "y"])))
                if design.drawings
                else Circle()
            )  # type: ignore[arg-type]
            return station_edits.put_section(design, (station.id,), section)
        if way < 0.94:
            return station_edits.own_copy(design, (station.id,))
        if way < 0.96:
            return edits.change_number(
                design, "n1", value=float(self.rng.uniform(5, 60)), name=str(self.rng.choice(["size", "breadth"]))
            )
        if way < 0.98 and len(design.bodies[0].stations) > 2:
            return station_edits.remove_stations(design, (station.id,))
        return edits.remove_drawing(design, self.any(design.drawings).id) if design.drawings else design


class RandomEdits(unittest.TestCase):
    @settings(max_examples=trials(35, 5), deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
    @given(st.integers(0, 2**31))
    def test_nothing_breaks_and_nothing_is_lost_silently(self, seed: int) -> None:
        """Thirty random edits on end: each is made or refused in words; lost references are findings; undo restores the bytes."""
        session = Session(START)
        hand = Hand(session, seed)
        for step in range(30):
            try:
                if hand.rng.random() < 0.08:
                    session.undo()
                else:
                    session.apply("random", hand.edit)
            except IsotomonError as error:
                self.assertTrue(str(error))
            if step % 5 == 4:
                self.check(session.design)
        self.assertEqual(decode(encode(session.design)), session.design)
        while session.undo_title:
            session.undo()
        self.assertEqual(encode(session.design), encode(START))

    def check(self, design: Design) -> None:
        """Whatever a drawing or datum stands on that is gone has a finding of its own."""
        _, drawings = settle(design, design.bodies[0])
        told = {trouble.about for trouble in drawings.troubles}
        ids = {d.id for d in design.datums} | {s.id for s in design.bodies[0].stations}
        for d in design.drawings:
            heads = {p.source.split(":")[0].split("/")[0] for p in d.points if p.source}
            if heads - ids - {"origin"}:
                self.assertIn(d.id, told)
        about = {f.about for f in rebuild(design).findings}
        for datum in design.datums:
            if "gone" in datum.on:
                self.assertIn(datum.id, about)
