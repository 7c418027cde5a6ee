"""The text of a line where it stands, and what its ink tells of dots, spaces and bullets."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.sheet.fixed_pitch import fit_grid
from amberquarry.sheet.measuring import TextLine, lean_median

_LEADERS = re.compile(r"\.(?: ?\.){3,}")  # a row of dots, parted or not
_BEFORE_FIGURE = re.compile(r"[^\W\d_](?=\d)|,(?=\w)")  # what white may part from what follows


@dataclass(frozen=True, slots=True)
class Dots:
    """Rows of dots, as leaders of contents; lengths in x-heights."""

    largest: float = 0.45  # height of a dot
    whole: float = 0.75  # of the dots read, that are pieces of their own: then these are counted
    apart: float = 0.73  # from dot to dot where spaces part them; set solid it is half of one
    before: float = 0.65  # of white before them that is a space


@dataclass(frozen=True, slots=True)
class White:
    """Which white is a space between words."""

    thin: float = 0.75  # of the line's usual space: with less at a mark there is none
    spaces: int = 3  # of a line, that tell its usual one
    sure: float = 0.58  # x-heights after a comma: surely a space
    of_usual: float = 0.75  # of the usual space, from which white after a comma may be one
    least: float = 0.36  # x-heights of such white
    more: float = 0.3  # x-heights by which it is wider than the white before the comma


@dataclass(frozen=True, slots=True)
class Spaced:
    """Words whose letters are set apart."""

    gap: float = 1.6  # heights of white between letters at most
    word: float = 1.6  # of the usual white: then it parts words


@dataclass(frozen=True, slots=True)
class Shaped:
    """Signs that are told by their shape: confidences."""

    point: float = 0.95  # of a point inside a word
    bullet: float = 0.8  # that a bullet is given


@dataclass(frozen=True, slots=True)
class FixedPitch:
    """Letters on a grid, by whose places spaces are set; lengths in steps."""

    fit: float = 0.8  # how nearly they stand on it, from 0 to 1
    off: float = 0.2  # by which one may be off its place
    no_gap: float = 0.9  # of white: less is no space
    gap: float = 1.05  # of white that must be one
    letters: int = 6  # that tell a fixed pitch


DOTS, WHITE, SPACED, SHAPED, FIXED_PITCH = Dots(), White(), Spaced(), Shaped(), FixedPitch()
# Single letters, with at most a mark, parted by spaces; heights of white between them at most; of
# the usual white, that parts words.
_SPACED_OUT = re.compile(r"(?<!\S)[^\W\d_][^\w\s]?(?: [^\W\d_][^\w\s]?){3,}(?!\S)")
_POINT_INSIDE = re.compile(r"(?<=[^\W\d_]{2})(\.)(?=[^\W\d_]{2})")  # after two letters, before two


@dataclass(frozen=True, slots=True)
class PlacedText:
    """A line's text; the arrays have a row for each of its characters."""

    text: str
    boxes: NDArray[np.float32]  # (N, 4)
    confidences: NDArray[np.float32]  # (N,)
    styles: NDArray[np.float32]  # (N, styles): probability of each of the net's styles
    edges: NDArray[np.float32]  # (N, 3): ink, and its edges across and down

    def part(self, first: int, last: int) -> PlacedText:
        """Return the characters from `first` to before `last`."""
        return self.take(self.text[first:last], np.arange(first, last))

    def take(self, text: str, rows: NDArray[np.int64]) -> PlacedText:
        """Return `text` with these rows of the arrays."""
        arrays = (self.boxes, self.confidences, self.styles, self.edges)
        return PlacedText(text, *(array[rows] for array in arrays))

    def without(self, dropped: NDArray[np.int64] | list[int]) -> PlacedText:
        """Return the characters but for those at some places."""
        rows = np.setdiff1d(np.arange(len(self.text)), dropped)
        return self.take("".join(self.text[n] for n in rows), rows)


def set_leaders(text: PlacedText, line: TextLine, ink: Ink) -> PlacedText:
    """Return a line's text with rows of dots as they are printed: so many, close or spaced.

    The net reads dots that stand close as fewer, and a row now as one run, now parted; their
    pieces of ink tell how they are set.
    """
    width, height = ink.glyphs.width[line.pieces], ink.glyphs.height[line.pieces]
    small = line.pieces[np.maximum(width, height) < DOTS.largest * line.x_height]
    for match in reversed(list(_LEADERS.finditer(text.text))):
        rows = np.array([n for n in range(*match.span()) if text.text[n] == "."])
        boxes = text.boxes[rows]
        own = small[
            (ink.glyphs.right[small] > boxes[0, 0]) & (ink.glyphs.left[small] < boxes[-1, 2])
        ]
        if len(own) > DOTS.whole * len(rows):
            boxes = ink.glyphs.boxes_of(own[np.argsort(ink.glyphs.left[own], kind="stable")])
            rows = rows[np.linspace(0, len(rows) - 1, len(own)).round().astype(int)]
        dots = text.take("." * len(rows), rows)
        dots.boxes[:] = boxes
        middle = (boxes[:, 0] + boxes[:, 2]) / 2
        if float(np.median(np.diff(middle))) >= DOTS.apart * line.x_height:
            dots = _spaced(dots)
        first, last = match.span()
        text = joined([text.part(0, first), dots, text.part(last, len(text.text))])
        text = _with_space_before(text, first, DOTS.before * line.x_height)
    return text


def _spaced(text: PlacedText) -> PlacedText:
    """Return a text with a space between each two of its characters."""
    rows = np.repeat(np.arange(len(text.text)), 2)[1:]
    spaced = text.take(" ".join(text.text), rows)
    spaced.boxes[1::2, 0], spaced.boxes[1::2, 2] = text.boxes[:-1, 2], text.boxes[1:, 0]
    return spaced


def set_on_grid(text: PlacedText, step: float) -> PlacedText:
    """Return a text in fixed pitch with spaces where places of its grid are empty.

    Another is returned as it is. step: from letter to letter, in pixels. A dash that fills one
    place is the hyphen that typewriters and programs have for all dashes.
    """
    signs = np.array([n for n, sign in enumerate(text.text) if sign != " "], np.int64)
    middle = (text.boxes[signs, 0] + text.boxes[signs, 2]).astype(float) / 2
    step, offset, fit = fit_grid(middle, step)
    letters = [text.text[n].isalpha() for n in signs]
    # figures have one width in most faces
    if (
        fit < FIXED_PITCH.fit
        or sum(letters) < FIXED_PITCH.letters
        or fit_grid(middle[letters], step)[2] < FIXED_PITCH.fit
    ):
        return text
    places = middle / step - offset
    off = np.abs(places - places.round()) > FIXED_PITCH.off
    white = (text.boxes[signs[1:], 0] - text.boxes[signs[:-1], 2]) / step
    read = np.diff(signs) > 1  # with a space between them
    empty = np.diff(places.round()) > 1
    # a line number before a listing, or italics in it, stand off the grid, more or less
    sure = ~(off[1:] | off[:-1]) & np.where(
        empty, white > FIXED_PITCH.no_gap, white < FIXED_PITCH.gap
    )
    empty = np.where(sure, empty, read)
    rows = np.repeat(signs, np.append(1, 1 + empty))  # each space from the sign after it
    spaces = np.append(np.diff(rows) == 0, False)
    made_of = [" " if space else text.text[n] for n, space in zip(rows, spaces, strict=True)]
    made = text.take("".join(made_of).replace("–", "-"), rows)
    at = np.flatnonzero(spaces)
    made.boxes[at, 0], made.boxes[at, 2] = made.boxes[at - 1, 2], made.boxes[at + 1, 0]
    return made


def joined(parts: list[PlacedText]) -> PlacedText:
    """Return parts of a line one after the other."""
    return PlacedText(
        "".join(part.text for part in parts),
        np.concatenate([part.boxes for part in parts]),
        np.concatenate([part.confidences for part in parts]),
        np.concatenate([part.styles for part in parts]),
        np.concatenate([part.edges for part in parts]),
    )


def in_one_line(parts: list[PlacedText]) -> PlacedText:
    """Return the parts of a line with spaces between them."""
    whole = parts[0]
    for part in parts[1:]:
        before, after = whole.boxes[-1], part.boxes[0]
        gap = np.array([[before[2], after[1], after[0], after[3]]], np.float32)
        none = np.zeros_like(part.styles[:1]), np.zeros_like(part.edges[:1])
        whole = joined([whole, PlacedText(" ", gap, np.ones(1, np.float32), *none), part])
    return whole


def _with_space_before(text: PlacedText, at: int, least: float) -> PlacedText:
    """Return a text with a space before a character that stands `least` pixels off the last."""
    if at == 0 or text.text[at - 1] == " " or text.boxes[at, 0] - text.boxes[at - 1, 2] <= least:
        return text
    rows = np.insert(np.arange(len(text.text)), at, at)
    spaced = text.take(text.text[:at] + " " + text.text[at:], rows)
    spaced.boxes[at, [0, 2]] = text.boxes[at - 1, 2], text.boxes[at, 0]
    return spaced


def _spaces_of(line: PlacedText) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Return the places of a line's spaces within it, and how much white each is."""
    spaces = np.array([n for n, letter in enumerate(line.text) if letter == " "], np.int64)
    spaces = spaces[(spaces > 0) & (spaces < len(line.text) - 1)]
    return spaces, line.boxes[spaces + 1, 0] - line.boxes[spaces - 1, 2]


def close_marks(line: PlacedText) -> PlacedText:
    """Return a line without spaces that only a typesetter's thin gap at a mark looked like.

    Old books set commas, semicolons and brackets off from their words by half a space.
    """
    spaces, gaps = _spaces_of(line)
    thin = np.array(
        [
            line.text[n - 1] == "(" or (line.text[n + 1] in ",;:?!)" and line.text[n - 1].isalnum())
            for n in spaces
        ],
        bool,
    )
    if not thin.any() or (~thin).sum() < WHITE.spaces:
        return line
    return line.without(spaces[thin & (gaps < WHITE.thin * float(np.median(gaps[~thin])))])


def close_spaced_letters(line: PlacedText) -> PlacedText:
    """Return a line whose words were spaced out, letter by letter, with their letters together.

    Title pages are set so. What stands in a row far apart, such as the heads of columns, stays.
    """
    dropped: list[int] = []
    for run in _SPACED_OUT.finditer(line.text):
        spaces = np.array([n for n in range(*run.span()) if line.text[n] == " "], np.int64)
        gaps = line.boxes[spaces + 1, 0] - line.boxes[spaces - 1, 2]
        letters = line.boxes[[n for n in range(*run.span()) if line.text[n].isalpha()]]
        height = float(np.median(letters[:, 3] - letters[:, 1]))
        usual = float(np.median(gaps))
        if usual < SPACED.gap * height:
            dropped += spaces[gaps < SPACED.word * usual].tolist()
    return line.without(dropped) if dropped else line


def without_feet(line: PlacedText) -> PlacedText:
    """Return a line without points inside its words that are the foot of the letter before them.

    Such a point is unclear, and no white parts it from that letter.
    """
    touching = line.boxes[1:, 0] <= line.boxes[:-1, 2]
    feet = [
        match.start(1)
        for match in _POINT_INSIDE.finditer(line.text)
        if touching[match.start(1) - 1] and line.confidences[match.start(1)] < SHAPED.point
    ]
    return line.without(feet) if feet else line


def part_figures(line: PlacedText, x_height: float) -> PlacedText:
    """Return a line in proportional type with a space after commas and words that white follows.

    In figures and single letters a narrow space is read as none: "12, 45", "of 1878". Commas within
    a figure stand as near to what follows as to what comes before.
    """
    gaps = line.boxes[1:, 0] - line.boxes[:-1, 2]
    _, white = _spaces_of(line)
    usual = lean_median(white) if len(white) else np.inf
    least = min(WHITE.sure * x_height, max(WHITE.of_usual * usual, WHITE.least * x_height))
    found = [match.start() for match in _BEFORE_FIGURE.finditer(line.text, 1)]
    for at in reversed(found):  # from the end, so that places stay
        wide = gaps[at] > max(least, gaps[at - 1] + WHITE.more * x_height)
        before, after = line.text[at - 1 : at + 1], line.text[at + 1]
        word = before.isalpha() and before.islower() and after.isdecimal()
        if wide and (word or (before[1] == "," and after.isalnum())):
            line = _with_space_before(line, at + 1, least)
    return line


def with_bullet(line: PlacedText, sign: str, box: NDArray[np.float32]) -> PlacedText:
    """Return a line with a bullet before it that was not read there. box: of the bullet, (4,)."""
    gap = np.array([box[2], box[1], line.boxes[0, 0], box[3]], np.float32)
    sure = np.full(2, SHAPED.bullet, np.float32)
    none = (np.zeros((2, array.shape[1]), np.float32) for array in (line.styles, line.edges))
    return joined([PlacedText(f"{sign} ", np.stack([box, gap]), sure, *none), line])
