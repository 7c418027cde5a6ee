"""Where the characters of lines stand: boxes around their ink, for many lines at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.normalise import OwnedLine
from amberquarry.sheet.measuring import TextLine, curves_of

_REACH = 0.32  # of the way between two centres, to both sides of its middle, for a cut
_OFF_MIDDLE = 0.02  # pixels of ink that the whole of that reach is worth
_HALF_WIDTH = 0.25  # x-heights of a character without ink

Whole = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Unplaced:
    """The text of a line, one sign at least, and where on the page their middles are."""

    ink: OwnedLine
    line: TextLine
    text: str
    centres: NDArray[np.float32]  # (N,), x


def place_characters(texts: Sequence[Unplaced]) -> list[NDArray[np.float32]]:
    """Return (N, 4) ink boxes of the characters of each text.

    Neighbours are parted at the column with the least ink about half way; each box is then the
    extent of the line's own ink between two such columns. Where there is none, a box of the
    x-height stands around the centre. The columns of all lines are looked at as one row.
    """
    if not texts:
        return []
    profiles = [_Profile.of(own) for own in texts]
    counts = [len(own.text) for own in texts]
    line = np.repeat(np.arange(len(texts)), counts)
    left = np.array([int(own.line.box.x0) for own in texts])
    widths = np.array([len(profile.ink) for profile in profiles])
    begins = np.cumsum(widths) - widths  # of each line's columns in the one row
    ink = np.concatenate([profile.ink for profile in profiles])
    centres = np.concatenate([own.centres for own in texts])
    at = np.clip(centres - left[line], 0, widths[line] - 1)
    spaces = np.array([*"".join(own.text for own in texts)]) == " "
    boxes = _boxes_without_ink(texts, centres, line, spaces)
    inked = np.flatnonzero(ink)
    if len(inked):
        cuts = _cuts_before(ink, at, line, begins, widths)
        owner = np.searchsorted(cuts, inked, side="right") - 1  # the character of each such column
        first = np.flatnonzero(np.diff(owner, prepend=-1))
        last = np.append(first[1:], len(inked)) - 1
        character = owner[first]
        to_page = (left - begins)[line[character]]
        tops = np.concatenate([profile.top for profile in profiles])[inked]
        feet = np.concatenate([profile.foot for profile in profiles])[inked]
        edges = (
            inked[first] + to_page,
            np.minimum.reduceat(tops, first),
            inked[last] + to_page + 1,
            np.maximum.reduceat(feet, first),
        )
        letters = ~spaces[character]
        boxes[character[letters]] = np.stack(edges, 1)[letters]
    return np.split(boxes.astype(np.float32), np.cumsum(counts)[:-1])


@dataclass(frozen=True, slots=True)
class _Profile:
    """A line's own ink by columns."""

    ink: Whole  # (width,), how many pixels
    top: Whole  # (width,), the page's first row with ink
    foot: Whole  # (width,), the row after the last with ink

    @classmethod
    def of(cls, own: Unplaced) -> _Profile:
        """Return the profile of a line."""
        x0, y0, x1, y1 = (int(edge) for edge in own.line.box)
        mask = own.ink.own(np.s_[y0:y1, x0:x1])
        height = y1 - y0
        from_top = np.arange(1, height + 1)[:, None]
        from_top = from_top.astype(np.uint8 if height < 256 else np.uint16)
        foot = cv2.reduce(mask * from_top, 0, cv2.REDUCE_MAX)[0]
        top = cv2.reduce(mask * from_top[::-1], 0, cv2.REDUCE_MAX)[0]
        ink = cv2.reduce(mask, 0, cv2.REDUCE_SUM, dtype=cv2.CV_32S)[0]
        return cls(ink, y1 - top.astype(np.int64), y0 + foot.astype(np.int64))


def _cuts_before(
    ink: Whole, at: NDArray[np.floating], line: Whole, begins: Whole, widths: Whole
) -> Whole:
    """Return the column at which each character begins, in the one row of all lines' columns.

    A cut is the column with the least ink in the middle third between two centres.
    ink: of each column. at: each character's middle, in columns of its line. line: its number.
    begins, widths: of each line, its first column and their number.
    """
    cuts = begins[line]
    pairs = np.flatnonzero(line[1:] == line[:-1])  # of characters, this and the next
    if len(pairs):
        own = line[pairs]
        middle, reach = (at[pairs + 1] + at[pairs]) / 2, _REACH * (at[pairs + 1] - at[pairs])
        first = np.maximum((middle - reach).astype(int), 0)
        last = np.clip((middle + reach).astype(int) + 1, first + 1, widths[own])
        tried = last - first
        begin = np.cumsum(tried) - tried
        columns = np.arange(tried.sum()) + np.repeat(first - begin, tried)
        off = np.abs(columns + 0.5 - np.repeat(middle, tried))
        off /= np.repeat(np.maximum(1.0, reach), tried)
        cost = ink[columns + np.repeat(begins[own], tried)] + _OFF_MIDDLE * off
        least = np.repeat(np.minimum.reduceat(cost, begin), tried)
        cheapest = np.flatnonzero(cost == least)
        chosen = cheapest[np.searchsorted(cheapest, begin)]  # the first of each pair's
        cuts[pairs + 1] += columns[chosen]
    return np.asarray(np.maximum.accumulate(cuts))


def _boxes_without_ink(
    texts: Sequence[Unplaced],
    centres: NDArray[np.float32],
    line: Whole,
    spaces: NDArray[np.bool_],
) -> NDArray[np.float64]:
    """Return boxes (N, 4) of the x-height around characters' middles; spaces have no width."""
    x_height = np.array([own.line.x_height for own in texts])[line]
    a, b, c = curves_of([own.line for own in texts])[line].T
    base = (a * centres + b) * centres + c
    half = np.where(spaces, 0.0, _HALF_WIDTH * x_height)
    return np.stack([centres - half, base - x_height, centres + half, base], 1)
