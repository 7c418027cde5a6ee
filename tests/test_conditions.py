"""Pages in the states in which they come: size, light, tilt, coding, resolution."""

import io
import unittest

import cv2
import numpy as np
from PIL import Image, ImageOps

import amberquarry as aq
from tests.support.measures import error_rate
from tests.support.pages import PROSE, blank, encoded, pixels, text_page, wrap, write_lines

WANTED = PROSE * 2


def page_of(size, letters=44, pitch=1.5, **page):
    """Return a page of prose with letters of `size` pixels."""
    lines = wrap(WANTED, letters)
    height = 300 + round(size * pitch * len(lines))
    image = blank(200 + round(size * letters * 0.62), height, **page)
    write_lines(image, lines, x=100, y=120, size=size, pitch=pitch)
    return image


class SizeTest(unittest.TestCase):
    def test_letters_of_any_size(self):
        """From screen size to poster size, the text is the same."""
        for size, most in ((14, 0.05), (18, 0.03), (26, 0.02), (48, 0.02), (90, 0.02)):
            with self.subTest(size=size):
                self.assertLess(error_rate(aq.read_page(page_of(size)), WANTED), most)

    def test_two_sizes_on_a_page(self):
        """A large heading over small text leaves both readable, and is told as a heading."""
        image = page_of(24)
        write_lines(image, ["Tide marks of the year"], x=100, y=30, size=60)
        page = aq.read_page(image)
        headings = [block for block in page.blocks if block.kind is aq.BlockKind.HEADING]
        self.assertEqual([block.text for block in headings], ["Tide marks of the year"])
        self.assertLess(error_rate(page, "Tide marks of the year " + WANTED), 0.03)

    def test_tight_and_loose_leading(self):
        """Lines that nearly touch, and lines far apart, are kept apart and in order."""
        for pitch in (1.12, 1.3, 2.2, 3.0):
            with self.subTest(pitch=pitch):
                self.assertLess(error_rate(aq.read_page(page_of(30, pitch=pitch)), WANTED), 0.02)

    def test_one_line_and_one_word(self):
        """A cut-out line or word is read like a page."""
        for text in ("The gauge stood at 4.71 m at noon", "keeper", "1984"):
            with self.subTest(text=text):
                image = blank(120 + 24 * len(text), 110)
                write_lines(image, [text], x=50, y=30, size=40)
                self.assertLess(error_rate(aq.read_page(image), text), 0.1)


class LightTest(unittest.TestCase):
    def setUp(self):
        self.grey = pixels(page_of(30)).astype(np.float32)

    def rate(self, grey):
        return error_rate(aq.read_page(np.clip(grey, 0, 255).astype(np.uint8)), WANTED)

    def test_white_on_black(self):
        """A negative reads as well as its positive."""
        self.assertLess(self.rate(255 - self.grey), 0.02)

    def test_faded_ink(self):
        """Ink at a quarter of its strength is still read."""
        self.assertLess(self.rate(255 - (255 - self.grey) * 0.25), 0.03)

    def test_grey_and_uneven_paper(self):
        """Paper that falls from light to dark across the page does no harm."""
        height, width = self.grey.shape
        slope = np.linspace(1.0, 0.45, width, dtype=np.float32)[None]
        self.assertLess(self.rate(self.grey * slope), 0.02)
        self.assertLess(self.rate(self.grey * np.linspace(0.5, 0.9, height)[:, None]), 0.02)

    def test_noise_and_blur(self):
        """Grain of a sensor and a soft lens cost little."""
        noise = np.random.default_rng(5).normal(0, 14, self.grey.shape)
        self.assertLess(self.rate(self.grey * 0.8 + 30 + noise), 0.03)
        self.assertLess(self.rate(cv2.GaussianBlur(self.grey, (0, 0), 1.6)), 0.03)

    def test_blurred_pages_are_set_upright(self):
        """Where the letters of words have run together, reading tells how the page lies."""
        blurred = cv2.GaussianBlur(pixels(page_of(34)), (0, 0), 3)
        for turn in (0, 90, 180, 270):
            with self.subTest(turn=turn):
                page = aq.read_page(Image.fromarray(np.rot90(blurred, -turn // 90)))
                self.assertEqual(page.rotation, turn)
                self.assertLess(error_rate(page, WANTED), 0.2)

    def test_specks_are_not_read(self):
        """Dust on the page gives no words."""
        chance = np.random.default_rng(9)
        grey = self.grey.copy()
        for x, y in zip(chance.integers(0, grey.shape[1] - 2, 300),
                        chance.integers(0, grey.shape[0] - 2, 300), strict=True):  # fmt: skip
            grey[y : y + 2, x : x + 2] = 60
        page = aq.read_page(grey.astype(np.uint8))
        self.assertLess(error_rate(page, WANTED), 0.04)

    def test_dark_border_of_a_scan(self):
        """The lid's shadow around the sheet is no text and hides none."""
        framed = np.full((self.grey.shape[0] + 160, self.grey.shape[1] + 160), 18, np.float32)
        framed[80:-80, 80:-80] = self.grey
        self.assertLess(self.rate(framed), 0.02)


class PlaceTest(unittest.TestCase):
    def test_tilted_pages(self):
        """Pages laid askew by up to ten degrees are set straight, and the angle is told."""
        image = text_page(2)
        for angle in (-9.5, -3.0, -0.7, 0.4, 5.0, 9.0):
            with self.subTest(angle=angle):
                turned = image.rotate(angle, expand=True, fillcolor=255, resample=Image.BICUBIC)
                page = aq.read_page(turned)
                self.assertLess(abs(page.skew - angle), 0.3)
                self.assertLess(error_rate(page, WANTED), 0.03)

    def test_word_boxes_hold_their_ink(self):
        """Every word's box holds ink up to each of its sides, and no two words share a box."""
        image = text_page(1)
        grey = pixels(image)
        page = aq.read_page(image)
        boxes = [tuple(word.box) for word in page.words]
        self.assertEqual(len(boxes), len(set(boxes)))
        for word in page.words:
            x0, y0, x1, y1 = (round(v) for v in word.box)
            ink = grey[y0:y1, x0:x1] < 160
            with self.subTest(word=word.text):
                self.assertTrue(ink[:, :2].any() and ink[:, -2:].any())
                self.assertTrue(ink[:2].any() and ink[-2:].any())

    def test_words_of_a_turned_page_lie_on_their_ink(self):
        """Boxes of a page that came upside down are boxes in that very picture."""
        image = text_page(1)
        upright = aq.read_page(image)
        turned = aq.read_page(image.rotate(180))
        width, height = image.size
        for one, other in zip(upright.words, turned.words, strict=True):
            self.assertEqual(one.text, other.text)
            mirrored = (width - other.box.x1, height - other.box.y1,
                        width - other.box.x0, height - other.box.y0)  # fmt: skip
            np.testing.assert_allclose(mirrored, one.box, atol=3)

    def test_characters_follow_each_other(self):
        """Character boxes run from left to right within their word and inside its box."""
        for line in (line for block in aq.read_page(text_page(1)).blocks for line in block.lines):
            self.assertEqual(len(line.character_boxes), len(line.text))
            for word in line.words:
                boxes = line.character_boxes[word.start : word.end]
                self.assertTrue((np.diff(boxes[:, 0]) >= -1).all(), word.text)
                self.assertGreaterEqual(boxes[:, 0].min(), word.box.x0 - 1)
                self.assertLessEqual(boxes[:, 2].max(), word.box.x1 + 1)


class CodingTest(unittest.TestCase):
    def test_every_file_form_reads_alike(self):
        """PNG, TIFF in both byte orders, JPEG, BMP, WebP and GIF give the same text."""
        image = page_of(30)
        forms = (
            ("PNG", {}),
            ("TIFF", {}),
            ("TIFF", {"compression": "tiff_lzw"}),
            ("JPEG", {"quality": 60}),
            ("BMP", {}),
            ("WEBP", {"lossless": True}),
            ("GIF", {}),
        )
        for kind, options in forms:
            with self.subTest(kind=kind, **options):
                page = aq.read_page(encoded(image, kind, **options))
                self.assertLess(error_rate(page, WANTED), 0.02)

    def test_one_bit_pages(self):
        """Black and white scans, also coded as fax, are read."""
        image = page_of(34).convert("1", dither=Image.Dither.NONE)
        for options in ({}, {"compression": "group4"}):
            with self.subTest(**options):
                page = aq.read_page(encoded(image, "TIFF", **options))
                self.assertLess(error_rate(page, WANTED), 0.02)

    def test_colours(self):
        """Coloured ink on coloured paper, and ink behind transparency, are read."""
        grey = page_of(30)
        red = ImageOps.colorize(grey, (150, 20, 30), (250, 240, 200))
        blue = ImageOps.colorize(grey, (240, 240, 255), (20, 40, 120))
        clear = Image.new("RGBA", grey.size, (0, 0, 0, 0))
        clear.putalpha(ImageOps.invert(grey))
        for name, image in (("red", red), ("blue", blue), ("clear", clear),
                            ("cmyk", red.convert("CMYK"))):  # fmt: skip
            with self.subTest(name=name):
                self.assertLess(error_rate(aq.read_page(image), WANTED), 0.03)

    def test_resolution_in_the_file_changes_nothing(self):
        """A wrong resolution in the header is told, and text is found by its own size."""
        image = page_of(30)
        for dpi in (1, 72, 300, 2400):
            with self.subTest(dpi=dpi):
                page = aq.read_page(encoded(image, "PNG", dpi=(dpi, dpi)))
                self.assertLess(error_rate(page, WANTED), 0.02)

    def test_camera_orientation(self):
        """A camera's orientation mark is followed: the text comes out upright."""
        image = page_of(30)
        marks = {3: 180, 6: 90, 8: -90}  # mark: how the stored picture was turned
        for mark, turn in marks.items():
            with self.subTest(mark=mark):
                stored = image.rotate(turn, expand=True)
                exif = Image.Exif()
                exif[0x0112] = mark
                out = io.BytesIO()
                stored.save(out, "JPEG", quality=90, exif=exif)
                page = aq.read_page(out.getvalue())
                self.assertEqual((page.width, page.height), image.size)
                self.assertEqual(page.rotation, 0)
                self.assertLess(error_rate(page, WANTED), 0.02)

    def test_same_page_same_answer(self):
        """Reading is repeatable to the last box."""
        image = page_of(28)
        first, second = aq.read_page(image), aq.read_page(image)
        self.assertEqual([(w.text, w.box, w.confidence) for w in first.words],
                         [(w.text, w.box, w.confidence) for w in second.words])  # fmt: skip


class ConfidenceTest(unittest.TestCase):
    def test_worse_pages_are_less_sure(self):
        """The page's confidence falls as its print gets worse."""
        grey = pixels(page_of(20)).astype(np.float32)
        chance = np.random.default_rng(4)
        sure = []
        for blur, noise in ((0.1, 0), (0.9, 25), (1.2, 45)):
            worn = cv2.GaussianBlur(grey, (0, 0), blur) + chance.normal(0, noise + 0.1, grey.shape)
            sure.append(aq.read_page(np.clip(worn, 0, 255).astype(np.uint8)).confidence)
        self.assertLess(sure[1], sure[0] + 0.005)  # both read without a fault
        self.assertGreater(sure[1] - sure[2], 0.05)
        self.assertGreater(sure[2], 0)

    def test_minimum_confidence_drops_words(self):
        """Only words that reach the minimum are kept."""
        grey = pixels(page_of(20)).astype(np.float32)
        worn = cv2.GaussianBlur(grey, (0, 0), 1.0) + np.random.default_rng(8).normal(
            0, 60, grey.shape
        )
        worn = np.clip(worn, 0, 255)
        settings = aq.Settings()
        every = aq.read_page(worn.astype(np.uint8), settings=settings)
        strict = aq.Settings.from_dict({"output": {"min_confidence": 0.9}})
        kept = aq.read_page(worn.astype(np.uint8), settings=strict)
        wanted = [word.text for word in every.words if word.confidence >= 0.9]
        self.assertEqual([word.text for word in kept.words], wanted)
        self.assertLess(len(wanted), sum(1 for _ in every.words))

    def test_pages_of_texture_are_not_believed(self):
        """Weave, clouds and stripes give no page of words."""
        chance = np.random.default_rng(12)
        cloth = (np.indices((700, 900)).sum(0) % 9 < 3) * 120 + 90
        clouds = cv2.GaussianBlur(chance.normal(0, 1, (700, 900)), (0, 0), 25)
        stripes = np.tile((np.arange(900) % 40 < 12) * 200 + 40, (700, 1))
        for name, picture in (("cloth", cloth), ("stripes", stripes),
                              ("clouds", 128 + clouds / np.abs(clouds).max() * 120)):  # fmt: skip
            with self.subTest(name=name):
                page = aq.read_page(picture.astype(np.uint8))
                self.assertLessEqual(sum(1 for _ in page.words), 3)
