"""Two bodies side by side: their figures, and how wide their walls are all round a rim."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import DesignError
from isotomon.field.mesh import skin_mesh, triangles
from isotomon.geometry.datums import Axis, SpaceCurve
from isotomon.measure.apart import through
from isotomon.measure.skin import deviation
from isotomon.rebuild.results import Quick

Array = NDArray[np.float64]
PLACES = 72
"""Places round a rim at which walls are measured."""


@dataclass(frozen=True, eq=False)
class Comparison:
    """Figures of two bodies: (title, of this one, of the other, what they are: `volume`, `area`, `length`, `angle`), and how
    far the skin of this one lies outside and inside the other's, mm."""

    figures: tuple[tuple[str, float, float, str], ...]
    outside: float
    inside: float


def compare(one: Quick, other: Quick) -> Comparison:
    """Two bodies compared; figures a skin does not have are NaN.

    Raises: DesignError, when one of them is not there.
    """
    a, b = _figures(one), _figures(other)
    assert one.shape is not None and other.shape is not None
    away = deviation(one.shape.mesh, other.shape.mesh)
    rows = tuple((title, value, b[title][0], what) for title, (value, what) in a.items())
    return Comparison(rows, max(float(away.max()), 0.0), max(float(-away.min()), 0.0))


def _figures(quick: Quick) -> dict[str, tuple[float, str]]:
    if quick.shape is None or quick.full is None:
        raise DesignError(f"{quick.design.loft.name} is not there to be compared")
    c, full, field = quick.shape.curves, quick.full, quick.shape.field
    open_ = quick.shape.open
    low, high = (np.nan, np.nan) if open_ else (float(c.area.min()), float(c.area.max()))
    return {
        "Volume": (np.nan if open_ else full.body.volume, "volume"),
        "Surface": (full.body.area, "area"),
        "Length": (field.last - field.first, "length"),
        "Least section": (low, "area"),
        "Largest section": (high, "area"),
        "Turn in all": (float(c.turn[-1]), "angle"),
        "Centre X": (float(full.body.centre[0]), "length"),
        "Centre Y": (float(full.body.centre[1]), "length"),
        "Centre Z": (float(full.body.centre[2]), "length"),
    }


def wall_widths(quick: Quick, rim: SpaceCurve, axis: Axis, places: int = PLACES) -> tuple[Array, Array]:
    """Shares (n,) of a rim's length and there the width of the wall inside it, mm: square to the rim and to the axis, from the
    outer skin to the inner; NaN where there is none.

    Raises: DesignError, for a body that is not there.
    """
    shape = quick.shape
    if shape is None or shape.open:
        raise DesignError("only a solid body has a wall; choose another")
    v = np.union1d(np.linspace(shape.field.first, shape.field.last, 241), shape.field.edges)
    vertices, index = triangles(skin_mesh(shape.field.sections(v), shape.form.samples, shape.field.ring))
    t, _, run = rim.table()
    share = (np.arange(places) + 0.5) / places
    at = np.interp(share * run[-1], run, t)
    points, ways = rim.at(at), rim.rate(at)
    inward = np.cross(np.broadcast_to(axis.way, ways.shape), ways)
    away = points - axis.origin
    inward = inward * -np.sign(np.einsum("nk,nk->n", inward, away))[:, None]
    inward = inward / np.linalg.norm(inward, axis=1, keepdims=True)
    corners = vertices[index]
    return share, np.array([through(corners, p, w) for p, w in zip(points, inward, strict=True)])
