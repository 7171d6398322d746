"""A simulated measuring machine: it touches a part that may have been made wrong, on purpose, and is as accurate as it is said to be."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.spatial.transform import Rotation

from isotomon.arrays import Array, Mask
from isotomon.errors import DesignError
from isotomon.field.mesh import SkinMesh, applied
from isotomon.field.section_field import Sections
from isotomon.geometry.planar import cross3
from isotomon.inspect.results import Quick
from isotomon.measure.onto import Surface, onto
from isotomon.metrology.target import fine_mesh, surface_of, target_of

BACK = 10.0
"""mm from where a touch is meant to where the probe starts towards it; and as far beyond it goes, at most."""
MARCH = 60
TOUCHED = 1e-6
SPOTS_MISSED = 5
"""Places about which nothing is touched, where some are to be missing."""


@dataclass(frozen=True)
class Dent:
    """Pressed into a part at a `place` of the design, mm `deep` (negative: a bump), `wide` at half of that."""

    place: tuple[float, float, float]
    deep: float
    wide: float


@dataclass(frozen=True)
class Faults:
    """What is wrong with a part: its chords are larger by a share, its stations from one on (by name or id) turned by an angle (rad), and it is
    dented."""

    chord: float = 0.0
    twist: float = 0.0
    twist_from: str = ""
    dents: tuple[Dent, ...] = ()


@dataclass(frozen=True)
class Habits:
    """What a machine is like: the standard deviation of a touch (mm), what all touches are too far out (mm), how far it drifts in a thousand touches
    (mm), the share of the part it cannot touch, and how the part lies on it: at most so far off (mm) and turned (rad). `seed`: of its chances."""

    accuracy: float = 0.01
    bias: float = 0.0
    drift: float = 0.0
    missing: float = 0.0
    shift: float = 0.5
    turn: float = 0.002
    seed: int = 1


USUAL_HABITS, AS_DESIGNED = Habits(), Faults()


def part_of(quick: Quick, faults: Faults) -> Surface:
    """The body in hand as it was made, one of its copies: sections are sized and turned about the middles of their chords, from the bay before a station
    smoothly up to it, and dents pressed in.

    Raises: DesignError, for a station that is not there, or a body that has none.
    """
    shape = quick.shape
    if shape is None:
        if faults.chord or faults.twist:
            raise DesignError(f"{quick.body.name} has no stations whose sections could be made wrong; only dents can")
        return dented(target_of(quick, False).surface, faults.dents)
    sections, mesh = fine_mesh(shape)
    if faults.chord or faults.twist:
        mesh = _resized(quick, faults, sections, mesh)
    return dented(surface_of(mesh, quick.placed[:1])[0], faults.dents)


def _resized(quick: Quick, faults: Faults, sections: Sections, mesh: SkinMesh) -> SkinMesh:
    stations = quick.resolved.stations
    names = [(n.station.name, n.station.id) for n in stations]
    first = next((k for k, both in enumerate(names) if faults.twist_from in both), -1) if faults.twist_from else 0
    if first < 0:
        raise DesignError(f"there is no station '{faults.twist_from}'; there are {', '.join(n for n, _ in names)}")
    assert quick.shape is not None
    at = sections.position
    if first > 0:
        share = np.clip(
            (at - stations[first - 1].position) / (stations[first].position - stations[first - 1].position), 0.0, 1.0
        )
        angle = faults.twist * share * share * (3.0 - 2.0 * share)
    else:
        angle = np.full(len(at), faults.twist)
    axes = np.stack([sections.across, sections.up], axis=1)
    middle = sections.origin + np.einsum("ni,nic->nc", sections.anchor.mean(axis=1), axes)
    c, s = np.cos(angle) * (1.0 + faults.chord), np.sin(angle) * (1.0 + faults.chord)
    turn = np.stack([np.stack([c, s], axis=1), np.stack([-s, c], axis=1)], axis=1)  # of rows
    back = np.linalg.pinv(axes)

    def carried(points: Array, about: Array) -> Array:
        return np.asarray(np.matmul(np.matmul(np.matmul(points - about, back), turn), axes) + about)

    points = carried(mesh.points, middle[:, None])
    around = carried(applied(mesh.sampling.slope, sections.control), np.zeros((len(at), 1, 3)))
    normals = cross3(around, np.gradient(points, sections.v, axis=0))
    size = np.linalg.norm(normals, axis=2, keepdims=True)
    normals = np.where(size > 1e-12, normals / np.maximum(size, 1e-300), mesh.normals)
    return replace(mesh, points=points, normals=normals)


def dented(what: Surface, dents: tuple[Dent, ...]) -> Surface:
    """A surface with dents pressed in: bells, along its normal where each is deepest.

    Raises: DesignError, for a size that cannot be.
    """
    corners, normals = what.corners, what.normals
    for dent in dents:
        if not (dent.wide > 0.0 and math.isfinite(dent.deep) and math.isfinite(dent.wide)):
            raise DesignError("a dent needs a depth and a width that are numbers, and wider than nothing")
        found = onto(what, np.array([dent.place]))
        middle, facing, scale = found.foot[0], found.normal[0], dent.wide / 1.665
        away = corners - middle
        high = -dent.deep * np.exp(-np.einsum("mkc,mkc->mk", away, away) / scale**2)
        high = np.where(normals @ facing > 0.3, high, 0.0)
        slope = -2.0 / scale**2 * high[..., None] * away
        slope -= np.einsum("mkc,mkc->mk", slope, normals)[..., None] * normals
        corners = corners + high[..., None] * normals
        normals = normals - slope
        normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    return what.with_corners(corners, normals) if dents else what


@dataclass(eq=False)
class Machine:
    """A part on a machine. `matrix` (4, 4): from the design's places to the machine's, as the part lies there."""

    part: Surface
    habits: Habits
    matrix: Array
    bare: tuple[Array, float]
    """Places (n, 3) about which, so near (mm), nothing is touched."""
    touches: int = 0
    chance: np.random.Generator = field(default_factory=np.random.default_rng)

    def touch(self, places: Array, ways: Array) -> Array:
        """(n, 3) where the probe touches when it goes towards `places` along `ways` (n, 3) of length 1, in the machine's own mm; NaN where it touches
        nothing."""
        back = np.linalg.inv(self.matrix)
        here = places @ back[:3, :3].T + back[:3, 3]
        way = ways @ back[:3, :3].T
        gone, met = _marched(self.part, here - BACK * way, way)
        met &= ~self._bare(here)
        habits = self.habits
        count = self.touches + np.arange(1, len(places) + 1)
        self.touches += len(places)
        noise = self.chance.normal(0.0, 1.0, len(places)) * habits.accuracy - habits.bias
        found = places + (gone - BACK + noise)[:, None] * ways
        found = found + (habits.drift * count / 1000.0)[:, None] * np.array([0.6, 0.0, 0.8])
        return np.where(met[:, None], found, np.nan)

    def _bare(self, here: Array) -> Mask:
        spots, reach = self.bare
        return np.asarray((np.linalg.norm(here[:, None] - spots, axis=2) < reach).any(axis=1))


def _marched(part: Surface, start: Array, way: Array) -> tuple[Array, Mask]:
    """How far (n,) mm along their ways (n, 3) points (n, 3) come to a surface, and whether they do: each goes as far as nothing can be in its
    way.

    Source: Hart, The Visual Computer 12 (1996), 527.
    """
    gone, met = np.zeros(len(start)), np.zeros(len(start), dtype=bool)
    going = np.arange(len(start))
    for _ in range(MARCH):
        off = onto(part, start[going] + gone[going, None] * way[going]).off
        gone[going] += off
        met[going] = np.abs(off) < TOUCHED
        going = going[(np.abs(off) >= TOUCHED) & (gone[going] < 2.0 * BACK)]
        if not len(going):
            break
    return gone, met & (gone < 2.0 * BACK)


def machine(quick: Quick, habits: Habits, faults: Faults) -> Machine:
    """A machine with a part on it: the body in hand, as it was made; it lies as chance has it.

    Raises: DesignError, for habits that cannot be.
    """
    sizes = (habits.accuracy, habits.bias, habits.drift, habits.missing, habits.shift, habits.turn)
    if not all(math.isfinite(x) for x in sizes) or min(habits.accuracy, habits.shift, habits.turn) < 0.0:
        raise DesignError(
            "a machine's accuracy, bias and drift are lengths, and none is less than nothing but bias and drift"
        )
    if not 0.0 <= habits.missing < 1.0:
        raise DesignError("the share of a part that cannot be touched is from 0 to less than 1")
    chance = np.random.default_rng(habits.seed)
    surface = part_of(quick, faults)
    spots = np.asarray(surface.spots.data)
    matrix = np.eye(4)
    middle = spots.mean(axis=0)
    matrix[:3, :3] = Rotation.from_rotvec(chance.uniform(-1.0, 1.0, 3) * habits.turn).as_matrix()
    matrix[:3, 3] = middle + chance.uniform(-1.0, 1.0, 3) * habits.shift - matrix[:3, :3] @ middle
    centres = spots[chance.integers(0, len(spots), SPOTS_MISSED)]
    near = np.linalg.norm(spots[::20, None] - centres, axis=2).min(axis=1)
    bare = centres, float(np.quantile(near, habits.missing)) if habits.missing else 0.0
    return Machine(surface, habits, matrix, bare, chance=chance)
