"""Figures: photographs, drawings and charts, with the labels inside them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from amberquarry.document import Box
from amberquarry.layout.components import Components
from amberquarry.layout.lines import TextLine

_NEAR = 1.3  # letters between parts of one figure
_LABEL_NEAR = 2.0  # letters from a figure to its labels
_LEAST_SIDE = 3.0  # letters
_LABEL_PIECES = 14  # of a label at most
_BODY_PIECES, _BODY_WIDTH, _MOST_BODY = 18, 0.45, 2  # lines of running text inside a frame
_LONG_RULE = 0.8  # of the page's width: rules so long part the page and belong to no figure


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure's place and the lines that stand in it."""

    box: Box
    lines: list[TextLine]


def find_figures(found: Components, lines: list[TextLine], letter: float) -> list[Figure]:
    """Return the figures of a page, each with its labels.

    A figure grows from pictures and strokes that are no straight rules: what is drawn near them
    belongs to it, then short lines inside and beside. A frame around running text is none.
    """
    seeds = [*found.pictures, *found.strokes]
    if not seeds:
        return []
    rules = _rule_boxes(found, letter)
    clusters = _clusters(seeds, rules, letter)
    figures: list[Figure] = []
    taken: set[int] = set()
    for cluster in clusters:
        if min(cluster.width, cluster.height) < _LEAST_SIDE * letter:
            continue
        inside = [line for line in lines if cluster.contains(*_middle(line.box))]
        body = [
            line
            for line in inside
            if len(line.pieces) >= _BODY_PIECES and line.box.width > _BODY_WIDTH * cluster.width
        ]
        if len(body) > _MOST_BODY:
            continue
        room = _LABEL_NEAR * letter
        around = Box(cluster.x0 - room, cluster.y0 - room, cluster.x1 + room, cluster.y1 + room)
        labels = inside + [
            line
            for line in lines
            if len(line.pieces) <= _LABEL_PIECES
            and line.box.width < 0.5 * cluster.width
            and around.contains(*_middle(line.box))
            and not any(line is other for other in inside)
            and _stands_alone(line, lines, around, letter)
        ]
        labels = [line for line in labels if id(line) not in taken]
        taken.update(id(line) for line in labels)
        figures.append(Figure(Box.around([cluster, *(line.box for line in labels)]), labels))
    return figures


def _middle(box: Box) -> tuple[float, float]:
    return (box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2


def _stands_alone(line: TextLine, lines: list[TextLine], around: Box, letter: float) -> bool:
    """Return whether no text beyond the figure goes on from a line: labels stand by themselves."""
    for other in lines:
        if other is line or around.contains(*_middle(other.box)):
            continue
        across = min(line.box.x1, other.box.x1) - max(line.box.x0, other.box.x0)
        down = max(line.box.y0, other.box.y0) - min(line.box.y1, other.box.y1)
        if across > 0.3 * line.box.width and down < 1.2 * letter:
            return False
    return True


def _rule_boxes(found: Components, letter: float) -> list[Box]:
    if not found.rules.any():
        return []
    count, _, boxes, _ = cv2.connectedComponentsWithStats(found.rules, connectivity=8)
    wide = _LONG_RULE * found.rules.shape[1]
    return [
        Box(x, y, x + w, y + h)
        for x, y, w, h, _ in boxes[1:count].tolist()
        if w < wide or h > 2 * letter
    ]


def _clusters(seeds: list[Box], rules: list[Box], letter: float) -> list[Box]:
    """Return the boxes of what is drawn together, grown from the seeds over near rules."""
    near = _NEAR * letter
    boxes = np.array([*seeds, *rules], float)
    seeded = np.arange(len(boxes)) < len(seeds)
    # joined until nothing changes: each round takes the box around all that touch
    while True:
        low, high = boxes[:, :2] - near / 2, boxes[:, 2:] + near / 2
        touch = (low[:, None] < high[None]).all(2) & (low[None] < high[:, None]).all(2)
        touch &= seeded[:, None] | seeded[None]  # rules alone make no figure
        first = touch.argmax(1)
        if (first == np.arange(len(boxes))).all():
            break
        kept = np.unique(first)
        boxes = np.array(
            [[*boxes[first == n, :2].min(0), *boxes[first == n, 2:].max(0)] for n in kept]
        )
        seeded = np.array([seeded[first == n].any() for n in kept])
    return [Box(*box) for box in boxes[seeded].tolist()]
