import json
import shutil
import tempfile
import time
import unittest
from pathlib import Path

import jsonschema

import amberquarry as aq
from amberquarry.cli.demo import copy_collection
from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.formats.records import schema
from amberquarry.runs.folder import read_records
from amberquarry.runs.inputs import find_inputs, natural_key
from amberquarry.runs.workers import Crew, PageDone, Probe, Probed, Range, Refused
from amberquarry.scoring import score_run
from amberquarry.settings import OutputSettings
from tests.support.pages import blank, picture_pdf, text_page

RESULTS = ("documents.jsonl", "pages.jsonl", "rejected.jsonl")


def contents(run):
    """Everything that must be equal between equal runs."""
    files = [*(run / name for name in RESULTS), *sorted((run / "markdown").rglob("*.md"))]
    return {path.relative_to(run).as_posix(): path.read_bytes() for path in files}


class InputTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def touch(self, *names):
        for name in names:
            (self.folder / name).parent.mkdir(parents=True, exist_ok=True)
            (self.folder / name).write_bytes(b"x")

    def test_numbers_sort_by_value(self):
        """Page 10 comes after page 9, whatever the case of the letters."""
        self.assertEqual(sorted(["p10", "P9", "p1"], key=natural_key), ["p1", "P9", "p10"])

    def test_folders_files_and_patterns(self):
        """Folders are searched through, hidden and system files listed, files taken once."""
        self.touch(
            "b/page-10.png", "b/page-9.png", "a.pdf", ".hidden/x.pdf", "b/Thumbs.db", "~$a.docx"
        )
        found = find_inputs([self.folder, self.folder / "a.pdf", str(self.folder / "b" / "*.png")])
        self.assertEqual([f.name for f in found.files], ["a.pdf", "b/page-9.png", "b/page-10.png"])
        self.assertEqual(sorted(found.skipped), [".hidden/x.pdf", "b/Thumbs.db", "~$a.docx"])

    def test_equal_names_are_kept_apart(self):
        """Names of several inputs go from the folder that holds them all, whatever lies in them."""
        self.touch("one/b.png", "two/a.png", "plan.tif")
        inputs = [self.folder / "one", self.folder / "two"]
        self.assertEqual([f.name for f in find_inputs(inputs).files], ["one/b.png", "two/a.png"])
        self.touch("one/a.png")
        found = find_inputs([*inputs, self.folder / "plan.tif"])
        self.assertEqual(
            [f.name for f in found.files], ["one/a.png", "one/b.png", "two/a.png", "plan.tif"]
        )

    def test_results_are_no_inputs(self):
        """A run folder inside the folder that is converted is left alone."""
        self.touch("a.png", "run/markdown/a.png.md", "run/pages.jsonl")
        found = find_inputs([self.folder], self.folder / "run")
        self.assertEqual([f.name for f in found.files], ["a.png"])

    def test_nothing_there_is_an_error(self):
        """A path or pattern that names nothing is said."""
        for name in ("none.pdf", "*.tiff"):
            with self.subTest(name), self.assertRaisesRegex(FileNotFoundError, "no file"):
                find_inputs([str(self.folder / name)])


class ConvertTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.scans, cls.run_folder = cls.folder / "scans", cls.folder / "run"
        copy_collection(cls.scans, few=True)
        cls.states = []
        cls.summary = aq.convert([cls.scans], cls.run_folder, jobs=2, progress=cls.states.append)

    def test_summary_counts(self):
        """What was read, rejected and skipped is counted."""
        self.assertEqual((self.summary.documents, self.summary.pages), (4, 7))
        self.assertEqual(self.summary.rejected, {"damaged": 1, "encrypted": 1, "unsupported": 1})
        self.assertEqual(self.summary.skipped, ["Thumbs.db"])
        written = json.loads((self.run_folder / "summary.json").read_text())
        self.assertEqual((written["state"], written["words"]), ("finished", self.summary.words))
        self.assertEqual((self.states[-1].files_done, self.states[-1].pages_done), (7, 7))

    def test_records_keep_to_their_schemas(self):
        """Every line of the run is valid and names its document."""
        identifiers = set()
        for record in read_records(self.run_folder / "documents.jsonl"):
            jsonschema.validate(record, schema("document"))
            identifiers.add(record["document"])
        for record in read_records(self.run_folder / "pages.jsonl"):
            jsonschema.validate(record, schema("page"))
            self.assertIn(record["document"], identifiers)

    def test_boxes_lie_on_the_page(self):
        """Every word's box lies within its page and has an extent."""
        for record in read_records(self.run_folder / "pages.jsonl"):
            for block in record["blocks"]:
                for line in block["lines"]:
                    for word in line["words"]:
                        x0, y0, x1, y1 = word["box"]
                        self.assertTrue(-3 <= x0 < x1 <= record["width"] + 3, word)
                        self.assertTrue(-3 <= y0 < y1 <= record["height"] + 3, word)

    def test_spans_cut_out_pages(self):
        """The span of a page in the document's text holds its words and not its neighbour's."""
        record = next(
            r
            for r in read_records(self.run_folder / "documents.jsonl")
            if r["source"] == "instrument-notes.tif"
        )
        self.assertEqual(len(record["pages"]), 4)
        for page in record["pages"]:
            part = record["text"][page["start"] : page["end"]]
            self.assertNotIn("Notes on the Instruments", part)  # the running head
            self.assertTrue(part.startswith(f"# {page['page']}. "), part[:40])
            self.assertNotIn("<!-- page", part)

    def test_markdown_mirrors_the_inputs(self):
        """Each document has its file, with the source's name and ending in it."""
        names = {path.name for path in (self.run_folder / "markdown").iterdir()}
        self.assertEqual(
            names,
            {
                "instrument-notes.tif.md",
                "letter-italian.tif.md",
                "repair-slip-118.jpg.md",
                "storm-notice.png.md",
            },
        )

    def test_reading_is_right(self):
        """Against the collection's truth the run reads and orders nearly all."""
        few = self.folder / "truth.jsonl"
        kept = [
            json.dumps(r)
            for r in read_records(TRUTH)
            if r["document"] in ("instrument-notes.tif", "storm-notice.png")
        ]
        few.write_text("\n".join(kept) + "\n")
        score = score_run(self.run_folder, few)["all"]
        self.assertLess(score.cer, 0.02)
        self.assertGreater(score.word_f1, 0.93)
        self.assertGreater(score.order, 0.97)

    def test_number_of_workers_changes_nothing(self):
        """One worker or two: the same bytes."""
        other = self.folder / "single"
        aq.convert([self.scans], other, jobs=1)
        self.assertEqual(contents(other), contents(self.run_folder))

    def test_stopped_run_goes_on(self):
        """A run cut off in the middle of a record ends up equal to an unbroken one."""
        broken = self.folder / "broken"
        shutil.copytree(self.run_folder, broken)
        for name, whole in (("documents.jsonl", 1), ("pages.jsonl", 5)):
            lines = (broken / name).read_bytes().splitlines(keepends=True)
            (broken / name).write_bytes(b"".join(lines[:whole]) + lines[whole][:50])
        summary = aq.convert([self.scans], broken, jobs=2)
        self.assertEqual(summary.already_done, 1)
        self.assertEqual(contents(broken), contents(self.run_folder))

    def test_finished_run_is_left_as_it_is(self):
        """The same command once more reads nothing and changes nothing."""
        before = contents(self.run_folder)
        summary = aq.convert([self.scans], self.run_folder, jobs=1)
        self.assertEqual((summary.pages, summary.already_done), (0, 4))
        self.assertEqual(contents(self.run_folder), before)

    def test_other_settings_are_refused(self):
        """A run folder is never mixed with other settings, and no foreign folder is written to."""
        settings = aq.Settings(output=OutputSettings(min_confidence=0.5))
        with self.assertRaisesRegex(aq.RunFolderError, "other settings"):
            aq.convert([self.scans], self.run_folder, settings=settings)
        with self.assertRaisesRegex(aq.RunFolderError, "other pages"):
            aq.convert([self.scans], self.run_folder, pages=range(1, 2))
        with self.assertRaisesRegex(aq.RunFolderError, "where the results would go"):
            aq.convert([self.scans], self.folder)
        (self.folder / "foreign").mkdir()
        (self.folder / "foreign" / "letter.txt").write_text("kept")
        with self.assertRaisesRegex(aq.RunFolderError, "holds no run"):
            aq.convert([self.scans], self.folder / "foreign")
        self.assertEqual([p.name for p in (self.folder / "foreign").iterdir()], ["letter.txt"])

    def test_options(self):
        """Chosen pages, confidence floor and character boxes show in the records."""
        run = self.folder / "options"
        settings = aq.Settings(output=OutputSettings(min_confidence=0.9, characters=True))
        aq.convert(
            [self.scans / "instrument-notes.tif"], run, settings=settings, pages=range(2, 4), jobs=1
        )
        records = list(read_records(run / "pages.jsonl"))
        self.assertEqual([r["page"] for r in records], [2, 3])
        words = [
            w for r in records for b in r["blocks"] for line in b["lines"] for w in line["words"]
        ]
        self.assertTrue(all(w["confidence"] >= 0.9 for w in words))
        self.assertTrue(all(len(w["characters"]) == len(w["text"]) for w in words))
        for record in records:
            jsonschema.validate(record, schema("page"))


class BadInputTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_blank_page_is_a_page(self):
        """A page without ink has no blocks and is no failure; half a file is kept."""
        picture_pdf(self.folder / "mixed.pdf", [blank(), text_page(1)])
        summary = aq.convert([self.folder / "mixed.pdf"], self.folder / "run", jobs=1)
        self.assertEqual((summary.documents, summary.pages, summary.rejected), (1, 2, {}))
        record = next(read_records(self.folder / "run" / "documents.jsonl"))
        self.assertEqual([page["blank"] for page in record["pages"]], [True, False])

    def test_page_over_the_limit_is_rejected(self):
        """Limits give a reason and a way out."""
        text_page(1).save(self.folder / "big.png")
        summary = aq.convert(
            [self.folder], self.folder / "run", jobs=1, limits=aq.Limits(pixels=1000)
        )
        self.assertEqual(summary.rejected, {"unreadable": 1})
        record = next(read_records(self.folder / "run" / "rejected.jsonl"))
        self.assertIn("the limit is 1000; reduce the picture", record["message"])

    def test_document_from_bytes(self):
        """The library reads bytes as it reads files."""
        data = (COLLECTION / "circular.pdf").read_bytes()
        document = aq.read_document(data)
        self.assertEqual(document.pages[0].blocks[0].text, "Circular to all observers")
        self.assertEqual((document.pages[0].origin, document.findings), (aq.Origin.TEXT_LAYER, []))
        self.assertIn("Circular to all observers", document.to_markdown())


class CrewTest(unittest.TestCase):
    def collect(self, crew, until, seconds=60):
        """Gather events until the condition holds."""
        events, again, end = [], [], time.monotonic() + seconds
        while time.monotonic() < end and not until(events, again):
            fresh, back = crew.events()
            events += fresh
            again += back
        return events, again

    def test_dead_worker_costs_one_page(self):
        """The page in hand fails, the rest is given out again, and a new worker takes over."""
        path = COLLECTION / "instrument-notes.tif"
        crew = Crew(1, aq.Settings(), aq.Limits())
        self.addCleanup(crew.close)
        crew.give(Range(0, path, (0, 1, 2, 3)))
        self.collect(crew, lambda events, again: crew._workers[0].page is not None)
        crew._workers[0].process.kill()
        events, again = self.collect(crew, lambda events, again: bool(again))
        failed = [e for e in events if isinstance(e, PageDone) and not e.pages[0].blocks]
        self.assertEqual(len(failed), 1)
        self.assertEqual(failed[0].pages[0].findings[0].code, aq.FindingCode.PAGE_FAILED)
        read = {e.index for e in events if isinstance(e, PageDone)}
        self.assertEqual(set(again[0].pages), {0, 1, 2, 3} - read)
        crew.give(Probe(1, path))
        events, _ = self.collect(crew, lambda events, again: bool(events))
        self.assertIsInstance(events[0], Probed)

    def test_slow_page_is_given_up(self):
        """A page over its time is a failed page that says so."""
        crew = Crew(1, aq.Settings(), aq.Limits(seconds_per_page=0.01))
        self.addCleanup(crew.close)
        crew.give(Range(0, COLLECTION / "yearbook-1931.pdf", (0,)))
        events, _ = self.collect(crew, lambda events, again: bool(events))
        self.assertIn("longer than", events[0].pages[0].findings[0].message)

    def test_worker_dying_on_opening_refuses_the_file(self):
        """A file that kills its library is refused; others go on."""
        crew = Crew(1, aq.Settings(), aq.Limits())
        self.addCleanup(crew.close)
        self.collect(crew, lambda events, again: crew._workers[0].ready)
        crew.give(Probe(4, COLLECTION / "circular.pdf"))
        crew._workers[0].process.kill()
        events, again = self.collect(crew, lambda events, again: bool(events))
        self.assertEqual(
            (type(events[0]), events[0].reason, again), (Refused, aq.Rejection.UNREADABLE, [])
        )
