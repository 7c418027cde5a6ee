"""Blocks and pages made of values, and listings drawn in fixed pitch."""

from pathlib import Path

import matplotlib
import numpy as np
from PIL import ImageDraw, ImageFont

from amberquarry.values import Block, Box, Line, Page, Word

FONTS = Path(matplotlib.get_data_path()) / "fonts" / "ttf"
CODE = [
    "def level(gauge):",
    "    for mark in gauge:",
    "        if mark.wet:",
    "            yield mark",
    "    return None",
]


def face(size, name):
    """Return a face that is there wherever plots are drawn."""
    return ImageFont.truetype(str(FONTS / f"{name}.ttf"), size)


def of_kind(page, kind):
    return [block for block in page.blocks if block.kind is kind]


def line_of(text, x=0.0, y=0.0, size=10.0, styles=frozenset()):
    """Return a line whose letters stand at one distance, words with boxes."""
    step = 0.6 * 2 * size
    words, at = [], 0
    for part in text.split(" "):
        box = Box(x + at * step, y, x + (at + len(part)) * step, y + 1.5 * size)
        words.append(Word(part, box, 1.0, at, at + len(part), styles=styles))
        at += len(part) + 1
    left = x + step * np.arange(len(text))
    boxes = np.stack([left, np.full(len(text), y), left + 0.8 * step,
                      np.full(len(text), y + 1.5 * size)], 1).astype(np.float32)  # fmt: skip
    box = Box(x, y, x + len(text) * step, y + 1.5 * size)
    return Line(text, box, 1.0, words, boxes, np.ones(len(text), np.float32), x_height=size)


def block_of(kind, text, y, **facts):
    lines = [line_of(part, y=y + 30 * n, **facts) for n, part in enumerate(text.split("\n"))]
    return Block(kind, Box.around([line.box for line in lines]), lines)


def pages_of(*contents):
    """Return pages of 1000 x 1000 with the given blocks."""
    return [Page(n, 1000, 1000, None, blocks=list(blocks)) for n, blocks in enumerate(contents, 1)]


def write_code(image, lines, x, y, size=26):
    draw, font = ImageDraw.Draw(image), ImageFont.truetype(str(FONTS / "DejaVuSansMono.ttf"), size)
    for number, line in enumerate(lines):
        draw.text((x, y + round(1.35 * size) * number), line, font=font, fill=0)
