"""Edges rounded by a rolling ball."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Annotated, Any

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, FieldError
from isotomon.field.parallel import RoundedCorner, WorkedSkin
from isotomon.field.turning import is_corner
from isotomon.operations.base import SKIN, Ask, Asked, Operation, Says, varying
from isotomon.operations.edges import Edges, Without, corners_along, edge_choices
from isotomon.operations.grips import Grip, growing
from isotomon.quantity import Value
from isotomon.quantity.record import Id

PLACES = 17
"""Places along a run of edges at which a radius that changes is worked out."""


class Round(Operation, frozen=True, tag="round"):
    """Edges rounded by a ball of a `radius` (mm) that rolls along both faces, or of one of their own among `radii` (mm; nought: the one
    radius), in the order in which they are chosen. In a formula `fraction` runs from 0 to 1 along each run of edges. Edges that run on
    smoothly come along."""

    TITLE = "Edges rounded"
    COMMAND = "Round edges"
    HELP = "Edges rounded by a radius, which may change along them; edges that run on smoothly come along"
    FAMILY = ""
    STAGE = "Finish"
    PLACE = 10
    ICON = "round-edge"
    SHORTCUT = "Ctrl+Shift+F"
    ON_SKIN = True
    SIZE = "radius"

    edges: Edges = ()
    radius: Annotated[
        Value, Says("Radius", "length", tip="May be a formula in `fraction`, which runs along the edges")
    ] = 2.0
    radii: Annotated[
        tuple[Value, ...],
        Says("Own radius", "lengths", tip="Of these edges alone; empty: as the others", beside="edges"),
    ] = ()
    without: Without = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """Edges along a body as it is shaped are rounded on its skin, others by the kernel. Raises: DesignError, for a radius of nought."""
        radii = self._radii(ask)
        least = min((float(own.min()) for own in radii), default=1.0)
        if not least > 0.0:
            raise DesignError(f"edges rounded: the radius comes to {least:.4g} mm; it must be more than nought")
        worked = self._along(ask, radii)
        if worked is not None:
            return Asked(SKIN, "edges rounded of", outer=worked)
        edges = edge_choices([self.edges[k] for k in self._order], ask.body, self.without)
        places = max(len(own) for own in radii)
        each = np.stack([np.broadcast_to(radii[k], places) for k in self._order])
        return Asked("round", "edges rounded of", (), {"edges": edges}, {"radii": each})

    @property
    def _order(self) -> list[int]:
        """The places of the choices, in the order in which they count: for edges that are meant by several, the last does."""
        return sorted(range(len(self.edges)), key=lambda k: self._own(k) is not self.radius)

    def _own(self, number: int) -> Value:
        """The radius of its own, or the one radius, of edges by their place in the choice."""
        own = self.radii[number] if number < len(self.radii) else 0.0
        return self.radius if own == 0.0 else own

    def _radii(self, ask: Ask) -> list[Array]:
        """For each choice of edges, (n,) mm at even places along them, or one for all. Raises: DesignError."""
        return [varying(ask, self._own(number), "Radius", PLACES) for number in range(len(self.edges))]

    def sized(self, fits: float) -> dict[str, Any]:
        """All radii that are no formulas by the same share."""
        radii = (self.radius, *self.radii)
        share = fits / max((own for own in radii if isinstance(own, float)), default=fits)
        less = [own * share if isinstance(own, float) else fits for own in radii]
        return {"radius": less[0], "radii": tuple(less[1:])}

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """One in the middle of a round along the body, for its radius."""
        common = [k for k in range(len(self.edges)) if self._own(k) is self.radius]
        if not isinstance(self.radius, float) or not self.radius > 0.0 or not common:
            return {}
        worked = self._along(ask, self._radii(ask))
        if worked is None:
            return {}
        lane, half, nought = corners_along(worked.base.field, self.edges[common[0]])[0], np.array([0.5]), np.zeros(1)
        corner = next(corner for corner in worked.rounds if corner.lane == lane)
        balls = replace(worked, fineness="rough").balls(corner)
        ball = next((ball for ball in balls if ball.span.low <= 0.5 <= ball.span.high), balls[0])
        place = ball.balls.arcs(worked.base, np.array([ball.number]), half, half, nought)[0][0]
        sharp = worked.base.moved(lane, nought, worked.base.laid(lane, nought, half, nought), nought)[0][0]
        away = place - sharp
        far = float(np.linalg.norm(away))
        words = "make the radius larger or smaller"
        return {
            "radius": growing(
                place, away / far, "radius", self.radius, "change the radius", words, scale=self.radius / far
            )
        }

    def keeps_skin(self, body: Id) -> bool:
        """Edges along the body are rounded on its skin."""
        return all(ref.thing == body and ref.part.partition(":")[0] == "along" for ref in self.edges)

    def _along(self, ask: Ask, radii: Sequence[Array]) -> WorkedSkin | None:
        """The body's skin with the edges that run along it rounded, exactly and without the kernel; None where other edges are meant,
        or the body is no such skin any more."""
        if ask.between_ends is None or self.without or not self.keeps_skin(ask.body):
            return None
        try:
            known = {corner.lane: corner for corner in ask.between_ends.rounds}
            for number in self._order:
                lanes = corners_along(ask.between_ends.base.field, self.edges[number])
                if not self.edges[number].part.partition(":")[2]:  # by rule: where there are corners
                    lanes = [lane for lane in lanes if is_corner(ask.between_ends.base, lane)]
                known |= {lane: RoundedCorner(lane, radii[number]) for lane in lanes}
            made = replace(ask.between_ends, rounds=tuple(known[lane] for lane in sorted(known)))
            return made if self.edges and made.sides else None
        except FieldError:
            return None
