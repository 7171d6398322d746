"""Rails: guides that a body follows. At every place along it, a transform carries the section's rail points to the rails.

One rail shifts the section, two turn and scale it (or stretch it only along the line between them), three or more carry it
affinely, exactly in the directions in which they spread. What is left is added by periodic cardinal functions of u that
stay between 0 and 1.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import FieldError
from isotomon.field.correspond import Correspondence
from isotomon.geometry.datums import SpaceCurve
from isotomon.geometry.planar import cross3

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]
COLLINEAR = (0.01, 0.04)
"""4·det/trace² of the rail points' spread: below the first (a ratio of singular values of 0.05) they say nothing across
their line, above the second they say all."""
STEP = 1e-30
SAMPLES = 257


@dataclass(frozen=True, eq=False)
class Track:
    """One rail in the space in which sections are flat. `key`: the rail's id, `u` its place round the section."""

    key: str
    curve: SpaceCurve
    u: float
    _table: tuple[Array, Array] = field(init=False)

    def __post_init__(self) -> None:
        t = np.linspace(0.0, 1.0, SAMPLES)
        object.__setattr__(self, "_table", (t, self.curve.at(t)))

    def levels(self, origin: Array, normal: Array) -> tuple[Array, Array, Array]:
        """Where planes (n, 3) meet the curve: parameters (n,) by bracketing and Newton's rule, how far the curve stays
        from the plane where it does not reach it (n,), and how often it passes each plane (n,)."""
        t, p = self._table
        height = p @ normal.T - np.sum(origin * normal, axis=1)
        size = float(np.ptp(p, axis=0).max())
        near = np.where(np.abs(height) < 1e-9 * size, 0.0, height)
        passes = (near[:-1] * near[1:] < 0.0) | ((near[1:] == 0.0) & (near[:-1] != 0.0))
        passes[0] |= near[0] == 0.0
        count = passes.sum(axis=0)
        k = passes.argmax(axis=0)
        rows = np.arange(len(origin))
        a, b = near[k, rows], near[k + 1, rows]
        at = t[k] + (t[1] - t[0]) * np.where(np.abs(a - b) > 0.0, a / np.where(a == b, 1.0, a - b), 0.0)
        lost = count == 0
        at[lost] = t[np.abs(height[:, lost]).argmin(axis=0)]
        low, high = np.maximum(t[k], 0.0), np.minimum(t[k + 1], 1.0)
        for _ in range(3):
            off = np.sum((self.curve.at(at) - origin) * normal, axis=1)
            slope = np.sum(self.curve.rate(at) * normal, axis=1)
            step = off / np.where(np.abs(slope) > 1e-12 * size, slope, np.inf)
            at = np.where(lost, at, np.clip(at - step, low, high))
        gap = np.where(lost, np.abs(height).min(axis=0), 0.0)
        return at, gap, count


@dataclass(frozen=True, eq=False)
class Rails:
    """Rails of one body, in order round the section. `rows`: (rails, n) evaluate a section's control points at the
    rails; `share`: (n, rails) and `anchor_share`: (2, rails), the cardinal functions at control and nominal points.
    """

    tracks: tuple[Track, ...]
    rows: Array
    share: Array
    anchor_share: Array
    stretch: bool

    def carried(self, frames: Frames, local: Array, local1: Array) -> tuple[Array, Array]:
        """Sections (n_v, n + 2, 2), nominal points last, and their slopes, brought to the rails."""
        goals, goals1 = self.goals(frames)
        p = np.matmul(self.rows, local[:, :-2])
        p1 = np.matmul(self.rows, local1[:, :-2])
        # A complex step gives the derivative to the last digit (Squire and Trapp, SIAM Review 40, 1998).
        middle, turn, shift = _transform(p + 1j * STEP * p1, goals + 1j * STEP * goals1, self.stretch)
        carried = np.matmul(local + 1j * STEP * local1 - middle[:, None], turn) + shift[:, None]
        left = (goals + 1j * STEP * goals1) - (np.matmul(p + 1j * STEP * p1 - middle[:, None], turn) + shift[:, None])
        carried += np.matmul(np.vstack([self.share, self.anchor_share]), left)
        return carried.real.copy(), carried.imag / STEP

    def goals(self, frames: Frames) -> tuple[Array, Array]:
        """(n_v, rails, 2): where the rails pass the planes, in the planes' axes, and its derivative by v."""
        here, slopes = [], []
        for track in self.tracks:
            t = track.levels(frames.origin, frames.normal)[0]
            away, rate = track.curve.at(t) - frames.origin, track.curve.rate(t)
            steep = np.sum(rate * frames.normal, axis=1)
            off = np.sum(frames.origin1 * frames.normal, axis=1) - np.sum(away * frames.normal1, axis=1)
            rate = rate * (off / np.where(np.abs(steep) > 1e-12, steep, 1e-12))[:, None] - frames.origin1
            axes = np.stack([frames.across, frames.up], axis=1)
            axes1 = np.stack([frames.across1, frames.up1], axis=1)
            here.append(np.einsum("vak,vk->va", axes, away))
            slopes.append(np.einsum("vak,vk->va", axes, rate) + np.einsum("vak,vk->va", axes1, away))
        return np.stack(here, axis=1), np.stack(slopes, axis=1)


@dataclass(frozen=True, eq=False)
class Frames:
    """Section planes along the body and their derivatives by v: (n_v, 3) each."""

    origin: Array
    across: Array
    up: Array
    origin1: Array
    across1: Array
    up1: Array

    @cached_property
    def normal(self) -> Array:
        return cross3(self.across, self.up)

    @cached_property
    def normal1(self) -> Array:
        return cross3(self.across1, self.up) + cross3(self.across, self.up1)


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


def cardinal(u: Array, places: Array) -> Array:
    """(len(u), rails): periodic functions that are 1 at one rail's place and 0 at all others', C2, adding up to 1."""
    count = len(places)
    result = np.zeros((len(u), count))
    if count == 1:
        result[:, 0] = 1.0
        return result
    wide = np.mod(np.roll(places, -1) - places, 1.0)
    ahead = np.mod(u[:, None] - places, 1.0)
    k = ahead.argmin(axis=1)
    rows = np.arange(len(u))
    w = np.clip(ahead[rows, k] / wide[k], 0.0, 1.0)
    w = w**3 * (10.0 - 15.0 * w + 6.0 * w**2)
    result[rows, k] += 1.0 - w
    result[rows, (k + 1) % count] += w
    return result


def make_rails(common: Correspondence, tracks: Sequence[Track], anchor_u: Array, stretch: bool = False) -> Rails | None:
    """Rails in the common form; None without any. `anchor_u`: (2,) places round the section nearest the nominal points.

    Raises: FieldError, when two of them lie at one place.
    """
    if not tracks:
        return None
    ordered = tuple(sorted(tracks, key=lambda t: (t.u % 1.0, t.key)))
    places = np.mod(np.array([t.u for t in ordered]), 1.0)
    if len(places) > 1 and np.diff(np.append(places, places[0] + 1.0)).min() < 1e-6:
        raise FieldError("two rails lie at one place on the section; take one of them out")
    blocks = []
    for k, lane in enumerate(common.lanes):
        start, wide = common.u[k], common.u[k + 1] - common.u[k]
        blocks.append(lane.basis.interpolate(lambda w, s=start, d=wide: cardinal(np.mod(s + w * d, 1.0), places)))  # type: ignore[misc]
    return Rails(ordered, common.rows(places), np.vstack(blocks), cardinal(np.mod(anchor_u, 1.0), places), stretch)
