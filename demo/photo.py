"""A made-up picture that looks like a photo: a cat on a quay at sunset, all fur and soft light."""

from __future__ import annotations

import io
import math

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

SIZE = 640
SEED = 5


def harbour_cat() -> bytes:
    """The picture as a JPEG of 640 x 640 px, the same bytes every time."""
    rng = np.random.default_rng(SEED)
    picture = _quay(rng)
    cat = _cat(rng)
    picture.paste(cat, mask=cat.getchannel("A"))
    pixels = np.asarray(picture.convert("RGB")).astype(np.float64)
    pixels += rng.normal(0, 2.5, pixels.shape[:2])[..., None]
    stream = io.BytesIO()
    Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8)).save(stream, "JPEG", quality=86)
    return stream.getvalue()


def _quay(rng: np.random.Generator) -> Image.Image:
    """Sky, water with glitter and a wall, out of focus."""
    rows = np.linspace(0, 1, SIZE)[:, None, None]
    sky = np.array([236, 168, 120]) * (1 - rows) + np.array([108, 142, 168]) * rows
    ground = Image.fromarray(np.broadcast_to(sky, (SIZE, SIZE, 3)).astype(np.uint8))
    pen = ImageDraw.Draw(ground)
    for _ in range(260):
        x, y = rng.uniform(0, SIZE), rng.uniform(300, 470)
        length = rng.uniform(8, 60)
        pen.line([(x, y), (x + length, y)], fill=(250, 214, 170), width=int(rng.integers(1, 4)))
    pen.rectangle((0, 500, SIZE, SIZE), fill=(96, 84, 76))
    return ground.filter(ImageFilter.GaussianBlur(9))


def _cat(rng: np.random.Generator) -> Image.Image:
    """A sitting cat of shaded fur whose outline is hairs."""
    cat = Image.new("RGBA", (SIZE, SIZE), (0, 0, 0, 0))
    pen = ImageDraw.Draw(cat)
    for cx, cy, rx, ry in ((330, 470, 130, 150), (320, 270, 100, 88)):
        pen.ellipse((cx - rx, cy - ry, cx + rx, cy + ry), fill=(92, 78, 68, 255))
        for _ in range(5200):
            angle, share = rng.uniform(0, 2 * math.pi), math.sqrt(rng.uniform(0, 1))
            x, y = cx + rx * share * math.cos(angle), cy + ry * share * math.sin(angle)
            light = 62 + 92 * (0.5 - 0.5 * math.cos(angle + 0.9)) * share + rng.normal(0, 9)
            way = angle + rng.normal(0, 0.5)
            length = rng.uniform(9, 20)
            tone = tuple(int(np.clip(light * k, 0, 255)) for k in (1.0, 0.86, 0.74))
            pen.line([(x, y), (x + length * math.cos(way), y + length * math.sin(way))], fill=(*tone, 255), width=2)
    for side in (-1, 1):
        ear = [(320 + side * 36, 200), (320 + side * 84, 118), (320 + side * 96, 236)]
        pen.polygon(ear, fill=(104, 88, 76, 255))
        pen.polygon([(320 + side * 52, 200), (320 + side * 80, 142), (320 + side * 86, 224)], fill=(176, 128, 112, 255))
        pen.ellipse((320 + side * 40 - 17, 248, 320 + side * 40 + 17, 280), fill=(222, 196, 92, 255))
        pen.ellipse((320 + side * 40 - 5, 248, 320 + side * 40 + 5, 280), fill=(18, 16, 16, 255))
        for k in range(3):
            pen.line(
                [(320 + side * 26, 304 + 5 * k), (320 + side * 128, 288 + 15 * k)], fill=(236, 228, 216, 255), width=2
            )
    pen.polygon([(310, 296), (330, 296), (320, 310)], fill=(186, 110, 104, 255))
    pen.line([(320, 310), (306, 322)], fill=(40, 34, 32, 255), width=3)
    pen.line([(320, 310), (334, 322)], fill=(40, 34, 32, 255), width=3)
    return cat.filter(ImageFilter.GaussianBlur(0.7))
