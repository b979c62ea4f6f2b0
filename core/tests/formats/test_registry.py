"""One registry of formats: the documentation's table, the command line and the files go by it."""

import unittest
from pathlib import Path

from nibble_core.formats.registry import FORMATS, SHEET_FORMATS
from nibble_core.ticket.library import MACHINES

DOCS = Path(__file__).resolve().parents[3] / "docs/reference/formats.md"


def table() -> str:
    rows = [
        f"| `.{one.ending}` | {one.called} | {one.serves} | {'yes' if one.sheets else 'no'} | "
        f"{'yes' if one.sheets and one.sheets.prints else 'no'} | "
        f"{f'{one.sheets.tolerance:g} mm' if one.sheets else ''} |"
        for one in FORMATS.values()
    ]
    return "\n".join(
        [
            "| file | | good for | cut files | print files | curves read back within |",
            "|---|---|---|---|---|---|",
            *rows,
        ]
    )


class RegistryTest(unittest.TestCase):
    def test_the_documentation_says_what_the_registry_holds(self):
        self.assertIn(table(), DOCS.read_text())

    def test_machines_ask_for_what_can_be_written(self):
        for machine in MACHINES.values():
            self.assertLessEqual(set(machine.formats), set(SHEET_FORMATS))
