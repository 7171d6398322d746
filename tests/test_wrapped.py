"""Profiles wrapped on cylinders about an axis: exact areas and volumes, round ends, and what is refused."""

from __future__ import annotations

import math
import unittest

import numpy as np

from isotomon.author.insert import insert_station
from isotomon.design import bodies, edits, station_edits
from isotomon.design.datums import Datum
from isotomon.design.records import Design
from isotomon.design.station import Station
from isotomon.evaluate.settle import stand_and_check
from isotomon.inspect.quick import rebuild
from isotomon.inspect.results import Quick
from isotomon.profile.section import Circle, Naca4, Polygon, Rounded, Section
from tests.helpers import body

RADII = (60.0, 110.0, 170.0)


def fan(section: Section, wrapped: bool = True) -> Design:
    """A fan blade on a shaft along Y: three stations on cylinders, or on the planes that touch them."""
    datums = tuple(Datum(f"d{k}", f"radius {r:g}", "cylinder", ("y",), (r,)) for k, r in enumerate(RADII))
    stations = tuple(
        Station(f"s{k}", f"st{k}", r, section, c, math.radians(a), plane=f"d{k}" if wrapped else "")
        for k, (r, c, a) in enumerate(zip(RADII, (70.0, 80.0, 60.0), (50.0, 32.0, 20.0), strict=True))
    )
    return Design("fan", datums=datums, bodies=(body(stations=stations),))


def volume(quick: Quick) -> float:
    assert quick.full is not None, quick.findings
    return quick.full.body.volume


class Wrapped(unittest.TestCase):
    def test_areas_and_volume_are_those_of_the_flat_body(self) -> None:
        """Cavalieri in cylinder coordinates: dV = dA dr, so the wrapped body has the flat one's areas and volume."""
        for section in (Naca4("4412"), Rounded(0.3, 0.1), Circle(), Polygon(4)):
            with self.subTest(section):
                bent, flat = rebuild(fan(section)), rebuild(fan(section, wrapped=False))
                assert bent.shape is not None and flat.shape is not None
                self.assertAlmostEqual(volume(bent) / volume(flat), 1.0, delta=1e-7)
                gap = bent.shape.curves.area / flat.shape.curves.area - 1.0
                self.assertLess(float(np.abs(gap).max()), 1e-9)

    def test_every_section_lies_on_its_cylinder(self) -> None:
        """Points of the skin are as far from the shaft as their station stands, and as wide round it as drawn."""
        shape = rebuild(fan(Naca4("4412"))).shape
        assert shape is not None
        mesh = shape.mesh
        radius = np.hypot(mesh.points[..., 0], mesh.points[..., 2])
        self.assertLess(float(np.abs(radius - mesh.v[:, None]).max()), 1e-6)
        row = shape.mesh_rows[0]
        turn = np.arctan2(mesh.points[row, :, 0], mesh.points[row, :, 2])
        local = mesh.sampling.value @ shape.sections.local[shape.at_stations[0]]
        self.assertLess(float(np.abs(turn * RADII[0] - local[:, 0]).max()), 1e-5)

    def test_an_inserted_station_keeps_the_shape(self) -> None:
        """A station inserted between wrapped ones moves nothing."""
        before = rebuild(fan(Naca4("4412")))
        assert before.shape is not None
        after = rebuild(insert_station(before.design, before.shape, 140.0))
        self.assertAlmostEqual(volume(after) / volume(before), 1.0, delta=1e-9)

    def test_what_cannot_be_wrapped_says_why(self) -> None:
        """Other axes, axes beside the body's, rulings, and profiles wider than their cylinder are refused in words."""
        design = fan(Circle())
        other = edits.add_datum(design, Datum("d8", "other", "cylinder", ("x",), (200.0,)))
        with self.assertRaisesRegex(ValueError, "another axis"):
            stand_and_check(other, ("s2",), "d8")
        aside = edits.add_datum(design, Datum("d9", "along", "cylinder", ("z",), (200.0,)))
        with self.assertRaisesRegex(ValueError, "squarely"):
            stand_and_check(aside, ("s0",), "d9")
        for wrong, words in (
            (bodies.change_loft(design, "body", ruled=True), "rulings"),
            (station_edits.change_station(design, "s0", chord=400.0), "whole cylinder"),
            (station_edits.change_station(station_edits.stand_on(design, ("s1",), ""), "s1", tilt_x=0.2), "tilted"),
        ):
            self.assertTrue(any(words in f.text for f in rebuild(wrong).findings), words)
