"""Random work in the real window: commands, keys, clicks, drags, fields, menus, on every demo and from empty."""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import sys
import time
import traceback
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from unittest import mock

import numpy as np
from PySide6.QtCore import QPoint, QSettings, Qt, QtMsgType, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from isotomon.app.shell.commands import COMMANDS
from isotomon.app.shell.main import run_events
from isotomon.app.shell.window import Window
from isotomon.design.file import encode
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.inspect.check import check_json
from isotomon.inspect.quick import rebuild
from tests.walk_session import Hit

LOUD = bool(__import__("os").environ.get("LOUD"))
LEFT = Qt.MouseButton.LeftButton
LEFT_OUT = {"quit", "export-solid", "export-mesh", "picture", "write-check", "body-in", "find", "help"}
"""Commands that end the window, write files for long, or open what the walk has no hands for."""
TEXTS = (
    "12",
    "0",
    "-5",
    "1e9",
    "abc",
    "",
    "30 deg",
    "5 mm",
    "2*3",
    "fraction*20 mm",
    "1/0",
    "name with quotes",
    "0.001",
    "100",
)
QUIET = ("This plugin does not support", "propagateSizeHints", "raise()", "grabbing")
"""What Qt's platform without a display says of itself."""


class Told:
    """What went wrong where no caller sees it: exceptions in slots, logged errors, Qt's warnings."""

    def __init__(self) -> None:
        self.seen: list[str] = []

    def hook(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """An exception that nobody caught."""
        frames = traceback.extract_tb(trace)[-4:]
        where = " < ".join(f"{f.filename.rpartition('/')[2]}:{f.lineno}" for f in reversed(frames))
        self.seen.append(f"{kind.__name__} at {where}: {error}")

    def qt(self, kind: QtMsgType, context: object, text: str) -> None:
        """A message of Qt's."""
        if kind != QtMsgType.QtDebugMsg and not any(quiet in text for quiet in QUIET):
            self.seen.append(f"Qt: {text}")

    @contextlib.contextmanager
    def listening(self) -> Iterator[None]:
        """Hear all of it."""
        handler = logging.Handler(logging.ERROR)
        handler.emit = lambda record: self.seen.append(
            f"logged: {record.getMessage()} {record.exc_info and record.exc_info[1]!r}"
        )  # type: ignore[method-assign]
        logging.getLogger().addHandler(handler)
        before, sys.excepthook = sys.excepthook, self.hook
        old = qInstallMessageHandler(self.qt)
        try:
            yield
        finally:
            qInstallMessageHandler(old)
            sys.excepthook = before
            logging.getLogger().removeHandler(handler)


BUSY_SECONDS = 10.0
"""The longest that the window's thread may be at work for one action."""


class WindowWalker:
    """Does one random thing after another in a window; the same seed does the same ones, as far as the clock allows."""

    def __init__(self, window: Window, design: Design, seed: int, folder: Path) -> None:
        self.w, self.folder, self.rng = window, folder, np.random.default_rng(seed)
        self.told, self.done = Told(), list[str]()
        self.w.files.open_design(design)
        self.first = encode(design)

    def one(self, things):  # type: ignore[no-untyped-def]
        """One of some things; None of none."""
        return things[int(self.rng.integers(len(things)))] if len(things) else None

    def step(self) -> None:
        """One random thing, and all that must hold after it. Raises: Hit."""
        ways = [self.command] * 6 + [self.field] * 4 + [self.click] * 4 + [self.drag] * 3 + [self.choose] * 3
        ways += [self.switch, self.button, self.history, self.key]
        way = self.one(ways)
        begun, worked = time.monotonic(), time.thread_time()
        dialogs = (
            mock.patch.object(QFileDialog, "getOpenFileName", return_value=("", "")),
            mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(self.folder / "walk.isotomon"), "")),
            mock.patch.object(QInputDialog, "getText", return_value=("walk", True)),
            mock.patch.object(QMessageBox, "exec", lambda box: 0),
            mock.patch.object(QMenu, "exec", lambda *_: None),
        )
        with self.told.listening(), contextlib.ExitStack() as stack:
            for patch in dialogs:
                stack.enter_context(patch)
            self.done.append(way.__name__)
            try:
                self.done[-1] += f" {way()}"
            except Exception as error:
                raise Hit(f"{self.done[-1]}: {type(error).__name__}: {error}") from error
            self.let_run(0.02 if self.rng.random() < 0.7 else 0.3)
            for popup in (QApplication.activePopupWidget(), QApplication.activeModalWidget()):
                if popup is not None:
                    popup.close()
        if self.told.seen:
            raise Hit(f"after {self.done[-1]}: {self.told.seen[0]}")
        # What it took of the window's own thread tells more than the clock of a machine that may be busy.
        took = time.thread_time() - worked
        if took > BUSY_SECONDS or time.monotonic() - begun > 12.0 * BUSY_SECONDS:
            clock = time.monotonic() - begun
            raise Hit(f"{self.done[-1]} took {took:.1f} s of work and {clock:.1f} s by the clock")

    def let_run(self, seconds: float) -> None:
        """Let the application work."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            run_events()
            time.sleep(0.001)

    def settle(self) -> None:
        """Until the newest design is shown at rest, in every view. Raises: Hit."""
        desk = self.w.desk
        if desk.engine._unwanted:  # a rebuild that was cancelled is begun anew by hand
            desk.rebuild_solid()
        with self.told.listening():
            end = time.monotonic() + 12.0 * BUSY_SECONDS
            while time.monotonic() < end:
                run_events()
                if (
                    desk.quick is not None
                    and desk.quick.design is desk.design
                    and (desk.quick.shape is None or desk.quick.full is not None)
                ):
                    break
                time.sleep(0.002)
        if self.told.seen:
            raise Hit(self.told.seen[0])
        if desk.design is not None and (desk.quick is None or desk.quick.design != desk.design):
            faulthandler.dump_traceback()
            raise Hit(f"the newest design is not shown after {', '.join(self.done[-3:])}")
        shown = {id(view.quick) for view in (self.w.view, self.w.body_plan, self.w.board)} | {id(self.w.ledger._quick)}
        if desk.quick is not None and len(shown) != 1:
            raise Hit("the views show different results")

    def end(self) -> None:
        """The figures are a fresh process's, and undo leads back to the first bytes. Raises: Hit."""
        self.w.desk.give_up_preview()
        self.w.room.leave()
        self.settle()
        desk, session = self.w.desk, self.w.desk.session
        if desk.quick is not None and desk.quick.shape is not None and desk.design is not None:
            fresh, shown = (
                check_json(q, {})["stations"] for q in (rebuild(desk.design, desk.quick.body.id), desk.quick)
            )
            if fresh != shown:
                raise Hit(f"the figures {shown} are not those of a rebuild from nothing {fresh}")
        if session is None or len(session._steps) >= 500 or "opened" in " ".join(self.done):
            return
        while session.undo_title is not None:
            session.undo()
        QApplication.processEvents()
        if encode(session._steps[0].design) != encode(session.design):
            raise Hit("undone to the start, the design is not what it was")

    # What is done

    def command(self) -> str:
        """Any command that can be done now."""
        can = [c for c in COMMANDS if c.id not in LEFT_OUT and not c.id.startswith("demo") and not self._reason(c)]
        chosen = self.one(can)
        self.w.run_command(chosen.id)
        return str(chosen.id)

    def _reason(self, command) -> str:  # type: ignore[no-untyped-def]
        return str(command.reason(self.w))

    def _seen(self, kind: type[QWidget], inside: QWidget) -> list[QWidget]:
        return [x for x in inside.findChildren(kind) if x.isVisible() and x.isEnabled()]

    def _side(self) -> QWidget:
        return self.w.side.currentWidget()

    def field(self) -> str:
        """Text typed into any field of Details, and entered, left, or let be."""
        edit = self.one(self._seen(QLineEdit, self._side()) + self._seen(QPlainTextEdit, self._side()))
        if edit is None:
            return "none"
        text = str(self.one(TEXTS))
        edit.setFocus()
        edit.selectAll()
        if LOUD:
            print("field", type(edit.parent()).__name__, edit.accessibleName(), text, file=sys.stderr, flush=True)
        QTest.keyClicks(edit, text)
        end = self.one([Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape, None])
        if end is not None:
            QTest.keyClick(edit, end)
        return f"{edit.accessibleName()} = {text}"

    def switch(self) -> str:
        """A box ticked or another choice made in Details."""
        box = self.one(self._seen(QComboBox, self._side()) + self._seen(QCheckBox, self._side()))
        if isinstance(box, QComboBox) and box.count():
            index = int(self.rng.integers(box.count()))
            box.setCurrentIndex(index)
            box.activated.emit(index)
            return f"{box.accessibleName()} → {box.currentText()}"
        if isinstance(box, QCheckBox):
            box.click()
            return box.text()
        return "none"

    def button(self) -> str:
        """A button in Details."""
        button = self.one([b for b in self._seen(QPushButton, self._side()) if "file" not in b.text().lower()])
        if button is not None:
            button.click()
        return button.text() if button is not None else "none"

    def _canvas(self) -> QWidget:
        widgets = [self.w.canvas.currentWidget(), self.w.board, self.w.body_plan]
        return self.one([x for x in widgets if x.isVisible()])

    def _spot(self, widget: QWidget) -> QPoint:
        return QPoint(
            int(self.rng.integers(5, max(widget.width() - 5, 6))),
            int(self.rng.integers(5, max(widget.height() - 5, 6))),
        )

    def _keys(self) -> Qt.KeyboardModifier:
        m = Qt.KeyboardModifier
        return self.one([m.NoModifier] * 6 + [m.ControlModifier, m.ShiftModifier, m.AltModifier])

    def click(self) -> str:
        """A click, or two, anywhere on the View, the Board, the body plan or the canvas."""
        widget = self._canvas()
        if widget is None:
            return "nothing to be seen"
        at, modifiers = self._spot(widget), self._keys()
        if widget is self.w.board and self.rng.random() < 0.5 and widget._handles():
            at = widget.handle_of(self.one(widget._handles())[0]).toPoint()
        QTest.mouseMove(widget, at)
        QApplication.processEvents()
        if self.rng.random() < 0.15:
            QTest.mouseDClick(widget, LEFT, modifiers, at)
        else:
            QTest.mouseClick(widget, LEFT, modifiers, at)
        return f"{type(widget).__name__} {at.x()},{at.y()}"

    def drag(self) -> str:
        """A press, some moves, and a release, or Esc before it."""
        widget = self._canvas()
        if widget is None:
            return "nothing to be seen"
        start, end = self._spot(widget), self._spot(widget)
        if widget is self.w.board and widget._handles():
            start = widget.handle_of(self.one(widget._handles())[0]).toPoint()
        if widget is self.w.view and self.w.view.handles:
            found = self.one(list(self.w.view.handles.values())).place
            start = widget.seen(np.asarray(found)).toPoint() if np.asarray(found).shape == (3,) else start
        modifiers = self._keys()
        QTest.mousePress(widget, LEFT, modifiers, start)
        for k in range(1, 5):
            QTest.mouseMove(widget, start + (end - start) * k / 4)
            QApplication.processEvents()
        if self.rng.random() < 0.2:
            QTest.keyClick(widget, Qt.Key.Key_Escape)
        QTest.mouseRelease(widget, LEFT, modifiers, end)
        return f"{type(widget).__name__} {start.x()},{start.y()} to {end.x()},{end.y()}"

    def choose(self) -> str:
        """Any things chosen in the Ledger."""
        keys = list(self.w.ledger._rows)
        if not keys:
            return "none"
        some = tuple(str(self.one(keys)) for _ in range(int(self.rng.integers(1, 4))))
        self.w.desk.select(some)
        return " ".join(some)

    def history(self) -> str:
        """Undo or redo."""
        title = str(self.one(["undo", "redo"]))
        self.w.run_command(title)
        return title

    def key(self) -> str:
        """A key pressed wherever the focus is."""
        widget = QApplication.focusWidget() or self.w
        keys = (
            Qt.Key.Key_Escape,
            Qt.Key.Key_Delete,
            Qt.Key.Key_Left,
            Qt.Key.Key_Right,
            Qt.Key.Key_Tab,
            Qt.Key.Key_D,
            Qt.Key.Key_Insert,
        )
        chosen = self.one(keys)
        QTest.keyClick(widget, chosen)
        return chosen.name


def settings_in(folder: Path) -> QSettings:
    """Settings that are not the user's."""
    return QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)


def walk(window: Window, design: Design, seed: int, steps: int, folder: Path) -> WindowWalker:
    """A walk of so many steps. Raises: Hit."""
    walker = WindowWalker(window, design, seed, folder)
    for number in range(steps):
        walker.step()
        if number % 20 == 19:
            walker.settle()
    with contextlib.suppress(IsotomonError):
        walker.end()
    return walker
