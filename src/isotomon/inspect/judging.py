"""Findings of a rebuilt body: laws out of band, turn that nothing asks for, flaws, holes that do not go through."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from isotomon.arrays import Array
from isotomon.design import loft_edits
from isotomon.design.body import Body
from isotomon.design.law import Law, LawPoint, Quality
from isotomon.design.law_values import LawTarget, law_band, law_targets, law_value
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, names_at
from isotomon.errors import IsotomonError
from isotomon.evaluate.drawn import Drawings
from isotomon.evaluate.placing import holes_for, source_of
from isotomon.field.checks import find_flaws
from isotomon.inspect.results import Full, Shape
from isotomon.measure.laws import Finding, Judged, Mend, course, law_findings, quality_of
from isotomon.measure.sections import curves
from isotomon.profile.section import Apex, Kept
from isotomon.quantity.record import Ref

BULGE = 0.02
"""An area that leaves both neighbouring stations' range by more than this share of them is told."""
LEAST_TURN = np.radians(0.5)
"""Less turn than this by ties set by hand is no finding."""


def drawing_findings(drawings: Drawings) -> tuple[Finding, ...]:
    """Clashes, and references that are lost, of all drawings."""
    return tuple(Finding("error", t.thing, t.text + t.outcome, about=t.about) for t in drawings.troubles)


def turn_findings(body: Body, shape: Shape, turn: Array | None, judged: tuple[Judged, ...]) -> list[Finding]:
    """A finding for turn that ties cause and no law of turn asks for."""
    if turn is None or not len(turn) or np.abs(turn).max() < LEAST_TURN:
        return []
    if any(j.quality == "turn" and not j.out.any() for j in judged):
        return []
    steps = np.diff(turn)
    k = int(np.abs(steps).argmax())
    stations = shape.field.stations
    names = {s.id: s.name for s in body.stations}

    def name(row: int) -> str:
        return names[stations[row].key.partition("/")[0]]

    worst = float(turn[int(np.abs(turn).argmax())])
    text = (
        f"ties set by hand turn it by {np.degrees(worst):.4g}° in all, most between {name(k)} and "
        f"{name(k + 1)} ({np.degrees(steps[k]):.4g}°), and no law asks for it"
    )
    mends = (
        Mend("Even out: all ties automatic", lambda d: loft_edits.remove_ties(d, body.id)),
        Mend("Intend it: a law of turn", lambda d: loft_edits.intend_turn(d, body.id, _turn_points(shape))),
    )
    middle = (stations[k].position + stations[k + 1].position) / 2.0
    return [Finding("band", body.name, text, middle, about=body.id, mends=mends)]


def _turn_points(shape: Shape) -> tuple[LawPoint, ...]:
    rows = zip(shape.field.stations, shape.curves.turn[shape.at_stations].tolist(), strict=True)
    return tuple(
        LawPoint(value, Ref(station.key)) for station, value in rows if "/" not in station.key and not np.isnan(value)
    )


def hole_findings(design: Design, resolved: Resolved, drawings: Drawings, shape: Shape) -> list[Finding]:
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
    return [Finding("note", resolved.body.name, text, about=resolved.body.id)]


def flaw_findings(body: Body, shape: Shape, full: Full) -> list[Finding]:
    """Where the body folds, crosses or touches itself, or is inside out."""
    findings = [
        Finding("error", f"{f.position:.4g} mm along", f.text, f.position, f.place, body.id)
        for f in find_flaws(shape.field)
    ]
    if full.body.volume <= 0.0 and not findings and not shape.open:
        findings.append(Finding("error", body.name, "the body is inside out; check the profiles", about=body.id))
    return findings


def bulge_findings(body: Body, shape: Shape) -> list[Finding]:
    """A note where, between two stations, the area leaves the range of both by more than `BULGE`, whatever is judged; not where
    rails say how wide it is there."""
    if shape.open or shape.field.ruled or shape.field.rails is not None:
        return []
    area, at = shape.curves.area, shape.at_stations
    stations = [s.key.partition("/")[0] for s in shape.field.stations]
    names = {s.id: s.name for s in body.stations}
    worst: tuple[float, int, int] | None = None
    for k, (a, b) in enumerate(zip(at[:-1].tolist(), at[1:].tolist(), strict=True)):
        low, high = sorted((float(area[a]), float(area[b])))
        bay = area[a : b + 1]
        if low <= 0.0 or stations[k] == stations[k + 1]:
            continue
        for row, away in ((int(bay.argmin()), 1.0 - bay.min() / low), (int(bay.argmax()), bay.max() / high - 1.0)):
            if away > BULGE and (worst is None or away > worst[0]):
                worst = (float(away), k, a + row)
    if worst is None:
        return []
    away, k, row = worst
    less = area[row] < area[at[k]]
    position = float(shape.curves.v[row])
    text = (
        f"between {names[stations[k]]} and {names[stations[k + 1]]} the area is {100.0 * away:.3g} % "
        f"{'less than at either' if less else 'more than at either'}; put a station there if that is not meant"
    )
    place = shape.sections.control[row].mean(axis=0)
    return [
        Finding(
            "note",
            body.name,
            text,
            position,
            (float(place[0]), float(place[1]), float(place[2])),
            body.id,
        )
    ]


def judge_laws(resolved: Resolved, shape: Shape) -> tuple[tuple[Judged, ...], list[Finding]]:
    """Every law against the shape, with the findings it makes."""
    judged, findings = [], []
    for law in resolved.body.laws:
        if law.of == "finished":
            continue  # once its solid is there
        try:
            result, wheres = judge(law, resolved, shape.curves.v, partial(_values, shape, law.quality))
        except IsotomonError as error:
            findings.append(Finding("error", law.name, str(error), about=law.id))
            continue
        judged.append(result)
        findings += law_findings(result, wheres)
    return tuple(judged), findings


def judge(law: Law, resolved: Resolved, v: Array, values: Callable[[Array], Array]) -> tuple[Judged, list[str]]:
    """A law against what the body has: its values at positions (n,) mm; `v`: those at which it is judged along the body. And where
    each of them is, in words.

    Raises: IsotomonError.
    """
    targets = law_targets(law, resolved)
    places, line = _law_course(law, targets, resolved, v)
    along = law.judged == "along"
    position, target, band = line if along else places
    wheres = [f"{z:.4g} mm along" for z in position.tolist()] if along else [t.where for t in targets]
    return Judged(law.id, law.name, law.quality, position, target, band, values(position), line), wheres


def _values(shape: Shape, quality: Quality, position: Array) -> Array:
    """A quality at places; at stations and at the evenly spaced places it is there already."""
    rows = np.clip(np.searchsorted(shape.curves.v, position), 0, len(shape.v) - 1)
    if np.array_equal(shape.curves.v[rows], position):
        return quality_of(shape.curves, quality)[rows]
    common = shape.form.common if shape.curves.thickness is not None else None
    sections = shape.field.sections(shape.field.params(position))
    found = curves(sections, shape.field.counted_from(shape.sections), shape.form.rule, common)
    return quality_of(found, quality)


def _law_course(
    law: Law, targets: Sequence[LawTarget], resolved: Resolved, v: Array
) -> tuple[tuple[Array, Array, Array], tuple[Array, Array, Array]]:
    """(position, target, half band) of the law's points, and of its course at v."""
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
