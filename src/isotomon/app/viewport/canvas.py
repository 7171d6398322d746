"""The scene's image in a widget, seen by a camera that mouse, touchpad and keys turn, move and zoom."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QImage, QKeyEvent, QNativeGestureEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from isotomon.app.viewport.camera import Camera
from isotomon.app.viewport.scene import Scene
from isotomon.arrays import Array

STILL_AFTER = 90
"""Milliseconds without movement until a smooth frame is drawn."""


class SceneCanvas(QWidget):
    """Draws again when touched: quickly while something moves, smoothly when it is still."""

    def __init__(self) -> None:
        super().__init__()
        self.scene = Scene()
        self.camera = Camera()
        self._image: QImage | None = None
        self._stale = True
        self._smooth = False
        self.changing = False
        """Whether what is shown is being dragged: a smooth frame would only keep the next one waiting."""
        self._camera_taken = False
        """Whether the user has turned, moved or zoomed: from then on the body is not fitted by itself."""
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL_AFTER)
        self._still.timeout.connect(self.draw_smooth)

    @property
    def stance(self) -> tuple[Camera, bool]:
        """Whence one looks, and whether the user has chosen that."""
        return self.camera, self._camera_taken

    @stance.setter
    def stance(self, kept: tuple[Camera, bool]) -> None:
        """Look from there again."""
        self.camera, self._camera_taken = kept

    @property
    def aspect(self) -> float:
        """Its width over its height."""
        return self.width() / max(self.height(), 1)

    def project(self, places: Array) -> Array:
        """(n, 3) pixels and depth of places (n, 3), mm."""
        return self.camera.project(places, self.width(), self.height())

    def seen(self, place: Array) -> QPointF:
        """The pixel at which a place (3,) is seen."""
        x, y = self.project(place[None])[0][:2].tolist()
        return QPointF(x, y)

    def touch(self) -> None:
        """Draw again, quickly now and smoothly when still."""
        self._stale, self._smooth = True, False
        self._still.start()
        self.update()

    def draw_smooth(self) -> None:
        """Draw again with antialiasing, once what is shown is not about to change."""
        if self.changing:
            self._still.start()
            return
        self._stale, self._smooth = True, True
        self.update()

    def render_image(self, width: int, height: int, smooth: bool, ratio: float = 1.0) -> QImage:
        """The scene alone as an image of `width` × `height` pixels."""
        _, up, _ = self.camera.axes()
        self.before_drawing()
        self.scene.set_camera(self.camera.eye(), self.camera.target, up, self.camera.height)
        pixels = self.scene.draw(width, height, smooth)
        image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        image.setDevicePixelRatio(ratio)
        return image

    def before_drawing(self) -> None:
        """What must be brought up to date with the camera first."""

    def paint_over(self, painter: QPainter) -> None:
        """What is painted over the scene's image."""

    def paintEvent(self, event: QPaintEvent) -> None:
        """The scene's image, then what is painted over it."""
        ratio = self.devicePixelRatioF()
        if self._stale or self._image is None:
            size = self.size() * ratio
            self._image = self.render_image(max(size.width(), 1), max(size.height(), 1), self._smooth, ratio)
            self._stale = False
        painter = QPainter(self)
        painter.drawImage(0, 0, self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_over(painter)
        painter.end()

    # The camera

    def turn(self, x: float, y: float) -> None:
        """Turn by so many pixels."""
        self._camera_taken = True
        self.camera = self.camera.turned(x * 0.008, y * 0.008)
        self.touch()

    def move_by(self, x: float, y: float) -> None:
        """Move by so many pixels."""
        self._camera_taken = True
        scale = self.camera.height / max(self.height(), 1)
        self.camera = self.camera.moved(x * scale, y * scale)
        self.touch()

    def _zoom(self, factor: float, at: QPointF) -> None:
        self._camera_taken = True
        scale = self.camera.height / max(self.height(), 1)
        place = ((at.x() - self.width() / 2) * scale, (self.height() / 2 - at.y()) * scale)
        self.camera = self.camera.zoomed(factor, place)
        self.touch()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom to the pointer; a touchpad's two fingers move when Shift is held."""
        delta = event.pixelDelta() if not event.pixelDelta().isNull() else QPoint(0, 0)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and not delta.isNull():
            self.move_by(delta.x(), delta.y())
        else:
            self._zoom(1.0015 ** event.angleDelta().y(), event.position())
        event.accept()

    def event(self, event: QEvent) -> bool:
        """A touchpad's pinch zooms."""
        if isinstance(event, QNativeGestureEvent) and event.gestureType() == Qt.NativeGestureType.ZoomNativeGesture:
            self._zoom(1.0 + event.value(), event.position())
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows turn, with Shift they move; + and - zoom."""
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        key = Qt.Key(event.key())
        middle = QPointF(self.width() / 2, self.height() / 2)
        if key in steps:
            self._camera_taken = True
            dx, dy = steps[key]
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.camera = self.camera.moved(-dx * self.camera.height / 20, -dy * self.camera.height / 20)
            else:
                self.camera = self.camera.turned(dx * np.pi / 24, dy * np.pi / 24)
            self.touch()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom(1.25, middle)
        elif key == Qt.Key.Key_Minus:
            self._zoom(0.8, middle)
        else:
            super().keyPressEvent(event)

    def close_scene(self) -> None:
        """Free the 3D window."""
        self._still.stop()
        self.scene.close()
