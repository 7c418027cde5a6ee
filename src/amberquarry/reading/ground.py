"""The form in which the net sees a line: one height, paper 0, ink 1.

Training and reading share this module, so that the net meets in use what it met in training.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

LINE_HEIGHT = 40  # rows of a line picture
BASELINE_ROW = 30.0
X_HEIGHT = 15.0  # rows from the baseline to the top of x
WIDTH_STRETCH = 1.15  # columns are wider than rows: narrow letters keep their own time step
TIME_STRIDE = 4  # columns for each step of the net

_HOP = 16  # columns; the ground is taken as one level over three times as many
_PAPER_RANK, _INK_RANK = 0.85, 0.985  # of the greys: as light as paper; as dark as strokes
LEAST_CONTRAST = 0.12  # of the ground; weaker traces are not stretched to full ink


def even_ground(
    grey: NDArray[np.uint8], least_contrast: float = LEAST_CONTRAST
) -> NDArray[np.float32]:
    """Return a line picture as ink, 0 for paper and 1 for the line's darkest strokes.

    least_contrast: of strokes that are stretched to 1, as a share of the ground.

    grey: (H, W) with dark ink on lighter paper. The paper's level is followed along the line (a
    high percentile of a sliding window), the ink's level is one for the whole line.
    """
    height, width = grey.shape
    if width == 0 or height == 0:
        return np.zeros((height, width), np.float32)
    hops = max(1, -(-width // _HOP))
    padded = cv2.copyMakeBorder(grey, 0, 0, _HOP, hops * _HOP - width + _HOP, cv2.BORDER_REPLICATE)
    levels = _levels(padded[::2, ::2], hops)
    centres = (np.arange(hops) + 0.5) * _HOP
    ground = np.maximum(np.interp(np.arange(width) + 0.5, centres, levels), 1.0).astype(np.float32)
    ink = 1.0 - grey / ground
    ink /= _full(ink[::2, ::2], least_contrast)
    np.maximum(ink, 0.0, out=ink)
    return np.minimum(ink, 1.0, out=ink)


def _levels(thin: NDArray[np.uint8], hops: int) -> NDArray[np.uint8]:
    """Return the level of the paper around each hop (hops,).

    thin: (rows, (hops + 2) * columns of a hop), with a hop more at each end.
    """
    cells = thin.reshape(len(thin), hops + 2, -1).transpose(1, 0, 2).reshape(hops + 2, -1)
    samples = np.concatenate([cells[:-2], cells[1:-1], cells[2:]], axis=1)  # of each window
    rank = int(_PAPER_RANK * (samples.shape[1] - 1))
    # sorting bytes by their digits is faster than parting them
    return np.asarray(np.sort(samples, axis=1, kind="stable")[:, rank])


def _full(sample: NDArray[np.float32], least: float) -> float:
    """Return the ink of a line's darkest strokes: a high percentile, `least` or more."""
    above = sample.size - 1 - int(_INK_RANK * (sample.size - 1))  # samples over the percentile
    dark = sample[sample > least]
    if len(dark) <= above:
        return least
    rank = len(dark) - 1 - above
    return float(np.partition(dark, rank)[rank])
