"""Guides worked out: each a curve in space, from what it is made of."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array
from isotomon.design.guides import Guide, GuidePoint, check_guide
from isotomon.errors import DesignError, IsotomonError, QuantityError, named_error
from isotomon.evaluate.sources import Sources
from isotomon.field import skin as skins
from isotomon.field.dropping import dropped
from isotomon.field.meeting import meeting
from isotomon.geometry import space
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve, unit
from isotomon.geometry.helix import Helix
from isotomon.geometry.hermite import smooth
from isotomon.geometry.quadrature import gauss_rule
from isotomon.geometry.through import through
from isotomon.profile.drawing import Drawing
from isotomon.profile.drawn import corner_name, joints
from isotomon.profile.loops import Chain, find_runs
from isotomon.quantity import Quantity, Value, resolve

Law = Callable[[Array], Array]
"""What something is at shares (n,) of the turns: (n,), or (n, 1)."""


def guide_curve(ground: Sources, guide: Guide) -> SpaceCurve:
    """The curve of a guide.

    Raises: DesignError, naming the guide, when it cannot be made.
    """
    check_guide(guide)
    try:
        return _MAKE[guide.kind](ground, guide)
    except IsotomonError as error:
        raise named_error("guide", guide.name, error) from None


def number(ground: Sources, title: str, value: Value, kind: str) -> float:
    """A guide's number in mm or rad. Raises: QuantityError, naming it."""
    try:
        return resolve(value, kind, ground.names)  # type: ignore[arg-type]
    except QuantityError as error:
        raise QuantityError(f"{title.lower()}: {error}") from None


def _numbers(ground: Sources, guide: Guide) -> list[float]:
    return [number(ground, f.title, v, f.kind) for f, v in zip(guide.recipe.fields, guide.values, strict=True)]


def point_place(ground: Sources, point: GuidePoint) -> Array:
    """(3,) where a point of a guide lies. Raises: IsotomonError."""
    if point.on and point.x == point.y == point.z == 0.0:
        return ground.point(point.on)
    away = np.array(
        [number(ground, axis, v, "length") for axis, v in zip("xyz", (point.x, point.y, point.z), strict=True)]
    )
    return away if not point.on else ground.point(point.on) + away


def _through(ground: Sources, guide: Guide) -> SpaceCurve:
    places = np.array([point_place(ground, p) for p in guide.points]).reshape(-1, 3)
    closed = guide.choices[0] == "closed"
    if len(places) < 2:
        return through(places)
    slopes = [_slope(ground, p, places, k, closed) for k, p in enumerate(guide.points)]
    return through(places, slopes, closed)


def _slope(ground: Sources, point: GuidePoint, places: Array, k: int, closed: bool) -> Array | None:
    """The derivative by chord length at a point with a handle, or None."""
    if not point.toward and point.handle is None:
        return None
    n = len(places)
    near = [j % n for j in (k - 1, k + 1) if closed or 0 <= j < n]
    spans = [float(np.linalg.norm(places[j] - places[k])) for j in near]
    onward = (
        places[near[-1]] - places[near[0]] if len(near) > 1 else (places[near[0]] - places[k]) * (1 if k == 0 else -1)
    )
    way = np.array(point.handle) if point.handle is not None else direction(ground, point.toward)
    way = unit(way, "a handle has no length; drag it away from its point, or let it go")
    if point.handle is None and float(way @ onward) < 0.0:
        way = -way
    pull = number(ground, "pull", point.pull, "length")
    if pull < 0.0:
        raise DesignError("a handle's pull must be nought or more")
    return way * (3.0 * pull / float(np.mean(spans)) if pull else 1.0)


def direction(ground: Sources, ref: str) -> Array:
    """A direction: a plane's normal, an axis's or a straight edge's way."""
    thing = ground.get(ref)
    if isinstance(thing, Plane):
        return thing.normal
    if isinstance(thing, Frame):
        return np.asarray(thing.axes[2])
    return ground.axis(ref).way


def drawing_curve(ground: Sources, key: str) -> SpaceCurve:
    """The longest run of a drawing, on the plane it was drawn on.

    Raises: DesignError.
    """
    drawing = next((d for d in ground.design.drawings if d.id == key), None)
    if drawing is None:
        raise DesignError(f"the drawing '{key}' is gone; pick something else")
    if key not in ground.drawings.solutions:
        raise DesignError(f"the drawing '{drawing.name}' is not solved yet, or stands on this itself")
    flat, plane = _flat_curve(ground.drawings.solutions[key].drawing), ground.plane(drawing.plane or "xy")

    def at(t: Array) -> Array:
        p = flat.at(t)
        return plane.origin + p[:, :1] * plane.across + p[:, 1:2] * plane.up

    return SpaceCurve(at, flat.closed, flat.corners, names=flat.names, joints=flat.joints)


@lru_cache(maxsize=128)
def _flat_curve(drawing: Drawing) -> SpaceCurve:
    """The longest run of a solved drawing as a curve in its plane (z nought), by about its length.

    Raises: DesignError.
    """
    runs = find_runs(drawing)
    chains = sorted((*runs.closed, *runs.open), key=lambda c: -_length(c))
    if not chains:
        raise DesignError(f"drawing '{drawing.name}' has no run of lines or curves yet; draw one")
    chain, t = chains[0], np.linspace(0.0, 1.0, 65)
    lengths = np.array([np.linalg.norm(np.diff(p.at(t), axis=0), axis=1).sum() for p in chain.pieces])
    edges = np.r_[0.0, np.cumsum(lengths) / lengths.sum()]
    edges[-1] = 1.0

    def at(s: Array) -> Array:
        s = np.clip(np.asarray(s, dtype=float), 0.0, 1.0)
        which = np.clip(np.searchsorted(edges, s, side="right") - 1, 0, len(chain.pieces) - 1)
        result = np.zeros((len(s), 3))
        for k, piece in enumerate(chain.pieces):
            here = which == k
            if here.any():
                result[here, :2] = piece.at((s[here] - edges[k]) / (edges[k + 1] - edges[k]))
        return result

    turn = joints(chain.pieces)
    turn[0] = turn[0] if chain.closed else 0.0
    bent = np.flatnonzero(turn > 1e-3).tolist()
    names = tuple(corner_name(drawing.id, chain.pieces[k - 1], chain.pieces[k]) for k in bent)
    parted = tuple(edges[1:-1].tolist())
    return SpaceCurve(at, chain.closed, tuple(edges[bent].tolist()), names=names, joints=parted)


def _length(chain: Chain) -> float:
    p = chain.polygon()
    return float(np.linalg.norm(np.diff(p, axis=0), axis=1).sum())


def _two_views(ground: Sources, guide: Guide) -> SpaceCurve:
    curves = [ground.curve(ref) for ref in guide.on]
    planes = [
        ground.plane(d.plane or "xy")
        if (d := ground.drawing(ref)) is not None
        else space.plane_of(c, ground.called(ref))
        for ref, c in zip(guide.on, curves, strict=True)
    ]
    return space.two_views(curves[0], planes[0], curves[1], planes[1])


def _on_skin(ground: Sources, guide: Guide) -> SpaceCurve:
    skin = ground.skin(guide.on[0])
    if not isinstance(skin, skins.Charted):
        raise DesignError("a curve is drawn on a body's skin; pick the body")
    if len(guide.points) < 2:
        raise DesignError("the curve needs two places on the skin or more")
    u = np.array([number(ground, "round", p.x, "ratio") for p in guide.points])
    v = np.array([number(ground, "along", p.z, "length") for p in guide.points])
    return skins.on_skin(skin, u, skin.levels(v), guide.choices[0] == "closed")


def joined_run(ground: Sources, guide: Guide) -> tuple[SpaceCurve, list[space.Join]]:
    """A joined guide, and how its curves meet. Raises: IsotomonError."""
    return space.joined([ground.curve(ref) for ref in guide.on], guide.choices[0] == "smoothed", guide.on)


def _along(ground: Sources, value: Value, kind: str) -> Callable[[Array], Array]:
    """A number that may follow a law: a formula with `fraction`, 0 at the helix's start and 1 at its end."""
    if not isinstance(value, str) or "fraction" not in value:
        fixed = resolve(value, kind, ground.names)  # type: ignore[arg-type]
        return lambda s: np.full(len(s), fixed)
    places = np.linspace(0.0, 1.0, 97)
    values = [resolve(value, kind, {**ground.names, "fraction": Quantity(float(s))}) for s in places]  # type: ignore[arg-type]
    course = CubicSpline(places, values)
    return lambda s: np.asarray(course(s))


def _helix(ground: Sources, guide: Guide) -> SpaceCurve:
    fields = {f.title: v for f, v in zip(guide.recipe.fields, guide.values, strict=True)}
    kinds = {f.title: f.kind for f in guide.recipe.fields}
    derived, hand, shape, leads = guide.choices

    def value(title: str) -> float:
        return number(ground, title, fields[title], kinds[title])

    def law(title: str) -> Law:
        try:
            return _along(ground, fields[title], kinds[title])
        except QuantityError as error:
            raise QuantityError(f"{title.lower()}: {error}") from None

    thing = ground.get(guide.on[0])
    axis = thing.axis if isinstance(thing, Cylinder) else ground.axis(guide.on[0])
    own = thing.radius if isinstance(thing, Cylinder) and fields["Radius"] == 0.0 else 0.0
    radius: Law = (lambda s: np.full(len(s), own)) if own else law("Radius")
    # The pitch integrated over the turns gives the height; a pitch law keeps its course whatever is worked out.
    mean, course = _rise(law("Pitch") if derived != "pitch" else lambda s: np.ones(len(s)))
    turns = _turns(value("Height"), mean) if derived == "turns" else value("Turns")
    height = turns * mean if derived != "pitch" else value("Height")
    if not 1e-3 < turns <= 1000.0:
        raise DesignError(f"it has {turns:.4g} turns; use more than nought and at most 1000")
    if shape == "to the end radius":
        radius = _to_radius(radius, value("End radius"), course, height)
    elif shape == "by the taper":
        end = float(radius(np.ones(1))[0]) + height * math.tan(value("Taper"))
        radius = _to_radius(radius, end, course, height)
    probe = radius(np.linspace(0.0, 1.0, 129))
    if probe.min() < -1e-9 or probe.max() <= 0.0:
        raise DesignError(f"its radius goes to {probe.min():.4g} mm; keep it above nought")
    lead = (value("Lead-in"), value("Lead-out"))
    if min(lead) < 0.0:
        raise DesignError("a lead must be nought or longer")
    return Helix(
        Axis(axis.origin + value("Start along the axis") * axis.way, axis.way),
        radius,
        lambda q: height * course(q)[:, 0],
        turns,
        hand == "left",
        value("Start angle"),
        lead,
        leads == "fading",
        value("Fade by"),
    ).curve()


def _rise(pitch: Law) -> tuple[float, Law]:
    """The mean of a pitch over all turns, and the share (n, 1) of the height that is reached at shares (n,) of the turns."""
    s = np.linspace(0.0, 1.0, 257)
    x, w = gauss_rule(4)
    inner = (s[:-1, None] + np.diff(s)[:, None] * (x + 1.0) / 2.0).ravel()
    rise = np.r_[0.0, np.cumsum((pitch(inner).reshape(256, 4) * w).sum(axis=1) / 512.0)]
    mean = float(rise[-1])
    return mean, smooth(s, (rise / (mean if abs(mean) > 1e-12 else 1.0))[:, None]).pieces()


def _turns(height: float, mean: float) -> float:
    """How many turns reach a height (mm) by a mean pitch (mm). Raises: DesignError."""
    if abs(mean) < 1e-9:
        raise DesignError("the pitch is nought, so that no number of turns reaches the height; give it a pitch")
    return height / mean


def _to_radius(radius: Law, end: float, course: Law, height: float) -> Law:
    """A radius that comes to `end` (mm) at the end, changing as the height does; over its turns where it has no height."""
    first = float(radius(np.zeros(1))[0])
    if not height:
        return lambda q: first + (end - first) * q
    return lambda q: radius(q) + (end - first) * course(q)[:, 0]


_MAKE: dict[str, Callable[[Sources, Guide], SpaceCurve]] = {
    "through": _through,
    "drawn": lambda g, d: drawing_curve(g, d.on[0]),
    "two-views": _two_views,
    "dropped": lambda g, d: dropped(g.curve(d.on[0]), g.skin(d.on[1]), direction(g, d.on[2]) if d.on[2] else None),
    "on-skin": _on_skin,
    "meets": lambda g, d: meeting(g.skin(d.on[0]), g.skin(d.on[1]), round(_numbers(g, d)[0])),
    "joined": lambda g, d: joined_run(g, d)[0],
    "helix": _helix,
    "offset": lambda g, d: space.beside(g.curve(d.on[0]), g.plane(d.on[1]).normal, _numbers(g, d)[0]),
    "mirrored": lambda g, d: space.mirrored(g.curve(d.on[0]), g.plane(d.on[1])),
    "extended": lambda g, d: space.extended(g.curve(d.on[0]), *_numbers(g, d)),
}
