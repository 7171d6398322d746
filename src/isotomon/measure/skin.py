"""What the skin of a body is like, place by place: curvature, slope, reflections, distance from another skin."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from contourpy import contour_generator
from scipy.interpolate import CubicSpline
from scipy.spatial import cKDTree

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.mesh import Sampling, SkinMesh, applied
from isotomon.field.section_field import SectionField
from isotomon.field.skin import BodySkin, joined_round
from isotomon.geometry.curvature import Curvature, curvature_from, dot
from isotomon.geometry.quadrature import gauss_rule

MOST_LEVELS = 400
MOST_POINTS = 121
STILL = 1e-18
"""mm²: squared slopes below this go nowhere."""


def curvature(field: SectionField, v: Array, samples: Sampling) -> Curvature:
    """Curvatures of the skin at v (n_v,) and the samples round it, from its fundamental forms (do Carmo, "Differential
    Geometry of Curves and Surfaces", section 3.3). Along the body, second derivatives are differences of slopes."""
    sections = field.sections(v)
    step = 1e-5 * (field.last - field.first)
    low, high = np.maximum(v - step, field.first), np.minimum(v + step, field.last)
    bend = (field.sections(high).slopes - field.sections(low).slopes) / (high - low)[:, None, None]
    pu, pv = applied(samples.slope, sections.control), applied(samples.value, sections.slopes)
    puu, puv = applied(samples.bend, sections.control), applied(samples.slope, sections.slopes)
    return curvature_from(pu, pv, puu, puv, applied(samples.value, bend))


def slope_to(normals: Array, pull: Array) -> Array:
    """rad by which the skin leans towards a pull direction (3,) of length 1: a quarter turn facing along it, nought on a
    wall along it, negative where it faces back."""
    return np.asarray(np.arcsin(np.clip(normals @ pull, -1.0, 1.0)))


def deviation(mesh: SkinMesh, reference: SkinMesh) -> Array:
    """(n_v, samples) mm from another skin, outward positive: to the tangent plane at its nearest sample, so that the
    spacing of its samples counts only to the second order."""
    places, normals = reference.points.reshape(-1, 3), reference.normals.reshape(-1, 3)
    _, nearest = cKDTree(places).query(mesh.points.reshape(-1, 3))
    away = mesh.points.reshape(-1, 3) - places[nearest]
    return np.asarray(dot(away, normals[nearest]).reshape(mesh.points.shape[:2]))


def reflected(normals: Array, sight: Array, lamps: Array, count: int) -> Array:
    """(n_v, samples) brightness, -1 to 1, of `count` pairs of dark and light lamps that run along `lamps` (3,) far away all
    round, as the skin reflects them towards an eye that looks along `sight` (3,); both of length 1."""
    ray = sight - 2.0 * (normals @ sight)[..., None] * normals
    side = np.cross(lamps, np.array([1.0, 0.0, 0.0]) if abs(lamps[0]) < 0.9 else np.array([0.0, 1.0, 0.0]))
    side = side / np.linalg.norm(side)
    return np.asarray(np.sin(count * np.arctan2(ray @ np.cross(lamps, side), ray @ side)))


def section_curves(field: SectionField, way: Array, spacing: float) -> list[tuple[float, Array]]:
    """(level in mm along `way` (3,) of length 1, points (n, 3)) of every curve in which planes square to it, `spacing` apart
    and counted from the origin, cut the skin.

    Raises: FieldError, for a spacing that gives none or very many.
    """
    skin = BodySkin(field)
    u, v, grid = skin.grid(241, 161)
    high = grid @ way
    if not spacing > 0.0:
        raise FieldError("the spacing must be greater than zero")
    first, last = np.ceil(high.min() / spacing), np.floor(high.max() / spacing)
    if last - first >= MOST_LEVELS:
        least = np.ptp(high) / MOST_LEVELS
        raise FieldError(f"this spacing gives {last - first + 1:.0f} curves; use more than {least:.3g} mm")
    lines = contour_generator(u, v, high)
    found = [
        (float(k * spacing), _thinned(np.asarray(line)))
        for k in np.arange(first, last + 1)
        for line in lines.lines(float(k * spacing))
        if len(line) > 1
    ]
    return _on_their_levels(skin, way, found) if found else []


def plane_area(field: SectionField, way: Array, level: float) -> float | None:
    """mm² that a plane square to `way` (3,) at a level (mm along it) has in common with the body; None where the plane does
    not cut right through its skin. By a periodic spline through the curve in which they meet."""
    skin = BodySkin(field)
    u, v, grid = skin.grid(481, 241)
    lines = [np.asarray(line) for line in contour_generator(u, v, grid @ way).lines(level)]
    if not lines:
        return None
    joined = joined_round(lines)
    first = np.array([1.0, 0.0, 0.0]) if abs(way[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    across = first - way * float(first @ way)
    across = across / np.linalg.norm(across)
    area = 0.0
    for _, points in _on_their_levels(skin, way, [(level, line) for line in joined]):
        if np.linalg.norm(points[0] - points[-1]) > 1e-3 * float(np.ptp(points, axis=0).max()):
            return None
        flat = np.stack([points @ across, points @ np.cross(way, across)], axis=1)
        keep = np.r_[True, np.linalg.norm(np.diff(flat, axis=0), axis=1) > 1e-9]
        flat = flat[keep]
        flat[-1] = flat[0]
        run = np.r_[0.0, np.cumsum(np.linalg.norm(np.diff(flat, axis=0), axis=1))]
        x, w = gauss_rule(4)
        sites = (run[:-1, None] + np.diff(run)[:, None] * (x + 1.0) / 2.0).ravel()
        weights = (np.diff(run)[:, None] * w / 2.0).ravel()
        curve = CubicSpline(run, flat, bc_type="periodic")
        p, d = curve(sites), curve(sites, 1)
        area += abs(0.5 * float(weights @ (p[:, 0] * d[:, 1] - p[:, 1] * d[:, 0])))
    return area


def _thinned(line: Array) -> Array:
    """A contour on the grid with no more points than the eye needs, evenly spread over its own."""
    return line if len(line) <= MOST_POINTS else line[np.linspace(0, len(line) - 1, MOST_POINTS).round().astype(int)]


def _on_their_levels(skin: BodySkin, way: Array, found: Sequence[tuple[float, Array]]) -> list[tuple[float, Array]]:
    """Contours on a grid brought onto the skin and their planes, all at once, by Newton's rule up or down the slope."""
    level = np.concatenate([np.full(len(line), at) for at, line in found])
    flat = np.concatenate([line for _, line in found])
    u, v = flat.T
    for _ in range(3):
        p, pu, pv = skin.at(*skin.held(u, v))
        off, du, dv = p @ way - level, pu @ way, pv @ way
        e, g = dot(pu, pu), dot(pv, pv)
        # At a tip nothing goes round, and the parameter may stand still: no step is made that way.
        du, dv = du / np.maximum(e, STILL), dv / np.maximum(g, STILL)
        size = np.maximum(du * du * e + dv * dv * g, 1e-9)
        u, v = u - off * du / size, np.clip(v - off * dv / size, skin.field.first, skin.field.last)
    points = skin.at(*skin.held(u, v))[0]
    ends = np.cumsum([0, *(len(line) for _, line in found)])
    return [(at, points[a:b]) for (at, _), a, b in zip(found, ends[:-1], ends[1:], strict=True)]
