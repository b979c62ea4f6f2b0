"""What a machine does along a line: one entry says all there is to a process, for every room and for the screen."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Process:
    """words: one line of explanation. doing: what a machine that has it can do. called: one line of it, with its
    article. parts: whether it parts material, so that none may run across another unasked. edges: whether it makes the
    edge of what is kept. across_waste: whether it is the sheet's own, in what is thrown away. sent: whether machines
    get it at all. order: its turn on a sheet; what falls out comes last. colour, width and dash (CSS pixels): its look
    on screen. spot and cmyk: its ink in a file where the machine's record names none. step: its ISO 19593-1 type."""

    words: str
    doing: str
    called: str
    order: int
    colour: str
    width: float
    spot: str
    cmyk: tuple[float, float, float, float]
    dash: tuple[float, ...] = ()
    parts: bool = False
    edges: bool = False
    across_waste: bool = False
    sent: bool = True
    step: str = ""


PROCESSES: dict[str, Process] = {
    "through cut": Process(
        "Right through film and liner, or board: the piece falls out.", "cut through", "a through cut",
        50, "#7A1F5C", 2.6, "Through Cut", (0.0, 1.0, 0.0, 0.3), parts=True, edges=True, step="Cutting",
    ),
    "kiss cut": Process(
        "Through the film only: the piece stays on its liner.", "kiss cut", "a kiss cut",
        30, "#B23A9A", 1.4, "Kiss Cut", (0.3, 0.9, 0.0, 0.0), parts=True, edges=True, step="PartialCutting",
    ),
    "weed cut": Process(
        "Through the film, in the waste only, so that it peels off in handy pieces.", "cut weed lines",
        "a weed cut", 35, "#8C6BA8", 1.2, "Weed Cut", (0.4, 0.6, 0.0, 0.0), (3, 3), parts=True, across_waste=True,
        step="PartialCutting",
    ),
    "cross-cut": Process(
        "Across the roll, behind the last copy: it frees the finished length, and comes last.", "cut off",
        "a cross-cut", 60, "#4A4A6A", 2.2, "Cross Cut", (0.6, 0.6, 0.0, 0.3), (12, 4), parts=True, across_waste=True,
        step="Cutting",
    ),
    "perforate": Process(
        "Cuts and ties in turn: it tears off by hand.", "perforate", "a perforation",
        40, "#7A1F5C", 1.6, "Perforate", (0.0, 0.6, 0.0, 0.3), (7, 4), parts=True, edges=True, step="Perforating",
    ),
    "score": Process(
        "Pressed or cut half through: a fold or a mark.", "score", "a score",
        20, "#6E7A1F", 1.6, "Score", (0.0, 0.0, 0.9, 0.5), (9, 3, 2, 3), step="Creasing",
    ),
    "engrave": Process(
        "The surface is taken away.", "engrave", "an engraving",
        10, "#7B4B2A", 1.8, "Engrave", (0.2, 0.5, 0.8, 0.4),
    ),
    "clear": Process(
        "Taken down to one depth by a flat cutter.", "clear areas", "a clearing",
        8, "#A8834A", 1.8, "Clear", (0.1, 0.3, 0.6, 0.2), (5, 2),
    ),
    "carve": Process(
        "A groove of a pointed cutter, as deep everywhere as it is wide.", "carve", "a groove",
        12, "#9C4F1A", 2.0, "Carve", (0.1, 0.6, 0.9, 0.3),
    ),
    "guide": Process(
        "For the eye only; never sent to a machine.", "draw guides", "a guide",
        0, "#6b746f", 1.2, "Guide", (0.0, 0.0, 0.0, 0.5), (1, 4), sent=False,
    ),
}  # fmt: skip


class _Words(Mapping[str, str]):
    """Each process with its explanation, as a choice shows them."""

    def __getitem__(self, key: str) -> str:
        return PROCESSES[key].words

    def __iter__(self) -> Iterator[str]:
        return iter(PROCESSES)

    def __len__(self) -> int:
        return len(PROCESSES)


WORDS: Mapping[str, str] = _Words()


def parts(process: str) -> bool:
    """Whether a process parts material."""
    return process in PROCESSES and PROCESSES[process].parts
