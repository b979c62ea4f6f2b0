"""What a press makes of the colours a PDF page names: black that is mixed, inks that overprint, white that vanishes."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any, NamedTuple

import pikepdf
from pikepdf import Name

BLACK, MIXED = 0.9, 0.15  # shares: of black ink from which a colour is black, of the others from which it is mixed
MOST_INK = 3.0  # of all inks together that most presses dry
MOST_BYTES = 4_000_000  # of operators, which take a second to read
_UNREADABLE = (ValueError, TypeError, KeyError, IndexError, AttributeError)
FILLS, STROKES = {"f", "F", "f*", "B", "B*", "b", "b*"}, {"S", "s", "B", "B*", "b", "b*"}
COLOURS = {"k", "K", "g", "G", "rg", "RG", "cs", "CS", "sc", "SC", "scn", "SCN"}
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
            walk = _Walk(pdf)
            walk.run(pdf.pages[page - 1].obj, (), _State())
            return PressInks(walk.rich, walk.overprints, walk.vanishing)
    except (_Enormous, MemoryError, RecursionError, pikepdf.PdfError, *_UNREADABLE):
        return PressInks()


def _times(number: int) -> str:
    return "once" if number == 1 else f"{number} times"


class _Paint(NamedTuple):
    """A colour as it is set: kind of its space (“cmyk”, “mixed” for CMYK by a profile, “ink”, “other”), components."""

    kind: str = "other"
    values: tuple[float, ...] = ()


class _State(NamedTuple):
    fill: _Paint = _Paint()
    stroke: _Paint = _Paint()
    fill_over: bool = False
    stroke_over: bool = False
    keeps_zero: bool = False  # overprint mode 1: what a colour has none of stays as it is


class _Enormous(Exception):
    """There is more to read than anybody draws."""


class _Walk:
    """Through the operators of a page and the forms in it; what is painted again from one form counts once."""

    def __init__(self, pdf: pikepdf.Pdf) -> None:
        self.rich: tuple[float, ...] | None = None
        self.overprints = self.vanishing = 0
        self._pdf = pdf
        self._read = 0
        self._seen: set[tuple[Any, _State]] = set()

    def run(self, holder: Any, outer: tuple[Any, ...], state: _State) -> None:
        """A page or a form; what an old form does not name itself is looked for in ``outer``, what is round it. Raises
        _Enormous."""
        text = _operators(holder)
        self._read += len(text)
        if self._read > MOST_BYTES:
            raise _Enormous
        resources = (holder.get("/Resources") or {}, *outer)
        kept: list[_State] = []
        for step in pikepdf.parse_content_stream(self._pdf.make_stream(text)):
            if isinstance(step, pikepdf.ContentStreamInlineImage):
                continue
            given, what = step.operands, str(step.operator)
            if what == "q":
                kept.append(state)
            elif what == "Q" and kept:
                state = kept.pop()
            elif what == "Do":
                self._drawn(_named(resources, "/XObject", given[0]), resources, state)
            else:
                state = _after(state, what, given, resources)
            if what in FILLS or what in TEXT:
                self._painted(state.fill, over=state.fill_over, keeps_zero=state.keeps_zero)
            if what in STROKES:
                self._painted(state.stroke, over=state.stroke_over, keeps_zero=state.keeps_zero)

    def _drawn(self, form: Any, resources: tuple[Any, ...], state: _State) -> None:
        if form is None or form.get("/Subtype") != Name.Form or (form.objgen, state) in self._seen:
            return
        self._seen.add((form.objgen, state))
        self.run(form, resources, state)

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


def _after(state: _State, what: str, given: Any, resources: tuple[Any, ...]) -> _State:
    """The state after an operator that may set colours or overprint."""
    if what == "gs":
        return _overprinting(state, _named(resources, "/ExtGState", given[0]))
    if what not in COLOURS:
        return state
    now = state.fill if what.islower() else state.stroke
    paint = {
        "k": lambda: _Paint("cmyk", _numbers(given)),
        "cs": lambda: _Paint(_kind(given[0], _named(resources, "/ColorSpace", given[0]))),
        "sc": lambda: _Paint(now.kind, _numbers(given)),
        "scn": lambda: _Paint(now.kind, _numbers(given)),
    }.get(what.lower(), _Paint)()
    return state._replace(fill=paint) if what.islower() else state._replace(stroke=paint)


def _overprinting(state: _State, told: Any) -> _State:
    if told is None:
        return state
    if "/OP" in told:  # for strokes, and for fills too unless they are told apart
        state = state._replace(stroke_over=bool(told.OP), fill_over=bool(told.OP))
    if "/op" in told:
        state = state._replace(fill_over=bool(told.op))
    return state._replace(keeps_zero=int(told.OPM) == 1) if "/OPM" in told else state


def _operators(holder: Any) -> bytes:
    """What a page or a form draws."""
    streams: Any = holder if isinstance(holder, pikepdf.Stream) else holder.get("/Contents", pikepdf.Array())
    return b"\n".join(one.read_bytes() for one in (streams if isinstance(streams, pikepdf.Array) else [streams]))


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
