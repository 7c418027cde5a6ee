"""The whole layout of a prepared page."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.document import Box
from amberquarry.imaging import Prepared
from amberquarry.layout.blocks import Region, make_blocks
from amberquarry.layout.components import find_components
from amberquarry.layout.lines import find_gutters, find_lines
from amberquarry.layout.order import reading_order

_UNKNOWN_LETTER_PX = 24.0  # for pages with too few letters to measure


@dataclass(frozen=True, slots=True)
class Layout:
    """Blocks in reading order, and which ink belongs to which line."""

    regions: list[Region]
    labels: NDArray[np.int32]  # (H, W), component of every pixel, 0 is the ground
    rules: NDArray[np.uint8]  # (H, W), 1 where a rule was taken out
    gutters: list[Box]


def analyse(page: Prepared) -> Layout:
    """Return the layout of a prepared page; a page without text has no regions with lines."""
    letter = page.letter_height or _UNKNOWN_LETTER_PX
    found = find_components(page.ink, page.grey, letter)
    gutters = find_gutters(found, letter)
    lines = find_lines(found, letter, gutters)
    regions, columns = make_blocks(lines, gutters, found.pictures)
    return Layout(reading_order(regions, columns, letter), found.labels, found.rules, gutters)
