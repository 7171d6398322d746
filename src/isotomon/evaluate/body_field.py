"""A body's field, from its numbers, rails and ties, with what is wrong with it."""

from __future__ import annotations

from dataclasses import dataclass

from isotomon.arrays import Array
from isotomon.design.bodies import change_loft
from isotomon.design.body import Body, Loft, Piece
from isotomon.design.edits import replace
from isotomon.design.resolved import Resolved
from isotomon.errors import CornerError, FieldError, IsotomonError
from isotomon.evaluate.body_ends import endings
from isotomon.evaluate.carrying import leaning
from isotomon.evaluate.rails import Laid, lay_rails, lay_ties, lost_corners, miss_findings, together
from isotomon.evaluate.shape import CommonForm, make_shape
from isotomon.evaluate.sources import Sources
from isotomon.field.section_field import SectionField
from isotomon.measure.laws import Finding, Mend


@dataclass(frozen=True, eq=False)
class ShapedBody:
    """A field, the form of its profiles, (stations, ties) the shares at which ties lie, and the rails it follows."""

    field: SectionField
    form: CommonForm
    shares: Array
    groups: list[list[Laid]]


@dataclass(frozen=True, eq=False)
class Shaped:
    """A body as it is shaped, where it can be; and what is wrong with it, its rails and ties."""

    made: ShapedBody | None
    findings: tuple[Finding, ...] = ()


def shape_body(ground: Sources) -> Shaped:
    """The body shaped, if it has a field and one can be made."""
    body, resolved = ground.body, ground.resolved
    if isinstance(body.shaped, Piece) and body.shaped.step not in _steps_of(ground, body.shaped.cut.thing):
        text = "the cut whose other piece it is, is gone; take this body out, or undo"
        return Shaped(None, (Finding("error", body.name, text, about=body.id),))
    if resolved is None or not isinstance(body.shaped, Loft):  # the worker has it, or it is a skin made from curves
        return Shaped(None)
    if not (resolved.stations or body.loft.rails):
        text = "there is no body yet, and no station, of which it needs two, or one and how it goes on: it has none"
        return Shaped(None, (Finding("note", body.name, text, about=body.id),))
    findings: list[Finding] = []
    try:
        made = _made(ground, resolved, findings)
    except IsotomonError as error:
        return Shaped(None, (*findings, body_finding(body, error)))
    return Shaped(made, tuple(findings))


def _made(ground: Sources, resolved: Resolved, findings: list[Finding]) -> ShapedBody:
    """Raises: IsotomonError."""
    design, body, drawings = ground.design, ground.body, ground.drawings
    carrier, ends = leaning(ground, resolved) or ground.carrier(), endings(ground, resolved)
    rim = ground.curve(body.loft.carrier.rim) if body.loft.carrier.rim else None
    laid, found = lay_rails(design, ground)
    groups, near = together(laid)
    ties = lay_ties(design, ground)
    findings += [*found, *near, *lost_corners(design, ground)]
    try:
        field, form, shares = make_shape(design, resolved, drawings, groups, ties, carrier, ends, rim)
    except FieldError as error:
        if not groups and not ties:
            raise
        text = f"{error}. The body is shown without its rails and ties"
        findings.append(Finding("error", body.name, text, about=body.id))
        groups = []
        field, form, shares = make_shape(design, resolved, drawings, carrier=carrier, endings=ends, rim=rim)
    findings += miss_findings(design, body, [one for group in groups for one in group])
    return ShapedBody(field, form, shares, groups)


def body_finding(body: Body, error: IsotomonError) -> Finding:
    """Why a body cannot be made, where, and what would do."""
    mends: tuple[Mend, ...] = ()
    if isinstance(error, CornerError) and body.loft.carrier.how == "path":
        mends = (_corners(body, "Round the corners", "rounded"), _corners(body, "Mitre the corners", "mitred"))
    return Finding("error", body.name, str(error), place=error.place, about=body.id, mends=mends)


def _corners(body: Body, title: str, how: str) -> Mend:
    return Mend(title, lambda d: change_loft(d, body.id, carrier=replace(d.body(body.id).loft.carrier, corners=how)))


def _steps_of(ground: Sources, key: str) -> set[str]:
    """The ids of a body's steps; none of one that is not there."""
    return {step.id for body in ground.design.bodies if body.id == key for step in body.steps}
