"""The command line as watched folders use it."""

import contextlib
import hashlib
import io
import json
import re
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import pikepdf
from pikepdf import Dictionary, Name

from nibble_core.cli import main
from nibble_core.formats.svg_path import parse_path_data
from nibble_core.pipeline import guarded
from nibble_core.ticket import first_ticket, to_plain
from tests.sample import BADGE, badge_ticket


class CommandTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.badge = self.folder / "badge.png"
        self.badge.write_bytes(BADGE)

    def run_it(self, *arguments) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(a) for a in arguments])
        return code, out.getvalue(), err.getvalue()

    def refused(self, *arguments) -> str:
        before = sorted(self.folder.rglob("*"))
        code, out, err = self.run_it(*arguments)
        self.assertEqual((code, out), (2, ""))
        self.assertEqual(err.count("\n"), 1)
        self.assertEqual(sorted(self.folder.rglob("*")), before)
        return err

    def test_inspect(self):
        code, out, _ = self.run_it("inspect", self.badge)
        facts = json.loads(out)
        self.assertEqual((code, facts["kind"], facts["width_px"], facts["boxed"]), (0, "PNG", 120, True))

    def test_trace_to_svg_at_true_size(self):
        target = self.folder / "out.svg"
        for words, width in ((("--width", "4in"), 101.6), (("--width", "300px"), 79.375), ((), 31.75)):
            code, out, _ = self.run_it("trace", self.badge, *words, "-o", target)
            told = json.loads(out)
            self.assertEqual((code, told["regions"], out.count("\n")), (0, 2, 1))
            text = target.read_text()
            self.assertIn(f'width="{width:g}mm"', text)
            paths = [parse_path_data(d) for d in re.findall(r' d="([^"]+)"', text)]
            self.assertEqual([len(rings) for rings in paths], [2, 1])
            self.assertEqual(told["nodes"], sum(len(ring) for rings in paths for ring in rings))
            radius = 36 / 120 * width
            self.assertAlmostEqual(paths[0][0].area(), 3.14159 * radius**2, delta=0.02 * radius**2)

    def test_trace_outer_to_json(self):
        target = self.folder / "out.json"
        code, _, _ = self.run_it("trace", self.badge, "--mode", "outer", "--width", "60mm", "-o", target)
        shapes = json.loads(target.read_text())["shapes"]
        self.assertEqual((code, len(shapes)), (0, 2))
        self.assertEqual([shape["path"].count("M") for shape in shapes], [1, 1])

    def test_a_wider_tolerance_takes_no_more_nodes(self):
        counts = []
        for tolerance in ("0.02mm", "0.3mm"):
            _, out, _ = self.run_it(
                "trace", self.badge, "--width", "60mm", "--tolerance", tolerance, "-o", self.folder / "o.svg"
            )
            counts.append(json.loads(out)["nodes"])
        self.assertLessEqual(counts[1], counts[0])

    def test_produce_writes_every_file_and_a_manifest(self):
        ticket = self.folder / "ticket.json"
        ticket.write_text(json.dumps(to_plain(badge_ticket())))
        target = self.folder / "files"
        code, out, _ = self.run_it("produce", ticket, "--artwork", self.badge, "-o", target)
        self.assertEqual(code, 0)
        self.assertEqual(sorted(json.loads(out)["files"]), sorted(file.name for file in target.iterdir()))
        manifest = json.loads((target / "manifest.json").read_text())
        self.assertEqual(manifest["sheets"][0]["copies"], 6)

    def test_nest_writes_the_places_and_says_how_far_they_reach(self):
        ticket, nested = self.folder / "ticket.json", self.folder / "nested.json"
        ticket.write_text(json.dumps(to_plain(badge_ticket(quantity=30))))
        code, out, err = self.run_it("nest", ticket, "--artwork", self.badge, "--seconds", "0.2", "-o", nested)
        told = json.loads(out)
        self.assertEqual((code, told["up"], out.count("\n"), err), (0, 30, 1, ""))
        self.run_it("produce", nested, "--artwork", self.badge, "-o", self.folder / "files")
        sheet = json.loads((self.folder / "files" / "manifest.json").read_text())["sheets"][0]
        self.assertEqual(sheet["copies"], 30)
        self.assertAlmostEqual(sheet["height_mm"], told["length_mm"], places=2)
        self.refused("nest", ticket, "--artwork", self.badge, "--sheet", "s9", "-o", self.folder / "no.json")
        self.refused("nest", ticket, "--artwork", self.badge, "--seconds", "-1", "-o", self.folder / "no.json")

    def test_a_file_that_would_take_all_time_and_memory_is_refused(self):
        document = pikepdf.new()
        document.add_blank_page(page_size=(200, 200))
        form = document.make_indirect(document.make_stream(b"0 0 9 9 re f /F Do /F Do"))
        form.Type, form.Subtype, form.BBox = Name.XObject, Name.Form, [0, 0, 200, 200]
        form.Resources = Dictionary(XObject=Dictionary(F=form))
        page = document.pages[0].obj
        page.Contents, page.Resources = document.make_stream(b"/F Do"), form.Resources
        document.save(self.folder / "self.pdf")
        file = hashlib.sha256((self.folder / "self.pdf").read_bytes()).hexdigest()
        ticket = first_ticket(name="Self", file=file, file_name="self.pdf", width=60.0, quantity=1)
        (self.folder / "ticket.json").write_text(json.dumps(to_plain(ticket)))
        made = ("--artwork", self.folder / "self.pdf", "-o", self.folder / "made")
        with mock.patch.object(guarded, "CPU_SECONDS", 1):
            for words in (("inspect", self.folder / "self.pdf"), ("produce", self.folder / "ticket.json", *made)):
                self.assertIn("too much time or memory", self.refused(*words))

    def test_wrong_options_are_one_sentence_too(self):
        for words in (("trace", self.badge), ("trace", self.badge, "--colours", "many", "-o", "x.svg"), ("fly",), ()):
            err = io.StringIO()
            with self.subTest(words), contextlib.redirect_stderr(err), self.assertRaises(SystemExit) as caught:
                main([str(word) for word in words])
            self.assertEqual((caught.exception.code, err.getvalue().count("\n")), (2, 1))

    def test_bad_input_is_one_sentence_and_nothing_written(self):
        out = self.folder / "o.svg"
        empty, words = self.folder / "empty.png", self.folder / "words.png"
        empty.write_bytes(b"")
        words.write_text("not a picture")
        self.refused("inspect", empty)
        self.refused("inspect", self.folder / "nowhere.png")
        self.refused("trace", words, "-o", out)
        self.refused("trace", self.badge, "-o", self.folder / "o.xyz")
        self.refused("trace", self.badge, "--width", "wide", "-o", out)
        self.refused("trace", self.badge, "--threshold", "7", "-o", out)
        self.assertIn("two-tone", self.refused("trace", self.badge, "--mode", "scribble", "-o", out))
        broken = self.folder / "ticket.json"
        broken.write_text('{"schema": 1')
        self.refused("produce", broken, "--artwork", self.badge, "-o", self.folder / "files")
        broken.write_text(json.dumps(to_plain(badge_ticket())))
        self.assertIn("badge.png", self.refused("produce", broken, "--artwork", words, "-o", self.folder / "files"))
