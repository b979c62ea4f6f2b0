"""A kind of machine that nobody has heard of: one of a head that is known is its class; another head three entries."""

import json
import unittest
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import ClassVar
from unittest import mock

import nibble_core
from nibble_core.papers import priced
from nibble_core.pipeline import heads, room
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.minutes import minutes_of
from nibble_core.pipeline.notes import Note
from nibble_core.simulators.burnt import run
from nibble_core.ticket import Change, apply, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.fields import choice, length
from nibble_core.ticket.heads import HEADS, KINDS_OF_MACHINE, ByKnife, DrivenHead, LaserHead
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Ticket
from tests.pipeline.test_beam_jobs import body_for, worked
from tests.pipeline.test_made_up_process import compared, plate, said

WIRE, STAMP = "a hot wire", "a stamp"


@dataclass(frozen=True)
class WireHead(LaserHead):
    """Burns as a laser does, and is called otherwise."""

    runs: ClassVar[str] = "wire"
    kind: str = choice(WIRE, "kind of machine", KINDS_OF_MACHINE)


@dataclass(frozen=True)
class StampHead(DrivenHead):
    """Comes down on each copy once."""

    runs: ClassVar[str] = "stamp"
    kind: str = choice(STAMP, "kind of machine", KINDS_OF_MACHINE)
    rest: float = length(2.0, 0.0, 50.0, "seconds that it rests")

    @property
    def usual(self):
        return ByKnife()

    @property
    def tightest(self):
        return 0.0


def on(ticket: Ticket, head) -> Ticket:
    """The same ticket on a machine of another head, read as any other."""
    (sheet,) = ticket.sheets
    machine = replace(sheet.machine, head=head)
    settings = sheet.settings if isinstance(sheet.settings[0].how, type(head.usual)) else ()
    made = replace(ticket, sheets=(replace(sheet, machine=machine, settings=settings),))
    return ticket_from_plain(json.loads(json.dumps(to_plain(made))))


class MadeUpMachineTest(unittest.TestCase):
    def setUp(self):
        for known, more in (
            (HEADS, {WIRE: WireHead, STAMP: StampHead}),
            (KINDS_OF_MACHINE, {WIRE: "It glows.", STAMP: "It comes down."}),
            (heads.WORK, {StampHead: STAMPED}),
            (room.NEEDS, {StampHead: room.Needs(lambda ticket, sheet: 9.0, "the stamp needs", lambda *_: 11.0)}),
        ):
            patch = mock.patch.dict(known, more)
            patch.start()
            self.addCleanup(patch.stop)

    def test_a_kind_of_a_head_that_is_known_is_worked_timed_and_priced_as_that(self):
        known = plate("small-laser", "birch-3mm")
        values = {own.name: getattr(known.sheets[0].machine.head, own.name) for own in fields(LaserHead)}
        other = on(known, WireHead(**values | {"kind": WIRE}))
        self.assertIsInstance(other.sheets[0].machine.head, WireHead)
        one, two = worked(known), worked(other)
        self.assertEqual(
            json.dumps(said(known, one)).replace("the beam", "the wire").replace("m with the beam", "m with the wire"),
            json.dumps(said(other, two)),
        )
        self.assertEqual(priced(known, one, Rates()), priced(other, two, Rates()))
        self.assertEqual([own.text for own in sentences(known)], [own.text for own in sentences(other)])
        files = [{file.name: file.content for file in write_files(*both)} for both in ((known, one), (other, two))]
        self.assertEqual(files[0].keys(), files[1].keys())
        program = next(content for name, content in files[1].items() if name.endswith(".gcode"))
        told = run(program, body_for(other.sheets[0].machine))[1]
        self.assertEqual(told.complaints, [])
        self.assertGreater(len(told.dropped), 3)

    def test_another_head_is_laid_timed_told_and_written_by_its_own_entry(self):
        ticket = on(plate("small-laser", "birch-3mm"), StampHead(rest=3.0))
        work = worked(ticket)
        self.assertEqual([one.error.message for one in work.problems], [])
        laid = work.sheets["s1"].laid.value
        first, second = (place.at.e for place in laid.placements[:2])
        box = work.layers["l1"].laid.value.box
        self.assertAlmostEqual(abs(second - first) - (box.right - box.left), 9.0)
        self.assertGreaterEqual(min(place.at.e for place in laid.placements) + box.left, 11.0 - 1e-9)
        self.assertEqual(minutes_of(ticket.sheets[0], work), 4 * 3.0 / 60)
        words = json.dumps(said(ticket, work))
        self.assertIn("since the stamp needs so much", words)
        self.assertIn("It rests for 3 s.", words)
        files = {file.name: file.content for file in write_files(ticket, work)}
        self.assertEqual(next(content for name, content in files.items() if name.endswith(".gcode")), b"4 times")
        changed = apply(ticket, [Change("sheets/s1/machine/head/rest", 6.0)])
        self.assertEqual(minutes_of(changed.sheets[0], worked(changed)), 4 * 6.0 / 60)

    def test_code_asks_what_a_head_does_and_never_what_its_machine_is_called(self):
        core = Path(nibble_core.__file__).parent
        named = {
            str(file.relative_to(core)): sorted(KINDS_OF_MACHINE.keys() & compared(file)) for file in core.rglob("*.py")
        }
        self.assertEqual({file: some for file, some in named.items() if some}, {})


def _rests(sheet, work):
    return work.sheets[sheet.id].laid.value.copies * sheet.machine.head.rest / 60


def _told(draft, sheet, ticket, work):
    draft.notes.append(Note(f"It rests for {sheet.machine.head.rest:g} s."))


STAMPED = heads.HeadWork(
    lambda out, sheet: None, _rests, True, _told,
    lambda ticket, sheet, work, *_: [("", f"{work.sheets[sheet.id].laid.value.copies} times".encode())],
    lambda *_: b"", lambda *_: b"",
)  # fmt: skip
