"""The rules of a page: straight lines across and down, and the frames and grids they make."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from amberquarry.values import Box

Segments = NDArray[np.float64]  # (N, 4): x0, y0, x1, y1 of thin boxes
Span = tuple[float, float]
_NONE = np.zeros((0, 4))


@dataclass(frozen=True, slots=True)
class RuledGrid:
    """When rules make a grid (`benchmarks/layout.py`: tables of printed pages)."""

    across: float = 0.8  # of the grid's width or a row's height, that a rule runs through
    thick_px: float = 3.0  # rules nearer than that to each other are one


GRID = RuledGrid()


@dataclass(frozen=True)
class Rules:
    """Straight rules as segments, and the boxes of those that touch, as frames and grids do."""

    across: Segments = field(default_factory=lambda: _NONE)
    down: Segments = field(default_factory=lambda: _NONE)
    boxes: list[Box] = field(default_factory=list)  # outside pictures; those that touch as one

    def upside_down(self, shape: tuple[int, int]) -> Rules:
        """Return the same rules on the page (rows, columns) turned by 180 degrees."""
        height, width = shape
        across, down = (
            np.stack([width - s[:, 2], height - s[:, 3], width - s[:, 0], height - s[:, 1]], 1)
            for s in (self.across, self.down)
        )
        return Rules(across, down, turned_boxes(self.boxes, shape))

    def frames(self, edge: float) -> list[Box]:
        """Return the boxes of rules that enclose an area with no rule in it.

        edge: how far from the box's own edges, in pixels, its rules may lie.
        """
        found = []
        for box in self.boxes:
            inner = Box(box.x0 + edge, box.y0 + edge, box.x1 - edge, box.y1 - edge)
            if min(inner.x1 - inner.x0, inner.y1 - inner.y0) <= 1:
                continue
            if not (_enters(self.across, 0, inner) or _enters(self.down, 1, inner)):
                found.append(box)
        return found

    def grids(self, least: float) -> list[list[list[Box]]]:
        """Return grids and frames of some size as rows of cells, from rule to rule.

        least: height and width of a grid, in pixels.
        """
        found = [self._cells(box) for box in self.boxes if min(box.width, box.height) > least]
        return [rows for rows in found if rows]

    def _cells(self, box: Box) -> list[list[Box]]:
        across, down = _within(self.across, box), _within(self.down, box)
        found = []
        for top, foot in _between(_through(across, 0, box.x0, box.x1), box.y0, box.y1):
            columns = _between(_through(down, 1, top, foot), box.x0, box.x1)
            if columns:
                found.append([Box(left, top, right, foot) for left, right in columns])
        return found


def _enters(segments: Segments, axis: int, box: Box) -> bool:
    """Return whether a rule that runs along an axis reaches into a box.

    Its middle counts: the box around a rule that is a little tilted is thicker than the rule.
    """
    middle = (segments[:, 1 - axis] + segments[:, 3 - axis]) / 2
    inside = (middle > box[1 - axis]) & (middle < box[3 - axis])
    reaching = (segments[:, axis] < box[axis + 2]) & (segments[:, axis + 2] > box[axis])
    return bool((inside & reaching).any())


def _within(segments: Segments, box: Box) -> Segments:
    """Return the segments whose middle lies in a box, its edges included."""
    x, y = (segments[:, 0] + segments[:, 2]) / 2, (segments[:, 1] + segments[:, 3]) / 2
    inside = (x >= box.x0 - 1) & (x <= box.x1 + 1) & (y >= box.y0 - 1) & (y <= box.y1 + 1)
    return segments[inside]


def _between(rules: list[Span], start: float, end: float) -> list[Span]:
    """Return the stretches that rules part, from one to the next and to both ends."""
    edges = [start, *(edge for rule in rules for edge in rule), end]
    return [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > GRID.thick_px]


def _through(segments: Segments, axis: int, start: float, end: float) -> list[Span]:
    """Return from where to where rules lie that run through a stretch along an axis.

    axis: 0 for rules across, which run along x; 1 for those down.
    """
    low = np.maximum(segments[:, axis], start)
    high = np.minimum(segments[:, axis + 2], end)
    reaching = high > low
    low, high, own = low[reaching], high[reaching], segments[reaching]
    order = np.argsort(own[:, 1 - axis], kind="stable").tolist()
    groups: list[list[int]] = []  # pieces of one rule lie beside each other
    reached = -np.inf
    for number in order:
        if own[number, 1 - axis] > reached + 1:
            groups.append([])
        groups[-1].append(number)
        reached = max(reached, float(own[number, 3 - axis]))
    return [
        (float(own[group, 1 - axis].min()), float(own[group, 3 - axis].max()))
        for group in groups
        if _covered(low[group], high[group]) > GRID.across * (end - start)
    ]


def _covered(low: NDArray[np.float64], high: NDArray[np.float64]) -> float:
    """Return the length that intervals cover together."""
    order = np.argsort(low, kind="stable")
    reached = np.concatenate([[-np.inf], np.maximum.accumulate(high[order])[:-1]])
    return float(np.maximum(0.0, high[order] - np.maximum(low[order], reached)).sum())


def turned_boxes(boxes: list[Box], shape: tuple[int, int]) -> list[Box]:
    """Return boxes on the page (rows, columns) turned by 180 degrees."""
    height, width = shape
    return [Box(width - b.x1, height - b.y1, width - b.x0, height - b.y0) for b in boxes]
