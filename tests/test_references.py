"""References and formulas are found by their types, in whatever record they stand; what is used is not removed."""

from __future__ import annotations

import unittest
from collections.abc import Callable

from isotomon.design import bodies, edits, loft_edits, station_edits
from isotomon.design.body import Along, Body, Carrying, Ending, Loft, Piece, Span, Wall
from isotomon.design.datums import CONSTRUCTIONS, Datum
from isotomon.design.edits import replace
from isotomon.design.file import encode
from isotomon.design.gauges import GAUGES, Gauge
from isotomon.design.guides import GUIDES, End, Guide, GuidePoint, Rail, Tie, Turns
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.design.walk import formulas, map_references, references, users
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.settle import check_design
from isotomon.inspect.quick import rebuild
from isotomon.operations import OPERATIONS
from isotomon.operations.base import inputs_of
from isotomon.profile.drawing import Drawing, Point
from isotomon.profile.section import BodyEnd, Circle, Drawn, OnCurve
from isotomon.quantity.record import Ref
from tests.helpers import body, trials

TARGETS = {"datum": "d99", "guide": "u99", "drawing": "g99", "station": "s99", "body": "b99"}
REMOVERS: dict[str, Callable[[Design], Design]] = {
    "datum": lambda d: edits.remove_datum(d, "d99"),
    "guide": lambda d: loft_edits.remove_guide(d, "u99"),
    "drawing": lambda d: edits.remove_drawing(d, "g99"),
    "station": lambda d: station_edits.remove_stations(d, ("s99",)),
    "body": lambda d: bodies.remove_body(d, "b99"),
}


def everything() -> Design:
    """Every kind of record, each reference at something that is always there; and a thing of each kind that nothing refers to."""
    datums = tuple(
        Datum(f"d{k}", kind, kind, tuple("x" for _ in made.on), tuple(f.default for f in made.fields))  # type: ignore[arg-type]
        for k, (kind, made) in enumerate(CONSTRUCTIONS.items())
    )
    guides = tuple(
        Guide(
            f"u{k}",
            kind,
            kind,  # type: ignore[arg-type]
            tuple("x" for _ in way.on.replace("*", "")),
            tuple(f.default for f in way.fields),
            tuple(c[1][0] for c in way.choices),
            (GuidePoint("x", toward="x"), GuidePoint("y")) if kind == "through" else (),
        )
        for k, (kind, way) in enumerate(GUIDES.items())
    )
    gauges = tuple(
        Gauge(
            f"m{k}",
            kind,
            kind,
            tuple("x" for _ in way.on),
            tuple(f.default for f in way.fields),
            tuple(c[1][0] for c in way.choices),
        )  # type: ignore[arg-type]
        for k, (kind, way) in enumerate(GAUGES.items())
    )
    stations = tuple(
        Station(f"s{k}", f"s{k}", 10.0 * k, section, 20.0, plane="xy" if k == 1 else "")
        for k, section in enumerate((Circle(), Circle(), Drawn("g1"), BodyEnd("b1"), OnCurve("x")))
    )
    steps = tuple(
        operation(**{i.name: "b1" for i in inputs_of(operation) if i.what == "B"}) for operation in OPERATIONS.values()
    )
    own = body(
        "body",
        "body",
        stations,
        (Law("law1", "law", "area", 0.1, points=(LawPoint(1.0, "s1"), LawPoint(1.0, position=5.0))),),
        steps,
        rails=(Rail("r1", "x", (End("s1"),), ("s2",)),),
        ties=(Tie("t1", (End("s1"), End("s2"))),),
        turns=(Turns("s2", 1),),
        carrier=Carrying("path", "x", toward="y", drawn_on="xy", rim="x"),
        span=Span(on_to="xy", back_to="xy"),
        first=Ending("leaning", 1.0, 0.1),
        along=Along(turn=0.1),
        wall=Wall(1.0),
    )
    drawings = (
        Drawing("g1", "first", (Point("p1", 0.0, 0.0, source="x:0"),), plane="xy"),
        Drawing("g99", "last", (Point("p1", 0.0, 0.0),)),
    )
    spare = (
        body("b1", "other", (Station("s21", "s21", 0.0, Circle(), 5.0), Station("s22", "s22", 9.0, Circle(), 5.0))),
        Body("b2", "piece", Piece(Ref("b1/cut:k1"))),
        body("b99", "spare", (Station("s98", "s98", 0.0, Circle(), 5.0), Station("s99", "s99", 9.0, Circle(), 5.0))),
    )
    return Design(
        "everything",
        numbers=(Number("n1", "size", 5.0, "length"),),
        datums=(*datums, Datum("d99", "spare", "parallel", ("xy",), (5.0,))),
        drawings=drawings,
        guides=(*guides, Guide("u99", "spare", "through", (), (), ("open",), (GuidePoint(), GuidePoint(x=5.0)))),
        bodies=(own, *spare),
        gauges=gauges,
    )


def with_reference(design: Design, which: int, to: str) -> Design:
    """The design with its reference number `which` to something else."""
    count = iter(range(10**6))
    return map_references(design, lambda text: to if next(count) == which else text)


class Used(unittest.TestCase):
    """Removal, over all kinds of references and things."""

    def test_what_is_used_is_not_removed(self) -> None:
        """Each thing in each reference of each record, itself and a part of it: removal is refused with the user's name, or nothing
        refers to it any more; a thing that nothing uses goes."""
        start = everything()
        places = list(references(start))
        self.assertGreater(len(places), 90)
        for kind, key in TARGETS.items():
            gone = REMOVERS[kind](start)
            self.assertNotIn(key, encode(gone).decode().replace("spare", ""))
            for which, place in enumerate(places):
                for part in ("", "/upper"):
                    made = with_reference(start, which, f"{key}{part}")
                    if (
                        made == start
                    ):  # the walk goes into what a reference says; a station's own part is the same thing
                        continue
                    self.assertTrue(place.owner == key or users(made, key), (kind, place))
                    try:
                        left = REMOVERS[kind](made)
                    except DesignError as error:
                        named = place.thing.partition(" ")[2]
                        self.assertIn(named, str(error), (kind, place))
                        continue
                    still = [f for f in references(left) if Ref(f.text).thing == key]
                    # Stations take the points that stood on them along; what else stood on them says so once it is rebuilt.
                    self.assertTrue(kind == "station" or not still, (kind, place, still))

    def test_what_stood_on_a_station_says_so(self) -> None:
        """A station that is gone, in each reference: nothing breaks, and what stands on it is a finding where it matters."""
        start = everything()
        for which in range(0, len(list(references(start))), trials(1, 4)):
            made = station_edits.remove_stations(with_reference(start, which, "s99/upper"), ("s99",))
            try:
                check_design(made)
            except IsotomonError:  # it is not let in, such as a section that is no drawing any more
                continue
            rebuild(made, "body", moving=True)

    def test_formulas_are_found_by_type(self) -> None:
        """Every number of every record as a formula: each is found, renamed with its number, and keeps that from being removed."""
        start = everything()
        raw = encode(start)
        found = list(formulas(start))
        self.assertEqual(found, [])
        made = replace(
            start,
            datums=tuple(replace(d, values=("size",) * len(d.values)) for d in start.datums),
            bodies=tuple(
                replace(b, stations=tuple(replace(s, position="size", offset_x="2 * size") for s in b.stations))
                for b in start.bodies
            ),
        )
        renamed = edits.change_number(made, "n1", name="girth")
        self.assertFalse(any("size" in f.text for f in formulas(renamed)))
        self.assertEqual(len(list(formulas(renamed))), len(list(formulas(made))))
        with self.assertRaisesRegex(DesignError, "is used by"):
            edits.remove_number(renamed, "n1")
        self.assertEqual(encode(start), raw)
        self.assertIsInstance(start.bodies[0].shaped, Loft)


if __name__ == "__main__":
    unittest.main()
