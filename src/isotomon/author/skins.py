"""Skins made from curves as edits: one more body, made from curves as they were chosen."""

from __future__ import annotations

from collections.abc import Sequence

from isotomon.design import bodies
from isotomon.design.records import Design
from isotomon.errors import DesignError
from isotomon.evaluate.ground import Worked
from isotomon.evaluate.stages import ask_of
from isotomon.operations.skins import MAKINGS
from isotomon.quantity.record import refs


def make_skin(design: Design, kind: str, curves: Sequence[str]) -> Design:
    """One more body: a skin of a kind (`isotomon.operations.skins`) made from curves (references), in their order.

    Raises: IsotomonError, where there is no such kind, or these curves make none.
    """
    if kind not in MAKINGS:
        raise DesignError(f"there is no skin of the kind '{kind}'; choose {', '.join(MAKINGS)}")
    making = MAKINGS[kind]
    if len(curves) < making.FEWEST:
        raise DesignError(f"{making.TITLE.lower()}: {len(curves)} chosen; it is made from {making.FEWEST} or more")
    ask = ask_of(Worked(design).ground(bodies.leading(design)))
    return bodies.begin_body(design, making.NAME, shaped=making.of_curves(refs(*curves), ask))
