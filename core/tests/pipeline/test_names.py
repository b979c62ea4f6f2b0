"""Names of job files after the shop's own pattern: plain, telling, never twice the same."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.names import WORDS, check_pattern, file_name
from nibble_core.ticket.library import USUAL_NAMES
from tests.sample import badge_ticket, badge_work


class NameTest(unittest.TestCase):
    def test_the_usual_pattern_and_one_of_the_shops_own(self):
        ticket = badge_ticket(quantity=2)
        work = badge_work(ticket)
        usual = [one.name for one in write_files(ticket, work, formats=["pdf", "svg"], revision=4)]
        self.assertEqual(usual, ["badge-print-rev4.pdf", "badge-cut-rev4.pdf", "badge-cut-rev4.svg", "manifest.json"])
        own = [
            one.name for one in write_files(ticket, work, formats=["pdf"], revision=4, names="{purpose} {job}_{rev}")
        ]
        self.assertEqual(own, ["print badge_rev4.pdf", "cut badge_rev4.pdf", "manifest.json"])

    def test_files_that_a_pattern_does_not_tell_apart_are_numbered(self):
        ticket = badge_ticket(quantity=2)
        files = write_files(ticket, badge_work(ticket), formats=["dxf", "dxf-r12", "pdf"], names="{purpose}")
        names = [one.name for one in files]
        self.assertEqual(len(set(names)), len(names))
        self.assertIn("cut-r12.dxf", names)

    def test_patterns_that_name_nothing_or_leave_their_folder_are_refused_in_words(self):
        check_pattern(USUAL_NAMES)
        for pattern in ("{job}", "{purpose}-{price}", "../{purpose}", "{purpose}/x", "{purpose}{", "{purpose}\\", "{}"):
            with self.subTest(pattern), self.assertRaises(InvalidTicket):
                check_pattern(pattern)

    @given(st.lists(st.sampled_from(["-", "_", ".", " ", "x", *(f"{{{word}}}" for word in WORDS)]), max_size=12),
           st.sets(st.sampled_from(WORDS)))  # fmt: skip
    def test_any_pattern_makes_a_plain_name_without_gaps(self, parts, known):
        name = file_name("".join(parts) + "{purpose}", {word: word for word in {*known, "purpose"}}, "pdf")
        self.assertRegex(name, r"^[A-Za-z0-9]([A-Za-z0-9]|[-_. ](?![-_. ]))*\.pdf$")
