"""What changes along the body in hand by law, and by a rim, worked out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from scipy.interpolate import BSpline, make_interp_spline
from scipy.sparse import csr_array

from isotomon.arrays import Array
from isotomon.design.body import ALIKE, Along, Loft
from isotomon.design.edits import replace as replace_record
from isotomon.design.resolve import along_value, along_values, is_course
from isotomon.design.resolved import Resolved
from isotomon.errors import DesignError
from isotomon.field.carriers import Carrier, Relative, Turning
from isotomon.field.correspond import Correspondence
from isotomon.field.course import Course
from isotomon.field.outward import outward
from isotomon.field.rim import Rim, make_rim
from isotomon.field.section_field import Placed
from isotomon.geometry.datums import SpaceCurve
from isotomon.quantity import Quantity, resolve

LEAST_PLACES, MOST_PLACES = 33, 1025
"""A course along the body is taken at so many places, doubled until it is followed."""
FOLLOWED = 1e-9


def rim_of(
    placed: Sequence[Placed], common: Correspondence, carrier: Carrier, curve: SpaceCurve | None, loft: Loft
) -> Rim | None:
    """How the profile follows the rim, if there is one.

    Raises: FieldError.
    """
    base = carrier.base if isinstance(carrier, Relative) else carrier
    if curve is None or not isinstance(base, Turning):
        return None
    first = min((p for p in placed if not p.tip), key=lambda p: p.position)
    c, s = math.cos(first.set_angle), math.sin(first.set_angle)
    at = np.zeros(1)
    start = (carrier.frames(at), base.frames(at))
    turned = (first.chord * first.shape) @ np.array([[c, s], [-s, c]]) + np.array(first.offset)
    u = np.union1d(np.linspace(0.0, 1.0, 2001), common.u[common.u <= 1.0])
    axes = np.stack([start[0].across[0], start[0].up[0]])
    away = np.cross(base.axis.way, start[0].normal[0]) @ axes.T
    u = np.concatenate([u, *(_extreme(common, turned @ way, u) for way in (away, -away))])
    points = common.rows(u) @ turned
    return make_rim(curve, base.axis, base.radius, start, points, loft.carrier.sized == "whole")


def _extreme(common: Correspondence, height: Array, u: Array) -> Array:
    """(1,) where round a section the spline of control heights (n,) is highest: from the highest of places u, by Newton's method
    within the stretch between its neighbours, which no corner parts."""
    k = int((common.rows(u) @ height).argmax())
    low, high = u[max(k - 1, 0)], u[min(k + 1, len(u) - 1)]
    best = u[[k]]
    for _ in range(8):
        slope, bend = (float((common.rows(best, n) @ height)[0]) for n in (1, 2))
        step = -slope / bend if bend < 0.0 else 0.0
        best = np.clip(best + step, low, high)
    return best if float((common.rows(best) @ height)[0]) > float((common.rows(u[[k]]) @ height)[0]) else u[[k]]


STEEPEST = math.radians(80.0)
"""A draft beyond this is a flat plate, and its offsets run away."""
MOST_TIMES = 10_000
"""A turn comes so often along a body at most."""


def course_of(
    resolved: Resolved,
    placed: Sequence[Placed],
    common: Correspondence,
    area_form: csr_array,
    carrier: Carrier,
) -> Course | None:
    """What changes along the body by law, or None.

    Raises: QuantityError, DesignError, naming it.
    """
    along = resolved.body.loft.along
    if along == ALIKE:
        return None
    start, end = min(s.position for s in placed), max(s.position for s in placed)
    if resolved.ring and math.isfinite(carrier.length):  # else no ring is made
        end = start + carrier.length
    names = tuple(sorted(resolved.names.items()))
    turn_over = resolve(along.turn_over, "length", resolved.names)
    if 0.0 < turn_over < (end - start) / MOST_TIMES:
        raise DesignError(
            f"its turn is to come over {turn_over:g} mm, far too little for its length; give more, or 0 for all of it"
        )
    turned = (end - start) / turn_over if turn_over > 0.0 else 1.0
    laws = _laws(replace_record(along, draft=0.0, keep_area=False), names, start, end, turned)
    if resolved.ring:
        _comes_round(laws(np.array([start, end])), along)
    sizes = laws(np.linspace(start, end, 201))[:, 1:3]
    if sizes.min() <= 1e-6:
        raise DesignError("width or height along the body comes to nothing or less; keep them above nought")
    first = min((p for p in placed if not p.tip), key=lambda p: p.position)
    shape = first.chord * first.shape
    draft = _draft(resolve(along.draft, "angle", resolved.names), placed, first, common)
    if not along.keep_area:
        return Course(laws, start, draft)
    if common.open:
        raise DesignError("an open profile bounds no area that could be kept; let the area change")
    if any(s.tip for s in placed):
        raise DesignError(
            "a body that closes in a point cannot keep its area; make its ends flat, or let the area change"
        )
    size = laws(np.array([start]))[0, 1:3]
    area = float(shape[:, 0] @ area_form @ shape[:, 1] * size[0] * size[1])
    return Course(laws, start, draft, area_form, area)


def _draft(lean: float, placed: Sequence[Placed], first: Placed, common: Correspondence) -> Array | None:
    """(n, 2) how far the outline of the one profile goes outward for each mm along the body; None without a draft.

    Raises: DesignError.
    """
    if lean == 0.0:
        return None
    if len({s.key.partition("/")[0] for s in placed}) > 1:
        raise DesignError("draft is for a body of one profile; several profiles lean as they are drawn")
    if abs(lean) > STEEPEST:
        raise DesignError(f"the draft is {math.degrees(lean):.4g}°; use at most {math.degrees(STEEPEST):g}°")
    sides = np.array([first.anchor[0] - first.anchor[1], first.anchor[1] - first.anchor[0]])
    sides = sides / max(float(np.linalg.norm(sides[0])), 1e-300)
    return np.asarray(math.tan(lean) * np.concatenate([outward(common, first.chord * first.shape), sides]))


def _comes_round(ends: Array, along: Along) -> None:
    """Raises: DesignError, when what changes along a ring is not at its end what it was at its start."""
    change = ends[1] - ends[0]
    change[0] -= 2.0 * math.pi * round(float(change[0]) / (2.0 * math.pi))
    if np.abs(change).max() > 1e-6 or along.draft not in (0.0, "0"):
        k = int(np.abs(change).argmax())
        title = along_values(along)[k][0].lower() if np.abs(change).max() > 1e-6 else "draft"
        raise DesignError(
            f"the body comes round to its start, and its {title} along it does not; let it come back, by whole turns or a "
            "course that ends as it began"
        )


@lru_cache(maxsize=64)
def _laws(along: Along, names: tuple[tuple[str, Quantity], ...], start: float, end: float, turned: float) -> BSpline:
    """Turn, width, height and offsets as quintics of the place along the body, followed to `FOLLOWED`."""
    known, values = dict(names), along_values(along)
    plain = [
        None if is_course(value) else along_value(title, value, kind, 1.0, end - start, known)
        for title, value, kind in values
    ]
    base = (0.0, 1.0, 1.0, 0.0, 0.0)

    def at(share: Array) -> Array:
        columns = []
        for (title, value, kind), reached, begin in zip(values, plain, base, strict=True):
            if reached is None:
                column = [along_value(title, value, kind, f, f * (end - start), known) for f in share.tolist()]
            else:
                by = turned if title == "Turn" else 1.0
                column = (begin + (reached - begin) * by * share).tolist()
            columns.append(column)
        return np.array(columns).T

    count = LEAST_PLACES
    share = np.linspace(0.0, 1.0, count)
    found = at(share)
    while True:
        course = make_interp_spline(start + share * (end - start), found, k=5)
        if all(p is not None for p in plain) or count >= MOST_PLACES:
            return course
        between = (share[:-1] + share[1:]) / 2.0
        middle = at(between)
        scale = np.maximum(np.abs(found).max(axis=0), 1.0)
        off = float((np.abs(course(start + between * (end - start)) - middle) / scale).max())
        if off < FOLLOWED:
            return course
        count = 2 * count - 1
        share = np.linspace(0.0, 1.0, count)
        found = np.insert(found, np.arange(1, len(found)), middle, axis=0)
