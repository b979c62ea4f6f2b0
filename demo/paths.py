"""Drawings with paths of their own, as clients send them: a sign with live text, and a bracket without a unit."""

from __future__ import annotations

_SIGN = """<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
  width="120mm" height="80mm" viewBox="0 0 120 80">
<style>.board{fill:#29848b} .rope{fill:none;stroke:#22323a;stroke-width:2} text{font:8px "Pierhead Sans"}</style>
<defs><g id="lamp"><circle r="7" fill="#f3a712"/>
  <path d="M-3 0h6M0-3v6" stroke="#22323a" stroke-width="1.4"/></g></defs>
<rect width="120" height="80" fill="#fff"/>
<g transform="translate(60 44) rotate(-6)">
  <rect class="board" x="-44" y="-20" width="88" height="38" rx="9"/>
  <use xlink:href="#lamp" x="-24"/><use xlink:href="#lamp" x="24"/>
  <path d="M-9 7A9 9 0 0 1 9 7Z" fill="#f6e7cb"/>
</g>
<path class="rope" d="M20 28C34 4 86 0 102 22"/>
<text x="34" y="76">Boats for hire</text>
<path d="M5 70h10v5h-10z" fill="none"/><rect x="200" y="5" width="9" height="9"/>
</svg>
"""


def boat_sign() -> bytes:
    """An SVG of styles, groups, uses and strokes, with text in a font nobody has and things nobody sees."""
    return _SIGN.encode()


def bracket() -> bytes:
    """A DXF of loose lines and arcs that meet, holes and a slot, which does not say its unit."""
    entities: list[tuple[str, dict[int, object]]] = []
    for (x0, y0), (x1, y1) in (((4, 0), (76, 0)), ((80, 4), (80, 26)), ((76, 30), (34, 30)), ((30, 34), (30, 56)),
                               ((26, 60), (4, 60)), ((0, 56), (0, 4)), ((18, 11), (46, 11)),
                               ((46, 19), (18, 19))):  # fmt: skip
        entities.append(("LINE", {10: x0, 20: y0, 11: x1, 21: y1}))
    for x, y, radius, start, end in ((4, 4, 4, 180, 270), (76, 4, 4, 270, 360), (76, 26, 4, 0, 90), (26, 56, 4, 0, 90),
                                     (4, 56, 4, 90, 180), (34, 34, 4, 180, 270), (46, 15, 4, 270, 90),
                                     (18, 15, 4, 90, 270)):  # fmt: skip
        entities.append(("ARC", {10: x, 20: y, 40: radius, 50: start, 51: end}))
    entities += [("CIRCLE", {10: 12, 20: 48, 40: 4}), ("CIRCLE", {10: 66, 20: 15, 40: 4})]
    lines = ["0", "SECTION", "2", "ENTITIES"]
    for kind, values in entities:
        lines += ["0", kind, "8", "0", *(str(word) for pair in values.items() for word in pair)]
    return "\n".join([*lines, "0", "ENDSEC", "0", "EOF", ""]).encode()
