"""The command as its users meet it: folders, patterns, options, resume, bad files, results."""

import csv
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import jsonschema
import pikepdf
from PIL import Image

from amberquarry.demo import COLLECTION
from amberquarry.formats.records import schema
from tests.support.pages import PROSE, encoded, picture_pdf, small_page, text_page
from tests.test_cli import run


def numbered(folder, count):
    """Write pages that say their own number, with and without leading zeros."""
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(1, count + 1):
        small_page(f"Sheet {number} of the tide book").save(folder / f"page-{number}.png")


def records(path):
    """Return the records of a JSON lines file."""
    return [json.loads(line) for line in path.read_text("utf-8").splitlines()]


class FolderTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.out = self.folder / "run"

    def convert(self, *arguments, status=0):
        done = run("convert", *arguments, "--out", self.out, "--jobs", 1, folder=self.folder)
        self.assertEqual(done.returncode, status, done.stdout + done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done

    def test_natural_order(self):
        """Page 10 comes after page 9, in the folder's results as for people."""
        numbered(self.folder / "scans", 11)
        self.convert("scans")
        sources = [record["source"] for record in records(self.out / "documents.jsonl")]
        self.assertEqual(sources, [f"page-{n}.png" for n in range(1, 12)])
        first = records(self.out / "pages.jsonl")[9]
        self.assertIn("Sheet 10", first["blocks"][0]["text"])

    def test_folders_within_folders(self):
        """Folders are searched to the bottom, and the Markdown stands in like folders."""
        numbered(self.folder / "box" / "shelf a", 1)
        numbered(self.folder / "box" / "shelf b" / "row 2", 1)
        self.convert("box")
        found = sorted(p.relative_to(self.out / "markdown").as_posix()
                       for p in (self.out / "markdown").rglob("*.md"))  # fmt: skip
        self.assertEqual(found, ["shelf a/page-1.png.md", "shelf b/row 2/page-1.png.md"])

    def test_patterns_and_single_files(self):
        """Patterns that the shell left alone are followed; a file named twice is read once."""
        numbered(self.folder / "scans", 3)
        self.convert("scans/page-[12].png", "scans/page-2.png")
        self.assertEqual(len(records(self.out / "documents.jsonl")), 2)

    def test_names_in_every_script(self):
        """Blanks, accents, quotes and other scripts in names do no harm."""
        for name in ("tide book.png", "Übersicht – März.png", "журнал №4.png", "it's [1].png"):
            small_page("The keeper read the gauge").save(self.folder / name)
        self.convert(".")
        sources = {record["source"] for record in records(self.out / "documents.jsonl")}
        self.assertIn("журнал №4.png", sources)
        self.assertEqual(len(sources), 4)
        for record in records(self.out / "documents.jsonl"):
            self.assertTrue((self.out / "markdown" / f"{record['source']}.md").is_file())

    def test_chosen_pages(self):
        """Only the pages asked for are read, under their own numbers."""
        picture_pdf(self.folder / "book.pdf", [small_page(f"Leaf {n} here") for n in range(1, 7)])
        self.convert("book.pdf", "--pages", "2-4")
        found = records(self.out / "pages.jsonl")
        self.assertEqual([record["page"] for record in found], [2, 3, 4])
        for record in found:
            self.assertIn(f"Leaf {record['page']}", record["blocks"][0]["text"])
        self.assertIn("<!-- page 3 -->", (self.out / "markdown" / "book.pdf.md").read_text("utf-8"))

    def test_pages_beyond_the_end(self):
        """Asking for pages that no file has leaves an empty, finished run that says so."""
        picture_pdf(self.folder / "book.pdf", [small_page("One leaf only")])
        done = run("convert", "book.pdf", "--pages", "7-9", "--out", self.out, folder=self.folder)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(records(self.out / "pages.jsonl"), [])

    def test_settings_file(self):
        """Settings come from a TOML file; a wrong name is told with what there is."""
        small_page("The keeper read the gauge").save(self.folder / "a.png")
        (self.folder / "mine.toml").write_text("[output]\ncharacters = true\n")
        self.convert("a.png", "--settings", "mine.toml")
        word = records(self.out / "pages.jsonl")[0]["blocks"][0]["lines"][0]["words"][0]
        self.assertEqual(len(word["characters"]), len(word["text"]))
        (self.folder / "wrong.toml").write_text("[output]\ncharacter = true\n")
        done = run("convert", "a.png", "--out", "r2", "--settings", "wrong.toml",
                   folder=self.folder)  # fmt: skip
        self.assertEqual(done.returncode, 2)
        self.assertIn("output.character", done.stderr)

    def test_a_table_of_words_opens_elsewhere(self):
        """The records go into a table with nothing but the standard library."""
        small_page("The keeper read the gauge").save(self.folder / "a.png")
        self.convert("a.png")
        rows = [
            (record["document"], word["text"], *word["box"], word["confidence"])
            for record in records(self.out / "pages.jsonl")
            for block in record["blocks"]
            for line in block["lines"]
            for word in line["words"]
        ]
        with (self.folder / "words.csv").open("w", newline="", encoding="utf-8") as file:
            csv.writer(file).writerows(rows)
        self.assertEqual([row[1] for row in rows], ["The", "keeper", "read", "the", "gauge"])


class ResumeTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        numbered(self.folder / "scans", 6)

    def start(self, *arguments):
        return run("convert", "scans", "--out", "run", "--jobs", 1, *arguments, folder=self.folder)

    def test_killed_run_goes_on(self):
        """A run killed half way is finished by the same command, with the same results."""
        environment = {**os.environ, "PYTHONIOENCODING": "utf-8"}
        process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "amberquarry",
                "convert",
                "scans",
                "--out",
                "run",
                "--jobs",
                "1",
            ],
            cwd=self.folder,
            env=environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        pages = self.folder / "run" / "pages.jsonl"
        end = time.monotonic() + 120
        while time.monotonic() < end and not (pages.exists() and pages.stat().st_size):
            time.sleep(0.05)
        process.send_signal(signal.SIGKILL)
        process.wait()
        with pages.open("ab") as file:
            file.write(b'{"document": "half a rec')  # what a crash may leave
        done = self.start()
        self.assertEqual(done.returncode, 0, done.stderr)
        whole = run("convert", "scans", "--out", "other", "--jobs", 2, folder=self.folder)
        self.assertEqual(whole.returncode, 0, whole.stderr)
        for name in ("documents.jsonl", "pages.jsonl"):
            one, other = (self.folder / out / name for out in ("run", "other"))
            self.assertEqual(one.read_bytes(), other.read_bytes(), name)

    def test_new_files_are_added(self):
        """A second run reads only what has come since."""
        self.assertEqual(self.start().returncode, 0)
        small_page("A sheet that came late").save(self.folder / "scans" / "page-7.png")
        done = self.start()
        self.assertIn("done before      6 documents", done.stdout)
        sources = [r["source"] for r in records(self.folder / "run" / "documents.jsonl")]
        self.assertIn("page-7.png", sources)
        self.assertEqual(len(sources), 7)

    def test_other_settings_are_not_mixed(self):
        """Other settings need another folder, and the old results stay as they were."""
        self.assertEqual(self.start().returncode, 0)
        before = (self.folder / "run" / "pages.jsonl").read_bytes()
        done = self.start("--min-confidence", "0.5")
        self.assertEqual(done.returncode, 2)
        self.assertIn("other settings", done.stderr)
        self.assertEqual((self.folder / "run" / "pages.jsonl").read_bytes(), before)


class BadFileTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.scans = self.folder / "scans"
        self.scans.mkdir()

    def rejected(self):
        done = run("convert", self.scans, "--out", self.folder / "run", "--jobs", 2)
        self.assertNotIn("Traceback", done.stdout + done.stderr)
        self.status = done.returncode
        found = records(self.folder / "run" / "rejected.jsonl")
        return {record["path"]: record for record in found}

    def test_each_kind_has_a_reason_and_advice(self):
        """Whatever lies in the folder, the run goes on and says what was wrong with what."""
        text_page(1).save(self.scans / "good.png")
        good = (self.scans / "good.png").read_bytes()
        (self.scans / "empty.png").write_bytes(b"")
        (self.scans / "cut.png").write_bytes(good[: len(good) // 3])
        (self.scans / "words.txt").write_text("not a page")
        (self.scans / "movie.mp4").write_bytes(b"\x00\x00\x00\x18ftypmp42" + bytes(400))
        (self.scans / "letters.docx").write_bytes((COLLECTION / "rota.docx").read_bytes())
        (self.scans / "half.pdf").write_bytes((COLLECTION / "circular.pdf").read_bytes()[:300])
        (self.scans / "locked.pdf").write_bytes((COLLECTION / "locked.pdf").read_bytes())
        found = self.rejected()
        self.assertEqual(self.status, 1)
        reasons = {name: record["reason"] for name, record in found.items()}
        self.assertEqual(reasons.pop("empty.png"), "empty")
        self.assertIn(reasons.pop("cut.png"), ("damaged", "unreadable"))
        self.assertEqual(reasons.pop("half.pdf"), "damaged")
        self.assertEqual(reasons.pop("locked.pdf"), "encrypted")
        self.assertEqual(set(reasons.values()), {"unsupported"})
        self.assertEqual(set(reasons), {"words.txt", "movie.mp4", "letters.docx"})
        for record in found.values():
            self.assertGreater(len(record["message"]), 20)
        self.assertEqual(len(records(self.folder / "run" / "documents.jsonl")), 1)

    def test_wrong_endings_do_no_harm(self):
        """The content says what a file is, not its name."""
        (self.scans / "a.pdf").write_bytes(encoded(small_page("Named wrongly"), "JPEG"))
        (self.scans / "b.jpg").write_bytes((COLLECTION / "circular.pdf").read_bytes())
        (self.scans / "c").write_bytes(encoded(small_page("Without ending"), "TIFF"))
        self.assertEqual(self.rejected(), {})
        self.assertEqual(self.status, 0)
        texts = [record["text"] for record in records(self.folder / "run" / "documents.jsonl")]
        self.assertIn("Named wrongly", texts[0])
        self.assertIn("Circular to all observers", texts[1])
        self.assertIn("Without ending", texts[2])

    def test_odd_documents(self):
        """No pages, huge pages, turned pages and tiny pages are dealt with."""
        with pikepdf.new() as pdf:
            pdf.save(self.scans / "no-pages.pdf")
        with pikepdf.new() as pdf:
            for size in ((3, 3), (14_000, 14_000), (595, 842)):
                pdf.add_blank_page(page_size=size)
            pdf.save(self.scans / "sizes.pdf")
        picture_pdf(self.scans / "turned.pdf", [small_page("The keeper turned the sheet")])
        with pikepdf.open(self.scans / "turned.pdf", allow_overwriting_input=True) as pdf:
            pdf.pages[0].rotate(90, relative=False)
            pdf.save()
        found = self.rejected()
        self.assertEqual(set(found), {"no-pages.pdf"})
        self.assertEqual(found["no-pages.pdf"]["reason"], "empty")
        texts = {r["source"]: r["text"] for r in records(self.folder / "run" / "documents.jsonl")}
        self.assertIn("keeper turned the sheet", texts["turned.pdf"])
        for record in records(self.folder / "run" / "pages.jsonl"):
            jsonschema.validate(record, schema("page"))
            self.assertLessEqual(record["width"] * record["height"], 31_000_000)

    def test_text_in_documents_is_escaped(self):
        """Markup that stands on a page comes out as text in the Markdown."""
        small_page("<b>not bold</b> and *not* # either [a](b)").save(self.scans / "a.png")
        self.rejected()
        text = next((self.folder / "run" / "markdown").glob("*.md")).read_text("utf-8")
        self.assertNotIn("<b>", text)
        self.assertIn(r"\<b\>", text)

    def test_folder_that_can_not_be_written(self):
        """A file where the results should go is named."""
        small_page("x y z").save(self.scans / "a.png")
        target = self.folder / "taken"
        target.write_text("a file")
        done = run("convert", self.scans, "--out", target)
        self.assertEqual(done.returncode, 2)
        self.assertIn("taken", done.stderr)
        self.assertNotIn("Traceback", done.stderr)


class LookTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.page = self.folder / "page.png"
        small_page(PROSE).save(self.page)

    def test_text_alone(self):
        """The text goes to standard output and nothing else does."""
        done = run("look", self.page, "--text")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue(done.stdout.startswith("The keeper read the gauge"))
        self.assertNotIn("confidence", done.stdout)

    def test_each_mark_changes_the_picture(self):
        """Regions, order, lines, words and characters are drawn each on its own."""
        seen = set()
        for mark in ("regions", "order", "lines", "words", "characters"):
            target = self.folder / f"{mark}.png"
            done = run("look", self.page, "--out", target, "--show", mark)
            self.assertEqual(done.returncode, 0, done.stderr)
            with Image.open(target) as image:
                seen.add(image.convert("RGB").tobytes())
        self.assertEqual(len(seen), 5)

    def test_page_of_a_document(self):
        """A page in the middle of a document is looked at by its number."""
        pages = [small_page(f"Leaf {n} of the book") for n in range(1, 4)]
        picture_pdf(self.folder / "book.pdf", pages)
        done = run("look", self.folder / "book.pdf", "--page", 3, "--text")
        self.assertEqual(done.stdout.split()[:2], ["Leaf", "3"])

    def test_settings_count(self):
        """A page that was turned by half stays so where settings say that it stands."""
        Image.open(self.page).rotate(180).save(self.page)
        self.assertIn("keeper", run("look", self.page, "--text").stdout)
        chosen = self.folder / "settings.toml"
        chosen.write_text("[preparation]\nfind_rotation = false\n")
        self.assertNotIn("keeper", run("look", self.page, "--text", "--settings", chosen).stdout)

    def test_missing_reader_is_named(self):
        """A model file that is not there is a usage error with its path."""
        done = run("look", self.page, "--text", "--reader", self.folder / "none.onnx")
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("none.onnx", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_source_stays_as_it_was(self):
        """Looking changes nothing but the picture asked for."""
        before = self.page.read_bytes()
        run("look", self.page, "--out", self.folder / "seen.png")
        self.assertEqual(self.page.read_bytes(), before)
        self.assertEqual({p.name for p in self.folder.iterdir()}, {"page.png", "seen.png"})


class ScoreTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        numbered(cls.folder / "scans", 3)
        done = run("convert", "scans", "--out", "run", "--jobs", 1, folder=cls.folder)
        if done.returncode:
            raise AssertionError(done.stderr)
        cls.pages = records(cls.folder / "run" / "pages.jsonl")

    def score(self, truth):
        path = self.folder / "truth.jsonl"
        path.write_text("".join(json.dumps(record) + "\n" for record in truth), encoding="utf-8")
        return run("score", "run", path, folder=self.folder)

    def test_a_run_is_its_own_truth(self):
        """Measured against itself a run has no errors."""
        done = self.score(self.pages)
        self.assertEqual(done.returncode, 0, done.stderr)
        row = next(line for line in done.stdout.splitlines() if " 3 " in line)
        self.assertEqual(row.split()[2:6], ["0.00", "0.00", "0.00", "0.00"])
        self.assertEqual(row.split()[6:9], ["1.000", "1.000", "1.000"])

    def test_a_missing_page_counts(self):
        """A page of the truth that was not read is all wrong."""
        extra = {**self.pages[0], "page": 2}
        done = self.score([*self.pages, extra])
        row = next(line for line in done.stdout.splitlines() if " 4 " in line)
        self.assertIn("25.", row)

    def test_not_a_truth(self):
        """A file of other records is refused in one sentence."""
        done = self.score([{"text": "no page"}])
        self.assertEqual(done.returncode, 2)
        self.assertIn("not a page record", done.stderr)
        self.assertNotIn("Traceback", done.stderr)


class InstallTest(unittest.TestCase):
    def test_runs_from_any_folder_and_shows_its_version(self):
        """The command needs nothing from the folder it is called in."""
        with tempfile.TemporaryDirectory() as folder:
            done = run("--version", folder=folder)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertTrue(done.stdout.startswith("amberquarry, version"))

    def test_sources_are_only_read(self):
        """Nothing in the folder of the sources is written, renamed or touched."""
        with tempfile.TemporaryDirectory() as folder:
            scans = Path(folder) / "scans"
            numbered(scans, 1)
            picture_pdf(scans / "a.pdf", [small_page("A leaf")])

            def state():
                return {p: (p.read_bytes() if p.is_file() else b"", p.stat().st_mtime_ns)
                        for p in (scans, *scans.rglob("*"))}  # fmt: skip

            before = state()
            done = run("convert", scans, "--out", Path(folder) / "run", "--jobs", 1)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertEqual(state(), before)
