"""Sections turned about an axis, by more the farther along they stand: a straight body bent."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array


@dataclass(frozen=True)
class Bending:
    """A section that stands s mm along `way` from the axis through `origin` along `axis`, and square to it, is brought back to
    s = 0 and turned about the axis by `rate` s (rad). All are (3,); axis and way are square to each other, of length 1."""

    origin: tuple[float, float, float]
    axis: tuple[float, float, float]
    way: tuple[float, float, float]
    rate: float

    def bent(
        self, plane: tuple[Array, Array, Array], advance: Array, control: Array, slopes: Array
    ) -> tuple[Array, ...]:
        """Origins, X and Y axes (n_v, 3) of sections, their control points and slopes (n_v, n, 3), once they are bent;
        `advance` (n_v,): how far along the way they stand for each mm of v."""
        foot, axis, way = np.array(self.origin), np.array(self.axis), np.array(self.way)
        origin, across, up = plane
        s = (origin - foot) @ way
        turn = _turns(axis, self.rate * s)
        back = s[:, None] * way
        made = foot + np.matmul(turn, (origin - foot - back)[..., None])[..., 0]
        across, up = (np.matmul(turn, a[..., None])[..., 0] for a in (across, up))
        points = foot + np.matmul(control - foot - back[:, None], turn.transpose(0, 2, 1))
        moved = np.matmul(slopes - (advance[:, None] * way)[:, None], turn.transpose(0, 2, 1))
        moved = moved + (self.rate * advance)[:, None, None] * np.cross(axis, points - foot)
        return made, across, up, points, moved

    def marks(self) -> bytes:
        """What makes it different from others."""
        return np.array([*self.origin, *self.axis, *self.way, self.rate]).tobytes()


def _turns(axis: Array, angle: Array) -> Array:
    """(n, 3, 3) turns about an axis by angles (n,). Source: Rodrigues' formula."""
    x, y, z = axis
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    sine, rest = np.sin(angle)[:, None, None], (1.0 - np.cos(angle))[:, None, None]
    return np.asarray(np.eye(3) + sine * cross + rest * (cross @ cross))
