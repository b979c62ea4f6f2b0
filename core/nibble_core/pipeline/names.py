"""Names of job files: plain letters, after a pattern of the shop's own."""

from __future__ import annotations

import re
from collections.abc import Mapping

from nibble_core.errors import InvalidTicket
from nibble_core.ticket.library import USUAL_NAMES

WORDS = ("client", "job", "sheet", "mirrored", "panel", "purpose", "rev")
"""What a pattern can name in braces. What a file has none of leaves no gap; purpose must be there, or print and cut
file would have one name."""
_PLAIN = re.compile(r"[A-Za-z0-9 ._-]*")
LONGEST = 150


def slug(name: str, *, empty: str = "job") -> str:
    """A file name of plain letters; ``empty`` where a name has none."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or empty


def check_pattern(pattern: str) -> None:
    """Raises InvalidTicket for a pattern that names no files, or unsafe ones."""
    named = re.findall(r"\{([^{}]*)\}", pattern)
    unknown = [word for word in named if word not in WORDS]
    if unknown:
        raise InvalidTicket(
            f"“{{{unknown[0]}}}” is nothing that a file's name can tell.",
            f"Use {', '.join(f'{{{word}}}' for word in WORDS)}.", where="file_names",
        )  # fmt: skip
    if "purpose" not in named:
        raise InvalidTicket(
            "Print and cut file would have the same name.", "Write {purpose} somewhere.", where="file_names"
        )
    if not _PLAIN.fullmatch(re.sub(r"\{[a-z]+\}", "", pattern)):
        raise InvalidTicket(
            "Names of files are plain letters, figures, spaces, dots, hyphens and underscores.",
            f"For instance {USUAL_NAMES}.", where="file_names",
        )  # fmt: skip


def file_name(pattern: str, words: Mapping[str, str], ending: str) -> str:
    """A file's name: the pattern with what it names, without the gaps of what there is none of."""
    filled = re.sub(r"\{([a-z]+)\}", lambda found: words.get(found[1], ""), pattern)
    filled = re.sub(r"([-_. ])[-_. ]+", r"\1", filled).strip("-_. ")
    return f"{filled[:LONGEST].rstrip('-_. ')}.{ending}"
