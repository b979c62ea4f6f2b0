"""Lengths as people write them."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.geometry.units import format_number, parse_length


class LengthTest(unittest.TestCase):
    def test_every_way_of_writing(self):
        for text, mm in {
            "2": 2, "2mm": 2, " 2,5 mm ": 2.5, "1cm": 10, "0.08in": 2.032, '1/16"': 1.5875, "1 1/2 in": 38.1,
            "96px": 25.4, "72 pt": 25.4, "1.2 m": 1200,
        }.items():  # fmt: skip
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), mm, places=6)
        self.assertAlmostEqual(parse_length("300", "px"), 79.375)

    def test_what_is_no_length_is_refused(self):
        for text in ("", "two", "2 furlongs", "1/0", "--2", "2 3", "nan", "1e400"):
            with self.subTest(text), self.assertRaises(InvalidTicket):
                parse_length(text)

    @given(st.floats(-1e6, 1e6))
    def test_numbers_are_plain_decimals(self, value):
        text = format_number(value)
        self.assertNotIn("e", text)
        self.assertNotEqual(text, "-0")
        self.assertAlmostEqual(float(text), value, delta=0.00051)
