"""What a loft can be carried along, and carrying it along what is chosen."""

from __future__ import annotations

from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates, edges_along, rims_of
from isotomon.author.carry import carry
from isotomon.design.body import Carrying


def carriers(desk: Desk, how: str) -> list[tuple[str, str]]:
    """(reference, name) of what a loft can be carried along; edges of the other bodies as the results have them."""
    design = desk.design
    if design is None or how == "straight":
        return []
    if how == "plane":
        others = [(s.id, f"{s.name} plane") for b in desk.others for s in b.stations]
        return candidates(design, "P") + others
    if how == "axis":
        return sorted(candidates(design, "A"), key=lambda pair: pair[0] != "y")
    drawn = [(g.id, g.name) for g in design.guides] + [(d.id, d.name) for d in design.drawings]
    return drawn + [rim for b in desk.others for rim in rims_of(b)] + edges_along(desk.quick, others=True)


def leaned_on(desk: Desk, hold: str) -> list[tuple[str, str]]:
    """(reference, name) of what sections can be held towards."""
    design = desk.design
    if design is None:
        return []
    if hold == "curve":
        return [(ref, name) for ref, name in carriers(desk, "path") if ref != desk.held.loft.carrier.on]
    if hold == "skin":
        planes = candidates(design, "P") + candidates(design, "R")
        return [(b.id, b.name) for b in desk.others] + planes
    return candidates(design, "A")


def carry_otherwise(desk: Desk, how: str) -> None:
    """Carry the loft along what is chosen, or along the first thing that will do."""
    refs = [ref for ref, _ in carriers(desk, how)]
    on = next((ref for ref in (*desk.selection, *refs) if ref in refs), "")
    to = Carrying(how, on, 0.0 if how == "axis" else 100.0)  # type: ignore[arg-type]
    desk.do("carry the loft otherwise", lambda d: carry(d, desk.hand, to))
