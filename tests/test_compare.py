"""Settings as users meet them: efforts, the printed file, comparisons, steps of a page."""

import dataclasses
import json
import tempfile
import tomllib
import unittest
from pathlib import Path

from PIL import Image

import amberquarry as aq
from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.errors import SettingsError
from amberquarry.formats.records import dump
from amberquarry.runs.folder import read_records
from amberquarry.scoring.variants import RunFigures, best_of, page_differences, variants_of
from amberquarry.settings import Effort, names, value_of
from tests.test_cli import run
from tests.test_commands import small_page

NOTICE = COLLECTION / "storm-notice.png"
WORN = COLLECTION / "worn" / "old-page-1.jpg"


class EffortTest(unittest.TestCase):
    def test_efforts_move_what_costs_time(self):
        """Quick looks less far than normal, thorough further; a group's own word counts more."""
        quick, thorough = (aq.Settings.of_effort(e) for e in (Effort.QUICK, Effort.THOROUGH))
        usual = aq.Settings()
        self.assertEqual(aq.Settings.of_effort(Effort.NORMAL), usual)
        for name in ("alternatives", "try_below"):
            values = [getattr(s.preparation, name) for s in (quick, usual, thorough)]
            self.assertEqual(values, sorted(values), name)
        self.assertGreater(thorough.reading.search_width, usual.reading.search_width)
        own = aq.Settings.from_dict({"effort": "thorough", "reading": {"search_width": 2}})
        self.assertEqual(own.reading.search_width, 2)
        self.assertEqual(own.preparation, thorough.preparation)
        with self.assertRaisesRegex(SettingsError, "quick, normal, thorough"):
            aq.Settings.from_dict({"effort": "lazy"})

    def test_every_setting_says_what_it_is(self):
        """All settings have a meaning; defaults lie in their range; TOML holds them all."""
        values = tomllib.loads(aq.Settings().to_toml(meanings=True))
        self.assertEqual(aq.Settings.from_dict(values), aq.Settings())
        for name in names():
            group, own = name.split(".")
            cls = type(getattr(aq.Settings(), group))
            [item] = [item for item in dataclasses.fields(cls) if item.name == own]
            self.assertGreater(len(item.metadata["meaning"]), 15, name)
            between = item.metadata["between"]
            if between:
                self.assertTrue(between[0] <= item.default <= between[1], name)
                with self.assertRaisesRegex(SettingsError, name):
                    aq.Settings().with_values({name: type(item.default)(between[1] + 1)})

    def test_values_from_text(self):
        """A value is read as its setting's kind; wrong names get a hint."""
        self.assertEqual(value_of("preparation.ink_threshold", "0.3"), 0.3)
        self.assertIs(value_of("preparation.flatten", "false"), False)
        self.assertEqual(value_of("reading.model", "ours.onnx"), "ours.onnx")
        for name in ("preparation.ink_treshold", "ink_threshold"):
            with self.assertRaisesRegex(SettingsError, "did you mean preparation.ink_threshold"):
                value_of(name, "0.3")
        with self.assertRaisesRegex(SettingsError, "must be a float"):
            value_of("preparation.ink_threshold", "much")

    def test_settings_change_what_is_read(self):
        """Blanks can be asked for sooner or later, and dirt left out."""
        text = {}
        for parting in (-12.0, 0.0, 12.0):
            settings = aq.Settings().with_values({"reading.word_parting": parting})
            text[parting] = aq.read_page(NOTICE, settings=settings).text.count(" ")
        self.assertLess(text[-12.0], text[0.0])
        self.assertLess(text[0.0], text[12.0])
        blind = aq.Settings().with_values({"preparation.least_contrast": 200.0})
        pale = small_page("pale print").point(lambda level: 255 - (255 - level) // 4)
        self.assertEqual(aq.read_page(pale, settings=blind).text, "")
        self.assertIn("pale print", aq.read_page(pale).text)


class VariantTest(unittest.TestCase):
    def test_combinations(self):
        """Several varied settings give all combinations, named by what differs."""
        found = variants_of(
            aq.Settings(), ["preparation.ink_threshold=0.3,0.42", "preparation.flatten=true,false"]
        )
        self.assertEqual(len(found), 4)
        self.assertEqual(found[1].name, "ink_threshold=0.3, flatten=false")
        self.assertFalse(found[1].settings.preparation.flatten)
        for wrong in ("ink_threshold", "preparation.ink_threshold=", "reading.search_width=1"):
            with self.assertRaises((ValueError, SettingsError)):
                variants_of(aq.Settings(), [wrong, f"reading.search_width={','.join('1' * 70)}"])

    def test_differences_are_places(self):
        """Words parted differently are one place; equal ones are none."""

        def page(*words):
            line = aq.Line("", aq.Box(0, 0, 1, 1), 1.0, [], None, None)
            line.words = [aq.Word(t, aq.Box(*box), 0.9, 0, len(t)) for t, box in words]
            return aq.Page(1, 500, 500, None, blocks=[aq.Block("paragraph", line.box, [line])])

        one = page(("north", (0, 0, 40, 10)), ("west", (44, 0, 80, 10)), ("wind", (90, 0, 120, 10)))
        two = page(
            ("north-west", (0, 0, 80, 10)), ("wind", (90, 0, 120, 10)), ("x", (0, 50, 9, 60))
        )
        found = list(page_differences("a.png", [one, two]))
        texts = [[[w.text for w in reading] for reading in each.readings] for each in found]
        self.assertEqual(texts, [[["north", "west"], ["north-west"]], [[], ["x"]]])
        self.assertEqual(found[0].box, aq.Box(0, 0, 80, 10))
        self.assertEqual(list(page_differences("a.png", [aq.Page(1, 5, 5, None)] * 2)), [])

    def test_best(self):
        """Errors decide where they are known; else text and surety together."""

        def figures(name, cer=None, letters=100, confidence=0.9):
            return RunFigures(name, 1, 20, letters, confidence, 0.0, 1.0, cer, cer)

        self.assertEqual(best_of([figures("a", 0.2), figures("b", 0.1)]).name, "b")
        self.assertEqual(best_of([figures("a", confidence=0.8), figures("b")]).name, "b")
        self.assertEqual(best_of([figures("a"), figures("b", letters=300)]).name, "b")


class CompareCommandTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_compare_settings_and_runs(self):
        """Settings are tried, measured and drawn; the best file works; runs compare as well."""
        out = self.folder / "trial"
        vary = ("--vary", "preparation.ink_threshold=0.1,0.42", "--jobs", 1)
        name = WORN.relative_to(COLLECTION).as_posix()
        [record] = [r for r in read_records(TRUTH) if r["document"] == name]
        truth = self.folder / "truth.jsonl"
        truth.write_text(dump(record) + "\n", "utf-8")
        done = run("compare", WORN, *vary, "--truth", truth, "--out", out)
        self.assertEqual(done.returncode, 2)
        self.assertIn("names none of the pages", done.stderr)
        truth.write_text(dump({**record, "document": WORN.name}) + "\n", "utf-8")
        done = run("compare", WORN, *vary, "--truth", truth, "--out", out)
        self.assertEqual(done.returncode, 0, done.stderr)
        for part in ("confidence", "CER %", "ink_threshold=0.1", "best: ink_threshold=0.42"):
            self.assertIn(part, done.stdout)
        best = aq.Settings.from_toml(out / "best.toml")
        self.assertEqual(best, aq.Settings())
        with Image.open(out / "differences.png") as sheet:
            self.assertGreater(sheet.width, 800)
        rows = [json.loads(row) for row in (out / "differences.jsonl").read_text().splitlines()]
        self.assertTrue(rows)
        self.assertEqual(rows[0]["source"], WORN.name)
        self.assertEqual(len(rows[0]["readings"]), 2)
        again = run(
            "compare", out / "run-1", out / "run-2", "--files", WORN.parent, "--out", self.folder
        )
        self.assertEqual(again.returncode, 0, again.stderr)
        self.assertIn(f"best: {out / 'run-2'}", again.stdout)
        self.assertFalse((self.folder / "best.toml").exists())

    def test_wrong_usage(self):
        """What can't be compared is said with what to do."""
        for arguments, part in (
            ((NOTICE,), "two finished runs"),
            ((NOTICE, "--vary", "ink_threshold=1,2"), "did you mean preparation.ink_threshold"),
            ((NOTICE, "--vary", "preparation.ink_threshold"), "NAME=VALUE"),
            ((NOTICE, "--vary", "preparation.ink_threshold=0.3"), "at least two"),
            ((self.folder / "none.png", "--vary", "render.dpi=200,300"), "no file"),
        ):
            with self.subTest(arguments=arguments):
                done = run("compare", *arguments, "--out", self.folder / "x", folder=self.folder)
                self.assertEqual(done.returncode, 2, done.stdout)
                self.assertIn(part, done.stderr)

    def test_printed_settings_can_be_used(self):
        """The printed file is TOML that convert takes; an effort shows in it."""
        done = run("convert", "--print-settings", "--effort", "thorough")
        self.assertEqual(done.returncode, 0, done.stderr)
        path = self.folder / "ours.toml"
        path.write_text(done.stdout, "utf-8")
        self.assertEqual(aq.Settings.from_toml(path), aq.Settings.of_effort(Effort.THOROUGH))
        self.assertIn("# ", done.stdout)
        wrong = run("convert")
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("--out", wrong.stderr)

    def test_steps_of_a_page(self):
        """All steps come on one sheet, a single one at its own size, wrong ones with a hint."""
        path = self.folder / "page.png"
        small_page("Steps of the tide book").rotate(3, fillcolor=255).save(path)
        sizes = {}
        for steps in ("all", "ink", "source,words"):
            out = self.folder / f"{steps}.png"
            done = run("look", path, "--steps", steps, "--out", out)
            self.assertEqual(done.returncode, 0, done.stderr)
            with Image.open(out) as image:
                sizes[steps] = image.size
        self.assertGreater(sizes["all"][0], sizes["source,words"][0])
        self.assertGreater(sizes["all"][1], sizes["source,words"][1])
        self.assertGreaterEqual(sizes["ink"][0], 900)
        done = run("look", path, "--steps", "colours", "--out", self.folder / "x.png")
        self.assertEqual(done.returncode, 2)
        self.assertIn("prepared", done.stderr)


if __name__ == "__main__":
    unittest.main()
