"""One registry of formats: the documentation's table, the command line and the files go by it."""

import unittest
from pathlib import Path

from nibble_core.formats.registry import FORMATS, SHEET_FORMATS
from nibble_core.ticket.library import MACHINES

DOCS = Path(__file__).resolve().parents[3] / "docs/reference/formats.md"


def table() -> str:
    rows = []
    for one in FORMATS.values():
        held = one.sheets or one.heads
        pixels = one.sheets is not None and one.sheets.pixels
        within = "" if held is None else "its size" if pixels else f"{held.tolerance:.4g} mm"
        rows.append(
            f"| `{one.key}` | {one.called} | {one.serves} | {'yes' if one.write_drawing else 'no'} | "
            f"{', '.join(one.purposes)} | {within} |"
        )
    head = "| key | | good for | outlines | files of a sheet | read back within |"
    return "\n".join([head, "|---|---|---|---|---|---|", *rows])


class RegistryTest(unittest.TestCase):
    def test_the_documentation_says_what_the_registry_holds(self):
        self.assertIn(table(), DOCS.read_text())

    def test_machines_ask_for_what_can_be_written(self):
        for machine in MACHINES.values():
            self.assertLessEqual(set(machine.formats), set(SHEET_FORMATS))
