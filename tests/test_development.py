"""The truth of development pages, taken from text layers, and the figures made from it."""

import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2 as pdfium

from amberquarry import Page
from amberquarry.demo.scanner import LEVELS, scan_page
from amberquarry.formats.records import page_from_record
from amberquarry.scoring import score_page

BENCHMARKS = Path(__file__).parent.parent / "benchmarks"
sys.path.insert(0, str(BENCHMARKS))
try:
    import devpages
    from textlayer import TruthLine, compose, in_reading_order, join_ellipses, page_truth
finally:
    sys.path.remove(str(BENCHMARKS))

DPI = 150.0


def pdf_page(lines, size=12):
    """Return the first page of a PDF with a text layer, and its picture.

    lines: (x, y, text) in points, in the order in which the layer holds them.
    """
    with pikepdf.new() as pdf, tempfile.TemporaryDirectory() as folder:
        pdf.add_blank_page(page_size=(595, 842))
        font = pikepdf.Dictionary(
            Type=pikepdf.Name.Font,
            Subtype=pikepdf.Name.Type1,
            BaseFont=pikepdf.Name("/Times-Roman"),
        )
        pdf.pages[0].Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font))
        commands = [f"BT /F1 {size} Tf {x} {y} Td ({text}) Tj ET" for x, y, text in lines]
        pdf.pages[0].Contents = pikepdf.Stream(pdf, "\n".join(commands).encode("latin-1"))
        path = Path(folder) / "page.pdf"
        pdf.save(path)
        document = pdfium.PdfDocument(path.read_bytes())
    picture = document[0].render(scale=DPI / 72, grayscale=True).to_numpy()
    return document[0], np.array(picture).reshape(picture.shape[:2])


def column(x, count, words="the tide went out before the keeper came"):
    """Return lines of running text that stand under each other."""
    return [(x, 780 - 16 * row, f"{words} {row}") for row in range(count)]


class TruthTest(unittest.TestCase):
    def test_words_lie_on_their_ink(self):
        """Each word of the layer is there with the box of its ink."""
        page, clean = pdf_page(column(72, 12))
        blocks = page_truth(page, clean, DPI)
        words = [w for block in blocks for line in block["lines"] for w in line["words"]]
        self.assertEqual(len(words), 12 * 9)
        for word in words:
            x0, y0, x1, y1 = word["box"]
            ink = clean[y0:y1, x0:x1] < 160
            self.assertTrue(ink[0].any() and ink[-1].any())
            self.assertTrue(ink[:, 0].any() and ink[:, -1].any())

    def test_columns_in_their_order_are_trusted(self):
        """Two columns that the layer holds one after the other keep that order."""
        page, clean = pdf_page(column(60, 20) + column(320, 20, "a boat lay under the wall at"))
        blocks = page_truth(page, clean, DPI)
        text = " ".join(block["text"] for block in blocks)
        self.assertLess(text.index("tide went out"), text.index("boat lay"))
        self.assertLess(text.rindex("tide went out"), text.index("boat lay"))

    def test_texts_side_by_side_line_by_line_are_not(self):
        """A layer that runs across two texts can't tell in which order they are read."""
        lines = [line for pair in zip(column(60, 20), column(320, 20, "a boat lay under the wall"),
                                      strict=True) for line in pair]  # fmt: skip
        page, clean = pdf_page(lines)
        self.assertIsNone(page_truth(page, clean, DPI))

    def test_layer_without_ink_is_not_trusted(self):
        """Words where the page is white are no truth."""
        page, clean = pdf_page(column(72, 12))
        self.assertIsNone(page_truth(page, np.full_like(clean, 255), DPI))

    def test_short_pages_are_left_out(self):
        """A title alone is too little to measure."""
        self.assertIsNone(page_truth(*pdf_page([(72, 700, "The tide book")]), DPI))

    def test_wide_gap_within_lines(self):
        """A term and what it means may stand far apart; running text on both sides may not."""

        def line(left, right):
            words = [{"text": "w", "box": [60 * n, 0, 60 * n + 50, 30]} for n in range(left)]
            start = 60 * left + 400
            words += [
                {"text": "w", "box": [start + 60 * n, 0, start + 60 * n + 50, 30]}
                for n in range(right)
            ]
            return TruthLine(words)

        clean = np.zeros((40, 2000), np.uint8)
        self.assertTrue(in_reading_order([line(1, 6)] * 20, clean))
        self.assertTrue(in_reading_order([line(8, 0)] * 20 + [line(4, 4)] * 3, clean))
        self.assertFalse(in_reading_order([line(4, 4)] * 20, clean))

    def test_accents_held_apart(self):
        """Accents that stand over their letters are set on them; others stay."""

        def composed(text, over):
            boxes, at = [], 0.0
            for letter in text:
                boxes.append((at, 0, at + 8, 10))
                at += 0 if over and letter in "´`¨ˆ¸\u0338" else 8
            return compose(text, boxes)

        self.assertEqual(composed("d´ej`a", True), "déjà")
        self.assertEqual(composed("fran¸cais", True), "français")
        self.assertEqual(composed("ˆıle", True), "île")
        self.assertEqual(composed("a\u0338=b", True), "a≠b")
        self.assertEqual(composed("a`b", False), "a`b")
        self.assertEqual(composed("a`", True), "a`")

    def test_points_of_an_ellipsis_are_one_sign(self):
        """Three spaced points are joined, rows of leader points are left alone."""

        def joined(text):
            words = [{"text": word, "box": [0, 0, 1, 1]} for word in text.split()]
            return " ".join(word["text"] for word in join_ellipses(words))

        self.assertEqual(joined("a, b. . . and"), "a, b... and")
        self.assertEqual(joined("f (a, . . . , z)"), "f (a, ... , z)")
        self.assertEqual(joined("so . . .) it"), "so ...) it")
        for text in ("Tides . . . . . . 12", "one. Two", "a . . b"):
            self.assertEqual(joined(text), text)


class PagesTest(unittest.TestCase):
    def test_documents_stay_in_one_split(self):
        """Translations of a document stand in its own group, whose name alone gives the split."""
        group = devpages.group_of("glpk-doc", "gmpl_es")
        self.assertEqual(group, devpages.group_of("glpk-doc", "gmpl"))
        self.assertIn(devpages.split_of(group), devpages.SPLITS)
        self.assertEqual(devpages.split_of(group), devpages.split_of(group))

    def test_list_is_of_one_piece(self):
        """No document stands in two splits, none that is left out stands in any."""
        splits = {}
        left_out = devpages.left_out()
        for split in devpages.SPLITS:
            for row in devpages.listed(split).values():
                group = devpages.group_of(row["package"], row["document"])
                self.assertEqual(splits.setdefault(group, split), split, group)
                self.assertNotIn((row["package"], row["document"]), left_out)
        score = devpages.listed("score").values()
        self.assertGreaterEqual(len(score), 60)
        self.assertGreaterEqual(sum(row["columns"] == "multi" for row in score), 12)
        self.assertGreaterEqual(sum(row["language"] != "en" for row in score), 12)

    def test_languages_from_names(self):
        """A document's name or package tells its language."""
        for package, name, language in (
            ("debian-refcard", "refcard-pt_BR-a4", "pt"),
            ("glpk-doc", "gmpl_es", "es"),
            ("texlive-lang-french", "letgut", "fr"),
            ("pari-doc", "refcard-nf", "en"),
            ("maint-guide", "maint-guide", "en"),
        ):
            self.assertEqual(devpages.language_of(package, name), language, name)

    def test_rows_of_the_table(self):
        """A page counts in all, in its kind of columns and language, and in English or others."""
        english = {"language": "en", "columns": "single"}
        rows = ["all", "single column", "in en", "English single"]
        self.assertEqual(devpages.groups_of(english), rows)
        self.assertIn("other languages", devpages.groups_of({**english, "language": "el"}))
        self.assertNotIn("English single", devpages.groups_of({**english, "columns": "multi"}))

    def test_scanned_page_keeps_its_truth(self):
        """The truth of a scanned page lies where the scan shows its words."""
        page, clean = pdf_page(column(72, 20))
        blocks = page_truth(page, clean, DPI)
        with tempfile.TemporaryDirectory() as folder:
            for level in LEVELS:
                devpages.write_page(Path(folder) / level, "sheet", level, clean, blocks)
                self.assertEqual(len(list((Path(folder) / level).iterdir())), 2)
            same = scan_page(clean, "poor", 5).data
            self.assertEqual(same, scan_page(clean, "poor", 5).data)
            files = (Path(folder) / "clean").iterdir()
            picture = next(path for path in files if path.suffix != ".json")
            name, score, seconds = devpages.read_one(str(picture))
        self.assertEqual(name, "sheet")
        self.assertGreater(seconds, 0)
        self.assertLess(score.errors_in_order / score.characters, 0.05)
        rates = devpages.figures([(score, seconds)])
        self.assertEqual(len(rates), 12)
        self.assertLess(rates[0], 5)

    def test_missing_page_is_all_wrong(self):
        """A page that could not be read costs all its characters."""
        page, clean = pdf_page(column(72, 20))
        blocks = page_truth(page, clean, DPI)
        truth: Page = page_from_record(
            {"page": 1, "width": clean.shape[1], "height": clean.shape[0], "blocks": blocks}
        )
        rates = devpages.figures([(score_page(None, truth), 1.0)])
        self.assertEqual(rates[0], 100.0)
        self.assertEqual(rates[4], 0.0)
