"""Profiles carried along two rails, each turned and scaled so that it reaches both."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from isotomon.arrays import Array
from isotomon.errors import FieldError
from isotomon.field.crossing import crossings
from isotomon.field.grid_fit import fit_sheet, joins_of
from isotomon.field.sheet import SkinSheet
from isotomon.field.spreads import Spread, spread, spread_at
from isotomon.field.strand import Strand
from isotomon.geometry.basis import fit
from isotomon.geometry.hermite import Hermite, smooth
from isotomon.geometry.planar import cross3

TOUCH = 1e-3
"""Of the rails' distance: a profile that comes so near to both stands where it touches them."""
MOST_KEPT = 16
"""Skins that are not worked out anew as long as their curves are the same."""
NEARLY = 1e-4
"""rad: so nearly profiles stand across rails that are not smooth everywhere."""
NARROW = 1e-6
"""Of the rails' greatest distance: rails that come nearer to each other meet there."""


@dataclass(frozen=True, eq=False)
class RailPair:
    """Two curves that correspond: `spread` has both. `upright`: (3,) the direction that the profiles' height keeps to, as nearly as it can;
    None: they stand across the rails."""

    spread: Spread
    upright: Array | None

    @cached_property
    def onward(self) -> Callable[[Array], Array]:
        """The direction (n, 3) of length 1 in which both go on together; smooth also where they are less so, and there only nearly it: the rails
        are met all the same."""
        if self.spread.basis.multiplicity[1:-1].max(initial=1) == 1:
            return self._direction
        basis, control = fit(self._direction, NEARLY)
        return lambda v: np.asarray(basis.sparse(v) @ control)

    def _direction(self, v: Array) -> Array:
        onward = self.spread.at(v, 1).mean(axis=1)
        return np.asarray(onward / np.maximum(np.linalg.norm(onward, axis=1, keepdims=True), 1e-300))

    def frames(self, v: Array) -> tuple[Array, Array]:
        """The beginnings (n, 3) on the first rail, and (n, 3, 3) the way to the second one, its length that of the way, the height and the
        depth, these of length 1 by the way's.

        Raises: FieldError, where height and way are one.
        """
        places = self.spread.at(v)
        begin, way = places[:, 0], places[:, 1] - places[:, 0]
        far = np.linalg.norm(way, axis=1, keepdims=True)
        along = way / np.maximum(far, NARROW * far.max())
        if self.upright is None:
            height = cross3(self.onward(v), along)
        else:
            height = self.upright - (along @ self.upright)[:, None] * along
        size = np.linalg.norm(height, axis=1, keepdims=True)
        if np.any(size < 1e-6):
            raise FieldError(
                "the rails run straight at each other somewhere, so that nothing stands across them; choose another height"
            )
        height = height / size
        return begin, np.stack([along, height, cross3(along, height)], axis=1)


@lru_cache(maxsize=MOST_KEPT)
def along_rails(
    rails: tuple[Strand, Strand],
    profiles: tuple[Strand, ...],
    upright: tuple[float, float, float] | None,
    even: bool,
    tolerance: float,
) -> tuple[SkinSheet, Array]:
    """The skin of profiles carried along two rails, as sized as the rails are apart, `even` in height, too, and the places (profiles,) along
    the rails at which they stand: where they touch both, else evenly from the first end to the last.

    Raises: FieldError.
    """
    ordered = _from_first(rails, profiles)
    shares = _standing(rails, ordered)
    places = np.mean(shares, axis=0)
    order = np.argsort(places)
    ordered, shares, places = [ordered[k] for k in order], shares[:, order], places[order]
    if len(places) > 1 and np.diff(shares, axis=1).min() <= 0.0:
        raise FieldError(
            "the profiles touch the rails in different orders; choose profiles that do not cross each other"
        )
    both = RailPair(_rails(rails, shares, places, tolerance), None if upright is None else np.array(upright))
    own = spread(ordered, tolerance)
    local = _local(both, own, places, even)

    def sample(u: Array, v: Array) -> Array:
        begin, frame = both.frames(v)
        far = np.linalg.norm(both.spread.at(v)[:, 1] - begin, axis=1)
        shape = local(v).reshape(len(v), own.basis.size, 3)
        size = np.stack([far, far if even else np.ones(len(v)), far if even else np.ones(len(v))], axis=1)
        stood = np.matmul(shape, size[..., None] * frame) + begin[:, None]
        return np.asarray(
            (own.basis.sparse(u) @ stood.transpose(1, 0, 2).reshape(own.basis.size, -1)).reshape(-1, len(v), 3)
        )

    joins = {**joins_of(both.spread.basis), **{float(p): 2 for p in places if 0.0 < p < 1.0}}
    made = fit_sheet(sample, joins_of(own.basis), joins, tolerance)
    return SkinSheet(made.u, made.v, made.control, own.corners), places


def _from_first(rails: tuple[Strand, Strand], profiles: Sequence[Strand]) -> list[Strand]:
    """Profiles that begin at the first rail and end at the second, each turned round where it does not."""
    t, made = np.linspace(0.0, 1.0, 129), list[Strand]()
    first, second = (rail.at(t) for rail in rails)
    for profile in profiles:
        if profile.closed:
            raise FieldError("a profile between two rails has two ends; choose open ones")
        ends = profile.at(np.array([0.0, 1.0]))
        far = [[float(np.linalg.norm(rail - end, axis=1).min()) for rail in (first, second)] for end in ends]
        made.append(profile.turned() if far[0][1] + far[1][0] < far[0][0] + far[1][1] else profile)
    return made


def _standing(rails: tuple[Strand, Strand], profiles: Sequence[Strand]) -> Array:
    """(2, profiles) the shares of both rails' lengths at which the profiles stand."""
    found = [crossings([rail], profiles) for rail in rails]
    apart = float(
        np.linalg.norm(rails[1].at(np.linspace(0.0, 1.0, 33)) - rails[0].at(np.linspace(0.0, 1.0, 33)), axis=1).max()
    )
    touching = all(
        float(c.gaps.max()) <= TOUCH * apart and np.abs(c.on_second - end).max() < TOUCH
        for c, end in zip(found, (0.0, 1.0), strict=True)
    )
    if touching:
        return np.stack([c.on_first[0] for c in found])
    even = np.linspace(0.0, 1.0, len(profiles)) if len(profiles) > 1 else np.zeros(1)
    return np.stack([even, even])


def _rails(rails: tuple[Strand, Strand], shares: Array, places: Array, tolerance: float) -> Spread:
    """Both rails so that they correspond where profiles stand, and all along where they stand nowhere."""
    inner = (places > 1e-6) & (places < 1.0 - 1e-6)
    common = np.r_[0.0, places[inner], 1.0]
    own = np.column_stack([np.zeros(2), shares[:, inner], np.ones(2)])
    return spread_at(rails, own, common, tolerance) if inner.any() else spread(rails, tolerance)


def _local(both: RailPair, own: Spread, places: Array, even: bool) -> Hermite:
    """The profiles' control points in the rails' frames, from place to place; as they are at the first and last one beyond these."""
    begin, frame = both.frames(places)
    far = np.linalg.norm(both.spread.at(places)[:, 1] - begin, axis=1)
    control = own.control.transpose(1, 0, 2)  # (profiles, n, 3)
    ends = control[:, [0, -1]]
    way = ends[:, 1] - ends[:, 0]
    size = np.linalg.norm(way, axis=1)
    if size.min() < NARROW * max(float(far.max()), 1e-300):
        raise FieldError("a profile comes back to where it begins, so that it reaches no second rail; choose another")
    # A profile that stands elsewhere is turned to the rails by the least turn that lays its chord into the way.
    turned = [_laid(points - points[0], w / s, f) for points, w, s, f in zip(control, way, size, frame, strict=True)]
    scale = np.ones((len(places), 3))
    scale[:, 0] = 1.0 / size
    if even:
        scale[:, 1:] = (1.0 / size)[:, None]
    shaped = np.stack([points * s for points, s in zip(turned, scale, strict=True)])
    rows = shaped.reshape(len(places), -1)
    x = places
    if x[0] > 1e-6:
        x, rows = np.r_[0.0, x], np.vstack([rows[:1], rows])
    if x[-1] < 1.0 - 1e-6:
        x, rows = np.r_[x, 1.0], np.vstack([rows, rows[-1:]])
    return smooth(x, rows, dimension=3)


def _laid(points: Array, chord: Array, frame: Array) -> Array:
    """Points (n, 3), from the profile's beginning, in a frame (3, 3) into whose first direction the profile's chord is turned.

    Source: the least rotation between two directions, Rodrigues.
    """
    target = frame[0]
    axis, cosine = np.cross(chord, target), float(chord @ target)
    if cosine < -1.0 + 1e-9:
        turn = -np.eye(3) + 2.0 * np.outer(frame[1], frame[1])
    else:
        k = np.array([[0.0, -axis[2], axis[1]], [axis[2], 0.0, -axis[0]], [-axis[1], axis[0], 0.0]])
        turn = np.eye(3) + k + k @ k / (1.0 + cosine)
    return np.asarray(points @ turn.T @ frame.T)
