"""Results by key: what is kept, what is let go, what makes a key."""

import threading
import time
import unittest
from functools import partial

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.pipeline.store import MemoryStore, derived, later, stage
from nibble_core.ticket.artwork import Clean, Trace

values = st.one_of(st.integers(), st.floats(allow_nan=False), st.text(max_size=8), st.none(), st.booleans())


class StoreTest(unittest.TestCase):
    def test_the_least_recently_used_goes_first(self):
        store = MemoryStore(2)
        store.put("a", 1)
        store.put("b", 2)
        store.get("a")
        store.put("c", 3)
        self.assertEqual((store.get("a"), store.get("b"), store.get("c")), (1, None, 3))

    def test_a_stage_is_worked_out_once_for_a_key(self):
        store, three = MemoryStore(), derived(number, 3)
        first, again = (stage(store, at_a_time, "x", three) for _ in range(2))
        self.assertEqual(again.key, first.key)
        self.assertEqual(again.value, first.value, "the moment it was made at is the first one's")
        self.assertNotEqual(stage(MemoryStore(), at_a_time, "x", three).value, first.value)

    def test_what_is_asked_for_later_is_not_worked_out_before(self):
        waiting = later(MemoryStore(), fails, None, derived(number, 3))
        self.assertEqual(len(waiting.key), 64)
        with self.assertRaises(ZeroDivisionError):
            _ = waiting.value

    def test_a_function_that_could_see_more_than_it_is_given_is_refused(self):
        ticket = {"width": 3}

        def closes_over(_):
            return ticket["width"]

        for wrong in (closes_over, lambda _: 3, [].append, partial(number, 3), MemoryStore().get):
            with self.assertRaises(TypeError):
                stage(MemoryStore(), wrong, None)

    def test_many_threads_may_share_it(self):
        store = MemoryStore(8)
        threads = [
            threading.Thread(
                target=lambda n=n: [store.put(f"{n}-{i}", i) or store.get(f"{n}-{i - 1}") for i in range(200)]
            )
            for n in range(6)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        kept = {f"{n}-{i}": store.get(f"{n}-{i}") for n in range(6) for i in range(200)}
        found = {key: value for key, value in kept.items() if value is not None}
        self.assertEqual(len(found), 8)
        self.assertTrue(all(key.endswith(f"-{value}") for key, value in found.items()), found)


class KeyTest(unittest.TestCase):
    @given(st.dictionaries(st.text(min_size=1, max_size=5), values, max_size=5))
    def test_order_does_not_matter_but_every_value_does(self, specification):
        a, b = derived(number, 1), derived(number, 2)
        key = derived(at_a_time, specification, a).key
        self.assertEqual(key, derived(at_a_time, dict(reversed(specification.items())), a).key)
        self.assertNotEqual(key, derived(at_a_time, specification, b).key)
        self.assertNotEqual(key, derived(at_a_time, specification, a, b).key)
        self.assertNotEqual(key, derived(fails, specification, a).key)
        self.assertNotEqual(key, derived(at_a_time, {**specification, "more than five": 1}, a).key)

    def test_dataclasses_count_by_their_values(self):
        self.assertEqual(derived(number, Clean()).key, derived(number, Clean(tolerance=0.1)).key)
        self.assertNotEqual(derived(number, Trace()).key, derived(number, Trace(threshold=0.5)).key)


def number(value):
    return value


def at_a_time(_, *values):
    return values, time.perf_counter_ns()


def fails(_, value):
    return value / 0
