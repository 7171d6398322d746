"""Demos of whole jobs done with skins: a screw, a scoop, a fender. All invented, of the works at Tarrowen Sound."""

from __future__ import annotations

from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.datums import Datum
from isotomon.design.guides import GUIDES, Guide, GuidePoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations.combine import Combine
from isotomon.operations.round import Round
from isotomon.operations.sew import Sew
from isotomon.operations.skins.between import BetweenCurves
from isotomon.operations.skins.corners import OverCorners
from isotomon.operations.skins.drawn_out import DrawnOut
from isotomon.operations.skins.filled import FillRun
from isotomon.operations.skins.several import SeveralCurves
from isotomon.operations.trim import TrimSkin
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Circle, Drawn
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Ref, refs

Spot = tuple[Value, Value, Value]


def _ring(key: Id, name: str, *spots: Spot) -> Guide:
    """A closed curve through points."""
    return Guide(key, name, "through", (), (), ("closed",), tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in spots))


def _turn(key: Id, name: str, radius: Value, start: Value) -> Guide:
    """A helix about Z with the screw's turns."""
    said: dict[str, Value] = {"Radius": radius, "Pitch": "pitch", "Turns": "turns", "Start along the axis": start}
    fields = tuple(said.get(f.title, f.default) for f in GUIDES["helix"].fields)
    return Guide(key, name, "helix", refs("z"), fields, ("height", "right", "constant", "straight"))


def _cone() -> Drawing:
    """Half the cone that the flight is cut by."""
    pen = Pen(Drawing("g1", "half cone", plane=Ref("yz")))
    corners = [pen.point(*at) for at in ((0.0, -20.0), (46.0, -20.0), (24.0, 170.0), (0.0, 170.0))]
    for a, b in zip(corners, corners[1:] + corners[:1], strict=True):
        pen.line(a, b)
    return pen.done()


def _screw_curves() -> tuple[tuple[Guide, ...], list[Datum]]:
    """The flight's helices, where it and its image meet the cone, and the ends of these."""
    within = "core - 1 mm"
    guides = (
        _turn("u1", "flight at the core", within, 0.0),
        _turn("u2", "flight without", 60.0, 0.0),
        _turn("u3", "its image at the core", within, "flight"),
        _turn("u4", "its image without", 60.0, "flight"),
        Guide("u5", "edge on the cone", "meets", refs("b1", "b9"), (1.0,)),
        Guide("u6", "its image's edge", "meets", refs("b2", "b9"), (1.0,)),
    )
    ends = [
        Datum(f"d{k}{at}", f"{on} {'start' if at == 0 else 'end'}", "end", refs(on), (float(at),))
        for k, on in enumerate(("u1", "u5", "u6", "u3"))
        for at in (0, 2)
    ]
    return guides, ends


def _screw_skins() -> tuple[Body, ...]:
    """The flight, its image, and what closes their edges."""
    cut = TrimSkin(by=Ref("b9"), keep="behind", id="k1")
    return (
        Body(
            "b1",
            "flight",
            BetweenCurves(first=Ref("u1"), second=Ref("u2")),
            steps=(cut, Sew(others=refs("b2", "b3", "b4", "b5", "b6"), id="k2")),
        ),
        Body(
            "b2",
            "its image",
            BetweenCurves(first=Ref("u3"), second=Ref("u4")),
            steps=(TrimSkin(by=Ref("b9"), keep="behind", id="k3"),),
        ),
        Body("b3", "edge", BetweenCurves(first=Ref("u5"), second=Ref("u6"))),
        Body("b4", "foot", BetweenCurves(first=Ref("u1"), second=Ref("u3"))),
        Body("b5", "first end", OverCorners(corners=refs("d00", "d10", "d20", "d30"))),
        Body("b6", "last end", OverCorners(corners=refs("d02", "d12", "d22", "d32"))),
    )


def silt_screw() -> Design:
    """A flight between two helices and its image a little on, cut by a cone, closed at its edges, and sewn; a core united with it."""
    numbers = (
        Number("n1", "pitch", 40.0, "length"),
        Number("n2", "turns", 3.0, "ratio"),
        Number("n3", "core", 10.0, "length", "radius of the core"),
        Number("n4", "flight", 4.0, "length", "how thick the flight is along the core"),
    )
    core = Body(
        "b0",
        "silt-screw",
        Loft(span=Span(back=12.0, on_to=Ref("d9"))),
        stations=(Station("s1", "core", 0.0, Circle(), "2 * core"),),
        steps=(Combine(Ref("b1"), id="k4"),),
        density=7850.0,
    )
    guides, ends = _screw_curves()
    turned = Loft(carrier=Carrying("axis", Ref("z"), 20.0, drawn_on=Ref("yz")), span=Span(whole=True), shut=True)
    cone = Body(
        "b9", "cone", turned, stations=(Station("s2", "half cone", 0.0, Drawn(Ref("g1")), None),), seen="hidden"
    )
    end = Datum("d9", "end of the flight", "parallel", refs("xy"), ("pitch * turns + flight",))
    return Design(
        "silt-screw",
        numbers=numbers,
        drawings=(_cone(),),
        datums=(end, *ends),
        guides=guides,
        bodies=(core, *_screw_skins(), cone),
        note="A screw that lifts silt. Its flight is a line swept along the axis, and its image a little on; a cone cuts both, skins close their "
        "edges, and all is sewn and united with the core, which is drawn up to where the flight ends. Change pitch, turns or core.",
    )


def scoop() -> Design:
    """A drawn-out mouth, a handle that leaves it flush, its end moved and tilted in space; open ends filled, and all sewn."""
    numbers = (
        Number("n1", "mouth", 46.0, "length", "how wide the mouth is"),
        Number("n2", "depth", 60.0, "length", "how far the mouth is drawn out"),
        Number("n3", "reach", 90.0, "length", "from the mouth to the grip's end"),
        Number("n4", "strength", 45.0, "length", "over what length the handle leaves the mouth"),
        Number("n5", "lift", 42.0, "length", "of the grip's end"),
    )
    mouth = _ring(
        "u1",
        "mouth",
        ("mouth / 2", 0.0, 4.0),
        ("mouth * 0.3", 0.0, 17.0),
        (0.0, 0.0, 20.0),
        ("-mouth * 0.3", 0.0, 17.0),
        ("-mouth / 2", 0.0, 4.0),
        ("-mouth * 0.3", 0.0, -9.0),
        (0.0, 0.0, -12.0),
        ("mouth * 0.3", 0.0, -9.0),
    )
    pen = Pen(Drawing("g1", "grip", plane=Ref("d1")))
    pen.oval(pen.point(0.0, 0.0), pen.point(12.0, 0.0), 7.0)
    plane = Datum("d1", "grip's end", "placed", refs("world"), (0.0, "depth + reach", "lift", "-62 deg", 0.0, 0.0))
    bodies = (
        Body(
            "body",
            "scoop",
            DrawnOut(curve=Ref("u1"), along=Ref("y"), length="depth"),
            steps=(Sew(others=refs("b2", "b3", "b4"), id="k1"),),
            density=1180.0,
        ),
        Body(
            "b2",
            "handle",
            BetweenCurves(first=Ref("body/side:last"), second=Ref("g1"), first_join="flush", first_length="strength"),
        ),
        Body("b3", "lip", FillRun(curves=refs("body/side:first"))),
        Body("b4", "grip's end", FillRun(curves=refs("b2/side:last"))),
    )
    return Design(
        "scoop",
        numbers=numbers,
        datums=(plane,),
        drawings=(pen.done(),),
        guides=(mouth,),
        bodies=bodies,
        note="A solid scoop for fish meal. The mouth is drawn out, the handle leaves it flush and goes to an oval that is moved and tilted in space; "
        "both ends are filled, and all is sewn to one solid.",
    )


def _level(key: Id, name: str, wide: str, high: str, z: Value) -> Guide:
    """A ring of a width and a height at a level, flatter at its four sides than an ellipse."""
    spots = (
        (0.5, 0.0),
        (0.44, 0.36),
        (0.0, 0.5),
        (-0.44, 0.36),
        (-0.5, 0.0),
        (-0.44, -0.36),
        (0.0, -0.5),
        (0.44, -0.36),
    )
    return _ring(key, name, *((f"({wide}) * {x}", f"({high}) * {y}", z) for x, y in spots))


def quay_fender() -> Design:
    """A flat back, a bulged side through three curves, an outer face flush with it that falls to a smaller ring, and a dish's floor."""
    numbers = (
        Number("n1", "width", 180.0, "length"),
        Number("n2", "height", 130.0, "length"),
        Number("n3", "depth", 60.0, "length", "from the back to the face"),
        Number("n4", "bulge", 16.0, "length", "of the side, outward"),
        Number("n5", "dish", 0.45, "ratio", "the dish's ring against the face's"),
        Number("n6", "sunk", 18.0, "length", "how deep the dish lies"),
        Number("n7", "edge", 4.0, "length", "radius of the back's edge"),
    )
    guides = (
        _level("u1", "back edge", "width", "height", 0.0),
        _level("u2", "girth", "width + 2 * bulge", "height + 2 * bulge", "-depth * 0.5"),
        _level("u3", "face edge", "width + 0.4 * bulge", "height + 0.4 * bulge", "-depth"),
        _level("u4", "dish's ring", "width * dish", "height * dish", "sunk - depth"),
    )
    bodies = (
        Body(
            "body",
            "quay-fender",
            SeveralCurves(curves=refs("u1", "u2", "u3")),
            steps=(
                Sew(others=refs("b2", "b3", "b4"), id="k1"),
                Round(edges=refs("b2/meets"), radius="edge", id="k2"),
            ),
            density=1130.0,
        ),
        Body("b2", "back", FillRun(curves=refs("body/side:first"))),
        Body(
            "b3",
            "face",
            BetweenCurves(first=Ref("body/side:last"), second=Ref("u4"), first_join="flush", first_length=30.0),
        ),
        Body("b4", "dish", FillRun(curves=refs("b3/side:last"))),
    )
    return Design(
        "quay-fender",
        numbers=numbers,
        guides=guides,
        bodies=bodies,
        note="A fender for the quay, to typed sizes: a flat back, a side through three curves, a face flush with it that falls to a dish. The edge of "
        "the back is rounded.",
    )
