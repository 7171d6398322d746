"""How the finished bodies of a design come about: what is to be asked of the worker, in order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import numpy as np

from isotomon.arrays import Array
from isotomon.design.bodies import made_of, name_of, results
from isotomon.design.body import Piece, Taken
from isotomon.design.records import Design
from isotomon.errors import IsotomonError, SolidError
from isotomon.evaluate.shape import digest
from isotomon.evaluate.stages import Put
from isotomon.field.exact import motion
from isotomon.field.parallel import WorkedSkin
from isotomon.geometry.affine import even_sizes
from isotomon.inspect.results import Quick, Shape
from isotomon.kernel.protocol import Making, Work
from isotomon.operations.base import SKIN, WALLS, Asked
from isotomon.operations.cut_by_skin import CUT_BY_SKIN
from isotomon.operations.cut_off import BOTH, CUT, SIDES
from isotomon.operations.keep_faces import faces_kept
from isotomon.solids.requests import (
    STEP_SECONDS,
    apply_request,
    deflection,
    fine_of,
    lining_request,
    read_request,
    read_seconds,
    shape_request,
    sheet_request,
    walls_request,
)
from isotomon.version import VERSION


def blocked(quick: Quick) -> str | None:
    """Why no solid can be made of the body in hand, or None."""
    if not quick.there:
        return quick.findings[0].text if quick.findings else "there is no body yet"
    about = {quick.body.id, *(rail.id for rail in quick.body.loft.rails)}
    for finding in quick.findings:
        if finding.severity == "error" and finding.about in about:
            return f"{finding.where}: {finding.text}"
    return None


@dataclass(frozen=True, eq=False)
class Request:
    """One request on the way to a body: the key it is kept under, for which of the design's bodies, what to ask, and what
    that is in words."""

    key: str
    body: str
    ask: Callable[[int], Work]
    title: str
    step: str = ""
    """The step of that body whose work it is; empty for its shape and its places."""
    bare: bool = True
    """It is wanted for what is made of it alone."""

    def asked(self, request_id: int) -> Work:
        """As it is asked first: without mesh and figures, where it is bare."""
        work = self.ask(request_id)
        if self.bare and isinstance(work, Making):
            work.bare = True
        return work


@dataclass(frozen=True, eq=False)
class Plan:
    """What is to be asked of the worker, in order. By the id of each body of its own: under which key it is `finished`, by
    which keys it comes about (`by`); or why it cannot be made (`refused`)."""

    requests: tuple[Request, ...]
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
    """How the finished bodies of a design are made; what is wrong with one does not keep the others from being made."""
    so_far = _Planned({}, {}, {})
    made, wrong = so_far.made, so_far.wrong
    for body in _in_order(quick.design):
        try:
            made[body] = _requests(quick, body, so_far, limit)
        except IsotomonError as error:
            name = name_of(quick.design, body)
            wrong[body] = f"{name}: {error}" if quick.others and not isinstance(error, _BodyError) else str(error)
    own = results(quick.design)
    done = {body: made[body][-1].key for body in own if body in made}
    shown = set(done.values())
    asked = {r.key: replace(r, bare=r.key not in shown) for requests in made.values() for r in requests}
    by = {body: tuple(request.key for request in made[body]) for body in done}
    return Plan(tuple(asked.values()), done, by, {body: wrong[body] for body in own if body in wrong})


@dataclass(frozen=True, eq=False)
class _Planned:
    """By body, the requests by which it comes about, or why it cannot be made; by step, what asks for a cut, and the keys of what
    is cut and of what cuts it."""

    made: dict[str, tuple[Request, ...]]
    wrong: dict[str, str]
    cuts: dict[str, tuple[Asked, tuple[str, ...]]]


CLOSING = (WALLS, "thicken", "sew")
"""Works that make solids of skins."""


class _BodyError(SolidError):
    """One that names the body it is about."""


def _in_order(design: Design) -> list[str]:
    """The bodies that are not set aside, each after those it is made with."""
    left = [b.id for b in design.bodies if not b.aside]
    tools = {key: set(made_of(design.body(key))) & set(left) for key in left}
    order: list[str] = []
    while left:
        ready = [key for key in left if tools[key].issubset(order)]
        order += ready
        left = [key for key in left if key not in ready]
    return order


def _requests(quick: Quick, body: str, so_far: _Planned, limit: float) -> tuple[Request, ...]:
    """All requests by which a body comes about, those of the bodies it is combined with first.

    Raises: SolidError, FieldError, when it cannot be made.
    """
    q = quick.of(body)
    assert q is not None
    made, wrong = so_far.made, so_far.wrong
    how = _other_piece if isinstance(q.body.shaped, Piece) else _taken if isinstance(q.body.shaped, Taken) else None
    before, shaped, left = how(quick, q, so_far, limit) if how is not None else _shaped(quick, q, limit)
    asked, key = {request.key: request for request in (*before, shaped)}, shaped.key
    for number, stage in enumerate(q.stages):
        if isinstance(stage, Put):
            request = _placed(quick, q, key, left if number == 0 else stage.maps, stage.joined, number == 0, limit)
        elif any(quick.design.body(tool).aside for tool in stage.bodies):
            continue
        else:
            for tool in stage.bodies:
                if tool in wrong:
                    raise _BodyError(wrong[tool])
            if not stage.skins:
                _check_no_skins(quick, (body, *stage.bodies))
            asked |= {request.key: request for tool in stage.bodies for request in made[tool]}
            skins = [(skin, _skin(q, stage, skin, key, limit)) for skin in stage.worked]
            asked |= {own.key: own for _, own in skins}
            # Of what is hollowed out, the body so far stands for the skin that is not made anew.
            first = [next((own.key for s, own in skins if s is w), key) for w in (stage.outer, stage.inner)]
            inputs = [*(first if skins else [key]), *(made[tool][-1].key for tool in stage.bodies)]
            if stage.work in (CUT, CUT_BY_SKIN):
                so_far.cuts[stage.step] = stage, tuple(inputs)
            if stage.walls is not None:
                request = _walls(quick, q, stage, key, limit)
            else:
                request = skins[0][1] if stage.work == SKIN else _worked(quick, q, stage, inputs, limit)
        asked[request.key] = request
        key = request.key
    return tuple(asked.values())


def _check_no_skins(quick: Quick, bodies: Sequence[str]) -> None:
    """Raises: SolidError, when one of them is a skin."""
    for body in bodies:
        one = quick.of(body)
        if one is not None and one.open and not _may_close(one):
            name = name_of(quick.design, body)
            raise _BodyError(
                f"body '{name}' is a skin, which bounds nothing that could be combined; close its profiles"
            )


def _may_close(one: Quick) -> bool:
    """Whether something is done with a skin that may make a solid of it."""
    return any(stage.joined if isinstance(stage, Put) else stage.work in CLOSING for stage in one.stages)


def _worked(quick: Quick, q: Quick, asked: Asked, inputs: Sequence[str], limit: float) -> Request:
    """What is asked of the kernel."""
    arrays = [(name, array.tobytes()) for name, array in asked.arrays.items()]
    key = digest((asked.work, *inputs, *asked.values.items(), *arrays))
    ask = partial(apply_request, key, asked, inputs, quick.design.tolerance, fine_of(quick) / 2.0, limit, False)
    return Request(key, q.body.id, ask, f"{asked.words} {q.body.name}", asked.step)


def _skin(q: Quick, asked: Asked, skin: WorkedSkin, before: str, limit: float) -> Request:
    """A body made anew from its worked skin, or the hollow in it."""
    assert q.shape is not None
    inside = "" if skin is asked.outer else "inside of "
    key = digest((SKIN, inside, before, *skin.said()))
    ask = partial(lining_request, skin, key, deflection(q.shape), limit, inside)
    return Request(key, q.body.id, ask, f"{asked.words} {q.body.name}", asked.step)


def _walls(quick: Quick, q: Quick, asked: Asked, before: str, limit: float) -> Request:
    """A sheet with a thickness, made anew."""
    assert asked.walls is not None
    key = digest((WALLS, before, *asked.walls.said()))
    ask = partial(walls_request, asked.walls, key, fine_of(quick), limit)
    return Request(key, q.body.id, ask, f"{asked.words} {q.body.name}", asked.step)


def _placed(quick: Quick, q: Quick, base: str, maps: Array, joined: bool, first: bool, limit: float) -> Request:
    """Raises: SolidError, for a finished body that is to be resized unevenly."""
    if not first and even_sizes(maps) is None:
        raise SolidError("it is resized unevenly after it is combined with others; let the size come before that")
    key = digest((base, maps.tobytes(), joined))
    fine = deflection(q.shape) if q.shape is not None else fine_of(quick)
    skin = q.shape is None or q.open
    words = f"{q.body.name}, moved and copied"
    asked = Asked("place", words, (), {"joined": joined, "skin": skin}, {"maps": maps})
    return Request(
        key, q.body.id, partial(apply_request, key, asked, [base], quick.design.tolerance, fine, limit, skin), words
    )


def _other_piece(quick: Quick, q: Quick, so_far: _Planned, limit: float) -> tuple[tuple[Request, ...], Request, Array]:
    """The requests by which a body comes about that another one's cut leaves away, the cut itself, and the maps of its first stage.

    Raises: SolidError, where there is no such cut.
    """
    piece = q.body.shaped
    assert isinstance(piece, Piece)
    owner = piece.owner
    if owner in so_far.wrong:
        raise _BodyError(so_far.wrong[owner])
    reason, found = blocked(q), so_far.cuts.get(piece.step)
    if reason is not None or found is None or owner not in so_far.made:
        raise _BodyError(
            reason or f"{q.body.name}: the cut that it is a piece of is not done, or is of a body that is set aside"
        )
    cut, inputs = found
    if cut.values["keep"] == BOTH:
        raise _BodyError(f"{q.body.name}: the cut that it is a piece of keeps both; let it keep one")
    keep = next(side for side in SIDES if side != cut.values["keep"])
    before = so_far.made[owner]
    last = max(k for k, request in enumerate(before) if request.key in inputs)
    asked = replace(cut, values={**cut.values, "keep": keep})
    return before[: last + 1], replace(_worked(quick, q, asked, inputs, limit), step=""), _first_maps(q)


def _taken(quick: Quick, q: Quick, so_far: _Planned, limit: float) -> tuple[tuple[Request, ...], Request, Array]:
    """The requests by which the body comes about whose faces another one is, what takes these, and the maps of its first stage.

    Raises: SolidError, where there is no such body.
    """
    taken = q.body.shaped
    assert isinstance(taken, Taken)
    if taken.owner in so_far.wrong:
        raise _BodyError(so_far.wrong[taken.owner])
    if taken.owner not in so_far.made:
        raise _BodyError(f"{q.body.name}: the body whose faces it is, is set aside")
    before = so_far.made[taken.owner]
    asked = faces_kept("faces taken for", taken.faces, taken.owner, "these")
    return before, _worked(quick, q, asked, [before[-1].key], limit), _first_maps(q)


def _shaped(quick: Quick, q: Quick, limit: float) -> tuple[tuple[Request, ...], Request, Array]:
    """The requests before it, of which there are none, the one that makes a body as it is shaped, and the maps (k, 4, 4) of its first
    stage that are left to be done.

    Raises: SolidError, FieldError, when it cannot be made.
    """
    reason, shape = blocked(q), q.shape
    imported = next((i for i in quick.design.imports if i.id == q.body.file), None)
    if reason is not None or (shape is None and q.sheet is None and imported is None):
        named = any(
            reason == f"{finding.where}: {finding.text}" for finding in q.findings if finding.where == q.body.name
        )
        raise (_BodyError if named else SolidError)(reason or "there is no body yet")
    tolerance, maps = quick.design.tolerance, _first_maps(q)
    if imported is not None:
        key = digest((imported.form, imported.data, tolerance, VERSION))
        ask: Callable[[int], Work] = partial(
            read_request, key, imported, tolerance, fine_of(quick), min(limit, read_seconds(imported))
        )
        return (), Request(key, q.body.id, ask, f"{q.body.name}, read"), maps
    if q.sheet is not None:
        ask = partial(sheet_request, q.sheet, tolerance, fine_of(quick), limit)
        return (), Request(q.sheet.key, q.body.id, ask, f"{q.body.name}, made"), maps
    assert shape is not None
    key, stretch, maps = _stretched(q, shape, maps)
    ask = partial(shape_request, shape, tolerance, limit=limit, stretch=stretch, key=key)
    return (), Request(key, q.body.id, ask, f"{q.body.name}, shaped"), maps


def _first_maps(q: Quick) -> Array:
    """(k, 4, 4) of what is first done with a body, where that puts it elsewhere."""
    first = q.stages[0] if q.stages else None
    return first.maps if isinstance(first, Put) else np.eye(4)[None]


def _stretched(quick: Quick, shape: Shape, maps: Array) -> tuple[str, Array | None, Array]:
    """The key of the body to be built, what its patches are stretched by before it is, and the maps that are left. The
    kernel stretches B-spline bodies badly, patches are stretched by their control points."""
    if even_sizes(maps) is not None or shape.field.wrap is not None or motion(shape.field) is not None:
        return shape.key, None, maps
    left = maps @ np.linalg.inv(maps[0])
    if even_sizes(left) is None:
        raise SolidError(
            f"{quick.body.name} is resized unevenly after it is copied; let the size come before the copies"
        )
    return digest((shape.key, maps[0].tobytes())), maps[0], left


def finished_key(quick: Quick) -> str:
    """The key of the finished body that the body in hand is, or is part of; empty where it cannot be made."""
    if not (quick.others or quick.stages or quick.body.ready):
        made = quick.shape or quick.sheet
        return made.key if made is not None else ""
    if quick.moving:  # something moves: no solid is asked for
        return ""
    try:
        return plan(quick, STEP_SECONDS).finished.get(quick.result, "")
    except IsotomonError:
        return ""
