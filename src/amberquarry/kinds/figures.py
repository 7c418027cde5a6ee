"""Figures: photographs, drawings and charts, with the labels inside them.

Found once the page was read: textures and hatching look like lines of text before.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.areas import Areas, Tones
from amberquarry.sheet.bars import are_bars
from amberquarry.sheet.glyphs import Glyphs, owned_by
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine
from amberquarry.sheet.sheet import Sheet
from amberquarry.sheet.typography import rows_of
from amberquarry.values import Block, BlockKind, Box, Line, weighted_confidence


@dataclass(frozen=True, slots=True)
class Growth:
    """How a figure grows from a picture or stroke; lengths in letters (`benchmarks/layout.py`)."""

    near: float = 1.5  # between parts of one seed
    reach: float = 9.0  # between parts of a figure with no text between them
    least_side: float = 3.0
    room: float = 0.4  # between a figure and the text around it
    long_rule: float = 0.7  # of the page's width or height: such rules part the page
    most_ink: int = 3000  # pieces that figures are made of, the largest: more are grain
    least_ink: float = 0.3  # along the longer side of what makes a figure larger
    most_text: int = 3  # lines of text inside a frame that is no figure
    thin: float = 0.3  # of its box, that a stroke fills
    least_stroke: float = 1.5  # of its sides
    sure_label: float = 0.6  # mean confidence: what is read worse is a part of the drawing


@dataclass(frozen=True, slots=True)
class SureText:
    """Lines that are text wherever they stand, and part figures."""

    pieces: int = 4  # of a line that may be text
    long_pieces: int = 10  # of one that is text for sure
    large: float = 1.15  # of the usual x-height: headings
    at_edge: float = 1.0  # letters from where a column begins
    edge_lines: int = 4  # lines that begin there
    next_line: float = 3.2  # x-heights from one line of a paragraph to the next, at most


@dataclass(frozen=True, slots=True)
class Chart:
    """A chart: a frame that strokes fill, as curves do; lengths in letters."""

    overhang: float = 3.0  # that its scale stands out
    scale: float = 0.4  # of its width, that its scale has at least
    least: float = 8.0  # of its frame
    filled: float = 0.3  # of the frame, that strokes span
    most_labels: float = 0.25  # of the frame, that lines of text fill
    wide_label: float = 0.6  # of its width, that one of them has at most
    over_letters: float = 1.7  # capitals: a frame that touches letters, no letter


@dataclass(frozen=True, slots=True)
class PhotographTones:
    """Photographs by their tones, and dark ground beside the paper (`benchmarks/realpages.py`)."""

    side: float = 5.0  # letters, at least
    texture: float = 3.0  # deviation of its levels: even areas are tints
    fold: float = 0.5  # of the page's height, from which a strip is the shadow of a fold
    at_edge: float = 0.01  # of the longer side: as near to the edge lies ground
    dark: int = 80  # grey level of ground
    even: int = 16  # levels by which ground differs
    among_text: float = 0.8  # of a photograph, that lies within the box of the text
    amid_text: float = 0.5  # of what is no ground
    longest: float = 6.0  # of its sides to each other


@dataclass(frozen=True, slots=True)
class BadTable:
    """A table that is a drawing: mean confidences."""

    unsure: float = 0.65  # of its letters
    sure_page: float = 0.85  # of the page's others


GROWTH, SURE_TEXT, CHART, PHOTOGRAPH, BAD_TABLE = (
    Growth(),
    SureText(),
    Chart(),
    PhotographTones(),
    BadTable(),
)


Floats = NDArray[np.float64]
Size = tuple[float, float]


def find_figures(
    sheet: Sheet,
    lines: list[TextLine],
    letter: float,
    scales: list[Box],
    columns: list[Box],
) -> list[Box]:
    """Return the boxes of a page's figures, from the top down.

    lines: those that were read and believed, since textures look like lines as well.
    scales: of those among them that hold hardly any letters, as the scales of charts do.
    columns: gutters between columns, over which no figure grows that stands beside them.

    A figure begins with a picture or with strokes that are no straight rules. It takes in all ink
    around it that no line of text and no rule across the page parts from it: what lies between the
    lines of text over and under it, and beside it. Short lines in there are its labels.
    """
    seeds = [*sheet.areas.pictures, *sheet.areas.strokes]
    seeds += _lone_strokes(sheet.glyphs, lines, letter)
    seeds += _bars(sheet, lines, letter)
    if not seeds:
        return []
    charts = _charts(sheet, lines, letter)
    seeds += charts
    text = [
        line
        for line in _text_lines(lines, letter)
        if not any(chart.contains(*line.box.middle) for chart in charts)
    ]
    blocks = _array([line.box for line in text])
    wide = GROWTH.long_rule * sheet.frame.width
    across = [b for b in sheet.rules.boxes if b.width >= wide and b.height < letter]
    bounds = np.concatenate([blocks, _array(across)])
    ink = _ink_boxes(sheet, text, letter)
    walls = _array([Box(g.middle[0], g.y0, g.middle[0], g.y1) for g in columns])
    boxes = _array(seeds)
    for _ in range(3):  # grown over what is near, seeds may meet
        boxes = _joined(_all_grown(boxes, bounds, walls, ink, letter), GROWTH.near * letter)
    boxes = np.array([_with_scale(box, scales, letter) for box in boxes])
    return sorted(
        (
            Box(*box)
            for box in boxes.tolist()
            if min(box[2] - box[0], box[3] - box[1]) >= GROWTH.least_side * letter
            and (
                _inside(blocks, box).sum() <= GROWTH.most_text or _inside(_array(charts), box).any()
            )
        ),
        key=lambda box: (box.y0, box.x0),
    )


def place_figures(blocks: list[Block], figures: list[Box]) -> list[Block]:
    """Return blocks with the figures among them, each with the short lines that stand in it.

    Strokes of a drawing that were taken for letters are left out.

    A figure takes the place of the first block of its own, else it comes after the last one over
    it in its column; where that spans several, after the columns to its left.
    """
    out = list(blocks)
    for box in figures:
        kept: list[Block] = []
        labels: list[Line] = []
        at: int | None = None
        for block in out:
            own = [line for line in block.lines if box.contains(*line.box.middle)]
            if not own or block.kind is BlockKind.FIGURE:
                kept.append(block)
                continue
            at = len(kept) if at is None else at
            # letters that the reader does not know are never sure
            labels += [
                line
                for line in own
                if line.confidence >= GROWTH.sure_label or line.unsupported_script
            ]
            rest = [line for line in block.lines if not any(line is label for label in own)]
            if rest:
                # a row by itself is no table
                plain = block.kind is BlockKind.TABLE and len(rows_of(rest)) < 2
                kept.append(block.part(BlockKind.PARAGRAPH if plain else block.kind, rest))
        if at is None:
            at = _place_of(box, kept)
        kept.insert(at, Block(BlockKind.FIGURE, box, labels))
        out = kept
    return out


def place_whole(blocks: list[Block], pictures: list[Box]) -> list[Block]:
    """Return blocks with pictures as figures that take up those found before as parts of them."""
    rest: list[Block] = []
    for block in blocks:
        is_part = block.kind is BlockKind.FIGURE and any(
            box.contains(*block.box.middle) for box in pictures
        )
        if not is_part:
            rest.append(block)
        elif block.lines:
            rest.append(block.part(BlockKind.PARAGRAPH, block.lines))
    return place_figures(rest, pictures)


def _place_of(figure: Box, blocks: list[Block]) -> int:
    """Return before which of the blocks a figure comes."""
    middle = figure.middle[1]
    column = [
        number
        for number, block in enumerate(blocks)
        if min(block.box.x1, figure.x1) > max(block.box.x0, figure.x0)
    ]
    over = [number for number in column if blocks[number].box.y1 <= middle]
    at = over[-1] + 1 if over else 0
    under = next((n for n in column if n >= at and blocks[n].box.y0 >= middle), at)
    before = all(block.box.x1 <= figure.x0 for block in blocks[at:under])
    return under if before else at


def _array(boxes: list[Box]) -> Floats:
    return np.array(boxes, float).reshape(-1, 4)


def _inside(boxes: Floats, area: Floats | list[float]) -> NDArray[np.bool_]:
    """Return which boxes have their middle in an area."""
    x, y = (boxes[:, 0] + boxes[:, 2]) / 2, (boxes[:, 1] + boxes[:, 3]) / 2
    return (x >= area[0]) & (x < area[2]) & (y >= area[1]) & (y < area[3])


def _text_lines(lines: list[TextLine], letter: float) -> list[TextLine]:
    """Return the lines that are text for sure: long ones, headings, and where a column begins."""
    if not lines:
        return []
    long = [line for line in lines if len(line.pieces) >= SURE_TEXT.long_pieces]
    starts = np.array([line.box.x0 for line in long])
    tops = np.array([line.box.y0 for line in long])
    heights = np.array([line.x_height for line in long])
    sizes = np.array([line.x_height for line in lines])
    usual = float(np.median(sizes))

    def certain(line: TextLine) -> bool:
        if len(line.pieces) < SURE_TEXT.pieces:
            return False
        edge = np.abs(starts - line.box.x0) < SURE_TEXT.at_edge * letter
        step = (line.box.y0 - tops) / line.x_height
        # the short last line of a paragraph
        last = (
            edge
            & (step > 0)
            & (step < SURE_TEXT.next_line)
            & (heights < SURE_TEXT.large * line.x_height)
        )
        return (
            len(line.pieces) >= SURE_TEXT.long_pieces
            or edge.sum() >= SURE_TEXT.edge_lines
            or bool(last.any())
            or line.x_height > SURE_TEXT.large * usual
        )

    return [line for line in lines if certain(line)]


def _lone_strokes(glyphs: Glyphs, lines: list[TextLine], letter: float) -> list[Box]:
    """Return the boxes of rings, arrows and the like: large thin pieces that stand in no text."""
    in_text = np.zeros(len(glyphs.area), bool)
    for line in lines:
        if len(line.pieces) >= SURE_TEXT.pieces:
            tallest = CHART.over_letters * CAPITAL_RATIO * line.x_height
            in_text[line.pieces] = glyphs.height[line.pieces] <= tallest
    thin = glyphs.area < GROWTH.thin * glyphs.width * glyphs.height
    large = np.minimum(glyphs.width, glyphs.height) > GROWTH.least_stroke * letter
    return _boxes_of(glyphs, glyphs.usable & ~in_text & thin & large)


def _charts(sheet: Sheet, lines: list[TextLine], letter: float) -> list[Box]:
    """Return the frames that strokes fill, as curves fill a chart, and no text does.

    What is written in there, however long, is a label or a key.
    """
    strokes = _array(sheet.areas.strokes)
    boxes = _array([line.box for line in lines])
    areas = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    charts = []
    for frame in sheet.rules.boxes:
        if min(frame.width, frame.height) < CHART.least * letter:
            continue
        own = strokes[_inside(strokes, list(frame))]
        inside = _inside(boxes, list(frame))
        if not len(own) or areas[inside].sum() > CHART.most_labels * frame.area:
            continue
        across, down = own[:, 2:].max(0) - own[:, :2].min(0)
        filled = across > CHART.filled * frame.width and down > CHART.filled * frame.height
        widest = (boxes[inside, 2] - boxes[inside, 0]).max(initial=0)
        if filled and widest < CHART.wide_label * frame.width:
            charts.append(frame)
    return charts


def _bars(sheet: Sheet, lines: list[TextLine], letter: float) -> list[Box]:
    """Return the boxes of the bars of barcodes; long thin ones were taken for rules."""
    free = np.flatnonzero(sheet.glyphs.usable & ~owned_by(lines, sheet.glyphs))
    boxes = _array([*_boxes_of(sheet.glyphs, free), *sheet.rules.boxes])
    return [Box(*box) for box in boxes[are_bars(boxes, letter)].tolist()]


def _boxes_of(glyphs: Glyphs, chosen: NDArray[np.bool_] | NDArray[np.int64]) -> list[Box]:
    return [Box(*edges) for edges in glyphs.boxes_of(chosen).tolist()]


def _ink_boxes(sheet: Sheet, text: list[TextLine], letter: float) -> Floats:
    """Return the boxes (N, 4) of all that is printed and neither text nor a rule of the page.

    Specks are left out: on a scan they lie all around.
    """
    glyphs, frame = sheet.glyphs, sheet.frame
    free = np.maximum(glyphs.width, glyphs.height) >= GROWTH.least_ink * letter
    free[0] = False
    for line in text:
        free[line.pieces] = False
    rules = [
        box
        for box in sheet.rules.boxes
        if box.width < GROWTH.long_rule * frame.width
        and box.height < GROWTH.long_rule * frame.height
    ]
    boxes = _array([*_boxes_of(glyphs, free), *rules, *sheet.areas.pictures])
    if len(boxes) > GROWTH.most_ink:
        area = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
        boxes = boxes[np.argsort(-area, kind="stable")[: GROWTH.most_ink]]
    return boxes


def _all_grown(boxes: Floats, bounds: Floats, walls: Floats, ink: Floats, letter: float) -> Floats:
    """Return boxes as `_grown` does, the largest first, without those that others grew over.

    A small one at the edge of a picture knows nothing of the text beside the rest of it.
    """
    sizes = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    grown = np.zeros((0, 4))
    for box in boxes[np.argsort(-sizes, kind="stable")]:
        x, y = (box[:2] + box[2:]) / 2
        over = (grown[:, 0] <= x) & (x < grown[:, 2]) & (grown[:, 1] <= y) & (y < grown[:, 3])
        if not over.any():
            grown = np.concatenate([grown, _grown(box, bounds, walls, ink, letter)[None]])
    return grown


def _grown(box: Floats, bounds: Floats, walls: Floats, ink: Floats, letter: float) -> Floats:
    """Return a box with all ink around it that no text, rule and wall beside it parts from it.

    bounds: boxes of lines of text and of rules across the page.
    """
    room = GROWTH.room * letter
    x0, y0, x1, y1 = box.tolist()
    beside = np.concatenate([bounds, walls])
    beside = beside[(beside[:, 1] < y1 - room) & (beside[:, 3] > y0 + room)]
    left = float(beside[beside[:, 2] <= x0 + room][:, 2].max(initial=-np.inf)) + room
    right = float(beside[beside[:, 0] >= x1 - room][:, 0].min(initial=np.inf)) - room
    across = bounds[(bounds[:, 0] < min(x1, right)) & (bounds[:, 2] > max(x0, left))]
    top = float(across[across[:, 3] <= y0 + room][:, 3].max(initial=-np.inf)) + room
    foot = float(across[across[:, 1] >= y1 - room][:, 1].min(initial=np.inf)) - room
    own = ink[_inside(ink, [left, top, right, foot])]
    # round by round: only what lies within reach belongs to it
    area = np.array([x0, y0, x1, y1])
    reach = GROWTH.reach * letter
    while True:
        near = (
            (own[:, 0] < area[2] + reach)
            & (own[:, 2] > area[0] - reach)
            & (own[:, 1] < area[3] + reach)
            & (own[:, 3] > area[1] - reach)
        )
        if not near.any():
            return area
        grown = np.array(
            [
                min(area[0], max(left, own[near, 0].min())),
                min(area[1], max(top, own[near, 1].min())),
                max(area[2], min(right, own[near, 2].max())),
                max(area[3], min(foot, own[near, 3].max())),
            ]
        )
        if (grown == area).all():
            return area
        area = grown


def _with_scale(box: Floats, scales: list[Box], letter: float) -> Floats:
    """Return a chart's box with the row of figures that stands along its foot."""
    x0, y0, x1, y1 = box.tolist()
    rows = [
        row
        for row in scales
        if row.x0 > x0 - CHART.overhang * letter
        and row.x1 < x1 + CHART.overhang * letter
        and row.width > CHART.scale * (x1 - x0)
        and -GROWTH.room * letter < row.y0 - y1 < GROWTH.near * letter
    ]
    if not rows:
        return box
    row = min(rows, key=lambda row: row.y0)
    return np.array([min(x0, row.x0), y0, max(x1, row.x1), max(y1, row.y1)])


def _joined(boxes: Floats, near: float) -> Floats:
    """Return boxes, those joined that overlap or lie nearer than `near`."""
    while True:
        low, high = boxes[:, :2] - near / 2, boxes[:, 2:] + near / 2
        touch = (low[:, None] < high[None]).all(2) & (low[None] < high[:, None]).all(2)
        first = touch.argmax(1)
        if (first == np.arange(len(boxes))).all():
            return boxes
        boxes = np.array(
            [
                [*boxes[first == n, :2].min(0), *boxes[first == n, 2:].max(0)]
                for n in np.unique(first)
            ]
        )


def drawings_of_tables(blocks: list[Block]) -> list[Block]:
    """Return blocks with tables that are hardly read, on a page that else is, as figures.

    Names in a map or marks in a chart may stand in rows.
    """
    tables = [block for block in blocks if block.kind is BlockKind.TABLE]
    others = [word for b in blocks if b.kind is not BlockKind.TABLE for word in b.words]
    if not tables or weighted_confidence(others) < BAD_TABLE.sure_page:
        return blocks
    # where most of a page is so, it is the page that is badly read
    letters = sum(len(word.text) for word in others)
    drawn = [
        block.box
        for block in tables
        if block.confidence < BAD_TABLE.unsure
        and sum(len(word.text) for word in block.words) < letters
    ]
    return place_figures(blocks, drawn)


def whole_photographs(blocks: list[Block], areas: Areas, size: Size) -> list[Block]:
    """Return blocks with photographs as far as their tones reach, pale parts too.

    Evened light bleaches sky and mist. What is toned all over, solid, textured, and holds no line
    of text is a photograph, or belongs to one that was found. Dark ground beside the page and the
    shadow of a fold are none.
    size: of the page, width and height.
    """
    text = [
        line
        for b in blocks
        if b.kind is not BlockKind.FIGURE
        for line in b.lines
        if any(map(str.isalnum, line.text))  # grain looks like signs
    ]
    written = Box.around([line.box for line in text]) if text else Box(0, 0, 0, 0)
    blocks = [
        block
        for block in blocks
        if block.kind is not BlockKind.FIGURE
        or not _is_ground(block.box, written, areas.tones, size)
    ]
    if not text:
        return blocks
    lines = _array([line.box for line in text])
    letter = CAPITAL_RATIO * float(np.median([line.x_height for line in text]))
    figures = [block for block in blocks if block.kind is BlockKind.FIGURE]
    new: list[Box] = []
    for toned in areas.toned:
        area = toned.box
        # shadows and the table lie around the text or along a fold
        if (
            area.overlap(written) < PHOTOGRAPH.among_text * area.area
            or _inside(lines, list(area)).any()
        ):
            continue
        own = next((figure for figure in figures if figure.box.overlap(area) > 0), None)
        if own is not None:
            own.box = Box.around([own.box, area])
        elif (
            min(area.width, area.height) > PHOTOGRAPH.side * letter
            and max(area.width, area.height) < PHOTOGRAPH.longest * min(area.width, area.height)
            and toned.deviation > PHOTOGRAPH.texture
        ):
            new.append(area)
    return place_figures(blocks, new) if new else blocks


def _is_ground(box: Box, written: Box, tones: Tones | None, size: Size) -> bool:
    """Return whether a box holds the shadow of a fold, or even dark ground at an edge.

    written: around all text of the page. size: of the page, width and height. A photograph in black
    and white is as even as ground, but stands among the text.
    """
    width, height = size
    if box.height > PHOTOGRAPH.fold * height and box.height > PHOTOGRAPH.longest * box.width:
        return True
    if tones is None or box.overlap(written) > PHOTOGRAPH.amid_text * box.area:
        return False
    room = PHOTOGRAPH.at_edge * max(width, height)
    inside = box.x0 > room and box.y0 > room and box.x1 < width - room and box.y1 < height - room
    levels = tones.within(box)
    if inside or not levels.size:
        return False
    dark = float(np.percentile(levels, 10))
    even = float((np.abs(levels.astype(np.int16) - dark) < PHOTOGRAPH.even).mean())
    return dark < PHOTOGRAPH.dark and even > 0.5
