"""Letters of Type 3 fonts, which are little drawings, as the drawings they are.

The renderer tells no outlines of such letters, so each is written into the page as a form that is drawn where the text
would be (ISO 32000-1, 9.4.4 and 9.6.5). Nothing else of the page is touched.
"""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import Any

import pikepdf
from pikepdf import Array, Dictionary, Name, Operator

from nibble_core.geometry import Affine

MOST_LETTERS = 100_000
DEEPEST = 8
GLYPH_WIDTHS = ("d0", "d1")


def with_type3_drawn(content: bytes) -> bytes:
    """A PDF whose Type 3 text is drawn; the same bytes where it has none, or cannot be read."""
    if b"/Type3" not in content and b"/ObjStm" not in content:
        return content
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            if not any(isinstance(thing, Dictionary) and thing.get("/Subtype") == "/Type3" for thing in pdf.objects):
                return content
            for page in pdf.pages:
                resources = page.obj.get("/Resources", Dictionary())
                made = _Drawn(pdf, resources).of(page)
                if made is not None:
                    page.obj.Resources = resources
                    page.obj.Contents = pdf.make_stream(made)
            out = io.BytesIO()
            pdf.save(out)
            return out.getvalue()
    except (pikepdf.PdfError, ValueError, TypeError, KeyError, AttributeError, IndexError, RecursionError):
        return content


class _Drawn:
    """Rewrites one content stream; ``resources`` gain a form for each letter used."""

    def __init__(self, pdf: Any, resources: Any) -> None:
        self.pdf, self.resources = pdf, resources
        fonts = resources.get("/Font", Dictionary())
        self.fonts = {key: font for key, font in fonts.items() if font.get("/Subtype") == "/Type3"}
        self.names: dict[tuple[str, str], Name] = {}
        self.letters = 0

    def of(self, page: Any) -> bytes | None:
        """The stream anew; None where it shows no such letter."""
        if not self.fonts:
            return None
        self.state = _Text()
        kept: list[Any] = []
        stack: list[_Text] = []
        for one in pikepdf.parse_content_stream(page):
            operands, operator = one.operands, one.operator
            name = str(operator)
            if name == "q":
                stack.append(self.state.copy())
            elif name == "Q" and stack:
                self.state = stack.pop()
            shown = self._shown(name, operands)
            if shown is None:
                self.state.take(name, operands)
                kept.append(one)
            else:
                kept += shown
        return bytes(pikepdf.unparse_content_stream(kept)) if self.letters else None

    def _shown(self, name: str, operands: Any) -> list[Any] | None:
        """What stands for an operator that shows letters of such a font; None for any other."""
        if name not in ("Tj", "TJ", "'", '"') or self.state.font not in self.fonts:
            return None
        if name in ("'", '"'):
            if name == '"':
                self.state.word, self.state.letter = float(operands[0]), float(operands[1])
            self.state.next_line()
        parts: Iterable[Any] = operands[0] if name == "TJ" else [operands[-1]]
        # drawings may not stand between BT and ET: the text object is left, and taken up again
        made: list[Any] = [([], Operator("ET"))]
        for part in parts:
            if isinstance(part, pikepdf.String):
                for code in bytes(part):
                    made += self._letter(code)
            else:
                self.state.move(-float(part) / 1000 * self.state.size * self.state.stretch)
        made.append(([], Operator("BT")))
        made.append(([*_numbers(self.state.matrix)], Operator("Tm")))
        return made

    def _letter(self, code: int) -> list[Any]:
        self.letters += 1
        if self.letters > MOST_LETTERS:
            raise ValueError("more letters than anybody would draw")
        font, state = self.fonts[self.state.font], self.state
        to_text = Affine(*(float(v) for v in font.FontMatrix))
        form = self._form(state.font, code)
        made = []
        if form is not None:
            place = to_text.then(Affine(state.size * state.stretch, 0, 0, state.size, 0, state.rise)).then(state.matrix)
            made = [
                ([], Operator("q")), ([*_numbers(place)], Operator("cm")), ([form], Operator("Do")),
                ([], Operator("Q")),
            ]  # fmt: skip
        first, widths = int(font.get("/FirstChar", 0)), font.get("/Widths", Array())
        width = float(widths[code - first]) if 0 <= code - first < len(widths) else 0.0
        state.move(
            (width * to_text.a * state.size + state.letter + (state.word if code == 32 else 0.0)) * state.stretch
        )
        return made

    def _form(self, key: str, code: int) -> Name | None:
        """The form that draws a letter, made once."""
        font = self.fonts[key]
        glyph = _glyph_name(font, code)
        drawing = font.CharProcs.get(glyph) if glyph else None
        if drawing is None:
            return None
        if (key, glyph) not in self.names:
            kept = [one for one in pikepdf.parse_content_stream(drawing) if str(one.operator) not in GLYPH_WIDTHS]
            form = self.pdf.make_stream(bytes(pikepdf.unparse_content_stream(kept)))
            form.Type, form.Subtype = Name("/XObject"), Name("/Form")
            form.BBox = Array([-1e5, -1e5, 1e5, 1e5])
            form.Resources = font.get("/Resources", self.resources)
            name = Name(f"/Letter{len(self.names)}of{key.lstrip('/')}")
            if "/XObject" not in self.resources:
                self.resources.XObject = Dictionary()
            self.resources.XObject[name] = self.pdf.make_indirect(form)
            self.names[key, glyph] = name
        return self.names[key, glyph]


def _glyph_name(font: Any, code: int) -> str:
    differences = font.Encoding.get("/Differences", Array()) if "/Encoding" in font else Array()
    at = 0
    for one in differences:
        if isinstance(one, Name):
            if at == code:
                return str(one)
            at += 1
        else:
            at = int(one)
    return ""


def _numbers(matrix: Affine) -> list[Any]:
    return [round(value, 8) for value in (matrix.a, matrix.b, matrix.c, matrix.d, matrix.e, matrix.f)]


class _Text:
    """What a content stream has said of its text: ISO 32000-1, table 103 on."""

    def __init__(self) -> None:
        self.font, self.size, self.stretch, self.letter, self.word = "", 0.0, 1.0, 0.0, 0.0
        self.rise, self.leading = 0.0, 0.0
        self.line = self.matrix = Affine()

    def copy(self) -> _Text:
        other = _Text()
        other.__dict__.update(self.__dict__)
        return other

    def move(self, by: float) -> None:
        self.matrix = Affine.translation(by, 0).then(self.matrix)

    def next_line(self, x: float = 0.0, y: float | None = None) -> None:
        self.line = Affine.translation(x, -self.leading if y is None else y).then(self.line)
        self.matrix = self.line

    def take(self, name: str, operands: Any) -> None:
        values = [float(v) for v in operands] if name in _NUMBERS else []
        if name == "BT":
            self.line = self.matrix = Affine()
        elif name == "Tf":
            self.font, self.size = str(operands[0]), float(operands[1])
        elif name == "Tm":
            self.line = self.matrix = Affine(*values)
        elif name in ("Td", "TD"):
            if name == "TD":
                self.leading = -values[1]
            self.next_line(*values)
        elif name == "T*":
            self.next_line()
        elif name in _SETTINGS:
            setattr(self, _SETTINGS[name], values[0] / (100 if name == "Tz" else 1))


_SETTINGS = {"Tc": "letter", "Tw": "word", "Tz": "stretch", "TL": "leading", "Ts": "rise"}
_NUMBERS = {"Tm", "Td", "TD", *_SETTINGS}
