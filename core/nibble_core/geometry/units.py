"""The one parser and the one formatter of lengths: inches and pixels exist only here, at the edge."""

from __future__ import annotations

import math
import re

from nibble_core.errors import InvalidTicket

MM_PER_INCH = 25.4
MM_PER_PX = MM_PER_INCH / 96
"""A CSS pixel: 1/96 inch."""

POINTS_PER_MM = 72 / MM_PER_INCH

_UNITS = {
    "": 1.0, "mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "inch": MM_PER_INCH, '"': MM_PER_INCH,
    "″": MM_PER_INCH, "pt": MM_PER_INCH / 72, "px": MM_PER_PX,
}  # fmt: skip
_NUMBER = r"\d+(?:[.,]\d+)?|[.,]\d+"
_LINES = re.compile(rf"^\s*({_NUMBER})\s*lpi\s*$", re.IGNORECASE)
_LENGTH = re.compile(
    rf"^\s*(-)?\s*(?:({_NUMBER})\s*(?:'|′|ft|feet|foot)\s*-?\s*)?"
    rf"(?:(?:(\d+)(?:\s+|\s*-\s*))?(?:(\d+)\s*/\s*(\d+)|({_NUMBER}))\s*([a-z\"″]*))?\s*$",
    re.IGNORECASE,
)


def parse_length(text: str, unit: str = "mm") -> float:
    """Millimetres from words such as ``2``, ``2mm``, ``0,08 in``, ``1/16"``, ``3-1/2`` or ``1' 6 1/2"``.

    ``254 lpi``, lines an inch, is the distance between them. A bare number is taken in ``unit``. Raises InvalidTicket
    with the forms that are understood.
    """
    lines = _LINES.match(text)
    if lines and (count := float(lines[1].replace(",", "."))) > 0:
        return MM_PER_INCH / count
    match = _LENGTH.match(text)
    if match and any(part is not None for part in match.groups()[1:]):
        minus, feet, whole, top, bottom, number, suffix = match.groups()
        factor = _UNITS.get((suffix or "").lower() or ("in" if feet else unit))
        if factor is not None and not (bottom and int(bottom) == 0) and not (whole and not top):
            inner = int(top) / int(bottom) if top else float((number or "0").replace(",", "."))
            value = (inner + int(whole or 0)) * factor + float((feet or "0").replace(",", ".")) * 12 * MM_PER_INCH
            if math.isfinite(value):
                return -value if minus else value
    raise InvalidTicket(f"“{text}” is not a length.", 'Write it like 2, 2mm, 0.08in, 3-1/2" or 1\' 6".')


def say_length(mm: float) -> str:
    """A length in words: tenths as they are, finer ones with what they have: “2.0 mm”, “3.175 mm”."""
    return f"{mm:.1f} mm" if abs(mm * 10 - round(mm * 10)) < 1e-6 else f"{format_number(mm, 3)} mm"


def format_number(value: float, decimals: int = 3) -> str:
    """The shortest decimal within ``decimals`` places, never an exponent and never ``-0``."""
    text = f"{value:.{decimals}f}"
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def format_growth(share: float) -> str:
    """By how much something has grown that is ``share`` times as large as it was, in per cent."""
    return f"{round(100 * (share - 1), 2) + 0.0:.2f} %"
