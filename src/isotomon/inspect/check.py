"""The check of a design: the same figures as JSON and as a table to read."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from isotomon.design.bodies import name_of, results, tools_of
from isotomon.inspect.results import Full, Quick, Shape
from isotomon.inspect.sections import changes_sections
from isotomon.kernel.protocol import Built
from isotomon.quantity import display


def _angle(radians: float) -> float | None:
    return defined(math.degrees(radians))


def defined(value: float) -> float | None:
    """A figure for JSON: None for what is undefined."""
    return None if math.isnan(value) else float(value) + 0.0


def check_json(quick: Quick, built: Mapping[str, Built]) -> dict[str, Any]:
    """The check as JSON values: mm, degrees, vectors [x, y, z] global; what is undefined is None. Stations and what lies
    along are those of the body in hand. `built`: finished bodies by the id of each body of its own, as far as there are."""
    result: dict[str, Any] = {
        "design": quick.design.name,
        "ok": quick.ok and not quick.empty,
        "stations": [],
        "along": [],
        "bodies": [],
        # In the window an empty design is a beginning; whoever has it checked expects a body.
        "findings": [
            {"severity": "error" if quick.empty else f.severity, "where": f.where, "text": f.text}
            for f in quick.findings
        ],
    }
    if quick.shape is not None and quick.full is not None:
        result["stations"] = _stations(quick, quick.shape, quick.full)
        result["along"] = _along(quick.shape)
    result["bodies"] = _bodies(quick, built)
    return result


def _stations(quick: Quick, shape: Shape, full: Full) -> list[dict[str, Any]]:
    rows = []
    for number, (row, station) in enumerate(zip(shape.at_stations, quick.resolved.stations, strict=True)):
        c, m, e = shape.curves, full.moments, full.extents
        rows.append(
            {
                "name": station.station.name,
                "position_mm": float(c.v[row]),
                "area_mm2": defined(c.area[row]),
                "perimeter_mm": float(m.perimeter[row]),
                "centroid_mm": [float(x) for x in m.centroid[row]],
                "chord_mm": float(c.chord[row]),
                "thickness_mm": defined(e.thickness[number]),
                "set_angle_deg": _angle(float(c.set_angle[row])),
                "turn_deg": _angle(float(c.turn[row])),
                "i_max_mm4": defined(m.i_max[row]),
                "i_min_mm4": defined(m.i_min[row]),
            }
        )
    return rows


def _along(shape: Shape) -> list[dict[str, Any]]:
    c = shape.curves
    return [
        {
            "position_mm": float(c.v[i]),
            "area_mm2": defined(c.area[i]),
            "set_angle_deg": _angle(float(c.set_angle[i])),
            "turn_deg": _angle(float(c.turn[i])),
            "twist_rate_deg_per_m": math.degrees(float(c.twist_rate[i])) * 1000.0 + 0.0,
        }
        for i in range(len(c.v))
    ]


def _bodies(quick: Quick, built: Mapping[str, Built]) -> list[dict[str, Any]]:
    """The bodies of their own in order, with what was added to, cut from or kept in common with each."""
    found = []
    for key in results(quick.design):
        one, tools = quick.of(key), tools_of(quick.design, key)
        if one is not None and (one.sheet is not None or one.body.ready):
            found.append(_finished(one, built.get(key)))
        if one is None or one.full is None:
            continue
        row = _body(one, one.full, built.get(key))
        if tools:
            row["combined"] = [{"how": how, "body": name_of(quick.design, tool)} for how, tool in tools]
        if changes_sections(one):  # what it is as it is finished, and not as it is shaped
            solid = built.get(key)
            row |= {"volume_mm3": solid.volume if solid else None, "area_mm2": solid.area if solid else None}
            row |= {"centre_mm": list(solid.centre) if solid else None}
            density = one.body.density
            row.pop("inertia_kg_mm2", None)
            if density is not None:
                row["mass_kg"] = solid.volume * density * 1e-9 if solid else None
        found.append(row)
    return found


def _finished(quick: Quick, built: Built | None) -> dict[str, Any]:
    """A body without a field, as it is finished; of a skin made from curves what is told of how it was made."""
    sheet = quick.sheet
    solid, density = built is not None and built.pieces > 0, quick.body.density
    result: dict[str, Any] = {
        "name": quick.body.name,
        "volume_mm3": built.volume if built is not None and solid else None,
        "area_mm2": built.area if built is not None else sheet.area if sheet is not None else None,
        "centre_mm": [float(x) for x in built.centre] if built else None,
        "valid": built is not None and built.valid and not any(f.severity == "error" for f in quick.own_findings),
        "skin": not solid,
        "watertight": bool(built.watertight) if built else False,
        "volume_solid_mm3": built.volume if built else None,
        "faces": list(built.names) if built else [],
        "made": dict(sheet.made.told) if sheet is not None else {},
    }
    if quick.figures is not None:
        found = quick.figures
        result["off_its_curves_mm"] = found.off[1] if found.off is not None else None
        result["bends_both_ways_deg"] = None if found.bent is None else math.degrees(found.bent)
        result["matched_by_mm"] = found.moved
        result["joins"] = [
            {"edge": called, "gap_mm": join.gap, "angle_deg": math.degrees(join.angle), "curvature_1_mm": join.bend}
            for called, join in found.joins
        ]
    if built is not None and solid and density is not None:
        result["mass_kg"] = built.volume * density * 1e-9
    return result


def _body(quick: Quick, full: Full, built: Built | None) -> dict[str, Any]:
    body, skin = full.body, quick.shape is not None and quick.shape.open
    sound = built is not None and not any(f.severity == "error" for f in quick.findings)
    result: dict[str, Any] = {
        "name": quick.body.name,
        "volume_mm3": None if skin else body.volume,
        "area_mm2": body.area,
        "centre_mm": [float(x) for x in body.centre],
        "valid": sound and built is not None and built.valid,
        "skin": skin,
        "watertight": bool(built.watertight) if built else False,
        "volume_solid_mm3": built.volume if built else None,
    }
    density = quick.body.density
    if density is not None and not skin:
        result["mass_kg"] = body.mass(density)
        result["inertia_kg_mm2"] = np.asarray(body.inertia(density)).tolist()
    return result


def check_table(check: dict[str, Any]) -> str:
    """The check as text for a terminal."""
    lines = [f"Design {check['design']}", ""]
    head = ("station", "position mm", "area mm²", "chord mm", "thickness mm", "set angle °", "turn °")
    rows = [head] + [
        (
            s["name"],
            display(s["position_mm"], 3),
            "–" if s["area_mm2"] is None else display(s["area_mm2"], 2),
            display(s["chord_mm"], 3),
            "–" if s["thickness_mm"] is None else display(s["thickness_mm"], 3),
            "–" if s["set_angle_deg"] is None else display(s["set_angle_deg"], 3),
            display(s["turn_deg"], 3),
        )
        for s in check["stations"]
    ]
    widths = [max(len(row[k]) for row in rows) for k in range(len(head))]
    for row in rows:
        lines.append(
            "  ".join([row[0].ljust(widths[0]), *(c.rjust(w) for c, w in zip(row[1:], widths[1:], strict=True))])
        )
    for body in check["bodies"]:
        solid = body["volume_solid_mm3"]
        state = (
            "no solid" if solid is None else f"solid {solid:,.1f} mm³, {'valid' if body['valid'] else 'NOT VALID'}, "
        )
        state += "" if solid is None else "watertight" if body["watertight"] else "NOT WATERTIGHT"
        if body["skin"] and solid is not None:
            state = f"a skin, {'valid' if body['valid'] else 'NOT VALID'}: it bounds no volume"
        lines += [
            "",
            f"Body {body['name']}: volume {_figure(body['volume_mm3'])} mm³, surface {_figure(body['area_mm2'])} mm²; {state}",
        ]
        for tool in body.get("combined", ()):
            lines.append(f"  {COMBINED[tool['how']]} {tool['body']}")
        if body.get("mass_kg") is not None:
            lines.append(f"Mass {body['mass_kg']:.4g} kg")
    lines.append("")
    words = {"error": "ERROR", "band": "OUT OF BAND", "note": "note"}
    lines += [f"{words[f['severity']]}  {f['where']}: {f['text']}" for f in check["findings"]]
    lines.append(
        "All in band." if check["ok"] else "Not in band." if not _errors(check) else "Cannot be made as it is."
    )
    return "\n".join(lines)


COMBINED = {"add": "with", "cut": "cut by", "common": "in common with"}


def _figure(value: float | None) -> str:
    return "–" if value is None else f"{value:,.1f}"


def _errors(check: dict[str, Any]) -> bool:
    return any(f["severity"] == "error" for f in check["findings"])


def exit_code(check: dict[str, Any]) -> int:
    """0 in band, 1 out of band, 2 error."""
    return 2 if _errors(check) else 0 if check["ok"] else 1
