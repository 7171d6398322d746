"""Lasting names: whatever is edited, a reference means the same corner, edge or face as before, or says that it is lost."""

from __future__ import annotations

import json
import re
import unittest
from collections import Counter

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from isotomon.design import bodies, edits, loft_edits, station_edits
from isotomon.design.body import Carrying, Span
from isotomon.design.datums import Datum
from isotomon.design.file import decode, encode
from isotomon.design.guides import End
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import FieldError, IsotomonError
from isotomon.evaluate.drawn import to_plane
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.settle import settled
from isotomon.field.patches import patches
from isotomon.geometry.edge import Edge
from isotomon.inspect.looks import ground_of
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.kernel import combining
from isotomon.kernel.exact import moved
from isotomon.operations.hollow import Hollow
from isotomon.operations.round import Round
from isotomon.profile.change import bevel_corner, break_at, round_corner
from isotomon.profile.draw_edits import Pen, remove
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Naca4, Polygon, Star
from isotomon.quantity.record import refs
from tests.helpers import body, changed, trials

Array = np.ndarray


def ell(key: str, size: float) -> Drawing:
    """An L of six lines between corners p1 … p6."""
    pen = Pen(Drawing(key, key))
    spots = size * np.array([(-3, -2), (3, -2), (3, 0), (0, 0), (0, 3), (-3, 3)]) / 6.0
    keys = [pen.point(*spot) for spot in spots.tolist()]
    for a, b in zip(keys, [*keys[1:], keys[0]], strict=True):
        pen.line(a, b)
    return pen.done()


START = Design(
    "names",
    drawings=(ell("g1", 40.0), ell("g2", 50.0)),
    bodies=(
        body(
            stations=(
                Station("s1", "foot", 0.0, Drawn("g1"), None),
                Station("s2", "waist", 60.0, Polygon(5), 40.0),
                Station("s3", "head", 120.0, Naca4("0018", True), 60.0),
            )
        ),
    ),
)


HOLLOWED = Design(
    "hollowed",
    drawings=START.drawings,
    bodies=(
        body(
            stations=(
                Station("s1", "foot", 0.0, Polygon(5), 50.0),
                Station("s2", "waist", 60.0, Polygon(4), 40.0),
                Station("s3", "head", 120.0, Polygon(6), 60.0),
            ),
            steps=(Round(edges=refs("body/along:s1.1of5"), radius=1.5), Hollow(wall=1.0)),
        ),
    ),
)
"""Of which an edge is rounded, and which is hollow."""


def corner_place(quick: Quick, station: str, corner: str, gone: set[str]) -> Array | None:
    """Where a corner is, from what its name says and not from the code that finds it; None when it is not there."""
    n = next((n for _, n in quick.resolved.own if n.station.id == station), None)
    if n is None or station in gone:
        return None
    section = n.station.section
    drawing, _, point = corner.partition(".")
    if point:
        if not isinstance(section, Drawn) or section.drawing != drawing or {drawing, corner} & gone:
            return None
        solved = quick.drawings.solutions[drawing].drawing
        here = np.array([[p.x, p.y] for p in solved.points if p.id == point])
        return np.r_[to_plane(here, n, quick.drawings.section(section))[0], n.position] if len(here) else None
    if isinstance(section, Polygon):
        known = {f"{k + 1}of{section.sides}": (0.5, 2 * np.pi * k / section.sides) for k in range(section.sides)}
    elif isinstance(section, Star):
        known = {f"tip{k + 1}of{section.points}": (0.5, 2 * np.pi * k / section.points) for k in range(section.points)}
        known |= {
            f"notch{k + 1}of{section.points}": (0.5 * section.ratio, 2 * np.pi * (k + 0.5) / section.points)
            for k in range(section.points)
        }
    elif isinstance(section, Naca4):
        half = 0.00189 if section.blunt else 0.0  # 5 t (0.2969 − 0.1260 − 0.3516 + 0.2843 − 0.1015) for 18 %
        ends = {"upper-tail": half, "lower-tail": -half} if section.blunt else {"tail": 0.0}
        known = {name: (np.hypot(0.75, y), np.arctan2(y, 0.75)) for name, y in ends.items()}
    else:
        return None
    if corner not in known:
        return None
    radius, angle = known[corner]
    angle += n.set_angle
    return np.array([n.chord * radius * np.cos(angle), n.chord * radius * np.sin(angle), n.position])


class Hand:
    """Random edits, and what they have taken away for good."""

    def __init__(self, seed: int, start: Design = START) -> None:
        self.rng, self.design, self.gone = np.random.default_rng(seed), start, set[str]()

    def any(self, things):  # type: ignore[no-untyped-def]
        return things[self.rng.integers(len(things))]

    def ids(self) -> set[str]:
        d = self.design
        return (
            {s.id for s in d.bodies[0].stations}
            | {g.id for g in d.drawings}
            | {f"{g.id}.{p.id}" for g in d.drawings for p in g.points}
        )

    def step(self) -> None:
        """One edit; one that is refused changes nothing."""
        before = self.ids()
        try:
            self.design = self.edit(self.design)
        except IsotomonError:
            return
        self.gone |= before - self.ids()

    def edit(self, design: Design) -> Design:
        rng, station = self.rng, self.any(design.bodies[0].stations)
        way = rng.integers(9)
        if way == 0:
            return station_edits.change_station(design, station.id, chord=float(rng.uniform(20, 80)))
        if way == 1:
            return station_edits.change_station(design, station.id, set_angle=float(rng.uniform(-0.4, 0.4)))
        if way == 2:  # past others, too
            return station_edits.change_station(design, station.id, position=float(rng.uniform(0, 150)))
        if way == 3:
            kinds = [Polygon(int(rng.integers(3, 7))), Star(int(rng.integers(3, 6)), 0.6), Naca4("0018", True),
                     Naca4("0018"), Circle(), *(Drawn(g.id) for g in design.drawings)]  # fmt: skip
            return station_edits.put_section(design, (station.id,), self.any(kinds))
        if way == 4:
            new = Station(
                edits.fresh_id(design, "s"), "new", float(rng.uniform(0, 150)), Polygon(int(rng.integers(3, 7))), 40.0
            )
            return station_edits.add_station(design, "body", new)
        if way == 5 and len(design.bodies[0].stations) > 2:
            return station_edits.remove_stations(design, (station.id,))
        if way == 6:
            quick = rebuild(design, moving=True)
            ends = tuple(
                End(n.station.id, corner=self.any(names))
                for _, n in quick.resolved.own
                if (names := ground_of(quick).profile(n.station).outline.corner_names)
            )
            return (
                loft_edits.add_tie(design, "body", ends)
                if rng.random() < 0.5
                else loft_edits.remove_ties(design, "body")
            )
        drawing = self.any(design.drawings)
        return settled(edits.change_drawing(design, drawing.id, self.redraw), drawing.id)

    def redraw(self, drawing: Drawing) -> Drawing:
        point, part = self.any(drawing.points), self.any(drawing.parts)
        way = self.rng.integers(5)
        if way == 0:
            return bevel_corner(drawing, point.id, 1.5)
        if way == 1:
            return round_corner(drawing, point.id, 1.5)
        if way == 2:
            return break_at(drawing, part.id, np.array([point.x, point.y]) + self.rng.uniform(-3, 3, 2))
        if way == 3:  # the run is opened there, and closed again by a new line
            ends = (part.a, part.b) if hasattr(part, "a") else ()
            pen = Pen(remove(drawing, (part.id,)))
            if len(ends) == 2 and all(p in pen.points for p in ends):
                middle = pen.point(
                    *(np.mean([[q.x, q.y] for q in drawing.points if q.id in ends], axis=0) + 0.5).tolist()
                )
                pen.line(ends[0], middle)
                pen.line(middle, ends[1])
            return pen.done()
        x, y = (float(np.round(c + self.rng.uniform(-1, 1), 3)) for c in (point.x, point.y))
        return edits.replace(
            drawing, points=tuple(edits.replace(p, x=x, y=y) if p.id == point.id else p for p in drawing.points)
        )


def references(quick: Quick) -> dict[str, tuple[str, str]]:
    """Reference → (station, corner) that it is to mean, of all corners and edges there are now."""
    ground, found = ground_of(quick), {}
    for _, n in quick.resolved.own:
        try:
            names = ground.profile(n.station).outline.corner_names
        except IsotomonError:
            continue
        found |= {f"{n.station.id}/c:{name}": (n.station.id, name) for name in names}
    for names in quick.shape.field.names.edges if quick.shape is not None else ():
        for name in names:
            station, _, corner = name.partition(".")
            if corner:
                found[f"body/along:{name}"] = (station, corner)
    return found


class WorkedNames(unittest.TestCase):
    """Rounded edges and the faces of a hollow."""

    def test_rounds_and_inner_faces_mean_the_same_or_nothing(self) -> None:
        """An edge that is rounded, and the inner face beside it: after edits upstream both lie at the corners that their names say, by
        what these say themselves, or are told of as lost."""
        outcomes = Counter[str]()
        for seed in range(trials(125, 10)):
            hand, wanted = Hand(seed, HOLLOWED), set[str]()
            for _ in range(8):
                quick = rebuild(hand.design, moving=True)
                wanted |= {ref for ref in references(quick) if "along:" in ref}
                hand.design = edits.replace(hand.design, note=" ".join(sorted(wanted)))
                hand.step()
                with self.subTest(seed=seed):
                    outcomes[self.judge(hand, hand.any(sorted(wanted)))] += 1
        total = sum(outcomes.values())
        self.assertGreater(outcomes["kept"], total // 5, outcomes)
        self.assertGreater(outcomes["lost"], total // 100, outcomes)

    def judge(self, hand: Hand, ref: str) -> str:
        """What has become of an edge rounded and of the inner face that begins at it."""
        key = hand.design.bodies[0].steps[0].id
        quick = rebuild(bodies.change_step(hand.design, key, edges=(ref,)), moving=True)
        skins = quick.stages[-1].worked if quick.stages else ()  # type: ignore[union-attr]
        rounded = [side for skin in skins for side in skin.sides if not isinstance(side, int)]
        if ref not in references(quick):
            self.assertFalse(rounded, f"{ref} is gone, and yet something is rounded")
            return "lost"  # which the kernel says of it
        if not rounded:
            return "left to the kernel"
        station, _, corner = ref.partition("along:")[2].partition(".")
        place = corner_place(quick, station, corner, hand.gone)
        self.assertIsNotNone(place, f"{ref} is gone, and yet it is rounded")
        skin, stood = skins[-1], next(n.station for _, n in quick.resolved.own if n.station.id == station)
        first, last = skin.outer.ends[0][:, 2].tolist()
        at = np.array([np.clip((place[2] - first) / (last - first), 0.02, 0.98)])
        try:
            points = skin.points([np.array([0.5])] * len(skin.sides), at)
        except FieldError:
            return "refused"
        names = ground_of(quick).profile(stood).outline.corner_names
        corners = {name: corner_place(quick, station, name, hand.gone)[:2] for name in names}
        for side, ((point,),) in zip(skin.sides, points, strict=True):
            if not isinstance(side, int):
                self.assertEqual(min(names, key=lambda n: float(np.linalg.norm(corners[n] - point[:2]))), corner, ref)
                continue
            a, b = (name.split(".", 1) for name in skin.side_name(side).removeprefix("lane ").split("~"))
            if a == [station, corner] and b[0] == station:
                beside = {name: np.linalg.norm(corners[name] - point[:2]) for name in names}
                self.assertEqual(set(sorted(names, key=lambda n: beside[n])[:2]), {corner, b[1]}, ref)
        return "kept"


class LastingNames(unittest.TestCase):
    kept = lost = 0

    @settings(max_examples=trials(60, 6), deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
    @given(st.integers(0, 2**31))
    def test_a_reference_means_the_same_or_nothing(self, seed: int) -> None:
        """Sizes, places, kinds of profile, corners drawn and taken out, stations put in order, in and out, ties by hand: every
        corner and edge referred to before is still at its own drawn point or nominal corner, or is told of as lost."""
        hand = Hand(seed)
        wanted: dict[str, tuple[str, str]] = {}
        for _ in range(4):
            fresh = references(rebuild(hand.design, moving=True))
            wanted |= {ref: meant for ref, meant in fresh.items() if ref not in wanted}
            hand.design = edits.replace(hand.design, note=" ".join(wanted))  # what is referred to is not given anew
            for _ in range(3):
                hand.step()
            quick = rebuild(hand.design, moving=True)
            ground = ground_of(quick)
            for ref, (station, corner) in wanted.items():
                self.judge(quick, ground, ref, corner_place(quick, station, corner, hand.gone))

    def judge(self, quick: Quick, ground: Ground, ref: str, place: Array | None) -> None:
        try:
            if "along:" in ref:
                curve = ground.curve(ref)
                field = quick.shape.field  # type: ignore[union-attr]
                at = 0.0 if place is None else (place[2] - field.first) / (field.last - field.first)
                found = curve.at(np.array([at]))[0]
            else:
                found = ground.point(ref)
        except IsotomonError as error:
            self.assertRegex(str(error), "gone|pick|any more|cannot be made|not solved|stands|another|lofted|bounds")
            type(self).lost += 1
            return
        self.assertIsNotNone(place, f"{ref} is gone, and yet something is found")
        np.testing.assert_allclose(found, place, atol=2e-5, err_msg=ref)
        type(self).kept += 1

    @classmethod
    def tearDownClass(cls) -> None:
        often = trials(2000, 120)
        assert cls.kept > often < cls.lost, (cls.kept, cls.lost)  # both happen, and often

    def test_what_is_lost_is_a_finding(self) -> None:
        """A datum along an edge, a guide's point and a tie's end on a corner that is then rounded off: each has a finding."""
        made = edits.add_datum(START, Datum("d1", "along", "end", ("body/along:s1.g1.p3",), (1.0,)))
        made = loft_edits.add_tie(made, "body", (End("s1", corner="g1.p3"), End("s2", corner="2of5")))
        self.assertFalse({"d1", "t1"} & {f.about for f in rebuild(made).findings})
        cut = edits.change_drawing(made, "g1", lambda d: round_corner(d, "p3", 2.0))
        about = {f.about: f for f in rebuild(cut).findings}
        self.assertIn("pick another", about["d1"].text)
        self.assertIn("the corner g1.p3 at station foot is gone", about["t1"].text)
        mended = about["t1"].mends[0].edit(cut)
        self.assertNotIn("t1", {f.about for f in rebuild(mended).findings})

    def test_an_id_is_not_given_twice(self) -> None:
        """A station, a point of a drawing and a tie that are gone, but made use of: what comes next has another id."""
        made = edits.add_datum(START, Datum("d1", "c", "on-curve", ("s3/outline",), (0.5, 0.0)))
        made = station_edits.remove_stations(made, ("s3",))
        self.assertEqual(edits.fresh_id(made, "s"), "s4")
        drawing = ell("g1", 40.0)
        self.assertEqual(Pen(remove(drawing, ("p6",))).point(0.0, 0.0), "p7")

    def test_a_file_of_the_first_format_is_understood(self) -> None:
        """What followed a part of a station's drawing goes on following it; a tie to a corner by number keeps its place."""
        made = edits.add_datum(START, Datum("d1", "c", "coordinates", ("s1/g1.p3",), (0.0, 0.0, 0.0)))
        made = loft_edits.add_tie(made, "body", (End("s1", 0.25), End("s2", 0.4)))
        raw = json.loads(encode(made))
        (own,) = raw.pop("bodies")
        loft = {"id": own["id"], "name": own["name"], **{k: v for k, v in own["shaped"].items() if k != "kind"}}
        loft["ties"][0]["ends"][0]["corner"] = 2
        raw |= {"version": 1, "stations": own["stations"], "loft": loft, "laws": own["laws"]}
        raw["datums"][0]["on"] = ["s1/p3"]
        self.assertEqual(decode(json.dumps(raw).encode()), made)

    def test_faces_lie_between_the_edges_they_are_named_by(self) -> None:
        """The patches of drawn, cornered and foil sections: each is bounded by the edges through the corners in its name."""
        quick = rebuild(START)
        assert quick.shape is not None
        field, ground = quick.shape.field, ground_of(quick)
        made = patches(field, 1e-3)
        self.assertEqual(len({p.name for p in made}), len(made))
        for patch in made:
            first, last = patch.name.removeprefix("lane ").partition(" from ")[0].split("~")
            part = re.search(r" part (\d+) of (\d+)$", patch.name)
            ends_there = (part is None or part[1] == "1", part is None or part[1] == part[2])
            for edge, run, outer in (
                (first, patch.control[0], ends_there[0]),
                (last, patch.control[-1], ends_there[1]),
            ):
                if not outer:  # it ends in the middle of its lane
                    continue
                ends = ground.curve(f"body/along:{edge}").at(np.array([0.0, 1.0]))
                np.testing.assert_allclose(run[[0, -1]], ends, atol=1e-9)

    def test_a_body_goes_up_to_a_face_whatever_is_drawn(self) -> None:
        """A post extruded up to a block's flat side: the face keeps its place when corners before it are rounded off and the block
        is moved; a face that is not flat, or is gone, is told of."""
        block = changed(START, stations=tuple(Station(f"s{k}", f"s{k}", 50.0 * k, Drawn("g1"), None) for k in (1, 2)))
        side = "body/face:s1.g1.p5~s1.g1.p6"  # the highest, at y = 20
        made = bodies.add_body(block, "post", (Station("s9", "post", 75.0, Circle(), 8.0),))
        carrier = Carrying("plane", "zx")
        made = bodies.change_loft(made, made.bodies[-1].id, carrier=carrier, span=Span(back_to=side, on=40.0))
        quick = rebuild(made, made.bodies[-1].id)
        self.assertEqual([f.text for f in quick.findings], [])
        plane = ground_of(quick).plane(side)
        np.testing.assert_allclose(plane.normal, (0.0, 1.0, 0.0), atol=1e-9)
        self.assertAlmostEqual(float(plane.origin[1]), 20.0, delta=1e-9)
        rounded = edits.change_drawing(made, "g1", lambda d: round_corner(round_corner(d, "p1", 3.0), "p3", 2.0))
        found = ground_of(rebuild(rounded)).plane(side)
        self.assertAlmostEqual(float(found.origin[1]), 20.0, delta=1e-9)
        gone = rebuild(edits.change_drawing(made, "g1", lambda d: bevel_corner(d, "p5", 2.0)))
        self.assertTrue(any("lies between s1.g1.p5 and s1.g1.p6 any more" in f.text for f in gone.findings))
        twisted = station_edits.change_station(made, "s2", set_angle=0.4)
        self.assertTrue(any("is not flat" in f.text for f in rebuild(twisted).findings))

    def test_pieces_of_a_face_are_told_apart_by_what_they_adjoin(self) -> None:
        """A slot across a block, whichever way it is drawn and wherever it is: each half of the top keeps its name."""

        def box(low: tuple[float, float], high: tuple[float, float], z: tuple[float, float], turn: int) -> object:
            spots = np.array([(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])])
            around = np.roll(np.column_stack([spots, np.full(4, z[0])]), turn, axis=0)
            names = np.roll(["south", "east", "north", "west"], turn)
            edges = [Edge(str(names[k]), "line", around[[k, (k + 1) % 4]]) for k in range(4)]
            return moved(edges, (0.0, 0.0, z[1] - z[0]), None, 0.0, False)

        seen = set()
        for turn, at in ((0, 0.0), (1, 6.0), (2, -9.0), (3, 12.0)):
            block = box((-30.0, -20.0), (30.0, 20.0), (0.0, 10.0), turn)
            slot = box((at - 3.0, -30.0), (at + 3.0, 30.0), (5.0, 20.0), turn)
            made = combining._combined_once(block, slot, "cut", "slot: ", 1e-6)  # type: ignore[arg-type]
            self.assertEqual(len(set(made.names)), len(made.names), made.names)
            seen.add(tuple(sorted(made.names)))
        self.assertEqual(len(seen), 1)
        self.assertEqual(sum(name.startswith("last cap by east") for name in next(iter(seen))), 1)
