"""reach-blade: a tidal rotor blade for Tarrowen Sound. Round root, foil sections, edge rails, twist and area laws. All invented."""

from __future__ import annotations

import math

from isotomon.design.body import Body, Loft
from isotomon.design.guides import Guide, GuidePoint, Rail
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Naca4, Section
from isotomon.quantity.record import Ref

_ROWS: tuple[tuple[str, float, Section, str, float], ...] = (
    ("root", 0.0, Drawn(Ref("g1")), "", 0.0),
    ("shank", 0.06, Circle(), "root_diameter", 0.0),
    ("shoulder", 0.20, Naca4("4424"), "widest_chord", 22.0),
    ("r3", 0.30, Naca4("4421"), "widest_chord - 14 mm", 17.2),
    ("r4", 0.40, Naca4("4418"), "232 mm", 13.6),
    ("r5", 0.50, Naca4("4418"), "213 mm", 10.8),
    ("r6", 0.60, Naca4("4415"), "188 mm", 8.6),
    ("r7", 0.70, Naca4("4415"), "168 mm", 6.8),
    ("r8", 0.80, Naca4("4412"), "149 mm", 5.3),
    ("r9", 0.90, Naca4("4412"), "130 mm", 4.0),
    ("r10", 0.96, Naca4("4412"), "tip_chord + 18 mm", 3.3),
    ("tip", 1.0, Naca4("4412"), "tip_chord", 2.9),
)
_AREAS = {
    "root": 13273.0,
    "shoulder": 11018.0,
    "r3": 8650.0,
    "r4": 6618.0,
    "r5": 5590.0,
    "r6": 3623.0,
    "r7": 2893.0,
    "r8": 1822.0,
    "r9": 1387.0,
    "tip": 743.0,
}


def _root() -> Drawing:
    """The root flange: its rim by diameter, and six bolts on a circle as construction."""
    pen = Pen(Drawing("g1", "root flange"))
    centre = pen.point(0.0, 0.0)
    pen.tie("fixed", centre)
    rim = pen.ring(centre, 65.0)
    pen.tie("diameter", rim, value="root_diameter")
    bolts = pen.ring(centre, 48.0, "construction")
    pen.tie("diameter", bolts, value="bolt_circle")
    spokes = []
    for k in range(6):
        turn = k * math.pi / 3.0
        bolt = pen.point(48.0 * math.cos(turn), 48.0 * math.sin(turn))
        spokes.append(pen.line(centre, bolt, "construction"))
        pen.tie("on", bolt, bolts)
    pen.tie("horizontal", spokes[0])
    for a, b in zip(spokes[:-1], spokes[1:], strict=True):
        pen.tie("angle", a, b, value=math.pi / 3.0)
    return pen.done()


def reach_blade() -> Design:
    """The sample design: rails along both edges of the blade, both laws met."""
    span = 1150.0
    numbers = (
        Number("n1", "span", span, "length", "root flange to tip"),
        Number("n2", "root_diameter", 130.0, "length", "fits the hub socket"),
        Number("n3", "widest_chord", 260.0, "length", "at the shoulder"),
        Number("n4", "tip_chord", 95.0, "length"),
        Number("n5", "bolt_circle", "root_diameter - 34 mm", "length", "six bolts hold the flange"),
    )
    stations = tuple(
        Station(
            id=f"s{i}",
            name=name,
            position=f"span * {share:g}" if share else 0.0,
            section=section,
            chord=_value(chord) if chord else None,
            set_angle=math.radians(angle),
            pivot=0.3 if isinstance(section, Naca4) else None,
        )
        for i, (name, share, section, chord, angle) in enumerate(_ROWS, 1)
    )
    edges = tuple(
        Guide(f"u{k}", name, "through", (), (), ("open",), _edge(stations, part))
        for k, (name, part) in enumerate((("leading edge", "lead"), ("trailing edge", "trail")), 1)
    )
    return Design(
        name="reach-blade",
        tolerance=1e-4,
        guides=edges,
        numbers=numbers,
        drawings=(_root(),),
        bodies=(
            Body(
                "body",
                "reach-blade",
                Loft(rails=(Rail("r1", Ref("u1")), Rail("r2", Ref("u2")))),
                stations,
                _laws(stations),
                density=1550.0,
                material="Carbon fibre in epoxy",
            ),
        ),
        note="Rotor blade for the tidal works at Tarrowen Sound. Positions follow the span; rails run along both edges.",
    )


def _laws(stations: tuple[Station, ...]) -> tuple[Law, ...]:
    by_name = {s.name: s.id for s in stations}
    areas = tuple(LawPoint(area, Ref(by_name[name])) for name, area in _AREAS.items())
    foils = [row for row in _ROWS if isinstance(row[2], Naca4)]
    angles = tuple(LawPoint(math.radians(angle), Ref(by_name[name])) for name, _, _, _, angle in foils)
    return (
        Law("law1", "area", "area", band=0.015, relative=True, points=areas),
        Law("law2", "set angle", "set_angle", band=math.radians(0.5), points=angles),
    )


def _edge(stations: tuple[Station, ...], part: str) -> tuple[GuidePoint, ...]:
    """A rail's points; along the round shank it runs straight."""
    return tuple(GuidePoint(Ref(f"{s.id}/{part}"), toward=Ref("z" if k < 2 else "")) for k, s in enumerate(stations))


def _value(text: str) -> float | str:
    head, _, unit = text.partition(" ")
    return float(head) if unit == "mm" else text
