"""What is written over the View: names of stations, datums and guides, the place of a finding, the three directions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from isotomon.app.theme import Theme
from isotomon.app.viewport.lines import Lines, Wanted
from isotomon.arrays import Array
from isotomon.design.datums import BASE_SHOWN, BUILT_IN_NAMES
from isotomon.design.records import Design
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Finding

NOTHING = "There is no body yet. Choose a plane and draw on it (F6), then extrude, sweep or revolve; or add stations."
DRAWN = "There is no body yet. Choose a drawing and extrude, sweep or revolve it (stage Shape)."
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


@dataclass
class Paper:
    """What labels are painted with: `project` gives (n, 2 or 3) pixels of places (n, 3), mm; `taken` is covered already."""

    painter: QPainter
    theme: Theme
    area: QRectF
    project: Callable[[Array], Array]
    taken: list[QRectF] = field(default_factory=list)

    def width_of(self, text: str) -> int:
        """Pixels."""
        return self.painter.fontMetrics().horizontalAdvance(text)

    def highest(self, line: Array) -> tuple[float, float]:
        """The pixel of a line (n, 3) that is highest on the screen."""
        seen = self.project(line)
        x, y = seen[int(np.argmin(seen[:, 1]))][:2].tolist()
        return x, y

    def free(self, box: QRectF) -> bool:
        """Whether nothing is written there yet."""
        return not any(box.intersects(other) for other in self.taken)


def paint_names(paper: Paper, quick: Quick, drawn: Lines, wanted: Wanted) -> None:
    """The names of stations, datums, and chosen guides and drawings: none over another, the chosen ones first."""
    curves = drawn.guides | {key: lines[0] for key, lines in drawn.drawings.items()}
    for key, name in _curve_names(quick.design):
        if key in curves and wanted.strong(key):
            line = paper.project(curves[key])
            x, y = line[len(line) // 2][:2].tolist()
            _tag(paper, (x, y), name, True)
    names = {s.station.id: s.station.name for _, s in quick.resolved.own}
    for key in sorted(drawn.outlines, key=lambda k: (k not in wanted.selected, k != wanted.hovered)):
        _tag(paper, paper.highest(drawn.outlines[key]), names[key], wanted.strong(key))
    _datum_names(paper, quick, drawn, wanted)


def _curve_names(design: Design) -> list[tuple[str, str]]:
    return [(g.id, g.name) for g in design.guides] + [(g.id, g.name) for g in design.drawings]


def _datum_names(paper: Paper, quick: Quick, drawn: Lines, wanted: Wanted) -> None:
    """Each datum's name at the corner of it that stands highest."""
    names = {d.id: d.name for d in quick.design.datums}
    names |= {k: BUILT_IN_NAMES[k] for k in BASE_SHOWN if quick.mesh is None or wanted.strong(k)}
    for key, lines in drawn.datums.items() if wanted.datums else ():
        x, y = paper.highest(lines[0])
        box = QRectF(x + 4, y - 17, paper.width_of(names.get(key, "")) + 4, 16)
        if key in names and (key in wanted.selected or paper.free(box)):
            paper.taken.append(box)
            paper.painter.setPen(QColor(paper.theme.ink if key in wanted.selected else paper.theme.soft_ink))
            paper.painter.drawText(box, LEFT, names[key])


def _tag(paper: Paper, at: tuple[float, float], text: str, strong: bool) -> None:
    """A name in a frame above a place, with a line down to it."""
    (x, y), painter, theme = at, paper.painter, paper.theme
    width = paper.width_of(text) + 10
    box = QRectF(x - width / 2, y - 30, width, 19)
    if not strong and not paper.free(box):
        return
    paper.taken.append(box)
    painter.setPen(QPen(QColor(theme.soft_ink), 1))
    painter.drawLine(QPointF(x, box.bottom()), QPointF(x, y - 2))
    painter.setPen(QPen(QColor(theme.accent if strong else theme.hairline), 1.4 if strong else 1))
    painter.setBrush(QColor(theme.paper))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(QColor(theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def paint_nothing(paper: Paper, quick: Quick | None) -> None:
    """Why there is no body, or what can be done first."""
    wrong = [f.text for f in quick.findings if f.severity != "note"] if quick is not None else []
    drawn = quick is not None and bool(quick.design.drawings)
    text = wrong[0] if wrong else DRAWN if drawn else NOTHING
    low = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter
    paper.painter.setPen(QColor(paper.theme.soft_ink))
    area = paper.area.adjusted(90, 12, -20, -20)
    paper.painter.drawText(area, low | Qt.TextFlag.TextWordWrap, text[:1].upper() + text[1:])


def paint_finding(paper: Paper, quick: Quick, finding: Finding) -> None:
    """A ring round the place of a finding."""
    if finding.position is None or quick.shape is None:
        return
    place = np.array(finding.place)
    if not finding.place:
        row = int(np.argmin(np.abs(quick.shape.mesh.v - finding.position)))
        place = quick.shape.mesh.points[row].mean(axis=0)
    x, y = paper.project(place[None])[0][:2].tolist()
    colour = paper.theme.failure if finding.severity == "error" else paper.theme.attention
    paper.painter.setPen(QPen(QColor(colour), 2.5))
    paper.painter.setBrush(Qt.BrushStyle.NoBrush)
    paper.painter.drawEllipse(QPointF(x, y), 16, 16)


def paint_compass(paper: Paper, axes: tuple[Array, Array, Array]) -> None:
    """Three short lines for X, Y and Z at the lower left; `axes`: (3,) each, to the right, up and ahead."""
    (right, up, ahead), painter, theme = axes, paper.painter, paper.theme
    origin = QPointF(38, paper.area.height() - 38)
    for axis, name in sorted(enumerate("XYZ"), key=lambda pair: float(ahead[pair[0]]), reverse=True):
        out = QPointF(float(right[axis]), -float(up[axis]))
        painter.setPen(QPen(QColor(theme.ink if name == "Z" else theme.soft_ink), 2 if name == "Z" else 1.4))
        painter.drawLine(origin, origin + out * 24.0)
        painter.setPen(QColor(theme.ink))
        at = origin + out * 33.0
        painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name)
