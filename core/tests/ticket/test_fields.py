"""Fields of the ticket: what each kind takes, refuses and says."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.fields import Rule

LENGTH = Rule("length", "distance", 0.5, 20.0, 0.1)
SHARE = Rule("share", "threshold", 0.01, 0.99, 0.01, auto="as suggested")
COUNT = Rule("count", "quantity", 1, 100_000)
CHOICE = Rule("choice", "corners", choices={"round": "an arc", "mitred": "a point"})
TEXT = Rule("text", "name", 1, 10)


class RuleTest(unittest.TestCase):
    @given(st.floats(allow_nan=True, allow_infinity=True))
    def test_a_length_is_kept_within_its_limits_or_refused_with_them(self, value):
        if 0.5 <= value <= 20:
            self.assertAlmostEqual(LENGTH.check(value), value, places=6)
        else:
            with self.assertRaises(InvalidTicket) as caught:
                LENGTH.check(value)
            self.assertIn("0.5 mm to 20.0 mm", caught.exception.what_to_do)

    def test_what_is_said(self):
        for rule, value, said in (
            (LENGTH, 2.0, "2.0 mm"), (LENGTH, 2.25, "2.25 mm"), (LENGTH, 12.7, "12.7 mm"), (SHARE, 0.48, "48 %"),
            (SHARE, 0.125, "12.5 %"), (SHARE, None, "as suggested"), (COUNT, 1200, "1 200"), (CHOICE, "round", "round"),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertEqual(rule.say(value), said)

    def test_wrong_kinds_are_refused(self):
        for rule, value in (
            (LENGTH, "2"), (LENGTH, True), (LENGTH, None), (COUNT, 1.5), (COUNT, 0), (CHOICE, "wobbly"), (CHOICE, None),
            (TEXT, ""), (TEXT, "x" * 11), (TEXT, "a\tb"), (TEXT, 5), (Rule("date", "due"), "tomorrow"),
            (Rule("flag", "line"), 1), (Rule("digest", "file"), "G" * 64),
        ):  # fmt: skip
            with self.subTest(rule.called, value=value), self.assertRaises(InvalidTicket):
                rule.check(value)

    def test_a_wrong_choice_is_answered_with_the_right_ones(self):
        with self.assertRaises(InvalidTicket) as caught:
            CHOICE.check("wobbly")
        self.assertIn("round, mitred", caught.exception.what_to_do)

    def test_names_are_trimmed_and_dates_are_plain(self):
        self.assertEqual(TEXT.check("  kite "), "kite")
        self.assertEqual(Rule("date", "due", auto="no date").check("2027-01-09"), "2027-01-09")
        self.assertIsNone(Rule("date", "due", auto="no date").check(None))
