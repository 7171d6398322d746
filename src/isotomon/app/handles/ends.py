"""Handles of the body's ends in the View: how strongly, and at what angle, the skin leaves an end."""

from __future__ import annotations

import numpy as np

from isotomon.app.api import Api
from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array
from isotomon.design import bodies


class EndHandles:
    """While the body is chosen, each end that is not free has a handle along its skin."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def _foot(self, which: str) -> tuple[Array, Array, Array] | None:
        """(foot, way into the body square to the plane, way outward) of an end's handle: where the section is highest."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None:
            return None
        row, way = (0, 1.0) if which == "first" else (-1, -1.0)
        sections, rows = quick.shape.sections, quick.shape.form.common.rows(np.arange(360) / 360.0)
        local = rows @ sections.local[row]
        k = int(local[:, 1].argmax())
        place = sections.origin[row] + local[k, 0] * sections.across[row] + local[k, 1] * sections.up[row]
        return place, way * sections.normal[row], sections.up[row]

    def places(self) -> dict[str, Handle]:
        """Ends of the handles."""
        quick = self.w.desk.quick
        if quick is None or quick.shape is None or self.w.desk.selection != (quick.body.id,):
            return {}
        found = {}
        for row, which in enumerate(("first", "last")):
            numbers, foot = quick.resolved.ends[row], self._foot(which)
            if numbers is None or foot is None:
                continue
            nodes = quick.shape.field.nodes
            bay = abs(float(nodes[row * -1] - nodes[1 if row == 0 else -2]))
            length = min(numbers.strength, bay) or bay
            way = np.cos(numbers.angle) * foot[1] + np.sin(numbers.angle) * foot[2]
            found[f"end {which}"] = Handle(
                quick.stood(foot[0] + length * way), "dot", "change how the skin leaves this end"
            )
        return found

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A handle dragged to a pixel: along it changes the strength, across it the angle of a leaning end."""
        desk, view = self.w.desk, self.w.view
        which = name.split()[1]
        foot = self._foot(which)
        if foot is None or desk.design is None or desk.quick is None:
            return
        ends = view.camera.project(
            desk.quick.stood(np.array([foot[0], foot[0] + foot[1], foot[0] + foot[2]])), view.width(), view.height()
        )
        ways = np.stack([ends[1] - ends[0], ends[2] - ends[0]], axis=1)
        if abs(float(np.linalg.det(ways))) < 1e-6:
            return
        along, out = np.linalg.solve(ways, now - ends[0]).tolist()
        length = float(f"{max(np.hypot(along, out), 0.1):.4g}")
        changes: dict[str, float] = {"strength": length}
        if getattr(desk.held.loft, which).how == "leaning":
            angle = float(np.clip(np.degrees(np.arctan2(out, max(along, 1e-9))), -75.0, 75.0))
            changes["angle"] = float(np.radians(round(angle, 1)))
        else:
            changes["strength"] = float(f"{max(along, 0.1):.4g}")
        desk.preview("bend an end", lambda d: bodies.change_ending(d, desk.hand, which, **changes))

    def release(self) -> None:
        """Nothing is kept of a pull."""
