"""Measures of sections, from their B-spline boundaries by Green's theorem with Gauss quadrature."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array, diags_array

from isotomon.arrays import Array
from isotomon.field.correspond import Correspondence
from isotomon.field.mesh import applied
from isotomon.field.section_field import Sections
from isotomon.geometry.planar import caliper, cross3, thickness


@dataclass(frozen=True, eq=False)
class Quadrature:
    """Boundary values and derivatives at Gauss sites, as sparse matrices on a section's control points; made once.

    `area_form`: (n, n), sparse; the area of control points x, y is x · area_form · y.
    """

    value: csr_array
    slope: csr_array
    weight: Array
    outer: Array
    """1 at sites on the outer run, 0 on holes."""
    area_form: csr_array
    open: bool
    """The sections bound no area: what rests on it is undefined (NaN)."""


def quadrature(common: Correspondence) -> Quadrature:
    """The quadrature of all sections in one common form."""
    sites = [lane.basis.gauss() for lane in common.lanes]
    u = [x for x, _ in sites]
    value, slope, weight = common.matrix(u), common.matrix(u, 1), np.concatenate([w for _, w in sites])
    half = value.T @ diags_array(weight) @ slope
    outer = np.repeat([float(lane.loop == 0) for lane in common.lanes], [len(x) for x in u])
    return Quadrature(value, slope, weight, outer, csr_array(0.5 * (half - half.T)), common.open)


@dataclass(frozen=True, eq=False)
class Curves:
    """What is always on show along the body, at the positions `v` (n_v,): mm, mm², rad, rad/mm."""

    v: Array
    area: Array
    chord: Array
    set_angle: Array
    """NaN where a section is round."""
    turn: Array
    """NaN where a section is a point."""
    twist_rate: Array
    thickness: Array | None = None
    """Worked out only when it is asked for."""

    @property
    def turn_in_all(self) -> float:
        """The last turn along the body that there is, rad."""
        return float(self.turn[~np.isnan(self.turn)][-1])


def curves(sections: Sections, first: Sections, rule: Quadrature, common: Correspondence | None = None) -> Curves:
    """Area, angles and turn of `sections`; `first` holds the one section that turn is counted from. With `common` also
    their thickness."""
    x, y = sections.local[..., 0], sections.local[..., 1]
    return Curves(
        v=sections.position,
        area=np.full(len(x), np.nan) if rule.open else np.sum((x @ rule.area_form) * y, axis=1),
        chord=np.linalg.norm(sections.anchor[:, 1] - sections.anchor[:, 0], axis=1),
        set_angle=np.where(sections.round, np.nan, sections.angle),
        turn=sections.angle - first.angle[0] + _fit_turn(sections, first, rule),
        twist_rate=sections.twist_rate / np.maximum(sections.advance, 1e-9),
        thickness=None if common is None else extents(sections, common, 800).thickness,
    )


def _fit_turn(sections: Sections, first: Sections, rule: Quadrature) -> Array:
    """Best-fit rotation of each section, turned back by its angle, against the first, weighted by its arc length."""
    pattern = rule.value @ first.local[0]
    slope = rule.slope @ first.local[0]
    weight = rule.weight * rule.outer * np.hypot(slope[:, 0], slope[:, 1])
    pattern = pattern - (weight @ pattern) / max(float(weight.sum()), 1e-300)
    # Sums over the boundary are linear in the control points, so the boundary itself is never laid out.
    against = rule.value.T @ (weight[:, None] * pattern)
    x, y = sections.local[..., 0], sections.local[..., 1]
    dot = x @ against[:, 0] + y @ against[:, 1]
    turn = y @ against[:, 0] - x @ against[:, 1]
    raw = np.arctan2(turn, dot) - (sections.angle - first.angle[0])
    return np.where((dot == 0.0) & (turn == 0.0), np.nan, np.mod(raw + np.pi, 2 * np.pi) - np.pi)


@dataclass(frozen=True, eq=False)
class Moments:
    """Per section (n_v,): mm, mm⁴, rad. `centroid`: (n_v, 3) in space."""

    perimeter: Array
    centroid: Array
    i_max: Array
    i_min: Array
    principal: Array
    """Angle from the plane's X to the axis of least second moment."""


def moments(sections: Sections, rule: Quadrature) -> Moments:
    """Perimeter, centroid and principal second moments about it."""
    p, d = applied(rule.value, sections.local), applied(rule.slope, sections.local)
    w = rule.weight
    x, y, dx, dy = p[..., 0], p[..., 1], d[..., 0], d[..., 1]
    swirl = x * dy - y * dx
    area = 0.5 * swirl @ w
    safe = np.where(np.abs(area) > 0.0, area, 1.0)
    cx, cy = (x * swirl) @ w / (3.0 * safe), (y * swirl) @ w / (3.0 * safe)
    ixx = (y * y * swirl) @ w / 4.0 - area * cy * cy
    iyy = (x * x * swirl) @ w / 4.0 - area * cx * cx
    ixy = (x * y * swirl) @ w / 4.0 - area * cx * cy
    if rule.open:  # the middle of the line itself
        run = np.maximum(np.hypot(dx, dy), 1e-290) * w  # a point has a middle, too
        whole = run.sum(axis=1)
        cx, cy = (x * run).sum(axis=1) / whole, (y * run).sum(axis=1) / whole
        ixx = iyy = ixy = np.full(len(x), np.nan)
    middle, reach = (ixx + iyy) / 2.0, np.hypot((ixx - iyy) / 2.0, ixy)
    return Moments(
        perimeter=np.hypot(dx, dy) @ w,
        centroid=sections.origin + cx[:, None] * sections.across + cy[:, None] * sections.up,
        i_max=middle + reach,
        i_min=middle - reach,
        principal=0.5 * np.arctan2(2.0 * ixy, iyy - ixx),
    )


def leans(sections: Sections, common: Correspondence) -> Array:
    """(2, 2) rad: least and greatest angle by which the skin leans outward from square, at the first and the last of
    two sections; measured on the skin itself."""
    u = np.linspace(0.001, 0.999, 360)
    around = np.matmul(common.rows(u, 1), sections.control)
    normal = cross3(around, np.matmul(common.rows(u), sections.slopes))
    normal = normal / np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-300)
    lean = np.arcsin(np.clip(np.einsum("vuk,vk->vu", normal, sections.normal), -1.0, 1.0)) * np.array([[-1.0], [1.0]])
    return np.asarray(np.stack([lean.min(axis=1), lean.max(axis=1)], axis=1))


AT_A_TIME = 32
"""Sections that are laid out finely at once, so that they take no more than some 250 MB."""


@dataclass(frozen=True, eq=False)
class Extents:
    """Thickness (square to the chord) and largest caliper at chosen places; mm."""

    thickness: Array
    caliper: Array


def extents(sections: Sections, common: Correspondence, total: int = 2400) -> Extents:
    """Thickness and largest caliper of sections."""
    if len(sections.v) > AT_A_TIME:
        rows = np.arange(len(sections.v))
        parts = [extents(sections.at(rows[k : k + AT_A_TIME]), common, total) for k in range(0, len(rows), AT_A_TIME)]
        return Extents(np.concatenate([p.thickness for p in parts]), np.concatenate([p.caliper for p in parts]))
    share = np.linspace(0.0, 1.0, max(total // len(common.lanes), 50), endpoint=False)
    points = applied(common.matrix([share] * len(common.lanes)), sections.local)
    along = sections.anchor[:, 1] - sections.anchor[:, 0]
    c, s = (along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-300)).T[:, :, None]
    turned = np.stack([c * points[..., 0] + s * points[..., 1], c * points[..., 1] - s * points[..., 0]], axis=-1)
    return Extents(np.full(len(points), np.nan) if common.open else thickness(turned), caliper(points))
