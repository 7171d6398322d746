"""Lasting names of the edges and faces of a body: by what drew them, never by counting.

An edge along the body runs where profiles are tied. Its names are the corners it passes (`s4.g1.p3`: the corner at point
p3 of drawing g1, at station s4), and the tie set by hand or the rail that holds it (`t2`, `r1`). The face between two edges
is named by both. Whatever else is drawn, moved, put in order or taken out, a name means the same edge, or none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from isotomon.errors import FieldError
from isotomon.field.correspond import HELD, Border, Correspondence


@dataclass(frozen=True)
class Names:
    """`edges`: all names of every edge along the body, in the order of `columns`, the control points of the section that
    they run through. `lanes`: the name of each lane's face, `sides` all names of the two edges it lies between."""

    edges: tuple[tuple[str, ...], ...]
    columns: tuple[int, ...]
    lanes: tuple[str, ...]
    sides: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...]

    def lane(self, name: str) -> int:
        """The number of the lane whose face has a name, or lies between two edges, `A~B` by any of their names.

        Raises: FieldError, when there is none, or more than one.
        """
        if name in self.lanes:
            return self.lanes.index(name)
        first, _, last = name.partition("~")
        found = [k for k, (a, b) in enumerate(self.sides) if first in a and last in b]
        if len(found) != 1:
            raise FieldError(
                f"{'no face' if not found else 'no single face'} of the body lies between {first} and {last} any more; pick another"
            )
        return found[0]

    def column(self, name: str) -> int:
        """The column of the edge of this name.

        Raises: FieldError, when there is none, or more than one.
        """
        found = [column for names, column in zip(self.edges, self.columns, strict=True) if name in names]
        if not found:
            raise FieldError(f"no edge of the body passes {name} any more; pick another")
        if len(found) > 1:
            raise FieldError(f"{len(found)} edges of the body meet in {name}, so that it says not which; pick another")
        return found[0]


def names_of(common: Correspondence, standing: Sequence[tuple[str, int]]) -> Names:
    """The names of what the lanes make. `standing`: (station, which of the outlines it has)."""
    stations: dict[int, list[str]] = {}
    for station, outline in standing:
        stations.setdefault(outline, []).append(station)

    def passed(border: Border) -> tuple[str, ...]:
        names = {f"{s}.{what}" for i, what in border if i != HELD for s in stations.get(i, ())}
        return (*sorted(names, key=_oldest_first), *(what for i, what in border if i == HELD))

    edges = [(passed(lane.first), lane.columns.start) for lane in common.lanes if not lane.basis.periodic]
    if common.open:
        edges.append((passed(common.lanes[-1].last), common.lanes[-1].columns.stop - 1))
    seen = Counter(name for names, _ in edges for name in names)

    def called(border: Border) -> str:
        names = passed(border)
        return next((name for name in names if seen[name] <= 1), "&".join(names))

    lanes, sides = [], []
    for lane in common.lanes:
        around = lane.basis.periodic
        between = (called(lane.first) or "round") if around else f"{called(lane.first)}~{called(lane.last)}"
        lanes.append(f"hole {between}" if lane.loop else between)
        sides.append((passed(lane.first), passed(lane.last)))
    return Names(tuple(names for names, _ in edges), tuple(column for _, column in edges), tuple(lanes), tuple(sides))


def _oldest_first(name: str) -> tuple[int, str]:
    """By the station's number, so that which name comes first hangs on no position and no order."""
    return len(name.partition(".")[0]), name
