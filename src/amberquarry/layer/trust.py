"""Whether the text layer of a page can be trusted, and what of it is seen."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum, auto
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces
from amberquarry.layer.characters import Characters
from amberquarry.reading.languages import identify, load_prior, words_of
from amberquarry.settings import LayerSettings
from amberquarry.sources.layer import Boxes, PageLayer
from amberquarry.values import UNKNOWN


@dataclass(frozen=True, slots=True)
class Seen:
    """When a character is seen on the small picture of its page."""

    contrast: int = 24  # grey levels from one pixel to the next
    shrunk: float = 0.12  # of its box at each side, where its neighbours' edges lie
    of_run: float = 0.5  # of the characters of a word, that are seen: then all are
    ground: float = 190.0  # grey level of the ground on which white letters show, at most
    around: int = 3  # pixels over and under a letter in which the ground is looked at
    tiny: float = 4.0  # pixels of type at 300 dpi that nobody reads: 1 point


@dataclass(frozen=True, slots=True)
class Garbled:
    """When letters are not those of a language: shares of words."""

    words: int = 15  # of three letters, at least, that tell it
    known: float = 0.25  # that are listed in the language that fits best: fewer are in doubt
    letters: int = 3  # of such a word
    unknown: float = 0.5  # of characters without a letter: with more nothing of a layer is used


@dataclass(frozen=True, slots=True)
class Unread:
    """Ink that no text accounts for; lengths in pixels of the small picture at 100 dpi."""

    low: int = 5  # heights of letters
    high: int = 32
    widest: float = 25.0  # of a word whose letters run together, over its height
    letter: float = 0.7  # width of a letter, over its height
    in_row: int = 5  # letters of a row that may be text
    letters: int = 10  # of all rows
    least_side: int = 12  # of a picture


MOSTLY = 0.5  # of the characters of a layer
SEEN, GARBLED, UNREAD = Seen(), Garbled(), Unread()


class Trust(Enum):
    """What is done with a layer."""

    GOOD = auto()  # it says what stands on the page
    DOUBTFUL = auto()  # reading a few of its lines tells
    EARLIER = auto()  # it reads a scan: the same lines read anew tell which is better
    NONE = auto()


class Verdict(NamedTuple):
    """How far a layer is trusted, and why not.

    partly: whether some of its characters stand for no letter; lines with many of them are read.
    sure: how likely its letters are right.
    """

    trust: Trust
    why: str = ""
    partly: str = ""
    sure: float = 1.0


def is_earlier(page: PageLayer, characters: Characters) -> bool:
    """Return whether a layer tells what a scan shows, as an earlier reading of it left it."""
    without_ink = len(characters) and characters.invisible.mean() > MOSTLY
    return bool(page.whole_scan or (without_ink and len(page.text.pictures)))


def seen_on(page: PageLayer, characters: Characters) -> NDArray[np.bool_]:
    """Return which characters show as ink, by words.

    Text under an opaque area, white on white, on a layer that is switched off or outside of what
    is displayed has no edges there. Text without ink is seen only where it tells what a scan shows.
    """
    if not len(characters):
        return np.zeros(0, bool)
    without_ink = characters.invisible & (not is_earlier(page, characters))
    edges = _edges_of(page.glance)
    sums = cv2.integral(edges)
    boxes = characters.boxes * page.scale
    inset = SEEN.shrunk * (boxes[:, 2:] - boxes[:, :2])
    low = np.floor(boxes[:, :2] + inset).astype(int)
    high = np.maximum(np.ceil(boxes[:, 2:] - inset).astype(int), low + 1)
    height, width = edges.shape
    inside = (high > 0).all(1) & (low < (width, height)).all(1)
    low, high = np.clip(low, 0, (width, height)), np.clip(high, 0, (width, height))
    seen = inside & (_within(sums, low, high) > 0) & ~without_ink
    seen &= characters.size >= SEEN.tiny
    seen &= ~characters.pale | (_ground_around(page.glance, low, high) < SEEN.ground)
    run = np.cumsum(characters.parted)
    count = np.bincount(run)
    share = np.bincount(run, seen) / np.maximum(1, count)
    return np.asarray((share >= SEEN.of_run)[run] & (seen | ~characters.pale))


def _ground_around(
    glance: NDArray[np.uint8], low: NDArray[np.int64], high: NDArray[np.int64]
) -> NDArray[np.float64]:
    """Return the mean level right over and under boxes.

    White letters show on dark ground alone: over print they lie unseen, though that has edges.
    """
    sums = cv2.integral(glance)
    top = np.stack([low[:, 0], np.maximum(0, low[:, 1] - SEEN.around)], 1)
    foot = np.stack([high[:, 0], np.minimum(len(glance), high[:, 1] + SEEN.around)], 1)
    area = np.prod(foot - top, axis=1) - np.prod(high - low, axis=1)
    return np.asarray((_within(sums, top, foot) - _within(sums, low, high)) / np.maximum(1, area))


def _within(
    sums: NDArray[np.int32], low: NDArray[np.int64], high: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Return the sums within boxes from a table of sums. low, high: corners (N, 2), x and y."""
    (x0, y0), (x1, y1) = low.T, high.T
    return np.asarray(sums[y1, x1] - sums[y0, x1] - sums[y1, x0] + sums[y0, x0], np.int64)


def _edges_of(glance: NDArray[np.uint8]) -> NDArray[np.uint8]:
    square = np.ones((3, 3), np.uint8)
    step = cv2.subtract(cv2.dilate(glance, square), cv2.erode(glance, square))
    return np.asarray(step > SEEN.contrast, np.uint8)


def judged(
    page: PageLayer, characters: Characters, seen: NDArray[np.bool_], settings: LayerSettings
) -> Verdict:
    """Return how far the characters of a page are what stands on it. seen: of `seen_on`."""
    if not len(characters):
        return Verdict(Trust.NONE, "it holds no characters")
    if seen.mean() < settings.least_visible:
        return Verdict(Trust.NONE, f"{1 - seen.mean():.0%} of its characters are not seen")
    shown = characters.chosen(seen)
    unknown = float(unknown_of(shown).mean())
    lacking = f"{unknown:.0%} of its characters stand for no letter"
    if unknown > GARBLED.unknown:
        return Verdict(Trust.NONE, lacking)
    if is_earlier(page, characters):
        return Verdict(Trust.EARLIER, "it tells what a picture shows")
    verdict = _of_language(shown)
    return verdict._replace(partly=lacking) if unknown > settings.most_unknown else verdict


def unknown_of(characters: Characters) -> NDArray[np.bool_]:
    """Return which characters stand for no letter that the file tells."""
    return np.asarray((characters.letters == UNKNOWN) | characters.unmapped)


def _of_language(shown: Characters) -> Verdict:
    """Return whether the letters of a page make words of a language.

    A font whose map is shifted or permuted gives letters that make none; neither do languages that
    have no list of words here, and texts that only fill a page.
    """
    text = text_of(shown)
    words = [word for word in words_of(text) if len(word) >= GARBLED.letters]
    language = identify(text)
    if len(words) < GARBLED.words:
        return Verdict(Trust.GOOD)
    if language is None:
        return Verdict(Trust.DOUBTFUL, "its words are of no known language")
    listed = load_prior(language).words
    share = sum(word in listed for word in words) / len(words)
    if share >= GARBLED.known:
        return Verdict(Trust.GOOD)
    return Verdict(Trust.DOUBTFUL, f"only {share:.0%} of its words are words of a language")


def text_of(characters: Characters) -> str:
    """Return the characters in the order of the layer, words parted."""
    return "".join(
        " " * bool(parted) + letter
        for letter, parted in zip(
            characters.letters.tolist(), characters.parted.tolist(), strict=True
        )
    )


def unread_areas(page: PageLayer, characters: Characters) -> Boxes:
    """Return areas with ink like letters that no character lies on, in pixels of the layer.

    Pictures may hold text, and text may be drawn as outlines.
    """
    edges = _edges_of(page.glance)
    for x0, y0, x1, y1 in _whole(characters.boxes * page.scale, 2):
        edges[y0:y1, x0:x1] = 0
    for x0, y0, x1, y1 in _whole(page.text.lines * page.scale, 2):
        edges[y0:y1, x0:x1] = 0
    _, stats = connected_pieces(edges)
    left, top, width, height, _ = stats[1:].T
    like = (height >= UNREAD.low) & (height <= UNREAD.high)
    like &= (width <= UNREAD.widest * height) & (width >= 2)
    boxes = np.stack([left, top, left + width, top + height], 1)[like]
    letters = np.maximum(1.0, (width / (UNREAD.letter * height))[like])
    if letters.sum() < UNREAD.letters:
        return np.zeros((0, 4))
    rows = np.zeros(edges.shape, np.uint8)
    for x0, y0, x1, y1 in boxes.tolist():  # words of a row run together
        reach = y1 - y0
        rows[(y0 + y1) // 2, max(0, x0 - reach) : x1 + reach] = 1
    rows = cv2.dilate(rows, np.ones((5, 1), np.uint8))
    numbers, areas = connected_pieces(rows)
    own = numbers[(boxes[:, 1] + boxes[:, 3]) // 2, (boxes[:, 0] + boxes[:, 2]) // 2]
    counts = np.bincount(own, letters, len(areas))
    counts[counts < UNREAD.in_row] = 0
    if counts[1:].sum() < UNREAD.letters:
        return np.zeros((0, 4))
    found = []
    for number in np.flatnonzero(counts[1:]).tolist():
        row = boxes[own == number + 1]
        found.append([*row[:, :2].min(0), *row[:, 2:].max(0)])
    return np.array(found, float).reshape(-1, 4) / page.scale


def _whole(boxes: Boxes, grown: int) -> list[list[int]]:
    """Return boxes grown to whole pixels, none below 0."""
    low = np.maximum(0, np.floor(boxes[:, :2]).astype(int) - grown)
    high = np.maximum(0, np.ceil(boxes[:, 2:]).astype(int) + grown)
    return np.concatenate([low, high], 1).tolist()
