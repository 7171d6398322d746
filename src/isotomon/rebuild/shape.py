"""From a design to its section field: outlines, their common form, placed stations. Each is made once and remembered."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

import isotomon
from isotomon.errors import FieldError, ProfileError
from isotomon.field.correspond import Correspondence, correspond
from isotomon.field.mesh import Sampling, sampling
from isotomon.field.section_field import Placed, SectionField, make_field
from isotomon.field.wrapping import Wrap, finer
from isotomon.geometry.basis import Basis
from isotomon.measure.sections import Quadrature, quadrature
from isotomon.model.records import Design, Drawn, FromPoints, Kept, KeptRun, Outline, Section
from isotomon.model.resolve import Resolved, StationNumbers
from isotomon.profile.outline import Outline2D
from isotomon.profile.readymade import outline_of
from isotomon.rebuild.drawn import Drawings, SolvedSection, section_shape

Array = NDArray[np.float64]
Source = Section | Outline | SolvedSection
"""What a profile is made of: its record, the coordinates behind it, or the solved drawing."""


@dataclass(frozen=True, eq=False)
class Form:
    """Profiles in their common form, with what is derived from it alone. `key` names it."""

    key: str
    sources: tuple[Source, ...]
    common: Correspondence
    outlines: tuple[Outline2D, ...]
    rule: Quadrature
    samples: Sampling


def digest(value: object) -> str:
    """A short name for a value made of records, tuples, numbers and text."""
    return hashlib.sha256(msgspec.msgpack.encode(value)).hexdigest()[:24]


@lru_cache(maxsize=32)
def form_of(sources: tuple[Source, ...], wrapped: bool = False) -> Form:
    """The common form of different profiles, in order along the body; fine enough to be bent when they are `wrapped`.

    Raises: ProfileError, FieldError.
    """
    outlines = tuple(_outline(source) for source in sources)
    common = finer(correspond(outlines)) if wrapped else correspond(outlines)
    return Form(
        digest((sources, wrapped) if wrapped else sources),
        sources,
        common,
        outlines,
        quadrature(common),
        sampling(common),
    )


def _outline(source: Source) -> Outline2D:
    if isinstance(source, SolvedSection):
        return section_shape(source).outline
    if isinstance(source, Outline):
        return outline_of(FromPoints(source.id), {source.id: source})
    return outline_of(source, {})


def _sources(design: Design, resolved: Resolved, drawings: Drawings) -> dict[str, Source]:
    """What each station's profile is made of, by station id."""
    known = {o.id: o for o in design.outlines}
    found: dict[str, Source] = {}
    for n in resolved.stations:
        section = n.station.section
        if isinstance(section, Drawn):
            found[n.station.id] = drawings.section(section)
        elif not isinstance(section, FromPoints):
            found[n.station.id] = section
        elif section.outline in known:
            found[n.station.id] = known[section.outline]
        else:
            raise ProfileError(f"station '{n.station.name}': its foil coordinates are gone; choose another section")
    return found


def shape_form(design: Design, resolved: Resolved, drawings: Drawings) -> tuple[Form, dict[str, Source]]:
    """The common form of a design's profiles. Kept sections follow the others where their lanes match.

    Raises: ProfileError, FieldError.
    """
    sources = _sources(design, resolved, drawings)
    own = tuple(dict.fromkeys(s for s in sources.values() if not isinstance(s, Kept)))
    everything = tuple(dict.fromkeys(sources.values()))
    wrapped = resolved.wrap is not None
    if not own:
        return form_of(everything, wrapped), sources
    form = form_of(own, wrapped)
    if all(_fits(s, form.common) for s in everything if isinstance(s, Kept)):
        return form, sources
    return form_of(everything, wrapped), sources


def _fits(kept: Kept, common: Correspondence) -> bool:
    return len(kept.runs) == len(common.lanes) and kept.runs[0].periodic == common.lanes[0].basis.periodic


def make_shape(design: Design, resolved: Resolved, drawings: Drawings) -> tuple[SectionField, Form]:
    """The section field of a design.

    Raises: IsotomonError, naming the station where one is to blame.
    """
    if len(resolved.stations) < 2:
        count = len(resolved.stations)
        raise FieldError(f"a loft needs two stations or more; the design has {count or 'none'}")
    form, sources = shape_form(design, resolved, drawings)
    index = {source: i for i, source in enumerate(form.sources)}
    placed = [_place(n, sources[n.station.id], form, index) for n in resolved.stations]
    wrap = Wrap(resolved.wrap[:2], resolved.wrap[2]) if resolved.wrap is not None else None
    return make_field(form.common, placed, design.loft.ruled, wrap), form


def _place(n: StationNumbers, source: Source, form: Form, index: dict[Source, int]) -> Placed:
    if source in index:
        shape, anchor = form.common.control[index[source]], form.outlines[index[source]].anchor
        is_round = form.outlines[index[source]].round
    else:
        assert isinstance(source, Kept)
        shape, anchor, is_round = kept_control(source, form), np.array(source.anchor), source.round
    pivot = anchor[0] + n.pivot * (anchor[1] - anchor[0])
    return Placed(
        key=n.station.id,
        position=n.position,
        chord=n.chord,
        set_angle=n.set_angle,
        offset=n.offset,
        tilt=n.tilt,
        shape=shape - pivot,
        anchor=anchor - pivot,
        round=is_round,
        rank=n.station.rank,
    )


def kept_control(kept: Kept, form: Form) -> Array:
    """A kept section's control points (n, 2) in a form with as many lanes."""
    parts = []
    for run, lane in zip(kept.runs, form.common.lanes, strict=True):
        basis = Basis(run.degree, np.array(run.breaks), np.array(run.multiplicity, dtype=np.int64), run.periodic)
        control = np.array(run.control)
        if basis.size != len(control):
            raise ProfileError("a kept section does not hold together; replace it by another section")
        same = kept.basis == form.key and basis.size == lane.basis.size
        parts.append(control if same else lane.basis.interpolate(lambda u, b=basis, c=control: b.matrix(u) @ c))  # type: ignore[misc]
    return np.vstack(parts)


def shape_key(field: SectionField, form: Form, tolerance: float) -> str:
    """The key of the body: everything that affects its shape, and the versions of what makes it. No names."""
    stations = [
        (
            s.key,
            s.position,
            s.chord,
            s.set_angle,
            s.offset,
            s.tilt,
            s.round,
            s.rank,
            hashlib.sha256(s.shape.tobytes()).digest(),
        )
        for s in field.stations
    ]
    wrap = (field.wrap.way, field.wrap.height) if field.wrap is not None else None
    return digest((isotomon.__version__, form.key, field.ruled, wrap, tolerance, stations))


def keep_section(field: SectionField, form: Form, position: float) -> dict[str, object]:
    """Fields of a station that holds the section the body has at `position`: section, chord, angle, pivot, offset, tilt."""
    sections = field.sections(np.array([position]))
    along = sections.anchor[0, 1] - sections.anchor[0, 0]
    chord, angle = float(np.hypot(*along)), float(sections.angle[0])
    offset, tilt = field.place(position)
    c, s = np.cos(angle), np.sin(angle)
    back = np.array([[c, -s], [s, c]])
    # The pivot is the point of the chord nearest the carrier's point; straight rulings may leave it off the chord.
    fraction = float((offset - sections.anchor[0, 0]) @ along) / chord**2
    offset = sections.anchor[0, 0] + fraction * along
    local = (sections.local[0] - offset) @ back / chord
    anchor = (sections.anchor[0] - offset) @ back / chord
    runs = tuple(
        KeptRun(
            degree=lane.basis.degree,
            breaks=tuple(lane.basis.breaks.tolist()),
            multiplicity=tuple(lane.basis.multiplicity.tolist()),
            control=tuple((float(x), float(y)) for x, y in local[lane.columns]),
            periodic=lane.basis.periodic,
        )
        for lane in form.common.lanes
    )
    pairs = ((float(anchor[0, 0]), float(anchor[0, 1])), (float(anchor[1, 0]), float(anchor[1, 1])))
    return {
        "section": Kept(runs, pairs, form.key, bool(sections.round[0])),
        "chord": chord,
        "set_angle": angle,
        "pivot": fraction,
        "offset_x": float(offset[0]),
        "offset_y": float(offset[1]),
        "tilt_x": float(tilt[0]),
        "tilt_y": float(tilt[1]),
    }
