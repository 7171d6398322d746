"""What takes the View's place for a while: a drawing, a sheet, a study; with a panel of its own in the place of Details."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from isotomon.app.api import Api


class Middle:
    """A widget that stands in the middle of the window when it is shown, and the panel that then stands at its right. The body plan gives
    way meanwhile."""

    def __init__(self, api: Api, widget: QWidget, panel: QWidget) -> None:
        self.w, self.widget, self.panel = api, widget, panel
        self._plan_shown = True

    @property
    def shown(self) -> bool:
        """Whether it stands there now."""
        return self.w.canvas.currentWidget() is self.widget

    def show(self) -> None:
        """Put it there, whatever else stood there before."""
        if self.shown:
            return
        w = self.w
        w.show_view()
        self._plan_shown = not w.body_plan.isHidden()
        w.body_plan.hide()
        w.canvas.setCurrentWidget(self.widget)
        w.side.setCurrentWidget(self.panel)

    def leave(self) -> None:
        """Back to the View and Details."""
        w = self.w
        w.canvas.setCurrentWidget(w.view)
        w.side.setCurrentWidget(w.forms)
        w.body_plan.setVisible(self._plan_shown)
        w.refresh_commands()
        w.view.setFocus()
