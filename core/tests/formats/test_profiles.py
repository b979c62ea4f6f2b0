"""Prints say what their colours are meant for: a screen's, or the shop's own profile of printer and stock."""

import hashlib
import io
import struct
import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import pikepdf
from PIL import ImageCms

from nibble_core.errors import UnreadableFile
from nibble_core.formats.profiles import read_profile
from nibble_core.pipeline.files import write_files
from nibble_core.pipeline.store import MemoryStore
from nibble_core.pipeline.work import work_out
from nibble_core.ticket import Change, apply
from nibble_core.ticket.piece import Prints
from tests.sample import BADGE, BADGE_SHA, badge_ticket

SRGB = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def press_profile(space: bytes = b"CMYK", kind: bytes = b"prtr") -> bytes:
    """A printer's profile of two grid points an ink (ICC.1:2001-04, 6.5.6 “lut8Type”)."""
    inks = 4
    identity = [1, 0, 0, 0, 1, 0, 0, 0, 1]
    ramp = bytes(range(256))
    grid = bytearray()
    for number in range(2**inks):
        covered = sum(number >> bit & 1 for bit in range(inks))
        grid += bytes([255 - min(255, 70 * covered), 128, 128])  # darker with each ink, neutral
    lut = b"mft1\0\0\0\0" + bytes([inks, 3, 2, 0]) + b"".join(struct.pack(">i", v << 16) for v in identity)
    lut += ramp * inks + bytes(grid) + ramp * 3
    name = b"Quay press on gloss film\0"
    told = b"desc\0\0\0\0" + struct.pack(">I", len(name)) + name + bytes(8 + 3 + 67)
    white = b"XYZ \0\0\0\0" + struct.pack(">3i", 63190, 65536, 54061)
    tags = [(b"desc", told), (b"wtpt", white), (b"A2B0", lut)]
    at = 128 + 4 + 12 * len(tags)
    table, data = struct.pack(">I", len(tags)), b""
    for key, content in tags:
        table += key + struct.pack(">II", at + len(data), len(content))
        data += content + bytes(-len(content) % 4)
    header = struct.pack(
        ">I4sI4s4s4s12s4s4sI4s4sQI3i4s", at + len(data), bytes(4), 0x02400000, kind, space, b"Lab ", bytes(12), b"acsp",
        bytes(4), 0, bytes(4), bytes(4), 0, 0, 63190, 65536, 54061, bytes(4),
    )  # fmt: skip
    return header + bytes(128 - len(header)) + table + data


def printed(ticket, files) -> bytes:
    work = work_out(ticket, lambda sha: {BADGE_SHA: BADGE, **files}[sha], MemoryStore())
    work.require_whole()
    return next(one.content for one in write_files(ticket, work) if one.purpose == "print")


class ProfileTest(unittest.TestCase):
    def test_profiles_say_what_they_are_and_others_are_refused_in_words(self):
        press = read_profile(press_profile())
        self.assertEqual((press.name, press.space, press.channels, press.prints),
                         ("Quay press on gloss film", "CMYK", 4, True))  # fmt: skip
        self.assertEqual((read_profile(SRGB).space, read_profile(SRGB).prints), ("RGB", False))
        for content in (b"", b"not a profile", SRGB[:200], press_profile(b"Lab "), press_profile(kind=b"link")):
            with self.assertRaises(UnreadableFile):
                read_profile(content)

    def test_a_print_is_meant_for_a_screen_until_its_stock_has_a_profile(self):
        content = printed(badge_ticket(), {})
        self.assertEqual(content, printed(badge_ticket(), {}))
        with pikepdf.open(io.BytesIO(content)) as pdf:
            intents = {str(one.S): one for one in pdf.Root.OutputIntents}
            self.assertEqual(sorted(intents), ["/GTS_PDFA1", "/GTS_PDFX"])
            intent = intents["/GTS_PDFX"]
            screen = read_profile(intent.DestOutputProfile.read_bytes())
            self.assertEqual((screen.space, screen.prints), ("RGB", False))
            self.assertNotIn("PDF/X", str(pdf.Root.Metadata.read_bytes()))

    def test_the_shops_profile_and_intent_are_in_the_print_which_is_then_pdf_x_4(self):
        profile = press_profile()
        sha = hashlib.sha256(profile).hexdigest()
        for prints in ("the artwork", "the shapes"):
            ticket = badge_ticket(
                Change("sheets/s1/stock/profile", sha), Change("sheets/s1/stock/profile_name", "Quay press"),
                Change("sheets/s1/stock/rendering", "relative colorimetric"),
                Change("pieces/p1/layers/l1/prints", prints),
            )  # fmt: skip
            with self.subTest(prints):
                content = printed(ticket, {sha: profile})
                with pikepdf.open(io.BytesIO(content)) as pdf:
                    (intent,) = pdf.Root.OutputIntents
                    self.assertEqual((str(intent.S), int(intent.DestOutputProfile.N)), ("/GTS_PDFX", 4))
                    self.assertEqual(intent.DestOutputProfile.read_bytes(), profile)
                    with pdf.open_metadata() as told:
                        self.assertEqual(told["pdfxid:GTS_PDFXVersion"], "PDF/X-4")
                    self.assertEqual(str(pdf.docinfo.Trapped), "/False")
                    drawn = pdf.pages[0].Contents.read_bytes()
                    self.assertIn(b"/RelativeColorimetric ri", drawn)
                    for thing in pdf.objects:  # no colour of a screen is left without a profile
                        if isinstance(thing, pikepdf.Stream) and thing.get("/Subtype") == "/Image":
                            self.assertNotEqual(thing.ColorSpace, "/DeviceRGB")
                        is_form = isinstance(thing, pikepdf.Stream) and thing.get("/Subtype") == "/Form"
                        if is_form and b" rg" in thing.read_bytes():
                            self.assertIn("/DefaultRGB", thing.Resources.ColorSpace)
                with tempfile.TemporaryDirectory() as folder:
                    (Path(folder) / "print.pdf").write_bytes(content)
                    subprocess.run(["qpdf", "--check", "print.pdf"], cwd=folder, check=True, capture_output=True)

    def test_a_profile_that_is_gone_blocks_the_machine(self):
        ticket = apply(badge_ticket(), [Change("sheets/s1/stock/profile", "0" * 64)])
        work = work_out(ticket, {BADGE_SHA: BADGE}.__getitem__, MemoryStore())
        self.assertEqual([problem.station for problem in work.problems], ["machine"])
        nothing = replace(ticket, pieces=tuple(
            replace(piece, layers=tuple(replace(layer, prints=Prints()) for layer in piece.layers))
            for piece in ticket.pieces
        ))  # fmt: skip
        self.assertEqual(work_out(nothing, {BADGE_SHA: BADGE}.__getitem__, MemoryStore()).problems, [])
