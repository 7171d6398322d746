"""The skin of a body that is a field, or one beside it, as a sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.grid_fit import Places, fit_sheet, joins_of
from isotomon.field.parallel import WorkedSkin, skin_of
from isotomon.field.section_field import SectionField
from isotomon.field.sheet import SkinSheet
from isotomon.field.thick import parallel_sheet
from isotomon.pace import checkpoint

LOOSE = 1e-4
"""Of the distance: so nearly a parallel is followed at least; to follow one of a body that changes its form more closely takes spans without
end."""


def beside_body(field: SectionField, away: float, tolerance: float) -> SkinSheet:
    """The skin of a body, from its first end to its last, `away` mm outside it (of an open one: before it): lane after lane, creased at its
    corners.

    Raises: FieldError, for one that has holes, points or a ring's form, and where it folds.
    """
    lanes, names, tolerance = field.common.lanes, field.names.sides, max(tolerance, LOOSE * abs(away))
    edges = np.linspace(0.0, 1.0, len(lanes) + 1)
    closed = len(lanes) == 1 and lanes[0].basis.periodic
    # Beside a skin there is one derivative less than on it.
    less = 0 if field.common.open or not away else 1
    joins_u = {
        float(edges[k] + place / len(lanes)): max(order - less, 0)
        for k, lane in enumerate(lanes)
        for place, order in joins_of(lane.basis).items()
    }
    joins_u |= {float(edge): 0 for edge in edges[1:-1]}
    inner = (field.nodes[1:-1] - field.first) / (field.last - field.first)
    made = fit_sheet(
        _places(field, away, tolerance), joins_u, {float(place): 2 - less for place in inner}, tolerance, closed
    )
    called = [next(iter(names[k][0]), str(k)) for k in range(1, len(lanes))]
    whole = replace(made, corners=tuple(zip(edges[1:-1].tolist(), called, strict=True)))
    if not (field.common.open and away):
        return whole
    if len(lanes) > 1:
        raise FieldError("beside a skin with corners there is none that goes on; choose a smooth one")
    return parallel_sheet(whole, np.array([away]), tolerance)


def _places(field: SectionField, away: float, tolerance: float) -> Places:
    if field.common.open:
        borders = np.linspace(0.0, 1.0, len(field.common.lanes) + 1)

        def on_skin(u: Array, v: Array) -> Array:
            at = np.interp(u, borders, field.common.u)
            rows, sections = field.common.rows(at), field.sections(field.first + v * (field.last - field.first))
            return np.asarray(np.matmul(rows, sections.control).transpose(1, 0, 2))

        return on_skin
    worked = skin_of(field, tolerance, f"beside {id(field)}")  # as long as it is known by that, the field is there
    if worked is None:
        raise FieldError(
            "this is done with bodies that run smoothly from one flat end to another, without holes; choose another"
        )
    return _on_sides(replace(worked, walls=np.array([-away])))


def _on_sides(skin: WorkedSkin) -> Callable[[Array, Array], Array]:
    """What gives (n_u, n_v, 3) at shares of its sides, one after the other."""

    def places(u: Array, v: Array) -> Array:
        checkpoint(0.5)
        count = len(skin.sides)
        lane = np.clip((u * count).astype(int), 0, count - 1)
        found = np.empty((len(u), len(v), 3))
        shares = [u[lane == k] * count - k for k in range(count)]
        for k, points in enumerate(skin.points(shares, v)):
            found[lane == k] = points.transpose(1, 0, 2)
        return found

    return places
