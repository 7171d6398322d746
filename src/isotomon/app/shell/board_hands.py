"""What is done on the Board by hand: stations and ends of the body chosen, dragged, inserted; the menu of a station."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from isotomon.app.api import Api
from isotomon.app.forms.wiring import offer_behind_formula
from isotomon.app.tools.shaping import ShapingTools
from isotomon.design import station_edits
from isotomon.design.records import Design

REACH = "reach"
"""With this begins the name of an end that the body goes on to; all others are ids of stations."""
OF_A_STATION = ("look-at", "section", "insert", "duplicate", "remove")


class BoardHands:
    """Answers the Board. `insert`: puts a station at a position, keeping the shape."""

    def __init__(
        self, api: Api, shaping: ShapingTools, insert: Callable[[float], object], actions: Mapping[str, QAction]
    ) -> None:
        self.w, self.shaping, self.insert, self.actions = api, shaping, insert, actions

    def connect(self) -> None:
        """To the Board's signals."""
        board, desk = self.w.board, self.w.desk
        board.may_drag = self._may_drag
        board.chosen.connect(self._choose)
        board.dragging.connect(lambda key, z: desk.preview(*self._moved(key, z)))
        board.dropped.connect(self._drop)
        board.given_up.connect(desk.give_up_preview)
        board.insert_wanted.connect(self.insert)
        board.menu_wanted.connect(self.show_menu)

    def _choose(self, key: str, add: bool) -> None:
        """A station; or, at an end the body goes on to, the body."""
        self.w.desk.select((self.w.desk.hand if key.startswith(REACH) else key,), add)

    def _may_drag(self, key: str) -> bool:
        """A station driven by a formula is not dragged: the numbers behind it are offered instead. One that is gone is not, either."""
        desk = self.w.desk
        if key.startswith(REACH):
            return self.shaping.may_reach(key)
        station = next((one for one in desk.held.stations if one.id == key), None)
        if station is None:  # what the Board shows is older
            return False
        position = station.position
        if not isinstance(position, str):
            return True
        found = desk.quick.resolved.get(key) if desk.quick else None
        number = found.position if found is not None else 0.0
        QTimer.singleShot(0, lambda: offer_behind_formula(desk, position, partial(self._drop, key, number)))
        return False

    def _drop(self, key: str, position: float) -> None:
        self.w.desk.do(*self._moved(key, position))

    def _moved(self, key: str, position: float) -> tuple[str, Callable[[Design], Design]]:
        """(title, edit) for a station, or an end the body goes on to, dragged to a position."""
        if key.startswith(REACH):
            return self.shaping.reached(key, position)
        place = self.w.desk.own_position(position)
        return "move the station", lambda d: station_edits.change_station(d, key, position=place)

    def show_menu(self, key: str, position: float, at: QPoint) -> None:
        """What can be done with a thing, and at a position along the body."""
        desk = self.w.desk
        menu = QMenu(self.w.widget)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if key:
            if key not in desk.selection:
                desk.select((key,))
            for name in OF_A_STATION if desk.selected_stations() else ("remove",):
                menu.addAction(self.actions[name])
        shape = desk.quick.shape if desk.quick is not None else None
        if shape is not None and shape.field.first < position < shape.field.last:
            menu.addAction("Insert a station here, keeping the shape", partial(self.insert, position))
        if not menu.isEmpty():
            menu.popup(at)
