"""Skins made from curves while a curve's handle is dragged, to their arrays."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from bench.live import frame_by_frame
from isotomon.design import bodies
from isotomon.design.body import Body
from isotomon.design.edits import replace
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.operations.skins.net import NetSkin
from isotomon.operations.skins.rails import AlongRails
from isotomon.operations.thicken import Thicken
from isotomon.quantity.record import Ref, refs

COUNT, SIZE = 8, 100.0


def _height(x: float, y: float) -> float:
    return 18.0 * float(np.sin(x / 40.0) * np.cos(y / 30.0))


def _curve(key: str, spots: list[tuple[float, float]]) -> Guide:
    points = tuple(GuidePoint(x=x, y=y, z=_height(x, y)) for x, y in spots)
    return Guide(key, key, "through", (), (), ("open",), points)


def net_design(*steps: Thicken) -> Design:
    """A net of 8 × 8 curves through 64 places."""
    levels = np.linspace(0.0, SIZE, COUNT).tolist()
    along = tuple(_curve(f"a{k}", [(x, y) for x in levels]) for k, y in enumerate(levels))
    across = tuple(_curve(f"c{k}", [(x, y) for y in levels]) for k, x in enumerate(levels))
    made = NetSkin(along=refs(*(g.id for g in along)), across=refs(*(g.id for g in across)), within=5.0)
    return Design("net", guides=(*along, *across), bodies=(Body("body", "net", made, steps=steps),))


def rails_design(*steps: Thicken) -> Design:
    """Two profiles along two rails."""
    guides = (
        _curve("r1", [(0.0, 0.0), (50.0, -12.0), (100.0, 0.0)]),
        _curve("r2", [(0.0, 60.0), (50.0, 70.0), (100.0, 55.0)]),
        _curve("p1", [(0.0, 0.0), (-8.0, 30.0), (0.0, 60.0)]),
        _curve("p2", [(100.0, 0.0), (108.0, 30.0), (100.0, 55.0)]),
    )
    made = AlongRails(first=Ref("r1"), second=Ref("r2"), profiles=refs("p1", "p2"))
    return Design("rails", guides=guides, bodies=(Body("body", "rails", made, steps=steps),))


def dragged(design: Design, key: str, place: int) -> Iterator[Design]:
    """The design with a point of a curve dragged upward, a little each time."""
    for k in range(1, 1000):
        guide = next(g for g in design.guides if g.id == key)
        point = guide.points[place]
        points = (*guide.points[:place], replace(point, z=float(point.z) + 0.002 * k), *guide.points[place + 1 :])
        moved = replace(guide, points=points)
        yield replace(design, guides=tuple(moved if g.id == key else g for g in design.guides))


CASES = {
    "a net of 8 × 8 curves, one dragged": (net_design(), "a3", 4),
    "the same, 2 mm thick": (net_design(Thicken(thickness=2.0, id="k1")), "a3", 4),
    "a skin along two rails, one dragged": (rails_design(), "r1", 1),
    "the same with a thickness": (rails_design(Thicken(thickness=2.0, id="k1")), "r1", 1),
    "a net of 8 × 8 curves, its thickness dragged": (net_design(Thicken(thickness=2.0, id="k1")), "", 0),
}


def frames(design: Design, key: str, place: int) -> Callable[[], None]:
    """To arrays, frame by frame: the skin's mesh, and what its steps make of it."""
    thicker = (bodies.change_step(design, "k1", thickness=2.0 + 0.001 * k) for k in range(1, 1000))
    rebuilt = frame_by_frame(design, dragged(design, key, place) if key else thicker)

    def frame() -> None:
        quick = rebuilt()
        assert quick.mesh is not None, quick.findings
        assert quick.grids is not None or not quick.body.steps

    return frame
