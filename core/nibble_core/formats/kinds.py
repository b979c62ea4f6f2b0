"""What kind of file some bytes are, told by the bytes themselves; the name is only checked against them."""

from __future__ import annotations

from nibble_core.errors import MislabelledFile, UnreadableFile

PIXELS = ("PNG", "JPEG", "WebP", "BMP", "GIF", "TIFF", "HEIC", "AVIF", "JPEG 2000")
READABLE = "PNG, JPEG, JPEG 2000, WebP, BMP, GIF, TIFF, HEIC or AVIF, as SVG, PDF or DXF, or packed in a zip"

_SIGNATURES = {
    "PNG": (b"\x89PNG\r\n\x1a\n",),
    "JPEG": (b"\xff\xd8\xff",),
    "WebP": (b"RIFF",),
    "BMP": (b"BM",),
    "GIF": (b"GIF87a", b"GIF89a"),
    "TIFF": (b"II*\x00", b"MM\x00*"),
    "JPEG 2000": (b"\x00\x00\x00\x0cjP  \r\n\x87\n", b"\xff\x4f\xff\x51"),
    "zip": (b"PK\x03\x04", b"PK\x05\x06"),
}
_OTHERS = {
    b"<!DOCTYPE html": "a web page", b"<!doctype html": "a web page", b"<html": "a web page",
    b"<?xml": "an XML file, but no drawing", b"8BPS": "a layered drawing", b"%!PS": "PostScript",
    b"\x1f\x8b": "a packed file", b"MZ": "a program", b"\x7fELF": "a program", b"Rar!": "a packed file",
    b"7z\xbc\xaf": "a packed file", b"\xd0\xcf\x11\xe0": "an office file",
}  # fmt: skip
_ENDINGS = {
    "png": "PNG", "apng": "PNG", "jpg": "JPEG", "jpeg": "JPEG", "jpe": "JPEG", "jfif": "JPEG", "webp": "WebP",
    "bmp": "BMP", "dib": "BMP", "gif": "GIF", "tif": "TIFF", "tiff": "TIFF", "heic": "HEIC", "heif": "HEIC",
    "avif": "AVIF", "jp2": "JPEG 2000", "j2k": "JPEG 2000", "jpf": "JPEG 2000", "jpx": "JPEG 2000", "j2c": "JPEG 2000",
    "svg": "SVG", "svgz": "SVG", "pdf": "PDF", "dxf": "DXF", "zip": "zip",
}  # fmt: skip
_AVIF_BRANDS = (b"avif", b"avis")
_HEIC_BRANDS = (b"heic", b"heix", b"hevc", b"heim", b"heis", b"mif1", b"msf1")
HEAD = 65_536


def kind_of(content: bytes, name: str = "") -> str:
    """One of PIXELS, or SVG, PDF, DXF, zip. Raises UnreadableFile, and MislabelledFile when the name lies."""
    called = f"“{name}”" if name else "This file"
    if not content:
        raise UnreadableFile(f"{called} is empty.", "Save or send it again.")
    ending = name.rsplit(".", 1)[-1].lower() if "." in name else ""
    kind, says = _by_bytes(content, ending), _ENDINGS.get(ending, "")
    if kind and says and kind != says:
        raise MislabelledFile(
            f"{called} is called {says} but is a {kind} inside.",
            f"Check that it is the right file, rename it to end in .{kind.lower()} and drop it again.",
        )
    if kind:
        return kind
    start = content[:64].lstrip(b"\xef\xbb\xbf \t\r\n")
    other = next((words for mark, words in _OTHERS.items() if start.startswith(mark)), "")
    if says:
        raise MislabelledFile(
            f"{called} is called {says} but is {other or 'something else'} inside.",
            f"Ask for the artwork itself, as {READABLE}.",
        )
    raise UnreadableFile(f"{called} is {other or 'nothing that Nibble knows'}.", f"Send it as {READABLE}.")


def _by_bytes(content: bytes, ending: str) -> str:
    for kind, starts in _SIGNATURES.items():
        if content.startswith(starts):
            return "" if kind == "WebP" and content[8:12] != b"WEBP" else kind
    if content[4:8] == b"ftyp" and content[8:12] in _HEIC_BRANDS:
        return "AVIF" if b"avif" in content[8:64] else "HEIC"
    if content[4:8] == b"ftyp" and content[8:12] in _AVIF_BRANDS:
        return "AVIF"
    if b"%PDF-" in content[:1024]:
        return "PDF"
    if content.startswith(b"\x1f\x8b") and ending == "svgz":
        return "SVG"
    if content[7:18] == b" Binary DXF":  # after its maker's name
        return "DXF"
    head = content[:HEAD]
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        head = head.decode("utf-16", "ignore").encode()
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if (
        start.startswith(b"<")
        and b"<svg" in head.lower()
        and not start.lower().startswith((b"<html", b"<!doctype html"))
    ):
        return "SVG"
    if start.startswith(b"<svg:svg") or (start.startswith(b"<") and b":svg" in head[:4096]):
        return "SVG"
    words = start[:4096].split()
    if words[:2] == [b"0", b"SECTION"] or (words[:1] == [b"999"] and b"SECTION" in words):
        return "DXF"
    return ""
