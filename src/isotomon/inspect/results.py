"""What a rebuild gives, before any kernel: the body as arrays, its measures, the laws judged, the findings."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from isotomon.arrays import Array, Index
from isotomon.design.bodies import is_begun, receivers, results, things_of
from isotomon.design.body import Body
from isotomon.design.edits import replace
from isotomon.design.law import LawPoint, Quality
from isotomon.design.records import Design
from isotomon.design.resolved import Resolved
from isotomon.errors import DesignError
from isotomon.evaluate.body_ends import Reached
from isotomon.evaluate.drawn import Drawings
from isotomon.evaluate.ground import Worked
from isotomon.evaluate.shape import CommonForm
from isotomon.evaluate.sheets import SheetShape
from isotomon.evaluate.sources import Thing
from isotomon.evaluate.stages import Stage, placed_by
from isotomon.field.carriers import Relative, Turning
from isotomon.field.mesh import SkinMesh, taken
from isotomon.field.section_field import SectionField, Sections
from isotomon.field.seen import WorkedGrids
from isotomon.geometry.datums import SpaceCurve
from isotomon.inspect.skin_figures import SkinFigures
from isotomon.kernel.protocol import Built
from isotomon.measure.body import BodyMeasures
from isotomon.measure.laws import Finding, Judged, quality_of
from isotomon.measure.sections import Curves, Extents, Moments
from isotomon.quantity import to_unit
from isotomon.quantity.record import Ref


@dataclass(frozen=True, eq=False)
class Shape:
    """The body as arrays. `v` holds evenly spaced places and all stations; `at_stations` indexes the latter in it,
    `mesh_rows` in the mesh, which has fewer rows.
    """

    field: SectionField
    form: CommonForm
    key: str
    v: Array
    sections: Sections
    curves: Curves
    mesh: SkinMesh
    at_stations: Index
    mesh_rows: Index
    tie_lines: Array
    """(ties, mesh rows, 3): where each of the form's ties runs along the body."""
    tie_shares: Array
    """(stations, ties): the share of each profile's arc length; NaN at kept sections."""

    @property
    def open(self) -> bool:
        """Its profiles are open: the body is a skin, which bounds nothing."""
        return self.form.common.open


@dataclass(frozen=True, eq=False)
class Full:
    """What is worked out only at rest: moments along `Shape.v`, extents at the stations, and the whole body."""

    moments: Moments
    extents: Extents
    body: BodyMeasures
    leans: Array
    """(2, 2) rad: least and greatest lean of the skin outward from square at the first and last end."""
    reached: tuple[Reached | None, ...]
    """At the first and last end: how well it goes on from another body's, where it is to."""


@dataclass(frozen=True, eq=False)
class Reading:
    """What a measure reads: (title, value in mm and rad, what it is: `length`, `area`, `second`, `litres`, `angle`), lines
    (n, 3) that show it, and, where it cannot be taken, why. `near`: it is taken of a mesh. `waits`: it will be taken of the
    finished solid."""

    figures: tuple[tuple[str, float, str], ...]
    lines: tuple[Array, ...]
    wrong: str = ""
    near: bool = False
    waits: bool = False


@dataclass(frozen=True, eq=False)
class Quick:
    """The results for one body of a design. `shape` is None when no body can be made; `findings` say why."""

    design: Design
    body: Body
    """The body whose results these are."""
    worked: Worked
    """What has been worked out for them, of which more can be asked; other threads ask a branch of it."""
    resolved: Resolved
    drawings: Drawings
    datums: Mapping[str, Thing]
    guides: Mapping[str, SpaceCurve]
    shape: Shape | None
    full: Full | None
    judged: tuple[Judged, ...]
    findings: tuple[Finding, ...]
    sheet: SheetShape | None = None
    """A skin made from curves, in place of a shape carried through stations."""
    figures: SkinFigures | None = None
    """Of such a skin, at rest."""
    unintended: Array | None = None
    """(stations,) rad of turn that ties set by hand cause; None without such ties."""
    stages: tuple[Stage, ...] = ()
    """What is done with the body once it is shaped, in order."""
    grids: WorkedGrids | None = None
    """What the first of them make of its skin, where they work on that."""
    readings: Mapping[str, Reading] = field(default_factory=dict)
    """Of the design's measures, by their ids; none while something moves."""
    others: tuple[Quick, ...] = ()
    """The other bodies' results, in order."""
    finished: Mapping[str, Built] = field(default_factory=dict)
    """The finished solids of these very results, by the ids of the bodies of their own; none before they are built."""
    before: Mapping[str, Built] = field(default_factory=dict)
    """Of each that could not be finished, what it was before the step that failed."""

    @property
    def mesh(self) -> SkinMesh | None:
        """The body's skin as it is shaped; None where it has none that is known here."""
        return self.shape.mesh if self.shape is not None else self.sheet.mesh if self.sheet is not None else None

    @property
    def there(self) -> bool:
        """Whether there is a body, or could be once the worker has made it."""
        return self.shape is not None or self.sheet is not None or self.body.ready

    @property
    def moving(self) -> bool:
        """Whether something moves, so that they are rougher than they could be."""
        return self.sheet.moving if self.sheet is not None else self.shape is not None and self.full is None

    @property
    def open(self) -> bool:
        """It is shaped as a skin, which bounds nothing."""
        return self.sheet is not None or (self.shape is not None and self.shape.open)

    @cached_property
    def placed(self) -> Array:
        """(k, 4, 4) where the body comes to stand once it is shaped: one map for each copy."""
        return placed_by(self.stages)

    def moves_on_from(self, before: Quick | None) -> bool:
        """Whether, while something moves, all that the body is shaped by and judged by is as it was before: what is drawn of that stays."""
        if before is None or self.shape is None or self.shape is not before.shape:
            return False
        if self.full is not None or before.full is not None:  # one of them is at rest
            return False
        said = [(q.design.numbers, q.design.datums, q.design.guides, replace(q.body, steps=())) for q in (self, before)]
        return said[0] == said[1]

    def stations_out(self) -> frozenset[str]:
        """Ids of the stations at which a law is not kept."""
        places = [z for j in self.judged for z in j.position[j.out].tolist()]
        return frozenset(
            n.station.id for n in self.resolved.stations if any(abs(n.position - z) < 1e-6 for z in places)
        )

    def law_points(self, quality: Quality) -> tuple[LawPoint, ...]:
        """Law points at every station, at what the body has there now; none where that is undefined."""
        if self.shape is None:
            return ()
        values = quality_of(self.shape.curves, quality)
        if quality == "thickness" and self.full is not None:
            values = np.full(len(values), np.nan)
            values[self.shape.at_stations] = self.full.extents.thickness
        pairs = zip(self.resolved.stations, self.shape.at_stations, strict=True)
        return tuple(LawPoint(float(values[row]), Ref(n.station.id)) for n, row in pairs if not np.isnan(values[row]))

    def stood(self, points: Array) -> Array:
        """(n, 3) points of the body as it is shaped, where its first copy comes to stand."""
        return np.asarray(points @ self.placed[0, :3, :3].T + self.placed[0, :3, 3])

    def in_plane(self, row: int, points: Array) -> Array:
        """(n, 2) points (n, 3) of the body's first copy in the plane of its section at one of all stations, mm."""
        assert self.shape is not None
        back, sections, at = np.linalg.inv(self.placed[0]), self.shape.sections, self.shape.at_stations[row]
        away = points @ back[:3, :3].T + back[:3, 3] - sections.origin[at]
        return np.stack([away @ sections.across[at], away @ sections.up[at]], axis=1)

    def section_at(self, position: float) -> Sections | None:
        """The one section at a position along the body (mm); None where there is no body, or nowhere is meant (NaN)."""
        if self.shape is None or math.isnan(position):
            return None
        field = self.shape.field
        return field.sections(field.params(np.array([np.clip(position, field.first, field.last)])))

    @cached_property
    def stood_mesh(self) -> SkinMesh:
        """The skin where the body's first copy comes to stand. Raises: DesignError, when there is no body."""
        if self.mesh is None:
            raise DesignError(f"{self.body.name} is not there")
        return taken(self.mesh, self.placed[0])

    @property
    def volume(self) -> float:
        """mm³ of all its copies together, each as it is resized; nought of a skin. Where they overlap it counts twice."""
        sizes = np.abs(np.linalg.det(self.placed[:, :3, :3]))
        return float(sizes.sum() * self.full.body.volume) if self.full is not None else 0.0

    @property
    def own_findings(self) -> tuple[Finding, ...]:
        """The findings of this body itself: of its stations, laws, steps, rails and ties."""
        own = {thing.id for thing in things_of(self.body)}
        return tuple(f for f in self.findings if f.about in own)

    @property
    def along_unit(self) -> tuple[str, float]:
        """In what positions along the body are said, and how much of it a mm is: the design's unit, or degrees about an axis."""
        if self.shape is not None:
            carrier = self.shape.field.carrier
            base = carrier.base if isinstance(carrier, Relative) else carrier
            if isinstance(base, Turning) and base.radius > 0.0:
                return "°", math.degrees(1.0 / base.radius)
        return self.design.unit, to_unit(1.0, self.design.unit)

    @property
    def empty(self) -> bool:
        """There is no body, nor anything of which one is made."""
        return not (self.others or is_begun(self.body))

    def of(self, body: str) -> Quick | None:
        """The results of one of the bodies."""
        return next((q for q in (self, *self.others) if q.body.id == body), None)

    @property
    def result(self) -> str:
        """The id of the finished body that this one is, or is part of; empty where all are set aside."""
        own, wanted = results(self.design), [self.body.id]
        for key in wanted:  # grows by what these are combined with
            if key in own:
                return key
            wanted += [r for r in receivers(self.design, key) if r not in wanted]
        return own[0] if own else ""

    @property
    def ok(self) -> bool:
        """No error and nothing out of band."""
        return not any(f.severity in ("error", "band") for f in self.findings)
