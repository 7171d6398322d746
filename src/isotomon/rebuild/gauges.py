"""Measures worked out on a design's results."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import DesignError, IsotomonError, QuantityError
from isotomon.field.mesh import sampling, skin_mesh, triangles
from isotomon.field.skin import BodySkin
from isotomon.geometry import space
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, round_through
from isotomon.measure.apart import PlaneSection, apart, plane_section, spots_of, through
from isotomon.measure.capacity import Inside, inside
from isotomon.model.bodies import body_ids
from isotomon.model.gauges import Gauge, check_gauge
from isotomon.quantity import resolve
from isotomon.rebuild.after import ITSELF
from isotomon.rebuild.datums import Ground, Thing
from isotomon.rebuild.guides import direction
from isotomon.rebuild.results import Quick, Reading

Array = NDArray[np.float64]
FINE, ROUND = 401, 1000
"""Sections along a body whose section by a plane is taken, and places round each."""


def read_gauges(ground: Ground, quick: Quick) -> Mapping[str, Reading]:
    """What every measure of the design reads; where it cannot be taken, why."""
    return {gauge.id: _read(ground, quick, gauge) for gauge in quick.design.gauges}


def _read(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    try:
        check_gauge(gauge)
        return _KINDS[gauge.kind](ground, quick, gauge)
    except IsotomonError as error:
        return Reading((), (), str(error))


def _distance(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    a, b = (_thing(ground, quick, ref) for ref in gauge.on)
    near = np.vstack([_some(t) for t in (a, b)])
    far, ends = apart(spots_of(a, near), spots_of(b, near))
    across = np.abs(ends[1] - ends[0])
    figures = [
        ("Distance", far, "length"),
        *((f"In {n}", float(d), "length") for n, d in zip("XYZ", across, strict=True)),
    ]
    return Reading(tuple(figures), (ends,))


def _thing(ground: Ground, quick: Quick, ref: str) -> Array | Axis | Plane | SpaceCurve | BodySkin:
    """What a distance is taken from."""
    if ref in body_ids(quick.design):
        one = quick.of(ref)
        if one is not None and not np.array_equal(one.placed, ITSELF):
            raise DesignError(
                f"{ground.called(ref)} is moved or copied once it is shaped; measure from its datums, or before that"
            )
        skin = ground.skin(ref)
        assert isinstance(skin, BodySkin)
        return skin
    thing: Thing = ground.get(ref)
    if isinstance(thing, Cylinder):
        return thing.axis
    if isinstance(thing, Frame):
        return thing.origin
    if isinstance(thing, np.ndarray | Axis | Plane | SpaceCurve):
        return thing
    raise DesignError(f"{ground.called(ref)} is nothing a distance can be taken from")


def _some(thing: Array | Axis | Plane | SpaceCurve | BodySkin) -> Array:
    if isinstance(thing, SpaceCurve):
        return thing.at(np.linspace(0.0, 1.0, 33))
    if isinstance(thing, BodySkin):
        return thing.grid(17, 17)[2].reshape(-1, 3)
    return np.atleast_2d(thing if isinstance(thing, np.ndarray) else thing.origin)


def _angle(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    ways = [direction(ground, ref) for ref in gauge.on]
    flats = [isinstance(ground.get(ref), Plane) for ref in gauge.on]
    between = math.acos(min(abs(float(ways[0] @ ways[1])), 1.0))
    if flats[0] != flats[1]:  # a line and a plane
        between = math.pi / 2.0 - between
    return Reading((("Angle", between, "angle"), ("Beside it", math.pi - between, "angle")), ())


def _length(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    curve = ground.curve(gauge.on[0])
    return Reading((("Length", curve.length, "length"),), (curve.at(np.linspace(0.0, 1.0, 201)),))


def _radius(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    curve = ground.curve(gauge.on[0])
    points = curve.at(np.linspace(0.0, 1.0, 201))
    try:
        ring = round_through(points)
        return Reading((("Radius", ring.radius, "length"), ("Diameter", 2.0 * ring.radius, "length")), (points,))
    except DesignError:  # no circle: how tightly it bends
        t = np.linspace(0.002, 0.998, 801)
        bend = np.linalg.norm(space.curvature(curve, t), axis=1)
        k = int(bend.argmax())
        if bend[k] < 1e-9:
            raise DesignError("the curve is straight, so that it has no radius") from None
        place = curve.at(t[k : k + 1])
        return Reading((("Least radius", 1.0 / float(bend[k]), "length"),), (points, np.vstack([place, place])))


def _thickness(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    """Through the body from where its skin is nearest to a point, square to the skin."""
    point = ground.point(gauge.on[1])
    one = quick.of(gauge.on[0])
    skin = _thing(ground, quick, gauge.on[0])
    if not isinstance(skin, BodySkin) or one is None or one.shape is None or one.shape.open:
        raise DesignError("only a solid body has a thickness; choose another")
    _, ends = apart(spots_of(point, point[None]), spots_of(skin, point[None]))
    place = ends[1]
    vertices, index = _fine_mesh(one)
    # The flat ends come last, two fans of as many triangles as there are places round a section; a skin is looked through.
    round_ = len(vertices) if one.shape.field.ring else int((index == index.max()).sum())
    corners = vertices[index if one.shape.field.ring else index[: -2 * round_]]
    square = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    nearest = int(np.linalg.norm(corners.mean(axis=1) - place, axis=1).argmin())
    inward = -square[nearest] / np.linalg.norm(square[nearest])
    wide = through(corners, place, inward)
    if not math.isfinite(wide):
        raise DesignError("the point lies where the skin has no other side across from it; choose another")
    return Reading((("Thickness", wide, "length"),), (np.stack([place, place + wide * inward]),))


def _section(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    plane, body = ground.plane(gauge.on[1]), gauge.on[0]
    offset = _number(ground, gauge, 0)
    found = section_of(quick, body, replace(plane, origin=plane.origin + offset * plane.normal))
    if found is None:
        raise DesignError(f"the plane misses {ground.called(body)}; move it, or choose another")
    centre = [(f"Centroid {n}", float(c), "length") for n, c in zip("XYZ", found.centroid, strict=True)]
    figures = (
        ("Area", found.area, "area"),
        ("Perimeter", found.perimeter, "length"),
        *centre,
        ("Greatest second moment", found.i_max, "second"),
        ("Least second moment", found.i_min, "second"),
    )
    return Reading(figures, tuple(found.lines))


def section_of(quick: Quick, body: str, plane: Plane) -> PlaneSection | None:
    """The section of a body, where its first copy stands, by a plane; None where that misses it.

    Raises: DesignError, for a body that is no solid.
    """
    one = quick.of(body)
    if one is None or one.shape is None:
        raise DesignError("the body is not there; choose another")
    if one.shape.open:
        raise DesignError("the body is a skin, which has no section area; close its profiles")
    if one.shape.form.samples.holes:
        raise DesignError("a body with holes is not cut here; take its section at a station")
    vertices, index = _fine_mesh(one)
    return plane_section(one.stood(vertices), index, plane)


def _fine_mesh(one: Quick) -> tuple[Array, NDArray[np.int64]]:
    """Vertices and outward triangles of a body, as it is shaped, fine enough to be measured."""
    shape = one.shape
    assert shape is not None
    v = np.union1d(np.linspace(shape.field.first, shape.field.last, FINE), shape.field.edges)
    return triangles(skin_mesh(shape.field.sections(v), sampling(shape.form.common, ROUND), shape.field.ring))


def _capacity(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    found = inside_of(ground, quick, gauge)
    level, litres = _number(ground, gauge, 0), _number(ground, gauge, 2)
    if gauge.choices[0] == "level":
        level = found.level(litres * 1e6)
    here = np.array([level])
    brim = np.array([found.brim])
    figures = (
        ("Level", level, "length"),
        ("Volume", float(found.volumes(here)[0]), "litres"),
        ("Wetted area", float(found.wetted(here)[0]), "area"),
        ("Floor", found.floor, "length"),
        ("Brim", found.brim, "length"),
        ("To the brim", float(found.volumes(brim)[0]), "litres"),
    )
    up = ground.axis(gauge.on[1]).way
    one = quick.of(gauge.on[0])
    lines: tuple[Array, ...] = ()
    if one is not None and one.shape is not None:
        flat = Plane(level * up, *_across(up))
        cut = section_of(quick, gauge.on[0], flat)
        lines = tuple(cut.lines) if cut is not None else ()
    return Reading(figures, lines)


def _across(up: Array) -> tuple[Array, Array]:
    first = np.array([1.0, 0.0, 0.0]) if abs(up[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    across = first - up * float(first @ up)
    return across / np.linalg.norm(across), up


def inside_of(ground: Ground, quick: Quick, gauge: Gauge) -> Inside:
    """The inside of the vessel that a capacity is taken of.

    Raises: IsotomonError.
    """
    one = quick.of(gauge.on[0])
    if one is None or one.shape is None:
        raise DesignError("the vessel is not there; choose another body")
    if not np.array_equal(one.placed, ITSELF):
        raise DesignError("a vessel that is moved or copied once it is shaped is not gauged; take these steps off")
    return inside(one.shape.field, ground.axis(gauge.on[1]).way, _number(ground, gauge, 1))


def capacity_table(quick: Quick, gauge: Gauge, rows: int = 41) -> str:
    """Level, volume and wetted area from the floor to the brim, as CSV (mm, litres, mm²).

    Raises: DesignError, for another kind of measure; IsotomonError, when the vessel cannot be gauged.
    """
    if gauge.kind != "capacity":
        raise DesignError(f"the measure '{gauge.name}' is no capacity, which alone has a table of levels")
    ground = Ground(quick.design, quick.resolved.names, quick.resolved, None, quick.drawings)
    found = inside_of(ground, quick, gauge)
    levels = np.linspace(found.floor, found.brim, rows)
    lines = ["level_mm,volume_l,wetted_mm2"]
    for level, volume, wet in zip(levels, found.volumes(levels), found.wetted(levels), strict=True):
        lines.append(f"{level:.6g},{volume / 1e6:.8g},{wet:.8g}")
    return "\n".join(lines) + "\n"


def _number(ground: Ground, gauge: Gauge, index: int) -> float:
    field = gauge.way.fields[index]
    try:
        return resolve(gauge.values[index], field.kind, ground.names)
    except QuantityError as error:
        raise QuantityError(f"{field.title.lower()}: {error}") from None


_KINDS = {
    "distance": _distance,
    "angle": _angle,
    "length": _length,
    "radius": _radius,
    "thickness": _thickness,
    "section": _section,
    "capacity": _capacity,
}
