"""kelp-steeper: a leaning vessel in which the works at Tarrowen Sound steeps kelp. Unlike profiles and three rails. All
invented."""

from __future__ import annotations

import math

from isotomon.design.body import Body, Loft
from isotomon.design.gauges import Gauge
from isotomon.design.guides import Guide, GuidePoint, Rail
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations.hollow import Hollow
from isotomon.operations.round import Round
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn, Ellipse, Superellipse
from isotomon.quantity.record import Ref, refs


def d_foot() -> Drawing:
    """The foot: flat at the back, half round at the front; fully fixed."""
    pen = Pen(Drawing("g1", "foot"))
    centre, left, right = pen.point(0.0, 0.0), pen.point(-90.0, 0.0), pen.point(90.0, 0.0)
    back_left, back_right = pen.point(-90.0, 60.0), pen.point(90.0, 60.0)
    pen.tie("fixed", centre)
    front = pen.arc(centre, left, right)
    sides = [pen.line(right, back_right), pen.line(back_left, left)]
    back = pen.line(back_right, back_left)
    for side in sides:
        pen.tie("vertical", side)
    pen.tie("horizontal", back)
    pen.tie("horizontal", centre, right)
    pen.tie("horizontal", centre, left)
    pen.tie("radius", front, value="foot_width / 2")
    pen.tie("up", centre, back_right, value="foot_back")
    return pen.done()


def lip() -> Drawing:
    """The pouring lip: round behind, drawn out to a point in front by two tangent lines; fully fixed."""
    r, reach = 42.0, 70.0
    far = math.acos(r / reach)
    pen = Pen(Drawing("g2", "lip"))
    centre, spout = pen.point(0.0, 0.0), pen.point(0.0, -reach)
    side = [pen.point(way * r * math.sin(far), -r * math.cos(far)) for way in (1.0, -1.0)]
    pen.tie("fixed", centre)
    pen.tie("vertical", centre, spout)
    pen.tie("distance", centre, spout, value="lip_reach")
    back = pen.arc(centre, side[0], side[1])
    pen.tie("radius", back, value=r)
    for line in (pen.line(spout, side[0]), pen.line(side[1], spout)):
        pen.tie("tangent", line, back)
    return pen.done()


def kelp_steeper() -> Design:
    """The sample design: five unlike profiles, tilted towards the mouth, carried along a front rail and two sides."""
    numbers = (
        Number("n1", "height", 400.0, "length", "foot to lip, along the middle"),
        Number("n2", "foot_width", 180.0, "length"),
        Number("n3", "foot_back", 60.0, "length", "from the middle to the flat back"),
        Number("n4", "belly", 280.0, "length", "widest, pushed forward"),
        Number("n5", "lean", math.radians(10.0), "angle", "of the lip's plane towards the front"),
        Number("n7", "wall", 6.0, "length", "of stoneware, within the skin"),
        Number("n6", "lip_reach", 70.0, "length", "middle of the lip to its spout"),
    )
    stations = (
        Station("s1", "foot", 0.0, Drawn(Ref("g1")), None),
        Station("s2", "belly", "height * 0.36", Ellipse(0.86), "belly", offset_y=-28.0),
        Station(
            "s3", "shoulder", "height * 0.66", Superellipse(0.9, 2.3), "belly * 0.66", offset_y=-6.0, tilt_x="lean / 3"
        ),
        Station("s4", "neck", "height * 0.86", Circle(), 96.0, offset_y=14.0, tilt_x="lean * 0.7"),
        Station("s5", "lip", "height", Drawn(Ref("g2")), None, offset_y=8.0, tilt_x="lean"),
    )
    ways = {1: (0.0, -0.9, 1.0), 5: (0.0, -0.75, 1.0)}
    spots = tuple(GuidePoint(Ref(f"s{k}/lower"), handle=ways.get(k)) for k in range(1, 6))
    front = Guide("u1", "front", "through", (), (), ("open",), spots)
    side = Guide("u2", "side", "through", (), (), ("open",), tuple(GuidePoint(Ref(f"s{k}/lead")) for k in range(1, 6)))
    twin = Guide("u3", "other side", "mirrored", refs("u2", "yz"))
    rails = tuple(Rail(f"r{k}", Ref(f"u{k}")) for k in (1, 2, 3))
    steps = (
        Round(id="p3", edges=refs("body/along:s5.g2.p2"), radius="wall * 1.5"),
        Hollow(id="p1", wall="wall", floor=8.0),
        Round(id="p2", edges=refs("body/last-rim"), radius="wall * 0.4"),
    )
    return Design(
        name="kelp-steeper",
        numbers=numbers,
        drawings=(d_foot(), lip()),
        guides=(front, side, twin),
        bodies=(
            Body(
                "body", "kelp-steeper", Loft(rails=rails), stations, density=2400.0, material="Porcelain", steps=steps
            ),
        ),
        gauges=(Gauge("m1", "fill", "capacity", refs("body", "z"), ("height * 0.75", "wall", 8.0), ("volume",)),),
        note="Steeping vessel. The front rail and two sides carry a D-shaped foot through a round neck to a pointed lip.",
    )
