"""Points that were measured, held against the design in the window: read or touched, coloured on the skin, told in the panel and on the Board."""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog

from isotomon.app.api import Api
from isotomon.app.board.overlay import Overlay
from isotomon.app.command import Command
from isotomon.app.made.panel import MadePanel
from isotomon.app.made.remembered import MadeSource, remember_source, remembered_source
from isotomon.app.made.touching import Touching
from isotomon.app.state.later import Later, read_aside
from isotomon.author.session import Session
from isotomon.design.disk import refuse_same
from isotomon.errors import DesignError, IsotomonError
from isotomon.exchange.clouds import ENDINGS, Cloud, read_cloud
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Finding
from isotomon.measuring import write_points
from isotomon.metrology.compare import AsMade, coloured, held_against
from isotomon.metrology.machine import Faults, Habits
from isotomon.metrology.plan import probe_plan
from isotomon.metrology.target import named_places
from isotomon.quantity import LENGTHS

log = logging.getLogger(__name__)
MOST_LIVE = 300_000
"""Points that are compared again by themselves when the design has changed."""
TITLE = "Off the design"


class MadeRoom(QObject):
    """Knows the window; the panel knows nothing but what it is given."""

    def __init__(self, api: Api) -> None:
        super().__init__()
        self.w = api
        self.panel: MadePanel = MadePanel(api.theme)
        self.cloud: Cloud | None = None
        self.colouring: Colouring | None = None
        self._source = MadeSource()
        self._session: Session | None = None  # of whose part a machine touches
        self.touching = Touching(self.panel)
        self.touching.came.connect(self._show_touched)
        self.touching.ended.connect(self._ended)
        self._again = Later("as made", self.panel)
        self._again.answered.connect(self._compared)
        panel = self.panel
        panel.file_wanted.connect(self.ask_file)
        panel.changed.connect(self.compare)
        panel.touch_wanted.connect(self.touch)
        panel.stop_wanted.connect(self.stop)
        panel.write_wanted.connect(self.ask_write)
        panel.report_wanted.connect(lambda: self.w.run_command("paper-as-made"))
        panel.closed.connect(self.leave)
        panel.chosen.connect(self._chosen)
        api.desk.session_changed.connect(self._other_design)
        api.desk.quick_changed.connect(self._results_changed)

    @property
    def open_now(self) -> bool:
        """Whether the panel stands at the right."""
        return self.w.side.currentWidget() is self.panel

    @property
    def made(self) -> AsMade | None:
        """What came of the points last."""
        return self.w.desk.made

    def open(self) -> None:
        """Show the panel; the points that were held against this design last are read again."""
        w = self.w
        w.show_view()
        w.set_stage("Deliver")
        w.side.setCurrentWidget(self.panel)
        quick = w.desk.quick
        if quick is not None:
            self.panel.show_stations({n.station.id: n.station.name for n in quick.resolved.stations})
        session = w.desk.session
        if self.cloud is None and session is not None and not self.touching.running:
            kept = remembered_source(w.settings, session.path)
            if kept is not None and Path(kept.path).exists():
                self.panel.fit.setCurrentIndex(max(self.panel.fit.findData(kept.fit), 0))
                self.panel.against.setCurrentIndex(max(self.panel.against.findData(kept.against), 0))
                self.read(Path(kept.path), kept.unit)
                return
        self._show()

    def leave(self) -> None:
        """Back to Details; the skin has its own colour again."""
        if self.open_now:
            w = self.w
            w.side.setCurrentWidget(w.forms)
            self._lay(None, None)
            w.view.set_finding(None)
            w.checks.refresh()

    def _other_design(self) -> None:
        self.stop()
        self.leave()
        self.cloud, self.colouring, self._source = None, None, MadeSource()
        self.w.desk.made = None
        self.panel.show_made(None, None, False)
        self.panel.said.clear()

    def _results_changed(self, quick: Quick) -> None:
        if quick.moving or self.cloud is None or not self.open_now:
            return
        made = self.made
        same = made is not None and made.quick.design is quick.design and made.quick.body.id == quick.body.id
        if same and made is not None and (made.target.finished or not self._wants_finished(quick)):
            self._show()
            return
        if len(self.cloud.points) <= MOST_LIVE:
            cloud, work = self.cloud, self._work(quick, self.cloud)
            self._again.ask(lambda: (cloud, *work()))
        self._show()

    # Reading and comparing

    def ask_file(self) -> None:
        """Choose a file of points."""
        session = self.w.desk.session
        folder = str(session.path.parent if session is not None and session.path is not None else Path.home())
        kinds = f"Measured points ({' '.join(f'*{ending}' for ending in ENDINGS)});;All files (*)"
        name, _ = QFileDialog.getOpenFileName(self.w.widget, "Measured points", folder, kinds)
        if name:
            self.read(Path(name))

    def read(self, path: Path, unit: str = "") -> None:
        """Read points and hold them against the design."""
        design = self.w.desk.design
        if design is None:
            return
        usual = design.unit
        try:
            cloud = read_aside(self.w.widget, f"Reading {path.name}", lambda: read_cloud(path, unit, usual))
        except IsotomonError as error:
            self.w.desk.said.emit("error", str(error))
            return
        self._source = MadeSource(str(path.absolute()))
        how = "as the file says" if cloud.said else "taken to be in"
        self._take(cloud, f"{path.name}: {len(cloud.points):,} points, {how} {cloud.unit}")

    def _take(self, cloud: Cloud, words: str) -> None:
        self.cloud = cloud
        self.panel.source.setText(words)
        self.panel.unit.setCurrentIndex(self.panel.unit.findData(cloud.unit))
        self.compare()

    def _wants_finished(self, quick: Quick) -> bool:
        return self.panel.against.currentData() == "finished" and quick.result in quick.finished

    def _work(self, quick: Quick, cloud: Cloud) -> Callable[[], tuple[AsMade, Colouring | None]]:
        """What holds points against results, on any thread."""
        fit, finished = self.panel.fit.currentData(), self._wants_finished(quick)

        def work() -> tuple[AsMade, Colouring | None]:
            known = named_places(quick)
            named = {name: place for name, place in cloud.named.items() if name in known}
            try:
                made = held_against(quick, cloud.points, fit, named or None, finished)
                return made, coloured(made) if len(made.kept) else None
            except IsotomonError:
                raise
            except (ArithmeticError, ValueError) as error:  # told where the user looks, not only logged
                log.exception("points were not compared")
                raise DesignError(
                    f"the points could not be compared ({type(error).__name__}); please report it with both files"
                ) from None

        return work

    def compare(self) -> None:
        """Hold the points against the design as it is now, as the panel says."""
        quick, cloud = self.w.desk.quick, self.cloud
        if quick is None or cloud is None:
            return
        unit = self.panel.unit.currentData()
        if unit != cloud.unit:
            scale = LENGTHS[unit] / LENGTHS[cloud.unit]
            named = {name: place * scale for name, place in cloud.named.items()}
            cloud = self.cloud = Cloud(cloud.points * scale, named, unit, cloud.said)
        try:
            made, colouring = read_aside(self.w.widget, "Comparing", self._work(quick, cloud))
        except IsotomonError as error:
            self.w.desk.said.emit("error", str(error))
            self._show()
            return
        self._compared((cloud, made, colouring))
        self._remember()

    def _remember(self) -> None:
        session = self.w.desk.session
        if session is not None and self._source.path and self.cloud is not None:
            fit, against = self.panel.fit.currentData(), self.panel.against.currentData()
            kept = MadeSource(self._source.path, self.cloud.unit, fit, against)
            remember_source(self.w.settings, session.path, kept)

    def _compared(self, answer: object) -> None:
        if isinstance(answer, tuple):
            cloud, made, colouring = answer
            if cloud is self.cloud:  # no others were read meanwhile
                self.w.desk.made, self.colouring = made, colouring
                self._show()
        else:
            self.w.desk.said.emit("error", str(answer))

    def _show(self) -> None:
        """What is told of the part, where the panel is open; of another state of the design it is marked."""
        if not self.open_now:
            return
        made, quick = self.made, self.w.desk.quick
        stale = made is not None and (quick is None or made.quick.design is not quick.design)
        self.panel.show_made(made, self.colouring, stale)
        fresh = made is not None and not stale and quick is not None and made.quick.body.id == quick.body.id
        self._lay(self.colouring if fresh else None, made if fresh else None)

    def _lay(self, colouring: Colouring | None, made: AsMade | None) -> None:
        over = overlay_of(made) if made is not None else None
        self.w.view.set_colouring(colouring, TITLE)
        self.w.board.set_over(over)
        self.w.body_plan.set_over(over.outlines if over is not None else ())
        self.w.view.set_over(())

    def _chosen(self, what: object) -> None:
        if isinstance(what, Finding):
            self.w.view.set_finding(what)
            if what.position is not None and not np.isnan(what.position):
                self.w.view.set_live(what.position)
        elif isinstance(what, str):
            self.w.desk.select((what,))

    def ask_write(self) -> None:
        """Choose where the points go."""
        session, cloud = self.w.desk.session, self.cloud
        if session is None or cloud is None:
            return
        folder = session.path.parent if session.path is not None else Path.home()
        start = str(folder / f"{session.design.name}-points.csv")
        name, _ = QFileDialog.getSaveFileName(self.w.widget, "Write the points", start, "CSV (*.csv)")
        if name:
            path = Path(name) if Path(name).suffix else Path(f"{name}.csv")
            self._write(path, cloud)

    def _write(self, path: Path, cloud: Cloud) -> None:
        session = self.w.desk.session
        try:
            if session is not None:
                refuse_same(path, session.path)
            read_aside(self.w.widget, f"Writing {path.name}", lambda: write_points(cloud.points, path))
        except IsotomonError as error:
            self.w.desk.said.emit("error", str(error))
            return
        self._source = MadeSource(str(path.absolute()))
        self._remember()
        self.w.desk.said.emit("note", f"Wrote {len(cloud.points):,} points as {path.name}.")

    # Touching

    def touch(self) -> None:
        """Have a machine touch the part, beside the window."""
        quick, panel = self.w.desk.quick, self.panel
        if quick is None or self.touching.running:
            return
        try:
            plan = probe_plan(quick, panel.count("around"), panel.count("between"))
            port = panel.count("port") if panel.edits["port"].text().strip() else 0
            accuracy, bias, drift = (panel.number(key, "length") for key in ("accuracy", "bias", "drift"))
            habits = Habits(accuracy, bias, drift, panel.number("missing", "ratio"))
            turned = panel.turned_from.currentData() or ""
            faults = Faults(panel.number("chord", "ratio"), panel.number("twist", "angle"), turned)
        except IsotomonError as error:
            self.w.desk.said.emit("error", str(error))
            return
        panel.said.clear()
        self._session = self.w.desk.session
        panel.show_running(0, len(plan), True)
        self.touching.begin(quick, plan, port, habits, faults)

    def stop(self) -> None:
        """End what a machine is doing; what it has touched stays."""
        self.touching.stop()

    def _show_touched(self) -> None:
        touching = self.touching
        self.panel.show_running(touching.tried, touching.planned, True)
        places = touching.places[-MOST_SHOWN:]
        if len(places) > 1 and self.open_now:
            self.w.view.set_over((np.array(places),))

    def _ended(self, problem: str) -> None:
        self.panel.show_running(0, 0, False)
        touching = self.touching
        places, tried, planned = touching.places, touching.tried, touching.planned
        if problem:
            self.w.desk.said.emit("error", problem)
        words = f"{len(places):,} of {planned:,} places touched" + ("" if tried == planned else f", {tried:,} tried")
        self.panel.said.setText(f"{words}. {problem}" if problem else f"{words}.")
        session = self.w.desk.session
        if not places or session is None or session is not self._session:
            return
        cloud = Cloud(np.array(places), {}, "mm", True)
        self.cloud, self._source = cloud, MadeSource()
        if session.path is not None:
            self._write(free_name(session.path), cloud)
        if self.open_now:
            self._take(cloud, f"From a machine: {len(places):,} points")


MOST_SHOWN = 4000
"""Of the places that have been touched so many, the latest, are drawn while a machine is at work."""
MOST_NAMES = 1000


def free_name(design: Path) -> Path:
    """A file beside a design's that is not there yet, for points of it."""
    names = (design.with_name(f"{design.stem}-points-{k}.csv") for k in range(1, MOST_NAMES))
    return next((name for name in names if not name.exists()), design.with_name(f"{design.stem}-points.csv"))


def overlay_of(made: AsMade) -> Overlay | None:
    """Sections as made for Board and body plan; None where there are none."""
    told = [one for one in made.sections if one.fit is not None]
    shape = made.quick.shape
    if len(told) < 2 or shape is None:
        return None
    first, last = float(shape.curves.v[0]), float(shape.curves.v[-1])
    rings = {one.station: np.vstack([one.as_made, one.as_made[:1]]) for one in told}
    outlines = tuple(
        np.stack([ring[:-1], ring[1:]], axis=1)
        if (ring := rings.get(n.station.id)) is not None
        else np.zeros((0, 2, 2))
        for n in made.quick.resolved.stations
    )
    share = np.array([(one.position - first) / (last - first) for one in told])
    area, angle = (np.array([getattr(one.made, name) for one in told]) for name in ("area", "set_angle"))
    return Overlay(share, area, outlines, (), "As made", angle, marked=True)


def _needs_body(w: Api) -> str:
    if w.desk.design is None:
        return "Open or begin a design first"
    return (
        ""
        if w.desk.quick is not None and w.desk.quick.mesh is not None
        else "There is no body yet to hold points against"
    )


MADE_COMMANDS = (
    Command(
        "as-made",
        "As made",
        lambda w: w.made.open(),
        "Ctrl+Shift+A",
        "Deliver",
        "target",
        "Measured points against the design: deviations on the skin, sections as made, what is other",
        _needs_body,
        lambda w: w.made.open_now,
    ),
)
