"""What a variant comes to: its figures, laws and measures, by names that carry their units."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from isotomon.design import edits
from isotomon.design.bodies import results
from isotomon.design.records import Design
from isotomon.errors import IsotomonError
from isotomon.evaluate.settle import check_design
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.studies.study import Variant

CURVE_PLACES = 61
"""Places along the body at which a variant's area and set angle are kept, to be laid over others'."""


@dataclass(frozen=True)
class VariantRow:
    """What has become of a variant: its number in the study, its values, its figures as far as they are defined, or why there are none;
    and what runs along the body in hand, None where that is undefined."""

    number: int
    values: Variant
    figures: Mapping[str, float]
    problem: str = ""
    position: tuple[float, ...] = ()
    area: tuple[float | None, ...] = ()
    set_angle: tuple[float | None, ...] = ()


def varied_design(design: Design, names: Sequence[str], values: Variant) -> Design:
    """The design with named numbers at a variant's values.

    Raises: IsotomonError, where it cannot be worked out.
    """
    keys = {n.name: n.id for n in design.numbers}
    for name, value in zip(names, values, strict=True):
        design = edits.change_number(design, keys[name], value=value)
    check_design(design)
    return design


def run_variant(design: Design, names: Sequence[str], number: int, values: Variant) -> VariantRow:
    """A variant worked out from nothing, so that it comes to the same wherever and after whatever it is; what fails is a row with its
    reason."""
    try:
        quick = rebuild(varied_design(design, names, values))
    except IsotomonError as error:
        return VariantRow(number, values, {}, str(error))
    errors = [finding for finding in quick.findings if finding.severity == "error"]
    if not quick.there or (errors and quick.mesh is None):
        return VariantRow(number, values, {}, errors[0].text if errors else "there is no body")
    row = VariantRow(number, values, figures_of(quick), errors[0].text if errors else "")
    if quick.shape is None:
        return row
    curves = quick.shape.curves
    places = np.linspace(0, len(curves.v) - 1, CURVE_PLACES).round().astype(int)
    area, angle = (
        tuple(None if math.isnan(x) else x for x in a[places].tolist()) for a in (curves.area, curves.set_angle)
    )
    return replace(row, position=tuple(curves.v[places].tolist()), area=area, set_angle=angle)


def figures_of(quick: Quick) -> dict[str, float]:
    """Figures of a design: of each body of its own volume, surface, centre, mass; at the stations of the one in hand area, chord and set angle;
    how far each law is missed at most, in half bands; what its measures read; how many findings there are. What is
    undefined is left out."""
    found = dict[str, float]()
    several = len(results(quick.design)) > 1
    for key in results(quick.design):
        one = quick.of(key)
        if one is None or one.full is None:
            continue
        of = f" of {one.body.name}" if several else ""
        found[f"volume_mm3{of}"] = one.volume
        found[f"area_mm2{of}"] = one.full.body.area
        for axis, value in zip("xyz", one.stood(one.full.body.centre[None])[0].tolist(), strict=True):
            found[f"centre_{axis}_mm{of}"] = value
        if one.body.density is not None:
            found[f"mass_kg{of}"] = one.volume * one.body.density * 1e-9
    if quick.shape is not None:
        curves = quick.shape.curves
        for row, n in zip(quick.shape.at_stations.tolist(), quick.resolved.stations, strict=True):
            found[f"area_mm2 at {n.station.name}"] = float(curves.area[row])
            found[f"chord_mm at {n.station.name}"] = float(curves.chord[row])
            found[f"set_angle_deg at {n.station.name}"] = math.degrees(float(curves.set_angle[row]))
    for one in (quick, *quick.others):
        for judged in one.judged:
            found[f"law {judged.name}"] = float(judged.excess.max(initial=0.0))
    scale = {"litres": (1e-6, "l"), "angle": (math.degrees(1.0), "deg"), "area": (1.0, "mm2"), "second": (1.0, "mm4")}
    for gauge in quick.design.gauges:
        reading = quick.readings.get(gauge.id)
        for title, value, what in reading.figures if reading is not None else ():
            factor, unit = scale.get(what, (1.0, "mm" if what == "length" else what))
            found[f"{gauge.name} {title.lower()}_{unit}"] = value * factor
    found["findings"] = float(sum(f.severity != "note" for f in quick.findings))
    return {name: value for name, value in found.items() if math.isfinite(value)}
