"""Faults of files, folders, disks and processes: each costs what it must, and is told."""

import json
import os
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
import time
import unittest
from collections import Counter
from pathlib import Path
from unittest import mock

import jsonschema
import numpy as np
from PIL import Image

import amberquarry as aq
from amberquarry.cli.terminal import printable
from amberquarry.demo import COLLECTION
from amberquarry.formats.records import schema
from amberquarry.runs.folder import RunFolder, output_name, read_records
from amberquarry.runs.workers import Crew, PageDone, Probe, Probed, Range, Refused
from amberquarry.sources import identify
from amberquarry.values import Block, BlockKind, Box, Figure, Page, Picture
from amberquarry.version import made_by
from tests.support.odd import GOOD, directory, entry, fill, scan_pdf, tiff
from tests.support.pages import encoded, picture_pdf, pixels, small_page
from tests.test_cli import run

converting = sys.modules["amberquarry.runs.convert"]  # the package has a call of that name


class FolderCase(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.scans, self.out = self.folder / "scans", self.folder / "run"

    def page(self, name, text=GOOD):
        path = self.scans / name
        path.parent.mkdir(parents=True, exist_ok=True)
        small_page(text).save(path)
        return path

    def records(self, name):
        return list(read_records(self.out / name))

    def sources(self):
        return [record["source"] for record in self.records("documents.jsonl")]

    def convert(self, *inputs, **options):
        return aq.convert([*(inputs or [self.scans])], self.out, **{"jobs": 1, **options})


class OddFolderTest(FolderCase):
    def test_one_run_to_one_record_each(self):
        """Odd names, links, devices and damaged files: one run, one record each, and no more."""
        self.scans.mkdir()
        expected = fill(self.scans)
        self.assertGreater(len(expected), 60)
        done = run("convert", self.scans, "--out", self.out, "--jobs", 2)
        self.assertEqual(done.returncode, 1, done.stderr[-2000:])
        self.assertNotIn("Traceback", done.stdout + done.stderr)
        self.assertNotIn("\x1b[2J", done.stdout)
        documents = {record["source"]: record for record in self.records("documents.jsonl")}
        rejected = {record["path"]: record for record in self.records("rejected.jsonl")}
        self.assertEqual(Counter([*documents, *rejected]), Counter(expected.keys()))
        for name, kind in expected.items():
            with self.subTest(name, kind=kind):
                if kind == "bad":
                    self.assertGreater(len(rejected[name]["message"]), 15)
                    self.assertNotEqual(rejected[name]["reason"], "failed")
                    continue
                record = documents[name]
                jsonschema.validate(record, schema("document"))
                codes = [finding["code"] for finding in record["findings"]]
                self.assertEqual("page-failed" in codes, kind == "partly")
                self.assertEqual("picture-damaged" in codes, kind == "marked")
                if kind == "good":
                    self.assertRegex(record["text"], "keeper read|Leaf 1")
                text = self.out / "markdown" / f"{output_name(name)}.md"
                self.assertEqual(text.read_text("utf-8"), record["text"])
        summary = json.loads((self.out / "summary.json").read_text("utf-8"))
        self.assertEqual(summary["links"], ["linked folder/"])
        again = run("convert", self.scans, "--out", self.out, "--jobs", 2)
        self.assertEqual(again.returncode, 1)
        self.assertEqual(
            Counter(self.sources()),
            Counter(documents.keys()),
            "the second start changes no document",
        )

    def test_names_of_outputs(self):
        """Long names are cut where letters end and stay apart; folders never take a file's name."""
        for name in ("名" * 85, "名" * 84 + "古", "a/" + "b" * 255):
            self.assertLessEqual(len(output_name(name).split("/")[-1].encode()), 247)
        self.assertNotEqual(output_name("名" * 85), output_name("名" * 84 + "古"))
        self.assertEqual(output_name("b.png.md/x.png"), "b.png.md~/x.png")
        self.assertEqual(output_name("plain/x.png"), "plain/x.png")

    def test_nothing_a_terminal_obeys(self):
        """Line ends, escapes, signs of direction and broken letters are spelled out."""
        self.assertEqual(printable("a\nb\x1b[2J\u202eé\udcff"), r"a\nb\x1b[2J\u202eé\udcff")

    def test_order_does_not_depend_on_the_file_system(self):
        """Names with equal keys come in one order, whichever was made first."""
        names = ["page1.png", "page01.png", "a.png", "A.png"]
        orders = []
        for place, made in (("one", names), ("two", names[::-1])):
            for name in made:
                (self.folder / place).mkdir(exist_ok=True)
                (self.folder / place / name).write_bytes(b"x")
            listed = [(str(self.folder / place), [], made)]
            with mock.patch("os.walk", return_value=listed):
                found = converting.find_inputs([self.folder / place])
            orders.append([file.name for file in found.files])
        self.assertEqual(orders[0], orders[1])
        self.assertEqual(orders[0], ["A.png", "a.png", "page01.png", "page1.png"])

    def test_folder_that_can_not_be_listed(self):
        """It is rejected with a reason, and the exit status says so (also where root runs this)."""
        self.page("a.png")
        (self.scans / "secret").mkdir()
        found = os.walk
        closed = PermissionError(13, "Permission denied", str(self.scans / "secret"))

        def walk(top, onerror):
            onerror(closed)
            return found(top)

        with mock.patch("os.walk", walk):
            summary = self.convert()
        self.assertEqual(summary.rejected, {"unreadable": 1})
        self.assertEqual(self.records("rejected.jsonl")[0]["path"], "secret/")

    def test_inputs_that_name_nothing(self):
        """An empty name, an empty folder and an empty --out are errors that say what to do."""
        self.scans.mkdir()
        self.page("../other/a.png")
        for arguments, message in (
            (["", "--out", self.out], "an input is empty"),
            ([self.scans, "--out", self.out], "there are no files to convert"),
            ([self.folder / "other", "--out", ""], "the path is empty"),
        ):
            with self.subTest(arguments):
                done = run("convert", *arguments, folder=self.folder)
                self.assertEqual(done.returncode, 2, done.stdout)
                self.assertIn(message, done.stderr)
        self.assertEqual({p.name for p in self.folder.iterdir()}, {"scans", "other"})

    def test_new_file_of_a_name_that_was_taken(self):
        """A file that comes into another input is read, and none is read twice."""
        self.page("../mix/b/x.png", "This one was there before")
        (self.folder / "mix" / "a").mkdir()
        inputs = [self.folder / "mix" / "a", self.folder / "mix" / "b"]
        self.convert(*inputs)
        self.page("../mix/a/x.png", "And this one came later")
        summary = self.convert(*inputs)
        self.assertEqual((summary.documents, summary.already_done), (1, 1))
        texts = [record["text"] for record in self.records("documents.jsonl")]
        self.assertEqual(self.sources(), ["a/x.png", "b/x.png"])
        self.assertIn("came later", texts[0])
        self.assertIn("there before", texts[1])


class ResumeTest(FolderCase):
    def test_changed_content_is_read_again(self):
        """A file is done if its content is, not if its name is; the old text goes."""
        self.page("a.png", "The first of all words")
        self.page("b.png")
        self.convert()
        self.page("a.png", "Something else stands here")
        summary = self.convert()
        self.assertEqual((summary.documents, summary.already_done), (1, 1))
        [first, _] = self.records("documents.jsonl")
        self.assertIn("Something else", first["text"])
        self.assertEqual([r["source"] for r in self.records("pages.jsonl")], ["a.png", "b.png"])
        other = self.folder / "other"
        aq.convert([self.scans], other, jobs=1)
        for name in ("documents.jsonl", "pages.jsonl"):
            self.assertEqual((self.out / name).read_bytes(), (other / name).read_bytes())

    def test_content_that_went_bad(self):
        """A document whose file can't be opened any more is no document, and is told."""
        self.page("a.png")
        self.page("b.png")
        self.convert()
        (self.scans / "a.png").write_bytes(b"gone")
        self.assertEqual(self.convert().rejected, {"unsupported": 1})
        self.assertEqual(self.sources(), ["b.png"])

    def test_new_files_stand_in_their_order(self):
        """Records lie in the order of the inputs, whenever they were read."""
        for number in (1, 3):
            self.page(f"page-{number}.png", f"Leaf {number} is here")
        self.convert()
        self.page("page-2.png", "Leaf 2 is here")
        self.convert()
        self.assertEqual(self.sources(), [f"page-{n}.png" for n in (1, 2, 3)])
        self.assertEqual([r["source"] for r in self.records("pages.jsonl")], self.sources())

    def test_other_inputs_stay(self):
        """What earlier starts made of other inputs stays, rejections too."""
        self.page("a.png")
        (self.scans / "bad.png").write_bytes(b"none")
        self.convert(self.scans / "a.png", self.scans / "bad.png")
        self.page("c.png")
        summary = self.convert(self.scans / "c.png")
        self.assertEqual((summary.documents, summary.rejected), (1, {"unsupported": 1}))
        self.assertEqual(self.sources(), ["a.png", "c.png"])

    def test_torn_at_every_byte(self):
        """A line torn anywhere, inside a letter too, is cut off and read again."""
        text = "Журнал смотрителя"
        folder = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        none = np.zeros((0, 4), np.float32)
        for number in (1, 2):
            line = aq.Line(text, Box(0, 0, 9, 9), 1.0, [], none, none[:, 0])
            blocks = [Block(BlockKind.PARAGRAPH, line.box, [line], text=text)]
            pages = [Page(1, 9, 9, None, blocks=blocks)]
            folder.add(aq.Document(f"{number:032}", f"{number}.png", pages))
        folder.finish(["1.png", "2.png"], {})
        folder.close()
        for name in ("documents.jsonl", "pages.jsonl"):
            whole = (self.out / name).read_bytes()
            first = whole.index(b"\n") + 1
            for cut in range(first, len(whole), 7 if name == "pages.jsonl" else 3):
                (self.out / name).write_bytes(whole[:cut])
                again = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
                again.close()
                self.assertEqual([*again.documents], ["1.png"], cut)
            (self.out / name).write_bytes(whole)

    def test_failed_pages_are_tried_again(self):
        """Pages that failed count in each exit status until a start reads them."""
        data = tiff([small_page("Leaf one"), small_page("Leaf two")])
        whole = bytes(data)
        struct.pack_into("<I", data, entry(data, 1, 273) + 8, 1 << 30)
        self.scans.mkdir()
        (self.scans / "two.tif").write_bytes(data)
        for _ in range(2):  # the second start knows it too
            done = run("convert", self.scans, "--out", self.out, "--jobs", 1)
            self.assertEqual(done.returncode, 1, done.stdout)
            self.assertIn("failed pages     1", done.stdout)
        (self.scans / "two.tif").write_bytes(whole)
        done = run("convert", self.scans, "--out", self.out, "--jobs", 1)
        self.assertEqual(done.returncode, 0, done.stdout)
        self.assertIn("Leaf two", self.records("documents.jsonl")[0]["text"])
        self.assertEqual(len(self.records("pages.jsonl")), 2)

    def test_page_over_its_time_is_tried_again(self):
        """What a limit cost is read once the limit is wider: limits change no result."""
        self.scans.mkdir()
        shutil.copy(COLLECTION / "letter-italian.tif", self.scans)
        (self.folder / "short.toml").write_text("[limits]\nseconds_per_page = 0.001\n")
        limits = ("--settings", self.folder / "short.toml")
        done = run("convert", self.scans, "--out", self.out, "--jobs", 1, *limits)
        self.assertEqual(done.returncode, 1, done.stdout)
        self.assertIn("longer than", done.stdout)
        done = run("convert", self.scans, "--out", self.out, "--jobs", 1)
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_no_work_twice_on_taking_up(self):
        """Pages are not parsed when a run is taken up: only where they begin is looked at."""
        folder = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        for number in range(300):
            pages = [Page(n + 1, 9, 9, None) for n in range(20)]
            folder.add(aq.Document(f"{number:032}", f"{number}.png", pages))
        folder.close()
        before = [(p, p.stat().st_ino) for p in self.out.glob("*.jsonl")]
        parsed = mock.Mock(side_effect=json.loads)
        with mock.patch("amberquarry.runs.folder.record_of", wraps=lambda p, n, li: parsed(li)):
            again = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        again.close()
        self.assertEqual((len(again.documents), parsed.call_count), (300, 300))
        self.assertEqual([(p, p.stat().st_ino) for p, _ in before], before)  # not written anew

    def test_other_page_choice_is_named(self):
        """A folder of some pages is refused for all of them with the right word."""
        self.page("a.png")
        self.convert(pages=range(1, 2))
        with self.assertRaisesRegex(aq.RunFolderError, "other pages;"):
            self.convert()


class OwnerTest(FolderCase):
    def test_two_starts_at_once(self):
        """A folder that a run writes to is refused to others, and the first loses nothing."""
        for number in range(12):
            self.page(f"page-{number}.png", f"Leaf {number} of twelve")
        command = [sys.executable, "-m", "amberquarry", "convert", str(self.scans), "--out",
                   str(self.out), "--jobs", "1"]  # fmt: skip
        first = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        pages = self.out / "pages.jsonl"
        wait_for(lambda: pages.exists() and pages.stat().st_size)
        first.send_signal(signal.SIGSTOP)  # it shall not end before the second one starts
        second = run("convert", self.scans, "--out", self.out)
        first.send_signal(signal.SIGCONT)
        self.assertEqual(second.returncode, 2, second.stdout)
        self.assertIn(f"a run is going on in {self.out} (process {first.pid} on", second.stderr)
        output, errors = first.communicate(timeout=120)
        self.assertEqual(first.returncode, 0, errors)
        self.assertIn("documents        12", output)
        self.assertEqual(len(self.sources()), 12)
        self.assertEqual(len(self.records("pages.jsonl")), 12)

    def test_lock_of_a_killed_run_is_no_lock(self):
        """A run that was killed keeps nobody out."""
        for number in range(8):
            self.page(f"page-{number}.png")
        command = [sys.executable, "-m", "amberquarry", "convert", str(self.scans), "--out",
                   str(self.out), "--jobs", "1"]  # fmt: skip
        first = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        pages = self.out / "pages.jsonl"
        wait_for(lambda: pages.exists() and pages.stat().st_size)
        first.kill()
        first.wait()
        self.assertEqual(self.convert().rejected, {})
        self.assertEqual(len(self.sources()), 8)

    def interrupted(self, begun, after_s=0.0):
        """Start a run, press Ctrl-C so long after a condition holds; its status and errors."""
        command = [sys.executable, "-m", "amberquarry", "convert", str(self.scans), "--out",
                   str(self.out), "--jobs", "2"]  # fmt: skip
        # what is started in the background is told to ignore it, and so would be its children
        before = signal.signal(signal.SIGINT, signal.default_int_handler)
        self.addCleanup(signal.signal, signal.SIGINT, before)
        process = subprocess.Popen(
            command,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            start_new_session=True,
        )
        wait_for(begun)
        time.sleep(after_s)
        os.killpg(process.pid, signal.SIGINT)  # a terminal sends it to all of them
        _, errors = process.communicate(timeout=60)
        wait_for(lambda: not group_lives(process.pid))
        return process.returncode, errors

    def test_stopped_by_hand(self):
        """Ctrl-C ends with its own status, leaves no process, and the same command goes on."""
        for number in range(10):
            self.page(f"page-{number}.png")
        pages = self.out / "pages.jsonl"
        status, errors = self.interrupted(lambda: pages.exists() and pages.stat().st_size)
        self.assertEqual(status, 130, errors)
        self.assertIn("run the same command again to resume", errors)
        self.assertNotIn("Traceback", errors)
        self.assertEqual(json.loads((self.out / "summary.json").read_text())["state"], "stopped")
        self.convert()
        self.assertEqual(len(self.sources()), 10)

    def test_stopped_while_it_starts(self):
        """Ctrl-C shows no traceback of workers that are still loading."""
        self.page("page.png")
        for after_s in (0.05, 0.2, 0.4):
            with self.subTest(after_s=after_s):
                status, errors = self.interrupted((self.out / "run.lock").exists, after_s)
                self.assertEqual(status, 130, errors)
                self.assertNotIn("Traceback", errors)
                shutil.rmtree(self.out)

    def test_script_without_a_guard(self):
        """The manual's example works in a script as it stands, and reads each file once."""
        self.page("a.png")
        script = self.folder / "script.py"
        script.write_text(
            "import amberquarry\n"
            "print('once')\n"
            "summary = amberquarry.convert(['scans/'], 'run', jobs=2)\n"
            "print(summary.pages, summary.rejected)\n"
        )
        done = subprocess.run(
            [sys.executable, script], cwd=self.folder, capture_output=True, text=True, check=False
        )
        self.assertEqual((done.stdout, done.returncode), ("once\n1 {}\n", 0), done.stderr)

    def test_workers_that_can_not_start(self):
        """It is one clear error of ours, not the fault of each file."""
        self.page("a.png")
        with (
            mock.patch("amberquarry.runs.workers.work", end_at_once),
            self.assertRaisesRegex(aq.WorkerError, "can't start"),
        ):
            self.convert()
        self.assertEqual(self.records("rejected.jsonl"), [])

    def test_full_disk(self):
        """It ends the run with what to do, and is no file's fault."""
        self.page("a.png")
        full = OSError(28, "No space left on device")
        with (
            mock.patch.object(RunFolder, "add", side_effect=full),
            self.assertRaisesRegex(aq.RunFolderError, "No space left.*free some room"),
        ):
            self.convert()
        self.assertEqual(self.records("rejected.jsonl"), [])
        self.convert()
        self.assertEqual(self.sources(), ["a.png"])

    def test_results_that_can_not_be_written(self):
        """What the file system says of one file's results is that file's rejection."""
        for name in ("a.png", "b.png"):
            self.page(name)
        add = RunFolder.add

        def refuse(folder, document):
            if document.source == "a.png":
                raise OSError(36, "File name too long")
            add(folder, document)

        with mock.patch.object(RunFolder, "add", refuse):
            summary = self.convert()
        self.assertEqual((summary.documents, summary.rejected), (1, {"failed": 1}))
        self.assertIn("File name too long", self.records("rejected.jsonl")[0]["message"])

    def test_pages_lie_on_the_disk_before_their_document(self):
        """A document's record makes it count: what it speaks of is written by then."""
        folder = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        self.addCleanup(folder.close)
        written = folder._files["documents.jsonl"]
        sizes = []

        class Spy:
            def write(self, data):
                sizes.append((self_out / "pages.jsonl").stat().st_size)
                return written.write(data)

            def __getattr__(self, name):
                return getattr(written, name)

        self_out = self.out
        folder._files["documents.jsonl"] = Spy()
        folder.add(aq.Document("0" * 32, "a.png", [Page(1, 9, 9, None)]))
        self.assertGreater(sizes[0], 100)

    def test_pictures_do_not_wait_in_memory(self):
        """The bytes of a figure are let go of once they are in its file."""
        folder = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        self.addCleanup(folder.close)
        block = Block(
            BlockKind.FIGURE, Box(0, 0, 9, 9), payload=Figure(Picture("p1-1.png", b"data"))
        )
        folder.keep_pictures("a.png", [Page(1, 9, 9, None, blocks=[block])])
        self.assertEqual(block.picture.data, b"")
        kept = self.out / "markdown" / "a.png.figures" / "p1-1.png"
        self.assertEqual(kept.read_bytes(), b"data")

    def test_pictures_of_an_earlier_reading_go(self):
        """A changed document keeps no picture that its new text does not show; others stay."""
        folder = RunFolder.open(self.out, aq.Settings(), made_by(aq.Settings()))
        self.addCleanup(folder.close)
        for names in (("p1-1.png", "p1-2.png"), ("p1-1.png",)):
            blocks = [
                Block(BlockKind.FIGURE, Box(0, 0, 9, 9), payload=Figure(Picture(name, b"data")))
                for name in names
            ]
            pages = [Page(1, 9, 9, None, blocks=blocks)]
            folder.keep_pictures("a.png", pages)
            folder.add(aq.Document("0" * 32, "a.png", pages))
        place = self.out / "markdown" / "a.png.figures"
        self.assertEqual([p.name for p in place.iterdir()], ["p1-1.png"])


class FakeCrew:
    """Workers that open files at once and never end the first page."""

    def __init__(self, size, settings, limits, passwords=()):
        self.given, self.rounds, self.idle = [], 0, 1

    def give(self, task):
        self.given.append(task)

    def events(self):
        self.rounds += 1
        if self.rounds > 400:
            raise KeyboardInterrupt
        tasks, self.given = self.given, []
        events = []
        for task in tasks:
            if isinstance(task, Probe):
                FakeCrew.opened = task.number
                events.append(Probed(task.number, str(task.number), 1, {}, None))
            elif task.number > 0:
                events.append(PageDone(task.number, 0, [Page(1, 9, 9, None)]))
        return events, []

    def close(self):
        pass


class BoundsTest(FolderCase):
    def test_few_files_are_opened_ahead(self):
        """While the first file is slow, what is read of later ones does not pile up."""
        self.scans.mkdir()
        for number in range(150):
            (self.scans / f"{number}.png").write_bytes(b"x")
        with mock.patch.object(converting, "Crew", FakeCrew), self.assertRaises(KeyboardInterrupt):
            self.convert()
        self.assertLess(FakeCrew.opened, 64)
        self.assertGreater(FakeCrew.opened, 8)

    def test_hang_on_opening_is_given_up(self):
        """A file that is never opened is refused after its time, which is a minute or so."""
        self.assertLessEqual(aq.Limits().seconds_to_open, 120)
        crew = Crew(1, aq.Settings(), aq.Limits(seconds_to_open=0.5))
        self.addCleanup(crew.close)
        wait_for(lambda: crew.events() and crew._workers[0].ready)
        os.kill(crew._workers[0].process.pid, signal.SIGSTOP)
        crew.give(Probe(3, self.page("a.png")))
        events = []
        wait_for(lambda: events.extend(crew.events()[0]) or events, 30)
        self.assertIsInstance(events[0], Refused)
        self.assertIn("can't be opened", events[0].message)

    def test_file_that_changes_while_it_is_read(self):
        """Pages of another content are never put under the first one's identifier."""
        path = self.page("a.png")
        crew = Crew(1, aq.Settings(), aq.Limits())
        self.addCleanup(crew.close)
        crew.give(Probe(0, path))
        events = []
        wait_for(lambda: events.extend(crew.events()[0]) or events, 30)
        state = events[0].state
        self.page("a.png", "Other words than before stand here")
        events.clear()
        wait_for(lambda: crew.events() and crew.idle)
        for gone in (False, True):
            if gone:
                path.unlink()
            crew.give(Range(0, path, (0,), state))
            wait_for(lambda: events.extend(crew.events()[0]) or (events and crew.idle), 30)
            [refused] = events
            self.assertIsInstance(refused, Refused)
            self.assertEqual(refused.reason, aq.Rejection.UNREADABLE)
            self.assertRegex(refused.message, "changed while|can't be read")
            events.clear()

    def test_limits_of_files(self):
        """Pages and pixels are bounded before memory is taken, and settable in a TOML file."""
        data = bytes(tiff([small_page("a"), small_page("b"), small_page("c")]))
        with self.assertRaises(aq.SourceError) as caught:
            aq.read_document(data, limits=aq.Limits(pages=2))
        self.assertEqual(caught.exception.reason, aq.Rejection.TOO_LARGE)
        (self.folder / "x.toml").write_text("[limits]\npages = 2\n")
        (self.folder / "three.tif").write_bytes(data)
        done = run("convert", "three.tif", "--out", "r", "--settings", "x.toml",
                   folder=self.folder)  # fmt: skip
        self.assertIn("1 too-large", done.stdout)
        (self.folder / "x.toml").write_text("[limits]\npage = 2\n")
        done = run("convert", "three.tif", "--out", "r2", "--settings", "x.toml",
                   folder=self.folder)  # fmt: skip
        self.assertIn("did you mean limits.pages?", done.stderr)

    def test_long_documents_take_time_in_step(self):
        """Four times the pages take about four times as long to write, not sixteen."""

        def seconds(count):
            pages = []
            for number in range(count):
                blocks = []
                for row in range(30):
                    text = f"Row {row} of page {number} " * 4
                    line = aq.Line(text, Box(10, 60 * row, 900, 60 * row + 40), 1.0, [],
                                   np.zeros((0, 4)), np.zeros(0))  # fmt: skip
                    blocks.append(Block(BlockKind.PARAGRAPH, line.box, [line], text=text))
                pages.append(Page(number + 1, 1000, 1800, None, blocks=blocks))
            document = aq.Document("0" * 32, "a.pdf", pages)
            start = time.process_time()
            text = document.to_markdown()
            self.assertIn("Row 29", text)
            from amberquarry.assembly.structure import settle_running

            settle_running(pages)
            return time.process_time() - start

        seconds(20)
        few, many = min(seconds(150) for _ in range(2)), seconds(600)
        self.assertLess(many, 8 * few)


class IdentityTest(FolderCase):
    def test_identifier_is_the_content_s(self):
        """Equal content under two names has one identifier, other content another."""
        self.page("a.png")
        shutil.copy(self.scans / "a.png", self.scans / "b.png")
        self.page("c.png", "Other words")
        self.convert()
        by_source = {r["source"]: r["document"] for r in self.records("documents.jsonl")}
        self.assertEqual(by_source["a.png"], by_source["b.png"])
        self.assertNotEqual(by_source["a.png"], by_source["c.png"])
        self.assertEqual(by_source["a.png"], identify((self.scans / "a.png").read_bytes()))
        pages = self.records("pages.jsonl")
        self.assertEqual([page["source"] for page in pages], ["a.png", "b.png", "c.png"])
        done = run("compare", self.out, self.out, "--out", self.folder / "c")
        self.assertEqual(done.returncode, 2)
        self.assertIn("named twice", done.stderr)


class DemoFolderTest(FolderCase):
    def test_other_people_s_folders_are_left_alone(self):
        """A folder that holds anything but an earlier demo is refused, and stays as it is."""
        for name in ("scans", "pictures"):
            (self.folder / name).mkdir()
            (self.folder / name / "my-only-copy.pdf").write_text("precious")
        done = run("demo", "--few", "--out", ".", folder=self.folder)
        self.assertEqual(done.returncode, 2, done.stdout)
        self.assertIn("holds no demo of ours", done.stderr)
        for name in ("scans", "pictures"):
            self.assertEqual([p.name for p in (self.folder / name).iterdir()], ["my-only-copy.pdf"])

    def test_own_files_among_those_of_a_demo(self):
        """A second demo takes away only what the first one copied."""
        from amberquarry.cli.demo import _clear_earlier

        _clear_earlier(self.folder / "demo")
        scans = self.folder / "demo" / "scans"
        scans.mkdir()
        for name in ("ours.png", "theirs.png"):
            (scans / name).write_text("x")
        outside = self.folder / "outside.png"
        outside.write_text("x")
        listed = ["scans/ours.png", "../outside.png", "scans/../../outside.png", "scans"]
        (self.folder / "demo" / "demo.json").write_text(json.dumps(listed))
        _clear_earlier(self.folder / "demo")
        self.assertEqual([p.name for p in scans.iterdir()], ["theirs.png"])
        self.assertTrue(outside.exists())


class RecordsTest(FolderCase):
    def test_odd_truths(self):
        """Whatever a truth file holds, `score` says in a sentence what is wrong with it."""
        self.page("a.png")
        self.convert()
        [page] = self.records("pages.jsonl")
        truth = self.folder / "truth.jsonl"
        spoiled = json.loads(json.dumps(page))
        spoiled["blocks"][0]["lines"][0]["text"] = None
        for data, message in (
            (b"", "holds no page records"),
            (b"{}\n", "not a page record"),
            (b"[]\n", "not a record"),
            (b"5\n", "not a record"),
            (b"\xff\xfe\n", "truth.jsonl, line 1"),
            (json.dumps(spoiled).encode() + b"\n", "not a page record"),
        ):
            truth.write_bytes(data)
            with self.subTest(data[:20]):
                done = run("score", self.out, truth)
                self.assertEqual(done.returncode, 2, done.stdout)
                self.assertIn(message, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
        for name in (None, 7, {"a": 1}):
            truth.write_text(json.dumps(page | {"class": name}) + "\n")
            self.assertEqual(run("score", self.out, truth).returncode, 0)
        for name in ("documents.jsonl", "pages.jsonl"):
            with (self.out / name).open("a") as file:
                file.write("{}\n")
            done = run("convert", self.scans, "--out", self.out)
            self.assertEqual((done.returncode, "Traceback" in done.stderr), (2, False), name)

    def test_look_at_nothing(self):
        """A page that is not there is wrong usage."""
        done = run("look", self.folder / "none.png", "--text")
        self.assertEqual(done.returncode, 2)
        self.assertIn("there is no file", done.stderr)

    def test_look_at_a_damaged_picture(self):
        """It is told in a line."""
        data = tiff([small_page(GOOD)])
        struct.pack_into("<H", data, entry(data, 0, 256) + 2, 77)
        path = self.folder / "bad.tif"
        path.write_bytes(data)
        done = run("look", path, "--text")
        self.assertEqual(done.returncode, 1)
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(len(done.stderr.splitlines()), 1, done.stderr)


class PictureTest(unittest.TestCase):
    def test_frames_stand_alone(self):
        """A broken frame costs itself: never a text of the frame before, nor those after it."""
        leaves = [small_page(f"Leaf {n} of three") for n in (1, 2, 3)]
        for compression in (None, "group4", "tiff_lzw"):
            pages = [leaf.convert("1") if compression == "group4" else leaf for leaf in leaves]
            for tag, field, value in ((273, 8, 1 << 30), (256, 2, 77), (258, 8, 5)):
                data = tiff(pages, compression)
                form = "<H" if field == 2 else "<I"
                struct.pack_into(form, data, entry(data, 1, tag) + field, value)
                with self.subTest(compression=compression, tag=tag):
                    document = aq.read_document(bytes(data))
                    texts = [page.text for page in document.pages]
                    self.assertIn("Leaf 1", texts[0])
                    self.assertEqual(texts[1], "")
                    self.assertIn("Leaf 3", texts[2])
                    codes = [finding.code for finding in document.findings]
                    self.assertEqual(codes, [aq.FindingCode.PAGE_FAILED])

    def test_frames_of_a_cut_file(self):
        """What lies before the cut is read; that more was there is told."""
        data = tiff([small_page(f"Leaf {n} of three") for n in (1, 2, 3)])
        document = aq.read_document(bytes(data[: directory(data, 1) + 30]))
        self.assertEqual(len(document.pages), 2)
        self.assertIn("Leaf 1", document.pages[0].text)
        self.assertEqual(document.pages[1].findings[0].code, aq.FindingCode.PAGE_FAILED)

    def test_frames_of_a_file_on_disk(self):
        """Frames are read from a path as from bytes, in any order of bytes."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.tif"
            for options in ({}, {"big_tiff": True}):
                leaves = [small_page(f"Leaf {n}") for n in (1, 2)]
                leaves[0].save(path, save_all=True, append_images=leaves[1:],
                               compression="tiff_lzw", **options)  # fmt: skip
                texts = [page.text for page in aq.read_document(path).pages]
                self.assertEqual(texts, ["Leaf 1", "Leaf 2"])

    def test_pdf_pictures_that_can_not_be_decoded(self):
        """A scan that can't be decoded fails, one that is cut off is read and marked."""
        image = small_page(GOOD)
        jpeg = encoded(image, "JPEG")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.pdf"
            scan_pdf(path, bytes(3000), "/DCTDecode", image.size)
            with self.assertRaisesRegex(aq.PageError, "can't be decoded"):
                aq.read_page(path)
            scan_pdf(path, jpeg[: len(jpeg) * 3 // 4], "/DCTDecode", image.size)
            page = aq.read_page(path)
            self.assertEqual([f.code for f in page.findings], [aq.FindingCode.PICTURE_DAMAGED])
            self.assertIn("keeper", page.text)
            for quality in (20, 95):
                scan_pdf(path, encoded(image, "JPEG", quality=quality), "/DCTDecode", image.size)
                self.assertEqual(aq.read_page(path).findings, [])

    def test_deep_greys(self):
        """10, 12, 14 and 16 bits in 16-bit files, and floats of any usual range, read alike."""
        grey = pixels(small_page(GOOD))
        for bits in (8, 10, 12, 14, 16):
            deep = (grey.astype(np.uint32) * (2**bits - 1) // 255).astype(np.uint16)
            for image in (deep, Image.fromarray(deep)):
                with self.subTest(bits=bits, kind=type(image)):
                    self.assertEqual(aq.read_page(image).text, GOOD)
        for top in (1.0, 255.0, 65535.0):
            with self.subTest(top=top):
                self.assertEqual(aq.read_page(grey / 255.0 * top).text, GOOD)

    def test_resolution(self):
        """It turns with the picture, and one that can't be is none."""
        image = small_page(GOOD)
        exif = Image.Exif()
        exif[0x0112] = 6
        page = aq.read_page(encoded(image, "JPEG", dpi=(300, 150), exif=exif))
        self.assertEqual((page.dpi, page.width), ((150.0, 300.0), image.height))
        for dpi in ((1, 1), (90_000, 90_000)):
            self.assertIsNone(aq.read_page(encoded(image, "JPEG", dpi=dpi)).dpi)

    def test_too_many_pixels_in_the_head(self):
        """A picture that claims more than can be is refused, not opened."""
        data = encoded(Image.new("1", (20_000, 20_000)), "PNG")
        with self.assertRaises(aq.SourceError) as caught:
            aq.read_page(data)
        self.assertEqual(caught.exception.reason, aq.Rejection.TOO_LARGE)

    def test_damaged_at_random(self):
        """Bytes changed anywhere give a page or an error of ours."""
        image = small_page("a b")
        random = np.random.default_rng(5)
        from amberquarry.sources import open_source

        for kind in ("PNG", "JPEG", "TIFF", "GIF", "BMP", "WEBP", "JPEG2000", "PPM"):
            good = encoded(image.resize((90, 42)), kind)
            for _ in range(150):
                data = bytearray(good)
                for _ in range(int(random.integers(1, 6))):
                    data[int(random.integers(len(data)))] = int(random.integers(256))
                try:
                    source = open_source(bytes(data), aq.Settings(), aq.Limits(pixels=10**7))
                    source.picture(0)
                except (aq.SourceError, aq.PageError):
                    pass

    def test_extreme_shapes(self):
        """Pages of one pixel's width and pages of a kilometre give a page or a clear error."""
        for shape in ((1, 1), (1, 20_000), (20_000, 1), (3, 900_000)):
            with self.subTest(shape=shape):
                self.assertEqual(aq.read_page(np.full(shape, 255, np.uint8)).text, "")


class PlaceTest(unittest.TestCase):
    def points(self, page):
        """Return where the first word's corner lies, in points of its PDF."""
        box, (a, b, c, d, e, f) = next(page.words).box, page.to_points
        return a * box.x0 + c * box.y1 + e, b * box.x0 + d * box.y1 + f

    def test_points_of_turned_and_shifted_pages(self):
        """Words lie where they are, whatever /Rotate, MediaBox, CropBox and UserUnit say."""
        import pikepdf

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.pdf"
            picture_pdf(path, [small_page(GOOD)])
            plain = aq.read_page(path)
            x, y = self.points(plain)
            for changes, shift, turned in (
                ({"Rotate": 180}, (0, 0), 180),
                ({"Rotate": 90}, (0, 0), 90),
                ({"MediaBox": (1000, 500)}, (1000, 500), 0),
                ({"CropBox": True}, (0, 0), 0),
                ({"UserUnit": 2}, (0, 0), 0),
            ):
                with self.subTest(changes), pikepdf.open(path) as pdf:
                    obj = pdf.pages[0].obj
                    x0, y0, x1, y1 = (float(v) for v in obj.MediaBox)
                    if "MediaBox" in changes:
                        obj.MediaBox = [x0 + 1000, y0 + 500, x1 + 1000, y1 + 500]
                        obj.Contents = pikepdf.Stream(
                            pdf, b"q 1 0 0 1 1000 500 cm " + obj.Contents.read_bytes() + b" Q"
                        )
                    elif "CropBox" in changes:
                        obj.CropBox = [x0 + 3, y0 + 7, x1, y1 - 2]
                    else:
                        for name, value in changes.items():
                            obj["/" + name] = value
                    data = encoded_pdf(pdf)
                    page = aq.read_page(data)
                    self.assertEqual(page.rotation, turned)
                    if not turned:
                        found = self.points(page)
                        self.assertAlmostEqual(found[0], x + shift[0], delta=0.5)
                        self.assertAlmostEqual(found[1], y + shift[1], delta=0.5)
                    else:
                        corner = [self.at(page, px, py) for px, py in ((0, 0), (page.width, 0))]
                        self.assertIn(
                            tuple(round(v) for v in corner[0]),
                            {(0, 0), (round(x1), 0), (round(x1), round(y1))},
                        )
                    if "UserUnit" in changes:
                        self.assertEqual(page.width, plain.width)
                        self.assertAlmostEqual(page.dpi[0], plain.dpi[0] / 2, delta=0.5)

    def at(self, page, x, y):
        a, b, c, d, e, f = page.to_points
        return a * x + c * y + e, b * x + d * y + f

    def test_picture_beside_the_page_is_no_scan(self):
        """A picture that lies off the page's corner does not set its resolution."""
        import pikepdf

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.pdf"
            picture_pdf(path, [small_page(GOOD)])
            with pikepdf.open(path) as pdf:
                obj = pdf.pages[0].obj
                moved = b"q 1 0 0 1 -2000 -2000 cm " + obj.Contents.read_bytes() + b" Q"
                obj.Contents = pikepdf.Stream(pdf, moved)
                self.assertEqual(aq.read_page(encoded_pdf(pdf)).dpi, (300.0, 300.0))


def end_at_once(*_):
    """A worker that never comes to itself."""
    os._exit(3)


def encoded_pdf(pdf):
    """Return a PDF as bytes."""
    import io

    data = io.BytesIO()
    pdf.save(data)
    return data.getvalue()


def group_lives(group):
    """Whether a process of a group is there."""
    try:
        os.killpg(group, 0)
    except ProcessLookupError:
        return False
    return True


def wait_for(condition, seconds=120):
    """Wait until a condition holds; AssertionError when it does not in time."""
    end = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > end:
            raise AssertionError("it did not come to pass in time")
        time.sleep(0.02)
