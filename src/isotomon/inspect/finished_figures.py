"""Figures of finished bodies for the check: their sections, how stiff these are, and their walls; as JSON and as a table to read."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from isotomon.arrays import Array
from isotomon.design.bodies import results
from isotomon.errors import DesignError
from isotomon.inspect.check import defined
from isotomon.inspect.results import Quick
from isotomon.inspect.section_figures import stiff, walls_of
from isotomon.inspect.sections import NO_WAY, FinishedSections, finished_sections, mesh_of_finished
from isotomon.kernel.protocol import Built
from isotomon.quantity import display
from isotomon.quantity.record import Ref

EVEN = 21
"""Places along, where a body is not cut at its stations."""
VECTORS = ("centroid_mm", "shear_centre_mm")
MOST_STIFF = 60
"""Of more sections than these it is not worked out how stiff they are."""


def finished_figures(quick: Quick, built: Mapping[str, Built], way: Ref = NO_WAY) -> list[dict[str, Any]]:
    """Of each body of its own: its sections at its stations, or at even places square to `way`; its walls. mm, mm², mm⁴, degrees, kg;
    what is undefined is None.

    Raises: DesignError, where there is no such way.
    """
    return [
        _body(one, built[key], way)
        for key in results(quick.design)
        if key in built and (one := quick.of(key)) is not None
    ]


def _body(quick: Quick, built: Built, way: Ref) -> dict[str, Any]:
    try:
        mesh = mesh_of_finished(built)
        names, position = _places(quick) if not way else ((), None)
        sections = finished_sections(quick, built, way, position)
    except DesignError as error:
        if way:
            raise
        return {"name": quick.body.name, "sections": [], "why_not": str(error)}
    rows = np.arange(len(sections.position))
    if position is None:
        rows = np.linspace(0, rows[-1], EVEN).round().astype(int)
    found = walls_of(built, mesh)
    result: dict[str, Any] = {
        "name": quick.body.name,
        "cut": sections.called,
        "volume_mm3": built.volume,
        "sections": _sections(quick, sections, rows.tolist(), names),
    }
    for word, sign in (("least", 1.0), ("greatest", -1.0)):
        thick, place = found.extreme(sign)
        result[f"wall_{word}_mm"] = defined(thick)
        result[f"wall_{word}_at_mm"] = None if math.isnan(thick) else place.tolist()
    return result


def _places(quick: Quick) -> tuple[tuple[str, ...], Array]:
    stations = quick.resolved.stations
    return tuple(n.station.name for n in stations), np.array([n.position for n in stations])


def _sections(
    quick: Quick, sections: FinishedSections, rows: list[int], names: tuple[str, ...]
) -> list[dict[str, Any]]:
    cuts, density = sections.cuts, quick.body.density
    planes = sections.planes
    worked = stiff(sections, np.array(rows)) if len(rows) <= MOST_STIFF else None

    def space(row: int, flat: Array) -> list[float] | None:
        if np.isnan(flat).any():
            return None
        return [float(x) for x in planes.origin[row] + flat[0] * planes.across[row] + flat[1] * planes.up[row]]

    found = []
    for k, row in enumerate(rows):
        area = float(np.nan_to_num(cuts.area[row]))
        entry: dict[str, Any] = {
            "name": names[k] if names else None,
            "position": float(sections.position[row] * (sections.one if sections.unit == "°" else 1.0)),
            "area_mm2": area,
            "perimeter_mm": defined(cuts.perimeter[row]),
            "centroid_mm": space(row, cuts.centroid[row]),
            "i_max_mm4": defined(cuts.i_max[row]),
            "i_min_mm4": defined(cuts.i_min[row]),
            "principal_deg": defined(math.degrees(cuts.angle[row])),
            "parts": int(cuts.parts[row]),
            "holes": int(cuts.holes[row]),
            "torsion_mm4": None if worked is None else defined(worked.torsion[k]),
            "shear_centre_mm": None if worked is None else space(row, worked.shear_centre[k]),
        }
        if density is not None:
            entry["mass_kg_per_m"] = area * density * 1e-6
        found.append(entry)
    return found


def finished_table(bodies: list[dict[str, Any]]) -> str:
    """The same as text for a terminal."""
    lines = []
    for body in bodies:
        lines += [
            "",
            f"Finished {body['name']}" + (f", cut along {body['cut']}" if body["sections"] else f": {body['why_not']}"),
        ]
        head = ("at", "position", "area mm²", "perimeter mm", "least moment mm⁴", "torsion mm⁴", "parts", "holes")
        rows = [head] + [
            (
                s["name"] or "",
                display(s["position"], 3),
                display(s["area_mm2"], 2),
                _figure(s["perimeter_mm"]),
                _figure(s["i_min_mm4"]),
                _figure(s["torsion_mm4"]),
                str(s["parts"]),
                str(s["holes"]),
            )
            for s in body["sections"]
        ]
        if len(rows) > 1:
            widths = [max(len(row[k]) for row in rows) for k in range(len(head))]
            lines += [
                "  ".join([r[0].ljust(widths[0]), *(c.rjust(w) for c, w in zip(r[1:], widths[1:], strict=True))])
                for r in rows
            ]
        for word in ("least", "greatest"):
            if body.get(f"wall_{word}_mm") is not None:
                x, y, z = body[f"wall_{word}_at_mm"]
                lines.append(
                    f"{word.capitalize()} wall {body[f'wall_{word}_mm']:.4g} mm at ({x:.4g}, {y:.4g}, {z:.4g})"
                )
    return "\n".join(lines)


def finished_csv(bodies: list[dict[str, Any]]) -> str:
    """The sections of finished bodies as CSV, a row each; vectors are parted into X, Y and Z, and what is undefined is left blank."""
    rows = [{"body": body["name"], **_flat(section)} for body in bodies for section in body["sections"]]
    out = io.StringIO()
    heads = list(dict.fromkeys(name for row in rows for name in row))
    writer = csv.DictWriter(out, heads, restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def _flat(section: Mapping[str, Any]) -> dict[str, Any]:
    found = dict[str, Any]()
    for name, value in section.items():
        if name in VECTORS:
            kind, _, unit = name.rpartition("_")
            found |= {f"{kind}_{axis}_{unit}": x for axis, x in zip("xyz", value or [""] * 3, strict=True)}
        else:
            found[name] = "" if value is None else value
    return found


def _figure(value: float | None) -> str:
    return "–" if value is None else f"{value:.6g}"
