"""Bodies that are what another one's cut leaves away, or faces of another, and what bodies are that are finished from the first."""

from __future__ import annotations

from collections.abc import Sequence

from isotomon.design.bodies import add_body, add_step, change_body, name_of
from isotomon.design.body import Body, Piece, Taken
from isotomon.design.records import Design
from isotomon.operations import Step
from isotomon.operations.faces import face_choices
from isotomon.profile.draw_edits import next_name
from isotomon.quantity.record import Ref, refs


def origin_of(design: Design, body: Body) -> str:
    """What a body is that is finished from the first, in words."""
    if isinstance(body.shaped, Piece):
        owner = next((b.name for b in design.bodies if b.id == body.shaped.owner), "what is gone")
        return f"the other piece of {owner}, which one of its steps has cut"
    if isinstance(body.shaped, Taken):
        count = len(body.shaped.faces)
        return f"{count} face{'s' if count > 1 else ''} taken off {name_of(design, body.shaped.of)}"
    if body.making is not None:
        return f"made as a {body.making.TITLE.lower()}"
    return f"brought in from {next((i.name for i in design.imports if i.id == body.file), 'what is gone')}"


def cut_in_two(design: Design, key: str, cut: Step) -> Design:
    """The design with a body cut by one more step, and what that leaves away as a body of its own at the end."""
    made = add_step(design, key, cut)
    name = next_name({b.name for b in design.bodies}, f"{name_of(design, key)} piece")
    made = add_body(made, name, ())
    return change_body(made, made.bodies[-1].id, shaped=Piece(Ref(f"{key}/cut:{made.body(key).steps[-1].id}")))


def faces_taken(design: Design, key: str, faces: Sequence[str]) -> Design:
    """The design with a skin more, at the end, that is some faces of a body as its last step leaves it.

    Raises: DesignError.
    """
    chosen = refs(*faces)
    face_choices(chosen, key)
    name = next_name({b.name for b in design.bodies}, f"{name_of(design, key)} faces")
    made = add_body(design, name, ())
    return change_body(made, made.bodies[-1].id, shaped=Taken(Ref(key), chosen))
