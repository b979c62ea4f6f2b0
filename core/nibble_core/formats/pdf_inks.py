"""What a press makes of the colours a PDF page names: black that is mixed, inks that overprint, white that vanishes."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from typing import Any

import pikepdf
from pikepdf import Name

BLACK, MIXED = 0.9, 0.15  # shares: of black ink from which a colour is black, of the others from which it is mixed
MOST_INK = 3.0  # of all inks together that most presses dry
MOST_BYTES, DEEPEST = 20_000_000, 12
FILLS, STROKES = {"f", "F", "f*", "B", "B*", "b", "b*"}, {"S", "s", "B", "B*", "b", "b*"}
TEXT = {"Tj", "TJ", "'", '"'}


@dataclass(frozen=True)
class PressInks:
    """rich: the black with the most ink that is mixed, cyan to black, 0 to 1; overprints and vanishing: how often
    something is painted that mixes with what lies below, and white that leaves what lies below."""

    rich: tuple[float, ...] | None = None
    overprints: int = 0
    vanishing: int = 0

    @property
    def notes(self) -> tuple[str, ...]:
        """In words, for whoever prints the page as it came."""
        said = []
        if self.rich is not None:
            parts = " ".join(f"{ink} {100 * share:.0f}" for ink, share in zip("CMYK", self.rich, strict=True))
            total = sum(self.rich)
            much = ": more than most presses dry" if total > MOST_INK else ""
            said.append(f"Its black is mixed of several inks, {parts}: {100 * total:.0f} % together{much}.")
        if self.overprints:
            said.append(
                f"It overprints {_times(self.overprints)}: a press mixes those inks with what lies below, a screen "
                "does not show it."
            )  # fmt: skip
        return (*said, *self.hazards)

    @property
    def hazards(self) -> tuple[str, ...]:
        """What of that spoils a print."""
        if not self.vanishing:
            return ()
        return (f"White is set to overprint {_times(self.vanishing)}: on a press it vanishes.",)


def press_inks(content: bytes, page: int) -> PressInks:
    """What a page, from 1, asks of a press. Nothing is told of a page that cannot be read this way, or is enormous."""
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            walk = _Walk()
            walk.run(pdf.pages[page - 1].obj, (), _State(), 0)
            return PressInks(walk.rich, walk.overprints, walk.vanishing)
    except (pikepdf.PdfError, ValueError, TypeError, KeyError, IndexError, AttributeError, RecursionError):
        return PressInks()


def _times(number: int) -> str:
    return "once" if number == 1 else f"{number} times"


@dataclass
class _Paint:
    """A colour as it is set: kind of its space (“cmyk”, “mixed” for CMYK by a profile, “ink”, “other”), components."""

    kind: str = "other"
    values: tuple[float, ...] = ()


@dataclass
class _State:
    fill: _Paint = field(default_factory=_Paint)
    stroke: _Paint = field(default_factory=_Paint)
    fill_over: bool = False
    stroke_over: bool = False
    keeps_zero: bool = False  # overprint mode 1: what a colour has none of stays as it is

    def copied(self) -> _State:
        return _State(self.fill, self.stroke, self.fill_over, self.stroke_over, self.keeps_zero)


class _Walk:
    """Through the operators of a page and the forms in it."""

    def __init__(self) -> None:
        self.rich: tuple[float, ...] | None = None
        self.overprints = self.vanishing = 0
        self.read = 0

    def run(self, holder: Any, outer: tuple[Any, ...], state: _State, depth: int) -> None:
        """A page or a form; what an old form does not name itself is looked for in ``outer``, what is round it."""
        self.read += _length(holder)
        if depth > DEEPEST or self.read > MOST_BYTES:
            return
        resources = (holder.get("/Resources") or {}, *outer)
        kept: list[_State] = []
        for step in pikepdf.parse_content_stream(holder):
            if isinstance(step, pikepdf.ContentStreamInlineImage):
                continue
            given, what = step.operands, str(step.operator)
            if what == "q":
                kept.append(state.copied())
            elif what == "Q" and kept:
                state = kept.pop()
            elif what == "gs":
                self._graphics(state, _named(resources, "/ExtGState", given[0]))
            elif what in ("k", "K"):
                paint = _Paint("cmyk", tuple(float(v) for v in given))
                state.fill, state.stroke = (paint, state.stroke) if what == "k" else (state.fill, paint)
            elif what in ("g", "rg"):
                state.fill = _Paint()
            elif what in ("G", "RG"):
                state.stroke = _Paint()
            elif what in ("cs", "CS"):
                paint = _Paint(_kind(given[0], _named(resources, "/ColorSpace", given[0])))
                state.fill, state.stroke = (paint, state.stroke) if what == "cs" else (state.fill, paint)
            elif what in ("sc", "scn"):
                state.fill = _Paint(state.fill.kind, _numbers(given))
            elif what in ("SC", "SCN"):
                state.stroke = _Paint(state.stroke.kind, _numbers(given))
            elif what == "Do":
                form = _named(resources, "/XObject", given[0])
                if form is not None and form.get("/Subtype") == Name.Form:
                    self.run(form, resources, state.copied(), depth + 1)
            if what in FILLS or what in TEXT:
                self._painted(state.fill, over=state.fill_over, keeps_zero=state.keeps_zero)
            if what in STROKES:
                self._painted(state.stroke, over=state.stroke_over, keeps_zero=state.keeps_zero)

    def _graphics(self, state: _State, told: Any) -> None:
        if told is None:
            return
        if "/OP" in told:  # for strokes, and for fills too unless they are told apart
            state.stroke_over = state.fill_over = bool(told.OP)
        if "/op" in told:
            state.fill_over = bool(told.op)
        if "/OPM" in told:
            state.keeps_zero = int(told.OPM) == 1

    def _painted(self, paint: _Paint, *, over: bool, keeps_zero: bool) -> None:
        values = paint.values
        if paint.kind in ("cmyk", "mixed") and len(values) == 4:
            mixed = values[3] >= BLACK and sum(values[:3]) >= MIXED
            if mixed and (self.rich is None or sum(values) > sum(self.rich)):
                self.rich = values
        # a profile's CMYK always sets all four inks; plain CMYK does in mode 0
        mixes = paint.kind == "ink" or (paint.kind == "cmyk" and keeps_zero and min(values, default=1.0) == 0.0)
        if not over or not mixes or not values:
            return
        if max(values) == 0.0:
            self.vanishing += 1
        else:
            self.overprints += 1


def _length(holder: Any) -> int:
    """Bytes of a page's or a form's operators, as they are packed."""
    if isinstance(holder, pikepdf.Stream):
        return int(holder.get("/Length", 0))
    streams: Any = holder.get("/Contents")
    if streams is None:
        return 0
    return sum(int(one.get("/Length", 0)) for one in (streams if isinstance(streams, pikepdf.Array) else [streams]))


def _named(resources: tuple[Any, ...], kind: str, name: Any) -> Any:
    """What a name stands for, in the innermost place that knows it; None where none does."""
    return next((own[kind][str(name)] for own in resources if kind in own and str(name) in own[kind]), None)


def _kind(name: Any, named: Any) -> str:
    """What a colour space is to a press."""
    space = name if named is None else named
    if isinstance(space, pikepdf.Array):
        family = str(space[0])
        if family in ("/Separation", "/DeviceN"):
            return "ink" if str(space[1]) != "/None" else "other"
        return "mixed" if family == "/ICCBased" and int(space[1].get("/N", 0)) == 4 else "other"
    return "cmyk" if str(space) == "/DeviceCMYK" else "other"


def _numbers(given: Any) -> tuple[float, ...]:
    """The components of a colour, without the name of a pattern."""
    return tuple(float(one) for one in given if not isinstance(one, pikepdf.Name))
