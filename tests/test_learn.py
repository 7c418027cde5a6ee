"""The reader learns labelled lines, through the command and the library."""

import importlib.util
import json
import multiprocessing
import subprocess
import sys
import tempfile
import unittest
import unittest.mock
from pathlib import Path

import numpy as np

import amberquarry as aq
from amberquarry.reading import load_network
from amberquarry.reading.net import DEFAULT_MODEL
from amberquarry.training.labelled import label_of, lines_of_folder, lines_of_pages
from tests.support.pages import blank, text_page, write_lines

TEXTS = [
    f"{who} {what} the {thing} {when}"
    for who in ("A keeper", "The pilot", "Nobody")
    for what in ("mended", "saw", "painted", "lost")
    for thing, when in (("gauge", "in May"), ("buoy", "at 4.15"), ("long rope", "twice"))
]


def write_lines_of(folder, texts=TEXTS):
    """Write a picture and a text file for each line."""
    for number, text in enumerate(texts):
        image = blank(60 + 20 * len(text), 80)
        write_lines(image, [text], x=30, y=20, size=34)
        image.save(folder / f"line-{number}.png")
        (folder / f"line-{number}.txt").write_text(text + "\n", encoding="utf-8")


def learn_until(folder, out, most):
    """Learn lines; returns the share done at the first step, or that it was stopped at `most`."""
    from amberquarry.training import learn as learning

    shares, few = [], learning.load_replay()[::20]  # of the base's lines: this is no measurement

    def step(share, loss):
        shares.append(share)
        if most is not None and share > most:
            raise KeyboardInterrupt

    try:
        with unittest.mock.patch.object(learning, "load_replay", return_value=few):
            learning.learn(list(lines_of_folder(folder)), folder / out, 1, step)
    except KeyboardInterrupt:
        return "stopped"
    return min(shares)


def in_fresh_process(*arguments):
    """Call `learn_until` as the command does: threads begun before don't flush tiny numbers."""
    with multiprocessing.get_context("spawn").Pool(1) as pool:
        return pool.apply(learn_until, arguments)


class ReadLineTest(unittest.TestCase):
    def test_a_cut_line(self):
        """A picture of one line gives its text, with boxes in its pixels."""
        image = blank(900, 80)
        write_lines(image, ["The pilot lost     the long rope"], x=30, y=20, size=34)
        line = aq.read_line(image)
        self.assertEqual(line.text, "The pilot lost the long rope")
        self.assertGreater(line.words[0].box.x0, 20)
        self.assertLess(line.words[-1].box.x1, 900)

    def test_small_and_tight_pictures(self):
        """A line is read whatever part of its picture it fills, and small ones are enlarged."""
        for size, room in ((34, 3), (18, 2), (14, 2)):
            with self.subTest(size=size):
                image = blank(round(size * 17), size + 2 * room)
                write_lines(image, ["The pilot lost the long rope"], x=8, y=room, size=size)
                line = aq.read_line(image)
                self.assertEqual(line.text, "The pilot lost the long rope")
                first = line.words[0].box
                self.assertTrue(4 < first.x0 < 12 and 0 <= first.y0 < first.y1 <= size + 2 * room)

    def test_pictures_without_a_line(self):
        """No pixels, one pixel, one colour, no numbers: empty text with confidence 0."""
        not_numbers = np.full((40, 200), np.nan)
        for picture in (
            np.zeros((0, 0), np.uint8),
            np.zeros((40, 0), np.uint8),
            np.full((1, 1), 255, np.uint8),
            np.full((40, 200), 255, np.uint8),
            np.zeros((40, 200), np.uint8),
            not_numbers,
        ):
            with self.subTest(shape=picture.shape):
                line = aq.read_line(picture)
                self.assertEqual((line.text, line.confidence, line.words), ("", 0.0, []))


class LabelTest(unittest.TestCase):
    def test_labels_take_the_readers_spelling(self):
        """Ligatures, dots and spaces are folded as the reader writes them."""
        self.assertEqual(label_of(" ﬁve…  miles\n", "x"), "five... miles")

    def test_labels_that_cannot_be_learnt(self):
        """The file and the characters are named."""
        with self.assertRaisesRegex(aq.LearningError, r"line-7.txt.*empty"):
            label_of(" \n", "line-7.txt")
        with self.assertRaisesRegex(aq.LearningError, r"line-8.txt.*'漢' \(U\+6F22\)"):
            label_of("a 漢", "line-8.txt")

    def test_lines_of_a_folder(self):
        """Pictures with a text beside them are taken, others are left out."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_lines_of(folder, TEXTS[:3])
            (folder / "line-1.txt").unlink()
            found = list(lines_of_folder(folder))
            self.assertEqual([line.text for line in found], [TEXTS[0], TEXTS[2]])
            self.assertTrue(all(line.ink.shape[0] == 40 and line.ink.max() > 0.8 for line in found))

    def test_lines_of_corrected_pages(self):
        """Corrected lines are cut out of the pages that they were read from."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "scans").mkdir()
            text_page(4).save(folder / "scans" / "page.png")
            aq.convert([folder / "scans"], folder / "run", jobs=1)
            path = folder / "run" / "pages.jsonl"
            record = json.loads(path.read_text(encoding="utf-8"))
            lines = [line for block in record["blocks"] for line in block["lines"]]
            lines[0]["text"] = "corrected by hand"
            path.write_text(json.dumps(record) + "\n", encoding="utf-8")
            found = list(lines_of_pages(path, folder / "scans"))
            self.assertEqual(len(found), len(lines))
            self.assertEqual(found[0].text, "corrected by hand")
            with self.assertRaisesRegex(aq.LearningError, "page.png.*sources"):
                list(lines_of_pages(path, folder / "elsewhere"))


class MeanTest(unittest.TestCase):
    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_mean_of_two_rounds(self):
        """Weights are shared out as asked; one set alone stays as it is."""
        torch = importlib.import_module("torch")
        export = importlib.import_module("amberquarry.training.export")
        first, second = ({"a": torch.tensor([value, 2.0])} for value in (4.0, 9.0))
        mean = export.mean_weights([first, second], 0.6)
        self.assertEqual([round(v, 4) for v in mean["a"].tolist()], [6.0, 2.0])
        self.assertIs(export.mean_weights([first], 0.6), first)


class StreamlinedTest(unittest.TestCase):
    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_integers_agree_with_the_net(self):
        """A written model says what its net says, and rounds no sums before they are rectified."""
        torch = importlib.import_module("torch")
        onnx = importlib.import_module("onnx")
        export = importlib.import_module("amberquarry.training.export")
        net = export.net_of(export._weights_of(DEFAULT_MODEL.with_suffix(".pt"))).eval()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_lines_of(folder)
            inks = [line.ink for line in lines_of_folder(folder)]
            export.write_model(net, folder / "written.onnx", inks)
            written = load_network(folder / "written.onnx")
            same = [
                (
                    written.steps(ink).best[: ink.shape[1] // 4]
                    == net(torch.from_numpy(ink)[None, None])[0][0].argmax(1).numpy()
                ).mean()
                for ink in (ink[:, : ink.shape[1] // 16 * 16] for ink in inks)
            ]
            self.assertGreater(float(np.mean(same)), 0.98)
            nodes = onnx.load(folder / "written.onnx").graph.node
            made_by = {name: node.op_type for node in nodes for name in node.output}
            before = {made_by[node.input[0]] for node in nodes if node.op_type == "Relu"}
            self.assertEqual(before, {"Conv", "Add"})


class CommandTest(unittest.TestCase):
    def run_command(self, *arguments):
        return subprocess.run(
            [sys.executable, "-m", "amberquarry", *map(str, arguments)],
            capture_output=True,
            text=True,
            check=False,
        )

    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_learn_and_convert(self):
        """A model is written with its card, tells what it gave, and reads pages."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_lines_of(folder)
            out = folder / "ours.onnx"
            done = self.run_command("learn", folder, "--out", out, "--passes", 1)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("your lines", done.stdout)
            card = json.loads(out.with_suffix(".json").read_text(encoding="utf-8"))
            self.assertEqual(card["learnt"]["passes"], 1)
            self.assertEqual(card["sha256"][:16], load_network(out).digest)
            self.assertFalse(out.with_name("ours.onnx.state").exists())

            text_page(3).save(folder / "page.png")
            done = self.run_command(
                "convert", folder / "page.png", "--out", folder / "run", "--reader", out
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            record = json.loads((folder / "run" / "documents.jsonl").read_text(encoding="utf-8"))
            self.assertEqual(record["made_by"]["model"], card["sha256"][:16])
            self.assertIn("keeper", record["text"])

            out.write_bytes(out.read_bytes()[:-1])
            done = self.run_command(
                "convert", folder / "page.png", "--out", folder / "run2", "--reader", out
            )
            self.assertEqual(done.returncode, 1)
            self.assertIn(card["sha256"][:16], done.stderr)
            self.assertIn("ours.onnx", done.stderr)

    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_too_few_lines(self):
        """A handful of lines is refused with what would be enough."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_lines_of(folder, TEXTS[:4])
            done = self.run_command("learn", folder, "--out", folder / "ours.onnx")
            self.assertEqual(done.returncode, 1)
            self.assertIn("4 usable lines", done.stderr)
            self.assertNotIn("Traceback", done.stderr)

    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_folder_without_lines(self):
        """An empty folder is an error that shows the form of the names."""
        with tempfile.TemporaryDirectory() as name:
            done = self.run_command("learn", name, "--out", Path(name) / "ours.onnx")
            self.assertEqual(done.returncode, 1)
            self.assertIn("line-1.txt", done.stderr)

    @unittest.skipUnless(importlib.util.find_spec("torch"), "needs the extra train")
    def test_learning_goes_on(self):
        """A stopped call leaves its state, and the same call ends as if it had not stopped."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            write_lines_of(folder)
            self.assertEqual(in_fresh_process(folder, "a.onnx", 0.4), "stopped")
            self.assertTrue((folder / "a.onnx.state").exists())
            self.assertGreater(in_fresh_process(folder, "a.onnx", None), 0.4)
            in_fresh_process(folder, "b.onnx", None)
            self.assertEqual(
                load_network(folder / "a.onnx").digest, load_network(folder / "b.onnx").digest
            )
