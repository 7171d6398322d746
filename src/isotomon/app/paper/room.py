"""What is delivered, shown in the View's place before it is written; what was written, and written again in one go."""

from __future__ import annotations

import logging
from dataclasses import replace
from datetime import date
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog

from isotomon.app.api import Api
from isotomon.app.command import Command
from isotomon.app.middle import Middle
from isotomon.app.paper.panel import PaperPanel
from isotomon.app.paper.preview import PaperView
from isotomon.app.paper.written import Written, remember, remembered, state_of, with_one
from isotomon.app.shapes import png_of
from isotomon.app.state.later import Later, read_aside
from isotomon.app.tools.datums import candidates
from isotomon.design.disk import refuse_same
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.exchange.deliveries import write_made
from isotomon.exchange.pages import png_of as png_of_page
from isotomon.inspect.results import Quick
from isotomon.metrology.compare import AsMade
from isotomon.pace import checkpoint
from isotomon.paper.delivery import DELIVERIES, Prepared, Requested, make
from isotomon.solids.deliver import USUAL, export, export_wires

SIDES = {"round": "from all round", "side": "from the side", "plan": "from above", "front": "from its end"}
"""Views for the report's pictures, and what they show."""
FILES = {
    ".pdf": "PDF (*.pdf)",
    ".svg": "SVG, a file a page (*.svg)",
    ".dxf": "DXF, a file a page (*.dxf)",
    ".png": "PNG, a file a page (*.png)",
    ".html": "HTML, all in one file (*.html)",
    ".csv": "CSV (*.csv)",
    ".step": "STEP (*.step)",
    ".iges": "IGES (*.iges)",
}


log = logging.getLogger(__name__)


class PaperRoom(QObject):
    """Knows the window; view and panel know nothing but what they are given."""

    def __init__(self, api: Api) -> None:
        super().__init__()
        self.w = api
        self.view: PaperView = PaperView(api.theme)
        self.panel: PaperPanel = PaperPanel()
        self.middle = Middle(api, self.view, self.panel)
        self.made: Prepared | None = None
        self._wanted: Requested | None = None
        self._design: Design | None = None
        """What was asked for when this was made, and of which state of the design."""
        self.written: tuple[Written, ...] = ()
        self.number = 0
        """Of the page that is shown, from nought."""
        self._making = Later("sheet", self.view)
        self._making.answered.connect(self._took)
        self._drawing = Later("sheet picture", self.view)
        self._drawing.answered.connect(self._took_picture)
        self.view.turned.connect(self.turn)
        self.view.closed.connect(self.leave)
        self.view.wanted.connect(self._draw)
        self.panel.changed.connect(self._chosen)
        self.panel.turned.connect(self.turn)
        self.panel.write_wanted.connect(self.ask_write)
        self.panel.again_wanted.connect(self.write_all)
        self.panel.closed.connect(self.leave)
        api.desk.session_changed.connect(self._other_design)
        api.desk.quick_changed.connect(self._results_changed)
        api.desk.engine.exported.connect(self._exported)

    @property
    def open_now(self) -> bool:
        """Whether a sheet stands in the View's place."""
        return self.middle.shown

    # Opening and leaving

    def open(self, what: str) -> None:
        """Show something that can be delivered."""
        w = self.w
        self.middle.show()
        if w.desk.design is not None:
            self.panel.show_axes(dict(candidates(w.desk.design, "A")))
        self.panel.take(what)
        w.set_stage("Deliver")
        self.view.setFocus()
        self._chosen()

    def leave(self) -> None:
        """Back to the View."""
        if self.open_now:
            self.middle.leave()

    def _other_design(self) -> None:
        session = self.w.desk.session
        self.written = remembered(self.w.settings, session.path) if session is not None else ()
        self.made = None
        self.leave()

    def _results_changed(self, quick: Quick) -> None:
        if self.open_now and not quick.moving:
            self.remake()

    # Making and showing

    def _chosen(self) -> None:
        self.number = 0
        self.view.whole()
        self.remake()

    def remake(self) -> None:
        """Make what is wanted of the newest results, beside the window's thread."""
        quick, wanted = self.w.desk.quick, self.panel.wanted()
        self._show_written()
        if quick is None or quick.moving:
            return
        pictures = self._sides() if wanted.what == "report" and self.panel.shaded.isChecked() else {}
        made = self._made_of(quick)
        self._making.ask(lambda: _prepared(quick, wanted, pictures, made))

    def _made_of(self, quick: Quick) -> AsMade | None:
        """The part as it was made, where that was held against this very design."""
        made = self.w.desk.made
        return made if made is not None and made.quick.design is quick.design else None

    def _sides(self) -> dict[str, bytes]:
        """Pictures of the body from four sides, and of the Board. The View is left as it was."""
        view = self.w.view
        kept = view.stance
        found = {}
        for name, words in SIDES.items():
            view.look_from(name)
            view.draw_smooth()
            found[words] = png_of(view)
        view.stance = kept
        view.draw_smooth()
        return found | {"the Board": png_of(self.w.board)}

    def _took(self, answer: object) -> None:
        if isinstance(answer, tuple):
            self._wanted, self._design, self.made = answer
            self.number = min(self.number, len(self.made.pages) - 1)
            self._lay()
        else:
            self.made = None
            self.view.say(str(answer))
            self.panel.show_page(0, 0)

    def turn(self, step: int) -> None:
        """So many pages on."""
        if self.made is not None:
            self.number = min(max(self.number + step, 0), len(self.made.pages) - 1)
            self._lay()

    def _lay(self) -> None:
        assert self.made is not None
        page = self.made.pages[self.number]
        self.panel.show_page(self.number + 1, len(self.made.pages))
        self.view.lay(page.width, page.height)

    def _draw(self, width: int) -> None:
        if self.made is None or not self.open_now:
            return
        page = self.made.pages[self.number]
        dpi = min(max(width / page.width * 25.4, 30.0), MOST_DPI)
        self._drawing.ask(lambda: (page, png_of_page(page, dpi)))

    def _took_picture(self, answer: object) -> None:
        if isinstance(answer, tuple):
            page, png = answer
            if self.made is not None and page is self.made.pages[self.number]:  # no other was wanted meanwhile
                self.view.show_page(QImage.fromData(png))

    # Writing

    def _own(self) -> Path | None:
        session = self.w.desk.session
        return session.path if session is not None else None

    def _show_written(self) -> None:
        design = self.w.desk.design
        self.panel.show_written(self.written, state_of(design) if design is not None else "")

    def note(self, path: Path, wanted: Requested | None, design: Design | None, distance: float = 0.0) -> None:
        """Something has been written of a state of the design."""
        if design is not None:
            self.written = with_one(self.written, Written(str(path.absolute()), wanted, state_of(design), distance))
            remember(self.w.settings, self._own(), self.written)
            self._show_written()

    def _exported(self, path: Path, problem: str, of: tuple[Design, float]) -> None:
        if not problem:
            self.note(path, None, *of)

    def ask_write(self) -> None:
        """Choose where what is shown goes."""
        made, wanted, design = self.made, self._wanted, self._design
        if made is None or wanted is None or design is None:
            return
        own = self._own()
        folder = own.parent if own is not None else Path(str(self.w.settings.value("folder", str(Path.home()))))
        start = folder / f"{design.name}-{wanted.what}{made.endings[0]}".replace("/", "_")
        kinds = ";;".join(FILES[ending] for ending in made.endings)
        name, kind = QFileDialog.getSaveFileName(self.w.widget, f"Write the {made.title}", str(start), kinds)
        if name:
            chosen = next((ending for ending in made.endings if FILES[ending] == kind), made.endings[0])
            self.write_to(Path(name) if Path(name).suffix else Path(f"{name}{chosen}"))

    def write_to(self, path: Path) -> None:
        """Write what is shown; what comes of it is said at the foot of the window."""
        made, wanted, design, said = self.made, self._wanted, self._design, self.w.desk.said
        if made is None:
            return
        by_worker = partial(export_wires, self.w.desk.engine.supervisor)
        try:
            refuse_same(path, self._own())
            files = read_aside(self.w.widget, f"Writing {path.name}", lambda: write_made(made, path, by_worker))
        except IsotomonError as error:
            said.emit("error", str(error))
            return
        self.note(path, wanted, design)
        said.emit(
            "note", f"Wrote {path.name}." if len(files) == 1 else f"Wrote {len(files)} files, {files[0].name} on."
        )

    def write_all(self) -> None:
        """Write again, of the design as it is now, all that was written of it before."""
        quick, design, said = self.w.desk.quick, self.w.desk.design, self.w.desk.said
        if quick is None or design is None or not self.written:
            return
        if quick.moving or quick.design is not design:
            said.emit("note", "The design is being worked out still; try again in a moment.")
            return
        again, supervisor, own = self.written, self.w.desk.engine.supervisor, self._own()
        part = self._made_of(quick)
        pictures = self._sides() if any(one.wanted and one.wanted.what == "report" for one in again) else {}

        def one_of(one: Written) -> str:
            try:
                refuse_same(Path(one.path), own)
                if one.wanted is None:
                    export(quick, supervisor, Path(one.path), replace(USUAL, distance=one.distance))
                else:
                    made = make(quick, one.wanted, date.today().isoformat(), pictures, part)
                    write_made(made, Path(one.path), partial(export_wires, supervisor))
            except IsotomonError as error:
                return f"{one.name}: {error}"
            return ""

        def work() -> list[str]:
            found = []
            for k, one in enumerate(again):
                checkpoint(k / len(again))
                found.append(one_of(one))
            return found

        try:
            problems = read_aside(self.w.widget, "Writing all again", work)
        except IsotomonError as error:
            said.emit("note", str(error))
            return
        state = state_of(design)
        self.written = tuple(
            one if problem else replace(one, state=state) for one, problem in zip(again, problems, strict=True)
        )
        remember(self.w.settings, own, self.written)
        self._show_written()
        wrong = [problem for problem in problems if problem]
        if wrong:
            said.emit("error", f"{len(wrong)} of {len(again)} files were not written: {wrong[0]}")
        else:
            said.emit("note", f"Wrote {len(again)} file{'s' if len(again) > 1 else ''} again.")


def _prepared(quick: Quick, wanted: Requested, pictures: dict[str, bytes], part: AsMade | None) -> object:
    """What is wanted with what it is of, or why it cannot be made, in words."""
    try:
        return wanted, quick.design, make(quick, wanted, date.today().isoformat(), pictures, part)
    except IsotomonError as error:
        return str(error)
    except Exception as error:  # told where the user looks, not only logged
        log.exception("a sheet was not made")
        return f"this could not be made ({type(error).__name__}); please report it with the design"


MOST_DPI = 400.0
"""Dots an inch at which a page is drawn at most, however large it is shown."""


def _needs_body(w: Api) -> str:
    if w.desk.design is None:
        return "Open or begin a design first"
    return "" if w.desk.quick is not None and w.desk.quick.there else "There is no body yet: two stations at least"


def _open(what: str, w: Any) -> None:
    w.paper.open(what)


FAMILY = {
    **dict.fromkeys(("general", "body-plan", "templates", "flat", "curves", "wireframe", "as-made"), "Sheets"),
    **dict.fromkeys(("stations", "sections", "blade", "duct", "points", "pour"), "Tables"),
}
PAPER_COMMANDS = (
    *(
        Command(
            f"paper-{what}",
            one.title,
            partial(_open, what),
            "Ctrl+P" if what == "general" else "",
            "Deliver",
            "report" if what == "report" else "table-2" if FAMILY.get(what) == "Tables" else "section",
            one.help,
            _needs_body,
            None,
            FAMILY.get(what, ""),
        )
        for what, one in DELIVERIES.items()
    ),
    Command(
        "write-all",
        "Write all again",
        lambda w: w.paper.write_all(),
        "Ctrl+Shift+P",
        "Deliver",
        "save",
        "All files that were delivered of this design, of the design as it is now",
        lambda w: _needs_body(w) or ("" if w.paper.written else "Nothing has been delivered of this design yet"),
    ),
)
