"""Sheets, tables and the report: what is on paper has the sizes it should, in every form, read back by other libraries."""

from __future__ import annotations

import ctypes
import dataclasses
import io
import math
import re
import tempfile
import unittest
from html.parser import HTMLParser
from pathlib import Path

import ezdxf
import numpy as np
import pypdfium2
import pypdfium2.raw as pdf
from PIL import Image
from scipy.spatial import cKDTree

from isotomon.delivering import Solids, deliver, deliver_all, file_stem
from isotomon.design import bodies, station_edits
from isotomon.design.edits import replace
from isotomon.design.gauges import Gauge
from isotomon.design.law import Law, LawPoint
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.errors import DesignError, FileError
from isotomon.exchange.pages import POINTS, dxf_of, pdf_of, png_of, svg_of, write_pages
from isotomon.exchange.report_html import report_html
from isotomon.inspect.finished import with_finished
from isotomon.inspect.quick import rebuild
from isotomon.inspect.trade import blade_tables, duct_table, point_table, pour_table, section_table
from isotomon.measure.sight import Projection, sight
from isotomon.operations.hollow import Hollow
from isotomon.operations.ring import Ring
from isotomon.paper.delivery import DELIVERIES, Requested, make
from isotomon.paper.frame import Block
from isotomon.paper.outlines import sections_of
from isotomon.paper.page import Stroke, Text, text_width
from isotomon.paper.report import report
from isotomon.paper.sizes import drawn_sizes
from isotomon.paper.templates import sections_wanted, templates
from isotomon.profile.section import Circle, Naca4, Polygon
from isotomon.quantity.record import Ref
from isotomon.samples import sample
from isotomon.solids.deliver import build_all
from tests.helpers import body, shared_supervisor

BLOCK = Block("proof", "2026-12-01", 1e-4)
DAY = "2026-12-01"


def rounds(*sizes: float, gap: float = 100.0, **fields: object) -> Design:
    """A body of round sections of diameters, so far apart, ruled."""
    stations = tuple(Station(f"s{k}", f"st{k}", gap * k, Circle(), size) for k, size in enumerate(sizes))
    return Design("proof", bodies=(body("body", "cone", stations, ruled=True, **fields),))


def paths_of(data: bytes, number: int = 0) -> list[np.ndarray]:
    """The paths on a page of a PDF as polylines (n, 2) in mm, curves by 20 places each, as another library reads them."""
    document = pypdfium2.PdfDocument(data)
    page, found = document[number], []
    for thing in page.get_objects(filter=[pdf.FPDF_PAGEOBJ_PATH]):
        matrix, points, curve = thing.get_matrix(), list[tuple[float, float]](), list[tuple[float, float]]()
        for k in range(pdf.FPDFPath_CountSegments(thing)):
            segment, x, y = pdf.FPDFPath_GetPathSegment(thing, k), ctypes.c_float(), ctypes.c_float()
            pdf.FPDFPathSegment_GetPoint(segment, x, y)
            at = matrix.on_point(x.value, y.value)
            if pdf.FPDFPathSegment_GetType(segment) == pdf.FPDF_SEGMENT_BEZIERTO:
                curve.append(at)
                if len(curve) == 3:
                    a, (b, c, d) = np.array(points[-1]), map(np.array, curve)
                    t = np.linspace(0.0, 1.0, 21)[1:, None]
                    run = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
                    points += [tuple(p) for p in run.tolist()]
                    curve = []
            else:
                points.append(at)
        found.append(np.array(points) / POINTS)
    document.close()
    return found


def outlines(data: bytes, number: int = 0) -> np.ndarray:
    """(n, 2) the places of all curves on a page: its longest paths."""
    return np.vstack([path for path in paths_of(data, number) if len(path) > 100])


def circle_through(points: np.ndarray) -> tuple[np.ndarray, float]:
    """Centre and radius of the circle nearest to points."""
    (x, y, c), *_ = np.linalg.lstsq(
        np.column_stack([2 * points, np.ones(len(points))]), (points**2).sum(axis=1), rcond=None
    )
    return np.array([x, y]), float(np.sqrt(c + x * x + y * y))


class Paper(unittest.TestCase):
    """Templates at 1:1."""

    def test_a_template_has_its_true_size_in_every_form(self) -> None:
        """A circle of 60 mm: in PDF, SVG and DXF its outline lies on the circle to 0.01 mm, and the bar that is measured is 100.0 mm."""
        (page, _, between) = templates(rebuild(rounds(60.0, 40.0)), BLOCK, "A4", places=("st0", "st1", "25 mm"))
        data = pdf_of([page])
        self.assertAlmostEqual(circle_through(outlines(pdf_of([between])))[1], 27.5, delta=0.001)
        points = outlines(data)
        self.assertLess(np.abs(np.linalg.norm(points - circle_through(points)[0], axis=1) - 30.0).max(), 0.01)
        bars = [np.ptp(path, axis=0) for path in paths_of(data) if len(path) == 2]
        self.assertTrue(any(abs(wide - 100.0) < 0.01 and high < 1e-3 for wide, high in bars))
        svg = svg_of(page).decode()
        self.assertIn('width="297mm"', svg)
        curves = [re.findall(r"-?[\d.]+", d) for d in re.findall(r'd="(M[^"]*C[^"]*)"', svg)]
        knots = np.vstack([np.array(c, dtype=float).reshape(-1, 2)[::3] for c in curves])
        self.assertLess(np.abs(np.linalg.norm(knots - circle_through(knots)[0], axis=1) - 30.0).max(), 0.001)
        drawing = ezdxf.read(io.StringIO(dxf_of(page).decode()))
        self.assertEqual(drawing.header["$INSUNITS"], 4)
        splines = [np.array([(p.x, p.y) for p in e.flattening(0.001)]) for e in drawing.modelspace().query("SPLINE")]
        points = np.vstack(splines)
        self.assertLess(np.abs(np.linalg.norm(points - circle_through(points)[0], axis=1) - 30.0).max(), 0.01)
        self.assertFalse(drawing.audit().errors)
        size = Image.open(io.BytesIO(png_of(page))).size
        self.assertEqual(size, tuple(math.ceil(mm / 25.4 * 200.0 - 1e-6) for mm in (297.0, 210.0)))
        words = pypdfium2.PdfDocument(data)[0].get_textpage().get_text_bounded()
        self.assertTrue(
            all(word in words for word in ("st0", "60 mm", "2827.433 mm²", "100 mm", "proof", "1:1")), words
        )
        self.assertTrue(all(word in svg for word in ("st0", "60 mm", "2827.433 mm²", "100 mm", "proof", "1:1")))

    def test_a_foil_lies_where_the_field_has_it(self) -> None:
        """The outline of a turned foil, read back, lies within 0.01 mm of the section itself, its corner at the trailing edge too."""
        design = Design(
            "proof",
            bodies=(
                body(
                    "body",
                    "fin",
                    tuple(
                        Station(f"s{k}", f"st{k}", 90.0 * k, Naca4("2412"), 120.0, math.radians(17.0)) for k in (0, 1)
                    ),
                ),
            ),
        )
        quick = rebuild(design)
        pages = templates(quick, BLOCK, "A3")
        points = outlines(pdf_of(pages[:1]))
        assert quick.shape is not None
        common, local = quick.shape.form.common, quick.shape.sections.local[0]
        fine = common.rows(np.linspace(0.0, 1.0, 20001)[:-1]) @ local
        shift = (points.min(axis=0) + points.max(axis=0)) / 2 - (fine.min(axis=0) + fine.max(axis=0)) / 2
        self.assertLess(cKDTree(fine + shift).query(points)[0].max(), 0.01)

    def test_sizes_that_the_drawing_carries(self) -> None:
        """As large as they are at the station; none beside stations, nor of a section that is another one there."""
        mast = sample("signal-mast")

        def sizes(design: Design, place: str = "foot") -> list[str]:
            quick = rebuild(design)
            (one,) = sections_of(quick, *sections_wanted(quick, (place,)))
            items = drawn_sizes(quick, one, "mm")
            self.assertEqual(drawn_sizes(quick, dataclasses.replace(one, area=1.001 * one.area), "mm"), [])
            for item in items:
                if isinstance(item, Stroke):
                    self.assertLess(float(np.abs(item.points).max()), 0.75 * one.chord)
            return [item.words for item in items if isinstance(item, Text)]

        told = ["118", "118", "118", "118", "R 52", "Ø 120"]
        self.assertEqual(sizes(mast), told)
        foot = mast.bodies[0].stations[0].id
        twice = station_edits.change_station(mast, foot, chord=680.0, set_angle=0.3)
        self.assertEqual(sizes(twice), ["236", "236", "236", "236", "R 104", "Ø 240"])
        self.assertEqual(sizes(mast, "100 mm"), [])
        (page,) = templates(rebuild(mast), BLOCK, "A2", places=("foot",))
        words = [item.words for item in page.items if isinstance(item, Text)]
        self.assertEqual([word for word in told if word not in words], [])

    def test_a_large_one_is_parted(self) -> None:
        """A circle of 700 mm on A4: on every sheet its piece has that radius, all pieces together are its length and what overlaps, and
        each sheet but a lone one bears marks."""
        pages = templates(rebuild(rounds(700.0, 690.0)), BLOCK, "A4", places=("st0",))
        self.assertGreater(len(pages), 8)
        length = 0.0
        for number, page in enumerate(pages):
            pieces = [p for p in paths_of(pdf_of([page])) if len(p) > 8]
            for points in pieces:
                length += float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
                if len(points) > 60:
                    self.assertAlmostEqual(circle_through(points)[1], 350.0, delta=0.05, msg=number)
            self.assertRegex(page.title, r"[A-F]\d$")
            low, high = (f([p for piece in pieces for p in piece] or [(20, 40)], axis=0) for f in (np.min, np.max))
            self.assertTrue((low >= 9.99).all() and (high <= (287.01, 200.01)).all())
        self.assertTrue(math.pi * 700.0 < length < math.pi * 700.0 * 1.2, length)

    def test_a_flat_pattern_has_its_true_size(self) -> None:
        """A prism laid flat is as wide as its girth and as high as it is; parted over sheets where it is larger than one."""
        square = tuple(Station(f"s{k}", f"st{k}", 90.0 * k, Polygon(4), 30.0 * math.sqrt(2.0)) for k in (0, 1))
        quick = rebuild(Design("proof", bodies=(body("body", "bar", square, ruled=True),)))
        assert quick.full is not None
        (page,) = make(quick, Requested("flat", "A4"), DAY).pages
        runs = [item.points for item in page.items if type(item).__name__ == "Bezier" and item.role == "outline"]
        wide, high = np.ptp(np.vstack(runs), axis=0).tolist()
        girth = float(quick.full.moments.perimeter[0])
        self.assertAlmostEqual(max(wide, high), max(girth, 90.0), delta=0.01)
        self.assertAlmostEqual(min(wide, high), min(girth, 90.0), delta=0.01)
        self.assertEqual(sum(getattr(item, "role", "") == "cut" for item in page.items), 3)
        self.assertGreater(len(make(rebuild(rounds(300.0, 300.0, gap=400.0)), Requested("flat", "A4"), DAY).pages), 4)

    def test_holes_walls_and_boards(self) -> None:
        """What cannot be drawn is said in words; a board that fits outside has the outline, its edge, and two cuts."""
        quick = rebuild(rounds(60.0, 40.0))
        (page, _) = templates(quick, BLOCK, "A3", "outside")
        roles = [getattr(item, "role", "") for item in page.items]
        self.assertEqual(roles.count("cut"), 2)
        for words, call in (
            ("no station", lambda: templates(quick, BLOCK, places=("nowhere",))),
            ("runs from 0 to 100", lambda: templates(quick, BLOCK, places=("20 cm",))),
            ("not finished", lambda: templates(quick, BLOCK, finished=True)),
            ("not finished", lambda: templates(quick, BLOCK, kind="inside")),
            ("size of paper", lambda: make(quick, Requested("curves", paper="A9"), DAY)),  # type: ignore[arg-type]
            ("nothing called", lambda: make(quick, Requested("dance"), DAY)),
        ):
            with self.subTest(words), self.assertRaisesRegex(DesignError, words):
                call()
        with self.assertRaisesRegex(FileError, "ending"):
            write_pages([page], Path("/tmp/x.doc"))
        self.assertAlmostEqual(text_width("mm", 10.0), 2.0 * text_width("m", 10.0))


class Sight(unittest.TestCase):
    """Lines seen and hidden."""

    def test_a_box_seen_over_its_corner(self) -> None:
        """Nine edges are seen and three hidden, each of its length as it is projected."""
        corners = np.array([(x, y, z) for x in (0.0, 20.0) for y in (0.0, 30.0) for z in (0.0, 50.0)])
        quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
        points = np.vstack([corners[list(q)] for q in quads])
        triangles = np.vstack([np.array([(0, 1, 2), (0, 2, 3)]) + 4 * k for k in range(6)])
        normals = np.repeat([(-1, 0, 0), (1, 0, 0), (0, -1, 0), (0, 1, 0), (0, 0, -1), (0, 0, 1)], 4, axis=0).astype(
            float
        )
        same = np.array([i for q in quads for i in q])
        right = np.array([-1.0, 1.0, 0.0]) / math.sqrt(2.0)
        up = np.array([-1.0, -1.0, 2.0]) / math.sqrt(6.0)
        seen = sight(points, triangles, normals, same, Projection(right, up))
        size = {
            h: sum(
                float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())
                for line, hidden in zip(seen.lines, seen.hidden, strict=True)
                if hidden == h
            )
            for h in (False, True)
        }
        edge = math.sqrt(2.0 / 3.0)
        self.assertAlmostEqual(size[False], 3.0 * (20.0 + 30.0 + 50.0) * edge, delta=0.5)
        self.assertAlmostEqual(size[True], (20.0 + 30.0 + 50.0) * edge, delta=0.5)

    def test_a_ball_has_a_round_contour(self) -> None:
        """The contour of a ball is its great circle, much nearer than the mesh that it is found on."""
        a, b = np.meshgrid(np.linspace(0, math.tau, 41), np.linspace(0, math.pi, 21))
        way = np.stack([np.cos(a) * np.sin(b), np.sin(a) * np.sin(b), np.cos(b)], axis=-1).reshape(-1, 3)
        k = (np.arange(20)[:, None] * 41 + np.arange(40)).ravel()
        triangles = np.vstack([np.stack([k, k + 41, k + 42], 1), np.stack([k, k + 42, k + 1], 1)])
        _, same = np.unique(np.round(way, 9) + 0.0, axis=0, return_inverse=True)
        view = Projection(np.array([0.6, 0.0, 0.8]), np.array([0.0, 1.0, 0.0]))
        seen = sight(30.0 * way, triangles, way, same.ravel(), view)
        lengths = np.linalg.norm(np.vstack(seen.lines), axis=1)
        self.assertLess(np.abs(lengths - 30.0).max(), 0.3)
        self.assertFalse(any(seen.hidden))


class Trades(unittest.TestCase):
    """Tables of the trades, against their formulas."""

    def test_a_foil_s_figures(self) -> None:
        """Thickness and its place, camber and its place, and the leading radius 1.1019 t² of the four-digit foils."""
        for digits, thick, camber, at in (("0012", 0.12, 0.0, math.nan), ("2415", 0.15, 0.02, 0.4)):
            stations = tuple(Station(f"s{k}", f"st{k}", 200.0 * k + 100.0, Naca4(digits), 200.0) for k in (0, 1))
            table = blade_tables(rebuild(Design("proof", bodies=(body("body", "fin", stations),))))[0]
            row = dict(zip([c.title for c in table.columns], table.rows[0], strict=True))
            self.assertAlmostEqual(row["t/c"], thick, delta=0.002)
            self.assertAlmostEqual(row["thickest at"], 0.3, delta=0.01)
            self.assertAlmostEqual(row["f/c"], camber, delta=1e-4)
            if camber:
                self.assertAlmostEqual(row["cambered at"], at, delta=0.01)
            else:
                self.assertAlmostEqual(row["leading radius"], 200.0 * 1.1019 * thick**2, delta=0.02 * 200.0 * thick**2)

    def test_a_screw_s_figures(self) -> None:
        """Of a blade that is set out for one pitch: that pitch at every station; expanded area and solidity of four such blades."""
        pitch, chord = 300.0, 60.0
        radii = (80.0, 120.0, 160.0, 200.0)
        stations = tuple(
            Station(f"s{k}", f"st{k}", r, Naca4("0012"), chord, math.atan2(pitch, math.tau * r), pivot=0.5)
            for k, r in enumerate(radii)
        )
        ringed = body("body", "blade", stations, steps=(Ring(about=Ref("y"), count=4),))
        one, whole = blade_tables(rebuild(Design("proof", bodies=(ringed,))))
        titles = [c.title for c in one.columns]
        for row, r in zip(one.rows, radii, strict=True):
            cells = dict(zip(titles, row, strict=True))
            self.assertAlmostEqual(cells["pitch"], pitch, delta=1e-6)
            self.assertAlmostEqual(cells["pitch ratio"], pitch / 400.0, delta=1e-8)
            self.assertAlmostEqual(cells["solidity"], 4.0 * chord / (math.tau * r), delta=1e-9)
        figures = {row[0]: row[1] for row in whole.rows}
        self.assertAlmostEqual(figures["expanded area"], 4.0 * chord * 120.0, delta=1e-3)
        self.assertAlmostEqual(figures["expanded area ratio"], 4.0 * chord * 120.0 / (math.pi * 200.0**2), delta=1e-7)

    def test_a_cone_s_figures(self) -> None:
        """Hydraulic diameter of a circle and of a square, area change and angle of a cone; the sections' CSV says its units."""
        table = duct_table(rebuild(rounds(60.0, 40.0, gap=80.0)))
        name, position, area, _, wet, change, angle = table.rows[0]
        self.assertEqual((name, position), ("st0", 0.0))
        self.assertAlmostEqual(area, math.pi * 900.0, delta=1e-3)
        self.assertAlmostEqual(wet, 60.0, delta=1e-5)
        self.assertAlmostEqual(change, -2.0 * math.pi * 30.0 * 10.0 / 80.0, delta=0.01)
        self.assertAlmostEqual(angle, math.degrees(2.0 * math.atan(-10.0 / 80.0)), delta=1e-3)
        square = tuple(Station(f"s{k}", f"st{k}", 50.0 * k, Polygon(4), 30.0 * math.sqrt(2.0)) for k in (0, 1))
        row = duct_table(rebuild(Design("proof", bodies=(body("body", "bar", square, ruled=True),)))).rows[0]
        self.assertAlmostEqual(row[4], math.sqrt(row[2]), delta=1e-9)
        self.assertTrue(
            section_table(rebuild(rounds(60.0, 40.0))).csv().startswith("station,position_mm,area_mm2,perimeter_mm,")
        )

    def test_what_is_left_of_a_tilted_cylinder(self) -> None:
        """Tilted by an angle, a hollow cylinder keeps all below the plane through its lowest rim; what cannot be told is said."""
        gauge = Gauge("m1", "fill", "capacity", ("body", "z"), (60.0, 0.0, 1.0), ("level",))
        solid = replace(rounds(80.0, 80.0, gap=120.0), gauges=(gauge,))
        with self.assertRaisesRegex(DesignError, "hollow it out"):
            pour_table(rebuild(solid))
        cup = bodies.add_step(solid, "body", Hollow(wall=2.0, floor=4.0))
        with self.assertRaisesRegex(DesignError, "not finished yet"):
            pour_table(rebuild(cup))
        quick = rebuild(cup)
        quick = with_finished(quick, build_all(quick, shared_supervisor()))
        told = 0
        for tilt, left, _ in pour_table(quick).rows:
            if abs(tilt) <= 50.0:  # the water's plane does not reach the floor
                wanted = math.pi * 38.0**2 * (116.0 - 38.0 * abs(math.tan(math.radians(tilt)))) * 1e-6
                self.assertAlmostEqual(left / wanted, 1.0, delta=5e-3, msg=tilt)
                told += 1
        self.assertEqual(told, 11)
        with self.assertRaisesRegex(DesignError, "not level"):
            pour_table(quick, Ref("z"))

    def test_points_lie_on_their_sections(self) -> None:
        """All points of a round station lie at its radius and height, a point a row."""
        table = point_table(rebuild(rounds(60.0, 40.0)))
        for name, run, x, y, z in table.rows:
            at = int(name[2:])
            self.assertEqual(run, 1.0)
            self.assertAlmostEqual(z, 100.0 * at, delta=1e-9)
            self.assertAlmostEqual(math.hypot(x, y), 30.0 - 10.0 * at, delta=1e-5)
        self.assertGreater(len(table.rows), 400)


class Words(HTMLParser):
    """The words of a page, and where it would fetch something from."""

    def __init__(self) -> None:
        super().__init__()
        self.words: list[str] = []
        self.fetched: list[str] = []

    def handle_data(self, data: str) -> None:
        self.words += data.split()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.fetched += [v for k, v in attrs if k in ("src", "href") and v and not v.startswith("data:")]


class Reports(unittest.TestCase):
    """The report, and all in one go."""

    def test_pdf_and_html_say_the_same(self) -> None:
        """Every figure of the tables stands in both; laws tell their worst place and that they are missed; HTML fetches nothing, and what a
        name says is text, never markup."""
        design = rounds(
            60.0,
            40.0,
            30.0,
            laws=(
                Law(
                    "law1",
                    "<b>area</b>",
                    "area",
                    0.01,
                    relative=True,
                    points=(LawPoint(math.pi * 900.0, Ref("s0")), LawPoint(900.0, Ref("s2"))),
                ),
            ),
        )
        made = report(rebuild(design), DAY)
        html, words = report_html(made), Words()
        words.feed(html)
        self.assertEqual(words.fetched, [])
        self.assertNotIn("<b>", html)
        pages = make(rebuild(design), Requested("report"), DAY).pages
        document = pypdfium2.PdfDocument(pdf_of(pages))
        printed = " ".join(page.get_textpage().get_text_bounded() for page in document).split()
        figures = {w for w in words.words if re.fullmatch(r"-?\d+\.\d{2,}", w)}
        self.assertGreater(len(figures), 15)
        self.assertEqual(figures - set(printed), set())
        self.assertTrue({"missed", "706.858"} <= set(printed), sorted(figures))

    def test_all_in_one_go(self) -> None:
        """All that a design can deliver is written, what it cannot is told; nothing half-written stays, and a name that is no file's is made one."""
        design = bodies.add_step(
            Design("a/../b: c", bodies=rounds(60.0, 40.0).bodies), "body", Hollow(wall=3.0, id="k1")
        )
        self.assertEqual(file_stem(design.name), "a_.._b_ c")
        with tempfile.TemporaryDirectory() as folder, Solids() as solids:
            path = Path(folder)
            only = tuple(DELIVERIES)
            done = deliver_all(design, path, solids, only)
            self.assertEqual([d.what for d in done if d.problem], ["pour"])
            self.assertEqual(sorted(p.name for p in path.iterdir()), sorted(p.name for d in done for p in d.written))
            html = (path / "a_.._b_ c-report.html").read_text()
            walls = html[html.index("Walls") :]
            self.assertRegex(walls[: walls.index("</table>")], r"least</td>\s*<td[^>]*>(3\.0|2\.99)")
            self.assertEqual(len(deliver(design, "templates", path / "t.svg")), 2)
            skin = deliver_all(sample("hull-cheek"), path, solids, ("templates", "general"))
            self.assertEqual([bool(d.problem) for d in skin], [False, True])
            with self.assertRaisesRegex(DesignError, "nothing called 'song'"):
                deliver_all(design, path, solids, ("song",))


if __name__ == "__main__":
    unittest.main()
