"""Sheets and layouts for tests."""

from dataclasses import dataclass

import numpy as np

from amberquarry.imaging import Prepared
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, sheet_of
from amberquarry.layout.arranging import Layout, arrange
from amberquarry.reading.placed import PlacedText
from amberquarry.reading.reader import make_line
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.areas import Areas
from amberquarry.sheet.glyphs import Glyphs, core_letters
from amberquarry.sheet.measuring import CAPITAL_RATIO, measure_lines
from amberquarry.sheet.rules import Rules
from amberquarry.sheet.sheet import LinesFound, Sheet
from amberquarry.values import Frame, Mapping


@dataclass(frozen=True)
class LaidOut:
    """A prepared page with its ink, its sheet and its layout."""

    ink: Ink
    sheet: Sheet
    layout: Layout

    @property
    def lines(self):
        """The lines of all blocks in reading order."""
        return self.layout.lines

    @property
    def regions(self):
        """The blocks in reading order."""
        return self.layout.regions

    @property
    def columns(self):
        """The gutters between columns."""
        return self.layout.columns


def laid_out(page: Prepared) -> LaidOut:
    """Lay out a prepared page."""
    ink = ink_of(page)
    text = find_text(ink, page.letter_height, LayoutSettings())
    sheet = sheet_of(page, ink, text)
    return LaidOut(ink, sheet, arrange(sheet))


_PROSE = (
    "the keeper of the tower wrote down how high the water stood and then went back to trim the "
    "lamp before the wind turned to the north and the rain came in again"
)
LOW = set("acegmnopqrsuvwxyz")
UNDER = set("gjpqy")


@dataclass(frozen=True)
class Set:
    """A row of text as it is set: from x on, on a base line y, its small letters so high."""

    text: str
    x: float
    y: float
    size: float = 20.0

    @property
    def advance(self):
        """Pixels from letter to letter."""
        return 1.1 * self.size


class LetterTexts:
    """Texts of a sheet whose letters are known, as those of a text layer are."""

    def __init__(self, glyphs, letters):
        self.glyphs, self.letters = glyphs, letters

    def read(self, lines):
        """Return the text of each line: its letters from the left, parted where white is wide."""
        return {line.number: self._line(line) for line in lines}

    def _line(self, line):
        pieces = sorted(line.pieces.tolist(), key=lambda piece: self.glyphs.left[piece])
        text, boxes, right = "", [], None
        for piece in pieces:
            box = self.glyphs.boxes_of(np.array([piece]))[0]
            if right is not None and box[0] - right > 0.5 * line.x_height:
                text += " "
                boxes.append([right, box[1], box[0], box[3]])
            text += self.letters[piece]
            boxes.append(box)
            right = box[2]
        placed = PlacedText(
            text,
            np.array(boxes, np.float32),
            np.ones(len(text), np.float32),
            np.zeros((len(text), 5), np.float32),
            np.zeros((len(text), 3), np.float32),
        )
        found = make_line(placed)
        found.x_height = line.x_height
        return found


def typeset(rows, rules=None, areas=None, size=(2000, 2800)):
    """Return a sheet with rows of text, and who knows their texts; nothing is drawn.

    rows: `Set`s, each a line of its own. size: width and height of the page.
    """
    boxes, letters, groups = [(0, 0, 0, 0)], [""], []
    for row in rows:
        own = []
        for number, sign in enumerate(row.text):
            if sign == " ":
                continue
            left = row.x + number * row.advance
            tall = row.size if sign in LOW else CAPITAL_RATIO * row.size
            foot = row.y + (0.35 * row.size if sign in UNDER else 0)
            own.append(len(boxes))
            letters.append(sign)
            boxes.append((left, row.y - tall, left + 0.85 * row.advance, foot))
        groups.append(np.array(own))
    left, top, right, bottom = np.round(np.array(boxes)).astype(np.int32).T
    usable = np.ones(len(boxes), bool)
    usable[0] = False
    area = (right - left) * (bottom - top) // 2
    glyphs = Glyphs((size[1], size[0]), left, top, right, bottom, area, usable)
    letter = CAPITAL_RATIO * float(np.median([row.size for row in rows]))
    lines = measure_lines(glyphs, groups, core_letters(glyphs, letter))
    frame = Frame(*size, Mapping())
    found = LinesFound(lines)
    sheet = Sheet(frame, letter, glyphs, rules or Rules(), areas or Areas(), found)
    return sheet, LetterTexts(glyphs, letters)


def prose(lines, x, y, size=20.0, pitch=2.2, letters=40):
    """Return rows of running text, the last one short."""
    words = _PROSE.split()
    rows, number = [], 0
    for row in range(lines):
        text = ""
        while len(text) < (letters if row < lines - 1 else letters // 2):
            text += words[number % len(words)] + " "
            number += 1
        text = text[:letters].strip() + ("." if row == lines - 1 else "")
        rows.append(Set(text, x, y + row * pitch * size, size))
    return rows
