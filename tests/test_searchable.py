import io
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pypdfium2 as pdfium
from click.testing import CliRunner
from PIL import Image

import amberquarry as aq
from amberquarry.cli import main
from amberquarry.errors import SourceError
from amberquarry.formats.searchable import is_signed, joined, searchable
from tests.support.layers import PROSE, layered, paragraph, picture_of, text

WHOLE = "q 595 0 0 842 0 0 cm /Im0 Do Q\n"
TEXT = " ".join(PROSE)


def scanned(under=""):
    """A PDF with a scan of a paragraph, and what else is drawn."""
    return layered(WHOLE + under, picture=picture_of(paragraph(size=12)))


def words_in(file, index=0):
    return pdfium.PdfDocument(file)[index].get_textpage().get_text_range().split()


def pixels(file, index=0):
    return pdfium.PdfDocument(file)[index].render(scale=1.5).to_numpy()


def read(file):
    return aq.read_document(file)


class SearchableTest(unittest.TestCase):
    def test_words_lie_where_they_are_seen(self):
        """All words are found again, in order, each where it was read; nothing looks different."""
        file = scanned()
        document = read(file)
        made = searchable(file, document)
        self.assertEqual(words_in(made), TEXT.split())
        self.assertTrue(np.array_equal(pixels(file), pixels(made)))
        page = document.pages[0]
        layer = pdfium.PdfDocument(made)[0].get_textpage()
        word = next(page.words)
        corners = np.array(word.box.corners) @ np.array(page.to_points).reshape(3, 2)[:2]
        corners += np.array(page.to_points).reshape(3, 2)[2]
        first = [layer.get_charbox(at) for at in range(len(word.text))]
        self.assertAlmostEqual(first[0][0], corners[:, 0].min(), delta=0.1)
        self.assertAlmostEqual(first[-1][2], corners[:, 0].max(), delta=0.1)
        self.assertLess(len(made) - len(file), 15_000)

    def test_facts_are_set(self):
        """Language and title are there for who reads the file aloud or lists it."""
        with pikepdf.open(io.BytesIO(searchable(scanned(), read(scanned())))) as pdf:
            self.assertEqual(str(pdf.Root.Lang), "en")

    def test_pages_with_text_stay(self):
        """Pages that were made on a computer get no second text."""
        file = layered(paragraph())
        made = searchable(file, read(file))
        self.assertEqual(words_in(made), TEXT.split())

    def test_earlier_layers(self):
        """Unseen text of an earlier reader stays, so that none is there twice, or is replaced."""
        file = scanned("3 Tr " + text("wrong words", 72, 700) + "0 Tr ")
        document = read(file)
        self.assertEqual(words_in(searchable(file, document)), ["wrong", "words"])
        replaced = searchable(file, document, replace_layers=True)
        self.assertEqual(words_in(replaced), TEXT.split())
        self.assertTrue(np.array_equal(pixels(file), pixels(replaced)))

    def test_pictures_become_pages(self):
        """JPEG and PNG data go in as they are, with the size that they say."""
        grey = picture_of(paragraph(size=12))
        for kind, mode in (
            ("JPEG", "L"),
            ("JPEG", "RGB"),
            ("PNG", "L"),
            ("PNG", "P"),
            ("TIFF", "1"),
        ):
            with self.subTest(kind=kind, mode=mode):
                out = io.BytesIO()
                Image.fromarray(grey).convert(mode).save(out, kind, dpi=(200, 200))
                file = out.getvalue()
                made = searchable(file, read(file))
                self.assertEqual(words_in(made), TEXT.split())
                page = pdfium.PdfDocument(made)[0]
                self.assertAlmostEqual(page.get_size()[0], 595, delta=1)
                shown = page.render(scale=200 / 72, grayscale=True).to_numpy()
                own = np.array(Image.open(io.BytesIO(file)).convert("L"))
                rows, columns = own.shape
                shown = shown.reshape(shown.shape[:2])[:rows, :columns].astype(int)
                self.assertLess(np.abs(shown - own).mean(), 1.0)

    def test_letters_beyond_one_font(self):
        """More letters than a font holds come in several; all keep their values."""
        letters = [chr(code) for code in range(0x400, 0x400 + 260)]
        box = aq.Box(10, 10, 2000, 40)
        words, at = [], 0
        for number, letter in enumerate(letters):
            own = aq.Box(10 + 7 * number, 10, 16 + 7 * number, 40)
            words.append(aq.Word(letter, own, 1.0, at, at + 1))
            at += 2
        none = np.zeros(0, np.float32)
        line = aq.Line(" ".join(letters), box, 1.0, words, none.reshape(0, 4), none)
        block = aq.Block(aq.BlockKind.PARAGRAPH, box, [line])
        page = aq.Page(1, 2000, 400, (100, 100), blocks=[block])
        file = cv2.imencode(".png", np.full((400, 2000), 255, np.uint8))[1].tobytes()
        made = searchable(file, aq.Document("d", "a.png", [page]))
        self.assertEqual(words_in(made), letters)

    def test_files_that_cannot_be_used(self):
        """Each has a reason; a signature is seen."""
        document = aq.Document("d", "a", [])
        with self.assertRaises(SourceError):
            searchable(b"no picture", document)
        with self.assertRaises(SourceError):
            searchable(b"%PDF-1.7 nothing else", document)
        self.assertTrue(is_signed(b"%PDF-1.7 /Type /Sig /ByteRange [0 1 2 3]"))
        self.assertFalse(is_signed(scanned()))


class ExportTest(unittest.TestCase):
    def test_export_of_a_run(self):
        """A run becomes PDFs; a file that is gone is told, and the others are made."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "scans").mkdir()
            (folder / "scans" / "letter.pdf").write_bytes(scanned())
            cv2.imwrite(str(folder / "scans" / "page.png"), picture_of(paragraph(size=12)))
            aq.convert([folder / "scans"], folder / "run", jobs=1)
            call = ["export", str(folder / "run"), "--as", "pdf", "--out", str(folder / "out")]
            source = aq.open_run(folder / "run").sources[0]
            files = "/" if source.startswith("/") else str(folder / "scans")
            done = CliRunner().invoke(main, [*call, "--files", files])
            self.assertEqual(done.exit_code, 0, done.output)
            made = sorted((folder / "out").rglob("*.pdf"))
            self.assertEqual([path.name for path in made], ["letter.pdf", "page.png.pdf"])
            for path in made:
                self.assertEqual(words_in(path.read_bytes()), TEXT.split())
            (folder / "scans" / "letter.pdf").unlink()
            done = CliRunner().invoke(main, [*call, "--files", files])
            self.assertEqual(done.exit_code, 1)
            self.assertIn("letter.pdf: No such file", done.output)
            self.assertIn("files made       1", done.output)


if __name__ == "__main__":
    unittest.main()


class JoinedTest(unittest.TestCase):
    def part(self, *words):
        """A PDF with a page for each of some words."""
        pdf = pikepdf.new()
        for word in words:
            with pikepdf.open(io.BytesIO(layered(text(word, 72, 700)))) as one:
                pdf.pages.extend(one.pages)
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()

    def test_labels_outline_and_title(self):
        """Pages are labelled by their files, those of one file counted; each has an entry."""
        parts = [("leaf 2", self.part("tide")), ("notes", self.part("rain", "wind"))]
        made = pdfium.PdfDocument(joined(parts, "Day book"))
        labels = [made.get_page_label(n) for n in range(3)]
        self.assertEqual(labels, ["leaf 2", "notes-1", "notes-2"])
        told = [page.get_textpage().get_text_range().strip() for page in made]
        self.assertEqual(told, ["tide", "rain", "wind"])
        self.assertEqual(made.get_metadata_value("Title"), "Day book")
        entries = [(entry.get_title(), entry.get_dest().get_index()) for entry in made.get_toc()]
        self.assertEqual(entries, [("leaf 2", 0), ("notes", 1)])

    def test_one_part(self):
        """A single file stays a file of one page."""
        made = pdfium.PdfDocument(joined([("leaf", self.part("tide"))], "Book"))
        self.assertEqual((len(made), made.get_page_label(0)), (1, "leaf"))
