"""Notes in the margin: small type beside all of the running text, or names before it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.measuring import TextLine, measure_lines, usual_x_height

_PROSE_PIECES, _PROSE_LINES = 16, 6  # of a line of running text; such lines on a page
_SMALL, _MOST = 0.93, 0.2  # of the usual x-height, and of a page's letters
_OFF = 0.7  # x-heights between the text and a note
_SPACE, _WORDED = 0.4, 0.5  # x-heights of white between words; share of lines with such
_FIXED_SPACE = 1.1  # the same in fixed pitch, where narrow letters stand in much white
_LEVEL = 0.2  # x-heights within which lines stand on one base line
_WORD_PIECES = 4  # of a note that holds words: the white beside the figure 1 is as wide as a space
_TERMS = 0.5  # of the lines of the text, that have a term before them in a list of such
_WIDEST = 1.25  # of the widest white in a line, that the one before a note beside it has
_STEP = 4.0  # x-heights to the next line of a note that runs on under the text
# Of names: x-heights to the text, how far out they begin, least pieces; x-heights by which a line
# that begins out there goes on into the text.
_NEAR, _FAR_OUT, _NAME_PIECES, _REACHES_IN = (0.3, 3.5), 2.0, 4, 8.0
_NEXT_LINE = 3.2  # x-heights from a name to one in the next line
# X-heights within which lines begin at one edge; so many lines begin at that of the text.
_ONE_EDGE, _LEAST_BEGUN = 0.2, 3
_EDGES = (25, 75)  # percentiles of where lines begin and end: some run on into a note


def part_margins(
    lines: list[TextLine], glyphs: Glyphs, core: NDArray[np.bool_]
) -> tuple[list[TextLine], list[TextLine]]:
    """Return the lines of a page without those of notes in its margins, and these.

    What was joined over the white between text and note is cut there.
    core: pieces that tell the size of letters, as for `measure_lines`.
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
    starts = np.sort([line.box.x0 for line in running])
    common = np.abs(starts[:, None] - starts[None]) < _ONE_EDGE * usual
    begun = (common.sum(1) >= _LEAST_BEGUN) & (starts <= np.median(starts))
    sure: list[TextLine] = []
    for edge in np.unique(starts[begun]).tolist():
        sure = _names(lines, glyphs, core, edge - _ONE_EDGE * usual, usual)
        if sure:
            left = edge
            break
    sure = sure or _small_notes(lines, glyphs, (left, top, right, foot), usual)
    letters = sum(len(line.pieces) for line in lines)
    if not sure or sum(len(line.pieces) for line in sure) > _MOST * letters:
        return lines, []
    before = max((note.box.x1 for note in sure if note.box.x1 < left), default=-np.inf)
    after = min((note.box.x0 for note in sure if note.box.x0 > right), default=np.inf)
    room = 0.5 * usual
    text: list[TextLine] = []
    notes: list[TextLine] = []
    for line in lines:
        if any(line is note for note in sure):
            notes.append(line)
            continue
        parts = _cut(line, before + room, after - room, glyphs, core)
        text.append(parts[0])
        notes += parts[1:]
    return text, notes


def _small_notes(
    lines: list[TextLine],
    glyphs: Glyphs,
    text: tuple[float, float, float, float],
    usual: float,
) -> list[TextLine]:
    """Return the lines in small type outside of the text: left, top, right and foot of it."""
    left, top, right, foot = text
    notes: list[TextLine] = []
    for line in sorted(lines, key=lambda line: line.box.y0):
        outside = line.box.x0 > right + _OFF * usual or line.box.x1 < left - _OFF * usual
        inside = top < line.box.middle[1] < foot + usual
        under = any(0 < line.box.y0 - note.box.y0 < _STEP * usual for note in notes[-1:])
        if outside and line.x_height < _SMALL * usual and (inside or under):
            notes.append(line)
    beside = [line for line in lines if left < line.box.middle[0] < right]
    small = [line for line in beside if line.x_height < _SMALL * usual]
    notes = [note for note in notes if not _in_row_of(note, small)]
    # names and numbers of lines there belong to the text beside them, and so do terms
    worded = sum(len(n.pieces) >= _WORD_PIECES and _has_words(n, glyphs) for n in notes)
    edge = max((note.box.x1 for note in notes if note.box.x1 < left), default=-np.inf)
    terms = [line for line in lines if line.box.x1 < left - _OFF * usual]
    rows = sum(line.box.x0 < edge or _in_row_of(line, terms) for line in beside)
    return notes if worded >= _WORDED * len(notes) and rows < _TERMS * len(beside) else []


def _in_row_of(line: TextLine, others: list[TextLine]) -> bool:
    """Return whether a line stands on one base line with one of others."""
    middle = line.box.middle[0]
    base = line.baseline_at(middle)
    near = [other for other in others if other.box.y0 < base < other.box.y1 + line.x_height]
    return any(abs(o.baseline_at(middle) - base) < _LEVEL * line.x_height for o in near)


def _names(
    lines: list[TextLine],
    glyphs: Glyphs,
    core: NDArray[np.bool_],
    left: float,
    usual: float,
) -> list[TextLine]:
    """Return the names that end in one line before the text, as commented programs have them.

    Nothing else begins out there: marks and terms of lists stand under a heading at their edge.
    """
    names: list[TextLine] = []
    for line in lines:
        if line.box.x0 >= left - _FAR_OUT * usual:
            continue
        outer = _cut(line, left, np.inf, glyphs, core)[-1]
        near = _NEAR[0] * usual < left - outer.box.x1 < _NEAR[1] * usual
        if (
            near
            and len(outer.pieces) >= _NAME_PIECES
            and not _has_words(outer, glyphs, _FIXED_SPACE)
        ):
            names.append(outer)
        elif outer.box.x1 < left + _REACHES_IN * usual:
            return []
    if len(names) < 2:
        return []
    starts, ends = (float(np.ptp([line.box[edge] for line in names])) for edge in (0, 2))
    steps = np.diff(np.sort([line.box.middle[1] for line in names]))
    # marks of entries may be of one width, but few entries are of one line
    unlike_marks = starts > ends or bool((steps < _NEXT_LINE * usual).any())
    return names if ends < usual and unlike_marks else []


def _has_words(line: TextLine, glyphs: Glyphs, space: float = _SPACE) -> bool:
    """Return whether a line holds several words: white as wide as a space parts its pieces.

    space: least one, in x-heights.
    """
    return bool((_gaps(line.pieces, glyphs) > space * line.x_height).any())


def _gaps(pieces: NDArray[np.int64], glyphs: Glyphs) -> NDArray[np.int32]:
    """Return the white between some pieces of a line and those after them."""
    left, right = glyphs.left[pieces], glyphs.right[pieces]
    order = np.argsort(left, kind="stable")
    return np.asarray(left[order][1:] - np.maximum.accumulate(right[order])[:-1], np.int32)


def _cut(
    line: TextLine, before: float, after: float, glyphs: Glyphs, core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return a line as it is, or cut into its text and what of it stands in a margin.

    before, after: where the margins end and begin.
    """
    middle = (glyphs.left[line.pieces] + glyphs.right[line.pieces]) / 2
    for beside in (middle < before, middle > after):
        if not beside.any() or beside.all():
            continue
        own, note = (line.pieces[chosen] for chosen in (~beside, beside))
        gap = max(
            glyphs.left[note].min() - glyphs.right[own].max(),
            glyphs.left[own].min() - glyphs.right[note].max(),
        )
        # a row of a listing that is wider than the text is parted as far elsewhere
        if gap > max(_OFF * line.x_height, _WIDEST * float(_gaps(own, glyphs).max(initial=0))):
            return measure_lines(glyphs, [own, note], core)
    return [line]
