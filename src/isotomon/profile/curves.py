"""The parts of a drawing as curves: poles and knots of splines, and every part as a function on [0, 1]."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from scipy.interpolate import BSpline

from isotomon.arrays import Array
from isotomon.errors import ProfileError
from isotomon.profile.drawing import Arc, CirclePart, Curve, Line, Oval, Part, Spline, TangentHandle, part_ends

Places = Mapping[str, Array]
"""Point id → (2,) mm."""


@dataclass(frozen=True, eq=False)
class SplineFrame:
    """A spline part as a B-spline whose poles are linear in what it stands on.

    `weights` (poles, points + held handles): columns are the part's points, then its held handles. The curve's own
    parameter runs over `knots[degree]` … `knots[-degree - 1]`. `held`: which handle each handle column is.
    """

    degree: int
    knots: Array
    weights: Array
    held: tuple[int, ...]

    @property
    def start(self) -> float:
        """The parameter at which it begins."""
        return float(self.knots[self.degree])

    @property
    def end(self) -> float:
        """The parameter at which it ends."""
        return float(self.knots[-self.degree - 1])

    @property
    def breaks(self) -> Array:
        """Distinct knots from start to end."""
        return np.unique(self.knots[self.degree : len(self.knots) - self.degree])

    def row(self, t: Array, derivative: int = 0) -> Array:
        """(len(t), sources): weights of what the part stands on at its own parameters t."""
        values = BSpline(self.knots, self.weights, self.degree)(np.asarray(t, dtype=float), derivative)
        return np.asarray(values, dtype=np.float64)

    def continuity(self, t: float) -> int:
        """How many derivatives are continuous at a knot by construction of the knots."""
        return self.degree - int(np.sum(np.abs(self.knots - t) < 1e-12))


def frame_of(part: Curve | Spline) -> SplineFrame:
    """The frame of a spline part; it depends on its parameters and which handles are held, not on coordinates."""
    if isinstance(part, Spline):
        return _spline_frame(len(part.points), part.degree, part.closed)
    backs = tuple(None if h is None else h.back for h in part.handles)
    return _curve_frame(part.params, backs, part.closed)


@lru_cache(maxsize=256)
def _spline_frame(count: int, degree: int, closed: bool) -> SplineFrame:
    if closed:
        knots = np.arange(-degree, count + degree + 1) / count
        weights = np.vstack([np.eye(count), np.eye(count)[:degree]])
        return SplineFrame(degree, knots, weights, ())
    inner = np.linspace(0.0, 1.0, count - degree + 1)
    return SplineFrame(degree, np.r_[np.zeros(degree), inner, np.ones(degree)], np.eye(count), ())


@lru_cache(maxsize=256)
def _curve_frame(params: tuple[float, ...], backs: tuple[float | None, ...], closed: bool) -> SplineFrame:
    u, n = np.array(params), len(backs)
    h = np.diff(u)
    held = tuple(i for i, b in enumerate(backs) if b is not None)
    back = np.array([1.0 if b is None else b for b in backs])
    system, right = np.zeros((n, n)), np.zeros((n, n + len(held)))
    for i in range(n):
        if i in held:
            system[i, i] = 1.0
            right[i, n + held.index(i)] = 1.0
            continue
        first, last = i == 0 and not closed, i == n - 1 and not closed
        before, after = (i - 1) % n, (i + 1) % n
        if not last:  # half of the C2 condition: the span after this point
            span = h[i]
            system[i, i] += 2.0 / span
            system[i, after] += back[after] / span
            right[i, i] -= 3.0 / span**2
            right[i, after] += 3.0 / span**2
        if not first:
            span = h[i - 1]
            system[i, i] += 2.0 * back[i] / span
            system[i, before] += 1.0 / span
            right[i, i] += 3.0 / span**2
            right[i, before] -= 3.0 / span**2
    slopes = np.linalg.solve(system, right)
    eye = np.eye(n, n + len(held))
    poles = [eye[0]]
    for i in range(len(h)):
        after = (i + 1) % n
        poles += [eye[i] + slopes[i] * h[i] / 3.0, eye[after] - back[after] * slopes[after] * h[i] / 3.0, eye[after]]
    knots = np.r_[0.0, np.repeat(u, 3), 1.0]
    return SplineFrame(3, knots, np.array(poles), held)


def sources(part: Curve | Spline, places: Places) -> Array:
    """(sources, 2): the coordinates a spline part's frame is multiplied by."""
    rows = [places[p] for p in part.points]
    if isinstance(part, Curve):
        rows += [np.array([h.x, h.y]) for h in part.handles if h is not None]
    return np.array(rows)


def spread(points: Array, closed: bool) -> tuple[float, ...]:
    """Parameters for a smooth curve through points (n, 2), by the square root of chord lengths.

    Source: Lee, Choosing nodes in parametric curve interpolation (1989): the centripetal choice.
    Raises: ProfileError, when neighbouring points coincide.
    """
    loop = np.vstack([points, points[:1]]) if closed else points
    step = np.sqrt(np.linalg.norm(np.diff(loop, axis=0), axis=1))
    if not np.all(step > 0.0):
        raise ProfileError("two neighbouring points of a curve lie at one place; move or remove one")
    u = np.concatenate([[0.0], np.cumsum(step)])
    u = u / u[-1]
    u[-1] = 1.0
    return tuple(u.tolist())


def handles_of(part: Curve, places: Places) -> Array:
    """(points, 2): the tangent (derivative by the parameter) at each of a curve's points, held or not."""
    frame = frame_of(part)
    u = np.array(part.params[: len(part.points)])
    return frame.row(u, 1) @ sources(part, places)


@dataclass(frozen=True, eq=False)
class CurvePiece:
    """A part, or a stretch of one, as a curve on [0, 1] with its derivative. `breaks`: inner parameters where it is
    less smooth, with the number of derivatives that are continuous there.
    """

    part: str
    kind: str
    at: Callable[[Array], Array]
    slope: Callable[[Array], Array]
    breaks: tuple[tuple[float, int], ...] = ()
    ends: tuple[str, str] = ("", "")
    """The ids of the points at which it begins and ends."""

    def reversed(self) -> CurvePiece:
        """The same curve from its end."""
        breaks = tuple((1.0 - t, k) for t, k in self.breaks[::-1])
        back = self.ends[::-1]
        return CurvePiece(
            self.part, self.kind, lambda t: self.at(1.0 - t), lambda t: -self.slope(1.0 - t), breaks, back
        )

    def cut(self, start: float, end: float) -> CurvePiece:
        """The stretch between two parameters."""
        wide = end - start
        inner = tuple(((t - start) / wide, k) for t, k in self.breaks if start + 1e-12 < t < end - 1e-12)
        return CurvePiece(
            self.part,
            self.kind,
            lambda t: self.at(start + wide * t),
            lambda t: wide * self.slope(start + wide * t),
            inner,
        )

    def moved(self, matrix: Array, shift: Array) -> CurvePiece:
        """The curve after p → matrix p + shift."""
        return CurvePiece(
            self.part,
            self.kind,
            lambda t: self.at(t) @ matrix.T + shift,
            lambda t: self.slope(t) @ matrix.T,
            self.breaks,
            self.ends,
        )

    @property
    def start(self) -> Array:
        """(2,) where it begins."""
        return self.at(np.zeros(1))[0]

    @property
    def end(self) -> Array:
        """(2,) where it ends."""
        return self.at(np.ones(1))[0]


def arc_angles(centre: Array, a: Array, b: Array) -> tuple[float, float, float]:
    """(radius, start angle, sweep in (0, 2π]) of the arc about `centre` from a counter-clockwise to b."""
    start = float(np.arctan2(*(a - centre)[::-1]))
    end = float(np.arctan2(*(b - centre)[::-1]))
    sweep = (end - start) % (2 * np.pi)
    return float(np.linalg.norm(a - centre)), start, sweep if sweep > 1e-12 else 2 * np.pi


def oval_axes(part: Oval, places: Places) -> tuple[Array, Array, Array]:
    """(centre, half axis towards `major`, the other half axis, a quarter counter-clockwise of it)."""
    centre = places[part.centre]
    major = places[part.major] - centre
    size = max(float(np.hypot(*major)), 1e-300)
    return centre, major, part.minor / size * np.array([-major[1], major[0]])


def oval_span(part: Oval, places: Places) -> tuple[float, float]:
    """(start, sweep) of the drawn part in the ellipse's own angle."""
    if part.a is None or part.b is None:
        return 0.0, 2 * np.pi
    centre, major, minor = oval_axes(part, places)

    def angle(p: Array) -> float:
        away = p - centre
        return float(np.arctan2(away @ minor / (minor @ minor), away @ major / (major @ major)))

    start = angle(places[part.a])
    sweep = (angle(places[part.b]) - start) % (2 * np.pi)
    return start, sweep if sweep > 1e-12 else 2 * np.pi


def piece_of(part: Part, places: Places) -> CurvePiece:
    """A part as a curve."""
    return replace(_piece(part, places), ends=part_ends(part) or ("", ""))


def _piece(part: Part, places: Places) -> CurvePiece:
    match part:
        case Line(key, a, b):
            start, along = places[a], places[b] - places[a]
            return CurvePiece(key, "line", lambda t: start + t[:, None] * along, lambda t: np.tile(along, (len(t), 1)))
        case Arc(key, centre, a, b):
            radius, first, sweep = arc_angles(places[centre], places[a], places[b])
            return _turning(key, "arc", places[centre], np.array([radius, 0.0]), np.array([0.0, radius]), first, sweep)
        case CirclePart(key, centre, radius):
            axes = np.array([radius, 0.0]), np.array([0.0, radius])
            return _turning(key, "circle", places[centre], *axes, 0.0, 2 * np.pi)
        case Oval(key):
            return _turning(key, "ellipse", *oval_axes(part, places), *oval_span(part, places))
        case _:
            return _spline_piece(part, places)


def _turning(key: str, kind: str, middle: Array, major: Array, minor: Array, first: float, sweep: float) -> CurvePiece:
    """The ellipse or circle middle + cos a · major + sin a · minor for a from `first` through `sweep`."""

    def at(t: Array) -> Array:
        a = first + sweep * t
        return middle + np.cos(a)[:, None] * major + np.sin(a)[:, None] * minor

    def slope(t: Array) -> Array:
        a = first + sweep * t
        return sweep * (np.cos(a)[:, None] * minor - np.sin(a)[:, None] * major)

    return CurvePiece(key, kind, at, slope)


def _spline_piece(part: Curve | Spline, places: Places) -> CurvePiece:
    frame = frame_of(part)
    spline = BSpline(frame.knots, frame.weights @ sources(part, places), frame.degree)
    start, end = frame.start, frame.end
    breaks = []
    for t in frame.breaks[1:-1].tolist():
        if isinstance(part, Curve):
            index = int(np.argmin(np.abs(np.array(part.params) - t)))
            handle: TangentHandle | None = part.handles[index]
            smooth = 2 if handle is None else 1
        else:
            smooth = frame.continuity(t)
        breaks.append(((t - start) / (end - start), max(smooth, 1)))
    wide = end - start
    return CurvePiece(
        part.id,
        "curve",
        lambda t: np.asarray(spline(start + wide * t)),
        lambda t: wide * np.asarray(spline(start + wide * t, 1)),
        tuple(breaks),
    )


def polyline(piece: CurvePiece) -> Array:
    """Points along a piece for drawing and picking: two for a line, else enough for the eye at any usual zoom."""
    if piece.kind == "line":
        return piece.at(np.array([0.0, 1.0]))
    count = 97 if piece.kind in ("circle", "ellipse") else 49 + 16 * len(piece.breaks)
    return piece.at(np.linspace(0.0, 1.0, count))
