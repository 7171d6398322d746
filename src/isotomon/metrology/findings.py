"""What is wrong with a part as it was made, or with its points, in plain words."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from isotomon.arrays import Array, Mask
from isotomon.inspect.results import Quick
from isotomon.measure.laws import Finding, Judged, law_findings
from isotomon.metrology.changes import Change
from isotomon.metrology.fit import Fit, Freedom, other_unit
from isotomon.metrology.sections import SectionMade
from isotomon.metrology.target import Target

OFF = 0.01
"""Of the body's size: points of which half lie farther off are hardly of this body."""
COVERED = 0.7
"""Of an outline: with less of it measured, that is told."""


def findings_made(
    target: Target,
    fit: Fit,
    points: Array,
    far: Mask,
    sections: tuple[SectionMade, ...],
    missing: tuple[tuple[float, Array], ...],
    freedom: Freedom,
    changes: list[Change],
) -> Iterable[Finding]:
    """Wrong units and hands, points that do not count, what was not measured, laws that are not kept, what is other: worst first."""
    quick = target.quick
    name, key = quick.body.name, quick.body.id
    unit = other_unit(target, points)
    if unit:
        text = f"the points are {unit}; read them again with the unit that they are in"
        yield Finding("error", name, text, about=key)
    elif fit.mirrored:
        text = "the points fit far better mirrored: the part was made, or measured, the wrong hand"
        yield Finding("error", name, text, about=key)
    elif fit.middle > OFF * target.size:
        free = "" if freedom in ("turn", "size") else "; let them be shifted and turned, or name some of them"
        text = f"half of the points lie farther than {fit.middle:.3g} mm off the body{free}"
        yield Finding("error", name, text, about=key)
    if unit or fit.mirrored:  # all else is told of what is not there
        return
    count = int(far.sum())
    if count:
        verb = "lies" if count == 1 else "lie"
        text = f"{count:,} of {len(points):,} points {verb} far off, or alone, and {'does' if count == 1 else 'do'} not count"
        yield Finding("note", name, text, about=key)
    for share, middle in missing:
        x, y, z = middle.tolist()
        text = f"about ({x:.0f}, {y:.0f}, {z:.0f}) mm nothing was measured on {share * 100.0:.0f} % of the surface"
        yield Finding("note", name, text, place=(x, y, z), about=key)
    for one in sections:
        if one.fit is None:
            text = f"too few points ({one.count}) were measured near it to tell its section"
            yield Finding("note", one.name, text, one.position, about=one.station)
        elif one.covered < COVERED:
            text = f"only {one.covered * 100.0:.0f} % of its outline was measured; what is told of its section rests on that"
            yield Finding("note", one.name, text, one.position, about=one.station)
    for judged, wheres in laws_made(quick, sections):
        for finding in law_findings(judged, wheres):
            yield replace(finding, text=f"as made, {finding.text}")
    for change in changes:
        yield Finding("note", name, change.words, change.position, change.place, change.about or key)


def laws_made(quick: Quick, sections: tuple[SectionMade, ...]) -> list[tuple[Judged, list[str]]]:
    """The laws that the design is judged by, against the sections as made, in their own bands; and where each is, in words. Laws of what is told
    of stations only."""
    found = []
    of_finished = {law.id for law in quick.body.laws if law.of == "finished"}  # sections as made are of its outside
    for judged in quick.judged:
        if judged.key in of_finished or judged.quality == "twist_rate" or not len(judged.position):
            continue
        pairs = []
        for one in sections:
            row = int(np.argmin(np.abs(judged.position - one.position)))
            value = getattr(one.made, judged.quality)
            if not np.isnan(value) and abs(judged.position[row] - one.position) < 1e-6:
                pairs.append((row, value, one.name))
        if pairs:
            rows, values, names = (list(each) for each in zip(*pairs, strict=True))
            parts = {name: getattr(judged, name)[rows] for name in ("position", "target", "band")}
            found.append((replace(judged, value=np.array(values), **parts), names))
    return found
