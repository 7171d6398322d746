"""Demo: the wheel of a bilge pump, its blades skins between two curves. Invented, of the works at Tarrowen Sound."""

from __future__ import annotations

import numpy as np

from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.datums import Datum
from isotomon.design.edits import replace
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations import Step
from isotomon.operations.bevel import Bevel
from isotomon.operations.combine import Combine
from isotomon.operations.lengthen import Lengthen
from isotomon.operations.ring import Ring
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.operations.skins.net import NetSkin
from isotomon.operations.thicken import Thicken
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.quantity.record import Id, Ref, refs

Spot = tuple[float, float]


def _centre(a: Spot, b: Spot, c: Spot) -> Spot:
    """Of the circle through three places."""
    rows = 2.0 * np.array([np.subtract(b, a), np.subtract(c, a)])
    x, y = np.linalg.solve(rows, [np.dot(b, b) - np.dot(a, a), np.dot(c, c) - np.dot(a, a)])
    return float(x), float(y)


def _put_arc(pen: Pen, start: Spot, on: Spot, end: Spot) -> tuple[Id, Id]:
    """An arc through three places put on a drawing; its ends."""
    first, last = pen.point(*start), pen.point(*end)
    (x, y), (u, v) = np.subtract(end, start), np.subtract(on, start)
    pen.arc(pen.point(*_centre(start, on, end)), *((last, first) if x * v - y * u > 0.0 else (first, last)))
    return first, last


def _arc(key: Id, name: str, plane: str, start: Spot, on: Spot, end: Spot) -> Drawing:
    """An arc through three places."""
    pen = Pen(Drawing(key, name, plane=Ref(plane)))
    _put_arc(pen, start, on, end)
    return pen.done()


def _half(key: Id, name: str, arc: tuple[Spot, Spot, Spot], straight: tuple[Spot, ...]) -> Drawing:
    """Half an outline about Z, by places (radius, z): an arc, and straight lines from its end round to its start."""
    pen = Pen(Drawing(key, name, plane=Ref("yz")))
    first, last = _put_arc(pen, *arc)
    points = [last, *(pen.point(*spot) for spot in straight), first]
    for a, b in zip(points[:-1], points[1:], strict=True):
        pen.line(a, b)
    return pen.done()


def _turned(key: Id, name: str, drawing: Id, station: Id, steps: tuple[Step, ...] = ()) -> Body:
    """A half outline turned about Z."""
    carrier = Carrying("axis", Ref("z"), 20.0, drawn_on=Ref("yz"))
    half = Station(station, name, 0.0, Drawn(Ref(drawing)), None)
    return Body(key, name, Loft(carrier=carrier, span=Span(whole=True), shut=True), stations=(half,), steps=steps)


def _numbers() -> tuple[Number, ...]:
    return (
        Number("n1", "blade_thickness", 1.5, "length"),
        Number("n2", "sunk", 3.0, "length", "how far a blade goes on into the hub"),
        Number("n3", "root_radius", 0.4, "length", "of the rounds where blades run into the hub"),
        Number("n4", "rim_bevel", 1.5, "length", "of the hub's edges"),
    )


def _curves() -> tuple[tuple[Datum, ...], tuple[Guide, ...]]:
    """Four curves, and the points and the plane that they stand on."""
    ends = (
        ("d1", "hub inlet", "u1", 0.0),
        ("d2", "hub outlet", "u1", 2.0),
        ("d3", "shroud inlet", "u2", 0.0),
        ("d4", "shroud outlet", "u2", 2.0),
    )
    datums = (
        Datum("d9", "over the wheel", "parallel", refs("xy"), (70.0,)),
        *(Datum(key, name, "end", refs(on), (at,)) for key, name, on, at in ends),
    )
    lines = (("u3", "outlet edge", "d1", "d3"), ("u4", "inlet edge", "d2", "d4"))
    guides = (
        Guide("u1", "laid on the hub", "dropped", refs("g3", "b1", "z")),
        Guide("u2", "from two views", "two-views", refs("g4", "g5")),
        *(
            Guide(key, name, "through", (), (), ("open",), (GuidePoint(on=Ref(a)), GuidePoint(on=Ref(b))))
            for key, name, a, b in lines
        ),
    )
    return datums, guides


def pump_wheel() -> Design:
    """A turned hub; a blade from a net of two curves and two lines, cut by the shroud's inside; thirteen of it, united with the hub."""
    drawings = (
        _half("g1", "half hub", ((16.0, 46.0), (27.7, 17.6), (52.0, 6.0)), ((52.0, 0.0), (0.0, 0.0), (0.0, 46.0))),
        _half(
            "g2", "half shroud", ((24.0, 58.0), (33.8, 33.7), (58.0, 17.5)), ((72.0, 17.5), (72.0, 66.0), (24.0, 66.0))
        ),
        _arc("g3", "plan at the hub", "d9", (18.5, -4.5), (29.0, 8.5), (41.0, 21.5)),
        _arc("g4", "plan at the shroud", "xy", (25.5, -4.5), (35.0, 9.0), (47.5, 26.0)),
        _arc("g5", "side at the shroud", "zx", (60.0, 25.5), (40.0, 35.0), (21.0, 47.5)),
    )
    datums, guides = _curves()
    blade = Body(
        "b2",
        "blade",
        NetSkin(along=refs("u1", "u2"), across=refs("u3", "u4")),
        steps=(
            Lengthen(side="first", by="sunk", id="k1"),
            Thicken(thickness="blade_thickness", side="about", id="k2"),
            RoundAway(faces=refs("b2/face:rim of skin end"), id="k3"),
            Combine(Ref("b3"), how="cut", id="k4"),
            Ring(Ref("z"), 13, id="k5"),
        ),
    )
    finish = (
        Bevel(edges=refs("b1/along"), width="rim_bevel", id="k6"),
        Combine(Ref("b2"), id="k7"),
        Round(edges=refs("b2/meets"), radius="root_radius", id="k8"),
    )
    wheel = _turned("b1", "pump-wheel", "g1", "s1", finish)
    return Design(
        "pump-wheel",
        numbers=_numbers(),
        datums=datums,
        drawings=drawings,
        guides=guides,
        bodies=(replace(wheel, density=8400.0), blade, _turned("b3", "shroud", "g2", "s2")),
        note="The wheel of a bilge pump. A blade is a skin between two curves, one laid on the hub and one made from two views, and two lines; it "
        "runs on into the hub, has a thickness and a round inlet edge, and is cut by the shroud. Thirteen of it stand on the hub.",
    )
