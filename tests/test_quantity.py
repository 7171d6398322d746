"""Units, named numbers and formulas."""

from __future__ import annotations

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from isotomon.errors import QuantityError
from isotomon.quantity import Quantity, evaluate, names_in, read, resolve_numbers, show
from isotomon.quantity.units import scale_of


class Formulas(unittest.TestCase):
    """Arithmetic on names, with units."""

    def test_units_convert_exactly_at_the_surface(self) -> None:
        """One inch is 25.4 mm; a typed figure is in the field's unit; a unit in the text wins."""
        self.assertEqual(read("2 in", "length", "mm"), 50.8)
        self.assertEqual(read("2", "length", "in"), 50.8)
        self.assertEqual(read("1 m - 2 cm", "length", "mm"), 980.0)
        self.assertAlmostEqual(read("0.25 turn", "angle", "deg"), math.pi / 2, places=15)
        self.assertEqual(scale_of("cm2"), 100.0)

    @given(st.floats(-400, 400), st.sampled_from(["mm", "cm", "m", "in"]))
    @settings(max_examples=150, deadline=None)
    def test_what_is_shown_reads_back(self, value: float, unit: str) -> None:
        """A length shown to four decimals in any unit reads back within half the last decimal."""
        text = show(value, "length", unit)
        back = read(text, "length", unit)
        assert isinstance(back, float)
        self.assertLessEqual(abs(back - value), 0.5001e-4 * scale_of(unit))

    def test_names_are_worked_out_in_their_order(self) -> None:
        """A number may use one defined after it; the unit follows."""
        found = resolve_numbers([("a", "2*b + 5 mm", "length"), ("b", 10.0, "length"), ("c", "a/b", "ratio")])
        self.assertEqual(found["a"], Quantity(25.0, 1, 0))
        self.assertEqual(found["c"], Quantity(2.5))
        self.assertEqual(names_in("span*0.2 + 5 mm - sin(tilt)"), {"span", "tilt"})

    def test_wrong_formulas_say_what_is_wrong(self) -> None:
        """Each wrong formula is refused with words for its own fault."""
        names = {"a": Quantity(3.0, 1, 0)}
        for text, words in (
            ("a + 5", "add a length and a plain number"),
            ("a + 1 deg", "add a length and an angle"),
            ("A", "did you mean 'a'"),
            ("2 *", "not a number or a formula"),
            ("sin(a)", "takes an angle"),
            ("1/0", "division by zero"),
            ("sqrt(-1)", "root of a negative"),
            ("9**9**9**9", "cannot be computed"),
            ("__import__('os')", "not a number or a formula"),
            ("a.real", "not arithmetic"),
            ("min(a)", "two numbers"),
            ("(" * 60 + "1" + ")" * 60 + "+" * 60 + "1", "nested too deeply"),
        ):
            with self.subTest(text), self.assertRaisesRegex(QuantityError, words):
                evaluate(text, names)

    def test_a_circle_names_its_members(self) -> None:
        """Numbers that use each other in a circle are refused, and the circle is written out."""
        with self.assertRaisesRegex(QuantityError, "circle: a → b → a"):
            resolve_numbers([("a", "b", "length"), ("b", "a", "length")])
        with self.assertRaisesRegex(QuantityError, "number 'a'.*'c' is not known"):
            resolve_numbers([("a", "c", "length")])

    @given(st.text(max_size=30))
    @settings(max_examples=300, deadline=None)
    def test_any_text_is_a_value_or_a_plain_refusal(self, text: str) -> None:
        """No text makes anything but a finite value, a formula or a QuantityError."""
        try:
            value = read(text, "length", "mm")
        except QuantityError:
            return
        self.assertTrue(isinstance(value, str) or math.isfinite(value))
