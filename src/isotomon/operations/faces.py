"""Which faces of a body something is done with, by their lasting names."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from isotomon.errors import DesignError
from isotomon.operations.base import Says
from isotomon.operations.edges import ENDS, FULL
from isotomon.quantity.record import Id, Ref

Faces = Annotated[tuple[Ref, ...], Says("Faces", "faces")]
"""Of bodies, by their ids: `b1/face:NAME`, `b1/first` and `b1/last` for its ends, `b2/faces` all that another body has left on it."""


def face_choices(faces: Sequence[Ref], own: Id) -> str:
    """What is asked of the kernel for a choice of faces, a line each; `own`: the body whose step it is.

    Raises: DesignError, for no faces, and for what is no face.
    """
    if not faces:
        raise DesignError("no faces are chosen; choose some in the View")
    return "\n".join(_choice(ref, own) for ref in faces)


def _choice(ref: Ref, own: Id) -> str:
    kind, _, rest = ref.part.partition(":")
    mark = "" if ref.thing == own else f"{ref.thing}: "
    if kind in ENDS and not rest:
        return f"face {mark}{kind} cap"
    if kind == "faces" and mark:
        return f"all {mark}"
    if kind == "face" and rest:
        return f"face {mark}{rest if rest.startswith(FULL) else f'lane {rest}'}"
    raise DesignError(f"'{ref}' is no face; choose others")
