import unittest
from pathlib import Path

import cv2
import matplotlib
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from amberquarry.imaging import prepare, turned_back, upside_down, views_of
from amberquarry.imaging.bleed import seems_bled, without_bleed
from amberquarry.imaging.colour import without_marks
from amberquarry.imaging.light import clear_borders, even_page, ink_of, is_bilevel, reverse_dark
from amberquarry.imaging.panels import turn_panels
from amberquarry.imaging.pieces import boxes_of_pieces, connected_pieces
from amberquarry.imaging.shrink import in_blocks
from amberquarry.imaging.skew import find_letters, share_running_down, skew_angle
from amberquarry.settings import PreparationSettings
from amberquarry.sources import PagePicture
from amberquarry.values import Bend, Mapping, Step
from tests.support.pages import blank, pixels, text_page, write_lines


def corners_hold(test, prepared, source):
    """Ink of the prepared page must lie on ink of the source."""
    rows, columns = np.nonzero(prepared.ink)
    pick = np.random.default_rng(1).choice(len(rows), 400)
    points = prepared.to_source.apply(np.stack([columns[pick] + 0.5, rows[pick] + 0.5], 1))
    x = np.clip(points[:, 0].astype(int), 0, source.shape[1] - 1)
    y = np.clip(points[:, 1].astype(int), 0, source.shape[0] - 1)
    test.assertGreater((source[y, x] < 200).mean(), 0.9)


def shrunk(grey):
    """Return a picture in blocks of 8 pixels, as the ground is looked at."""
    size = (-(-grey.shape[1] // 8), -(-grey.shape[0] // 8))
    return cv2.resize(grey.astype(np.uint8), size, interpolation=cv2.INTER_AREA)


def colours_of(colours):
    """Return RGB colours as a page picture has them, None where they are grey."""
    return PagePicture.of_image(Image.fromarray(colours)).colours


class PieceTest(unittest.TestCase):
    def test_labels_and_measures_are_those_of_the_standard_search(self):
        """Few pieces get short labels, so many that 16 bits do not hold them long ones."""
        for share, kind in ((0.02, np.uint16), (0.15, np.int32)):
            for connectivity in (4, 8):
                with self.subTest(share=share, connectivity=connectivity):
                    mask = np.random.default_rng(6).random((900, 1100)) < share
                    mask = mask.astype(np.uint8)
                    labels, measures = connected_pieces(mask, connectivity)
                    _, wanted, stats, _ = cv2.connectedComponentsWithStats(
                        mask, connectivity=connectivity
                    )
                    self.assertEqual(labels.dtype, kind)
                    np.testing.assert_array_equal(labels, wanted)
                    np.testing.assert_array_equal(measures, stats)

    def test_boxes_of_pieces_in_one_another(self):
        """A ring, a dot inside it, two squares that touch at a corner; nothing on blank paper."""
        mask = np.zeros((60, 80), np.uint8)
        self.assertEqual(boxes_of_pieces(mask), [])
        cv2.rectangle(mask, (5, 5), (30, 40), 1, 1)
        mask[20:23, 15:19] = 1
        mask[44:48, 50:54] = mask[48:52, 54:58] = 1
        self.assertEqual(boxes_of_pieces(mask), [(5, 5, 26, 36), (15, 20, 4, 3), (50, 44, 8, 8)])


class MappingTest(unittest.TestCase):
    def test_chain(self):
        """The inner mapping is applied first; plane maps join into one step."""
        grow = Mapping.of(np.array([[2.0, 0, 0], [0, 2.0, 0]]))
        move = Mapping.of(np.array([[1.0, 0, 5], [0, 1.0, 7]]))
        chain = move.after(grow)
        self.assertEqual(len(chain.steps), 1)
        self.assertEqual(chain.apply(np.array([[1.0, 1.0]])).tolist(), [[7.0, 9.0]])
        self.assertEqual(grow.after(move).apply(np.array([[1.0, 1.0]])).tolist(), [[12.0, 16.0]])

    def test_projection_and_bend(self):
        """Far points of a projection draw together; a bend shifts by what stands at the place."""
        tilted = Mapping.of(np.array([[1.0, 0, 0], [0, 1.0, 0], [0, 0.001, 1.0]]))
        near, far = tilted.apply(np.array([[100.0, 0.0], [100.0, 1000.0]]))
        self.assertEqual(near.tolist(), [100.0, 0.0])
        self.assertEqual(far.tolist(), [50.0, 500.0])
        shift = np.zeros((3, 3, 2), np.float32)
        shift[:, 2, 1] = 8.0
        bent = Mapping((Bend(shift, 10.0),)).apply(
            np.array([[[0.0, 4.0], [15.0, 4.0], [99.0, 4.0]]])
        )
        np.testing.assert_allclose(bent, [[[0, 4], [15, 8], [99, 12]]], atol=0.2)

    def test_boxes_that_stay_boxes(self):
        """Quarter turns and scales keep boxes upright; anything else needs four corners."""
        for turned in (0, 90, 180, 270):
            self.assertTrue(turned_back(turned, 40, 30).keeps_boxes)
        scale = Mapping.of(np.array([[0.5, 0, 3], [0, 0.7, 1]]))
        self.assertTrue(scale.after(turned_back(90, 40, 30)).keeps_boxes)
        skew = Mapping.of(np.array([[1.0, 0.02, 0], [-0.02, 1.0, 0]]))
        self.assertFalse(skew.keeps_boxes)
        self.assertFalse(Mapping((Bend(np.zeros((2, 2, 2), np.float32), 9.0),)).keeps_boxes)


class SkewTest(unittest.TestCase):
    def test_known_angles_are_found(self):
        """A page turned by a known angle is measured within a tenth of a degree."""
        for angle in (-9.0, -2.3, 0.7, 4.5):
            with self.subTest(angle=angle):
                turned = text_page().rotate(angle, Image.Resampling.BICUBIC, fillcolor=255)
                letters = find_letters(ink_of(pixels(turned)))
                self.assertAlmostEqual(skew_angle(letters, 10.0), angle, delta=0.1)

    def test_empty_page_lies_straight(self):
        """Where nothing can be measured, nothing is turned."""
        letters = find_letters(np.zeros((300, 300), np.uint8))
        self.assertEqual(
            (letters.height, skew_angle(letters, 10.0), share_running_down(letters)), (0, 0, 0)
        )

    def test_lying_page_runs_down(self):
        """Lines that run down the page are noticed, level ones are not."""
        page = ink_of(pixels(text_page()))
        self.assertLess(share_running_down(find_letters(page)), 0.2)
        lying = find_letters(np.ascontiguousarray(np.rot90(page)))
        self.assertGreater(share_running_down(lying), 0.9)


class LightTest(unittest.TestCase):
    def test_slope_of_light_is_evened(self):
        """Paper comes out white in the light and in the shade, and ink stays dark."""
        page = pixels(text_page()).astype(float)
        slope = np.linspace(1.0, 0.35, page.shape[1])[None]
        even = even_page((page * slope).astype(np.uint8))[0]
        self.assertGreater(int(np.percentile(even[:, -300:], 90)), 240)
        self.assertAlmostEqual(ink_of(even).mean(), ink_of(pixels(text_page())).mean(), delta=0.01)

    def test_white_on_dark_is_turned(self):
        """Light letters on a dark bar give as much ink as dark letters on paper."""
        light, dark = blank(), blank()
        dark.paste(30, (60, 100, 1180, 420))
        write_lines(light, ["Boats stay in the basin", "until the lamp is green"], y=180, size=60)
        write_lines(
            dark, ["Boats stay in the basin", "until the lamp is green"], y=180, size=60, ink=240
        )
        wanted = ink_of(even_page(pixels(light))[0])[150:380, 100:1100].mean()
        found = ink_of(even_page(pixels(dark))[0])[150:380, 100:1100].mean()
        self.assertAlmostEqual(found, wanted, delta=0.25 * wanted)

    def test_bold_letters_and_photographs_are_no_dark_areas(self):
        image = blank(1600, 1200)
        bold = str(Path(matplotlib.get_data_path()) / "fonts" / "ttf" / "DejaVuSans-Bold.ttf")
        ImageDraw.Draw(image).text((80, 80), "HEAVY", font=ImageFont.truetype(bold, 170), fill=0)
        tones = np.random.default_rng(3).uniform(30, 120, (7, 9)).astype(np.uint8)
        image.paste(Image.fromarray(tones).resize((700, 500), Image.Resampling.BICUBIC), (80, 500))
        grain = np.random.default_rng(4).normal(0, 8, (1200, 1600))
        grey = np.clip(pixels(image) + np.where(pixels(image) < 250, grain, 0), 0, 255)
        turned, _, share = reverse_dark(grey.astype(np.uint8), shrunk(grey))
        self.assertEqual(share, 0.0)
        self.assertTrue((turned == grey.astype(np.uint8)).all())

    def test_panels_are_turned_and_large_letters_are_not(self):
        """A bar with light letters becomes paper with dark ones; counters are no letters."""
        grey = np.full((400, 900), 255, np.uint8)
        face = cv2.FONT_HERSHEY_SIMPLEX
        cv2.rectangle(grey, (50, 50), (700, 85), 140, -1)
        cv2.putText(grey, "STATION  PERIOD", (70, 80), face, 1.0, 255, 3)
        cv2.putText(grey, "BAO8", (50, 350), face, 7.0, 0, 40)
        turned, share = turn_panels(grey, in_blocks(grey, 8))
        self.assertAlmostEqual(share, 651 * 36 / grey.size, delta=0.01)
        part = turned[45:90, 45:705]
        self.assertGreater((part == 255).mean(), 0.7)
        self.assertGreater((part < 60).mean(), 0.05)
        np.testing.assert_array_equal(turned[100:], grey[100:])

    def test_what_is_even_without_letters_stays(self):
        """Bars of charts, plain rules and photographs are no panels."""
        chance = np.random.default_rng(4)
        grey = np.full((600, 900), 255, np.uint8)
        cv2.rectangle(grey, (50, 50), (110, 300), 140, -1)
        cv2.rectangle(grey, (150, 100), (700, 110), 90, -1)
        grain = cv2.GaussianBlur(chance.normal(0, 60, (200, 500)), (0, 0), 5) * 6
        grey[350:550, 100:600] = np.clip(140 + grain, 60, 220)
        turned, share = turn_panels(grey, in_blocks(grey, 8))
        self.assertEqual(share, 0.0)
        self.assertIs(turned, grey)

    def test_whole_page_dark(self):
        """A negative is turned as a whole."""
        negative = 255 - pixels(text_page())
        self.assertAlmostEqual(
            ink_of(even_page(negative)[0]).mean(), ink_of(pixels(text_page())).mean(), delta=0.02
        )

    def test_scan_border_goes(self):
        """A dark strip along the edge is cleared, the text is not."""
        page = pixels(text_page()).copy()
        page[:, :40] = 10
        cleared = clear_borders(page)
        self.assertGreater(int(cleared[:, :32].min()), 200)
        self.assertTrue((cleared[:, 100:] == page[:, 100:]).all())

    def test_table_beside_the_paper_goes(self):
        """Dull ground around a page is cleared, print on paper in deep shade is not."""
        chance = np.random.default_rng(3)
        page = pixels(text_page()).astype(float)
        page[:90] = page[-120:] = 40
        noisy = np.clip(page + 4 * chance.standard_normal(page.shape), 0, 255).astype(np.uint8)
        even, steps = even_page(noisy)
        self.assertIn(Step.BORDER, {step.step for step in steps})
        self.assertGreater(int(even[:80].min()), 250)
        self.assertGreater(ink_of(even)[150:500, 120:1100].mean(), 0.02)
        shaded = pixels(text_page()).astype(float)
        shaded[:, :620] *= 0.25
        self.assertAlmostEqual(
            ink_of(even_page(shaded.astype(np.uint8))[0]).mean(),
            ink_of(pixels(text_page())).mean(),
            delta=0.01,
        )

    def test_bilevel_is_told_from_grey(self):
        """Only pictures of two levels count as black and white."""
        page = pixels(text_page())
        self.assertTrue(is_bilevel(np.where(page > 128, 255, 0).astype(np.uint8)))
        self.assertFalse(is_bilevel((page // 2 + 60).astype(np.uint8)))


class MarksTest(unittest.TestCase):
    def marked(self, shape, colour):
        """Return a page of print with a circle or a rule drawn over it."""
        image = text_page().convert("RGB")
        draw = ImageDraw.Draw(image)
        if shape == "ring":
            draw.ellipse((300, 120, 620, 440), outline=colour, width=7)
        else:
            for y in range(160, 500, 52):
                draw.line((60, y, 1200, y), fill=colour, width=3)
        return np.minimum(np.asarray(image), np.asarray(text_page().convert("RGB")))

    def test_coloured_marks_are_lifted(self):
        """Rings and rules in colour go, the dark print under them stays as it was."""
        plain = pixels(text_page())
        for shape, colour in (("ring", (190, 40, 60)), ("ring", (40, 60, 190)),
                              ("rules", (150, 180, 225))):  # fmt: skip
            with self.subTest(shape=shape, colour=colour):
                colours = self.marked(shape, colour)
                grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY)
                lifted = without_marks(grey, colours_of(colours))
                before = ((grey < 200) != (plain < 200)).mean()
                after = ((lifted < 200) != (plain < 200)).mean()
                self.assertLess(after, 0.1 * before)

    def test_coloured_edges_of_letters_are_ink(self):
        """Letters smoothed for the stripes of a screen, in any colour and order, are no marks."""
        wide = Image.new("L", (3 * 700, 3 * 300), 0)
        draw = ImageDraw.Draw(wide)
        for row in range(9):
            words = "The keeper read the gauge before noon and wrote the figure into the book"
            draw.text((60, 60 + 90 * row), words, font=ImageFont.load_default(36), fill=255)
        cover = np.asarray(wide, np.float32).reshape(300, 3, -1).mean(1) / 255
        cover = np.stack([np.convolve(row, np.ones(3) / 3, "same") for row in cover])
        stripes = cover.reshape(300, 700, 3)[:, :, :, None][..., 0]
        for ink, paper in (((0, 0, 0), (255, 255, 255)), ((22, 50, 79), (232, 241, 251))):
            for order in (1, -1):
                colours = paper - stripes[:, :, ::order] * (np.array(paper) - ink)
                colours = np.round(colours).astype(np.uint8)
                grey = np.asarray(Image.fromarray(colours).convert("L"))
                with self.subTest(ink=ink, order=order):
                    self.assertIsNone(without_marks(grey, colours))

    def test_ruling_whose_colour_is_lost_in_places(self):
        """Dashes that came out grey go with the coloured rule that they belong to."""
        plain = pixels(text_page())
        colours = self.marked("rules", (150, 180, 225))
        grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY)
        for x in range(240, 1200, 200):
            colours[:, x : x + 25] = grey[:, x : x + 25, None]
        lifted = without_marks(grey, colours_of(colours))
        paper = plain == 255
        self.assertLess((lifted[paper] < 200).sum(), 0.2 * (grey[paper] < 200).sum())
        self.assertGreater((lifted[plain < 100] < 128).mean(), 0.99)

    def test_coloured_letters_stay(self):
        """Coloured headings, areas and grey marks are left alone."""
        image = text_page().convert("RGB")
        draw, font = ImageDraw.Draw(image), ImageFont.load_default(90)
        draw.text((120, 1100), "Tide tables of the year", font=font, fill=(180, 20, 40))
        draw.rectangle((120, 1300, 900, 1500), fill=(60, 90, 200))
        colours = np.asarray(image)
        grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY)
        self.assertIsNone(without_marks(grey, colours_of(colours)))
        self.assertIsNone(colours_of(self.marked("ring", (90, 90, 90))))

    def test_a_setting_leaves_marks(self):
        """The step is told in the page's record, and can be left out."""
        colours = self.marked("ring", (190, 40, 60))
        grey = cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY)
        [view] = views_of(grey, PreparationSettings(), colours_of(colours))
        self.assertEqual([step.step for step in view.steps], [Step.LIFT])
        settings = PreparationSettings(lift_marks=False)
        [view] = views_of(grey, settings, colours_of(colours))
        self.assertEqual(view.steps, ())


class BleedTest(unittest.TestCase):
    @staticmethod
    def with_print(pale, blur):
        """Return a page of prose with other prose on its lower part, pale and blurred."""
        front, back = pixels(text_page()).astype(float), blank()
        write_lines(back, ["Quay stores were counted at noon"] * 18, x=150, y=600)
        behind = cv2.GaussianBlur(pixels(back).astype(float), (0, 0), blur)
        grey = np.minimum(front, 255 - pale * (255 - behind))
        return np.asarray(cv2.GaussianBlur(grey, (0, 0), 0.6), np.uint8)

    def test_what_shines_through_goes(self):
        """Pale, blurred print is taken off, the page's own print stays as it was."""
        page = self.with_print(pale=0.35, blur=2.5)
        self.assertTrue(seems_bled(page))
        front = without_bleed(page)
        own = pixels(text_page()) < 128
        near = cv2.dilate(own.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        self.assertEqual(int(front[~near].min()), 255)
        np.testing.assert_array_equal(front[own], page[own])

    def test_sharp_pale_print_stays(self):
        """Grey letters with sharp edges are printed so; a plain page is not even looked into."""
        self.assertIsNone(without_bleed(self.with_print(pale=0.45, blur=0.1)))
        self.assertFalse(seems_bled(pixels(text_page())))
        self.assertFalse(seems_bled(np.full((900, 900), 255, np.uint8)))
        self.assertFalse(seems_bled(np.full((3, 3), 0, np.uint8)))

    def test_step_is_told(self):
        """The page's record says so, and a setting leaves the step out."""
        page = self.with_print(pale=0.35, blur=2.5)
        for wanted in (True, False):
            prepared = prepare(page, PreparationSettings(lift_bleed=wanted))
            self.assertEqual(Step.BLEED in {step.step for step in prepared.steps}, wanted)


class PrepareTest(unittest.TestCase):
    def test_boxes_can_go_back(self):
        """Whatever was done, ink of the prepared page maps on to ink of the source."""
        page = text_page()
        for name, image in (
            ("level", page),
            ("skewed", page.rotate(3, fillcolor=255)),
            ("small", page.resize((500, 707), Image.Resampling.LANCZOS)),
            ("large", page.resize((3720, 5262))),
            ("lying", page.transpose(Image.Transpose.ROTATE_90)),
        ):
            with self.subTest(name):
                source = pixels(image)
                prepared = prepare(source, PreparationSettings())
                corners_hold(self, prepared, source)
                corners_hold(self, upside_down(prepared), source)

    def test_odd_sizes_do_no_harm(self):
        """Tiny, long, blank, black and noisy pictures come through."""
        noise = np.random.default_rng(5).integers(0, 256, (400, 300), dtype=np.uint8)
        for picture in (
            np.zeros((1, 1), np.uint8),
            np.full((1, 1), 255, np.uint8),
            np.full((50, 4000), 200, np.uint8),
            np.zeros((600, 600), np.uint8),
            noise,
        ):
            with self.subTest(shape=picture.shape):
                prepared = prepare(picture, PreparationSettings())
                self.assertEqual(prepared.grey.shape, prepared.ink.shape)

    def test_large_pictures_are_reduced_first(self):
        """What is looked at has at most so many pixels, says so, and leads back to the source."""
        grey = pixels(text_page())
        settings = PreparationSettings(max_megapixels=1)
        [view] = views_of(grey, settings, np.repeat(grey[:, :, None], 3, 2))
        self.assertLessEqual(view.grey.size, 1_010_000)
        self.assertEqual([step.step for step in view.steps], [Step.RESIZE])
        self.assertIn("more than 1", view.steps[0].why)
        height, width = view.grey.shape
        corner = view.to_source.apply(np.array([width, height], float))
        self.assertEqual(corner.round(6).tolist(), [*grey.shape[::-1]])
        [view] = views_of(grey, PreparationSettings())
        self.assertIs(view.grey, grey)

    def test_pixels_are_bounded(self):
        """Enlarging stops at the limit."""
        prepared = prepare(
            pixels(text_page().resize((620, 877))), PreparationSettings(max_megapixels=1)
        )
        self.assertLessEqual(prepared.grey.size, 1_050_000)
