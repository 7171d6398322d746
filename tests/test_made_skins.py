"""Bodies that are skins made from curves: in the file, in the kernel, by scripts and the command line, and in the window."""

from __future__ import annotations

import json
import math
import tempfile
from pathlib import Path

import numpy as np

from isotomon import cli
from isotomon.app.forms.steps import StepsForm
from isotomon.author.skins import make_skin
from isotomon.design import bodies
from isotomon.design.body import Body
from isotomon.design.edits import replace
from isotomon.design.file import decode, encode, load, save
from isotomon.design.guides import Guide, GuidePoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.design.walk import users
from isotomon.errors import DesignError
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built
from isotomon.operations.combine import Combine
from isotomon.operations.lengthen import Lengthen
from isotomon.operations.sew import Sew
from isotomon.operations.skins.between import BetweenCurves
from isotomon.operations.skins.drawn_out import DrawnOut
from isotomon.operations.skins.filled import FillRun
from isotomon.operations.skins.net import NetSkin
from isotomon.operations.skins.several import SeveralCurves
from isotomon.operations.thicken import Thicken
from isotomon.operations.trim import TrimSkin
from isotomon.profile.section import Circle
from isotomon.quantity.record import Ref, refs
from isotomon.samples import SKINS, sample
from isotomon.solids.checked import checked
from isotomon.solids.deliver import build_all
from tests.helpers import WithWorker, enclosed, trials
from tests.test_window import WithWindow

Spot = tuple[float, float, float]
rng = np.random.default_rng(5)


def guide(key: str, *spots: Spot, closed: bool = False) -> Guide:
    """A curve through points."""
    points = tuple(GuidePoint(x=x, y=y, z=z) for x, y, z in spots)
    return Guide(key, key, "through", (), (), ("closed" if closed else "open",), points)


FIELD = (
    guide("g1", (0, 0, 0), (50, 0, 20), (100, 0, 0)),
    guide("g2", (0, 80, 0), (50, 80, 35), (100, 80, 10)),
    guide("g3", (0, 0, 0), (0, 40, 15), (0, 80, 0)),
    guide("g4", (100, 0, 0), (100, 40, -5), (100, 80, 10)),
)


def net(*steps: object) -> Body:
    """The skin of the field."""
    numbered = tuple(replace(step, id=f"k{n}") for n, step in enumerate(steps))  # type: ignore[type-var]
    return Body("b1", "cheek", NetSkin(along=refs("g1", "g2"), across=refs("g3", "g4")), steps=numbered)  # type: ignore[arg-type]


def lines(points: list[Spot]) -> tuple[Guide, ...]:
    """All edges between some points."""
    pairs = [(a, b) for a in range(len(points)) for b in range(a)]
    return tuple(guide(f"e{b}{a}", points[b], points[a]) for a, b in pairs)


def facets(points: list[Spot], faces: tuple[str, ...], within: float = 0.01) -> Design:
    """Flat fillings of triangles, all sewn to the first."""
    made = [
        Body(
            f"b{k}",
            f"facet {k}",
            FillRun(curves=refs(*(f"e{min(p, q)}{max(p, q)}" for p, q in zip(f, f[1:] + f[:1], strict=True)))),
        )
        for k, f in enumerate(faces)
    ]
    sewn = replace(made[0], steps=(Sew(others=refs(*(b.id for b in made[1:])), within=within, id="k1"),))
    return Design("facets", guides=lines(points), bodies=(sewn, *made[1:]))


def between(quick: Quick) -> float:
    """mm3 that the skins of a design enclose."""
    sheets = [q.sheet for q in (quick, *quick.others) if q.sheet is not None]
    centre = np.mean([s.sheet.at(np.array([0.5]), np.array([0.5]))[0] for s in sheets], axis=0)
    return sum(enclosed(s.sheet, s.made.trim, centre) for s in sheets)


class Made(WithWorker):
    """Skins and what is made of them."""

    def check(self, design: Design) -> dict[str, dict[str, object]]:
        """The check's rows by bodies' names, with no findings but notes."""
        found = checked(rebuild(design), self.supervisor)
        self.assertEqual([f["text"] for f in found["findings"] if f["severity"] != "note"], [])
        self.notes = [f["text"] for f in found["findings"]]
        return {row["name"]: row for row in found["bodies"]}

    def test_demos(self) -> None:
        """The demos of skins are sound; the rose has the volume of its corners, and the hood about that of its skin times its thickness."""
        for name in SKINS:
            design = sample(name)
            self.assertEqual(decode(encode(design)), design)
            if name == "pump-wheel":  # three of its thirteen blades
                blade = design.body("b2")
                design = bodies.change_body(design, "b2", steps=(*blade.steps[:-1], replace(blade.steps[-1], count=3)))
            rows = self.check(design)
            self.assertTrue(all(row["valid"] for row in rows.values()), name)
            first = rows[design.bodies[0].name]
            if name == "compass-rose":
                c, s = 24.0 * math.cos(math.radians(36.0)), 24.0 * math.sin(math.radians(36.0))
                at = {
                    "t": (60, 0, 0),
                    "r": (27, 0, 7.2),
                    "c": (0, 0, 12),
                    "s": (c, s, 0),
                    "b": (0, 0, -4.8),
                    "q": (27, 0, -3),
                }
                whole = 10.0 * sum(np.linalg.det([at[k] for k in f]) / 6.0 for f in ("trs", "rcs", "cbs", "bqs", "qts"))
                self.assertAlmostEqual(first["volume_mm3"] / abs(whole), 1.0, delta=1e-9)  # type: ignore[operator]
            if name == "scoop":
                self.assertAlmostEqual(first["volume_mm3"] / between(rebuild(design)), 1.0, delta=1e-4)  # type: ignore[operator]
            if name == "spray-hood":
                area = rebuild(design).sheet.area  # type: ignore[union-attr]
                self.assertAlmostEqual(first["volume_mm3"] / (1.2 * area), 1.0, delta=0.02)  # type: ignore[operator]
            self.assertEqual(first["watertight"], name != "hull-cheek")

    def test_sizes_of_a_screw(self) -> None:
        """Whatever its pitch, turns and core, it has the volume of its core and of what its flight takes of the cone about it."""
        for pitch, turns, core in ((40.0, 3.0, 10.0), (32.0, 2.0, 13.0)):
            design = sample("silt-screw")
            sizes = {"pitch": pitch, "turns": turns, "core": core}
            design = replace(
                design, numbers=tuple(replace(n, value=sizes.get(n.name, n.value)) for n in design.numbers)
            )
            row = self.check(design)["silt-screw"]
            self.assertTrue(row["valid"] and row["watertight"])
            z = np.linspace(0.0, pitch * turns, 2001)
            cone = 46.0 - 22.0 * (z + 2.0 + 20.0) / 190.0  # half way up the flight
            flight = np.trapezoid(math.pi * (cone**2 - core**2), z) * 4.0 / pitch
            whole = math.pi * core**2 * (12.0 + pitch * turns + 4.0) + flight
            self.assertAlmostEqual(row["volume_mm3"] / whole, 1.0, delta=1e-3)  # type: ignore[operator]

    def test_thick_on_both_sides(self) -> None:
        """About a skin there is half of what is before it and half of what is behind it, to the second order; a formula makes it a wedge."""
        sizes = []
        for side in ("before", "behind", "about"):
            row = self.check(Design("t", guides=FIELD, bodies=(net(Thicken(thickness=2.0, side=side)),)))["cheek"]
            self.assertTrue(row["watertight"])
            sizes.append(float(row["volume_mm3"]))  # type: ignore[arg-type]
        area = rebuild(Design("t", guides=FIELD, bodies=(net(),))).sheet.area  # type: ignore[union-attr]
        self.assertAlmostEqual((sizes[0] + sizes[1]) / (4.0 * area), 1.0, delta=1e-4)
        self.assertAlmostEqual(sizes[2] / (2.0 * area), 1.0, delta=1e-4)
        flat = Body(
            "b1",
            "wedge",
            DrawnOut(curve=Ref("g0"), along=Ref("y"), length=50.0),
            steps=(Thicken(thickness="2 mm + 4 mm * fraction", id="k1"),),
        )
        row = self.check(Design("t", guides=(guide("g0", (0, 0, 0), (80, 0, 0)),), bodies=(flat,)))["wedge"]
        self.assertAlmostEqual(row["volume_mm3"] / (80.0 * 50.0 * 4.0), 1.0, delta=1e-6)  # type: ignore[operator]
        folds = rebuild(Design("t", guides=FIELD, bodies=(net(Thicken(thickness=90.0, side="behind")),)))
        (finding,) = folds.findings
        self.assertIn("bends more tightly", finding.text)
        again = rebuild(finding.mends[0].edit(folds.design))
        self.assertEqual(again.findings, ())

    def test_what_stays_open_is_mended(self) -> None:
        """A tube with a lid at one end that misses it by 0.3 mm: its open end is offered to be filled, and the gap to be closed; both done it is the
        frustum. Where three walls meet it is told."""

        def ring(key: str, z: float, radius: float) -> Guide:
            turns = np.linspace(0.0, 2.0 * math.pi, 25)[:-1].tolist()
            return guide(key, *((radius * math.cos(a), radius * math.sin(a), z) for a in turns), closed=True)

        tube = Body(
            "b1", "tube", BetweenCurves(first=Ref("g1"), second=Ref("g2")), steps=(Sew(others=refs("b2"), id="k1"),)
        )
        lid = Body("b2", "lid", FillRun(curves=refs("g3")))
        made = Design(
            "tube", guides=(ring("g1", 0.0, 20.0), ring("g2", 40.0, 25.0), ring("g3", -0.3, 20.0)), bodies=(tube, lid)
        )
        for title in ("Fill the open end", "Close gaps up to 0.303 mm"):
            finding = next(f for f in self.finished(made).findings if f.mends)
            made = next(mend for mend in finding.mends if mend.title == title).edit(made)
        quick = self.finished(made)
        self.assertEqual(quick.findings, ())
        self.assertAlmostEqual(quick.finished["b1"].volume / (math.pi * 40.0 / 3.0 * 1525.0), 1.0, delta=0.01)
        lines = [
            guide(key, (x, y, 0), (x, y, 50))
            for key, x, y in (("a", 0, 0), ("b", 50, 0), ("c", -30, 40), ("d", -30, -40))
        ]
        walls = [
            Body(f"b{k}", f"wall {k}", BetweenCurves(first=Ref("a"), second=Ref(key))) for k, key in enumerate("bcd", 1)
        ]
        walls[0] = replace(walls[0], steps=(Sew(others=refs("b2", "b3"), id="k1"),))
        told = str([f.text for f in self.finished(Design("walls", guides=tuple(lines), bodies=tuple(walls))).findings])
        self.assertIn("three faces or more meet at one edge, as at (0, 0, 25)", told)

    def finished(self, design: Design) -> Quick:
        """Its results with the solids."""
        quick = rebuild(design)
        return with_finished(quick, build_all(quick, self.supervisor))

    def test_lengthened_and_trimmed(self) -> None:
        """A flat skin is as large as it is lengthened to, and what a post leaves of it, or holds of it, is the circle's."""
        edge = guide("g0", (-50, -50, 0), (50, -50, 0))
        post = Body("b2", "post", stations=tuple(Station(f"s{z}", f"s{z}", z, Circle(), 30.0) for z in (-20.0, 20.0)))
        for keep, size in (("before", 1e4 - math.pi * 225.0), ("behind", math.pi * 225.0)):
            sheet = Body(
                "b1",
                "sheet",
                DrawnOut(curve=Ref("g0"), along=Ref("y"), length=100.0),
                steps=(TrimSkin(by=Ref("b2"), keep=keep, id="k1"),),
            )
            row = self.check(Design("t", guides=(edge,), bodies=(sheet, post)))["sheet"]
            self.assertAlmostEqual(row["area_mm2"] / size, 1.0, delta=1e-9)  # type: ignore[operator]
        longer = replace(
            sheet, steps=(Lengthen(by=25.0, id="k1"), Lengthen(side="start", by=10.0, how="curved", id="k2"))
        )
        row = self.check(Design("t", guides=(edge,), bodies=(longer,)))["sheet"]
        self.assertAlmostEqual(row["area_mm2"] / (110.0 * 125.0), 1.0, delta=1e-9)  # type: ignore[operator]
        trimmed_after = replace(sheet, steps=(*sheet.steps, Lengthen(by=5.0, id="k2")))
        self.assertIn("lengthened", rebuild(Design("t", guides=(edge,), bodies=(trimmed_after, post))).findings[0].text)

    def test_random_skins_sewn(self) -> None:
        """Random facets that close are valid, watertight solids of the volume that their corners have; a planted gap is named with its size."""
        for _ in range(trials(100, 4)):
            points = [tuple(map(float, p)) for p in rng.uniform(-50.0, 50.0, (4, 3))]
            whole = abs(float(np.linalg.det(np.array(points[1:]) - np.array(points[0])))) / 6.0
            row = self.check(facets(points, ("012", "013", "123", "023")))["facet 0"]  # type: ignore[arg-type]
            self.assertTrue(row["valid"] and row["watertight"])
            self.assertAlmostEqual(row["volume_mm3"] / whole, 1.0, delta=1e-6)  # type: ignore[operator]
        gap = 0.4
        open_ = facets([(0, 0, 0), (100, 0, 0), (30, 80, 0), (40, 30, 70)], ("012", "013", "123", "023"))
        moved = (
            guide("f1", (100, 0, 0), (30, 80, gap)),
            guide("f2", (30, 80, gap), (40, 30, 70)),
            guide("f3", (100, 0, 0), (40, 30, 70)),
        )
        torn = bodies.change_body(
            replace(open_, guides=(*open_.guides, *moved)), "b2", shaped=FillRun(curves=refs("f1", "f2", "f3"))
        )
        row = self.check(torn)["facet 0"]
        self.assertFalse(row["watertight"])
        self.assertRegex(
            self.notes[0], r"do not close: open along \d edges.* facet \d and .* are up to 0\.[34]\d* mm apart"
        )
        closed = bodies.change_step(torn, "k1", within=0.5)
        self.assertTrue(self.check(closed)["facet 0"]["watertight"])

    def test_a_tube_with_lids(self) -> None:
        """Rings carried into each other, closed by flat fillings of their sides, are a solid; it is combined like any other."""
        ring = [
            [(r * math.cos(t), r * math.sin(t), z) for t in np.linspace(0.0, 2.0 * math.pi, 25)[:-1]]
            for r, z in ((20.0, 0.0), (20.0, 40.0))
        ]
        guides = tuple(guide(f"g{k}", *spots, closed=True) for k, spots in enumerate(ring))
        tube = Body(
            "b1",
            "tube",
            SeveralCurves(curves=refs("g0", "g1"), across="straight"),
            steps=(Sew(others=refs("b2", "b3"), id="k1"),),
        )
        lids = tuple(
            Body(f"b{k}", f"lid {k}", FillRun(curves=refs(f"b1/side:{side}")))
            for k, side in ((2, "first"), (3, "last"))
        )
        design = Design("t", guides=guides, bodies=(tube, *lids))
        row = self.check(design)["tube"]
        self.assertAlmostEqual(row["volume_mm3"] / (math.pi * 400.0 * 40.0), 1.0, delta=1e-4)  # type: ignore[operator]
        post = Body("b4", "post", stations=tuple(Station(f"s{z}", f"s{z}", z, Circle(), 10.0) for z in (-10.0, 60.0)))
        cut = bodies.add_step(replace(design, bodies=(*design.bodies, post)), "b1", Combine(Ref("b4"), "cut"))
        row = self.check(cut)["tube"]
        self.assertAlmostEqual(row["volume_mm3"] / (math.pi * (400.0 - 25.0) * 40.0), 1.0, delta=1e-4)  # type: ignore[operator]

    def test_what_stands_on_sides(self) -> None:
        """A skin between the sides of two others follows them; their curves cannot be taken away unseen; one that stands on itself is told."""
        other = replace(
            net(), id="b2", name="copy", shaped=DrawnOut(curve=Ref("b1/side:last"), along=Ref("z"), length=30.0)
        )
        web = Body(
            "b3", "web", BetweenCurves(first=Ref("b1/side:first"), second=Ref("b2/side:last"), first_join="flush")
        )
        design = Design("t", guides=FIELD, bodies=(net(), other, web))
        quick = rebuild(design)
        self.assertEqual([f.text for q in (quick, *quick.others) for f in q.findings], [])
        self.assertIn("body web", users(design, "b2"))
        lifted = replace(design, guides=(*FIELD[:1], guide("g2", (0, 80, 0), (50, 80, 60), (100, 80, 10)), *FIELD[2:]))
        areas = [rebuild(d, "b3").sheet.area for d in (design, lifted)]  # type: ignore[union-attr]
        self.assertNotAlmostEqual(areas[0], areas[1], delta=1.0)
        itself = bodies.change_body(
            design, "b2", shaped=DrawnOut(curve=Ref("b3/side:last"), along=Ref("z"), length=30.0)
        )
        told = [f.text for f in rebuild(itself, "b3").findings]
        self.assertTrue(any("in a circle" in text for text in told), told)
        with self.assertRaisesRegex(DesignError, "made from 3 or more"):
            make_skin(design, "net", ("g1", "g2"))
        self.assertEqual(
            make_skin(Design("t", guides=FIELD), "net", ("g4", "g1", "g3", "g2")).bodies[0].making,
            NetSkin(along=refs("g4", "g3"), across=refs("g1", "g2")),
        )

    def test_command_line(self) -> None:
        """`isotomon skin` makes one and lists them, and `check` has their figures."""
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder) / "a.isotomon", Path(folder) / "check.json"
            save(Design("t", guides=FIELD, bodies=(Body("b0", "begun"),)), path)
            self.assertEqual(
                cli.main(
                    ["skin", str(path), "net", "along=g1, g2", "across=g3,g4", "within=0.1 mm", "--name", "cheek"]
                ),
                0,
            )
            self.assertEqual(cli.main(["step", str(path), "thicken", "thickness=2 mm", "side=about"]), 0)
            self.assertEqual(cli.main(["check", str(path), "--json", str(out)]), 0)
            (row,) = json.loads(out.read_text())["bodies"]
            self.assertTrue(row["watertight"] and not row["skin"])
            self.assertEqual(cli.main(["skin", str(path), "between", "first=g1"]), 2)
            self.assertEqual([b.name for b in load(path).bodies], ["cheek"])


class InTheWindow(WithWindow):
    """By keys and the mouse."""

    def shown(self) -> Quick:
        """The newest design's results, at rest."""
        desk = self.window.desk
        self.wait(
            lambda: (
                desk.quick is not None
                and desk.quick.design == desk.design
                and desk.quick.body.id == desk.hand
                and not desk.quick.moving
            ),
            "the rebuild",
        )
        return desk.quick

    def test_from_curves_to_a_solid(self) -> None:
        """Four guides chosen in the Ledger are netted by a key, made thick by a command, thicker in its field, solid, undone to the same bytes,
        and reopened."""
        w = self.window
        w.files.open_design(Design("t", guides=FIELD, bodies=(Body("body", "body"),)))
        self.shown()
        w.desk.select(("g1", "g2", "g3", "g4"))
        before = encode(self.design)
        self.keys("Ctrl+Shift+K")
        area = self.shown().sheet.area
        self.assertIsInstance(self.body.making, NetSkin)
        w.actions_by_id["after-thicken"].trigger()
        self.assertEqual(len(self.shown().grids.outer), 6)
        self.type(w.details.findChild(StepsForm).fields["0 thickness"].edit, "3 mm")
        self.assertEqual(self.body.steps[0].thickness, 3.0)
        self.with_solids()
        self.wait(lambda: isinstance(w.desk.solid, Built) and not w.desk.building, "the solid")
        self.assertAlmostEqual(w.desk.solid.volume / (3.0 * area), 1.0, delta=0.1)
        self.assertTrue(w.desk.solid.watertight)
        self.keys("Ctrl+S", answer=self.folder / "skin.isotomon")
        self.assertEqual(load(self.folder / "skin.isotomon"), self.design)
        for _ in range(3):
            self.keys("Ctrl+Z")
        self.assertEqual(encode(self.design), before)
        w.files.may_leave = lambda: True
        self.keys("Ctrl+O", answer=self.folder / "skin.isotomon")
        self.assertEqual(self.shown().findings, ())
