"""Pages as offices print them: cells in several lines, grey print, drawings, heads over rules."""

import unittest
from functools import partial

from PIL import ImageDraw

import amberquarry as aq
from amberquarry import BlockKind
from tests.support.blocks import face, of_kind, write_code
from tests.support.pages import PROSE, blank, pixels, prose_at, write_justified, write_lines

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


class RowTest(unittest.TestCase):
    """Rows of a table, however its page lies."""

    ROWS = tuple(
        (str(n), f"{4 * n:02}.1{n}", f"3.{n}5", ("calm", "NNE")[n % 2]) for n in range(1, 9)
    )

    def page(self):
        image = blank(1240, 1000)
        draw = ImageDraw.Draw(image)
        write_justified(image, PROSE, 100, 80, 1000, 4, 28)
        for n, row in enumerate((("Day", "High water", "Metres", "Wind"), *self.ROWS)):
            y = 300 + 56 * n
            draw.line((100, y - 8, 1100, y - 8), fill=0, width=3)
            for x, text in zip((120, 370, 620, 870), row, strict=True):
                draw.text((x, y), text, font=font(28), fill=0)
        for x in range(100, 1101, 250):
            draw.line((x, 292, x, 292 + 56 * 9), fill=0, width=3)
        draw.line((100, 292 + 56 * 9, 1100, 292 + 56 * 9), fill=0, width=3)
        return image

    def test_rows_stay_together_on_tilted_and_turned_pages(self):
        for degrees in (0, 2.5, -2.5, 90, 180):
            with self.subTest(degrees=degrees):
                page = read(self.page().rotate(degrees, expand=True, fillcolor=255))
                [table] = of_kind(page, BlockKind.TABLE)
                rows = [tuple(row.split("   ")) for row in table.text.split("\n")]
                self.assertEqual(rows[1:], [*self.ROWS])

    def test_prose_over_a_table_without_rules_is_none_of_its_rows(self):
        """A space of the prose may stand over the white between two columns."""
        image = blank()
        draw = ImageDraw.Draw(image)
        text = "When the pilots had sealed again the signal lamp, the surge passed the mole"
        x = 100 + draw.textlength(text, font=font(26)) + 24
        draw.text((100, 200), text, font=font(26), fill=0)
        draw.text((x, 200), "16 minutes", font=font(26), fill=0)
        draw.text((100, 238), "early in the night of the storm.", font=font(26), fill=0)
        for n, row in enumerate(self.ROWS):
            for cell, text in zip((106, 420, 720, int(x) + 20), row, strict=True):
                draw.text((cell, 300 + 56 * n), text, font=font(26), fill=0)
        page = read(image)
        [table] = of_kind(page, BlockKind.TABLE)
        self.assertNotIn("surge", table.text)
        self.assertEqual(len(table.text.split("\n")), len(self.ROWS))


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

    def test_bars_of_a_chart_over_a_caption(self):
        """Filled bars are no rules, and none of them is the whole figure; a speck is no part."""
        for fill in (0, 150):
            with self.subTest(fill=fill):
                image = blank()
                draw = ImageDraw.Draw(image)
                prose_at(image, 140)
                draw.line([(330, 480), (330, 810), (930, 810)], fill=0, width=3)
                for n, high in enumerate((240, 290, 300, 120, 260)):
                    x = 340 + 115 * n
                    draw.rectangle((x, 808 - high, x + 80, 808), fill=fill, outline=0)
                    draw.text((x + 14, 820), str(1920 + n), font=font(20), fill=0)
                draw.ellipse((90, 600, 94, 604), fill=60)
                write_lines(image, ["Figure 4: Gales from the west, by the year"], 250, 870)
                prose_at(image, 960)
                [figure] = of_kind(read(image), BlockKind.FIGURE)
                for edge, wanted in zip(figure.box, (330, 480, 930, 840), strict=True):
                    self.assertAlmostEqual(edge, wanted, delta=30)

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


class CaptionedTest(unittest.TestCase):
    """What may stand over the caption of a figure and is no drawing."""

    CAPTION = "Figure 5: The order of the readings"

    def kinds_over_caption(self, draw_it):
        """Return the kinds of a page on which something stands over a caption, and the page."""
        image = blank()
        prose_at(image, 140)
        draw_it(image, ImageDraw.Draw(image))
        write_lines(image, [self.CAPTION], 200, 900)
        prose_at(image, 1010)
        page = read(image)
        return [block.kind for block in page.blocks], page

    def test_a_listing_stays_a_listing(self):
        code = ["for gauge in tower:", "    read(gauge)", "    if wet: mark(gauge)", "book.close()"]
        kinds, _ = self.kinds_over_caption(lambda image, _: write_code(image, code, 200, 560, 30))
        self.assertIn(BlockKind.CODE, kinds)
        self.assertNotIn(BlockKind.FIGURE, kinds)

    def test_a_grid_stays_a_table(self):
        def grid(_, draw):
            for row in range(5):
                for column in range(3):
                    x, y = 200 + 260 * column, 560 + 60 * row
                    draw.rectangle((x, y, x + 260, y + 60), outline=0, width=2)
                    draw.text((x + 20, y + 14), f"{row}.{column}5 m", font=font(28), fill=0)

        kinds, page = self.kinds_over_caption(grid)
        self.assertIn(BlockKind.TABLE, kinds)
        self.assertNotIn(BlockKind.FIGURE, kinds)
        self.assertIn("4.25", page.text)

    def test_text_up_to_the_caption_stays_text(self):
        """The figure of such a caption is on another page."""
        kinds, _ = self.kinds_over_caption(lambda image, _: prose_at(image, 560))
        self.assertEqual(kinds.count(BlockKind.PARAGRAPH), 3)
        self.assertNotIn(BlockKind.FIGURE, kinds)

    def test_a_heading_over_a_drawing_is_no_part_of_it(self):
        def drawing(_, draw):
            draw.text((140, 500), "4.2 How it was read", font=font(44), fill=0)
            for n in range(5):
                x, y = 240 + 150 * n, 620 + 40 * (n % 3)
                draw.ellipse((x, y, x + 90, y + 90), outline=0, width=4)
                draw.line((x + 90, y + 45, x + 150, y + 45), fill=0, width=4)
                draw.text((x + 24, y + 28), f"g{n}", font=font(26), fill=0)

        kinds, page = self.kinds_over_caption(drawing)
        self.assertEqual(kinds.count(BlockKind.FIGURE), 1)
        [heading] = of_kind(page, BlockKind.HEADING)
        self.assertEqual(heading.text, "4.2 How it was read")


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

    def test_notes_under_a_rule_are_no_running_foot(self):
        """Sentences stay notes or text, however wide the rule over them is."""
        image = blank()
        draw = ImageDraw.Draw(image)
        for y in (140, 560, 980):
            prose_at(image, y, 8)
        draw.line((140, 1500, 1080, 1500), fill=0, width=3)
        note = "1 The keeper of the tower has said so to the harbour clerk."
        draw.text((140, 1520), note, font=font(26), fill=0)
        page = read(image)
        self.assertEqual(of_kind(page, BlockKind.RUNNING_FOOT), [])
        self.assertIn("said so to the harbour clerk", page.text)

    def test_a_title_over_the_rule_of_a_table_stays(self):
        """At the head of a page the row over a grid is no running head where it is a caption."""
        image = blank()
        draw = ImageDraw.Draw(image)
        draw.text((140, 90), "Table 4: Heights of the year", font=font(30), fill=0)
        for row in range(6):
            y = 150 + 60 * row
            draw.line((140, y, 1080, y), fill=0, width=3)
            if row < 5:
                for x, text in ((160, f"Station {row}"), (560, f"{row}.40"), (860, f"{row}.75")):
                    draw.text((x, y + 14), text, font=font(28), fill=0)
        prose_at(image, 560)
        page = read(image)
        self.assertEqual(of_kind(page, BlockKind.RUNNING_HEAD), [])
        [caption] = of_kind(page, BlockKind.CAPTION)
        self.assertEqual(caption.text, "Table 4: Heights of the year")

    def test_a_number_at_the_beginning_of_a_line_begins_no_section(self):
        """Where the line before is full, the sentence goes on."""
        image = blank()
        text = "The readings of the upper gauge are told apart from those of the lower in section "
        write_justified(image, f"{text}7.1.1 Nobody saw it. " + PROSE * 2, 140, 140, 940, 8, 34)
        prose_at(image, 700)
        page = read(image)
        self.assertEqual([block.text for block in of_kind(page, BlockKind.HEADING)], [])
        self.assertEqual(len(of_kind(page, BlockKind.PARAGRAPH)), 2)

    def test_the_word_o_is_no_bullet(self):
        image = blank()
        lines = [
            "o vento e a chuva da noite, o mar e",
            "o farol da costa, a torre e a casa,",
            "o livro.",
        ]
        write_lines(image, lines, 140, 140)
        prose_at(image, 400)
        self.assertIn("o farol da costa", read(image).text)

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


class ContentsTest(unittest.TestCase):
    """Entries whose dots lead to a page."""

    def test_each_entry_is_an_item_of_its_own(self):
        """Also those with numbers of several levels, and in tables of numbers and titles."""
        image = blank()
        draw, face_used = ImageDraw.Draw(image), font(28)
        titles = ("1. Gauges", "1.1. Of the harbour", "1.2. Of the river", "2. Towers and lights",
                  "2.1. Of stone", "2.2. Of timber", "3. Books of the year")  # fmt: skip
        for row, title in enumerate(titles):
            y, page = 240 + 48 * row, str(3 + 4 * row)
            start = 150 + face_used.getlength(title) + 8
            end = 1080 - face_used.getlength(page) - 8
            dots = "." * int((end - start) / face_used.getlength("."))
            draw.text((150, y), title, font=face_used, fill=0)
            draw.text((end, y), dots, font=face_used, fill=0, anchor="ra")
            draw.text((1080, y), page, font=face_used, fill=0, anchor="ra")
        prose_at(image, 800)
        items = of_kind(read(image), BlockKind.ITEM)
        self.assertEqual([item.text.split(".....")[0].rstrip(". ") for item in items], [*titles])


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
