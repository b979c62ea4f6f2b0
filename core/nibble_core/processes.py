"""What a machine does along a line: one entry says all there is to a process, for every room and for the screen.

Code elsewhere asks what a process does, never what it is called.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

NOTHING, PIECE, BY_HAND, FILM = "nothing", "the piece", "the piece, by hand", "the film"
WASTE, LENGTH = "the waste", "the finished length"
"""What comes free along a line."""
LINE, SHAPE, GROOVE, FLOOR = "a line", "what is within", "a groove", "a floor"
"""What is made of the material: a line of it, all that a line encloses, or so deep as a cutter is."""


@dataclass(frozen=True)
class Process:
    """words: one line of explanation. doing: what a machine that has it can do. called: one line of it, with its
    article. order: its turn on a sheet; what falls out comes last. colour, width and dash (CSS pixels): its look on
    screen. spot and cmyk: its ink in a file where the machine's record names none. frees: what comes free along it.
    takes: what of the material. sent: whether machines get it at all. swatch: whether a test swatch finds its settings.
    meant: what shops and clients call it in their files, by the words in the names of inks. step: its ISO 19593-1
    type."""

    words: str
    doing: str
    called: str
    order: int
    colour: str
    width: float
    spot: str
    cmyk: tuple[float, float, float, float]
    dash: tuple[float, ...] = ()
    frees: str = NOTHING
    takes: str = LINE
    sent: bool = True
    swatch: bool = False
    meant: tuple[str, ...] = ()
    step: str = ""

    @property
    def parts(self) -> bool:
        """Whether it parts material, so that none may run across another unasked."""
        return self.frees != NOTHING

    @property
    def edges(self) -> bool:
        """Whether it makes the edge of what is kept."""
        return self.frees in (PIECE, BY_HAND, FILM)

    @property
    def across_waste(self) -> bool:
        """Whether it is the sheet's own, in what is thrown away."""
        return self.frees in (WASTE, LENGTH)

    @property
    def through(self) -> bool:
        """Whether it goes right through what lies there."""
        return self.frees in (PIECE, BY_HAND, LENGTH)

    @property
    def film_only(self) -> bool:
        """Whether it goes through the film and stays out of its liner."""
        return self.frees in (FILM, WASTE)


PROCESSES: dict[str, Process] = {
    "through cut": Process(
        "Right through film and liner, or board: the piece falls out.", "cut through", "a through cut",
        50, "#7A1F5C", 2.6, "Through Cut", (0.0, 1.0, 0.0, 0.3), frees=PIECE, swatch=True,
        meant=("through", "die", "contour", "cut"), step="Cutting",
    ),
    "kiss cut": Process(
        "Through the film only: the piece stays on its liner.", "kiss cut", "a kiss cut",
        30, "#B23A9A", 1.4, "Kiss Cut", (0.3, 0.9, 0.0, 0.0), frees=FILM, meant=("kiss",),
        step="PartialCutting",
    ),
    "weed cut": Process(
        "Through the film, in the waste only, so that it peels off in handy pieces.", "cut weed lines",
        "a weed cut", 35, "#8C6BA8", 1.2, "Weed Cut", (0.4, 0.6, 0.0, 0.0), (3, 3), frees=WASTE,
        step="PartialCutting",
    ),
    "cross-cut": Process(
        "Across the roll, behind the last copy: it frees the finished length, and comes last.", "cut off",
        "a cross-cut", 60, "#4A4A6A", 2.2, "Cross Cut", (0.6, 0.6, 0.0, 0.3), (12, 4), frees=LENGTH,
        step="Cutting",
    ),
    "perforate": Process(
        "Cuts and ties in turn: it tears off by hand.", "perforate", "a perforation",
        40, "#7A1F5C", 1.6, "Perforate", (0.0, 0.6, 0.0, 0.3), (7, 4), frees=BY_HAND, meant=("perf",),
        step="Perforating",
    ),
    "score": Process(
        "Pressed or cut half through: a fold or a mark.", "score", "a score",
        20, "#6E7A1F", 1.6, "Score", (0.0, 0.0, 0.9, 0.5), (9, 3, 2, 3), swatch=True, meant=("score", "crease", "fold"),
        step="Creasing",
    ),
    "engrave": Process(
        "The surface is taken away.", "engrave", "an engraving",
        10, "#7B4B2A", 1.8, "Engrave", (0.2, 0.5, 0.8, 0.4), takes=SHAPE, swatch=True,
        meant=("engrav", "etch"),
    ),
    "clear": Process(
        "Taken down to one depth by a flat cutter.", "clear areas", "a clearing",
        8, "#A8834A", 1.8, "Clear", (0.1, 0.3, 0.6, 0.2), (5, 2), takes=FLOOR,
    ),
    "carve": Process(
        "A groove of a pointed cutter, as deep everywhere as it is wide.", "carve", "a groove",
        12, "#9C4F1A", 2.0, "Carve", (0.1, 0.6, 0.9, 0.3), takes=GROOVE,
    ),
    "guide": Process(
        "For the eye only; never sent to a machine.", "draw guides", "a guide",
        0, "#6b746f", 1.2, "Guide", (0.0, 0.0, 0.0, 0.5), (1, 4), sent=False,
        meant=("guide",),
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


THROUGH_CUT, KISS_CUT, ENGRAVE, GUIDE = "through cut", "kiss cut", "engrave", "guide"
WEED_CUT, CROSS_CUT = "weed cut", "cross-cut"
"""What a new line is, what else is offered first, and what a sheet has cut of its own."""


def frees(process: str) -> str:
    """What comes free along lines of a process; nothing along those of one that nobody knows."""
    return PROCESSES[process].frees if process in PROCESSES else NOTHING


def freeing(what: str) -> list[str]:
    """The processes along which something comes free."""
    return [key for key, one in PROCESSES.items() if one.frees == what]


def takes(process: str) -> str:
    """What it takes of the material."""
    return PROCESSES[process].takes if process in PROCESSES else LINE


def parts(process: str) -> bool:
    """Whether a process parts material."""
    return frees(process) != NOTHING


def is_sent(process: str) -> bool:
    """Whether machines get it."""
    return process in PROCESSES and PROCESSES[process].sent
