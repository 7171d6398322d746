"""What vessels hold: of their skin less a wall, or, of hollow ones, what is really inside."""

from __future__ import annotations

import numpy as np

from isotomon.arrays import Array
from isotomon.design.gauges import Gauge
from isotomon.errors import DesignError, QuantityError
from isotomon.evaluate.ground import Ground
from isotomon.geometry.affine import even_sizes
from isotomon.geometry.datums import plane_at
from isotomon.inspect.looks import ground_of
from isotomon.inspect.results import Quick, Reading
from isotomon.inspect.sections import mesh_of_finished
from isotomon.inspect.standing_faces import FINE, WaitsForSolid, field_faces
from isotomon.kernel.protocol import Built, unpack
from isotomon.measure.apart import plane_section
from isotomon.measure.capacity import Inside, inside
from isotomon.measure.hollow import inside_hollow
from isotomon.operations.hollow import Hollow
from isotomon.quantity import resolve


def number_of(ground: Ground, gauge: Gauge, index: int) -> float:
    """One of the numbers of a measure, mm or rad. Raises: QuantityError, naming it."""
    field = gauge.recipe.fields[index]
    try:
        return resolve(gauge.values[index], field.kind, ground.names)
    except QuantityError as error:
        raise QuantityError(f"{field.title.lower()}: {error}") from None


def read_capacity(ground: Ground, quick: Quick, gauge: Gauge) -> Reading:
    """What a vessel holds to a level, or the level for so much. Raises: IsotomonError."""
    found = inside_of(ground, quick, gauge)
    level, litres = number_of(ground, gauge, 0), number_of(ground, gauge, 2)
    if gauge.choices[0] == "level":
        level = found.level(litres * 1e6)
    here = np.array([level])
    brim = np.array([found.brim])
    figures = (
        ("Level", level, "length"),
        ("Volume", float(found.volumes(here)[0]), "litres"),
        ("Wetted area", float(found.wetted(here)[0]), "area"),
        ("Floor", found.floor, "length"),
        ("Brim", found.brim, "length"),
        ("To the brim", float(found.volumes(brim)[0]), "litres"),
    )
    up = ground.axis(gauge.on[1]).way
    one = quick.of(gauge.on[0])
    lines: tuple[Array, ...] = ()
    if one is not None and one.shape is not None:
        flat = plane_at(level * up, up)
        faces = field_faces(one, one.placed[:1], FINE, flat)
        cut = plane_section(faces.vertices, faces.index, flat)
        lines = tuple(cut.lines) if cut is not None else ()
    return Reading(figures, lines)


def inside_of(ground: Ground, quick: Quick, gauge: Gauge, up: Array | None = None) -> Inside:
    """The inside of the vessel that a capacity is taken of, where its first copy stands; of a hollow one of all of it, as finished. `up`:
    (3,) what is up, where that is not what the measure says.

    Raises: IsotomonError.
    """
    one = quick.of(gauge.on[0])
    if one is None or one.shape is None:
        raise DesignError("the vessel is not there; choose another body")
    up, wall = ground.axis(gauge.on[1]).way if up is None else up, number_of(ground, gauge, 1)
    if any(isinstance(step, Hollow) for step in one.body.done):
        if one.result not in quick.finished:
            raise WaitsForSolid("the solid is not finished yet")
        return _really_inside(quick.finished[one.result], up)
    linear, shift = one.placed[0, :3, :3], one.placed[0, :3, 3]
    sizes = even_sizes(one.placed[:1])
    if sizes is None:
        raise DesignError("a vessel that is resized unevenly is not gauged; let its stations have the sizes instead")
    size = float(sizes[0])
    return inside(one.shape.field, linear.T @ up / size, wall / size).taken(size, float(shift @ up))


def capacity_table(quick: Quick, gauge: Gauge, rows: int = 41) -> str:
    """Level, volume and wetted area from the floor to the brim, as CSV (mm, litres, mm²).

    Raises: DesignError, for another kind of measure; IsotomonError, when the vessel cannot be gauged.
    """
    if gauge.kind != "capacity":
        raise DesignError(f"the measure '{gauge.name}' is no capacity, which alone has a table of levels")
    found = inside_of(ground_of(quick), quick, gauge)
    levels = np.linspace(found.floor, found.brim, rows)
    lines = ["level_mm,volume_l,wetted_mm2"]
    for level, volume, wet in zip(levels, found.volumes(levels), found.wetted(levels), strict=True):
        lines.append(f"{level:.6g},{volume / 1e6:.8g},{wet:.8g}")
    return "\n".join(lines) + "\n"


def _really_inside(built: Built, up: Array) -> Inside:
    """Within the faces that hollowing out has made."""
    mesh = mesh_of_finished(built)
    within = np.array(["inside of " in name for name in built.names])
    return inside_hollow(mesh, within[unpack(built.owner)[mesh.kept]], up)
