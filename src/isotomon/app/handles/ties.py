"""Handles of ties: their ends slide along their profiles, in the View and in the body plan."""

from __future__ import annotations

import numpy as np

from isotomon.app.api import Api
from isotomon.app.handles.sliding import slide
from isotomon.app.tools.ties import end_at, ends_of, profile_of, results
from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array
from isotomon.design import loft_edits
from isotomon.design.guides import End
from isotomon.evaluate.placing import nearest_share
from isotomon.inspect.results import Quick, Shape
from isotomon.quantity.record import Ref

SNAP_SHARE = 0.012
"""In the body plan an end this near a corner (share of the perimeter) goes to the corner."""
WORDS = "slide the tie along its profile; it snaps to corners"


class TieHandles:
    """While ties are shown, those of the chosen stations."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._base: tuple[Quick, Shape] | None = None
        """What was on show when a pull began: ties are counted as they were then."""

    def places(self) -> dict[str, Handle]:
        """The tie ends of the chosen stations, while ties are shown."""
        got = results(self.w.desk)
        if got is None or not self.w.view.ties_shown:
            return {}
        quick, shape = got
        chosen = self.w.desk.selected_stations()
        return {
            f"tie {tie} {n.station.id}": Handle(shape.tie_lines[tie, shape.mesh_rows[row]], "dot", WORDS, "tie")
            for row, n in quick.resolved.own
            if n.station.id in chosen and not np.isnan(shape.tie_shares[row]).any()
            for tie in range(len(shape.form.common.ties))
        }

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A tie's end dragged in the View: it slides along its profile."""
        _, tie, station = name.split()
        slid = slide(self.w, station, now)
        if slid is not None:
            self._move(int(tie), station, End(Ref(station), slid[0], slid[1]))

    def pull_in_plan(self, station: str, tie: int, place: Array) -> None:
        """A tie's end dragged in the body plan."""
        stand = profile_of(self.w.desk, station)
        if stand is None:
            return
        x, y = stand.to_unit(place[None])[0].tolist()
        share = nearest_share(stand.outline, x, y)
        corners = stand.outline.corner_lengths() / stand.outline.length
        if len(corners):
            away = np.abs((corners - share + 0.5) % 1.0 - 0.5)
            share = float(corners[int(away.argmin())]) if away.min() < SNAP_SHARE else share
        self._move(tie, station, end_at(station, share, stand))

    def _move(self, tie: int, station: str, end: End) -> None:
        """Show the design with a tie's end elsewhere. Ties are counted as they were when the drag began."""
        desk = self.w.desk
        if desk.design is None:
            return
        if self._base is None or self._base[0].design != desk.design:
            got = results(self.w.desk)
            if got is None or got[0].design != desk.design:
                return
            self._base = got
        quick, shape = self._base
        name = shape.form.common.ties[tie].name
        if name.startswith("rail "):
            key = name.removeprefix("rail ")
            desk.preview("move where the rail meets", lambda d: loft_edits.move_rail_end(d, key, end))
        elif name:
            key = name.removeprefix("tie ")
            desk.preview("move the tie", lambda d: loft_edits.set_tie(d, key, end))
        else:
            ends = tuple(e if e.station != station else end for e in ends_of(desk, quick, shape, tie))
            desk.preview("move the tie", lambda d: loft_edits.add_tie(d, desk.hand, ends))

    def release(self) -> None:
        """The pull is over."""
        self._base = None
