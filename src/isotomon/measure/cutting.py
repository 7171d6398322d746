"""Finished bodies cut by many planes at once. Triangles bulge with the surfaces that they stand for, whose normals are known at their
corners: edges and cuts are cubics with these tangents, so that a section is right far beyond what flat triangles give."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields, replace
from itertools import pairwise

import numpy as np
from scipy.sparse import coo_array, csr_array
from scipy.sparse.csgraph import breadth_first_order, connected_components

from isotomon.arrays import Array, Index, Mask
from isotomon.geometry.planar import cross3
from isotomon.geometry.quadrature import gauss_rule
from isotomon.measure.curved_mesh import CurvedMesh, dot, end_tangents
from isotomon.pace import checkpoint

NEWTON = 4
"""Steps by which the place at which an edge passes a plane is found; two give all digits where triangles are as small as here."""
SITES = 4
"""Of Gauss's rule in each piece of a section: exact for its area and first moments, and but for the last digits for the second."""
PLANES_AT_A_TIME = 64
"""At most: what so many of them cut stays about in the processor's cache."""
THREADS = 2
"""So many groups of planes cut at a time: nearly all of it is reckoned without the interpreter."""


@dataclass(frozen=True, eq=False)
class Planes:
    """Planes to cut by: `origin`, `across`, `up` (k, 3), of length 1 and square to each other. `half`: only where X is positive, so that a
    half-plane turns about the planes' Y axis. `near` (k, 2, 2) mm: lowest and highest X and Y; what does not reach into that is not meant."""

    origin: Array
    across: Array
    up: Array
    half: bool = False
    near: Array | None = None

    @property
    def normal(self) -> Array:
        """(k, 3)"""
        return cross3(self.across, self.up)

    def of(self, some: slice) -> Planes:
        """Some of them."""
        near = None if self.near is None else self.near[some]
        return Planes(self.origin[some], self.across[some], self.up[some], self.half, near)


@dataclass(frozen=True, eq=False)
class Pieces:
    """The pieces of line of sections, in their planes: cubics from `start` to `end` (n, 2) with derivatives `leave` and `arrive` by a
    parameter from 0 to 1. `plane`, `loop` (n,): in which plane, and on which closed run. `begins`, `ends` (n,): numbers of the places
    where each does, which are one where two of them meet."""

    start: Array
    end: Array
    leave: Array
    arrive: Array
    plane: Index
    loop: Index
    begins: Index
    ends: Index

    def of(self, rows: Mask | Index) -> Pieces:
        """Some of them."""
        return Pieces(*(getattr(self, f.name)[rows] for f in fields(self)))

    def powers(self) -> Array:
        """(4, 2, n) by the powers of the parameter."""
        a, b, m, n = self.start.T, self.end.T, self.leave.T, self.arrive.T
        return np.stack([a, m, 3.0 * (b - a) - 2.0 * m - n, 2.0 * (a - b) + m + n])

    def runs(self, places: int) -> list[Array]:
        """The closed runs that the pieces of one plane make, (n, 2) each, by so many places on each piece."""
        t = np.linspace(0.0, 1.0, places, endpoint=False)
        at = np.einsum("tp,pkn->ntk", np.vander(t, 4, increasing=True), self.powers())
        by_begin = np.argsort(self.begins)
        place = np.minimum(np.searchsorted(self.begins[by_begin], self.ends), len(by_begin) - 1)
        follows = by_begin[place]
        meets = self.begins[follows] == self.ends
        count, links = len(follows), (np.flatnonzero(meets), follows[meets])
        graph = csr_array((np.ones(len(links[0])), links), (count, count))
        first = np.ones(count, dtype=bool)
        first[follows[meets]] = False
        found = []
        for loop in np.unique(self.loop):
            mine = np.flatnonzero(self.loop == loop)
            heads = mine[first[mine]]  # of what is cut off at the axis there may be several
            chains = [
                breadth_first_order(graph, head, return_predecessors=False)
                for head in (heads if len(heads) else mine[:1])
            ]
            found.append(np.vstack([at[chain].reshape(-1, 2) for chain in chains]))
        return found


@dataclass(frozen=True, eq=False)
class Cuts:
    """Sections by planes: mm², mm, mm⁴, each (k,); `centroid` (k, 2) in the plane; `angle`: rad from its X to the axis of least second
    moment; how many `parts` there are, and `holes` in them. NaN where a plane misses. `lines`: what bounds them."""

    area: Array
    perimeter: Array
    centroid: Array
    i_max: Array
    i_min: Array
    angle: Array
    parts: Index
    holes: Index
    lines: Pieces


def cut(mesh: CurvedMesh, planes: Planes) -> Cuts:
    """Sections of a body by planes."""
    crossings, count = _crossings(mesh, planes), len(planes.origin)
    shares = np.linspace(0, count, THREADS * -(-count // (THREADS * PLANES_AT_A_TIME)) + 1).astype(int).tolist()
    groups = [slice(*both) for both in pairwise(shares) if both[0] < both[1]]
    work = [(planes.of(group), crossings.of(group)) for group in groups]
    found, first, loops, places = list[Cuts](), 0, 0, 0
    with ThreadPoolExecutor(THREADS) as threads:
        for group, (cuts, runs, begun) in zip(groups, threads.map(lambda own: _cut(mesh, *own), work), strict=True):
            checkpoint(first / len(planes.origin))
            lines, begins, ends = cuts.lines, cuts.lines.begins + places, cuts.lines.ends + places
            lines = replace(lines, plane=lines.plane + first, loop=lines.loop + loops, begins=begins, ends=ends)
            found.append(replace(cuts, lines=lines))
            first, loops, places = group.stop, loops + runs, places + begun
    lines = Pieces(*(np.concatenate([getattr(c.lines, f.name) for c in found]) for f in fields(Pieces)))
    measures = (f.name for f in fields(Cuts) if f.name != "lines")
    return Cuts(**{name: np.concatenate([getattr(c, name) for c in found]) for name in measures}, lines=lines)


def _cut(mesh: CurvedMesh, planes: Planes, crossings: Crossings) -> tuple[Cuts, int, int]:
    """Sections by a few planes, and how many closed runs and places there were of pieces of line."""
    lines = _pieces(mesh, planes, crossings)
    count, places = int(lines.loop.max(initial=-1)) + 1, len(lines.begins)
    if planes.near is not None:
        lines = lines.of(_reaching(lines, count, planes.near)[lines.loop])
    if planes.half:
        lines = _clipped(lines)
    return _measured(lines, len(planes.origin), count), count, places


@dataclass(frozen=True, eq=False)
class Crossings:
    """Edges and planes that cross each other, plane by plane, and whether edges go down there: (n,) each."""

    edge: Index
    plane: Index
    down: Mask

    def of(self, group: slice) -> Crossings:
        """Those of some planes, which are numbered from nought then."""
        some = slice(*np.searchsorted(self.plane, [group.start, group.stop]).tolist())
        return Crossings(self.edge[some], self.plane[some] - group.start, self.down[some])


def _crossings(mesh: CurvedMesh, planes: Planes) -> Crossings:
    normal, first, last = planes.normal, *mesh.edges.T
    deep = np.sum(planes.origin * normal, axis=1)
    if _one_after_another(mesh, planes):
        with ThreadPoolExecutor(THREADS) as threads:
            parts = np.array_split(mesh.points, THREADS)
            passed = np.concatenate(list(threads.map(lambda own: _passed(own, normal, deep), parts)))
        before, after = passed[first], passed[last]
        some = np.flatnonzero(before != after)
        low, count = np.minimum(before, after)[some], np.abs(after - before)[some]
        edge = np.repeat(some, count)
        plane = np.repeat(low - np.cumsum(count) + count, count) + np.arange(len(edge))
        down = (before > after)[edge]
        # Numbers of so few bits are sorted without being compared.
        order = np.argsort(plane.astype(np.min_scalar_type(len(deep))), kind="stable")
        return Crossings(edge[order], plane[order], down[order])
    found = []
    for k in range(len(deep)):
        above = mesh.points @ normal[k] >= deep[k]
        some = np.flatnonzero(above[first] != above[last])
        found.append((some, np.full(len(some), k), above[first[some]]))
    edge, plane, down = (np.concatenate(values) for values in zip(*found, strict=True))
    return Crossings(edge, plane, down)


def _one_after_another(mesh: CurvedMesh, planes: Planes) -> bool:
    """Whether no two planes cross each other where the mesh is, and all lie in their order along their normals."""
    normal, (centre, reach) = planes.normal, mesh.ball
    high = np.sum((centre - planes.origin) * normal, axis=1)
    return bool((high[:-1] - high[1:] > reach * np.linalg.norm(np.diff(normal, axis=0), axis=1)).all())


def _passed(points: Array, normal: Array, deep: Array) -> Index:
    """(n,) how many of the planes n · x = deep, which lie one after another, are passed on the way to points (n, 3): found by halving."""
    low, high = np.zeros(len(points), dtype=np.int64), np.full(len(points), len(deep))
    for _ in range(len(deep).bit_length()):
        middle = np.minimum((low + high) // 2, len(deep) - 1)
        above = (np.einsum("ij,ij->i", points, normal[middle]) >= deep[middle]) & (low < high)
        low, high = np.where(above, middle + 1, low), np.where(above, high, np.minimum(middle, high))
    return low


def _pieces(mesh: CurvedMesh, planes: Planes, crossings: Crossings) -> Pieces:
    """What planes cut."""
    edge, plane, down, width = crossings.edge, crossings.plane, crossings.down, len(planes.origin)
    # All that is known of an edge, and of a plane, is fetched at once: that is most of the work.
    frames = np.hstack([planes.origin, planes.across, planes.up, planes.normal])
    known, frame = np.take(mesh.packed, edge, axis=1), np.take(np.ascontiguousarray(frames.T), plane, axis=1)
    origin, across, up, normal = (frame[k : k + 3] for k in (0, 3, 6, 9))
    a, b, leave, arrive = (known[k : k + 3] for k in (0, 3, 6, 9))
    share = _passing(dot(a - origin, normal), dot(b - origin, normal), dot(leave, normal), dot(arrive, normal))
    away = _cubic(share, a, b, leave, arrive) - origin
    flat = np.stack([dot(away, across), dot(away, up)])
    # A piece begins where its triangle's rim goes down through the plane, and ends where it comes up.
    leaning = [known[k : k + 3] + share * (known[k + 3 : k + 6] - known[k : k + 3]) for k in (12, 18)]
    inward = [np.stack([-dot(n, up), dot(n, across)]) for n in leaning]
    beside = mesh.triangles[edge]
    chosen, tangent = [], []
    for begins in (down, ~down):
        chosen.append(np.argsort(np.where(begins, beside[:, 0], beside[:, 1]) * width + plane))
        tangent.append(np.where(begins, inward[0], inward[1])[:, chosen[-1]])
    order, partner = chosen
    start, end = flat[:, order], flat[:, partner]
    both = end_tangents(np.stack(tangent, axis=1), (end - start)[:, None])
    count = len(edge)
    link = coo_array((np.ones(count), (order, partner)), shape=(count, count))
    loop = connected_components(link, directed=False)[1][order].astype(np.int64)
    return Pieces(start.T, end.T, both[:, 0].T, both[:, 1].T, plane[order], loop, order, partner)


def _cubic(t: Array, a: Array, b: Array, m: Array, n: Array) -> Array:
    """(3, n) Hermite cubics from a to b with derivatives m and n, at t (n,)."""
    return np.asarray(a + t * (m + t * (3.0 * (b - a) - 2.0 * m - n + t * (2.0 * (a - b) + m + n))))


def _passing(a: Array, b: Array, m: Array, n: Array) -> Array:
    """(n,) where cubics from heights a to heights b, of opposite signs, with slopes m and n there, pass nought."""
    t = a / np.where(a == b, np.inf, a - b)  # equal by rounding alone: then both are nought
    square, cube = 3.0 * (b - a) - 2.0 * m - n, 2.0 * (a - b) + m + n
    for _ in range(NEWTON):
        slope = m + t * (2.0 * square + 3.0 * t * cube)
        step = (a + t * (m + t * (square + t * cube))) / np.where(slope == 0.0, np.inf, slope)
        t = np.clip(t - step, 0.0, 1.0)
    return np.asarray(t)


def _reaching(lines: Pieces, loops: int, near: Array) -> Mask:
    """(loops,) whether each reaches into what is meant of its plane."""
    low, high = np.full((loops, 2), np.inf), np.full((loops, 2), -np.inf)
    np.minimum.at(low, lines.loop, lines.start)
    np.maximum.at(high, lines.loop, lines.start)
    plane = np.zeros(loops, dtype=np.int64)
    plane[lines.loop] = lines.plane
    return np.asarray(((low <= near[plane, 1]) & (high >= near[plane, 0])).all(axis=1))


def _clipped(lines: Pieces) -> Pieces:
    """The parts of the pieces where X is positive."""
    lines = lines.of((lines.start[:, 0] > 0.0) | (lines.end[:, 0] > 0.0))
    before, after = lines.start[:, 0] > 0.0, lines.end[:, 0] > 0.0
    passing = np.flatnonzero(before != after)
    if not len(passing):
        return lines
    some = lines.of(passing)
    t = _passing(some.start[:, 0], some.end[:, 0], some.leave[:, 0], some.arrive[:, 0])
    powers = some.powers()
    place = np.polynomial.polynomial.polyval(t, powers, tensor=False).T
    slope = np.polynomial.polynomial.polyval(t, powers[1:] * np.array([1.0, 2.0, 3.0])[:, None, None], tensor=False).T
    ahead = before[passing]  # it leaves the half that is meant: its first part stays
    length = np.where(ahead, t, 1.0 - t)[:, None]
    start, end, leave, arrive = (np.array(a) for a in (lines.start, lines.end, lines.leave, lines.arrive))
    end[passing[ahead]], start[passing[~ahead]] = place[ahead], place[~ahead]
    leave[passing] = np.where(ahead[:, None], some.leave, slope) * length
    arrive[passing] = np.where(ahead[:, None], slope, some.arrive) * length
    return replace(lines, start=start, end=end, leave=leave, arrive=arrive)


def _measured(lines: Pieces, count: int, loops: int) -> Cuts:
    """Measures by Green's theorem, in forms to which a line along Y at X = 0 adds nothing, so that half-planes need none."""
    sites, weights = gauss_rule(SITES)
    at = np.vander((sites + 1.0) / 2.0, 4, increasing=True)
    by = np.arange(1, 4) * at[:, :3]
    px, py = lines.powers().transpose(1, 0, 2)
    x, y, dx, dy = at @ px, at @ py, by @ px[1:], by @ py[1:]
    weight = weights[:, None] / 2.0
    x_dy = weight * x * dy
    xx_dy = x * x_dy
    forms = [x_dy, xx_dy / 2.0, y * x_dy, x * xx_dy / 3.0, y * xx_dy / 2.0, y * y * x_dy, weight * np.hypot(dx, dy)]
    each = [form.sum(axis=0) for form in forms]
    total = [np.bincount(lines.plane, weights=one, minlength=count) for one in each]
    there = total[6] > 0.0
    area = np.where(there, total[0], np.nan)
    with np.errstate(divide="ignore", invalid="ignore"):
        cx, cy = total[1] / area, total[2] / area
    xx, xy, yy = total[3] - area * cx**2, total[4] - area * cx * cy, total[5] - area * cy**2
    middle, reach = (xx + yy) / 2.0, np.hypot((xx - yy) / 2.0, xy)
    round_each = np.bincount(lines.loop, weights=each[0], minlength=loops)
    plane = np.zeros(loops, dtype=np.int64)
    plane[lines.loop] = lines.plane
    parts, holes = (np.bincount(plane[sign * round_each > 0.0], minlength=count) for sign in (1.0, -1.0))
    perimeter = np.where(there, total[6], np.nan)
    angle = 0.5 * np.arctan2(2.0 * xy, xx - yy)
    return Cuts(area, perimeter, np.stack([cx, cy], 1), middle + reach, middle - reach, angle, parts, holes, lines)
