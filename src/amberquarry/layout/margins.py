"""Notes in the margin: small type beside all of the running text."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amberquarry.layout.components import Components
from amberquarry.layout.lines import TextLine, measure_line, usual_x_height

_PROSE_PIECES, _PROSE_LINES = 16, 6  # of a line of running text; such lines on a page
_SMALL, _MOST = 0.93, 0.2  # of the usual x-height, and of a page's letters
_OFF = 0.7  # x-heights between the text and a note
_SPACE, _WORDED = 0.4, 0.5  # x-heights of white between words; share of lines with such
_STEP = 4.0  # x-heights to the next line of a note that runs on under the text
_EDGES = (25, 75)  # percentiles of where lines begin and end: some run on into a note


def part_margins(
    lines: list[TextLine], found: Components, core: NDArray[np.bool_]
) -> tuple[list[TextLine], list[TextLine]]:
    """Return the lines of a page without those of notes in its margins, and these.

    What was joined over the white between text and note is cut there.
    core: pieces that tell the size of letters, as for `measure_line`.
    """
    if not lines:
        return lines, []
    usual = usual_x_height(lines)
    running = [
        line
        for line in lines
        if len(line.pieces) >= _PROSE_PIECES and line.x_height > _SMALL * usual
    ]
    if len(running) < _PROSE_LINES:
        return lines, []
    left = float(np.percentile([line.box.x0 for line in running], _EDGES[0]))
    right = float(np.percentile([line.box.x1 for line in running], _EDGES[1]))
    top, foot = min(line.box.y0 for line in running), max(line.box.y1 for line in running)
    # columns of text stand there, and no notes
    if any(not left < line.box.middle[0] < right for line in running):
        return lines, []
    notes: list[TextLine] = []
    for line in sorted(lines, key=lambda line: line.box.y0):
        outside = line.box.x0 > right + _OFF * usual or line.box.x1 < left - _OFF * usual
        inside = top < line.box.middle[1] < foot + usual
        under = any(0 < line.box.y0 - note.box.y0 < _STEP * usual for note in notes[-1:])
        if outside and line.x_height < _SMALL * usual and (inside or under):
            notes.append(line)
    # names and numbers of lines there belong to the text beside them
    if sum(_has_words(line, found) for line in notes) < _WORDED * len(notes):
        return lines, []
    letters = sum(len(line.pieces) for line in lines)
    if not notes or sum(len(line.pieces) for line in notes) > _MOST * letters:
        return lines, []
    before = max((note.box.x1 for note in notes if note.box.x1 < left), default=-np.inf)
    after = min((note.box.x0 for note in notes if note.box.x0 > right), default=np.inf)
    room = 0.5 * usual
    text: list[TextLine] = []
    for line in lines:
        if any(line is note for note in notes):
            continue
        parts = _cut(line, before + room, after - room, found, core)
        text.append(parts[0])
        notes += parts[1:]
    return text, notes


def _has_words(line: TextLine, found: Components) -> bool:
    """Return whether a line holds several words: white as wide as a space parts its pieces."""
    left, right = found.left[line.pieces], found.right[line.pieces]
    order = np.argsort(left, kind="stable")
    gaps = left[order][1:] - np.maximum.accumulate(right[order])[:-1]
    return bool((gaps > _SPACE * line.x_height).any())


def _cut(
    line: TextLine, before: float, after: float, found: Components, core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return a line as it is, or cut into its text and what of it stands in a margin.

    before, after: where the margins end and begin.
    """
    middle = (found.left[line.pieces] + found.right[line.pieces]) / 2
    for beside in (middle < before, middle > after):
        if not beside.any() or beside.all():
            continue
        own, note = (line.pieces[chosen] for chosen in (~beside, beside))
        gap = max(
            found.left[note].min() - found.right[own].max(),
            found.left[own].min() - found.right[note].max(),
        )
        parts = [measure_line(found, pieces, core) for pieces in (own, note)]
        if gap > _OFF * line.x_height and all(parts):
            return [part for part in parts if part is not None]
    return [line]
