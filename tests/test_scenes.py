"""Photographs, bent pages, shadows and dark areas: pages as cameras and books deliver them."""

import io
import unittest
from pathlib import Path

import matplotlib
import numpy as np
from PIL import Image

import amberquarry as aq
from amberquarry.demo import scenes
from amberquarry.imaging.sheet import find_sheet, lay_flat, proportion
from tests.support.measures import error_rate
from tests.support.pages import PROSE, blank, pixels, text_page, wrap, write_lines

WANTED = PROSE * 4
DEJAVU = Path(matplotlib.get_data_path()) / "fonts" / "ttf" / "DejaVuSans-Bold.ttf"
CORNERS = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)


def page_for_cameras():
    """Return a page of prose at 300 dpi, its lines from margin to margin."""
    image = blank(2480, 3508)
    write_lines(image, wrap(WANTED, 72), x=240, y=400, size=56, pitch=2.0)
    return pixels(image)


def grey_of(scene):
    return np.asarray(Image.open(io.BytesIO(scene.data)).convert("L"))


def steps_of(page):
    return {item.step for item in page.preparation}


def with_preparation(**choices):
    return aq.Settings.from_dict({"preparation": choices})


class SheetTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.flat = page_for_cameras()

    def test_corners_are_found(self):
        """On table tops of all kinds, corners lie within a hundredth of the sheet's size.

        Corners beyond the frame may be put at its edge.
        """
        for seed in range(4):
            with self.subTest(seed=seed):
                scene = scenes.photograph(self.flat, seed)
                found = find_sheet(grey_of(scene))
                self.assertIsNotNone(found)
                shown = ((scene.sheet > 0) & (scene.sheet < scene.size)).all(1)
                shown &= np.roll(shown, 1) & np.roll(shown, -1)
                off = np.abs(found - scene.sheet)[shown]
                self.assertLess(off.max(initial=0), 0.012 * scene.size[1])

    def test_photographs_read_as_flat_pages_do(self):
        """A photographed sheet costs few characters; the record says what was done and why."""
        page = aq.read_page(scenes.photograph(self.flat, 3).data)
        self.assertLess(error_rate(page, WANTED), 0.02)
        self.assertIn(aq.Step.SHEET, steps_of(page))
        self.assertTrue(all(item.why for item in page.preparation))

    def test_words_lie_on_the_photograph(self):
        """Boxes and quads of words are in pixels of the photograph, not of the flat sheet."""
        scene = scenes.photograph(self.flat, 4)
        page = aq.read_page(scene.data)
        first = next(page.words)
        self.assertEqual(first.text, "The")
        wanted = scene.place(np.array([[240.0, 415.0]]))
        self.assertLess(np.abs(np.array(first.box[:2]) - wanted[0]).max(), 40)
        self.assertIsNotNone(first.quad)
        grey = grey_of(scene)
        for word in page.words:
            x0, y0, x1, y1 = (round(v) for v in word.box)
            part = grey[y0:y1, x0:x1].astype(int)
            self.assertGreater(part.max() - part.min(), 40, word.text)

    def test_flat_pages_are_left_alone(self):
        """A scan has no sheet in it, nor have pages of one level, noise, and tiny pictures."""
        chance = np.random.default_rng(3)
        for name, grey in (
            ("scan", self.flat),
            ("grey paper", (self.flat * 0.7).astype(np.uint8)),
            ("white", np.full((900, 700), 255, np.uint8)),
            ("black", np.zeros((900, 700), np.uint8)),
            ("noise", chance.integers(0, 256, (900, 700)).astype(np.uint8)),
            ("tiny", np.zeros((40, 30), np.uint8)),
            ("strip", np.full((50, 9000), 200, np.uint8)),
        ):
            with self.subTest(name):
                self.assertIsNone(find_sheet(grey))

    def test_white_part_of_a_dark_page_is_no_sheet(self):
        """Light letters around a white box must not be cut away."""
        image = blank(1240, 1754, paper=30)
        write_lines(image, wrap(PROSE, 46), ink=240)
        write_lines(image, wrap(PROSE, 46), y=1300, ink=240)
        image.paste(text_page(1).crop((0, 100, 1000, 700)), (120, 520))
        self.assertIsNone(find_sheet(pixels(image)))
        page = aq.read_page(image)
        self.assertLess(error_rate(page, PROSE * 3), 0.15)

    def test_it_can_be_switched_off(self):
        """Settings leave the photograph as it is."""
        scene = scenes.photograph(self.flat, 3)
        page = aq.read_page(scene.data, settings=with_preparation(find_sheet=False))
        self.assertNotIn(aq.Step.SHEET, steps_of(page))

    def test_proportions_come_from_perspective(self):
        """The sheet's sides keep their proportion although far ones look short."""
        for proportions in (0.7071, 1.0, 1.4142):
            with self.subTest(proportions=proportions):
                corners, frame = seen_askew(proportions)
                self.assertAlmostEqual(proportion(corners, frame), proportions, delta=0.03)
                laid, mapping = lay_flat(np.zeros(frame[::-1], np.uint8), corners)
                height, width = laid.shape
                self.assertAlmostEqual(width / height, proportions, delta=0.04)
                back = mapping.apply(CORNERS * (width, height))
                np.testing.assert_allclose(back, corners, atol=0.5)


def seen_askew(proportions):
    """Return the corners of a sheet under a tilted camera, by projecting it, and the frame."""
    frame, focal = (1600, 1200), 1500.0
    sheet = (CORNERS - 0.5) * (proportions, 1.0)
    tilt, turn = np.radians(28), np.radians(12)
    around_x = np.array(
        [[1, 0, 0], [0, np.cos(tilt), -np.sin(tilt)], [0, np.sin(tilt), np.cos(tilt)]]
    )
    around_y = np.array(
        [[np.cos(turn), 0, np.sin(turn)], [0, 1, 0], [-np.sin(turn), 0, np.cos(turn)]]
    )
    points = np.column_stack([sheet, np.zeros(4)]) @ (around_x @ around_y).T + (0, 0, 2.2)
    return points[:, :2] / points[:, 2:] * focal + np.array(frame) / 2, frame


class BendTest(unittest.TestCase):
    def test_lines_near_a_spine_are_straightened(self):
        """Bent lines read as flat ones, and worse where flattening is switched off."""
        image = blank(2480, 3508)
        write_lines(image, wrap(WANTED * 3, 112), x=240, y=300, size=38, pitch=1.45)
        rates = np.zeros(2)
        for seed in (2, 5):
            scene = scenes.bend(pixels(image), seed)
            page = aq.read_page(scene.data)
            without = aq.read_page(scene.data, settings=with_preparation(flatten=False))
            self.assertNotIn(aq.Step.FLATTEN, steps_of(without))
            rates += error_rate(page, WANTED * 3), error_rate(without, WANTED * 3)
            self.assertLess(error_rate(page, WANTED * 3), 0.01)
        self.assertLess(rates[0], 0.5 * rates[1])

    def test_words_lie_on_the_bent_page(self):
        """Places lead back through the bend: words cover their ink on the source."""
        scene = scenes.bend(page_for_cameras(), 2)
        grey = grey_of(scene).astype(int)
        for word in aq.read_page(scene.data).words:
            x0, y0, x1, y1 = (round(v) for v in word.box)
            self.assertGreater(np.ptp(grey[y0:y1, x0:x1]), 60, word.text)

    def test_straight_pages_are_not_bent(self):
        """A level page, a tilted one and one with few lines stay as they are."""
        for image in (text_page(), text_page().rotate(3, fillcolor=255), text_page(1)):
            self.assertNotIn(aq.Step.FLATTEN, steps_of(aq.read_page(image)))


class GroundTest(unittest.TestCase):
    def setUp(self):
        self.flat = page_for_cameras()

    def test_shadows_on_print(self):
        """Neither soft nor sharp shadows, stains, nor coloured paper hide letters."""
        for seed in range(4):
            with self.subTest(seed=seed):
                page = aq.read_page(scenes.shade(self.flat, seed).data)
                self.assertLess(error_rate(page, WANTED), 0.03)

    def test_dark_shadow_is_not_reversed(self):
        """Dark letters in a dark shadow stay dark letters."""
        shaded = self.flat.astype(float)
        shaded[700:1500, 200:1400] *= 0.4
        page = aq.read_page(shaded.astype(np.uint8))
        self.assertNotIn(aq.Step.REVERSE, steps_of(page))
        self.assertLess(error_rate(page, WANTED), 0.03)

    def test_areas_of_other_polarity(self):
        """Light letters on dark, beside dark letters on white and on tints, are all read."""
        image, boxes = blank(2480, 3508), []
        for part in range(4):
            top = 400 + 700 * part
            write_lines(image, wrap(PROSE, 52), x=300, y=top, size=62)
            boxes.append([280.0, top, 1700, top + 390])
        for seed in range(3):
            with self.subTest(seed=seed):
                scene = scenes.reverse_areas(pixels(image), np.array(boxes), seed)
                page = aq.read_page(scene.data)
                self.assertLess(error_rate(page, WANTED), 0.04)
                self.assertIn(aq.Step.REVERSE, steps_of(page))

    def test_clean_pages_need_nothing(self):
        """A clean page at a good size is read as it is."""
        image = blank(2480, 3508)
        write_lines(image, wrap(PROSE, 40), x=300, y=400, size=50)
        grey = np.clip(pixels(image).astype(int) + 30, 0, 252).astype(np.uint8)
        self.assertEqual(aq.read_page(grey).preparation, [])


class SceneTest(unittest.TestCase):
    def test_points_land_on_their_ink(self):
        """Makers know where points of the flat page went: a dot is found where it should be."""
        flat = np.full((1754, 1240), 255, np.uint8)
        spots = np.array([[300.0, 400.0], [900.0, 1300.0], [620.0, 877.0]])
        for x, y in spots.astype(int):
            flat[y - 12 : y + 12, x - 12 : x + 12] = 0
        for maker in (scenes.photograph, scenes.bend, scenes.shade):
            with self.subTest(maker.__name__):
                scene = maker(flat, 7)
                grey = grey_of(scene).astype(int)
                for x, y in scene.place(spots):
                    near = grey[int(y) - 40 : int(y) + 40, int(x) - 40 : int(x) + 40]
                    self.assertLess(grey[int(y), int(x)], near.max() - 30)

    def test_spreads_and_boards(self):
        """The right page of a spread lies beside the left; boards know their words."""
        flat = page_for_cameras()
        scene, right = scenes.spread(flat, flat, 1)
        left = scene.place(np.array([[2480.0, 0.0]]))
        np.testing.assert_allclose(left, right(np.array([[0.0, 0.0]])), atol=1.0)
        font = str(DEJAVU)
        board, words = scenes.place_boards([["Port Ellory", "Quay"], ["Ferry"]], [font], 3)
        self.assertEqual(
            [[w for w, _ in b] for b in words], [["Port", "Ellory", "Quay"], ["Ferry"]]
        )
        for text, quad in (word for one in words for word in one):
            self.assertTrue((quad >= 0).all() and (quad <= board.size).all(), text)
        _, none = scenes.place_boards([], [font], 3)
        self.assertEqual(none, [])

    def test_same_seed_same_picture(self):
        """Scenes are reproducible."""
        flat = pixels(text_page(1))
        self.assertEqual(scenes.photograph(flat, 5).data, scenes.photograph(flat, 5).data)
        self.assertNotEqual(scenes.photograph(flat, 5).data, scenes.photograph(flat, 6).data)
