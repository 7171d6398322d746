"""vapour-duct: from a square hood to a round stack along a path bent in space, at constant section area. All invented."""

from __future__ import annotations

from isotomon.design.body import Along, Body, Carrying, Loft, Span
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design, Number
from isotomon.design.station import Station
from isotomon.profile.section import Circle, Rounded, Superellipse
from isotomon.quantity.record import Ref


def vapour_duct() -> Design:
    """The sample design: the passage of the duct, three unlike sections along one path, their area kept."""
    numbers = (
        Number("n1", "hood", 180.0, "length", "side of the square hood"),
        Number("n2", "rise", 520.0, "length", "of the duct in all"),
    )
    spots = (
        GuidePoint(toward=Ref("z")),
        GuidePoint(z="rise * 0.25"),
        GuidePoint(x=130.0, y=60.0, z="rise * 0.55"),
        GuidePoint(x=330.0, y=230.0, z="rise * 0.8"),
        GuidePoint(x=420.0, y=480.0, z="rise", toward=Ref("y")),
    )
    stations = (
        Station("s1", "hood", 0.0, Rounded(1.0, 0.06), "hood"),
        Station("s2", "bend", 330.0, Superellipse(0.8, 3.0), "hood"),
        Station("s3", "stack", 720.0, Circle(), "hood"),
    )
    passage = LawPoint("hood * hood * 0.9969097", Ref("s1"))
    law = Law("law1", "passage", "area", 1e-6, relative=True, judged="along", points=(passage,))
    carried = Loft(carrier=Carrying("path", Ref("u1")), span=Span(whole=True), along=Along(keep_area=True))
    return Design(
        name="vapour-duct",
        tolerance=1e-3,
        numbers=numbers,
        guides=(Guide("u1", "run of the duct", "through", (), (), ("open",), spots),),
        bodies=(Body("body", "vapour-duct", carried, stations, (law,), density=1.2),),
        note="Carries the vapour of the drying hall at Tarrowen Sound. The passage keeps its area from the hood to the stack.",
    )
