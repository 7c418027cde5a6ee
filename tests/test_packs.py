import importlib.util
import json
import random
import tempfile
import unittest
from dataclasses import asdict
from pathlib import Path
from types import SimpleNamespace

if not all(map(importlib.util.find_spec, ("torch", "fontTools", "uharfbuzz", "freetype", "polib"))):
    raise unittest.SkipTest("the training kit needs the extra `train`")

import matplotlib
import numpy as np
import torch
from click.testing import CliRunner

from amberquarry.reading.characters import ALPHABET
from amberquarry.training.net import SHAPES, LineNet, for_signs
from amberquarry.training.packs.alphabets import load_signs, signs_of
from amberquarry.training.packs.alphabets import main as write_alphabets
from amberquarry.training.packs.corpus import kept_out, name_of, plain, texts_of, wanted
from amberquarry.training.packs.faces import ScriptFace, index_faces, load_faces
from amberquarry.training.packs.fetch import copier_of_texts, packages_of
from amberquarry.training.packs.keep import main as keep_weights
from amberquarry.training.packs.lines import PackLines, Texts, text_of
from amberquarry.training.packs.plans import COMMON, PLANS, SCRIPTS
from amberquarry.training.packs.shaping import FontAt, LineDrawer, Manner, visual_runs
from amberquarry.training.train import Course, Round, batches, greedy_text
from amberquarry.values import Direction

FONTS = Path(matplotlib.get_data_path()) / "fonts"
LTR, RTL = Direction.LEFT_TO_RIGHT, Direction.RIGHT_TO_LEFT
STYLES = (0, 0, 0, 0, 0)
FILE = FONTS / "ttf" / "DejaVuSans.ttf"


def drawer(size=40):
    """A face that comes with Matplotlib; it has Hebrew, Arabic, Georgian and Armenian letters."""
    font = FontAt(FILE, 0, size)
    letters = "".join(
        chr(code)
        for first, last in ((0x531, 0x6FF), (0x10D0, 0x10FF))
        for code in range(first, last)
    )
    return LineDrawer([(font, frozenset(letters + COMMON))], 0.55 * size, 0)


def drawn(text, base, tracking=0.0):
    return drawer().draw(text, base, STYLES, Manner(tracking), random.Random(1))


class CorpusTest(unittest.TestCase):
    def test_documents_are_named_without_language(self):
        """All translations of a document that is kept out stay out with it."""
        for path, name in (
            ("help/ja/gnome-help/a11y-bouncekeys.page", "a11y-bouncekeys"),
            ("man/ja/man1/ls.1.gz", "ls.1"),
            ("help/ko/text/04030000.html", "04030000"),
            ("debian-reference/ch01.zh-cn.html", "ch01"),
            ("skycultures/norse/description.bn.utf8", "norse"),
        ):
            self.assertEqual(name_of(Path(path)), name)

    def test_a_tenth_is_kept_out(self):
        """The rule takes about one in ten, the same ones always, whatever their normal form."""
        units = [f"paragraph {n}" for n in range(2000)]
        share = sum(map(kept_out, units)) / len(units)
        self.assertTrue(0.08 < share < 0.12, share)
        self.assertEqual(kept_out("\u0065\u0301t\u00e9"), kept_out("\u00e9t\u00e9"))

    def test_paragraphs_of_the_script(self):
        """Markup goes, and so do other languages and patterns of programs."""
        georgian = SCRIPTS["georgian"]
        self.assertEqual(plain("<p>ზღვა  &amp;\n ნავი</p>"), "ზღვა & ნავი")
        self.assertTrue(wanted("ზღვა და ნავი", georgian))
        self.assertFalse(wanted("ზღვა and many other English words", georgian))
        self.assertFalse(wanted("ნავი %s ზღვაში", georgian))

    def test_texts_leave_out_what_is_kept(self):
        """Neither documents nor paragraphs that the rule keeps out reach the corpus."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "guide" / "help"
            folder.mkdir(parents=True)
            names = [f"page{n}" for n in range(40)]
            for number, stem in enumerate(names):
                text = f"<p>ზღვა და ნავი ნომერი {number}</p>"
                (folder / f"{stem}.page").write_text(text, encoding="utf-8")
            row = {"language": "ka", "package": "guide", "rule": "doc", "path": "help/*.page"}
            paragraphs, words = texts_of("ka", [row], Path(name))
        wanted_numbers = [n for n, stem in enumerate(names) if not kept_out(stem)]
        self.assertEqual(
            paragraphs,
            [
                f"ზღვა და ნავი ნომერი {n}"
                for n in sorted(wanted_numbers, key=lambda n: names[n] + ".page")
            ],
        )
        self.assertTrue(len(paragraphs) < 40 and not words)

    def test_one_download_serves_all_languages(self):
        """A package is fetched once, and gives the files of each of its rows."""
        rows = [
            {"registry": "debian", "package": "tides", "path": "share/ka/*.txt"},
            {"registry": "debian", "package": "tides", "path": "share/he/**/*.txt"},
        ]
        self.assertEqual(len(packages_of(rows)), 1)
        with tempfile.TemporaryDirectory() as name:
            tree = Path(name) / "tides"
            for inside in ("share/ka/a.txt", "share/he/deep/b.txt", "share/fr/c.txt"):
                (tree / inside).parent.mkdir(parents=True, exist_ok=True)
                (tree / inside).write_text("x")
            copier_of_texts(rows)(tree, Path(name) / "out")
            out = Path(name) / "out"
            found = sorted(p.relative_to(out).as_posix() for p in out.rglob("*.txt"))
        self.assertEqual(found, ["share/he/deep/b.txt", "share/ka/a.txt"])


class ShapingTest(unittest.TestCase):
    def test_lines_to_the_left(self):
        """The label is what stands on the picture from the left, its middles in that order."""
        line = drawn("שלום 12 ab", RTL)
        self.assertEqual(line.text, "ab 12 םולש")
        self.assertTrue(np.all(np.diff(line.centres) > 0))
        self.assertEqual(line.styles[2], (-1,) * 5)
        self.assertEqual(len(line.styles), len(line.text))

    def test_arabic_letters_join(self):
        """A word is one piece of ink, narrower than its letters set apart."""
        word = drawn("سلم", RTL)
        columns = (word.ink > 0.05).any(0)
        self.assertTrue(columns.all())
        apart = drawn("س ل م", RTL)
        self.assertLess(word.ink.shape[1], 0.8 * apart.ink.shape[1])
        self.assertEqual(word.text, "ملس")

    def test_brackets_look_turned(self):
        """The bracket that opens text to the left looks like one that closes, and is told so."""
        self.assertEqual(drawn("(אב)", RTL).text, "(בא)")
        self.assertEqual(drawn("אב (ג", RTL).text, "ג) בא")

    def test_tracking_widens(self):
        """Letters set apart take more room, by the same for each."""
        plain_line, wide = (drawn("აითნო", LTR, tracking) for tracking in (0.0, 5.0))
        self.assertAlmostEqual(wide.ink.shape[1] - plain_line.ink.shape[1], 20, delta=2)

    def test_the_base_line(self):
        """Letters without parts below stand on the row of the base line."""
        line = drawn("אבהח", RTL)
        rows = np.flatnonzero((line.ink > 0.5).any(1))
        self.assertAlmostEqual(rows[-1] + 1, 2.5 * 0.55 * 40, delta=1.5)

    def test_runs(self):
        """Runs come from the left, each in the order in which it is read."""
        self.assertEqual(visual_runs("אב cd 12", RTL), [("cd 12", False), ("אב ", True)])
        self.assertFalse(drawer().holds("漢"))


def face(script, split="train", family="sans"):
    letters = "".join(
        chr(code) for first, last in SCRIPTS[script].blocks for code in range(first, last)
    )
    return ScriptFace(
        script, family, "print", split, False, False, 0.55, 0.0, ((FILE.name, 0, letters + COMMON),)
    )


class SmallCorpus(unittest.TestCase):
    """Texts and a face of a few scripts, in a folder of their own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name)
        for place in ("packs/corpus", "packs/fonts", "corpus"):
            (self.data / place).mkdir(parents=True)
        (self.data / "packs/fonts" / FILE.name).symlink_to(FILE)
        texts = {
            "he": "שומר המגדלור כתב את מפלס המים ביומן",
            "ka": "ზღვა და ნავი",
            "hy": "Ծովը և նավը",
        }
        for language, text in texts.items():
            corpus = self.data / "packs/corpus"
            (corpus / f"{language}.txt").write_text((text + "\n") * 9, encoding="utf-8")
            (corpus / f"{language}.words").write_text("\n".join(text.split()), encoding="utf-8")
        (self.data / "corpus/en.words").write_text("tide\nharbour", encoding="utf-8")
        faces = [asdict(face(script)) for script in ("hebrew", "georgian", "armenian")]
        (self.data / "packs/faces.json").write_text(json.dumps(faces), encoding="utf-8")

    def lines(self, name, seed=1, count=30):
        signs = signs_of(PLANS[name], self.data / "packs/corpus")
        source = PackLines(self.data, PLANS[name], signs, "train", seed)
        found = []
        while len(found) < count:
            found += source.lines(0.3)
        return signs, found[:count]


class LinesTest(SmallCorpus):
    def test_lines_are_in_the_signs(self):
        """Lines have the net's height, labels of known signs, and middles within the picture."""
        for name in ("hebrew", "caucasian"):
            signs, lines = self.lines(name)
            for line in lines:
                self.assertEqual(line.ink.shape[0], 40)
                self.assertTrue(set(line.text) <= set(signs), line.text)
                self.assertEqual([signs[c - 1] for c in line.classes], list(line.text))
                self.assertTrue(0 <= line.centres.min() <= line.centres.max() < line.ink.shape[1])
            own = SCRIPTS["hebrew" if name == "hebrew" else "georgian"]
            self.assertTrue(any(own.has(sign) for line in lines for sign in line.text))

    def test_a_seed_gives_the_same_lines(self):
        """The stream depends on its seed alone."""
        first, again = (self.lines("hebrew", seed=4)[1] for _ in range(2))
        for one, other in zip(first, again, strict=True):
            self.assertEqual(one.text, other.text)
            self.assertTrue(np.array_equal(one.ink, other.ink))

    def test_signs(self):
        """Common signs come first; rare ones of the texts are left out, extra ones are not."""
        (self.data / "packs/corpus/he.txt").write_text("אב" * 8 + "ג" * 3, encoding="utf-8")
        signs = signs_of(PLANS["hebrew"], self.data / "packs/corpus")
        self.assertTrue(signs.startswith(COMMON))
        self.assertTrue(set("אב₪") <= set(signs))
        self.assertNotIn("ג", signs)

    def test_a_family_that_is_measured_is_not_trained(self):
        """A family set apart in one row is set apart in all."""
        rows = [
            {
                "scripts": "hebrew",
                "registry": "debian",
                "package": "a",
                "files": "",
                "style": "print",
                "split": "test",
            },
            {
                "scripts": "hebrew",
                "registry": "debian",
                "package": "b",
                "files": "",
                "style": "print",
                "split": "train",
            },
        ]
        for row in rows:
            (self.data / "packs/fonts" / row["package"]).mkdir()
            (self.data / "packs/fonts" / row["package"] / FILE.name).symlink_to(FILE)
        found = index_faces(self.data / "packs/fonts", rows, dict.fromkeys(SCRIPTS, "אבג"))
        self.assertEqual(
            [(one.split, one.files[0][0]) for one in found], [("test", f"a/{FILE.name}")]
        )
        self.assertAlmostEqual(found[0].body, 0.55, delta=0.1)
        rows[0]["split"] = "kept"
        found = index_faces(self.data / "packs/fonts", rows, dict.fromkeys(SCRIPTS, "אבג"))
        self.assertEqual([one.files[0][0] for one in found], [f"b/{FILE.name}"])

    def test_faces_are_read_back(self):
        """An index is read by script and split."""
        found = load_faces(self.data / "packs/faces.json", {"hebrew"}, "train")
        self.assertEqual(found, [face("hebrew")])
        self.assertEqual(load_faces(self.data / "packs/faces.json", {"hebrew"}, "test"), [])

    def test_texts_without_spaces(self):
        """Where words are not parted, loose ones stand together."""
        texts = Texts(["ทะเลและเรือ"], ["ทะเล", "เรือ"], ["tide"])
        chance = random.Random(2)
        drawn_texts = [text_of(texts, False, chance, 20) for _ in range(60)]
        self.assertTrue(any("ทะเลเรือ" in text or "เรือทะเล" in text for text in drawn_texts))


class CourseTest(SmallCorpus):
    """A reader for further scripts learns from its lines, and its weights are kept."""

    def course(self):
        done = CliRunner().invoke(
            write_alphabets, ["--lists", str(self.data), "--data", str(self.data), "hebrew"]
        )
        self.assertEqual(done.exit_code, 0, done.output)
        return Course(self.data, self.data, "hebrew")

    def test_learning_and_keeping(self):
        """A few steps make the loss smaller; what is kept starts a further round as it was."""
        course = self.course()
        self.assertTrue(course.signs.startswith(COMMON))
        supply = batches(course.lines("train", 3), SimpleNamespace(value=0.2))
        batch = next(supply)
        own = Round(1000, 2e-3, 1000, SHAPES["usual"], signs=course.signs)
        self.assertEqual(own.net.classify.out_channels, len(course.signs) + 1)
        losses = [own.step(batch) for _ in range(6)]
        self.assertLess(losses[-1], losses[0])
        work = self.data / "work" / "hebrew"
        work.mkdir(parents=True)
        own.save(work / "round.pt")
        done = CliRunner().invoke(
            keep_weights, ["--work", str(self.data / "work"), "--out", str(self.data / "kept")]
        )
        self.assertEqual(done.exit_code, 0, done.output)
        again = Round(1000, 2e-3, 0, SHAPES["usual"], signs=course.signs)
        again.start_from(self.data / "kept" / "hebrew.pt")
        kept = own.average.state_dict()["classify.weight"]
        self.assertTrue(torch.allclose(again.net.state_dict()["classify.weight"], kept, atol=1e-3))

    def test_text_of_the_best_path(self):
        """Classes are signs of the reader's own list, repeats and blanks left out."""
        self.assertEqual(greedy_text(np.array([0, 2, 2, 0, 2, 3]), " אב"), "אאב")
        self.assertEqual(load_signs(self.course().lists, "hebrew")[0], " ")


class NetTest(unittest.TestCase):
    def test_known_signs_keep_their_weights(self):
        """A net for other signs says of those in common what it said before."""
        torch.manual_seed(1)
        before, signs = LineNet(), " abאב"
        after = LineNet(classes=len(signs) + 1)
        after.take(for_signs(before.state_dict(), ALPHABET, signs, after))
        ink = torch.rand(1, 1, 40, 64)
        before.eval(), after.eval()
        with torch.no_grad():
            old, new = before(ink)[0], after(ink)[0]
        rows = [0, *(ALPHABET.index(sign) + 1 for sign in " ab")]
        self.assertTrue(torch.allclose(new[:, :, :4], old[:, :, rows], atol=1e-5))
        self.assertEqual(new.shape[2], 6)


if __name__ == "__main__":
    unittest.main()
