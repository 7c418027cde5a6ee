"""Contact sheets: the steps of a page side by side, and words that were read differently."""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Collection, Sequence
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from amberquarry.drawing import Mark, confidence_colour, draw_page
from amberquarry.lettering import drawable, face
from amberquarry.pages.laying import Stages
from amberquarry.pages.ways import Tries
from amberquarry.scoring.variants import Difference, text_of
from amberquarry.values import Box, Page, Word, weighted_confidence

Grey = NDArray[np.uint8]

_PANEL = (400, 500)  # pixels of a step on a sheet
_COLUMNS = 4
_GAP = 14
_CAPTION_PX = 15
_INK, _PALE = (30, 30, 30), (120, 120, 120)
_SHEET_COLOUR = (200, 120, 0)
_CROP = (250, 40)  # most pixels of a word's picture
_READING_PX, _READING_LETTERS = 170, 16
_MOST_PLACES, _MOST_WIDTH = 30, 1300


class StepView(StrEnum):
    """A step of a page that can be drawn."""

    SOURCE = "source"
    SHEET = "sheet"
    PREPARED = "prepared"
    INK = "ink"
    REGIONS = "regions"
    LINES = "lines"
    WORDS = "words"


_CAPTIONS = {
    StepView.SOURCE: "source: the picture as given",
    StepView.SHEET: "sheet: the part that holds the page",
    StepView.PREPARED: "prepared: even, level, letters at working size",
    StepView.INK: "ink: where letters are looked for",
    StepView.REGIONS: "regions in reading order",
    StepView.LINES: "lines",
    StepView.WORDS: "words, by confidence",
}


def draw_step(step: StepView, source: Grey, stages: Sequence[Stages], page: Page) -> Image.Image:
    """Return a step of a page at full size.

    source: the picture that the page's boxes count. stages: of each half of a spread, else one.
    """
    if step is StepView.SOURCE:
        return Image.fromarray(source).convert("RGB")
    if step is StepView.SHEET:
        return _draw_sheet_edges(source, stages)
    if step is StepView.PREPARED:
        return _beside([Image.fromarray(part.prepared.grey) for part in stages])
    if step is StepView.INK:
        return _beside([Image.fromarray(255 - 255 * part.prepared.ink) for part in stages])
    marks = {
        StepView.REGIONS: {Mark.REGIONS, Mark.ORDER},
        StepView.LINES: {Mark.LINES},
        StepView.WORDS: {Mark.WORDS},
    }
    return draw_page(source, page, marks[step])


def draw_steps(
    steps: Collection[StepView], source: Grey, read: Sequence[Tries], page: Page
) -> Image.Image:
    """Return the steps on one sheet, each with its caption, and under them what was done.

    read: what was tried with the page, or with each half of a spread.
    """
    font = face(_CAPTION_PX)
    stages = [tries.best.stages for tries in read]
    done = [f"{step.step.value}: {step.why}" for step in page.preparation]
    notes = "; ".join(done) if done else "nothing had to be done to the picture"
    panels = [draw_step(step, source, stages, page) for step in steps]
    for panel in panels:
        panel.thumbnail(_PANEL, Image.Resampling.LANCZOS)
    columns = min(_COLUMNS, len(panels))
    width = columns * (_PANEL[0] + _GAP) + _GAP
    lines = textwrap.wrap(f"done to the picture: {notes}", width // 9)
    for number, tries in enumerate(read, 1):
        lines += _ways(tries, f"page {number}: " if len(read) > 1 else "")
    line_px = round(1.3 * _CAPTION_PX)
    rows = [panels[first : first + columns] for first in range(0, len(panels), columns)]
    heights = [max(panel.height for panel in row) + line_px + 2 * _GAP for row in rows]
    sheet = Image.new("RGB", (width, sum(heights) + 2 * _GAP + len(lines) * line_px), "white")
    draw = ImageDraw.Draw(sheet)
    for number, (step, panel) in enumerate(zip(steps, panels, strict=True)):
        x = _GAP + (number % columns) * (_PANEL[0] + _GAP)
        y = _GAP + sum(heights[: number // columns])
        draw.text((x, y), _CAPTIONS[step], font=font, fill=_INK)
        sheet.paste(panel, (x, y + line_px))
        edge = (x - 1, y + line_px - 1, x + panel.width, y + line_px + panel.height)
        draw.rectangle(edge, outline=(200, 200, 200))
    for number, line in enumerate(lines):
        draw.text((_GAP, sum(heights) + _GAP + number * line_px), line, font=font, fill=_INK)
    return sheet


def _ways(tries: Tries, whose: str) -> list[str]:
    """Return a line for each way in which a page was taken: how it read, and which one won.

    whose: what stands before them, such as "page 2: ".
    """
    if len(tries.attempts) == 1:
        return [f"{whose}taken as it stands; no other way was tried"]
    best = tries.best.way
    rows = [
        f"{'won' if own.way == best else '   '}  {own.way}: {own.confidence:.2f} confidence, "
        f"{own.score:.0f} characters likely right of {own.characters}"
        for own in tries.attempts
    ]
    return [f"{whose}ways in which it was taken:", *rows]


def _beside(pictures: Sequence[Image.Image]) -> Image.Image:
    """Return pictures side by side."""
    room = 20 if len(pictures) > 1 else 0
    width = sum(picture.width + room for picture in pictures) - room
    whole = Image.new("RGB", (width, max(picture.height for picture in pictures)), (170, 170, 170))
    x = 0
    for picture in pictures:
        whole.paste(picture.convert("RGB"), (x, 0))
        x += picture.width + room
    return whole


def _draw_sheet_edges(source: Grey, stages: Sequence[Stages]) -> Image.Image:
    image = Image.fromarray(source).convert("RGB")
    draw = ImageDraw.Draw(image)
    for part in stages:
        height, width = part.view.grey.shape
        corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], float)
        outline = [tuple(point) for point in part.view.to_source.apply(corners).tolist()]
        draw.polygon(outline, outline=_SHEET_COLOUR, width=max(2, min(source.shape) // 150))
    return image


def draw_differences(
    differences: Sequence[Difference],
    names: Sequence[str],
    picture_of: Callable[[str, int], Grey | None],
) -> Image.Image:
    """Return the words that were read differently, each with its picture and all readings.

    names: of the compared runs. picture_of: the picture of a source's page, None where it is not
    at hand. Of many differences those are shown on which the readings are furthest apart.
    """
    font, small = face(17), face(13)
    shown = sorted(differences, key=_gap, reverse=True)[:_MOST_PLACES]
    column_px = _CROP[0] + len(names) * _READING_PX + 2 * _GAP
    columns = 2 if 2 * column_px <= _MOST_WIDTH else 1
    rows = max(1, -(-len(shown) // columns))
    width = max(900, columns * column_px)
    legend = [
        line
        for number, name in enumerate(names, start=1)
        for line in textwrap.wrap(f"{number}  {name}", width // 8)
    ]
    row_px, top = _CROP[1] + 24, 20 * len(legend) + 62
    sheet = Image.new("RGB", (width, top + rows * row_px + _GAP), "white")
    draw = ImageDraw.Draw(sheet)
    head = f"{len(differences)} places were read differently"
    if len(shown) < len(differences):
        head += f"; these {len(shown)} differ most"
    draw.text((_GAP, 10), head, font=font, fill=_INK)
    for number, line in enumerate(legend):
        draw.text((_GAP, 36 + 20 * number), line, font=small, fill=_INK)
    for number in range(columns * len(names)):
        column, run = divmod(number, len(names))
        x = column * column_px + _CROP[0] + 2 * _GAP + run * _READING_PX
        draw.text((x, top - 20), str(run + 1), font=small, fill=_PALE)
    for number, difference in enumerate(shown):
        x, y = (number // rows) * column_px, top + (number % rows) * row_px
        draw.line((x + _GAP, y - 3, x + column_px - _GAP, y - 3), fill=(225, 225, 225))
        grey = picture_of(difference.source, difference.page)
        if grey is not None:
            sheet.paste(_crop(grey, difference.box), (x + _GAP, y))
        place = f"{difference.source}, page {difference.page}"
        draw.text((x + _GAP, y + _CROP[1] + 1), drawable(place)[-44:], font=small, fill=_PALE)
        for run, words in enumerate(difference.readings):
            left = x + _CROP[0] + 2 * _GAP + run * _READING_PX
            sure = weighted_confidence(words)
            colour = confidence_colour(sure) if words else _PALE
            draw.text((left, y + 6), _fitting(words), font=font, fill=colour)
            if words:
                draw.text((left, y + 28), f"{sure:.2f}", font=small, fill=_PALE)
    return sheet


def _gap(difference: Difference) -> float:
    """Return how far apart readings are: words against none count as sure as they are."""
    found = [weighted_confidence(words) for words in difference.readings]
    return max(found) - min(found)


def _fitting(words: Sequence[Word]) -> str:
    """Return a reading as far as it fits its column."""
    text = drawable(text_of(words)) or "nothing"
    return text if len(text) <= _READING_LETTERS else text[: _READING_LETTERS - 1] + "…"


def _crop(grey: Grey, box: Box) -> Image.Image:
    """Return the picture of a word with some surroundings, at the height of a row."""
    room = 0.35 * box.height
    x0, y0 = max(0, int(box.x0 - 2 * room)), max(0, int(box.y0 - room))
    x1, y1 = int(box.x1 + 2 * room) + 1, int(box.y1 + room) + 1
    picture = Image.fromarray(grey[y0:y1, x0:x1]).convert("RGB")
    scale = min(_CROP[1] / max(1, picture.height), _CROP[0] / max(1, picture.width))
    size = (max(1, round(picture.width * scale)), max(1, round(picture.height * scale)))
    return picture.resize(size, Image.Resampling.BICUBIC)
