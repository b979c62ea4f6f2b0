"""What of a client's PDF page is switched on, how large its unit is, and whether masks soften it (ISO 32000-1: 8.11
optional content, 14.11.2 user units, 11.6.5.3 soft masks). The reader of objects knows none of these."""

from __future__ import annotations

import io
from dataclasses import dataclass, replace
from typing import Any

import pikepdf
from pikepdf import Dictionary, Name, Stream

from nibble_core.formats.client_page import hidden_layers
from nibble_core.formats.pdf_tiles import Tiles

DEEPEST = 12
MOST_BYTES = 40_000_000  # of content that is looked through for hidden layers
_PAINT = {"f", "F", "f*", "B", "B*", "b", "b*", "S", "s"}
_SHOW = {"Tj", "TJ", "'", '"', "sh", "INLINE IMAGE"}


@dataclass(frozen=True)
class Shown:
    """A file whose page draws what is switched on alone. unit: of the page's coordinates, in points. hidden: names of
    layers that are switched off and draw something. masked: whether soft masks may soften what is drawn. patterned:
    whether areas are filled with patterns, other than tiles, which are drawn one by one."""

    content: bytes
    unit: float = 1.0
    hidden: tuple[str, ...] = ()
    masked: bool = False
    patterned: bool = False


def shown(content: bytes, number: int) -> Shown:
    """One page of a PDF, from 1, as far as it is shown, its tiles drawn one by one. What cannot be read is left to the
    reader to refuse."""
    plain = Shown(content)
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            page = pdf.pages[number - 1].obj
            unit = float(page.get("/UserUnit", 1.0))
            patterned = any(_is_pattern(thing) for thing in pdf.objects)
            plain = Shown(
                content, unit if 0.01 <= unit <= 75_000 else 1.0, (), any(_is_soft(thing) for thing in pdf.objects),
                patterned,
            )  # fmt: skip
            sieve = _Sieve(pdf, {group.objgen: str(group.get("/Name", "")) for group in hidden_layers(pdf)})
            tiles = Tiles(pdf)
            if sieve.off:
                sieve.page(page)
            if patterned:
                tiles.page(page)
            found = replace(plain, hidden=tuple(dict.fromkeys(sieve.dropped)), patterned=tiles.left)
            if not sieve.dropped and not tiles.unfolded:
                return found
            out = io.BytesIO()
            pdf.save(out)
            return replace(found, content=out.getvalue())
    except (
        pikepdf.PdfError, pikepdf.PasswordError, ValueError, TypeError, KeyError, IndexError, AttributeError,
        ArithmeticError, RecursionError,
    ):  # fmt: skip
        return plain


def _is_soft(thing: Any) -> bool:
    """Whether an object is a graphics state with a soft mask."""
    if not isinstance(thing, Dictionary):
        return False
    mask: Any = thing.get("/SMask")
    if isinstance(mask, Dictionary) and "/S" in mask:
        return True
    states: Any = thing.get("/ExtGState") if "/ExtGState" in thing else None
    resources: Any = thing.get("/Resources") if "/Resources" in thing else None
    if isinstance(resources, Dictionary) and "/ExtGState" in resources:
        states = resources.get("/ExtGState")
    if not isinstance(states, Dictionary):
        return False
    return any(isinstance(one, Dictionary) and isinstance(one.get("/SMask"), Dictionary) for one in states.values())


def _is_pattern(thing: Any) -> bool:
    return isinstance(thing, Dictionary | Stream) and "/PatternType" in thing


class _Sieve:
    """Takes what hidden layers paint out of the streams of a page; what they set stays set."""

    def __init__(self, pdf: pikepdf.Pdf, off: dict[tuple[int, int], str]) -> None:
        self._pdf, self.off = pdf, off
        self._seen: set[tuple[int, int]] = set()
        self._left = MOST_BYTES
        self.dropped: list[str] = []

    def page(self, page: Any) -> None:
        content = page.get("/Contents")
        if content is None:
            return
        resources = pikepdf.Page(page).resources
        page.Contents = self._pdf.make_stream(self._sifted(page, resources, 0))

    def _sifted(self, stream: Any, resources: Any, depth: int) -> bytes:
        kept: list[Any] = []
        layers: list[str] = []  # of each marked part, the hidden layer it belongs to, or none
        for instruction in pikepdf.parse_content_stream(stream):
            name, operands = str(instruction.operator), instruction.operands
            if name in ("BDC", "BMC"):
                above = layers[-1] if layers else ""
                layers.append(above or self._marked(name, operands, resources))
            elif name == "EMC" and layers:
                layers.pop()
            hidden = layers[-1] if layers else ""
            if name == "Do":
                hidden = hidden or self._drawn(operands, resources, depth)
            if hidden and name in _PAINT:
                kept.append(pikepdf.ContentStreamInstruction([], pikepdf.Operator("n")))
            elif not hidden or name not in _SHOW | {"Do"}:
                kept.append(instruction)
            if hidden and name in _PAINT | _SHOW | {"Do"}:
                self.dropped.append(hidden)
        return pikepdf.unparse_content_stream(kept)

    def _marked(self, name: str, operands: Any, resources: Any) -> str:
        if name != "BDC" or str(operands[0]) != "/OC":
            return ""
        found: Any = operands[1]
        if isinstance(found, Name):
            found = resources.get("/Properties", Dictionary()).get(str(found))
        return self._hidden(found)

    def _drawn(self, operands: Any, resources: Any, depth: int) -> str:
        """The hidden layer of a form or picture; a form that is shown is sifted itself."""
        thing = resources.get("/XObject", Dictionary()).get(str(operands[0]))
        if not isinstance(thing, Stream):
            return ""
        hidden = self._hidden(thing.get("/OC"))
        known = thing.objgen in self._seen
        if hidden or known or depth > DEEPEST or thing.get("/Subtype") != Name.Form:
            return hidden
        self._seen.add(thing.objgen)
        content = thing.read_bytes()
        self._left -= len(content)
        if self._left > 0:
            thing.write(self._sifted(thing, thing.get("/Resources", resources), depth + 1))
        return ""

    def _hidden(self, about: Any) -> str:
        """The name of the layer because of which something is hidden; empty where it is shown."""
        if not isinstance(about, Dictionary):
            return ""
        if about.get("/Type") != Name.OCMD:
            return (self.off[about.objgen] or "a layer") if about.objgen in self.off else ""
        groups = about.get("/OCGs")
        some = [groups] if isinstance(groups, Dictionary) else list(groups or [])
        if not some:
            return ""
        off = [one for one in some if one.objgen in self.off]
        policy = str(about.get("/P", "/AnyOn"))
        shows = {
            "/AnyOn": len(off) < len(some), "/AllOn": not off, "/AnyOff": bool(off), "/AllOff": len(off) == len(some),
        }.get(policy, True)  # fmt: skip
        return "" if shows else (self.off[off[0].objgen] if off else "a layer") or "a layer"
