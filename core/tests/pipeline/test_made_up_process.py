"""A process that nobody has heard of, but that frees what a known one does, is made, checked, timed, priced alike."""

import ast
import io
import json
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import ezdxf

import nibble_core
from nibble_core.papers import priced
from nibble_core.pipeline.afterwards import steps_of
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.minutes import minutes_of
from nibble_core.pipeline.report import stations
from nibble_core.pipeline.sheets import program_of
from nibble_core.processes import PROCESSES
from nibble_core.simulators.burnt import run
from nibble_core.ticket import Change, apply, sentences, ticket_from_plain, to_plain
from nibble_core.ticket.heads import BeamHead, DrivenHead, RouterHead
from nibble_core.ticket.library import MACHINES, STARTING, STOCKS, Rates
from nibble_core.ticket.line import ThroughCut, line_of
from nibble_core.ticket.model import Held, Sheet, Ticket
from nibble_core.ticket.piece import Element, Figure, Layer, Piece, Prints
from tests.pipeline.test_beam_jobs import body_for, worked
from tests.pipeline.test_every_line import length_of_svg

NAMES = {"through cut": "jet cut", "kiss cut": "skim", "perforate": "nick"}
MADE = {
    made: replace(PROCESSES[known], spot=f"Made {made}", called=f"a {made}") for known, made in NAMES.items()
}  # fmt: skip


def renamed(ticket: Ticket) -> Ticket:
    """The same ticket, its parting lines made by processes of other names."""
    plain = json.dumps(to_plain(ticket))
    for known, made in NAMES.items():
        plain = plain.replace(f'"{known}"', f'"{made}"')
    return ticket_from_plain(json.loads(plain))


def plate(machine: str, stock: str, *, spacing: float = 4.0) -> Ticket:
    """Four plates with a hole, a kiss cut or a perforation about it, on a machine."""
    lines = (
        line_of("k1", "through cut", 0.0, source="the shapes", ties=2),
        line_of("k2", "perforate", 6.0),
        line_of("k3", "kiss cut", 3.0),
    )
    hole = 8.0 if isinstance(MACHINES[machine].head, RouterHead) else 1.2
    elements = (
        Element("e1", content=Figure("rectangle", 50.0, 40.0)),
        Element("e2", content=Figure("circle", hole), way="cut out", across="centred", down="centred"),
    )
    own = STARTING.settings_of(machine, stock)
    if isinstance(MACHINES[machine].head, RouterHead):
        lines = lines[:1]
    if isinstance(MACHINES[machine].head, BeamHead):
        lines = lines[:2]
        through = next(one for one in own if one.process == "through cut")
        own = (*own, replace(through, id="perforating", process="perforate"))
    pieces = (Piece("p1", "plate", 4, elements, (Layer("l1", Prints(), lines),)),)
    sheet = Sheet("s1", (Held("h1", "l1"),), STOCKS[stock], MACHINES[machine], settings=own, spacing=spacing, marks=0)
    led = isinstance(sheet.machine.head, DrivenHead)
    able = replace(sheet.machine, spots=(), formats=("gcode", "dxf") if led else ("svg", "dxf"))
    return ticket_from_plain(to_plain(Ticket(name="Plates", pieces=pieces, sheets=(replace(sheet, machine=able),))))


def said(ticket: Ticket, work) -> list:
    """Notes and figures of every station, in the words of the known processes."""
    words = json.dumps([
        [station.key, station.fact, station.figures, [[one.text, one.what_to_do, one.weight] for one in station.notes]]
        for station in stations(ticket, work)
    ], default=str)  # fmt: skip
    for known, made in NAMES.items():
        for form in (str, str.capitalize):
            words = words.replace(form(made), form(known))
    return json.loads(words)


def compared(file: Path) -> set[str]:
    """The strings that code compares something with, alone or in a row of them."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Compare):
            found |= {
                own.value for own in ast.walk(node) if isinstance(own, ast.Constant) and isinstance(own.value, str)
            }
    return found


class MadeUpProcessTest(unittest.TestCase):
    def setUp(self):
        patch = mock.patch.dict(PROCESSES, MADE)
        patch.start()
        self.addCleanup(patch.stop)

    def both(self, machine: str, stock: str) -> tuple:
        known = plate(machine, stock)
        other = renamed(known)
        self.assertNotEqual(known, other)
        works = worked(known), worked(other)
        self.assertEqual([one.error.message for one in works[1].problems], [])
        return known, other, *works

    def test_checks_notes_minutes_and_prices_are_those_of_the_process_it_is_like(self):
        for machine, stock in (
            ("wide-camera-cutter", "matt-white-vinyl-1370"), ("small-laser", "birch-3mm"), ("board-router", "oak-18mm"),
        ):  # fmt: skip
            with self.subTest(machine):
                known, other, one, two = self.both(machine, stock)
                self.assertEqual(said(known, one), said(other, two))
                self.assertEqual(minutes_of(known.sheets[0], one), minutes_of(other.sheets[0], two))
                self.assertEqual(
                    [run.length for run in program_of(known.sheets[0], one).runs],
                    [run.length for run in program_of(other.sheets[0], two).runs],
                )
                self.assertEqual(priced(known, one, Rates()), priced(other, two, Rates()))
                self.assertEqual(steps_of(known), steps_of(other))
                shown = [work.layers["l1"].footprint.value for work in (one, two)]
                self.assertTrue(shown[0].equals(shown[1]))
                slots = [[len(s.parts), len(s.more), s.station] for s in sentences(known)]
                self.assertEqual(slots, [[len(s.parts), len(s.more), s.station] for s in sentences(other)])

    def test_every_file_holds_it_and_parts_drop_where_it_was_burnt(self):
        known, other, one, two = self.both("small-laser", "birch-3mm")
        body = replace(body_for(known.sheets[0].machine), through=(*body_for(known.sheets[0].machine).through, *MADE))
        reports = []
        for ticket, work in ((known, one), (other, two)):
            program = next(file.content for file in write_files(ticket, work) if file.name.endswith(".gcode"))
            reports.append(run(program, body)[1])
        self.assertEqual(reports[0].complaints, [])
        self.assertEqual(reports[1].complaints, [])
        self.assertGreater(len(reports[0].dropped), 3)
        self.assertEqual([fell.box for fell in reports[0].dropped], [fell.box for fell in reports[1].dropped])
        self.assertEqual(set(reports[1].burnt), {NAMES.get(name, name) for name in reports[0].burnt})
        files = {
            file.name: file.content for file in write_files(*self.both("wide-camera-cutter", "label-paper-a3")[1::2])
        }
        lengths = length_of_svg(next(content for name, content in files.items() if name.endswith(".svg")))
        self.assertEqual(set(lengths), set(MADE))
        dxf = next(content for name, content in files.items() if name.endswith(".dxf")).decode("cp1252")
        layers = {entity.dxf.layer for entity in ezdxf.read(io.StringIO(dxf)).modelspace()}
        self.assertEqual(layers, {one.spot for one in MADE.values()})

    def test_a_line_becomes_it_and_keeps_what_both_have(self):
        ticket = plate("small-laser", "birch-3mm")
        (made, *_) = apply(ticket, [Change("pieces/p1/layers/l1/lines/k1/process", "jet cut")]).layer("l1").lines
        self.assertEqual((made.process.kind, made.process.ties), ("jet cut", 2))
        self.assertIsInstance(made.process, ThroughCut)

    def test_code_asks_what_a_process_does_and_never_what_it_is_called(self):
        core = Path(nibble_core.__file__).parent
        readers_of_old_tickets = {core / "ticket" / "upgrading.py"}
        named = {
            str(file.relative_to(core)): sorted(PROCESSES.keys() & compared(file))
            for file in sorted(set(core.rglob("*.py")) - readers_of_old_tickets)
        }
        self.assertEqual({file: some for file, some in named.items() if some}, {})
