"""Volume, surface, centre and inertia of a body by the divergence theorem on its field."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.field.mesh import applied
from isotomon.field.section_field import SectionField, Sections
from isotomon.geometry.planar import cross3
from isotomon.geometry.quadrature import gauss_rule
from isotomon.measure.sections import Quadrature, moments
from isotomon.pace import checkpoint


@dataclass(frozen=True, eq=False)
class BodyMeasures:
    """mm³, mm², mm, mm⁵ (second moments of volume about the centre, xx yy zz xy xz yz)."""

    volume: float
    area: float
    centre: Array
    second: Array

    def mass(self, density: float) -> float:
        """kg, for a density in kg/m³."""
        return self.volume * density * 1e-9

    def inertia(self, density: float) -> Array:
        """(3, 3) kg·mm² about the centre."""
        xx, yy, zz, xy, xz, yz = self.second
        moments = np.array([[yy + zz, -xy, -xz], [-xy, xx + zz, -yz], [-xz, -yz, xx + yy]])
        return moments * density * 1e-9


GAUSS = 8
"""Sites in each stretch along a lane's face."""
HALVINGS, MOST_PLACES = 11, 32
NEAR = 1e-7
"""A stretch is halved while its two rules differ by more than this share of the largest; what is left then is far less."""
CHUNK = 250_000
"""So many places of the skin are worked out at a time, so that they need no more than some 100 MB."""
# Kronrod's 15 sites on [-1, 1] with their weights, and those of Gauss's 7 among them.
# Source: Piessens, de Doncker, Überhuber, Kahaner, QUADPACK (1983), rule qk15.
_SITES = [0.991455371120812639206854697526329, 0.949107912342758524526189684047851, 0.864864423359769072789712788640926]
_SITES += [
    0.741531185599394439863864773280788,
    0.586087235467691130294144119308736,
    0.405845151377397166906606412076961,
]
_SITES += [0.207784955007898467600689403773245, 0.0]
_FINE = [0.022935322010529224963732008058970, 0.063092092629978553290700663189204, 0.104790010322250183839876322541518]
_FINE += [0.140653259715525918745189590510238, 0.169004726639267902826583426598550, 0.190350578064785409913256402421014]
_FINE += [0.204432940075298892414161999234649, 0.209482141084727828012999174891714]
_PLAIN = [0.0, 0.129484966168869693270611432679082, 0.0, 0.279705391489276667901467771423780, 0.0]
_PLAIN += [0.381830050505118944950369775488975, 0.0, 0.417959183673469387755102040816327]
SITES = np.array([*(-x for x in _SITES), *_SITES[-2::-1]])
FINE, PLAIN = (np.array([*w, *w[-2::-1]]) for w in (_FINE, _PLAIN))


def body_measures(field: SectionField, rule: Quadrature) -> BodyMeasures:
    """Integrals over the skin, stretch by stretch as finely as each needs, and over both caps."""
    ends = [e.v + e.way * e.length for e in field.ends]
    edges = np.unique(np.concatenate([field.edges, ends]))
    low, high = edges[:-1], edges[1:]
    total, largest = np.zeros(11), 0.0
    for turn in range(HALVINGS):
        fine, plain = _stretches(field, rule, low, high)
        largest = max(largest, float(np.abs(fine[:, 0]).max()))
        rough = np.abs(fine[:, 0] - plain[:, 0]) > NEAR * largest
        # What is left after six rounds is a few places where something changes at once, or it is left as it is.
        if turn == HALVINGS - 1 or (turn >= 5 and 2 * rough.sum() > MOST_PLACES):
            rough[:] = False
        total += fine[~rough].sum(axis=0)
        if not rough.any():
            break
        middle = (low[rough] + high[rough]) / 2.0
        low, high = np.concatenate([low[rough], middle]), np.concatenate([middle, high[rough]])
    flux, surface = total[:10], float(total[10])
    for end, outward in () if field.ring or rule.open else ((field.first, -1.0), (field.last, 1.0)):
        cap, cap_area = (_cap if field.wrap is None else _bent_cap)(field, end, outward, rule)
        flux = flux + cap
        surface += cap_area
    if rule.open:
        return _skin_measures(field, rule, surface)
    return measures_of(flux, surface)


def measures_of(flux: Array, surface: float) -> BodyMeasures:
    """The measures of a closed skin from its `fluxes` (10,) and its surface, mm²."""
    volume = float(flux[0])
    centre = flux[1:4] / volume if volume else np.zeros(3)
    x, y, z = centre
    about = flux[4:10] - volume * np.array([x * x, y * y, z * z, x * y, x * z, y * z])
    return BodyMeasures(volume, surface, centre, about)


def lane_area(field: SectionField, number: int) -> float:
    """mm² of one lane's face, by Gauss's rule in each stretch."""
    lane = field.common.lanes[number]
    u, weight = lane.basis.gauss()
    gx, gw = gauss_rule(GAUSS)
    edges = np.unique(
        np.concatenate([np.linspace(a, b, 9) for a, b in zip(field.edges[:-1], field.edges[1:], strict=True)])
    )
    width = np.diff(edges)[:, None]
    sections = field.sections((edges[:-1, None] + width * (gx + 1.0) / 2.0).ravel())
    on = np.matmul(lane.basis.matrix(u, 1), sections.control[:, lane.columns])
    up = np.matmul(lane.basis.matrix(u), sections.slopes[:, lane.columns])
    return float((width * gw / 2.0).ravel() @ np.linalg.norm(cross3(on, up), axis=2) @ weight)


def _skin_measures(field: SectionField, rule: Quadrature, surface: float) -> BodyMeasures:
    """A skin has an area and the middle of that, and bounds no volume."""
    gx, gw = gauss_rule(GAUSS)
    width = np.diff(field.edges)[:, None]
    sections = field.sections((field.edges[:-1, None] + width * (gx + 1.0) / 2.0).ravel())
    points = applied(rule.value, sections.control)
    normal = cross3(applied(rule.slope, sections.control), applied(rule.value, sections.slopes))
    weight = (width * gw / 2.0).reshape(-1, 1) * rule.weight * np.linalg.norm(normal, axis=2)
    return BodyMeasures(0.0, surface, np.einsum("vu,vuk->k", weight, points) / weight.sum(), np.zeros(6))


def _stretches(field: SectionField, rule: Quadrature, low: Array, high: Array) -> tuple[Array, Array]:
    """(k, 11) the flux terms and the area of the skin over stretches of v, each from low to high (k,), by the fine rule
    and by the plain one."""
    width = (high - low)[:, None]
    places = (low[:, None] + width * (SITES + 1.0) / 2.0).ravel()
    step = max(CHUNK // len(rule.weight), 1)
    flat = field.wrap is None and not field.bendings and not field.ruled  # rulings leave the planes between stations
    parts = []
    for start in range(0, len(places), step):
        checkpoint(start / len(places))
        parts.append(_flux_rates(field.sections(places[start : start + step]), rule, flat))
    rates = np.concatenate(parts, axis=1).reshape(11, len(low), -1)
    fine, plain = (np.einsum("tks,s->kt", rates, w) * width / 2.0 for w in (FINE, PLAIN))
    return fine, plain


def _flux_rates(sections: Sections, rule: Quadrature, flat: bool) -> Array:
    """(11, n_v) the flux terms of `fluxes` and the area, for each mm of v. `flat`: the sections lie in their planes."""
    across, up = sections.across, sections.up
    dots = [np.einsum("vk,vk->v", a, b) for a, b in ((across, across), (up, up), (across, up))]
    square = np.abs(np.array(dots) - [[1.0], [1.0], [0.0]]).max() < SQUARE  # those of a mitred run are not
    return _flat_rates(sections, rule) if flat and square else _bent_rates(sections, rule)


def _flat_rates(sections: Sections, rule: Quadrature) -> Array:
    """The same in each section's own axes, in which it has no height: less than half the work."""
    # Coordinates apart, and v last, so that every array is gone through in the order in which it lies.
    axes = np.stack([sections.across, sections.up, cross3(sections.across, sections.up)], axis=1)
    ox, oy, oz = np.einsum("vak,vk->av", axes, sections.origin)
    slopes = np.matmul(sections.slopes, axes.transpose(0, 2, 1))
    x, y = (rule.value @ np.ascontiguousarray(sections.local[..., k].T) for k in range(2))
    ux, uy = (rule.slope @ np.ascontiguousarray(sections.local[..., k].T) for k in range(2))
    vx, vy = (rule.value @ np.ascontiguousarray(slopes[..., k].T) for k in range(2))
    ahead = slopes[..., 2]
    level = np.ptp(ahead, axis=1) <= LEVEL * np.abs(ahead).max(axis=1)
    vz = ahead[:, 0] if level.all() else rule.value @ np.ascontiguousarray(ahead.T)
    x += ox
    y += oy
    nx, ny, nz = uy * vz, -ux * vz, ux * vy - uy * vx
    area = rule.weight @ np.sqrt(nx * nx + ny * ny + nz * nz)
    reach = (x * nx + y * ny + oz * nz) * rule.weight[:, None]
    rx, ry = reach * x, reach * y
    sums = [part.sum(axis=0) for part in (reach, rx, ry)]
    second = [np.einsum("qv,qv->v", a, b) for a, b in ((rx, x), (ry, y), (rx, y))]
    first = np.stack([sums[1], sums[2], oz * sums[0]])
    about = np.empty((3, 3, len(oz)))
    about[0, 0], about[1, 1], about[0, 1] = second
    about[0, 2], about[1, 2], about[2, 2] = oz * first[0], oz * first[1], oz * first[2]
    about[1, 0], about[2, 0], about[2, 1] = about[0, 1], about[0, 2], about[1, 2]
    first = np.einsum("vak,av->kv", axes, first)
    about = np.einsum("vak,abv,vbl->klv", axes, about, axes)
    rows, columns = PAIRS
    return np.stack([sums[0] / 3.0, *(first / 4.0), *(about[rows, columns] / 5.0), area])


def _bent_rates(sections: Sections, rule: Quadrature) -> Array:
    x, y, z = (rule.value @ np.ascontiguousarray(sections.control[..., k].T) for k in range(3))
    ux, uy, uz = (rule.slope @ np.ascontiguousarray(sections.control[..., k].T) for k in range(3))
    vx, vy, vz = (rule.value @ np.ascontiguousarray(sections.slopes[..., k].T) for k in range(3))
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    area = rule.weight @ np.sqrt(nx * nx + ny * ny + nz * nz)
    reach = (x * nx + y * ny + z * nz) * rule.weight[:, None]
    rx, ry, rz = reach * x, reach * y, reach * z
    first = [reach.sum(axis=0) / 3.0, *(r.sum(axis=0) / 4.0 for r in (rx, ry, rz))]
    pairs = ((rx, x), (ry, y), (rz, z), (rx, y), (rx, z), (ry, z))
    second = [np.einsum("qv,qv->v", a, b) / 5.0 for a, b in pairs]
    return np.stack([*first, *second, area])


PAIRS = ([0, 1, 2, 0, 0, 1], [0, 1, 2, 1, 2, 2])
"""Rows and columns of the second moments: xx, yy, zz, xy, xz, yz."""
SQUARE = 1e-9
"""Axes are of length 1 and square to each other, to rounding."""
LEVEL = 1e-14
"""Of the advance: planes whose points advance alike to so much stay parallel, to rounding."""


def fluxes(p: Array, n: Array, weight: Array) -> Array:
    """Surface integrals whose sum over a closed skin is volume, first and second moments: (10,).

    A monomial f of degree k has ∫f dV = ∮ f (p·n)/(3 + k) dA.
    """
    reach = np.sum(p * n, axis=-1) * weight
    x, y, z = p[..., 0], p[..., 1], p[..., 2]
    terms = [np.sum(reach) / 3.0]
    terms += [np.sum(reach * f) / 4.0 for f in (x, y, z)]
    terms += [np.sum(reach * f) / 5.0 for f in (x * x, y * y, z * z, x * y, x * z, y * z)]
    return np.array(terms)


def _cap(field: SectionField, at: float, outward: float, rule: Quadrature) -> tuple[Array, float]:
    """Flux terms and area of a flat cap. p·n is constant on it, so moments of the section suffice."""
    sections = field.sections(np.array([at]))
    section = moments(sections, rule)
    x, y = sections.local[0].T
    area, middle = float(x @ rule.area_form @ y), section.centroid[0]
    normal = outward * sections.normal[0]
    c, s = np.cos(section.principal[0]), np.sin(section.principal[0])
    across, up = sections.across[0], sections.up[0]
    long_axis, short_axis = c * across + s * up, -s * across + c * up
    spread = section.i_max[0] * np.outer(long_axis, long_axis) + section.i_min[0] * np.outer(short_axis, short_axis)
    spread = spread + area * np.outer(middle, middle)
    second = np.array([spread[0, 0], spread[1, 1], spread[2, 2], spread[0, 1], spread[0, 2], spread[1, 2]])
    reach = float(sections.origin[0] @ normal)
    # Axes drawn out into a leaning plane are longer: the normal's length is what the area is larger by.
    true = area * float(np.linalg.norm(normal))
    return reach * np.concatenate([[area / 3.0], area * middle / 4.0, second / 5.0]), true


def _bent_cap(field: SectionField, at: float, outward: float, rule: Quadrature) -> tuple[Array, float]:
    """The same of a cap that lies on its cylinder, over the section as it is drawn flat.

    Green's theorem: the integral of f over the section is that of F dy round it, with F the integral of f by x from 0.
    """
    assert field.wrap is not None
    sections = field.sections(np.array([at]))
    edge, run = rule.value @ sections.local[0], rule.slope @ sections.local[0]
    gx, gw = gauss_rule(16)
    share = (gx + 1.0) / 2.0
    flat = np.stack([edge[:, :1] * share, np.repeat(edge[:, 1:], len(share), axis=1)], axis=-1)
    plane = np.concatenate([flat, np.full((*flat.shape[:2], 1), at)], axis=-1)
    points, _ = field.wrap.laid(plane)
    axis = np.array([0.0, 0.0, field.wrap.height])
    way = np.array([*field.wrap.way, 0.0])
    spoke = points - axis
    spoke = spoke - (spoke @ way)[..., None] * way
    normal = outward * spoke / np.linalg.norm(spoke, axis=-1, keepdims=True)
    weight = (rule.weight * run[:, 1])[:, None] * (edge[:, :1] * gw / 2.0)
    return fluxes(points, normal, weight), float(np.sum(weight))
