"""A body's skin worked on: moved inward to a parallel, its corners along the body rounded by a rolling ball.

It is cut by planes at levels from one end to the other, and made of sides: the lanes, and the rounds between them. A ball that
rolls along a corner touches both lanes where its centre's parallels come from; the round is the arc between these places, and a
parallel of it the arc of another radius about the same centre. Lanes end where they are touched, or where their parallels meet.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MappingProxyType

import numpy as np
from scipy.interpolate import CubicSpline

from isotomon.arrays import Array, Index
from isotomon.errors import FieldError
from isotomon.field.end_round import EndRound, end_round
from isotomon.field.offsets import NEAR, NEARLY, Keyed, Offsets, between_ends
from isotomon.field.rolling import Ball, Fineness, rolling
from isotomon.field.section_field import SectionField
from isotomon.field.turning import PLAIN, lane_before, turns
from isotomon.geometry.basis import Basis
from isotomon.geometry.roots import secant

LEVEL, SAME_LEVEL = 1e-8, 1e-6
"""Of the way from end to end: levels that are nearer are one, and those at which rounds fade out."""
AHEAD, TIMES = 1e-3, 3
"""Of the way: the first step of the search for such a level; and steps."""
SLIVER = 0.01
"""Of a lane: what lies within so little of its ends is taken for them."""
BENT = 1.0 / 3.0
"""Of a lane: farther its corners cannot come to lie from the skin's own for it to be laid out evenly."""


@dataclass(frozen=True, eq=False)
class RoundedCorner:
    """The corner along the body at which a lane begins, and the ball's `radii` (n,) mm at even levels, or one for all; `over`: the narrow
    lane before that which the ball touches, too, and which is gone."""

    lane: int
    radii: Array
    over: int | None = None


@dataclass(frozen=True, eq=False)
class WorkedSkin:
    """The skin that lies `walls` (n,) mm, at even levels or all along, within that of a body, or outside it where they are less than
    nought, some of its corners rounded; `others`: the walls (n,) at lanes, by their numbers, that have their own."""

    base: Offsets
    """Its levels are those at which the skin is cut."""
    walls: Array = field(default_factory=lambda: np.zeros(1))
    rounds: tuple[RoundedCorner, ...] = ()
    fineness: Fineness = "exact"
    """Of its rounds."""
    outer: Offsets | None = None
    """By whose levels radii are meant, where not by those of `base`."""
    others: Mapping[int, Array] = field(default_factory=dict)
    away: tuple[bool, bool] = (False, False)
    """Whether its first end, and its last, are rounded away."""

    @property
    def end_rounds(self) -> list[EndRound]:
        """The rounds in place of its ends."""
        return [end_round(self.base, k == 1, self.fineness) for k, gone in enumerate(self.away) if gone]

    def wall(self, y: Array, lane: int) -> Array:
        """(m,) mm at levels y (m,) of a lane."""
        walls = self.others.get(lane, self.walls)
        if len(walls) < 2:
            return np.full(len(y), float(walls[0]))
        return np.asarray(CubicSpline(np.linspace(0.0, 1.0, len(walls)), walls)(y))

    @cached_property
    def all_walls(self) -> Array:
        """(n,) mm: those of all lanes together."""
        return np.concatenate([self.walls, *self.others.values()])

    def said(self) -> Iterator[object]:
        """All that it says besides the body's own skin, as plain values."""
        yield from ((corner.lane, corner.over, corner.radii.tobytes()) for corner in self.rounds)
        yield from ((lane, walls.tobytes()) for lane, walls in self.others.items())
        yield self.walls.tobytes()
        yield from self.away
        yield from self.base.shifts

    def resized(self, share: float) -> WorkedSkin:
        """The same with so much of its walls, or without a wall of its radii."""
        if not self.all_walls.any():
            return replace(self, rounds=tuple(replace(r, radii=r.radii * share) for r in self.rounds))
        return replace(self, walls=self.walls * share, others={k: w * share for k, w in self.others.items()})

    @cached_property
    def sides(self) -> tuple[int | RoundedCorner, ...]:
        """What goes round a section, in order: the numbers of lanes, each after the round at which it begins.

        Raises: FieldError, for a corner that cannot be rounded.
        """
        at = {corner.lane: corner for corner in self.rounds if self._left(corner)}
        lanes = [k for k in range(len(self.base.field.common.lanes)) if k not in self._gone]
        return tuple(side for k in lanes for side in ((at[k], k) if k in at else (k,)))

    def balls(self, corner: RoundedCorner) -> list[Ball]:
        """What rounds a corner: one for each part of the body along which it is there. Raises: FieldError, where it is nowhere."""
        every = tuple((one.lane, one.radii.tobytes(), one.over) for one in self.rounds)
        return rolling(self.outer or self.base, every, self.fineness).along[corner.lane]

    @property
    def _gone(self) -> set[int]:
        """The lanes that are rounded away."""
        return {corner.over for corner in self.rounds if corner.over is not None}

    def _left(self, corner: RoundedCorner) -> list[Ball]:
        """Those of its balls of whose rounds a parallel is a round still, and not a sharp corner."""
        thick = float(corner.radii.min()) <= float(self.all_walls.max())
        return [ball for ball in self.balls(corner) if ball.way < 0.0 or not thick]

    @cached_property
    def _parts(self) -> dict[int, list[tuple[Ball, float, float]]]:
        """By the lane at which a round begins, its balls, and the levels at which the first and last arc of each lies: where it fades out,
        or beyond the ends."""
        balls = [ball for side in self.sides if not isinstance(side, int) for ball in self._left(side)]
        low, high = self._fades(balls)
        # What fades out at nearly one level does so at one: between two there would be faces of no width.
        levels = np.unique(np.concatenate([low, high]))
        begins = levels[np.r_[True, levels[1:] > levels[:-1] + SAME_LEVEL]] if len(levels) else levels
        low, high = (begins[np.searchsorted(begins, both, side="right") - 1] for both in (low, high))
        parts: dict[int, list[tuple[Ball, float, float]]] = {ball.lane: [] for ball in balls}
        for ball, *both in zip(balls, low.tolist(), high.tolist(), strict=True):
            parts[ball.lane].append((ball, *both))
        return parts

    def _fades(self, balls: Sequence[Ball]) -> Array:
        """(2, n) the levels at which the corners of balls fade out at both sides of where they are; beyond the ends where they do not."""
        found = np.repeat([[-np.inf], [np.inf]], len(balls), axis=1)
        fading = np.array([ball.span.fades for ball in balls], dtype=bool).reshape(-1, 2).T
        share = np.array([(ball.span.low, ball.span.high) for ball in balls]).reshape(-1, 2).T[fading]
        if not len(share) or (not self.all_walls.any() and self.base.shifts == (0.0, 0.0)):
            found[fading] = share
            return found
        lanes, v = np.tile([ball.lane for ball in balls], (2, 1))[fading], self.base.start(share)

        def past(y: Array) -> Array:
            own, place = np.resize(lanes, len(y)), np.resize(v, len(y))
            by = np.concatenate([self.wall(y[k : k + 1], lane) for k, lane in enumerate(own.tolist())])
            normal, at = self.base.plane(y)
            return np.asarray(at - np.sum(self.base.moved(own, np.zeros(len(y)), place, by)[0] * normal, axis=1))

        y = secant(past, share, AHEAD, TIMES)
        levels = np.where(y < -LEVEL, -np.inf, np.where(y > 1.0 + LEVEL, np.inf, y))
        found[fading] = np.where(np.abs(y) < LEVEL, 0.0, np.where(np.abs(y - 1.0) < LEVEL, 1.0, levels))
        return found

    def is_there(self, side: int | RoundedCorner, y: float) -> bool:
        """Whether a side has any width at a level."""
        return isinstance(side, int) or any(low + LEVEL < y < high - LEVEL for _, low, high in self._parts[side.lane])

    @property
    def fades(self) -> list[float]:
        """The levels at which rounds fade out."""
        found = {y for parts in self._parts.values() for part in parts for y in part[1:]}
        return sorted(y for y in found if 0.0 <= y <= 1.0)

    def side_name(self, side: int | RoundedCorner) -> str:
        """What the face of a side is called."""
        names = self.base.field.names.lanes
        if isinstance(side, int):
            return f"lane {names[side]}"
        if side.over is not None:
            return f"round of (lane {names[side.over]})"
        a, b = sorted((f"lane {names[lane_before(self.base, side.lane)]}", f"lane {names[side.lane]}"))
        return f"round of ({a}|{b})"

    def basis(self, side: int | RoundedCorner) -> Basis | None:
        """The basis of a lane's own skin; None for a round."""
        return self.base.field.common.lanes[side].basis if isinstance(side, int) else None

    def borders(self, y: Array, across: Mapping[int, Array] = MappingProxyType({})) -> list[tuple[Array, Array]]:
        """For each lane, (m,) the u at which it begins and ends at levels y; kept, since fits ask for the same again. `across`: shares of
        the way across the rounds at which lanes begin, at which these are worked out, too, since that is hardly more work."""
        key = y.tobytes()
        if key not in self._borders:
            self._borders[key] = self._found(y, across)
        return self._borders[key]

    @cached_property
    def _arcs(self) -> dict[tuple[int, bytes, bytes], Array]:
        """What is known of rounds, by the lanes that begin at them, levels, and shares of the way across."""
        return {}

    @cached_property
    def _borders(self) -> dict[bytes, list[tuple[Array, Array]]]:
        return {}

    def _found(self, y: Array, across: Mapping[int, Array]) -> list[tuple[Array, Array]]:
        common = self.base.field.common
        begin, end = ([np.full(len(y), value) for _ in common.lanes] for value in (0.0, 1.0))
        at = {corner.lane: corner for corner in self.rounds}
        rounded = [side for side in self.sides if not isinstance(side, int)]
        along = {side.lane for side in rounded}
        for number, lane in enumerate(common.lanes):
            before = self.balls(at[number])[0].before if number in at else common.beside(number)[0]
            if lane.basis.periodic or before is None or number in self._gone:
                continue
            walls = self.wall(y, before), self.wall(y, number)
            if not np.array_equal(*walls):
                self._check_apart(before, number, number in along)
            if number not in along and self.all_walls.any():
                x = self.base.corners(before, number, y, walls)
                end[before], begin[number] = x[:, 0], x[:, 2]
        shares = [np.array([0.0, 1.0, *across.get(side.lane, ())]) for side in rounded]
        for side, (places, touched) in zip(rounded, self._rounded(rounded, shares, y), strict=True):
            end[self.balls(side)[0].before], begin[side.lane] = touched[0, :, 0], touched[1, :, 2]
            if side.lane in across:
                self._arcs[side.lane, y.tobytes(), across[side.lane].tobytes()] = places[2:].transpose(1, 0, 2)
        if any((a >= b - SLIVER).any() for a, b in zip(begin, end, strict=True)):
            raise FieldError(
                "a side is too narrow for what is taken of it at its two corners; make the radius or the wall less"
            )
        return list(zip(begin, end, strict=True))

    def _rounded(self, sides: Sequence[RoundedCorner], shares: Sequence[Array], y: Array) -> list[tuple[Array, Array]]:
        """Of each round, (n, m, 3) its points at shares (n,) of the way across, at levels y (m,), and (n, m, 4) where its ball touches there;
        of all of them at once."""
        if not sides:
            return []
        counts = [len(own) * len(y) for own in shares]
        number = np.concatenate(
            [np.tile(self._numbers(side, y), len(own)) for side, own in zip(sides, shares, strict=True)]
        )
        levels, s = np.tile(y, sum(map(len, shares))), np.repeat(np.concatenate(shares), len(y))
        by = np.concatenate(
            [self.wall(np.tile(y, len(own)), side.lane) for side, own in zip(sides, shares, strict=True)]
        )
        places, touched, there = np.empty((len(s), 3)), np.empty((len(s), 4)), number >= 0
        if there.any():
            balls = self.balls(sides[0])[0].balls
            found = balls.arcs(self.base, number[there], s[there], levels[there], by[there])
            places[there], touched[there] = found
        if not there.all():  # where there is no corner, a round is its edge
            lanes = np.repeat([(self.balls(side)[0].before, side.lane) for side in sides], counts, axis=0)[~there]
            touched[~there], places[~there] = self._edge(lanes[:, 0], lanes[:, 1], levels[~there], by[~there])
        split = [np.split(values, np.cumsum(counts)[:-1]) for values in (places, touched)]
        return [
            (p.reshape(len(own), len(y), 3), x.reshape(len(own), len(y), 4))
            for p, x, own in zip(*split, shares, strict=True)
        ]

    def _numbers(self, side: RoundedCorner, y: Array) -> Index:
        """(m,) the numbers of the balls that round a corner at levels y (m,), or less than nought where none does."""
        found = np.full(len(y), -1)
        for ball, low, high in self._parts[side.lane]:
            found[(y >= low - LEVEL) & (y <= high + LEVEL)] = ball.number
        return found

    def _edge(self, before: Index, lane: Index, y: Array, by: Array) -> tuple[Array, Array]:
        """(m, 4) and (m, 3): the edge between parallels of lanes (m,), `by` mm (m,) within, at levels y (m,)."""
        if by.any():
            x = self.base.corners(before, lane, y, (by, by))
        else:
            v = self.base.laid(lane, np.zeros(len(y)), y, by)
            x = np.stack([np.ones(len(y)), v, np.zeros(len(y)), v], axis=1)
        return x, self.base.moved(lane, x[:, 2], x[:, 3], by)[0]

    def _check_apart(self, before: int, lane: int, rounded: bool) -> None:
        """Raises: FieldError, where two lanes cannot have walls of their own."""
        if rounded:
            raise FieldError(
                "an edge between walls of two thicknesses is rounded; leave it sharp, or use one thickness"
            )
        if not _is_crisp(self.base, before, lane):
            raise FieldError(
                "walls of two thicknesses would meet where the skin runs on smoothly; choose faces between edges"
            )

    def points(self, s: Sequence[Array], y: Array) -> list[Array]:
        """For each side, (m, n, 3): its points at shares s (n,) of the way across it, at levels y (m,).

        Raises: FieldError, where the skin folds, or sides do not meet.
        """
        rounds = {side.lane: own for side, own in zip(self.sides, s, strict=True) if not isinstance(side, int)}
        borders = self.borders(y, rounds) if any(len(own) for own in s) else []
        across = [(side, own) for side, own in zip(self.sides, s, strict=True) if isinstance(side, int) and len(own)]
        lanes, made = self._on_lanes(across, y, borders), list[Array]()
        for side, own in zip(self.sides, s, strict=True):
            if not len(own):
                made.append(np.empty((len(y), 0, 3)))
            elif isinstance(side, int):
                made.append(lanes[side].reshape(len(y), len(own), 3))
            else:
                known = self._arcs.pop((side.lane, y.tobytes(), own.tobytes()), None)
                made.append(self._rounded([side], [own], y)[0][0].transpose(1, 0, 2) if known is None else known)
        return made

    def _on_lanes(
        self, across: Sequence[tuple[int, Array]], y: Array, borders: Sequence[tuple[Array, Array]]
    ) -> dict[int, Array]:
        """Of lanes, (m × n, 3): the points at shares (n,) of the way across each at levels y (m,); of all of them at once."""
        if not across:
            return {}
        counts = [len(own) * len(y) for _, own in across]
        lane = np.repeat([side for side, _ in across], counts)
        by = np.concatenate([self.wall(np.repeat(y, len(own)), side) for side, own in across])
        u = np.concatenate([_across(self._still(side), own, *borders[side]).ravel() for side, own in across])
        levels = np.concatenate([np.repeat(y, len(own)) for _, own in across])
        v, found, left = self.base.laid_points(lane, u, levels, by, NEARLY if self.fineness == "rough" else NEAR)
        parts = np.cumsum(counts)[:-1]
        if any(self.away):
            for end in self.end_rounds:
                given = [
                    self._given_way(end, side, own, its_u, its_v, y)
                    for (side, own), its_u, its_v in zip(across, np.split(u, parts), np.split(v, parts), strict=True)
                ]
                u, v = (np.concatenate(values) for values in zip(*given, strict=True))
            found, _, _, _, left = self.base.moved(lane, u, v, by)
        if left.min() <= 0.0:
            raise FieldError(
                f"the wall ({np.abs(self.all_walls).max():.4g} mm) is thicker than the skin's bends allow; make it thinner"
            )
        return {side: points for (side, _), points in zip(across, np.split(found, parts), strict=True)}

    def _given_way(self, end: EndRound, lane: int, s: Array, u: Array, v: Array, y: Array) -> tuple[Array, Array]:
        """(m × n,) the u and v of a lane, with levels y (m,) and shares s (n,) across it, where rows go along with where a round in place
        of an end begins."""
        along = end.gives_way(y)
        if not along.any():
            return u, v
        edge_u, edge_v = end.edge(lane, s)
        at_end = self.base.laid(lane, edge_u, np.full(len(s), float(end.last)), np.zeros(len(s)))
        moved_u, shares = u + (along[:, None] * (edge_u - s)).ravel(), along[:, None] * (edge_v - at_end)
        if np.array_equal(edge_u, s):
            return u, v + shares.ravel()
        level = self.base.laid(lane, moved_u, np.repeat(y, len(s)), np.zeros(len(u)))
        return moved_u, level + shares.ravel()

    def _still(self, lane: int) -> tuple[float, float]:
        """Up to which share of a lane, and from which, its outer parts are drawn out to its corners: what lies between, with all places
        at which the lane is less smooth, stays where it is."""
        basis = self.base.field.common.lanes[lane].basis
        inner = basis.breaks[(basis.multiplicity > 1) & (basis.breaks > SLIVER) & (basis.breaks < 1.0 - SLIVER)]
        return (float(inner[0]), float(inner[-1])) if len(inner) else (1.0, 0.0)


def _across(still: tuple[float, float], s: Array, begin: Array, end: Array) -> Array:
    """(m, n) the u of a lane at shares s (n,), where it begins and ends at u (m,). The map is C2.

    Raises: FieldError, when the corners lie too far from those of the skin.
    """
    low, high = still
    if low >= 1.0:
        return begin[:, None] + s * (end - begin)[:, None]
    if np.abs(begin).max() > BENT * low or np.abs(1.0 - end).max() > BENT * (1.0 - high):
        raise FieldError(
            "a corner comes to lie where the side beside it bends at once; make the radius or the wall less"
        )
    first, last = np.clip(1.0 - s / low, 0.0, 1.0) ** 3, np.clip((s - high) / (1.0 - high), 0.0, 1.0) ** 3
    return np.asarray(s + begin[:, None] * first + (end - 1.0)[:, None] * last)


def _is_crisp(base: Offsets, before: int, lane: int) -> bool:
    """Whether two lanes meet at a corner all along the body."""
    turn = turns(base, before, lane, np.linspace(0.0, 1.0, 65))
    return bool(np.abs(turn).min() >= PLAIN)


def skin_of(field: SectionField, tolerance: float, key: str) -> WorkedSkin | None:
    """A body's skin, not worked on yet; None of one that is not smooth along it, does not run from one flat end to the other, or has holes
    through it. `key`: the same for the same shape, of which much is worked out once."""
    holes = any(lane.loop for lane in field.common.lanes)
    creased = field.ruled and len(field.nodes) > 2
    if field.ring or creased or field.common.open or field.wrap is not None or holes:
        return None
    if any(station.tip for station in field.stations):
        return None
    return WorkedSkin(between_ends(Keyed(key, field), tolerance))
