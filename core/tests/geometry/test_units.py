"""Lengths as people write them."""

import json
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.geometry.units import format_number, parse_length, say_length


class LengthTest(unittest.TestCase):
    def test_the_table_that_the_screen_goes_by_as_well(self):
        table = json.loads((Path(__file__).parent / "lengths.json").read_text())
        for text, unit, mm in table["read"]:
            with self.subTest(text):
                if mm is None:
                    with self.assertRaises(InvalidTicket):
                        parse_length(text, unit)
                else:
                    self.assertAlmostEqual(parse_length(text, unit), mm, places=9)
        for mm, said in table["said"]:
            self.assertEqual(say_length(mm), said)
        self.assertAlmostEqual(parse_length("300", "px"), 79.375)
        with self.assertRaises(InvalidTicket):
            parse_length("1e400")

    @given(st.floats(-1e6, 1e6))
    def test_numbers_are_plain_decimals(self, value):
        text = format_number(value)
        self.assertNotIn("e", text)
        self.assertNotEqual(text, "-0")
        self.assertAlmostEqual(float(text), value, delta=0.00051)
