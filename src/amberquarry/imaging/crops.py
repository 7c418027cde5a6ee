"""Parts of pages as picture files."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

_DARK, _PALE = 60, 200  # grey levels between which ink or paper is neither
_TONES, _GREYS = 0.12, 24  # share of such pixels, and levels that hold most, of a photograph
_QUALITY = 88  # of JPEG


def cut_out(
    pixels: NDArray[np.uint8], box: tuple[float, float, float, float], turned: int
) -> NDArray[np.uint8]:
    """Return a part of a page set upright.

    pixels: (H, W) or (H, W, 3). box: x0, y0, x1, y1. turned: degrees by which the content stands
    turned clockwise, by quarters.
    """
    x0, y0 = (max(0, int(edge)) for edge in box[:2])
    x1, y1 = (int(np.ceil(edge)) for edge in box[2:])
    return np.ascontiguousarray(np.rot90(pixels[y0:y1, x0:x1], turned // 90))


def encoded(pixels: NDArray[np.uint8]) -> tuple[str, bytes]:
    """Return a picture (H, W) or (H, W, 3) RGB as a file: its ending and its bytes.

    What is mostly tones becomes JPEG, drawings become PNG, which keeps their edges.
    """
    channels = cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR) if pixels.ndim == 3 else pixels
    if _is_toned(pixels):
        _, data = cv2.imencode(".jpg", channels, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
        return "jpg", data.tobytes()
    _, data = cv2.imencode(".png", channels)
    return "png", data.tobytes()


def _is_toned(pixels: NDArray[np.uint8]) -> bool:
    """Return whether many pixels are tones between ink and paper, and of many levels."""
    grey = pixels.mean(2) if pixels.ndim == 3 else pixels
    between = grey[(grey > _DARK) & (grey < _PALE)]
    if between.size < _TONES * grey.size:
        return False
    counts = np.sort(np.bincount(between.astype(np.uint8).ravel(), minlength=256))
    return bool(counts[-_GREYS:].sum() < 0.9 * between.size)
