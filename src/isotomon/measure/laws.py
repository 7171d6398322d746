"""Laws judged against what the body has, and findings in plain words."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from isotomon.arrays import Array, Mask
from isotomon.geometry.hermite import Hermite, smooth
from isotomon.measure.sections import Curves

Severity = Literal["error", "band", "note"]
Quality = Literal["area", "set_angle", "turn", "twist_rate", "thickness"]


@dataclass(frozen=True, eq=False)
class Mend:
    """A way to mend what is wrong: what it does, in words, and the edit of the design that does it."""

    title: str
    edit: Callable[[Any], Any]


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong (error), out of its band (band) or worth knowing (note).

    `where` in words; `position` along the body (mm) and `place` in space where there is one; `about`: the id of the
    station, law or body it belongs to.
    """

    severity: Severity
    where: str
    text: str
    position: float | None = None
    place: tuple[float, float, float] | None = None
    about: str = ""
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True, eq=False)
class Judged:
    """A law against the body. `position`, `target`, `band`, `value`: (n,) where it is judged; NaN values are skipped.

    `line`: the law's own course for drawing, (m,) positions, targets and half bands.
    """

    key: str
    name: str
    quality: Quality
    position: Array
    target: Array
    band: Array
    value: Array
    line: tuple[Array, Array, Array]

    @property
    def excess(self) -> Array:
        """(n,) deviation in half bands; more than 1 is out of band."""
        # Of a band of nothing, or next to it, all is out that is not met; nought over nought is met.
        with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
            off = np.abs(self.value - self.target) / self.band
        return np.where(np.isnan(off), 0.0, off)

    @property
    def out(self) -> Mask:
        """(n,) where it is out of its band."""
        return self.excess > 1.0 + 1e-9

    @property
    def worst(self) -> int:
        """Index of the worst place."""
        return int(np.argmax(self.excess))


def course(position: Array, target: Array, band: Array, v: Array) -> tuple[Array, Array]:
    """A law's target and half band at v, by the same smooth interpolant that carries sections; constant outside."""
    if len(position) == 1:
        return np.full(len(v), target[0]), np.full(len(v), band[0])
    at = tuple(position.tolist())
    return _through(at, tuple(target.tolist()))(v)[:, 0], _through(at, tuple(band.tolist()))(v)[:, 0]


@lru_cache(maxsize=256)
def _through(position: tuple[float, ...], value: tuple[float, ...]) -> Hermite:
    """A law's course stays the same while the body changes."""
    return smooth(np.array(position), np.array(value)[:, None])


def quality_of(curves: Curves, quality: Quality) -> Array:
    """The curve a law of this quality is judged against."""
    by_name = {"area": curves.area, "set_angle": curves.set_angle, "turn": curves.turn, "twist_rate": curves.twist_rate}
    if quality == "thickness":
        return curves.thickness if curves.thickness is not None else np.full(len(curves.v), np.nan)
    return by_name[quality]


_UNITS = {
    "area": (1.0, "mm²"),
    "thickness": (1.0, "mm"),
    "set_angle": (180.0 / math.pi, "°"),
    "turn": (180.0 / math.pi, "°"),
}

_UNDEFINED = {
    "set_angle": "a round section has no set angle",
    "turn": "a point has no turn",
    "area": "an open section has no area",
    "thickness": "an open section has no thickness",
}


def law_findings(judged: Judged, wheres: list[str]) -> list[Finding]:
    """At most one finding: the worst place, with what is there, what is intended and by how much it is out."""
    if not len(judged.position):
        return []
    undefined = np.isnan(judged.value)
    findings = []
    if undefined.any():
        i = int(np.argmax(undefined))
        findings.append(
            Finding(
                "note",
                wheres[i],
                f"{judged.name}: {_UNDEFINED.get(judged.quality, 'what it asks for is undefined')} there, so it is not judged",
                float(judged.position[i]),
                about=judged.key,
            )
        )
    worst = judged.worst
    if judged.out[worst]:
        value, target, band = (float(a[worst]) for a in (judged.value, judged.target, judged.band))
        out = int(np.sum(judged.out))
        more = f"; {out} places are out, this is the worst" if out > 1 else ""
        findings.append(
            Finding(
                "band",
                wheres[worst],
                f"{judged.name} is {_amount(value, judged.quality)}, intended "
                f"{_amount(target, judged.quality)} ± {_amount(band, judged.quality)}"
                f"{_share(value, target, judged.quality)}{more}",
                float(judged.position[worst]),
                about=judged.key,
            )
        )
    return findings


def _amount(value: float, quality: Quality) -> str:
    if quality == "twist_rate":
        return f"{math.degrees(value) * 1000.0:.3f} °/m"
    scale, unit = _UNITS[quality]
    digits = 2 if quality == "area" else 3
    return f"{value * scale:,.{digits}f}{' ' if quality in ('area', 'thickness') else ''}{unit}"


def _share(value: float, target: float, quality: Quality) -> str:
    return f" ({(value - target) / target:+.2%})" if quality == "area" and target else ""
