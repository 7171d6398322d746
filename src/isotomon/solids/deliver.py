"""Solids from quick results: requests to the worker, and the files it writes."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from isotomon.design.bodies import name_of, names_by_id
from isotomon.errors import FileError, SizeError, SolidError
from isotomon.evaluate.part_words import with_words
from isotomon.geometry.wire import Wire
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, Export, Failed, Form, WireData, pack_edge
from isotomon.operations.base import Asked
from isotomon.solids.plan import plan
from isotomon.solids.requests import STEP_SECONDS, apply_request, fine_of
from isotomon.solids.supervisor import Job, Supervisor

ENDINGS: dict[str, Form] = {
    ".step": "step",
    ".stp": "step",
    ".iges": "iges",
    ".igs": "iges",
    ".stl": "stl",
    ".3mf": "3mf",
    ".obj": "obj",
    ".glb": "glb",
}
"""The form of a file by its ending."""
OF_SOLIDS: tuple[Form, ...] = ("step", "iges")
"""Forms that hold the surfaces themselves; all others hold meshes."""


def build_all(quick: Quick, supervisor: Supervisor, limit: float = STEP_SECONDS) -> dict[str, Built]:
    """The finished bodies by the id of each body of its own; waits for them.

    Raises: SolidError, SizeError, FieldError, DesignError.
    """
    wanted = plan(quick, limit).whole()
    jobs = [(request, supervisor.submit(request.asked)) for request in wanted.requests]
    found: dict[str, Built] = {}
    for request, job in jobs:
        outcome = job.wait(limit + 60.0)
        if isinstance(outcome, Failed) and (outcome.culprit or outcome.fits):
            said = with_words(outcome.text, outcome.culprit, names_by_id(quick.design))
            raise SizeError(f"{request.title}: {said}", outcome.fits, outcome.culprit, outcome.place)
        if not isinstance(outcome, Built):
            raise SolidError(f"{request.title}: {getattr(outcome, 'text', 'the solid was not built')}")
        found[request.key] = outcome
    return {body: found[key] for body, key in wanted.finished.items()}


FINER = 4.0
"""Times as near to the body as that which is shown is a mesh whose sections are told: right to 1e-4 then."""
FINE_ANGLE = 0.08
"""rad by which such a mesh turns from triangle to triangle."""
MOST_TRIANGLES = 60_000
"""Of a mesh that is made finer: with more it is near enough, and would take minutes."""


def ask_finer(
    quick: Quick, supervisor: Supervisor, built: Mapping[str, Built], limit: float = STEP_SECONDS
) -> dict[str, Job]:
    """Have finished bodies meshed so that the meshes are nearer to them; not those of very many triangles."""
    keys = plan(quick, limit).finished
    return {
        body: supervisor.submit(
            partial(
                apply_request,
                f"{keys[body]} finer",
                Asked("finer", "meshed finely", values={"mesh angle": FINE_ANGLE}),
                [keys[body]],
                quick.design.tolerance,
                fine_of(quick) / FINER,
                limit,
                True,
            )
        )
        for body, solid in built.items()
        if solid.triangles.shape[0] <= MOST_TRIANGLES
    }


def finer(
    quick: Quick, supervisor: Supervisor, built: Mapping[str, Built], limit: float = STEP_SECONDS
) -> dict[str, Built]:
    """Finished bodies with such meshes; waits for them. A body that cannot be meshed so stays as it is."""
    outcomes = {body: job.wait(limit + 60.0) for body, job in ask_finer(quick, supervisor, built, limit).items()}
    return {**built, **{body: made for body, made in outcomes.items() if isinstance(made, Built)}}


def build(quick: Quick, supervisor: Supervisor, limit: float = STEP_SECONDS) -> Built:
    """The solid of the body in hand, or the first of those it is combined with; waits for it.

    Raises: SolidError, FieldError, DesignError.
    """
    shown = quick.result
    if not shown:
        raise SolidError("every body is set aside, so that there is nothing to build; take one back")
    return build_all(quick, supervisor, limit)[shown]


def export_form(path: Path) -> Form:
    """The format a file name asks for.

    Raises: FileError.
    """
    form = ENDINGS.get(path.suffix.lower())
    if form is None:
        firsts = list(dict(reversed([(form, ending) for ending, form in ENDINGS.items()])).values())
        raise FileError(
            f"'{path.name}' has no ending that says its format; name it {', '.join(firsts[::-1][:-1])} or {firsts[0]}"
        )
    return form


@dataclass(frozen=True)
class Fineness:
    """Of a mesh that is written: how far from the body it may lie (mm; nought: so near that its volume is right to
    `RIGHT_VOLUME`), and by how much (rad) neighbouring triangles may turn."""

    distance: float = 0.0
    angle: float = math.radians(12.0)


USUAL = Fineness()
RIGHT_VOLUME = 2e-4
"""By this share of its volume a body's mesh is off at most, unless it is written as coarse as is asked for."""
TO_LOOK_AT = 2e-3
"""The same of meshes that are only looked at."""


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
    if not quick.result:
        raise SolidError("every body is set aside, so that there is nothing to deliver; take one back")
    bodies = [
        (name_of(design, body), design.body(body).colour, key) for body, key in plan(quick).whole().finished.items()
    ]
    form = export_form(path)
    right = TO_LOOK_AT if form == "glb" else RIGHT_VOLUME
    distance, share = (fine.distance, 0.0) if fine.distance else (fine_of(quick), right)
    name = bodies[0][0] if len(bodies) == 1 else design.name
    return Export(request_id, bodies, name, form, str(path.absolute()), distance, fine.angle, share, limit)


def export_wires(supervisor: Supervisor, wires: Sequence[Wire], name: str, path: Path) -> None:
    """Write curves in space as STEP or IGES, by the file's ending; waits until they are.

    Raises: SolidError, FileError.
    """
    form = export_form(path)
    data = [WireData(wire.layer, wire.name, [pack_edge(edge) for edge in wire.edges]) for wire in wires]
    where = str(path.absolute())
    outcome = supervisor.submit(lambda i: Export(i, [], name, form, where, 0.0, 0.0, 0.0, STEP_SECONDS, data)).wait(
        STEP_SECONDS + 60.0
    )
    if getattr(outcome, "path", None) is None:
        raise SolidError(getattr(outcome, "text", f"{path} was not written"))


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
