"""What an SVG element looks like: presentation attributes, style sheets and inline styles, by the rules of CSS."""

from __future__ import annotations

import colorsys
import re
from collections.abc import Mapping

import tinycss2
import tinycss2.color3
from cssselect import GenericTranslator, SelectorError, parse
from lxml import etree

from nibble_core.formats.svg_measure import length
from nibble_core.graphics import Colour

MOST_CSS = 400_000
MOST_SELECTORS = 4_000

INHERITED = {
    "fill", "stroke", "stroke-width", "stroke-linecap", "stroke-linejoin", "stroke-miterlimit", "stroke-dasharray",
    "stroke-dashoffset", "fill-rule", "clip-rule", "fill-opacity", "stroke-opacity", "visibility", "color",
    "font-family", "font-size", "font-weight", "font-style", "font", "text-anchor",
}  # fmt: skip
OWN = {
    "opacity",
    "display",
    "clip-path",
    "filter",
    "mask",
    "stop-color",
    "stop-opacity",
    "overflow",
    "vector-effect",
    "transform",
}
KNOWN = INHERITED | OWN
DEFAULTS = {
    "fill": "black", "stroke": "none", "stroke-width": "1", "stroke-linecap": "butt", "stroke-linejoin": "miter",
    "stroke-miterlimit": "4", "stroke-dasharray": "none", "fill-rule": "nonzero", "clip-rule": "nonzero",
    "fill-opacity": "1", "stroke-opacity": "1", "visibility": "visible", "color": "black", "opacity": "1",
    "display": "inline", "clip-path": "none", "mask": "none", "filter": "none", "font-family": "", "font-size": "",
    "text-anchor": "start",
}  # fmt: skip

Style = dict[str, str]


class Cascade:
    """The style sheets of one document, matched once to its elements."""

    def __init__(self, root: etree._Element) -> None:
        self._matched: dict[etree._Element, list[tuple[tuple[int, int, int], int, str, str, bool]]] = {}
        sheets = [node.text or "" for node in root.iter("style")]
        rules = [rule for sheet in sheets for rule in _rules(sheet[:MOST_CSS])]
        translator = GenericTranslator()
        order = 0
        for selectors, declarations in rules[:MOST_SELECTORS]:
            try:
                parsed = parse(selectors)
            except SelectorError:
                continue
            for selector in parsed:
                try:
                    found = root.xpath(translator.selector_to_xpath(selector, prefix="descendant-or-self::"))
                except (SelectorError, etree.XPathError):
                    continue
                order += 1
                weight = selector.specificity()
                for node in found:
                    own = self._matched.setdefault(node, [])
                    own += [(weight, order, name, value, important) for name, value, important in declarations]

    def style(self, element: etree._Element, inherited: Mapping[str, str]) -> Style:
        """All known properties of an element below a parent with the style ``inherited``."""
        own: Style = {}
        for name, value in element.attrib.items():
            if name in KNOWN and name != "transform":
                own[str(name)] = str(value)
        rules = sorted(self._matched.get(element, ()), key=lambda rule: (rule[4], rule[0], rule[1]))
        inline = declarations_of(element.get("style", ""))
        for _, _, name, value, important in rules:
            if not important:
                own[name] = value
        own |= {name: value for name, value, important in inline if not important}
        for _, _, name, value, important in rules:
            if important:
                own[name] = value
        own |= {name: value for name, value, important in inline if important}
        result = {name: inherited.get(name, DEFAULTS.get(name, "")) for name in INHERITED}
        for name, value in own.items():
            value = value.strip()
            if value == "inherit":
                value = inherited.get(name, DEFAULTS.get(name, ""))
            elif value == "initial":
                value = DEFAULTS.get(name, "")
            result[name] = value
        return result


def _rules(sheet: str) -> list[tuple[str, list[tuple[str, str, bool]]]]:
    found = []
    for node in tinycss2.parse_stylesheet(sheet, skip_comments=True, skip_whitespace=True):
        if node.type == "qualified-rule":
            found.append((tinycss2.serialize(node.prelude).strip(), _declared(node.content)))
        elif node.type == "at-rule" and node.lower_at_keyword == "media" and node.content:
            medium = tinycss2.serialize(node.prelude)
            if not re.search(r"print|all|screen", medium):
                continue
            for inner in tinycss2.parse_rule_list(node.content, skip_comments=True, skip_whitespace=True):
                if inner.type == "qualified-rule":
                    found.append((tinycss2.serialize(inner.prelude).strip(), _declared(inner.content)))
    return found


def declarations_of(text: str) -> list[tuple[str, str, bool]]:
    """Name, value and importance of each known declaration of an inline style."""
    return _declared(text[:20_000]) if text else []


def _declared(content: object) -> list[tuple[str, str, bool]]:
    nodes = tinycss2.parse_blocks_contents(content, skip_comments=True, skip_whitespace=True)
    return [
        (node.lower_name, tinycss2.serialize(node.value).strip(), node.important)
        for node in nodes
        if node.type == "declaration" and node.lower_name in KNOWN
    ]


def parse_colour(text: str, current: str = "black") -> tuple[Colour, float] | None:
    """Red, green, blue and opacity of a CSS colour; None for none, and for what is no colour."""
    text = text.strip()
    # an ICC colour after the sRGB fallback is of no use on screen
    text = re.sub(r"\s+(icc-color|device-\w+)\(.*$", "", text)
    if text.lower() in ("currentcolor", "currentfill"):
        text = current
    if text.lower() in ("none", "", "transparent"):
        return None
    hsl = re.fullmatch(r"hsla?\(\s*([-\d.]+)(?:deg)?[\s,]+([\d.]+)%[\s,]+([\d.]+)%(?:[\s,/]+([\d.]+%?))?\s*\)", text)
    if hsl:
        red, green, blue = colorsys.hls_to_rgb(float(hsl[1]) % 360 / 360, float(hsl[3]) / 100, float(hsl[2]) / 100)
        return (round(255 * red), round(255 * green), round(255 * blue)), share(hsl[4] or "1")
    try:
        found = tinycss2.color3.parse_color(text)
    except (ValueError, TypeError):
        return None
    if found is None or isinstance(found, str):
        return None
    return (round(255 * found.red), round(255 * found.green), round(255 * found.blue)), float(found.alpha)


def share(text: str) -> float:
    """A number from 0 to 1, or per cent; 1 for what is neither."""
    try:
        value = float(text[:-1]) / 100 if text.endswith("%") else float(text)
    except ValueError:
        return 1.0
    return min(max(value, 0.0), 1.0) if value == value else 1.0


def font_size(style: Style) -> float:
    """The size of a style's font in user units; 16 where it does not say."""
    short = re.search(r"(?:^|\s)([\d.]+(?:px|pt|mm|cm|in|pc|q)?)(?:\s*/\s*\S+)?\s", style.get("font", ""))
    return length(style.get("font-size") or (short[1] if short else None), 16.0, 16.0)


def font_family(style: Style) -> str:
    """The first font that a style names, by itself or at the end of the short form “font: bold 8px/1.2 Name”."""
    short = re.search(r"(?:^|\s)[\d.]+[a-z%]*(?:\s*/\s*\S+)?\s+(.+)$", style.get("font", ""))
    named = style.get("font-family") or (short[1] if short else "")
    return named.split(",")[0].strip(" \"'")
