"""Vectors, and plane figures made of points: products, crossings, calipers, widths."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array, Complex, Mask


def cross(a: Array, b: Array) -> Array:
    """The z part of the cross product of 2D vectors (..., 2)."""
    return a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]


def as_complex(flat: Array) -> Complex:
    """(..., n) x + iy of coordinates (..., 2n), x and y in turn."""
    return np.ascontiguousarray(flat).view(np.complex128)


def as_points(numbers: Complex) -> Array:
    """(..., n, 2) the points that complex numbers (..., n) are."""
    return numbers.view(np.float64).reshape(*numbers.shape, 2)


def cross3(a: Array, b: Array) -> Array:
    """Cross products of 3D vectors (..., 3); several times as fast as the general routine."""
    ax, ay, az, bx, by, bz = a[..., 0], a[..., 1], a[..., 2], b[..., 0], b[..., 1], b[..., 2]
    return np.stack([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx], axis=-1)


def signed_area(points: Array) -> Array:
    """Signed area of closed polygons (..., n, 2), positive when they run counter-clockwise."""
    return 0.5 * np.sum(cross(points, np.roll(points, -1, axis=-2)), axis=-1)


def crossing(points: Array, slack: float = 0.0) -> tuple[int, int] | None:
    """The first pair of edges (i, j) of a closed polygon (n, 2) that properly cross, or None.

    Edges that share a corner, or meet within `slack` (a length) of their ends, do not count. Edges are swept in
    order of x, in blocks, so that memory stays in bounds for thousands of points.
    """
    keep = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1) > 0.0
    start = points[keep]
    n = len(start)
    if n < 4:
        return None
    end = np.roll(start, -1, axis=0)
    low, high = np.minimum(start, end), np.maximum(start, end)
    order = np.argsort(low[:, 0], kind="stable")
    last = np.searchsorted(low[order, 0], high[order, 0], side="right")
    for begin in range(0, n, 512):
        rows = np.arange(begin, min(begin + 512, n))
        counts = np.maximum(last[rows] - rows - 1, 0)
        if not counts.sum():
            continue
        first = np.repeat(rows, counts)
        second = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + first + 1
        i, j = order[first], order[second]
        gap = np.abs(i - j)
        apart = (gap > 1) & (gap < n - 1) & (low[i, 1] <= high[j, 1]) & (low[j, 1] <= high[i, 1])
        i, j = i[apart], j[apart]
        hit = _cross_properly(start[i], end[i], start[j], end[j], slack)
        if hit.any():
            which = np.flatnonzero(keep)
            pair = sorted((int(which[i[hit][0]]), int(which[j[hit][0]])))
            return pair[0], pair[1]
    return None


def plainly_simple(points: Array, along: Array) -> bool:
    """Whether a closed polygon (n, 2) that runs counter-clockwise goes out and back along a direction (2,), each time only onward, with what runs
    back above what runs out: then it does not cross itself, though edges of no width may lie on each other. Of others nothing is said."""
    x, y = points @ along, cross(along, points)
    first, last = int(x.argmin()), int(x.argmax())
    order = np.arange(first, first + len(x) + 1) % len(x)
    turn = (last - first) % len(x)
    out, back = order[: turn + 1], order[turn:][::-1]
    leaves, comes = [], []
    for run in (out, back):
        rise = x[run[1:]] - x[run[:-1]]
        ends = (x[run[1:]] == x[first]) | (x[run[:-1]] == x[last])  # which may stand upright
        if ((rise < 0.0) | ((rise == 0.0) & ~ends)).any():
            return False
        leaves.append(y[run[np.flatnonzero(x[run] == x[first])[-1]]])
        comes.append(y[run[np.flatnonzero(x[run] == x[last])[0]]])
    if leaves[0] > leaves[1] or comes[0] > comes[1]:
        return False
    inner = np.concatenate([out[1:-1], back[1:-1]])
    inner = inner[(x[inner] > x[first]) & (x[inner] < x[last])]
    return bool((np.interp(x[inner], x[out], y[out]) < np.interp(x[inner], x[back], y[back])).all())


def _cross_properly(a: Array, b: Array, c: Array, d: Array, slack: float) -> Mask:
    ab, cd = b - a, d - c
    over_ab = np.maximum(np.linalg.norm(ab, axis=1), 1e-300)
    over_cd = np.maximum(np.linalg.norm(cd, axis=1), 1e-300)
    c_side, d_side = cross(ab, c - a) / over_ab, cross(ab, d - a) / over_ab
    a_side, b_side = cross(cd, a - c) / over_cd, cross(cd, b - c) / over_cd
    splits = (np.minimum(c_side, d_side) < -slack) & (np.maximum(c_side, d_side) > slack)
    split_by = (np.minimum(a_side, b_side) < -slack) & (np.maximum(a_side, b_side) > slack)
    return splits & split_by


def inside(points: Array, polygon: Array) -> Mask:
    """(m,) whether points (m, 2) lie in a closed polygon (n, 2), by the crossings of a ray."""
    x, y = points[:, :1], points[:, 1:]
    after = np.roll(polygon, -1, axis=0)
    straddles = (polygon[:, 1] > y) != (after[:, 1] > y)
    rise = np.where(polygon[:, 1] == after[:, 1], 1.0, after[:, 1] - polygon[:, 1])
    at = polygon[:, 0] + (y - polygon[:, 1]) * (after[:, 0] - polygon[:, 0]) / rise
    return np.asarray((straddles & (at > x)).sum(axis=1) % 2 == 1)


LOOKED_AT = 300
"""So many points of an outline say about which way it is widest."""


def caliper(points: Array, directions: int = 360) -> Array:
    """The largest caliper (..., ) of point sets (..., n, 2): the largest distance between two parallel tangents."""
    flat = points.reshape(-1, *points.shape[-2:])
    step = np.pi / directions

    def wide(angle: Array, of: Array) -> Array:
        reach = np.matmul(of, np.stack([np.cos(angle), np.sin(angle)], axis=-2))
        return np.asarray(reach.max(axis=-2) - reach.min(axis=-2))

    # It changes little over a few directions, and from point to point of many: looked for among some in every sixth, and then among all between the
    # three best and their neighbours.
    some, coarse = flat[:, :: max(flat.shape[1] // LOOKED_AT, 1)], np.arange(0, directions, 6) * step
    best = coarse[np.argsort(wide(np.broadcast_to(coarse, (len(flat), len(coarse))), some), axis=1)[:, -3:]]
    near = (best[:, :, None] + step * np.arange(-5, 6)).reshape(len(flat), -1)
    return wide(near, flat).max(axis=1).reshape(points.shape[:-2])


def thickness(points: Array, sites: int = 801) -> Array:
    """The largest thickness square to the x axis of closed outlines (k, n, 2): (k,).

    Each outline is cut at its extreme x into an upper and a lower run. The peak is refined by a parabola.
    """
    result = np.empty(len(points))
    for row, outline in enumerate(points):
        left, right = int(np.argmin(outline[:, 0])), int(np.argmax(outline[:, 0]))
        turned = np.roll(outline, -right, axis=0)
        split = (left - right) % len(outline)
        upper = turned[: split + 1][::-1]
        lower = np.vstack([turned[split:], turned[:1]])
        # Cosine sites crowd where outlines are steep, so that a circle is measured as well as a foil.
        x = outline[left, 0] + (outline[right, 0] - outline[left, 0]) * (1 - np.cos(np.linspace(0, np.pi, sites))) / 2
        gap = np.interp(x, np.maximum.accumulate(upper[:, 0]), upper[:, 1]) - np.interp(
            x, np.maximum.accumulate(lower[:, 0]), lower[:, 1]
        )
        best = int(np.clip(np.argmax(gap), 1, sites - 2))
        a, b, c = gap[best - 1 : best + 2]
        bend = a - 2 * b + c
        result[row] = max(b - (c - a) ** 2 / (8 * bend), b) if bend < -1e-12 * abs(b) else gap.max()
    return result
