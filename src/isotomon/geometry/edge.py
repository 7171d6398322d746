"""An edge of a profile in space as arrays: what passes to the solid kernel where it has the exact form."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from isotomon.arrays import Array
from isotomon.geometry.knots import Knots

EdgeKind = Literal["line", "arc", "circle", "spline"]


@dataclass(frozen=True, eq=False)
class Edge:
    """One edge of run `loop` (nought: the outer one). `points` (k, 3) mm: both ends of a line; start, a point between and
    end of an arc; three points of a circle; control points of a spline with `basis`. `name` is lasting."""

    name: str
    kind: EdgeKind
    points: Array
    loop: int = 0
    basis: Knots | None = None
