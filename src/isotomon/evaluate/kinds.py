"""Things asked for as what is wanted: a plane, an axis, a point, a curve."""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.evaluate.sources import Thing
from isotomon.geometry import datums as g
from isotomon.geometry.datums import Axis, Cylinder, Frame, Plane, SpaceCurve
from isotomon.geometry.space import line

STRAIGHT = 1e-6
"""Of a curve's length: one that leaves the line through its ends by no more is straight."""


class Kinds(ABC):
    """What stands for a reference, as what is wanted of it. All raise a DesignError, in words, for what is of another kind."""

    @abstractmethod
    def get(self, ref: str) -> Thing:
        """What a reference stands for."""

    @abstractmethod
    def called(self, ref: str) -> str:
        """A reference in words."""

    @abstractmethod
    def is_station(self, ref: str) -> bool:
        """Whether a reference is a station."""

    def plane(self, ref: str) -> Plane:
        """A plane, or a frame's XY plane."""
        thing = self.get(ref)
        if isinstance(thing, Frame):
            return Plane(thing.origin, thing.axes[0], thing.axes[2])
        return self._as(ref, thing, Plane, "a plane")

    def axis(self, ref: str) -> Axis:
        """An axis, a cylinder's, or along a straight curve."""
        thing = self.get(ref)
        if isinstance(thing, Cylinder):
            return thing.axis
        if isinstance(thing, SpaceCurve):
            _, p, run = thing.table(65)
            way = g.unit(p[-1] - p[0], f"{self.called(ref)} is closed; a straight edge or line is needed")
            off = np.linalg.norm((p - p[0]) - ((p - p[0]) @ way)[:, None] * way, axis=1).max()
            if off > STRAIGHT * run[-1]:
                raise DesignError(f"{self.called(ref)} is not straight; pick a straight edge or line")
            return Axis(p[0], way, float(run[-1]))
        return self._as(ref, thing, Axis, "an axis")

    def point(self, ref: str) -> Array:
        """A point, or a frame's origin."""
        thing = self.get(ref)
        return thing.origin if isinstance(thing, Frame) else self._as(ref, thing, np.ndarray, "a point")

    def frame(self, ref: str) -> Frame:
        """A frame, or a plane's own."""
        thing = self.get(ref)
        if isinstance(thing, Plane):
            return Frame(thing.origin, np.array([thing.across, thing.up, thing.normal]))
        return self._as(ref, thing, Frame, "a frame")

    def curve(self, ref: str) -> SpaceCurve:
        """A curve, or an axis as long as the edge it came from; a station stands for its profile."""
        thing = self.get(ref)
        if isinstance(thing, Axis) and thing.length:
            return line(thing.origin, thing.origin + thing.length * thing.way)
        if isinstance(thing, Plane) and self.is_station(ref):
            thing = self.get(f"{ref}/outline")
        return self._as(ref, thing, SpaceCurve, "a curve")

    def round(self, ref: str) -> Cylinder:
        """A cylinder, or the circle that a curve or profile is."""
        thing = self.get(ref)
        if isinstance(thing, Cylinder):
            return thing
        return g.round_through(self.curve(ref).table(97)[1])

    def _as(self, ref: str, thing: Thing, kind: type, word: str):  # type: ignore[no-untyped-def]
        if not isinstance(thing, kind):
            raise DesignError(f"{self.called(ref)} is not {word}; pick something else")
        return thing
