"""What blocks are told to be, on drawn pages and on pages made of values."""

import itertools
import math
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
from PIL import ImageDraw, ImageFont

import amberquarry as aq
from amberquarry import BlockKind
from amberquarry.assembly import assemble, languages_of
from amberquarry.document import Document
from amberquarry.formats.markdown import document_text
from amberquarry.formats.records import document_record, schema
from amberquarry.ink.tones import with_tones
from amberquarry.kinds.captions import join_captions
from amberquarry.kinds.figures import place_figures, whole_photographs
from amberquarry.kinds.items import follows, items_whole, marker_of
from amberquarry.kinds.settling import settle_kinds
from amberquarry.runs.folder import read_records
from amberquarry.sheet.areas import Areas
from amberquarry.sheet.typography import Measures, fixed_shares, is_fixed
from amberquarry.values import Block, Box, Emphasis, Frame, Item, Mapping, Page, Style
from tests.support.blocks import CODE, block_of, line_of, of_kind, pages_of, write_code
from tests.support.pages import PROSE, blank, wrap, write_justified, write_lines


def markdown(pages):
    assemble(pages)
    return document_text(Document("d", "d", pages))


class IdentityTest(unittest.TestCase):
    def test_blocks_alike_are_not_one(self):
        """Blocks and lines with the same values are told apart, whatever arrays they hold."""
        first, second = (block_of(BlockKind.PARAGRAPH, "oil and rope", 40) for _ in range(2))
        self.assertNotIn(first, [second])
        self.assertNotIn(first.lines[0], second.lines)
        self.assertIn(first, [second, first])


class MarkerTest(unittest.TestCase):
    def test_markers(self):
        """Bullets, figures, letters and roman numbers begin items, words and sums do not."""
        for text, wanted in (
            ("• a lamp", "•"), ("– rope", "–"), ("12. oil", "12."), ("(3) tar", "(3)"),
            ("b) sail", "b)"), ("iv. keel", "iv."), ("[7] log", "[7]"), ("3.5 marks", None),
            ("A lamp", None), ("12 lamps", None), ("(2)Les lampes", "(2)"), ("(2)4", None),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(marker_of(text), wanted)

    def test_what_follows(self):
        """A bullet is followed by the same one, a number by the next."""
        self.assertTrue(follows("•", "•"))
        self.assertFalse(follows("•", "–"))
        self.assertTrue(follows("(2)", "(3)") and follows("c)", "d)") and follows("ix.", "x."))
        self.assertTrue(follows("4.", "3.", after=False))
        self.assertFalse(follows("4.", "6."))


class PitchTest(unittest.TestCase):
    def test_fixed_pitch_is_told(self):
        """Letters on a grid are told from letters of their own widths; few letters tell nothing."""
        fixed = line_of("the gauge at the old quay")
        self.assertGreater(fixed_shares([fixed])[0], 0.95)
        self.assertTrue(is_fixed([fixed]))
        own = line_of("the gauge at the old quay")
        own.character_boxes[:, [0, 2]] += np.cumsum(
            np.random.default_rng(4).uniform(-5, 5, len(own.text))
        )[:, None]
        self.assertFalse(is_fixed([own]))
        self.assertFalse(is_fixed([line_of("quay")]))


def page_with_chart(left, right, points):
    """Return a page of prose with the axes and the curve of a chart under it."""
    image = blank()
    write_lines(image, wrap(PROSE, 52), y=120)
    draw = ImageDraw.Draw(image)
    draw.line((left, 900, left, 520), fill=0, width=3)
    draw.line((left, 900, right, 900), fill=0, width=3)
    draw.line(points, fill=0, width=4)
    return image


class FigureTest(unittest.TestCase):
    def test_figures_are_placed_where_they_stand(self):
        """Lines inside become labels; without any, the figure comes after what is over it."""
        over, label, under = (
            block_of(BlockKind.PARAGRAPH, text, y, x=x)
            for text, x, y in (("The lamp", 100, 100), ("midday", 300, 400), ("was lit", 100, 700))
        )
        box = Box(90, 300, 600, 600)
        for blocks, labels in (([over, label, under], 1), ([over, under], 0)):
            placed = place_figures(blocks, [box])
            self.assertEqual([block.kind.value for block in placed],
                             ["paragraph", "figure", "paragraph"])  # fmt: skip
            self.assertEqual((placed[1].box, len(placed[1].lines)), (box, labels))

    def test_what_is_read_in_a_figure_badly_is_no_label(self):
        """Strokes of a drawing go; letters that the reader does not know stay, as it says so."""
        texts = ("Gauge", "a]b=*", "\ufffd\ufffd\ufffd \ufffd\ufffd")
        sure, strokes, foreign = (line_of(text, y=100.0 + 40 * n) for n, text in enumerate(texts))
        strokes.confidence, foreign.confidence = 0.4, 0.0
        foreign.unsupported_script = True
        box = Box(-50.0, 50.0, 500.0, 400.0)
        block = Block(BlockKind.PARAGRAPH, box, [sure, strokes, foreign])
        [figure] = place_figures([block], [box])
        self.assertEqual(figure.kind, BlockKind.FIGURE)
        self.assertEqual(figure.lines, [sure, foreign])

    def test_grain_read_as_signs_is_a_photograph(self):
        """What is toned all over is a figure, also where its grain was read as signs.

        Where there are words it is no figure.
        """
        grey = np.full((1600, 1200), 250, np.uint8)
        grain = np.random.default_rng(3).normal(150, 18, (300, 400))
        grey[700:1000, 400:800] = np.clip(grain, 0, 255).astype(np.uint8)
        prose = "The keeper read the gauge before noon and wrote it down"
        for inside, figures in (("�", 1), ("· –", 1), ("No entry", 0)):
            with self.subTest(inside=inside):
                blocks = [
                    block_of(BlockKind.PARAGRAPH, text, y, x=x, size=15.0)
                    for text, x, y in ((prose, 100, 300), (inside, 500, 850), (prose, 100, 1300))
                ]
                areas = with_tones(Areas(), grey, Frame(1200, 1600, Mapping()), 22.0)
                placed = whole_photographs(blocks, areas, (1200, 1600))
                kinds = [block.kind for block in placed]
                self.assertEqual(kinds.count(BlockKind.FIGURE), figures)


class DrawnTest(unittest.TestCase):
    def test_items_of_lists(self):
        """Numbered and bulleted items come one by one, their hanging lines with them."""
        image = blank()
        write_lines(image, wrap(PROSE, 52), y=120)
        for number in range(3):
            y = 520 + 170 * number
            write_lines(image, [f"{number + 1}."], x=120, y=y)
            write_lines(
                image, wrap("Count the lamps on the quay and write the sum down", 30), x=180, y=y
            )
        for number in range(3):
            y = 1120 + 60 * number
            ImageDraw.Draw(image).ellipse((124, y + 12, 138, y + 26), fill=0)
            write_lines(image, ["Ropes and lamps of the store"], x=200, y=y)
        items = of_kind(aq.read_page(image), BlockKind.ITEM)
        self.assertEqual([block.marker for block in items[:3]], ["1.", "2.", "3."])
        self.assertEqual([block.marker in ("•", "●") for block in items[3:]], [True] * 3)
        self.assertTrue(items[1].text.startswith("2. Count the lamps"), items[1].text)

    def test_listing_keeps_its_shape(self):
        """Lines in fixed pitch are code, with the spaces that they begin with."""
        image = blank()
        write_lines(image, wrap(PROSE, 52), y=120)
        write_code(image, CODE, 140, 560)
        write_lines(image, wrap(PROSE, 52), y=860)
        with tempfile.TemporaryDirectory() as folder:  # in a run, letters stay in the workers
            image.save(Path(folder) / "page.png")
            aq.convert([Path(folder) / "page.png"], Path(folder) / "run", jobs=1)
            [record] = read_records(Path(folder) / "run" / "pages.jsonl")
        [text] = [block["text"] for block in record["blocks"] if block["kind"] == "code"]
        [code] = of_kind(aq.read_page(image), BlockKind.CODE)
        self.assertEqual(text, code.text)
        self.assertEqual([len(row) - len(row.lstrip()) for row in code.text.split("\n")],
                         [0, 4, 8, 12, 4])  # fmt: skip

    def test_rows_of_a_listing_are_read_across(self):
        """White that runs down through a listing parts no columns, and quotes set no base line."""
        code = [
            'tide <- list(gauge = c("b7" ,  "h2" , "n3"),',
            '             place = c("quay", "weir", "mill"),',
            '             level = c("4"  ,  "17" , "230"))  ...',
            "str(tide, give = -0.5)",
        ]
        image = blank()
        write_lines(image, wrap(PROSE, 52), y=120)
        write_code(image, code, 140, 560)
        write_lines(image, wrap(PROSE * 2, 52), y=860)
        page = aq.read_page(image)
        [block] = of_kind(page, BlockKind.CODE)
        self.assertEqual([line.text for line in block.lines],
                         [" ".join(line.split()) for line in code])  # fmt: skip
        self.assertEqual(block.text.split("\n"), code)

    def test_names_before_the_text(self):
        """Names in the margin of a commented program stand before what they begin beside."""
        image = blank(1500)
        prose = wrap(PROSE * 4, 50)
        write_lines(image, prose[:8], x=420, y=200)
        write_lines(image, prose[8:], x=420, y=200 + 10 * 51)
        for name, row in (("gauge_open", 0), ("gauge_all", 1), ("tide_count", 10)):
            width = ImageFont.load_default(30).getlength(name)
            write_lines(image, [name], x=round(390 - width), y=204 + 51 * row, size=30)
        page = aq.read_page(image)
        self.assertEqual(
            [b.text[:10] for b in page.blocks],
            ["gauge_open", prose[0][:10], "tide_count", prose[8][:10]],
        )
        self.assertEqual(page.blocks[0].text.split(), ["gauge_open", "gauge_all"])
        self.assertIs(page.blocks[0].kind, BlockKind.MARGIN_NOTE)

    def test_titles_beside_each_other(self):
        """What stands beside a running title in the first row is one as well."""
        image = blank()
        write_lines(image, ["Log of the light"], x=120, y=60)
        write_lines(image, ["THE HARBOUR"], x=860, y=60, size=30)
        write_lines(image, wrap(PROSE * 4, 52), y=220)
        kinds = [block.kind for block in aq.read_page(image).blocks]
        self.assertEqual(kinds, [*2 * [BlockKind.RUNNING_HEAD], BlockKind.PARAGRAPH])

    def test_numbers_of_a_bibliography(self):
        """Numbers in brackets before entries of several lines are marks of items, no cells."""
        image = blank()
        prose = wrap(PROSE * 4, 46)
        for row, line in enumerate(prose):
            write_lines(image, [line], x=200, y=200 + 51 * row)
            if row % 3 == 0:
                write_lines(image, [f"[{1 + row // 3}]"], x=130, y=200 + 51 * row)
        items = aq.read_page(image).blocks
        self.assertEqual({item.kind for item in items}, {BlockKind.ITEM})
        self.assertEqual([item.marker for item in items],
                         [f"[{n}]" for n in range(1, 2 + (len(prose) - 1) // 3)])  # fmt: skip

    def test_lines_of_code_among_those_of_prose(self):
        """Set as closely as the text around them they are code by themselves, set in or not."""
        for x in (200, 120):
            with self.subTest(x=x):
                image = blank()
                write_lines(image, wrap(PROSE, 52), y=140)
                foot = 140 + 51 * len(wrap(PROSE, 52))
                code = ["for gauge in gauges[1:]:", "count(gauge) = [level]"]
                for row, line in enumerate(code):
                    write_code(image, [line], x, foot + 6 + 51 * row, size=29)
                write_lines(image, wrap(PROSE, 52), y=foot + 51 * len(code))
                write_lines(image, wrap(PROSE, 52), y=foot + 400)
                page = aq.read_page(image)
                [block] = of_kind(page, BlockKind.CODE)
                self.assertEqual([line.text for line in block.lines], code)
                kinds = [b.kind for b in page.blocks]
                self.assertIs(kinds[kinds.index(BlockKind.CODE) - 1], BlockKind.PARAGRAPH)

    def test_drawing_with_caption(self):
        """What is drawn is one figure with its labels inside; its caption follows."""
        points = [(300 + 60 * n, 860 - 40 * (n % 4) - 15 * n) for n in range(10)]
        image = page_with_chart(300, 900, points)
        write_lines(image, ["40"], x=250, y=540, size=24)
        write_lines(image, ["midday"], x=560, y=915, size=24)
        write_lines(image, ["Figure 3. Height of the water at the quay"], y=980, size=28)
        write_lines(image, wrap(PROSE, 52), y=1100)
        page = aq.read_page(image)
        [figure] = of_kind(page, BlockKind.FIGURE)
        self.assertLess(figure.box.y0, 560)
        self.assertGreater(figure.box.x1, 880)
        self.assertIn("midday", figure.text)
        self.assertNotIn("midday", page.text)
        [caption] = of_kind(page, BlockKind.CAPTION)
        self.assertTrue(caption.text.startswith("Figure 3."))
        kinds = [block.kind for block in page.blocks]
        self.assertEqual(kinds.index(BlockKind.CAPTION), kinds.index(BlockKind.FIGURE) + 1)

    def test_scale_belongs_to_its_chart(self):
        """The row of figures along a chart's foot stands in the figure, the text under it not."""
        points = [(240 + 70 * n, 860 - 90 * (n % 3)) for n in range(11)]
        image = page_with_chart(220, 1000, points)
        write_lines(image, ["1902   1904   1906   1908   1910   1912"], x=230, y=912, size=28)
        write_lines(image, wrap(PROSE, 52), y=1040)
        page = aq.read_page(image)
        [figure] = of_kind(page, BlockKind.FIGURE)
        self.assertIn("1908", figure.text)
        self.assertNotIn("1908", page.text)
        self.assertEqual(page.text.count("keeper"), 2 * PROSE.count("keeper"))

    def test_a_cutting_has_no_running_foot(self):
        """What was cut from a page ends with text, which must not be left out."""
        image = blank(1100, 420)
        write_lines(
            image,
            [
                "The keeper read the gauge before noon",
                "and wrote the mark in",
                "the book that lay there",
            ],
            40,
            30,
        )
        write_lines(image, ["OF BOATS AND BELLS"], 40, 370)
        page = aq.read_page(image)
        self.assertIn("OF BOATS", page.text)
        self.assertEqual(of_kind(page, BlockKind.RUNNING_FOOT), [])

    def test_entries_that_grow_smaller_down_the_page_are_no_notes(self):
        """On a page photographed aslant the last entries are small; notes count from themselves."""

        def last_kinds(texts):
            lines = [
                line_of(text, y=100 + 60 * n, size=10 - (1.6 if n > 7 else 0))
                for n, text in enumerate(texts)
            ]
            blocks = [Block(BlockKind.PARAGRAPH, line.box, [line]) for line in lines]
            return [block.kind for block in settle_kinds(blocks, [], 800)][-2:]

        body = "a light at the head of the mole is kept by the oldest of the pilots"
        entries = [f"{1040 + n} {body}" for n in range(10)]
        self.assertNotIn(BlockKind.FOOTNOTE, last_kinds(entries))
        prose = [body] * 8 + [f"1 {body}", f"2 {body}"]
        self.assertEqual(last_kinds(prose), [BlockKind.FOOTNOTE] * 2)

    def test_notes_stand_last(self):
        """A note under the left column comes after the right one."""
        image = blank(1500, 1300)
        write_justified(image, PROSE * 3, 90, 100, 600, 14)
        write_justified(image, PROSE * 3, 800, 100, 600, 18)
        write_lines(
            image, ["1 As the keeper of the light", "told us that winter"], x=90, y=960, size=24
        )
        page = aq.read_page(image)
        self.assertEqual(page.blocks[-1].kind, BlockKind.FOOTNOTE)
        self.assertTrue(page.blocks[-1].text.startswith("1 As the keeper"))

    def test_entries_that_count(self):
        """Entries of a catalogue come one by one, what is set in under them goes with them."""
        makers = ("Orrel,", "Farrant,", "Tolmin,", "Quay,", "-", "Ashe,")
        entries = [
            (f"{number} {maker} the lamps of the outer quay and how to", "trim them at night")
            for number, maker in enumerate(makers, 1026)
        ]
        image = blank()
        for number, (first, second) in enumerate(entries):
            write_lines(image, [first], x=120, y=150 + 100 * number, size=30)
            write_lines(image, [second], x=210, y=195 + 100 * number, size=30)
        page = aq.read_page(image)
        items = of_kind(page, BlockKind.ITEM)
        self.assertEqual([block.text for block in items], [f"{a} {b}" for a, b in entries])
        self.assertIn("\n- 1029 Quay, the lamps", markdown([page])[0])

    def test_entries_that_were_taken_for_a_table(self):
        """Rows that count on from the entry before them are entries; others stay a table."""
        usual = Measures(10.0, 40.0, False, 500.0)
        before = replace(block_of(BlockKind.ITEM, "1040 Ashe, on tides", 0), payload=Item("1040"))
        rows = "1041 Orrel, on lamps\n1042 Quay, on oil\n1048 Farrant, on rope\nand tar"
        found = items_whole([before, block_of(BlockKind.TABLE, rows, 40)], usual)
        self.assertEqual([block.marker for block in found], ["1040", "1041", "1042", "1048"])
        self.assertEqual(
            [line.text for line in found[-1].lines], ["1048 Farrant, on rope", "and tar"]
        )
        before = replace(before, payload=Item("1020"))
        found = items_whole([before, block_of(BlockKind.TABLE, rows, 40)], usual)
        self.assertEqual(found[-1].kind, BlockKind.TABLE)

    def test_lines_that_are_counted_are_no_entries(self):
        """Numbers before every line are no list."""
        image = blank()
        lines = wrap(PROSE * 2, 46)
        write_lines(image, [f"{n} {line}" for n, line in enumerate(lines, 1)], y=150, size=30)
        self.assertEqual(of_kind(aq.read_page(image), BlockKind.ITEM), [])

    def test_contents_line_by_line(self):
        """Lines whose dots lead to a page are an entry each, a title of two lines is whole."""
        image = blank()
        write_lines(image, ["Winds of the year .................... 3",
                            "Of tides and what was seen",
                            "of them at night ..................... 17",
                            "Lamps ................................ 24"], y=300)  # fmt: skip
        items = of_kind(aq.read_page(image), BlockKind.ITEM)
        self.assertEqual([block.text.split(" .")[0].split(".")[0] for block in items],
                         ["Winds of the year", "Of tides and what was seen of them at night",
                          "Lamps"])  # fmt: skip

    def test_three_even_columns_of_terms(self):
        """Columns of one width are read down, though their lines stand level."""
        image = blank(2000, 1400)
        texts = [[f"{word} is told by mark {10 * column + row}" for row in range(16)]
                 for column, word in enumerate(("wind", "tide", "lamp"))]  # fmt: skip
        for column, lines in enumerate(texts):
            write_lines(image, lines, x=100 + 630 * column, y=100, size=34, pitch=2.0)
        text = " ".join(aq.read_page(image).text.split())
        places = [text.find(line) for line in itertools.chain(*texts)]
        self.assertNotIn(-1, places)
        self.assertEqual(places, sorted(places))

    def test_stories_of_a_newspaper(self):
        """Under a row of stories the next row begins anew, each heading with its story."""
        image = blank(1600, 2000)
        for n, (x, y, title) in enumerate(
            ((90, 80, "Storm at sea"), (830, 80, "Lamps are lit"), (90, 1000, "Price of oil"),
             (830, 1000, "A new quay"))
        ):  # fmt: skip
            write_lines(image, [title], x=x, y=y, size=64)
            write_justified(image, f"Story {n} begins. " + PROSE * 3, x, y + 110, 660, 13)
        text = aq.read_page(image).text
        wanted = ["Storm at sea", "Story 0", "Lamps are lit", "Story 1", "Price of oil", "Story 2",
                  "A new quay", "Story 3"]  # fmt: skip
        places = [text.find(part) for part in wanted]
        self.assertNotIn(-1, places)
        self.assertEqual(places, sorted(places))


class StructureTest(unittest.TestCase):
    def test_what_repeats_is_no_text(self):
        """A line that repeats at the top of pages is a running head; one that does not is text."""
        pages = pages_of(*([block_of(BlockKind.PARAGRAPH, "The Tide Book", 40),
                            block_of(BlockKind.PARAGRAPH, f"Body {word} text", 400)]
                           for word in ("one", "two", "three")))  # fmt: skip
        pages[1].blocks[0] = block_of(BlockKind.RUNNING_HEAD, "Quite another line", 90)
        text, _ = markdown(pages)
        self.assertNotIn("The Tide Book", text)
        self.assertIn("Quite another line", text)

    def test_running_heads_of_scans_askew(self):
        """Pages lie differently on the glass: heads at the left stand higher or lower there."""
        text = "The keeper wrote the mark in the book and shut it."
        pages = []
        for number, skew in enumerate((2.4, -1.2, 0.3), 1):
            angle = math.radians(abs(skew))
            size = 1000 * (math.cos(angle) + math.sin(angle))  # of a frame around the tilted page
            room = (size - 1000) / 2
            head = block_of(BlockKind.RUNNING_HEAD, "The harbour", 60.0 + room)
            body = block_of(BlockKind.PARAGRAPH, f"{number} {text}", 400.0 + room)
            frame = Frame(size, size, Mapping(), top=room, foot=1000 + room)
            pages.append(Page(number, 1000, 1000, None, blocks=[head, body], frame=frame))
        assemble(pages)
        heads = [page.blocks[0].kind for page in pages]
        self.assertEqual(heads, [BlockKind.RUNNING_HEAD] * 3)

    def test_levels_follow_size_over_pages(self):
        """One size is one level wherever it stands; numbering goes deeper where it says so."""
        pages = pages_of(
            [block_of(BlockKind.HEADING, "Tides", 40, size=20.0),
             block_of(BlockKind.HEADING, "1 Winds", 140, size=14.0),
             block_of(BlockKind.PARAGRAPH, "text of the page\n" * 6 + "end.", 300)],
            [block_of(BlockKind.HEADING, "1.1 Gales", 140, size=12.0),
             block_of(BlockKind.HEADING, "2 Lamps", 240, size=14.2),
             block_of(BlockKind.PARAGRAPH, "text of the page\n" * 6 + "end.", 400)],
        )  # fmt: skip
        assemble(pages)
        levels = [b.level for page in pages for b in page.blocks if b.kind is BlockKind.HEADING]
        self.assertEqual(levels, [1, 2, 3, 2])

    def test_headings_of_stories_are_of_one_level(self):
        """Beside each other their sizes tell how wide a story is; the name at the top stays."""

        def heading(text, x, y, size):
            line = line_of(text, x=x, y=y, size=size)
            return Block(BlockKind.HEADING, line.box, [line])

        stories = [("Storm at sea", 40, 200, 22.0), ("New lamps", 420, 200, 18.0),
                   ("Rope", 40, 600, 16.0), ("A late boat", 420, 600, 19.0)]  # fmt: skip
        body = block_of(BlockKind.PARAGRAPH, "text of the page\n" * 9 + "end.", 640)
        [page] = pages_of(
            [heading("Quay News", 40, 40, 30.0), *(heading(*s) for s in stories), body]
        )
        assemble([page])
        self.assertEqual([b.level for b in page.blocks[:5]], [1, 2, 2, 2, 2])

    def test_lines_of_a_centred_caption(self):
        """They are one caption though each begins elsewhere; a paragraph after it is none of it."""
        lines = [("Figure 3. The basin at low", 300, 8.0), ("water in the winter", 348, 8.0),
                 ("The keeper wrote to the office.", 40, 10.0)]  # fmt: skip
        blocks = []
        for number, (text, x, size) in enumerate(lines):
            line = line_of(text, x=x, y=100 + 24 * number + 30 * (number == 2), size=size)
            kind = BlockKind.PARAGRAPH if number else BlockKind.CAPTION
            blocks.append(Block(kind, line.box, [line]))
        usual = Measures(10.0, 30.0, False, 500.0)
        joined = join_captions(blocks, usual)
        self.assertEqual([len(b.lines) for b in joined], [2, 1])
        ended = [block_of(BlockKind.CAPTION, "Figure 3. Low water.", 100, size=8.0),
                 block_of(BlockKind.PARAGRAPH, "It rained.", 124, size=8.0)]  # fmt: skip
        self.assertEqual(len(join_captions(ended, usual)), 2)

    def test_entries_of_contents_without_dots(self):
        """Rows that end in growing numbers of pages are entries; rows of values are a table."""
        titles = ("Tides", "Winds", "Lamps and oil", "Ropes", "Boats", "Gauges")

        def rows(numbers):
            lines = []
            for number, (title, page) in enumerate(zip(titles, numbers, strict=True)):
                lines += [line_of(title, y=40 * number), line_of(str(page), x=800, y=40 * number)]
            return [Block(BlockKind.TABLE, Box.around([line.box for line in lines]), lines)]

        usual = Measures(10.0, 40.0, False, 500.0)
        self.assertEqual(
            [b.kind for b in items_whole(rows((3, 9, 14, 14, 30, 41)), usual)], [BlockKind.ITEM] * 6
        )
        [table] = items_whole(rows((41, 3, 14, 2, 30, 9)), usual)
        self.assertEqual(table.kind, BlockKind.TABLE)

    def test_paragraph_over_two_pages(self):
        """A sentence that goes on is one paragraph; the word parted between is whole."""
        pages = pages_of(
            [block_of(BlockKind.PARAGRAPH, "The keeper wrote to the har-", 900)],
            [block_of(BlockKind.PARAGRAPH, "bour office at noon.", 100),
             block_of(BlockKind.PARAGRAPH, "Nobody came.", 200)],
        )  # fmt: skip
        text, spans = markdown(pages)
        self.assertIn("The keeper wrote to the harbour office at noon.\n\n<!-- page 2 -->", text)
        self.assertEqual(text[slice(*spans[0])], "The keeper wrote to the harbour")
        self.assertTrue(text[slice(*spans[1])].startswith("office at noon."))
        self.assertTrue(pages[1].blocks[0].goes_on)
        self.assertFalse(pages[1].blocks[1].goes_on)


class FactsTest(unittest.TestCase):
    ENGLISH = "The keeper read the gauge before noon and wrote the figure into the book of the quay"
    ITALIAN = "Il custode lesse la scala prima di mezzogiorno e scrisse la cifra nel libro del molo"

    def test_languages_with_shares(self):
        """Languages are told block by block; code and short lines tell none."""
        pages = pages_of(
            [block_of(BlockKind.PARAGRAPH, "\n".join([self.ENGLISH] * 3), 40),
             block_of(BlockKind.CODE, "for gauge in gauges: print(gauge)", 500)],
            [block_of(BlockKind.PARAGRAPH, self.ITALIAN, 40), block_of(BlockKind.ITEM, "olio", 90)],
        )  # fmt: skip
        assemble(pages)
        found = languages_of(pages)
        self.assertEqual(list(found), ["en", "it"])
        self.assertAlmostEqual(sum(found.values()), 1)
        self.assertEqual(languages_of(pages_of([])), {})

    def test_contents_and_what_pages_hold(self):
        """Headings come with level and page; figures and code are told for each page."""
        pages = pages_of(
            [block_of(BlockKind.HEADING, "Tides", 40, size=20.0),
             block_of(BlockKind.PARAGRAPH, self.ENGLISH, 200)],
            [block_of(BlockKind.HEADING, "Winds", 40, size=14.0),
             block_of(BlockKind.CODE, "for gauge in gauges: print(gauge)", 500)],
        )  # fmt: skip
        assemble(pages)
        made_by = {"version": "1", "model": "m", "settings": "s"}
        record = document_record(Document("d", "d", pages), made_by)
        jsonschema.validate(record, schema("document"))
        self.assertEqual([(e["level"], e["text"], e["page"]) for e in record["contents"]],
                         [(1, "Tides", 1), (2, "Winds", 2)])  # fmt: skip
        self.assertEqual([page["holds"] for page in record["pages"]], [[], ["code"]])


class MarkdownTest(unittest.TestCase):
    def test_lists_nest(self):
        """Items lie in the lists that hold them; other markers stay in the text."""
        texts = ("1. Lamps", "• oil", "2. Ropes", "b) tar")
        blocks = [
            block_of(BlockKind.ITEM, text, 40 + 40 * n, x=60.0 if "oil" in text else 0.0)
            for n, text in enumerate(texts)
        ]
        text, _ = markdown(pages_of(blocks))
        self.assertIn("1. Lamps\n   - oil\n2. Ropes\n- b) tar\n", text)

    def test_code_is_fenced(self):
        """A fence is longer than any in the listing, and nothing in it is escaped."""
        block = block_of(BlockKind.CODE, "```\na_*b*", 40)
        block.text = "```\na_*b*"
        text, _ = markdown(pages_of([block]))
        self.assertIn("````\n```\na_*b*\n````", text)

    def test_notes_are_called(self):
        """A raised figure that a note on the page answers becomes its call."""
        body = block_of(BlockKind.PARAGRAPH, "The water rose.¹ It fell.²", 40)
        note = block_of(BlockKind.FOOTNOTE, "1 By four marks.", 900)
        text, _ = markdown(pages_of([body, note]))
        self.assertIn("The water rose.[^p1-1] It fell.²", text)
        self.assertIn("[^p1-1]: By four marks.", text)

    def test_words_with_underscores_stay(self):
        """Underscores inside words are no markup; at their ends they could be."""
        block = block_of(BlockKind.PARAGRAPH, "tide_mark and _this_ and $5", 40)
        block.emphasis = [Emphasis(0, 9, frozenset({Style.BOLD}))]
        text, _ = document_text(Document("d", "d", pages_of([block])))
        self.assertNotIn("tide\\_mark", text)
        block.text = "tide_mark and _this_ and $5"
        text, _ = document_text(Document("d", "d", pages_of([block])))
        self.assertIn("**tide_mark** and \\_this\\_ and \\$5", text)


if __name__ == "__main__":
    unittest.main()
