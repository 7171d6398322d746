"""A skin that fills a closed run of curves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError
from isotomon.field.filling import MOST_SPANS, RunEdge, fill
from isotomon.field.runs import closed_runs
from isotomon.operations.base import Ask, Length, Says
from isotomon.operations.skins.base import EDGES, FINER, Curves, MadeSheet, Making, given_at, names_of, strands_of
from isotomon.quantity.record import Ref

INSIDE = 65
"""Places of a curve inside that the skin passes."""


class FillRun(Making, frozen=True, tag="filled"):
    """The skin of least bending that fills a closed run of curves, in whatever order they are chosen; further closed runs are holes in it. It
    is flush or fair with the skins whose edges the curves are, but for those left `free`, and passes the curves and points `inside`. It
    goes into so many `spans` each way, or, for 0, into as many as it takes to be near to the run."""

    TITLE = "Skin that fills a run of curves"
    COMMAND = "Fill a closed run"
    HELP = "The skin of least bending within curves that run round: flat, or in space; flush or fair with the skins at its edges"
    PLACE = 40
    ICON = "skin-filled"
    NAME = "filling"
    FEWEST = 1

    curves: Curves = ()
    join: Annotated[Literal["free", "flush", "fair"], Says("Its edges are", words=EDGES)] = "free"
    free: Annotated[tuple[Ref, ...], Says("Left free", "curves", tip="Of the curves that are edges of skins")] = ()
    inside: Annotated[tuple[Ref, ...], Says("Inside", "curves", tip="Curves or points that the skin passes")] = ()
    spans: Annotated[
        int, Says("Fineness", "count", tip="Spans each way: few make it calm, many exact; 0: as many as it takes")
    ] = 0
    within: Annotated[
        Length, Says("Gaps closed up to", tip="Between the end of a curve and the beginning of the next")
    ] = 0.01

    @classmethod
    def of_curves(cls, curves: Sequence[Ref], ask: Ask) -> Making:
        """All of them."""
        return cls(curves=tuple(curves))

    def made(self, ask: Ask) -> MadeSheet:
        """The thin plate."""
        if not 0 <= self.spans <= MOST_SPANS:
            raise DesignError(f"fineness {self.spans}: choose 1 to {MOST_SPANS} spans, or 0 for as many as it takes")
        called, strands = names_of(ask, self.curves), strands_of(ask, self.curves)
        if not strands:
            raise DesignError("the run has no curves; choose some")
        runs, widest = closed_runs(strands, max(ask.number(self, "within"), FINER * ask.tolerance), called)
        given = [given_at(self.join, self.free, ref, strand) for ref, strand in zip(self.curves, strands, strict=True)]
        loops = tuple(tuple(RunEdge(strand, given[k], self.curves[k]) for k, strand in run) for run in runs)
        found = fill(loops, self._inside(ask), self.spans, ask.tolerance)
        told = (("greatest distance off the run", found.off), ("widest gap that was closed", widest))
        return MadeSheet(found.sheet, told, found.trim)

    def _inside(self, ask: Ask) -> tuple[tuple[float, float, float], ...]:
        """Places that the skin passes."""
        found = list[Array]()
        for ref in self.inside:
            is_point = isinstance(ask.references.get(ref), np.ndarray)
            t = np.linspace(0.0, 1.0, INSIDE)
            found.append(ask.references.point(ref)[None] if is_point else ask.references.curve(ref).at(t))
        return tuple((x, y, z) for points in found for x, y, z in points.tolist())
