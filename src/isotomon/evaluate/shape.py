"""From a design to its section field: outlines, their common form, placed stations. Each is made once and remembered."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import msgspec
import numpy as np

from isotomon.arrays import Array
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import CrossedError, FieldError, ProfileError
from isotomon.evaluate.along import course_of, rim_of
from isotomon.evaluate.drawn import Drawings
from isotomon.evaluate.placing import Source, holes_for, outline_for, source_of
from isotomon.evaluate.rails import Laid, Shares
from isotomon.field.carriers import STRAIGHT, Carrier
from isotomon.field.correspond import Correspondence, correspond, with_holes
from isotomon.field.ends import Ending
from isotomon.field.making import Manner, make_field
from isotomon.field.mesh import Sampling, sampling
from isotomon.field.mitred import Mitred
from isotomon.field.rails import Track, make_rails
from isotomon.field.section_field import Placed, SectionField
from isotomon.field.ties import Held
from isotomon.field.wrapping import Wrap, finer
from isotomon.geometry.basis import Basis
from isotomon.geometry.datums import SpaceCurve
from isotomon.measure.sections import Quadrature, quadrature
from isotomon.profile.outline import Outline2D
from isotomon.profile.section import Apex, Kept, KeptRun
from isotomon.quantity.record import plain_text
from isotomon.version import VERSION

Variant = tuple[Source, tuple[tuple[str, float | None], ...]]
"""A profile with the places of ties and rails held on it."""


SAME_POINT = 1e-7
"""Of a chord: points of a profile nearer to each other than this are one."""


@dataclass(frozen=True, eq=False)
class CommonForm:
    """Profiles in their common form, with what is derived from it alone. `key` names it. `anchor_u`: (2,) the places
    round the section nearest to the nominal points of the first profile that has an angle of its own.
    """

    key: str
    variants: tuple[Variant, ...]
    common: Correspondence
    outlines: tuple[Outline2D, ...]
    rule: Quadrature
    samples: Sampling
    anchor_u: Array

    @cached_property
    def tie_rows(self) -> Array:
        """(ties, n): evaluates sections at the ties."""
        return self.common.rows(np.array([t.u for t in self.common.ties]))

    @cached_property
    def tie_shares(self) -> Array:
        """(variants, ties) the shares of the outlines' arc lengths at which the ties lie."""
        shares = [self.common.on(np.array([t.share[k] for t in self.common.ties])) for k in range(len(self.variants))]
        return np.array(shares).reshape(len(self.variants), len(self.common.ties))


def digest(value: object) -> str:
    """A short name for a value made of records, tuples, numbers and text."""
    return hashlib.sha256(msgspec.msgpack.encode(value, enc_hook=plain_text)).hexdigest()[:24]


@lru_cache(maxsize=32)
def form_of(variants: tuple[Variant, ...], wrapped: bool = False) -> CommonForm:
    """The common form of different profiles, in order along the body; fine enough to be bent when they are `wrapped`.

    Raises: ProfileError, FieldError.
    """
    outlines = tuple(outline_for(source) for source, _ in variants)
    holes = holes_through([source for source, _ in variants]) if not wrapped else ()
    names = dict.fromkeys(name for _, held in variants for name, _ in held)
    held = [Held(name, tuple(dict(places).get(name) for _, places in variants)) for name in names]
    common = correspond(outlines, held)
    if holes:
        common = with_holes(common, [correspond(hole) for hole in holes])
    common = finer(common) if wrapped else common
    plain = not names
    sources = tuple(source for source, _ in variants) if plain else variants
    return CommonForm(
        digest((sources, wrapped) if wrapped else sources),
        variants,
        common,
        outlines,
        quadrature(common),
        sampling(common),
        _anchor_places(common, outlines),
    )


def holes_through(sources: Sequence[Source]) -> tuple[tuple[Outline2D, ...], ...]:
    """(holes, outlines): the holes that go through all profiles, each followed from profile to profile by where it lies
    nearest; none where profiles have different numbers of them."""
    found = [holes_for(source) for source in sources]
    if not found or not found[0] or any(len(h) != len(found[0]) for h in found):
        return ()
    chains = [[hole] for hole in found[0]]
    for here in found[1:]:
        left = list(here)
        for chain in chains:
            near = chain[-1].polygon().mean(axis=0)
            k = min(range(len(left)), key=lambda i: float(np.linalg.norm(left[i].polygon().mean(axis=0) - near)))
            chain.append(left.pop(k))
    return tuple(tuple(chain) for chain in chains)


def _anchor_places(common: Correspondence, outlines: tuple[Outline2D, ...]) -> Array:
    index = next((i for i, o in enumerate(outlines) if not o.round), 0)
    u = np.arange(1440) / 1440.0
    points = common.rows(u) @ common.control[index]
    away = np.linalg.norm(points[:, None] - outlines[index].anchor, axis=2)
    return np.asarray(u[away.argmin(axis=0)])


def shape_form(
    design: Design, resolved: Resolved, drawings: Drawings, held: Sequence[tuple[str, Shares]] = ()
) -> tuple[CommonForm, dict[str, Variant]]:
    """The common form of a design's profiles, with ties and rails held where they are (name, shares by station).
    Kept sections follow the others where their lanes match.

    Raises: ProfileError, FieldError.
    """
    variants: dict[str, Variant] = {}
    for n in resolved.stations:
        key, source = n.station.id, source_of(n, design, drawings)
        places = tuple((name, shares[key]) for name, shares in held if key in shares)
        variants[key] = (source, () if isinstance(source, Apex) else places)
    everything = tuple(dict.fromkeys(v for v in variants.values() if not isinstance(v[0], Apex)))
    own = tuple(v for v in everything if not isinstance(v[0], Kept))
    if not everything:
        raise FieldError("a loft from point to point has no section between them; add a station with a profile")
    wrapped = resolved.wrap is not None
    if not own:
        return form_of(everything, wrapped), variants
    form = form_of(own, wrapped)
    if all(_fits(v[0], form.common) and _passes(v, form) for v in everything if isinstance(v[0], Kept)):
        return form, variants
    return form_of(everything, wrapped), variants


def _passes(variant: Variant, form: CommonForm) -> bool:
    """Whether a kept section, laid into a form as it is, has the points held on it where the form has them."""
    source, held = variant
    known = [(name, share) for name, share in held if share is not None]
    if not known or not isinstance(source, Kept):
        return True
    outline = outline_for(source)
    wanted = outline.points(np.array([share for _, share in known]) * outline.length)
    rows = form.common.rows(np.array([form.common.place_of(name) for name, _ in known]))
    return bool(np.abs(rows @ kept_control(source, form) - wanted).max() < SAME_POINT)


def _fits(kept: Kept, common: Correspondence) -> bool:
    return len(kept.runs) == len(common.lanes) and kept.runs[0].periodic == common.lanes[0].basis.periodic


def _form_by_names(
    design: Design, resolved: Resolved, drawings: Drawings, held: Sequence[tuple[str, Shares]]
) -> tuple[CommonForm, dict[str, Variant]]:
    """What `shape_form` gives; ties know each other by ids, people know rails by their guides' names."""
    try:
        return shape_form(design, resolved, drawings, held)
    except CrossedError as error:
        guides = {g.id: g.name for g in design.guides}
        called = {f"rail {r.id}": f"rail {guides.get(r.guide, r.guide)}" for r in resolved.body.loft.rails}
        raise CrossedError([called.get(name, name) for name in error.names]) from None


def make_shape(
    design: Design,
    resolved: Resolved,
    drawings: Drawings,
    groups: Sequence[Sequence[Laid]] = (),
    ties: Sequence[tuple[str, Shares]] = (),
    carrier: Carrier = STRAIGHT,
    endings: tuple[Ending | None, Ending | None] = (None, None),
    rim: SpaceCurve | None = None,
) -> tuple[SectionField, CommonForm, Array]:
    """The section field of a design, with its ties and its rails, in groups that act as one; the form of its profiles; and
    (stations, ties) the shares of the profiles' arc lengths at which the form's ties lie.

    Raises: IsotomonError, naming the station where one is to blame.
    """
    if len(resolved.stations) < 2:
        raise FieldError(
            "a body of one station goes on by some distance, along a path or about an axis; say how far, or add a station"
            if resolved.stations
            else "a loft needs two stations or more; the design has none"
        )
    held = [*ties, *((f"rail {g[0].rail.id}", g[0].shares) for g in groups)]
    form, variants = _form_by_names(design, resolved, drawings, held)
    index = {variant: i for i, variant in enumerate(form.variants)}
    placed = _all_placed(resolved, variants, form, index)
    wrap = Wrap(resolved.wrap[:2], resolved.wrap[2]) if resolved.wrap is not None else None
    tracks = [_midway([x.track for x in g]) for g in groups]
    places = [form.common.place_of(f"rail {t.key}") for t in tracks]
    bent = carrier is not STRAIGHT
    rails = make_rails(form.common, tracks, places, form.anchor_u, resolved.body.loft.stretch, near=bent)
    shares = np.full((len(placed), len(form.common.ties)), np.nan)
    for row, n in enumerate(resolved.stations):
        at = index.get(variants[n.station.id])
        if at is not None:
            shares[row] = form.tie_shares[at]
    loft = resolved.body.loft
    course = course_of(resolved, placed, form.common, form.rule.area_form, carrier)
    manner = Manner(
        loft.ruled or isinstance(carrier, Mitred),
        resolved.ring,
        wrap,
        carrier,
        endings,
        course,
        rim_of(placed, form.common, carrier, rim, loft),
    )
    return make_field(form.common, placed, manner, rails), form, shares


def _all_placed(
    resolved: Resolved, variants: dict[str, Variant], form: CommonForm, index: dict[Variant, int]
) -> list[Placed]:
    """Every station's shape in the common form, where it stands, with the whole turns added up to it."""
    turns = {t.station.thing: t.turns for t in resolved.body.loft.turns}
    placed, whole = [], 0
    for k, n in enumerate(resolved.stations):
        whole += 0 if n.carried else turns.get(n.station.id, 0)
        one = _place(n, variants[n.station.id], form, index, 2.0 * np.pi * whole)
        placed.append(replace(one, key=f"{one.key}/{k}") if n.carried else one)
    return placed


def _midway(tracks: Sequence[Track]) -> Track:
    """One track as it is; several as the one midway between them."""
    if len(tracks) == 1:
        return tracks[0]
    return Track(tracks[0].key, SpaceCurve(lambda s: np.mean([t.curve.at(s) for t in tracks], axis=0)))


def _place(n: StationNumbers, variant: Variant, form: CommonForm, index: dict[Variant, int], turn: float) -> Placed:
    source, tip = variant[0], ""
    if isinstance(source, Apex):
        tip = "rounded" if source.rounded else "sharp"
        shape, anchor, is_round = np.zeros((form.common.size, 2)), np.zeros((2, 2)), True
    elif variant in index:
        shape, anchor = form.common.control[index[variant]], form.outlines[index[variant]].anchor
        is_round = form.outlines[index[variant]].round
    else:
        assert isinstance(source, Kept)
        shape, anchor, is_round = kept_control(source, form), np.array(source.anchor), source.round
    pivot = anchor[0] + n.pivot * (anchor[1] - anchor[0])
    return Placed(
        key=n.station.id,
        position=n.position,
        chord=n.chord if not tip else 1.0,
        set_angle=n.set_angle + turn,
        offset=n.offset,
        tilt=n.tilt,
        shape=shape - pivot,
        anchor=anchor - pivot,
        round=is_round,
        rank=n.station.rank,
        tip=tip,
        outline=index.get(variant, -1),
    )


def kept_control(kept: Kept, form: CommonForm) -> Array:
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


def shape_key(field: SectionField, form: CommonForm, tolerance: float) -> str:
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
            *((s.tip,) if s.tip else ()),
            hashlib.sha256(s.shape.tobytes()).digest(),
        )
        for s in field.stations
    ]
    wrap = (field.wrap.way, field.wrap.height) if field.wrap is not None else None
    ends = [
        (e.v, e.length, *(hashlib.sha256(a.tobytes()).digest() for a in (e.change, e.bend) if a is not None))
        for e in field.ends
    ]
    rails = None
    if field.rails is not None:
        t = np.linspace(0.0, 1.0, 65)
        curves = [
            (k.key, u, hashlib.sha256(k.curve.at(t).tobytes()).digest())
            for k, u in zip(field.rails.tracks, field.rails.places, strict=True)
        ]
        rails = (field.rails.stretch, curves)
    carried = (hashlib.sha256(field.carrier.marks()).digest(), field.ring)
    course = [hashlib.sha256(m.marks()).digest() if m is not None else None for m in (field.course, field.rim)]
    bent = tuple(hashlib.sha256(b.marks()).digest() for b in field.bendings)
    everything = (form.key, field.ruled, wrap, tolerance, stations, rails, ends, carried, course, *bent)
    return digest((VERSION, *everything))


def keep_section(field: SectionField, form: CommonForm, position: float) -> dict[str, object]:
    """Fields of a station that holds the section the body has at `position`: section, chord, angle, pivot, offset, tilt."""
    field = field.unbent()  # rails, ends and laws act on the inserted section as they acted on the body there
    sections = field.sections(field.params(np.array([position])))
    along = sections.anchor[0, 1] - sections.anchor[0, 0]
    chord, angle = float(np.hypot(*along)), float(sections.angle[0])
    offset, tilt = field.place(float(sections.v[0]))
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
