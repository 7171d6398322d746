"""Demos of skins that are made from curves, filled, sewn and given a thickness. All invented, of the works at Tarrowen Sound."""

from __future__ import annotations

from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.datums import Datum
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations.mirror import Mirror
from isotomon.operations.move import Move
from isotomon.operations.pull_skin import PullSkin
from isotomon.operations.ring import Ring
from isotomon.operations.sew import Sew
from isotomon.operations.skins.corners import OverCorners
from isotomon.operations.skins.drawn_out import DrawnOut
from isotomon.operations.skins.filled import FillRun
from isotomon.operations.skins.net import NetSkin
from isotomon.operations.skins.rails import AlongRails
from isotomon.operations.skins.several import SeveralCurves
from isotomon.operations.smooth_skin import SmoothSkin
from isotomon.operations.thicken import Thicken
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle
from isotomon.quantity import Value
from isotomon.quantity.record import Ref, refs

Spot = tuple[Value, Value, Value]


def _guide(key: str, name: str, *spots: Spot, ends: str = "open") -> Guide:
    """A curve through points."""
    points = tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in spots)
    return Guide(key, name, "through", (), (), (ends,), points)


def _point(key: str, name: str, x: Value, y: Value, z: Value) -> Datum:
    """A point by its coordinates."""
    return Datum(key, name, "coordinates", refs("world"), (x, y, z))


def spray_hood() -> Design:
    """A hood over the rotor's bearing, between two rails that are each other's image: joined arcs in plan, other arcs at its ends."""
    pen = Pen(Drawing("g1", "half plan", plane=Ref("xy")))
    # Three arcs that run on into each other: out from the front, round the flank, in to the back.
    front, shoulder, flank, back = (pen.point(*at) for at in ((0.0, 42.0), (60.0, 70.0), (140.0, 70.0), (190.0, 52.0)))
    below, under = pen.point(60.0, -8.26), pen.point(140.0, 0.44)
    pen.arc(below, shoulder, front)
    pen.line(shoulder, flank)
    pen.arc(under, back, flank)
    numbers = (
        Number("n1", "front_rise", 34.0, "length", "of the arc at the front, over the rails"),
        Number("n2", "back_rise", 46.0, "length", "of the arc at the back"),
        Number("n3", "sheet", 1.2, "length", "how thick it is"),
    )
    guides = (
        Guide("u1", "near rail", "joined", refs("g1"), (), ("smoothed",)),
        Guide("u2", "far rail", "mirrored", refs("u1", "zx")),
        _guide("u3", "front arc", (0.0, 42.0, 0.0), (-14.0, 0.0, "front_rise"), (0.0, -42.0, 0.0)),
        _guide("u4", "back arc", (190.0, 52.0, 0.0), (206.0, 0.0, "back_rise"), (190.0, -52.0, 0.0)),
    )
    made = AlongRails(first=Ref("u1"), second=Ref("u2"), profiles=refs("u3", "u4"))
    steps = (SmoothSkin(within=0.4, id="k2"), Thicken(thickness="sheet", side="behind", id="k1"))
    hood = Body("body", "spray-hood", made, steps=steps, density=1040.0)
    return Design(
        "spray-hood",
        numbers=numbers,
        drawings=(pen.done(),),
        guides=guides,
        bodies=(hood,),
        note="A hood that keeps spray off the bearing. Its two rails are one drawing and its image; it is smoothed; change the rise of either arc.",
    )


ARM = (
    ("t", "tip", "reach", 0.0, 0.0),
    ("r", "ridge", "reach * 0.45", 0.0, "rise * 0.6"),
    ("c", "crown", 0.0, 0.0, "rise"),
    ("s", "notch", "notch * cos(36 deg)", "notch * sin(36 deg)", 0.0),
    ("b", "foot", 0.0, 0.0, "-rise * 0.4"),
    ("q", "keel", "reach * 0.45", 0.0, "-rise * 0.25"),
)
"""The corners of half an arm of the rose: key, name, and where."""


def compass_rose() -> Design:
    """Half an arm of five flat skins, sewn, its image sewn on, five of it united."""
    numbers = (
        Number("n1", "reach", 60.0, "length", "from the middle to a tip"),
        Number("n2", "notch", 24.0, "length", "from the middle to where arms meet"),
        Number("n3", "rise", 12.0, "length", "of the crown"),
    )
    points = tuple(_point(f"d{key}", name, x, y, z) for key, name, x, y, z in ARM)
    facets = ("trs", "rcs", "cbs", "bqs", "qts")
    bodies = [
        Body(f"b{k}", f"facet {k}", OverCorners(corners=refs(*(f"d{c}" for c in three))))
        for k, three in enumerate(facets)
    ]
    steps = (
        Sew(others=refs("b1", "b2", "b3", "b4"), id="k1"),
        Mirror(plane=Ref("zx"), joined=True, id="k2"),
        Ring(Ref("z"), 5, joined=True, id="k3"),
    )
    rose = Body("b0", "compass-rose", bodies[0].shaped, steps=steps, density=8400.0)
    return Design(
        "compass-rose",
        numbers=numbers,
        datums=points,
        bodies=(rose, *bodies[1:]),
        note="The rose on the pier of Tarrowen: five flat facets make half an arm; sewn, mirrored, and five arms united.",
    )


def hull_cheek() -> Design:
    """One field of four curves, made a skin in five ways, side by side."""
    numbers = (
        Number("n1", "bulge", 22.0, "length", "of the upper edge, outward"),
        Number("n2", "sheer", 14.0, "length", "of the foot"),
        Number("n3", "flare", 3.0, "length", "by which the upper edge is moved outward"),
    )
    guides = (
        _guide("u1", "foot", (0.0, 0.0, 0.0), (70.0, "-sheer", 4.0), (140.0, 0.0, 0.0)),
        _guide("u2", "upper edge", (0.0, 6.0, 80.0), (75.0, "-bulge", 92.0), (150.0, 4.0, 84.0)),
        _guide("u3", "fore edge", (0.0, 0.0, 0.0), (-6.0, -4.0, 42.0), (0.0, 6.0, 80.0)),
        _guide("u4", "after edge", (140.0, 0.0, 0.0), (152.0, -6.0, 40.0), (150.0, 4.0, 84.0)),
    )
    corners = (
        _point("d1", "fore foot", 0.0, 0.0, 0.0),
        _point("d2", "after foot", 140.0, 0.0, 0.0),
        _point("d3", "after top", 150.0, 4.0, 84.0),
        _point("d4", "fore top", 0.0, 6.0, 80.0),
    )
    made = (
        Body(
            "body",
            "cheek",
            NetSkin(along=refs("u1", "u2"), across=refs("u3", "u4")),
            steps=(PullSkin(what="last", y="-flare", reach=30.0, id="k1"),),
        ),
        Body("b2", "between foot and edge", SeveralCurves(curves=refs("u1", "u2")), seen="hidden"),
        Body("b3", "filling", FillRun(curves=refs("u1", "u4", "u2", "u3")), seen="hidden"),
        Body("b4", "over its corners", OverCorners(corners=refs("d1", "d2", "d3", "d4")), seen="hidden"),
        Body("b5", "gunwale", DrawnOut(curve=Ref("body/side:last"), how="leaning", angle=-1.2, length=12.0)),
        Body("b6", "skirt", DrawnOut(curve=Ref("u1"), along=Ref("z"), length=-10.0)),
        Body(
            "b7",
            "fairlead",
            Loft(carrier=Carrying("axis", Ref("z"), 12.0), span=Span(on="110 deg")),
            stations=(Station("s1", "bar", 0.0, Circle(), 6.0),),
            steps=(Move(x=12.0, y=2.0, z=96.0, id="k2"),),
        ),
    )
    return Design(
        "hull-cheek",
        numbers=numbers,
        datums=corners,
        guides=guides,
        bodies=made,
        note="The cheek of the works' boat from four curves: as a net, its upper edge moved outward, with a gunwale that leans from it, a skirt drawn "
        "out from its foot, and a fairlead turned about an axis. The same field lofted, filled "
        "and ruled over its corners is there, hidden: show each to compare.",
    )
