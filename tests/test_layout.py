import unittest

import cv2
import numpy as np
from PIL import ImageDraw, ImageFont

from amberquarry import BlockKind, Box
from amberquarry.imaging import prepare
from amberquarry.ink.components import find_ink, find_rules, merge_boxes
from amberquarry.ink.gutters import find_gutters
from amberquarry.ink.vertical import find_vertical
from amberquarry.layout.order import reading_order, with_notes_beside
from amberquarry.layout.regions import Region
from amberquarry.settings import PreparationSettings
from amberquarry.sheet.measuring import fit_curves, x_heights_of
from amberquarry.sheet.rowwise import Rowwise
from tests.support.pages import (
    PROSE,
    blank,
    pixels,
    text_page,
    wrap,
    write_justified,
    write_lines,
)
from tests.support.sheets import laid_out


def layout_of(image):
    return laid_out(prepare(pixels(image), PreparationSettings()))


class LineTest(unittest.TestCase):
    def test_every_line_is_found_once(self):
        """A page of prose gives as many lines as were written."""
        layout = layout_of(text_page())
        self.assertEqual(len(layout.lines), len(wrap(PROSE * 4, 52)))
        pieces = np.concatenate([line.pieces for line in layout.lines])
        self.assertEqual(len(pieces), len(set(pieces.tolist())))

    def test_base_line_and_x_height(self):
        """Lines of one size of type have one x-height, and stand at an even distance."""
        lines = layout_of(text_page()).lines
        heights = [line.x_height for line in lines]
        self.assertLess(max(heights) - min(heights), 2.5)
        base = [line.baseline_at(300) for line in lines]
        np.testing.assert_allclose(np.diff(base), 51, atol=1.5)

    def test_rules_are_taken_out(self):
        """Lines in a ruled table are text, the rules are not."""
        image = blank()
        write_lines(image, ["12.40   3.77", "11.05   2.90", "10.15   4.10"], x=200, y=200, pitch=2)
        draw = ImageDraw.Draw(image)
        for row in range(4):
            draw.line((150, 185 + 68 * row, 700, 185 + 68 * row), fill=0, width=3)
        for x in (150, 380, 700):
            draw.line((x, 185, x, 389), fill=0, width=3)
        layout = layout_of(image)
        self.assertTrue(all(line.box.height < 50 for line in layout.lines))
        self.assertGreaterEqual(len(layout.lines), 3)
        self.assertGreater(layout.ink.drawn_rules.sum(), 4000)

    def test_broken_rules_are_no_text(self):
        """Of a frame in faint print some sides come in bits, which are no strokes of letters."""
        image = blank()
        write_lines(image, wrap(PROSE, 40), x=200, y=300)
        draw = ImageDraw.Draw(image)
        draw.line((150, 250, 150, 700), fill=0, width=2)
        for top in range(250, 700, 75):
            draw.line((1000, top, 1000, top + 60), fill=0, width=2)
        layout = layout_of(image)
        self.assertEqual(len(layout.lines), len(wrap(PROSE, 40)))
        self.assertLess(max(line.box.x1 for line in layout.lines), 990)

    def test_base_line_under_quotes_and_over_tails(self):
        """Neither quotes nor tails make the base line, where they are as many as other letters."""
        for text in ('"1","2","9"', "g1 g2 g4 g5"):
            image = blank()
            write_lines(image, wrap(PROSE * 2, 52))
            write_lines(image, [text], y=900)
            lines = layout_of(image).lines
            [line] = [line for line in lines if line.box.y0 > 880]
            usual = [line.x_height for line in lines if line.box.y0 < 880]
            wanted = 900 + ImageFont.load_default(34).getmetrics()[0]
            with self.subTest(text=text):
                self.assertAlmostEqual(line.baseline_at(line.box.x0), wanted, delta=3)
                self.assertLess(abs(line.x_height / np.median(usual) - 1), 0.15)

    def test_empty_page_has_no_regions(self):
        """No ink, no blocks; dust is no text either."""
        image = blank()
        self.assertEqual(layout_of(image).regions, [])
        ImageDraw.Draw(image).point([(300, 300), (700, 900)], fill=0)
        self.assertEqual(layout_of(image).lines, [])

    def test_photograph_is_a_figure(self):
        """Middle greys over an area are a picture and are not read as lines."""
        image = text_page(2)
        clouds = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, (500, 700)), (0, 0), 11)
        page = pixels(image).copy()
        page[1100:1600, 200:900] = np.clip(125 + clouds / clouds.std() * 55, 20, 235)
        layout = laid_out(prepare(page, PreparationSettings()))
        figures = [r.box for r in layout.regions if r.kind is BlockKind.FIGURE]
        self.assertEqual(len(figures), 1)
        self.assertGreater(figures[0].overlap(Box(200, 1100, 900, 1600)), 0.85 * 350_000)
        self.assertFalse([line for line in layout.lines if line.box.y0 > 1120])


class KernelTest(unittest.TestCase):
    def test_rules_are_long_and_thin(self):
        """A bar and a short stroke are no rules."""
        ink = np.zeros((200, 600), np.uint8)
        ink[20:23, 50:550] = 1
        ink[80:130, 50:550] = 1
        ink[150:153, 50:90] = 1
        ink[160:199, 300:302] = 1
        across, down = find_rules(ink, 20)
        rules = across | down
        self.assertTrue(rules[21, 100:500].all())
        self.assertFalse(rules[70:].any())

    def test_x_height_of_mixed_and_even_letters(self):
        """Tall letters do not raise the x-height; even ones are marked as such."""
        rise = np.array([20, 20, 29, 20, 28, 20.0, 28, 28, 28, 28, 3])
        rows = Rowwise.of_lengths([6, 4, 1])
        x_heights, alike = x_heights_of(rise, np.array([20.0, 28.0, 12.0]), rows)
        self.assertEqual(x_heights.tolist(), [20.0, 28.0, 12.0])
        self.assertEqual(alike.tolist(), [False, True, True])

    def test_curve_matches_the_points(self):
        """The fit goes through points of its own degree."""
        x, rows = np.linspace(100, 2000, 30), Rowwise.of_lengths([10, 20])
        for fit in ([5.0], [0.01, 7.0], [1e-5, -0.02, 300.0]):
            y = np.polyval(fit, x)
            curves = fit_curves(x, y, rows, len(fit) - 1)
            for curve, own in zip(curves, (slice(10), slice(10, 30)), strict=True):
                np.testing.assert_allclose(np.polyval(curve, x[own]), y[own], atol=1e-3)

    def test_rows_are_measured_each_by_itself(self):
        """Rows without values take part; bounds of one row never reach another's values."""
        rows = Rowwise.of_lengths([3, 0, 4])
        values = np.array([5.0, 1.0, 3.0, 1000.0, 3.0, 3.5, 4.0])
        self.assertEqual(rows.median(values).tolist(), [3.0, 0.0, 3.75])
        self.assertEqual(rows.sum(values).tolist(), [9.0, 0.0, 1010.5])
        self.assertEqual(rows.smallest(values, -1).tolist(), [1.0, -1.0, 3.0])
        self.assertEqual(rows.first_largest(values).tolist(), [0, 0, 3])
        near = rows.between(values, values - 2000, values + 0.75)
        self.assertEqual(near.tolist(), [3, 1, 2, 4, 2, 3, 3])

    def test_near_boxes_join(self):
        """Boxes nearer than the limit become one; small ones are dropped."""
        joined = merge_boxes([Box(0, 0, 50, 50), Box(55, 0, 100, 50), Box(300, 0, 304, 4)], 10)
        self.assertEqual(joined, [Box(0, 0, 100, 50)])


class OrderTest(unittest.TestCase):
    def region(self, x0, y0, x1, y1):
        return Region(BlockKind.PARAGRAPH, Box(x0, y0, x1, y1))

    def test_shuffled_columns_come_back_in_order(self):
        """Title, left column, right column, foot: whatever order they were found in."""
        wanted = [
            self.region(50, 0, 950, 80),
            self.region(50, 100, 480, 400),
            self.region(50, 410, 480, 900),
            self.region(520, 100, 950, 500),
            self.region(520, 520, 950, 900),
            self.region(50, 940, 950, 990),
        ]
        gutter = [Box(482, 100, 518, 900)]
        for seed in range(6):
            mixed = [wanted[i] for i in np.random.default_rng(seed).permutation(len(wanted))]
            self.assertEqual(reading_order(mixed, gutter, 20), wanted)

    def test_rows_without_a_gutter_are_read_across(self):
        """What stands side by side without a column is read row by row."""
        wanted = [
            self.region(0, 0, 100, 30),
            self.region(300, 0, 400, 30),
            self.region(0, 60, 100, 90),
            self.region(300, 60, 400, 90),
        ]
        self.assertEqual(reading_order(wanted[::-1], [], 20), wanted)

    def test_rule_between_close_columns(self):
        """Columns nearer than a word space are kept apart by the rule between them."""
        image = blank(1600, 1754)
        lines = [line.ljust(20, "m")[:30] for line in wrap(PROSE * 3, 30)]
        write_lines(image, lines, x=100, y=200)
        draw = ImageDraw.Draw(image)
        right = max(line.box.x1 for line in layout_of(image).lines) + 14
        draw.line((right, 190, right, 200 + 51 * len(lines)), fill=0, width=3)
        write_lines(image, lines, x=round(right) + 14, y=200)
        layout = layout_of(image)
        sides = [line.box.x0 > right - 5 for line in layout.lines]
        self.assertEqual(sides, sorted(sides))
        self.assertEqual(sum(sides), len(lines))

    def test_joined_line_does_not_undo_the_columns(self):
        """Two lines at the foot that were taken for one leave the columns as they are."""
        wanted = [
            self.region(50, 100, 480, 400),
            self.region(50, 410, 480, 880),
            self.region(520, 100, 950, 500),
            self.region(520, 520, 950, 880),
        ]
        foot = self.region(300, 870, 950, 910)
        ordered = reading_order([*wanted[::-1], foot], [Box(482, 100, 518, 900)], 20)
        self.assertEqual([r for r in ordered if r is not foot], wanted)

    def test_two_columns_of_a_page(self):
        """The lines of the left column come before those of the right one."""
        image = blank(1600, 1754)
        for x in (100, 860):
            write_lines(image, wrap(PROSE * 3, 34), x=x, y=200)
        layout = layout_of(image)
        sides = [line.box.x0 > 700 for line in layout.lines]
        self.assertEqual(sides, sorted(sides))
        self.assertEqual(sum(sides), len(wrap(PROSE * 3, 34)))

    def test_rule_between_columns_in_step(self):
        """A rule that stands alone parts columns, though their lines stand in rows like cells."""
        image = blank(1600, 1754)
        texts = ["The lamps", "were trimmed at dusk", "by the keeper", "of the quay"] * 5
        for x in (100, 560):
            write_lines(image, texts, x=x, y=200)
        ImageDraw.Draw(image).line((530, 190, 530, 200 + 51 * len(texts)), fill=0, width=3)
        layout = layout_of(image)
        sides = [line.box.x0 > 540 for line in layout.lines]
        self.assertEqual(sides, sorted(sides))
        self.assertEqual(sum(sides), len(texts))

    def columns_page(self, left, right):
        """Return a page of close justified columns, and the lines of both; of so many lines."""
        image = blank(1600, 2100)
        a = write_justified(image, PROSE * 9, 100, 200, 660, left)
        b = write_justified(image, PROSE * 9, 792, 200, 660, right)
        return image, a, b

    def assert_columns(self, image, left, right):
        layout = layout_of(image)
        sides = [line.box.x0 > 770 for line in layout.lines]
        self.assertEqual(sides, sorted(sides))
        self.assertEqual((len(sides) - sum(sides), sum(sides)), (left, right))
        self.assertFalse(any(line.box.x0 < 776 < line.box.x1 for line in layout.lines))

    def test_last_page_with_a_short_right_column(self):
        """The white under a short column does not hide the gutter beside it."""
        for right in (7, 9, 12):
            with self.subTest(right=right):
                self.assert_columns(self.columns_page(32, right)[0], 32, right)

    def test_marks_in_the_white_beside_a_short_column(self):
        """Marks of items that hang into the white between columns do not hide it."""
        left = [(424, 435, 1217), (480, 493, 630), (572, 433, 1218), (628, 494, 580)]
        left += [(721, 433, 1219), (777, 492, 1219), (833, 494, 1036), (984, 381, 643)]
        left += [(y, 379, 1218) for y in range(1090, 2900, 56)]
        right = [(424, 1376, 2103), (480, 1377, 1714), (574, 1295, 2100), (950, 1295, 2102)]
        right += [(y, 1376, 2102) for y in (630, 687, 743, 800, 856, 1006)] + [(1063, 1377, 1512)]
        ink = np.zeros((3508, 2480), np.uint8)
        for foot, x0, x1 in left + right:
            for x in range(x0, x1, 24):
                ink[foot - 30 : foot + 4, x : min(x + 16, x1)] = 1
        page = find_ink(ink, np.where(ink, 0, 255).astype(np.uint8), 24.0)
        found = find_gutters(page.glyphs, page.drawn_rules, page.areas.pictures, 24.0)
        self.assertTrue([g for g in found if g.x0 > 1200 and g.x1 < 1310 and g.height > 600])

    def test_large_heading_beside_a_column(self):
        """A heading as wide as its column ends where the column does."""
        image, _, _ = self.columns_page(8, 30)
        write_justified(image, "Of winds and tides at the old mole", 100, 640, 664, 1, size=56)
        write_justified(image, PROSE * 9, 100, 740, 660, 19)
        self.assert_columns(image, 28, 30)

    def test_points_below_each_other_part_no_columns(self):
        """In rows of one pitch the white around a point goes down the page, inside words."""
        image, words = blank(1600, 2100), PROSE.split()
        for row in range(36):
            text = f"v0.{row + 10} {' '.join(words[row % 20 :][:6])}"
            for place, letter in enumerate(text):
                write_lines(image, [letter], x=200 + 20 * place, y=200 + 51 * row)
        lines = layout_of(image).lines
        self.assertEqual(len(lines), 36)
        self.assertTrue(all(line.box.x0 < 230 and line.box.x1 > 600 for line in lines))

    def test_marks_of_a_list_stay_with_their_lines(self):
        """The white between hanging marks and their text parts neither columns nor lines."""
        image = blank(1600, 2100)
        write_justified(image, PROSE * 9, 100, 200, 660, 24)
        for number in range(5):
            write_lines(image, [f"[{number + 1}]"], x=792, y=200 + 204 * number)
            write_justified(image, PROSE, 872, 200 + 204 * number, 580, 3)
        marked = [line for line in layout_of(image).lines if 780 < line.box.x0 < 820]
        self.assertEqual(len(marked), 5)
        self.assertTrue(all(line.box.x1 > 1300 for line in marked))

    def test_column_runs_on_beside_a_shorter_one(self):
        """What stands under the end of the right column is read before it, if it fills its own."""
        title = Region(BlockKind.PARAGRAPH, Box(50, 0, 950, 80), headline=1)
        left = [self.region(50, 100, 480, 400), self.region(50, 440, 478, 900)]
        right, foot = self.region(520, 100, 950, 380), self.region(50, 960, 950, 990)
        gutter = [Box(482, 100, 518, 390)]
        wanted = [title, *left, right, foot]
        self.assertEqual(reading_order(wanted[::-1], gutter, 20), wanted)
        salutation = self.region(50, 440, 200, 470)
        wanted = [title, left[0], right, salutation, foot]
        self.assertEqual(reading_order(wanted[::-1], gutter, 20), wanted)

    def test_gutter_beside_a_short_line_of_a_heading(self):
        """The white beside a heading's last line does not part what stands under it."""
        heading = Region(BlockKind.PARAGRAPH, Box(50, 0, 900, 160), headline=1)
        left = [self.region(50, 180, 480, 300), self.region(50, 320, 480, 600)]
        right = [self.region(520, 180, 950, 250), self.region(520, 270, 950, 600)]
        wanted = [heading, *left, *right]
        self.assertEqual(reading_order(wanted[::-1], [Box(482, 90, 518, 600)], 20), wanted)

    def test_sections_side_by_side_are_no_stories(self):
        """Headings that stand level in two columns by chance leave the columns whole."""

        def heading(x0, y0, level):
            return Region(BlockKind.PARAGRAPH, Box(x0, y0, x0 + 400, y0 + 40), headline=level)

        for level, stories in ((2, False), (1, True)):
            upper = [self.region(x, 100, x + 430, 400) for x in (50, 520)]
            heads = [heading(x, 430, level) for x in (50, 520)]
            lower = [self.region(x, 480, x + 430, 900) for x in (50, 520)]
            left, right = zip(upper, heads, lower, strict=True)
            wanted = [*left, *right]
            if stories:
                wanted = [*upper, left[1], left[2], right[1], right[2]]
            found = reading_order(wanted[::-1], [Box(482, 100, 518, 900)], 20)
            self.assertEqual(found, wanted, level)

    def test_title_over_all_columns_but_narrower(self):
        """What is set over two columns of three comes first; a headline beside another does not."""
        columns = [self.region(x, 200, x + 260, 900) for x in (50, 350, 650)]
        gutters = [Box(x, 200, x + 30, 900) for x in (315, 615)]
        title = Region(BlockKind.PARAGRAPH, Box(322, 0, 640, 80), headline=1)
        wanted = [title, *columns]
        self.assertEqual(reading_order(wanted[::-1], gutters, 20), wanted)
        first = self.region(50, 0, 310, 900)
        wanted = [first, title, *columns[1:]]
        self.assertEqual(reading_order(wanted[::-1], gutters, 20), wanted)

    def test_what_stands_at_the_end_of_a_line_heads_no_story(self):
        """A large mark beside a term does not part columns that it stands level in."""
        wanted = []
        for x in (50, 520):
            upper, lower = self.region(x, 100, x + 430, 400), self.region(x, 440, x + 380, 900)
            mark = Region(BlockKind.PARAGRAPH, Box(x + 390, 430, x + 430, 470), headline=1)
            wanted += [upper, lower, mark]
        found = reading_order(wanted[::-1], [Box(482, 100, 518, 900)], 20)
        self.assertEqual({id(part) for part in found[:3]}, {id(part) for part in wanted[:3]})

    def test_columns_around_a_quote(self):
        """Each column is read through beside what is set into both, which comes first."""
        gutters = [Box(482, 0, 518, 290), Box(482, 560, 518, 1000)]
        quote = self.region(380, 300, 620, 540)
        left = [self.region(50, 0, 480, 290), self.region(50, 300, 360, 540),
                self.region(50, 550, 480, 1000)]  # fmt: skip
        right = [self.region(520, 0, 950, 290), self.region(640, 300, 950, 540),
                 self.region(520, 550, 950, 1000)]  # fmt: skip
        wanted = [quote, *left, *right]
        self.assertEqual(reading_order(wanted[::-1], gutters, 20), wanted)

    def test_a_headline_beside_a_column_is_no_inset(self):
        """Under a headline over two columns of three no other column goes on."""
        gutters = [Box(x, 0, x + 30, 1000) for x in (315, 615)]
        heads = [Region(BlockKind.PARAGRAPH, Box(50, y, 610, y + 80), headline=1) for y in (0, 520)]
        story = [[self.region(x, y + 100, x + 260, y + 480) for x in (50, 350)] for y in (0, 520)]
        third = self.region(650, 0, 910, 1000)
        wanted = [heads[0], *story[0], heads[1], *story[1], third]
        self.assertEqual(reading_order(wanted[::-1], gutters, 20), wanted)

    def test_a_figure_over_one_column_and_a_half(self):
        """The column that begins narrow beside it goes on under it."""
        gutters = [Box(702, 0, 718, 500), Box(482, 520, 518, 1000)]
        figure = Region(BlockKind.FIGURE, Box(50, 0, 700, 500))
        left = self.region(50, 520, 480, 1000)
        right = [self.region(720, 0, 950, 490), self.region(520, 495, 950, 1000)]
        wanted = [figure, left, *right]
        self.assertEqual(reading_order(wanted[::-1], gutters, 20), wanted)

    def test_figures_over_columns_without_a_known_gutter(self):
        """One over both comes before or after them; one over a column stays in that column."""
        left, right = self.region(50, 520, 480, 1000), self.region(520, 400, 950, 1000)
        for figure, wanted in (
            (Box(50, 0, 950, 410), (2, 0, 1)),
            (Box(50, 100, 480, 500), (2, 0, 1)),
            (Box(520, 990, 950, 1200), (0, 1, 2)),
        ):
            parts = [left, right, Region(BlockKind.FIGURE, figure)]
            found = reading_order(parts, [], 20)
            self.assertEqual(found, [parts[n] for n in wanted], figure)

    def test_what_no_cut_parts_is_read_from_the_top(self):
        """A block comes after what stands over it, also where it begins further to the left."""
        upper, lower = self.region(700, 100, 950, 180), self.region(50, 175, 950, 400)
        wanted = [upper, lower]
        self.assertEqual(reading_order(wanted[::-1], [], 20), wanted)

    def test_text_that_ends_early_in_the_second_column(self):
        """A few lines at the head of the right column come last, before the page's number."""
        left = [self.region(50, y, 480, y + 180) for y in range(0, 1000, 200)]
        right, number = self.region(520, 0, 950, 100), self.region(480, 1150, 520, 1180)
        wanted = [*left, right, number]
        self.assertEqual(reading_order(wanted[::-1], [], 20), wanted)
        photograph = Region(BlockKind.FIGURE, Box(520, 0, 950, 100))
        found = reading_order([number, photograph, *left[::-1]], [], 20)
        self.assertLess(found.index(photograph), found.index(left[1]))

    def test_gutter_under_the_short_last_line_of_a_summary(self):
        """The white beside the last line of text over both columns is no part of their gutter."""
        summary = self.region(50, 0, 950, 160)
        left = [self.region(50, 180, 480, 300), self.region(50, 320, 480, 600)]
        right = [self.region(520, 180, 950, 250), self.region(520, 270, 950, 600)]
        wanted = [summary, *left, *right]
        self.assertEqual(reading_order(wanted[::-1], [Box(482, 110, 518, 600)], 20), wanted)

    def test_notes_follow_what_they_begin_beside(self):
        """Also where the list that follows was still a part of its paragraph."""
        note = Region(BlockKind.MARGIN_NOTE, Box(1000, 110, 1200, 400))
        parts = [self.region(50, y, 950, y + 90) for y in (0, 100, 200, 300)]
        wanted = [*parts[:2], note, *parts[2:]]
        self.assertEqual(with_notes_beside([note, *parts], 20), wanted)
        self.assertEqual(reading_order([*parts[::-1], note], [], 20), wanted)


class VerticalTest(unittest.TestCase):
    def boxes(self, text, sideways=True):
        image = text_page(8)
        label = blank(700, 50)
        write_lines(label, [text], x=8, y=6, size=28)
        image.paste(label.rotate(90, expand=True) if sideways else label, (10, 100))
        prepared = prepare(pixels(image), PreparationSettings())
        return find_vertical(laid_out(prepared).ink.glyphs, prepared.letter_height)

    def test_lines_keep_commas_degrees_and_single_letters(self):
        """Parts that are narrower than the letters, or stand alone, belong to their line."""
        for text in ("Warmth of the air, °C", "Wind,  E", "Barometer, hPa"):
            with self.subTest(text=text):
                [box] = self.boxes(text)
                length = ImageFont.load_default(28).getlength(text)
                self.assertAlmostEqual(box.height, length, delta=0.04 * length)

    def test_lines_across_are_none(self):
        self.assertEqual(self.boxes("Warmth", sideways=False), [])
