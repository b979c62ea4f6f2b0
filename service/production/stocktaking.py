"""A sheet that was made is taken off its stock, once: rolls get shorter, offcuts are kept as stocks."""

from typing import Any

from django.utils import timezone

from config.writing import writing
from jobs.actions import Author
from jobs.models import Job
from library import actions
from library.models import Record
from library.queries import library
from nibble_core.errors import InvalidTicket


@writing()
def take(author: Author, job_id: int, revision: int, sheet: str, told: dict[str, Any], stock: str) -> dict[str, Any]:
    """Write down what a sheet took; ``told``: the length, the offcut and how many of it; ``stock``: key of its record.
    Raises InvalidTicket when that was done before."""
    job = Job.objects.select_for_update().get(id=job_id)
    before = next((one for one in job.taken if one["sheet"] == sheet), None)
    if before is not None:
        raise InvalidTicket(
            f"This sheet was taken off already, at change {before['revision']}.",
            "For some more of the same, lay a sheet of their own.",
        )
    words = [*_shortened(stock, told["length"]), *_kept(told["offcut"], told["count"])]
    said = " ".join(words) or "Nothing of it is counted, and no offcut is worth keeping."
    by = author.get_username() if author else ""
    entry = {"sheet": sheet, "revision": revision, "said": said, "by": by, "at": timezone.now().isoformat()}
    job.taken = [*job.taken, entry]
    job.save(update_fields=["taken"])
    return entry


def _shortened(key: str, length: float) -> list[str]:
    record = next((one for one in library().stocks if one.key == key), None)
    if record is None or record.length_left is None or not length:
        return []
    left = max(0.0, record.length_left - length)
    actions.begin()
    row = Record.objects.select_for_update().get(kind=Record.Kind.STOCK, key=key)
    row.value = row.value | {"length_left": round(left, 3)}
    row.save()
    return [f"{length / 1000:.2f} m are off the roll; {left / 1000:.2f} m are left."]


def _kept(offcut: dict[str, Any] | None, count: int) -> list[str]:
    if offcut is None:
        return []
    names = {one.name for one in library().stocks}
    name = offcut["name"]
    free = next(one for one in (name, *(f"{name}, {n}" for n in range(2, 1000))) if one not in names)
    actions.keep_record("stock", "", offcut | {"name": free})
    return [f"{count} × “{free}” {'is' if count == 1 else 'are'} in the library."]
