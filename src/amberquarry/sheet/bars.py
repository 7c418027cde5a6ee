"""Barcodes, which look like a line of unknown letters."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Bars:
    """Bars of a barcode; the pages of labels and slips of `benchmarks/paper.py`."""

    fewest: int = 12
    tall: float = 1.7  # letters high, at least
    width: float = 0.3  # of their height, at most
    level: float = 0.06  # of their height, by which heads and feet differ
    most: int = 2000  # more are noise


BARS = Bars()


def are_bars(boxes: NDArray[np.floating], letter: float) -> NDArray[np.bool_]:
    """Return for each box (N, 4) whether it is a bar among many, all as high and at one height.

    Barcodes look like a line of unknown letters. letter: usual height of the page's letters.
    """
    left, top, right, bottom = boxes.T
    height = bottom - top
    bars = np.flatnonzero((right - left < BARS.width * height) & (height > BARS.tall * letter))
    chosen = np.zeros(len(boxes), bool)
    if not BARS.fewest <= len(bars) <= BARS.most:
        return chosen
    slack = BARS.level * height[bars]
    alike = np.abs(top[bars][:, None] - top[bars]) < slack
    alike &= np.abs(bottom[bars][:, None] - bottom[bars]) < slack
    chosen[bars[alike.sum(0) >= BARS.fewest]] = True
    return chosen
