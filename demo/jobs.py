"""The demo shop's two finished jobs: their artwork and their tickets."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from datetime import date, timedelta

from demo.degrade import as_boxed_jpeg, as_png
from demo.drawings import honey, kite
from nibble_core.ticket import Ticket, first_ticket
from nibble_core.ticket.library import STOCKS
from nibble_core.ticket.model import Layer, Line


@dataclass(frozen=True)
class DemoJob:
    """A client's file and the ticket made of it."""

    content: bytes
    ticket: Ticket


def demo_jobs(today: date) -> list[DemoJob]:
    """*Kite Week* and *Harbour Hive Honey*, due in the days after ``today``."""
    return [_kite_week(today), _harbour_hive(today)]


def _kite_week(today: date) -> DemoJob:
    content = as_boxed_jpeg(kite(1240), 85)
    ticket = first_ticket(
        name="Kite Week stickers", client="Orrinmouth Kite Week", due=(today + timedelta(days=4)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="kite-final-FINAL.jpg", width=76, mode="outer",
        quantity=120,
    )  # fmt: skip
    lines = (
        Line("k1", "kiss cut", 2.0, close_gaps=1.5),
        Line("k2", "through cut", 5.0, close_gaps=8.0),
    )
    return DemoJob(content, _with_lines(ticket, "kite", lines))


def _harbour_hive(today: date) -> DemoJob:
    content = as_png(honey(900))
    ticket = first_ticket(
        name="Jar labels, spring honey", client="Harbour Hive Honey", due=(today + timedelta(days=2)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="hive_label.png", width=62, mode="outer",
        quantity=576, stock=STOCKS["label-paper-a3"],
    )  # fmt: skip
    return DemoJob(content, _with_lines(ticket, "label", (Line("k1", "kiss cut", 1.5, close_gaps=3.0),)))


def _with_lines(ticket: Ticket, name: str, lines: tuple[Line, ...]) -> Ticket:
    piece = replace(ticket.pieces[0], name=name, layers=(Layer("l1", lines=lines),))
    return replace(ticket, pieces=(piece,))
