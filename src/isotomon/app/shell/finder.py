"""Find an action: type part of its name, Enter does it. Also the list of keys, and help for what is in hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget


@dataclass(frozen=True)
class Action:
    """An entry to find: its title, shortcut, why it cannot be done now (or empty), what it does."""

    title: str
    shortcut: str
    reason: str
    tip: str
    run: Callable[[], None]


def matches(query: str, text: str) -> bool:
    """Whether all words of the query are in the text, in any order."""
    low = text.lower()
    return all(word in low for word in query.lower().split())


class Finder(QDialog):
    """A list that narrows as one types."""

    def __init__(self, parent: QWidget, actions: Sequence[Action], below: QPoint) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.actions_all = actions
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.query = QLineEdit()
        self.query.setPlaceholderText("Find an action")
        self.query.setAccessibleName("Find an action")
        self.query.installEventFilter(self)
        self.list = QListWidget()
        column.addWidget(self.query)
        column.addWidget(self.list)
        self.resize(440, 380)
        self.move(below - QPoint(self.width(), 0))
        self.query.textChanged.connect(self._narrow)
        self.list.itemActivated.connect(self._run)
        self.list.itemClicked.connect(self._run)
        self._narrow("")
        self.query.setFocus()

    def _narrow(self, query: str) -> None:
        self.list.clear()
        found = [a for a in self.actions_all if matches(query, f"{a.title} {a.tip}")]
        # What begins so comes first: doing a thing once more is not undoing it.
        begins = query.strip().lower()
        found.sort(key=lambda a: (not a.title.lower().startswith(begins), not matches(query, a.title), bool(a.reason)))
        for action in found:
            keys = f"    {action.shortcut}" if action.shortcut else ""
            item = QListWidgetItem(f"{action.title}{keys}" + (f"\n{action.reason}" if action.reason else ""))
            item.setData(Qt.ItemDataRole.UserRole, action)
            item.setToolTip(action.tip)
            if action.reason:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        for row in range(self.list.count()):
            if self.list.item(row).flags() & Qt.ItemFlag.ItemIsEnabled:
                self.list.setCurrentRow(row)
                break

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Arrows move in the list while typing goes on."""
        if watched is self.query and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = self.list.currentRow() + step
                while 0 <= row < self.list.count() and not self.list.item(row).flags() & Qt.ItemFlag.ItemIsEnabled:
                    row += step
                if 0 <= row < self.list.count():
                    self.list.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._run(item)
                return True
        return super().eventFilter(watched, event)

    def _run(self, item: QListWidgetItem) -> None:
        action: Action = item.data(Qt.ItemDataRole.UserRole)
        if not action.reason:
            self.accept()
            action.run()


HELP = {
    "view": (
        "The View",
        "The body in space. Drag with the left button to turn it, with the middle button (or Shift) to move it; the wheel "
        "zooms to the pointer. Arrow keys turn, with Shift they move. A click chooses a station, datum or the body, a double "
        "click draws its section. While one station is chosen, its grips move, turn and tilt it. A chosen datum is dragged by "
        "its one free number; D hides or shows all datums.",
    ),
    "board": (
        "The Board",
        "Distance along the body runs left to right. Each station stands at its position with its section at true "
        "relative size; root and tip are told apart by colour, from indigo to ochre. Below are the area and the angles, "
        "with the laws' bands behind; a triangle marks a station out of its band. Drag a station to move its plane "
        "(round figures catch it, Esc gives up). A + between two stations inserts one that keeps the present shape. "
        "Move the pointer along the curves to see the section there in the View and the body plan.",
    ),
    "bodyplan": (
        "The body plan",
        "All sections laid over each other, seen along the body from its last station, X to the right and Y up. Pale "
        "lines are the ties: which point of one section belongs to which of the next. Click a section to choose its station; "
        "the wheel zooms, a drag moves, a double click fits.",
    ),
    "ledger": (
        "The Ledger",
        "All that the design holds. Each row shows its key figure; ▲ marks what has a finding. Choose a row to see and "
        "change it in Details; Ctrl or Shift chooses several. Delete removes what is chosen.",
    ),
    "details": (
        "Details",
        "What is chosen, with every value as a field. A field takes a number, a number with a unit (12 cm, 0.1 turn) or a "
        "formula on named numbers (span * 0.2 + 5 mm; position and fraction may be used too). Drag a field's name sideways "
        "to change it: Shift finer, Ctrl coarser; Esc gives up. Up and Down step.",
    ),
    "guides": (
        "Guides and rails",
        "A guide is a curve in space that follows what it is made from: points, profiles, drawings, skins, other guides, an "
        "axis. A tool makes one from what is chosen, or from all stations. Drag a curve's squares in the View to move its "
        "points (on a profile they slide and catch its corners), its rings to bend it; the comb shows its curvature. Use as a "
        "rail (Ctrl+R) lets the body follow it. Where a rail misses a profile, the finding names the gap and mends it: move "
        "the guide, or let the profile's point follow.",
    ),
    "ties": (
        "Ties and turn",
        "A tie joins points of neighbouring profiles that belong together. They are set for least turn; Y shows them, and with "
        "a station chosen their ends can be dragged along its profile, here or in the body plan. What turn they cause is told "
        "station by station and in all; a finding evens it out, or makes a law of it. Whole turns are added between a station "
        "and the one before it.",
    ),
    "bodies": (
        "Bodies and carriers",
        "The body's Details say what carries its stations: straight along Z, along a guide by its length, or about an axis, where "
        "positions are angles; a closed path or an axis can be closed into a ring of two stations or more. Its ends can be free, "
        "square, leaning, or flush or fair with another body whose end is the section there. Several bodies: one is in hand "
        "(Ctrl+J, or its row in the Ledger), Board and stations are its own; it is a body of its own, or is added to, cut out of, "
        "or kept in common with others.",
    ),
    "shaping": (
        "Extrude, sweep, revolve",
        "Choose a station or a drawing (and a guide or an axis), then the tool: the body is there at once, in hand, and its Details "
        "take over. The hollow mark at its far end on the Board is dragged to say how far it goes; Details take figures, formulas, and "
        "what it goes up to. Turn, sizes, offsets, draft and a kept area change along it, evenly or by a formula in fraction or "
        "position. Along a path sections stand square to it, keep their attitude, keep Y up, look at a second curve, stand off a skin or "
        "upright on an axis; its corners are rounded or mitred. A profile turned about an axis may follow a rim. An open profile makes "
        "a skin, a wall of some thickness, or is shut by a line. Copies, moves and mirrors follow the shape and cost no rebuild; with the "
        "body chosen their handles in the View move, turn and resize it and spread its copies.",
    ),
    "finish": (
        "Finish",
        "Steps of the body in hand, listed in its Details in the order in which they are done: the tick sets one aside, its handle drags it to "
        "another place. Edges and faces are chosen in the View (Ctrl and a click, or a stroke over several edges) before or after the tool, or by rules, which stay right "
        "when the shape changes. Long edges rounded, as far as there is a corner along the body, narrow sides rounded away and hollows are there at once, with handles; the rest is the "
        "solid's. Walls lie within the skin, outside or about it, may change along the body, and be thicker at some faces; a chosen end is "
        "what a new hollow leaves open. Faces are shifted along their normals or an axis, which moves holes and posts sideways. What does not fit is told with the largest size that does, and with the edge that can be left out. "
        "Bodies are cut by planes and skins; Cut in two bodies keeps what is cut off as a body of its own, which follows. The Board shows "
        "sections of the finished body under Show.",
    ),
    "measures": (
        "Measures and Compare",
        "In the stage Check, Measure takes a distance, angle, length, radius, area, section, mass or capacity of what is chosen and keeps it with "
        "the design: its figure stands in the Ledger and follows every edit. Of a vessel it tells volume, wetted area and brim, or the "
        "level for a volume, less a wall. Ctrl and a click in the View choose edges and faces "
        "for it, and for datums and guides. Combined bodies are measured as they are finished, of their mesh. Compare lays another body, an earlier shape or another design over the one in hand: "
        "figures side by side, sections over each other, the skin coloured by distance.",
    ),
    "shape": (
        "Checks of shape",
        "In the stage Check, the skin is coloured by turn rate, curvature, slope to a pull direction, or distance from a reference; "
        "Ctrl+Shift+R shows the light of long lamps as a polished skin reflects it: a kink breaks the stripes, a bump bends them. "
        "Section curves cut it by evenly spaced planes; the joins of its faces are listed with gap, angle and step in curvature; "
        "diamonds on the Board mark where area and turn change the way they bend.",
    ),
    "drawing": (
        "The profile editor",
        "Looks straight at a station's plane; neighbouring sections are faint. Take a tool from the tray and click where its "
        "hint says; Esc stops, Enter ends a run or curve, A makes the next piece of a run an arc. What the pointer catches is "
        "named beside it, and each constraint that a click would take for granted is shown before it; Alt refuses. Choose "
        "things (Shift for several, or a box: leftwards it takes what it touches) and the panel offers the constraints that "
        "fit. F and two clicks make a figure; double-click it to type another, a formula, or “name = 5 mm”. Hollow green "
        "points can still move: drag them. The first closed run takes the station's section; a half section that ends on a "
        "centre line (X) is closed by its mirror image; an open run makes a skin, once it is told to. Ctrl+Return goes back to the View.",
    ),
    "numbers": (
        "The numbers table",
        "Every named number with its value or formula, what that is now, a note, and where it is used. Type into the last row "
        "for a new one. A new name is taken over by all formulas; a number in use says where instead of going. In any field, "
        "“name = 5 mm” gives its value a name on the spot.",
    ),
    "grid": (
        "The station table",
        "The stations as a grid. Type into a cell, or paste a block from a spreadsheet; Ctrl+D fills the first chosen row "
        "down. A paste or fill is one step for undo, and happens whole or not at all.",
    ),
}


class HelpSheet(QDialog):
    """Help for what is in hand, and all keys."""

    def __init__(self, parent: QWidget, topic: str, actions: Sequence[Action]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self.resize(560, 520)
        column = QVBoxLayout(self)
        browser = QTextBrowser()
        column.addWidget(browser)
        title, text = HELP.get(topic, HELP["board"])
        others = "".join(f"<h4>{t}</h4><p>{body}</p>" for key, (t, body) in HELP.items() if key != topic)
        keys = "".join(
            f"<tr><td style='padding-right:18px'>{a.shortcut}</td><td>{a.title}</td></tr>"
            for a in actions
            if a.shortcut
        )
        browser.setHtml(f"<h3>{title}</h3><p>{text}</p><h4>Keys</h4><table>{keys}</table>{others}")
