"""Handles in the View: where each is, how it is drawn, and what it does in words."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from isotomon.app.theme import Theme
from isotomon.arrays import Array

HANDLE_PIXELS = 9.0
Project = Callable[[Array], QPointF]
Look = Literal["ring", "hub", "flat", "tall", "square", "dot"]
SIZES: dict[str, tuple[float, float]] = {
    "ring": (12.0, 12.0),
    "hub": (12.0, 12.0),
    "flat": (14.0, 7.0),
    "tall": (7.0, 14.0),
    "square": (8.0, 8.0),
    "dot": (7.0, 7.0),
}
"""Pixels, across and up."""


@dataclass(frozen=True, eq=False)
class Handle:
    """A place (3,) that can be dragged. `look`: a ring to move by, one with a hub to turn by, bars to tilt by, squares for
    points and sizes, dots for all else; `words` follow "Drag to". `foot`: where a line to it begins."""

    place: Array
    look: Look
    words: str
    of: Literal["station", "guide", "tie"] = "guide"
    """By which it is coloured."""
    letter: str = ""
    foot: Array | None = None


def handle_near(handles: Mapping[str, Handle], project: Callable[[Array], Array], at: QPointF) -> str:
    """The name of the handle under a pixel, if any."""
    if not handles:
        return ""
    places = project(np.array([handle.place for handle in handles.values()]))[:, :2]
    away = np.linalg.norm(places - np.array([at.x(), at.y()]), axis=1)
    return list(handles)[int(np.argmin(away))] if away.min() < HANDLE_PIXELS else ""


def paint_handles(painter: QPainter, theme: Theme, handles: Iterable[Handle], held: Handle | None, at: Project) -> None:
    """Handles as they are seen; the one that is held is filled where it is a tie's."""
    colours = {"station": theme.accent, "guide": theme.guide, "tie": theme.ink}
    for handle in handles:
        colour, place = QColor(colours[handle.of]), at(handle.place)
        painter.setPen(QPen(colour, 2.0 if handle.of == "station" else 1.6))
        painter.setBrush(QColor(theme.ink if handle is held and handle.of == "tie" else theme.paper))
        if handle.foot is not None:
            painter.drawLine(at(handle.foot), place)
        wide, high = SIZES[handle.look]
        box = QRectF(place.x() - wide / 2, place.y() - high / 2, wide, high)
        if handle.look == "square":
            painter.drawRect(box)
        elif handle.look in ("flat", "tall"):
            painter.drawRoundedRect(box, 2, 2)
        else:
            painter.drawEllipse(box)
        if handle.look == "hub":
            painter.setBrush(colour)
            painter.drawEllipse(place, 1.5, 1.5)
        if handle.letter:
            painter.drawText(place + QPointF(7, 4), handle.letter)
