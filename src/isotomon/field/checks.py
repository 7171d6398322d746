"""Shapes the kernel would accept and no one can make: folded, inside out, crossing themselves. Found on the field."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from isotomon.field.section_field import SectionField
from isotomon.geometry.planar import crossing, signed_area

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Flaw:
    """`kind` of flaw, `position` (mm along the body), `place` in space, and what to say."""

    kind: str
    position: float
    place: tuple[float, float, float]
    text: str


def find_flaws(field: SectionField, places: int = 61, per_lane: int = 40) -> list[Flaw]:
    """The worst flaw of each kind, none for a sound body.

    Folded: neighbouring sections pass through each other (S_v·n ≤ 0, n the plane's normal). Inside out: the section
    runs clockwise. Crossing: the section's outline crosses itself.
    """
    wrap, field = field.wrap, replace(field, wrap=None)  # a flat body that is sound stays so when it is bent
    v = np.unique(np.concatenate([np.linspace(field.first, field.last, places), field.edges]))
    v = v[(1 if field.stations[0].tip else 0) : (-1 if field.stations[-1].tip else None)]
    share = np.linspace(0.0, 1.0, per_lane, endpoint=False)
    matrix = field.common.matrix(
        [share if not lane.basis.periodic else np.arange(160) / 160 for lane in field.common.lanes]
    )
    sections = field.sections(v)
    local, flat = np.matmul(matrix, sections.local), np.matmul(matrix, sections.control)
    space = flat if wrap is None else wrap.laid(flat)[0]
    advance = np.einsum("vui,vi->vu", np.matmul(matrix, sections.slopes), sections.normal)
    flaws = []
    v = sections.position
    if advance.min() <= 0.0:
        row, column = (int(i) for i in np.unravel_index(int(advance.argmin()), advance.shape))
        flaws.append(
            _flaw(
                "folded",
                v[row],
                space[row, column],
                "the body folds over itself: neighbouring sections pass through "
                "each other; tilt the planes less, make the section smaller or move the stations apart",
            )
        )
    area = signed_area(local)
    if area.min() <= 0.0:
        row = int(area.argmin())
        flaws.append(
            _flaw(
                "inside out", v[row], space[row].mean(axis=0), "the section is inside out; check its size and profile"
            )
        )
    for row in range(len(v)):
        found = crossing(local[row], slack=1e-9 * float(np.ptp(local[row])))
        if found is not None:
            flaws.append(
                _flaw(
                    "crossing",
                    v[row],
                    space[row, found[0]],
                    "the section crosses itself; use profiles that are more "
                    "alike on the stations around it, or add a station between them",
                )
            )
            break
    return flaws


def _flaw(kind: str, v: float, place: Array, text: str) -> Flaw:
    return Flaw(kind, float(v), (float(place[0]), float(place[1]), float(place[2])), text)
