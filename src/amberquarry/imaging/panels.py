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

_PLACES = (1, 3, 6)  # on the diagonal of a block: pixels that are looked at
_PALEST = 206  # grey level of panels is below
_EVEN = 8  # grey levels by which neighbouring blocks of a panel differ at most
_TOLERANCE = 14  # ... and its pixels from its tone
_SEEDS, _MOST_TONES = 8, 8  # even blocks of a tone at least; tones of a page, the usual first
_MOST_PANELS = 500  # of a page
_THICKEST_RULE = 12  # pixels
_LEAST_WIDTH, _LEAST_HEIGHT = 64, 24  # pixels
_LARGE = (
    120,
    150,
)  # pixels of its shorter side and tone: what is larger and darker is told by blocks
_CONVEX, _OWN = 0.85, 0.4  # of the rectangle around a panel, its hull; of that, what has its tone
# What lies 2 to 5 pixels within a panel's edge, by the sides of what is taken off; how much of it
# has the tone.
_RIM, _AT_RIM = (5, 11), 0.8
# Of letters: grey levels over the tone; share of the panel at most; pixels high and width over
# height; how many at least; share of what is light in the panel.
_LIGHTER, _COVER, _LETTER, _WIDEST, _LETTERS, _MOSTLY = 40, 0.5, 7, 3.0, 3, 0.6
_DARK_STROKES = 0.25  # of what is light, what is darker than the tone at most
_UNEVEN = 0.1  # of a panel, neither of its tone nor light
_WHITE, _AMID_WHITE = 200, 0.4  # of what lies around a panel
_IN_ROW = 8  # pixels by which upper and lower edges of the panels of a row differ
_SEAM = (3, 7)  # pixels of the soft edge inside and outside


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
        return abs(self.top - other.top) <= _IN_ROW and abs(foot - others) <= _IN_ROW


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
            if panel.in_row_with(other) and other.light > panel.tone + _LIGHTER
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
    even = cv2.dilate(small, near) - cv2.erode(small, near) <= _EVEN
    for place in _PLACES:
        points = grey[place::BLOCK, place::BLOCK]
        rows, columns = points.shape
        off = np.abs(points.astype(np.int16) - small[:rows, :columns])
        even[:rows, :columns] &= off <= _TOLERANCE
    paper = int(np.percentile(small, 97))
    even &= small < max(0, min(_PALEST, paper - _LIGHTER))
    return usual_levels(small[even], _SEEDS, _TOLERANCE)[:_MOST_TONES]


def _panels_of(grey: Grey, tone: int) -> list[_Panel]:
    """Return the panels of a tone."""
    own = cv2.inRange(grey, max(0, tone - _TOLERANCE), tone + _TOLERANCE)
    # the soft edges of strokes pass through all tones, and rules of the panel's tone hang on it
    own = cv2.morphologyEx(own, cv2.MORPH_OPEN, np.ones((3, _THICKEST_RULE), np.uint8))
    outlines, _ = cv2.findContours(own, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    found: list[_Panel] = []
    for outline in outlines:
        _, _, width, height = cv2.boundingRect(outline)
        if width < _LEAST_WIDTH or height < _LEAST_HEIGHT:
            continue
        hull = cv2.convexHull(outline)
        (_, _), sides, _ = cv2.minAreaRect(hull)
        if cv2.contourArea(hull) < _CONVEX * sides[0] * sides[1] or len(found) == _MOST_PANELS:
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
    room = _SEAM[1] + 1
    left, top = max(0, left - room), max(0, top - room)
    part = np.s_[top : top + height + 2 * room, left : left + width + 2 * room]
    levels = grey[part]
    filled = cv2.fillConvexPoly(np.zeros(levels.shape, np.uint8), hull - [left, top], 1)
    inside = filled > 0
    has_tone = own[part] > 0
    outer, inner = (cv2.erode(filled, np.ones((side, side), np.uint8)) for side in _RIM)
    rim = outer > inner
    # white reaches into large letters from outside
    if has_tone[inside].mean() < _OWN or has_tone[rim].sum() < _AT_RIM * rim.sum():
        return None
    near, far = (
        cv2.dilate(filled, np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)) for reach in (3, room)
    )
    around = levels[far > near]
    paper = around[around >= max(_WHITE, tone + _LIGHTER)]
    if not len(paper) or len(paper) < _AMID_WHITE * len(around):
        return None
    light = _level_of_letters(levels, inside, tone)
    return _Panel(tone, left, top, inside, light, float(np.median(paper)))


def _level_of_letters(levels: Grey, inside: Mask, tone: int) -> float:
    """Return the grey level of light letters in a panel, 0 where there are none or others too."""
    lighter, darker = inside & (levels > tone + _LIGHTER), inside & (levels < tone - _LIGHTER)
    if not 0 < lighter.sum() < _COVER * inside.sum():
        return 0.0
    if darker.sum() > _DARK_STROKES * lighter.sum():
        return 0.0
    even = inside & (np.abs(levels.astype(np.int16) - tone) <= _TOLERANCE)
    if inside.sum() - even.sum() - lighter.sum() > _UNEVEN * inside.sum():
        return 0.0
    light = float(np.percentile(levels[lighter], 90))
    strokes = (inside & (levels > (tone + light) / 2)).astype(np.uint8)
    labels, pieces = connected_pieces(strokes)
    _, _, width, height, area = pieces[1:].T
    edge = inside & (cv2.erode(inside.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    letters = (height >= _LETTER) & (width <= _WIDEST * height)
    letters &= ~np.isin(np.arange(1, len(pieces)), labels[edge])
    fits = letters.sum() >= _LETTERS and area[letters].sum() >= _MOSTLY * area.sum()
    return light if fits else 0.0


def _turn(levels: Grey, panel: _Panel, light: float) -> None:
    """Turn a panel round, in place: its tone becomes paper, its letters black."""
    whole = panel.inside.astype(np.uint8)
    inner = cv2.erode(whole, np.ones((_SEAM[0], _SEAM[0]), np.uint8)) > 0
    outer = cv2.dilate(whole, np.ones((_SEAM[1], _SEAM[1]), np.uint8)) > 0
    share = np.clip((levels.astype(np.float32) - panel.tone) / (light - panel.tone), 0, 1)
    seam = outer & ~inner & (levels >= panel.tone - _TOLERANCE)
    levels[seam] = panel.paper
    levels[inner] = (panel.paper * (1 - share))[inner]
