"""Letters in fixed pitch, on a grid of even steps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FINER = np.linspace(0.985, 1.015, 31)  # of a step, for a whole line


def fit_grid(
    places: NDArray[np.float64], step: float, tried: NDArray[np.float64] = FINER
) -> tuple[float, float, float]:
    """Return the grid near a given step on which places stand best: step, offset and fit.

    The offset is a part of a step; the fit, from 0 to 1, is the length of the mean of the places
    as phases (Rayleigh's measure). tried: steps, in parts of the given one.
    """
    steps = step * tried
    turns = np.exp(2j * np.pi * places / steps[:, None]).mean(1)
    best = int(np.abs(turns).argmax())
    return float(steps[best]), float(np.angle(turns[best])) / (2 * np.pi), float(abs(turns[best]))
