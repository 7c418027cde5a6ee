"""Whole pages by their layout: columns, lists, tables, insets, headings, contents."""

import unittest

import cv2
import numpy as np
from PIL import ImageDraw, ImageFont

import amberquarry as aq
from amberquarry import BlockKind, Box
from amberquarry.ink.gutters import _long_runs
from amberquarry.layout.columns import keep_clearest, parts_columns
from amberquarry.layout.measured import Lines
from amberquarry.layout.order import reading_order
from amberquarry.layout.regions import Region
from amberquarry.sheet.measuring import TextLine
from tests.support.blocks import of_kind
from tests.support.measures import error_rate, in_order
from tests.support.pages import (
    PROSE,
    blank,
    pixels,
    text_page,
    wrap,
    write_justified,
    write_lines,
)

SECOND = (
    "A boat came in with the evening flood and lay under the wall. "
    "Its master asked for oil and bread and paid with a silver spoon. "
    "By morning there was only a rope in the water. "
)
THIRD = (
    "The bell on the outer rock was heard twice in the fog. "
    "No ship answered and the lamp was kept burning until ten. "
)
KEYS = [
    ("Open the gate", "C-g o"),
    ("Close the gate", "C-g c"),
    ("Wind the clock", "M-d"),
    ("Ring the bell", "C-b 3"),
    ("Trim the lamp", "C-l t"),
    ("Write the log", "M-l"),
    ("Hoist the flag", "C-f h"),
    ("Lower the boat", "M-b l"),
]


def flat(page):
    """Return the text of a page with single blanks."""
    return " ".join(page.text.split())


class ColumnTest(unittest.TestCase):
    def test_three_columns(self):
        """Columns are read one after the other, from the left."""
        image = blank(2000, 1200)
        texts = (PROSE, SECOND, THIRD * 2)
        for number, text in enumerate(texts):
            write_lines(image, wrap(text, 30), x=80 + 640 * number, y=120, size=34)
        self.assertLess(error_rate(aq.read_page(image), " ".join(texts)), 0.03)

    def test_heading_over_two_columns(self):
        """What stands over both columns comes first, what stands under both comes last."""
        image = blank(1500, 1400)
        write_lines(image, ["Notices of the harbour office"], x=340, y=60, size=56)
        for x, text in ((90, PROSE * 2), (800, SECOND * 2)):
            write_lines(image, wrap(text, 32), x=x, y=200, size=34)
        write_lines(image, ["Printed by order of the keeper of the gauge at the old quay"], y=1300)
        text = flat(aq.read_page(image))
        parts = ["Notices of the harbour", "The keeper read", "great storm", "A boat came in",
                 "rope in the water", "Printed by order"]  # fmt: skip
        self.assertTrue(in_order(text, parts), text)

    def test_justified_columns_in_step(self):
        """Columns whose lines all stand level are columns all the same."""
        image = blank(1700, 1300)
        left = write_justified(image, PROSE * 4, 90, 120, 700, 20)
        right = write_justified(image, SECOND * 4, 890, 120, 700, 20)
        self.assertLess(error_rate(aq.read_page(image), " ".join(left + right)), 0.03)

    def test_columns_of_unequal_width(self):
        """A narrow column beside a wide one stays whole."""
        image = blank(1600, 1200)
        write_lines(image, wrap(SECOND, 18), x=80, y=150, size=32)
        write_lines(image, wrap(PROSE * 3, 52), x=480, y=160, size=32)
        wanted = f"{SECOND} {PROSE * 3}"
        self.assertLess(error_rate(aq.read_page(image), wanted), 0.03)

    def test_stories_one_over_the_other(self):
        """Two stories of two columns each: the upper is read to its end before the lower."""
        image = blank(1500, 1900)
        for y, texts in ((120, (PROSE, SECOND)), (1000, (THIRD * 2, PROSE))):
            write_lines(image, ["News of the day from both harbours"], x=200, y=y - 80, size=52)
            for x, text in zip((90, 800), texts, strict=True):
                write_lines(image, wrap(text, 32), x=x, y=y + 40, size=34)
        parts = ["News of the day", "The keeper", "A boat came", "News of the day", "The bell on",
                 "The keeper"]  # fmt: skip
        self.assertTrue(in_order(flat(aq.read_page(image)), parts))

    def test_text_over_columns_is_no_part_of_them(self):
        """A summary over two columns ends where they begin, though the lines stand close."""
        image = blank(1700, 1500)
        over = write_justified(image, THIRD * 6, 90, 120, 1500, 4)
        left = write_justified(image, PROSE * 4, 90, 120 + 4 * 51, 700, 12)
        right = write_justified(image, SECOND * 4, 890, 120 + 4 * 51, 700, 12)
        text = flat(aq.read_page(image))
        self.assertTrue(in_order(text, [over[0], over[3], left[0], left[11], right[0]]), text)

    def test_white_beside_a_gutter_is_no_table(self):
        """Narrow columns with wide spaces, in step with each other, hold no cells."""
        image = blank(2000, 1300)
        columns = [
            write_justified(image, text * 5, x, 160, 410, 18)
            for x, text in ((90, PROSE), (560, SECOND), (1030, PROSE), (1500, SECOND))
        ]
        page = aq.read_page(image)
        self.assertEqual(of_kind(page, BlockKind.TABLE), [])
        self.assertTrue(in_order(flat(page), [c[n] for c in columns for n in (0, 17)]))

    def test_rule_between_paragraphs(self):
        """Lines over a rule and under it are two blocks, however close they stand."""
        image = blank(1300, 700)
        upper = wrap(PROSE, 52)
        write_lines(image, [*upper, *wrap(SECOND, 52)], x=100, y=120)
        y = 120 + 51 * len(upper) + 4
        ImageDraw.Draw(image).line((100, y, 1200, y), fill=0, width=3)
        counts = [len(block.lines) for block in aq.read_page(image).blocks]
        self.assertEqual(counts, [len(upper), len(wrap(SECOND, 52))])

    def test_ellipsis_begins_a_line(self):
        """Dots before a line in the next column stay with it."""
        image = blank(1500, 1300)
        write_justified(image, PROSE * 4, 90, 120, 560, 14)
        write_justified(image, "... and so " + SECOND * 4, 700, 120, 560, 14)
        starts = [b.lines[0].text for b in aq.read_page(image).blocks if b.lines[0].box.x0 > 690]
        self.assertTrue(starts[0].startswith("..."), starts)

    def test_inset_over_two_columns(self):
        """A summary set into two columns of full lines is not mixed into them."""
        image = blank(1700, 1500)
        narrow = [write_justified(image, PROSE * 4, 80, 120, 360, 9),
                  write_justified(image, SECOND * 4, 1240, 120, 360, 9)]  # fmt: skip
        summary = ["What the keeper of the gauge", "saw in the winter of", "the great storm"]
        write_lines(image, summary, x=570, y=170, size=42)
        left = write_justified(image, PROSE * 4, 80, 120 + 9 * 51, 700, 12)
        right = write_justified(image, SECOND * 4, 900, 120 + 9 * 51, 700, 12)
        text = flat(aq.read_page(image))
        self.assertIn(" ".join(summary), text)
        self.assertTrue(in_order(text, [narrow[0][0], narrow[0][-1], left[0], left[11]]), text)
        self.assertTrue(in_order(text, [narrow[1][0], narrow[1][-1], right[0], right[11]]), text)


class RowTest(unittest.TestCase):
    def test_terms_and_keys_are_read_in_rows(self):
        """In a list of terms and keys each term is followed by its own key."""
        image = blank(1000, 700)
        for number, (term, key) in enumerate(KEYS):
            write_lines(image, [term], x=100, y=100 + 60 * number, size=34)
            write_lines(image, [key], x=640, y=100 + 60 * number, size=34)
        text = flat(aq.read_page(image))
        terms = [part.split()[-1] for pair in KEYS for part in pair]
        self.assertTrue(in_order(text, terms), text)

    def test_terms_and_keys_in_two_columns(self):
        """Two such lists side by side, not in step, are read one after the other."""
        image = blank(2100, 1300)
        for x, down in ((90, 80), (1150, 106)):
            for number in range(20):
                term, key = KEYS[(number + x) % 8]
                write_lines(image, [f"{term} {number + 1}"], x=x, y=down + 58 * number, size=34)
                write_lines(image, [key], x=x + 640, y=down + 58 * number, size=34)
        lines = [line.text for block in aq.read_page(image).blocks for line in block.lines]
        numbers = [int(line.split()[-1]) for line in lines if "the" in line.split()]
        self.assertEqual(len(numbers), 40)
        self.assertEqual(numbers, [*range(1, 21)] * 2)

    def test_list_in_two_columns(self):
        """A list set in two columns whose lines stand level is read down, then on."""
        image = blank(1500, 1000)
        words = (PROSE + SECOND + THIRD).replace(".", "").split()
        items = [" ".join(words[2 * n : 2 * n + 2]) + " at the quay" for n in range(28)]
        for x, part in ((90, items[:14]), (800, items[14:])):
            write_lines(image, part, x=x, y=100, size=34)
        self.assertLess(error_rate(aq.read_page(image), items), 0.03)

    def test_columns_of_figures(self):
        """Columns of amounts are read across, row by row, however many there are."""
        image = blank(1400, 1300)
        rows = [[f"{n}.{column}{n % 10}" for column in range(4)] for n in range(1, 19)]
        for number, row in enumerate(rows):
            for column, cell in enumerate(row):
                write_lines(image, [cell], x=120 + 300 * column, y=80 + 62 * number, size=34)
        text = flat(aq.read_page(image))
        self.assertLess(error_rate(text, [cell for row in rows for cell in row]), 0.05)

    def test_contents_with_leaders(self):
        """A row of dots leads each heading to its number, in one line."""
        image = blank(1240, 900)
        draw, font = ImageDraw.Draw(image), ImageFont.load_default(34)
        names = ["The gauge", "Tides and winds", "Storms", "The lamp and its oil", "Signals"]
        for number, name in enumerate(names):
            y = 100 + 70 * number
            draw.text((110, y), name, font=font, fill=0)
            x = 130 + round(font.getlength(name))
            while x < 1030:
                draw.text((x, y), ".", font=font, fill=0)
                x += 22
            draw.text((1060, y), str(7 + 13 * number), font=font, fill=0)
        lines = [line.text for block in aq.read_page(image).blocks for line in block.lines]
        self.assertEqual(len(lines), len(names))
        for number, (name, line) in enumerate(zip(names, lines, strict=True)):
            self.assertTrue(line.startswith(name), line)
            self.assertTrue(line.endswith(str(7 + 13 * number)), line)

    def test_leaders_have_as_many_dots_as_are_printed(self):
        """Also where they stand close, or begin far from their title."""
        image = blank(1240, 700)
        draw, font = ImageDraw.Draw(image), ImageFont.load_default(34)
        for row, (step, start) in enumerate(((10, 420), (10, 700), (24, 420))):
            y = 120 + 80 * row
            draw.text((110, y), "Of the old gauge", font=font, fill=0)
            for x in range(start, 1000, step):
                draw.text((x, y), ".", font=font, fill=0)
            draw.text((1030, y), "27", font=font, fill=0)
        lines = [line for block in aq.read_page(image).blocks for line in block.lines]
        self.assertEqual([line.text.count(".") for line in lines], [58, 30, 25])
        self.assertEqual([". ." in line.text for line in lines], [False, False, True])
        for line in lines:
            self.assertTrue(line.text.startswith("Of the old gauge ."), line.text)
            self.assertTrue(line.text.endswith("27"), line.text)
            self.assertEqual(len(line.text), len(line.character_boxes))
            dots = line.character_boxes[[sign == "." for sign in line.text], 0]
            self.assertTrue((np.diff(dots) > 5).all())

    def test_even_columns_of_short_lines(self):
        """Columns are as wide as from one beginning to the next, however short their lines."""
        image = blank(2400, 1400)
        terms = ["gauge", "tide", "harbour", "keeper", "signal", "lantern", "winter", "storm"] * 3
        for column in range(3):
            lines = [f"{term} of column {column + 1}" for term in terms]
            lines[5] += " that is nearly as wide as it is"
            write_lines(image, lines, x=100 + 760 * column, y=100)
        text = flat(aq.read_page(image))
        wanted = [f"gauge of column {n}" for n in (1, 1, 1, 2, 2, 2, 3, 3, 3)]
        self.assertTrue(in_order(text, wanted), text)

    def test_ruled_table(self):
        """The cells of a ruled table come row by row as lines of one block."""
        image = blank(1240, 800)
        draw = ImageDraw.Draw(image)
        rows = [["Day", "Low", "High"], ["Mon", "1.20", "4.71"], ["Tue", "1.34", "4.60"],
                ["Wed", "1.48", "4.52"], ["Thu", "1.55", "4.44"]]  # fmt: skip
        for number, row in enumerate(rows):
            for column, cell in enumerate(row):
                write_lines(image, [cell], x=140 + 320 * column, y=110 + 90 * number, size=38)
        for number in range(len(rows) + 1):
            draw.line((100, 90 + 90 * number, 1060, 90 + 90 * number), fill=0, width=3)
        for x in (100, 420, 740, 1060):
            draw.line((x, 90, x, 540), fill=0, width=3)
        page = aq.read_page(image)
        self.assertTrue(in_order(flat(page), [cell for row in rows for cell in row]), flat(page))

    def test_amounts_at_the_right_edge(self):
        """Each amount of a bill stands behind its item."""
        image = blank(1240, 700)
        items = [("Lamp oil, four cans", "38.40"), ("Rope, thirty fathoms", "21.75"),
                 ("Paint, white", "9.10"), ("Carriage", "4.00"), ("Total", "73.25")]  # fmt: skip
        for number, (item, amount) in enumerate(items):
            write_lines(image, [item], x=120, y=100 + 80 * number, size=36)
            write_lines(image, [amount], x=1000, y=100 + 80 * number, size=36)
        text = flat(aq.read_page(image))
        self.assertTrue(in_order(text, [part for pair in items for part in pair]), text)


class BlockTest(unittest.TestCase):
    def test_indented_paragraphs(self):
        """A first line set in begins a new paragraph."""
        image = blank(1240, 1300)
        y = 100
        for text in (PROSE, SECOND, THIRD):
            for number, line in enumerate(wrap(text, 48)):
                write_lines(image, [line], x=120 + (60 if number == 0 else 0), y=y)
                y += 51
        blocks = [b for b in aq.read_page(image).blocks if b.kind is BlockKind.PARAGRAPH]
        self.assertEqual(len(blocks), 3)
        self.assertEqual([b.text.split()[:3] for b in blocks],
                         [t.split()[:3] for t in (PROSE, SECOND, THIRD)])  # fmt: skip

    def test_paragraphs_parted_by_white(self):
        """A gap between paragraphs parts them."""
        image = blank(1240, 1400)
        for number, text in enumerate((PROSE, SECOND, THIRD)):
            write_lines(image, wrap(text, 48), y=120 + 360 * number)
        blocks = [b for b in aq.read_page(image).blocks if b.kind is BlockKind.PARAGRAPH]
        self.assertEqual(len(blocks), 3)

    def test_divided_words_are_joined(self):
        """A word divided at a line's end is whole in the text, a compound keeps its hyphen."""
        image = blank(1240, 500)
        write_lines(image, ["The keeper of the light wrote to the har-",
                            "bour office about the well-known rock that"])  # fmt: skip
        text = flat(aq.read_page(image))
        self.assertIn("harbour office", text)
        self.assertIn("well-known", text)

    def test_heading_levels_follow_size(self):
        """The larger the heading, the higher its level."""
        image = blank(1240, 1700)
        write_lines(image, ["The Tide Book"], x=120, y=60, size=80)
        write_lines(image, wrap(PROSE, 50), y=220)
        write_lines(image, ["Of the winds"], x=120, y=560, size=52)
        write_lines(image, wrap(SECOND, 50), y=680)
        headings = [b for b in aq.read_page(image).blocks if b.kind is BlockKind.HEADING]
        self.assertEqual([b.text for b in headings], ["The Tide Book", "Of the winds"])
        self.assertEqual(headings[0].level, 1)
        self.assertLess(headings[0].level, headings[1].level)

    def test_picture_between_paragraphs(self):
        """A photograph is a figure where it stands, and its greys are not read."""
        image = blank(1240, 1700)
        write_lines(image, wrap(PROSE, 50), y=120)
        write_lines(image, wrap(SECOND, 50), y=1150)
        page = pixels(image).copy()
        clouds = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, (500, 900)), (0, 0), 11)
        page[540:1040, 150:1050] = np.clip(125 + clouds / clouds.std() * 55, 20, 235)
        found = aq.read_page(page)
        kinds = [block.kind for block in found.blocks]
        self.assertEqual(kinds.count(BlockKind.FIGURE), 1)
        self.assertEqual(kinds.index(BlockKind.FIGURE), 1)
        self.assertLess(error_rate(found, f"{PROSE} {SECOND}"), 0.03)

    def test_labels_set_vertically(self):
        """Labels up and down in the margins are read in their own direction, and marked so."""
        image = text_page(10)
        label = blank(420, 44)
        write_lines(label, ["Height of water in metres"], x=8, y=6, size=28)
        image.paste(label.rotate(90, expand=True), (15, 100))
        image.paste(label.rotate(270, expand=True), (image.width - 60, 120))
        page = aq.read_page(image)
        turned = {block.rotation: block for block in page.blocks if block.rotation}
        self.assertEqual(set(turned), {90, 270})
        for block in turned.values():
            self.assertEqual(block.text, "Height of water in metres")
            self.assertGreater(block.box.height, 5 * block.box.width)
        self.assertLess(turned[270].box.x1, 100)
        self.assertNotIn("metres", "".join(b.text for b in page.blocks if not b.rotation))

    def test_figures_under_each_other_are_not_vertical(self):
        """A narrow column of figures stays a column."""
        image = blank(600, 900)
        write_lines(image, [str(n % 10) for n in range(16)], x=280, y=40, size=34, pitch=1.2)
        page = aq.read_page(image)
        self.assertEqual([block.rotation for block in page.blocks if block.rotation], [])

    def test_underlined_and_boxed_text(self):
        """Rules under and around text do not change what is read."""
        image = blank(1240, 500)
        write_lines(image, ["Keep this door shut"], x=150, y=100, size=48)
        draw = ImageDraw.Draw(image)
        draw.line((150, 158, 620, 158), fill=0, width=4)
        write_lines(image, ["By order of the keeper"], x=180, y=260, size=44)
        draw.rectangle((140, 235, 760, 335), outline=0, width=4)
        self.assertLess(
            error_rate(aq.read_page(image), "Keep this door shut By order of the keeper"), 0.06
        )


class GutterTest(unittest.TestCase):
    def line(self, x0, x1, row, pieces):
        return TextLine(Box(x0, 50 * row, x1, 50 * row + 30), np.arange(pieces),
                        np.array([50.0 * row + 28]), 18.0)  # fmt: skip

    def test_running_text_and_cells(self):
        """Full lines part columns even when they stand level, terms with their keys do not."""
        gutter = Box(480, 0, 520, 1000)
        prose = [self.line(x, x + 470, row, 30) for row in range(20) for x in (0, 530)]
        self.assertTrue(parts_columns(gutter, Lines(prose)))
        keys = [self.line(0, 200 + 13 * (row % 5), row, 14) for row in range(20)]
        keys += [self.line(530, 600, row, 3) for row in range(20)]
        self.assertFalse(parts_columns(gutter, Lines(keys)))

    def test_fewer_keys_than_terms_are_rows_still(self):
        """Keys beside some of the terms only stand in rows all the same."""
        lines = [self.line(0, 200 + 13 * (row % 5), row, 14) for row in range(40)]
        lines += [self.line(530, 600, row, 3) for row in range(0, 40, 2)]
        self.assertFalse(parts_columns(Box(480, 0, 520, 2000), Lines(lines)))

    def test_inset_beside_a_full_column(self):
        """Lines of any length beside full ones, not in step with them, are an inset."""
        full = [self.line(0, 470, row, 24) for row in range(12)]
        inset = [self.line(530 + 20 * (row % 4), 1000 - 30 * (row % 3), row * 1.3, 20)
                 for row in range(9)]  # fmt: skip
        self.assertTrue(parts_columns(Box(480, 0, 520, 600), Lines(full + inset)))

    def test_white_between_keys_is_no_gutter_of_its_own(self):
        """Of two strips without a column between them the one that fewer lines cross stays."""
        lines = [self.line(0, 400, row, 20) for row in range(20)]
        lines += [self.line(600, 1000, row + 0.5, 20) for row in range(20)]
        lines += [self.line(0, 470, row, 20) for row in range(20, 24)]
        true, false = Box(500, 0, 560, 1200), Box(420, 100, 450, 1150)
        self.assertEqual(keep_clearest([false, true], Lines(lines)), [true])
        column = [self.line(460, 500, row + 0.2, 9) for row in range(20)]
        both = keep_clearest([Box(420, 100, 450, 900), true], Lines(lines + column))
        self.assertEqual(len(both), 2)

    def test_short_runs_go(self):
        """Runs shorter than the least are dropped, others stay as they are."""
        mask = np.array([1, 1, 0, 1, 1, 1, 0, 0, 1], bool)
        self.assertEqual(_long_runs(mask, 3).tolist(), [0, 0, 0, 1, 1, 1, 0, 0, 0])
        self.assertEqual(_long_runs(mask, 1).tolist(), mask.tolist())
        self.assertEqual(_long_runs(mask[:0], 2).tolist(), [])

    def test_insets_are_read_first_above_and_last_below(self):
        """An inset in the upper half comes before the columns, one below after them."""

        def region(x0, y0, x1, y1):
            return Region(BlockKind.PARAGRAPH, Box(x0, y0, x1, y1))

        left = [region(0, 0, 300, 480), region(0, 500, 480, 990)]
        right = [region(700, 0, 1000, 470), region(520, 500, 1000, 995)]
        inset = region(330, 100, 670, 300)
        gutter = [Box(485, 350, 515, 1000)]
        mixed = [right[1], left[0], inset, right[0], left[1]]
        self.assertEqual(reading_order(mixed, gutter, 20), [inset, *left, *right])
