"""The quick rebuild: a design to arrays (mesh, curves, checks) without the kernel."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from isotomon.errors import FieldError, IsotomonError
from isotomon.field.checks import find_flaws
from isotomon.field.ends import Ending
from isotomon.field.mesh import SkinMesh, skin_mesh
from isotomon.field.section_field import SectionField, Sections
from isotomon.geometry.datums import SpaceCurve
from isotomon.measure.body import BodyMeasures, body_measures
from isotomon.measure.laws import Finding, Judged, Mend, course, law_findings, quality_of
from isotomon.measure.sections import Curves, Extents, Moments, curves, extents, leans, moments
from isotomon.model import loft_edits
from isotomon.model.bodies import in_hand
from isotomon.model.edits import replace as replace_record
from isotomon.model.records import Apex, BodyEnd, Design, Kept, Law, LawPoint, Quality
from isotomon.model.resolve import Resolved, law_band, law_targets, law_value, names_at
from isotomon.rebuild.body_ends import Reached, endings, reached, stand_on_ends
from isotomon.rebuild.datums import Ground, Thing, work_out
from isotomon.rebuild.drawn import Drawings
from isotomon.rebuild.placing import holes_for, source_of
from isotomon.rebuild.rails import Laid, lay_rails, lay_ties, miss_findings, together
from isotomon.rebuild.settle import settle
from isotomon.rebuild.shape import Form, make_shape, shape_key

Array = NDArray[np.float64]
MOVING, AT_REST = 101, 201
LEAST_TURN = np.radians(0.5)
"""Less turn than this by ties set by hand is no finding."""


@dataclass(frozen=True, eq=False)
class Shape:
    """The body as arrays. `v` holds evenly spaced places and all stations; `at_stations` indexes the latter in it,
    `mesh_rows` in the mesh, which has fewer rows.
    """

    field: SectionField
    form: Form
    key: str
    v: Array
    sections: Sections
    curves: Curves
    mesh: SkinMesh
    at_stations: NDArray[np.intp]
    mesh_rows: NDArray[np.intp]
    tie_lines: Array
    """(ties, mesh rows, 3): where each of the form's ties runs along the body."""
    tie_shares: Array
    """(stations, ties): the share of each profile's arc length; NaN at kept sections."""


@dataclass(frozen=True, eq=False)
class Full:
    """What is worked out only at rest: moments along `Shape.v`, extents at the stations, and the whole body."""

    moments: Moments
    extents: Extents
    body: BodyMeasures
    leans: Array
    """(2, 2) rad: least and greatest lean of the skin outward from square at the first and last end."""
    reached: tuple[Reached | None, ...]
    """At the first and last end: how well it goes on from another body's, where it is to."""


@dataclass(frozen=True, eq=False)
class Quick:
    """The results for one design. `shape` is None when no body can be made; `findings` say why."""

    design: Design
    resolved: Resolved
    drawings: Drawings
    datums: Mapping[str, Thing]
    guides: Mapping[str, SpaceCurve]
    shape: Shape | None
    full: Full | None
    judged: tuple[Judged, ...]
    findings: tuple[Finding, ...]
    unintended: Array | None = None
    """(stations,) rad of turn that ties set by hand cause; None without such ties."""
    others: tuple[Quick, ...] = ()
    """The other bodies' results, each with its own body in hand, in order."""

    def stations_out(self) -> frozenset[str]:
        """Ids of the stations at which a law is not kept."""
        places = [z for j in self.judged for z in j.position[j.out].tolist()]
        return frozenset(
            n.station.id for n in self.resolved.stations if any(abs(n.position - z) < 1e-6 for z in places)
        )

    def law_points(self, quality: Quality) -> tuple[LawPoint, ...]:
        """Law points at every station, at what the body has there now; none where that is undefined."""
        if self.shape is None:
            return ()
        values = quality_of(self.shape.curves, quality)
        if quality == "thickness" and self.full is not None:
            values = np.full(len(values), np.nan)
            values[self.shape.at_stations] = self.full.extents.thickness
        pairs = zip(self.resolved.stations, self.shape.at_stations, strict=True)
        return tuple(LawPoint(float(values[row]), n.station.id) for n, row in pairs if not np.isnan(values[row]))

    @property
    def own_findings(self) -> tuple[Finding, ...]:
        """The findings of this body itself: of its stations, rails, ties and laws."""
        loft = self.design.loft
        own = {loft.id, *(e.id for g in (self.design.stations, self.design.laws, loft.rails, loft.ties) for e in g)}
        return tuple(f for f in self.findings if f.about in own)

    def of(self, body: str) -> Quick | None:
        """The results of one of the bodies."""
        return next((q for q in (self, *self.others) if q.design.loft.id == body), None)

    @property
    def ok(self) -> bool:
        """No error and nothing out of band."""
        return not any(f.severity in ("error", "band") for f in self.findings)


def rebuild(design: Design, moving: bool = False) -> Quick:
    """The quick results of a design; fewer of them, on fewer places, while something is `moving`. Bodies that are not in
    hand, and on which nothing in hand bears, are remembered.

    Raises: IsotomonError, when the design's numbers cannot be worked out (nothing that the session lets in).
    """
    quick = _one(design, moving)
    if not design.rest:
        return quick
    others = tuple(_beside(in_hand(design, p.loft.id), moving) for p in design.rest)
    told = tuple(replace(f, where=f"{q.design.loft.name}: {f.where}") for q in others for f in q.own_findings)
    return replace(quick, others=others, findings=(*quick.findings, *told))


def _beside(design: Design, moving: bool) -> Quick:
    """The results of a body that is not in hand."""
    others = {key for p in design.rest for key in (p.loft.id, *(s.id for s in p.stations))}
    made_from = {
        ref.partition(":")[0].partition("/")[0]
        for refs in (
            *(g.on for g in design.guides),
            *((p.on, p.toward) for g in design.guides for p in g.points),
            *(d.on for d in design.datums),
            *((d.plane, *(p.source for p in d.points)) for d in design.drawings),
            *((s.plane, s.section.body if isinstance(s.section, BodyEnd) else "") for s in design.stations),
        )
        for ref in refs
    }
    if others & made_from:
        return _one(design, moving)
    return _alone(replace_record(design, rest=(), place=0, note="", name=""))


@lru_cache(maxsize=64)
def _alone(design: Design) -> Quick:
    return _one(design, False)


def _one(design: Design, moving: bool) -> Quick:
    """The results of the body in hand."""
    resolved, drawings = settle(design)
    drawn = drawing_findings(drawings)
    ground = Ground(design, resolved.names, resolved, None, drawings, _field_of)
    resolved, drawings, missing = _on_ends(ground, resolved, drawings)
    shape, loft, groups = _shape(ground, resolved, drawings, MOVING if moving else AT_REST)
    loft = [*missing, *loft]
    ground.shape = shape.field if shape is not None else None
    datums, lost = _datums(design, ground)
    guides, unmade = _guides(design, ground)
    lost += [*unmade, *loft]
    if shape is None:
        return Quick(design, resolved, drawings, datums, guides, None, None, (), (*drawn, *lost))
    judged, findings = judge_laws(design, resolved, shape)
    if moving:
        turn = _unintended(design, resolved, drawings, shape, groups, endings(ground, resolved))
        found = (*drawn, *lost, *turn_findings(design, shape, turn, judged), *findings)
        return Quick(design, resolved, drawings, datums, guides, shape, None, judged, found, turn)
    rims, ends = shape.field.sections(shape.field.nodes[[0, -1]]), endings(ground, resolved)
    full = Full(
        moments(shape.sections, shape.form.rule),
        extents(shape.field.sections(shape.field.nodes), shape.form.common),
        body_measures(shape.field, shape.form.rule),
        leans(rims, shape.form.common),
        reached(shape.field, ends),
    )
    flaws = [*_hole_findings(design, resolved, drawings, shape), *_flaw_findings(design, shape, full)]
    turn = _unintended(design, resolved, drawings, shape, groups, ends)
    flaws += turn_findings(design, shape, turn, judged)
    return Quick(
        design, resolved, drawings, datums, guides, shape, full, judged, (*drawn, *lost, *flaws, *findings), turn
    )


def _on_ends(ground: Ground, resolved: Resolved, drawings: Drawings) -> tuple[Resolved, Drawings, list[Finding]]:
    """The same with the stations that stand on other bodies' ends, and findings for those that cannot."""
    if not any(isinstance(n.station.section, BodyEnd) for n in resolved.stations):
        return resolved, drawings, []
    ground.resolved, sections, troubles = stand_on_ends(ground, resolved)
    ground.drawings = replace(drawings, ends=sections)
    names = {s.id: s.name for s in ground.design.stations}
    findings = [Finding("error", f"station {names[key]}", text, about=key) for key, text in troubles]
    return ground.resolved, ground.drawings, findings


def _field_of(ground: Ground) -> SectionField | None:
    """The field of a body that something in hand is made from."""
    if ground.resolved is None or ground.drawings is None:
        return None
    resolved, drawings, _ = _on_ends(ground, ground.resolved, ground.drawings)
    shape, _, _ = _shape(ground, resolved, drawings, MOVING)
    return shape.field if shape is not None else None


def drawing_findings(drawings: Drawings) -> tuple[Finding, ...]:
    """Clashes, and references that are lost, of all drawings."""
    return tuple(Finding("error", name, text, about=key) for key, name, text in drawings.troubles)


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
            text = str(error).removeprefix(f"guide '{guide.name}': ")
            findings.append(Finding("error", f"guide {guide.name}", text, about=guide.id))
    return curves, findings


def _shape(
    ground: Ground, resolved: Resolved, drawings: Drawings, places: int
) -> tuple[Shape | None, list[Finding], list[list[Laid]]]:
    """The body, if one can be made, what is wrong with it and its rails and ties, and the rails it follows."""
    design = ground.design
    groups: list[list[Laid]] = []
    findings: list[Finding] = []
    try:
        carrier, ends = ground.carrier(), endings(ground, resolved)
        laid, findings = lay_rails(design, ground)
        groups, near = together(laid)
        findings += near
        ties = lay_ties(design, ground)
        try:
            field, form, shares = make_shape(design, resolved, drawings, groups, ties, carrier, ends)
        except FieldError as error:
            if not groups and not ties:
                raise
            text = f"{error}. The body is shown without its rails and ties"
            findings.append(Finding("error", design.loft.name, text, about=design.loft.id))
            groups = []
            field, form, shares = make_shape(design, resolved, drawings, carrier=carrier, endings=ends)
        findings += miss_findings(design, [one for group in groups for one in group])
        return _laid_out(design, field, form, shares, places), findings, groups
    except IsotomonError as error:
        return None, [*findings, Finding("error", design.loft.name, str(error), about=design.loft.id)], groups


def _laid_out(design: Design, field: SectionField, form: Form, shares: Array, places: int) -> Shape:
    v = np.union1d(np.linspace(field.first, field.last, places), field.edges)
    sections, at_stations = field.sections(v), np.searchsorted(v, field.nodes)
    # While something moves, every other place is enough for the eye: the skin between is smooth by its normals.
    seen = np.union1d(np.arange(0, len(v), 2 if places == MOVING else 1), at_stations)
    thick = any(law.quality == "thickness" for law in design.laws)
    rows = form.common.rows(np.array([t.u for t in form.common.ties]))
    return Shape(
        field=field,
        form=form,
        key=shape_key(field, form, design.tolerance),
        v=v,
        sections=sections,
        curves=curves(sections, sections.first(), form.rule, form.common if thick else None),
        mesh=skin_mesh(sections.at(seen), form.samples, field.ring),
        at_stations=at_stations,
        mesh_rows=np.searchsorted(seen, at_stations),
        tie_lines=np.matmul(rows, sections.control[seen]).transpose(1, 0, 2),
        tie_shares=shares,
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
    if not design.loft.ties:
        return None
    field, form, _ = make_shape(design, resolved, drawings, groups, carrier=shape.field.carrier, endings=ends)
    plain = field.sections(field.nodes)
    usual = curves(plain, plain.first(), form.rule).turn
    away = shape.curves.turn[shape.at_stations] - usual
    return np.asarray(np.unwrap(np.mod(away + np.pi, 2 * np.pi) - np.pi))


def turn_findings(design: Design, shape: Shape, turn: Array | None, judged: tuple[Judged, ...]) -> list[Finding]:
    """A finding for turn that ties cause and no law of turn asks for."""
    if turn is None or not len(turn) or np.abs(turn).max() < LEAST_TURN:
        return []
    if any(j.quality == "turn" and not j.out.any() for j in judged):
        return []
    steps = np.diff(turn)
    k = int(np.abs(steps).argmax())
    stations = shape.field.stations
    names = {s.id: s.name for s in design.stations}
    worst = float(turn[int(np.abs(turn).argmax())])
    text = (
        f"ties set by hand turn it by {np.degrees(worst):.4g}° in all, most between {names[stations[k].key]} and "
        f"{names[stations[k + 1].key]} ({np.degrees(steps[k]):.4g}°), and no law asks for it"
    )
    mends = (
        Mend("Even out: all ties automatic", loft_edits.remove_ties),
        Mend("Intend it: a law of turn", lambda d: loft_edits.intend_turn(d, _turn_points(shape))),
    )
    middle = (stations[k].position + stations[k + 1].position) / 2.0
    return [Finding("band", design.loft.name, text, middle, about=design.loft.id, mends=mends)]


def _turn_points(shape: Shape) -> tuple[LawPoint, ...]:
    rows = zip(shape.field.stations, shape.curves.turn[shape.at_stations].tolist(), strict=True)
    return tuple(LawPoint(value, station.key) for station, value in rows)


def _hole_findings(design: Design, resolved: Resolved, drawings: Drawings, shape: Shape) -> list[Finding]:
    """A finding where profiles have holes that do not go through."""
    if shape.form.common.lanes[-1].loop:
        return []
    counts = {}
    for n in resolved.stations:
        if not isinstance(n.station.section, Apex | Kept):
            counts[n.station.name] = len(holes_for(source_of(n, design, drawings)))
    if not any(counts.values()):
        return []
    said = ", ".join(f"{name} {count or 'none'}" for name, count in counts.items())
    text = f"the holes are left out, since not all profiles have as many ({said}); draw as many in each"
    if resolved.wrap is not None:
        text = "the holes are left out: wrapped stations take none"
    return [Finding("note", design.loft.name, text, about=design.loft.id)]


def _flaw_findings(design: Design, shape: Shape, full: Full) -> list[Finding]:
    findings = [
        Finding("error", f"{f.position:.4g} mm along", f.text, f.position, f.place, design.loft.id)
        for f in find_flaws(shape.field)
    ]
    if full.body.volume <= 0.0 and not findings:
        findings.append(
            Finding("error", design.loft.name, "the body is inside out; check the profiles", about=design.loft.id)
        )
    return findings


def judge_laws(design: Design, resolved: Resolved, shape: Shape) -> tuple[tuple[Judged, ...], list[Finding]]:
    """Every law against the shape, with the findings it makes."""
    judged, findings = [], []
    for law in design.laws:
        try:
            result, wheres = _judge(law, resolved, shape)
        except IsotomonError as error:
            findings.append(Finding("error", law.name, str(error), about=law.id))
            continue
        judged.append(result)
        findings += law_findings(result, wheres)
    return tuple(judged), findings


def _judge(law: Law, resolved: Resolved, shape: Shape) -> tuple[Judged, list[str]]:
    places, line = _law_course(law, resolved, shape.curves.v)
    if law.judged == "along":
        position, target, band = line
        value = quality_of(shape.curves, law.quality)[np.searchsorted(shape.curves.v, position)]
        wheres = [f"{z:.4g} mm along" for z in position]
    else:
        position, target, band = places
        wheres = [t.where for t in law_targets(law, resolved)]
        value = quality_of(_curves_at(shape, position), law.quality)
    return Judged(law.id, law.name, law.quality, position, target, band, value, line), wheres


def _curves_at(shape: Shape, position: Array) -> Curves:
    """Curves at places; those at stations and at the evenly spaced places are there already."""
    rows = np.clip(np.searchsorted(shape.curves.v, position), 0, len(shape.v) - 1)
    if np.array_equal(shape.curves.v[rows], position):
        every = {f.name: getattr(shape.curves, f.name) for f in fields(shape.curves)}
        return replace(shape.curves, **{name: values[rows] for name, values in every.items() if values is not None})
    common = shape.form.common if shape.curves.thickness is not None else None
    sections = shape.field.sections(shape.field.params(position))
    return curves(sections, shape.sections.first(), shape.form.rule, common)


def _law_course(
    law: Law, resolved: Resolved, v: Array
) -> tuple[tuple[Array, Array, Array], tuple[Array, Array, Array]]:
    """(position, target, half band) of the law's points, and of its course at v."""
    targets = law_targets(law, resolved)
    places = tuple(np.array([getattr(t, name) for t in targets]) for name in ("position", "value", "band"))
    if law.formula is not None:
        target = np.array([law_value(law.formula, law, names_at(resolved, float(z))) for z in v])
        half = law_band(law, resolved.names)
        return places, (v, target, half * np.abs(target) if law.relative else np.full(len(v), half))  # type: ignore[return-value]
    if len(np.unique(places[0])) != len(places[0]):
        raise IsotomonError(f"law '{law.name}' has two points at one position; remove one")
    inside = (v >= places[0][0]) & (v <= places[0][-1]) if len(targets) > 1 else np.ones(len(v), dtype=bool)
    line = (v[inside], *course(places[0], places[1], places[2], v[inside])) if targets else (v[:0], v[:0], v[:0])
    return places, line  # type: ignore[return-value]
