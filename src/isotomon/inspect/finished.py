"""What is known once solids are finished: whether they are sound, and what measures read that waited for them."""

from __future__ import annotations

from dataclasses import replace

from isotomon.design.bodies import name_of, results, set_aside, tools_of
from isotomon.inspect.gauges import read_gauge, wrong_readings
from isotomon.inspect.looks import ground_of
from isotomon.inspect.results import Quick, Reading
from isotomon.inspect.standing_faces import Finished
from isotomon.measure.laws import Finding, Mend


def with_finished(quick: Quick, finished: Finished) -> Quick:
    """The results with the measures that waited for the finished solids, and what these have come to."""
    found = [*_unsound(quick, finished), *_pieces(quick, finished)]
    waiting = [g for g in quick.design.gauges if g.id in quick.readings and quick.readings[g.id].waits]
    taken: dict[str, Reading] = {}
    if waiting:
        ground = ground_of(quick)
        taken = {g.id: read_gauge(ground, quick, finished, g) for g in waiting}
        found += wrong_readings(quick.design, taken)
    if not taken and not found:
        return quick
    return replace(quick, readings={**quick.readings, **taken}, findings=(*quick.findings, *found))


def _unsound(quick: Quick, finished: Finished) -> list[Finding]:
    """An error for each finished body that is no sound solid, and a finding for copies that overlap."""
    found = []
    for body, built in finished.items():
        one = quick.of(body)
        if one is None:
            continue
        name, skin = one.body.name, one.shape is not None and one.shape.open
        if not built.valid:
            text = "the finished solid is not valid: the kernel finds its faces or edges at odds; change what was made of it last"
            found.append(Finding("error", name, text, about=body))
        elif not (built.watertight or skin or (one.body.file and not built.pieces)):
            text = (
                "the finished solid is not watertight: it touches itself, or another part of it, along a line alone; "
                "move the parts into each other, or apart"
            )
            found.append(Finding("error", name, text, about=body))
        if built.united is not None:
            text = (
                f"its copies overlap: their volumes add up to {built.volume:,.1f} mm³, and united they have "
                f"{built.united:,.1f}; join them, or move them apart"
            )
            found.append(Finding("band", name, text, about=body))
    return found


def _pieces(quick: Quick, finished: Finished) -> list[Finding]:
    """A note for each body that combining leaves in more pieces than it was given."""
    found = []
    for body in results(quick.design):
        one, built, tools = quick.of(body), finished.get(body), tools_of(quick.design, body)
        if one is None or built is None or one.body.file:
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
