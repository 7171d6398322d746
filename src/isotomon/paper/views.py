"""The drawing of a design: profile, plan and body plan with stations, visible and hidden edges; and its curves with laws and bands."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from isotomon.arrays import Array, Index
from isotomon.design.bodies import results
from isotomon.design.law import Quality
from isotomon.errors import DesignError
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import unpack
from isotomon.measure.laws import quality_of
from isotomon.measure.sections import extents
from isotomon.measure.sight import Projection, SeenLines, sight
from isotomon.paper.charts import Band, chart
from isotomon.paper.frame import Block, Box, Fact, Paper, framed, room_on, scale_for, scale_words, segment
from isotomon.paper.outlines import sections_of
from isotomon.paper.page import Item, Page, Stroke, Text
from isotomon.quantity import display, to_unit

Angle = Literal["first", "third"]
PROFILE = Projection(np.array([0.0, 0.0, 1.0]), np.array([0.0, 1.0, 0.0]))
PLAN = Projection(np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0]))
END = Projection(np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0]))
"""From the side, from above, and along the body from its last end; stations stand along Z."""
GAP = 22.0
"""mm on paper between views, for their sizes and names."""

Mesh = tuple[Array, Index, Array, Index]


def meshes_of(quick: Quick) -> list[Mesh]:
    """Points, triangles, normals, and what points are one, of every body: as finished where that is known, else as shaped."""
    found = list[Mesh]()
    for key in results(quick.design):
        built, one = quick.finished.get(key), quick.of(key)
        if built is not None:
            arrays = (unpack(a) for a in (built.vertices, built.triangles, built.normals, built.same))
            points, triangles, normals, same = arrays
            found.append((points.astype(np.float64), triangles, normals.astype(np.float64), same))
        elif one is not None and one.mesh is not None:
            mesh = one.mesh
            points, normals = mesh.points.reshape(-1, 3), mesh.normals.reshape(-1, 3)
            same = _ones(points)
            for to in one.placed:
                turned = mesh.triangles[:, ::-1] if np.linalg.det(to[:3, :3]) < 0.0 else mesh.triangles
                square = normals @ np.linalg.inv(to[:3, :3])
                found.append((points @ to[:3, :3].T + to[:3, 3], turned, square, same))
    if not found:
        raise DesignError("there is no body to be drawn; make one first")
    return found


ONE = 1e-8
"""Of a body's size: points of its skin that lie nearer to each other are one."""


def _ones(points: Array) -> Index:
    """(n,) a number that points have in common which are one, as at a seam."""
    pairs = cKDTree(points).query_pairs(ONE * float(np.ptp(points, axis=0).max()), output_type="ndarray")
    links = csr_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points)))
    return np.asarray(connected_components(links, directed=False)[1])


def _together(meshes: Sequence[Mesh]) -> Mesh:
    """All of them as one, so that one hides another."""
    points, triangles, normals, same = list[Array](), list[Index](), list[Array](), list[Index]()
    count = ones = 0
    for p, t, n, s in meshes:
        points.append(p)
        triangles.append(t + count)
        normals.append(n)
        same.append(s + ones)
        count, ones = count + len(p), ones + int(s.max()) + 1
    return np.vstack(points), np.vstack(triangles), np.vstack(normals), np.concatenate(same)


def seen_from(quick: Quick, view: Projection) -> SeenLines:
    """The edges and contours of all bodies from one side. Raises: DesignError, where there is no body."""
    return sight(*_together(meshes_of(quick)), view)


def views(quick: Quick, block: Block, paper: Paper = "A3", angle: Angle = "first") -> Page:
    """Profile, plan and body plan on one sheet, at the largest scale that fits, where first-angle or third-angle projection puts them.

    Raises: DesignError.
    """
    whole = _together(meshes_of(quick))
    drawn = {name: sight(*whole, view) for name, view in (("profile", PROFILE), ("plan", PLAN), ("end", END))}
    boxes = {
        name: np.array([f(np.vstack(seen.lines), axis=0) for f in (np.min, np.max)]) for name, seen in drawn.items()
    }
    # Views stand in line: the plan has the profile's run along Z, the end view its heights.
    (left, low), (right, high) = boxes["profile"].tolist()
    near, far = boxes["plan"][:, 1].tolist()
    room = room_on(paper).within(8.0)
    wide, tall = (right - left) + (far - near), (high - low) + (far - near)
    scale = scale_for(wide, tall, Box(0.0, 0.0, room.width - 3 * GAP, room.height - 3 * GAP))
    across, down = scale * wide + GAP, scale * tall + GAP
    x, y = room.left + (room.width - across) / 2.0, room.bottom + (room.height - down) / 2.0
    own_wide, own_tall, other = scale * (right - left), scale * (high - low), scale * (far - near)
    if angle == "third":  # the plan above, the end beside the end that it shows
        at = {"profile": (x, y), "plan": (x, y + own_tall + GAP), "end": (x + own_wide + GAP, y)}
    else:
        at = {"profile": (x + other + GAP, y + other + GAP), "plan": (x + other + GAP, y), "end": (x, y + other + GAP)}
    corner = {"profile": (left, low), "plan": (left, near), "end": (near, low)}
    items = list[Item]()
    for name, seen in drawn.items():
        origin = np.array(at[name]) - scale * np.array(corner[name])
        items += [
            Stroke(origin + scale * line, "hidden" if hidden else "edge")
            for line, hidden in zip(seen.lines, seen.hidden, strict=True)
        ]
        items.append(
            Text(
                at[name][0],
                at[name][1] - 6.0 if name != "profile" else at[name][1] - 14.0,
                CALLED[name],
                2.6,
                bold=True,
            )
        )
    items += _stations(quick, scale, np.array(at["profile"]) - scale * np.array([left, low]), own_tall, low * scale)
    items += _sizes(at, own_wide, own_tall, other, (right - left, high - low, far - near), block.unit)
    facts = (Fact("scale", scale_words(scale)), Fact("projection", f"{angle} angle"))
    return framed("general drawing", paper, block, facts, tuple(items), 1, 1)


CALLED = {"profile": "profile, along X", "plan": "plan, from +Y", "end": "end, from +Z"}


def _stations(quick: Quick, scale: float, origin: Array, tall: float, low: float) -> list[Item]:
    """Where the stations stand in the profile: a line across and a name, where the body is carried straight along Z."""
    if quick.shape is None or quick.body.loft.carrier.how != "straight":
        return []
    items, taken = list[Item](), -math.inf
    for one in quick.resolved.stations:
        x = float(origin[0] + scale * quick.stood(np.array([[0.0, 0.0, one.position]]))[0, 2])
        foot = float(origin[1] + low)
        items.append(segment(x, foot - 2.0, x, foot + tall + 2.0, "axis"))
        if x - taken > 3.2:
            items.append(Text(x + 0.8, foot + tall + 3.0, one.station.name, 2.2, turn=math.pi / 2.0))
            taken = x
    return items


SIZES = {"mm": 1, "cm": 2, "m": 4, "in": 2}
"""Decimals of sizes over all, which are those of the bodies' meshes."""


def _sizes(
    at: dict[str, tuple[float, float]],
    wide: float,
    tall: float,
    deep: float,
    sizes: tuple[float, float, float],
    unit: str,
) -> list[Item]:
    """The sizes over all, in profile and plan."""
    (x, y), (px, py) = at["profile"], at["plan"]
    said = [f"{display(to_unit(size, unit), SIZES[unit])} {unit}" for size in sizes]
    items = _size(x, y - 7.0, wide, said[0], False)
    items += _size(x - 5.0, y, tall, said[1], True)
    return items + _size(px - 5.0, py, deep, said[2], True)


def _size(x: float, y: float, length: float, words: str, upright: bool) -> list[Item]:
    arrow = 2.0
    way, side = (
        (np.array([0.0, 1.0]), np.array([1.0, 0.0])) if upright else (np.array([1.0, 0.0]), np.array([0.0, 1.0]))
    )
    begin = np.array([x, y])
    end = begin + length * way
    items: list[Item] = [Stroke(np.array([begin, end]), "size")]
    for tip, back in ((begin, way), (end, -way)):
        items.append(
            Stroke(
                np.array([tip + arrow * back + 0.35 * arrow * side, tip, tip + arrow * back - 0.35 * arrow * side]),
                "size",
            )
        )
        items.append(Stroke(np.array([tip - 2.0 * side, tip + 4.0 * side]), "hair"))
    middle = begin + 0.5 * length * way + (np.array([-1.0, 0.0]) if upright else np.array([0.0, 1.0]))
    items.append(Text(float(middle[0]), float(middle[1]), words, 2.5, "middle", turn=math.pi / 2.0 if upright else 0.0))
    return items


def body_plan(quick: Quick, block: Block, paper: Paper = "A3") -> Page:
    """All stations' sections laid over each other, in their own planes. Raises: DesignError, for a body that has none."""
    if quick.shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and so no body plan")
    chosen = [n for n in quick.resolved.stations if n.chord > 0.0]
    drawn = sections_of(quick, np.array([n.position for n in chosen]), tuple(n.station.name for n in chosen))
    low = np.min([one.box[0] for one in drawn], axis=0)
    high = np.max([one.box[1] for one in drawn], axis=0)
    room = room_on(paper).within(14.0)
    scale = scale_for(
        float(high[0] - low[0]), float(high[1] - low[1]), Box(0.0, 0.0, room.width - 40.0, room.height - 20.0)
    )
    to = room.middle - scale * (low + high) / 2.0 - np.array([18.0, 0.0])
    items: list[Item] = [
        Stroke(to + scale * np.array([[low[0], 0.0], [high[0], 0.0]]), "axis"),
        Stroke(to + scale * np.array([[0.0, low[1]], [0.0, high[1]]]), "axis"),
    ]
    for k, one in enumerate(drawn):
        points = [
            type(run)(to + scale * run.points, "outline" if k in (0, len(drawn) - 1) else "edge") for run in one.runs
        ]
        items += points
        y = room.bottom + room.height - 6.0 - 4.2 * k
        items.append(Text(room.left + room.width, y, f"{k + 1}  {one.name}", 2.5, "right"))
        spot = points[0].points[len(points[0].points) // 8]
        items.append(Text(float(spot[0]) + 0.6, float(spot[1]) + 0.6, str(k + 1), 2.0))
    facts = (Fact("body", quick.body.name), Fact("scale", scale_words(scale)))
    return framed("body plan", paper, block, facts, tuple(items), 1, 1)


QUALITIES: dict[Quality, tuple[str, str]] = {
    "area": ("section area", "mm²"),
    "set_angle": ("set angle", "°"),
    "turn": ("turn", "°"),
    "thickness": ("thickness", ""),
}


THICK_PLACES = 61
"""Places along a body at which its thickness is worked out for a curve."""


def curve_items(quick: Quick, quality: Quality, box: Box, unit: str) -> tuple[Item, ...]:
    """The chart of a quality along the body in hand, with the laws on it. Raises: DesignError, where there are no sections."""
    if quick.shape is None:
        raise DesignError(f"{quick.body.name} has no stations, and so no curves along it")
    title, own = QUALITIES[quality]
    along, one = quick.along_unit
    curves = quick.shape.curves
    position, value = curves.v, quality_of(curves, quality)
    if quality == "thickness":
        rows = np.linspace(0, len(position) - 1, THICK_PLACES).round().astype(int)
        sections, common = quick.shape.sections.at(rows), quick.shape.form.common
        position, value = position[rows], extents(sections, common, 800).thickness
    factor = math.degrees(1.0) if own == "°" else 1.0 if own else to_unit(1.0, unit)
    bands = [
        Band(judged.line[0] * one, judged.line[1] * factor, judged.line[2] * factor)
        for judged in quick.judged
        if judged.quality == quality
    ]
    return chart(box, title, own or unit, position * one, value * factor, f"along the body, {along}", bands)


def curve_sheet(quick: Quick, block: Block, paper: Paper = "A4") -> Page:
    """Area, set angle, turn and thickness along the body in hand, with laws and bands."""
    room = room_on(paper).within(4.0)
    wide, high = room.width / 2.0, room.height / 2.0
    items = list[Item]()
    for k, quality in enumerate(QUALITIES):
        box = Box(room.left + wide * (k % 2), room.bottom + high * (1 - k // 2), wide, high)
        items += curve_items(quick, quality, box, block.unit)
    return framed("curves along the body", paper, block, (Fact("body", quick.body.name),), tuple(items), 1, 1)
