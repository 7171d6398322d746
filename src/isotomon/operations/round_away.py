"""Narrow faces rounded away."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from isotomon.errors import FieldError
from isotomon.field.parallel import RoundedCorner, WorkedSkin
from isotomon.field.rolling import radii_over
from isotomon.operations.base import SKIN, Ask, Asked, Operation
from isotomon.operations.edges import FULL
from isotomon.operations.faces import Faces, face_choices
from isotomon.quantity.record import Id

PLACES = 33
"""Places along the body at which the ball is worked out."""


END = {"first": 0, "last": 1}


class RoundAway(Operation, frozen=True, tag="round-away"):
    """Narrow faces, such as the rim of a wall, the edge of a plate, a blunt trailing edge or the end of a blade, rounded from side to side
    by the ball that touches them and the faces at both their sides."""

    TITLE = "Faces rounded away"
    COMMAND = "Round faces away"
    HELP = "The narrow face between two others, a wall's rim, a blunt trailing edge or a blade's end, becomes one round from side to side"
    FAMILY = "Faces"
    PLACE = 5
    STAGE = "Finish"
    ON_SKIN = True

    faces: Faces = ()

    def asks(self, ask: Ask, called: Callable[[str], str]) -> Asked:
        """Faces along a body as it is shaped, and its ends, are rounded away on its skin, others by the kernel. Raises: DesignError."""
        faces = face_choices(self.faces, ask.body)
        worked = self._along(ask) or self._ends(ask)
        if worked is not None:
            return Asked(SKIN, "faces rounded away of", outer=worked)
        return Asked("round_away", "faces rounded away of", (), {"faces": faces})

    def keeps_skin(self, body: Id) -> bool:
        """Faces along the body are rounded away on its skin."""
        lanes = [ref.part.partition(":")[2] for ref in self.faces if ref.thing == body]
        return len(lanes) == len(self.faces) and all(lane and not lane.startswith(FULL) for lane in lanes)

    def _along(self, ask: Ask) -> WorkedSkin | None:
        """The body's skin without faces that run along it; None where others are meant, or there is no such ball."""
        if ask.between_ends is None or not self.keeps_skin(ask.body):
            return None
        offsets, rounds = ask.between_ends.base, {corner.lane: corner for corner in ask.between_ends.rounds}
        common, numbers = offsets.field.common, {name: k for k, name in enumerate(offsets.field.names.lanes)}
        try:
            for ref in self.faces:
                over = numbers.get(ref.part.partition(":")[2], -1)
                after = common.beside(over)[1] if over >= 0 else None
                if after is None or {over, after} & set(rounds):
                    return None
                rounds[after] = RoundedCorner(after, radii_over(offsets, over, PLACES), over)
            made = replace(ask.between_ends, rounds=tuple(rounds[lane] for lane in sorted(rounds)))
            return made if made.sides else None
        except FieldError:
            return None

    def _ends(self, ask: Ask) -> WorkedSkin | None:
        """The body's skin with rounds in place of ends; None where other faces are meant, too, or no ball rolls there."""
        ends = [END.get(str(ref).removeprefix(f"{ask.body}/")) for ref in self.faces]
        if ask.skin is None or ask.skin.rounds or None in ends:
            return None
        try:
            away = ask.skin.away[0] or 0 in ends, ask.skin.away[1] or 1 in ends
            made = replace(ask.skin, away=away, fineness="rough")
            return (
                replace(made, fineness=ask.skin.fineness) if all(end.depth > 0.0 for end in made.end_rounds) else None
            )
        except FieldError:
            return None
