"""A camera that turns about the body: plain numbers, no interface."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from isotomon.arrays import Array

# Views by name: the direction looked along and what is up. The body's axis runs left to right as on the Board,
# except in 'front', where X is to the right and Y up as in the profiles.
VIEWS: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "side": ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)),
    "plan": ((0.0, -1.0, 0.0), (1.0, 0.0, 0.0)),
    "front": ((0.0, 0.0, -1.0), (0.0, 1.0, 0.0)),
    "round": ((0.62, -0.62, 0.48), (0.0, 1.0, 0.0)),
}


@dataclass(frozen=True, eq=False)
class Camera:
    """Looks along `ahead` with `up`, at `target` (mm); the picture is `height` mm tall."""

    ahead: Array = field(default_factory=lambda: np.array([0.62, -0.62, 0.48]))
    up: Array = field(default_factory=lambda: np.array([0.0, 1.0, 0.0]))
    target: Array = field(default_factory=lambda: np.zeros(3))
    height: float = 100.0

    def axes(self) -> tuple[Array, Array, Array]:
        """Right, up and ahead as unit vectors."""
        return self._axes

    @cached_property
    def _axes(self) -> tuple[Array, Array, Array]:
        ahead = self.ahead / np.linalg.norm(self.ahead)
        right = np.cross(ahead, self.up)
        right = right / np.linalg.norm(right)
        return right, np.cross(right, ahead), ahead

    def eye(self) -> Array:
        """Where the camera stands; far enough to be outside anything in the picture."""
        return self.target - self.axes()[2] * max(self.height, 1e-3) * 10.0

    def turned(self, across: float, along: float) -> Camera:
        """Turned about the target by angles (rad) as a drag to the right and downwards would."""
        right, up, _ = self.axes()
        turn = _about(up, -across) @ _about(right, -along)
        return replace(self, ahead=turn @ self.ahead, up=turn @ up)

    def moved(self, dx: float, dy: float) -> Camera:
        """Moved by millimetres in the picture, as a drag of the body would."""
        right, up, _ = self.axes()
        return replace(self, target=self.target - dx * right + dy * up)

    def zoomed(self, factor: float, at: tuple[float, float]) -> Camera:
        """Nearer by `factor`, keeping what lies at `at` (mm right and up of the middle) in its place."""
        right, up, _ = self.axes()
        shift = (1.0 - 1.0 / factor) * (at[0] * right + at[1] * up)
        return replace(self, height=self.height / factor, target=self.target + shift)

    def looking(self, view: str) -> Camera:
        """The camera in a named view, at the same target and height."""
        ahead, up = VIEWS[view]
        return replace(self, ahead=np.array(ahead), up=np.array(up))

    def looking_at_plane(self, normal: Array, up: Array, target: Array) -> Camera:
        """Straight at a plane, from the side its normal points to."""
        return replace(self, ahead=-normal, up=up, target=target)

    def fitting(self, points: Array, aspect: float, margin: float = 1.12) -> Camera:
        """So near that all points (n, 3) are in the picture; `aspect` is width over height."""
        if not len(points):
            return self
        right, up, ahead = self.axes()
        across, along, depth = points @ right, points @ up, points @ ahead
        middle = [(float(a.min()) + float(a.max())) / 2.0 for a in (across, along, depth)]
        height = max(float(np.ptp(along)), float(np.ptp(across)) / aspect, 1e-3) * margin
        return replace(self, target=middle[0] * right + middle[1] * up + middle[2] * ahead, height=height)

    def project(self, points: Array, width: int, height: int) -> Array:
        """Pixels (n, 2) of points (n, 3), y downwards."""
        right, up, _ = self.axes()
        away = points - self.target
        scale = height / self.height
        return np.stack([width / 2.0 + (away @ right) * scale, height / 2.0 - (away @ up) * scale], axis=-1)

    def away(self, place: Array, pixel: Array, width: int, height: int) -> Array:
        """(3,) from a place to what lies under a pixel (2,), in the plane through the place that faces the camera."""
        right, up, _ = self.axes()
        off = (pixel - self.project(place[None], width, height)[0]) * self.height / height
        return np.asarray(off[0] * right - off[1] * up)


def _about(axis: Array, angle: float) -> Array:
    x, y, z = axis
    k = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.eye(3) + np.sin(angle) * k + (1.0 - np.cos(angle)) * (k @ k)
