"""What stands on a page besides running text: figures, tables, equations, fields, margin notes."""

import io
import itertools
import json
import subprocess
import sys
import tempfile
import unittest
from functools import partial
from pathlib import Path
from urllib.parse import unquote

import jsonschema
import numpy as np
from markdown_it import MarkdownIt
from PIL import Image, ImageDraw, ImageFont

import amberquarry as aq
from amberquarry import BlockKind
from amberquarry.assembly import assemble
from amberquarry.formats.records import page_from_record, page_record, schema
from amberquarry.imaging import cut_out, encoded
from amberquarry.kinds.captions import label_of
from amberquarry.kinds.figures import drawings_of_tables
from amberquarry.kinds.numbered import join_line_numbers
from amberquarry.kinds.settling import goes_on
from amberquarry.runs.folder import read_records
from amberquarry.tables.placing import is_tabular
from amberquarry.values import Block
from tests.support.blocks import CODE, block_of, face, line_of, of_kind, pages_of, write_code
from tests.support.pages import PROSE, blank, write_justified, write_lines

SECOND = "A boat came in with the evening flood and lay under the wall until the bell. "

font = partial(face, name="DejaVuSerif")


def page_with_figure():
    """Return a page of two paragraphs with a photograph between them, and its caption."""
    image = blank()
    write_justified(image, f"As Figure 2 shows, {PROSE * 3}", 140, 140, 960, 6)
    tones = np.random.default_rng(1).uniform(30, 220, (7, 9)).astype(np.uint8)
    image.paste(Image.fromarray(tones).resize((640, 420), Image.Resampling.BICUBIC), (300, 540))
    write_lines(image, ["Figure 2. The basin at low water."], x=330, y=990, size=30)
    write_justified(image, PROSE * 4, 140, 1110, 960, 7)
    return image


class FigureTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.root = Path(cls.folder.name)
        page_with_figure().save(cls.root / "low water.png")
        cls.out = cls.root / "run"
        cls.done = subprocess.run(
            [sys.executable, "-m", "amberquarry", "convert", str(cls.root / "low water.png"),
             "--out", str(cls.out), "--jobs", "1"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        [cls.page] = read_records(cls.out / "pages.jsonl")
        [cls.document] = read_records(cls.out / "documents.jsonl")

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def test_the_picture_is_saved_and_linked(self):
        self.assertEqual(self.done.returncode, 0, self.done.stderr)
        [figure] = [block for block in self.page["blocks"] if block["kind"] == "figure"]
        with Image.open(self.out / figure["image"]) as picture:
            self.assertLess(abs(picture.width - 640), 20)
            self.assertLess(abs(picture.height - 420), 20)
            self.assertEqual(picture.format, "JPEG")
        text = (self.out / "markdown" / "low water.png.md").read_text(encoding="utf-8")
        images = [
            child
            for token in MarkdownIt("commonmark").parse(text)
            for child in token.children or ()
            if child.type == "image"
        ]
        self.assertEqual([image.content for image in images], ["Figure 2"])
        self.assertTrue((self.out / "markdown" / unquote(images[0].attrs["src"])).is_file())

    def test_it_knows_its_caption_and_who_speaks_of_it(self):
        blocks = {block["id"]: block for block in self.page["blocks"]}
        [figure] = [block for block in blocks.values() if block["kind"] == "figure"]
        self.assertEqual(figure["label"], "Figure 2")
        self.assertEqual(blocks[figure["caption"]]["text"], "Figure 2. The basin at low water.")
        [speaking] = figure["paragraphs"]
        self.assertTrue(blocks[speaking]["text"].startswith("As Figure 2 shows"))

    def test_records_hold_to_their_schemas_and_come_back(self):
        jsonschema.validate(self.page, schema("page"))
        jsonschema.validate(self.document, schema("document"))
        self.assertEqual(self.document["pages"][0]["holds"], ["figure"])
        again = page_record(
            page_from_record(self.page),
            self.page["document"],
            source=self.page["source"],
            pictures="markdown/low water.png.figures/",
        )
        self.assertEqual(again, self.page)

    def test_pictures_can_be_left_out(self):
        settings = aq.Settings(output=aq.OutputSettings(pictures=False))
        page = aq.read_page(page_with_figure(), settings=settings)
        self.assertTrue(all(block.picture is None for block in page.blocks))
        self.assertEqual(len(of_kind(page, BlockKind.FIGURE)), 1)

    def test_the_library_saves_them(self):
        document = aq.read_document((self.root / "low water.png").read_bytes())
        with tempfile.TemporaryDirectory() as folder:
            [path] = document.save_pictures(folder)
            self.assertGreater(path.stat().st_size, 2000)


class ChartTest(unittest.TestCase):
    def page(self, curve):
        """Return a page with a frame that holds a key of long lines, with or without a curve."""
        image = blank()
        draw = ImageDraw.Draw(image)
        write_justified(image, PROSE * 4, 140, 140, 960, 7)
        draw.rectangle((300, 560, 940, 980), outline=0, width=3)
        if curve:
            x = np.arange(320, 900)
            y = 940 - 330 * np.exp(-(((x - 520) / 90) ** 2))
            draw.line([*zip(x.tolist(), y.tolist(), strict=True)], fill=0, width=3)
        for row in range(4):
            text = f"level of the gauge {row}"
            draw.text((640, 580 + 40 * row), text, font=font(24), fill=0)
        write_lines(image, ["Figure 3. Water at the quay."], x=330, y=1020, size=30)
        write_justified(image, PROSE * 4, 140, 1110, 960, 7)
        return aq.read_page(image)

    def test_a_frame_with_curves_is_a_figure_whatever_is_written_in_it(self):
        page = self.page(True)
        [figure] = of_kind(page, BlockKind.FIGURE)
        self.assertGreater(figure.box.overlap(aq.Box(300, 560, 940, 980)) / figure.box.area, 0.9)
        self.assertEqual([line.text[-1] for line in figure.lines], ["0", "1", "2", "3"])
        self.assertEqual(len(of_kind(page, BlockKind.CAPTION)), 1)
        self.assertEqual(len(of_kind(page, BlockKind.PARAGRAPH)), 2)

    def test_a_frame_with_text_alone_is_none(self):
        self.assertEqual(of_kind(self.page(False), BlockKind.FIGURE), [])


class CropTest(unittest.TestCase):
    def test_drawings_become_png_and_tones_jpeg(self):
        drawing = np.full((200, 300), 255, np.uint8)
        drawing[40:44], drawing[:, 100:103] = 0, 0
        tones = np.random.default_rng(2).uniform(20, 235, (9, 9)).astype(np.uint8)
        photograph = np.array(Image.fromarray(tones).resize((300, 200), Image.Resampling.BICUBIC))
        for pixels, ending, kind in ((drawing, "png", "PNG"), (photograph, "jpg", "JPEG"),
                                     (np.dstack([photograph] * 3), "jpg", "JPEG")):  # fmt: skip
            with self.subTest(kind=kind, shape=pixels.shape):
                found, data = encoded(pixels)
                self.assertEqual(found, ending)
                with Image.open(io.BytesIO(data)) as picture:
                    self.assertEqual((picture.format, picture.size), (kind, (300, 200)))

    def test_colours_keep_their_order(self):
        pixels = np.zeros((50, 60, 3), np.uint8)
        pixels[..., 0] = 250
        _, data = encoded(pixels)
        with Image.open(io.BytesIO(data)) as picture:
            self.assertEqual(picture.convert("RGB").getpixel((5, 5)), (250, 0, 0))

    def test_a_turned_page_gives_an_upright_picture(self):
        pixels = np.arange(12, dtype=np.uint8).reshape(3, 4)
        self.assertEqual(cut_out(pixels, (1, 0, 3, 2), 0).tolist(), [[1, 2], [5, 6]])
        # turned clockwise by a quarter, its upper left corner stands at the upper right
        turned = np.rot90(pixels, -1)
        self.assertEqual(cut_out(turned, (0, 0, 3, 4), 90).tolist(), pixels.tolist())


class ShortLineTest(unittest.TestCase):
    def test_a_lone_page_number_is_read_and_told(self):
        image = blank()
        write_justified(image, PROSE * 5, 140, 140, 960, 20, size=30)
        ImageDraw.Draw(image).text((606, 1620), "30", font=font(24), fill=0)
        page = aq.read_page(image)
        [number] = of_kind(page, BlockKind.PAGE_NUMBER)
        self.assertEqual(number.text, "30")
        self.assertNotIn("30", page.text.split())


class NoteTest(unittest.TestCase):
    def notes(self, *lines):
        """Return the notes found in lines of small type under a page of prose."""
        image = blank()
        write_justified(image, PROSE * 8, 140, 140, 960, 24, size=32)
        write_lines(image, list(lines), x=140, y=1500, size=22, pitch=1.35)
        return [block.text for block in of_kind(aq.read_page(image), BlockKind.FOOTNOTE)]

    def test_notes_are_parted_by_their_marks(self):
        found = self.notes(
            "1 The old gauge was lost in the gale of that winter, and the new one stands",
            "on the mole.",
            "2 The book of the year before has other figures for the same tides.",
        )
        self.assertEqual([text[0] for text in found], ["1", "2"])

    def test_a_short_line_that_ends_parts_notes_too(self):
        found = self.notes(
            "The old gauge was lost in the gale of that winter, and the new one stands",
            "on the mole.",
            "The book of the year before has other figures for the same tides.",
        )
        self.assertEqual(len(found), 2)
        self.assertTrue(found[0].endswith("on the mole."))


class HandTest(unittest.TestCase):
    def test_pages_say_what_was_written_by_hand(self):
        texts = ("the keeper wrote it", "a label")
        written, printed = (
            block_of(BlockKind.PARAGRAPH, text, 40 + 60 * n) for n, text in enumerate(texts)
        )
        written.lines[0].handwritten = True
        pages = pages_of([written, printed], [printed])
        record = aq.Document("d", "d", pages).to_record()
        self.assertEqual([page["handwritten"] for page in record["pages"]], [True, False])
        [line, other] = [block["lines"][0] for block in page_record(pages[0], "d")["blocks"]]
        self.assertTrue(line["handwritten"])
        self.assertNotIn("handwritten", other)
        again = page_from_record(page_record(pages[0], "d"))
        self.assertTrue(again.blocks[0].lines[0].handwritten)


class PhotographTest(unittest.TestCase):
    def test_a_page_that_is_one_photograph_is_a_figure_without_text(self):
        for seed in range(4, 8):
            rough = np.random.default_rng(seed).uniform(20, 235, (40, 30, 3)).astype(np.uint8)
            image = Image.fromarray(rough).resize((1240, 1754), Image.Resampling.BICUBIC)
            document = aq.Document("d", "d", [aq.read_page(image)])
            with self.subTest(seed=seed):
                self.assertEqual(list(document.pages[0].words), [])
                self.assertTrue(document.figures)
                self.assertTrue(document.to_record()["pages"][0]["mostly_picture"])


class PalePhotographTest(unittest.TestCase):
    def page(self):
        image = blank()
        write_justified(image, PROSE * 3, 140, 140, 960, 6)
        write_justified(image, PROSE * 3, 140, 1110, 960, 6)
        return image

    def test_pale_parts_belong_to_the_figure(self):
        """Mist over a dark quay: the figure is as high as the photograph."""
        tones = np.random.default_rng(3).normal(214, 6, (480, 640))
        tones[380:] -= 130
        image = self.page()
        image.paste(Image.fromarray(tones.clip(0, 255).astype(np.uint8)), (300, 540))
        [figure] = of_kind(aq.read_page(image), BlockKind.FIGURE)
        self.assertLess(abs(figure.box.y0 - 540), 24)
        self.assertLess(abs(figure.box.y1 - 1020), 24)

    def test_tinted_text_is_none(self):
        """A tinted box with lines of text in it stays text."""
        image = self.page()
        image.paste(225, (140, 540, 1100, 1020))
        write_lines(image, ["The keeper read the gauge before noon"] * 4, x=200, y=620)
        page = aq.read_page(image)
        self.assertEqual(of_kind(page, BlockKind.FIGURE), [])
        self.assertGreaterEqual(page.text.count("keeper read the gauge"), 6)

    def test_dark_ground_beside_the_page_is_none(self):
        """What the scanner's lid leaves black at an edge is no figure."""
        image = self.page()
        noise = np.random.default_rng(4).normal(24, 3, (150, 1240)).clip(0, 255)
        image.paste(Image.fromarray(noise.astype(np.uint8)), (0, 1604))
        self.assertEqual(of_kind(aq.read_page(image), BlockKind.FIGURE), [])


class FigurePlaceTest(unittest.TestCase):
    def test_specks_around_a_drawing_are_no_part_of_it(self):
        image = blank()
        write_justified(image, PROSE * 3, 140, 140, 960, 6)
        write_justified(image, PROSE * 3, 140, 1110, 960, 6)
        draw = ImageDraw.Draw(image)
        draw.ellipse((440, 640, 800, 960), outline=0, width=4)
        draw.line((440, 640, 800, 960), fill=0, width=4)
        spots = np.random.default_rng(5).integers((150, 520), (1090, 1080), (60, 2))
        for x, y in spots.tolist():
            draw.rectangle((x, y, x + 2, y + 2), fill=0)
        [figure] = of_kind(aq.read_page(image), BlockKind.FIGURE)
        for edge, wanted in zip(figure.box, (440, 640, 800, 960), strict=True):
            self.assertLess(abs(edge - wanted), 12)

    def test_a_figure_at_the_head_of_a_column_comes_after_the_column_before(self):
        image = blank()
        write_lines(image, ["The flood at the quay and what it left"], x=120, y=120, size=48)
        write_justified(image, PROSE * 6, 120, 260, 470, 26, size=26)
        rough = np.random.default_rng(2).uniform(20, 200, (9, 12)).astype(np.uint8)
        picture = Image.fromarray(rough).resize((430, 280), Image.Resampling.BICUBIC)
        image.paste(picture, (660, 250))
        write_justified(image, SECOND * 6, 650, 600, 470, 17, size=26)
        kinds = [block.kind for block in aq.read_page(image).blocks]
        figure = kinds.index(BlockKind.FIGURE)
        self.assertEqual(kinds[0], BlockKind.HEADING)
        self.assertGreater(figure, 1)
        self.assertLess(figure, len(kinds) - 1)


class EquationTest(unittest.TestCase):
    def test_a_displayed_equation_stands_apart(self):
        image = blank()
        write_justified(image, PROSE * 4, 140, 140, 960, 7)
        draw = ImageDraw.Draw(image)
        draw.text((480, 560), "h = a + b sin(t + c)", font=font(34), fill=0)
        draw.text((1040, 560), "(3)", font=font(34), fill=0)
        write_justified(image, PROSE * 4, 140, 680, 960, 7)
        page = aq.read_page(image)
        [equation] = of_kind(page, BlockKind.EQUATION)
        self.assertIn("sin", equation.text)
        self.assertIn("(3)", equation.text)
        self.assertIsNotNone(equation.picture)
        self.assertEqual(len(of_kind(page, BlockKind.PARAGRAPH)), 2)
        kinds = [block.kind for block in page.blocks]
        self.assertEqual(kinds.index(BlockKind.EQUATION), 1)

    def test_prose_with_signs_in_it_does_not(self):
        image = blank()
        write_justified(image, f"The level h = 4 was read. {PROSE}" * 3, 140, 140, 960, 12)
        self.assertEqual(of_kind(aq.read_page(image), BlockKind.EQUATION), [])


class TableTest(unittest.TestCase):
    ROWS = (("Gauge", "Low", "High"), ("North", "1.20", "4.75"), ("Quay", "0.95", "4.60"),
            ("Mole", "1.05", "4.40"))  # fmt: skip

    def page(self, across, upright):
        image = blank()
        draw = ImageDraw.Draw(image)
        write_justified(image, PROSE * 3, 140, 140, 960, 5)
        for row, cells in enumerate(self.ROWS):
            for column, cell in enumerate(cells):
                draw.text((330 + 170 * column, 500 + 54 * row), cell, font=font(30), fill=0)
        for row in across:
            draw.line((310, 490 + 54 * row, 850, 490 + 54 * row), fill=0, width=3)
        for column in upright:
            draw.line((310 + 180 * column, 490, 310 + 180 * column, 706), fill=0, width=3)
        write_justified(image, PROSE * 3, 140, 800, 960, 5)
        return aq.read_page(image)

    def test_rules_tell_a_table_with_its_head(self):
        for across, upright in (((0, 1, 4), ()), (range(5), range(4)), ((1, 4), ())):
            with self.subTest(across=across, upright=upright):
                page = self.page(across, upright)
                [table] = of_kind(page, BlockKind.TABLE)
                rows = [row.split() for row in table.text.split("\n")]
                self.assertEqual(rows, [list(row) for row in self.ROWS])
                self.assertEqual(len(of_kind(page, BlockKind.PARAGRAPH)), 2)

    def test_columns_of_prose_between_rules_are_none(self):
        lines = [line_of("the keeper read the gauge before noon", x, y) for y in range(0, 300, 30)
                 for x in (0.0, 700.0)]  # fmt: skip
        self.assertFalse(is_tabular(lines))
        cells = [line_of("4.75", x, y) for y in range(0, 300, 30) for x in (0.0, 700.0)]
        self.assertTrue(is_tabular(cells))

    def test_columns_with_a_small_table_between_rules_of_the_page(self):
        """Rules over and under the columns of a page enclose no table, a small one is found."""
        image = blank(1600, 1754)
        draw = ImageDraw.Draw(image)
        write_justified(image, PROSE * 9, 100, 200, 660, 24)
        write_justified(image, PROSE * 9, 840, 200, 660, 9)
        for row, cells in enumerate(self.ROWS):
            for column, cell in enumerate(cells):
                draw.text((900 + 170 * column, 690 + 54 * row), cell, font=font(30), fill=0)
        for row in (0, 1, 4):
            draw.line((880, 680 + 54 * row, 1400, 680 + 54 * row), fill=0, width=3)
        write_justified(image, PROSE * 9, 840, 940, 660, 9)
        for y in (170, 1450):
            draw.line((100, y, 1500, y), fill=0, width=3)
        page = aq.read_page(image)
        [table] = of_kind(page, BlockKind.TABLE)
        self.assertEqual(
            [row.split() for row in table.text.split("\n")], [list(r) for r in self.ROWS]
        )
        self.assertLess(max(block.box.x1 for block in page.blocks[:1]), 800)

    def test_cells_of_several_lines(self):
        """Between rules a cell may run over lines, which stay together."""
        image = blank()
        draw = ImageDraw.Draw(image)
        names = ("North gauge", "Quay gauge", "Mole gauge", "Bell rock")
        write_justified(image, PROSE * 3, 140, 140, 960, 5)
        for row, name in enumerate(names):
            y = 500 + 120 * row
            for x, cell in ((160, name), (480, "read at noon")):
                draw.text((x, y), cell, font=font(28), fill=0)
            for line, text in enumerate(("the keeper writes the", "level in the book")):
                draw.text((760, y + 42 * line), text, font=font(28), fill=0)
        for row in range(5):
            draw.line((140, 490 + 120 * row, 1120, 490 + 120 * row), fill=0, width=3)
        page = aq.read_page(image)
        [table] = of_kind(page, BlockKind.TABLE)
        rest = "read at noon the keeper writes the level in the book"
        self.assertEqual(table.text.split(), " ".join(f"{n} {rest}" for n in names).split())

    def test_a_ruled_table_in_fixed_pitch_is_no_listing(self):
        """Rules under a head and a foot tell a table of names in fixed pitch from a listing."""
        image = blank()
        draw, mono = ImageDraw.Draw(image), font(28, name="DejaVuSansMono")
        write_justified(image, PROSE * 3, 140, 140, 960, 5)
        rows = [("command", "reads", "unit")]
        rows += [(f"read_{n}", f"gauge_{n}", "mm") for n in ("north", "quay", "mole", "rock")]
        for row, cells in enumerate(rows):
            for x, cell in zip((160, 467, 861), cells, strict=True):
                draw.text((x, 500 + 48 * row), cell, font=mono, fill=0)
        for y in (490, 546, 742):
            draw.line((140, y, 1120, y), fill=0, width=3)
        [table] = of_kind(aq.read_page(image), BlockKind.TABLE)
        self.assertEqual(table.text.split("\n"), ["   ".join(row) for row in rows])

    def test_grid_with_a_column_of_several_lines(self):
        """Upright rules under a head part columns, of which one has lines of its own."""
        image = blank()
        draw = ImageDraw.Draw(image)
        write_justified(image, PROSE * 3, 140, 140, 960, 5)
        rows = [("gauge", "code", "meaning")]
        for name in ("north", "quay", "mole"):
            rows += [(name, "4", "0 for low water"), ("", "", "1 for high water at the wall")]
        for row, cells in enumerate(rows):
            for x, cell in zip((160, 400, 560), cells, strict=True):
                draw.text((x, 500 + 48 * row), cell, font=font(28), fill=0)
        draw.line((140, 546, 1120, 546), fill=0, width=3)
        for x in (370, 530):
            draw.line((x, 490, x, 840), fill=0, width=3)
        [table] = of_kind(aq.read_page(image), BlockKind.TABLE)
        self.assertEqual(table.text.split(), " ".join(cell for row in rows for cell in row).split())

    def test_a_table_that_is_hardly_read_is_a_drawing(self):
        """What looks like rows of marks on a page that else is read well is a map or a chart."""
        rows = "x1 g4\nq7 z9"
        prose = block_of(BlockKind.PARAGRAPH, "the keeper read the gauge before noon", 0)
        for sureness, sure, kind in ((1.0, 0.4, BlockKind.FIGURE), (1.0, 0.9, BlockKind.TABLE),
                                     (0.5, 0.4, BlockKind.TABLE)):  # fmt: skip
            with self.subTest(sureness=sureness, sure=sure):
                table = block_of(BlockKind.TABLE, rows, 200)
                for block, value in ((prose, sureness), (table, sure)):
                    for line in block.lines:
                        line.confidence = value
                        for word in line.words:
                            word.confidence = value
                found = drawings_of_tables([prose, table])
                self.assertEqual([b.kind for b in found], [BlockKind.PARAGRAPH, kind])

    def test_a_heading_parts_rows_of_fields(self):
        """A line that runs into a table from beside it is no part of it, and parts it."""
        image = blank()
        for x, y in itertools.product((140, 520, 860), (200, 270, 340, 540, 610, 680)):
            write_lines(image, ["Gauge" if x == 140 else "4.75"], x=x, y=y)
        write_lines(image, ["Readings of the winter"], x=110, y=430, size=44)
        texts = [block.text for block in aq.read_page(image).blocks]
        at = next(n for n, text in enumerate(texts) if "the winter" in text)
        self.assertEqual(sum(text.count("4.75") for text in texts[:at]), 6)
        self.assertEqual(sum(text.count("4.75") for text in texts[at:]), 6)


class FieldTest(unittest.TestCase):
    FIELDS = (("Gauge:", "North mole"), ("Keeper:", "T. Orrel"), ("Depth:", "4.75 m"),
              ("Marks:", "11"), ("Wind:", "westerly"),
              ("Remarks:", ""))  # fmt: skip

    def fields(self, image):
        page = aq.read_page(image)
        return [
            (block.kind, block.text)
            for block in page.blocks
            if block.kind in (BlockKind.LABEL, BlockKind.ENTRY)
        ]

    def wanted(self):
        both = [
            pair
            for label, entry in self.FIELDS
            for pair in ((BlockKind.LABEL, label), (BlockKind.ENTRY, entry))
        ]
        return [(kind, text) for kind, text in both if text]

    def test_entries_on_lines(self):
        image = blank()
        draw = ImageDraw.Draw(image)
        for row, (label, entry) in enumerate(self.FIELDS):
            y = 200 + 90 * row
            draw.text((150, y), label, font=font(30), fill=0)
            start = 150 + font(30).getlength(label) + 24
            draw.text((start + 8, y), entry, font=font(30), fill=0)
            draw.line((start, y + 42, 1000, y + 42), fill=0, width=3)
        self.assertEqual(self.fields(image), self.wanted())

    def test_entries_in_boxes_side_by_side(self):
        image = blank()
        draw = ImageDraw.Draw(image)
        for number, (label, entry) in enumerate(self.FIELDS):
            x, y = 120 + 520 * (number % 2), 200 + 110 * (number // 2)
            draw.rectangle((x, y, x + 480, y + 80), outline=0, width=3)
            draw.text((x + 18, y + 22), label, font=font(28), fill=0)
            start = x + 18 + font(28).getlength(label) + 40
            draw.text((start, y + 22), entry, font=font(28), fill=0)
        self.assertEqual(self.fields(image), self.wanted())

    def test_entries_in_larger_type_than_their_labels(self):
        """Each is read in its own size: small letters do not come out as capitals."""
        fields = (("Berth:", "como sova"), ("Owner:", "vox corvus"), ("Cargo:", "coconuts"),
                  ("Wants:", "ovens, rooms"), ("Since:", "no season"))  # fmt: skip
        image = blank()
        draw = ImageDraw.Draw(image)
        for row, (label, entry) in enumerate(fields):
            y = 200 + 110 * row
            draw.rectangle((120, y, 1100, y + 84), outline=0, width=3)
            draw.text((140, y + 56), label, font=font(24), fill=0, anchor="ls")
            draw.text(
                (300, y + 56), entry, font=font(36, name="DejaVuSansMono"), fill=0, anchor="ls"
            )
        found = self.fields(image)
        self.assertEqual([text for kind, text in found if kind is BlockKind.ENTRY],
                         [entry for _, entry in fields])  # fmt: skip

    def test_an_entry_in_two_rows_keeps_its_place(self):
        """Three fields side by side: a long entry goes on under its first row."""
        image = blank()
        draw = ImageDraw.Draw(image)
        wanted = []
        for row in range(3):
            for column in range(3):
                x, y = 100 + 370 * column, 200 + 150 * row
                draw.text((x, y), "Gauge:", font=font(26), fill=0)
                rows = ["low quay", "at noon"] if (row, column) == (1, 1) else ["mole"]
                for number, text in enumerate(rows):
                    draw.text((x + 120, y + 40 * number), text, font=font(26), fill=0)
                foot = y + 40 * len(rows) - 2
                draw.line((x + 110, foot, x + 330, foot), fill=0, width=3)
                wanted.append(" ".join(rows))
        found = self.fields(image)
        entries = [" ".join(text.split()) for kind, text in found if kind is BlockKind.ENTRY]
        self.assertEqual(entries, wanted)


class MarginTest(unittest.TestCase):
    def test_a_note_in_the_margin_comes_after_its_paragraph(self):
        image = blank()
        write_justified(image, PROSE * 4, 120, 140, 800, 8)
        draw = ImageDraw.Draw(image)
        for row, line in enumerate(("see the book", "of the year", "for the gale")):
            draw.text((960, 150 + 34 * row), line, font=ImageFont.load_default(24), fill=0)
        write_justified(image, PROSE * 4, 120, 640, 800, 8)
        page = aq.read_page(image)
        [note] = of_kind(page, BlockKind.MARGIN_NOTE)
        self.assertEqual(note.text, "see the book of the year for the gale")
        self.assertEqual(page.blocks.index(note), 1)


class RaisedTest(unittest.TestCase):
    def test_a_long_raised_mark_stays_in_its_line(self):
        """References set small and high after a word are part of its line."""
        image = blank()
        lines = write_justified(image, PROSE * 6, 140, 140, 960, 7)
        at = 140.0
        for part, size, y in (("The list of gauges", 34, 497), ("p.18a", 20, 490),
                              ("shows them all.", 34, 497)):  # fmt: skip
            write_lines(image, [part], x=round(at), y=y, size=size)
            at += ImageFont.load_default(size).getlength(part) + 5
        page = aq.read_page(image)
        self.assertEqual({block.kind for block in page.blocks}, {BlockKind.PARAGRAPH})
        read = [line for block in page.blocks for line in block.lines]
        self.assertEqual(len(read), len(lines) + 1)
        self.assertRegex(read[-1].text, r"^The list of gauges.+8a shows them all\.$")


class BarcodeTest(unittest.TestCase):
    def test_a_barcode_is_a_figure(self):
        """Bars are no line in unknown letters, and the text beside them is read."""
        image = blank()
        draw = ImageDraw.Draw(image)
        x, widths = 400, np.random.default_rng(3).integers(1, 4, 70)
        for number, width in enumerate(widths.tolist()):
            if number % 2 == 0:
                draw.rectangle((x, 120, x + 4 * width - 1, 210), fill=0)
            x += 4 * width
        write_justified(image, PROSE * 4, 140, 300, 960, 8)
        page = aq.read_page(image)
        [figure] = of_kind(page, BlockKind.FIGURE)
        self.assertLess(abs(figure.box.x0 - 400) + abs(figure.box.x1 - x), 20)
        self.assertEqual(page.findings, [])
        self.assertEqual(len(of_kind(page, BlockKind.PARAGRAPH)), 1)


class ParagraphTest(unittest.TestCase):
    def test_lines_that_end_early_in_a_narrow_column_part_nothing(self):
        image = blank()
        lines = ["The keeper of the", "gauge was asked by the", "administrators",
                 "whether the level at the",
                 "quay had been entered", "correctly by the two", "observers."]  # fmt: skip
        write_lines(image, lines, x=200, y=200)
        page = aq.read_page(image)
        self.assertEqual([block.text for block in page.blocks], [" ".join(lines)])

    def test_what_goes_on(self):
        for before, after, expected in (
            ("the keeper", "read it", True), ("the keep-", "Er read", True),
            ("It ended.", "then", False),
            ("Gales", "The wind", False), ("they said", "(and wrote)", True), ("", "a", False),
        ):  # fmt: skip
            with self.subTest(before=before, after=after):
                self.assertEqual(goes_on(before, after), expected)


class LabelTest(unittest.TestCase):
    def test_labels_of_captions(self):
        for text, expected in (
            ("Figure 3. The gauge", "Figure 3"), ("Abb. 2.1: Der Pegel", "Abb. 2.1"),
            ("Tableau 4 – Les marées", "Tableau 4"), ("Рис. 7. Прилив", "Рис. 7"),
            ("Figures were drawn", None), ("", None),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(label_of(text), expected)

    def test_every_form_of_a_label_is_found_in_the_text(self):
        figure = block_of(BlockKind.FIGURE, "x", 400)
        caption = block_of(BlockKind.CAPTION, "Figure 3. The gauge", 440)
        texts = (
            "See fig. 3 there.",
            "In Figure 31 all is new.",
            "Figures 3 and 4 agree.",
            "Nothing.",
        )
        speaking = [
            block_of(BlockKind.PARAGRAPH, text, 40 + 60 * n) for n, text in enumerate(texts)
        ]
        pages = pages_of(speaking[:2], [caption, figure], speaking[2:])
        assemble(pages)
        self.assertEqual(figure.paragraphs, [speaking[0].id, speaking[2].id])
        self.assertEqual([block.kind for block in pages[1].blocks],
                         [BlockKind.FIGURE, BlockKind.CAPTION])  # fmt: skip

    def test_labels_with_a_letter_in_whatever_case_are_found(self):
        for label in ("Figure A3", "figure a3", "FIGURE A3"):
            with self.subTest(label=label):
                figure = block_of(BlockKind.FIGURE, "x", 400)
                caption = block_of(BlockKind.CAPTION, f"{label}. The gauge", 440)
                speaking = block_of(BlockKind.PARAGRAPH, "See fig. A3 there.", 40)
                assemble(pages_of([speaking, figure, caption]))
                self.assertEqual(figure.label, label)
                self.assertEqual(figure.paragraphs, [speaking.id])


class QueryTest(unittest.TestCase):
    def setUp(self):
        first = [block_of(BlockKind.HEADING, "1 Gales", 40, size=20.0),
                 block_of(BlockKind.PARAGRAPH, "Oil was laid on.", 120),
                 block_of(BlockKind.HEADING, "1.1 Night", 200, size=15.0),
                 block_of(BlockKind.PARAGRAPH, "No lamp was lit.", 280)]  # fmt: skip
        second = [block_of(BlockKind.PARAGRAPH, "At dawn it fell.", 40),
                  block_of(BlockKind.HEADING, "2 Calms", 120, size=20.0),
                  block_of(BlockKind.TABLE, "1.5", 200)]  # fmt: skip
        pages = pages_of(first, second)
        assemble(pages)
        self.document = aq.Document("d", "d", pages)

    def texts(self, blocks):
        return [block.text for block in blocks]

    def test_under_a_heading(self):
        under = self.document.under
        self.assertEqual(
            self.texts(under("gales")),
            ["Oil was laid on.", "1.1 Night", "No lamp was lit.", "At dawn it fell."],
        )
        self.assertEqual(self.texts(under("1.1 night")), ["No lamp was lit.", "At dawn it fell."])
        self.assertEqual(self.texts(under(self.document.headings[2])), ["1.5"])
        with self.assertRaisesRegex(ValueError, "1 Gales"):
            under("Storms")
        with self.assertRaises(ValueError):
            under(block_of(BlockKind.HEADING, "Storms", 0))

    def test_by_kind_page_and_place(self):
        self.assertEqual(len(self.document.headings), 3)
        self.assertEqual(self.texts(self.document.tables), ["1.5"])
        self.assertEqual(self.texts(self.document.blocks(page=2))[0], "At dawn it fell.")
        upper = aq.Box(0, 100, 1000, 180)
        self.assertEqual(
            self.texts(self.document.blocks(within=upper)), ["Oil was laid on.", "2 Calms"]
        )
        self.assertEqual(self.document.pages[0].text_within(upper), "Oil was laid on.")
        half = aq.Box(0, 100, 110, 340)
        self.assertEqual(self.document.pages[0].text_within(half), "Oil was\n1.1\nNo lamp")

    def test_forms_of_the_text(self):
        def text(**output):
            return self.document.to_markdown(aq.OutputSettings(**output))

        self.assertIn("<!-- page 2 -->", text())
        self.assertNotIn("<!--", text(page_marks=False))
        plain = text(text_form=aq.TextForm.PLAIN)
        self.assertIn("\n\n\f\n\nAt dawn", plain)
        self.assertNotIn("#", plain)
        self.assertEqual(text(line_width=8, page_marks=False).split("\n\n")[1], "Oil was\nlaid on.")

    def test_the_settings_reach_a_run(self):
        image = blank()
        write_lines(image, ["Tar was put on the wheels", "of the gauge at noon."])
        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder)
            image.save(root / "tar.png")
            (root / "ours.toml").write_text(
                '[output]\ntext_form = "plain"\npage_marks = false\nline_width = 20\n', "utf-8"
            )
            command = [sys.executable, "-m", "amberquarry", "convert", str(root / "tar.png"),
                       "--out", str(root / "run"), "--settings",
                       str(root / "ours.toml")]  # fmt: skip
            subprocess.run(command, check=True, capture_output=True)
            text = (root / "run" / "text" / "tar.png.txt").read_text(encoding="utf-8")
            self.assertEqual(text, "Tar was put on the\nwheels of the gauge\nat noon.\n")
            [record] = read_records(root / "run" / "documents.jsonl")
            self.assertEqual(record["text"], text)
            (root / "ours.toml").write_text('[output]\ntext_form = "prose"\n', "utf-8")
            done = subprocess.run(command, check=False, capture_output=True, text=True)
            self.assertEqual(done.returncode, 2)
            self.assertIn("markdown, plain", done.stderr)

    def test_spans_hold_in_wrapped_text(self):
        for width in (0, 8, 30):
            record = json.loads(json.dumps(self.document.to_record()))
            text = self.document.to_markdown(aq.OutputSettings(line_width=width))
            first, second = record["pages"]
            self.assertTrue(text[first["start"]].startswith("#"))
            self.assertTrue(text[second["start"] :].startswith("At"))


class LineNumberTest(unittest.TestCase):
    def numbered(self, numbers, lines, size=18):
        """Return a page with a listing and numbers of some size on its left."""
        image = blank()
        write_justified(image, PROSE * 2, 140, 140, 960, 5)
        write_code(image, lines, 240, 480)
        draw = ImageDraw.Draw(image)
        for row, number in enumerate(numbers):
            y = 480 + 35 * row + 26
            draw.text(
                (190, y), str(number), font=font(size, name="DejaVuSansMono"), fill=0, anchor="rs"
            )
        return aq.read_page(image)

    def test_numbers_of_a_listing(self):
        """They stand in the lines that they count, and these are one listing."""
        lines = CODE * 2
        page = self.numbered(range(37, 47), lines)
        [code] = of_kind(page, BlockKind.CODE)
        found = [line.text.split(" ", 1) for line in code.lines]
        self.assertEqual([number for number, _ in found], [str(n) for n in range(37, 47)])
        self.assertEqual([rest for _, rest in found], [line.strip() for line in lines])
        first = code.lines[0]
        self.assertEqual(len(first.character_boxes), len(first.text))
        self.assertEqual(first.text[first.words[1].start : first.words[1].end], "def")

    def test_numbers_in_the_margin(self):
        """Numbers far from their lines belong to them too; those of empty lines stand alone."""
        parts = ["wheel", "drum", "chain", "hand", "rope", "lamp", "buoy"]
        lines = [
            line_of(f"the {part} was oiled", x=200, y=100 + 30 * n) for n, part in enumerate(parts)
        ]
        numbers = [line_of(str(n), x=40, y=100 + 30 * (n - 1), size=6) for n in range(1, 9)]
        blocks = [Block(kind, aq.Box.around([line.box for line in part]), part)
                  for kind, part in ((BlockKind.MARGIN_NOTE, numbers),
                                     (BlockKind.PARAGRAPH, lines))]  # fmt: skip
        [joined] = join_line_numbers(blocks, 14.0)
        self.assertEqual(joined.kind, BlockKind.PARAGRAPH)
        self.assertEqual(joined.lines[2].text, "3 the chain was oiled")
        self.assertEqual(joined.lines[7].text, "8")

    def test_numbers_that_do_not_count_lines(self):
        """Values beside the lines of a listing stay where they stand."""
        numbers = [line_of(str(n), x=40, y=100 + 30 * k, size=6)
                   for k, n in enumerate([3, 17, 18, 40, 41, 60, 61, 75])]  # fmt: skip
        lines = [line_of("the wheel was oiled", x=200, y=100 + 30 * k) for k in range(8)]
        blocks = [Block(BlockKind.PARAGRAPH, aq.Box.around([line.box for line in part]), part)
                  for part in (numbers, lines)]  # fmt: skip
        self.assertEqual(join_line_numbers(blocks, 14.0), blocks)


class FormTest(unittest.TestCase):
    def test_heading_between_rows_of_boxes(self):
        """A heading between two rows of boxes leaves them fields."""
        image = blank()
        draw = ImageDraw.Draw(image)
        labels = iter(["Name:", "Gauge:", "Date:", "Level:", "Wind:", "Keeper:", "Boat:", "Mark:"])
        for y in (200, 300, 520, 620):
            for x in (140, 660):
                draw.rectangle((x, y, x + 460, y + 74), outline=0, width=3)
                draw.text((x + 14, y + 18), next(labels), font=font(30), fill=0)
                draw.text((x + 220, y + 18), f"mark {y}", font=font(30), fill=0)
        draw.text((140, 430), "Second part", font=font(38), fill=0)
        page = aq.read_page(image)
        self.assertEqual(len(of_kind(page, BlockKind.LABEL)), 8)
        self.assertEqual(len(of_kind(page, BlockKind.ENTRY)), 8)
        self.assertIn("Second part", page.text)


if __name__ == "__main__":
    unittest.main()
