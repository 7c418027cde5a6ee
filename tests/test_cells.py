import unittest

from amberquarry.tables.cells import fill_cells, with_grid
from amberquarry.values import Block, BlockKind, Box, Table
from tests.support.blocks import line_of

LETTER = 20.0


def row_of(y, *cells):
    """Lines of one row, each a cell: its text and where it begins."""
    return [line_of(text, y=y, x=x) for text, x in cells]


def table_of(*rows, grid=None):
    """A table of such rows with its cells filled."""
    lines = [line for row in rows for line in row]
    box = Box.around([line.box for line in lines])
    block = Block(BlockKind.TABLE, box, lines, payload=Table())
    if grid is not None:
        block = with_grid(block, [grid])
    fill_cells(block)
    return block.table


class CellTest(unittest.TestCase):
    def test_rows_and_columns_by_white(self):
        """Cells that stand over each other are of one column, whatever their length."""
        table = table_of(
            row_of(100, ("Day", 0), ("High water", 300), ("Metres", 700)),
            row_of(140, ("1", 0), ("04.12", 300), ("3.75", 700)),
            row_of(180, ("2", 0), ("04.58", 300), ("3.60", 700)),
        )
        self.assertEqual((table.rows, table.columns), (3, 3))
        self.assertEqual(table.to_rows()[1], ["1", "04.12", "3.75"])
        heads = [cell.text for cell in table.cells if cell.header]
        self.assertEqual(heads, ["Day", "High water", "Metres"])

    def test_empty_cells(self):
        """A row that lacks a cell leaves its place empty."""
        table = table_of(
            row_of(100, ("1", 0), ("04.12", 300), ("3.75", 700)),
            row_of(140, ("2", 0), ("3.60", 700)),
        )
        self.assertEqual(table.to_rows()[1], ["2", "", "3.60"])

    def test_cell_over_several_columns(self):
        """A text that runs over two columns spans them."""
        table = table_of(
            row_of(100, ("1", 0), ("04.12", 300), ("3.75", 520)),
            row_of(140, ("2", 0), ("04.58", 300), ("3.60", 520)),
            row_of(180, ("3", 0), ("no reading was made then", 300)),
        )
        self.assertEqual([cell.column_span for cell in table.cells][-1], 2)

    def test_no_heads_where_the_first_row_holds_values(self):
        """A table may begin with its first values."""
        table = table_of(row_of(100, ("1", 0), ("3.75", 300)), row_of(140, ("2", 0), ("3.60", 300)))
        self.assertFalse(any(cell.header for cell in table.cells))

    def test_lines_of_one_cell_in_a_grid(self):
        """Between rules the lines of a cell stay together, row by row."""
        grid = [
            [Box(0, 90, 290, 200), Box(290, 90, 700, 200)],
            [Box(0, 200, 290, 300), Box(290, 200, 700, 300)],
        ]
        table = table_of(
            row_of(100, ("Gauge", 10), ("read before", 300)),
            row_of(140, ("noon each day", 300)),
            row_of(220, ("Rain", 10), ("read at dusk", 300)),
            grid=grid,
        )
        self.assertEqual(table.to_rows(), [["Gauge", "read before noon each day"],
                                           ["Rain", "read at dusk"]])  # fmt: skip
        self.assertTrue(table.ruled)
        self.assertEqual(table.grid, [])

    def test_rows_that_no_rule_parts(self):
        """Rows of several cells between two rules are rows of their own."""
        grid = [[Box(0, 90, 290, 250), Box(290, 90, 700, 250)]]
        table = table_of(
            row_of(100, ("1", 10), ("3.75", 300)),
            row_of(140, ("2", 10), ("3.60", 300)),
            row_of(180, ("3", 10), ("3.41", 300)),
            grid=grid,
        )
        self.assertEqual(table.to_rows(), [["1", "3.75"], ["2", "3.60"], ["3", "3.41"]])

    def test_cells_that_span_columns_of_the_grid(self):
        """A cell as wide as two below it spans both."""
        grid = [
            [Box(0, 90, 700, 130)],
            [Box(0, 130, 290, 200), Box(290, 130, 700, 200)],
        ]
        table = table_of(
            row_of(100, ("Tides of March", 10)), row_of(150, ("1", 10), ("3.75", 300)), grid=grid
        )
        self.assertEqual((table.cells[0].column_span, table.columns), (2, 2))

    def test_grids_elsewhere_are_none_of_the_table(self):
        """Only a grid that covers the table is its own."""
        lines = row_of(100, ("1", 10), ("3.75", 300))
        block = Block(BlockKind.TABLE, Box(10, 90, 400, 120), lines, payload=Table())
        self.assertEqual(with_grid(block, [[[Box(0, 500, 700, 600)]]]).table.grid, [])

    def test_letters_that_are_not_known(self):
        """Lines in an unknown script are in no cell."""
        rows = [row_of(100, ("1", 0), ("3.75", 300)), row_of(140, ("2", 0), ("3.60", 300))]
        rows[1][0].unsupported_script = True
        self.assertEqual(table_of(*rows).to_rows()[1], ["", "3.60"])


if __name__ == "__main__":
    unittest.main()
