"""The quick rebuild: a design to arrays (mesh, curves, checks) without the kernel."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache, partial

import numpy as np

from isotomon.arrays import Array
from isotomon.design.bodies import leading
from isotomon.design.body import Body
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved
from isotomon.errors import FoldError, IsotomonError, text_beside
from isotomon.evaluate.body_ends import endings, reached
from isotomon.evaluate.body_field import ShapedBody, body_finding
from isotomon.evaluate.datums import work_out
from isotomon.evaluate.drawn import Drawings
from isotomon.evaluate.ground import Ground, Worked
from isotomon.evaluate.rails import Laid
from isotomon.evaluate.settle import all_drawings
from isotomon.evaluate.shape import CommonForm, make_shape, shape_key
from isotomon.evaluate.sheets import SheetShape
from isotomon.evaluate.sources import Thing
from isotomon.evaluate.stages import Stage, on_field, placed_by, stages, worked_by
from isotomon.evaluate.unchanged import stands_as_before
from isotomon.field.ends import Ending
from isotomon.field.mesh import skin_mesh
from isotomon.field.parallel import WorkedSkin, skin_of
from isotomon.field.section_field import SectionField
from isotomon.field.seen import WorkedGrids, can_be_seen, largest_share
from isotomon.geometry.datums import SpaceCurve
from isotomon.inspect.gauges import read_gauges, wrong_readings
from isotomon.inspect.judging import (
    bulge_findings,
    drawing_findings,
    flaw_findings,
    hole_findings,
    judge_laws,
    turn_findings,
)
from isotomon.inspect.path_checks import laid_over, path_findings
from isotomon.inspect.results import Full, Quick, Shape
from isotomon.inspect.sizes import use_size
from isotomon.inspect.skin_figures import skin_figures
from isotomon.measure.body import body_measures
from isotomon.measure.laws import Finding
from isotomon.measure.sections import curves, extents, leans, moments
from isotomon.operations.base import Asked, Operation
from isotomon.quantity import show

MOVING, AT_REST = 101, 201
ROUGHER = 100.0
"""So many times the design's tolerance does for a skin that is worked on while something moves."""
PLACES_A_TURN, MOST_PLACES = (60, 36), 2401
"""Of a body that goes round: at rest, and while something moves."""


def rebuild(design: Design, hand: str = "", moving: bool = False, before: Quick | None = None) -> Quick:
    """The quick results of a design for the body in `hand` (the leading one where none is said), with those of the others;
    fewer of them, on fewer places, while something is `moving`. Of the design `before` an edit, what the edit does not touch is taken over.

    Raises: IsotomonError, when the design's numbers cannot be worked out (nothing that the session lets in).
    """
    body = design.body(hand or leading(design))
    worked = before.worked.after(design) if before is not None else Worked(design)
    quick = _one(worked.ground(body.id), moving)
    if len(design.bodies) == 1:
        return _gauged(quick, moving)
    others = tuple(_beside(worked, other, moving, before) for other in design.bodies if other.id != body.id)
    told = tuple(replace(f, where=f"{q.body.name}: {f.where}") for q in others for f in q.own_findings)
    twice = _named_twice(design)
    return _gauged(replace(quick, others=others, findings=(*quick.findings, *told, *twice)), moving)


def _named_twice(design: Design) -> list[Finding]:
    """A note for each name that several bodies have."""
    count = Counter(b.name for b in design.bodies)
    about = {b.name: b.id for b in design.bodies}
    text = "bodies are called so; give each a name of its own, so that files and checks tell them apart"
    return [Finding("note", name, f"{n} {text}", about=about[name]) for name, n in count.items() if n > 1]


def _gauged(quick: Quick, moving: bool) -> Quick:
    """The same with what its measures read, and a finding for each that cannot be taken."""
    if moving or not quick.design.gauges:
        return quick
    readings = read_gauges(quick.worked.ground(quick.body.id), quick)
    wrong = wrong_readings(quick.design, readings)
    return replace(quick, readings=readings, findings=(*quick.findings, *wrong))


def _beside(worked: Worked, body: Body, moving: bool, before: Quick | None) -> Quick:
    """The results of a body that is not in hand; as they were `before`, where nothing that bears on them has changed."""
    known = (before, *before.others) if before is not None else ()
    was = next((q for q in known if q.body is body and not q.moving), None)
    if before and was and stands_as_before(body, worked.same, worked.things | before.worked.things):
        return replace(was, others=()) if was.others else was  # it was in hand: no chain of all that ever was
    return _one(worked.ground(body.id), moving)


def _one(ground: Ground, moving: bool) -> Quick:
    """The results of a body."""
    design, body = ground.design, ground.body
    resolved, drawings, missing = ground.ended().resolved, all_drawings(ground), _missing(ground)
    drawn = drawing_findings(drawings)
    made, loft, left = _after_shaping(ground, body.done)
    shape, groups = None, made.groups if made is not None else []
    try:
        shape = _laid_out(design, body, made, MOVING if moving else AT_REST) if made is not None else None
    except IsotomonError as error:
        loft.append(body_finding(body, error))
    loft = [*missing, *(f for f in loft if all(f.text != m.text for m in missing))]
    datums, lost = _datums(design, ground)
    guides, unmade = _guides(design, ground)
    wanted = shape is not None and any(step.ON_SKIN for step in left)
    within = design.tolerance * (ROUGHER if moving else 1.0)
    skin = skin_of(shape.field, within, shape.key) if shape is not None and wanted else None
    sheet, left, torn = _sheet(ground, left, moving)
    put, misplaced = _put(ground, left, skin, sheet)
    misplaced = [] if torn and sheet is None else misplaced  # they could only say that there is no skin
    if shape is not None and not moving:
        worked = any(isinstance(stage, Asked) for stage in put)  # then it is not what lies over itself as it is shaped
        over = None if worked else laid_over(body, shape.mesh, placed_by(put))
        misplaced += [*path_findings(ground, shape.field), *([over] if over is not None else [])]
    grids, unworked = _grids(design, body, put, skin, moving)
    lost += [*unmade, *loft, *torn, *misplaced, *unworked]
    so_far = partial(
        Quick, design, body, ground.worked, resolved, drawings, datums, guides, stages=put, grids=grids, sheet=sheet
    )
    if shape is None:
        figures = skin_figures(ground, sheet) if sheet is not None and not moving else None
        return so_far(shape=None, full=None, judged=(), findings=(*drawn, *lost), figures=figures)
    judged, findings = judge_laws(resolved, shape)
    ends = endings(ground, resolved)
    full = None if moving else _full(shape, ends)
    flaws: list[Finding] = []
    if full is not None:
        flaws = [*hole_findings(design, resolved, drawings, shape), *flaw_findings(body, shape, full)]
        flaws = flaws or bulge_findings(body, shape)
    turn = _unintended(design, resolved, drawings, shape, groups, ends)
    flaws = [*flaws, *turn_findings(body, shape, turn, judged)]
    found = (*drawn, *lost, *flaws, *findings)
    return so_far(shape=shape, full=full, judged=judged, findings=found, unintended=turn)


def _sheet(
    ground: Ground, steps: Sequence[Operation], moving: bool
) -> tuple[SheetShape | None, Sequence[Operation], list[Finding]]:
    """A body that is made as a skin from curves, if it is such a one, with what the first of its `steps` make of it; the steps that are left to
    be done; or a finding that says why it cannot be."""
    if ground.body.making is None:
        return None, steps, []
    try:
        made, done = ground.grown()
        return SheetShape(made, moving), steps[done:], []
    except IsotomonError as error:
        return None, steps, [body_finding(ground.body, error)]


def _full(shape: Shape, ends: tuple[Ending | None, Ending | None]) -> Full:
    """What is worked out only at rest."""
    rims = shape.field.sections(shape.field.nodes[[0, -1]])
    return Full(
        moments(shape.sections, shape.form.rule),
        extents(shape.field.sections(shape.field.nodes), shape.form.common),
        body_measures(shape.field, shape.form.rule),
        leans(rims, shape.form.common),
        reached(shape.field, ends),
    )


def _put(
    ground: Ground, steps: Sequence[Operation], skin: WorkedSkin | None, sheet: SheetShape | None
) -> tuple[tuple[Stage, ...], list[Finding]]:
    """What is done with the body once it is shaped, or nothing, with a finding that says why not."""
    try:
        return stages(ground, steps, skin, sheet.whole if sheet is not None else None), []
    except IsotomonError as error:
        return (), [body_finding(ground.body, error)]


def _grids(
    design: Design, body: Body, put: Sequence[Stage], skin: WorkedSkin | None, moving: bool
) -> tuple[WorkedGrids | None, list[Finding]]:
    """The body's skin as its steps work on it, to be looked at, or nothing, with a finding that says why not."""
    try:
        return worked_by(put, skin, moving), []
    except FoldError as error:
        return None, [] if moving else [_too_thick(design, body, put, error)]
    except IsotomonError as error:
        return None, [] if moving else [_too_large(design, body, put, body_finding(body, error))]


def _too_thick(design: Design, body: Body, put: Sequence[Stage], error: FoldError) -> Finding:
    """What is wrong with a skin that is to be too thick, with the thickness that would do."""
    key = next(stage.step for stage in put if isinstance(stage, Asked) and stage.walls is not None)
    step = next(step for step in body.steps if step.id == key)
    return _with_size(design, step, error.share, body_finding(body, error))


def _too_large(design: Design, body: Body, put: Sequence[Stage], finding: Finding) -> Finding:
    """What is wrong with a worked skin, with the size that would do: that of the first step that comes to nothing."""
    works = [stage for stage in put if isinstance(stage, Asked) and stage.worked]
    last = next((stage for stage in works if not all(map(can_be_seen, stage.worked))), works[-1])
    step = next(step for step in body.steps if step.id == last.step)
    return _with_size(design, step, min(map(largest_share, last.worked)), finding) if step.SIZE else finding


def _with_size(design: Design, step: Operation, share: float, finding: Finding) -> Finding:
    """A finding with the size that would do: a share of what a step has."""
    value = getattr(step, step.SIZE)
    if not isinstance(value, float) or share * value < design.tolerance:
        return finding
    fits = float(f"{share * value:.3g}")
    text = f"{finding.text}; {show(fits, 'length', design.unit)} {design.unit} works"
    return replace(finding, text=text, mends=(use_size(design, step, fits), *finding.mends))


def _missing(ground: Ground) -> list[Finding]:
    """Findings for stations that stand on what is not there, and for a body that cannot be carried on to its ends."""
    ended, names = ground.ended(), {s.id: s.name for s in ground.body.stations}
    found = [Finding("error", f"station {names[key]}", text, about=key) for key, text in ended.on_ends.troubles]
    return found if ended.error is None else [*found, body_finding(ground.body, ended.error)]


def _datums(design: Design, ground: Ground) -> tuple[Mapping[str, Thing], list[Finding]]:
    """All datums, and a finding for each whose source is gone."""
    if not design.datums:
        return {}, []
    things, troubles = work_out(ground)
    return things, [
        Finding("error", f"datum {name}", f"{text}. Pick again in its Details", about=key)
        for key, name, text in troubles
    ]


def _guides(design: Design, ground: Ground) -> tuple[Mapping[str, SpaceCurve], list[Finding]]:
    """All guides, and a finding for each that cannot be made."""
    curves: dict[str, SpaceCurve] = {}
    findings = []
    for guide in design.guides:
        try:
            curves[guide.id] = ground.curve(guide.id)
        except IsotomonError as error:
            text = text_beside("guide", guide.name, error)
            findings.append(Finding("error", f"guide {guide.name}", text, about=guide.id))
    return curves, findings


def _after_shaping(
    ground: Ground, steps: Sequence[Operation]
) -> tuple[ShapedBody | None, list[Finding], Sequence[Operation]]:
    """The body as it is shaped, with what the first of its `steps` make of its field; what is wrong with it; and the steps that are
    left to be done with the finished body."""
    shaped = ground.shaped()
    if shaped.made is None:
        return None, list(shaped.findings), steps
    try:
        field, done = on_field(ground, steps, shaped.made.field)
    except IsotomonError as error:
        return shaped.made, [*shaped.findings, body_finding(ground.body, error)], ()
    return replace(shaped.made, field=field), list(shaped.findings), steps[done:]


def _places(field: SectionField, least: int) -> int:
    """How many sections are laid along a body: more where it goes round, so that every turn of it is followed."""
    reach = (field.last - field.first) / field.carrier.length if math.isfinite(field.carrier.length) else 0.0
    turns = field.carrier.bending * reach / math.tau
    turns += sum(abs(b.rate) for b in field.bendings) * (field.last - field.first) / math.tau
    if field.course is not None:
        turns += abs(float(np.ptp(field.course.laws(np.array([field.first, field.last]))[:, 0]))) / math.tau
    return min(max(least, int(turns * PLACES_A_TURN[least == MOVING]) | 1), MOST_PLACES)


@dataclass(frozen=True)
class _Laying:
    """What a shape is laid out from: the same for all that are equal, by the key of the shape and what else bears on it."""

    key: str
    form: CommonForm
    shares: bytes
    places: int
    thick: bool
    made: ShapedBody = field(compare=False)


def _laid_out(design: Design, body: Body, made: ShapedBody, places: int) -> Shape:
    """The body as arrays; the same ones as long as it is shaped alike, so that an edit of what follows works out nothing of it."""
    thick = any(law.quality == "thickness" for law in body.laws)
    key = shape_key(made.field, made.form, design.tolerance)
    return _shape(_Laying(key, made.form, made.shares.tobytes(), places, thick, made))


@lru_cache(maxsize=8)
def _shape(laying: _Laying) -> Shape:
    field, form, moving = laying.made.field, laying.form, laying.places == MOVING
    v = np.union1d(np.linspace(field.first, field.last, _places(field, laying.places)), field.edges)
    sections, at_stations = field.sections(v), np.searchsorted(v, field.nodes)
    # While something moves, every other place is enough for the eye: the skin between is smooth by its normals.
    seen = np.union1d(np.arange(0, len(v), 2 if moving else 1), at_stations)
    return Shape(
        field=field,
        form=form,
        key=laying.key,
        v=v,
        sections=sections,
        curves=curves(sections, field.counted_from(sections), form.rule, form.common if laying.thick else None),
        mesh=skin_mesh(sections.at(seen), form.samples, field.ring),
        at_stations=at_stations,
        mesh_rows=np.searchsorted(seen, at_stations),
        tie_lines=np.matmul(form.tie_rows, sections.control[seen]).transpose(1, 0, 2),
        tie_shares=laying.made.shares,
    )


def _unintended(
    design: Design,
    resolved: Resolved,
    drawings: Drawings,
    shape: Shape,
    groups: list[list[Laid]],
    ends: tuple[Ending | None, Ending | None],
) -> Array | None:
    """(stations,) rad: the turn the body has beyond what the automatic ties would give it."""
    if not resolved.body.loft.ties:
        return None
    field, form, _ = make_shape(design, resolved, drawings, groups, carrier=shape.field.carrier, endings=ends)
    plain = field.sections(field.nodes)
    usual = curves(plain, field.counted_from(plain), form.rule).turn
    away = np.nan_to_num(shape.curves.turn[shape.at_stations] - usual)  # a point has none
    return np.asarray(np.unwrap(np.mod(away + np.pi, 2 * np.pi) - np.pi))
