"""From one frame to another: where lines and blocks lie on the page that was read."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.values.geometry import Box, Mapping, Quad
from amberquarry.values.page import Block, BlockKind, Page
from amberquarry.values.text import Baseline, Line, Word

_AREAS = frozenset({BlockKind.FIGURE, BlockKind.EQUATION})  # more than their lines


def at_source(page: Page) -> None:
    """Bring what is on a page from its level frame to the source page, in place.

    Boxes are cut off at the edges of the page: the frame of a tilted or bent page reaches beyond.
    """
    if page.frame is None:
        return
    mapping = page.frame.to_source
    lines = [line for block in page.blocks for line in block.lines]
    parts: list[Line | Word] = []
    for line in lines:
        parts += [line, *line.words]
    before = np.array([part.quad or part.box.corners for part in parts]).reshape(-1, 4, 2)
    points = np.round(mapping.apply(before), 1)
    scales = _heights(points) / np.maximum(1.0, _heights(before))
    within = np.clip(points, 0.0, (page.width, page.height))
    low, high = within.min(1).tolist(), within.max(1).tolist()
    level = mapping.keeps_boxes
    for number, part in enumerate(parts):
        part.box = Box(*low[number], *high[number])
        if isinstance(part, Line):
            part.x_height *= float(scales[number])
        if not level or part.quad is not None:
            part.quad = _quad(within[number])
    bases = [line for line in lines if line.baseline is not None]
    ends = np.array([line.baseline for line in bases], float).reshape(-1, 2, 2)
    ends = np.clip(np.round(mapping.apply(ends), 1), 0.0, (page.width, page.height))
    for line, ((x0, y0), (x1, y1)) in zip(bases, ends.tolist(), strict=True):
        line.baseline = (x0, y0), (x1, y1)
    characters = [line.character_boxes for line in lines if len(line.character_boxes)]
    if characters:
        moved = _mapped_boxes(np.concatenate(characters), mapping)
        edges = np.array([page.width, page.height, page.width, page.height], np.float32)
        starts = np.cumsum([len(own) for own in characters])[:-1]
        own = iter(np.split(np.clip(moved, 0, edges), starts))
        for line in lines:
            if len(line.character_boxes):
                line.character_boxes = next(own)
    for block in page.blocks:
        for cell in block.table.cells if block.table else ():
            cell.box = box_at_source(cell.box, page)
        if block.kind in _AREAS or not block.lines:
            block.box = box_at_source(block.box, page)
        else:
            block.box = Box.around([line.box for line in block.lines])
    page.frame = None


def _heights(quads: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the lengths of the left sides of quads (N, 4, 2)."""
    sides: NDArray[np.float64] = np.hypot(*(quads[:, 3] - quads[:, 0]).T)
    return sides


def _quad(points: NDArray[np.float64]) -> Quad:
    one, two, three, four = ((float(x), float(y)) for x, y in points.tolist())
    return one, two, three, four


def box_at_source(box: Box, page: Page) -> Box:
    """Return a box of a page in the pixels of its source, without what lies outside of that."""
    if page.frame is not None:
        box, _ = mapped_box(box, page.frame.to_source)
    return box.within(page.width, page.height)


def mapped_box(box: Box | Quad, mapping: Mapping) -> tuple[Box, Quad]:
    """Return where a box or quad lies in the frame that a mapping leads to, in tenths of pixels."""
    corners = box.corners if isinstance(box, Box) else box
    points = np.round(mapping.apply(np.array(corners)), 1)
    return Box(*points.min(0).tolist(), *points.max(0).tolist()), _quad(points)


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
        baseline=_mapped_ends(line.baseline, mapping),
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


def _mapped_ends(line: Baseline | None, mapping: Mapping) -> Baseline | None:
    if line is None:
        return None
    (x0, y0), (x1, y1) = np.round(mapping.apply(np.array(line)), 1).tolist()
    return (x0, y0), (x1, y1)


def _mapped_boxes(boxes: NDArray[np.float32], mapping: Mapping) -> NDArray[np.float32]:
    wide = boxes.astype(np.float64)
    corners = np.stack([wide[:, [0, 1]], wide[:, [2, 1]], wide[:, [2, 3]], wide[:, [0, 3]]], 1)
    moved = mapping.apply(corners)
    return np.concatenate([moved.min(1), moved.max(1)], 1).astype(np.float32)
