"""Dotted rules are no text; leaders, bullets and points of figures are no rules."""

import unittest

import numpy as np
from PIL import ImageDraw

from amberquarry import BlockKind, read_page
from amberquarry.ink.dotted import dotted_rules
from amberquarry.pages.compose import _without_doubtful_dots
from tests.support.blocks import block_of
from tests.support.pages import PROSE, blank, pixels, wrap, write_lines

LETTER = 24.0


def pieces(*boxes):
    """Return the table of a page's pieces from boxes of x, y, width and height."""
    rows = [(0, 0, 1, 1, 1), *((x, y, w, h, w * h) for x, y, w, h in boxes)]
    return np.array(rows, np.int32)


def dots(x, y, count, step, size=4, down=False):
    """Return dots in a row across, or down."""
    return [
        (x + (0 if down else n * step), y + (n * step if down else 0), size, size)
        for n in range(count)
    ]


class RuleTest(unittest.TestCase):
    def found(self, *boxes):
        return [[round(edge) for edge in box] for _, box in dotted_rules(pieces(*boxes), LETTER)]

    def test_rows_across_and_down(self):
        """Both sides of a dotted border are rules, whatever letters stand inside of it."""
        letters = [(120 + 30 * n, 220, 18, 24) for n in range(8)]
        found = self.found(*dots(100, 200, 30, 8), *dots(96, 208, 8, 8, down=True), *letters)
        self.assertEqual(found, [[96, 208, 100, 268], [100, 200, 336, 204]])

    def test_leaders_stay(self):
        """Dots on the base line of an entry lead to its page."""
        entry = [(100 + 24 * n, 180, 18, 24) for n in range(4)]
        self.assertEqual(self.found(*entry, *dots(200, 200, 20, 9)), [])

    def test_bullets_and_points_stay(self):
        """Bullets stand a line apart, points of figures too; an ellipsis is short."""
        self.assertEqual(self.found(*dots(100, 100, 9, 40, size=12, down=True)), [])
        self.assertEqual(self.found(*dots(300, 100, 12, 36, size=4, down=True)), [])
        self.assertEqual(self.found(*dots(100, 100, 3, 8)), [])

    def test_a_screened_tint_is_none(self):
        """Dots that stand in rows both ways are a ground."""
        tint = [dot for row in range(20) for dot in dots(100, 100 + 8 * row, 20, 8)]
        self.assertEqual(self.found(*tint), [])

    def test_specks_in_no_order_are_none(self):
        make = np.random.default_rng(2)
        specks = [(int(x), int(y), 3, 3) for x, y in make.integers(0, 600, (400, 2))]
        self.assertEqual(self.found(*specks), [])


class DoubtTest(unittest.TestCase):
    def test_only_sure_rows_of_dots_are_believed(self):
        """Railings are read as dots without certainty; a leader of an entry is sure."""
        block = block_of(BlockKind.PARAGRAPH, "em .........\nWinds ........ 12\nthe end", 100)
        block.lines[0].confidence, block.lines[1].confidence = 0.68, 0.97
        block.lines[2].confidence = 0.4
        [kept] = _without_doubtful_dots(block)
        self.assertEqual([line.text for line in kept.lines], ["Winds ........ 12", "the end"])
        alone = block_of(BlockKind.PARAGRAPH, ".........", 100)
        alone.lines[0].confidence = 0.7
        self.assertEqual(_without_doubtful_dots(alone), [])

    def test_a_figure_stays_without_its_dots(self):
        """Its box too; a heading keeps its level."""
        figure = block_of(BlockKind.FIGURE, ".........", 100)
        figure.lines[0].confidence = 0.7
        [kept] = _without_doubtful_dots(figure)
        self.assertEqual((kept.lines, kept.box), ([], figure.box))
        heading = block_of(BlockKind.HEADING, "Winds\n.........", 100)
        heading.level, heading.lines[1].confidence = 2, 0.7
        [kept] = _without_doubtful_dots(heading)
        self.assertEqual((kept.level, [line.text for line in kept.lines]), (2, ["Winds"]))


class PageTest(unittest.TestCase):
    def test_borders_and_separators_are_not_read(self):
        """A dotted frame, a separator and the lines of a table give no signs; its rows stay."""
        image = blank(1000, 1100)
        draw = ImageDraw.Draw(image)

        def dotted(x0, y0, x1, y1):
            across = x1 - x0 > y1 - y0
            for at in range(0, max(x1 - x0, y1 - y0), 8):
                x, y = (x0 + at, y0) if across else (x0, y0 + at)
                draw.rectangle((x, y, x + 3, y + 3), fill=0)

        for x0, y0, x1, y1 in ((60, 60, 940, 62), (60, 360, 944, 362), (60, 60, 62, 364),
                               (940, 60, 942, 364), (60, 470, 940, 472)):  # fmt: skip
            dotted(x0, y0, x1, y1)
        lines = wrap(PROSE, 36)[:4]
        write_lines(image, lines, x=90, y=100)
        cells = [("Rope", "3", "12.40"), ("Lamp oil", "2", "7.10"), ("Anchor", "1", "99.00")]
        for row, texts in enumerate(cells):
            for x, text in zip((100, 420, 600), texts, strict=True):
                write_lines(image, [text], x=x, y=560 + 70 * row)
        for row in range(4):
            dotted(80, 540 + 70 * row, 800, 542 + 70 * row)
        for x in (80, 400, 580, 800):
            dotted(x, 540, x + 2, 752)
        page = read_page(pixels(image))
        text = " ".join(line.text for block in page.blocks for line in block.lines)
        self.assertEqual(text.split(), " ".join([*lines, *sum(cells, ())]).split())
        [table] = [block for block in page.blocks if block.kind is BlockKind.TABLE]
        self.assertEqual(len(table.lines), 9)


if __name__ == "__main__":
    unittest.main()
