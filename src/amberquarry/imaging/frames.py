"""The tones of a source picture in the level frame of a page."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.values import Bend, Mapping

_STEP = 16  # pixels between the points that are mapped; between them it runs straight enough
_PAPER_SHARE = 90  # percentile of the picture's levels, beyond its edges
_FLAT = 1e-12  # of what makes a projection more than an affine map
_DOWN = np.array([[1.0, 0.0, 0.5], [0.0, 1.0, 0.5], [0.0, 0.0, 1.0]])
_UP = np.array([[1.0, 0.0, -0.5], [0.0, 1.0, -0.5], [0.0, 0.0, 1.0]])


def in_frame(
    grey: NDArray[np.uint8], to_source: Mapping, size: tuple[int, int]
) -> NDArray[np.uint8]:
    """Return a picture as it lies in a frame of a size (width, height).

    to_source: from the frame to the picture. Beyond the picture lies paper.
    """
    paper = float(np.percentile(grey[::8, ::8], _PAPER_SHARE)) if grey.size else 255.0
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    plane = _plane(to_source)
    if plane is not None:
        centred = _UP @ plane @ _DOWN  # OpenCV counts from the centres of pixels
        if np.abs(centred[2, :2]).max() < _FLAT:
            found = cv2.warpAffine(
                grey,
                centred[:2] / centred[2, 2],
                size,
                flags=flags,
                borderMode=cv2.BORDER_CONSTANT,
                borderValue=paper,
            )
        else:
            found = cv2.warpPerspective(
                grey,
                centred,
                size,
                flags=flags,
                borderMode=cv2.BORDER_CONSTANT,
                borderValue=paper,
            )
        return np.asarray(found, np.uint8)
    width, height = size
    columns, rows = -(-width // _STEP) + 1, -(-height // _STEP) + 1
    x, y = np.meshgrid(np.arange(columns) * _STEP, np.arange(rows) * _STEP)
    centres = np.stack([x, y], 2).astype(np.float64) + 0.5
    points = to_source.apply(centres) - 0.5
    # `warpAffine` reads the coarse map at the place of each pixel
    spread = np.array([[1 / _STEP, 0, 0], [0, 1 / _STEP, 0]])
    fine = cv2.warpAffine(
        points.astype(np.float32), spread, size, flags=flags, borderMode=cv2.BORDER_REPLICATE
    )
    found = cv2.remap(
        grey, fine, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=paper
    )
    return np.asarray(found, np.uint8)


def _plane(mapping: Mapping) -> NDArray[np.float64] | None:
    """Return the one projection (3, 3) that a mapping is, None where it bends."""
    if not mapping.steps:
        return np.eye(3)
    [first, *others] = mapping.steps
    return None if others or isinstance(first, Bend) else first
