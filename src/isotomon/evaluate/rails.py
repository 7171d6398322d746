"""A design's rails and ties laid on its profiles: where each meets every profile, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

import numpy as np

from isotomon.arrays import Array
from isotomon.design import loft_edits
from isotomon.design.body import Body
from isotomon.design.guides import End, Guide, Rail, Tie
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved, StationNumbers
from isotomon.errors import IsotomonError
from isotomon.evaluate.placing import Stood, named_share, nearest_share, outline_for, source_of
from isotomon.evaluate.sources import Sources
from isotomon.field.carriers import STRAIGHT, Carrier, tilted
from isotomon.field.rails import Track, met
from isotomon.field.wrapping import Wrap
from isotomon.geometry.datums import SpaceCurve
from isotomon.measure.laws import Finding, Mend
from isotomon.profile.outline import Outline2D
from isotomon.profile.section import Apex, Kept

Shares = dict[str, float | None]
"""Station id → share of the profile's arc length; None where it takes the place in between."""
NEAR = 0.01
"""Rails nearer to each other than this share of the section act as one."""
BETWEEN = 8
"""A rail's course is looked at in so many places a bay."""
LEAP = 0.4
"""A rail is met no farther on, from one of these planes to the next, than this share of it."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A rail with its track in the space in which sections are flat, where it meets the profiles, and at stations that it
    misses the gap (mm) with the profile's point."""

    rail: Rail
    name: str
    track: Track
    shares: Shares
    gaps: dict[str, tuple[float, Array]]


def lay_rails(design: Design, ground: Sources) -> tuple[list[Laid], list[Finding]]:
    """The rails that can be followed, and a finding for each that cannot."""
    laid: list[Laid] = []
    findings: list[Finding] = []
    resolved = ground.resolved
    if not ground.body.loft.rails or resolved is None or len(resolved.stations) < 2:
        return laid, findings
    if ground.body.loft.ruled:
        text = "straight rulings run straight from station to station, past the rails; make the loft smooth"
        return laid, [Finding("error", ground.body.name, text, about=ground.body.id)]
    stands = [_stands(ground, resolved, n) for n in resolved.stations]
    tracks: list[tuple[Rail, Track]] = []
    for rail in ground.body.loft.rails:
        try:
            tracks.append((rail, _track(rail, ground.curve(rail.guide), stands[0].wrap)))
        except IsotomonError as error:
            text = f"{error}. It is left out until then"
            mend = Mend("Take the rail out", lambda d, k=rail.id: loft_edits.remove_rail(d, k))  # type: ignore[misc]
            name = f"rail {ground.called(rail.guide)}"
            findings.append(Finding("error", name, text, about=rail.id, mends=(mend,)))
    if not tracks:
        return laid, findings
    carrier = ground.carrier()
    origins, normals = _between(stands, carrier)
    at, gap, count, place, _ = met([track for _, track in tracks], origins, normals, carrier is not STRAIGHT)
    for row, (rail, track) in enumerate(tracks):
        name = ground.called(rail.guide)
        trouble = _course(rail, name, track, stands, origins, (at[row], gap[row], count[row]))
        if trouble is not None:
            findings.append(trouble)
            continue
        shares, gaps = _meetings(design, rail, stands, place[row, ::BETWEEN])
        laid.append(Laid(rail, name, track, shares, gaps))
    return laid, findings


def _stands(ground: Sources, resolved: Resolved, n: StationNumbers) -> Stood:
    """A section of the body where it stands; a carried one, or the tip of a round end, is its station's, elsewhere."""
    own = ground.profile(resolved.of(n.station.id.partition("/")[0]).station)
    return replace(own, n=n, plane=ground.plane_there(n.position, n.tilt)) if n.carried else own


def _track(rail: Rail, curve: SpaceCurve, wrap: Wrap | None) -> Track:
    if wrap is None:
        return Track(rail.id, curve)
    return Track(rail.id, SpaceCurve(lambda t: wrap.flattened(curve.at(t)), curve.closed))


def _between(stands: Sequence[Stood], carrier: Carrier) -> tuple[Array, Array]:
    """Origins and normals (n, 3) of the stations' planes and of some between: every BETWEEN-th is one."""
    places = np.arange(len(stands), dtype=float)
    fine = np.linspace(0.0, len(stands) - 1.0, BETWEEN * (len(stands) - 1) + 1)
    rows = np.array([[s.n.position, *s.n.tilt] for s in stands])
    position, a, b = (np.interp(fine, places, column) for column in rows.T)
    tilt = np.stack([a, b], axis=1)
    frames = tilted(carrier.frames(position), np.ones_like(position), tilt, np.zeros_like(tilt))
    return frames.origin, frames.normal


def _course(
    rail: Rail,
    name: str,
    track: Track,
    stands: Sequence[Stood],
    o: Array,
    levels: tuple[Array, Array, Array],
) -> Finding | None:
    """Why a rail cannot be followed from the first to the last plane, if it cannot."""
    at, gap, count = levels
    curve = track.curve
    take_out = Mend("Take the rail out", lambda d: loft_edits.remove_rail(d, rail.id))
    size = max(s.n.chord for s in stands)
    if gap.max() > 1e-7 * size:
        k = int(gap.argmax())
        x, y, z = curve.at(at[[k]])[0].tolist()
        station = stands[round(k / BETWEEN)].n.station.name
        text = f"stops {gap[k]:.4g} mm short of the plane of station {station}; lengthen it, or take it out"
        mends = [take_out]
        if gap[0] > 0.0 or gap[-1] > 0.0:
            mends.insert(
                0,
                Mend(
                    "Lengthen the guide",
                    lambda d: loft_edits.lengthen(d, rail.id, float(gap[0]), float(gap[-1]), bool(at[0] > at[-1])),
                ),
            )
        return Finding("error", f"rail {name}", text, z, (x, y, z), rail.id, tuple(mends))
    if count.max() > 1:
        k = int(count.argmax())
        x, y, z = curve.at(at[[k]])[0].tolist()
        text = f"doubles back: it passes the section at {o[k, 2]:.4g} mm {count[k]} times; straighten it there, or take it out"
        return Finding("error", f"rail {name}", text, float(o[k, 2]), (x, y, z), rail.id, (take_out,))
    steps = np.abs(np.diff(at))
    steps = np.minimum(steps, 1.0 - steps) if curve.closed else steps
    if steps.max() > LEAP:
        k = int(steps.argmax())
        x, y, z = curve.at(at[[k]])[0].tolist()
        text = "does not run along the body: from one section to the next it is met far away; bring it nearer, or take it out"
        return Finding("error", f"rail {name}", text, z, (x, y, z), rail.id, (take_out,))
    return None


def _meetings(
    design: Design, rail: Rail, stands: Sequence[Stood], places: Array
) -> tuple[Shares, dict[str, tuple[float, Array]]]:
    """Where a rail meets every profile: as it was set, by construction, or where the profile comes nearest to it; and the
    gaps there, but by construction."""
    guide = next((g for g in design.guides if g.id == rail.guide), None)
    known = _by_construction(guide) if guide is not None else {}
    ends = {e.station.thing: e for e in rail.ends}
    shares: Shares = {}
    gaps: dict[str, tuple[float, Array]] = {}
    for stand, place in zip(stands, places, strict=True):
        key, outline = stand.n.station.id, stand.outline
        if stand.n.carried:  # it follows the rail from where its station meets it
            continue
        named = known.get(key) if key not in ends else None
        if isinstance(stand.n.station.section, Apex) or (isinstance(stand.n.station.section, Kept) and named is None):
            shares[key] = None  # what a body had there follows its rails as the body did
            continue
        if named is not None and named.passes:
            shares[key] = named_share(outline, named.part)
            continue
        away = place - stand.plane.origin
        flat = np.array([[away @ stand.plane.across, away @ stand.plane.up]])
        share = end_share(ends[key], outline) if key in ends else None
        if named is not None:  # drawn away from a point of the profile, it keeps to that point
            share = named_share(outline, named.part)
        if share is None:
            x, y = np.round(stand.to_unit(flat)[0], 9).tolist()
            share = nearest_share(outline, x, y)
        own = outline.points(np.array([share * outline.length]))
        shares[key] = share
        gaps[key] = (float(np.linalg.norm(stand.in_plane(own) - flat)), stand.in_space(own)[0])
    return shares, gaps


class _Named(NamedTuple):
    """The named point of a profile that a guide stands on, and whether it passes it or lies off it."""

    part: str
    passes: bool


def _by_construction(guide: Guide) -> dict[str, _Named]:
    """Station → the named point of its profile that a guide through points stands on."""
    found = {}
    for p in guide.points if guide.kind == "through" else ():
        if p.on.part:
            found[p.on.thing] = _Named(p.on.part, (p.x, p.y, p.z) == (0.0, 0.0, 0.0))
    return found


def end_share(end: End, outline: Outline2D) -> float | None:
    """The share of the arc length at which an end set by hand lies; None when its corner is gone."""
    if not end.corner:
        return outline.on(end.share)
    known = end.corner in (*outline.corner_names, *(("start", "end") if outline.open else ()))
    return outline.share_of(end.corner) if known else None


def lay_ties(design: Design, ground: Sources) -> list[tuple[str, Shares]]:
    """(name, where it lies by station) of every tie set by hand. An end whose corner is gone takes the place between the
    others."""
    resolved, drawings = ground.resolved, ground.drawings
    if resolved is None:
        return []
    sources = {n.station.id: source_of(n, design, drawings) for n in resolved.stations} if ground.body.loft.ties else {}
    laid: list[tuple[str, Shares]] = []
    for tie in ground.body.loft.ties:
        here = ((e.station, end_share(e, outline_for(sources[e.station]))) for e in tie.ends if e.station in sources)
        laid.append((f"tie {tie.id}", {station: share for station, share in here if share is not None}))
    return laid


def lost_corners(design: Design, ground: Sources) -> list[Finding]:
    """The ends of ties and rails whose corners are gone: they are not held there any more."""
    resolved, drawings = ground.resolved, ground.drawings
    if resolved is None:
        return []
    names = {g.id: g.name for g in design.guides}
    held: list[tuple[str, str, Tie | Rail]] = [(f"tie {t.id}", "tie", t) for t in ground.body.loft.ties]
    held += [(f"rail {names.get(r.guide, r.guide)}", "rail", r) for r in ground.body.loft.rails]
    findings = []
    for where, kind, record in held:
        for end in record.ends:
            n = next((n for _, n in resolved.own if n.station.id == end.station and end.corner), None)
            if n is None or end_share(end, outline_for(source_of(n, design, drawings))) is not None:
                continue
            text = (
                f"the corner {end.corner} at station {n.station.name} is gone, so that the {kind} is not held there; "
                "drag its end to where it belongs"
            )
            mend = Mend("Let it go there", partial(loft_edits.let_go_end, key=record.id, station=end.station))
            findings.append(Finding("error", where, text, about=record.id, mends=(mend,)))
    return findings


def together(laid: list[Laid]) -> tuple[list[list[Laid]], list[Finding]]:
    """Rails that meet the profiles at nearly one place, in groups that act as one; with a finding for such."""
    groups: list[list[Laid]] = []
    for one in laid:
        for group in groups:
            gaps = [
                abs(a - b) if 1.0 in (a, b) else abs((a - b + 0.5) % 1.0 - 0.5)  # 1 is the far end of an open profile
                for key, a in one.shares.items()
                if a is not None and (b := group[0].shares.get(key)) is not None
            ]
            if gaps and max(gaps) < NEAR:
                group.append(one)
                break
        else:
            groups.append([one])
    findings = [
        Finding(
            "note",
            f"rails {' and '.join(x.name for x in group)}",
            "they are nearer to each other than a hundredth of the section and act as one, midway between them",
            about=group[1].rail.id,
            mends=(Mend(f"Take {group[1].name} out", lambda d, k=group[1].rail.id: loft_edits.remove_rail(d, k)),),  # type: ignore[misc]
        )
        for group in groups
        if len(group) > 1
    ]
    return groups, findings


def miss_findings(design: Design, body: Body, laid: Sequence[Laid]) -> list[Finding]:
    """A finding for every rail and station that are farther apart than the design's tolerance."""
    stations = {s.id: s for s in body.stations}
    least = min((s.rank for s in body.stations), default=0)
    findings = []
    for one in laid:
        for key, (gap, place) in one.gaps.items():
            if gap <= design.tolerance or stations[key].rank > least or key in one.rail.follows:
                continue
            x, y, z = place.tolist()
            where, text = (
                f"rail {one.name} at station {stations[key].name}",
                f"the rail misses the profile by {gap:.4g} mm",
            )
            mends = _miss_mends(design, one, key, stations[key].name, (x, y, z))
            findings.append(Finding("error", where, text, z, (x, y, z), one.rail.id, mends))
    return findings


def _miss_mends(
    design: Design, one: Laid, station: str, name: str, place: tuple[float, float, float]
) -> tuple[Mend, ...]:
    follow = Mend(f"Let the profile's point at {name} follow", lambda d: loft_edits.follow(d, one.rail.id, station))
    guide = next((g for g in design.guides if g.id == one.rail.guide), None)
    share = one.shares[station]
    if guide is None or guide.kind != "through" or share is None:
        return (follow,)
    point = f"{station}/at:{share:.9g}"
    move = Mend("Move the guide to the profile", lambda d: loft_edits.pass_point(d, one.rail.guide, point, place))
    return move, follow
