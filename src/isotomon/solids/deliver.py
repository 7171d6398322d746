"""Solids from quick results: requests to the worker, and the files it writes."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from isotomon.design.after import is_joined
from isotomon.design.bodies import body_ids, name_of, results
from isotomon.design.imports import bytes_of
from isotomon.design.records import Design, Imported
from isotomon.errors import FileError, IsotomonError, SolidError
from isotomon.evaluate.after import even_sizes
from isotomon.evaluate.shape import digest
from isotomon.field.exact import motion
from isotomon.field.patches import patches
from isotomon.inspect.results import Quick, Shape
from isotomon.kernel.protocol import Built, Combine, Export, Loft, Move, Place, Read, Work, pack, pack_edge, pack_patch
from isotomon.solids.supervisor import Supervisor
from isotomon.version import VERSION

Array = NDArray[np.float64]
STEP_SECONDS = 120.0
READ_SECONDS, READ_SECONDS_A_MB = 25.0, 10.0
Form = Literal["step", "stl"]


def shape_request(
    shape: Shape,
    tolerance: float,
    request_id: int,
    limit: float = STEP_SECONDS,
    stretch: Array | None = None,
    key: str = "",
) -> Loft | Move:
    """The request that builds a shape's solid: by the kernel's exact forms where it has them, else by patches, which are
    taken where the affine map `stretch` (4, 4) takes them and kept under `key`.

    Raises: FieldError, when the skin cannot be fitted.
    """
    exact = motion(shape.field)
    if exact is not None and stretch is None:
        return Move(
            id=request_id,
            key=shape.key,
            edges=[pack_edge(e) for e in exact.edges],
            way=_vector(exact.way),
            origin=None if exact.origin is None else _vector(exact.origin),
            angle=exact.angle,
            deflection=deflection(shape),
            limit=limit,
            skin=shape.open,
        )
    wrap = shape.field.wrap
    ends = shape.field.sections(shape.field.nodes[[0, -1]])
    made, origin, normal = patches(shape.field, tolerance), ends.origin, ends.normal
    if stretch is not None:
        linear, shift = stretch[:3, :3], stretch[:3, 3]
        made = [replace(p, control=p.control @ linear.T + shift) for p in made]
        origin, normal = origin @ linear.T + shift, normal @ np.linalg.inv(linear)
    return Loft(
        id=request_id,
        key=key or shape.key,
        patches=[pack_patch(p) for p in made],
        ends=[]
        if shape.field.ring or shape.open
        else [(_vector(origin[i]), _vector(normal[i])) for i in (0, 1)]
        if wrap is None
        else [((0.0, 0.0, wrap.height), (*wrap.way, 0.0))] * 2,
        radii=None if wrap is None else (shape.field.first - wrap.height, shape.field.last - wrap.height),
        tolerance=max(tolerance, 1e-7),
        deflection=deflection(shape),
        limit=limit,
        skin=shape.open,
    )


def _vector(a: np.ndarray) -> tuple[float, float, float]:
    return float(a[0]), float(a[1]), float(a[2])


def deflection(shape: Shape) -> float:
    """How far the solid's mesh may lie from it (mm): a two-thousandth of the largest chord, but for a long thin body no
    less than a five-thousandth of its extent."""
    extent = float(np.linalg.norm(np.ptp(shape.mesh.points.reshape(-1, 3), axis=0)))
    return max(float(shape.curves.chord.max()) / 2000.0, extent / 5000.0)


def fine_of(quick: Quick) -> float:
    """How far meshes of a design's bodies may lie from them, mm: as its finest one; a twentieth where none has a field."""
    return min((deflection(q.shape) for q in (quick, *quick.others) if q.shape is not None), default=0.05)


def blocked(quick: Quick) -> str | None:
    """Why no solid can be made of the body in hand, or None."""
    if quick.design.loft.imported:
        return None
    if quick.shape is None:
        return quick.findings[0].text if quick.findings else "there is no body yet"
    loft = quick.design.loft
    about = {loft.id, *(rail.id for rail in loft.rails)}
    for finding in quick.findings:
        if finding.severity == "error" and finding.about in about:
            return f"{finding.where}: {finding.text}"
    return None


@dataclass(frozen=True, eq=False)
class Step:
    """One request on the way to a body: the key it is kept under, for which of the design's bodies, what to ask, and what
    that is in words."""

    key: str
    body: str
    ask: Callable[[int], Work]
    title: str


@dataclass(frozen=True, eq=False)
class Plan:
    """What is to be asked of the worker, in order. By the id of each body of its own: under which key it is `finished`, by
    which keys it comes about (`by`); or why it cannot be made (`refused`)."""

    steps: tuple[Step, ...]
    finished: dict[str, str]
    by: dict[str, tuple[str, ...]]
    refused: dict[str, str]

    def whole(self) -> Plan:
        """The same, when all bodies can be made. Raises: SolidError, naming one that cannot."""
        for reason in self.refused.values():
            raise SolidError(f"no solid can be made: {reason}")
        return self


@lru_cache(maxsize=2)
def plan(quick: Quick, limit: float = STEP_SECONDS) -> Plan:
    """How the finished bodies of a design are made; what is wrong with one does not keep the others from being made.

    Raises: DesignError, for bodies that do not go together.
    """
    chains = results(quick.design)
    made: dict[str, tuple[Step, ...]] = {}
    wrong: dict[str, str] = {}
    every = [q for q in (quick, *quick.others) if not q.design.loft.aside]
    for q in sorted(every, key=lambda q: body_ids(quick.design).index(q.design.loft.id)):
        try:
            made[q.design.loft.id] = _alone(quick, q, limit)
        except IsotomonError as error:
            name = f"{q.design.loft.name}: " if quick.others else ""
            wrong[q.design.loft.id] = f"{name}{error}"
    asked: dict[str, Step] = {step.key: step for steps in made.values() for step in steps}
    skins = {q.design.loft.id for q in every if q.shape is not None and q.shape.open}
    done: dict[str, str] = {}
    by: dict[str, tuple[str, ...]] = {}
    refused: dict[str, str] = {}
    for body, tools in chains.items():
        parts = (body, *(tool for _, tool in tools))
        joined = next((part for part in parts if part in skins), None) if tools else None
        reason = next((wrong[part] for part in parts if part in wrong), None)
        if joined is not None:
            name = name_of(quick.design, joined)
            reason = f"body '{name}' is a skin, which bounds nothing that could be combined; close its profiles"
        if reason is not None:
            refused[body] = reason
            continue
        key, keys = made[body][-1].key, [step.key for part in parts for step in made[part]]
        for how, tool in tools:
            base, other = key, made[tool][-1].key
            key = digest((how, base, other, tool))
            fine = fine_of(quick) / 2.0
            message = partial(_combine, key, base, other, how, tool, quick.design.tolerance, fine, limit)
            asked[key] = Step(key, body, message, _words(quick.design, body, how, tool))
            keys.append(key)
        done[body], by[body] = key, tuple(keys)
    return Plan(tuple(asked.values()), done, by, refused)


def _words(design: Design, body: str, how: str, tool: str) -> str:
    done = {"add": "added to", "cut": "cut from", "common": "kept in common with"}[how]
    return f"{name_of(design, tool)}, {done} {name_of(design, body)}"


def _alone(quick: Quick, q: Quick, limit: float) -> tuple[Step, ...]:
    """The steps that make one body, before it is combined with others.

    Raises: SolidError, FieldError, when it cannot be made.
    """
    reason, shape = blocked(q), q.shape
    imported = next((i for i in quick.design.imports if i.id == q.design.loft.imported), None)
    if reason is not None or (shape is None and imported is None):
        raise SolidError(reason or "there is no body yet")
    tolerance, body, maps = quick.design.tolerance, q.design.loft.id, q.placed
    if imported is not None:
        first = digest((imported.form, imported.data, tolerance, VERSION))
        ask: Callable[[int], Work] = partial(
            _read, first, imported, tolerance, fine_of(quick), min(limit, _read_seconds(imported))
        )
    else:
        assert shape is not None
        first, stretch, maps = _stretched(q, shape)
        ask = partial(shape_request, shape, tolerance, limit=limit, stretch=stretch, key=first)
    name = q.design.loft.name
    shaped = Step(first, body, ask, f"{name}, {'shaped' if imported is None else 'read'}")
    if not q.design.loft.after:
        return (shaped,)
    joined = is_joined(q.design.loft.after)
    key = digest((first, maps.tobytes(), joined))
    fine = deflection(shape) if shape is not None else fine_of(quick)
    place = partial(_place, key, first, maps, joined, tolerance, fine, limit, shape is None or shape.open)
    return shaped, Step(key, body, place, f"{name}, moved and copied")


def _read_seconds(imported: Imported) -> float:
    """How long reading a file may take: a damaged one may keep the kernel busy without end."""
    return READ_SECONDS + READ_SECONDS_A_MB * len(imported.data) / 2**20


def _read(key: str, imported: Imported, tolerance: float, fine: float, limit: float, request_id: int) -> Read:
    return Read(request_id, key, bytes_of(imported), imported.form, max(tolerance, 1e-7), fine, limit)


def _place(
    key: str,
    base: str,
    maps: Array,
    joined: bool,
    tolerance: float,
    fine: float,
    limit: float,
    skin: bool,
    request_id: int,
) -> Place:
    return Place(request_id, key, base, pack(maps), joined, max(tolerance, 1e-7), fine, limit, skin)


def _stretched(quick: Quick, shape: Shape) -> tuple[str, Array | None, Array]:
    """The key of the body to be built, what its patches are stretched by before it is, and the maps that are left. The
    kernel stretches B-spline bodies badly, patches are stretched by their control points."""
    maps = quick.placed
    if even_sizes(maps) is not None or shape.field.wrap is not None or motion(shape.field) is not None:
        return shape.key, None, maps
    left = maps @ np.linalg.inv(maps[0])
    if even_sizes(left) is None:
        raise SolidError(
            f"{quick.design.loft.name} is resized unevenly after it is copied; let the size come before the copies"
        )
    return digest((shape.key, maps[0].tobytes())), maps[0], left


def _combine(
    key: str, base: str, tool: str, how: str, mark: str, tolerance: float, fine: float, limit: float, request_id: int
) -> Combine:
    return Combine(request_id, key, base, tool, how, f"{mark}: ", max(tolerance, 1e-7), fine, limit)  # type: ignore[arg-type]


def build_all(quick: Quick, supervisor: Supervisor, limit: float = STEP_SECONDS) -> dict[str, Built]:
    """The finished bodies by the id of each body of its own; waits for them.

    Raises: SolidError, FieldError, DesignError.
    """
    wanted = plan(quick, limit).whole()
    jobs = [(step, supervisor.submit(step.ask)) for step in wanted.steps]
    found: dict[str, Built] = {}
    for step, job in jobs:
        outcome = job.wait(limit + 60.0)
        if not isinstance(outcome, Built):
            raise SolidError(f"{step.title}: {getattr(outcome, 'text', 'the solid was not built')}")
        found[step.key] = outcome
    return {body: found[key] for body, key in wanted.finished.items()}


def build(quick: Quick, supervisor: Supervisor, limit: float = STEP_SECONDS) -> Built:
    """The solid of the body in hand, or the first of those it is combined with; waits for it.

    Raises: SolidError, FieldError, DesignError.
    """
    shown = shown_body(quick)
    if not shown:
        raise SolidError("every body is set aside, so that there is nothing to build; take one back")
    return build_all(quick, supervisor, limit)[shown]


def finished_key(quick: Quick) -> str:
    """The key of the finished body that the body in hand is, or is part of; empty where it cannot be made."""
    loft = quick.design.loft
    if not (quick.others or loft.after or loft.imported):
        return quick.shape.key if quick.shape is not None else ""
    if quick.shape is not None and quick.full is None:  # something moves: no solid is asked for
        return ""
    try:
        return plan(quick, STEP_SECONDS).finished.get(shown_body(quick), "")
    except IsotomonError:
        return ""


def shown_body(quick: Quick) -> str:
    """The id of the finished body that the body in hand is, or is part of; empty where all are set aside."""
    loft, own = quick.design.loft, results(quick.design)
    wanted = loft.id if loft.makes == "own" else next((k for k in loft.onto if k in own), "")
    return wanted if wanted in own else next(iter(own), "")


def export_form(path: Path) -> Form:
    """The format a file name asks for.

    Raises: FileError.
    """
    ending = path.suffix.lower()
    if ending in (".step", ".stp"):
        return "step"
    if ending == ".stl":
        return "stl"
    raise FileError(f"'{path.name}' has no ending that says its format; name it .step or .stl")


@dataclass(frozen=True)
class Fineness:
    """Of a mesh that is written: how far from the body it may lie (mm; nought: so near that its volume is right to
    `RIGHT_VOLUME`), and by how much (rad) neighbouring triangles may turn."""

    distance: float = 0.0
    angle: float = math.radians(12.0)


USUAL = Fineness()
RIGHT_VOLUME = 2e-4
"""By this share of its volume a body's mesh is off at most, unless it is written as coarse as is asked for."""


def check_fineness(fine: Fineness) -> None:
    """Raises: FileError, for one that cannot be used."""
    if not (fine.distance == 0.0 or 1e-6 <= fine.distance <= 1e3):
        raise FileError(f"a mesh {fine.distance:g} mm from the body cannot be written; give 0.000001 to 1000 mm")
    if not math.radians(0.5) <= fine.angle <= math.radians(90.0):
        raise FileError(f"triangles cannot turn by {math.degrees(fine.angle):g}°; give 0.5 to 90")


def export_request(
    quick: Quick, path: Path, request_id: int, limit: float = STEP_SECONDS, fine: Fineness = USUAL
) -> Export:
    """The request that writes the solids built of these results."""
    design = quick.design
    if not shown_body(quick):
        raise SolidError("every body is set aside, so that there is nothing to deliver; take one back")
    bodies = [(name_of(design, body), key) for body, key in plan(quick).whole().finished.items()]
    distance, share = (fine.distance, 0.0) if fine.distance else (fine_of(quick), RIGHT_VOLUME)
    name = design.loft.name if len(bodies) == 1 else design.name
    return Export(request_id, bodies, name, export_form(path), str(path.absolute()), distance, fine.angle, share, limit)


def export(quick: Quick, supervisor: Supervisor, path: Path, fine: Fineness = USUAL) -> None:
    """Build the solids and write them, a mesh as `fine` as is asked for; waits for both.

    Raises: SolidError, FieldError, FileError.
    """
    export_form(path)
    check_fineness(fine)
    if not path.absolute().parent.is_dir():
        raise FileError(f"{path} cannot be written: the folder does not exist; choose another place")
    build_all(quick, supervisor)
    outcome = supervisor.submit(lambda i: export_request(quick, path, i, fine=fine)).wait(STEP_SECONDS + 60.0)
    if getattr(outcome, "path", None) is None:
        raise SolidError(getattr(outcome, "text", f"{path} was not written"))
