"""The View: the body in 3D, painted from the scene's image with labels on top."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QGuiApplication,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QNativeGestureEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from isotomon.app.theme import Theme, station_colour
from isotomon.app.viewport.camera import Camera
from isotomon.app.viewport.colours import colour_range, colour_table, paint_legend, stripe_table
from isotomon.app.viewport.copies import corners, meshes_beside, placed_mesh
from isotomon.app.viewport.datum_lines import base_lines, datum_lines
from isotomon.app.viewport.grip_marks import paint_grips, words_of
from isotomon.app.viewport.parts import edge_lines, face_lines, part_at, seen_at
from isotomon.app.viewport.scene import Scene
from isotomon.app.viewport.solids import solid_mesh
from isotomon.design.bodies import results, tools_of
from isotomon.design.datums import BASE_SHOWN, BUILT_IN_NAMES
from isotomon.evaluate.datums import BASE
from isotomon.geometry import space
from isotomon.inspect.looks import Colouring
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.measure.laws import Finding
from isotomon.measure.skin import reflected

Array = NDArray[np.float64]
STILL_AFTER = 160
"""Milliseconds without movement until a smooth frame is drawn."""
PICK_PIXELS = 7.0
GUIDE_PLACES = 241


def _rgb(colour: str | QColor) -> tuple[float, float, float]:
    c = QColor(colour)
    return c.redF(), c.greenF(), c.blueF()


NOTHING = "There is no body yet. Choose a plane and draw on it (F6), then extrude, sweep or revolve; or add stations."


class View(QWidget):
    """Shows a Quick. Turn with the left button, move with the middle one (or Shift), zoom with the wheel."""

    picked_more = Signal(str)
    """with Ctrl: an id, or the reference of an edge or face, that is chosen besides what is chosen already"""
    picked = Signal(str)
    """id of the station or body clicked, empty for nothing"""
    opened = Signal(str)
    """id of the station double-clicked"""
    pulled = Signal(str, object, object)
    """id of the datum dragged; from which pixel, to which: (2,) each"""
    gripped = Signal(str, object, object)
    """the grip dragged; from which pixel, to which: (2,) each"""
    let_go = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("view")
        self.setAccessibleName("View of the body")
        self.setMinimumSize(240, 180)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene = Scene()
        self.camera = Camera()
        self.quick: Quick | None = None
        self.look = "shaded"
        self.body_shown = True
        self.selected: tuple[str, ...] = ()
        self.hovered = ""
        self._live_at = math.nan
        self._outlines: dict[str, Array] = {}
        self._shares: dict[str, float] = {}
        self._over: list[Array] = []
        self._compared = ""
        """How far along the scale of stations each one's colour lies."""
        self._holes: dict[str, list[Array]] = {}
        self._datums: dict[str, list[Array]] = {}
        self._whole_base: dict[str, list[Array]] = {}
        """The base planes and axes as large as the body, as they are shown when chosen."""
        self._guides: dict[str, Array] = {}
        self._comb: list[Array] = []
        self._lines: list[Array] = []
        self._colouring: Colouring | None = None
        self._colour_title = ""
        self._lamps: Array | None = None
        self._lamp_count = 12
        self.ties_shown = False
        self.datums_shown = True
        self._pull: tuple[str, QPointF] | None = None
        self._grips: dict[str, Array] = {}
        self._held_grip = ""
        self._finding: Finding | None = None
        self._image: QImage | None = None
        self._stale = True
        self._smooth = False
        self._fitted: bytes | None = None
        """What carried the body when it was last fitted, and with how many others: else it lies elsewhere."""
        self._camera_taken = False
        self._drag: tuple[QPointF, str, bool] | None = None
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL_AFTER)
        self._still.timeout.connect(self.draw_smooth)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Colours for ground, body and labels."""
        self.theme = theme
        self.scene.set_colours(_rgb(theme.sky), _rgb(theme.body), _rgb(theme.ink))
        self._refresh_curves()

    def show_quick(self, quick: Quick) -> None:
        """Show new results; the first ones are fitted to the window."""
        self.quick = quick
        shape = quick.shape
        self._outlines, self._holes, self._shares = {}, {}, {}
        if shape is not None:
            rim = shape.mesh.sampling.rim
            count = max(len(quick.resolved.stations) - 1, 1)
            for index, station in quick.resolved.own:
                ring = quick.stood(shape.mesh.points[shape.mesh_rows[index]])
                self._shares[station.station.id] = index / count
                self._outlines[station.station.id] = ring[rim]
                self._holes[station.station.id] = [ring[np.append(h, h[0])] for h in shape.mesh.sampling.holes]
        self._datums = self._lines_of_datums(quick)
        self._guides = {key: curve.at(np.linspace(0.0, 1.0, GUIDE_PLACES)) for key, curve in quick.guides.items()}
        self._make_comb()
        here = quick.placed[0]
        self.scene.set_mesh(placed_mesh(shape.mesh, here) if shape is not None else None)
        body = quick.body
        self.scene.set_own(
            _rgb(body.colour or self.theme.body),
            body.seen == "see-through",
            body.seen != "hidden" and not body.aside and self.body_shown,
        )
        self._set_beside(quick)
        self.scene.set_solids([])
        self._paint_skin()
        others = bytes([len(quick.others), min(len(quick.placed), 255)])
        carrier = shape.field.carrier.marks() + others if shape is not None else b"" if quick.empty else self._fitted
        if carrier != self._fitted:
            self._fitted = carrier
            self.fit()
        self._refresh_curves()

    def _set_beside(self, quick: Quick) -> None:
        """The other bodies' skins, but that of one which is compared with."""
        beside = meshes_beside(quick, self.theme.body, self._compared)
        self.scene.set_others([(mesh, _rgb(colour), clear) for mesh, colour, clear in beside])

    def _lines_of_datums(self, quick: Quick) -> dict[str, list[Array]]:
        points = (
            quick.shape.mesh.points.reshape(-1, 3) if quick.shape is not None else np.array([[-50.0] * 3, [50.0] * 3])
        )
        low, high = points.min(axis=0), points.max(axis=0)
        empty = quick.shape is None
        self._whole_base = {} if empty else {key: datum_lines(BASE[key], low, high) for key in BASE_SHOWN}
        reach = (0.5 if empty else 0.12) * float((high - low).max())
        lines = {key: base_lines(BASE[key], reach) for key in BASE_SHOWN}
        return lines | {key: made for key, thing in quick.datums.items() if (made := datum_lines(thing, low, high))}

    def _make_comb(self) -> None:
        """The curvature comb of the chosen guide: bristles, and the line over their ends."""
        self._comb = []
        curves = self.quick.guides if self.quick is not None else {}
        chosen = [curves[k] for k in self.selected if k in curves]
        if len(chosen) != 1:
            return
        t = np.linspace(0.004, 0.996, 81)
        place, bend = chosen[0].at(t), space.curvature(chosen[0], t)
        size = np.linalg.norm(bend, axis=1).max()
        if size * np.linalg.norm(np.ptp(place, axis=0)) > 1e-6:
            ends = place - bend * (0.12 * float(np.ptp(place, axis=0).max()) / size)
            self._comb = [ends, *np.stack([place, ends], axis=1)]

    def show_finished(self, finished: Mapping[str, Built]) -> None:
        """Show the finished bodies instead of the skins they are made of, where any is combined with another."""
        quick = self.quick
        if (
            quick is None
            or not finished
            or not any(b.file or tools_of(quick.design, b.id) for b in quick.design.bodies)
            or set(results(quick.design)) - finished.keys()  # one that cannot be made is seen by its skin
        ):
            return
        meshes = [solid_mesh(built) for built in finished.values()]
        self.scene.set_solids(meshes)
        if all(q.shape is None for q in (quick, *quick.others)):
            points = np.vstack([points for points, _, _ in meshes])
            marks = points[::97].tobytes()
            if marks != self._fitted:
                self._fitted = marks
                self.camera = self.camera.fitting(points, self.width() / max(self.height(), 1), 1.12)
        self.touch()

    def set_section_lines(self, lines: list[Array]) -> None:
        """Section curves on the skin, (n, 3) each."""
        if lines or self._lines:
            self._lines = lines
            self._refresh_curves()

    def set_colouring(self, colouring: Colouring | None, title: str) -> None:
        """Colour the skin by a quality, with its legend; by nothing for None."""
        if colouring is not None or self._colouring is not None:
            self._colouring, self._colour_title = colouring, title
            self._paint_skin()
            self.touch()

    def set_lamps(self, lamps: Array | None, count: int) -> None:
        """Show how the skin reflects lamps that run along a direction (3,); without any for None."""
        self._lamps, self._lamp_count = lamps, count
        self._paint_skin()
        self.touch()

    def _paint_skin(self) -> None:
        """The skin's colours: reflected light before a quality before the body's own."""
        mesh = self.quick.shape.mesh if self.quick is not None and self.quick.shape is not None else None
        if self._lamps is not None and mesh is not None:
            _, _, sight = self.camera.axes()
            bright = reflected(mesh.normals, sight, self._lamps, self._lamp_count)
            self.scene.set_scalars(bright, stripe_table(self.theme), -1.0, 1.0)
        elif self._colouring is not None:
            low, high = colour_range(self._colouring)
            self.scene.set_scalars(self._colouring.values, colour_table(self.theme, low, high), low, high)
        else:
            self.scene.set_scalars(None, stripe_table(self.theme), 0.0, 1.0)

    def show_ties(self, visible: bool) -> None:
        """Show or hide the ties along the body."""
        self.ties_shown = visible
        self._refresh_curves()

    def set_grips(self, grips: dict[str, Array]) -> None:
        """Places by which the chosen station can be moved, turned and tilted."""
        self._grips = grips
        self.update()

    def _grip_at(self, at: QPointF) -> str:
        """The grip under a pixel, if any."""
        if not self._grips:
            return ""
        places = self.camera.project(np.array(list(self._grips.values())), self.width(), self.height())[:, :2]
        away = np.linalg.norm(places - np.array([at.x(), at.y()]), axis=1)
        return list(self._grips)[int(np.argmin(away))] if away.min() < 9.0 else ""

    def _seen(self, place: Array) -> QPointF:
        """The pixel at which a place (3,) is seen."""
        x, y = self.camera.project(place[None], self.width(), self.height())[0][:2].tolist()
        return QPointF(x, y)

    def show_datums(self, visible: bool) -> None:
        """Show or hide all datums; the design stays as it is."""
        self.datums_shown = visible
        self._refresh_curves()

    def set_selected(self, ids: tuple[str, ...]) -> None:
        """Mark stations, guides and datums."""
        self.selected = ids
        self._make_comb()
        self._refresh_curves()

    def _part_lines(self) -> list[Array]:
        """The edges and the outlines of the faces that are chosen, or under the pointer."""
        wanted = [key for key in dict.fromkeys((*self.selected, self.hovered)) if "/" in key]
        if self.quick is None or not wanted:
            return []
        edges = edge_lines(self.quick)
        return [line for key in wanted for line in ([edges[key]] if key in edges else face_lines(self.quick, key))]

    def set_live(self, position: float) -> None:
        """Where along the body the pointer is on the Board (mm), or NaN: the section there is drawn, of what is shown."""
        if math.isnan(position) and math.isnan(self._live_at):
            return
        self._live_at = position
        self._refresh_curves()

    def set_over(self, lines: Sequence[Array], body: str = "") -> None:
        """Lines (n, 3) of another body (of this design) over this one, in place of its skin; or none."""
        if lines or self._over:
            self._over, self._compared = list(lines), body if lines else ""
            if self.quick is not None:
                self._set_beside(self.quick)
            self._refresh_curves()

    def set_finding(self, finding: Finding | None) -> None:
        """Point at a finding's place."""
        self._finding = finding
        self.touch()

    def set_look(self, look: str) -> None:
        """'shaded', 'see-through' or 'lines'."""
        self.look = look
        self.scene.set_look(look)
        self.touch()

    def show_body(self, visible: bool) -> None:
        """Hide or show the body; stations stay."""
        self.body_shown = visible
        self.scene.show_body(visible)
        self.touch()

    def look_from(self, name: str) -> None:
        """A named view, fitted."""
        self._camera_taken = False
        self.camera = self.camera.looking(name)
        self.fit()

    def look_at_station(self, key: str) -> None:
        """Straight at a station's plane."""
        if self.quick is None or self.quick.shape is None or key not in self._outlines:
            return
        index = [s.station.id for s in self.quick.resolved.stations].index(key)
        sections = self.quick.shape.sections
        row = self.quick.shape.at_stations[index]
        line = self._outlines[key]
        self.camera = self.camera.looking_at_plane(sections.normal[row], sections.up[row], line.mean(axis=0))
        self.camera = self.camera.fitting(line, self.width() / max(self.height(), 1), 1.6)
        self.touch()

    def fit(self) -> None:
        """All of the body in the picture; of an empty design the base planes."""
        if self.quick is not None and self.quick.shape is None and not self.quick.others:
            points = np.vstack([line for lines in self._datums.values() for line in lines])
            self.camera = self.camera.fitting(points, self.width() / max(self.height(), 1), 1.4)
        if self.quick is not None and self.quick.shape is not None:
            points = corners(self.quick)
            # Room above for the stations' labels.
            margin = max(1.12, self.height() / max(self.height() - 90, 60))
            self.camera = self.camera.fitting(points, self.width() / max(self.height(), 1), margin)
        self.touch()

    def touch(self) -> None:
        """Draw again, quickly now and smoothly when still."""
        self._stale, self._smooth = True, False
        self._still.start()
        self.update()

    def draw_smooth(self) -> None:
        """Draw again with antialiasing."""
        self._stale, self._smooth = True, True
        self.update()

    def _refresh_curves(self) -> None:
        curves: list[tuple[Array, tuple[float, float, float], bool]] = []
        for key, line in self._outlines.items():
            strong = key in self.selected or key == self.hovered
            colour = station_colour(self.theme, self._shares[key])
            curves += [(run, _rgb(colour), strong) for run in (line, *self._holes[key])]
        for key, lines in self._datums.items() if self.datums_shown else ():
            strong = key in self.selected or key == self.hovered
            lines = self._whole_base.get(key, lines) if strong else lines
            colour_of = self.theme.attention if strong else self.theme.soft_ink
            curves += [(line, _rgb(colour_of), strong) for line in lines]
        for key, line in self._guides.items():
            curves.append((line, _rgb(self.theme.guide), key in self.selected or key == self.hovered))
        curves += [(line, _rgb(self.theme.accent), True) for line in self._part_lines()]
        curves += [(line, _rgb(self.theme.soft_ink), False) for line in self._comb]
        for key, reading in self.quick.readings.items() if self.quick is not None else ():
            strong = key in self.selected
            curves += [
                (line, _rgb(self.theme.attention if strong else self.theme.soft_ink), strong) for line in reading.lines
            ]
        curves += [(line, _rgb(self.theme.ink), False) for line in self._lines]
        curves += [(line, _rgb(self.theme.attention), False) for line in self._over]
        if self.quick is not None and self.quick.shape is not None and self.ties_shown:
            curves += [(self.quick.stood(line), _rgb(self.theme.ink), False) for line in self.quick.shape.tie_lines]
        live = self.quick.section_at(self._live_at) if self.quick is not None else None
        if live is not None and self.quick is not None and self.quick.shape is not None:
            samples = self.quick.shape.mesh.sampling
            line = self.quick.stood((samples.value @ live.control[0])[samples.rim])
            curves.append((line, _rgb(self.theme.ink), True))
        self.scene.set_curves(curves)
        self.touch()

    def render_image(self, width: int, height: int, smooth: bool, ratio: float = 1.0) -> QImage:
        """The scene alone as an image of `width` × `height` pixels."""
        _, up, _ = self.camera.axes()
        if self._lamps is not None:
            self._paint_skin()
        self.scene.set_camera(self.camera.eye(), self.camera.target, up, self.camera.height)
        pixels = self.scene.draw(width, height, smooth)
        image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        image.setDevicePixelRatio(ratio)
        return image

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        """The scene's image, then labels."""
        ratio = self.devicePixelRatioF()
        if self._stale or self._image is None:
            size = self.size() * ratio
            self._image = self.render_image(max(size.width(), 1), max(size.height(), 1), self._smooth, ratio)
            self._stale = False
        painter = QPainter(self)
        painter.drawImage(0, 0, self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_labels(painter)
        painter.end()

    def _paint_labels(self, painter: QPainter) -> None:
        self._paint_compass(painter)
        if self._colouring is not None and self._lamps is None:
            paint_legend(painter, self.theme, QRectF(self.rect()), self._colouring, self._colour_title)
        if self.quick is not None and self.quick.body.file:
            return
        if self.quick is None or self.quick.shape is None:
            painter.setPen(QColor(self.theme.soft_ink))
            wrong = [f.text for f in self.quick.findings if f.severity != "note"] if self.quick is not None else []
            text = wrong[0] if wrong else NOTHING
            area = QRectF(self.rect()).adjusted(90, 12, -20, -20)
            low = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter
            painter.drawText(area, low | Qt.TextFlag.TextWordWrap, text[:1].upper() + text[1:])
            if self.quick is not None:
                self._paint_datum_names(painter, [])
                self._paint_guide_names(painter, [])
            return
        names = {s.station.id: s.station.name for _, s in self.quick.resolved.own}
        taken: list[QRectF] = []
        order = sorted(self._outlines, key=lambda k: (k not in self.selected, k != self.hovered))
        for key in order:
            line = self.camera.project(self._outlines[key], self.width(), self.height())
            top = line[int(np.argmin(line[:, 1]))]
            self._paint_tag(
                painter,
                QPointF(float(top[0]), float(top[1])),
                names[key],
                taken,
                key in self.selected or key == self.hovered,
            )
        self._paint_datum_names(painter, taken)
        self._paint_guide_names(painter, taken)
        paint_grips(painter, self.theme, self._grips, self._held_grip, self._seen)
        if self._finding is not None and self._finding.position is not None:
            self._paint_finding(painter, self._finding)

    def _paint_datum_names(self, painter: QPainter, taken: list[QRectF]) -> None:
        """Each datum's name at the corner of it that stands highest."""
        assert self.quick is not None
        names = {d.id: d.name for d in self.quick.design.datums}
        empty = self.quick.shape is None
        names |= {k: BUILT_IN_NAMES[k] for k in BASE_SHOWN if empty or k in self.selected or k == self.hovered}
        for key, lines in self._datums.items() if self.datums_shown else ():
            line = self.camera.project(lines[0], self.width(), self.height())
            x, y = line[int(np.argmin(line[:, 1]))][:2].tolist()
            width = painter.fontMetrics().horizontalAdvance(names.get(key, "")) + 4
            box = QRectF(x + 4, y - 17, width, 16)
            if key in names and (key in self.selected or not any(box.intersects(b) for b in taken)):
                taken.append(box)
                painter.setPen(QColor(self.theme.ink if key in self.selected else self.theme.soft_ink))
                painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, names[key])

    def _paint_guide_names(self, painter: QPainter, taken: list[QRectF]) -> None:
        """The names of chosen guides, and of the one under the pointer, at their middles."""
        assert self.quick is not None
        for guide in self.quick.design.guides:
            if guide.id not in self._guides or (guide.id not in self.selected and guide.id != self.hovered):
                continue
            line = self.camera.project(self._guides[guide.id], self.width(), self.height())
            x, y = line[len(line) // 2][:2].tolist()
            self._paint_tag(painter, QPointF(x, y), guide.name, taken, True)

    def _paint_tag(self, painter: QPainter, at: QPointF, text: str, taken: list[QRectF], strong: bool) -> None:
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        box = QRectF(at.x() - width / 2, at.y() - 30, width, 19)
        if any(box.intersects(other) for other in taken) and not strong:
            return
        taken.append(box)
        painter.setPen(QPen(QColor(self.theme.soft_ink), 1))
        painter.drawLine(QPointF(at.x(), box.bottom()), QPointF(at.x(), at.y() - 2))
        painter.setPen(QPen(QColor(self.theme.accent if strong else self.theme.hairline), 1.4 if strong else 1))
        painter.setBrush(QColor(self.theme.paper))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_finding(self, painter: QPainter, finding: Finding) -> None:
        assert self.quick is not None and self.quick.shape is not None
        place = np.array(finding.place) if finding.place else np.array([0.0, 0.0, finding.position or 0.0])
        if not finding.place:
            row = int(np.argmin(np.abs(self.quick.shape.mesh.v - (finding.position or 0.0))))
            place = self.quick.shape.mesh.points[row].mean(axis=0)
        x, y = (float(c) for c in self.camera.project(place[None], self.width(), self.height())[0])
        painter.setPen(QPen(QColor(self.theme.failure if finding.severity == "error" else self.theme.attention), 2.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), 16, 16)

    def _paint_compass(self, painter: QPainter) -> None:
        """Three short lines for X, Y and Z at the lower left."""
        right, up, ahead = self.camera.axes()
        origin = QPointF(38, self.height() - 38)
        for axis, name in sorted(enumerate("XYZ"), key=lambda pair: ahead[pair[0]], reverse=True):
            end = origin + QPointF(float(right[axis]) * 24, -float(up[axis]) * 24)
            painter.setPen(
                QPen(QColor(self.theme.ink if name == "Z" else self.theme.soft_ink), 2 if name == "Z" else 1.4)
            )
            painter.drawLine(origin, end)
            painter.setPen(QColor(self.theme.ink))
            away = QPointF(float(right[axis]) * 33, -float(up[axis]) * 33)
            painter.drawText(
                QRectF(origin.x() + away.x() - 8, origin.y() + away.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name
            )

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the body fitted until the user takes the camera."""
        if not self._camera_taken:
            self.fit()
        self.touch()

    # Mouse and keys

    def pick_part(self, at: QPointF) -> str:
        """The edge or face of a body at a pixel, by reference, else what `pick` finds."""
        key = self._pick_line(at)
        if self.quick is None or key or not self.body_shown:
            return key
        return part_at(self.quick, self.camera, np.array([at.x(), at.y()]), (self.width(), self.height()))

    def pick(self, at: QPointF) -> str:
        """The station, guide or datum whose line is at a pixel, else the body's id if it is there, else nothing."""
        key = self._pick_line(at)
        if self.quick is None or key or not self.body_shown:
            return key
        return seen_at(self.quick, self.camera, np.array([at.x(), at.y()]), (self.width(), self.height()))[1]

    def _pick_line(self, at: QPointF) -> str:
        point = np.array([at.x(), at.y()])
        best, key = PICK_PIXELS, ""
        for name, line in self._outlines.items():
            distance = _distance_to_line(point, self.camera.project(line, self.width(), self.height()))
            if distance < best:
                best, key = distance, name
        for name, line in self._guides.items() if not key else ():
            distance = _distance_to_line(point, self.camera.project(line, self.width(), self.height()))
            if distance < best:
                best, key = distance, name
        if not key and self.datums_shown:
            for name, lines in self._datums.items():
                distance = min(
                    _distance_to_line(point, self.camera.project(x, self.width(), self.height())) for x in lines
                )
                if distance < best:
                    best, key = distance, name
        return key

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to turn or move."""
        self.setFocus()
        grip = self._grip_at(event.position()) if event.button() == Qt.MouseButton.LeftButton else ""
        if grip and not event.modifiers():
            self._pull = (f"grip {grip}", event.position())
            self._held_grip = grip
            return
        under = self.pick(event.position()) if event.button() == Qt.MouseButton.LeftButton else ""
        if under in self._datums and under in self.selected and not event.modifiers():
            self._pull = (under, event.position())
            return
        moving = event.button() == Qt.MouseButton.MiddleButton or (
            event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton)
            and bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        )
        if event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton):
            self._drag = (event.position(), "move" if moving else "turn", False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn, move, or show what a click would pick."""
        if self._pull is not None:
            key, begun = self._pull
            if (event.position() - begun).manhattanLength() > 3:
                now, from_ = event.position(), np.array([begun.x(), begun.y()])
                signal = self.gripped if key.startswith("grip ") else self.pulled
                signal.emit(key.removeprefix("grip "), from_, np.array([now.x(), now.y()]))
            return
        if self._drag is None:
            self._hover(event.position())
            return
        start, kind, moved = self._drag
        step = event.position() - start
        if not moved and abs(step.x()) + abs(step.y()) < 4:
            return
        self._camera_taken = True
        if kind == "turn":
            self.camera = self.camera.turned(step.x() * 0.008, step.y() * 0.008)
        else:
            scale = self.camera.height / max(self.height(), 1)
            self.camera = self.camera.moved(step.x() * scale, step.y() * scale)
        self._drag = (event.position(), kind, True)
        self.touch()

    def _hover(self, at: QPointF) -> None:
        grip = self._grip_at(at)
        self.setToolTip(f"Drag to {words_of(grip)}" if grip else "")
        parts = bool(QGuiApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier)
        key = self.pick_part(at) if parts else self.pick(at)
        if key != self.hovered:
            self.hovered = key
            self.setCursor(Qt.CursorShape.PointingHandCursor if key else Qt.CursorShape.ArrowCursor)
            self._refresh_curves()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A click without movement picks."""
        if self._pull is not None:
            self._pull, self._held_grip = None, ""
            self.let_go.emit()
            return
        drag, self._drag = self._drag, None
        if drag is not None and not drag[2] and event.button() == Qt.MouseButton.LeftButton:
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
                self.picked_more.emit(self.pick_part(event.position()))
            else:
                self.picked.emit(self.pick(event.position()))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Look straight at a station."""
        key = self.pick(event.position())
        if key in self._outlines:
            self.opened.emit(key)

    def leaveEvent(self, event: QEvent) -> None:
        """Nothing is under the pointer."""
        if self.hovered:
            self.hovered = ""
            self._refresh_curves()

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
            scale = self.camera.height / max(self.height(), 1)
            self.camera = self.camera.moved(delta.x() * scale, delta.y() * scale)
            self.touch()
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


def _distance_to_line(point: Array, line: Array) -> float:
    """Distance (pixels) of a point from a polyline (n, 2)."""
    a, b = line[:-1], line[1:]
    ab = b - a
    share = np.clip(np.sum((point - a) * ab, axis=1) / np.maximum(np.sum(ab * ab, axis=1), 1e-12), 0.0, 1.0)
    return float(np.min(np.linalg.norm(a + share[:, None] * ab - point, axis=1)))
