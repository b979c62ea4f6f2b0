"""What happens to artwork on its way from a client: white boxes, JPEG, small copies, soft and uneven photos."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, ImageFilter

from demo.canvas import Canvas


def as_png(canvas: Canvas) -> bytes:
    stream = io.BytesIO()
    canvas.picture().save(stream, "PNG")
    return stream.getvalue()


def as_boxed_jpeg(canvas: Canvas, quality: int) -> bytes:
    """Flattened on white and saved with losses."""
    return _jpeg(_on_white(canvas.picture()), quality)


def as_phone_photo(canvas: Canvas, quality: int = 70, seed: int = 7) -> bytes:
    """Paper photographed: uneven light, a soft lens, some noise, JPEG."""
    paper = _on_white(canvas.picture()).filter(ImageFilter.GaussianBlur(0.9))
    pixels = np.asarray(paper).astype(np.float64)
    rows, columns = np.mgrid[0 : pixels.shape[0], 0 : pixels.shape[1]]
    light = 0.97 - 0.10 * (rows / pixels.shape[0]) - 0.06 * (columns / pixels.shape[1])
    noise = np.random.default_rng(seed).normal(0, 3, pixels.shape[:2])
    shaded = pixels * light[..., None] * np.array([1.0, 0.985, 0.95]) + noise[..., None]
    return _jpeg(Image.fromarray(np.clip(shaded, 0, 255).astype(np.uint8)), quality)


def as_soft_thumbnail(canvas: Canvas, quality: int = 82) -> bytes:
    """A small picture enlarged once and reduced again on its way: soft, on white, saved with losses."""
    paper = _on_white(canvas.picture())
    half = paper.resize((paper.width * 2 // 3, paper.height * 2 // 3), Image.Resampling.BILINEAR)
    return _jpeg(half.resize(paper.size, Image.Resampling.BICUBIC), quality)


def _on_white(picture: Image.Image) -> Image.Image:
    paper = Image.new("RGB", picture.size, "white")
    paper.paste(picture, mask=picture.getchannel("A"))
    return paper


def _jpeg(picture: Image.Image, quality: int) -> bytes:
    stream = io.BytesIO()
    picture.save(stream, "JPEG", quality=quality)
    return stream.getvalue()
