"""The characters of a text layer: one box for each, doubles and ligatures settled."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.sources.layer import Boxes, LayerFont, TextLayer, steps_of
from amberquarry.values import UNKNOWN, Mapping

_SPACES = frozenset(map(ord, " \u00a0\t\u2002\u2003\u2009\u200a\u202f\u3000"))
_BREAKS = frozenset((10, 13))
_HYPHENS = frozenset((0x02, 0xAD, 0xFFFE))  # as which the PDF library gives one at a line's end
_ELLIPSIS = 0x2026
_SOFT = 0xAD  # within a line it is not seen
_NOTHING = frozenset((0x200B, 0x200C, 0x200D, 0x200E, 0x200F, 0xFEFF))
# Accents as signs of their own, by which old fonts of TeX build letters, and as marks.
_ACCENTS = dict(
    zip(
        "´`ˆ^¨˜~¸ˇ˘˚¯˙˝˛",
        "\u0301\u0300\u0302\u0302\u0308\u0303\u0303\u0327\u030c\u0306\u030a\u0304\u0307\u030b\u0328",
        strict=True,
    )
)


@dataclass(frozen=True, slots=True)
class Same:
    """When two characters are one that was drawn twice, as in print made bold by hand."""

    off: float = 0.12  # of the size of type, that one lies beside the other


SAME = Same()


@dataclass(frozen=True)
class Characters:
    """Characters with ink in the order of the layer; no spaces among them."""

    letters: NDArray[np.str_]  # (N,): a sign each
    boxes: Boxes  # (N, 4): of their ink
    origins: NDArray[np.float64]  # (N, 2)
    ends: NDArray[np.float64]  # (N, 2): where the next one would stand
    size: NDArray[np.float64]  # (N,)
    angle: NDArray[np.float64]  # (N,)
    font: NDArray[np.int64]  # (N,)
    parted: NDArray[np.bool_]  # (N,): white stands before it in the layer
    place: NDArray[np.int64]  # (N,): its number in the layer
    invisible: NDArray[np.bool_]  # (N,)
    pale: NDArray[np.bool_]  # (N,)
    unmapped: NDArray[np.bool_]  # (N,)
    fonts: tuple[LayerFont, ...]
    sure: float = 1.0  # how likely each is right

    def __len__(self) -> int:
        return len(self.letters)

    def chosen(self, mask: NDArray[np.bool_]) -> Characters:
        """Return some of the characters; what stood between them parts them still."""
        gone = np.concatenate([[0], np.cumsum(self.parted)])
        kept = np.flatnonzero(mask)
        before = np.concatenate([[-1], kept[:-1]])
        parted = gone[kept + 1] > gone[before + 1]
        places = ("boxes", "origins", "ends", "size", "angle", "place")
        facts = ("letters", "font", "invisible", "pale", "unmapped")
        own = {name: getattr(self, name)[kept] for name in (*places, *facts)}
        return replace(self, **own, parted=parted)

    def moved(self, mapping: Mapping) -> Characters:
        """Return the characters in the frame that a mapping leads to."""
        x0, y0, x1, y1 = self.boxes.T
        corners = np.stack([np.stack(c, 1) for c in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))], 1)
        corners = mapping.apply(corners)
        boxes = np.concatenate([corners.min(1), corners.max(1)], 1)
        before = np.maximum(1e-6, (self.boxes[:, 2:] - self.boxes[:, :2]).max(1))
        scale = (boxes[:, 2:] - boxes[:, :2]).max(1) / before
        origins, ends = mapping.apply(self.origins), mapping.apply(self.ends)
        return replace(self, boxes=boxes, origins=origins, ends=ends, size=self.size * scale)


def characters_of(layer: TextLayer) -> Characters:
    """Return the characters of a layer that have ink, ligatures taken apart, doubles left out."""
    every, kind = np.unique(layer.codes, return_inverse=True)
    known = every.tolist()
    hyphens = np.array([code in _HYPHENS for code in known], bool)[kind]
    white = np.array([code in _SPACES or code in _BREAKS for code in known], bool)[kind]
    white |= layer.generated & ~hyphens
    nothing = np.array([code in _NOTHING for code in known], bool)[kind] & ~white
    soft = np.flatnonzero((layer.codes == _SOFT) & ~white)
    nothing[soft[[_is_unseen(number, layer) for number in soft.tolist()]]] = True
    kept = np.flatnonzero(~white & ~nothing)
    # white before the first character, or since the one before
    gone = np.concatenate([[0], np.cumsum(white)])
    before = np.concatenate([[-1], kept[:-1]])
    parted = (gone[kept] > gone[before + 1]) | (before < 0)
    signs = [_signs_of(code) for code in known]
    lengths = np.array([len(own) for own in signs], np.int64)[kind][kept]
    letters = np.array(list("".join([signs[n] for n in kind[kept].tolist()])), "U1")
    first = np.zeros(len(letters), bool)
    first[np.cumsum(lengths) - lengths] = True
    index, parted = np.repeat(kept, lengths), np.repeat(parted, lengths) & first
    boxes = layer.boxes[index].reshape(-1, 4)
    boxes = _with_ink(boxes, layer.advances[index].reshape(-1, 4))
    boxes = _shared(boxes)
    found = Characters(
        letters,
        boxes,
        layer.origins[index],
        (layer.origins + steps_of(layer.angle, layer.advances))[index],
        layer.size[index],
        layer.angle[index],
        layer.font[index],
        parted,
        index,
        layer.invisible[index],
        layer.pale[index],
        layer.unmapped[index],
        layer.fonts,
    )
    return _composed(found.chosen(~_doubles(found)))


def _is_unseen(number: int, layer: TextLayer) -> bool:
    """Return whether a character has no ink, or is a part of the glyph of the one before it."""
    box = layer.boxes[number]
    if box[2] - box[0] < 0.5 or box[3] - box[1] < 0.5:
        return True
    return number > 0 and bool((layer.origins[number] == layer.origins[number - 1]).all())


def _composed(found: Characters) -> Characters:
    """Return characters with accents that were drawn by themselves joined to their letters.

    They come after their letter as marks, or as signs of their own before or after it.
    """
    letters, boxes = found.letters.copy(), found.boxes.copy()
    gone = np.zeros(len(found), bool)
    signs = found.letters.tolist()
    for at, sign in enumerate(signs):
        if sign in signs[at + 1 : at + 3] and not gone[at] and unicodedata.decomposition(sign):
            # some files name the letter's body and its accent alike
            other = signs.index(sign, at + 1)
            apart = boxes[other, 3] <= boxes[at, 1] + 1 or boxes[at, 3] <= boxes[other, 1] + 1
            if apart and _overlap(boxes[other], boxes[at]):
                gone[other] = True
                boxes[at, :2] = np.minimum(boxes[at, :2], boxes[other, :2])
                boxes[at, 2:] = np.maximum(boxes[at, 2:], boxes[other, 2:])
            continue
        mark = _ACCENTS.get(sign, sign if unicodedata.combining(sign) else "")
        if not mark:
            continue
        for other in (at + 1, at - 1) if sign in _ACCENTS else (at - 1,):
            if not 0 <= other < len(found) or gone[other]:
                continue
            joined = unicodedata.normalize("NFC", str(letters[other]) + mark)
            if len(joined) > 1 or not _overlap(boxes[at], boxes[other]):
                continue
            letters[other], gone[at] = joined, True
            boxes[other, :2] = np.minimum(boxes[at, :2], boxes[other, :2])
            boxes[other, 2:] = np.maximum(boxes[at, 2:], boxes[other, 2:])
            break
    if not gone.any():
        return found
    return replace(found, letters=letters, boxes=boxes).chosen(~gone)


def _overlap(accent: NDArray[np.float64], letter: NDArray[np.float64]) -> bool:
    """Return whether an accent stands over or under a letter."""
    shared = min(accent[2], letter[2]) - max(accent[0], letter[0])
    return bool(shared >= 0.5 * min(accent[2] - accent[0], letter[2] - letter[0]))


def _signs_of(code: int) -> str:
    """Return the signs that a code stands for: ligatures and forms of letters are taken apart."""
    if code in _HYPHENS:
        return "-"
    if code == _ELLIPSIS:  # leaders are told by their dots
        return "..."
    if not 0 < code < 0x110000 or 0xD800 <= code < 0xE000:
        return UNKNOWN
    sign = chr(code)
    if 0xFB00 <= code <= 0xFEFC:  # presentation forms
        return "".join(c for c in unicodedata.normalize("NFKC", sign) if not c.isspace()) or sign
    if sign.isspace() or unicodedata.category(sign) in ("Co", "Cn", "Cc"):
        return UNKNOWN  # what has ink is no white
    return sign


def _with_ink(boxes: Boxes, advances: Boxes) -> Boxes:
    """Return boxes, those without extent replaced by a part of the room that the sign takes."""
    empty = (boxes[:, 2] - boxes[:, 0] < 0.5) & (boxes[:, 3] - boxes[:, 1] < 0.5)
    if not empty.any():
        return boxes
    height = advances[:, 3] - advances[:, 1]
    guessed = advances.copy()
    guessed[:, 1] += 0.3 * height
    guessed[:, 3] -= 0.25 * height
    return np.where(empty[:, None], guessed, boxes)


def _shared(boxes: Boxes) -> Boxes:
    """Return boxes, one that several signs share cut into parts of one width.

    The signs of a ligature come as one code, or as several that stand in one place.
    """
    if len(boxes) < 2:
        return boxes
    again = np.concatenate([[False], (boxes[1:] == boxes[:-1]).all(1)])
    run = np.cumsum(~again) - 1
    count = np.bincount(run)
    place = np.arange(len(boxes)) - np.concatenate([[0], np.cumsum(count)[:-1]])[run]
    wide = (boxes[:, 2] - boxes[:, 0]) / count[run]
    left = boxes[:, 0] + place * wide
    cut = boxes.copy()
    cut[:, 0], cut[:, 2] = left, left + wide
    return np.where((count[run] > 1)[:, None], cut, boxes)


def _doubles(found: Characters) -> NDArray[np.bool_]:
    """Return which characters were drawn before in nearly the same place."""
    double = np.zeros(len(found), bool)
    if len(found) < 2:
        return double
    # letters of a ligature share its place
    glyph = np.cumsum((np.diff(found.origins, axis=0, prepend=-1.0) != 0).any(1))
    cell = np.maximum(0.1, SAME.off * found.size)
    order = np.lexsort((found.origins[:, 0], np.round(found.origins[:, 1] / cell), found.letters))
    for step in (1, 2):
        one, other = order[:-step], order[step:]
        near = np.abs(found.origins[one] - found.origins[other]).max(1) <= cell[one]
        same = near & (found.letters[one] == found.letters[other])
        same &= glyph[one] != glyph[other]
        double[np.maximum(one, other)[same]] = True
    return double
