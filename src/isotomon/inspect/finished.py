"""What is known once solids are finished: whether they are sound, and what measures read that waited for them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from isotomon.design.bodies import change_step, name_of, results, set_aside, tools_of
from isotomon.design.body import Body
from isotomon.inspect.finished_laws import judge_finished
from isotomon.inspect.gauges import read_gauge, wrong_readings
from isotomon.inspect.looks import ground_of
from isotomon.inspect.results import Quick, Reading
from isotomon.inspect.sewn import sew_mends
from isotomon.inspect.sizes import use_size
from isotomon.kernel.protocol import Built, Failed
from isotomon.measure.laws import Finding, Mend
from isotomon.quantity.record import Id, Ref

UNTOLD = ("cancelled", "lost")
"""What is no finding about a step: it was not wanted, or what it works with is not there, which is told where that failed."""


def with_finished(
    quick: Quick,
    finished: Mapping[str, Built],
    stuck: Sequence[tuple[Id, Id, Failed]] = (),
    before: Mapping[str, Built] | None = None,
) -> Quick:
    """The results with the finished solids, what these have come to, and the measures and laws that waited for them. `stuck`: of which
    body, by which of its steps, and why, where one did not come about; `before`: what such bodies were before that."""
    quick = replace(quick, finished=finished, before=before or {})
    found = [*_unsound(quick), *_pieces(quick)]
    found += [_stuck(quick, body, step, why) for body, step, why in stuck if step and why.kind not in UNTOLD]
    waiting = [g for g in quick.design.gauges if g.id in quick.readings and quick.readings[g.id].waits]
    taken: dict[str, Reading] = {}
    if waiting:
        ground = ground_of(quick)
        taken = {g.id: read_gauge(ground, quick, g) for g in waiting}
        found += wrong_readings(quick.design, taken)
    judged, out = judge_finished(quick)
    return replace(
        quick,
        readings={**quick.readings, **taken},
        judged=(*quick.judged, *judged),
        findings=(*quick.findings, *found, *out),
    )


def _stuck(quick: Quick, body: Id, step: Id, why: Failed) -> Finding:
    """An error for a step that the kernel cannot do, with the size that would do, and without the edge that does not go."""
    found = next(s for s in quick.design.body(body).steps if s.id == step)
    mends = [Mend("Set the step aside", lambda d: change_step(d, step, aside=True))]
    if why.culprit and hasattr(found, "without"):
        out = (*found.without, Ref(f"{body}/edge:{why.culprit}"))
        mends.insert(0, Mend("Leave this edge out", lambda d: change_step(d, step, without=out)))
    if why.fits and found.SIZE:
        mends.insert(0, use_size(quick.design, found, why.fits))
    return Finding("error", quick.design.body(body).name, why.text, place=why.place, about=body, mends=tuple(mends))


def _unsound(quick: Quick) -> list[Finding]:
    """An error for each finished body that is no sound solid, and a finding for copies that overlap."""
    found = []
    for body, built in quick.finished.items():
        one = quick.of(body)
        if one is None:
            continue
        name, skin = one.body.name, not built.pieces and (one.open or one.body.ready or _opened(one.body))
        if not built.valid:
            text = "the finished solid is not valid: the kernel finds its faces or edges at odds; change what was made of it last"
            found.append(Finding("error", name, text, about=body))
        elif not (built.watertight or skin):
            text = (
                "the finished solid is not watertight: it touches itself, or another part of it, along a line alone; "
                "move the parts into each other, or apart"
            )
            found.append(Finding("error", name, text, about=body))
        if built.told and not one.body.file:
            text = f"the skins do not close: {'; '.join(in_names(quick, words) for words in built.told)}"
            found.append(Finding("note", name, text, about=body, mends=sew_mends(quick, body)))
        if built.united is not None:
            text = (
                f"its copies overlap: their volumes add up to {built.volume:,.1f} mm³, and united they have "
                f"{built.united:,.1f}; join them, or move them apart"
            )
            found.append(Finding("band", name, text, about=body))
    return found


def _opened(body: Body) -> bool:
    """Whether a step of a body leaves a skin of it."""
    return any(step.OPENS for step in body.done)


def in_names(quick: Quick, words: str) -> str:
    """What is said by bodies' ids (of b2) by their names."""
    for body in quick.design.bodies:
        words = re.sub(rf"\bof {re.escape(body.id)}\b", f"of {body.name}", words)
    return words


def _pieces(quick: Quick) -> list[Finding]:
    """A note for each body that combining leaves in more pieces than it was given."""
    found = []
    for body in results(quick.design):
        one, built, tools = quick.of(body), quick.finished.get(body), tools_of(quick.design, body)
        if one is None or built is None or one.full is None:
            continue
        whole = 1 if any(s.joins for s in one.body.done) else len(one.placed)
        if built.pieces <= whole or not (tools or whole < len(one.placed)):
            continue
        name = one.body.name
        if not tools:
            text = f"its copies do not all touch, so that joined they are {built.pieces} pieces; bring them nearer, or keep them separate"
            found.append(Finding("note", name, text, about=body))
            continue
        words = {"add": "added to it", "cut": "cut from it", "common": "kept in common with it"}
        how, tool = tools[-1]
        text = f"with {name_of(quick.design, tool)} {words[how]} it is in {built.pieces} pieces; move one of them, or take it as it is"
        mend = Mend(f"Set {name_of(quick.design, tool)} aside", lambda d, t=tool: set_aside(d, (t,), True))  # type: ignore[misc]
        found.append(Finding("note", name, text, about=body, mends=(mend,)))
    return found
