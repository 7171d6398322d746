"""Measures worked out on a design's results."""

from __future__ import annotations

import math
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array, unique_rows
from isotomon.design.bodies import body_ids
from isotomon.design.gauges import Gauge
from isotomon.design.recipe import check_made
from isotomon.design.records import Design
from isotomon.errors import DesignError, IsotomonError
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.guides import direction
from isotomon.evaluate.sources import Thing
from isotomon.field.skin import BodySkin
from isotomon.geometry import space
from isotomon.geometry.affine import ITSELF, even_sizes
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, round_through
from isotomon.inspect.capacity import number_of, read_capacity
from isotomon.inspect.results import Quick, Reading
from isotomon.inspect.sections import mesh_of_finished, section_by
from isotomon.inspect.standing_faces import (
    COARSE,
    FINE,
    WaitsForSolid,
    faces_of,
    of_solid,
)
from isotomon.measure.apart import PlaneSection, apart, plane_section, spots_of, through
from isotomon.measure.body import BodyMeasures, lane_area
from isotomon.measure.faces import Faces, from_faces
from isotomon.measure.laws import Finding
from isotomon.pace import checkpoint

Apart = Array | Axis | Plane | SpaceCurve | BodySkin
"""What distances are taken between."""
MOST_WAYS = 12
"""Where very many faces meet in a point, a thickness is taken along so many ways into the body."""
ALIKE_DIGITS = 6
"""Faces whose unit normals agree to so many digits face alike."""


def read_gauges(ground: Ground, quick: Quick) -> Mapping[str, Reading]:
    """What every measure of the design reads; where it cannot be taken, why."""
    return {gauge.id: read_gauge(ground, quick, gauge) for gauge in quick.design.gauges}


def wrong_readings(design: Design, readings: Mapping[str, Reading]) -> list[Finding]:
    """A finding for each measure that cannot be taken."""
    names = {g.id: g.name for g in design.gauges}
    return [Finding("error", f"measure {names[k]}", r.wrong, about=k) for k, r in readings.items() if r.wrong]


def read_gauge(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    """What a measure reads; where it cannot be taken, why."""
    try:
        check_made("measure", gauge)
        return _KINDS[gauge.kind](ground, quick, gauge)
    except WaitsForSolid:
        return Reading((), (), waits=True)
    except IsotomonError as error:
        return Reading((), (), str(error))


def _distance(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    bodies = [
        faces_of(quick, ref, COARSE, whole_ends=True) if ref in body_ids(quick.design) else None for ref in gauge.on
    ]
    things = [_thing(ground, quick, ref) for ref in gauge.on]
    far, ends, (a, b) = math.inf, np.zeros((2, 3)), things
    if a is not None and b is not None:
        near = np.vstack([_some(a), _some(b)])
        far, ends = apart(spots_of(a, near), spots_of(b, near))
    rough = any(body is not None for body in bodies)
    if rough:
        mesh_far, mesh_ends = _apart_in_mesh(bodies, things)
        # The skins alone say it better, but for flat ends, and bodies that have no skin of their own.
        if mesh_far < far * (1.0 - 1e-3) - 1e-3:
            far, ends = mesh_far, mesh_ends
        else:
            rough = False
    across = np.abs(ends[1] - ends[0])
    figures = [
        ("Distance", far, "length"),
        *((f"In {n}", float(d), "length") for n, d in zip("XYZ", across, strict=True)),
    ]
    return Reading(tuple(figures), (ends,), near=rough)


def _apart_in_mesh(bodies: list[Faces | None], things: list[Apart | None]) -> tuple[float, Array]:
    """The least distance of two things, of which one at least is a body's mesh."""
    one, other = bodies
    if one is not None and other is not None:
        return from_faces(one, other.vertices, lambda p: other.nearest(p)[0])
    faces, thing = (one, things[1]) if one is not None else (other, things[0])
    assert faces is not None and thing is not None
    spots = spots_of(thing, faces.vertices[:: max(len(faces.vertices) // 400, 1)])
    return from_faces(faces, spots.places, lambda p: apart(spots_of(p, p[None]), spots)[1][1])


def _thing(ground: Ground, quick: Quick, ref: str) -> Apart | None:
    """What a distance is taken from; of a body its skin, where that says it all."""
    if ref in body_ids(quick.design):
        one = quick.of(ref)
        if one is None or one.shape is None or of_solid(quick, one) or not np.array_equal(one.placed, ITSELF):
            return None
        return BodySkin(one.shape.field)
    thing: Thing = ground.get(ref)
    if isinstance(thing, Cylinder):
        return thing.axis
    if isinstance(thing, Frame):
        return thing.origin
    if isinstance(thing, np.ndarray | Axis | Plane | SpaceCurve):
        return thing
    raise DesignError(f"{ground.called(ref)} is nothing a distance can be taken from")


def _some(thing: Apart) -> Array:
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
    faces = faces_of(quick, gauge.on[0], FINE, whole_ends=True)
    one = quick.of(gauge.on[0])
    if one is not None and one.shape is not None and one.shape.open:
        raise DesignError("only a solid body has a thickness; choose another")
    place, touching = faces.nearest(point)
    found: list[tuple[float, Array, Array]] = []
    for inward, start in _inward(faces.corners[touching], place):  # several at an edge: the least thickness counts
        checkpoint(len(found) / MOST_WAYS)
        found.append((through(faces.corners, start, inward), start, inward))
    wide, start, inward = min(found, key=lambda f: f[0] if math.isfinite(f[0]) else math.inf)
    if not math.isfinite(wide):
        raise DesignError("the point lies where the skin has no other side across from it; choose another")
    return Reading((("Thickness", wide, "length"),), (np.stack([start, start + wide * inward]),), near=True)


def _inward(corners: Array, place: Array) -> list[tuple[Array, Array]]:
    """The ways into a body, square to the triangles (m, 3, 3) that meet at a place, and where each begins: once for all that
    face alike, and some of them, evenly chosen, where very many meet in a point."""
    square = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(square, axis=1)
    facing = square[size > 0.0] / size[size > 0.0, None]
    starts = place + 1e-3 * (corners[size > 0.0].mean(axis=1) - place)
    first = unique_rows(np.round(facing, ALIKE_DIGITS))[0]
    chosen = np.sort(first)[np.unique(np.linspace(0, len(first) - 1, MOST_WAYS).astype(int))] if len(first) else first
    return [(-facing[k], starts[k]) for k in chosen]


def _section(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    plane, body = ground.plane(gauge.on[1]), gauge.on[0]
    offset = number_of(ground, gauge, 0)
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
    return Reading(figures, tuple(found.lines), near=True)


def section_of(quick: Quick, body: str, plane: Plane) -> PlaneSection | None:
    """The section of a body with all its copies by a plane; None where that misses it.

    Raises: DesignError, for a body that is no solid; Waits, for one that is known by its finished solid alone.
    """
    one = quick.of(body)
    if one is not None and one.shape is not None and one.shape.open:
        raise DesignError("the body is a skin, which has no section area; close its profiles")
    cut = faces_of(quick, body, FINE, plane)
    if one is not None and of_solid(quick, one):
        with suppress(DesignError):  # what is not closed is cut as the triangles that it is
            return section_by(mesh_of_finished(quick.finished[body]), plane)
    return plane_section(cut.vertices, cut.index, plane)


def _area(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    """Of a body's whole surface, its face or end, a station's section, or what a flat closed curve bounds."""
    ref = gauge.on[0]
    if ref in body_ids(quick.design):
        return Reading((("Area", _whole(quick, ref)[0].area, "area"),), ())
    one, part = quick.of(ref.thing), ref.part
    stationed = next((q for q in (quick, *quick.others) if any(s.id == ref for s in q.body.stations)), None)
    if one is not None and part.startswith(("face:", "first", "last")) and "rim" not in part:
        # A face that others cut into or add to is known as its own body is shaped.
        title = "Area as shaped" if of_solid(quick, one) else "Area"
        return Reading(((title, _face_area(one, part), "area"),), ())
    if stationed is not None and stationed.shape is not None:
        row = next(k for k, n in stationed.resolved.own if n.station.id == ref)
        found = float(stationed.shape.curves.area[stationed.shape.at_stations[row]])
    else:
        curve, what = ground.curve(ref), ground.called(ref)
        if not curve.closed:
            raise DesignError(f"{what} is open, so that it bounds no area; choose a closed curve")
        plane = space.plane_of(curve, what)
        p = curve.at(np.linspace(0.0, 1.0, 8001)) - plane.origin
        x, y = p @ plane.across, p @ plane.up
        fine, coarse = (
            abs(float(np.sum(a[:-1] * b[1:] - a[1:] * b[:-1]))) / 2.0 for a, b in ((x, y), (x[::2], y[::2]))
        )
        found = fine + (fine - coarse) / 3.0
    return Reading((("Area", found, "area"),), ())


def _whole(quick: Quick, body: str) -> tuple[BodyMeasures, bool]:
    """The measures of a body with all its copies, as it is finished, and whether they are of its mesh."""
    one = quick.of(body)
    if one is not None and one.full is not None and not of_solid(quick, one) and np.array_equal(one.placed, ITSELF):
        return one.full.body, False
    found = faces_of(quick, body, COARSE).measures()
    built = quick.finished.get(body)
    if built is not None:  # all but the inertia is the kernel's
        found = replace(found, volume=built.volume, area=built.area, centre=np.array(built.centre))
    return found, True


def _face_area(one: Quick, part: str) -> float:
    """mm² of one face or end of a body. Raises: DesignError, FieldError."""
    if one.shape is None:
        raise DesignError(f"{one.body.name} is not there; choose another")
    sizes = even_sizes(one.placed[:1])
    if sizes is None:
        raise DesignError("faces of a body that is resized unevenly are not measured one by one; measure the body")
    size = float(sizes[0])
    if part.startswith("face:"):
        return size**2 * lane_area(one.shape.field, one.shape.field.names.lane(part.removeprefix("face:")))
    if one.shape.field.ring or one.shape.open:
        raise DesignError(f"{one.body.name} has no ends; choose a face")
    return size**2 * float(one.shape.curves.area[0 if part == "first" else -1])


def _body(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    """Volume, surface, mass, centre and principal moments of inertia of a body as it is finished."""
    one = quick.of(gauge.on[0])
    if one is not None and one.shape is not None and one.shape.open:
        raise DesignError("the body is a skin, which has no volume; close its profiles")
    found, near = _whole(quick, gauge.on[0])
    figures = [("Volume", found.volume, "volume"), ("Surface", found.area, "area")]
    density = one.body.density if one is not None else None
    if density is not None:
        figures.append(("Mass", found.mass(density), "mass"))
    figures += [(f"Centre {n}", float(c), "length") for n, c in zip("XYZ", found.centre, strict=True)]
    if density is not None:
        principal = np.linalg.eigvalsh(found.inertia(density))
        words = ("Least", "Middle", "Greatest")
        figures += [(f"{w} inertia", float(i), "inertia") for w, i in zip(words, principal, strict=True)]
    return Reading(tuple(figures), (), near=near)


_KINDS = {
    "distance": _distance,
    "angle": _angle,
    "length": _length,
    "radius": _radius,
    "thickness": _thickness,
    "section": _section,
    "capacity": read_capacity,
    "body": _body,
    "area": _area,
}
