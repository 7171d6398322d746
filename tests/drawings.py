"""Random drawings for the solver's tests and bench, and a plain, slow check of every constraint."""

from __future__ import annotations

import math

import numpy as np

from isotomon.profile.drawing import DIMENSIONS, Arc, CirclePart, Constraint, Drawing, Line, Part, Point, replace
from isotomon.profile.solver import measured


class Sketch:
    """Builds a drawing step by step; every new thing is tied down completely to what is there."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self.points: list[Point] = []
        self.parts: list[Part] = []
        self.constraints: list[Constraint] = []

    def point(self, x: float, y: float) -> str:
        self.points.append(Point(f"p{len(self.points) + 1}", float(x), float(y)))
        return self.points[-1].id

    def part(self, make: type, *values: object) -> str:
        self.parts.append(make(f"e{len(self.parts) + 1}", *values))
        return self.parts[-1].id

    def tie(self, kind: str, *on: str) -> None:
        value = 1.0 if kind in DIMENSIONS else None
        self.constraints.append(Constraint(f"c{len(self.constraints) + 1}", kind, on, value))  # type: ignore[arg-type]

    def at(self, key: str) -> np.ndarray:
        p = self.points[int(key[1:]) - 1]
        return np.array([p.x, p.y])

    def base(self) -> None:
        a, b = self.point(0, 0), self.point(30, 0)
        self.part(Line, a, b)
        for kind, *on in (("fixed", a), ("horizontal", "e1"), ("distance", "e1")):
            self.tie(kind, *on)

    def grow(self) -> None:
        """One more point with a line or circle, by a way chosen at random that fixes it."""
        lines = [p for p in self.parts if isinstance(p, Line)]
        line = lines[self.rng.integers(len(lines))]
        a, b = line.a, line.b
        along = self.at(b) - self.at(a)
        across = np.array([-along[1], along[0]]) / np.hypot(*along)
        length = self.rng.uniform(8, 25)
        way = int(self.rng.integers(8))
        if way == 0:  # a triangle
            p = self.point(*(self.at(a) + 0.5 * along + length * across))
            self.part(Line, b, p)
            self.tie("distance", a, p)
            self.tie("distance", b, p)
        elif way == 1:  # square to a line, as long as another
            p = self.point(*(self.at(b) + np.hypot(*along) * across))
            e = self.part(Line, b, p)
            self.tie("square", e, line.id)
            self.tie("equal", e, line.id)
        elif way == 2:  # at an angle, with a length
            turn = self.rng.uniform(0.5, 2.5)
            way_ = math.cos(turn) * along / np.hypot(*along) + math.sin(turn) * across
            e = self.part(Line, b, self.point(*(self.at(b) + length * way_)))
            self.tie("angle", line.id, e)
            self.tie("distance", e)
        elif way == 3:  # level distances
            p = self.point(*(self.at(b) + self.rng.uniform(5, 20, 2)))
            self.part(Line, b, p)
            self.tie("across", b, p)
            self.tie("up", b, p)
        elif way == 4:  # a circle that touches a line
            e = self.part(CirclePart, self.point(*(self.at(a) + 0.4 * along + length * across)), float(length))
            self.tie("tangent", e, line.id)
            self.tie("radius", e)
            self.tie("distance", self.points[-1].id, a)
        elif way == 5:  # an arc from a line's end, tangent to it
            r = length / 2
            centre, end = self.point(*(self.at(b) + r * across)), self.at(b) + 2 * r * across
            p = self.point(*end)
            e = self.part(Arc, centre, b, p)
            self.tie("tangent", e, line.id)
            self.tie("radius", e)
            self.tie("angle", line.id, self.part(Line, centre, p))
        elif way == 6:  # its mirror image
            p = self.point(*(self.at(a) + 0.3 * along + length * across))
            q = self.point(*(self.at(a) + 0.3 * along - length * across))
            self.part(Line, p, q)
            self.tie("distance", a, p)
            self.tie("distance", p, line.id)
            self.tie("symmetric", p, q, line.id)
        else:  # the middle of a line, and a line in line with it from there
            p = self.point(*(self.at(a) + 0.5 * along))
            self.tie("middle", p, line.id)
            q = self.point(*(self.at(p) + length * across))
            e = self.part(Line, p, q)
            self.tie("width", q, line.id)
            self.tie("square", e, line.id)

    def done(self) -> tuple[Drawing, dict[str, float]]:
        """The drawing and the figures its dimensions have as it is drawn."""
        drawing = Drawing("g1", "random", tuple(self.points), tuple(self.parts), tuple(self.constraints))
        return drawing, measured(drawing)


def random_drawing(seed: int, entities: int) -> tuple[Drawing, dict[str, float]]:
    """A drawing of about `entities` parts with nothing left free, and its figures."""
    sketch = Sketch(seed)
    sketch.base()
    while len(sketch.parts) < entities:
        sketch.grow()
    return sketch.done()


def shaken(drawing: Drawing, seed: int, by: float) -> Drawing:
    """The drawing with every coordinate moved by up to `by` mm, but for what is fixed."""
    rng = np.random.default_rng(seed)
    points = (
        drawing.points[0],
        *(
            replace(p, x=p.x + dx, y=p.y + dy)
            for p, (dx, dy) in zip(
                drawing.points[1:], rng.uniform(-by, by, (len(drawing.points) - 1, 2)).tolist(), strict=True
            )
        ),
    )
    return replace(drawing, points=points)


def misses(drawing: Drawing, figures: dict[str, float]) -> float:
    """The largest miss of any constraint, mm (angles: rad), worked out one by one from plain geometry."""
    at = {p.id: complex(p.x, p.y) for p in drawing.points}
    parts = {p.id: p for p in drawing.parts}

    def vector(key: str) -> complex:
        line = parts[key]
        return at[line.b] - at[line.a]

    def off_line(p: complex, key: str) -> float:
        return ((p - at[parts[key].a]) / vector(key)).imag * abs(vector(key))

    def radius(key: str) -> float:
        part = parts[key]
        return part.radius if isinstance(part, CirclePart) else abs(at[part.a] - at[part.centre])

    worst = max(
        (abs(abs(at[p.a] - at[p.centre]) - abs(at[p.b] - at[p.centre])) for p in parts.values() if isinstance(p, Arc)),
        default=0.0,
    )
    for c in drawing.constraints:
        on, want = c.on, figures.get(c.id, 0.0)
        kinds = "".join("p" if o in at else "l" if isinstance(parts[o], Line) else "c" for o in on)
        match c.kind, kinds:
            case "fixed", _:
                miss = abs(at[on[0]] - complex(0, 0))
            case "horizontal", _:
                miss = vector(on[0]).imag
            case "distance", "l":
                miss = abs(vector(on[0])) - want
            case "distance", "pp":
                miss = abs(at[on[0]] - at[on[1]]) - want
            case "distance", "pl":
                miss = abs(off_line(at[on[0]], on[1])) - want
            case "width", _:
                miss = 2 * abs(off_line(at[on[0]], on[1])) - want
            case "across", _:
                miss = abs((at[on[1]] - at[on[0]]).real) - want
            case "up", _:
                miss = abs((at[on[1]] - at[on[0]]).imag) - want
            case "square", _:
                miss = (vector(on[0]) / vector(on[1])).real
            case "equal", _:
                miss = abs(vector(on[0])) - abs(vector(on[1]))
            case "angle", _:
                turn = vector(on[1]) / vector(on[0])
                miss = abs(math.atan2(turn.imag, turn.real)) - want
            case "radius", _:
                miss = radius(on[0]) - want
            case "tangent", _:
                miss = abs(off_line(at[parts[on[0]].centre], on[1])) - radius(on[0])
            case "symmetric", _:
                p, q = at[on[0]], at[on[1]]
                miss = max(abs(off_line((p + q) / 2, on[2])), abs(((q - p) / vector(on[2])).real))
            case "middle", _:
                miss = abs(at[on[0]] - (at[parts[on[1]].a] + at[parts[on[1]].b]) / 2)
            case other:
                raise AssertionError(other)
        worst = max(worst, abs(miss))
    return worst
