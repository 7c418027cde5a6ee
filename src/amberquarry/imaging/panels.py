"""Turn even rectangles with light letters round: heads of tables, buttons, bars of titles."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.shrink import BLOCK, usual_levels

Grey = NDArray[np.uint8]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class Panel:
    """A rectangle of one tone that bears light letters (`benchmarks/layout.py`, manuals)."""

    places: tuple[int, int, int] = (1, 3, 6)  # pixels on the diagonal of a block that are looked at
    palest: int = 206  # its grey level is below
    even: int = 8  # grey levels by which neighbouring blocks differ at most
    tolerance: int = 14  # grey levels of its pixels from its tone, at most
    seeds: int = 8  # even blocks of a tone, at least
    most_tones: int = 8  # of a page, the usual first
    most: int = 500  # of a page
    rule: int = 12  # pixels of a rule that it may hold
    width: int = 64  # pixels, at least
    height: int = 24  # pixels, at least
    convex: float = 0.85  # of the rectangle around it, its hull
    own: float = 0.4  # of that, what has its tone
    rim: tuple[int, int] = (5, 11)  # sides of what is taken off: a rim of 2 to 5 pixels is left
    at_rim: float = 0.8  # of these, what has the tone
    uneven: float = 0.1  # share that has neither its tone nor is light
    white: int = 200  # grey level of paper
    amid: float = 0.4  # of what lies around it, that is paper
    in_row: int = 8  # pixels by which edges of the panels of a row differ
    seam: tuple[int, int] = (3, 7)  # pixels of the soft edge inside and outside


@dataclass(frozen=True, slots=True)
class LightLetters:
    """Letters that are lighter than their panel."""

    lighter: int = 40  # grey levels over the tone
    cover: float = 0.5  # share of the panel, at most
    high: int = 7  # pixels, at least
    widest: float = 3.0  # width over height
    letters: int = 3  # at least
    mostly: float = 0.6  # share of what is light in the panel
    dark: float = 0.25  # of what is light, what is darker than the tone at most


PANEL, LIGHT = Panel(), LightLetters()
# Pixels of its shorter side, and tone: what is larger and darker is told by blocks.
_LARGE = (120, 150)


@dataclass(frozen=True, slots=True)
class _Panel:
    tone: int
    left: int
    top: int
    inside: Mask  # of the rectangle around it, with room for the edge
    light: float  # level of its letters, 0 where it bears none
    paper: float  # level of what is light around it

    @property
    def place(self) -> tuple[slice, slice]:
        """Where on the page it is."""
        height, width = self.inside.shape
        return np.s_[self.top : self.top + height, self.left : self.left + width]

    def in_row_with(self, other: _Panel) -> bool:
        """Return whether both have their edges on the same rows."""
        foot, others = self.top + len(self.inside), other.top + len(other.inside)
        return abs(self.top - other.top) <= PANEL.in_row and abs(foot - others) <= PANEL.in_row


def turn_panels(grey: Grey, small: Grey) -> tuple[Grey, float]:
    """Return a page with light letters on even rectangles as dark ones on paper.

    Also returns the share of the page that was turned. Areas much darker than paper and far higher
    than letters are told by blocks elsewhere; heads of tables are often hardly higher than their
    letters and of a middle tone. Here a panel is what has one tone to the pixel, is convex, lies
    amid paper, and bears light pieces of the size of letters and nothing dark.

    grey: (H, W). small: the same in blocks of 8 pixels.
    """
    found = [panel for tone in _tones(grey, small) for panel in _panels_of(grey, tone)]
    bearing = [panel for panel in found if panel.light]
    if not bearing:
        return grey, 0.0
    turned, done = grey.copy(), np.zeros(grey.shape, bool)
    for panel in found:
        lights = [
            other.light
            for other in bearing
            if panel.in_row_with(other) and other.light > panel.tone + LIGHT.lighter
        ]
        own = done[panel.place]
        # one of two tones, or with a gradient, is found twice
        if lights and not (own & panel.inside).any():
            _turn(turned[panel.place], panel, panel.light or lights[0])
            own |= panel.inside
    return turned, float(done.mean())


def _tones(grey: Grey, small: Grey) -> list[int]:
    """Return the usual grey levels of blocks that are even within and beside their neighbours."""
    near = np.ones((1, 3), np.uint8)
    even = cv2.dilate(small, near) - cv2.erode(small, near) <= PANEL.even
    for place in PANEL.places:
        points = grey[place::BLOCK, place::BLOCK]
        rows, columns = points.shape
        off = np.abs(points.astype(np.int16) - small[:rows, :columns])
        even[:rows, :columns] &= off <= PANEL.tolerance
    paper = int(np.percentile(small, 97))
    even &= small < max(0, min(PANEL.palest, paper - LIGHT.lighter))
    return usual_levels(small[even], PANEL.seeds, PANEL.tolerance)[: PANEL.most_tones]


def _panels_of(grey: Grey, tone: int) -> list[_Panel]:
    """Return the panels of a tone."""
    own = cv2.inRange(grey, max(0, tone - PANEL.tolerance), tone + PANEL.tolerance)
    # the soft edges of strokes pass through all tones, and rules of the panel's tone hang on it
    own = cv2.morphologyEx(own, cv2.MORPH_OPEN, np.ones((3, PANEL.rule), np.uint8))
    outlines, _ = cv2.findContours(own, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    found: list[_Panel] = []
    for outline in outlines:
        _, _, width, height = cv2.boundingRect(outline)
        if width < PANEL.width or height < PANEL.height:
            continue
        hull = cv2.convexHull(outline)
        (_, _), sides, _ = cv2.minAreaRect(hull)
        if cv2.contourArea(hull) < PANEL.convex * sides[0] * sides[1] or len(found) == PANEL.most:
            continue
        if min(sides) > _LARGE[0] and tone < _LARGE[1]:
            continue
        panel = _panel(grey, own, hull, tone)
        if panel is not None:
            found.append(panel)
    return found


def _panel(grey: Grey, own: Grey, hull: NDArray[np.int32], tone: int) -> _Panel | None:
    """Return what an area of one tone is, None where it is no panel amid paper.

    own: the pixels of the tone. hull: around the area.
    """
    left, top, width, height = cv2.boundingRect(hull)
    room = PANEL.seam[1] + 1
    left, top = max(0, left - room), max(0, top - room)
    part = np.s_[top : top + height + 2 * room, left : left + width + 2 * room]
    levels = grey[part]
    filled = cv2.fillConvexPoly(np.zeros(levels.shape, np.uint8), hull - [left, top], 1)
    inside = filled > 0
    has_tone = own[part] > 0
    outer, inner = (cv2.erode(filled, np.ones((side, side), np.uint8)) for side in PANEL.rim)
    rim = outer > inner
    # white reaches into large letters from outside
    if has_tone[inside].mean() < PANEL.own or has_tone[rim].sum() < PANEL.at_rim * rim.sum():
        return None
    near, far = (
        cv2.dilate(filled, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)) for reach in (3, room)
    )
    around = levels[far > near]
    paper = around[around >= max(PANEL.white, tone + LIGHT.lighter)]
    if not len(paper) or len(paper) < PANEL.amid * len(around):
        return None
    light = _level_of_letters(levels, inside, tone)
    return _Panel(tone, left, top, inside, light, float(np.median(paper)))


def _level_of_letters(levels: Grey, inside: Mask, tone: int) -> float:
    """Return the grey level of light letters in a panel, 0 where there are none or others too."""
    lighter, darker = (
        inside & (levels > tone + LIGHT.lighter),
        inside & (levels < tone - LIGHT.lighter),
    )
    if not 0 < lighter.sum() < LIGHT.cover * inside.sum():
        return 0.0
    if darker.sum() > LIGHT.dark * lighter.sum():
        return 0.0
    even = inside & (np.abs(levels.astype(np.int16) - tone) <= PANEL.tolerance)
    if inside.sum() - even.sum() - lighter.sum() > PANEL.uneven * inside.sum():
        return 0.0
    light = float(np.percentile(levels[lighter], 90))
    strokes = (inside & (levels > (tone + light) / 2)).astype(np.uint8)
    labels, pieces = connected_pieces(strokes)
    _, _, width, height, area = pieces[1:].T
    edge = inside & (cv2.erode(inside.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    letters = (height >= LIGHT.high) & (width <= LIGHT.widest * height)
    letters &= ~np.isin(np.arange(1, len(pieces)), labels[edge])
    fits = letters.sum() >= LIGHT.letters and area[letters].sum() >= LIGHT.mostly * area.sum()
    return light if fits else 0.0


def _turn(levels: Grey, panel: _Panel, light: float) -> None:
    """Turn a panel round, in place: its tone becomes paper, its letters black."""
    whole = panel.inside.astype(np.uint8)
    inner = cv2.erode(whole, np.ones((PANEL.seam[0], PANEL.seam[0]), np.uint8)) > 0
    outer = cv2.dilate(whole, np.ones((PANEL.seam[1], PANEL.seam[1]), np.uint8)) > 0
    share = np.clip((levels.astype(np.float32) - panel.tone) / (light - panel.tone), 0, 1)
    seam = outer & ~inner & (levels >= panel.tone - PANEL.tolerance)
    levels[seam] = panel.paper
    levels[inner] = (panel.paper * (1 - share))[inner]
