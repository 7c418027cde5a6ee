"""What stands in the lines of a sheet, from the characters of a text layer."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.layer.characters import Characters
from amberquarry.reading.bidi import logical_order, places_in_order
from amberquarry.reading.styles import edges_of_spans, words_at
from amberquarry.sheet.measuring import TextLine
from amberquarry.sheet.sheet import Texts
from amberquarry.sheet.typography import type_size
from amberquarry.values import UNKNOWN, Box, Direction, Line, Origin, Style

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
_REORDERED = re.compile(r"[\u0900-\u109f\u1780-\u17ff]")  # from Devanagari to Khmer
_RIGHT_TO_LEFT = re.compile(r"[\u0590-\u08ff]")


@dataclass(frozen=True, slots=True)
class Setting:
    """How words are told from places; lengths in sizes of type."""

    least_gap: float = 0.04  # of white, with less of which the PDF library's spaces are none
    gap: float = 0.06  # of white between words that the layer has not one after the other
    back: float = 0.1  # that a letter may begin before the one drawn before it
    back_by_rule: float = 1.0  # the same in scripts whose vowels may stand before their letter
    wide_gap: float = 0.9  # of white that parts words though the layer has no space there
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
    """The texts of lines whose pieces are the characters of a layer, in the level frame."""

    characters: Characters

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers."""
        return {line.number: self.line(line) for line in lines if len(line.pieces)}

    def line(self, measured: TextLine) -> Line:
        """Return what stands in a line."""
        found = self.characters
        index = self._from_the_left(np.unique(measured.pieces) - 1)
        spaced = self._spaces(index)
        letters = found.letters[index].tolist()
        text = "".join(" " * space + letter for letter, space in zip(letters, spaced, strict=True))
        boxes = _with_spaces(found.boxes[index].astype(np.float32), spaced)
        source = np.full(len(boxes), -1, np.int64)
        source[np.flatnonzero(~_is_space(text))] = index
        direction = Direction.LEFT_TO_RIGHT
        if _RIGHT_TO_LEFT.search(text):
            text, boxes, source, direction = _in_order(text, boxes, source)
        return self._made(text, boxes, source, measured, direction)

    def _from_the_left(self, index: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return the characters of a line, in the order of the layer, as they stand on it.

        Those that the layer has one after the other keep its order, unless it jumps back: a vowel
        may stand left of the letter that it follows. What is drawn in no order goes by its place.
        """
        found = self.characters
        left, right = found.boxes[index, 0], found.boxes[index, 2]
        text = "".join(found.letters[index].tolist())
        if not _RIGHT_TO_LEFT.search(text):
            reach = SETTING.back_by_rule if _REORDERED.search(text) else SETTING.back
            back = np.diff(left) < -reach * found.size[index[1:]]
            run = np.concatenate([[0], np.cumsum(back | (np.diff(found.place[index]) > 3))])
            starts = np.flatnonzero(np.diff(run, prepend=-1))
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

    def _spaces(self, index: NDArray[np.int64]) -> list[int]:
        """Return for each character of a line, from the left, whether a space stands before it."""
        found = self.characters
        if len(index) < 2:
            return [0] * len(index)
        one, other = index[:-1], index[1:]
        gap = (found.boxes[other, 0] - found.boxes[one, 2]) / np.maximum(1.0, found.size[other])
        following = found.place[other] - found.place[one]
        apart = (found.origins[other, 0] - found.ends[one, 0]) / np.maximum(1.0, found.size[other])
        # letters may reach out of their room, or not fill it
        white = np.minimum(gap, np.abs(apart))
        told = np.where(found.parted[other], white > SETTING.least_gap, gap > SETTING.wide_gap)
        turned = (following < 0) & (found.place[one] - found.place[other] <= 4)
        told = np.where(turned, found.parted[one], told)  # letters that run to the left
        near = (following > 0) | turned
        spaced = np.where(near, told, gap > SETTING.gap)
        return [0, *spaced.astype(int).tolist()]

    def _made(
        self,
        text: str,
        boxes: NDArray[np.float32],
        source: NDArray[np.int64],
        measured: TextLine,
        direction: Direction,
    ) -> Line:
        styles = self._styles(source, measured)
        spans = [match.span() for match in re.finditer(r"\S+", text)]
        if styles[:, _OFF_LINE].any():
            text = _with_forms(text, spans, styles)
        unknown = np.array([letter == UNKNOWN for letter in text], bool)
        confidences = np.where(unknown, 0.0, self.characters.sure).astype(np.float32)
        common = _common(text, edges_of_spans(spans, len(text)), styles).tolist()
        words = words_at(text, spans, boxes, confidences, [_NAMES[tuple(own)] for own in common])
        line = Line(
            text,
            Box.around([word.box for word in words]),
            float(confidences.mean()),
            words,
            boxes,
            confidences,
            unsupported_script=bool(unknown.sum() > 0.5 * len(text)),
            direction=direction,
            origin=Origin.TEXT_LAYER,
        )
        line.x_height = type_size(text, boxes) or measured.x_height
        x0, x1 = line.box.x0, line.box.x1
        line.baseline = (x0, measured.baseline_at(x0)), (x1, measured.baseline_at(x1))
        return line

    def _styles(self, source: NDArray[np.int64], measured: TextLine) -> NDArray[np.bool_]:
        """Return how each sign of a line is set (N, 4), in the order of `_STYLES`.

        source: the character that each is, -1 for spaces, which have no style.
        """
        found = self.characters
        own = source >= 0
        index = source[own]
        usual = float(np.median(found.size[index]))
        base = np.polyval(measured.baseline, found.origins[index, 0])
        off = (base - found.origins[index, 1]) / max(1.0, usual)
        small = found.size[index] < SETTING.smaller * usual
        fonts = np.array([(f.bold, f.italic) for f in found.fonts] + [(False, False)], bool)
        styles = np.zeros((len(source), 4), bool)
        styles[own, :2] = fonts[found.font[index]]
        styles[own, 2] = small & (off > SETTING.raised)
        styles[own, 3] = small & (off < -SETTING.raised / 2)
        return styles


@dataclass(frozen=True, slots=True)
class MixedTexts:
    """The texts of lines found as ink: from a layer where its characters lie on them, else read.

    characters: of the layer, in the frame of the sheet.
    """

    characters: Characters
    ink: Texts

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers."""
        layer = LayerTexts(self.characters)
        owners = self._owners(lines)
        found, rest = {}, []
        for place, line in enumerate(lines):
            own = np.flatnonzero(owners == place)
            if len(own) and self._covers(own, line):
                found[line.number] = layer.line(replace(line, pieces=own + 1))
            else:
                rest.append(line)
        return {**found, **self.ink.read(rest)}

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


def _is_space(text: str) -> NDArray[np.bool_]:
    return np.array([sign == " " for sign in text], bool)


def _with_spaces(boxes: NDArray[np.float32], spaced: list[int]) -> NDArray[np.float32]:
    """Return boxes with one of no width for each space, before the character that it precedes."""
    before = np.flatnonzero(np.array(spaced))
    spaces = boxes[before].copy()
    spaces[:, 2] = spaces[:, 0]
    return np.insert(boxes, before, spaces, axis=0)


def _in_order(
    text: str, boxes: NDArray[np.float32], source: NDArray[np.int64]
) -> tuple[str, NDArray[np.float32], NDArray[np.int64], Direction]:
    """Return a line with letters that run to the left in the order in which it is read."""
    own = len(_RIGHT_TO_LEFT.findall(text))
    letters = sum(map(str.isalpha, text))
    mostly = own > 0.4 * letters
    direction = Direction.RIGHT_TO_LEFT if mostly else Direction.LEFT_TO_RIGHT
    order = places_in_order(text, direction)
    return logical_order(text, direction), boxes[order], source[order], direction


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


def _common(text: str, edges: NDArray[np.int64], styles: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return the styles (words, 4) that all letters of each word have.

    Marks beside letters don't count; where a word has none, they do. edges: of `edges_of_spans`.
    """
    marks = np.array([not sign.isalnum() for sign in text], bool)
    alone = np.logical_and.reduceat(marks, edges)
    counted = np.repeat(alone, np.diff([*edges.tolist(), len(text)]))
    return np.asarray(np.logical_and.reduceat(styles | (marks & ~counted)[:, None], edges)[::2])
