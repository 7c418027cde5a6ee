"""Notes in the margin: small type beside all of the running text, or names before it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.measuring import TextLine, measure_lines, usual_x_height


@dataclass(frozen=True, slots=True)
class Running:
    """The running text of a page beside which notes stand."""

    pieces: int = 16  # of one of its lines, at least
    lines: int = 6  # such lines on a page
    space: float = 0.4  # x-heights of white between words
    fixed_space: float = 1.1  # the same in fixed pitch, where narrow letters stand in much white
    edges: tuple[float, float] = (25, 75)  # percentiles of their ends: some run on into a note
    one_edge: float = 0.2  # x-heights within which lines begin at one edge
    least_begun: int = 3  # lines that begin at that of the text


@dataclass(frozen=True, slots=True)
class Note:
    """A note in the margin, and a name beside the text; lengths in x-heights of the text."""

    small: float = 0.93  # of the usual x-height, at most
    most: float = 0.2  # of a page's letters
    off: float = 0.7  # between the text and a note
    level: float = 0.2  # within which lines stand on one base line
    word_pieces: int = 4  # of a note of words: white beside the figure 1 is as wide as a space
    worded: float = 0.5  # of the notes on a side, that hold words
    terms: float = 0.5  # of the lines of the text, that have a term before them in a list of such
    widest: float = 1.25  # of the widest white in a line, that the one before a note has
    step: float = 4.0  # to the next line of a note that runs on under the text
    near: tuple[float, float] = (0.3, 3.5)  # from a name to the text
    far_out: float = 2.0  # that a name begins outside of the text
    name_pieces: int = 4  # of a name, at least
    reaches_in: float = 8.0  # that a line which begins out there goes on into the text
    next_line: float = 3.2  # from a name to one in the next line


RUNNING, NOTE = Running(), Note()


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
        if len(line.pieces) >= RUNNING.pieces and line.x_height > NOTE.small * usual
    ]
    if len(running) < RUNNING.lines:
        return lines, []
    left = float(np.percentile([line.box.x0 for line in running], RUNNING.edges[0]))
    right = float(np.percentile([line.box.x1 for line in running], RUNNING.edges[1]))
    top, foot = min(line.box.y0 for line in running), max(line.box.y1 for line in running)
    # columns of text stand there, and no notes
    if any(not left < line.box.middle[0] < right for line in running):
        return lines, []
    starts = np.sort([line.box.x0 for line in running])
    common = np.abs(starts[:, None] - starts[None]) < RUNNING.one_edge * usual
    begun = (common.sum(1) >= RUNNING.least_begun) & (starts <= np.median(starts))
    sure: list[TextLine] = []
    for edge in np.unique(starts[begun]).tolist():
        sure = _names(lines, glyphs, core, edge - RUNNING.one_edge * usual, usual)
        if sure:
            left = edge
            break
    sure = sure or _small_notes(lines, glyphs, (left, top, right, foot), usual)
    letters = sum(len(line.pieces) for line in lines)
    if not sure or sum(len(line.pieces) for line in sure) > NOTE.most * letters:
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
        outside = line.box.x0 > right + NOTE.off * usual or line.box.x1 < left - NOTE.off * usual
        inside = top < line.box.middle[1] < foot + usual
        under = any(0 < line.box.y0 - note.box.y0 < NOTE.step * usual for note in notes[-1:])
        if outside and line.x_height < NOTE.small * usual and (inside or under):
            notes.append(line)
    beside = [line for line in lines if left < line.box.middle[0] < right]
    small = [line for line in beside if line.x_height < NOTE.small * usual]
    notes = [note for note in notes if not _in_row_of(note, small)]
    # names and numbers of lines there belong to the text beside them, and so do terms
    worded = sum(len(n.pieces) >= NOTE.word_pieces and _has_words(n, glyphs) for n in notes)
    edge = max((note.box.x1 for note in notes if note.box.x1 < left), default=-np.inf)
    terms = [line for line in lines if line.box.x1 < left - NOTE.off * usual]
    rows = sum(line.box.x0 < edge or _in_row_of(line, terms) for line in beside)
    words = worded >= NOTE.worded * len(notes)
    return notes if words and rows < NOTE.terms * len(beside) else []


def _in_row_of(line: TextLine, others: list[TextLine]) -> bool:
    """Return whether a line stands on one base line with one of others."""
    middle = line.box.middle[0]
    base = line.baseline_at(middle)
    near = [other for other in others if other.box.y0 < base < other.box.y1 + line.x_height]
    return any(abs(o.baseline_at(middle) - base) < NOTE.level * line.x_height for o in near)


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
        if line.box.x0 >= left - NOTE.far_out * usual:
            continue
        outer = _cut(line, left, np.inf, glyphs, core)[-1]
        near = NOTE.near[0] * usual < left - outer.box.x1 < NOTE.near[1] * usual
        if (
            near
            and len(outer.pieces) >= NOTE.name_pieces
            and not _has_words(outer, glyphs, RUNNING.fixed_space)
        ):
            names.append(outer)
        elif outer.box.x1 < left + NOTE.reaches_in * usual:
            return []
    if len(names) < 2:
        return []
    starts, ends = (float(np.ptp([line.box[edge] for line in names])) for edge in (0, 2))
    steps = np.diff(np.sort([line.box.middle[1] for line in names]))
    # marks of entries may be of one width, but few entries are of one line
    unlike_marks = starts > ends or bool((steps < NOTE.next_line * usual).any())
    return names if ends < usual and unlike_marks else []


def _has_words(line: TextLine, glyphs: Glyphs, space: float = RUNNING.space) -> bool:
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
        widest = float(_gaps(own, glyphs).max(initial=0))
        if gap > max(NOTE.off * line.x_height, NOTE.widest * widest):
            return measure_lines(glyphs, [own, note], core)
    return [line]
