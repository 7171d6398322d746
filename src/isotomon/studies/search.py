"""The best of all variants under limits, searched for by scipy's optimisers."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.optimize import NonlinearConstraint, minimize

from isotomon.design.records import Design
from isotomon.errors import FileError
from isotomon.studies.figures import VariantRow, run_variant
from isotomon.studies.study import Limit, Study, Variant

Told = Callable[[VariantRow, int, int], None]
"""Takes a row as it comes, how many are there, and how many there will be."""
WORST = 1e6
"""What a variant counts for that has no such figure."""
SLACK = 1e-9
"""By which a limit may be passed: what is at it is within it."""
REACH, NEAR = 0.25, 1e-6
"""Of the ranges: how far the first steps go, and how near the last ones end."""


class _Enough(Exception):
    """All steps of a search have been taken."""


class _Steps:
    """The variants that a search has looked at, each worked out once, as shares of their ranges."""

    def __init__(
        self,
        design: Design,
        study: Study,
        known: Mapping[Variant, VariantRow],
        keep: Callable[[VariantRow], None],
        told: Told,
    ) -> None:
        self.design, self.study, self.known, self.keep, self.told = design, study, known, keep, told
        self.names = tuple(one.name for one in study.varied)
        self.low, self.high = (np.array([getattr(one, end) for one in study.varied]) for end in ("low", "high"))
        self.rows: dict[Variant, VariantRow] = {}

    def row(self, share: Any) -> VariantRow:
        """The row at a share of each range. Raises: _Enough, when the study's steps are used up."""
        values = tuple(float(v) for v in self.low + np.clip(share, 0.0, 1.0) * (self.high - self.low))
        if values not in self.rows:
            if len(self.rows) >= self.study.count:
                raise _Enough
            row = self.known.get(values)
            if row is None:
                row = run_variant(self.design, self.names, len(self.rows), values)
                self.keep(row)
            self.rows[values] = replace(row, number=len(self.rows))
            self.told(self.rows[values], len(self.rows), self.study.count)
        return self.rows[values]

    def figure(self, share: Any, name: str) -> float:
        """A figure there; NaN where it is undefined."""
        return self.row(share).figures.get(name, math.nan)


def searched(
    design: Design, study: Study, known: Mapping[Variant, VariantRow], keep: Callable[[VariantRow], None], told: Told
) -> list[VariantRow]:
    """Rows of a search, one by one: Powell's linear approximations within bounds and limits (COBYLA, as scipy has it). A search that was ended
    takes the same steps again from what is `known`, and goes on; what is worked out anew is given to `keep`.

    Raises: FileError, for figures that there are none of.
    """
    steps, middle = _Steps(design, study, known, keep, told), np.full(len(study.varied), 0.5)
    first = steps.row(middle)
    for name in (study.aim, *(limit.figure for limit in study.limits)):
        if name not in first.figures:
            raise FileError(f"there is no figure '{name}'; there are {', '.join(first.figures) or first.problem}")
    size = max(abs(first.figures[study.aim]), 1e-12) * (-1.0 if study.greatest else 1.0)

    def aim(share: Any) -> float:
        value = steps.figure(share, study.aim) / size
        return value if math.isfinite(value) else WORST

    def limited(limit: Limit) -> NonlinearConstraint:
        scale = max(*(abs(end) for end in (limit.least, limit.most) if math.isfinite(end)), 1e-12)

        def at(share: Any) -> float:
            value = steps.figure(share, limit.figure) / scale
            return value if math.isfinite(value) else WORST

        return NonlinearConstraint(at, limit.least / scale, limit.most / scale)

    try:
        minimize(
            aim,
            middle,
            method="COBYLA",
            bounds=[(0.0, 1.0)] * len(middle),
            constraints=[limited(limit) for limit in study.limits],
            options={"rhobeg": REACH, "tol": NEAR, "maxiter": study.count},
        )
    except _Enough:
        pass
    return list(steps.rows.values())


def best_of(study: Study, rows: Sequence[VariantRow]) -> VariantRow | None:
    """The best row of a search that keeps all limits; None where none does."""
    good = [
        row
        for row in rows
        if math.isfinite(row.figures.get(study.aim, math.nan))
        and all(one.least - SLACK <= row.figures.get(one.figure, math.nan) <= one.most + SLACK for one in study.limits)
    ]
    return min(good, key=lambda row: row.figures[study.aim] * (-1.0 if study.greatest else 1.0), default=None)
