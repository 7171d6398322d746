"""Checks of a body's shape: the skin coloured by a quality, section curves, joins, fairness. For window, scripts and command
line alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import DesignError, FieldError
from isotomon.evaluate.ground import Ground
from isotomon.evaluate.guides import direction
from isotomon.field.mesh import SkinMesh
from isotomon.field.patches import patches
from isotomon.geometry.curvature import Curvature
from isotomon.inspect.results import Quick, Shape
from isotomon.measure import skin
from isotomon.measure.fairness import wiggles
from isotomon.measure.joins import Joint, joins

Kind = Literal["turn rate", "mean", "largest", "gauss", "slope", "deviation"]
WAYS = {"x": np.array([1.0, 0, 0]), "y": np.array([0, 1.0, 0]), "z": np.array([0, 0, 1.0])}


@dataclass(frozen=True, eq=False)
class Colouring:
    """A quality of the skin at the samples of its mesh: `values` (n_v, samples) in `unit`, NaN where it has none; whether its
    sign tells; least and greatest value, each with its place (mm)."""

    values: Array
    unit: str
    signed: bool
    least: tuple[float, tuple[float, float, float]]
    greatest: tuple[float, tuple[float, float, float]]
    of_solid: bool = False
    """At the vertices of the finished bodies, in order, instead."""
    even: bool = False
    """Colours run as far down as up, whatever the values."""


def ground_of(quick: Quick) -> Ground:
    """What references of a rebuilt design are looked up on."""
    return quick.worked.branch().ground(quick.body.id)


def way_of(quick: Quick, ref: str) -> Array:
    """(3,) the direction of x, y, z, a minus before them, or an axis, straight edge or plane's normal by reference.

    Raises: DesignError.
    """
    sign, name = (-1.0, ref[1:]) if ref.startswith("-") else (1.0, ref)
    return sign * (WAYS[name] if name in WAYS else direction(ground_of(quick), name))


def colouring(quick: Quick, kind: Kind, pull: str = "y", reference: SkinMesh | None = None) -> Colouring:
    """The skin by a quality: turn rate (°/m), curvature (1/m; Gaussian 1/m²), slope to a pull direction (°; nought on a wall
    along it), deviation from a reference skin where both
    stand (mm, outward positive).

    Raises: DesignError, without a body or a reference; FieldError.
    """
    mesh = quick.mesh
    if mesh is None:
        raise DesignError("there is no body yet to look at")
    if kind == "turn rate":
        shape = _shape(quick)
        rows = np.searchsorted(shape.v, mesh.v)
        rate = np.degrees(shape.curves.twist_rate[rows]) * 1e3
        return _coloured(mesh, np.repeat(rate[:, None], mesh.points.shape[1], axis=1), "°/m", True)
    if kind == "slope":
        return _coloured(mesh, np.degrees(skin.slope_to(mesh.normals, way_of(quick, pull))), "°", True)
    if kind == "deviation":
        if reference is None:
            raise DesignError("there is no reference yet; take the shape as it is now, or a design's")
        return _coloured(mesh, skin.deviation(quick.stood_mesh, reference), "mm", True)
    bent = quick.sheet.curvature if quick.sheet is not None else _bent(_shape(quick))
    values = {"mean": bent.mean, "largest": bent.largest, "gauss": bent.gauss}[kind]
    return _coloured(mesh, values * (1e6 if kind == "gauss" else 1e3), "1/m²" if kind == "gauss" else "1/m", True)


def _bent(shape: Shape) -> Curvature:
    return skin.curvature(shape.field, shape.mesh.v, shape.form.samples)


def _shape(quick: Quick) -> Shape:
    """Raises: DesignError."""
    if quick.sheet is not None:
        raise DesignError(
            "a skin made from curves has no sections of its own; this is known of bodies through stations"
        )
    if quick.shape is None:
        raise DesignError("there is no body yet to look at")
    return quick.shape


def _coloured(mesh: SkinMesh, values: Array, unit: str, signed: bool) -> Colouring:
    flat = np.where(np.isfinite(values), values, np.nan).ravel()
    ends = []
    for index in (int(np.nanargmin(flat)), int(np.nanargmax(flat))):
        x, y, z = mesh.points.reshape(-1, 3)[index].tolist()
        ends.append((float(flat[index]), (x, y, z)))
    return Colouring(flat.reshape(values.shape), unit, signed, ends[0], ends[1])


def section_lines(quick: Quick, along: str, spacing: float) -> list[tuple[float, Array]]:
    """(level mm, points (n, 3)) of the curves in which planes square to a direction cut the skin.

    Raises: DesignError, FieldError.
    """
    return skin.section_curves(_shape(quick).field, way_of(quick, along), spacing)


def skin_joins(quick: Quick) -> list[Joint]:
    """How the faces that the body is delivered with meet, worst first.

    Raises: DesignError, FieldError.
    """
    found = joins(patches(_shape(quick).field, quick.design.tolerance))
    return sorted(found, key=lambda j: (-j.gap if j.gap > 1e-6 else 0.0, -j.angle, -(j.step or 0.0)))


def fairness(quick: Quick) -> dict[str, Array]:
    """Positions (mm) at which the area and turn curves change the way they bend."""
    c = _shape(quick).curves
    area = np.zeros(0) if _shape(quick).open else wiggles(c.v, c.area, 1e-4 * float(c.area.max()))
    there = ~np.isnan(c.turn)
    return {"area": area, "turn": wiggles(c.v[there], np.degrees(c.turn[there]), 0.05)}


def check_looks(quick: Quick) -> dict[str, Any]:
    """Joins and fairness as JSON values, for the check."""
    try:
        found = skin_joins(quick)
        bends = fairness(quick)
    except (DesignError, FieldError) as error:
        return {"error": str(error)}
    return {
        "joins": [
            {
                "faces": [j.first, j.second],
                "gap_mm": j.gap,
                "angle_deg": [float(np.degrees(j.least)), float(np.degrees(j.angle))],
                "curvature_step_per_m": None if j.step is None else j.step * 1e3,
            }
            for j in found
        ],
        "bends_mm": {name: places.tolist() for name, places in bends.items()},
    }


def looks_table(looks: dict[str, Any]) -> str:
    """The same as text for a terminal."""
    if "error" in looks:
        return f"The skin was not looked at: {looks['error']}"
    lines = ["", "Joins of the faces"]
    for join in looks["joins"]:
        low, high = join["angle_deg"]
        step = join["curvature_step_per_m"]
        how = f"edge {low:.3g}° to {high:.3g}°" if step is None else f"smooth, curvature step {step:.2g} 1/m"
        lines.append(f"  {join['faces'][0]} | {join['faces'][1]}: {how}, gap {join['gap_mm']:.1g} mm")
    for name, places in looks["bends_mm"].items():
        where = ", ".join(f"{z:.0f}" for z in places)
        lines.append(
            f"{name.capitalize()} changes its bend {len(places)} times" + (f", at {where} mm" if places else "")
        )
    return "\n".join(lines)
