"""Handles in the View: how each is drawn, and what it does in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from isotomon.app.theme import Theme

Array = NDArray[np.float64]
Project = Callable[[Array], QPointF]
WORDS = {
    "move": "move the profile in its plane",
    "turn": "turn it",
    "tilt_x": "tilt it about X",
    "tilt_y": "tilt it about Y",
    "point": "move the curve's point",
    "handle": "bend the curve",
    "end": "change how the skin leaves this end",
    "tie": "slide the tie along its profile; it snaps to corners",
    "reach": "change how far the body goes on",
}
STEP_WORDS = {
    "turn": "turn the body about its axis",
    "angle": "spread the copies round their axis",
    "distance": "spread the copies along their line",
    "size-all": "resize the body evenly",
}


def words_of(kind: str) -> str:
    """What a handle does, to follow “Drag to”."""
    word, *rest = kind.split()
    if word != "step":
        return WORDS[word]
    field = rest[-1]
    way = field[-1].upper()
    return STEP_WORDS.get(field) or (
        f"resize the body along {way}" if "size" in field else f"move the body along {way}"
    )


def paint_grips(painter: QPainter, theme: Theme, grips: Mapping[str, Array], held: str, project: Project) -> None:
    """A ring to move by, a ring with a hub to turn by, bars to tilt by, squares for points and sizes, a dot for a tie; handles of
    a direction bear its letter."""
    for kind, place in grips.items():
        word, *rest = kind.split()
        field = rest[-1] if word == "step" else word
        guide = word in ("point", "handle", "tie", "end", "reach", "step")
        colour = theme.ink if word == "tie" else theme.guide if guide else theme.accent
        painter.setPen(QPen(QColor(colour), 1.6 if guide else 2.0))
        painter.setBrush(QColor(theme.ink if kind == held and word == "tie" else theme.paper))
        at = project(place)
        if field == "point" or field.startswith("size"):
            painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))
        elif field.startswith("tilt"):
            flat = field == "tilt_x"
            wide, high = (14.0, 7.0) if flat else (7.0, 14.0)
            painter.drawRoundedRect(QRectF(at.x() - wide / 2, at.y() - high / 2, wide, high), 2, 2)
        elif guide and field not in ("turn", "angle"):
            if word == "handle" and (foot := grips.get(kind.replace("handle", "point"))) is not None:
                painter.drawLine(project(foot), at)
            painter.drawEllipse(at, 3.5, 3.5)
        else:
            painter.drawEllipse(at, 6.0, 6.0)
        if field in ("turn", "angle"):
            painter.setBrush(QColor(colour))
            painter.drawEllipse(at, 1.5, 1.5)
        if word == "step" and field[-1] in "xyz":
            painter.drawText(at + QPointF(7, 4), field[-1].upper())
