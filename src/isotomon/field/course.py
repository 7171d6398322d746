"""What changes along the body by law: turn, size, offset, draft; and sizes that keep the area what it was."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.interpolate import BSpline
from scipy.sparse import csr_array

from isotomon.arrays import Array


@dataclass(frozen=True, eq=False)
class Course:
    """`laws`: turn (rad), width and height (ratios), offset across and up (mm) by the parameter along the body, mm.

    `draft`: (n + 2, 2) mm by which control and nominal points move outward with each mm along. `area_form`: (n, n), with
    which the area of control points x, y is x · area_form · y, where the area is to stay what it is at `start`.
    """

    laws: BSpline
    start: float
    draft: Array | None = None
    area_form: csr_array | None = None
    area: float = 0.0
    """mm² at the start, where it is to be kept."""

    def shaped(self, v: Array, shape: Array, shape1: Array) -> tuple[Array, Array]:
        """Control and nominal points turned back, (n_v, 2n + 4), and their derivatives, sized and drafted."""
        p, p1 = shape.reshape(len(v), -1, 2), shape1.reshape(len(v), -1, 2)
        if self.draft is not None:
            p = p + (v - self.start)[:, None, None] * self.draft
            p1 = p1 + self.draft
        size, size1 = self.laws(v)[:, None, 1:3], self.laws(v, 1)[:, None, 1:3]
        p, p1 = p * size, p1 * size + p * size1
        if self.area_form is not None:
            p, p1 = self._kept(v, p, p1, self.area_form)
        return p.reshape(len(v), -1), p1.reshape(len(v), -1)

    def _kept(self, v: Array, p: Array, p1: Array, form: csr_array) -> tuple[Array, Array]:
        area = _area(p, p, form)
        size = np.sqrt(self.area / np.maximum(area, 1e-12 * self.area))
        size1 = -0.5 * size * (_area(p1, p, form) + _area(p, p1, form)) / np.maximum(area, 1e-12 * self.area)
        return p * size[:, None, None], p1 * size[:, None, None] + p * size1[:, None, None]

    def turned(self, v: Array, angle: Array, rate: Array) -> tuple[Array, Array]:
        """The angle (n_v,) and its derivative with the turn added."""
        return angle + self.laws(v)[:, 0], rate + self.laws(v, 1)[:, 0]

    def moved(self, v: Array) -> tuple[Array, Array]:
        """(n_v, 2) the offset added, and its derivative."""
        return self.laws(v)[:, 3:], self.laws(v, 1)[:, 3:]

    def marks(self) -> bytes:
        """What tells it from other courses."""
        parts = (self.laws.t, self.laws.c, self.draft, np.array([self.area, self.start]))
        return b"".join(np.ascontiguousarray(a).tobytes() for a in parts if a is not None)


def _area(p: Array, q: Array, form: csr_array) -> Array:
    n = form.shape[0]
    return np.asarray(np.einsum("vi,vi->v", p[:, :n, 0] @ form, q[:, :n, 1]))
