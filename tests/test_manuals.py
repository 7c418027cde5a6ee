"""Pages as manuals have them: windows, tables in grids, terms, listings, and scans of nothing."""

import itertools
import time
import unittest
from functools import partial

import numpy as np
from PIL import Image, ImageDraw

import amberquarry as aq
from amberquarry import BlockKind, Box
from amberquarry.imaging import prepare
from amberquarry.imaging.light import even_page
from amberquarry.imaging.shrink import in_blocks
from amberquarry.reading.bullets import settle_ring
from amberquarry.reading.scripts import settle_case
from amberquarry.settings import PreparationSettings
from amberquarry.tables.placing import TableFacts, place_tables
from amberquarry.values import Block
from tests.support.blocks import face, line_of, of_kind
from tests.support.pages import blank, pixels, prose_at, write_lines
from tests.support.sheets import laid_out

font = partial(face, name="DejaVuSans")


def read(image):
    return aq.read_page(pixels(image))


class ScreenTest(unittest.TestCase):
    """Windows are figures, shaded text is text."""

    def window(self, image, box):
        draw, (x0, y0, x1, y1) = ImageDraw.Draw(image), box
        draw.rectangle(box, fill=238, outline=90)
        draw.rectangle((x0, y0, x1, y0 + 44), fill=96)
        for row, label in enumerate(("Gauge to show", "Steps of an hour", "Warn above")):
            y = y0 + 90 + 76 * row
            draw.text((x0 + 40, y), label, font=font(24), fill=20)
            draw.rectangle((x0 + 340, y - 8, x1 - 60, y + 38), fill=255, outline=150)
        draw.rectangle((x1 - 240, y1 - 80, x1 - 60, y1 - 24), fill=206, outline=120)
        draw.text((x1 - 200, y1 - 66), "Apply", font=font(24), fill=20)

    def test_a_window_is_a_figure_with_its_words(self):
        """What stands in it is kept as text of the figure, and not among the paragraphs."""
        image = blank()
        prose_at(image, 140)
        self.window(image, (220, 540, 1020, 940))
        prose_at(image, 1040)
        page = read(image)
        [figure] = of_kind(page, BlockKind.FIGURE)
        for edge, wanted in zip(figure.box, (220, 540, 1020, 940), strict=True):
            self.assertAlmostEqual(edge, wanted, delta=16)
        inside = " ".join(line.text for line in figure.lines)
        self.assertIn("Warn above", inside)
        outside = [b.text for b in page.blocks if b.kind is not BlockKind.FIGURE]
        self.assertFalse(any("Warn" in text or "Apply" in text for text in outside))
        self.assertTrue(all("keeper read the gauge" in text for text in outside), outside)

    def test_shaded_text_is_none(self):
        """A listing on grey is no window, nor is a table whose head and rows are shaded."""
        for dark, pale in ((222, 232), (205, 232), (150, 205)):
            with self.subTest(head=dark, rows=pale):
                image = blank()
                draw = ImageDraw.Draw(image)
                prose_at(image, 140)
                draw.rectangle((140, 520, 1080, 780), fill=pale)
                listing = ["read gauge --from noon", "sort by height", "write figure to book"]
                for row, text in enumerate(listing):
                    draw.text(
                        (170, 550 + 70 * row), text, font=font(30, name="DejaVuSansMono"), fill=0
                    )
                for row in range(5):
                    shade = dark if row == 0 else (pale, 255)[row % 2]
                    draw.rectangle((140, 900 + 70 * row, 1080, 970 + 70 * row), fill=shade)
                    cells = ((170, f"Station {row}"), (520, f"{row}.40"), (820, f"{3 * row}.75"))
                    for x, text in cells:
                        draw.text((x, 915 + 70 * row), text, font=font(30), fill=0)
                page = read(image)
                self.assertEqual(of_kind(page, BlockKind.FIGURE), [])
                self.assertIn("sort by height", page.text)
                self.assertIn("Station 3", page.text)

    def test_rows_shaded_in_part_of_which_nothing_stands(self):
        """The words of a shaded row are read however few they are, level or tilted."""
        image = blank()
        draw = ImageDraw.Draw(image)
        prose_at(image, 140)
        for row in range(6):
            y = 520 + 56 * row
            draw.rectangle((140, y, 1080, y + 55), fill=(180, 255)[row % 2])
            draw.text((170, y + 11), f"Station {row}", font=font(28), fill=0)
            if row in (1, 2):
                draw.text((820, y + 11), f"{row}.75", font=font(28), fill=0)
        prose_at(image, 1000)
        for angle in (0, 0.8):
            with self.subTest(angle=angle):
                page = read(image.rotate(angle, Image.Resampling.BICUBIC, fillcolor=255))
                self.assertEqual(of_kind(page, BlockKind.FIGURE), [])
                for wanted in (*(f"Station {row}" for row in range(6)), "1.75", "2.75"):
                    self.assertIn(wanted, page.text)

    def test_heads_of_light_letters_are_read(self):
        """Light letters in bars hardly higher than they are, of any tone, level or tilted."""
        for tone, angle, parted in ((20, 0, 0), (110, 0.8, 6), (150, 0, 6), (185, 0, 0)):
            image = blank()
            draw = ImageDraw.Draw(image)
            prose_at(image, 140)
            heads = ("Station", "Period", "Height", "Remark")
            for column, head in enumerate(heads):
                x = 140 + 240 * column
                draw.rectangle((x, 520, x + 239 - parted, 562), fill=tone)
                draw.text((x + 20, 523), head, font=font(30, name="DejaVuSans-Bold"), fill=255)
            for row in range(4):
                for column, cell in enumerate(("Harbour", "12:30", "4.7", "none")):
                    x, y = 160 + 240 * column, 580 + 52 * row
                    draw.text((x, y), cell, font=font(30), fill=0)
            prose_at(image, 900)
            with self.subTest(tone=tone, angle=angle):
                page = read(image.rotate(angle, Image.Resampling.BICUBIC, fillcolor=255))
                words = [word.text.lower() for word in page.words]
                for wanted in heads:
                    self.assertIn(wanted.lower(), words)
                self.assertEqual(words.count("12:30"), 4)

    def test_bars_of_charts_keep_their_shade(self):
        """A shade is taken off where letters stand on it: not in the bars of a chart."""
        image = blank()
        draw = ImageDraw.Draw(image)
        prose_at(image, 140)
        for column, tall in enumerate((120, 260, 180)):
            x = 300 + 200 * column
            draw.rectangle((x, 900 - tall, x + 70, 900), fill=150, outline=0, width=3)
        draw.rectangle((200, 1000, 900, 1060), fill=190)
        draw.text((220, 1012), "Station 4", font=font(30), fill=0)
        even = even_page(pixels(image))[0]
        self.assertEqual(even[800, 540], 150)
        self.assertEqual(even[1050, 700], 255)


class GridTest(unittest.TestCase):
    """Tables whose rules cross."""

    def grid(self, rows, columns, heights, top=300):
        image = blank()
        draw = ImageDraw.Draw(image)
        edges = np.cumsum([top, *heights]).tolist()
        for y in edges:
            draw.line((columns[0], y, columns[-1], y), fill=0, width=3)
        for x in columns:
            draw.line((x, edges[0], x, edges[-1]), fill=0, width=3)
        for y, row in zip(edges, rows, strict=False):
            for x, cell in zip(columns, row, strict=False):
                draw.multiline_text((x + 20, y + 16), cell, font=font(28), fill=0, spacing=12)
        return image

    def test_cells_of_several_lines_in_two_columns(self):
        """Each cell is read to its end before the one beside it."""
        rows = [
            ("gauge --all", "shows the figure of every gauge\nin the order of the stations"),
            ("gauge --last noon", "shows what was read at noon,\nor says that nothing was"),
            ("gauge --wide\n--plain", "leaves the marks out"),
            ("book --open", "goes on in the book that was\nwritten last"),
        ]
        [table] = of_kind(read(self.grid(rows, (140, 520, 1100), [110] * 4)), BlockKind.TABLE)
        text = " ".join(table.text.split())
        self.assertIn("gauge --wide --plain leaves the marks out", text)
        self.assertIn("every gauge in the order of the stations gauge --last noon", text)

    def test_a_head_over_one_row(self):
        """Two rows are a table where rules part their cells."""
        rows = [
            ("Sensor", "Kind", "States", "Form"),
            ("Tide gauge", "LEVEL", "LEVEL_OK\nLEVEL_HIGH\nLEVEL_LOST", "count"),
        ]
        image = self.grid(rows, (140, 420, 640, 920, 1100), [70, 160])
        prose_at(image, 700)
        [table] = of_kind(read(image), BlockKind.TABLE)
        self.assertIn("LEVEL_LOST", table.text)
        self.assertIn("Sensor", table.text)

    def test_one_table_under_the_other(self):
        """The last row of a table is no head of the next one, and the order is kept."""
        bands = [(200 + 230 * n, 422 + 230 * n) for n in range(3)]
        rows = [
            [line_of(text, x, top + 20 + 70 * row) for x, text in ((180, name), (600, "word"))]
            for top, _ in bands
            for row, name in enumerate(("open", "name", "end"))
        ]
        # the last row of one and the first of the next are one block for geometry
        cuts = [0, 2, 4, 5, 7, 9]
        blocks = [
            Block(BlockKind.PARAGRAPH, Box.around([x.box for x in own]), own)
            for own in ([x for row in rows[a:b] for x in row] for a, b in itertools.pairwise(cuts))
        ]
        rules = [Box(140, top, 1100, foot) for top, foot in bands]
        placed = place_tables(blocks, TableFacts(rules, [], [], 20.0))
        self.assertEqual([block.kind for block in placed], [BlockKind.TABLE] * 3)
        for block, (top, foot) in zip(placed, bands, strict=True):
            self.assertEqual(len(block.lines), 6)
            self.assertTrue(top < block.box.y0 and block.box.y1 < foot)


class TermTest(unittest.TestCase):
    """Small type beside the text."""

    def test_terms_are_no_notes_in_the_margin(self):
        """A row of a list without rules is one row: the term and what it means."""
        image = blank()
        draw = ImageDraw.Draw(image)
        meanings = [
            "how the figure of the gauge is written into the book",
            "how a figure that nobody has read is shown in its place",
            "how the words of a note are set beside what they note",
            "how the name of a station is shortened in a narrow row",
            "how a storm is marked that came without any warning at all",
            "how the hour is written where the clock of the tower stood still",
            "how the keeper of the day is told from the keeper of the night",
            "how the wind is written when it backs and when it veers",
        ]
        terms = ("figure", "missing", "note a", "station b", "storm", "hour a", "keeper", "wind a")
        for row, (term, meaning) in enumerate(zip(terms, meanings, strict=True)):
            y = 270 + 52 * row
            mono, serif = font(24, name="DejaVuSansMono"), font(28, name="DejaVuSerif")
            draw.text((140, y), term, font=mono, fill=0, anchor="ls")
            draw.text((340, y), meaning, font=serif, fill=0, anchor="ls")
        page = read(image)
        self.assertEqual(of_kind(page, BlockKind.MARGIN_NOTE), [])
        text = " ".join(page.text.replace("|", " ").split())
        self.assertIn(f"storm {meanings[4]}", text)

    def test_a_wide_listing_goes_on_into_the_margin(self):
        """Its last columns are no notes, what stands there in small type is."""
        image = blank(1500)
        prose_at(image, 140, 8)
        draw = ImageDraw.Draw(image)
        for row, text in enumerate(("The figure is", "that of noon.")):
            draw.text((1140, 150 + 36 * row), text, font=font(24, name="DejaVuSerif"), fill=0)
        mono = font(28, name="DejaVuSansMono")
        for row in range(5):
            cells = "".join(f"{(7 * row + 3 * n) % 10}.{(row * n) % 9}04   " for n in range(9))
            draw.text((160, 640 + 50 * row), cells, font=mono, fill=0)
        prose_at(image, 980, 8)
        page = read(image)
        notes = of_kind(page, BlockKind.MARGIN_NOTE)
        self.assertEqual([" ".join(b.text.split()) for b in notes], ["The figure is that of noon."])
        [code] = of_kind(page, BlockKind.CODE)
        rows = code.text.splitlines()
        self.assertEqual([len(row.split()) for row in rows], [9] * 5)


class ListingTest(unittest.TestCase):
    """Signs that stand alone in listings."""

    def test_short_cells_in_tight_rows(self):
        """Two capitals over others are no accents of these."""
        image = blank()
        draw = ImageDraw.Draw(image)
        mono = font(32, name="DejaVuSansMono")
        codes = ("PON", "LF", "VT", "POFF", "FF", "CR", "TAB", "RED", "BLACK")
        for row, code in enumerate(codes):
            draw.text((200, 300 + 46 * row), f"UC {16 + row} =>       {code}", font=mono, fill=0)
        prose_at(image, 900)
        words = read(image).text.split()
        self.assertEqual([code for code in codes if code not in words], [])

    def test_dots_for_lines_left_out(self):
        """A row of three dots stays between the lines of a listing."""
        image = blank()
        draw = ImageDraw.Draw(image)
        mono = font(32, name="DejaVuSansMono")
        code = ["for gauge in tower.gauges():", "    ...", "end", "", "for day in book:", "    ..."]
        for row, text in enumerate(code):
            draw.text((200, 300 + 50 * row), text, font=mono, fill=0)
        prose_at(image, 800)
        [listing] = of_kind(read(image), BlockKind.CODE)
        self.assertEqual(sum(line.text.strip() == "..." for line in listing.lines), 2)

    def test_upright_strokes_between_words(self):
        """A stroke as high as its line is a sign; a row of them is a table's rule."""
        image = blank()
        write_lines(image, ["gauge = name | station | ( name )", "station = word | figure"], y=300)
        draw = ImageDraw.Draw(image)
        mask = pixels(image).copy()
        layout = laid_out(prepare(mask, PreparationSettings()))
        self.assertEqual(layout.ink.drawn_rules.sum(), 0)
        for row in range(5):  # of a table whose rows stand apart
            draw.line((700, 600 + 70 * row, 700, 658 + 70 * row), fill=0, width=2)
            draw.text((500, 610 + 70 * row), f"Station {row}", font=font(26), fill=0)
            draw.text((740, 610 + 70 * row), f"{row}.75", font=font(26), fill=0)
        layout = laid_out(prepare(pixels(image), PreparationSettings()))
        self.assertGreater(layout.ink.drawn_rules[600:960, 690:710].sum(), 300)

    def test_rows_that_look_like_equations(self):
        """A row of a listing with a sign of relation stays in the listing."""
        image = blank()
        prose_at(image, 140)
        draw = ImageDraw.Draw(image)
        mono = font(28, name="DejaVuSansMono")
        code = ["begin station(gauge, book);", "  a := 3;", "  write(book, gauge);", "end;"]
        for row, text in enumerate(code):
            draw.text((220, 520 + 44 * row), text, font=mono, fill=0)
        prose_at(image, 800)
        page = read(image)
        self.assertEqual(of_kind(page, BlockKind.EQUATION), [])
        [listing] = of_kind(page, BlockKind.CODE)
        self.assertEqual(len(listing.lines), len(code))


class EdgeTest(unittest.TestCase):
    """Rows at the top and the foot of a page, and over tables."""

    def row(self, draw, y, parts, face):
        left, middle, right = parts
        draw.text((140, y), left, font=face, fill=0)
        draw.text((620, y), middle, font=face, fill=0, anchor="ma")
        draw.text((1080, y), right, font=face, fill=0, anchor="ra")

    def test_one_name_at_both_sides(self):
        """Manuals bear the name of a command at the left and right: these are running heads."""
        image = blank()
        draw = ImageDraw.Draw(image)
        self.row(draw, 80, ("gauge(1)", "Manual of the Station", "gauge(1)"), font(30))
        prose_at(image, 240)
        prose_at(image, 700)
        self.row(draw, 1640, ("Basin", "Fourth of May", "Basin"), font(30))
        page = read(image)
        kinds = [block.kind for block in page.blocks]
        self.assertEqual(kinds.count(BlockKind.RUNNING_HEAD), 3)
        self.assertEqual(kinds.count(BlockKind.RUNNING_FOOT), 3)

    def test_a_head_over_a_grid(self):
        """The head of the page right over a grid is no row of the table."""
        image = blank()
        draw = ImageDraw.Draw(image)
        edges = (140, 560, 720, 900, 1080)
        draw.text(
            (140, 250), "Gauges of the basin, compared by their keepers", font=font(26), fill=0
        )
        draw.text((1080, 250), "page 1 of 1", font=font(26), fill=0, anchor="ra")
        for row in range(8):
            y = 300 + 60 * row
            draw.rectangle((140, y, 1080, y + 60), outline=0, width=2)
            for x, text in zip(edges, (f"Station {row}", "yes", "no", f"{row}.75"), strict=False):
                draw.text((x + 14, y + 14), text, font=font(26), fill=0)
        for x in edges:
            draw.line((x, 300, x, 780), fill=0, width=2)
        prose_at(image, 900)
        [table] = of_kind(read(image), BlockKind.TABLE)
        self.assertNotIn("keepers", table.text)
        self.assertIn("Station 0", table.text)

    def test_widely_set_paragraphs(self):
        """Sentences a blank line apart are paragraphs; lines of one that is set so are not."""
        image = blank()
        prose_at(image, 140)
        draw = ImageDraw.Draw(image)
        ends = (
            "The keeper reads the gauge at noon and in the night.",
            "Nobody saw the pilot.",
            "The buoy is lit in May.",
            "The rope was mended.",
        )
        runs = (
            "The keeper reads the gauge at noon and in the night. He",
            "looks at the buoy. Then he goes back to the tower, where",
            "the lamp is lit. Nobody has seen the pilot since the winter.",
            "Then the wind backed to the west and the water rose.",
        )
        for top, step, texts in ((560, 100, ends), (1060, 80, runs)):
            for row, text in enumerate(texts):
                draw.text((140, top + step * row), text, font=font(33), fill=0)
        texts = [block.text for block in of_kind(read(image), BlockKind.PARAGRAPH)]
        self.assertIn("The buoy is lit in May.", texts)
        self.assertIn(" ".join(runs), texts)


class CaptionTest(unittest.TestCase):
    def test_a_bold_label_tells_a_caption(self):
        """No stop follows the label, as books set it."""
        image = blank()
        prose_at(image, 140)
        draw = ImageDraw.Draw(image)
        draw.text((200, 560), "Figure 21.1", font=font(28, name="DejaVuSans-Bold"), fill=0)
        draw.text((420, 560), "The basin at low water in the winter", font=font(28), fill=0)
        prose_at(image, 700)
        [caption] = of_kind(read(image), BlockKind.CAPTION)
        self.assertTrue(caption.text.startswith("Figure 21.1 The basin at low water"), caption.text)


class SignTest(unittest.TestCase):
    """What the size of a sign tells."""

    def test_small_capitals_inside_words(self):
        """Capitals as low as small letters are such; a capital that stands higher stays."""
        text, low, high = "InnovaTIve NetBSD", 26.0, 34.0
        rise = np.array([high, *[low] * 9, 0, high, low, low, high, high, high])
        self.assertEqual(settle_case(text, rise), "Innovative NetBSD")

    def test_letters_as_high_as_the_capitals_between_are_such(self):
        """Names of programs: a letter of one shape is a capital where it stands as high."""
        tall = dict.fromkeys("NRHd", 20.0)
        for text, high, expected in [
            ("NormobjectRead", (4,), "NormObjectRead"),
            ("NormobjectRead", (), "NormobjectRead"),
            ("objectHandle", (), "objectHandle"),
            ("Normobjects", (4,), "Normobjects"),
        ]:
            rise = [20.0 if n in high else tall.get(sign, 15.0) for n, sign in enumerate(text)]
            with self.subTest(text=text, high=high):
                self.assertEqual(settle_case(text, np.array(rise)), expected)

    def test_rings_are_bullets(self):
        """A ring is smaller than the letters of its shape, and stands before a space."""
        ring = np.array([[0, 0, 17, 17], [20, 0, 30, 20], [30, 0, 50, 36]], np.float32)
        self.assertEqual(settle_ring("© Tides", ring, 26.0), "◦ Tides")
        self.assertEqual(settle_ring("© Tides", 2 * ring, 26.0), "© Tides")
        self.assertEqual(settle_ring("one", ring, 26.0), "one")


class GrainTest(unittest.TestCase):
    """Scans on which nothing can be seen."""

    def test_a_dark_page_of_grain_is_empty_soon(self):
        """Letters that grain hides are no text, and cost no time."""
        chance = np.random.default_rng(5)
        tones = np.full((1494, 1993), 240.0)
        tones[40:1450, 40:1950] = 67
        tones = np.clip(tones + chance.normal(0, 3.4, tones.shape), 0, 255).astype(np.uint8)
        began = time.monotonic()
        page = aq.read_page(tones)
        self.assertEqual(page.text.strip(), "")
        self.assertLess(time.monotonic() - began, 60)

    def test_grain_around_print_is_no_ink(self):
        """Print on grainy paper keeps its ink, the paper beside it has none."""
        image = blank()
        prose_at(image, 140, 8)
        tones = pixels(image).astype(np.float32) * 0.7 + 20
        grain = np.random.default_rng(6).normal(0, 9, tones.shape)
        ink = prepare(np.clip(tones + grain, 0, 255).astype(np.uint8), PreparationSettings()).ink
        height = len(ink)
        self.assertGreater(ink[: height // 3].mean(), 0.02)
        self.assertLess(ink[height // 2 :].mean(), 0.002)


class ShrinkTest(unittest.TestCase):
    def test_means_of_whole_blocks(self):
        """The last blocks are filled up with the picture's edge."""
        picture = np.array(Image.new("L", (20, 19), 10), np.uint8)
        picture[:, 16:] = 90
        small = in_blocks(picture, 8)
        np.testing.assert_array_equal(small, [[10, 10, 90]] * 3)
        self.assertEqual(in_blocks(picture, 1).shape, picture.shape)


class BoxTest(unittest.TestCase):
    def test_grids_are_given_as_rows_of_cells(self):
        """From rule to rule, across and down."""
        image = blank()
        draw = ImageDraw.Draw(image)
        for y in (300, 400, 520):
            draw.line((200, y, 900, y), fill=0, width=3)
        for x in (200, 500, 900):
            draw.line((x, 300, x, 520), fill=0, width=3)
        prose_at(image, 700)
        sheet = laid_out(prepare(pixels(image), PreparationSettings())).sheet
        [grid] = sheet.rules.grids(60.0)
        self.assertEqual([len(row) for row in grid], [2, 2])
        for edge, wanted in zip(grid[1][0], Box(200, 400, 500, 520), strict=True):
            self.assertAlmostEqual(edge, wanted, delta=5)
