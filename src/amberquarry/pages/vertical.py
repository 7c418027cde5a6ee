"""Text set vertically, up or down the page: each candidate is read three ways."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared, prepare, turned_back
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, sheet_of
from amberquarry.ink.vertical import find_vertical
from amberquarry.layout.arranging import arrange
from amberquarry.pages.compose import in_places
from amberquarry.reading.line_reader import InkTexts, LineReader
from amberquarry.settings import Settings
from amberquarry.values import Block, BlockKind, Mapping, mapped_blocks

_SIDES = (90, 270)  # turns that set a line upright which runs up or down the page


@dataclass(frozen=True, slots=True)
class Vertical:
    """When what was read up or down a page is believed (`benchmarks/vertical.py`)."""

    sure: float = 0.75  # mean confidence
    bias: float = 0.08  # by which it must be surer than read as it stands
    least_letters: int = 3  # that make a reading sure
    room: float = 0.4  # letters around a candidate in which its marks stand


VERTICAL = Vertical()


def read_vertical(
    prepared: Prepared, ink: Ink, reader: LineReader, settings: Settings
) -> list[Block]:
    """Return blocks of text set vertically.

    Each candidate is read upwards, downwards and as it stands; it is taken where one of the first
    two is believable, and clearly better than the last.
    """
    letter = prepared.letter_height
    blocks: list[Block] = []
    for box in find_vertical(ink.glyphs, letter) if letter else []:
        room = VERTICAL.room * letter
        x0, y0 = max(0, int(box.x0 - room)), max(0, int(box.y0 - room))
        x1, y1 = int(box.x1 + room) + 1, int(box.y1 + room) + 1
        crop = prepared.grey[y0:y1, x0:x1]
        corner = Mapping.of(np.array([[1.0, 0.0, x0], [0.0, 1.0, y0]]))
        read = {turned: _read_turned(crop, turned, corner, reader, settings) for turned in _SIDES}
        letters = {turned: _letters(found) for turned, found in read.items()}
        best = max(_SIDES, key=lambda turned: _surety(letters[turned]))
        sure = _surety(letters[best])
        if sure < VERTICAL.sure:
            continue
        # letters on their side may pass for a few others, one in a row: "D" for "m"
        as_is = _letters(_read_turned(crop, 0, corner, reader, settings))
        if sure < _surety(as_is, len(letters[best])) + VERTICAL.bias:
            continue
        for block in read[best]:
            block.kind, block.level = BlockKind.LABEL, None
            block.rotation = best
        blocks += read[best]
    return blocks


def _read_turned(
    crop: NDArray[np.uint8],
    turned: int,
    to_page: Mapping,
    reader: LineReader,
    settings: Settings,
) -> list[Block]:
    """Return what stands in a cut of a page turned by so many degrees, at its place on the page.

    to_page: from the pixels of the cut as it is.
    """
    made = prepare(
        np.ascontiguousarray(np.rot90(crop, turned // 90)), settings.preparation, lying=False
    )
    height, width = crop.shape
    on_cut = turned_back(turned, width, height).after(made.to_source)
    ink = ink_of(made)
    text = find_text(ink, made.letter_height, settings.layout)
    sheet = sheet_of(made, ink, text)
    layout = arrange(sheet)
    texts = InkTexts(made.grey, ink, reader)
    found = in_places(sheet, layout, texts.read(layout.lines))
    read = [block for block in found if block.lines]
    return mapped_blocks(read, to_page.after(on_cut), turned=True)


def _letters(blocks: list[Block]) -> list[float]:
    """Return the confidence of each letter and figure of some blocks, and 0 for other signs."""
    return [
        float(confidence) if sign.isalnum() else 0.0
        for block in blocks
        for line in block.lines
        for sign, confidence in zip(line.text, line.character_confidences, strict=True)
        if sign != " "
    ]


def _surety(letters: list[float], least: int = 0) -> float:
    """Return how sure letters are together, where at least so many could be there."""
    return sum(letters) / max(len(letters), least, VERTICAL.least_letters)
