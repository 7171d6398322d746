"""reach-rotor: three reach-blades on a revolved hub, turned about the flow of the Tarrowen narrows. All invented."""

from __future__ import annotations

from isotomon.design.body import Body, Carrying, Loft, Span
from isotomon.design.edits import replace
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.operations.combine import Combine
from isotomon.operations.move import Move
from isotomon.operations.ring import Ring
from isotomon.operations.round import Round
from isotomon.operations.round_away import RoundAway
from isotomon.profile.draw_edits import Pen
from isotomon.profile.drawing import Drawing
from isotomon.profile.section import Drawn
from isotomon.quantity.record import Ref, refs
from isotomon.samples.reach_blade import reach_blade


def _hub() -> Drawing:
    """Half of the hub's outline, from behind on the axis (Y) round to the nose; fully fixed."""
    pen = Pen(Drawing("g2", "half hub", plane=Ref("xy")))
    middle, behind = pen.point(0.0, 60.0), pen.point(0.0, -120.0)
    rear, front, nose = pen.point(165.0, -120.0), pen.point(165.0, 60.0), pen.point(0.0, 225.0)
    pen.tie("fixed", middle)
    back, side = pen.line(behind, rear), pen.line(rear, front)
    cap = pen.arc(middle, front, nose)
    pen.tie("horizontal", back)
    pen.tie("vertical", side)
    pen.tie("vertical", middle, nose)
    pen.tie("vertical", middle, behind)
    pen.tie("horizontal", middle, front)
    pen.tie("radius", cap, value="hub_radius")
    pen.tie("up", behind, middle, value=180.0)
    return pen.done()


def reach_rotor() -> Design:
    """The sample design: a blade, sunk into the hub, three of it round the Y axis and added to the hub."""
    blade = reach_blade()
    numbers = (
        *blade.numbers,
        Number("n6", "hub_radius", 165.0, "length"),
        Number("n7", "sunk", 27.0, "length", "how deep a root stands in the hub"),
        Number("n8", "root_radius", 6.0, "length", "of the rounds where blades run into the hub"),
    )
    carrier = Carrying("axis", Ref("y"), 80.0, drawn_on=Ref("xy"))
    hub = Body(
        "b1",
        "hub",
        Loft(carrier=carrier, span=Span(whole=True), shut=True),
        stations=(Station("s20", "half hub", 0.0, Drawn(Ref("g2")), None),),
        steps=(Combine(Ref("body"), id="k3"), Round(edges=refs("body/meets"), radius="root_radius", id="k4")),
        density=1550.0,
        material="Carbon fibre in epoxy",
    )
    steps = (
        RoundAway(faces=refs("body/last"), id="k5"),
        Move(z="hub_radius - sunk", id="k1"),
        Ring(Ref("y"), 3, id="k2"),
    )
    return replace(
        blade,
        name="reach-rotor",
        numbers=numbers,
        drawings=(*blade.drawings, _hub()),
        bodies=(hub, replace(blade.bodies[0], steps=steps)),
        note="Three blades on a hub that is turned from half an outline. Change one number, and all three blades follow.",
    )
