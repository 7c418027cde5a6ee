"""A page's pieces on a coarse raster, on which white and neighbours are looked for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

COARSE = 4  # pixels of the page along the side of one of the raster


def painted(
    shape: tuple[int, int],
    left: NDArray[np.floating],
    top: NDArray[np.floating],
    right: NDArray[np.floating],
    bottom: NDArray[np.floating],
) -> NDArray[np.uint8]:
    """Return boxes, in pixels of a page of `shape`, painted on a coarse raster."""
    rows, columns = (-(-size // COARSE) + 1 for size in shape)
    raster = np.zeros((rows, columns), np.uint8)
    x0 = np.maximum(0, np.round(left / COARSE)).astype(int)
    x1 = np.maximum(x0 + 1, np.round(right / COARSE)).astype(int)
    y0 = np.maximum(0, np.round(top / COARSE)).astype(int)
    y1 = np.maximum(y0 + 1, np.round(bottom / COARSE)).astype(int)
    for a, b, c, d in zip(y0.tolist(), y1.tolist(), x0.tolist(), x1.tolist(), strict=True):
        raster[a:b, c:d] = 1
    return raster
