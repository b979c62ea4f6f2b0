"""Everything that changes the shop's library."""

import re
from dataclasses import replace
from typing import Any, Literal

from config.writing import writing
from files import blobs
from library.models import Record
from library.queries import KINDS, library
from nibble_core.errors import InvalidTicket
from nibble_core.formats.registry import SHEET_FORMATS
from nibble_core.pipeline.names import check_pattern
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.processes import PROCESSES
from nibble_core.ticket import STARTING, from_plain, to_plain
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Machine, Setting, Stock
from nibble_core.ticket.serial import check_settings

MOST_RECORDS = 300
Kind = Literal["stock", "machine"]


def begin() -> None:
    """Write the starting set, the first time that something is changed."""
    if Record.objects.exists():
        return
    rows = [Record(kind=Record.Kind.STOCK, key=one.key, value=to_plain(one)) for one in STARTING.stocks]
    rows += [Record(kind=Record.Kind.MACHINE, key=one.key, value=to_plain(one)) for one in STARTING.machines]
    rows += [
        Record(kind=Record.Kind.SETTINGS, key=machine, stock=stock, value=to_plain(some))
        for (machine, stock), some in STARTING.settings.items()
    ]
    Record.objects.bulk_create(rows)


@writing()
def keep_record(kind: str, key: str, value: dict[str, Any]) -> Record:
    """Write a stock or machine; a new one where ``key`` is empty. Raises InvalidTicket for values that cannot be."""
    begin()
    form: type[Stock] | type[Machine] = KINDS[Record.Kind(kind)]
    record = from_plain(form, value | {"key": key or "new"}, "")
    name = record.name.strip()
    if not name:
        raise InvalidTicket("A record needs a name.", "Write what the shop calls it.", where="name")
    if _is_taken(kind, key, name):
        raise InvalidTicket(f"There is a {kind} called “{name}” already.", "Give it another name.", where="name")
    _check(record)
    if not key:
        if Record.objects.count() >= MOST_RECORDS:
            raise InvalidTicket(f"The library holds {MOST_RECORDS} records.", "Take one out that is not used.")
        key = _new_key(kind, name)
        return Record.objects.create(kind=kind, key=key, value=to_plain(record) | {"key": key})
    found = Record.objects.filter(kind=kind, key=key).first()
    if found is None:
        raise InvalidTicket("That record is not there any more.", "Look again.")
    found.value = to_plain(record)
    found.save()
    return found


@writing()
def remove_record(kind: str, key: str) -> None:
    """Take a stock or machine out, with its settings; jobs keep their copies. Raises InvalidTicket for the last one."""
    begin()
    if Record.objects.filter(kind=kind).count() <= 1:
        raise InvalidTicket(f"A shop needs one {kind} at least.", "Add another first.")
    Record.objects.filter(kind=kind, key=key).delete()
    own = {"key": key} if kind == Record.Kind.MACHINE else {"stock": key}
    Record.objects.filter(kind=Record.Kind.SETTINGS, **own).delete()


@writing()
def keep_settings(machine: str, stock: str, values: list[dict[str, Any]]) -> None:
    """How a machine makes each process in a stock. Raises InvalidTicket."""
    begin()
    for kind, key in ((Record.Kind.MACHINE, machine), (Record.Kind.STOCK, stock)):
        if not Record.objects.filter(kind=kind, key=key).exists():
            raise InvalidTicket("That record is not there any more.", "Look again.")
    of = library().machine(machine)
    usual = {"how": to_plain(of.head.usual)}
    settings = [from_plain(Setting, usual | value, f"settings/{number}") for number, value in enumerate(values)]
    check_settings(settings, of, "settings")
    processes = [one.process for one in settings]
    if len(set(processes)) < len(processes):
        raise InvalidTicket("A process is set twice.", "Keep one row for each.")
    settings = [replace(one, id=one.process.replace(" ", "-")) for one in settings]
    Record.objects.update_or_create(
        kind=Record.Kind.SETTINGS, key=machine, stock=stock, defaults={"value": to_plain(tuple(settings))}
    )


@writing()
def keep_rates(value: dict[str, Any]) -> None:
    """What the shop asks for its time, and how it calls its files. Raises InvalidTicket."""
    begin()
    rates = from_plain(Rates, value, "")
    check_pattern(rates.file_names)
    kept = to_plain(rates)
    Record.objects.update_or_create(kind=Record.Kind.RATES, key="rates", defaults={"value": kept})


def _is_taken(kind: str, key: str, name: str) -> bool:
    return any(row.value.get("name") == name for row in Record.objects.filter(kind=kind).exclude(key=key))


def _new_key(kind: str, name: str) -> str:
    stem = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or kind
    taken = set(Record.objects.filter(kind=kind).values_list("key", flat=True))
    return next(key for key in (stem, *(f"{stem}-{n}" for n in range(2, 1000))) if key not in taken)


def _check(record: Stock | Machine) -> None:
    """What single fields cannot tell."""
    if isinstance(record, Stock):
        if record.is_round:
            try:
                wall_of(record.wall)
            except InvalidTicket as error:
                raise InvalidTicket(error.message, error.what_to_do, where="wall") from error
        if record.usable_width > record.width:
            raise InvalidTicket(
                "More is usable than the stock is wide.", "Lower the usable width.", where="usable_width"
            )
        if record.profile and not blobs.is_kept(record.profile):
            raise InvalidTicket("There is no such colour profile here.", "Add the file itself.", where="profile")
        if not re.fullmatch(r"#[0-9a-fA-F]{6}", record.colour):
            raise InvalidTicket(f"“{record.colour}” is no colour.", "Write it as #rrggbb.", where="colour")
        return
    unknown = [key for key in record.formats if key not in SHEET_FORMATS]
    if unknown or not record.formats:
        raise InvalidTicket(
            f"Nibble writes no files of the kind “{unknown[0]}”." if unknown else "A machine needs a format.",
            f"Choose among {', '.join(SHEET_FORMATS)}.", where="formats",
        )  # fmt: skip
    processes = [spot.process for spot in record.spots]
    if len(set(processes)) < len(processes):
        raise InvalidTicket("A process is named twice.", "Keep one row for each.", where="spots")
    if not set(processes) <= set(PROCESSES):
        raise InvalidTicket("A process is unknown.", f"Choose among {', '.join(PROCESSES)}.", where="spots")
