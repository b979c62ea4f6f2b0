"""The verdict on sixty generated files whose right answer is known, and how much of their lettering is boxed."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw, ImageFilter, ImageFont
from tests import wordless, zoo

from demo.canvas import Canvas, curve
from demo.degrade import as_boxed_jpeg, as_phone_photo, as_png, as_soft_thumbnail
from demo.drawings import honey, kite, lighthouse, oars, owl, wheat
from demo.photo import harbour_cat
from nibble_core.formats.pixels import write_png
from nibble_core.pipeline.read import inspect
from nibble_core.text.fonts import FOLDER, SHIPPED

INKS = ("#22323a", "#101010", "#7a1f2b", "#0f4c5c")


@dataclass(frozen=True)
class Known:
    """A file, the advice it deserves, and the boxes of its words as fractions: left, top, right, bottom."""

    name: str
    content: bytes
    advice: str
    words: tuple[tuple[float, float, float, float], ...] = ()


def run() -> None:
    right = boxed = words = false = 0
    files = list(known_files())
    for known in files:
        verdict = inspect(known.content, known.name).verdict
        right += verdict.advice == known.advice
        if verdict.advice != known.advice:
            print(f"  {known.name}: said {verdict.advice} ({verdict.kind}), should be {known.advice}")
        boxes = [(b.left, b.top, b.right, b.bottom) for b in verdict.lettering]
        words += len(known.words)
        boxed += sum(any(_covers(box, word) for box in boxes) for word in known.words)
        false += sum(not any(_meets(box, word) for word in known.words) for box in boxes)
    fonts = list(lettered_in_fonts())
    found = sum(
        any(
            _covers((b.left, b.top, b.right, b.bottom), known.words[0])
            for b in inspect(known.content).verdict.lettering
        )
        for known in fonts
    )
    unlettered = [
        inspect(
            write_png(zoo.picture(wordless.drawing(name), width, soft=soft, noise=noise)), "a.png"
        ).verdict.lettering
        for name in wordless.NAMES
        for width, soft, noise in ((500, 0.0, 0.0), (800, 1.0, 3.0))
    ]
    print(f"false boxes a picture in {len(unlettered)} pictures of {len(wordless.NAMES)} drawings without a word: "
          f"{np.mean([len(boxes) for boxes in unlettered]):.2f}")  # fmt: skip
    print(f"words set in eight kinds of font, dark and light, PNG to q40, boxed: {found} of {len(fonts)}")
    print(f"verdict right on {right} of {len(files)} files; lettering boxed: {boxed} of {words} words; "
          f"false boxes in ten pictures: {10 * false / len(files):.1f}")  # fmt: skip


def _covers(box: tuple[float, ...], word: tuple[float, ...]) -> bool:
    width = min(box[2], word[2]) - max(box[0], word[0])
    height = min(box[3], word[3]) - max(box[1], word[1])
    return width > 0.7 * (word[2] - word[0]) and height > 0.6 * (word[3] - word[1])


def _meets(box: tuple[float, ...], word: tuple[float, ...]) -> bool:
    return min(box[2], word[2]) > max(box[0], word[0]) and min(box[3], word[3]) > max(box[1], word[1])


def known_files() -> Iterator[Known]:
    """Sixty files: flat colours, filled shapes, line drawings, photos, thumbnails, paths; some with lettering."""
    flat = (kite, honey, lighthouse, oars)
    for number, draw in enumerate(flat):
        yield Known(f"flat-{number}.png", as_png(draw(500 + 130 * number)), "colours")
        yield Known(f"flat-{number}.jpg", as_boxed_jpeg(draw(900 - 110 * number), 60 + 9 * number), "colours")
        yield Known(f"flat-small-{number}.jpg", as_boxed_jpeg(draw(300 + 20 * number), 80), "colours")
    for number in range(12):
        canvas = blot(number, 420 + 60 * number, INKS[number % 4])
        content = as_png(canvas) if number % 3 == 0 else as_boxed_jpeg(canvas, 50 + 4 * number)
        yield Known(f"filled-{number}", content, "two-tone")
    for number in range(10):
        canvas = scribble(number, 500 + 50 * number, INKS[number % 4])
        content = as_phone_photo(canvas, seed=number) if number % 2 else as_boxed_jpeg(canvas, 70 + number)
        yield Known(f"drawn-{number}", content, "two-tone")
    yield Known("drawn-owl", as_phone_photo(owl(760, "#ffffff")), "two-tone")
    yield Known("photo-cat.jpg", harbour_cat(), "print")
    for number in range(9):
        yield Known(f"photo-{number}.jpg", photo(number), "print")
    for number in range(8):
        draw = (wheat, kite, oars, owl)[number % 4]
        yield Known(f"thumb-{number}", as_soft_thumbnail(draw(70 + 11 * number, "#ffffff")), "ask")
    for number in range(2):
        rects = "".join(
            f'<rect x="{9 * k}" width="7" height="{20 + k}" fill="{INKS[number]}"/>' for k in range(5 + number)
        )
        svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="90" height="40">{rects}</svg>'
        yield Known(f"paths-{number}.svg", svg.encode(), "paths")
    for number, text in enumerate(("HARBOUR", "Kite Week", "honey", "Reading Room", "Tansy Lane")):
        yield lettered(number, text)


def blot(seed: int, width: int, ink: str) -> Canvas:
    """A filled shape of smooth lobes with a hole."""
    canvas = Canvas(width, 100, "#ffffff")
    rng = np.random.default_rng(seed)
    lobes, deep = int(rng.integers(3, 9)), rng.uniform(0.1, 0.35)
    angles = np.linspace(0, 2 * math.pi, 240, endpoint=False)
    radii = 34 * (1 + deep * np.sin(lobes * angles + rng.uniform(0, 6)))
    canvas.polygon([(50 + r * math.cos(a), 50 + r * math.sin(a)) for r, a in zip(radii, angles, strict=True)], ink)
    canvas.disc(50, 50, rng.uniform(8, 14), fill="#ffffff")
    return canvas


def scribble(seed: int, width: int, ink: str) -> Canvas:
    """A line drawing of bent strokes."""
    canvas = Canvas(width, 100, "#ffffff")
    rng = np.random.default_rng(100 + seed)
    thick = rng.uniform(1.4, 3.2)
    for _ in range(int(rng.integers(6, 12))):
        places = [tuple(rng.uniform(12, 88, 2)) for _ in range(4)]
        canvas.stroke(curve(*places), thick, ink)
    return canvas


def photo(seed: int) -> bytes:
    """Light, shade, texture and blur, as a camera sees a table, a hillside or a face in bad light."""
    rng = np.random.default_rng(200 + seed)
    size = 480 + 40 * seed
    base = rng.uniform(40, 220, (5, 5, 3)).astype(np.uint8)
    ground = Image.fromarray(base).resize((size, size), Image.Resampling.BICUBIC)
    pen = ImageDraw.Draw(ground)
    for _ in range(40 + 30 * seed):
        x, y = rng.uniform(0, size, 2)
        r = rng.uniform(4, 0.12 * size)
        tone = tuple(int(v) for v in rng.uniform(30, 235, 3))
        pen.ellipse((x - r, y - r * rng.uniform(0.4, 1), x + r, y + r), fill=tone)
    soft = np.asarray(ground.filter(ImageFilter.GaussianBlur(3 + seed % 4))).astype(float)
    grain = rng.normal(0, 4 + seed % 3 * 2, (size, size))
    shade = np.linspace(0.7, 1.15, size)[None, :, None]
    stream = io.BytesIO()
    Image.fromarray(np.clip(soft * shade + grain[..., None], 0, 255).astype(np.uint8)).save(stream, "JPEG", quality=80)
    return stream.getvalue()


def lettered_in_fonts() -> Iterator[Known]:
    """A ring with a word under it in every font that ships, on white and colours, saved with and without losses."""
    words = (
        "Harbour", "KITE WEEK", "Boatyard", "2026", "Open Day", "Tansy Lane", "&Sons", "honey", "NORTH", "Est. 1987",
    )  # fmt: skip
    colours = (("white", "#22323a"), ("#f4e7c5", "#7a1f2b"), ("#0f4c5c", "white"), ("#22323a", "#f2b705"))
    for number in range(80):
        size, (paper, ink) = (400, 700, 1200)[number % 3], colours[number % 4]
        text, kind = words[number % 10], list(SHIPPED.values())[number // 10]
        picture = Image.new("RGB", (size, size), paper)
        pen = ImageDraw.Draw(picture)
        pen.ellipse((0.3 * size, 0.08 * size, 0.7 * size, 0.48 * size), fill=ink)
        pen.ellipse((0.4 * size, 0.18 * size, 0.6 * size, 0.38 * size), fill=paper)
        font = ImageFont.truetype(str(FOLDER / f"{kind}.ttf"), round(size * (0.06, 0.09, 0.12)[number % 7 % 3]))
        left, top, right, bottom = pen.textbbox((0, 0), text, font=font)
        x, y = (size - right - left) / 2, 0.62 * size
        pen.text((x, y), text, fill=ink, font=font)
        stream = io.BytesIO()
        if number % 5 == 0:
            picture.save(stream, "PNG")
        else:
            picture.save(stream, "JPEG", quality=(40, 60, 75, 90)[number % 5 - 1])
        box = ((x + left) / size, (y + top) / size, (x + right) / size, (y + bottom) / size)
        yield Known(f"word-{number}", stream.getvalue(), "two-tone", (box,))


def lettered(seed: int, text: str) -> Known:
    """A badge with a word under it, set in a font that comes with Python's imaging library."""
    size = 700
    picture = Image.new("RGB", (size, size), "white")
    pen = ImageDraw.Draw(picture)
    ink = INKS[seed % 4]
    pen.ellipse((180, 60, 520, 400), fill=ink)
    pen.ellipse((270, 150, 430, 310), fill="white")
    font = ImageFont.load_default(90)
    left, top, right, bottom = pen.textbbox((0, 0), text, font=font)
    x, y = (size - right + left) / 2, 480
    pen.text((x, y), text, fill=ink, font=font)
    stream = io.BytesIO()
    picture.save(stream, "PNG")
    box = ((x + left) / size, (y + top) / size, (x + right) / size, (y + bottom) / size)
    return Known(f"lettered-{seed}.png", stream.getvalue(), "two-tone", (box,))
