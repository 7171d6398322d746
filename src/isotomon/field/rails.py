"""Rails: guides that a body follows. At every place along it, a transform carries the section's rail points to the rails.

One rail shifts the section, two turn and scale it (or stretch it only along the line between them), three or more carry it
affinely, exactly in the directions in which they spread. What is left is added by periodic cardinal functions of u that
stay between 0 and 1.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from isotomon.arrays import Array, Complex, Index
from isotomon.errors import FieldError
from isotomon.field.carriers import Frames
from isotomon.field.correspond import Correspondence
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.planar import as_complex, as_points
from isotomon.geometry.through import side_by_side

COLLINEAR = (0.01, 0.04)
"""4·det/trace² of the rail points' spread: below the first (a ratio of singular values of 0.05) they say nothing across
their line, above the second they say all."""
STEP = 1e-30
SAMPLES = 257


@dataclass(frozen=True, eq=False)
class Track:
    """One rail in the space in which sections are flat. `key`: the rail's id."""

    key: str
    curve: SpaceCurve

    @cached_property
    def table(self) -> Array:
        """(SAMPLES, 3) points of the curve, evenly spaced in its parameter."""
        return self.curve.at(np.linspace(0.0, 1.0, SAMPLES))

    def levels(self, origin: Array, normal: Array) -> tuple[Array, Array, Array]:
        """Where planes (n, 3) meet the curve: parameters (n,) by bracketing and Newton's rule, how far the curve stays
        from the plane where it does not reach it (n,), and how often it passes each plane (n,)."""
        at, gap, count, _, _ = met((self,), origin, normal)
        return at[0], gap[0], count[0]


def met(
    tracks: Sequence[Track], origin: Array, normal: Array, near: bool = False
) -> tuple[Array, Array, Index, Array, Array]:
    """`Track.levels` of several tracks at once, (tracks, n) each, with the points there and their rates (tracks, n, 3)."""
    k, share, gap, count = _bracketed(np.stack([track.table for track in tracks]), origin, normal, near)
    evaluate = side_by_side([track.curve for track in tracks])
    step = 1.0 / (SAMPLES - 1)
    low, high, at = k * step, (k + 1) * step, (k + share) * step
    held = count > 0
    for _ in range(4):
        place, rate = evaluate(at)
        off = np.einsum("rnk,nk->rn", place - origin, normal)
        steep = np.einsum("rnk,nk->rn", rate, normal)
        move = np.where(held & (np.abs(steep) > 0.0), -off / np.where(steep == 0.0, 1.0, steep), 0.0)
        moved = np.minimum(np.maximum(at + move, low), high)
        move, at = moved - at, moved
        if np.abs(move).max(initial=0.0) < 1e-9:  # what is left is its square, within what a straight step gives
            return at, gap, count, place + move[..., None] * rate, rate
    return at, gap, count, *evaluate(at)


def _bracketed(p: Array, origin: Array, normal: Array, nearest_only: bool) -> tuple[Index, Array, Array, Index]:
    """Where planes first pass polylines p (r, m, 3): the piece (r, n), the share of it, how far the polyline stays away where
    it is never passed, and how often it is."""
    if not nearest_only and (normal == normal[0]).all():
        height = p @ normal[0]
        way = np.where(height[:, -1:] > height[:, :1], 1.0, -1.0)
        rising = way * height
        if (rising[:, 1:] > rising[:, :-1]).all():
            return _bracketed_rising(rising, way * (origin @ normal[0]), 1e-9 * np.ptp(p, axis=1).max(axis=1))
    found = [_bracketed_one(one, origin, normal, nearest_only) for one in p]
    k, share, gap, count = (np.stack(column) for column in zip(*found, strict=True))
    return k, share, gap, count


def _bracketed_rising(rising: Array, want: Array, slack: Array) -> tuple[Index, Array, Array, Index]:
    """The same for polylines that only rise past parallel planes, as far as their heights (r, m) go; `want` (r, n) are the planes'."""
    rows = np.arange(len(rising))[:, None]
    gap = np.maximum(np.maximum(rising[:, :1] - want, want - rising[:, -1:]), 0.0)
    gap[gap < slack[:, None]] = 0.0
    k = np.stack([one.searchsorted(heights, side="right") for one, heights in zip(rising, want, strict=True)])
    k = np.minimum(np.maximum(k - 1, 0), rising.shape[1] - 2)
    low = rising[rows, k]
    share = np.minimum(np.maximum((want - low) / (rising[rows, k + 1] - low), 0.0), 1.0)
    return k, share, gap, (gap == 0.0).astype(np.intp)


def _bracketed_one(p: Array, origin: Array, normal: Array, nearest_only: bool) -> tuple[Index, Array, Array, Index]:
    """The same for one polyline p (m, 3) that may turn back; (n,) each."""
    slack = 1e-9 * float(np.ptp(p, axis=0).max())
    height = p @ normal.T - np.einsum("nk,nk->n", origin, normal)
    near = np.where(np.abs(height) < slack, 0.0, height)
    # A rail that ends on a plane, but for rounding, passes it: else another of its turns would be taken for it.
    near[[0, -1]] = np.where(np.abs(height[[0, -1]]) < 1e3 * slack, 0.0, height[[0, -1]])
    passes = (near[:-1] * near[1:] < 0.0) | ((near[1:] == 0.0) & (near[:-1] != 0.0))
    passes[0] |= near[0] == 0.0
    count = passes.sum(axis=0)
    k = passes.argmax(axis=0)
    if nearest_only:
        away = np.linalg.norm((p[1:] + p[:-1])[:, None] / 2.0 - origin, axis=2)
        k, count = np.where(passes, away, np.inf).argmin(axis=0), np.minimum(count, 1)
    rows = np.arange(len(origin))
    a, b = near[k, rows], near[k + 1, rows]
    share = np.where(a != b, a / np.where(a == b, 1.0, a - b), 0.0)
    lost = count == 0
    nearest = np.abs(height).argmin(axis=0)
    k = np.where(lost, np.minimum(nearest, len(p) - 2), k)
    share = np.where(lost, nearest - k, share)
    return k, share, np.where(lost, np.abs(height).min(axis=0), 0.0), count


@dataclass(frozen=True, eq=False)
class Rails:
    """Rails of one body, in order round the section. `rows`: (rails, n) evaluate a section's control points at the
    rails; `share`: (n, rails) and `anchor_share`: (2, rails), the cardinal functions at control and nominal points.
    """

    tracks: tuple[Track, ...]
    places: tuple[float, ...]
    """Of each rail round the section, in order."""
    rows: Array
    share: Array
    anchor_share: Array
    stretch: bool
    near: bool = False
    """Planes may pass a rail often, as on a ring: the place nearest to the plane's origin counts."""

    def carried(self, frames: Frames, local: Array, local1: Array) -> tuple[Array, Array]:
        """Sections (n_v, n + 2, 2), nominal points last, and their slopes, brought to the rails."""
        goals, goals1 = self.goals(frames)
        z, z1 = _flat(local), _flat(local1)
        p, p1 = as_points(z[:, :-2] @ self.rows.T), as_points(z1[:, :-2] @ self.rows.T)
        # A complex step gives the derivative to the last digit (Squire and Trapp, SIAM Review 40, 1998).
        pc, rc = p + 1j * STEP * p1, goals + 1j * STEP * goals1
        middle, turn, shift = _transform(pc, rc, self.stretch)
        left = rc - (np.matmul(pc - middle[:, None], turn) + shift[:, None])
        away, away1 = z - _flat(middle.real), z1 - _flat(middle.imag / STEP)
        carried = _turned(away, turn.real) + _flat(left.real) @ self.shares.T + _flat(shift.real)
        slopes = _turned(away, turn.imag / STEP) + _turned(away1, turn.real)
        slopes += _flat(left.imag / STEP) @ self.shares.T + _flat(shift.imag / STEP)
        return as_points(carried), as_points(slopes)

    @cached_property
    def shares(self) -> Array:
        """(n + 2, rails): the cardinal functions at control points, then at nominal points."""
        return np.vstack([self.share, self.anchor_share])

    def goals(self, frames: Frames) -> tuple[Array, Array]:
        """(n_v, rails, 2): where the rails pass the planes, in the planes' axes, and its derivative by v."""
        *_, place, rate = met(self.tracks, frames.origin, frames.normal, self.near)
        away = (place - frames.origin).transpose(1, 2, 0)
        steep = np.einsum("rvk,vk->vr", rate, frames.normal)
        speed = np.einsum("vk,vk->v", frames.origin1, frames.normal)[:, None] - np.einsum(
            "vkr,vk->vr", away, frames.normal1
        )
        speed = speed / np.where(np.abs(steep) > 1e-12, steep, 1e-12)
        rate = rate.transpose(1, 2, 0) * speed[:, None] - frames.origin1[..., None]
        axes = np.stack([frames.across, frames.up], axis=1)
        axes1 = np.stack([frames.across1, frames.up1], axis=1)
        slopes = np.matmul(axes, rate) + np.matmul(axes1, away)
        return np.matmul(axes, away).transpose(0, 2, 1), slopes.transpose(0, 2, 1)


def _flat(points: Array) -> Complex:
    """(n_v, m) x + iy of points (n_v, m, 2), or (n_v, 1) of one a section (n_v, 2)."""
    return as_complex(points.reshape(len(points), -1))


def _turned(z: Complex, matrix: Array) -> Complex:
    """Points x + iy (n_v, m), as rows times matrices (n_v, 2, 2): one number turns and sizes them, another their mirror images."""
    (a, b), (c, d) = matrix.transpose(1, 2, 0)
    turned = ((a + d) + 1j * (b - c))[:, None] / 2.0 * z
    mirrored = ((a - d) + 1j * (b + c))[:, None] / 2.0
    return turned + mirrored * z.conj() if mirrored.any() else turned


def _transform(p: Complex, r: Complex, stretch: bool) -> tuple[Complex, Complex, Complex]:
    """(from (n_v, 2), matrix (n_v, 2, 2), to (n_v, 2)): a point x goes to (x - from) @ matrix + to."""
    pm, rm = p.mean(axis=1), r.mean(axis=1)
    one = np.broadcast_to(np.eye(2, dtype=np.complex128), (len(p), 2, 2))
    if p.shape[1] == 1:
        return pm, one, rm
    c, d = p - pm[:, None], r - rm[:, None]
    xx, yy = np.sum(c[..., 0] ** 2, axis=1), np.sum(c[..., 1] ** 2, axis=1)
    xy = np.sum(c[..., 0] * c[..., 1], axis=1)
    trace, det = xx + yy, xx * yy - xy * xy
    # Where the section comes to a point there is nothing to turn or scale.
    gone = trace.real < 1e-16 * max(float(trace.real.max()), 1e-300)
    safe = np.where(gone, 1.0, trace)
    a = np.sum(c[..., 0] * d[..., 0] + c[..., 1] * d[..., 1], axis=1) / safe
    b = np.sum(c[..., 0] * d[..., 1] - c[..., 1] * d[..., 0], axis=1) / safe
    similar = np.stack([np.stack([a, b], axis=-1), np.stack([-b, a], axis=-1)], axis=1)
    if stretch:
        similar = _stretched(c, a, b)
    result = similar
    if p.shape[1] > 2:
        q = 4.0 * det / safe**2
        share = np.clip((q.real - COLLINEAR[0]) / (COLLINEAR[1] - COLLINEAR[0]), 0.0, 1.0)
        inside = (share > 0.0) & (share < 1.0)
        w = np.where(inside, (q - COLLINEAR[0]) / (COLLINEAR[1] - COLLINEAR[0]), share)
        w = w**3 * (10.0 - 15.0 * w + 6.0 * w**2)
        inverse = np.stack([np.stack([yy, -xy], axis=-1), np.stack([-xy, xx], axis=-1)], axis=1)
        inverse = inverse / np.where(share > 0.0, det, 1.0)[:, None, None]
        affine = np.matmul(inverse, np.einsum("vki,vkj->vij", c, d))
        result = w[:, None, None] * affine + (1.0 - w)[:, None, None] * similar
    return pm, np.where(gone[:, None, None], one, result), rm


def _stretched(c: Complex, a: Complex, b: Complex) -> Complex:
    """Turned as a whole, but scaled only along the line between the two rails that are farthest apart."""
    far = np.linalg.norm((c[:, :, None] - c[:, None]).real, axis=3).sum(axis=0)
    i, j = np.unravel_index(int(far.argmax()), far.shape)
    along = c[:, j] - c[:, i]
    e = along / np.sqrt(np.where(gone := np.sum(along**2, axis=1) == 0.0, 1.0, np.sum(along**2, axis=1)))[:, None]
    size = np.sqrt(np.where(gone, 1.0, a * a + b * b))
    turn = np.stack([np.stack([a, b], axis=-1), np.stack([-b, a], axis=-1)], axis=1) / size[:, None, None]
    grow = np.eye(2) + (size - 1.0)[:, None, None] * e[:, :, None] * e[:, None, :]
    return np.matmul(grow, turn)


def cardinal(u: Array, places: Array, is_open: bool = False) -> Array:
    """(len(u), rails): functions that are 1 at one rail's place and 0 at all others', C2, adding up to 1: periodic, or
    constant beyond the outermost rails of an open section."""
    count = len(places)
    result = np.zeros((len(u), count))
    if count == 1:
        result[:, 0] = 1.0
        return result
    wide, ahead = np.roll(places, -1) - places, u[:, None] - places
    if is_open:
        k = np.clip(np.searchsorted(places, u, side="right") - 1, 0, count - 2)
    else:
        wide, ahead = np.mod(wide, 1.0), np.mod(ahead, 1.0)
        k = ahead.argmin(axis=1)
    rows = np.arange(len(u))
    w = np.clip(ahead[rows, k] / wide[k], 0.0, 1.0)
    w = w**3 * (10.0 - 15.0 * w + 6.0 * w**2)
    result[rows, k] += 1.0 - w
    result[rows, (k + 1) % count] += w
    return result


def make_rails(
    common: Correspondence,
    tracks: Sequence[Track],
    places: Sequence[float],
    anchor_u: Array,
    stretch: bool = False,
    near: bool = False,
) -> Rails | None:
    """Rails in the common form, at `places` (rails,) round the section; None without any. `anchor_u`: (2,) places nearest
    the nominal points.

    Raises: FieldError, when two of them lie at one place.
    """
    if not tracks:
        return None
    ordered = sorted(
        zip(common.on(np.array(places)).tolist(), tracks, strict=True), key=lambda pair: (pair[0], pair[1].key)
    )
    u = tuple(place for place, _ in ordered)
    if len(u) > 1 and np.diff(u if common.open else np.append(u, u[0] + 1.0)).min() < 1e-6:
        raise FieldError("two rails lie at one place on the section; take one of them out")
    rows, share = _cardinals(common, u)
    return Rails(
        tuple(t for _, t in ordered),
        u,
        rows,
        share,
        cardinal(common.on(anchor_u), np.array(u), common.open),
        stretch,
        near,
    )


@lru_cache(maxsize=16)
def _cardinals(common: Correspondence, places: tuple[float, ...]) -> tuple[Array, Array]:
    """(rails, n) rows that evaluate sections at the rails, and (n, rails) the cardinal functions at control points."""
    u = np.array(places)
    blocks = []
    for k, lane in enumerate(common.lanes):
        if lane.loop:  # holes go with the section as a whole
            blocks.append(np.full((lane.basis.size, len(places)), 1.0 / len(places)))
            continue
        start, wide = common.u[k], common.u[k + 1] - common.u[k]
        blocks.append(lane.basis.interpolate(lambda w, s=start, d=wide: cardinal(common.on(s + w * d), u, common.open)))  # type: ignore[misc]
    return common.rows(u), np.vstack(blocks)
