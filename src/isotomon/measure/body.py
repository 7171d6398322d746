"""Volume, surface, centre and inertia of a body by the divergence theorem on its field."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from isotomon.field.carriers import STRAIGHT
from isotomon.field.section_field import SectionField
from isotomon.geometry.planar import cross3
from isotomon.measure.sections import Quadrature, moments

Array = NDArray[np.float64]


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


def body_measures(field: SectionField, rule: Quadrature, per_bay: int = 10) -> BodyMeasures:
    """Integrals over the skin and both caps. `per_bay`: Gauss sites between neighbouring stations."""
    gx, gw = np.polynomial.legendre.leggauss(per_bay)
    edges = _fine(field)
    width = np.diff(edges)[:, None]
    v = (edges[:-1, None] + width * (gx + 1.0) / 2.0).ravel()
    wv = (width * gw / 2.0).ravel()
    sections = field.sections(v)
    points = np.matmul(rule.value, sections.control)
    normal = cross3(np.matmul(rule.slope, sections.control), np.matmul(rule.value, sections.slopes))
    weight = wv[:, None] * rule.weight
    flux = _fluxes(points, normal, weight)
    surface = float(np.sum(weight * np.linalg.norm(normal, axis=2)))
    for end, outward in () if field.ring else ((field.first, -1.0), (field.last, 1.0)):
        cap, cap_area = (_cap if field.wrap is None else _bent_cap)(field, end, outward, rule)
        flux = flux + cap
        surface += cap_area
    volume = float(flux[0])
    centre = flux[1:4] / volume if volume else np.zeros(3)
    x, y, z = centre
    about = flux[4:10] - volume * np.array([x * x, y * y, z * z, x * y, x * z, y * z])
    return BodyMeasures(volume, surface, centre, about)


def _fine(field: SectionField) -> Array:
    """The ends of all bays; along a path or about an axis, where bays may bend much, with places between."""
    edges = field.edges
    if field.carrier is STRAIGHT:
        return edges
    count = np.ceil(24.0 * np.diff(edges) / (edges[-1] - edges[0]) + 1.0).astype(int)
    inner = [np.linspace(a, b, n + 1)[:-1] for a, b, n in zip(edges[:-1], edges[1:], count, strict=True)]
    return np.concatenate([*inner, edges[-1:]])


def _fluxes(p: Array, n: Array, weight: Array) -> Array:
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
    return reach * np.concatenate([[area / 3.0], area * middle / 4.0, second / 5.0]), area


def _bent_cap(field: SectionField, at: float, outward: float, rule: Quadrature) -> tuple[Array, float]:
    """The same of a cap that lies on its cylinder, over the section as it is drawn flat.

    Green's theorem: the integral of f over the section is that of F dy round it, with F the integral of f by x from 0.
    """
    assert field.wrap is not None
    sections = field.sections(np.array([at]))
    edge, run = rule.value @ sections.local[0], rule.slope @ sections.local[0]
    gx, gw = np.polynomial.legendre.leggauss(16)
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
    return _fluxes(points, normal, weight), float(np.sum(weight))
