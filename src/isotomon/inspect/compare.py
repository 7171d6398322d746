"""Two bodies side by side where they stand: their figures, and how wide their walls are all round a rim."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.field.mesh import skin_mesh, triangles
from isotomon.geometry.affine import even_sizes
from isotomon.geometry.datums import Axis, SpaceCurve
from isotomon.inspect.looks import ground_of
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.measure.apart import through
from isotomon.measure.skin import deviation

PLACES = 72
"""Places round a rim at which walls are measured."""


@dataclass(frozen=True, eq=False)
class Comparison:
    """Figures of two bodies where they stand: (title, of this one, of the other, what they are: `volume`, `area`, `length`,
    `angle`), NaN where there is none; and how far the skin of this one lies outside and inside the other's, mm."""

    figures: tuple[tuple[str, float, float, str], ...]
    outside: float
    inside: float


def compare(one: Quick, other: Quick) -> Comparison:
    """Two bodies compared; with the widths of their walls all round, where one of them goes by a rim.

    Raises: DesignError, when one of them is not there.
    """
    a, b = _figures(one), _figures(other)
    away = deviation(one.stood_mesh, other.stood_mesh)
    rows = [(title, value, b[title][0], what) for title, (value, what) in a.items()]
    rows += _walls(one, other)
    return Comparison(tuple(rows), max(float(away.max()), 0.0), max(float(-away.min()), 0.0))


def _figures(quick: Quick) -> dict[str, tuple[float, str]]:
    if quick.shape is None or quick.full is None:
        raise DesignError(f"{quick.body.name} is not there to be compared")
    c, full, field = quick.shape.curves, quick.full, quick.shape.field
    open_ = quick.shape.open
    low, high = (np.nan, np.nan) if open_ else (float(c.area.min()), float(c.area.max()))
    centre = quick.stood(np.array(full.body.centre))
    return {
        "Volume": (np.nan if open_ else quick.volume, "volume"),
        "Surface": (_surface(quick), "area"),
        "Length": (field.last - field.first, "length"),
        "Least area": (low, "area"),
        "Largest area": (high, "area"),
        "Turn in all": (c.turn_in_all, "angle"),
        "Centre X": (float(centre[0]), "length"),
        "Centre Y": (float(centre[1]), "length"),
        "Centre Z": (float(centre[2]), "length"),
    }


def _surface(quick: Quick) -> float:
    """mm² of all copies together; NaN where they are not resized evenly."""
    assert quick.full is not None
    sizes = even_sizes(quick.placed)
    return float("nan") if sizes is None else float(np.sum(sizes**2)) * quick.full.body.area


def _walls(one: Quick, other: Quick) -> list[tuple[str, float, float, str]]:
    """The least and greatest width of the walls all round, where one of both goes by a rim."""
    said = next((q for q in (one, other) if q.body.loft.carrier.rim), None)
    if said is None:
        return []
    try:
        ground, carrier = ground_of(said), said.body.loft.carrier
        rim, axis = ground.curve(carrier.rim), ground.axis(carrier.on)
        found = [wall_widths(q, rim, axis)[1] for q in (one, other)]
    except IsotomonError:  # neither is a wall, or what they go by is gone, which has a finding of its own
        return []
    rows = []
    for word, take in (("Least wall", np.nanmin), ("Greatest wall", np.nanmax)):
        a, b = (float(take(w)) if np.isfinite(w).any() else np.nan for w in found)
        rows.append((word, a, b, "length"))
    return rows


def choose(designs: Sequence[Design], names: Sequence[str]) -> tuple[Quick, Quick]:
    """The results of two bodies, by name: of one design, or each of its own; without a name, the bodies in hand.

    Raises: DesignError, for one that is not there, or a body against itself.
    """
    results = [rebuild(d) for d in designs]
    pair = []
    for k in range(2):
        quick, name = results[min(k, len(results) - 1)], names[k] if k < len(names) else ""
        bodies = {q.body.name: q for q in (quick, *quick.others)}
        if name and name not in bodies:
            raise DesignError(f"there is no body '{name}'; there are {', '.join(bodies)}")
        pair.append(bodies[name] if name else quick)
    if len(designs) == 1 and pair[0].body.id == pair[1].body.id:
        raise DesignError("a body is compared with another one; name two bodies, or give another design")
    return pair[0], pair[1]


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
    vertices = quick.stood(vertices)
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
