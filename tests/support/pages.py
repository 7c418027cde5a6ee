"""Pages drawn in code, with known lines."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

PROSE = (
    "The keeper read the gauge before noon and wrote the figure into the book. "
    "Later the wind backed to the west and the water rose by four marks. "
    "Nobody had seen such a tide since the winter of the great storm. "
)


def blank(width: int = 1240, height: int = 1754, paper: int = 255) -> Image.Image:
    """Return an empty grey page."""
    return Image.new("L", (width, height), paper)


def write_lines(
    image: Image.Image,
    lines: list[str],
    x: int = 120,
    y: int = 140,
    size: int = 34,
    pitch: float = 1.5,
    ink: int = 0,
) -> None:
    """Write lines from (x, y) down."""
    draw, font = ImageDraw.Draw(image), ImageFont.load_default(size)
    for line in lines:
        draw.text((x, y), line, font=font, fill=ink)
        y += round(size * pitch)


def write_justified(
    image: Image.Image, text: str, x: int, y: int, width: int, lines: int, size: int = 34
) -> list[str]:
    """Write a text in lines that all end at one edge; returns them. The last may be short."""
    draw, font = ImageDraw.Draw(image), ImageFont.load_default(size)
    words, written = text.split(), []
    while words and len(written) < lines:
        count = 1
        while count < len(words) and font.getlength(" ".join(words[: count + 1])) <= width:
            count += 1
        line, words = words[:count], words[count:]
        free = width - sum(font.getlength(word) for word in line)
        space = free / max(1, count - 1) if words else font.getlength(" ")
        at = float(x)
        for word in line:
            draw.text((round(at), y), word, font=font, fill=0)
            at += font.getlength(word) + space
        written.append(" ".join(line))
        y += round(size * 1.5)
    return written


def prose_at(image: Image.Image, y: int, lines: int = 6) -> None:
    """Write lines of prose, justified, from y down in the column of a page's text."""
    write_justified(image, PROSE * 4, 140, y, 940, lines)


def wrap(text: str, letters: int) -> list[str]:
    """Return a text in lines of at most so many letters."""
    lines, line = [], ""
    for word in text.split():
        if len(line) + len(word) + 1 > letters:
            lines.append(line)
            line = word
        else:
            line = f"{line} {word}".strip()
    return [*lines, line]


def text_page(repeat: int = 4) -> Image.Image:
    """Return a page of prose in one column."""
    image = blank()
    write_lines(image, wrap(PROSE * repeat, 52))
    return image


def small_page(text: str) -> Image.Image:
    """Return a page of a few lines that is quick to read."""
    image = blank(900, 420)
    write_lines(image, wrap(text, 40), x=60, y=60, size=34)
    return image


def pixels(image: Image.Image) -> NDArray[np.uint8]:
    """Return a page's grey levels."""
    return np.asarray(image.convert("L"), np.uint8)


def encoded(image: Image.Image, kind: str = "PNG", **options: object) -> bytes:
    """Return a picture file's bytes."""
    out = io.BytesIO()
    image.save(out, kind, **options)  # type: ignore[arg-type]
    return out.getvalue()


def picture_pdf(path: Path, images: list[Image.Image], dpi: float = 150.0) -> Path:
    """Write an image-only PDF."""
    images[0].save(path, "PDF", resolution=dpi, save_all=True, append_images=images[1:])
    return path
