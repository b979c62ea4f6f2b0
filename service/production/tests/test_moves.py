"""What the table is told of a beam's moves."""

import json

from django.test import SimpleTestCase

from nibble_core.pipeline.head_files import planned
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket.library import MACHINES
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from production.moves_view import moves_view


class MovesTest(SimpleTestCase):
    def test_a_sheet_that_nothing_is_burnt_on_is_told_like_any_other(self) -> None:
        piece = Piece("p1", "disc", 1, (Element("e1", Figure()),), (Layer("l1", Prints()),))
        sheet = Sheet("s1", (Held("h1", "l1"),), machine=MACHINES["small-laser"])
        work = work_out(Ticket(pieces=(piece,), sheets=(sheet,)), lambda _: b"", MemoryStore())
        told = json.loads(moves_view(sheet, planned(sheet, work)).split(b"\n")[0])
        self.assertEqual((told["drops"], told["tools"]), ([], []))
