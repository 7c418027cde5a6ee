"""What a PDF page says of its text: characters, drawn lines and pictures, as arrays."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Boxes = NDArray[np.float64]  # (N, 4): x0, y0, x1, y1 in pixels of the page as displayed


@dataclass(frozen=True, slots=True)
class LayerFont:
    """A font of a page, by what its file says."""

    name: str
    bold: bool
    italic: bool
    fixed_pitch: bool
    symbolic: bool


@dataclass(frozen=True)
class TextLayer:
    """The characters of a page in the order in which its file draws them.

    What the PDF library puts between words and lines, where the file has white, is `generated`.
    """

    width: int
    height: int
    to_points: NDArray[np.float64]  # (3, 2), see `read_layer`
    codes: NDArray[np.uint32]  # (N,): Unicode code points
    boxes: Boxes  # of the ink of each
    advances: Boxes  # of the room that each takes
    origins: NDArray[np.float64]  # (N, 2): where each stands on its base line
    angle: NDArray[np.float64]  # (N,): degrees by which it stands turned clockwise
    size: NDArray[np.float64]  # (N,): of its type, in pixels
    font: NDArray[np.int64]  # (N,): index in `fonts`, -1 for generated ones
    invisible: NDArray[np.bool_]  # (N,): drawn without ink
    pale: NDArray[np.bool_]  # (N,): drawn as white as paper
    unmapped: NDArray[np.bool_]  # (N,): the file does not say which letter it is
    generated: NDArray[np.bool_]  # (N,)
    fonts: tuple[LayerFont, ...]
    lines: Boxes  # straight lines across or down, as thin boxes
    drawings: Boxes  # of other paths
    fills: Boxes  # of toned areas
    pictures: Boxes

    def __len__(self) -> int:
        return len(self.codes)


def steps_of(angle: NDArray[np.float64], advances: Boxes) -> NDArray[np.float64]:
    """Return how far and which way each character goes on along its line (N, 2)."""
    turn = np.radians(angle)
    along = np.stack([np.cos(turn), np.sin(turn)], 1)
    size = advances[:, 2:] - advances[:, :2]
    return np.asarray(along * np.abs(size * along).sum(1)[:, None])


@dataclass(frozen=True, slots=True)
class PageLink:
    """An area of a page that leads somewhere."""

    uri: str
    box: tuple[float, float, float, float]  # in the page's points


class PictureFile(NamedTuple):
    """A picture of a page as a file of its own."""

    ending: str  # jpg or png
    data: bytes


@dataclass(frozen=True, slots=True)
class PageLayer:
    """A page's text layer, and a small picture of the page to hold it against."""

    text: TextLayer
    glance: NDArray[np.uint8]  # (h, w), grey levels
    scale: float  # pixels of the glance for one of the layer
    dpi: float  # of the layer's pixels
    whole_scan: bool  # one picture covers the page
