"""What the table is told of hatches in turned copies, from results just made and from those kept on disk."""

import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from files.results import DiskStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Ticket
from nibble_core.ticket.library import MACHINES, STARTING, STOCKS
from nibble_core.ticket.line import AS_THEY_ARE, Engraving, Hatching, Line, Source
from nibble_core.ticket.model import Held, Placed, Sheet
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from production.view import _grain


class GrainTest(SimpleTestCase):
    def test_turned_copies_alone_have_strokes_of_their_own(self) -> None:
        line = Line("k1", Source(kind="the shapes"), AS_THEY_ARE, Engraving(fill=Hatching(interval=0.5)))
        bar = Element("e1", content=Figure("rectangle", 40.0, 10.0))
        piece = Piece("p1", "bar", 3, (bar,), (Layer("l1", Prints(), (line,)),))
        placed = tuple(Placed(f"n{k}", "l1", 60.0 + 90 * k, 80.0, turn) for k, turn in enumerate((0.0, 90.0, 0.0)))
        sheet = Sheet(
            "s1", (Held("h1", "l1"),), STOCKS["birch-3mm"], MACHINES["small-laser"], arrangement="as placed",
            settings=STARTING.settings_of("small-laser", "birch-3mm"), placed=placed,
        )  # fmt: skip
        ticket = Ticket(name="bars", pieces=(piece,), sheets=(sheet,))
        with tempfile.TemporaryDirectory() as folder:
            for kept in ("made", "kept on disk"):
                work = work_out(ticket, lambda _: b"", DiskStore(Path(folder), 10_000_000, 10_000_000))
                (told,) = _grain(sheet, work.sheets["s1"].laid.value, work)
                self.assertEqual((told["layer"], told["line"], told["copies"]), ("l1", "k1", [1]), kept)
