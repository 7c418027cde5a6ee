"""Columns, rows, chains and cells told from measured lines alone: no letter is drawn."""

import unittest

import numpy as np

from amberquarry.layout.cells import cells_beside
from amberquarry.layout.chains import chain_lines, split_paragraphs
from amberquarry.layout.columns import columns_of, join_gutters, parts_columns
from amberquarry.layout.measured import Lines, band_numbers, rows_in_order
from amberquarry.layout.rows import find_rows
from amberquarry.layout.tables import find_tables
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import BlockKind, Box

SIZE = 20.0  # pixels of the x-height of all lines


def line(x0, x1, base, size=SIZE):
    """Return a line between two places, a piece for each letter that has room there."""
    pieces = np.arange(max(1, round((x1 - x0) / size)))
    box = Box(x0, base - 1.5 * size, x1, base + 0.4 * size)
    return TextLine(box, pieces, np.array([float(base)]), size)


def column(x0, x1, first, count, step=56):
    """Return lines of running text, the last one short."""
    bases = [first + step * n for n in range(count)]
    return [line(x0, x1 if n < count - 1 else x0 + 200, y) for n, y in enumerate(bases)]


class ColumnTest(unittest.TestCase):
    def test_prose_on_both_sides(self):
        """Full lines on both sides are columns, level or not; cells in rows are none."""
        gutter = Box(820, 150, 900, 1400)
        for off in (0, 20):
            lines = Lines(column(100, 820, 200, 20) + column(900, 1620, 200 + off, 20))
            self.assertTrue(parts_columns(gutter, lines), off)
            self.assertEqual(columns_of([gutter], [], lines), [gutter])
        terms = [line(100, 400, 200 + 60 * n) for n in range(6)]
        meanings = [line(900, 1000 + 30 * n, 200 + 60 * n) for n in range(6)]
        lines = Lines([*terms, *meanings])
        self.assertFalse(parts_columns(Box(420, 150, 880, 560), lines))

    def test_text_on_one_side_only(self):
        """White beside a column with nothing on its other side parts no columns."""
        lines = Lines(column(100, 820, 200, 20))
        self.assertFalse(parts_columns(Box(820, 150, 900, 1400), lines))

    def test_a_gutter_that_a_heading_breaks(self):
        """Its parts are one beside lines on both sides, and two where a line runs across."""
        parts = [Box(820, 150, 900, 500), Box(820, 620, 900, 1400)]
        sides = [line(100, 800, 560), line(920, 1600, 560)]
        self.assertEqual(join_gutters(parts, Lines(sides)), [Box(820, 150, 900, 1400)])
        self.assertEqual(join_gutters(parts, Lines([line(100, 1600, 560)])), parts)


class RowTest(unittest.TestCase):
    def test_words_of_one_line(self):
        """Parts on one base line are one row where they stand near, unless a column parts them."""
        lines = [line(100, 300, 200), line(340, 600, 200), line(100, 600, 256)]
        self.assertEqual([len(row.lines) for row in find_rows(lines, [], 3.0)], [2, 1])
        parted = find_rows(lines, [Box(305, 100, 335, 230)], 3.0)
        self.assertEqual([len(row.lines) for row in parted], [1, 1, 1])
        far = [line(100, 300, 200), line(500, 700, 200)]
        self.assertEqual(len(find_rows(far, [], 3.0)), 2)

    def test_rows_in_order(self):
        """Rows come from the top, their lines from the left."""
        lines = [line(500, 700, 300), line(100, 300, 204), line(100, 300, 300), line(500, 700, 200)]
        found = [[one.box.x0 for one in row] for row in rows_in_order(lines)]
        self.assertEqual(found, [[100, 500], [100, 500]])

    def test_bands(self):
        """White parts bands; boxes that share a little height may still be two."""
        boxes = [Box(0, 0, 9, 20), Box(0, 18, 9, 40), Box(0, 60, 9, 80)]
        self.assertEqual(band_numbers(boxes, 0).tolist(), [0, 0, 1])
        self.assertEqual(band_numbers(boxes, 3).tolist(), [0, 1, 2])


class ChainTest(unittest.TestCase):
    def test_even_distance(self):
        """A wider distance, another size of type and a rule each end a chain."""
        text = column(100, 900, 200, 6)
        self.assertEqual([len(c) for c in chain_lines(Lines(text), [], [])], [6])
        loose = text + column(100, 900, 200 + 6 * 56 + 60, 4)
        self.assertEqual([len(c) for c in chain_lines(Lines(loose), [], [])], [6, 4])
        large = [line(100, 600, 144, 30.0), *text]
        self.assertEqual([len(c) for c in chain_lines(Lines(large), [], [])], [1, 6])
        rule = [Box(100, 332, 900, 334)]
        self.assertEqual([len(c) for c in chain_lines(Lines(text), rule, [])], [3, 3])

    def test_columns_are_chains_of_their_own(self):
        """Lines side by side follow those above them."""
        both = column(100, 820, 200, 5) + column(900, 1620, 210, 5)
        chains = chain_lines(Lines(both), [], [Box(820, 150, 900, 500)])
        self.assertEqual([{one.box.x0 for one in chain} for chain in chains], [{100}, {900}])

    def test_paragraphs(self):
        """An indented first line and a short last one part paragraphs."""
        text = column(100, 900, 200, 4)
        rest = [line(140, 900, 424), *column(100, 900, 480, 3)]
        self.assertEqual([len(part) for part in split_paragraphs([*text, *rest])], [4, 4])
        plain = [line(100, 900, 200 + 56 * n) for n in range(6)]
        self.assertEqual([len(part) for part in split_paragraphs(plain)], [6])


class CellTest(unittest.TestCase):
    ROWS = tuple(200 + 60 * n for n in range(5))

    def cells(self, x0, x1):
        """Return a cell in each row."""
        return [line(x0, x1, base) for base in self.ROWS]

    def test_rows_of_cells_are_a_table(self):
        """Rows around a gutter are a table with the prose under it left out."""
        lines = [*self.cells(100, 300), *self.cells(600, 700), *column(100, 1200, 560, 6)]
        [table] = find_tables([Box(310, 150, 590, 470)], Lines(lines), [])
        self.assertIs(table.kind, BlockKind.TABLE)
        self.assertEqual(len(table.lines), 10)
        self.assertLess(table.box.y1, 500)

    def test_marks_of_items_are_no_cells(self):
        """Bullets before lines of text, and few rows, make no table."""
        marks = [line(100, 112, base) for base in self.ROWS]
        text = [line(160, 1000, base) for base in self.ROWS]
        gutter = Box(115, 150, 155, 470)
        self.assertEqual(find_tables([gutter], Lines([*marks, *text]), []), [])
        few = [*self.cells(100, 300)[:2], *self.cells(600, 700)[:2]]
        self.assertEqual(find_tables([Box(310, 150, 590, 280)], Lines(few), []), [])

    def test_further_cells(self):
        """A column in the rows of a table belongs to it; prose beside it runs over its rows."""
        own = [*self.cells(100, 300), *self.cells(600, 700)]
        further = self.cells(900, 1000)
        self.assertEqual(len(cells_beside(own, further, [])), 5)
        prose = [line(900, 1700, 190 + 34 * n) for n in range(9)]
        self.assertEqual(cells_beside(own, prose, []), [])
