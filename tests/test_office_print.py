"""Pages as offices print them: cells in several lines, grey print, drawings, heads over rules."""

import unittest
from functools import partial

from PIL import ImageDraw

import amberquarry as aq
from amberquarry import BlockKind
from tests.support.blocks import face, of_kind, write_code
from tests.support.pages import PROSE, blank, pixels, prose_at, write_lines

font = partial(face, name="DejaVuSerif")


def read(image):
    return aq.read_page(pixels(image))


def words_of(page):
    return [word.text for word in page.words]


class CellTest(unittest.TestCase):
    """Cells of several lines, set to the middle of their row."""

    ROWS = (
        ("Harbour", "12:30", "4.7 m", "none seen"),
        ("North quay, upper steps", "13:10", "—", "light fog"),
        ("Old mole", "14:00", "6.2 m", "—"),
        ("Lantern rock, east side", "15:45", "5.5 m", "swell from the west"),
        ("Ferry steps", "16:20", "3.9 m", "none seen"),
    )
    HEADS = ("Station", "Period", "Height of the wave", "Remarks")
    COLUMNS = (140, 440, 640, 880)

    def table(self, image, y, bold=False):
        """Draw the table from y down; returns where each row ends."""
        draw, ends = ImageDraw.Draw(image), []
        for row in (self.HEADS, *self.ROWS):
            cells = [self.parts(text) for text in row]
            high = 40 * max(map(len, cells))
            for x, parts in zip(self.COLUMNS, cells, strict=True):
                top = y + (high - 40 * len(parts)) // 2
                for number, part in enumerate(parts):
                    draw.text((x, top + 40 * number), part, font=font(30), fill=0)
            y += high + 16
            ends.append(y)
        return ends

    def parts(self, text):
        """Return a cell's text in lines of at most 12 letters."""
        lines = [""]
        for word in text.split():
            longer = f"{lines[-1]} {word}".strip()
            lines = [*lines[:-1], longer] if len(longer) <= 12 else [*lines, word]
        return lines

    def test_all_lines_of_all_cells_are_the_table_s(self):
        """None becomes a heading or a paragraph of its own, with rules and without."""
        for rules in ((), (0,), (0, 5)):
            with self.subTest(rules=rules):
                image = blank()
                prose_at(image, 140)
                ends = self.table(image, 520)
                draw = ImageDraw.Draw(image)
                for number in rules:
                    y = ends[number] - 10
                    draw.line((140, y, 1080, y), fill=0, width=3)
                prose_at(image, ends[-1] + 60)
                page = read(image)
                [table] = of_kind(page, BlockKind.TABLE)
                inside = {word.text for line in table.lines for word in line.words}
                wanted = {
                    word for row in (self.HEADS, *self.ROWS) for c in row for word in c.split()
                }
                self.assertEqual({word for word in wanted - inside if word != "—"}, set())
                self.assertEqual([b.text for b in of_kind(page, BlockKind.HEADING)], [])

    def test_a_dash_alone_in_its_cell_is_read(self):
        """Which dash it is may be doubtful; that there is one is not."""
        image = blank()
        prose_at(image, 140)
        self.table(image, 520)
        read_dashes = sum(word in ("—", "–", "-") for word in words_of(read(image)))
        self.assertEqual(read_dashes, 2)

    def test_a_line_of_wide_spaces_under_a_table_is_none_of_its_rows(self):
        """Its words stand as far apart as cells, but reach out at both sides."""
        image = blank()
        prose_at(image, 140)
        draw = ImageDraw.Draw(image)
        for row in range(6):
            for x, text in ((300, f"Station {row}"), (600, f"{row}.40"), (820, f"{3 * row}.75")):
                draw.text((x, 520 + 52 * row), text, font=font(30), fill=0)
        for x, text in ((262, "In the night"), (600, "nobody"), (850, "read it.")):
            draw.text((x, 840), text, font=font(30), fill=0)
        prose_at(image, 900)
        [table] = of_kind(read(image), BlockKind.TABLE)
        inside = [word.text for line in table.lines for word in line.words]
        self.assertIn("Station", inside)
        self.assertNotIn("nobody", inside)

    def test_columns_in_step_between_rules_of_the_page_are_no_table(self):
        """Entries of an index stand in rows by chance, and are read column by column."""
        image = blank()
        draw = ImageDraw.Draw(image)
        for y in (110, 1600):
            draw.line((120, y, 1120, y), fill=0, width=3)
        words = PROSE.replace(".", "").replace(",", "").split()
        left = [f"{' '.join(words[n : n + 2 + n % 3])}, {7 * n + 11}" for n in range(24)]
        right = [f"{' '.join(words[n + 9 : n + 11 + n % 2])}, {5 * n + 50}" for n in range(24)]
        for n, texts in enumerate(zip(left, right, strict=True)):
            for x, text in zip((120, 680), texts, strict=True):
                draw.text((x, 150 + 58 * n), text, font=font(28), fill=0)
        page = read(image)
        self.assertEqual([b.kind for b in of_kind(page, BlockKind.TABLE)], [])
        text = " ".join(page.text.split())
        self.assertLess(text.index(f", {7 * 23 + 11}"), text.index(right[0]))


class GreyPrintTest(unittest.TestCase):
    def test_grey_lines_among_black_ones_are_read(self):
        image = blank()
        prose_at(image, 140, 5)
        write_lines(image, ["The keeper of the night wrote this in grey."], 140, 410, 34, ink=150)
        prose_at(image, 470)
        self.assertIn("The keeper of the night wrote this in grey.", read(image).text)

    def test_soft_edges_of_black_print_stay_as_they_are(self):
        """A page without grey print has the same ink as before."""
        image = blank()
        prose_at(image, 140, 12)
        plain = read(image)
        self.assertEqual(sum(len(block.lines) for block in plain.blocks), 12)


class DrawingTest(unittest.TestCase):
    """What is drawn over the caption of a figure is one."""

    def drawing(self, image, y):
        draw = ImageDraw.Draw(image)
        for n in range(4):
            x = 200 + 220 * n
            draw.rectangle((x, y, x + 150, y + 60), fill=190)
            draw.rectangle((x, y + 260, x + 150, y + 320), fill=64)
            draw.text((x + 20, y + 16), f"Gauge {n}", font=font(24), fill=0)
            draw.text((x + 20, y + 276), f"Tower {n}", font=font(24), fill=255)
            draw.line((x + 75, y + 60, x + 75, y + 260), fill=0, width=3)
            draw.polygon([(x + 75, y + 260), (x + 65, y + 235), (x + 85, y + 235)], fill=0)

    def test_labels_and_strokes_over_a_caption(self):
        image = blank()
        prose_at(image, 140)
        self.drawing(image, 480)
        write_lines(image, ["Figure 2: From gauges to towers"], 200, 840)
        prose_at(image, 960)
        page = read(image)
        [figure] = of_kind(page, BlockKind.FIGURE)
        for edge, wanted in zip(figure.box, (200, 480, 1010, 800), strict=True):
            self.assertAlmostEqual(edge, wanted, delta=12)
        outside = " ".join(block.text for block in page.blocks if block is not figure)
        self.assertNotIn("Gauge 1", outside)
        self.assertIn("From gauges to towers", outside)

    def test_a_panel_of_one_tone_over_a_caption(self):
        """A dialog in flat grey is a picture where its caption says so, else shaded text."""
        for caption in (True, False):
            with self.subTest(caption=caption):
                image = blank()
                draw = ImageDraw.Draw(image)
                prose_at(image, 140)
                draw.rectangle((200, 480, 1000, 760), fill=204)
                for row, text in enumerate(("Name of station", "Hour of reading", "Height")):
                    draw.text((240, 520 + 70 * row), text, font=font(28, name="DejaVuSans"), fill=0)
                if caption:
                    write_lines(image, ["Figure 7: How a reading is entered"], 240, 790)
                prose_at(image, 920)
                figures = of_kind(read(image), BlockKind.FIGURE)
                self.assertEqual(len(figures), int(caption))


class HeadTest(unittest.TestCase):
    """What a rule parts from the text at the head and foot of a page."""

    def test_heads_and_feet_beyond_a_rule(self):
        image = blank()
        draw = ImageDraw.Draw(image)
        draw.text((140, 90), "Handbook of the gauges", font=font(30), fill=0)
        draw.line((140, 140, 1080, 140), fill=0, width=3)
        for y in (200, 620, 1040):
            prose_at(image, y, 8)
        draw.line((140, 1590, 1080, 1590), fill=0, width=3)
        draw.text((140, 1605), "Printed for the keepers of the towers", font=font(30), fill=0)
        page = read(image)
        [head] = of_kind(page, BlockKind.RUNNING_HEAD)
        [foot] = of_kind(page, BlockKind.RUNNING_FOOT)
        self.assertEqual(head.text, "Handbook of the gauges")
        self.assertEqual(foot.text, "Printed for the keepers of the towers")

    def test_a_section_in_a_section_stands_by_itself(self):
        """Three lines set closely are two titles and the text under them."""
        image = blank()
        draw = ImageDraw.Draw(image)
        prose_at(image, 140)
        lines = (
            ("7.1 Gauges that were tried", "DejaVuSerif-Bold", 44),
            ("7.1.1 Gauges of the harbour", "DejaVuSerif", 42),
            (
                "So far the following gauges were tried in all towers of the coast.",
                "DejaVuSerif",
                28,
            ),
        )
        for row, (text, name, size) in enumerate(lines):
            draw.text((140, 480 + 56 * row), text, font=font(size, name=name), fill=0)
        prose_at(image, 700)
        page = read(image)
        headings = [block.text for block in of_kind(page, BlockKind.HEADING)]
        self.assertEqual(headings, [text for text, *_ in lines[:2]])

    def test_the_letter_o_as_a_bullet(self):
        """Far from its text on one edge it is a bullet; a word of one letter is none."""
        image = blank()
        draw = ImageDraw.Draw(image)
        prose_at(image, 140)
        for row, text in enumerate(
            ("time of the reading", "place of the gauge", "name of the keeper")
        ):
            y = 460 + 52 * row
            draw.text((220, y), "o", font=font(30, name="DejaVuSansMono"), fill=0)
            draw.text((300, y), text, font=font(30), fill=0)
        prose_at(image, 680)
        items = of_kind(read(image), BlockKind.ITEM)
        self.assertEqual([item.text for item in items][1:2], ["◦ place of the gauge"])
        self.assertEqual(len(items), 3)


class ListingTest(unittest.TestCase):
    def test_listings_that_fill_most_of_a_page_of_prose(self):
        """A page is typewritten only where nothing else is printed."""
        image = blank()
        draw = ImageDraw.Draw(image)
        options = [f"--gauge{n}  name of the gauge number {n}, none by default" for n in range(20)]
        write_code(image, options, 140, 140, 28)
        for row in range(5):
            text = "A reading is written down at every hour of the day, and each of them"
            draw.text((140, 980 + 48 * row), text, font=font(28), fill=0)
        page = read(image)
        [code] = of_kind(page, BlockKind.CODE)
        self.assertEqual(len(code.text.splitlines()), 20)


if __name__ == "__main__":
    unittest.main()
