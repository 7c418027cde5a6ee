"""Coloured marks that cross dark print: stamps, ruling, underlines, pen strokes."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import ground_of
from amberquarry.imaging.pieces import Labels, connected_pieces

Grey = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class ColouredInk:
    """Coloured ink, as how much of the paper's level is missing."""

    coloured: float = 0.8  # share of a grey ink that the brightest channel shows; colours show less
    least: float = 0.1  # a mark has at least so much
    dark: float = 0.5  # dark print has more
    deepest: int = 75  # percentile of a mark's ink that is its own level


@dataclass(frozen=True, slots=True)
class ColouredMark:
    """A stamp or mark of coloured ink; lengths as shares of the page's longer side."""

    gap: float = 0.005  # between its parts
    thick: float = 0.01  # width of a thick stroke
    most_thick: float = 0.3  # share of its area in thick strokes: more is a picture
    reach: float = 0.03  # over which it goes on where its colour is lost
    large: int = 1000  # pixels of that side, from which this is told from edges of letters
    length: float = 0.015  # of a mark, at least
    crossed: int = 3  # dark pieces that it crosses, at least
    within: float = 0.7  # of a piece's pixels: with more in a mark it is not crossed by it


@dataclass(frozen=True, slots=True)
class PageColours:
    """The page that coloured ink stands on."""

    fine: float = 4e6  # pixels: with more it is looked at in half its size
    paper: float = 0.8  # of the ground's level: what marks stand on
    ground: int = 90  # percentile of the greys that is the ground's level
    darkest: int = 100  # median grey level: darker pages bear light print
    step: int = 7  # pixels from one that is looked at to the next


INK, MARK, PAGE = ColouredInk(), ColouredMark(), PageColours()


def without_marks(grey: Grey, colours: NDArray[np.uint8]) -> Grey | None:
    """Return a page without the coloured marks that cross its dark print, None where none do.

    grey: (H, W). colours: (H, W, 3) of the same page, its channels in any order.

    Marks are thin, long pieces of coloured ink that touch several dark pieces; coloured letters and
    areas are left alone. Under a mark the brightest channel shows the dark print by itself.
    """
    shrink = 2 if grey.size > PAGE.fine else 1
    size = (grey.shape[1] // shrink, grey.shape[0] // shrink)
    if min(size) < 64:
        return None
    brightest = _brightest(colours)
    ink, bright_ink = (_ink_in(part, shrink) for part in (grey, brightest))
    coloured = ((bright_ink < INK.coloured * ink) & (ink > INK.least)).astype(np.uint8)
    if not coloured.any():
        return None
    if np.median(grey[:: PAGE.step, :: PAGE.step]) < PAGE.darkest:
        return None  # light print on dark
    ground = cv2.resize(ground_of(grey), size)
    dark = (bright_ink > INK.dark).astype(np.uint8)
    longest = max(size)
    gap = np.ones((round(MARK.gap * longest) | 1,) * 2, np.uint8)
    joined = cv2.morphologyEx(coloured, cv2.MORPH_CLOSE, gap)
    labels, stats, chosen = _crossing(joined, coloured, dark, ground)
    if not chosen.any():
        return None
    near = np.ones((3, 3), np.uint8)
    print_free = cv2.dilate(dark, near) == 0
    pale = np.zeros(joined.shape, bool)
    if longest >= MARK.large:
        pale = _between(joined, longest) & (ink > INK.least) & print_free
        wider, its_stats, its_chosen = _crossing(joined | pale, coloured, dark, ground)
        if its_chosen.any():
            labels, stats, chosen = wider, its_stats, its_chosen
    lightness = np.ones(len(stats), np.float32)  # of each mark in the brightest channel
    for number in np.flatnonzero(chosen):
        left, top, width, height = stats[number, :4]
        part = np.s_[top : top + height, left : left + width]
        own = (labels[part] == number) & (coloured[part] > 0)
        lightness[number] = 1 - np.percentile(bright_ink[part][own], INK.deepest)
    deep = cv2.erode(lightness[labels], np.ones((5, 5), np.uint8))
    pale &= chosen[labels]
    if pale.any():
        edges = (cv2.dilate(pale.astype(np.uint8), near) > 0) & print_free
        deep[edges] = np.minimum(deep[edges], 1 - np.percentile(bright_ink[pale], INK.deepest))
    return _lifted(grey, brightest, deep)


def _brightest(colours: NDArray[np.uint8]) -> Grey:
    """Return the brightest channel (H, W), in which coloured marks are palest."""
    one, two, three = cv2.split(colours)
    return np.asarray(cv2.max(cv2.max(one, two), three), np.uint8)


def _crossing(
    joined: NDArray[np.uint8], coloured: NDArray[np.uint8], dark: NDArray[np.uint8], ground: Grey
) -> tuple[Labels, NDArray[np.int32], NDArray[np.bool_]]:
    """Return pieces of coloured ink, their measures, and which are marks that cross dark print."""
    longest = max(joined.shape)
    labels, stats = connected_pieces(joined)
    sides = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].max(1)
    chosen = sides >= MARK.length * longest
    chosen[0] = False
    core = np.ones((round(MARK.thick * longest) | 1,) * 2, np.uint8)
    area = stats[:, cv2.CC_STAT_AREA]
    thick = np.bincount(
        labels[cv2.morphologyEx(joined, cv2.MORPH_OPEN, core) > 0], minlength=len(area)
    )
    chosen &= thick <= MARK.most_thick * area
    chosen &= _pieces_crossed(labels, dark, len(area)) >= MARK.crossed
    chosen &= _on_paper(ground, labels, area)
    chosen &= np.bincount(labels.ravel(), coloured.ravel(), len(area)) > 0
    return labels, stats, chosen


def _between(marks: NDArray[np.uint8], longest: int) -> NDArray[np.bool_]:
    """Return what lies between marks along straight lines, across or upright.

    Compressed pictures lose the colour of pale ruling in places.
    """
    reach = round(MARK.reach * longest) | 1
    bridged = [
        cv2.morphologyEx(marks, cv2.MORPH_CLOSE, np.ones(shape, np.uint8))
        for shape in ((1, reach), (reach, 1))
    ]
    return np.asarray((bridged[0] | bridged[1]) > marks)


def _on_paper(ground: Grey, labels: Labels, area: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Return which marks stand on the page's paper, not on a coloured area or in a photograph."""
    around = np.bincount(labels.ravel(), ground.ravel(), len(area)) / np.maximum(area, 1)
    return np.asarray(around >= PAGE.paper * np.percentile(ground, PAGE.ground))


def _lifted(grey: Grey, brightest: Grey, deep: NDArray[np.float32]) -> Grey:
    """Return the page with marks at the paper's level; what is darker in them stays.

    deep: the marks' own share of the paper's level, 1 beside them.
    """
    size = grey.shape[::-1]
    inside = cv2.resize((deep < 1).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    paper, of_channel = (ground_of(part).astype(np.float32) for part in (grey, brightest))
    gain = cv2.resize(paper / np.maximum(30, of_channel), size)[inside]
    gain /= cv2.resize(deep, size, interpolation=cv2.INTER_NEAREST)[inside]
    level = np.minimum(brightest[inside] * gain, cv2.resize(paper, size)[inside])
    lifted = grey.copy()
    lifted[inside] = np.maximum(grey[inside], level.astype(np.uint8))
    return lifted


def _ink_in(part: Grey, shrink: int) -> NDArray[np.float32]:
    """Return how much of the paper's level is missing, the most of each block of pixels."""
    height, width = part.shape[0] // shrink, part.shape[1] // shrink
    darkest = cv2.erode(part, np.ones((shrink, shrink), np.uint8), anchor=(0, 0))
    darkest = darkest[: height * shrink : shrink, : width * shrink : shrink]
    paper = cv2.resize(ground_of(part), (width, height)).astype(np.float32)
    return np.asarray(1 - darkest / np.maximum(paper, 30), np.float32)


def _pieces_crossed(labels: Labels, dark: NDArray[np.uint8], count: int) -> NDArray[np.int64]:
    """Return for each of `count` marks how many pieces of dark print it crosses.

    Print that is crossed goes on beyond the mark. Letters smoothed for the stripes of a screen have
    coloured edges all around: those make no mark, since the letters lie within them.
    """
    _, pieces, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    near = cv2.dilate(labels.astype(np.float32), np.ones((3, 3), np.uint8)).astype(np.int64)
    both = (near > 0) & (pieces > 0)
    pairs, covered = np.unique(near[both] * len(stats) + pieces[both], return_counts=True)
    mark, piece = np.divmod(pairs, len(stats))
    beyond = covered < MARK.within * stats[piece, cv2.CC_STAT_AREA]
    return np.bincount(mark[beyond], minlength=count)
