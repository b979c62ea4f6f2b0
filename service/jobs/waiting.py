"""What a job waits for: a look, somebody who unblocks it, or the next step after its files."""

from collections.abc import Collection, Mapping
from typing import Any

from jobs.models import STEPS

DONE = "9 done"


def waits_for(card: Mapping[str, Any], done: Collection[Mapping[str, Any]]) -> str:
    """Its rank on the board, then what it waits for: “1 blocked lines”, “2 look artwork”, “3 step printed”. card: as it
    is kept; done: the steps that were ticked."""
    for state in ("blocked", "look"):
        station = next((one["key"] for one in card.get("stations", []) if one["state"] == state), None)
        if station is not None:
            return f"{1 if state == 'blocked' else 2} {state} {station}"
    ticked = {one["step"] for one in done}
    step = next((step for step in STEPS if step in card.get("steps", []) and step not in ticked), None)
    return f"{3 + STEPS.index(step)} step {step}" if step else DONE
