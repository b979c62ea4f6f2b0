"""Results by key: what is kept, what is let go, what makes a key."""

import threading
import unittest

from hypothesis import given
from hypothesis import strategies as st

from nibble_core.pipeline.store import MemoryStore, run_stage, stage_key
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

    def test_a_stage_runs_once_for_a_key(self):
        store, runs = MemoryStore(), []
        first = run_stage(store, "s", {"x": 1}, ["k"], lambda: runs.append(1) or "made")
        again = run_stage(store, "s", {"x": 1}, ["k"], lambda: runs.append(1) or "made")
        self.assertEqual((first.value, again.key, len(runs)), ("made", first.key, 1))

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
        key = stage_key("s", specification, ["a"])
        self.assertEqual(key, stage_key("s", dict(reversed(specification.items())), ["a"]))
        self.assertNotEqual(key, stage_key("s", specification, ["b"]))
        self.assertNotEqual(key, stage_key("t", specification, ["a"]))
        self.assertNotEqual(key, stage_key("s", {**specification, "more than five": 1}, ["a"]))

    def test_dataclasses_count_by_their_values(self):
        self.assertEqual(stage_key("s", Clean(), []), stage_key("s", Clean(tolerance=0.1), []))
        self.assertNotEqual(stage_key("s", Trace(), []), stage_key("s", Trace(threshold=0.5), []))
