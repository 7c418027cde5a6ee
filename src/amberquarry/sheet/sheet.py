"""The sheet: all that is known of one page side before it has meaning."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

from amberquarry.sheet.areas import Areas
from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.measuring import TextLine
from amberquarry.sheet.rules import Rules
from amberquarry.values import Box, Frame, Line

UNKNOWN_LETTER_PX = 24.0  # for pages with too few letters to measure
MOST_LINES = 4000  # of a page that are laid out at once


@dataclass(frozen=True, slots=True)
class LinesFound:
    """The text lines of a page before they are put together to blocks."""

    lines: list[TextLine]
    margin: list[TextLine] = field(default_factory=list)  # of notes in the margin
    gutters: list[Box] = field(default_factory=list)  # white or rules that may part columns


@dataclass(frozen=True, slots=True)
class Sheet:
    """One page side in its level frame, from ink or from a text layer.

    What comes after it sees no pixels, and never looks at rotation or skew again.
    """

    frame: Frame
    letter_px: float  # usual height of its letters, 0 if unknown
    glyphs: Glyphs
    rules: Rules
    areas: Areas
    found: LinesFound

    @property
    def letter(self) -> float:
        """The usual height of its letters, or a guess."""
        return self.letter_px or UNKNOWN_LETTER_PX


class Texts(Protocol):
    """Who knows what stands in the lines of a sheet: a reader of ink, or a text layer."""

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return the text of lines by their numbers, without those that are no text."""
