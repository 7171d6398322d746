"""The form of a guide: what it is made from, its points, numbers and choices, its figures and joins, its use as a rail."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from isotomon.app.forms.declared import DeclaredForm
from isotomon.app.forms.form import Offer, given
from isotomon.app.state.desk import Desk
from isotomon.app.tools.guides import guide_candidates, point_candidates, slots_of
from isotomon.design import edits, loft_edits
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.recipe import Field
from isotomon.design.records import Design
from isotomon.design.walk import users
from isotomon.evaluate.guides import joined_run
from isotomon.geometry import space
from isotomon.inspect.looks import ground_of
from isotomon.quantity import Kind, Value, display, to_unit
from isotomon.quantity.record import Ref

FLAT = 1e-7
"""Of its length by its tightest radius: a curve that bends less is straight to the eye."""
_COORDINATE = "Coordinate, or how far from the point it is at"
_IN_SPACE: tuple[tuple[str, str, Kind, str], ...] = (
    ("x", "X", "length", _COORDINATE),
    ("y", "Y", "length", _COORDINATE),
    ("z", "Z", "length", _COORDINATE),
)
_ON_SKIN: tuple[tuple[str, str, Kind, str], ...] = (
    ("x", "Round", "ratio", "The share of the way round the section, 0 to 1"),
    ("z", "Along", "length", "The position along the body"),
)


class GuideForm(DeclaredForm):
    """Edits one guide through the desk."""

    WHAT = "guide"
    SLOTS = {"c": "Curve", "D": "Drawing", "S": "Skin", "V": "Along", "P": "Plane", "R": "Axis or cylinder"}

    def __init__(self, desk: Desk, key: str) -> None:
        self.at = 0
        """Which of its points is shown."""
        super().__init__(desk, key)

    def records(self) -> tuple[Guide, ...]:
        """The design's guides."""
        return self.design.guides

    def edit(self, design: Design, **changes: object) -> Design:
        """The design with the guide changed."""
        return loft_edits.change_guide(design, self.key, **changes)

    def offers(self, letter: str) -> list[Offer]:
        """What a guide can be made from."""
        return guide_candidates(self.design, letter, self.desk.held, self.desk.quick)

    def letters(self) -> list[str]:
        """A run has as many curves as are joined."""
        guide = self._guide()
        return ["c"] * len(guide.on) if guide.recipe.on == "c*" else slots_of(guide.kind)

    def lost(self, ref: str) -> str:
        """A place on a profile is offered by no list, and is there all the same."""
        part = Ref(ref).part
        kept = part.startswith(("at:", "c:")) or "." in part
        return f"{ref} (on the profile)" if kept else super().lost(ref)

    def tip(self, field: Field) -> str:
        """What of a helix may change along it says so."""
        if self._guide().kind == "helix" and field.title in ("Pitch", "Radius"):
            return f"{field.title}; a formula with `fraction` (0 at its start, 1 at its end) makes it change along the helix"
        return field.title

    def wanted(self, field: Field) -> bool:
        """The numbers of a helix that its choices leave without effect are worked out, or not asked for."""
        guide = self._guide()
        if guide.kind != "helix":
            return True
        worked_out, _, shape, leads = guide.choices
        idle = {
            worked_out.capitalize(): True,
            "End radius": shape != "to the end radius",
            "Taper": shape != "by the taper",
            "Fade by": leads != "fading",
        }
        return not idle.get(field.title, False)

    def begin(self) -> None:
        """Whether the loft follows it."""
        self.tick("Rail: the loft follows it", lambda: bool(self._rail()), self._use)

    def middle(self) -> None:
        """More curves of a run; the points of what passes points."""
        guide = self._guide()
        if guide.recipe.on == "c*":
            self.button("Join another", self._join_another, "The next curve or edge of the run")
            if len(guide.on) > 1:
                self.button("Leave the last one out", self._leave_last)
        if guide.kind in ("through", "on-skin"):
            self._points(guide)

    def finish(self) -> None:
        """What is wrong, its figures, and what is made from it."""
        self.findings(lambda: {self.key, self._rail() or self.key})
        self.told(self._figures)
        self.told(
            lambda: (
                "Used by " + ", ".join(used)
                if (used := users(self.design, self.key))
                else "Nothing is made from it yet."
            ),
            soft=True,
        )

    def _guide(self) -> Guide:
        return edits.find(self.records(), self.key)

    def _rail(self) -> str:
        return next((r.id for r in self.desk.held.loft.rails if r.guide == self.key), "")

    def _use(self, on: bool) -> None:
        rail = self._rail()
        if on:
            self.do("use as a rail", lambda d: loft_edits.add_rail(d, self.desk.hand, self.key))
        elif rail:
            self.do("take the rail out", lambda d: loft_edits.remove_rail(d, rail))

    # Its points

    def _points(self, guide: Guide) -> None:
        in_space = guide.kind == "through"
        self.pick("Point", self._numbered, lambda: str(self._point()[0]), lambda k: self._go_to(int(k)))
        if in_space:
            self.pick(
                "At",
                lambda: point_candidates(self.design, self.desk.held),
                lambda: self._point()[1].on,
                lambda ref: self._set_point(on=ref),
                lost=self.lost,
            )
        for name, title, kind, tip in _IN_SPACE if in_space else _ON_SKIN:
            self._coordinate(name, title, kind, tip)
        if in_space:
            self.pick("Heads", self._headings, self._heading, self._head, lost=self.lost)
            self._coordinate("pull", "Pull", "length", "How long the handle is; nought for the usual length")
        self.button(
            "Another point after it", self._add_point, "Halfway to the next one; after the last one straight on"
        )
        self.button("Remove the point", self._remove_point)
        if in_space:
            self.button("Handles all as long as this one", self._equal_handles, "Each handle's pull made equal")

    def _coordinate(self, name: str, title: str, kind: Kind, tip: str) -> None:
        def edit(value: Value | None) -> Callable[[Design], Design]:
            at = self._point()[0]
            return lambda d: loft_edits.set_guide_point(d, self.key, at, **{name: given(value)})

        does = f"move a point of {self._guide().name}"
        self.number(name, title, kind, lambda: getattr(self._point()[1], name), edit, tip, does=does)

    def _point(self) -> tuple[int, GuidePoint]:
        """The point that is shown, and which it is; of those that are left, where there were more."""
        points = self._guide().points
        self.at = min(self.at, len(points) - 1)
        return self.at, points[self.at]

    def _numbered(self) -> list[Offer]:
        count = len(self._guide().points)
        return [(str(k), f"{k + 1} of {count}") for k in range(count)]

    def _go_to(self, at: int) -> None:
        self.at = at
        self.refresh()

    def _headings(self) -> list[Offer]:
        handle = [("handle", "By its handle")] if self._point()[1].handle is not None else []
        return [("", "Its own direction"), *self.offers("V")[1:], *handle]

    def _heading(self) -> str:
        point = self._point()[1]
        return "handle" if point.handle is not None else point.toward

    def _head(self, ref: str) -> None:
        if ref != "handle":
            self._set_point(toward=ref, handle=None)

    def _set_point(self, **changes: object) -> None:
        at = self._point()[0]
        self.do("move the point", lambda d: loft_edits.set_guide_point(d, self.key, at, **changes))
        self.refresh()

    def _add_point(self) -> None:
        guide, (at, here) = self._guide(), self._point()
        if guide.kind == "on-skin":
            near = here, guide.points[min(at + 1, len(guide.points) - 1)]
            x, z = (
                float(np.mean([v for p in near if isinstance(v := getattr(p, n), float)] or [0.0])) for n in ("x", "z")
            )
            fresh = GuidePoint(x=x, z=z)
        else:
            quick = self.desk.quick
            curve = quick.guides.get(guide.id) if quick is not None else None
            if curve is None:
                return
            bays = max(len(guide.points) - (0 if curve.closed else 1), 1)
            before, place = curve.at(np.array([1.0 - 0.5 / bays, min((at + 0.5) / bays, 1.0)]))
            if at >= bays:  # after the last of an open one it goes straight on
                place = 2.0 * place - before
            x, y, z = np.round(place, 3).tolist()
            fresh = GuidePoint(x=x, y=y, z=z)
        if not self.do("add a point", self.change(points=(*guide.points[: at + 1], fresh, *guide.points[at + 1 :]))):
            self._go_to(at + 1)

    def _remove_point(self) -> None:
        guide, (at, _) = self._guide(), self._point()
        points = guide.points[:at] + guide.points[at + 1 :]
        if len(points) < 2:
            self.desk.said.emit("note", "A curve needs two points or more.")
            return
        self.do("remove a point", self.change(points=points))
        self._go_to(max(at - 1, 0))

    def _equal_handles(self) -> None:
        pull = self._point()[1].pull
        points = tuple(edits.replace(p, pull=pull) for p in self._guide().points)
        self.do("make handles equal", self.change(points=points))

    # A run of curves

    def _join_another(self) -> None:
        on = self._guide().on
        free = [ref for ref, _ in self.offers("c") if ref != self.key and ref not in on]
        if free:
            self.do("join another", self.change(on=(*on, free[0])))

    def _leave_last(self) -> None:
        self.do("leave one out", self.change(on=self._guide().on[:-1]))

    def _figures(self) -> str:
        quick, guide = self.desk.quick, self._guide()
        curve = quick.guides.get(guide.id) if quick is not None else None
        if quick is None or curve is None:
            return ""
        unit, scale = quick.design.unit, to_unit(1.0, quick.design.unit)
        length = curve.length
        bend = np.linalg.norm(space.curvature(curve, np.linspace(0.002, 0.998, 201)), axis=1)
        tight = 1.0 / bend.max() if bend.max() > FLAT / length else np.inf
        lines = [f"Length {display(length * scale, 3)} {unit}{', closed' if curve.closed else ''}"]
        lines.append("Straight" if np.isinf(tight) else f"Tightest radius {display(float(tight) * scale, 3)} {unit}")
        if guide.kind == "joined":
            for k, join in enumerate(joined_run(ground_of(quick), guide)[1]):
                lines.append(
                    f"Join {k + 1}: gap {join.gap * scale:.3g} {unit}, kink {np.degrees(join.kink):.3g}°, "
                    f"curvature step {join.step / scale:.3g} /{unit}"
                )
        return "\n".join(lines)
