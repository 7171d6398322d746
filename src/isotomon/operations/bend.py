"""A straight body bent about an axis."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Annotated

import numpy as np

from isotomon.errors import DesignError
from isotomon.field.bending import Bending
from isotomon.field.section_field import SectionField
from isotomon.operations.base import Angle, Ask, Operation, Says
from isotomon.quantity import Value
from isotomon.quantity.record import Id, Ref, usual

PLACES = 33
"""Sections at which it is seen whether a body is straight, and on one side of the axis."""
STRAIGHT = 1e-9
"""By so much the normals of sections that stand square to one direction differ, by rounding."""
LEAST = math.radians(0.01)
"""rad: less is no bend, and a turn so slow that the axis may as well be endless."""


class Bend(Operation, frozen=True, tag="bend"):
    """A straight body bent about an axis by an angle in all (rad): what lies in the plane through the axis, square to the body,
    stays where it is, and every section keeps its shape and its distance from the axis. With a `radius` (mm) the axis only says
    which way: it is laid that far beside the first section's origin (less than nought: on the other side)."""

    TITLE = "Bent"
    COMMAND = "Bend the body"
    HELP = (
        "A straight body bent about an axis beside it; where it is as far from that as its length over the angle, it becomes "
        "neither longer nor shorter"
    )
    FAMILY = "Carry along"
    BEGIN = {"radius": 200.0}

    angle: Angle = math.pi / 6.0
    about: Annotated[Ref, Says("About", "A", tip="Square to the way the body runs")] = usual("y")
    radius: Annotated[
        Value, Says("Radius", "length", tip="How far beside it the axis is laid; nought: where it is")
    ] = 0.0

    def keeps_skin(self, body: Id) -> bool:
        """It bends the field."""
        return True

    def on_field(self, ask: Ask, field: SectionField) -> SectionField:
        """The field with its sections turned about the axis. Raises: DesignError, for what cannot be bent so."""
        angle = ask.number(self, "angle")
        if not LEAST <= angle < math.tau:
            raise DesignError(f"its angle is {math.degrees(angle):.4g}°; use more than 0° and less than 360°")
        axis, called = ask.references.axis(self.about), ask.references.called(self.about)
        v = np.union1d(np.linspace(field.first, field.last, PLACES), field.edges)
        sections = field.sections(v)
        normal = sections.normal[0]
        if field.ring or field.wrap is not None or np.abs(sections.normal - normal).max() > STRAIGHT:
            raise DesignError("only a straight body, with all its sections square to the way it runs, can be bent")
        if abs(float(axis.way @ normal)) > STRAIGHT:
            raise DesignError(f"{called} does not stand square to the way the body runs; choose another axis")
        side, radius = np.cross(normal, axis.way), ask.number(self, "radius")
        if radius != 0.0:
            axis = replace(axis, origin=sections.origin[0] - radius * side)
        away = sections.control.reshape(-1, 3) - axis.origin
        way = normal if float(away.mean(axis=0) @ side) > 0.0 else -normal
        if not float((away @ np.cross(way, axis.way)).min()) > 0.0:
            raise DesignError(f"{called} passes through the body; choose an axis beside it, or a larger radius")
        along = (sections.origin - axis.origin) @ way
        rate = angle / float(np.ptp(along))
        bending = Bending(_three(axis.origin), _three(axis.way), _three(way), rate)
        return replace(field, bendings=(*field.bendings, bending))


def _three(a: np.ndarray) -> tuple[float, float, float]:
    x, y, z = a.tolist()
    return x, y, z
