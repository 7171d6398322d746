"""Variants tried in the window: chosen, run beside it, seen as they come, and taken into the design."""

from __future__ import annotations

import logging
import math
import threading
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Qt, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QSplitter
from shiboken6 import isValid

from isotomon.app.api import Api
from isotomon.app.board.overlay import Overlay
from isotomon.app.command import Command, needs_design
from isotomon.app.middle import Middle
from isotomon.app.state.later import read_aside
from isotomon.app.study.panel import CURVES, StudyPanel
from isotomon.app.study.plot import StudyPlot
from isotomon.app.study.table import VariantModel, VariantTable
from isotomon.design.records import Design
from isotomon.errors import FileError, IsotomonError
from isotomon.inspect.results import Quick
from isotomon.studies.figures import VariantRow, figures_of, varied_design
from isotomon.studies.run import StudyStopped, holds, run_study
from isotomon.studies.search import best_of
from isotomon.studies.study import Study, read_study, study_of

log = logging.getLogger(__name__)
SOON = 150
"""ms after which variants that have come are plotted, however many: not all of them anew for each."""


class StudyRoom(QObject):
    """Knows the window; table, plot and panel know nothing but what they are given."""

    came = Signal(object, int, int)
    """A row, how many there are, how many there will be; on the window's thread."""
    ended = Signal(object)
    """The folder of the results, or what went wrong, in words."""

    def __init__(self, api: Api) -> None:
        super().__init__()
        self.w = api
        self.model = VariantModel()
        self.table = VariantTable(self.model)
        self.plot: StudyPlot = StudyPlot(api.theme)
        self.panel: StudyPanel = StudyPanel()
        self.view: QSplitter = QSplitter(Qt.Orientation.Vertical)
        self.view.addWidget(self.plot)
        self.view.addWidget(self.table)
        self.view.setSizes([260, 160])
        self.middle = Middle(api, self.view, self.panel)
        self._stop: threading.Event | None = None
        self._soon = QTimer(self.view)  # it ends with the window
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON)
        self._soon.timeout.connect(self._draw)
        self.came.connect(self._took)
        self.ended.connect(self._ended)
        self.plot.picked.connect(self.table.choose)
        self.table.selectionModel().currentChanged.connect(lambda *_: self._chosen())
        self.table.doubleClicked.connect(lambda _: self.take())
        panel = self.panel
        panel.run_wanted.connect(self.run)
        panel.stop_wanted.connect(self.stop)
        panel.take_wanted.connect(self.take)
        panel.file_wanted.connect(self.ask_file)
        panel.closed.connect(self.leave)
        panel.plot_changed.connect(self._draw)
        api.desk.session_changed.connect(self._other_design)
        api.desk.quick_changed.connect(self._results_changed)

    @property
    def open_now(self) -> bool:
        """Whether the study stands in the View's place."""
        return self.middle.shown

    @property
    def running(self) -> bool:
        """Whether variants are being worked out."""
        return self._stop is not None

    def open(self) -> None:
        """Show the study of the design."""
        w = self.w
        self.middle.show()
        w.set_stage("Deliver")
        if w.desk.quick is not None:
            self._results_changed(w.desk.quick)
        self._draw()

    def leave(self) -> None:
        """Back to the View; what is under way goes on."""
        if self.open_now:
            self.middle.leave()
            self.w.board.set_over(None)
            self.w.checks.refresh()

    def _other_design(self) -> None:
        self.stop()
        self.model.begin(None)
        self.plot.chosen = None
        self.leave()

    def _results_changed(self, quick: Quick) -> None:
        if not self.open_now or quick.moving:
            return
        self.panel.show_numbers(quick.design)
        if not self.model.figures:
            names = list(figures_of(quick))
            self.panel.show_figures(names, [*(n.name for n in quick.design.numbers), *names])

    # Running

    def ask_file(self) -> None:
        """Choose a study's file, and run it."""
        session = self.w.desk.session
        if session is None:
            return
        folder = str(session.path.parent if session.path is not None else Path.home())
        kinds = "Study (*.toml *.csv);;All files (*)"
        name, _ = QFileDialog.getOpenFileName(self.w.widget, "Study", folder, kinds)
        if name:
            try:
                design = session.design
                study = read_aside(self.w.widget, "Reading the study", lambda: read_study(Path(name), design))
            except IsotomonError as error:
                self.w.desk.said.emit("error", str(error))
                return
            self.begin(design, study)

    def run(self) -> None:
        """Run what is chosen in the panel."""
        design = self.w.desk.design
        if design is None:
            return
        try:
            self.begin(design, study_of(self.panel.told(), design))
        except IsotomonError as error:
            self.w.desk.said.emit("error", str(error))

    def begin(self, design: Design, study: Study) -> None:
        """Run a study beside the window, into a folder beside the design's file: the one that holds it already, or a new one."""
        session, said = self.w.desk.session, self.w.desk.said
        if session is None:
            return
        if self.running:
            said.emit("note", "A study is being worked out, or ended, still; try again in a moment.")
            return
        if session.path is None:
            said.emit("note", "Save the design first: the study's results go into a folder beside it.")
            return
        out = _folder(session.path, design, study)
        self.model.begin(study)
        self.plot.chosen = None
        self._stop = stop = threading.Event()

        def told(row: VariantRow, done: int, count: int) -> None:
            if stop.is_set():
                raise StudyStopped
            self.came.emit(row, done, count)

        def work() -> None:
            try:
                run_study(design, study, out, told)
                answer: object = out
            except StudyStopped:
                answer = "Stopped; the variants that are there stay, and Run goes on with what lacks."
            except IsotomonError as error:
                answer = str(error)
            except Exception as error:  # told where the user looks, not only logged
                log.exception("study failed")
                answer = f"the study stopped unexpectedly ({type(error).__name__})"
            self.ended.emit(answer)

        self.panel.show_running(0, 1, True)
        self.panel.said.setText(f"Into {out.name}")
        threading.Thread(target=work, daemon=True, name="study").start()

    def stop(self) -> None:
        """End what is under way; what is there stays."""
        self._soon.stop()
        if self._stop is not None:
            self._stop.set()

    def _took(self, row: VariantRow, done: int, count: int) -> None:
        if self._stop is None or self._stop.is_set() or not isValid(self.view):
            return
        before = len(self.model.figures)
        self.model.add([row])
        if len(self.model.figures) != before:
            self.panel.show_figures(self.model.figures, self.model.titles[:-1])
            self.table.resizeColumnsToContents()
        self.panel.show_running(done, count, True)
        if not self._soon.isActive():
            self._soon.start()

    def _ended(self, answer: object) -> None:
        self._stop = None
        if not isValid(self.view):  # the window has gone meanwhile
            return
        self._draw()
        self.panel.show_running(0, 0, False)
        study = self.model.study
        if not isinstance(answer, Path):
            self.panel.said.setText(str(answer))
            return
        words = f"{len(self.model.rows)} variants, in {answer.name}"
        best = best_of(study, self.model.rows) if study is not None and study.how == "search" else None
        if study is not None and study.how == "search":
            words += f"; best: {best.number + 1}" if best is not None else "; none keeps all limits"
        if best is not None:
            self.table.choose(best.number)
        self.panel.said.setText(words)
        self.w.desk.said.emit("note", f"The study is done: {words}.")

    # Seeing and taking

    def _draw(self) -> None:
        if not self.open_now:
            return
        model, up = self.model, self.panel.up.currentData()
        if not model.rows:
            self.plot.show_points([], [], "", "")
        elif up in CURVES:
            self.plot.show_curves(model.rows, up, "section area, mm²" if up == "area" else "set angle, °")
        else:
            titles = model.titles
            pair = [self.panel.across.currentText(), self.panel.up.currentText()]
            columns = [titles.index(title) if title in titles else 0 for title in pair]
            x, y = ([_plain(model.value(row, column)) for row in model.rows] for column in columns)
            self.plot.show_points(x, y, titles[columns[0]], titles[columns[1]])

    def _chosen(self) -> None:
        chosen = self.plot.chosen = self.table.chosen()
        self.panel.take.setEnabled(chosen is not None)
        self.plot.update()
        if self.open_now:
            self.w.board.set_over(_laid_over(self.model.rows[chosen]) if chosen is not None else None)

    def take(self) -> None:
        """The chosen variant's numbers become the design's, as one step that can be taken back."""
        chosen, study = self.table.chosen(), self.model.study
        if chosen is None or study is None:
            return
        row, names = self.model.rows[chosen], [one.name for one in study.varied]
        self.w.desk.do(f"take variant {row.number + 1}", lambda d: varied_design(d, names, row.values))


def _laid_over(row: VariantRow) -> Overlay | None:
    """A variant's curves behind those of the design, by shares of its own length; None for one that has come to nothing."""
    if len(row.position) < 2:
        return None
    position, area, angle = (
        np.array([math.nan if x is None else x for x in values]) for values in (row.position, row.area, row.set_angle)
    )
    share = (position - position[0]) / (position[-1] - position[0])
    return Overlay(share, area, (), (), f"Variant {row.number + 1}", angle)


def _plain(value: float | str) -> float:
    return value if isinstance(value, float) else math.nan


MOST_FOLDERS = 1000


def _folder(path: Path, design: Design, study: Study) -> Path:
    """Where a study's results go: beside the design's file. Raises: FileError."""
    for number in range(1, MOST_FOLDERS):
        out = path.with_name(f"{path.stem}-study-{number}")
        if not out.exists() or holds(out, design, study):
            return out
    raise FileError(f"there are {MOST_FOLDERS} studies beside {path.name}; move some of them away")


def _needs_numbers(w: Api) -> str:
    if needs_design(w):
        return needs_design(w)
    assert w.desk.design is not None
    return "" if w.desk.design.numbers else "The design has no named numbers that could vary; make one first"


STUDY_COMMANDS = (
    Command(
        "study",
        "Variants",
        lambda w: w.study.open(),
        "",
        "Deliver",
        "number",
        "Many variants at once: named numbers vary, and all figures are seen side by side",
        _needs_numbers,
    ),
)
