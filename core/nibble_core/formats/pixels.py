"""Pictures made of pixels: PNG, JPEG, JPEG 2000, WebP, BMP, GIF, TIFF, HEIC and AVIF bytes to one upright Raster.

Everything that is converted on the way is noted in words. Sizes are checked before anything is decoded.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

import cv2
import numpy as np
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from nibble_core.errors import FileTooLarge, MislabelledFile, UnreadableFile
from nibble_core.formats.kinds import PIXELS, kind_of
from nibble_core.graphics import Raster
from nibble_core.graphics.raster import BAND

MOST_PIXELS = 100_000_000
Image.MAX_IMAGE_PIXELS = None  # every picture meets our own limit, in our own words, before it is decoded
MANY_BYTES = 20_000_000
_DECODERS = {"HEIC": "HEIF", "JPEG 2000": "JPEG2000"}  # where the library calls a kind by another name


@dataclass(frozen=True, eq=False)
class PictureFile:
    """A decoded picture: which kind of file it was, its stated pixels per inch if any, and notes in words."""

    raster: Raster
    kind: str
    stated_ppi: float | None
    notes: tuple[str, ...]


def pixel_size(content: bytes) -> tuple[int, int] | None:
    """Width and height that a picture's first bytes state; None if they do not. Nothing is decoded."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return Image.open(io.BytesIO(content)).size
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError, KeyError, TypeError):
        return None


def read_picture(content: bytes, name: str = "") -> PictureFile:
    """Decode a client's picture. ``name`` is checked against what the bytes are.

    Raises UnreadableFile, MislabelledFile or FileTooLarge; each says what to do.
    """
    called = f"“{name}”" if name else "This file"
    kind = kind_of(content, name)
    if kind not in PIXELS:
        raise UnreadableFile(f"{called} is a {kind}, no picture made of pixels.", "Give a picture.")
    if kind == "HEIC":
        _learn_heic()
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = _opened(content, kind)
            _refuse_too_large(image, called)
            notes = _notes_before(image, kind, content)
            image.load()
            raster = _with_square_pixels(_upright_rgba(image, notes), image, notes)
    except (FileTooLarge, MislabelledFile):
        raise
    except MemoryError as error:
        raise FileTooLarge(f"{called} needs more memory than there is.", "Ask for a smaller one.") from error
    except (
        UnidentifiedImageError,
        OSError,
        SyntaxError,
        ValueError,
        EOFError,
        KeyError,
        TypeError,
        IndexError,
        ArithmeticError,
        RuntimeError,
    ) as error:
        article = "an" if kind == "AVIF" else "a"
        raise UnreadableFile(
            f"{called} starts like {article} {kind} but cannot be read to its end: it is damaged or cut short.",
            "Save or send it again.",
        ) from error
    return PictureFile(raster, kind, _stated_ppi(image), tuple(notes))


def _opened(content: bytes, kind: str) -> Image.Image:
    try:
        return Image.open(io.BytesIO(content), formats=[_DECODERS.get(kind, kind.upper())])
    except UnidentifiedImageError:
        floating = _floating_tiff(content) if kind == "TIFF" else None
        if floating is None:
            raise
        return floating


def _floating_tiff(content: bytes) -> Image.Image | None:
    """A TIFF whose colours are numbers with a fraction, 0 to 1 or to its largest."""
    cv2.utils.logging.setLogLevel(cv2.utils.logging.LOG_LEVEL_SILENT)
    try:
        found = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)
    except cv2.error:
        return None
    if found is None or found.dtype not in (np.float32, np.float64) or found.ndim != 3:
        return None
    pixels = _in_levels(found[..., [2, 1, 0, 3] if found.shape[2] == 4 else [2, 1, 0]])
    return Image.fromarray(pixels)


def _in_levels(values: np.ndarray) -> np.ndarray:
    """Numbers from 0 to 1, to 255 or to whatever is their largest, as levels."""
    known = np.nan_to_num(values.astype(np.float64), nan=0.0, posinf=0.0, neginf=0.0)
    most = float(known.max(initial=0.0))
    top = 1.0 if most <= 1.001 else 255.0 if most <= 255 else most
    return np.asarray(np.clip(np.rint(known * 255 / top), 0, 255).astype(np.uint8))


def _learn_heic() -> None:
    import pillow_heif  # a second of loading that other pictures need not pay

    pillow_heif.register_heif_opener(thumbnails=False)


def _refuse_too_large(image: Image.Image, called: str) -> None:
    width, height = image.size
    if width * height > MOST_PIXELS:
        raise FileTooLarge(
            f"{called} is {width:,} × {height:,} px, more than the 100 megapixels that fit the bench.",
            "Ask for it at 10,000 px or less along its longer side.",
        )


def _notes_before(image: Image.Image, kind: str, content: bytes) -> list[str]:
    notes = []
    frames = getattr(image, "n_frames", 1)
    if frames > 1:
        what = "pages" if kind == "TIFF" else "frames"
        notes.append(f"It has {frames} {what}; the first one is used.")
    deep = kind == "PNG" and len(content) > 24 and content[24] == 16
    if kind == "TIFF" and hasattr(image, "tag_v2") and image.mode != "F":
        bits = image.tag_v2.get(258, (8,))
        deep = max(bits if isinstance(bits, tuple) else (bits,)) > 8
    if deep:
        notes.append("16 bit a channel, brought down to 8.")
    if len(content) > MANY_BYTES:
        notes.append(f"A large file of {len(content) / 1e6:.0f} MB; the first look takes a moment longer.")
    return notes


def _upright_rgba(image: Image.Image, notes: list[str]) -> Raster:
    if image.getexif().get(0x0112, 1) not in (0, 1):
        image = ImageOps.exif_transpose(image)
        notes.append("The camera held it turned; it is set upright.")
    profile = image.info.get("icc_profile")
    if image.mode == "CMYK":
        notes.append("CMYK, converted to screen colours; they can look different on the press.")
        image = _through_profile(image, profile) or image.convert("RGB")
    elif image.mode == "F":
        notes.append("Its levels are numbers with a fraction, brought to 8 bit.")
        image = Image.fromarray(_in_levels(np.asarray(image)))
    elif image.mode in ("I;16", "I;16B", "I;16L", "I;16N", "I"):
        levels = np.asarray(image).astype(np.float64)
        top = 65535.0 if image.mode.startswith("I;16") or levels.max() > 255 else 255.0
        image = Image.fromarray(np.clip(levels * 255 / top, 0, 255).astype(np.uint8))
    elif image.mode in ("RGB", "RGBA") and profile:
        converted = _through_profile(image.convert("RGB"), profile)
        if converted is not None:
            if image.mode == "RGBA":
                converted.putalpha(image.getchannel("A"))
            notes.append("Its colour profile was applied.")
            image = converted
    elif image.mode in ("LAB", "YCbCr", "HSV"):
        notes.append(f"{image.mode} colours, converted to screen colours.")
        image = image.convert("RGB")
    pixels = np.empty((image.height, image.width, 4), np.uint8)
    step = max(1, BAND // max(1, image.width))
    for top in range(0, image.height, step):  # whole, it would stand in memory four times
        bottom = min(top + step, image.height)
        pixels[top:bottom] = np.asarray(image.crop((0, top, image.width, bottom)).convert("RGBA"))
    return Raster(pixels)


OBLONG = 1.02  # from which pixels that are higher than wide, or wider than high, are made square


def _with_square_pixels(raster: Raster, image: Image.Image, notes: list[str]) -> Raster:
    """A fax's pixels are twice as high as wide: the picture is drawn out to its true proportions, none of its pixels
    lost."""
    across, down = _densities(image)
    if not across or not down or max(across / down, down / across) < OBLONG:
        return raster
    if image.getexif().get(0x0112, 1) in (5, 6, 7, 8):  # it was turned by a quarter
        across, down = down, across
    grow = across / down
    size = (raster.width, round(raster.height * grow)) if grow > 1 else (round(raster.width / grow), raster.height)
    notes.append(
        f"Its pixels are oblong ({across:.0f} by {down:.0f} per inch); it is drawn out to its true proportions."
    )
    return Raster(np.asarray(cv2.resize(raster.pixels, size, interpolation=cv2.INTER_LINEAR), np.uint8))


def _through_profile(image: Image.Image, profile: bytes | None) -> Image.Image | None:
    """The picture in sRGB by its own profile; None without one, with a broken one, or when it is sRGB."""
    if not profile:
        return None
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        if "sRGB" in ImageCms.getProfileDescription(source):
            return None
        return ImageCms.profileToProfile(image, source, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError, ValueError):
        return None


def _stated_ppi(image: Image.Image) -> float | None:
    return max((value for value in _densities(image) if value), default=None)


def _densities(image: Image.Image) -> tuple[float | None, float | None]:
    """Pixels per inch across and down, where the file states sensible ones."""
    stated = image.info.get("dpi")
    try:
        across, down = (float(value) for value in stated[:2]) if stated else (0.0, 0.0)
    except (TypeError, ValueError, ZeroDivisionError):
        return None, None
    good = [value if 30 <= value <= 5000 else None for value in (across, down)]
    return good[0], good[1]


def write_png(raster: Raster) -> bytes:
    """PNG bytes of a raster, without its alpha when nothing is see-through."""
    order = cv2.COLOR_RGBA2BGRA if raster.is_see_through else cv2.COLOR_RGBA2BGR
    # one filter for all rows: to try five takes twice the time, and saves nothing on artwork
    how = [cv2.IMWRITE_PNG_COMPRESSION, 1, cv2.IMWRITE_PNG_FILTER, cv2.IMWRITE_PNG_FILTER_UP]
    return bytes(cv2.imencode(".png", cv2.cvtColor(raster.pixels, order), how)[1])
