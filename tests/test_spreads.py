"""Two facing pages in one picture, and text on boards and signs in photographs."""

import io
import tempfile
import unittest
from functools import cache
from pathlib import Path

import jsonschema
import matplotlib
import numpy as np
from PIL import Image

import amberquarry as aq
from amberquarry.demo import scenes
from amberquarry.formats.records import page_record, schema
from amberquarry.imaging.sheet import find_sheet
from amberquarry.imaging.spread import find_fold, halves
from amberquarry.ink.scene import find_scene_lines, group_boards
from tests.support.measures import error_rate
from tests.support.pages import PROSE, blank, pixels, wrap, write_lines

FONTS = Path(matplotlib.get_data_path()) / "fonts" / "ttf"
LEFT, RIGHT = PROSE, "Later in the year " + PROSE


def leaf(text, number):
    """Return a page of a book with its number at the foot."""
    image = blank(1240, 1754)
    write_lines(image, wrap(text, 46), x=170, y=200, size=40)
    write_lines(image, [f"{number}"], x=600, y=1560, size=40)
    return pixels(image)


def grey_of(scene):
    return np.asarray(Image.open(io.BytesIO(scene.data)).convert("L"))


class SpreadTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scene, right = scenes.spread(leaf(LEFT, 36), leaf(RIGHT, 37), seed=2)
        cls.fold = float(right(np.array([[0.0, 0.0]]))[0, 0])

    def test_fold_is_found(self):
        """The fold lies within a fiftieth of the picture's width, whatever the light does there."""
        for seed in range(6):
            with self.subTest(seed=seed):
                scene, right = scenes.spread(leaf(LEFT, 36), leaf(RIGHT, 37), seed)
                fold = find_fold(grey_of(scene))
                self.assertIsNotNone(fold)
                wanted = right(np.array([[0.0, 877.0]]))[0, 0]
                self.assertLess(abs(fold.middle - wanted), 0.02 * scene.size[0])

    def test_one_page_has_no_fold(self):
        """Upright pages, wide pages of one text and of two columns are left whole."""
        wide = blank(1754, 1240)
        write_lines(wide, wrap(PROSE * 2, 80), x=120, y=120, size=34)
        columns = blank(1754, 1240)
        for x in (120, 920):
            write_lines(columns, wrap(PROSE, 40), x=x, y=120, size=34)
        dark = Image.new("L", (1754, 1240), 30)
        for name, image in (("wide", wide), ("columns", columns), ("dark", dark)):
            with self.subTest(name):
                self.assertIsNone(find_fold(pixels(image)))
        self.assertIsNone(find_fold(leaf(LEFT, 1)))
        self.assertIsNone(find_fold(np.full((1, 1), 255, np.uint8)))

    def test_a_page_at_a_deep_fold_is_no_sheet(self):
        """The shadow of a fold looks like a ground beside a page: its facing page tells."""
        pages = np.hstack([leaf(LEFT, 36), leaf(RIGHT, 37)]).astype(np.float32)
        away = np.abs(np.arange(pages.shape[1]) - 1240)
        pages *= np.clip(0.4 + away / 100, 0, 1)
        scan = np.pad(pages.astype(np.uint8), ((30, 30), (12, 30)), constant_values=50)
        self.assertIsNone(find_sheet(scan))
        self.assertIsNotNone(find_sheet(np.pad(leaf(LEFT, 36), 90, constant_values=50)))

    def test_halves_meet_at_a_slanting_fold(self):
        """Each half holds its own side; beyond the fold its level goes on."""
        grey = np.full((400, 600), 200, np.uint8)
        fold = find_fold(grey_of(self.scene))
        slanting = type(fold)(300.0, 0.05, "")
        at = slanting.columns(400)
        grey[np.arange(600)[None] >= at.round()[:, None]] = 90
        (left, x0), (right, x1) = halves(grey, slanting)
        self.assertEqual((x0, x1), (0, int(at.round().min())))
        self.assertTrue((left == 200).all())
        self.assertTrue((right == 90).all())

    def test_document_has_both_pages(self):
        """A document of one picture has two pages, each with its own text, places and facts."""
        document = aq.read_document(self.scene.data)
        self.assertEqual([page.number for page in document.pages], [1, 2])
        self.assertEqual([page.source_page for page in document.pages], [1, 1])
        for page, text in zip(document.pages, (LEFT, RIGHT), strict=True):
            self.assertLess(error_rate(page, text), 0.05)
            self.assertIn(aq.Step.SPLIT, {item.step for item in page.preparation})
            self.assertEqual((page.width, page.height), self.scene.size)
            jsonschema.validate(page_record(page, "0" * 32), schema("page"))
        left, right = document.pages
        self.assertLess(max(word.box.x1 for word in left.words), self.fold)
        self.assertGreater(min(word.box.x0 for word in right.words), self.fold)

    def test_one_call_gives_both_sides(self):
        """read_page returns the left side's blocks, then the right side's."""
        page = aq.read_page(self.scene.data)
        text = page.text
        self.assertLess(text.find(LEFT[:12]), text.find(RIGHT[:12]))
        whole = aq.Settings().with_values({"preparation.split_spreads": False})
        self.assertEqual(len(aq.read_document(self.scene.data, settings=whole).pages), 1)

    def test_a_folded_letter_on_its_side_is_one_page(self):
        """A fold across a sheet parts no pages, whichever way the sheet lies."""
        image = blank(1240, 1754)
        write_lines(image, wrap(LEFT * 2, 46)[:10], x=170, y=120, size=40)
        write_lines(image, wrap(RIGHT * 2, 46)[:10], x=170, y=960, size=40)
        away = np.abs(np.arange(1754) - 880)[:, None]
        letter = (pixels(image) * (1 - 0.3 * np.exp(-((away / 40) ** 2)))).astype(np.uint8)
        upright = aq.read_page(Image.fromarray(letter))
        for quarters in (1, 3):
            with self.subTest(quarters=quarters):
                turned = np.ascontiguousarray(np.rot90(letter, quarters))
                self.assertIsNotNone(find_fold(turned))
                page = aq.read_page(Image.fromarray(turned))
                self.assertLess(error_rate(upright.text, page.text), 0.005)
                steps = {step.step for step in page.preparation}
                self.assertNotIn(aq.Step.SPLIT, steps)

    def test_pages_after_a_spread_count_on(self):
        """In a file of spreads and single pages every page has its own number."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "book.tif"
            pictures = [Image.fromarray(grey_of(self.scene)), Image.fromarray(leaf(LEFT, 38))]
            pictures[0].save(path, save_all=True, append_images=pictures[1:])
            out = Path(folder) / "run"
            aq.convert([path], out, jobs=1)
            pages = aq.read_document(path).pages
            self.assertEqual([page.number for page in pages], [1, 2, 3])
            self.assertEqual([page.source_page for page in pages], [1, 1, 2])
            text = (out / "pages.jsonl").read_text("utf-8")
            self.assertEqual(text.count('"source_page":1'), 2)


class BoardTest(unittest.TestCase):
    TEXTS = (("Harbour Office", "Open Daily"), ("Mind the Step",))

    @staticmethod
    @cache  # several tests look at the same pictures
    def read(seed, texts=TEXTS):
        scene, boards = scenes.place_boards(
            [list(lines) for lines in texts], [str(FONTS / "DejaVuSans.ttf")], seed
        )
        return scene, boards, aq.read_page(scene.data)

    def test_words_on_boards(self):
        """Most words before walls, leaves and railings are read, a block for each board."""
        found = wanted = invented = 0
        for seed in range(3):
            _, boards, page = self.read(seed)
            words = [text for board in boards for text, _ in board]
            read = [word.text for word in page.words]
            wanted += len(words)
            found += sum(word in read for word in words)
            invented += sum(word not in words for word in read)
        self.assertGreaterEqual(found / wanted, 0.8)
        self.assertLessEqual(invented / wanted, 0.2)

    def test_words_have_quads_on_the_photograph(self):
        """The quad of a word covers the word's corners on the picture."""
        for seed in range(5):
            _, boards, page = self.read(seed)
            if aq.Step.SCENE in {item.step for item in page.preparation}:
                break
        corners = {text: quad for board in boards for text, quad in board}
        known = [word for word in page.words if word.text in corners]
        self.assertGreater(len(known), 3)
        for word in known:
            self.assertIsNotNone(word.quad)
            off = np.array(word.quad).mean(0) - corners[word.text].mean(0)
            self.assertLess(np.abs(off).max(), 0.6 * word.box.height)

    def test_pictures_without_text_give_none(self):
        """Bricks, leaves, railings and bare walls have no words; what looked like some is said."""
        for seed in range(3):
            with self.subTest(seed=seed):
                _, _, page = self.read(seed, texts=())
                self.assertEqual(list(page.words), [])
                for finding in page.findings:
                    self.assertEqual(finding.code, aq.FindingCode.NO_RELIABLE_TEXT)

    def test_it_can_be_switched_off(self):
        """Without the search for scene text, no page is read as a scene."""
        off = aq.Settings().with_values({"preparation.find_scene_text": False})
        scene, _ = scenes.place_boards([["Mind the Step"]], [str(FONTS / "DejaVuSans.ttf")], 1)
        page = aq.read_page(scene.data, settings=off)
        self.assertNotIn(aq.Step.SCENE, {item.step for item in page.preparation})

    def test_nothing_to_find(self):
        """Pictures without regions, or too small for any, give no lines."""
        for shape in ((1, 1), (5, 400), (300, 300)):
            self.assertEqual(find_scene_lines(np.full(shape, 128, np.uint8)), [])

    def test_boards_are_read_one_by_one(self):
        """Lines go to their board, boards from left to right, then to the next row."""
        lines = [
            aq.Box(300, 12, 420, 40),
            aq.Box(10, 10, 120, 40),
            aq.Box(12, 60, 100, 90),
            aq.Box(310, 60, 400, 88),
            aq.Box(100, 400, 300, 440),
        ]
        self.assertEqual(group_boards(lines), [[1, 2], [0, 3], [4]])


if __name__ == "__main__":
    unittest.main()
