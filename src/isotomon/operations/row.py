"""Copies of a body along an axis or a path."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.carriers import path
from isotomon.geometry.affine import affine
from isotomon.geometry.datums import Axis, SpaceCurve
from isotomon.operations.base import Array, Ask, Length, Operation, Says
from isotomon.operations.counting import BY, LEFT_OUT, check_count, handled, kept
from isotomon.operations.grips import FAR, Grip, along
from isotomon.quantity.record import Ref, usual

ROUNDING = 1e-9
"""Of a length: by so much a sum of steps may go beyond it."""


class Row(Operation, frozen=True, tag="row"):
    """`count` in all along an axis, over a distance (mm) in all, or from one to the next; or along a path (a guide), over
    its length where the distance is nought, `turning` with it or not."""

    TITLE = "Copies in a row"
    COMMAND = "Copies in a row"
    HELP = "The body several times along the chosen axis or guide"
    PLACE = 5

    along: Annotated[Ref, Says("Along", "Ac")] = usual("x")
    count: Annotated[int, Says("How many")] = 3
    distance: Length = 100.0
    by: Annotated[Literal["total", "step"], BY] = "step"
    turning: Annotated[bool, Says("Turning with the path")] = False
    without: Annotated[tuple[int, ...], LEFT_OUT] = ()
    joined: bool = False

    @property
    def copies(self) -> int:
        """Those that are not left out."""
        return len(kept(self.count, self.without))

    @property
    def joins(self) -> bool:
        """As it says."""
        return self.joined

    def check(self) -> None:
        """Raises: DesignError, for a count that cannot be made."""
        check_count(self.count, self.without)

    def maps(self, ask: Ask) -> Array:
        """A shift for each copy, with the turn of the path there. Raises: DesignError, where the path is too short."""
        thing, distance = ask.references.get(self.along), ask.number(self, "distance")
        share = np.arange(self.count) / (max(self.count - 1, 1) if self.by == "total" else 1.0)
        if isinstance(thing, SpaceCurve) and not _is_straight(thing):
            return self._along_path(ask, thing, share, distance)[kept(self.count, self.without)]
        way = ask.references.axis(self.along).way
        return np.stack([affine(np.eye(3), s * distance * way) for s in share])[kept(self.count, self.without)]

    def grips(self, ask: Ask, body: Array) -> dict[str, Grip]:
        """Along an axis, one on the copy that the distance puts there."""
        (far, steps), thing = handled(self.count, self.without, self.by), ask.references.get(self.along)
        if far == 0 or not isinstance(self.distance, float) or not isinstance(thing, Axis):
            return {}
        size = float(np.ptp(body, axis=0).max())
        place = body.mean(axis=0) + far * self.distance / steps * thing.way
        does, words = "spread the copies", "spread the copies along their line"
        return {
            "distance": along(place, thing.way, FAR * size, "distance", self.distance, does, words, scale=steps / far)
        }

    def _along_path(self, ask: Ask, curve: SpaceCurve, share: Array, distance: float) -> Array:
        carrier = path(curve)
        bays = 1.0 if self.by == "total" else max(self.count - (not carrier.closed), 1)
        s = share * (distance or carrier.length / bays)
        if s.max() > carrier.length * (1.0 + ROUNDING):
            raise DesignError(
                f"the copies reach {s.max():.4g} mm along {ask.references.called(self.along)}, which is "
                f"{carrier.length:.4g} mm long; use fewer, or a smaller distance"
            )
        f = carrier.frames(s)
        axes = np.stack([f.across, f.up, f.normal], axis=2)
        turns = axes @ axes[0].T if self.turning else np.broadcast_to(np.eye(3), axes.shape)
        return np.stack([affine(t, o - t @ f.origin[0]) for t, o in zip(turns, f.origin, strict=True)])


def _is_straight(curve: SpaceCurve) -> bool:
    _, p, run = curve.table(65)
    return float(np.linalg.norm(p[-1] - p[0])) > run[-1] * (1.0 - ROUNDING)
