"""Commands that do one more thing with the body in hand: one for every operation."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from isotomon.app.api import Api
from isotomon.app.command import Command, needs_design
from isotomon.app.state.desk import Desk
from isotomon.app.tools.datums import candidates
from isotomon.design import bodies
from isotomon.design.pieces import cut_in_two, faces_taken
from isotomon.design.records import Design
from isotomon.evaluate.stages import ask_of
from isotomon.field.sheet import SIDES
from isotomon.inspect.looks import ground_of
from isotomon.kernel.protocol import unpack
from isotomon.operations import OPERATIONS
from isotomon.operations.base import KINDS, Input, Operation, bodies_of, inputs_of
from isotomon.operations.cut_by_skin import CutBySkin
from isotomon.operations.cut_off import CutOff
from isotomon.quantity.record import Id, Ref, refs

NAMED_POINTS = ("lead", "trail", "upper", "lower")


def offers_of(desk: Desk, asked: Input) -> list[tuple[str, str]]:
    """(value, in words) of all that can be chosen for a field of an operation."""
    if asked.what == "choice":
        return list(asked.words)
    if asked.what == "edges":
        return edge_offers(desk)
    if asked.what == "faces":
        return face_offers(desk)
    if asked.what in ("curves", "c"):
        return curve_offers(desk)
    if asked.what == "points":
        return point_offers(desk)
    if desk.design is None or asked.what in (*KINDS, "count", "copies", "pairs", "yes"):
        return []
    if asked.what in ("B", "bodies"):
        design, hand = desk.design, desk.hand
        return [(b.id, b.name) for b in desk.others if bodies.may_receive(design, hand, b.id)]
    found = [offer for letter in asked.what for offer in candidates(desk.design, letter)]
    if "S" in asked.what:
        skins = [(b.id, b.name) for b in desk.others if b.has_skin]
        found = [("", "nothing"), *skins, *found]
    return found


def edge_offers(desk: Desk) -> list[tuple[str, str]]:
    """(reference, in words) of the edges of the body in hand that can be chosen: those chosen in the View, and by rules."""
    if desk.design is None or desk.quick is None:
        return []
    hand, tools = desk.hand, _made_with(desk)
    rules = [f"{hand}/along", f"{hand}/first-rim", f"{hand}/last-rim", f"{hand}/all"]
    wanted = [*chosen_edges(desk), *(f"{tool}/meets" for tool in tools), *rules]
    ground = ground_of(desk.quick)
    return [(ref, ground.called(ref)) for ref in dict.fromkeys(wanted)]


def face_offers(desk: Desk) -> list[tuple[str, str]]:
    """(reference, in words) of the faces of the body in hand that can be chosen: those chosen in the View, its ends, and all that
    another body has left on it."""
    if desk.design is None or desk.quick is None:
        return []
    hand, tools = desk.hand, _made_with(desk)
    wanted = [*chosen_faces(desk), f"{hand}/first", f"{hand}/last", *(f"{tool}/faces" for tool in tools)]
    ground = ground_of(desk.quick)
    return [(ref, ground.called(ref)) for ref in dict.fromkeys(wanted)]


def curve_offers(desk: Desk) -> list[tuple[str, str]]:
    """(reference, in words) of all curves: guides, drawings, what is chosen in the View, edges and rims of bodies, sides of skins."""
    if desk.design is None or desk.quick is None:
        return []
    design, hand, ground = desk.design, desk.hand, ground_of(desk.quick)
    wanted = [*chosen_curves(desk), *(g.id for g in design.guides), *(d.id for d in design.drawings)]
    for body in design.bodies:
        if body.making is not None:
            wanted += [f"{body.id}/side:{side}" for side in SIDES if body.id != hand]
        elif body.stations:
            wanted += [f"{s.id}/outline" for s in body.stations] + [f"{body.id}/first-rim", f"{body.id}/last-rim"]
    return [(ref, ground.called(ref)) for ref in dict.fromkeys(wanted)]


def point_offers(desk: Desk) -> list[tuple[str, str]]:
    """(reference, in words) of all points: datums, and the named points of stations."""
    if desk.design is None:
        return []
    found = [(ref, name) for ref, name in candidates(desk.design, "p") if ref]
    parts = [(s.id, f"{s.id}/{part}") for s in bodies.stations_of_all(desk.design) for part in NAMED_POINTS]
    ground = ground_of(desk.quick) if desk.quick is not None else None
    return [*found, *((ref, ground.called(ref)) for _, ref in parts if ground is not None)]


def chosen_points(desk: Desk) -> list[str]:
    """What is chosen that is a point, in the order in which it was chosen."""
    offered = {ref for ref, _ in point_offers(desk)}
    return [key for key in desk.selection if key in offered]


def chosen_curves(desk: Desk) -> list[str]:
    """What is chosen that a skin can be made from, in the order in which it was chosen; a station for its profile."""
    if desk.design is None:
        return []
    lone = {r.id for group in (desk.design.guides, desk.design.drawings) for r in group}
    stations = {s.id for s in bodies.stations_of_all(desk.design)}
    found = [f"{key}/outline" if key in stations else key for key in desk.selection]
    return [key for key in found if key in lone or Ref(key).part == "outline" or is_curve(Ref(key))]


def is_curve(ref: Ref) -> bool:
    """Whether a reference is to an edge, rim or side that is a curve."""
    return ref.part.startswith(("along:", "side:")) or ref.part.endswith("-rim")


def chosen_faces(desk: Desk) -> list[str]:
    """What is chosen that is a face or an end."""
    return [key for key in desk.selection if Ref(key).part.startswith("face:") or Ref(key).part in ("first", "last")]


def chosen_edges(desk: Desk) -> list[str]:
    """What is chosen that is an edge, or a face whose edges may be meant; the station at an end is meant for the rim there."""
    kinds = ("along:", "face:", "edge:", "first", "last")
    stations = [s.station.id for _, s in desk.quick.resolved.own] if desk.quick is not None else []
    rims = {stations[k]: f"{desk.hand}/{end}-rim" for k, end in ((0, "first"), (-1, "last"))} if stations else {}
    wanted = [rims.get(key, key) for key in desk.selection]
    return [key for key in wanted if Ref(key).part.startswith(kinds)]


def _made_with(desk: Desk) -> list[Id]:
    """The bodies that the one in hand is combined or sewn with, in order."""
    assert desk.design is not None
    there = {b.id for b in desk.design.bodies if not b.aside}
    return [key for step in desk.held.done for key in bodies_of(step) if key in there]


def _usual_edges(desk: Desk) -> tuple[Ref, ...]:
    """The edges that a new step works on where none are chosen: where bodies meet, else the rim of the last end, else those along a body that has
    no ends."""
    tools, mesh = _made_with(desk), desk.quick.mesh if desk.quick is not None else None
    rule = "along" if mesh is not None and mesh.ring else "last-rim"
    return refs(*(chosen_edges(desk) or [f"{tool}/meets" for tool in tools[-1:]] or [f"{desk.hand}/{rule}"]))


def _add(w: Api, kind: type[Operation]) -> None:
    """One more step for the body in hand, about the chosen thing where that fits."""
    design, desk = w.desk.design, w.desk
    assert design is not None
    faces = refs(*chosen_faces(desk))
    fields = kind.begun(faces)
    for asked in inputs_of(kind):
        if asked.what == "edges":
            fields |= {asked.name: _usual_edges(desk)} if asked.name == "edges" else {}
            continue
        if asked.what == "faces":
            fields |= {asked.name: faces or refs(f"{desk.hand}/last")} if asked.name == "faces" else {}
            continue
        offered = [ref for ref, _ in offers_of(desk, asked)]
        chosen = [key for key in desk.selection if key in offered]
        if asked.what == "bodies":
            fields |= {asked.name: refs(*(chosen or _skins_of(desk, offered)))}
            continue
        if asked.what == "c" and not chosen:
            chosen = [g.id for g in design.guides[-1:]]
        if chosen or (asked.what == "B" and offered):
            fields[asked.name] = (chosen or offered)[0]
    _do(w, kind.COMMAND.lower(), lambda d: _with_step(d, desk.hand, _settled(desk, kind(**fields))))


def _skins_of(desk: Desk, offered: Sequence[str]) -> list[str]:
    """Of the bodies that are offered those that are skins."""
    found = (desk.quick.of(key) for key in offered) if desk.quick is not None else ()
    return [one.body.id for one in found if one is not None and one.open]


def _do(w: Api, title: str, edit: Callable[[Design], Design]) -> None:
    """An edit of the body in hand, which is seen whole then."""
    if not w.desk.do(title, edit):
        w.desk.select((w.desk.hand,))
        w.view.fit()


def _settled(desk: Desk, step: Operation) -> Operation:
    """A new step, so that it does something with the body as it is seen."""
    quick, ground = desk.quick, desk.ground()
    if quick is None or ground is None:
        return step
    built = quick.finished.get(quick.result)
    if quick.mesh is not None:
        points = quick.stood(quick.mesh.points.reshape(-1, 3))
    elif built is not None:
        points = unpack(built.vertices).astype(float)
    else:
        return step
    return step.settled(ask_of(ground), points)


def _cut_in_two(w: Api) -> None:
    """The body cut by a plane or a skin, the chosen one where one is, and what is cut off kept as a body of its own."""
    desk = w.desk
    skins = [q.body.id for q in desk.quick.others if q.open] if desk.quick is not None else []
    skin = next((Ref(key) for key in desk.selection if key in skins), None)
    if skin is not None:
        _do(w, SPLIT.lower(), lambda d: cut_in_two(d, desk.hand, CutBySkin(skin)))
        return
    offered = [ref for ref, _ in offers_of(desk, next(i for i in inputs_of(CutOff) if i.name == "plane"))]
    plane = next((Ref(key) for key in desk.selection if key in offered), Ref("xy"))
    _do(w, SPLIT.lower(), lambda d: cut_in_two(d, desk.hand, _settled(desk, CutOff(plane=plane))))


def _take_faces(w: Api) -> None:
    """The chosen faces of the body in hand as a skin of its own."""
    faces = refs(*chosen_faces(w.desk))
    _do(w, TAKE.lower(), lambda d: faces_taken(d, w.desk.hand, faces))


def _take_reason(w: Api) -> str:
    return _needs_body(w) or ("" if chosen_faces(w.desk) else "Choose faces of the body in hand in the View first")


def _with_step(design: Design, body: Id, step: Operation) -> Design:
    """The design with one more step of a body: at the end, or before those that leave no skin to work on."""
    made = bodies.add_step(design, body, step)
    if not step.EARLY:
        return made
    *before, new = made.body(body).steps
    place = next((k for k, other in enumerate(before) if not other.keeps_skin(body)), len(before))
    return bodies.move_step(made, new.id, place)


def _needs_body(w: Api) -> str:
    return needs_design(w) or ("" if bodies.is_begun(w.desk.held) else "There is no body yet; make one first")


def _reason(kind: type[Operation], w: Api) -> str:
    missing = _needs_body(w)
    if missing or not any(asked.what in ("B", "bodies") for asked in inputs_of(kind)):
        return missing
    if not w.desk.others:
        return "There is one body only; make another first"
    free = all(offers_of(w.desk, asked) for asked in inputs_of(kind) if asked.what in ("B", "bodies"))
    return "" if free else "Every other body is made of this one, or used already; make another first"


def _command(kind: str, operation: type[Operation]) -> Command:
    return Command(
        f"after-{kind}",
        operation.COMMAND,
        partial(_add, kind=operation),
        operation.SHORTCUT,
        operation.STAGE,
        operation.ICON,
        operation.HELP,
        partial(_reason, operation),
        None,
        operation.FAMILY,
    )


SPLIT, TAKE = "Cut in two bodies", "Take faces off as a skin"
STEP_COMMANDS: tuple[Command, ...] = (
    *(_command(kind, operation) for kind, operation in OPERATIONS.items()),
    Command("cut-in-two", SPLIT, _cut_in_two, "", "Finish", "", "The body cut by a plane or a skin; what is cut off is a body of its own, and follows",
            _needs_body, None, "Bodies"),
    Command("take-faces", TAKE, _take_faces, "", "Finish", "", "A skin of its own that is the chosen faces of the body, and follows it",
            _take_reason, None, "Skins"),
)  # fmt: skip
