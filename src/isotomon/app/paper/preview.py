"""A sheet as it will be, in the View's place: page by page, to fit or larger."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from isotomon.app.theme import Theme

EDGE = 24
"""Pixels free round a sheet that is seen whole."""
STEP, MOST = 1.25, 8.0
"""By how much one step of the wheel makes a sheet larger, and how large it may become, seen whole being 1."""


class PaperView(QWidget):
    """Paints the picture of a page, or says why there is none. `turned`: so many pages on; `closed`: back to the View; `wanted`: the
    page is to be drawn so many pixels wide."""

    turned = Signal(int)
    closed = Signal()
    wanted = Signal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Sheet")
        self.image = QImage()
        self.text = ""
        self.size_mm = (297.0, 210.0)
        self.scale = 1.0
        """How large the sheet is shown, seen whole being 1."""
        self._middle = QPoint()
        self._from: QPoint | None = None

    def lay(self, width: float, height: float) -> None:
        """A page of a width and height, mm, is to be shown: asks for its picture."""
        self.size_mm, self.text = (width, height), ""
        self._ask()

    def show_page(self, image: QImage) -> None:
        """The picture of the page."""
        self.image = image
        self.update()

    def say(self, text: str) -> None:
        """Why there is nothing to be seen."""
        self.image, self.text = QImage(), text
        self.update()

    def whole(self) -> None:
        """All of the sheet."""
        self.scale, self._middle = 1.0, QPoint()
        self._ask()

    def box(self) -> QRectF:
        """Where the sheet lies, in pixels."""
        wide, high = self.size_mm
        fits = min((self.width() - 2 * EDGE) / wide, (self.height() - 2 * EDGE) / high) * self.scale
        size = QSize(max(int(wide * fits), 1), max(int(high * fits), 1))
        left, top = (self.width() - size.width()) / 2, (self.height() - size.height()) / 2
        return QRectF(left + self._middle.x(), top + self._middle.y(), size.width(), size.height())

    def _ask(self) -> None:
        self.wanted.emit(round(self.box().width() * self.devicePixelRatioF()))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The sheet on the table."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(self.theme.panel))
        box = self.box()
        if self.text:
            painter.setPen(QColor(self.theme.ink))
            room = self.rect().adjusted(80, 80, -80, -80)
            painter.drawText(room, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), self.text)
        else:
            painter.fillRect(box, QColor("#FFFFFF"))
            painter.drawImage(box, self.image)
            painter.setPen(QColor(self.theme.hairline))
            painter.drawRect(box)
        if self.hasFocus():
            painter.setPen(QColor(self.theme.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Drawn anew at its new size."""
        super().resizeEvent(event)
        self._ask()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Larger and smaller about the pointer."""
        before = self.scale
        self.scale = min(max(self.scale * STEP ** (event.angleDelta().y() / 120.0), 1.0), MOST)
        if self.scale == 1.0:
            self._middle = QPoint()
        else:
            away = event.position().toPoint() - self.rect().center() - self._middle
            self._middle -= away * (self.scale / before - 1.0)
        self._ask()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The sheet is taken hold of."""
        self.setFocus()
        self._from = event.position().toPoint() - self._middle

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """It is moved."""
        if self._from is not None and self.scale > 1.0:
            self._middle = event.position().toPoint() - self._from
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """It is let go."""
        self._from = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Pages, sizes, and back to the View."""
        key = event.key()
        steps = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_PageUp: -1, Qt.Key.Key_Left: -1}
        if key in steps:
            self.turned.emit(steps[Qt.Key(key)])
        elif key == Qt.Key.Key_Escape:
            self.closed.emit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.scale = min(self.scale * STEP, MOST)
            self._ask()
        elif key == Qt.Key.Key_Minus:
            self.scale = max(self.scale / STEP, 1.0)
            self._middle = self._middle if self.scale > 1.0 else QPoint()
            self._ask()
        elif key == Qt.Key.Key_0:
            self.whole()
        else:
            super().keyPressEvent(event)
