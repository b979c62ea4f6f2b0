"""The demo shop's jobs: their artwork and their tickets."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from datetime import date, timedelta

from demo.degrade import as_boxed_jpeg, as_phone_photo, as_png, as_soft_thumbnail
from demo.drawings import honey, kite, oars, owl, wheat
from nibble_core.ticket import Ticket, first_ticket
from nibble_core.ticket.library import STOCKS
from nibble_core.ticket.model import Layer, Line


@dataclass(frozen=True)
class DemoJob:
    """A client's file and the ticket made of it."""

    content: bytes
    ticket: Ticket


def demo_jobs(today: date) -> list[DemoJob]:
    """Every client's job, due in the days after ``today``."""
    return [_kite_week(today), _harbour_hive(today), _little_owl(today), _rowers(today), _tansy_lane(today)]


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


def _little_owl(today: date) -> DemoJob:
    """A decal from a thick pencil drawing, photographed."""
    content = as_phone_photo(owl(760, "#ffffff"))
    ticket = first_ticket(
        name="Reading room window owl", client="Little Owl Library", due=(today + timedelta(days=9)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="owl drawing (photo).jpg", width=240,
    )  # fmt: skip
    ticket = _with_lines(ticket, "window owl", (Line("k1", "kiss cut", 3.0, close_gaps=4.0),))
    return DemoJob(content, _with_artwork(ticket, source="photographed at the counter", allowed_by="the library"))


def _rowers(today: date) -> DemoJob:
    """Two flat colours for shirts, mirrored because film is cut from behind."""
    content = as_boxed_jpeg(oars(720), 75)
    ticket = first_ticket(
        name="Crew shirts, crossed oars", client="North Mole Rowers", due=(today + timedelta(days=11)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="oars_logo_web.jpg", width=110, mode="colours", quantity=9,
    )  # fmt: skip
    ticket = _with_lines(ticket, "oars", (Line("k1", "kiss cut", 1.0, close_gaps=1.0),))
    return DemoJob(content, _with_artwork(ticket, facing="mirrored"))


def _tansy_lane(today: date) -> DemoJob:
    """A tiny soft logo for a dusting stencil."""
    content = as_soft_thumbnail(wheat(150, "#ffffff"))
    ticket = first_ticket(
        name="Wheat-ear stencil", client="Tansy Lane Bakery", due=(today + timedelta(days=16)).isoformat(),
        file=hashlib.sha256(content).hexdigest(), file_name="logo-small.jpg", width=85,
    )  # fmt: skip
    ticket = _with_lines(ticket, "wheat ear", (Line("k1", "through cut", 6.0, close_gaps=8.0),))
    return DemoJob(content, ticket)


def _with_artwork(ticket: Ticket, **changes: str) -> Ticket:
    return replace(ticket, artworks=(replace(ticket.artworks[0], **changes),))


def _with_lines(ticket: Ticket, name: str, lines: tuple[Line, ...]) -> Ticket:
    piece = replace(ticket.pieces[0], name=name, layers=(Layer("l1", lines=lines),))
    return replace(ticket, pieces=(piece,))
