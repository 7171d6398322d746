"""What is seen of a body from one side: its sharp edges and its contours, and which of them are hidden. Arrays in, polylines out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components, depth_first_order

from isotomon.arrays import Array, Index, Mask

SHARP = np.cos(np.radians(20.0))
"""Edges whose triangles' normals have a lesser cosine are drawn."""
PIXELS = 1000
"""Of the depths that lines are held against, along the longer side of what is seen."""
BEHIND = 2e-3
"""Of the body's size: so far behind what is seen a line may lie that bounds it."""
NOTHING = 1e-10
"""Of the body's size squared: triangles of less, as about a pole, say nothing of where its faces look."""
STEP = 1.5
"""Pixels between places at which it is asked whether a line is hidden."""
SPECK = 6.0
"""Pixels: lines that are shorter than this in all are no lines, but what the mesh leaves where faces run on smoothly."""
BESIDE = 2.0
"""Pixels outward from a contour at which it is asked whether it is hidden."""
CALM = 5
"""So many such places in a row decide by their majority, so that lines do not flicker."""
LARGEST = 4_000_000
"""Pixels of triangles that are looked at in one go."""


@dataclass(frozen=True, eq=False)
class Projection:
    """Whence a body is seen: to the right and up on paper, each (3,) of length 1."""

    right: Array
    up: Array

    @property
    def toward(self) -> Array:
        """(3,) towards who looks."""
        return np.cross(self.right, self.up)

    def flat(self, points: Array) -> Array:
        """(n, 2) points (n, 3) on paper."""
        return np.stack([points @ self.right, points @ self.up], axis=1)


@dataclass(frozen=True, eq=False)
class SeenLines:
    """Polylines (n, 2) on paper, mm, and whether each is hidden."""

    lines: tuple[Array, ...]
    hidden: tuple[bool, ...]


def sight(points: Array, triangles: Index, normals: Array, same: Index, view: Projection) -> SeenLines:
    """What is seen of a mesh: `points`, `normals` (n, 3), outward; `same` (n,): a number that points have in common which are one.

    Contours run where the normals, between the mesh's own, lie square to the line of sight, so that they are as smooth as the body;
    hidden is what lies behind the nearest triangle.
    """
    from scipy.ndimage import median_filter  # loaded when something is drawn, not when the window starts

    nodes, places, outward = _lines(points, triangles, normals, same, view)
    flat, depth = view.flat(places), places @ view.toward
    mesh_flat = view.flat(points)
    low, size = mesh_flat.min(axis=0), float(np.ptp(mesh_flat, axis=0).max())
    pixel = max(size / PIXELS, 1e-9)
    nearest = _depths((mesh_flat - low) / pixel, points @ view.toward, triangles)
    behind = BEHIND * max(size, float(np.ptp(points @ view.toward)))
    lines, hidden = list[Array](), list[bool]()
    for chain in _chains(nodes):
        run, deep, off = _even(flat[chain], depth[chain], view.flat(outward[chain]), STEP * pixel)
        # A contour is asked for just beside the body, where nothing of what it bounds lies before it.
        at = np.floor((run - low) / pixel + BESIDE * off).astype(int) + 1
        column, row = (np.clip(at[:, k], 0, nearest.shape[1 - k] - 1) for k in (0, 1))
        covered = deep < nearest[row, column] - behind
        covered = median_filter(covered.astype(np.int8), CALM, mode="nearest").astype(bool)
        if float(np.linalg.norm(np.diff(run, axis=0), axis=1).sum()) < SPECK * pixel:
            continue
        for part in np.split(np.arange(len(run)), np.flatnonzero(np.diff(covered)) + 1):
            # Each piece goes on to where the next one begins.
            until = min(part[-1] + 2, len(run))
            if until - part[0] > 1:
                lines.append(run[part[0] : until])
                hidden.append(bool(covered[part[0]]))
    return SeenLines(tuple(lines), tuple(hidden))


def _lines(
    points: Array, triangles: Index, normals: Array, same: Index, view: Projection
) -> tuple[Index, Array, Array]:
    """Pairs of numbers (k, 2) of the places (n, 3) between which lines run, and of contours the outward normals there; nought of edges."""
    _, kept, place = np.unique(same, return_index=True, return_inverse=True)
    welded = place.ravel()[triangles]
    here, there = welded.ravel(), np.roll(welded, -1, axis=1).ravel()
    low, high = np.minimum(here, there), np.maximum(here, there)
    edge, number = np.unique(low * np.int64(len(kept)) + high, return_inverse=True)
    ends = np.stack(np.divmod(edge, len(kept)), axis=1)
    turned = np.sum(normals * view.toward, axis=1)[triangles]
    turned = np.where(np.abs(turned) < 1e-12, 1e-12, turned)
    drawn = _drawn_edges(points[triangles], normals[triangles], turned, number, ends)
    contour, spots, outward = _contours(points[triangles], normals[triangles], turned, number.reshape(-1, 3))
    pairs = np.vstack([ends[drawn], len(kept) + contour])
    return pairs, np.vstack([points[kept], spots]), np.vstack([np.zeros((len(kept), 3)), outward])


def _drawn_edges(corners: Array, normals: Array, turned: Array, number: Index, ends: Index) -> Index:
    """Which edges are drawn: sharp ones, those of one triangle alone, and those that part what looks away where faces do not run on smoothly.
    `corners`, `normals` (m, 3, 3), `turned` (m, 3): how far the normals look towards who looks; `number` (3 m,): of each side's edge."""
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    sizes = np.linalg.norm(across, axis=1)
    facing = across / np.maximum(sizes, 1e-300)[:, None]
    whole = sizes > NOTHING * float(np.ptp(corners.reshape(-1, 3), axis=0).max()) ** 2
    order, count = np.argsort(number, kind="stable"), np.bincount(number)
    begin = np.cumsum(count) - count
    lasting = ends[:, 0] != ends[:, 1]
    both = np.flatnonzero((count == 2) & lasting)
    both = both[whole[order[begin[both]] // 3] & whole[order[begin[both] + 1] // 3]]
    one, other = order[begin[both]], order[begin[both] + 1]
    # By the surfaces' own normals on both sides, so that what is round is not sharp however coarse its mesh.
    beside = (normals + np.roll(normals, -1, axis=1)).reshape(-1, 3)
    long = np.linalg.norm(beside, axis=1)
    beside = np.where((long > 1e-9)[:, None], beside / np.maximum(long, 1e-9)[:, None], np.repeat(facing, 3, axis=0))
    along = (turned + np.roll(turned, -1, axis=1)).ravel()
    sharp = (count == 1) & lasting
    sharp[both] = (np.sum(beside[one] * beside[other], axis=1) < SHARP) | (along[one] * along[other] < 0.0)
    return np.flatnonzero(sharp)


def _contours(corners: Array, normals: Array, turned: Array, number: Index) -> tuple[Index, Array, Array]:
    """Where the normal turns from who looks, from side to side of triangles: pairs (k, 2) of numbers of the spots (n, 3), one on each
    edge, and the normals there. Where two faces share an edge with normals of their own each has its spot; the last one counts."""
    crossed = turned * np.roll(turned, -1, axis=1) < 0.0
    some = np.flatnonzero(crossed.sum(axis=1) == 2)
    sides, rows = np.argsort(~crossed[some], axis=1, kind="stable")[:, :2], some[:, None]
    after = (sides + 1) % 3
    value = turned[rows, sides]
    share = (value / (value - turned[rows, after]))[..., None]
    spot, index = np.unique(number[rows, sides].ravel(), return_inverse=True)
    found = []
    for at in (corners, normals):
        between = at[rows, sides] * (1.0 - share) + at[rows, after] * share
        own = np.zeros((len(spot), 3))
        own[index.ravel()] = between.reshape(-1, 3)
        found.append(own)
    return index.reshape(-1, 2), found[0], found[1]


def _chains(pairs: Index) -> list[Index]:
    """The runs that lines make which follow one another: numbers of places, in order; a closed one ends where it begins."""
    count = int(pairs.max(initial=-1)) + 1
    degree = np.bincount(pairs.ravel(), minlength=count)
    ends = pairs.ravel().copy()
    fork = degree[ends] != 2  # where lines fork or end, each has an end of its own
    ends[fork] = count + np.arange(int(fork.sum()))
    origin = np.concatenate([np.arange(count), pairs.ravel()[fork]])
    links = ends.reshape(-1, 2)
    size = len(origin)
    graph = csr_array((np.ones(len(links)), (links[:, 0], links[:, 1])), shape=(size, size))
    graph = graph + graph.T
    _, group = connected_components(graph, directed=False)
    own = np.unique(links)
    heads = own[np.argsort(~(own >= count), kind="stable")]  # ends before what lies between
    first = heads[np.unique(group[heads], return_index=True)[1]]
    found = []
    for head in first.tolist():
        order = depth_first_order(graph, head, directed=False, return_predecessors=False)
        if head < count:
            order = np.append(order, head)
        found.append(origin[order])
    return found


def _even(flat: Array, depth: Array, off: Array, step: float) -> tuple[Array, Array, Array]:
    """A polyline with places no farther apart than a step, its own among them, their depths and ways off."""
    lengths = np.linalg.norm(np.diff(flat, axis=0), axis=1)
    pieces = np.maximum(np.ceil(lengths / step).astype(int), 1)
    number = np.repeat(np.arange(len(pieces)), pieces)
    share = (np.arange(len(number)) - np.repeat(np.cumsum(pieces) - pieces, pieces)) / pieces[number]
    at = np.append(number + share, float(len(pieces)))
    own = np.arange(len(flat))
    even = [np.stack([np.interp(at, own, both[:, k]) for k in (0, 1)], axis=1) for both in (flat, off)]
    return even[0], np.interp(at, own, depth), even[1]


def _depths(flat: Array, depth: Array, triangles: Index) -> Array:
    """(rows, columns) for each pixel, one beyond all round, how near the nearest triangle comes about it: the least of its neighbours',
    so that what bounds the body is not taken for hidden by it. `flat`: points in pixels."""
    from scipy.ndimage import minimum_filter

    wide, high = (np.ceil(flat.max(axis=0)).astype(int) + 3).tolist()
    nearest = np.full(wide * high, -np.inf)
    corners, deep = flat[triangles] + 1.0, depth[triangles]
    low = np.floor(corners.min(axis=1)).astype(int)
    span = np.floor(corners.max(axis=1)).astype(int) - low + 1
    sizes, level = np.unique(2 ** np.ceil(np.log2(span)).astype(int), axis=0, return_inverse=True)
    for number, (across, along) in enumerate(sizes.tolist()):
        rows, some = np.flatnonzero(level.ravel() == number), max(LARGEST // (across * along), 1)
        for begin in range(0, len(rows), some):
            own = rows[begin : begin + some]
            index, value = _covered(corners[own], deep[own], low[own], (across, along), wide, high)
            np.maximum.at(nearest, index, value)
    return np.asarray(minimum_filter(nearest.reshape(high, wide), 3, mode="constant", cval=-np.inf))


def _covered(
    corners: Array, deep: Array, low: Index, size: tuple[int, int], wide: int, high: int
) -> tuple[Index, Array]:
    """The pixels whose middles triangles cover, and how near they come there."""
    x, y = (low[:, None, k] + np.arange(size[k]) for k in (0, 1))
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    (ux, uy), (vx, vy) = (b - a).T, (c - a).T
    whole = ux * vy - uy * vx
    safe = np.where(np.abs(whole) > 1e-12, whole, np.inf)[:, None, None]
    px, py = (x + 0.5 - a[:, :1])[:, None, :], (y + 0.5 - a[:, 1:])[:, :, None]
    s = (px * vy[:, None, None] - py * vx[:, None, None]) / safe
    t = (ux[:, None, None] * py - uy[:, None, None] * px) / safe
    inside: Mask = (s >= 0.0) & (t >= 0.0) & (s + t <= 1.0) & (np.abs(whole) > 1e-12)[:, None, None]
    value = (
        deep[:, :1, None] + s * (deep[:, 1] - deep[:, 0])[:, None, None] + t * (deep[:, 2] - deep[:, 0])[:, None, None]
    )
    number, row, column = np.nonzero(inside)
    index = np.clip(y[number, row], 0, high - 1) * wide + np.clip(x[number, column], 0, wide - 1)
    return index, value[number, row, column]
