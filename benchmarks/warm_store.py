"""Random walks of changes on a warm store against a cold one: files, facts, notes and sentences, byte for byte.

``WALKS`` (in the environment) of thirty changes each; 20,000 changes are 667 of them, a night's work.
"""

from __future__ import annotations

import os
import random
import time
from collections import Counter

from tests.pipeline.test_warm_store import STARTS, changes_of, told

from nibble_core.errors import NibbleError
from nibble_core.pipeline.store import MemoryStore
from nibble_core.ticket import apply

CHANGES = 30


def run() -> None:
    walks, first = int(os.environ.get("WALKS", "20")), int(os.environ.get("FIRST_WALK", "0"))
    start = time.process_time()
    made = wrong = 0
    where: Counter[str] = Counter()
    for walk in range(first, first + walks):
        chance = random.Random(walk)
        begin = STARTS[walk % len(STARTS)]
        ticket, store = begin(), MemoryStore(500)
        told(ticket, store)
        past = [ticket]
        for _ in range(CHANGES):
            if chance.random() < 1 / 7:
                ticket = chance.choice(past)
            else:
                change = chance.choice(changes_of(ticket))
                try:
                    ticket = apply(ticket, [change])
                except NibbleError:
                    continue
                past.append(ticket)
                where[change.path.split("/")[-1]] += 1
            warm, cold = told(ticket, store), told(ticket, MemoryStore())
            made += 1
            differing = [name for name in {*warm, *cold} if warm.get(name) != cold.get(name)]
            if differing:
                wrong += 1
                print(f"  walk {walk}, {begin.__name__}: {differing}", flush=True)
    print(
        f"{walks} walks from {first}: {made} changes of {len(where)} kinds of values, {wrong} differences between warm "
        f"and cold; {time.process_time() - start:.0f} s of processor",
        flush=True,
    )


if __name__ == "__main__":
    run()
