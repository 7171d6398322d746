"""The desk: the session under work, its newest results, and what is chosen. Widgets ask it and listen to it."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from isotomon.app.state.engine import Engine
from isotomon.author.session import Edit, Session
from isotomon.design.bodies import body_ids, leading, made_by, owner_of, things_of
from isotomon.design.body import Body
from isotomon.design.datums import BASE_SHOWN
from isotomon.design.records import Design
from isotomon.design.resolved import own_position
from isotomon.errors import IsotomonError
from isotomon.evaluate.ground import Ground
from isotomon.inspect.looks import ground_of
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, Failed
from isotomon.measure.laws import Finding
from isotomon.metrology.compare import AsMade
from isotomon.quantity.record import Ref

MOST_HANDS = 50
CHECKS = "checks"
"""The id under which the checks of shape are chosen, so that Details shows them."""


class Desk(QObject):
    """Every change of the design by hand goes through `do`, or through a preview that ends in it."""

    design_changed = Signal()
    quick_changed = Signal(object)
    selection_changed = Signal()
    solid_changed = Signal()
    progressed = Signal()
    """something long is under way, has come further, or is done"""
    busy_changed = Signal()
    """it begins or is done"""
    session_changed = Signal()
    said = Signal(str, str)
    """severity ('', 'note', 'band', 'error') and a sentence for the foot of the window"""

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self.engine = engine
        self.session: Session | None = None
        self.quick: Quick | None = None
        self.made: AsMade | None = None
        """A part of the design as it was made, as it was held against it last."""
        self.selection: tuple[str, ...] = ()
        self.hand = ""
        """The body in hand: what the Board, the Ledger and the forms are of."""
        self._hands: list[str] = []
        """Those that were in hand before, the newest last."""
        self._known: Design | None = None
        """The design that was last told of."""
        self.solid: Built | Failed | None = None
        self.solid_key = ""
        self.building = False
        self._progress = ("", 0.0)
        self.finding: Finding | None = None
        self._preview: tuple[str, Edit] | None = None
        engine.quick_done.connect(self._take_quick)
        engine.solid_started.connect(self._solid_began)
        engine.solid_done.connect(self._take_solid)
        engine.progress.connect(self._take_progress)
        engine.trouble.connect(lambda text: self.said.emit("error", text))

    @property
    def design(self) -> Design | None:
        """The design as it is shown: with what is dragged, while something is."""
        return self.session.design if self.session is not None else None

    @property
    def body(self) -> Body | None:
        """The body in hand."""
        return self.design.body(self.hand) if self.design is not None else None

    @property
    def held(self) -> Body:
        """The body in hand, where there is a design."""
        assert self.body is not None
        return self.body

    @property
    def others(self) -> tuple[Body, ...]:
        """The bodies that are not in hand."""
        return tuple(b for b in self.design.bodies if b.id != self.hand) if self.design is not None else ()

    @property
    def removable(self) -> bool:
        """Whether something that can be removed is chosen."""
        if self.design is None:
            return False
        kept = {CHECKS, *BASE_SHOWN, *(() if self.others else (self.hand,))}
        return any(key not in kept for key in self.selection)

    def open(self, session: Session) -> None:
        """Work on another session."""
        if self.session is not None:
            self.session.listeners.remove(self._session_told)
        self.session = session
        session.listeners.append(self._session_told)
        self.selection, self._preview, self.quick = (), None, None
        self.solid, self.solid_key = None, ""
        self.hand, self._hands, self._known = leading(session.design), [], session.design
        self.session_changed.emit()
        self.design_changed.emit()
        self.selection_changed.emit()
        self.engine.show(session.design, self.hand, opening=True)

    def _session_told(self) -> None:
        assert self.session is not None
        self._preview = None  # what was shown of a drag is of another design now
        self._keep_hand(self.session.design)
        known = self.known_ids()
        there = [key for key in self.selection if Ref(key).thing in known]  # parts of a body stay with it
        if len(there) < len(self.selection):
            self.select(tuple(there))
        self.design_changed.emit()
        self.engine.show(self.session.design, self.hand)

    def _keep_hand(self, design: Design) -> None:
        """What was made is in hand; when the body in hand is gone, the one before it."""
        made = made_by(self._known, design) if self._known is not None else ""
        self._known = design
        there = body_ids(design)
        self._hands = [key for key in self._hands if key in there]
        if made and made != self.hand:
            self._hold(made)
        elif self.hand not in there:
            self.hand = self._hands.pop() if self._hands else leading(design)

    def _hold(self, body: str) -> None:
        self._hands = [*self._hands, self.hand][-MOST_HANDS:]
        self.hand = body

    def select_more(self, key: str) -> None:
        """One thing more is chosen, or no more; an edge or face is named."""
        part = "/" in key
        if part and self.design is not None:  # a part is meant now, no body as a whole
            whole = body_ids(self.design)
            self.select(tuple(k for k in self.selection if k not in whole))
        self.select((key,), add=True)
        ground = self.ground()
        if part and key in self.selection and ground is not None:
            called = ground.called(key)
            self.said.emit(
                "note", f"Chosen: {called}. Now take a tool, such as an axis, a plane, a guide or a measure."
            )

    def known_ids(self) -> set[str]:
        """Ids of all that can be chosen."""
        design = self.design
        if design is None:
            return set()
        groups = (
            design.numbers,
            design.drawings,
            design.datums,
            design.guides,
            design.gauges,
        )
        return {entry.id for group in groups for entry in group} | {
            *(thing.id for body in design.bodies for thing in things_of(body)),
            *BASE_SHOWN,
            CHECKS,
        }

    # Changing

    def do(self, title: str, edit: Edit) -> str:
        """Make a change one step of the history. Returns what is wrong with it, or nothing."""
        if self.session is None:
            return "there is no design yet"
        self._preview = None
        try:
            self.session.apply(title, edit)
        except IsotomonError as error:
            self.said.emit("error", f"{title}: {error}. Nothing was changed.")
            self.engine.show(self.session.design, self.hand)
            return str(error)
        self.said.emit("", "")
        return ""

    def preview(self, title: str, edit: Edit) -> str:
        """Show a change without making it, as in a drag. Returns what is wrong with it, or nothing."""
        if self.session is None:
            return "there is no design yet"
        try:
            design = self.session.try_edit(edit)
        except IsotomonError as error:
            return str(error)
        self._preview = (title, edit)
        self.engine.show(design, self.hand, moving=True)
        return ""

    @property
    def moving(self) -> bool:
        """Whether a change is shown that is not made yet."""
        return self._preview is not None

    def finish_preview(self) -> str:
        """Make the change that was shown last."""
        if self._preview is None:
            return ""
        title, edit = self._preview
        return self.do(title, edit)

    def give_up_preview(self) -> None:
        """Go back to the design as it is."""
        self._preview = None
        if self.session is not None:
            self.engine.show(self.session.design, self.hand)

    def undo(self) -> None:
        """Take the last step back."""
        if self.session is not None:
            self.session.undo()

    def redo(self) -> None:
        """Do it again."""
        if self.session is not None:
            self.session.redo()

    # Choosing

    def select(self, ids: tuple[str, ...], add: bool = False) -> None:
        """Choose things by id; `add` turns each over in what is chosen already."""
        if add:
            kept = [key for key in self.selection if key not in ids]
            ids = tuple(kept + [key for key in ids if key not in self.selection])
        ids = tuple(key for key in dict.fromkeys(ids) if key)
        if self.session is not None and self.design is not None and len(ids) == 1:
            self.take_up(owner_of(self.design, ids[0]))
        if ids != self.selection:
            self.selection = ids
            self.selection_changed.emit()

    def take_up(self, body: str) -> None:
        """Take another body in hand (empty: none). Nothing of the design is changed by it."""
        if self.session is None or body in ("", self.hand):
            return
        self._hold(body)
        self.selection = ()
        self.design_changed.emit()
        self.engine.show(self.session.design, self.hand)

    @property
    def finished(self) -> dict[str, Built]:
        """Finished bodies as last built, by the ids of the bodies of their own."""
        return self.engine.finished

    def selected_stations(self) -> tuple[str, ...]:
        """Ids of the chosen stations."""
        known = {s.id for s in self.body.stations} if self.body is not None else set()
        return tuple(key for key in self.selection if key in known)

    # Results

    def ground(self) -> Ground | None:
        """What references are looked up on, as shown now."""
        return ground_of(self.quick) if self.quick is not None else None

    def own_position(self, position: float) -> float:
        """What a station says for a position in mm: an angle, where the body is turned about an axis."""
        radius = self.quick.resolved.radius if self.quick is not None else 0.0
        return round(own_position(radius, position), 6) if radius else position

    def _take_quick(self, quick: Quick) -> None:
        if self.session is None:
            return
        moving = self.moving
        if not moving and quick.design is not self.session.design and quick.design != self.session.design:
            return
        if quick.body.id != self.hand:
            return
        if moving and quick.shape is None:
            return  # a drag goes on where there is a body
        self.quick = quick
        self.quick_changed.emit(quick)

    @property
    def under_way(self) -> tuple[str, float]:
        """What is being worked out, empty when nothing is, and the share that is done."""
        if self._progress[0]:
            return self._progress
        return ("The solid is being built" if self.building else ""), 0.0

    def _take_progress(self, title: str, share: float) -> None:
        turned = bool(title) != bool(self._progress[0])
        self._progress = (title, share)
        self.progressed.emit()
        if turned:
            self.busy_changed.emit()

    def _solid_began(self, key: str) -> None:
        self.building = True
        self.solid_changed.emit()

    def _take_solid(self, key: str, outcome: Built | Failed) -> None:
        shape = self.quick.shape if self.quick is not None else None
        if isinstance(outcome, Failed) and outcome.kind == "cancelled" and shape is not None and shape.key != key:
            return
        self.building = False
        self.solid, self.solid_key = outcome, key
        self.solid_changed.emit()

    def rebuild_solid(self) -> None:
        """Ask for the solid again, after a cancel or a crash."""
        if self.session is not None:
            self.engine.show(self.session.design, self.hand)
