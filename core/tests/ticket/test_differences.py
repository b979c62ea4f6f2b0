"""What became another ticket is told shortly, and makes that ticket again from the first."""

import json
import unittest
from dataclasses import replace
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.errors import InvalidTicket, NibbleError
from nibble_core.ticket import Change, apply, changed_by, difference, fingerprint, joined, json_schema, to_plain, words
from nibble_core.ticket.model import SCHEMA, Placed, Ticket
from tests.pipeline.test_warm_store import STARTS, changes_of

leaves = st.one_of(st.text(max_size=3), st.floats(-9, 9), st.booleans(), st.none())
names = st.sampled_from(["id", "x", "kind", "places"])


def items(values):
    """Lists of records with an id each, and no two the same."""
    records = st.dictionaries(st.sampled_from(["x", "kind", "places"]), values, max_size=3)
    return st.dictionaries(st.sampled_from("abcdefg"), records, max_size=6).map(
        lambda found: [{"id": id, **one} for id, one in found.items()]
    )


plain = st.recursive(
    leaves,
    lambda values: st.one_of(st.lists(values, max_size=4), st.dictionaries(names, values, max_size=4), items(values)),
    max_leaves=20,
)


def records(node):
    """Every record that a JSON schema describes."""
    if isinstance(node, dict):
        if "properties" in node:
            yield node
        for one in node.values():
            yield from records(one)
    elif isinstance(node, list):
        for one in node:
            yield from records(one)


class DifferenceTest(unittest.TestCase):
    @given(plain, plain)
    def test_any_plain_value_is_made_of_any_other_by_what_told_them_apart(self, before, after):
        untouched = json.dumps(before)
        told = difference(before, after)
        made = before if told is None else changed_by(before, json.loads(json.dumps(told)))
        self.assertEqual(made, after)
        self.assertEqual(json.dumps(before), untouched)

    @given(items(leaves), items(leaves), st.randoms())
    def test_items_that_come_go_and_change_places_are_told_by_their_ids(self, before, after, chance):
        after = [*after, *(one for one in before if one["id"] not in {other["id"] for other in after})]
        chance.shuffle(after)
        told = difference(before, after)
        self.assertEqual(before if told is None else changed_by(before, told), after)

    @given(items(leaves), st.lists(items(leaves), min_size=1, max_size=5))
    def test_differences_that_follow_each_other_are_one_where_no_list_was_changed_twice(self, first, later):
        made, since = first, {}
        for before, after in pairwise([first, *later]):
            told = difference(before, after) or {}
            both = joined(since, told)
            if both is None:
                made, both = changed_by(made, since), told
            since = both
        self.assertEqual(changed_by(made, since), later[-1])

    def test_a_list_whose_ids_are_not_its_own_is_told_by_numbers_which_whoever_reads_it_need_not_guess(self):
        before = [{"id": "a", "x": float(k)} for k in range(8)]
        after = [{**one, "x": 9.5} if k == 5 else one for k, one in enumerate(before)]
        self.assertEqual(difference(before, after), {"//": {"5": {"x": [9.5]}}})
        self.assertEqual(changed_by(before, difference(before, after)), after)

    @given(st.data())
    def test_any_change_of_a_ticket_makes_it_again_from_the_ticket_before(self, data):
        ticket = data.draw(st.sampled_from(STARTS))()
        try:
            after = apply(ticket, [data.draw(st.sampled_from(changes_of(ticket)))])
        except NibbleError:
            return
        told = difference(ticket, after)
        self.assertEqual(to_plain(ticket) if told is None else changed_by(to_plain(ticket), told), to_plain(after))

    def test_of_thousands_of_copies_one_that_is_moved_is_a_few_words(self):
        ticket = STARTS[0]()
        (sheet,) = ticket.sheets
        layer = sheet.holds[0].layer
        copies = tuple(Placed(f"c{n}", layer, n % 100 * 9.0, n // 100 * 9.0) for n in range(5000))
        ticket = replace(ticket, sheets=(replace(sheet, arrangement="as placed", placed=copies),))
        told = difference(ticket, apply(ticket, [Change("sheets/s1/placed/c4711/x", 12.5)]))
        self.assertEqual(told, {"sheets": {"s1": {"placed": {"c4711": {"x": [12.5]}}}}})
        put = {**to_plain(copies[4711]), "x": 12.5, "turn": 90.0}
        change = Change("sheets/s1/placed/c4711", put)
        told = difference(ticket, apply(ticket, [change]))
        self.assertEqual(told, {"sheets": {"s1": {"placed": {"c4711": {"x": [12.5], "turn": [90.0]}}}}})
        self.assertEqual(words(ticket, change), "copy moved")
        self.assertEqual(words(ticket, replace(change, value={**put, "locked": True})), "copy locked")
        for path, wrong in (("c4711", {**put, "id": "c1"}), ("c9999", {**put, "id": "c9999"}), ("c4711", 12.5)):
            with self.assertRaises(InvalidTicket):
                apply(ticket, [Change(f"sheets/s1/placed/{path}", wrong)])
        taken = difference(ticket, apply(ticket, [Change("sheets/s1/placed/c9", None, "remove")]))
        self.assertEqual(taken, {"sheets": {"s1": {"placed": {"/": [9, 1, []]}}}})

    def test_a_ticket_with_other_fields_has_another_schema(self):
        """A difference from a ticket that lacks a field could not be read: the first change in another schema is kept
        whole. Whoever adds a field raises ``SCHEMA`` and writes the fields' fingerprint beside it."""
        fields = sorted({tuple(sorted(one["properties"])) for one in records(json_schema(Ticket))})
        self.assertEqual((SCHEMA, fingerprint(fields)[:12]), (18, "49c5af3277c3"))
