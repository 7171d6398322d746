"""Sections made to correspond: every outline in one common B-spline basis, lane by lane."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import csr_array

from isotomon.arrays import Array
from isotomon.errors import FieldError, KnotError
from isotomon.field.open_ties import open_ties
from isotomon.field.share_maps import CommonMark, sampler, share_maps
from isotomon.field.ties import Held, Ties, automatic_ties
from isotomon.geometry.basis import Basis, Joins, fit
from isotomon.pace import checkpoint
from isotomon.profile.outline import Outline2D

FIT = 7e-8
"""Largest distance of a section in the common basis from its outline, for a chord of 1."""
LOOSE_FIT = (150, 1e-6)
"""The same where profiles are so unlike that this takes more than so many spans: still no more than the design's usual tolerance."""
ROUND = 200.0
"""Round outlines alone are followed so many times more closely: what is round is to stay so."""


HELD = -1
Border = tuple[tuple[int, str], ...]
"""What a tie passes: (outline, name of its corner), and (`HELD`, id of the tie set by hand or the rail that holds it)."""


@dataclass(frozen=True, eq=False)
class Lane:
    """The run between two ties: one face of the body. Its columns are `columns` of the section's control points."""

    basis: Basis
    columns: slice
    first: Border
    last: Border
    loop: int = 0
    """0 for the outer run, then one for each hole; holes run clockwise."""


@dataclass(frozen=True, eq=False)
class Tied:
    """Points that belong together: at `u`, at `share` (outlines,) of each outline's arc length. `name`: of a tie set by
    hand or a rail, else empty."""

    name: str
    u: float
    share: Array


@dataclass(frozen=True, eq=False)
class Correspondence:
    """`lanes` in order round the section, `u` (lanes + 1,) their borders from 0 to 1, and on to 2, 3… round each hole; `control`: (outlines, n, 2), each
    outline in the lanes' bases. `ties`: all points that belong together, those at lane borders first.
    """

    lanes: tuple[Lane, ...]
    u: Array
    control: Array
    ties: tuple[Tied, ...]
    open: bool = False
    """The outlines have two ends: the body is a skin."""

    def place_of(self, name: str) -> float:
        """The u of a tie or rail held by name."""
        return next(t.u for t in self.ties if t.name == name)

    def on(self, u: Array) -> Array:
        """Places brought onto the section: round a closed one, up to the ends of an open one."""
        return np.clip(u, 0.0, 1.0) if self.open else np.mod(u, 1.0)

    def beside(self, number: int) -> tuple[int | None, int | None]:
        """The numbers of the lanes before and after one, round its own run; None beyond an end."""
        if self.open:
            return number - 1 if number else None, number + 1 if number + 1 < len(self.lanes) else None
        own = [k for k, lane in enumerate(self.lanes) if lane.loop == self.lanes[number].loop]
        at = own.index(number)
        return own[at - 1], own[(at + 1) % len(own)]

    @property
    def size(self) -> int:
        """How many control points go round a section."""
        return self.lanes[-1].columns.stop

    def rows(self, u: Array, derivative: int = 0) -> Array:
        """(len(u), n) matrix that evaluates sections, or a derivative by u, at places round the section."""
        u = np.asarray(u, dtype=np.float64)
        which = np.clip(np.searchsorted(self.u, u, side="right") - 1, 0, len(self.lanes) - 1)
        result = np.zeros((len(u), self.size))
        for k, lane in enumerate(self.lanes):
            here = which == k
            if here.any():
                wide = self.u[k + 1] - self.u[k]
                part = lane.basis.matrix((u[here] - self.u[k]) / wide, derivative) / wide**derivative
                result[np.ix_(here, np.arange(lane.columns.start, lane.columns.stop))] = part
        return result

    def matrix(self, per_lane: Sequence[Array], derivative: int = 0) -> csr_array:
        """Sparse block matrix (sum of samples, n) that evaluates each lane at its own parameters."""
        row, blocks = 0, []
        for lane, u in zip(self.lanes, per_lane, strict=True):
            own = lane.basis.sparse(u, derivative).tocoo()
            blocks.append((own.data, own.row + row, own.col + lane.columns.start))
            row += len(u)
        data, rows, columns = (np.concatenate(part) for part in zip(*blocks, strict=True))
        return csr_array((data, (rows, columns)), shape=(row, self.size))


def correspond(outlines: Sequence[Outline2D], held: Sequence[Held] = ()) -> Correspondence:
    """The common form of `outlines` (turned back, chord 1), with ties and rails `held` where they are.

    Raises: FieldError, when they cannot be made to correspond.
    """
    is_open = outlines[0].open
    if any(o.open != is_open for o in outlines):
        raise FieldError(
            "a mixture of open and closed profiles makes neither a skin nor a solid; close the open ones, or open the others"
        )
    if is_open:
        ties, inner = _without_smooth_open(open_ties(outlines, held))
    else:
        ties, inner = _without_smooth(outlines, automatic_ties(outlines, held))
    periodic = not is_open and (not len(ties.corner[0]) or not ties.corner.any())
    count = len(ties.u) - 1
    borders = _borders(outlines, ties)
    marks = _common_marks(outlines, ties, inner)
    weights = np.full(len(outlines), ROUND if all(o.round for o in outlines) else 1.0)
    maps = share_maps(range(len(outlines)), ties, marks, periodic)
    everywhere = sampler(outlines, weights, maps)
    lanes, blocks, column = [], [], 0
    for k in range(count):
        u0, u1 = ties.u[k], ties.u[k + 1]
        joins = {(m.u - u0) / (u1 - u0): m.continuity for m in marks if u0 < m.u < u1}
        checkpoint(k / count)
        basis, control = _lane(lambda w, u0=u0, u1=u1: everywhere(u0 + w * (u1 - u0)), joins, periodic)  # type: ignore[misc]
        lanes.append(Lane(basis, slice(column, column + basis.size), borders[k], borders[k + 1]))
        blocks.append(control.reshape(basis.size, len(outlines), 2).transpose(1, 0, 2) / weights[:, None, None])
        column += basis.size
    if not periodic:
        for here, after in zip(blocks, blocks[1:] if is_open else [*blocks[1:], blocks[0]], strict=False):
            after[:, 0] = here[:, -1]
    control = np.concatenate(blocks, axis=1)
    control.setflags(write=False)
    tied = (
        []
        if periodic
        else [Tied(n, float(u), ties.share[:, k]) for k, (n, u) in enumerate(zip(ties.names, ties.u, strict=False))]
    )
    tied += [Tied(m.name, m.u, np.array([m.shares[i] for i in range(len(outlines))])) for m in marks if m.held]
    return Correspondence(tuple(lanes), ties.u, control, tuple(tied), is_open)


def _lane(sample: Callable[[Array], Array], joins: Joins, periodic: bool) -> tuple[Basis, Array]:
    """The basis in which all outlines of a lane are followed, and their control points."""
    try:
        return fit(sample, FIT, joins=joins, periodic=periodic, loose=LOOSE_FIT)
    except KnotError:
        raise FieldError(
            "its profiles are too unlike to be carried into one another smoothly: between two ties one of them bends where "
            "another has a corner next to it; set ties by hand where they belong together, use profiles that are more alike, "
            "or make two bodies of it"
        ) from None


def _borders(outlines: Sequence[Outline2D], ties: Ties) -> list[Border]:
    """What every tie passes; without any, what the whole outlines are called."""
    if not ties.corner.any() and not outlines[0].open:
        return [tuple((i, o.name) for i, o in enumerate(outlines) if o.name)] * 2
    made = []
    for name, shares in zip(
        (*ties.names, *ties.names[: ties.share.shape[1] - len(ties.names)]), ties.share.T, strict=True
    ):
        passed = ((i, o.corner_at(o.on(float(s)))) for i, (o, s) in enumerate(zip(outlines, shares, strict=True)))
        made.append(tuple((i, corner) for i, corner in (*passed, (HELD, name.rpartition(" ")[2])) if corner))
    return made


def with_holes(common: Correspondence, holes: Sequence[Correspondence]) -> Correspondence:
    """The same with `holes` inside, each made to correspond on its own; they are turned to run clockwise, so that all sums
    round the section count them as missing."""
    lanes, control, u = list(common.lanes), [common.control], list(common.u)
    column = common.size
    for number, hole in enumerate(holes, 1):
        blocks = []
        for lane in reversed(hole.lanes):
            basis = _backward(lane.basis)
            sites = basis.greville()
            forward = np.mod(1.0 - sites, 1.0) if basis.periodic else 1.0 - sites
            values = np.einsum("sc,ocx->osx", lane.basis.matrix(forward), hole.control[:, lane.columns])
            blocks.append(np.linalg.solve(basis.matrix(sites)[None], values))
            lanes.append(Lane(basis, slice(column, column + basis.size), lane.last, lane.first, number))
            column += basis.size
        if not hole.lanes[0].basis.periodic:
            for here, after in zip(blocks, [*blocks[1:], blocks[0]], strict=True):
                after[:, 0] = here[:, -1]
        control += blocks
        u += [number + 1.0 - float(x) for x in hole.u[::-1]][1:]
    everything = np.concatenate(control, axis=1)
    everything.setflags(write=False)
    return Correspondence(tuple(lanes), np.array(u), everything, common.ties)


def _backward(basis: Basis) -> Basis:
    return Basis(basis.degree, 1.0 - basis.breaks[::-1], basis.multiplicity[::-1].copy(), basis.periodic)


def _without_smooth_open(everything: Ties) -> tuple[Ties, list[tuple[str, Array]]]:
    """The same as `_without_smooth` of open outlines, whose starts and ends are always ties."""
    crisp = np.asarray(everything.corner.any(axis=0))
    inner = [(n, everything.share[:, k]) for k, n in enumerate(everything.names[:-1]) if not crisp[k]]
    keep = [*np.flatnonzero(crisp).tolist(), len(crisp)]
    names = tuple(everything.names[k] for k in keep[:-1])
    names = (*names, everything.names[-1])
    return Ties(everything.share[:, keep], everything.corner[:, keep[:-1]], everything.u[keep], names), inner


def _without_smooth(outlines: Sequence[Outline2D], everything: Ties | None) -> tuple[Ties, list[tuple[str, Array]]]:
    """The ties that are a corner somewhere, and (name, shares) of those that are smooth on every outline: these make no
    crease and lie inside a lane. Without any corner the section begins where the outlines do."""
    if everything is None:
        start = np.zeros((len(outlines), 1))
        none = np.zeros((len(outlines), 1), dtype=bool)
        return Ties(np.hstack([start, start + 1.0]), none, np.array([0.0, 1.0]), ("",)), []
    crisp = np.asarray(everything.corner.any(axis=0))
    inner = [(n, everything.share[:, k]) for k, n in enumerate(everything.names) if not crisp[k]]
    if crisp.any():
        first = int(np.argmax(crisp))
        order = [*range(first, len(crisp)), *range(first)]
        share = np.hstack([everything.share[:, first:-1], everything.share[:, :first] + 1.0])
        keep = [k for k, old in enumerate(order) if crisp[old]]
        share = np.hstack([share[:, keep], share[:, keep[:1]] + 1.0])
        u = (share - share[:, :1]).mean(axis=0)
        corner = everything.corner[:, [order[k] for k in keep]]
        return Ties(share, corner, u, tuple(everything.names[order[k]] for k in keep)), inner
    # Begun where the outlines themselves begin, so that what was kept of the body begins there, too; or at a tie that is
    # near to that.
    begins = np.zeros(len(outlines))
    away = np.abs((everything.share[:, :-1] + 0.5) % 1.0 - 0.5).min(axis=0)
    if away.min() < 0.02:
        begins = everything.share[:, int(away.argmin())]
    share = np.stack([begins, begins + 1.0], axis=1)
    return Ties(share, np.zeros((len(outlines), 1), dtype=bool), np.array([0.0, 1.0]), ("",)), inner


def _marks_of(outline: Outline2D) -> list[tuple[str, float, int]]:
    """(name, share of the outline's arc length, continuity) of every mark."""
    start, found = 0.0, []
    for run in outline.runs:
        found += [(m.name, (start + m.share * run.length) / outline.length, m.continuity) for m in run.marks]
        start += run.length
    return found


SAME = 1e-5
"""A mark this near a held place (share of the perimeter) on an outline is that place."""
CLOSE = 0.01
"""A mark this near a held place does not steer the correspondence, which the held place does."""


def _common_marks(outlines: Sequence[Outline2D], ties: Ties, inner: Sequence[tuple[str, Array]]) -> list[CommonMark]:
    """Held places inside lanes, and marks by name, each at the mean place of the outlines that have it.

    Within each pair of ties a mark lies at the same fraction of the way as on its outline, so that between ties
    that fall on corners the correspondence stays by arc length.
    """
    held = []
    for name, shares in inner:
        ahead = np.mod(shares - ties.share[:, 0], 1.0)
        start = (ahead < SAME) | (ahead > 1.0 - SAME)
        if start.any() and not start.all():
            # Where it falls on the first tie itself it is before or behind that, as on the other outlines.
            ahead[start] = float(ahead[~start].mean() > 0.5)
        relative = ties.share[:, 0] + ahead
        places = [float(np.interp(r, ties.share[i], ties.u)) for i, r in enumerate(relative)]
        held.append(CommonMark(name, float(np.mean(places)), 2, dict(enumerate(relative.tolist())), True))
    held.sort(key=lambda m: m.u)
    gathered: dict[str, dict[int, tuple[float, int]]] = {}
    for i, outline in enumerate(outlines):
        for name, share, continuity in _marks_of(outline):
            away = ties.share[i, 0] + np.mod(share - ties.share[i, 0], 1.0)
            gathered.setdefault(name, {})[i] = (float(away), continuity)
    nodes_u = np.sort(np.r_[ties.u, [m.u for m in held]])
    nodes_s = [np.sort(np.r_[ties.share[i], [m.shares[i] for m in held]]) for i in range(len(outlines))]
    own: list[CommonMark] = []
    for name, here in gathered.items():
        continuity = min(c for _, c in here.values())
        same = [m for m in held if all(abs(m.shares[i] - s) < SAME for i, (s, _) in here.items())]
        if same:
            held = [replace(m, continuity=min(m.continuity, continuity)) if m is same[0] else m for m in held]
            continue
        u = float(np.mean([np.interp(s, nodes_s[i], nodes_u) for i, (s, _) in here.items()]))
        steers = all(abs(u - m.u) > CLOSE for m in held)
        own.append(CommonMark(name, u, continuity, {i: s for i, (s, _) in here.items()} if steers else {}))
    return sorted([*held, *own], key=lambda m: m.u)
