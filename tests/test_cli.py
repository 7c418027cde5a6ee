import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import pikepdf
import pypdfium2 as pdfium
from PIL import Image

from amberquarry.cli.convert import progress_text
from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.drawing import LAYER_COLOUR
from amberquarry.runs import Progress
from tests.support.layers import PROSE, layered, paragraph
from tests.support.pages import small_page


def run(*arguments, folder=None):
    """Run the command as a process, as a user would."""
    return subprocess.run(
        [sys.executable, "-m", "amberquarry", *map(str, arguments)],
        capture_output=True,
        text=True,
        cwd=folder,
        timeout=300,
        env={**os.environ, "PYTHONIOENCODING": "utf-8"},
        check=False,
    )


class CommandTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_convert_and_score(self):
        """A file is converted with status 0, and scored against its truth."""
        out = self.folder / "run"
        done = run("convert", COLLECTION / "storm-notice.png", "--out", out, "--jobs", 1)
        self.assertEqual(done.returncode, 0, done.stderr)
        for word in ("documents        1", "pages            1", "pages/s", str(out)):
            self.assertIn(word, done.stdout)
        scored = run("score", out, TRUTH)
        self.assertEqual(scored.returncode, 0, scored.stderr)
        self.assertIn("white on dark", scored.stdout)

    def test_rejected_files_give_status_1(self):
        """Each rejected file is named with what to do about it, and no traceback is shown."""
        done = run(
            "convert",
            COLLECTION / "locked.pdf",
            COLLECTION / "rota.docx",
            "--out",
            self.folder / "run",
        )
        self.assertEqual(done.returncode, 1)
        self.assertIn("2 files: 1 encrypted, 1 unsupported", done.stdout)
        self.assertIn("locked.pdf: the PDF asks for a password", done.stdout)
        self.assertNotIn("Traceback", done.stdout + done.stderr)

    def test_wrong_usage_gives_status_2(self):
        """What is wrong is said in a line, on standard error."""
        (self.folder / "kept.txt").write_text("x")
        page = COLLECTION / "storm-notice.png"
        for arguments, message in (
            (("convert", "none.pdf", "--out", self.folder / "r"), "no file or folder none.pdf"),
            (("convert", page, "--out", self.folder), "is not empty and holds no run of ours"),
            (("convert", page), "--out"),
            (("convert", page, "--out", "r", "--pages", "x-2"), "3-12"),
            (("convert", page, "--out", "r", "--min-confidence", "7"), "0<=x<=1"),
            (("look", page), "--text"),
            (("look", page, "--out", "a.png", "--show", "words,dots"), "'dots'"),
            (("look", page, "--text", "--page", "3"), "there is no page 3"),
            (("score", self.folder, TRUTH), "holds no run"),
            (("convrt",), "No such command"),
        ):
            with self.subTest(arguments=arguments[:2]):
                done = run(*arguments, folder=self.folder)
                self.assertEqual(done.returncode, 2, done.stderr)
                self.assertIn(message, done.stderr)
                self.assertNotIn("Traceback", done.stderr)

    def test_unusable_page_gives_status_1(self):
        """A file that can't be looked at says why."""
        done = run("look", COLLECTION / "damaged.pdf", "--text")
        self.assertEqual(done.returncode, 1)
        self.assertIn("can't be opened", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_look_draws_and_prints(self):
        """The picture has the page's size and colours, the text goes to standard output."""
        target = self.folder / "seen.png"
        done = run(
            "look",
            COLLECTION / "storm-notice.png",
            "--out",
            target,
            "--text",
            "--label",
            "--show",
            "regions,order,lines,words,characters",
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("STORM SIGNALS", done.stdout)
        with Image.open(target) as image, Image.open(COLLECTION / "storm-notice.png") as page:
            self.assertEqual(image.size, page.size)
            self.assertGreater(len(image.getcolors(1 << 24)), 50)

    def test_help_has_examples(self):
        """Each command shows how it is called."""
        for name in ("convert", "look", "score", "demo"):
            with self.subTest(name):
                done = run(name, "--help")
                self.assertEqual(done.returncode, 0)
                self.assertIn(f"amberquarry {name}", done.stdout.split("Usage:")[1])

    def test_demo(self):
        """The tour converts, scores and draws, and ends with what to open."""
        done = run("demo", "--few", "--out", self.folder / "demo")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("rejected         3 files", done.stdout)
        self.assertIn("Open", done.stdout)
        self.assertTrue((self.folder / "demo" / "pictures" / "storm-notice.png.png").is_file())


class PortableFileTest(unittest.TestCase):
    """PDF files that hold their text, through the command."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def protected(self):
        """A file with text that opens with a password alone."""
        path = self.folder / "notes.pdf"
        with pikepdf.open(io.BytesIO(layered(paragraph()))) as pdf:
            pdf.save(path, encryption=pikepdf.Encryption(owner="o", user="quay"))
        return path

    def records(self, run_folder):
        lines = (run_folder / "pages.jsonl").read_text(encoding="utf-8").splitlines()
        return [json.loads(line) for line in lines]

    def test_passwords(self):
        """A protected file is rejected with what to do, then read with the right password."""
        path, out = self.protected(), self.folder / "run"
        done = run("convert", path, "--out", out, "--jobs", 1)
        self.assertEqual(done.returncode, 1)
        self.assertIn(
            "notes.pdf: the PDF asks for a password; give it with --password", done.stdout
        )
        done = run("convert", path, "--out", out, "--jobs", 1, "--password", "boat")
        self.assertIn("none of the passwords given opens it", done.stdout)
        listed = self.folder / "passwords.txt"
        listed.write_text("boat\n\nquay\n", encoding="utf-8")
        done = run("convert", path, "--out", out, "--jobs", 1, "--passwords", listed)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertEqual(self.records(out)[0]["origin"], "text-layer")
        for record in out.glob("*.json*"):
            self.assertNotIn("quay", record.read_text(encoding="utf-8"))

    def test_text_layer(self):
        """The layer is taken by default, never with `ignore`; other words are refused."""
        path = self.folder / "notes.pdf"
        path.write_bytes(layered(paragraph()))
        for use, origin in (("auto", "text-layer"), ("only", "text-layer"), ("ignore", "scan")):
            out = self.folder / use
            done = run("convert", path, "--out", out, "--jobs", 1, "--text-layer", use)
            self.assertEqual(done.returncode, 0, done.stderr)
            [record] = self.records(out)
            self.assertEqual((record["origin"], record["blocks"][0]["origin"]), (origin, origin))
        done = run("convert", path, "--out", self.folder / "x", "--text-layer", "always")
        self.assertEqual(done.returncode, 2)

    def test_look(self):
        """What is drawn of a page from its layer lies on its picture."""
        path, out = self.folder / "notes.pdf", self.folder / "seen.png"
        path.write_bytes(layered(paragraph()))
        done = run("look", path, "--out", out, "--show", "words", "--text")
        self.assertIn(PROSE[0], done.stdout)
        with Image.open(out) as image:
            self.assertEqual(image.size, (2480, 3509))
            colours = {colour for _, colour in image.convert("RGB").getcolors(1 << 20)}
        self.assertIn(LAYER_COLOUR, colours)

    def test_export_joins_the_pictures_of_a_folder(self):
        """With --join pictures become pages of one PDF, in natural order, with their names."""
        leaves = self.folder / "book"
        leaves.mkdir()
        for number in (10, 2):
            small_page(f"Leaf {number}").save(leaves / f"leaf {number}.png")
        (leaves / "slip.pdf").write_bytes(layered(paragraph()))
        run("convert", "book", "--out", "run", "--jobs", 1, folder=self.folder)
        done = run(
            "export", "run", "--as", "pdf", "--out", "pdfs", "--files", "book", "--join",
            folder=self.folder,
        )  # fmt: skip
        self.assertIn("files made       2", done.stdout, done.stderr)
        made = pdfium.PdfDocument(self.folder / "pdfs" / "pdfs.pdf")
        self.assertEqual([made.get_page_label(n) for n in range(2)], ["leaf 2", "leaf 10"])
        texts = [page.get_textpage().get_text_range() for page in made]
        self.assertEqual([text.split()[:2] for text in texts], [["Leaf", "2"], ["Leaf", "10"]])
        self.assertTrue((self.folder / "pdfs" / "slip.pdf").exists())

    def test_export(self):
        """A run becomes searchable PDFs; a folder that is no run, and other forms, are refused."""
        source = self.folder / "slip.jpg"
        Image.open(COLLECTION / "repair-slip-118.jpg").save(source, dpi=(150, 150))
        run("convert", "slip.jpg", "--out", "run", "--jobs", 1, folder=self.folder)
        done = run("export", "run", "--as", "pdf", "--out", "pdfs", folder=self.folder)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("files made       1", done.stdout)
        self.assertTrue((self.folder / "pdfs" / "slip.jpg.pdf").read_bytes().startswith(b"%PDF"))
        done = run("export", "pdfs", "--as", "pdf", "--out", "more", folder=self.folder)
        self.assertEqual(done.returncode, 2)
        self.assertNotIn("Traceback", done.stderr)
        done = run("export", "run", "--as", "scroll", "--out", "more", folder=self.folder)
        self.assertEqual(done.returncode, 2)


class ProgressTest(unittest.TestCase):
    def test_time_left(self):
        """Files not yet opened are taken to be like the others."""
        state = Progress(files_done=10, files_total=100, pages_done=50, pages_known=50, seconds=25)
        self.assertEqual(progress_text(state, 2.0), "50 pages, 2.0 pages/s, 3 min 45 s left")


class ExampleTest(unittest.TestCase):
    def example(self, name, *arguments):
        path = Path(__file__).parent.parent / "examples" / name
        done = subprocess.run(
            [sys.executable, str(path), *map(str, arguments)],
            capture_output=True,
            text=True,
            timeout=300,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout

    def test_page_to_words(self):
        """Text first, then a line for each word."""
        out = self.example("page_to_words.py")
        self.assertIn("Repair slip No. 118", out)
        self.assertRegex(out, r"\d\.\d\d +\d+ +\d+ +\d+ +\d+  Repair")

    def test_folder_to_jsonl(self):
        """One record for each paragraph, pages in natural order."""
        import json

        with tempfile.TemporaryDirectory() as folder:
            records = [
                json.loads(line)
                for line in self.example(
                    "folder_to_jsonl.py", COLLECTION / "station-log", folder
                ).splitlines()
            ]
        self.assertGreater(len(records), 6)
        self.assertEqual(len({record["document"] for record in records}), 3)

    def test_draw_words(self):
        """The drawing is a picture of the promised size."""
        with tempfile.TemporaryDirectory() as folder:
            target = Path(folder) / "words.png"
            self.example("draw_words.py", COLLECTION / "storm-notice.png", target)
            with Image.open(target) as image:
                self.assertEqual(image.size, (1280, 800))
