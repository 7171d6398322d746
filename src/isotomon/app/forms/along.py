"""How far a body goes on past its stations, and what changes along it: turn, sizes, offsets, draft, kept area."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from isotomon.app.forms.form import Form, Offer, given
from isotomon.app.forms.wiring import MakeEdit
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates, faces
from isotomon.design.bodies import change_loft
from isotomon.design.body import ALIKE, Along, Loft, Span, Wall
from isotomon.design.loft_edits import change_along, change_side, change_span
from isotomon.design.records import Design
from isotomon.quantity import Kind, Value

ALONG: tuple[tuple[str, str, Kind, str], ...] = (
    (
        "turn",
        "Turn",
        "angle",
        "In all, from the first end to the last; a formula in fraction or position is its course",
    ),
    ("turn_over", "Over every", "length", "The turn is for every such length; nought: for the whole body"),
    ("width", "Width", "ratio", "Times as wide at the last end; a formula in fraction or position is its course"),
    ("height", "Height", "ratio", "Times as high at the last end; a formula in fraction or position is its course"),
    ("offset_x", "Across", "length", "How far the section is moved across at the last end, or by a formula on the way"),
    ("offset_y", "Up", "length", "How far the section is moved up at the last end, or by a formula on the way"),
    ("draft", "Draft", "angle", "How far the skin leans outward from the way the body goes"),
)
SIDES = {"inside": "inside the profile", "middle": "about the profile", "outside": "outside the profile"}
REACH: tuple[tuple[str, str, str], ...] = (
    ("on", "On by", "How far the body goes on past its last station"),
    ("back", "Back by", "How far the body goes back before its first station"),
)


class AlongForm(Form):
    """Edits reach and laws along the body through the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._opened = False
        self._reach()
        self._laws()
        self._wall()
        self.refresh()

    @property
    def loft(self) -> Loft:
        """How the body in hand is shaped."""
        return self.desk.held.loft

    @property
    def span(self) -> Span:
        """How far it goes."""
        return self.loft.span or Span()

    # How far it goes

    def _goes(self) -> bool:
        return self.loft.span is not None or len(self.desk.held.stations) == 1

    def _reach(self) -> None:
        desk = self.desk
        whole = self.tick(
            "Whole way",
            lambda: self.span.whole,
            lambda on: self.do("go the whole way", partial(change_span, key=desk.hand, whole=on)),
            shown=lambda: self.loft.carrier.how in ("path", "axis") or (self._goes() and bool(desk.others)),
        )
        words = {"axis": "Once round", "path": "The whole path"}
        self._refreshers.append(lambda: whole.setText(words.get(self.loft.carrier.how, "Through all bodies")))
        for name, title, tip in REACH:
            self._reach_one_way(name, title, tip)
        self.tick(
            "Round ends",
            lambda: self.span.ends == "round",
            lambda on: self.do(
                "round the ends off", partial(change_span, key=desk.hand, ends="round" if on else "flat")
            ),
            tip="Round ends are added beyond the ends of the body, half as far as its sections are wide",
            shown=lambda: self._goes() and not (self.span.whole and self.loft.carrier.how == "axis"),
        )

    def _reach_one_way(self, name: str, title: str, tip: str) -> None:
        def edit(value: Value | None) -> Callable[[Design], Design]:
            return lambda d: change_span(d, self.desk.hand, **{name: given(value)})

        to = f"{name}_to"
        self.number(
            name,
            title,
            "angle" if self.loft.carrier.how == "axis" else "length",
            lambda: getattr(self.span, name),
            edit,
            tip,
            shown=lambda: self._goes() and not self.span.whole and not getattr(self.span, to),
        )
        self.pick(
            "up to",
            self._ends,
            lambda: getattr(self.span, to),
            lambda ref: self.do("go up to something", lambda d: change_span(d, self.desk.hand, **{to: ref})),
            shown=lambda: self._goes() and not self.span.whole,
        )

    def _ends(self) -> list[Offer]:
        there = candidates(self.design, "P") + candidates(self.design, "p")
        there += [(p.id, p.name) for p in self.desk.others] + faces(self.desk.quick, others=True)
        return [("", "a distance"), *there]

    # What changes along it

    def _laws(self) -> None:
        self.more = self.button(
            "Turn, sizes and draft along it…",
            self._open,
            "Laws along the body: turn, width, height, offsets, draft, kept area",
            shown=lambda: not self._has_laws(),
        )
        for name, title, kind, tip in ALONG:
            self.number(name, title, kind, partial(self._law, name), self._law_edit(name), tip, shown=self._has_laws)
        self.tick(
            "Keep the area",
            lambda: self.loft.along.keep_area,
            lambda on: self.do("keep the area along the body", partial(change_along, key=self.desk.hand, keep_area=on)),
            tip="Sections are sized so that their area stays what it is at the first end",
            shown=self._has_laws,
        )

    def _has_laws(self) -> bool:
        return self._opened or self.loft.along != ALIKE

    def _law(self, name: str) -> Value:
        value: Value = getattr(self.loft.along, name)
        return value

    def _law_edit(self, name: str) -> MakeEdit:
        usual = getattr(Along(), name)
        return lambda value: lambda d: change_along(d, self.desk.hand, **{name: usual if value is None else value})

    def _open(self) -> None:
        self._opened = True
        self.refresh()

    # A wall along the profiles

    def _wall(self) -> None:
        desk = self.desk
        self.number(
            "wall",
            "Wall",
            "length",
            lambda: self.loft.wall.thickness if self.loft.wall is not None else None,
            self._wall_edit,
            "How thick a wall along the profile is; blank: the body is not a wall",
            blank="none",
            shown=lambda: self._goes() or self.loft.wall is not None or self._open_profiles(),
        )
        self.pick(
            "It is",
            SIDES,
            lambda: self.loft.wall.side if self.loft.wall is not None else "inside",
            lambda side: self.do("the wall's side", partial(change_side, key=desk.hand, side=side)),
            shown=lambda: self.loft.wall is not None,
            name="Wall is",
        )
        self.tick(
            "Shut open profiles",
            lambda: self.loft.shut,
            lambda on: self.do("shut open profiles", partial(change_loft, key=desk.hand, shut=on)),
            tip="Open profiles are closed by a straight line from their end to their start",
            shown=lambda: self.loft.shut or (self._open_profiles() and self.loft.wall is None),
        )

    def _open_profiles(self) -> bool:
        quick = self.desk.quick
        return quick is not None and quick.shape is not None and quick.shape.open

    def _wall_edit(self, value: Value | None) -> partial[Design]:
        wall = self.loft.wall
        made = None if value is None else Wall(value, wall.side if wall is not None else "inside")
        return partial(change_loft, key=self.desk.hand, wall=made)
