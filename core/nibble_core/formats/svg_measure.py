"""Lengths, transforms and viewports of SVG."""

from __future__ import annotations

import math
import re

from nibble_core.geometry import Affine

MM_PER_PX = 25.4 / 96
_UNITS = {
    "": 1.0, "px": 1.0, "pt": 96 / 72, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "q": 96 / 101.6,
    "em": 16.0, "rem": 16.0, "ex": 8.0, "ch": 8.0,
}  # fmt: skip
_LENGTH = re.compile(r"\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*([a-zA-Z%]*)\s*$")
_CALL = re.compile(r"(matrix|translate|scale|rotate|skewX|skewY)\s*\(([^)]*)\)")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")


def length(text: str | None, whole: float, default: float = 0.0) -> float:
    """A length in user units (px); ``whole`` is what 100 % means. ``default`` for what is no length."""
    if text is None:
        return default
    match = _LENGTH.match(text)
    if not match:
        return default
    value, unit = float(match[1]), match[2].lower()
    if not math.isfinite(value):
        return default
    if unit == "%":
        return value / 100 * whole
    return value * _UNITS[unit] if unit in _UNITS else default


def has_unit(text: str | None) -> bool:
    """Whether a length says a real unit: mm, in and the like, not pixels or per cent."""
    match = _LENGTH.match(text or "")
    return bool(match) and match[2].lower() in ("mm", "cm", "in", "pt", "pc", "q")  # type: ignore[index]


def numbers(text: str | None) -> list[float]:
    """All finite numbers in a list."""
    return [value for value in (float(n) for n in _NUMBER.findall(text or "")) if math.isfinite(value)]


def transform(text: str | None) -> Affine:
    """An SVG transform list; what is malformed is passed over."""
    result = Affine()
    for name, inner in _CALL.findall(text or ""):
        v = numbers(inner)
        step = _step(name, v)
        if step is not None:
            result = step.then(result)
    return result


def _step(name: str, v: list[float]) -> Affine | None:
    if name == "matrix" and len(v) == 6:
        return Affine(*v)
    if name == "translate" and v:
        return Affine.translation(v[0], v[1] if len(v) > 1 else 0.0)
    if name == "scale" and v:
        return Affine.scale(v[0], v[1] if len(v) > 1 else v[0])
    if name == "rotate" and v:
        a = math.radians(v[0])
        turn = Affine(math.cos(a), math.sin(a), -math.sin(a), math.cos(a))
        if len(v) >= 3:
            return Affine.translation(-v[1], -v[2]).then(turn).then(Affine.translation(v[1], v[2]))
        return turn
    if name == "skewX" and v:
        return Affine(c=math.tan(math.radians(v[0])))
    if name == "skewY" and v:
        return Affine(b=math.tan(math.radians(v[0])))
    return None


def viewport(box: list[float], width: float, height: float, aspect: str | None) -> Affine:
    """The map of a viewBox (x, y, width, height) onto a viewport at the origin (preserveAspectRatio)."""
    if len(box) != 4 or box[2] <= 0 or box[3] <= 0:
        return Affine()
    x, y, w, h = box
    sx, sy = width / w, height / h
    words = (aspect or "").split()
    align = next((word for word in words if word.startswith("x") or word == "none"), "xMidYMid")
    if align == "none":
        return Affine(sx, 0, 0, sy, -x * sx, -y * sy)
    scale = max(sx, sy) if "slice" in words else min(sx, sy)
    shares = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}
    left = (width - w * scale) * shares.get(align[1:4], 0.5)
    top = (height - h * scale) * shares.get(align[5:8], 0.5)
    return Affine(scale, 0, 0, scale, left - x * scale, top - y * scale)
