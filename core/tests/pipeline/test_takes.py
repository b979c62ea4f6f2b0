"""A machine takes the stocks that it has settings for, and a press those that can be printed on."""

import unittest
from dataclasses import replace

from nibble_core.pipeline.report import stations
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply, sentences, words
from nibble_core.ticket.library import STARTING
from nibble_core.ticket.line import line_of
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, prints_of

STOCK, MACHINE = "sheets/s1/stock", "sheets/s1/machine"


def sticker(prints="the shapes"):
    lines = (line_of("k1", "through cut", 2.0, source="the outer shape"),)
    piece = Piece(
        "p1",
        "disc",
        3,
        (Element("e1", content=Figure("circle", 40.0)),),
        (Layer("l1", prints=prints_of(prints), lines=lines),),
    )
    stock, machine = STARTING.stock("matt-white-vinyl-1370"), STARTING.machine("wide-camera-cutter")
    settings = STARTING.settings_of(machine.key, stock.key)
    return Ticket(
        name="Discs", pieces=(piece,), sheets=(Sheet("s1", (Held("h1", "l1"),), stock, machine, settings=settings),)
    )


def blocked(ticket):
    work = work_out(ticket, lambda _: b"", MemoryStore())
    return {note.text: note for station in stations(ticket, work) for note in station.notes if note.weight == "blocked"}


class Takes(unittest.TestCase):
    def test_a_stock_that_the_machine_does_not_take_brings_its_machine_with_it_and_says_so(self):
        ticket = sticker("nothing")
        for stock, machine in (("mild-steel-2mm", "torch-table"), ("birch-3mm", "small-laser"),
                               ("label-paper-a3", "desk-cutter")):  # fmt: skip
            change = Change(STOCK, stock)
            made = apply(ticket, [change])
            sheet = made.sheets[0]
            self.assertEqual(sheet.machine, STARTING.machine(machine))
            self.assertEqual(sheet.settings, STARTING.settings_of(machine, stock))
            self.assertIn(f"machine to {sheet.machine.name}, which takes it", words(ticket, change))
            self.assertEqual(blocked(made), {})
        kept = apply(ticket, [Change(STOCK, "gloss-clear-vinyl-610")])
        self.assertEqual(kept.sheets[0].machine, ticket.sheets[0].machine)
        slot = next(part for one in sentences(ticket) for part in one.parts if getattr(part, "path", "") == STOCK)
        said = {choice.value: choice.words for choice in slot.choices}
        self.assertIn("made on the torch table", said["mild-steel-2mm"])
        self.assertNotIn("made on", said["gloss-clear-vinyl-610"])

    def test_a_machine_without_settings_for_the_stock_blocks_with_those_that_have(self):
        steel = apply(sticker("nothing"), [Change(STOCK, "mild-steel-2mm"), Change(MACHINE, "wide-camera-cutter")])
        (note,) = blocked(steel).values()
        self.assertIn("The wide cutter with camera does not take mild steel 2 mm", note.text)
        self.assertIn("torch table", note.what_to_do)
        self.assertEqual(blocked(apply(steel, note.mends[0].changes)), {})
        # of a stock that nobody has written settings for nothing is known
        unknown = replace(STARTING, settings={})
        self.assertEqual(blocked(apply(sticker("nothing"), [Change(STOCK, "mild-steel-2mm")], unknown)), {})

    def test_nothing_is_printed_on_what_no_press_takes(self):
        plywood = apply(sticker(), [Change(STOCK, "birch-3mm")])
        found = blocked(plywood)
        note = next(note for text, note in found.items() if "does not print on" in text)
        self.assertEqual(blocked(apply(plywood, note.mends[0].changes)), {})
