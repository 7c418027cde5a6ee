"""The size of type of lines whose letters are of one height."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine, lean_median, weighted_median


@dataclass(frozen=True, slots=True)
class SizesOfType:
    """What tells the x-height of a line of letters of one height; lengths in x-heights."""

    near: float = 6.0  # within which other lines tell it,
    enough: int = 3  # of them, at least,
    far: float = 20.0  # and where there are fewer
    same: float = 0.04  # logarithm of two that are the same


SIZES = SizesOfType()
ONE_TYPE = 0.1  # logarithm of two x-heights of one size of type


def settle_x_heights(lines: list[TextLine]) -> None:
    """Decide for lines of one letter height whether it is the x-height or that of capitals."""
    weights = np.array([len(line.pieces) for line in lines if not line.plain], float)
    heights = np.array([line.x_height for line in lines if not line.plain])
    if len(heights):
        usual = weighted_median(heights, weights)
    else:
        usual = (
            float(np.median([line.x_height for line in lines])) / CAPITAL_RATIO if lines else 1.0
        )
    sure = [line for line in lines if not line.plain]
    x0, y0, x1, y1 = np.array([line.box for line in sure], float).reshape(-1, 4).T
    for line in lines:
        if not line.plain:
            continue
        as_capitals = line.x_height / CAPITAL_RATIO
        found = np.abs(np.log(heights[:, None] / np.array([line.x_height, as_capitals])))
        as_it_is, lower = (found < SIZES.same).sum(0).tolist()
        if as_it_is >= SIZES.enough and not lower:  # set like much of the page
            continue
        near = usual
        if sure:
            away = np.abs(y0 - line.box.y0) / line.x_height
            column = (x0 < line.box.x1) & (line.box.x0 < x1)
            beside = column & (away < SIZES.near)
            if beside.sum() < SIZES.enough:  # one may be measured wrong
                beside = column & (away < SIZES.far)
            if beside.any():
                near = lean_median(heights[beside])
                # the last line of a heading is told by the one over it, not by the text under it
                gap = np.maximum(y0 - line.box.y1, line.box.y0 - y1)
                ratio = heights[:, None] / np.array([line.x_height, as_capitals])
                fits = np.abs(np.log(ratio)).min(1) < ONE_TYPE
                close = np.flatnonzero(beside & fits & (gap < line.x_height))
                if len(close):
                    near = float(heights[close[np.argmin(gap[close])]])
        letters = len(line.pieces)
        if (letters >= 8 and line.x_height > 1.15 * near) or abs(np.log(as_capitals / near)) < abs(
            np.log(line.x_height / near)
        ):
            line.x_height = as_capitals
