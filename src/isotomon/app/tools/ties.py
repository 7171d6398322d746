"""Tie tools: the ends of ties slide along their profiles in the View and the body plan; whole turns are added."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from isotomon.app.api import Api
from isotomon.app.command import Command
from isotomon.app.tools.guides import slide
from isotomon.design import edits, loft_edits
from isotomon.design.guides import End
from isotomon.design.records import Design
from isotomon.evaluate.placing import Stood, nearest_share
from isotomon.inspect.results import Quick, Shape

Array = NDArray[np.float64]
SNAP_SHARE = 0.012
"""In the body plan an end this near a corner (share of the perimeter) goes to the corner."""


def end_at(station: str, share: float, stand: Stood) -> End:
    """The end of a tie at a share of a profile's arc length, or at the corner there."""
    corners = stand.outline.corner_lengths() / stand.outline.length
    if len(corners):
        away = np.abs((corners - share + 0.5) % 1.0 - 0.5)
        if away.min() < 1e-6:
            k = int(away.argmin())
            return End(station, float(corners[k]), stand.outline.corner_names[k])
    return End(station, round(share % 1.0, 9))


class TieTools:
    """The window's tie tools."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._base: tuple[Quick, Shape] | None = None

    def _results(self) -> tuple[Quick, Shape] | None:
        quick = self.w.desk.quick
        return (quick, quick.shape) if quick is not None and quick.shape is not None else None

    def _stand(self, station: str) -> Stood | None:
        ground = self.w.desk.ground()
        quick = self.w.desk.quick
        return (
            ground.profile(edits.find(quick.body.stations, station))
            if ground is not None and quick is not None
            else None
        )

    def grips(self) -> dict[str, Array]:
        """Places of the tie ends of the chosen stations, while ties are shown."""
        got = self._results()
        if got is None or not self.w.view.ties_shown:
            return {}
        quick, shape = got
        chosen = self.w.desk.selected_stations()
        return {
            f"tie {tie} {n.station.id}": shape.tie_lines[tie, shape.mesh_rows[row]]
            for row, n in enumerate(quick.resolved.stations)
            if n.station.id in chosen and not np.isnan(shape.tie_shares[row]).any()
            for tie in range(len(shape.form.common.ties))
        }

    def pull(self, kind: str, start: Array, now: Array) -> None:
        """A tie's end dragged in the View: it slides along its profile."""
        _, tie, station = kind.split()
        slid = slide(self.w, station, now)
        if slid is not None:
            self._move(int(tie), station, End(station, slid[0], slid[1]))

    def pull_in_plan(self, station: str, tie: int, place: Array) -> None:
        """A tie's end dragged in the body plan."""
        stand = self._stand(station)
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
            got = self._results()
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
            ends = tuple(e if e.station != station else end for e in self.ends_of(quick, shape, tie))
            desk.preview("move the tie", lambda d: loft_edits.add_tie(d, desk.hand, ends))

    def ends_of(self, quick: Quick, shape: Shape, tie: int) -> tuple[End, ...]:
        """The ends of an automatic tie as it is now, to be held from now on."""
        found = []
        for row, n in enumerate(quick.resolved.stations):
            share = float(shape.tie_shares[row, tie])
            stand = self._stand(n.station.id)
            if not math.isnan(share) and stand is not None:
                found.append(end_at(n.station.id, share, stand))
        return tuple(found)

    # Commands

    def toggle(self) -> None:
        """Show or hide the ties in the View."""
        self.w.view.show_ties(not self.w.view.ties_shown)
        self.w.show_grips()

    def add(self) -> None:
        """A tie where profiles face the way the widest run between ties faces; its ends can then be dragged."""
        got = self._results()
        if got is None:
            return
        quick, shape = got
        u = np.sort(np.array([t.u % 1.0 for t in shape.form.common.ties] or [0.0]))
        gaps = np.diff(np.append(u, u[0] + 1.0))
        at = float((u[int(gaps.argmax())] + gaps.max() / 2.0) % 1.0)
        row = shape.form.common.rows(np.array([at]))[0]
        ends = []
        for k, n in enumerate(quick.resolved.stations):
            stand = self._stand(n.station.id)
            if stand is None or np.isnan(shape.tie_shares[k]).any():
                continue
            x, y = stand.to_unit((row @ shape.sections.local[shape.at_stations[k]])[None])[0].tolist()
            ends.append(end_at(n.station.id, nearest_share(stand.outline, x, y), stand))
        self.w.view.show_ties(True)
        self.w.desk.do("add a tie", lambda d: loft_edits.add_tie(d, self.w.desk.hand, tuple(ends)))

    def shift(self, way: int) -> None:
        """From the chosen station on, every tie goes to the next corner."""
        got = self._results()
        if got is None:
            return
        quick, shape = got
        keys = [n.station.id for n in quick.resolved.stations]
        rows_of = [keys.index(k) for k in self.w.desk.selected_stations() if k in keys]
        if not rows_of:
            self.w.desk.said.emit("note", "Choose a station of the body in hand first.")
            return
        first = min(rows_of)
        crisp = [k for k, t in enumerate(shape.form.common.ties) if not t.name.startswith("rail ")]
        rows = {k: self.ends_of(quick, shape, k) for k in crisp}
        hand = self.w.desk.hand
        after = dict(zip(crisp, [*crisp[way:], *crisp[:way]], strict=True))

        def edit(design: Design) -> Design:
            design = loft_edits.remove_ties(design, hand)
            for k in crisp:
                here = {e.station: e for e in rows[k]} | {
                    e.station: e for e in rows[after[k]] if keys.index(e.station) >= first
                }
                design = loft_edits.add_tie(design, hand, tuple(here.values()))
            return design

        self.w.view.show_ties(True)
        self.w.desk.do("shift the ties by one corner", edit)

    def turn(self, by: int) -> None:
        """A whole turn more, or less, between the chosen station and the one before it."""
        desk = self.w.desk
        assert desk.design is not None
        station = desk.selected_stations()[0]
        now = next((t.turns for t in desk.held.loft.turns if t.station == station), 0)
        desk.do("add a whole turn", lambda d: loft_edits.set_turns(d, station, now + by))

    def even_out(self) -> None:
        """All ties automatic again."""
        self.w.desk.do("even the ties out", lambda d: loft_edits.remove_ties(d, self.w.desk.hand))

    def body_reason(self) -> str:
        """Why ties cannot be worked on."""
        return "" if self._results() is not None else "There is no body yet: two stations at least"

    def station_reason(self) -> str:
        """Why no whole turn can be added, or ties shifted."""
        if self.body_reason():
            return self.body_reason()
        return "" if self.w.desk.selected_stations() else "Choose a station first"

    def even_reason(self) -> str:
        """Why there is nothing to even out."""
        body = self.w.desk.body
        return "" if body is not None and body.loft.ties else "No tie is set by hand"


TIE_COMMANDS: tuple[Command, ...] = (
    Command("ties", "Show ties", lambda w: w.ties.toggle(), "Y", "Guide", "ties",
            "The points that belong together, along the body; drag an end of a chosen station",
            lambda w: w.ties.body_reason(), lambda w: w.view.ties_shown, "Ties"),
    Command("tie-add", "Add a tie", lambda w: w.ties.add(), "", "Guide", "",
            "In the widest gap between ties; then drag its ends", lambda w: w.ties.body_reason(), None, "Ties"),
    Command("tie-shift", "Shift ties by one corner", lambda w: w.ties.shift(1), "", "Guide", "",
            "From the chosen station on", lambda w: w.ties.station_reason(), None, "Ties"),
    Command("tie-shift-back", "Shift ties back by one corner", lambda w: w.ties.shift(-1), "", "Guide", "",
            "From the chosen station on", lambda w: w.ties.station_reason(), None, "Ties"),
    Command("turn-more", "Add a whole turn", lambda w: w.ties.turn(1), "", "Guide", "turn",
            "Between the chosen station and the one before it", lambda w: w.ties.station_reason(), None, "Ties"),
    Command("turn-less", "Take a whole turn away", lambda w: w.ties.turn(-1), "", "Guide", "turn",
            "Between the chosen station and the one before it", lambda w: w.ties.station_reason(), None, "Ties"),
    Command("tie-even", "Even ties out", lambda w: w.ties.even_out(), "", "Guide", "",
            "All ties automatic again, for least turn", lambda w: w.ties.even_reason(), None, "Ties"),
)  # fmt: skip
