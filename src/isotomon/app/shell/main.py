"""Starting the application: with a display, or off screen for demo runs, pictures and tests."""

from __future__ import annotations

import contextlib
import os
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import platformdirs
from PySide6.QtCore import QEvent, QSettings, Qt
from PySide6.QtWidgets import QApplication

from isotomon.app.shapes import png_of
from isotomon.app.shell.window import Window
from isotomon.app.state.engine import Engine
from isotomon.app.theme import VELLUM, apply_theme, load_fonts
from isotomon.design.disk import write_atomically
from isotomon.design.records import Design
from isotomon.errors import FileError, IsotomonError
from isotomon.kernel.protocol import Built
from isotomon.solids.plan import finished_key


def has_display() -> bool:
    """Whether a window can be shown."""
    return (
        bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
        and os.environ.get("QT_QPA_PLATFORM") != "offscreen"
    )


def application() -> QApplication:
    """The one Qt application; off screen where there is no display."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    if not has_display():
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Isotomon")
    app.setStyle("Fusion")
    app.setFont(load_fonts())
    return app


def make_window(
    settings: QSettings | None = None, recovery: Path | None = None, engine: Engine | None = None
) -> Window:
    """A window with its engine. Without `settings`, the user's own are used and unsaved work is kept for a crash."""
    app = application()
    if settings is None:
        folder = Path(platformdirs.user_config_dir("isotomon"))
        settings = QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)
        recovery = Path(platformdirs.user_state_dir("isotomon")) / "recovery"
        with contextlib.suppress(OSError):  # the first edit says that nothing can be kept
            recovery.mkdir(parents=True, exist_ok=True)
    app.setStyleSheet("")  # else every part is styled anew each time that it is put into another
    window = Window(engine or Engine(), settings, recovery)
    apply_theme(app, window.theme)
    return window


def run_window(path: Path | None = None, design: Design | None = None) -> int:
    """Open the window and stay until it is closed.

    Raises: IsotomonError, where there is no display to open it on.
    """
    if not has_display() and os.environ.get("QT_QPA_PLATFORM") != "offscreen":
        raise IsotomonError(
            "there is no display to open a window on; use check, export or picture, or set QT_QPA_PLATFORM=offscreen"
        )
    window = make_window()
    window.show()
    if design is not None:
        window.files.open_design(design)
    elif path is not None:
        window.files.open_path(path)
    return application().exec()


def run_events() -> None:
    """What the application does between two of its user's actions. Forms that have gone are only cleared by its own loop, so
    that without it they would pile up."""
    application().processEvents()
    application().sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def wait_for(ready: Callable[[], bool], seconds: float) -> bool:
    """Let the application run until something holds. For runs off screen."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        run_events()
        if ready():
            return True
        time.sleep(0.001)
    return False


def scratch_settings(folder: Path) -> QSettings:
    """Settings that are not the user's."""
    return QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat)


def solid_ready(window: Window) -> bool:
    """Whether the solid of what is shown has come, or failed."""
    desk = window.desk
    if desk.quick is None or desk.quick.moving or desk.session is None or desk.quick.design != desk.session.design:
        return False
    return (
        desk.quick.mesh is None
        or (desk.solid_key == finished_key(desk.quick) and not desk.building)
        or any(f.severity == "error" for f in desk.quick.findings)
    )


@contextmanager
def window_off_screen(design: Design, size: tuple[int, int] = (1280, 800)) -> Iterator[Window]:
    """A window on a design, with settings of its own, once the solid has come or failed; closed afterwards."""
    with tempfile.TemporaryDirectory() as scratch:
        window = make_window(scratch_settings(Path(scratch)))
        try:
            window.resize(*size)
            window.show()
            window.files.open_design(design)
            wait_for(lambda: solid_ready(window), 180.0)
            yield window
        finally:
            window.desk.give_up_preview()
            window.close()


def save_window(window: Window, path: Path) -> None:
    """The window as a picture.

    Raises: FileError.
    """
    window.view.draw_smooth()
    application().processEvents()
    write_atomically(path, png_of(window))


def run_demo_off_screen(design: Design, out: Path) -> int:
    """The same application without a display: rebuild, print the checks, write a picture and a solid. 0 when done."""
    from isotomon.inspect.check import check_json, check_table

    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{out} cannot be made: {error.strerror}; choose another place with --out") from None
    with window_off_screen(design) as window:
        desk = window.desk
        if not isinstance(desk.solid, Built) or desk.quick is None:
            raise IsotomonError(
                f"the demo's solid was not built: {getattr(desk.solid, 'text', 'it did not come in time')}"
            )
        picture, solid = out / f"{design.name}.png", out / f"{design.name}.step"
        save_window(window, picture)
        told: list[str] = []
        desk.engine.exported.connect(lambda _, problem, __: told.append(problem))
        window.files.export_to(solid)
        if not wait_for(lambda: bool(told), 180.0) or told[0]:
            raise IsotomonError(told[0] if told else f"{solid} was not written in time")
        print(check_table(check_json(desk.quick, desk.finished)))
        print(f"\nNo display: picture in {picture}, solid in {solid}")
    return 0


def draw_picture(design: Design, path: Path, size: tuple[int, int], view: str) -> None:
    """A picture of a design: the body in a named view, the body plan ('body'), or the whole window ('window').

    Raises: FileError, IsotomonError.
    """
    from isotomon.app.board.bodyplan import BodyPlan
    from isotomon.app.viewport.camera import VIEWS
    from isotomon.app.viewport.view import View
    from isotomon.inspect.quick import rebuild

    names = (*VIEWS, "body", "window")
    if view not in names:
        raise IsotomonError(f"there is no view called '{view}'; use one of {', '.join(names)}")
    if path.suffix.lower() != ".png":
        raise FileError(f"'{path.name}' is no PNG; name the picture .png")
    app = application()
    apply_theme(app, VELLUM)
    if view == "window":
        with window_off_screen(design, size) as window:
            save_window(window, path)
        return
    quick = rebuild(design)
    widget = BodyPlan(VELLUM) if view == "body" else View(VELLUM)
    widget.resize(*size)
    widget.show_quick(quick)
    if isinstance(widget, View):
        widget.look_from(view)
        widget.draw_smooth()
    write_atomically(path, png_of(widget))
    if isinstance(widget, View):
        widget.close_scene()
