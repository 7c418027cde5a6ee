"""Draw what was seen on a page over its picture."""

from __future__ import annotations

import itertools
from collections.abc import Collection
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from amberquarry.lettering import drawable, face
from amberquarry.values import Block, BlockKind, Box, Line, Origin, Page, Quad

Colour = tuple[int, int, int]

# From sure to doubtful: each holds for confidences down to its bound.
CONFIDENCE_COLOURS: tuple[tuple[float, Colour], ...] = (
    (0.95, (0, 110, 120)),
    (0.8, (70, 130, 0)),
    (0.6, (200, 120, 0)),
    (0.0, (190, 0, 60)),
)
LAYER_COLOUR: Colour = (90, 60, 190)  # of words from a text layer
_KIND_COLOURS: dict[BlockKind, Colour] = {
    BlockKind.HEADING: (150, 40, 150),
    BlockKind.TABLE: (150, 100, 20),
    BlockKind.FIGURE: (90, 90, 90),
    BlockKind.ITEM: (20, 120, 90),
    BlockKind.CODE: (30, 30, 30),
    BlockKind.CAPTION: (190, 90, 20),
    BlockKind.FOOTNOTE: (120, 80, 170),
    BlockKind.RUNNING_HEAD: (150, 150, 150),
    BlockKind.RUNNING_FOOT: (150, 150, 150),
    BlockKind.PAGE_NUMBER: (150, 150, 150),
}
_OTHER_KIND: Colour = (60, 80, 190)


class Mark(StrEnum):
    """What can be drawn over a page."""

    REGIONS = "regions"
    ORDER = "order"
    LINES = "lines"
    WORDS = "words"
    CHARACTERS = "characters"


def confidence_colour(confidence: float) -> Colour:
    """Return the colour that stands for a confidence from 0 to 1."""
    return next(colour for bound, colour in CONFIDENCE_COLOURS if confidence >= bound)


def _colour_in(line: Line, confidence: float) -> Colour:
    """Return the colour of a word of a line: of its confidence where it was read."""
    return LAYER_COLOUR if line.origin is Origin.TEXT_LAYER else confidence_colour(confidence)


def draw_page(
    grey: NDArray[np.uint8], page: Page, marks: Collection[Mark], labels: bool = False
) -> Image.Image:
    """Return the page's picture, paled, with the chosen marks drawn on it.

    grey: the source picture (H, W) whose pixels the page's boxes count. labels: write text and
    confidence beside each word (with the mark `words`) or each line.
    """
    pale = (255 - (255 - grey.astype(np.uint16)) * 3 // 5).astype(np.uint8)
    image = Image.fromarray(pale).convert("RGB")
    draw = ImageDraw.Draw(image, "RGBA")
    stroke = max(1, round(min(grey.shape) / 1100))
    sizes = [line.box.height for block in page.blocks for line in block.lines]
    letter = float(np.median(sizes)) if sizes else 24.0
    small = face(round(max(9.0, 0.42 * letter)))
    large = face(round(max(14.0, 0.016 * max(grey.shape))))
    for number, block in enumerate(page.blocks, start=1):
        if Mark.REGIONS in marks:
            colour = _KIND_COLOURS.get(block.kind, _OTHER_KIND)
            box = _grown(block.box, 3 * stroke, image.size)
            draw.rectangle(box, outline=colour, width=2 * stroke)
        _draw_lines(draw, block, marks, stroke, small, labels)
        if Mark.ORDER in marks:
            _tag(
                draw,
                f"{number}{_kind_shown(block)}",
                (block.box.x0, block.box.y0),
                large,
                _KIND_COLOURS.get(block.kind, _OTHER_KIND),
            )
    if Mark.ORDER in marks:
        middles = [block.box.middle for block in page.blocks]
        for start, end in itertools.pairwise(middles):
            draw.line([start, end], fill=(*_OTHER_KIND, 110), width=2 * stroke)
    return image


def _kind_shown(block: Block) -> str:
    """Return what stands behind a block's number: its kind, unless it is a paragraph."""
    if block.kind is BlockKind.PARAGRAPH:
        return "…" if block.goes_on else ""
    level = f" {block.level}" if block.level else ""
    return f" {block.kind.value.replace('_', ' ')}{level}"


def _grown(box: Box, by: float, size: tuple[int, int]) -> tuple[float, float, float, float]:
    return (
        max(0, box.x0 - by),
        max(0, box.y0 - by),
        min(size[0] - 1, box.x1 + by),
        min(size[1] - 1, box.y1 + by),
    )


def _outline(
    draw: ImageDraw.ImageDraw,
    box: Box,
    quad: Quad | None,
    colour: Colour,
    stroke: int,
    fill: tuple[int, int, int, int] | None = None,
) -> None:
    if quad is not None:
        draw.polygon(list(quad), outline=colour, fill=fill, width=stroke)
    else:
        draw.rectangle(
            (box.x0, box.y0, max(box.x0, box.x1 - 1), max(box.y0, box.y1 - 1)),
            outline=colour,
            fill=fill,
            width=stroke,
        )


def _draw_lines(
    draw: ImageDraw.ImageDraw,
    block: Block,
    marks: Collection[Mark],
    stroke: int,
    font: ImageFont.FreeTypeFont,
    labels: bool,
) -> None:
    for line in block.lines:
        if Mark.LINES in marks:
            _outline(draw, line.box, line.quad, (120, 120, 120), stroke)
            if labels and Mark.WORDS not in marks:
                _label(
                    draw,
                    f"{line.text} {line.confidence:.2f}",
                    line.box,
                    font,
                    _colour_in(line, line.confidence),
                )
        if Mark.WORDS in marks:
            for word in line.words:
                colour = _colour_in(line, word.confidence)
                _outline(draw, word.box, word.quad, colour, stroke, (*colour, 28))
                if labels:
                    _label(draw, f"{word.text} {word.confidence:.2f}", word.box, font, colour)
        if Mark.CHARACTERS in marks:
            for row, confidence in zip(
                line.character_boxes, line.character_confidences, strict=True
            ):
                if row[2] > row[0]:
                    colour = _colour_in(line, float(confidence))
                    _outline(draw, Box(*row.tolist()), None, colour, 1)


def _label(
    draw: ImageDraw.ImageDraw,
    text: str,
    box: Box,
    font: ImageFont.FreeTypeFont,
    colour: Colour,
) -> None:
    text = drawable(text)
    left, top, right, bottom = draw.textbbox((0, 0), text, font=font)
    y = max(0, box.y0 - (bottom - top) - 3)
    draw.rectangle(
        (box.x0, y, box.x0 + right - left + 2, y + bottom - top + 2), fill=(255, 255, 255, 215)
    )
    draw.text((box.x0 + 1 - left, y + 1 - top), text, font=font, fill=colour)


def _tag(
    draw: ImageDraw.ImageDraw,
    text: str,
    at: tuple[float, float],
    font: ImageFont.FreeTypeFont,
    colour: Colour,
) -> None:
    """Write a tag to the left of a block's corner, or over it where there is no room."""
    left, top, right, bottom = draw.textbbox((0, 0), text, font=font)
    x, y = at[0] - (right - left) - 14, max(0.0, at[1])
    if x < 0:
        x, y = max(0.0, at[0]), max(0.0, at[1] - (bottom - top) - 14)
    draw.rectangle((x, y, x + right - left + 8, y + bottom - top + 8), fill=(*colour, 220))
    draw.text((x + 4 - left, y + 4 - top), text, font=font, fill=(255, 255, 255))
