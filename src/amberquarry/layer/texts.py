"""What stands in the lines of a sheet, from the characters of a text layer."""

from __future__ import annotations

import itertools
import unicodedata
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.layer.characters import Characters
from amberquarry.reading.bidi import logical_order, places_in_order
from amberquarry.sheet.measuring import TextLine, curves_of
from amberquarry.sheet.rowwise import Rowwise
from amberquarry.sheet.sheet import Texts
from amberquarry.sheet.typography import type_size
from amberquarry.values import UNKNOWN, Box, Direction, Line, Origin, Style, Word

_STYLES = (Style.BOLD, Style.ITALIC, Style.SUPERSCRIPT, Style.SUBSCRIPT)
_OFF_LINE = [2, 3]  # of these
_NAMES = {
    flags: frozenset(itertools.compress(_STYLES, flags))
    for flags in itertools.product((False, True), repeat=len(_STYLES))
}
# Signs that Unicode has of their own, by the columns of raised and lowered ones.
_FORMS = {
    2: dict(zip("0123456789+-n", "⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻ⁿ", strict=True)),
    3: dict(zip("0123456789", "₀₁₂₃₄₅₆₇₈₉", strict=True)),
}
_REORDERED = ((0x900, 0x109F), (0x1780, 0x17FF))  # code points from Devanagari to Khmer
_RIGHT_TO_LEFT = (0x590, 0x8FF)
_NEXT = 3  # places in the layer from one character to the next, spaces between them counted


@dataclass(frozen=True, slots=True)
class Setting:
    """How words are told from places; lengths in sizes of type."""

    least_gap: float = 0.04  # of white, with less of which the PDF library's spaces are none
    gap: float = 0.06  # of white between words that the layer has not one after the other
    back: float = 0.1  # that a letter may begin before the one drawn before it
    back_by_rule: float = 1.0  # the same in scripts whose vowels may stand before their letter
    wide_gap: float = 0.9  # of white that parts words though the layer has no space there
    fixed: float = 0.7  # of a line's letters, that are in fonts of fixed pitch
    smaller: float = 0.82  # size of raised and lowered signs over the line's, at most
    raised: float = 0.16  # that their foot lies over or under the base line


@dataclass(frozen=True, slots=True)
class Mixed:
    """When characters of a layer are those of a line of ink; lengths in x-heights."""

    off: float = 1.2  # that their base lines lie apart, at most
    gap: float = 4.0  # of white in which ink without characters may stand
    covered: float = 0.6  # share of the line's width
    unknown: float = 0.1  # of them, that stand for no letter: with more the ink is read


SETTING, MIXED = Setting(), Mixed()


@dataclass(frozen=True, slots=True)
class LayerTexts:
    """The texts of lines whose pieces are the characters of a layer, in the level frame.

    All lines are made at once: `index` and `rows` of the methods are the characters of all of them,
    line after line, and which line each belongs to.
    """

    characters: Characters

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers."""
        lines = [line for line in lines if len(line.pieces)]
        if not lines:
            return {}
        index, rows = _in_rows([line.pieces for line in lines])
        index = self._from_the_left(index, rows)
        spaced = self._spaces(index, rows)
        signs = self._set(index, rows, spaced)
        styles = self._styles(signs.source, signs.rows, lines)
        made = _made(signs, styles, lines)
        return {measured.number: line for measured, line in zip(lines, made, strict=True)}

    def _from_the_left(self, index: NDArray[np.int64], rows: Rowwise) -> NDArray[np.int64]:
        """Return the characters of lines as they stand on them.

        Those that the layer has one after the other keep its order, unless it jumps back: a vowel
        may stand left of the letter that it follows. What is drawn in no order goes by its place.
        """
        found = self.characters
        codes = found.letters[index].view(np.uint32)
        leftwards = rows.largest(_between(codes, *_RIGHT_TO_LEFT)) > 0
        reordered = rows.largest(np.any([_between(codes, *own) for own in _REORDERED], axis=0)) > 0
        reach = np.where(reordered, SETTING.back_by_rule, SETTING.back)[rows.row]
        back = np.diff(found.boxes[index, 0]) < -reach[1:] * found.size[index[1:]]
        broken = (back | (np.diff(found.place[index]) > _NEXT)) & (np.diff(rows.row) == 0)
        starts = np.concatenate([[False], broken])
        index = index.copy()
        for row in np.flatnonzero(leftwards | (rows.sum(starts) > 0)).tolist():
            own = slice(rows.first[row], rows.first[row] + rows.count[row])
            runs = np.cumsum(starts[own])
            index[own] = self._by_place(index[own], None if leftwards[row] else runs)
        return index

    def _by_place(
        self, index: NDArray[np.int64], runs: NDArray[np.int64] | None
    ) -> NDArray[np.int64]:
        """Return the characters of a line that the layer has in another order.

        runs: the number of the run that each belongs to, if runs may be moved as wholes.
        """
        found = self.characters
        left, right = found.boxes[index, 0], found.boxes[index, 2]
        if runs is not None:
            starts = np.flatnonzero(np.diff(runs, prepend=-1))
            first, last = np.minimum.reduceat(left, starts), np.maximum.reduceat(right, starts)
            order = np.argsort(first, kind="stable")
            slack = 0.3 * float(np.median(found.size[index]))
            if (first[order][1:] >= last[order][:-1] - slack).all():
                parts = np.split(index, starts[1:])
                return np.concatenate([parts[n] for n in order.tolist()])
        middle = (left + right) / 2
        marks = np.array([unicodedata.combining(c) > 0 for c in found.letters[index].tolist()])
        before = np.maximum.accumulate(np.where(marks, 0, np.arange(len(index))))
        return index[np.lexsort((found.place[index], np.round(middle[before], 1)))]

    def _spaces(self, index: NDArray[np.int64], rows: Rowwise) -> NDArray[np.bool_]:
        """Return for each character of lines, from the left, whether a space stands before it."""
        found = self.characters
        one, other = index[:-1], index[1:]
        size = np.maximum(1.0, found.size[other])
        gap = (found.boxes[other, 0] - found.boxes[one, 2]) / size
        following = found.place[other] - found.place[one]
        apart = (found.origins[other, 0] - found.ends[one, 0]) / size
        # letters may reach out of their room, or not fill it
        white = np.minimum(gap, np.abs(apart))
        told = np.where(found.parted[other], white > SETTING.least_gap, gap > SETTING.wide_gap)
        turned = (following < 0) & (following >= -_NEXT - 1)
        told = np.where(turned, found.parted[one], told)  # letters that run to the left
        near = (following > 0) | turned
        spaced = np.where(near, told, gap > SETTING.gap) & (np.diff(rows.row) == 0)
        return np.concatenate([[False], spaced])

    def _set(self, index: NDArray[np.int64], rows: Rowwise, spaced: NDArray[np.bool_]) -> _Signs:
        """Return lines with their spaces, in the order in which they are read."""
        found = self.characters
        at = np.arange(len(index)) + np.cumsum(spaced)
        count = len(index) + int(spaced.sum())
        source = np.full(count, -1, np.int64)
        source[at] = index
        row = np.zeros(count, np.int64)
        row[at] = rows.row
        boxes = np.zeros((count, 4), np.float32)
        boxes[at] = found.boxes[index]
        spaces = at[spaced] - 1  # of no width, before the character that it precedes
        row[spaces] = row[spaces + 1]
        boxes[spaces] = boxes[spaces + 1]
        boxes[spaces, 2] = boxes[spaces, 0]
        letters = np.full(count, " ", "U1")
        letters[at] = found.letters[index]
        own = Rowwise(row, rows.rows)
        confidences = np.full(count, found.sure, np.float32)
        confidences[letters == UNKNOWN] = 0.0
        leftwards = own.largest(_between(letters.view(np.uint32), *_RIGHT_TO_LEFT)) > 0
        directions = [Direction.LEFT_TO_RIGHT] * rows.rows
        for number in np.flatnonzero(leftwards).tolist():
            part = slice(own.first[number], own.first[number] + own.count[number])
            text = "".join(letters[part].tolist())
            directions[number] = _direction_of(text)
            order = places_in_order(text, directions[number])
            letters[part] = [*logical_order(text, directions[number])]
            for array in (boxes, source, confidences):
                array[part] = array[part][order]
        typed = np.array([font.fixed_pitch for font in found.fonts] + [False], bool)
        fixed = rows.sum(typed[found.font[index]]) > SETTING.fixed * rows.count
        return _Signs(letters, boxes, source, confidences, own, directions, fixed.tolist())

    def _styles(
        self, source: NDArray[np.int64], rows: Rowwise, lines: Sequence[TextLine]
    ) -> NDArray[np.bool_]:
        """Return how each sign of lines is set (N, 4), in the order of `_STYLES`.

        source: the character that each is, -1 for spaces, which have no style.
        """
        found = self.characters
        own = source >= 0
        index, rows = source[own], rows.of(own)
        size = found.size[index]
        usual = rows.median(size)[rows.row]
        curve, x = curves_of(lines)[rows.row].T, found.origins[index, 0]
        base = (curve[0] * x + curve[1]) * x + curve[2]
        off = (base - found.origins[index, 1]) / np.maximum(1.0, usual)
        small = size < SETTING.smaller * usual
        fonts = np.array([(f.bold, f.italic) for f in found.fonts] + [(False, False)], bool)
        styles = np.zeros((len(source), 4), bool)
        styles[own, :2] = fonts[found.font[index]]
        styles[own, 2] = small & (off > SETTING.raised)
        styles[own, 3] = small & (off < -SETTING.raised / 2)
        return styles


@dataclass(frozen=True)
class _Signs:
    """The signs of lines, line after line, spaces among them, in the order of reading."""

    letters: NDArray[np.str_]  # (N,)
    boxes: NDArray[np.float32]  # (N, 4)
    source: NDArray[np.int64]  # (N,): the character of the layer, -1 for a space
    confidences: NDArray[np.float32]  # (N,)
    rows: Rowwise
    directions: list[Direction]  # of the lines
    fixed: list[bool]  # whether they are in fixed pitch


def _in_rows(pieces: Sequence[NDArray[np.int64]]) -> tuple[NDArray[np.int64], Rowwise]:
    """Return the characters of lines, line after line, those of each rising and named once."""
    row = np.repeat(np.arange(len(pieces)), [len(own) for own in pieces])
    index = np.concatenate(pieces) - 1
    order = np.lexsort((index, row))
    index = index[order]
    again = np.concatenate([[False], (np.diff(index) == 0) & (np.diff(row) == 0)])
    return index[~again], Rowwise(row[~again], len(pieces))


def _between(codes: NDArray[np.uint32], first: int, last: int) -> NDArray[np.bool_]:
    return np.asarray((codes >= first) & (codes <= last))


def _direction_of(text: str) -> Direction:
    """Return how a line with letters that run to the left is read."""
    own = sum(_RIGHT_TO_LEFT[0] <= ord(sign) <= _RIGHT_TO_LEFT[1] for sign in text)
    mostly = own > 0.4 * sum(map(str.isalpha, text))
    return Direction.RIGHT_TO_LEFT if mostly else Direction.LEFT_TO_RIGHT


def _made(signs: _Signs, styles: NDArray[np.bool_], lines: Sequence[TextLine]) -> Iterator[Line]:
    """Yield lines with their words. styles: (N, 4), of each sign."""
    rows, boxes, confidences = signs.rows, signs.boxes, signs.confidences
    ink = signs.letters != " "
    begins = ink & np.concatenate([[True], ~ink[:-1] | (np.diff(rows.row) > 0)])
    ends = ink & np.concatenate([~ink[1:] | (np.diff(rows.row) > 0), [True]])
    start, stop = np.flatnonzero(begins), np.flatnonzero(ends) + 1
    edges = np.stack([start, stop], 1).ravel()
    edges = edges[:-1] if edges[-1] == len(ink) else edges
    low = np.minimum.reduceat(boxes[:, :2], edges)[::2]
    high = np.maximum.reduceat(boxes[:, 2:], edges)[::2]
    places = np.concatenate([low, high], 1).tolist()
    sure = np.multiply.reduceat(confidences, edges)[::2].tolist()
    letters = signs.letters.tolist()
    names = [_NAMES[tuple(own)] for own in _common(letters, edges, styles).tolist()]
    words = Rowwise(rows.row[start], rows.rows)
    first, count = rows.first.tolist(), rows.count.tolist()
    unknown = rows.sum(signs.letters == UNKNOWN).tolist()
    raised = (rows.sum(np.any(styles[:, _OFF_LINE], axis=1)) > 0).tolist()
    mean = (rows.sum(confidences) / rows.count).tolist()
    spans = np.stack([start, stop], 1)
    for number, measured in enumerate(lines):
        at, length = first[number], count[number]
        part = slice(at, at + length)
        its = slice(words.first[number], words.first[number] + words.count[number])
        own = (spans[its] - at).tolist()
        text = "".join(letters[part])
        if raised[number]:
            text = _with_forms(text, own, styles[part])
        found = [
            Word(text[a:b], Box(*place), value, a, b, styles=style)
            for (a, b), place, value, style in zip(
                own, places[its], sure[its], names[its], strict=True
            )
        ]
        line = Line(
            text,
            Box.around([word.box for word in found]),
            mean[number],
            found,
            boxes[part],
            confidences[part],
            unsupported_script=unknown[number] > 0.5 * length,
            fixed_pitch=signs.fixed[number],
            direction=signs.directions[number],
            origin=Origin.TEXT_LAYER,
        )
        line.x_height = type_size(text, line.character_boxes) or measured.x_height
        x0, x1 = line.box.x0, line.box.x1
        line.baseline = (x0, measured.baseline_at(x0)), (x1, measured.baseline_at(x1))
        yield line


@dataclass(frozen=True, slots=True)
class MixedTexts:
    """The texts of lines found as ink: from a layer where its characters lie on them, else read.

    characters: of the layer, in the frame of the sheet.
    """

    characters: Characters
    ink: Texts

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers."""
        owners = self._owners(lines)
        told, rest = [], []
        for place, line in enumerate(lines):
            own = np.flatnonzero(owners == place)
            if len(own) and self._covers(own, line):
                told.append(replace(line, pieces=own + 1))
            else:
                rest.append(line)
        return {**LayerTexts(self.characters).read(told), **self.ink.read(rest)}

    def _owners(self, lines: Sequence[TextLine]) -> NDArray[np.int64]:
        """Return for each character the place of the line that it stands on, -1 for none."""
        x = self.characters.boxes[:, [0, 2]].mean(1)
        foot = self.characters.origins[:, 1]
        owners = np.full(len(x), -1, np.int64)
        nearest = np.full(len(x), np.inf)
        for place, line in enumerate(lines):
            off = np.abs(foot - np.polyval(line.baseline, x)) / max(1.0, line.x_height)
            inside = (x > line.box.x0 - line.x_height) & (x < line.box.x1 + line.x_height)
            nearer = inside & (off < MIXED.off) & (off < nearest)
            owners[nearer], nearest[nearer] = place, off[nearer]
        return owners

    def _covers(self, own: NDArray[np.int64], line: TextLine) -> bool:
        """Return whether characters lie all along a line."""
        unknown = self.characters.letters[own] == UNKNOWN
        if (unknown | self.characters.unmapped[own]).mean() > MIXED.unknown:
            return False
        boxes = self.characters.boxes[own]
        order = np.argsort(boxes[:, 0])
        left, reach = boxes[order, 0], np.maximum.accumulate(boxes[order, 2])
        gaps = np.maximum(0.0, left[1:] - reach[:-1])
        wide = gaps[gaps > MIXED.gap * line.x_height].sum()
        covered = reach[-1] - left[0] - wide
        return bool(covered >= MIXED.covered * line.box.width)


def _with_forms(text: str, spans: list[tuple[int, int]], styles: NDArray[np.bool_]) -> str:
    """Return a text with raised and lowered figures in words as the signs that Unicode has.

    Words that are set so as a whole keep their figures, and have the style.
    """
    signs = list(text)
    for start, end in spans:
        for column, forms in _FORMS.items():
            if styles[start:end, column].all():
                continue
            for place in (start + np.flatnonzero(styles[start:end, column])).tolist():
                signs[place] = forms.get(signs[place], signs[place])
    return "".join(signs)


def _common(
    signs: list[str], edges: NDArray[np.int64], styles: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Return the styles (words, 4) that all letters of each word have.

    Marks beside letters don't count; where a word has none, they do. edges: where words and what
    lies between them begin; words are every other.
    """
    marks = np.array([not sign.isalnum() for sign in signs], bool)
    alone = np.logical_and.reduceat(marks, edges)
    counted = np.repeat(alone, np.diff([*edges.tolist(), len(signs)]))
    return np.asarray(np.logical_and.reduceat(styles | (marks & ~counted)[:, None], edges)[::2])
