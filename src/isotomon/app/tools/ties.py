"""Tie tools: ties are shown, added, shifted by corners and evened out; whole turns are added."""

from __future__ import annotations

import math

import numpy as np

from isotomon.app.api import Api
from isotomon.app.command import Command
from isotomon.app.state.desk import Desk
from isotomon.design import edits, loft_edits
from isotomon.design.bodies import change_body
from isotomon.design.guides import End
from isotomon.design.records import Design
from isotomon.evaluate.placing import Stood, nearest_share
from isotomon.inspect.results import Quick, Shape
from isotomon.operations.skins.between import BetweenCurves
from isotomon.quantity.record import Pair, Ref


def end_at(station: str, share: float, stand: Stood) -> End:
    """The end of a tie at a share of a profile's arc length, or at the corner there."""
    corners = stand.outline.corner_lengths() / stand.outline.length
    if len(corners):
        away = np.abs((corners - share + 0.5) % 1.0 - 0.5)
        if away.min() < 1e-6:
            k = int(away.argmin())
            return End(Ref(station), float(corners[k]), stand.outline.corner_names[k])
    return End(Ref(station), round(share % 1.0, 9))


def results(desk: Desk) -> tuple[Quick, Shape] | None:
    """The newest results, where there is a body."""
    quick = desk.quick
    return (quick, quick.shape) if quick is not None and quick.shape is not None else None


def profile_of(desk: Desk, station: str) -> Stood | None:
    """A station's profile where it stands."""
    ground, quick = desk.ground(), desk.quick
    if ground is None or quick is None:
        return None
    return ground.profile(edits.find(quick.body.stations, station))


def ends_of(desk: Desk, quick: Quick, shape: Shape, tie: int) -> tuple[End, ...]:
    """The ends of an automatic tie as it is now, to be held from now on."""
    found = []
    for row, n in quick.resolved.own:
        share = float(shape.tie_shares[row, tie])
        stand = profile_of(desk, n.station.id)
        if not math.isnan(share) and stand is not None:
            found.append(end_at(n.station.id, share, stand))
    return tuple(found)


class TieTools:
    """The window's tie tools."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def toggle(self) -> None:
        """Show or hide the ties in the View."""
        self.w.view.show_ties(not self.w.view.ties_shown)
        self.w.show_handles()

    def add(self) -> None:
        """A tie where profiles face the way the widest run between ties faces; its ends can then be dragged."""
        if isinstance(self.w.desk.held.making, BetweenCurves):
            self._add_between(self.w.desk.held.making)
            return
        got = results(self.w.desk)
        if got is None:
            return
        quick, shape = got
        u = np.sort(np.array([t.u % 1.0 for t in shape.form.common.ties] or [0.0]))
        gaps = np.diff(np.append(u, u[0] + 1.0))
        at = float((u[int(gaps.argmax())] + gaps.max() / 2.0) % 1.0)
        row = shape.form.common.rows(np.array([at]))[0]
        ends = []
        for k, n in quick.resolved.own:
            stand = profile_of(self.w.desk, n.station.id)
            if stand is None or np.isnan(shape.tie_shares[k]).any():
                continue
            x, y = stand.to_unit((row @ shape.sections.local[shape.at_stations[k]])[None])[0].tolist()
            ends.append(end_at(n.station.id, nearest_share(stand.outline, x, y), stand))
        self.w.view.show_ties(True)
        self.w.desk.do("add a tie", lambda d: loft_edits.add_tie(d, self.w.desk.hand, tuple(ends)))

    def _add_between(self, making: BetweenCurves) -> None:
        """One in the middle of the widest gap between those of a skin between two curves."""
        ties = np.array([(0.0, 0.0), *sorted(making.ties), (1.0, 1.0)])
        k = int(np.diff(ties[:, 0]).argmax())
        first, second = (ties[k : k + 2].mean(axis=0)).round(4).tolist()
        self._set_between((*making.ties, (first, second)), "add a tie")
        self.w.view.show_ties(True)
        self.w.show_handles()

    def _set_between(self, ties: tuple[Pair, ...], title: str) -> None:
        desk, key = self.w.desk, self.w.desk.hand
        desk.do(title, lambda d: change_body(d, key, shaped=edits.replace(d.body(key).shaped, ties=ties)))
        desk.select((key,))

    def shift(self, way: int) -> None:
        """From the chosen station on, every tie goes to the next corner."""
        got = results(self.w.desk)
        if got is None:
            return
        quick, shape = got
        chosen = self.w.desk.selected_stations()
        rows_of = [row for row, n in quick.resolved.own if n.station.id in chosen]
        if not rows_of:
            self.w.desk.said.emit("note", "Choose a station of the body in hand first.")
            return
        beyond = {n.station.id for row, n in quick.resolved.own if row >= min(rows_of)}
        crisp = [k for k, t in enumerate(shape.form.common.ties) if not t.name.startswith("rail ")]
        rows = {k: ends_of(self.w.desk, quick, shape, k) for k in crisp}
        hand = self.w.desk.hand
        after = dict(zip(crisp, [*crisp[way:], *crisp[:way]], strict=True))

        def edit(design: Design) -> Design:
            design = loft_edits.remove_ties(design, hand)
            for k in crisp:
                here = {e.station: e for e in rows[k]} | {e.station: e for e in rows[after[k]] if e.station in beyond}
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
        if isinstance(self.w.desk.held.making, BetweenCurves):
            self._set_between((), "even the ties out")
            return
        self.w.desk.do("even the ties out", lambda d: loft_edits.remove_ties(d, self.w.desk.hand))

    def body_reason(self) -> str:
        """Why ties cannot be worked on."""
        if self.w.desk.design is not None and isinstance(self.w.desk.held.making, BetweenCurves):
            return ""
        return "" if results(self.w.desk) is not None else "There is no body yet: two stations at least"

    def station_reason(self) -> str:
        """Why no whole turn can be added, or ties shifted."""
        if results(self.w.desk) is None:
            return "There is no body yet that goes through stations: two at least"
        return "" if self.w.desk.selected_stations() else "Choose a station first"

    def even_reason(self) -> str:
        """Why there is nothing to even out."""
        body = self.w.desk.body
        making = body.making if body is not None else None
        tied = making.ties if isinstance(making, BetweenCurves) else body.loft.ties if body is not None else ()
        return "" if tied else "No tie is set by hand"


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
