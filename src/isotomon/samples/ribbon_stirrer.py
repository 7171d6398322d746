"""ribbon-stirrer: two helical ribbons on a shaft, wound against each other, the pitch opening upwards. All invented."""

from __future__ import annotations

import math

from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.guides import Guide
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations import Step
from isotomon.operations.combine import Combine
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn
from isotomon.quantity.record import Ref, refs


def _ribbon(key: str, name: str, width: str, rough: float) -> Drawing:
    """A ribbon's section about its middle: X outward, Y along the shaft; fully fixed."""
    pen = Pen(Drawing(key, name))
    x, y = rough / 2.0, 2.5
    middle = pen.point(0.0, 0.0)
    corners = [pen.point(sx * x, sy * y) for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    sides = [pen.line(corners[k], corners[(k + 1) % 4]) for k in range(4)]
    pen.tie("fixed", middle)
    for k, side in enumerate(sides):
        pen.tie("vertical" if k % 2 else "horizontal", side)
    pen.tie("across", corners[0], corners[2], value=width)
    pen.tie("up", corners[0], corners[2], value="thick")
    pen.tie("across", middle, corners[2], value=f"({width}) / 2")
    pen.tie("up", middle, corners[2], value="thick / 2")
    return pen.done()


def _helix(key: str, name: str, radius: str, hand: str, start: float) -> Guide:
    """Three turns up the shaft, the pitch opening upwards."""
    values = (radius, "pitch * (0.75 + 0.5 * fraction)", 3.0, 0.0, start, "low", 0.0, 0.0, 0.0, 0.0, 0.0)
    return Guide(key, name, "helix", refs("z"), values, ("height", hand, "constant", "straight"))


def _swept(key: str, name: str, guide: str, drawing: str) -> Body:
    carrier = Carrying("path", Ref(guide), hold="axis", toward=Ref("z"))
    station = Station(f"s{key}", f"{name} section", 0.0, Drawn(Ref(drawing)), None)
    return _steel(key, name, Loft(carrier=carrier, span=Span(whole=True)), station)


def _arm(key: str, name: str, height: str) -> Body:
    """A rod through the shaft, from the inner ribbon to the outer one."""
    station = Station(f"s{key}", f"{name} section", 0.0, Circle(), "arm", offset_y=height)
    loft = Loft(carrier=Carrying("plane", Ref("yz")), span=Span(on="outer", back="inner"))
    return _steel(key, name, loft, station)


def _steel(key: str, name: str, loft: Loft, station: Station, steps: tuple[Step, ...] = ()) -> Body:
    return Body(key, name, loft, (station,), steps=steps, density=7900.0, material="Stainless steel")


def ribbon_stirrer() -> Design:
    """The sample design: a shaft, the ribbons swept along two helices and joined to it by two arms."""
    numbers = (
        Number("n1", "length", 420.0, "length", "of the shaft"),
        Number("n2", "outer", 90.0, "length", "radius of the outer ribbon's middle"),
        Number("n3", "inner", 52.0, "length", "radius of the inner ribbon's middle"),
        Number("n4", "pitch", 100.0, "length", "in the mean; the ribbons open upwards"),
        Number("n5", "thick", 5.0, "length", "of both ribbons"),
        Number("n6", "low", 40.0, "length", "where the ribbons begin above the foot of the shaft"),
        Number("n7", "arm", 16.0, "length", "diameter of the arms"),
    )
    shaft = Station("s1", "shaft", 0.0, Circle(), 32.0)
    steps = tuple(Combine(Ref(f"b{k}"), id=f"k{k}") for k in range(1, 5))
    return Design(
        name="ribbon-stirrer",
        tolerance=1e-3,
        numbers=numbers,
        drawings=(_ribbon("g1", "outer ribbon", "30 mm", 30.0), _ribbon("g2", "inner ribbon", "20 mm", 20.0)),
        guides=(
            _helix("u1", "outer helix", "outer", "right", 0.0),
            _helix("u2", "inner helix", "inner", "left", math.pi),
        ),
        bodies=(
            _steel("body", "shaft", Loft(span=Span(on="length")), shaft, steps),
            _swept("b1", "outer", "u1", "g1"),
            _swept("b2", "inner", "u2", "g2"),
            _arm("b3", "low arm", "low"),
            _arm("b4", "high arm", "low + 3 * pitch"),
        ),
        note="Stirs the steeping kelp at Tarrowen Sound. Both ribbons take three turns; their pitch opens upwards.",
    )
