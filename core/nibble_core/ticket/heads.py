"""The kinds of machine there are: what each works with, and how that makes a process.

A kind is one class: what its record says, what runs along the lines in words, and the type of its settings. The
ticket's choices, the library's forms, the table of settings and the schema follow from it; what a head does with a
sheet stands in ``pipeline.heads``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import KW_ONLY, dataclass
from typing import ClassVar, TypeVar

from nibble_core.ticket.cutters import CHANGES, Cutter
from nibble_core.ticket.fields import amount, angle, choice, count, length, of_kinds, share, velocity
from nibble_core.ticket.turners import TURNERS, Turned, type_of_turner

T = TypeVar("T")

KINDS_OF_MACHINE = {
    "a knife": "A blade is drawn along the lines.",
    "a laser": "A beam burns along lines and over areas.",
    "a torch or jet": "Flame, plasma or water cuts through; it pierces first.",
    "a router": "A turning cutter carves, clears and cuts out, at any depth.",
}
WAYS_OF_MAKING = {
    "by knife": "With a force, and a blade that trails.",
    "by beam": "With a power, and a kerf.",
    "by cutter": "At the cutter’s own feeds.",
}
MARK_SHAPES = {
    "circles": "Filled circles: most cameras find them.",
    "squares": "Filled squares.",
    "crosses": "Crosses of two bars.",
    "corners": "Corners that open towards the work.",
}
ZEROS = {
    "the top of the board": "Depths are below nothing.",
    "the bed": "Depths are above nothing: the board’s thickness counts.",
}
ORIGINS = {
    "lower left": "x to the right, y away from the operator, from the front left corner.",
    "upper left": "From the back left corner; places on the work have y below nothing.",
    "lower right": "From the front right corner; places on the work have x below nothing.",
    "upper right": "From the back right corner; both are below nothing.",
    "the centre": "From the middle.",
}
ORIGINS_OF = {
    "the bed": "Where the machine finds itself when it is switched on.",
    "the job": "Where the head is driven to by hand, at that place of the work.",
}
COMMENTS = {"after a semicolon": "; like this", "in brackets": "(like this)"}
AIR = {"without air": "No air assist.", "with air": "Air blows where it cuts."}
LEADS = {
    "no lead-in": "It pierces on the line.",
    "a line": "It pierces in the waste and comes to the line at a slant.",
    "an arc": "It pierces in the waste and comes to the line along an arc, so that no notch shows.",
}
HEIGHTS = {
    "set by hand": "Or by the machine itself: G-code says nothing of it.",
    "moved by G-code": "Z upward from the material: up to pierce and to travel, down to run.",
}


@dataclass(frozen=True)
class How:
    """How a machine makes one process in one stock; each kind of head has its way."""

    _: KW_ONLY
    kind: str = choice("by knife", "way of making", WAYS_OF_MAKING)


@dataclass(frozen=True)
class ByKnife(How):
    """blade_offset: mm that the tip of the knife trails its holder. corner: degrees of turn from which the holder
    swivels round the tip."""

    force: int | None = count(None, 1, 5000, "force", auto="the machine’s own")
    speed: int | None = velocity(None, 1, 5000, "speed", auto="the machine’s own")
    passes: int = count(1, 1, 20, "passes")
    blade_offset: float = length(0.0, 0.0, 5.0, "blade offset", step=0.05)
    overcut: float = length(0.0, 0.0, 20.0, "overcut", step=0.1)
    corner: float = angle(20.0, "corner that is swivelled")
    _: KW_ONLY
    kind: str = choice("by knife", "way of making", WAYS_OF_MAKING)


@dataclass(frozen=True)
class ByBeam(How):
    """focus: mm of the head above focus, or above the material where it has none."""

    power: float | None = share(None, "power", auto="no stated power")
    speed: int | None = velocity(None, 1, 5000, "speed", auto="the machine’s own")
    passes: int = count(1, 1, 20, "passes")
    kerf: float = length(0.0, 0.0, 20.0, "kerf", step=0.01)
    lead: str = choice("no lead-in", "lead-in", LEADS)
    lead_length: float = length(2.0, 0.1, 100.0, "length of lead-ins", step=0.1)
    overscan: float = length(0.0, 0.0, 100.0, "overscan", step=0.5)
    pierce: float = amount(0.0, 0.0, 60.0, "seconds to pierce")
    pierce_height: float = length(0.0, 0.0, 50.0, "height to pierce from", step=0.1)
    warm_up: float = amount(0.0, 0.0, 600.0, "seconds of warming up")
    air: str = choice("without air", "air assist", AIR)
    focus: float = length(0.0, -50.0, 50.0, "focus offset", step=0.1)
    _: KW_ONLY
    kind: str = choice("by beam", "way of making", WAYS_OF_MAKING)


@dataclass(frozen=True)
class ByCutter(How):
    """Depths are the line's, feeds those of the cutters in the rack."""

    _: KW_ONLY
    kind: str = choice("by cutter", "way of making", WAYS_OF_MAKING)


@dataclass(frozen=True)
class Head:
    """What a machine works with. part: of the machine, that only such a head has; runs: what goes along the lines,
    does: what it does there, in words; above: what its height is told from."""

    part: ClassVar[str] = "head"
    runs: ClassVar[str] = "head"
    does: ClassVar[str] = "cut"
    above: ClassVar[str] = "the material"
    _: KW_ONLY
    kind: str = choice("a knife", "kind of machine", KINDS_OF_MACHINE)

    @property
    def usual(self) -> How:
        """How it makes what nobody has set."""
        raise NotImplementedError

    @property
    def tightest(self) -> float:
        """The least radius, mm, of inside corners that it follows."""
        raise NotImplementedError


@dataclass(frozen=True)
class SeesMarks(Head):
    """One that finds printed marks and follows the print. print_stretch, print_bow, camera_error, repeats: by which
    its prints and cuts are off one time in three, or more; see ``pipeline.rehearsal.Errors``. stretch_across,
    stretch_along: per cent by which every print of its press comes out wider and longer, below nothing where it
    shrinks."""

    part: ClassVar[str] = "camera"
    _: KW_ONLY
    mark_shape: str = choice("circles", "shape of the marks", MARK_SHAPES)
    mark_count: int = count(4, 0, 6, "registration marks")
    print_stretch: float = amount(0.2, 0.0, 5.0, "stretch of prints by chance, per cent")
    stretch_across: float = amount(0.0, -5.0, 5.0, "steady stretch of prints across, per cent")
    stretch_along: float = amount(0.0, -5.0, 5.0, "steady stretch of prints along, per cent")
    print_bow: float = length(0.1, 0.0, 20.0, "bow of a metre of print", step=0.05)
    camera_error: float = length(0.1, 0.0, 5.0, "error of its camera", step=0.05)
    repeats: float = length(0.1, 0.0, 5.0, "error of its cuts", step=0.05)


@dataclass(frozen=True)
class KnifeHead(SeesMarks):
    """speed: mm a second along a line, if it is the same for every process. blade_offset, overcut: of what nobody has
    set."""

    part: ClassVar[str] = "knife"
    runs: ClassVar[str] = "knife"
    _: KW_ONLY
    kind: str = choice("a knife", "kind of machine", KINDS_OF_MACHINE)
    knife_radius: float = length(0.25, 0.0, 10.0, "radius the knife turns in", step=0.05)
    speed: int | None = velocity(None, 1, 5000, "speed", auto="not known")
    blade_offset: float = length(0.0, 0.0, 5.0, "blade offset", step=0.05)
    overcut: float = length(0.0, 0.0, 20.0, "overcut", step=0.1)

    @property
    def usual(self) -> How:
        return ByKnife(blade_offset=self.blade_offset, overcut=self.overcut)

    @property
    def tightest(self) -> float:
        return self.knife_radius


@dataclass(frozen=True)
class DrivenHead(Head):
    """One that G-code moves, and every move is planned of. acceleration: mm a second squared; fastest: mm a second of
    travels; jump: mm a second that its velocity may change by at once. safe_height: mm above the material at which it
    runs into nothing."""

    part: ClassVar[str] = "head that G-code moves"
    _: KW_ONLY
    acceleration: int = count(3000, 10, 200_000, "acceleration")
    fastest: int = velocity(500, 1, 10_000, "speed of travels")
    jump: int = velocity(10, 1, 1000, "speed taken round corners")
    longest_run: int | None = count(None, 1, 10_000, "longest run", auto="any number of")
    origin: str = choice("lower left", "origin", ORIGINS)
    origin_of: str = choice("the bed", "what the origin is of", ORIGINS_OF)
    comments: str = choice("after a semicolon", "comments in G-code", COMMENTS)
    safe_height: float = length(10.0, 1.0, 200.0, "safe height", step=1.0)


@dataclass(frozen=True)
class BeamHead(DrivenHead):
    """One that a strip of the material goes by. beam: mm that it is wide. openings: of what the work lies on.
    power_scale: the word of full power. turner: of its round things; focus_depth: mm that a surface may lie nearer or
    further before the beam is too wide."""

    part: ClassVar[str] = "beam"
    runs: ClassVar[str] = "beam"
    _: KW_ONLY
    beam: float = length(0.15, 0.01, 20.0, "width of the beam", step=0.01)
    openings: float = length(0.0, 0.0, 1000.0, "openings of the bed", step=1.0)
    power_scale: int = count(1000, 1, 100_000, "word of full power")
    height: str = choice("set by hand", "height of the head", HEIGHTS)
    turner: Turned = of_kinds(Turned(), "what turns things", TURNERS, type_of_turner)
    focus_depth: float = length(2.0, 0.05, 100.0, "depth of focus", step=0.1)

    @property
    def usual(self) -> How:
        return ByBeam()

    @property
    def tightest(self) -> float:
        return self.beam / 2

    @property
    def moves_height(self) -> bool:
        """Whether G-code raises and lowers it."""
        return self.height != "set by hand"


@dataclass(frozen=True)
class LaserHead(SeesMarks, BeamHead):
    """A beam of light, that may follow a print."""

    does: ClassVar[str] = "burn"
    above: ClassVar[str] = "focus"
    _: KW_ONLY
    kind: str = choice("a laser", "kind of machine", KINDS_OF_MACHINE)


@dataclass(frozen=True)
class TorchHead(BeamHead):
    """Flame, plasma or water."""

    runs: ClassVar[str] = "torch"
    _: KW_ONLY
    kind: str = choice("a torch or jet", "kind of machine", KINDS_OF_MACHINE)


@dataclass(frozen=True)
class RouterHead(DrivenHead):
    """A turning cutter that goes to any depth. zero: what depths are counted from; below: mm that it goes into the bed
    under what it cuts out."""

    part: ClassVar[str] = "turning cutter"
    runs: ClassVar[str] = "cutter"
    does: ClassVar[str] = "carve"
    _: KW_ONLY
    kind: str = choice("a router", "kind of machine", KINDS_OF_MACHINE)
    changes: str = choice("by G-code", "change of cutters", CHANGES)
    zero: str = choice("the top of the board", "zero of depths", ZEROS)
    below: float = length(0.3, 0.0, 20.0, "depth below the board", step=0.1)
    cutters: tuple[Cutter, ...] = ()

    @property
    def usual(self) -> How:
        return ByCutter()

    @property
    def tightest(self) -> float:
        return self.freeing / 2

    @property
    def freeing(self) -> float:
        """mm that the flat cutter is wide which cuts parts out; 0 where the rack has none."""
        return next((one.diameter for one in self.cutters if one.kind == "flat"), 0.0)


HEADS: dict[str, type[Head]] = {
    "a knife": KnifeHead, "a laser": LaserHead, "a torch or jet": TorchHead, "a router": RouterHead,
}  # fmt: skip
_HOWS: dict[str, type[How]] = {"by knife": ByKnife, "by beam": ByBeam, "by cutter": ByCutter}


def of_nearest(table: Mapping[type[Head], T], head: Head) -> T:
    """What a table has of a head's kind, or of the nearest kind that it is one of."""
    return next(table[kind] for kind in type(head).__mro__ if kind in table)


def type_of_head(kind: str) -> type[Head]:
    return HEADS[kind]


def type_of_how(kind: str) -> type[How]:
    return _HOWS[kind]
