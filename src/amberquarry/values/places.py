"""From one frame to another: where lines and blocks lie on the page that was read."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from amberquarry.values.geometry import Box, Mapping, Quad
from amberquarry.values.page import Block, BlockKind, Page
from amberquarry.values.text import Line

_AREAS = frozenset({BlockKind.FIGURE, BlockKind.EQUATION})  # more than their lines


def at_source(page: Page) -> None:
    """Bring what is on a page from its level frame to the source page, in place.

    Boxes are cut off at the edges of the page: the frame of a tilted or bent page reaches beyond.
    """
    if page.frame is None:
        return
    mapping = page.frame.to_source
    for block in page.blocks:
        block.lines = [_inside(mapped_line(line, mapping), page) for line in block.lines]
        if block.kind in _AREAS or not block.lines:
            block.box = box_at_source(block.box, page)
        else:
            block.box = Box.around([line.box for line in block.lines])
    page.frame = None


def box_at_source(box: Box, page: Page) -> Box:
    """Return a box of a page in the pixels of its source, without what lies outside of that."""
    if page.frame is not None:
        box, _ = mapped_box(box, page.frame.to_source)
    return box.within(page.width, page.height)


def mapped_box(box: Box | Quad, mapping: Mapping) -> tuple[Box, Quad]:
    """Return where a box or quad lies in the frame that a mapping leads to, in tenths of pixels."""
    corners = box.corners if isinstance(box, Box) else box
    points = np.round(mapping.apply(np.array(corners)), 1)
    one, two, three, four = ((float(x), float(y)) for x, y in points)
    return Box(*points.min(0).tolist(), *points.max(0).tolist()), (one, two, three, four)


def mapped_line(line: Line, mapping: Mapping, *, turned: bool = False) -> Line:
    """Return a line in the frame that a mapping leads to.

    It has quads where it is not level there; or else if it runs up or down (`turned`).
    """
    quads = turned or line.quad is not None or not mapping.keeps_boxes
    high = math.dist(line.quad[0], line.quad[3]) if line.quad else line.box.height
    box, quad = mapped_box(line.quad or line.box, mapping)
    words = []
    for word in line.words:
        its_box, its_quad = mapped_box(word.quad or word.box, mapping)
        words.append(replace(word, box=its_box, quad=its_quad if quads else None))
    return replace(
        line,
        box=box,
        quad=quad if quads else None,
        words=words,
        x_height=line.x_height * math.dist(quad[0], quad[3]) / max(1.0, high),
        character_boxes=_mapped_boxes(line.character_boxes, mapping),
    )


def mapped_blocks(blocks: list[Block], mapping: Mapping, *, turned: bool = False) -> list[Block]:
    """Return blocks of lines in the frame that a mapping leads to."""
    found = []
    for block in blocks:
        lines = [mapped_line(line, mapping, turned=turned) for line in block.lines]
        found.append(replace(block, lines=lines, box=Box.around([line.box for line in lines])))
    return found


def _mapped_boxes(boxes: np.ndarray, mapping: Mapping) -> np.ndarray:
    wide = boxes.astype(np.float64)
    corners = np.stack([wide[:, [0, 1]], wide[:, [2, 1]], wide[:, [2, 3]], wide[:, [0, 3]]], 1)
    moved = mapping.apply(corners)
    return np.concatenate([moved.min(1), moved.max(1)], 1).astype(np.float32)


def _inside(line: Line, page: Page) -> Line:
    """Return a line without what lies outside of its page."""
    width, height = page.width, page.height

    def within(quad: Quad | None) -> Quad | None:
        if quad is None:
            return None
        one, two, three, four = (
            (min(max(0.0, x), width), min(max(0.0, y), height)) for x, y in quad
        )
        return one, two, three, four

    return replace(
        line,
        box=line.box.within(width, height),
        quad=within(line.quad),
        words=[
            replace(word, box=word.box.within(width, height), quad=within(word.quad))
            for word in line.words
        ],
        character_boxes=np.clip(
            line.character_boxes, 0, np.array([width, height, width, height], np.float32)
        ),
    )
