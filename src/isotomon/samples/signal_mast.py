"""signal-mast: the mast of the narrows' tide signal at Tarrowen Sound. Four-lobed sections of tangent arcs. All invented."""

from __future__ import annotations

import math

from isotomon.design.body import Body, Loft
from isotomon.design.guides import End, Tie
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.quantity.record import Ref

_ROWS: tuple[tuple[str, float, str | None, float], ...] = (
    ("foot", 0.0, None, 0.0),
    ("collar", 0.12, "foot_width * 0.9", 5.0),
    ("lower", 0.32, "foot_width * 0.74", 14.0),
    ("middle", 0.52, "foot_width * 0.6", 24.0),
    ("upper", 0.72, "foot_width * 0.5", 35.0),
    ("lamp seat", 1.0, "foot_width * 0.36", 45.0),
)
RADIUS, REACH, BORE = 52.0, 118.0, 120.0


def four_lobes() -> Drawing:
    """Four lobes and the hollows between them: eight arcs, tangent in turn, all of one radius; fully fixed."""
    # A hollow's centre lies on the diagonal, two radii from the centres of both lobes beside it.
    q = (REACH + math.sqrt(2.0 * (2.0 * RADIUS) ** 2 - REACH**2)) / 2.0
    pen = Pen(Drawing("g1", "four lobes"))
    origin = pen.point(0.0, 0.0)
    pen.tie("fixed", origin)
    lobes, hollows = [], []
    for k in range(4):
        c, s = round(math.cos(k * math.pi / 2)), round(math.sin(k * math.pi / 2))
        lobes.append(pen.point(c * REACH, s * REACH))
        hollows.append(pen.point(c * q - s * q, s * q + c * q))
        pen.tie("horizontal" if k % 2 == 0 else "vertical", origin, lobes[-1])
        pen.tie("distance", origin, lobes[-1], value="lobe_reach")

    def between(a: str, b: str) -> str:
        p, r = pen.points[a], pen.points[b]
        return pen.point((p.x + r.x) / 2.0, (p.y + r.y) / 2.0)

    after = [between(lobes[k], hollows[k]) for k in range(4)]
    before = [between(lobes[k], hollows[k - 1]) for k in range(4)]
    arcs = []
    for k in range(4):
        arcs.append(pen.arc(lobes[k], before[k], after[k]))
        arcs.append(pen.arc(hollows[k], before[(k + 1) % 4], after[k]))
    for k in range(8):
        pen.tie("tangent", arcs[k], arcs[(k + 1) % 8])
    for arc in arcs[1:]:
        pen.tie("equal", arcs[0], arc)
    pen.tie("radius", arcs[0], value="lobe_radius")
    pen.tie("diameter", pen.ring(origin, BORE / 2.0), value="bore")
    return pen.done()


def lamp_seat() -> Drawing:
    """The seat: a square with round corners about the same bore, as wide as the lobes; fully fixed."""
    half, radius = REACH + RADIUS, 102.0
    pen = Pen(Drawing("g2", "lamp seat"))
    origin = pen.point(0.0, 0.0)
    pen.tie("fixed", origin)
    flat = half - radius
    arcs, runs = [], []
    for x, y in ((flat, flat), (-flat, flat), (-flat, -flat), (flat, -flat)):
        centre = pen.point(x, y)
        pen.tie("fixed", centre)
        across, up = (x + math.copysign(radius, x), y), (x, y + math.copysign(radius, y))
        first, last = (across, up) if x * y > 0.0 else (up, across)
        runs.append((pen.point(*first), pen.point(*last)))
        arcs.append(pen.arc(centre, *runs[-1]))
    for k in range(4):
        side = pen.line(runs[k][1], runs[(k + 1) % 4][0])
        pen.tie("tangent", side, arcs[k])
        pen.tie("tangent", side, arcs[(k + 1) % 4])
    for arc in arcs[1:]:
        pen.tie("equal", arcs[0], arc)
    pen.tie("radius", arcs[0], value=radius)
    pen.tie("diameter", pen.ring(origin, BORE / 2.0), value="bore")
    return pen.done()


def signal_mast() -> Design:
    """The sample design: one drawing linked on five stations, each with its own size and turn, tied on to a square seat."""
    numbers = (
        Number("n1", "height", 2600.0, "length", "foot plate to lamp seat"),
        Number("n2", "lobe_radius", RADIUS, "length", "of every lobe and every hollow"),
        Number("n3", "lobe_reach", REACH, "length", "centre of the mast to the centre of a lobe"),
        Number("n5", "bore", BORE, "length", "at the foot; it narrows with the mast"),
        Number("n4", "foot_width", "2*(lobe_reach + lobe_radius)", "length"),
    )
    stations = tuple(
        Station(
            id=f"s{i}",
            name=name,
            position=f"height * {share:g}" if share else 0.0,
            section=Drawn(Ref("g1" if name != "lamp seat" else "g2")),
            chord=chord,
            set_angle=math.radians(angle),
        )
        for i, (name, share, chord, angle) in enumerate(_ROWS, 1)
    )
    # Each lobe goes on to the seat's corner an eighth of a turn further, not back to the one behind it.
    ties = tuple(Tie(f"t{k + 1}", (End(Ref("s5"), k / 4), End(Ref("s6"), k / 4 + 0.125))) for k in range(4))
    law = Law(
        "law1",
        "turn",
        "turn",
        band=math.radians(1.0),
        points=(
            *(LawPoint(math.radians(r[3]), Ref(f"s{i}")) for i, r in enumerate(_ROWS[:-1], 1)),
            LawPoint(math.pi / 2, Ref("s6")),
        ),
    )
    return Design(
        name="signal-mast",
        numbers=numbers,
        drawings=(four_lobes(), lamp_seat()),
        bodies=(Body("body", "signal-mast", Loft(ties=ties), stations, (law,), density=2700.0, material="Aluminium"),),
        note="Tide signal mast. Stations share one drawing; ties carry its lobes on to the corners of the square lamp seat.",
    )
