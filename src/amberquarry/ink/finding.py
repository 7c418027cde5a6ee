"""The text lines of a page's ink."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared
from amberquarry.ink.components import Ink, find_ink
from amberquarry.ink.gutters import find_gutters
from amberquarry.ink.lines import find_lines
from amberquarry.ink.margins import part_margins
from amberquarry.ink.pitch import join_fixed_pitch
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.glyphs import Glyphs, core_letters
from amberquarry.sheet.measuring import TextLine, from_the_left, measure_lines
from amberquarry.sheet.sheet import MOST_LINES, UNKNOWN_LETTER_PX, LinesFound, Sheet
from amberquarry.values import Box, Frame


def ink_of(page: Prepared) -> Ink:
    """Return the pieces, rules and areas of a prepared page."""
    return find_ink(page.ink, page.grey, page.letter_height or UNKNOWN_LETTER_PX)


def find_text(ink: Ink, letter: float, settings: LayoutSettings) -> LinesFound:
    """Return the lines of a page. letter: usual height of its letters, 0 if unknown."""
    return lines_of(ink.glyphs, ink.drawn_rules, ink.areas.pictures, letter, settings)


def lines_of(
    glyphs: Glyphs,
    rules: NDArray[np.uint8],
    pictures: list[Box],
    letter: float,
    settings: LayoutSettings,
    *,
    may_be_fixed: bool = True,
) -> LinesFound:
    """Return the lines that letters and marks make, from ink or from a text layer.

    rules: (H, W), 1 where a rule is drawn. letter: usual height of the letters, 0 if unknown.
    may_be_fixed: whether any may be set in fixed pitch.
    """
    letter = letter or UNKNOWN_LETTER_PX
    gutters = find_gutters(glyphs, rules, pictures, letter)
    lines = find_lines(glyphs, letter, gutters, settings)
    if len(lines) > MOST_LINES:
        return LinesFound(lines, [], gutters)
    core = core_letters(glyphs, letter)
    if may_be_fixed:
        lines, gutters = join_fixed_pitch(lines, gutters, glyphs, core)
    return LinesFound(*part_margins(lines, glyphs, core), gutters)


def lines_upside_down(turned: Ink, lines: list[TextLine], letter: float) -> list[TextLine]:
    """Return lines of a page measured on the page turned by 180 degrees.

    turned: the ink of the turned page.
    """
    core = core_letters(turned.glyphs, letter or UNKNOWN_LETTER_PX)
    pieces = [from_the_left(line.pieces, turned.glyphs) for line in lines]
    return measure_lines(turned.glyphs, pieces, core)


def sheet_of(page: Prepared, ink: Ink, text: LinesFound) -> Sheet:
    """Return the sheet of a prepared page."""
    return Sheet(frame_of(page), page.letter_height, ink.glyphs, ink.rules, ink.areas, text)


def frame_of(page: Prepared) -> Frame:
    """Return the level frame of a prepared page. Around a tilted one it is higher by the tilt."""
    height, width = page.grey.shape
    angle = math.radians(abs(page.skew))
    own = (height * math.cos(angle) - width * math.sin(angle)) / math.cos(2 * angle)
    room = max(0.0, (height - own) / 2)
    return Frame(width, height, page.to_source, room, height - room)
