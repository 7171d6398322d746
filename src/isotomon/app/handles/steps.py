"""Handles in the View of what is done with a body once it is shaped, and of how a skin is made, as their records declare them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from isotomon.app.api import Api
from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array
from isotomon.design.bodies import change_body, change_step
from isotomon.design.edits import replace as replaced
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.evaluate.stages import ask_of, placed_after
from isotomon.field.parallel import skin_of
from isotomon.operations.grips import Grip

PLACES = 2001
"""So many of a course are looked at for the one that is seen nearest to the pointer."""


class StepHandles:
    """While the body is chosen, the steps after its shaping have handles, and so has how it is made as a skin."""

    def __init__(self, api: Api) -> None:
        self.w = api
        self._begun: tuple[str, Grip] | None = None

    def places(self) -> dict[str, Handle]:
        """The handles, by step and field."""
        return {
            name: Handle(grip.place, grip.look, grip.words, letter=grip.letter) for name, grip in self._grips().items()
        }

    def _grips(self) -> dict[str, Grip]:
        quick, ground = self.w.desk.quick, self.w.desk.ground()
        if (
            quick is None
            or quick.mesh is None
            or ground is None
            or self.w.desk.selection != (quick.body.id,)
            or self.w.desk.body is None
            or [s.id for s in quick.body.done] != [s.id for s in self.w.desk.body.done]
        ):
            return {}
        points = quick.mesh.points.reshape(-1, 3)
        steps = quick.body.done
        wanted, skin = any(step.ON_SKIN for step in steps), None
        if quick.shape is not None and wanted:
            skin = skin_of(quick.shape.field, quick.design.tolerance, quick.shape.key)
        sheet = quick.sheet.whole if quick.sheet is not None else None
        found = self._made()
        for k, step in enumerate(steps):
            try:
                before = placed_after(ground, steps[:k])[0]
                kept = all(s.keeps_skin(quick.body.id) for s in steps[:k])
                ask = replace(ask_of(ground), skin=skin if kept else None, sheet=sheet if kept else None)
                grips = step.grips(ask, points @ before[:3, :3].T + before[:3, 3])
            except IsotomonError:  # the step has a finding of its own
                continue
            found |= {f"step {step.id} {name}": grip for name, grip in grips.items()}
        return found

    def _made(self) -> dict[str, Grip]:
        """Those of how it is made."""
        ground, making = self.w.desk.ground(), self.w.desk.held.making
        if ground is None or making is None:
            return {}
        try:
            return {f"made {name}": grip for name, grip in making.grips(ask_of(ground)).items()}
        except IsotomonError:  # which is told where the skin is made
            return {}

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A handle dragged: its numbers are those at the place of its course that is seen nearest to the pixel."""
        desk, view = self.w.desk, self.w.view
        if self._begun is None or self._begun[0] != name:
            found = self._grips().get(name)
            if found is None:
                return
            self._begun = (name, found)
        grip = self._begun[1]
        shares = np.linspace(0.0, 1.0, PLACES)
        seen = view.camera.project(grip.course(shares), view.width(), view.height())[:, :2]
        here = view.camera.project(grip.place[None], view.width(), view.height())[0, :2]
        best = int(np.linalg.norm(seen - (here + now - start), axis=1).argmin())
        changes = grip.changes(float(shares[best]))
        desk.preview(grip.does, self._edit(name, changes))

    def _edit(self, name: str, changes: dict[str, Any]) -> Callable[[Design], Design]:
        """The edit of a handle's record."""
        kind, key, *_ = name.split()
        if kind == "step":
            return lambda d: change_step(d, key, **changes)
        hand = self.w.desk.hand
        return lambda d: change_body(d, hand, shaped=replaced(d.body(hand).shaped, **changes))

    def release(self) -> None:
        """The pull is over."""
        self._begun = None
