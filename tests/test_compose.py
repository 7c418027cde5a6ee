"""Pages composed from letters alone: nothing is drawn and no picture is read."""

import unittest

import numpy as np

from amberquarry.pages.compose import compose, rules_of_pages
from amberquarry.sheet.areas import Areas
from amberquarry.sheet.rulebook import without_rules
from amberquarry.sheet.rules import Rules
from amberquarry.values import BlockKind, Box
from tests.support.sheets import Set, prose, typeset


def composed(rows, **more):
    """The blocks of a page of such rows."""
    return compose(*typeset(rows, **more))


def kinds(blocks):
    """Kinds in reading order."""
    return [block.kind.value for block in blocks]


class ComposeTest(unittest.TestCase):
    def test_heading_over_paragraphs(self):
        """Larger type is a heading; the text under it comes in paragraphs."""
        rows = [Set("Tides and winds", 200, 300, 34), *prose(6, 200, 420), *prose(5, 200, 800)]
        blocks = composed(rows)
        self.assertEqual(kinds(blocks), ["heading", "paragraph", "paragraph"])
        self.assertEqual(blocks[0].why, ("heading: larger type",))
        self.assertEqual(blocks[0].lines[0].text, "Tides and winds")
        self.assertTrue(blocks[1].lines[-1].text.endswith("."))

    def test_two_columns(self):
        """The left column comes before the right one, line by line."""
        left = prose(30, 100, 200, letters=34)
        right = prose(30, 1050, 210, letters=34)
        blocks = composed([row for pair in zip(left, right, strict=True) for row in pair])
        starts = [line.box.x0 for block in blocks for line in block.lines]
        self.assertEqual(starts, sorted(starts, key=lambda x: x > 1000))

    def test_items_of_a_list(self):
        """Counted lines with text hanging under them are items, each by itself."""
        rows = prose(4, 200, 200)
        for number in range(3):
            y = 440 + 100 * number
            rows += [Set(f"{number + 1}. the lamp was lit and the", 200, y)]
            rows += [Set("wind was fair", 266, y + 44)]
        blocks = composed([*rows, *prose(4, 200, 800)])
        items = [block for block in blocks if block.kind is BlockKind.ITEM]
        self.assertEqual([block.marker or block.lines[0].text[:2] for block in items],
                         ["1.", "2.", "3."])  # fmt: skip
        self.assertEqual([len(block.lines) for block in items], [2, 2, 2])

    def test_page_number_and_running_head(self):
        """What stands alone in the outermost rows of a page is none of its text."""
        rows = [Set("THE TIDE BOOK", 200, 120, 16), Set("48", 1700, 120, 20), *prose(24, 200, 300)]
        blocks = composed(rows)
        self.assertEqual(kinds(blocks)[0], "running_head")
        self.assertEqual(kinds(blocks)[-1], "page_number")

    def test_table_in_a_grid(self):
        """Rows between rules, with their cells; the grid stays with the table."""
        rows = [*prose(4, 200, 200)]
        edges = [500, 560, 620, 680]
        for number, y in enumerate(edges[:-1]):
            rows += [Set(f"Gauge {number}", 220, y + 42), Set(f"{number}.75", 720, y + 42)]
        across = np.array([[200, y, 1000, y + 3] for y in edges], float)
        down = np.array([[x, 500, x + 3, 683] for x in (200, 600, 1000)], float)
        rules = Rules(across, down, [Box(200, 500, 1003, 683)])
        blocks = composed([*rows, *prose(4, 200, 800)], rules=rules)
        [table] = [block for block in blocks if block.kind is BlockKind.TABLE]
        self.assertTrue(table.ruled)
        self.assertEqual([len(row) for row in table.table.grid], [2, 2, 2])
        self.assertEqual(table.why, ("table between rules",))

    def test_picture_among_text(self):
        """A picture is a figure where it stands; words inside it are its labels."""
        rows = [*prose(8, 200, 200), Set("GAUGE", 500, 900), *prose(8, 200, 1300)]
        areas = Areas(pictures=[Box(300, 700, 1000, 1150)])
        blocks = composed(rows, areas=areas)
        figures = [number for number, b in enumerate(blocks) if b.kind is BlockKind.FIGURE]
        self.assertEqual(len(figures), 1)
        self.assertTrue(0 < figures[0] < len(blocks) - 1)
        self.assertEqual([line.text for line in blocks[figures[0]].lines], ["GAUGE"])

    def test_caption_of_a_drawing(self):
        """What begins with a label under a picture is its caption."""
        rows = [*prose(8, 200, 200), Set("Figure 3. The gauge in the tower", 300, 1200, 17),
                *prose(8, 200, 1300)]  # fmt: skip
        blocks = composed(rows, areas=Areas(pictures=[Box(300, 700, 1000, 1150)]))
        self.assertIn("caption", kinds(blocks))
        self.assertEqual(kinds(blocks).count("figure"), 1)

    def test_notes_at_the_foot(self):
        """Small type with a mark at the foot is a note, larger type with a number is none."""
        rows = [*prose(20, 200, 200), Set("1 See the book of the other tower", 200, 2300, 15)]
        self.assertEqual(kinds(composed(rows))[-1], "footnote")
        rows[-1] = Set("1 See the book of the other tower", 200, 2300, 20)
        self.assertNotIn("footnote", kinds(composed(rows)))

    def test_same_blocks_each_time(self):
        """A sheet is not changed by composing it."""
        sheet, texts = typeset([Set("Tides and winds", 200, 300, 34), *prose(6, 200, 420)])
        first, second = (compose(sheet, texts) for _ in range(2))
        self.assertEqual(kinds(first), kinds(second))
        self.assertEqual([b.box for b in first], [b.box for b in second])

    def test_moved_and_scaled_sheets(self):
        """The blocks of a page that is set lower, further right or larger are the same."""
        rows = [Set("Tides and winds", 200, 300, 34), *prose(6, 200, 420), *prose(5, 200, 800)]
        wanted = composed(rows)
        for dx, dy, scale in ((150, 90, 1.0), (0, 0, 1.5), (0, 0, 0.7)):
            moved = [
                Set(row.text, scale * row.x + dx, scale * row.y + dy, scale * row.size)
                for row in rows
            ]
            found = composed(moved, size=(3000, 4200))
            self.assertEqual(kinds(found), kinds(wanted))
            self.assertEqual([b.lines[0].text for b in found], [b.lines[0].text for b in wanted])

    def test_pages_without_lines(self):
        """A page of nothing but a picture has one figure, an empty one nothing."""
        sheet, texts = typeset([Set("x", 200, 300)])
        self.assertLessEqual(len(compose(sheet, texts)), 1)


class RulebookTest(unittest.TestCase):
    def test_rules_can_be_left_out(self):
        """Without a rule what it decides is not decided; with it again, it is."""
        rows = [Set("Tides and winds", 200, 300, 34), *prose(6, 200, 420)]
        with without_rules("headings"):
            self.assertNotIn("heading", kinds(composed(rows)))
        with without_rules("heading: larger type", "heading: a little larger, apart"):
            self.assertNotIn("heading", kinds(composed(rows)))
        self.assertIn("heading", kinds(composed(rows)))

    def test_every_rule_has_a_name_and_a_sentence(self):
        """Names are known once; what a rule is for ends in a stop."""
        rules = rules_of_pages()
        self.assertEqual(len({name for name, _ in rules}), len(rules))
        for name, about in rules:
            with self.subTest(name=name):
                self.assertTrue(about[0].isupper() and about.rstrip().endswith("."))


if __name__ == "__main__":
    unittest.main()
