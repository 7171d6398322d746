"""What carries the body in hand, and how far it goes on past its stations."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array
from isotomon.design.bodies import tools_of
from isotomon.design.edits import replace as replace_record
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import DesignError, FieldError
from isotomon.evaluate.guides import direction
from isotomon.evaluate.sources import Sources
from isotomon.field.carriers import Carrier, Path, Relative, Square, Toward, Turning, path
from isotomon.field.dropping import normals_at
from isotomon.field.mesh import sampling, skin_mesh, triangles
from isotomon.field.mitred import Mitred
from isotomon.geometry.corners import polyline, rounded
from isotomon.geometry.datums import Axis, Frame, Plane, SpaceCurve
from isotomon.geometry.space import turned_round
from isotomon.measure.apart import first_hit
from isotomon.profile.section import Apex
from isotomon.quantity import resolve


def carrier_of(ground: Sources) -> Carrier:
    """What carries the stations of the body in hand, which is not carried straight.

    Raises: DesignError, FieldError.
    """
    said = ground.body.loft.carrier
    base: Carrier
    if said.how == "plane":
        plane = ground.plane(said.on)
        return Square(replace(plane, normal=-plane.normal, across=-plane.across) if said.back else plane)
    if said.how == "axis":
        axis, radius = ground.axis(said.on), resolve(said.radius, "length", ground.names)
        base = Turning(replace(axis, way=-axis.way) if said.back else axis, radius)
    else:
        curve = ground.curve(said.on)
        curve = turned_round(curve) if said.back else curve
        if said.corners == "mitred" and curve.corners:
            return _mitred(ground, curve)
        if said.corners == "rounded":
            curve = rounded(curve, resolve(said.bend, "length", ground.names))
        base = path(curve, said.hold if said.hold in ("fixed", "axis") else "least", _toward(ground))
    if not said.drawn_on:
        return base
    plane = ground.plane(said.drawn_on)
    if isinstance(base, Turning):
        _check_in_plane(ground, base.axis, plane)
    return Relative(base, plane)


def _mitred(ground: Sources, curve: SpaceCurve) -> Mitred:
    said = ground.body.loft.carrier
    if said.hold != "least" or said.drawn_on:
        raise DesignError(
            "along mitred corners sections stand square to the path and turn least; hold them so, at its start"
        )
    corners, first = polyline(curve, ground.called(said.on))
    if not curve.closed:
        return Mitred(corners)
    if len(corners) < 3:
        raise DesignError(
            f"{ground.called(said.on)} has fewer than three corners, so that it cannot go round; round them"
        )
    t, _, run = curve.table()
    return Mitred(corners, closed=True, begin=float(np.interp(first, t, run)))


def _check_in_plane(ground: Sources, axis: Axis, plane: Plane) -> None:
    """Raises: DesignError, when an axis does not lie in a profile's plane."""
    said = ground.body.loft.carrier
    lean = math.degrees(math.asin(min(abs(float(axis.way @ plane.normal)), 1.0)))
    off = abs(float((axis.origin - plane.origin) @ plane.normal))
    if lean > 1e-6 or off > 1e-6:
        how = f"leans out of it by {lean:.4g}°" if lean > 1e-6 else f"lies {off:.4g} mm beside it"
        raise DesignError(
            f"the axis {ground.called(said.on)} does not lie in the profile's plane, {ground.called(said.drawn_on)}: it "
            f"{how}; choose an axis in that plane, or draw the profile on another"
        )


def _toward(ground: Sources) -> Toward | None:
    said = ground.body.loft.carrier
    if said.hold == "axis":
        return ground.axis(said.toward)
    if said.hold == "up":
        up = direction(ground, said.toward)
        return lambda share, points: np.broadcast_to(up, points.shape)
    if said.hold == "curve":
        other = ground.curve(said.toward)
        return lambda share, points: _up_from(other, share, points)
    if said.hold == "skin":
        skin = ground.skin(said.toward)
        if isinstance(skin, Plane):
            return lambda share, points: np.broadcast_to(skin.normal, points.shape)
        return lambda share, points: normals_at(skin, points)
    return None


def _up_from(other: SpaceCurve, share: Array, points: Array) -> Array:
    """(n, 3) directions square to the curve and to the way to another one at the same share of its length: with these as
    Y, X looks towards the other curve."""
    t, _, run = other.table()
    aim = other.at(np.interp(share * run[-1], run, t)) - points
    size = np.linalg.norm(aim, axis=1, keepdims=True)
    if size.min() < 1e-6 * max(float(size.max()), 1e-9):
        raise FieldError("the curve that sections lean on touches the path; choose another one, or hold them otherwise")
    tangent = np.gradient(points, axis=0)
    up = np.cross(tangent, aim / size)
    far = np.linalg.norm(up, axis=1, keepdims=True)
    if far.min() < 1e-3 * float(far.max()):
        raise FieldError("the curve that sections lean on lies straight ahead of the path; hold them otherwise")
    return np.asarray(up / far)


def spanned(ground: Sources, resolved: Resolved) -> Resolved:
    """The same with the outer sections carried on to the ends of the body.

    Raises: DesignError, FieldError, saying where it cannot go on to.
    """
    said, span, stations = ground.body.loft.span, resolved.span, resolved.stations
    if said is None or span is None or not stations:
        return resolved
    carrier = leaning(ground, resolved) or ground.carrier()
    first, last = stations[0], stations[-1]
    if isinstance(carrier, Mitred) and len(stations) > 1:
        raise DesignError("only one profile is carried round mitred corners; take the others out, or round the corners")
    if span.whole and carrier.closed:
        return _mitred_round(resolved, carrier) if isinstance(carrier, Mitred) else _round(resolved, carrier)
    if isinstance(carrier, Mitred) and said.on_to + said.back_to:
        low, high = float(carrier.nodes[0]), float(carrier.nodes[-1])
    elif span.whole:
        if not math.isfinite(carrier.length):
            low, high = _through(ground, first, last)
        else:
            low, high = 0.0, carrier.length
    else:
        low = _up_to(ground, said.back_to, carrier, first, -1.0) if said.back_to else first.position - span.back
        high = _up_to(ground, said.on_to, carrier, last, 1.0) if said.on_to else last.position + span.on
    if low > first.position + 1e-9 or high < last.position - 1e-9:
        low, high = (low, high) if len(stations) > 1 else (min(low, high), max(low, high))
        where = "behind the first station" if low > first.position + 1e-9 else "beyond the last station"
        raise DesignError(f"what the body goes on to does not lie {where}; choose another, or go the other way")
    more = [carried_on(n, at) for n, at in ((first, low), (last, high)) if _goes_on(n, at)]
    if isinstance(carrier, Mitred):
        rounds = (-carrier.length, 0.0, carrier.length) if carrier.closed else (0.0,)
        corners = carrier.nodes[:-1] if carrier.closed else carrier.nodes
        more += [
            carried_on(first, float(at))
            for at in (shift + corner for shift in rounds for corner in corners)
            if low + 1e-9 < at < high - 1e-9 and _goes_on(first, at)
        ]
    everything = tuple(sorted((*stations, *more), key=lambda n: n.position))
    if said.ends == "round":
        everything = (*_tip(everything[0], -1.0), *everything, *_tip(everything[-1], 1.0))
    return replace(resolved, stations=everything)


def _tip(n: StationNumbers, way: float) -> tuple[StationNumbers, ...]:
    """The point in which a round end beyond a section closes; none where the body ends in a point already."""
    if isinstance(n.station.section, Apex):
        return ()
    station = replace_record(
        n.station, id=f"{n.station.id}/round", section=Apex(), name=f"{n.station.name}, rounded off"
    )
    return (replace(n, station=station, position=n.position + way * n.chord / 2.0, chord=0.0, carried=True),)


def is_other(ground: Sources, ref: str) -> bool:
    """Whether a reference is another body of the design."""
    return ref != ground.body.id and any(b.id == ref for b in ground.design.bodies)


def leaning(ground: Sources, resolved: Resolved) -> Mitred | None:
    """What carries one profile straight up to planes that lean, or None where it does not come to such.

    Raises: DesignError, for planes along its way.
    """
    said, span = ground.body.loft.span, resolved.span
    straight = ground.body.loft.carrier.how in ("straight", "plane")
    if said is None or span is None or not straight or len(resolved.own) != 1 or not said.on_to + said.back_to:
        return None
    only = resolved.own[0][1]
    base = ground.carrier().frames(np.array([only.position]))
    way, origin = base.normal[0], base.origin[0]
    ends: list[tuple[float, Array | None]] = []
    for ref, far in ((said.back_to, -span.back), (said.on_to, span.on)):
        body = is_other(ground, ref)
        plane = ground.get(ref) if ref and not body else None
        if not isinstance(plane, Plane):
            side = 1.0 if far >= 0.0 and ref == said.on_to else -1.0
            ends.append((_up_to(ground, ref, ground.carrier(), only, side) - only.position if ref else far, None))
            continue
        steep = float(way @ plane.normal)
        if abs(steep) < 1e-3:
            raise DesignError(f"{ground.called(ref)} stands along the way the body goes, so that it never comes to it")
        ends.append((float((plane.origin - origin) @ plane.normal) / steep, plane.normal))
    if all(normal is None or abs(float(normal @ way)) > 1.0 - 1e-12 for _, normal in ends):
        return None
    if any(abs(t) > 1e-12 for t in only.tilt) or ends[1][0] - ends[0][0] < 1e-9:
        raise DesignError(
            "what the body goes on to does not lie ahead of its profile; choose another, or go the other way"
        )
    corners = np.stack([origin + far * way for far, _ in ends])
    begin = only.position + ends[0][0]
    return Mitred(corners, ends[0][1], ends[1][1], begin=begin, square=(base.across[0], base.up[0]))


def _through(ground: Sources, first: StationNumbers, last: StationNumbers) -> tuple[float, float]:
    """mm along a straight carrier that lead past all other bodies on both sides.

    Raises: DesignError, where there is none to go through.
    """
    frame = ground.carrier().frames(np.zeros(1))
    origin, way = frame.origin[0], frame.normal[0]
    places = [first.position, last.position]
    used = {tool for _, tool in tools_of(ground.design, ground.body.id)}
    for body in ground.design.bodies:
        if body.id in used or body.id == ground.body.id or body.aside:
            continue
        field = ground.field_of(body.id)
        points = field.sections(np.linspace(field.first, field.last, 33)).control.reshape(-1, 3)
        places += ((points - origin) @ way).tolist()
    if len(places) == 2:
        raise DesignError("there is no other body to go through; let it go by a distance, or up to something")
    room = 0.02 * (max(places) - min(places)) + 1.0
    return min(places) - room, max(places) + room


def _goes_on(n: StationNumbers, at: float) -> bool:
    return abs(n.position - at) > 1e-9 and not isinstance(n.station.section, Apex)


def carried_on(n: StationNumbers, position: float) -> StationNumbers:
    """A station's section carried on to a position (mm) at an end of the body."""
    station = replace_record(n.station, name=f"{n.station.name}, carried on")
    return replace(n, station=station, position=position, carried=True)


def _mitred_round(resolved: Resolved, carrier: Mitred) -> Resolved:
    """A ring with mitred corners: the section is carried on to all of them."""
    only = resolved.stations[0]
    only = replace(only, position=carrier.begin + (only.position - carrier.begin) % carrier.length)
    corners = [carried_on(only, float(at)) for at in carrier.nodes[:-1] if _goes_on(only, float(at))]
    return replace(resolved, stations=tuple(sorted((only, *corners), key=lambda n: n.position)), ring=True)


def _round(resolved: Resolved, carrier: Carrier) -> Resolved:
    """A ring: one section is carried on to two more places, so that it knows which way it goes round."""
    only = resolved.stations[0]
    more = [carried_on(only, only.position + share * carrier.length) for share in (1.0 / 3.0, 2.0 / 3.0)]
    stations = (only, *more) if len(resolved.stations) == 1 else resolved.stations
    return replace(resolved, stations=stations, ring=True)


def _up_to(ground: Sources, ref: str, carrier: Carrier, n: StationNumbers, side: float) -> float:
    """mm along the carrier at which it comes to a plane or point; or by which all of a station's profile has come to a body,
    `side` on or back.

    Raises: DesignError.
    """
    if is_other(ground, ref):
        if isinstance(carrier, Turning | Relative | Path | Mitred):
            raise DesignError(
                "only a body that goes straight goes on up to another body; let it go up to a plane or point"
            )
        return n.position + side * _to_body(ground, ref, carrier, n, side)
    thing = ground.get(ref)
    if isinstance(thing, Frame):
        thing = thing.origin
    if isinstance(carrier, Turning | Relative | Path):
        if not isinstance(thing, Plane | np.ndarray):
            raise DesignError(f"{ground.called(ref)} is no plane or point; choose one that the body can go on to")
        return _reaches(ground, ref, carrier, thing)
    frame = carrier.frames(np.zeros(1))
    origin, way = frame.origin[0], frame.normal[0]
    if isinstance(thing, Plane):
        if abs(float(way @ thing.normal)) < 1.0 - 1e-9:
            raise DesignError(
                f"{ground.called(ref)} is not square to the way the body goes; put a station on it, or choose another"
            )
        return float((thing.origin - origin) @ way)
    if isinstance(thing, np.ndarray):
        return float((thing - origin) @ way)
    raise DesignError(f"{ground.called(ref)} is no plane or point; choose one that the body can go on to")


def _to_body(ground: Sources, ref: str, carrier: Carrier, n: StationNumbers, side: float) -> float:
    """mm from a station's profile, straight on, by which all of it has come to another body."""
    frames = carrier.frames(np.array([n.position]))
    way = side * frames.normal[0]
    field = ground.field_of(ref)
    v = np.union1d(np.linspace(field.first, field.last, 61), field.edges)
    vertices, index = triangles(skin_mesh(field.sections(v), sampling(field.common, 200), field.ring))
    corners = vertices[index]
    rim = ground.profile(n.station).curve().at(np.linspace(0.0, 1.0, 97)[:-1])
    found = np.array([first_hit(corners, point, way) for point in rim])
    if not np.isfinite(found).all():
        raise DesignError(
            f"not all of the profile comes to {ground.called(ref)} that way; go the other way, or up to something wider"
        )
    return float(found.max())


def _reaches(ground: Sources, ref: str, carrier: Carrier, thing: Plane | Array) -> float:
    """Where a carrier with an end first comes to a plane, or nearest to a point: mm along it."""
    s = np.linspace(0.0, carrier.length, 4001)
    away = _gap(carrier, thing, s)
    if isinstance(thing, np.ndarray):
        return float(s[int(away.argmin())])
    change = np.flatnonzero(away[:-1] * away[1:] <= 0.0)
    if not len(change):
        raise DesignError(f"the body never comes to {ground.called(ref)}; choose another plane")
    a, b = float(s[change[0]]), float(s[change[0] + 1])
    for _ in range(60):
        middle = (a + b) / 2.0
        sides = _gap(carrier, thing, np.array([a, middle]))
        a, b = (a, middle) if sides[0] * sides[1] <= 0.0 else (middle, b)
    return (a + b) / 2.0


def _gap(carrier: Carrier, thing: Plane | Array, s: Array) -> Array:
    origin = carrier.frames(s).origin
    if isinstance(thing, Plane):
        return np.asarray((origin - thing.origin) @ thing.normal)
    return np.linalg.norm(origin - thing, axis=1)
