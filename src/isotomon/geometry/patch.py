"""A B-spline face as arrays: what passes from the section field to the solid kernel."""

from __future__ import annotations

from dataclasses import dataclass

from isotomon.arrays import Array, Index

APART = -1


@dataclass(frozen=True, eq=False)
class TrimPiece:
    """A part of a run by which a face is trimmed: a clamped B-spline in the face's own parameters, `control` (n, 2)."""

    degree: int
    breaks: Array
    times: Index
    control: Array


@dataclass(frozen=True, eq=False)
class Patch:
    """A non-rational B-spline face. `control`: (n_u, n_v, 3) mm. Breaks with their multiplicities; u may be periodic.

    `name` is lasting: made from the lane's ties (and the bay, where rulings break at stations).
    """

    name: str
    degree_u: int
    degree_v: int
    breaks_u: Array
    times_u: Index
    breaks_v: Array
    times_v: Index
    periodic_u: bool
    control: Array
    loop: int = 0
    """0 of the outer run, then one for each hole; `APART` of what bounds no flat end."""
    trims: tuple[tuple[TrimPiece, ...], ...] = ()
    """Closed runs, the outer one first, of pieces head to tail; without any all of it is there."""
    flat: bool = False
    """It lies in a plane, and is to be one."""
