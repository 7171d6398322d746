"""Ink on vellum, and its dark twin slate: colours by role, the style sheet, the shipped font, our icons."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import Path
from string import Template

import numpy as np
from PySide6.QtCore import QByteArray, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

ASSETS = Path(__file__).with_name("assets")
FONTS = Path(__file__).parents[1] / "assets" / "fonts"


@dataclass(frozen=True)
class Theme:
    """Colours by role. Text is always `ink` or `soft_ink`; the others are for marks."""

    name: str
    paper: str
    panel: str
    field: str
    ink: str
    soft_ink: str
    hairline: str
    accent: str
    attention: str
    failure: str
    guide: str
    body: str
    sky: str
    chosen: str
    """Behind chosen rows and pressed tools."""


VELLUM = Theme(
    "vellum",
    "#F6F2E8",
    "#EFE9DB",
    "#FBF9F3",
    "#22303A",
    "#4C5A63",
    "#CFC6B2",
    "#1F7A6D",
    "#B9770E",
    "#B23A3A",
    "#7B3F73",
    "#E4DDD0",
    "#FBF9F3",
    "#D6E3DC",
)
SLATE = Theme(
    "slate",
    "#20282D",
    "#273138",
    "#1B2226",
    "#E9E4D6",
    "#B4B9B4",
    "#45535B",
    "#4FB3A3",
    "#E0A33C",
    "#E07A72",
    "#CF9FD6",
    "#8F7657",
    "#2A343A",
    "#2F4A49",
)
THEMES = {"vellum": VELLUM, "slate": SLATE}

_SCALE = {
    "vellum": np.array([[0x3B, 0x3F, 0x8C], [0x1F, 0x7A, 0x6D], [0xB9, 0x77, 0x0E]], dtype=float),
    "slate": np.array([[0x8E, 0x93, 0xE6], [0x4F, 0xB3, 0xA3], [0xE0, 0xA3, 0x3C]], dtype=float),
}


@lru_cache(maxsize=4096)
def station_colour(theme: Theme, share: float) -> QColor:
    """Indigo at the root, verdigris in the middle, ochre at the tip."""
    table = _SCALE[theme.name]
    rgb = [float(np.interp(share, [0.0, 0.5, 1.0], table[:, k])) for k in range(3)]
    return QColor(*(round(c) for c in rgb))


def load_fonts() -> QFont:
    """The shipped family (Lato, figures of equal width) as the application's font."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    font = QFont("Lato")
    font.setPixelSize(13)
    return font


@lru_cache(maxsize=256)
def icon(name: str, colour: str) -> QIcon:
    """A line icon in a colour; drawn sharp at any pixel ratio."""
    path = ASSETS / "icons" / f"{name}.svg"
    data = path.read_text().replace("currentColor", colour)
    renderer = QSvgRenderer(QByteArray(data.encode()))
    picture = QIcon()
    for size in (18, 36):
        pixmap = QPixmap(QSize(size, size))
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter)
        painter.end()
        picture.addPixmap(pixmap)
    return picture


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Palette and style sheet for the whole application."""
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.panel,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.field,
        QPalette.ColorRole.AlternateBase: theme.panel,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.panel,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.chosen,
        QPalette.ColorRole.HighlightedText: theme.ink,
        QPalette.ColorRole.ToolTipBase: theme.field,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.soft_ink,
        QPalette.ColorRole.Link: theme.accent,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(theme.soft_ink))
    app.setPalette(palette)
    # Setting it anew restyles every widget, even when nothing changes.
    if app.styleSheet() != (sheet := _sheet(theme)):
        app.setStyleSheet(sheet)


def _sheet(theme: Theme) -> str:
    """The style sheet in a theme's colours."""
    chevron = ASSETS / "icons" / f"chevron-{theme.name}.svg"
    return Template((ASSETS / "style.qss").read_text()).substitute(asdict(theme), chevron=chevron)
