"""What the pointer catches in a drawing, with a name for it and the constraints it would make."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from isotomon.arrays import Array
from isotomon.profile.curves import CurvePiece, piece_of, polyline
from isotomon.profile.drawing import ConstraintKind, Drawing, Line, part_ends, part_points
from isotomon.profile.loops import places_of
from isotomon.profile.meet import meets, nearest
from isotomon.profile.shapes import Spot

NEW = "?"
"""Stands for the point about to be made, in the constraints of a catch."""


@dataclass(frozen=True)
class Catch:
    """A place caught: its spot, what it is in words, and constraints that putting a point there would take for granted."""

    spot: Spot
    name: str = ""
    ties: tuple[tuple[ConstraintKind, tuple[str, ...]], ...] = ()


class Catcher:
    """The catchable things of one drawing, worked out once."""

    def __init__(self, drawing: Drawing) -> None:
        self.drawing = drawing
        self.places = places_of(drawing)
        self.ids = list(self.places)
        self.points = np.array(list(self.places.values())).reshape(-1, 2)
        self.pieces: dict[str, CurvePiece] = {p.id: piece_of(p, self.places) for p in drawing.parts}
        self.parts = {p.id: p for p in drawing.parts}
        ends = [set(part_ends(p) or ()) for p in drawing.parts]
        self._ends = set().union(*ends) if ends else set()
        self._samples = {key: polyline(piece) for key, piece in self.pieces.items()}
        self.stack = np.vstack(list(self._samples.values())) if self._samples else np.zeros((0, 2))
        """points along all parts, one part after another"""
        ends = np.cumsum([len(p) for p in self._samples.values()], dtype=int).tolist()
        self.slices = {key: slice(a, b) for key, a, b in zip(self._samples, [0, *ends], ends, strict=False)}

    def point_at(self, at: Array, reach: float) -> str:
        """The point within `reach` mm, if any."""
        if not len(self.points):
            return ""
        distance = np.linalg.norm(self.points - at, axis=1)
        best = int(np.argmin(distance))
        return self.ids[best] if distance[best] <= reach else ""

    def part_at(self, at: Array, reach: float) -> str:
        """The part within `reach` mm, if any."""
        best, key = reach, ""
        for name, samples in self._samples.items():
            low, high = samples.min(axis=0) - reach - 1e-9, samples.max(axis=0) + reach + 1e-9
            wide = 0.15 * (high - low)
            if np.all(at >= low - wide) and np.all(at <= high + wide):
                _, distance = nearest(self.pieces[name], at)
                if distance < best:
                    best, key = distance, name
        return key

    def catch(self, at: Array, reach: float, start: Spot | None = None, grid: float | None = None) -> Catch:
        """What lies within `reach` mm of a place. `start`: where the line being drawn begins, for level and upright.

        Points come first, then crossings, middles, curves, level with the start, and the grid.
        """
        key = self.point_at(at, reach)
        if key:
            x, y = self.places[key]
            word = "end" if key in self._ends else "centre" if self._is_centre(key) else "point"
            return Catch(Spot(float(x), float(y), key), word)
        size = 20.0 * reach
        near = [name for name in self.pieces if self._near(name, at, reach)]
        for i, a in enumerate(near):
            for b in near[i + 1 :]:
                places = self.pieces[a].at(meets(self.pieces[a], self.pieces[b], max(size, 1e-6))[:, 0])
                if len(places) and np.linalg.norm(places - at, axis=1).min() <= reach:
                    spot = Spot(*places[np.argmin(np.linalg.norm(places - at, axis=1))].tolist())
                    return Catch(spot, "crossing", (("on", (NEW, a)), ("on", (NEW, b))))
        for name in near:
            if isinstance(self.parts[name], Line):
                middle = self.pieces[name].at(np.array([0.5]))[0]
                if np.hypot(*(middle - at)) <= reach:
                    return Catch(Spot(*middle.tolist()), "middle", (("middle", (NEW, name)),))
        if near and start is not None:
            for axis, word in ((1, "level"), (0, "upright")):
                level = self._on_level(near[0], at, reach, start, axis)
                if level is not None:
                    return Catch(level, f"on the curve, {word}", (("on", (NEW, near[0])),))
        if near:
            t, _ = nearest(self.pieces[near[0]], at)
            return Catch(
                Spot(*self.pieces[near[0]].at(np.array([t]))[0].tolist()), "on the curve", (("on", (NEW, near[0])),)
            )
        return self._free(at, reach, start, grid)

    def _free(self, at: Array, reach: float, start: Spot | None, grid: float | None) -> Catch:
        x, y, names = float(at[0]), float(at[1]), []
        if grid is not None:
            gx, gy = round(x / grid) * grid, round(y / grid) * grid
            if abs(gx - x) <= reach and abs(gy - y) <= reach and (gx, gy) != (0.0, 0.0):
                x, y, names = gx, gy, ["grid"]
        if start is not None and np.hypot(*(at - start.at)) > 2 * reach:
            if abs(float(at[1]) - start.y) <= reach:
                y, names = start.y, ["level"]
            elif abs(float(at[0]) - start.x) <= reach:
                x, names = start.x, ["upright"]
        if abs(x) <= reach and abs(y) <= reach and not names:
            return Catch(Spot(0.0, 0.0), "origin", (("fixed", (NEW,)),))
        return Catch(Spot(x + 0.0, y + 0.0), " ".join(names))

    def _on_level(self, name: str, at: Array, reach: float, start: Spot, axis: int) -> Spot | None:
        """Where a part passes the level (axis 1) or the upright (axis 0) of the start, if within reach."""
        if abs(float(at[axis] - start.at[axis])) > reach or np.hypot(*(at - start.at)) < 2 * reach:
            return None
        ends = np.array([start.at, start.at])
        ends[:, 1 - axis] = at[1 - axis] - 4 * reach, at[1 - axis] + 4 * reach
        level = piece_of(Line("", "a", "b"), {"a": ends[0], "b": ends[1]})
        hits = self.pieces[name].at(meets(self.pieces[name], level, max(20.0 * reach, 1e-6))[:, 0])
        if not len(hits):
            return None
        best = hits[int(np.argmin(np.linalg.norm(hits - at, axis=1)))]
        return Spot(*best.tolist()) if np.hypot(*(best - at)) <= 2 * reach else None

    def _near(self, name: str, at: Array, reach: float) -> bool:
        samples = self._samples[name]
        low, high = samples.min(axis=0), samples.max(axis=0)
        slack = reach + 0.15 * float((high - low).max())
        if np.any(at < low - slack) or np.any(at > high + slack):
            return False
        return nearest(self.pieces[name], at)[1] <= reach

    def _is_centre(self, key: str) -> bool:
        return any(part_points(p)[0] == key and getattr(p, "centre", "") == key for p in self.drawing.parts)

    def inside(self, low: Array, high: Array, touching: bool) -> tuple[str, ...]:
        """Parts and points in a box: wholly in it, or also those it touches."""
        found = []
        for name, samples in self._samples.items():
            within = np.all((samples >= low) & (samples <= high), axis=1)
            if within.all() or (touching and within.any()):
                found.append(name)
        if len(self.points):
            within = np.all((self.points >= low) & (self.points <= high), axis=1)
            found += [key for key, hit in zip(self.ids, within.tolist(), strict=True) if hit]
        return tuple(found)
