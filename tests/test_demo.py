import json
import tempfile
import unittest
from pathlib import Path

import jsonschema
import numpy as np
from PIL import Image

import amberquarry as aq
from amberquarry import Box, Limits, Origin, Page, Settings, Word
from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.demo.generate import write_pdf, write_text_pdf
from amberquarry.demo.printed import write_circular
from amberquarry.demo.prose import paragraph
from amberquarry.demo.scanner import LEVELS, scan_page
from amberquarry.demo.typeset import SetPage
from amberquarry.drawing import Mark, confidence_colour, draw_page
from amberquarry.formats.records import page_from_record, schema
from amberquarry.runs.folder import read_records
from amberquarry.runs.inputs import find_inputs
from amberquarry.sources import open_source
from amberquarry.values import Block, BlockKind, Line
from tests.support.pages import pixels, text_page


class CollectionTest(unittest.TestCase):
    def test_size_and_kinds(self):
        """At least 12 documents and 30 pages, three files to reject and one to skip."""
        found = find_inputs([COLLECTION])
        names = {file.name for file in found.files}
        self.assertEqual(found.skipped, ["Thumbs.db"])
        self.assertTrue({"damaged.pdf", "locked.pdf", "rota.docx"} <= names)
        records = list(read_records(TRUTH))
        self.assertGreaterEqual(len(records), 30)
        self.assertGreaterEqual(len(names) - 3, 12)
        self.assertEqual(names - {r["document"] for r in records},
                         {"damaged.pdf", "locked.pdf", "rota.docx"})  # fmt: skip

    def test_truth_has_the_form_of_pages(self):
        """Truth records are page records with a class."""
        block = schema("page")["properties"]["blocks"]
        for record in read_records(TRUTH):
            jsonschema.validate(record["blocks"], block)
            self.assertTrue(record["class"])
            self.assertEqual(page_from_record(record).number, record["page"])

    def test_truth_lies_on_the_ink(self):
        """In every file, the truth's word boxes are darker than what surrounds them."""
        sources = {}
        for record in read_records(TRUTH):
            words = [w for b in record["blocks"] for line in b["lines"] for w in line["words"]]
            if not words or record["class"] == "white on dark":
                continue
            name = record["document"]
            if name not in sources:
                sources[name] = open_source(COLLECTION / name, Settings(), Limits())
            grey = sources[name].picture(record.get("source_page", record["page"]) - 1).grey
            self.assertEqual(grey.shape, (record["height"], record["width"]), name)
            inside, around = [], []
            for word in words:
                x0, y0, x1, y1 = (max(0, round(v)) for v in word["box"])
                room = y1 - y0  # desks are darker than sheets: only what is near is compared
                inside.append(grey[y0:y1, x0:x1].mean())
                around.append(
                    grey[max(0, y0 - room) : y1 + room, max(0, x0 - room) : x1 + room].mean()
                )
            with self.subTest(name=name, page=record["page"]):
                self.assertLess(np.mean(inside), np.mean(around) - 4)
        for source in sources.values():
            source.close()


class MakingTest(unittest.TestCase):
    def test_scanner_moves_truth_with_the_page(self):
        """The affine that comes with a scan brings clean places to scanned ones."""
        page = np.full((1000, 800), 255, np.uint8)
        page[300:340, 500:560] = 0
        for level in LEVELS:
            for seed in range(4):
                scan = scan_page(page, level, seed)
                with tempfile.TemporaryDirectory() as folder:
                    path = Path(folder) / f"page{scan.suffix}"
                    path.write_bytes(scan.data)
                    with Image.open(path) as image:
                        grey = np.asarray(image.convert("L"))
                x, y = scan.matrix @ (530, 320, 1)
                with self.subTest(level=level, seed=seed):
                    self.assertEqual(grey.shape[::-1], scan.size)
                    self.assertLess(int(grey[round(y), round(x)]), 130)

    def test_scanner_is_seeded(self):
        """The same seed gives the same file."""
        page = pixels(text_page(1))
        self.assertEqual(scan_page(page, "poor", 5).data, scan_page(page, "poor", 5).data)
        self.assertNotEqual(scan_page(page, "poor", 5).data, scan_page(page, "poor", 6).data)

    def test_prose_is_seeded_and_varied(self):
        """Sentences end with a stop and do not repeat word for word all the time."""
        import random

        texts = {paragraph(random.Random(seed), 2) for seed in range(50)}
        self.assertGreater(len(texts), 45)
        self.assertTrue(all(text.endswith(".") for text in texts))

    def test_text_layer_page(self):
        """The circular is a PDF with text; its lines are returned as truth."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "c.pdf"
            lines = write_text_pdf(path)
            self.assertEqual(path.read_bytes(), (COLLECTION / "circular.pdf").read_bytes())
        self.assertEqual(len(lines), 3)

    def test_printed_circular(self):
        """The second circular is made the same again; its truth is what the file says."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "c.pdf"
            truth = write_circular(path)
            self.assertEqual(path.read_bytes(), (COLLECTION / "circular-2.pdf").read_bytes())
        page = aq.read_page(COLLECTION / "circular-2.pdf")
        self.assertEqual(page.origin, Origin.TEXT_LAYER)
        told = [word["text"] for b in truth.blocks for line in b["lines"] for word in line["words"]]
        self.assertEqual([word.text for word in page.words], told)
        links = {link.uri for block in page.blocks for link in block.links}
        self.assertEqual(
            links, {"https://tides.ellory.example/forms", "mailto:keeper@ellory.example"}
        )

    def test_pages_that_are_not_what_they_say(self):
        """The page with a screen is mixed; the misread scan is read anew."""
        mixed = aq.read_page(COLLECTION / "gauge-monitor.pdf")
        [figure] = [block for block in mixed.blocks if block.kind is BlockKind.FIGURE]
        self.assertEqual(mixed.origin, Origin.MIXED)
        self.assertIn("219 cm", " ".join(line.text for line in figure.lines))
        old = aq.read_page(COLLECTION / "old-reading.pdf")
        self.assertEqual(old.origin, Origin.SCAN)
        self.assertIn("Corrections to Earlier Volumes", old.text)

    def test_picture_pdf(self):
        """Pictures become pages of their own size and resolution."""
        image = text_page(1)
        with tempfile.TemporaryDirectory() as folder:
            write_pdf(Path(folder) / "p.pdf", [(b"", image, 150.0)])
            source = open_source(Path(folder) / "p.pdf", Settings(), Limits())
            picture = source.picture(0)
            source.close()
        self.assertEqual(picture.grey.shape, (image.height, image.width))
        self.assertLess(float(np.abs(picture.grey.astype(int) - pixels(image)).mean()), 2)

    def test_blocks_are_noted(self):
        """A block's box and text come from its words."""
        page = SetPage((400, 300))
        words = [{"text": "a", "box": [10, 10, 20, 20]}, {"text": "b", "box": [30, 12, 44, 25]}]
        page.block("paragraph", [words])
        self.assertEqual(page.blocks[0]["box"], [10, 10, 44, 25])
        self.assertEqual(page.blocks[0]["text"], "a b")
        self.assertEqual(json.loads(json.dumps(page.blocks))[0]["kind"], "paragraph")


class DrawingTest(unittest.TestCase):
    def page(self, quad=None):
        word = Word("tide", Box(40, 60, 120, 90), 0.5, 0, 4, quad)
        boxes = np.array([[40 + 20 * n, 60, 58 + 20 * n, 90] for n in range(4)], np.float32)
        line = Line("tide", word.box, 0.5, [word], boxes, np.full(4, 0.97, np.float32), quad)
        block = Block(BlockKind.PARAGRAPH, Box(40, 60, 120, 90), [line])
        return Page(1, 200, 150, None, blocks=[block])

    def test_colours_fall_with_confidence(self):
        """Each step of confidence has a colour of its own, also at the ends."""
        colours = [confidence_colour(v) for v in (1.0, 0.9, 0.7, 0.0)]
        self.assertEqual(len(set(colours)), 4)

    def test_each_mark_is_drawn(self):
        """Every mark changes the picture, labels too, and the size stays."""
        grey = np.full((150, 200), 255, np.uint8)
        bare = np.asarray(draw_page(grey, self.page(), ()))
        self.assertEqual(bare.shape, (150, 200, 3))
        quad = ((40.0, 70.0), (120.0, 60.0), (120.0, 80.0), (40.0, 90.0))
        for mark in Mark:
            for page in (self.page(), self.page(quad)):
                drawn = np.asarray(draw_page(grey, page, (mark,)))
                self.assertTrue((drawn != bare).any(), mark)
        words = np.asarray(draw_page(grey, self.page(), (Mark.WORDS,)))
        labelled = np.asarray(draw_page(grey, self.page(), (Mark.WORDS,), labels=True))
        self.assertTrue((labelled != words).any())

    def test_odd_pages_are_drawn(self):
        """No blocks, boxes beyond the page, unknown letters: no error."""
        page = self.page()
        page.blocks[0].lines[0].words[0].text = "語"
        page.blocks.append(Block(BlockKind.FIGURE, Box(-20, -20, 900, 900)))
        draw_page(np.zeros((150, 200), np.uint8), page, tuple(Mark), labels=True)
        draw_page(np.zeros((1, 1), np.uint8), Page(1, 1, 1, None), tuple(Mark))
