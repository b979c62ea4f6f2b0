"""What is asked of the shop's library."""

import json
from functools import lru_cache
from typing import Any

from django.db.models import TextField
from django.db.models.functions import Cast

from library.models import Record
from nibble_core.errors import InvalidTicket
from nibble_core.ticket import STARTING, Library, from_plain, to_plain
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Machine, Setting, Stock

KINDS: dict[str, type[Stock] | type[Machine]] = {Record.Kind.STOCK: Stock, Record.Kind.MACHINE: Machine}


def library() -> Library:
    """The shop's records; the starting set where it has none yet. A record that this version cannot read is passed
    over."""
    rows = Record.objects.order_by("id").values_list("kind", "key", "stock", Cast("value", TextField()))
    return _read(tuple(rows)) if rows else STARTING


def machines(held: Library) -> list[Any]:
    """A library's machines as plain values, for what mends name: workers read no database."""
    return _plain_machines(held.machines)


@lru_cache(maxsize=4)
def _plain_machines(some: tuple[Machine, ...]) -> list[Any]:
    plain: list[Any] = to_plain(some)
    return plain


@lru_cache(maxsize=4)
def _read(rows: tuple[tuple[str, str, str, str], ...]) -> Library:
    stocks: list[Stock] = []
    machines: list[Machine] = []
    settings: dict[tuple[str, str], tuple[Setting, ...]] = {}
    rates = STARTING.rates
    for kind, key, stock, text in rows:
        value = json.loads(text)
        try:
            if kind == Record.Kind.STOCK:
                stocks.append(from_plain(Stock, value, ""))
            elif kind == Record.Kind.MACHINE:
                machines.append(from_plain(Machine, value, ""))
            elif kind == Record.Kind.RATES:
                rates = from_plain(Rates, value, "")
            else:
                settings[key, stock] = tuple(from_plain(Setting, one, "") for one in value)
        except InvalidTicket:
            continue
    return Library(tuple(stocks), tuple(machines), settings, rates)
