"""Guide tools: each makes its curve at once from what is chosen; its points are dragged in the View."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from isotomon.app.api import Api
from isotomon.app.command import Command
from isotomon.app.tools.datums import candidates, rims_of
from isotomon.design import edits, loft_edits
from isotomon.design.body import Body
from isotomon.design.guides import GUIDES, Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.field.skin import BodySkin, Charted, CurveSkin
from isotomon.geometry.datums import Plane
from isotomon.inspect.results import Quick
from isotomon.profile.draw_edits import next_name
from isotomon.quantity import Value
from isotomon.quantity.record import Ref, refs

NAMED = {"lead": "leading point", "trail": "trailing point", "upper": "highest point", "lower": "lowest point"}


BESIDE = 40.0
"""mm by which a new curve of which nothing is known stands beside the last one."""


def slots_of(kind: str) -> list[str]:
    """The letters of what a kind is made from; one for any number of curves."""
    return ["c"] if GUIDES[kind].on == "c*" else list(GUIDES[kind].on)


def guide_candidates(design: Design, letter: str, body: Body, quick: Quick | None = None) -> list[tuple[str, str]]:
    """(reference, name) of all that can stand where a guide asks for this letter."""
    cylinders = [(d.id, d.name) for d in design.datums if d.recipe.makes == "cylinder"]
    if letter == "D":
        return [(d.id, d.name) for d in design.drawings]
    if letter == "S":
        made = [b for b in design.bodies if b.has_skin]
        skins = [(b.id, f"Skin of {b.name}") for b in sorted(made, key=lambda b: b.id != body.id)]
        return [*skins, *cylinders, *candidates(design, "P")]
    if letter == "V":
        return [("", "Its normals"), *candidates(design, "A", body, quick), *candidates(design, "P")]
    if letter == "c":
        own = [(d.id, d.name) for d in design.drawings]
        return [*candidates(design, "c", body, quick), *own, *rims_of(body)]
    if letter == "R":
        return [*cylinders, *candidates(design, "A")]
    return candidates(design, letter, body, quick)


def point_candidates(design: Design, body: Body) -> list[tuple[str, str]]:
    """(reference, name) of all points that a curve can pass."""
    found = [("", "Coordinates"), ("origin", "Origin")]
    found += [(d.id, d.name) for d in design.datums if d.recipe.makes in ("point", "frame")]
    for s in body.stations:
        found += [(f"{s.id}/{part}", f"{s.name} {word}") for part, word in NAMED.items()]
    return found


class GuideTools:
    """The window's guide tools."""

    def __init__(self, api: Api) -> None:
        self.w = api

    # Making

    def make(self, kind: str) -> None:
        """A new guide of a kind; chosen, so that its Details take over."""
        desk = self.w.desk
        design = desk.design
        assert design is not None
        recipe = GUIDES[kind]
        name = next_name((g.name for g in design.guides), {"through": "curve", "drawn": "drawn guide"}.get(kind, kind))
        values: tuple[Value, ...] = tuple(f.default for f in recipe.fields)
        if kind == "helix":
            values = self._helix_numbers(values)
        guide = Guide(
            edits.fresh_id(design, "u"),
            name,
            kind,  # type: ignore[arg-type]
            refs(*self._filled(design, kind)),
            values,
            tuple(allowed[0] for _, allowed in recipe.choices),
            self._points(design, kind),
        )
        if not desk.do(f"add a {recipe.title.lower()}", lambda d: loft_edits.add_guide(d, guide)):
            desk.select((guide.id,))

    def _size(self) -> float:
        quick = self.w.desk.quick
        if quick is None or not quick.resolved.stations:
            return 60.0
        return float(f"{max(n.chord for n in quick.resolved.stations):.2g}")

    def _helix_numbers(self, usual: tuple[Value, ...]) -> tuple[Value, ...]:
        """Two turns round the body and along all of it."""
        quick = self.w.desk.quick
        stations = quick.resolved.stations if quick is not None else ()
        first, last = (stations[0].position, stations[-1].position) if len(stations) > 1 else (0.0, 120.0)
        titles = [f.title for f in GUIDES["helix"].fields]
        fit = {
            "Radius": self._size() / 2.0,
            "Pitch": (last - first) / 2.0,
            "Height": last - first,
            "Start along the axis": first,
        }
        return tuple(fit.get(title, value) for title, value in zip(titles, usual, strict=True))

    def _filled(self, design: Design, kind: str) -> tuple[str, ...]:
        """What a new guide is made from: the chosen things that fit, then the first that do, no thing twice."""
        used: list[str] = []
        for letter in slots_of(kind):
            refs = [ref for ref, _ in guide_candidates(design, letter, self.w.desk.held, self.w.desk.quick)]
            chosen = [k for k in self.w.desk.selection if k in refs and k not in used]
            if kind == "joined" and chosen:
                return tuple(chosen)
            usual = ["z"] if letter == "R" and "z" in refs else []
            used.append((chosen or usual or [r for r in refs if r not in used] or [""])[0])
        return tuple(used)

    def _points(self, design: Design, kind: str) -> tuple[GuidePoint, ...]:
        """Where a new curve passes: chosen points in their order, else a point of each chosen station, or of all."""
        desk = self.w.desk
        if kind == "on-skin" and (skin := self._skin()) is not None:
            ends = skin.ends if isinstance(skin, BodySkin) else (0.0, skin.length)
            return tuple(GuidePoint(x=0.25, z=round(float(z), 6)) for z in np.linspace(*ends, 4))
        if kind != "through":
            return ()
        points = [k for k in desk.selection if any(k == ref for ref, _ in point_candidates(design, desk.held))]
        if len(points) > 1:
            return tuple(GuidePoint(on=Ref(k)) for k in points)
        stations = [n.station.id for _, n in desk.quick.resolved.own] if desk.quick is not None else []
        wanted = [key for key in stations if key in desk.selected_stations()]
        keys = wanted if len(wanted) > 1 else stations
        if len(keys) < 2:
            aside = BESIDE * len(design.guides)  # not on one that is there already
            return (GuidePoint(x=aside), GuidePoint(x=aside, z=100.0))
        taken = {p.on.part for g in design.guides for p in g.points}
        part = next((p for p in ("trail", "lead", "upper", "lower") if p not in taken), "trail")
        return tuple(GuidePoint(on=Ref(f"{k}/{part}")) for k in keys)

    def _skin(self) -> Charted | None:
        """The skin of the body in hand."""
        quick = self.w.desk.quick
        if quick is not None and quick.sheet is not None:
            return CurveSkin(quick.sheet.sheet)
        return BodySkin(quick.shape.field) if quick is not None and quick.shape is not None else None

    def reason(self, kind: str) -> str:
        """Why a kind cannot be made now; empty: it can."""
        design = self.w.desk.design
        if design is None:
            return "Open or begin a design first"
        letters = slots_of(kind)
        if "D" in letters and not design.drawings:
            return "This needs a drawing first"
        if kind == "two-views" and len(design.drawings) + len(design.guides) < 2:
            return "This needs two drawn curves or guides first"
        if kind == "on-skin" and self._skin() is None:
            return "This needs a body first"
        curved = kind in ("dropped", "joined", "offset", "mirrored", "extended")
        return (
            "This needs a guide or another curve first"
            if curved and not (design.guides or self.w.desk.held.stations)
            else ""
        )

    # Rails

    def chosen_guides(self) -> tuple[str, ...]:
        """Ids of the chosen guides."""
        design = self.w.desk.design
        known = {g.id for g in design.guides} if design is not None else set()
        return tuple(k for k in self.w.desk.selection if k in known)

    def rail_reason(self) -> str:
        """Why the chosen guides cannot be made rails."""
        if self.w.desk.design is None:
            return "Open or begin a design first"
        return "" if self.chosen_guides() else "Choose a guide first"

    def toggle_rail(self) -> None:
        """The chosen guides made rails of the loft, or taken out of it when all of them are."""
        desk, keys = self.w.desk, self.chosen_guides()
        assert desk.design is not None
        rails = {r.guide.thing: r.id for r in desk.held.loft.rails}

        def edit(design: Design) -> Design:
            for key in keys:
                if all(k in rails for k in keys):
                    design = loft_edits.remove_rail(design, rails[key])
                elif key not in rails:
                    design = loft_edits.add_rail(design, desk.hand, key)
            return design

        desk.do("take the rails out" if all(k in rails for k in keys) else "use as rails", edit)

    def twin(self) -> None:
        """The chosen guides mirrored in the plane that is chosen with them, else in the body's own XZ plane."""
        desk, keys = self.w.desk, self.chosen_guides()
        quick = desk.quick
        plane = next((k for k in desk.selection if quick and isinstance(quick.datums.get(k), Plane)), "zx")

        def edit(design: Design) -> Design:
            for key in keys:
                design = loft_edits.mirror_guide(design, key, plane)
            return design

        before = {g.id for g in desk.design.guides} if desk.design is not None else set()
        if not desk.do("mirror the guide", edit) and desk.design is not None:
            desk.select(tuple(g.id for g in desk.design.guides if g.id not in before))

    # Dragging


_FAMILY = {
    "drawn": "From drawings",
    "two-views": "From drawings",
    "dropped": "On skins",
    "on-skin": "On skins",
    "meets": "On skins",
    "joined": "From curves",
    "offset": "From curves",
    "mirrored": "From curves",
    "extended": "From curves",
}
_ICONS = {"through": "curve-through", "helix": "helix"}


def _make(kind: str, w: Any) -> None:
    w.guides.make(kind)


def _reason(kind: str, w: Any) -> str:
    return w.guides.reason(kind)


def _all_rails(w: Any) -> bool:
    keys = w.guides.chosen_guides()
    rails = {r.guide for r in w.desk.body.loft.rails} if w.desk.body is not None else set()
    return bool(keys) and all(k in rails for k in keys)


GUIDE_COMMANDS: tuple[Command, ...] = (
    *(
        Command(
            f"guide-{kind}", recipe.title, partial(_make, kind), "Ctrl+Shift+G" if kind == "through" else "", "Guide",
            _ICONS.get(kind, ""), "Made from what is chosen; its Details take over", partial(_reason, kind), None,
            _FAMILY.get(kind, ""),
        )
        for kind, recipe in GUIDES.items()
    ),
    Command("rail", "Use as a rail", lambda w: w.guides.toggle_rail(), "Ctrl+R", "Guide", "rail",
            "The loft follows the chosen guides", lambda w: w.guides.rail_reason(), _all_rails),
    Command("twin", "Mirror the guide", lambda w: w.guides.twin(), "", "Guide", "mirrored",
            "The chosen guides' twins in the chosen plane, or in the ZX plane; a rail's twin is a rail",
            lambda w: w.guides.rail_reason()),
)  # fmt: skip
