"""Pictures that hold one line."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared, prepare
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, sheet_of
from amberquarry.layout.arranging import arrange, whole_line
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import Settings
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Box, Line, Mapping, mapped_line

_GROUND = 3  # heights of a line's picture, that lie over and under it


def line_in(grey: NDArray[np.uint8], settings: Settings) -> tuple[Prepared, Ink, TextLine] | None:
    """Return the one line of a picture that was cut to it, None where there is no ink."""
    if min(grey.shape, default=0) < 3:
        return None
    prepared = _prepared(grey, settings, 1)
    if not prepared.letter_height:  # few or small letters
        prepared = _prepared(grey, settings, 2)
    ink = ink_of(prepared)
    text = find_text(ink, prepared.letter_height, settings.layout)
    sheet = sheet_of(prepared, ink, text)
    lines = arrange(sheet).lines
    if not lines:
        return None
    # wide gaps may have parted it
    return prepared, ink, lines[0] if len(lines) == 1 else whole_line(sheet, lines)


def _prepared(grey: NDArray[np.uint8], settings: Settings, scale: int) -> Prepared:
    """Return a line's picture prepared, with ground around it as on a page, enlarged by `scale`.

    Pieces as high as a good part of a picture are not taken for letters.
    """
    height = len(grey)
    over, beside = _GROUND * height, _GROUND * height // 4
    ground = float(np.median(grey))
    larger = cv2.copyMakeBorder(
        grey, over, over, beside, beside, cv2.BORDER_CONSTANT, value=(ground,)
    )
    if scale > 1:
        larger = cv2.resize(larger, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    prepared = prepare(np.asarray(larger, np.uint8), settings.preparation, lying=False)
    back = Mapping.of(np.array([[1 / scale, 0.0, -beside], [0.0, 1 / scale, -over]]))
    return replace(prepared, to_source=back.after(prepared.to_source))


def read_line_picture(
    grey: NDArray[np.uint8],
    reader: LineReader,
    settings: Settings,
    to_source: Mapping | None = None,
) -> Line:
    """Return what stands in the picture of one line; empty without ink.

    to_source: from the picture's pixels to those in which the boxes are wanted, if not the same.
    """
    found = line_in(grey, settings)
    if found is None:
        return empty_line()
    prepared, ink, line = found
    [read] = reader.read(prepared.grey, ink, [line])
    if read is None:
        return empty_line()
    own = prepared.to_source
    return mapped_line(read, own if to_source is None else to_source.after(own))


def empty_line() -> Line:
    """Return a line without text, of which nothing is sure."""
    none = np.zeros(0, np.float32)
    return Line("", Box(0, 0, 0, 0), 0.0, [], none.reshape(0, 4), none)
