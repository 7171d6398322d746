"""Handles of a curve through points: its points, and how it runs through each."""

from __future__ import annotations

import numpy as np

from isotomon.app.api import Api
from isotomon.app.handles.sliding import slide
from isotomon.app.viewport.handles import Handle
from isotomon.arrays import Array
from isotomon.design import edits, loft_edits
from isotomon.design.guides import Guide
from isotomon.errors import IsotomonError
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.guides import point_place
from isotomon.geometry.datums import SpaceCurve


class GuideHandles:
    """While one curve through points is chosen."""

    def __init__(self, api: Api) -> None:
        self.w = api

    def _shown(self) -> Guide | None:
        design = self.w.desk.design
        keys = [k for k in self.w.desk.selection if design is not None and any(g.id == k for g in design.guides)]
        if design is None or len(keys) != 1 or len(self.w.desk.selection) != 1:
            return None
        guide = edits.find(design.guides, keys[0])
        return guide if guide.kind == "through" else None

    def places(self) -> dict[str, Handle]:
        """The chosen curve's points, and the ends of the handles that bend it."""
        guide, ground, quick = self._shown(), self.w.desk.ground(), self.w.desk.quick
        if guide is None or ground is None or quick is None:
            return {}
        guide = next((g for g in quick.design.guides if g.id == guide.id), guide)
        found: dict[str, Handle] = {}
        curve = quick.guides.get(guide.id)
        for k, p in enumerate(guide.points):
            try:
                place = point_place(ground, p)
            except IsotomonError:
                continue
            found[f"point {k}"] = Handle(place, "square", "move the curve's point")
            if curve is not None:
                end = place + _arm(curve, guide, k, place)
                found[f"handle {k}"] = Handle(end, "dot", "bend the curve", foot=place)
        return found

    def pull(self, name: str, start: Array, now: Array) -> None:
        """A point or handle dragged from one pixel to another: the curve follows, seen at once."""
        guide, ground = self._shown(), self.w.desk.ground()
        if guide is None or ground is None:
            return
        word, index = name.split()[0], int(name.split()[1])
        if word == "point":
            self._pull_point(guide, index, now)
        else:
            self._pull_handle(guide, ground, index, now)

    def _pull_point(self, guide: Guide, index: int, now: Array) -> None:
        desk, view = self.w.desk, self.w.view
        assert desk.design is not None
        point = edits.find(desk.design.guides, guide.id).points[index]
        station, part = point.on.thing, point.on.part
        quick = desk.quick
        assert quick is not None
        if part and any(s.id == station for s in desk.held.stations):
            slid = slide(self.w, station, now)
            if slid is not None:
                share, corner = slid
                on = f"{station}/c:{corner}" if corner else f"{station}/at:{share:.6g}"
                desk.preview(
                    f"move a point of {guide.name}", lambda d: loft_edits.set_guide_point(d, guide.id, index, on=on)
                )
            return
        if any(isinstance(v, str) for v in (point.x, point.y, point.z)):
            desk.said.emit("note", "A formula drives this point; change it in Details.")
            return
        ground = self.w.desk.ground()
        assert ground is not None
        design = desk.design
        place = point_place(quick.worked.branch(design).ground(quick.body.id), point)
        moved = place + view.camera.away(place, now, view.width(), view.height())
        step = np.round(moved - place, 3)
        fresh = {c: float(getattr(point, c) + s) for c, s in zip("xyz", step, strict=True)}
        desk.preview(f"move a point of {guide.name}", lambda d: loft_edits.set_guide_point(d, guide.id, index, **fresh))

    def _pull_handle(self, guide: Guide, ground: Ground, index: int, now: Array) -> None:
        desk, view = self.w.desk, self.w.view
        quick = desk.quick
        assert quick is not None and desk.design is not None
        curve = quick.guides.get(guide.id)
        if curve is None:
            return
        place = point_place(ground, guide.points[index])
        arm = _arm(curve, guide, index, place)
        end = place + arm + view.camera.away(place + arm, now, view.width(), view.height())
        way = np.round(end - place, 4)
        length = float(np.linalg.norm(way))
        if length < 1e-3:
            return
        x, y, z = way.tolist()
        changes: dict[str, object] = {"pull": float(f"{length:.5g}")}
        if not guide.points[index].toward:
            changes["handle"] = (x, y, z)
        desk.preview(f"bend {guide.name}", lambda d: loft_edits.set_guide_point(d, guide.id, index, **changes))

    def release(self) -> None:
        """Nothing is kept of a pull."""


def _arm(curve: SpaceCurve, guide: Guide, k: int, place: Array) -> Array:
    """(3,) from a point to its handle's end: a third of the way to its neighbours, or as long as its pull."""
    t, p, _ = curve.table(401)
    at = float(t[int(np.linalg.norm(p - place, axis=1).argmin())])
    pull = guide.points[k].pull
    usual = curve.length / max(len(guide.points) - 1, 1) / 3.0
    return np.asarray(curve.tangent(at) * (pull if isinstance(pull, float) and pull > 0.0 else usual))
