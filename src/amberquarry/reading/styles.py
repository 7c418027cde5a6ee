"""Tell how words are set: by what the net says of their letters, bold also by their strokes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.normalise import LinePicture
from amberquarry.reading.placed import PlacedText
from amberquarry.values import Box, Line, Style, Word


@dataclass(frozen=True, slots=True)
class Bold:
    """Weight of type, as sums of log odds; fitted to words of pages whose fonts are named."""

    words: int = 30  # of a page, from which its usual weight can be told
    heavy: float = 1.2  # odds from which a word of one letter is heavy by itself
    against: float = 1.4  # weight of a word's own odds as far as they speak against it
    relative: float = 0.94  # of these odds against the page's usual word
    width: float = 8.0  # of how much wider its strokes are, a logarithm
    size: float = 1.7  # of how much larger its type is, a logarithm
    least: float = 2.6  # sum from which a word is bold
    letters: int = 5  # of a line that may be bold throughout
    mean: float = 1.7  # of the words of such a line
    each: float = 0.0  # of them, at least


BOLD = Bold()


def edges_of(picture: LinePicture, boxes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return (N, 3): the ink of each character and its edges across and down, in pixels.

    boxes (N, 4): of the characters on the page. Edges are sums of differences between neighbours:
    ink by edges is the width of strokes in the picture's scale, whatever the letter.
    """
    ink = picture.ink
    sums = np.zeros((ink.shape[1] + 1, 3), np.float32)
    sums[1:, 0] = _column_sums(ink)
    sums[1, 1], sums[2:, 1] = ink[:, 0].sum(), _column_sums(cv2.absdiff(ink[:, 1:], ink[:, :-1]))
    sums[1:, 2] = ink[0] + _column_sums(cv2.absdiff(ink[1:], ink[:-1]))
    np.cumsum(sums, axis=0, out=sums)
    columns = (boxes[:, [0, 2]] - picture.first_x) * picture.columns_per_px
    columns = np.clip(columns.round().astype(int), 0, ink.shape[1])
    found: NDArray[np.float32] = sums[columns[:, 1]] - sums[columns[:, 0]]
    return found


def _column_sums(values: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.asarray(cv2.reduce(values, 0, cv2.REDUCE_SUM)[0], np.float32)


def word_styles(
    text: str, spans: list[tuple[int, int]], styles: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Return (words, styles): the mean probability of each over a word's letters and figures.

    spans: of the words in a line's text, one at least. styles: (N, styles), of each character. A
    word without letters and figures is judged by its signs.
    """
    letters = np.array([sign.isalnum() for sign in text])
    edges = edges_of_spans(spans, len(text))
    counts = np.add.reduceat(letters, edges, dtype=np.int64)[::2]
    sums = np.add.reduceat(np.where(letters[:, None], styles, np.float32(0)), edges)[::2]
    if not counts.all():
        of_signs = counts == 0
        sums[of_signs] = np.add.reduceat(styles, edges)[::2][of_signs]
        counts[of_signs] = [end - start for start, end in np.array(spans)[of_signs]]
    return np.asarray(sums / counts[:, None], np.float32)


def edges_of_spans(spans: list[tuple[int, int]], length: int) -> NDArray[np.int64]:
    """Return where words and what lies between them begin, for `reduceat`: words are every other.

    spans: of words in a text of some length, one at least, the first at its start.
    """
    edges = np.ravel(spans)
    return edges[:-1] if edges[-1] == length else edges


def words_at(
    text: str,
    spans: list[tuple[int, int]],
    boxes: NDArray[np.float32],
    confidences: NDArray[np.float32],
    styles: Sequence[frozenset[Style]],
) -> list[Word]:
    """Return the words of a line; a word's confidence is the product over its characters.

    spans: as for `edges_of_spans`. boxes (N, 4), confidences (N,): of the characters. styles: of
    each word.
    """
    edges = edges_of_spans(spans, len(text))
    low = np.minimum.reduceat(boxes[:, :2], edges)[::2].tolist()
    high = np.maximum.reduceat(boxes[:, 2:], edges)[::2].tolist()
    sure = np.multiply.reduceat(confidences, edges)[::2].tolist()
    return [
        Word(text[start:end], Box(*low[n], *high[n]), sure[n], start, end, styles=styles[n])
        for n, (start, end) in enumerate(spans)
    ]


def settle_bold(lines: list[Line], placed: list[PlacedText], sizes: NDArray[np.float64]) -> None:
    """Mark words as bold that are clearly heavier than the page's usual word, in place.

    A face can be heavy or light throughout: what sets a word apart is its weight against the
    others, as the net sees it and as its strokes measure. Pages of a few words have no usual
    weight; there the net's word alone counts.

    sizes: the x-height of each line, in pixels.
    """
    words = [word for line in lines for word in line.words]
    if not words:
        return
    of_line = np.repeat(np.arange(len(lines)), [len(line.words) for line in lines])
    spans = [[(word.start, word.end) for word in line.words] for line in lines]
    heavy = np.concatenate(
        [
            word_styles(text.text, own, text.styles)[:, 0]
            for text, own in zip(placed, spans, strict=True)
        ]
    ).astype(float)
    odds = np.log((heavy + 1e-3) / (1 - heavy + 1e-3))
    if len(words) < BOLD.words:
        bold = odds > BOLD.heavy / np.sqrt([len(word.text) for word in words])
    else:
        edges = np.concatenate(
            [
                np.add.reduceat(text.edges, edges_of_spans(own, len(text.text)))[::2]
                for text, own in zip(placed, spans, strict=True)
            ]
        ).astype(float)
        width = _against_usual(edges[:, 0], np.hypot(edges[:, 1], edges[:, 2]))
        size = _against_usual(sizes[of_line], np.ones(len(words)))
        score = BOLD.against * np.minimum(odds, 0) + BOLD.relative * (odds - np.median(odds))
        score += BOLD.width * width + BOLD.size * size
        letters = np.array([sum(map(str.isalnum, word.text)) for word in words])
        # the stroke of a single letter or figure tells little
        bold = (score > BOLD.least) & ((letters > 1) | (odds > BOLD.heavy))
        bold |= _in_bold_lines(score, letters, of_line)
    for word, found in zip(words, bold, strict=True):
        if found:
            word.styles |= {Style.BOLD}


def _against_usual(values: NDArray[np.float64], per: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the logarithm of values / per, against its median; 0 where either is not known."""
    known = (values > 0) & (per > 0)
    found = np.zeros(len(values))
    if known.any():
        found[known] = np.log(values[known] / per[known])
        found[known] -= np.median(found[known])
    return found


def _in_bold_lines(
    score: NDArray[np.float64], letters: NDArray[np.int64], of_line: NDArray[np.int64]
) -> NDArray[np.bool_]:
    """Return which words stand in lines that are bold throughout.

    score, letters, of_line: of each word, its letters and figures and the number of its line.
    """
    total = np.bincount(of_line, letters)
    mean = np.bincount(of_line, letters * score) / np.maximum(total, 1)
    least = np.full(len(total), math.inf)
    np.minimum.at(least, of_line, score)
    found: NDArray[np.bool_] = (total >= BOLD.letters) & (mean > BOLD.mean) & (least > BOLD.each)
    return found[of_line]
