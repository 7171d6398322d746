"""Curves put in order, head to tail, to closed runs."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from isotomon.errors import FieldError
from isotomon.field.strand import Strand

ENDS = np.array([0.0, 1.0])


def closed_runs(
    strands: Sequence[Strand], within: float, called: Sequence[str]
) -> tuple[list[list[tuple[int, Strand]]], float]:
    """Closed runs, the longest first, each of (which curve, the curve turned to run on), and the widest gap between an end and the next
    beginning (mm), all of them no more than `within`.

    Raises: FieldError, with the place of the gap, where a run does not close.
    """
    left, runs, widest = list(range(len(strands))), list[list[tuple[int, Strand]]](), 0.0
    while left:
        first = left.pop(0)
        run = [(first, strands[first])]
        if not strands[first].closed:
            widest = max(widest, _run_on(strands, run, left, within, called))
        runs.append(run)
    return sorted(runs, key=lambda run: -sum(s.length for _, s in run)), widest


def _run_on(
    strands: Sequence[Strand], run: list[tuple[int, Strand]], left: list[int], within: float, called: Sequence[str]
) -> float:
    """The run gone on with what is left, until it comes back to where it began; its widest gap."""
    start, widest = run[0][1].at(ENDS[:1])[0], 0.0
    while True:
        tail = run[-1][1].at(ENDS[1:])[0]
        home = float(np.linalg.norm(start - tail))
        near = [
            (float(np.linalg.norm(strands[k].at(ENDS[e : e + 1])[0] - tail)), k, e)
            for k in left
            if not strands[k].closed
            for e in (0, 1)
        ]
        gap, k, end = min(near, default=(np.inf, -1, 0))
        if home <= within and home <= gap and (len(run) > 1 or run[0][1].length > within):
            return max(widest, home)
        if gap > within:
            other = called[k] if k >= 0 and gap < home else called[run[0][0]]
            least = min(gap, home)
            error = FieldError(
                f"the run is open by {least:.4g} mm between {called[run[-1][0]]} and {other}; add the curve that is missing, or let gaps of "
                f"{least * 1.01:.2g} mm be closed"
            )
            x, y, z = tail.tolist()
            error.place = (x, y, z)
            raise error
        widest = max(widest, gap)
        left.remove(k)
        run.append((k, strands[k].turned() if end else strands[k]))
