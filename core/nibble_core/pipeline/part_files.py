"""Cut and print files of a sheet or of a panel of it, each read back."""

from __future__ import annotations

from dataclasses import replace

from nibble_core.checks.readback import check_page, check_size
from nibble_core.errors import CannotMake
from nibble_core.formats.registry import BOTH, CUT, FORMATS, Format
from nibble_core.graphics import Page
from nibble_core.pipeline.pages import Part, parts_of, plotter_strokes, with_areas
from nibble_core.pipeline.results import Work
from nibble_core.ticket.model import Sheet, Ticket


def write_plot(ticket: Ticket, sheet: Sheet, work: Work) -> bytes:
    """What a knife is sent: a sheet's cut file as HP-GL. Raises CannotMake for panels, and for a machine that does not
    take it."""
    if "hpgl" not in sheet.machine.formats:
        raise CannotMake(f"The {sheet.machine.name} does not take HP-GL.", "Add it to its formats in the library.")
    parts = parts_of(ticket, sheet, work)
    if len(parts) > 1:
        raise CannotMake("Panels cannot be sent in one.", "Make the sheet in one, or cut their files one by one.")
    return write_part(parts[0], CUT, FORMATS["hpgl"], sheet, "cut file as HP-GL")[0]


def write_part(part: Part, purpose: str, form: Format, sheet: Sheet, called: str) -> tuple[bytes, Page | None]:
    """One file, and what it holds, read back and found to be what was meant; None of pixels, which hold no lines.
    called: the file, in words. Raises FileDisagrees, CannotMake."""
    assert form.sheets is not None
    if purpose == BOTH and part.print_scale != (1.0, 1.0) and not part.laid.marks.places:
        raise CannotMake(
            "A file that is printed and cut in one needs marks to allow for the stretch of the press.",
            "Give the sheet marks, or print it at true size.",
        )
    meant = part.pages[purpose]
    if form.sheets.unit:
        meant = replace(meant, stroked=plotter_strokes(part.program, sheet, meant.height, form.sheets.unit))
    if form.sheets.areas and purpose == CUT:
        meant = with_areas(meant, part.program, sheet.machine)
    content = form.sheets.write(meant)
    page = form.sheets.read(content)
    if form.sheets.pixels:
        check_size(meant, page, called)
        return content, None
    check_page(meant, page, called, tolerance=form.sheets.tolerance, layers=form.sheets.layers)
    return content, page
