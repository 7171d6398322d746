"""A choice of one of several, alone or with its title beside it; it is never wider than its place, nor turned by the wheel."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QPalette
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from isotomon.app.theme import icon

TITLE_WIDTH = 78
"""Pixels: as wide as the titles of number fields."""


def choice(name: str, items: Mapping[str, str] | None = None) -> QComboBox:
    """A choice of `items`, what is stored → what is shown; `name` is for those who do not see it."""
    box = QComboBox()
    box.setAccessibleName(name)
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    box.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
    for key, text in (items or {}).items():
        box.addItem(text, key)
    return box


def column_of(widget: QWidget, spacing: int = 4) -> QVBoxLayout:
    """The column in which a form lays its rows, flush with what is round it."""
    column = QVBoxLayout(widget)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(spacing)
    return column


def titled(title: str, widget: QWidget, wide: int = TITLE_WIDTH) -> QWidget:
    """A title beside a widget, in line with the number fields."""
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(6)
    label = QLabel(title)
    label.setMinimumWidth(wide)
    line.addWidget(label)
    line.addWidget(widget, 1)
    return row


def small_button(picture: str, name: str, press: Callable[[], object]) -> QToolButton:
    """A small button with a picture. `name`: what it does, before a colon, and with what."""
    button = QToolButton()
    button.setIcon(icon(picture, QApplication.palette().color(QPalette.ColorRole.WindowText).name()))
    button.setProperty("small", True)
    button.setToolTip(name.partition(":")[0])
    button.setAccessibleName(name)
    button.clicked.connect(lambda *_: press())
    return button


def title_of(widget: QWidget) -> QLabel:
    """The title beside a widget that has one."""
    row = widget.parentWidget()
    label = row.findChild(QLabel) if row is not None else None
    assert isinstance(label, QLabel)
    return label
