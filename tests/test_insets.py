"""Pictures among text, text on pictures: through `read_page`."""

import unittest

import cv2
import numpy as np
from PIL import Image, ImageDraw

from amberquarry import BlockKind, read_page
from amberquarry.reading.placed import PlacedText, close_spaced_letters
from tests.support.blocks import face
from tests.support.measures import error_rate
from tests.support.pages import PROSE, blank, encoded, pixels, wrap, write_justified, write_lines


def photograph(width, height, seed=4):
    """Return tones of all kinds (height, width), as ground, sky and things have them."""
    make = np.random.default_rng(seed)
    tones = np.linspace(190, 30, height)[:, None] + np.zeros((1, width))
    for cells in (4, 12, 40):
        rough = make.normal(0, 90 / cells**0.5, (cells, cells)).astype(np.float32)
        tones = tones + cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.clip(tones, 0, 255).astype(np.uint8)


def text_of(page):
    """Return the text of a page's blocks that are no figures, line by line."""
    blocks = [block for block in page.blocks if block.kind is not BlockKind.FIGURE]
    return "\n".join(line.text for block in blocks for line in block.lines)


class PhotographTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """Read a scan in black and white: a picture over one column and a half, text around it."""
        image = blank(1700, 2200)
        image.paste(Image.fromarray(photograph(1080, 900)), (100, 100))
        cls.narrow = write_justified(image, PROSE * 2, 1240, 110, 360, 18)
        cls.left = write_justified(image, PROSE.upper() * 3, 100, 1120, 710, 17)
        cls.wide = write_justified(image, PROSE * 3, 890, 1030, 710, 19)
        cls.page = read_page(encoded(image.convert("1")))

    def test_the_picture_is_one_figure(self):
        """Nothing of its grain is read, and no row of dots made up."""
        [figure] = [b for b in self.page.blocks if b.kind is BlockKind.FIGURE]
        for found, wanted in zip(figure.box, (100, 100, 1180, 1000), strict=True):
            self.assertLess(abs(found - wanted), 30)
        self.assertLess(sum(len(line.text) for line in figure.lines), 20)
        self.assertNotIn("...", self.page.text)

    def test_columns_beside_and_under_it_are_read_in_order(self):
        """First the column under it, then the one that begins narrow beside it."""
        wanted = [*self.left, *self.narrow, *self.wide]
        self.assertLess(error_rate(text_of(self.page), wanted), 0.02)


class GrainTest(unittest.TestCase):
    def test_a_dark_corner_of_a_copy_is_neither_ink_nor_figure(self):
        """Grain grows where a dark copy is evened; the words in it are read all the same."""
        image = blank(900, 700)
        lines = wrap(PROSE * 2, 36)[:11]
        write_lines(image, lines, x=60, y=60)
        grey = pixels(image).astype(np.float32)
        y, x = np.mgrid[0:700, 0:900]
        light = 1 - 0.6 * np.clip((x - 300) / 600, 0, 1) * np.clip(1.2 - y / 700, 0, 1)
        noise = np.random.default_rng(3).normal(0, 11, grey.shape)
        copy = np.clip((0.75 * grey + 25) * light + noise, 0, 255).astype(np.uint8)
        page = read_page(copy)
        self.assertFalse([b for b in page.blocks if b.kind is BlockKind.FIGURE])
        self.assertLess(error_rate(text_of(page), lines), 0.02)


class DrawingTest(unittest.TestCase):
    def test_a_line_between_two_drawings_is_none_of_their_strokes(self):
        """Strokes that cross and overlap are no line of large letters that draws others in."""
        image = blank(1000, 1300)
        draw = ImageDraw.Draw(image)
        make = np.random.default_rng(5)
        for top in (80, 720):
            for _ in range(60):
                x, y = make.integers(80, 860), make.integers(top, top + 380)
                width, height = make.integers(20, 120, 2)
                draw.arc((x, y, x + width, y + height), *sorted(make.integers(0, 360, 2)), 0, 3)
        said = "The keeper had not expected that at all."
        write_lines(image, [said], x=120, y=590)
        page = read_page(pixels(image))
        self.assertIn(said, text_of(page))
        self.assertGreaterEqual(sum(b.kind is BlockKind.FIGURE for b in page.blocks), 2)


class CoverTest(unittest.TestCase):
    def test_words_on_a_cover_are_read(self):
        """Light words on a picture are text beside the figure; all boxes lie on the page."""
        tones = Image.fromarray(np.uint8(0.45 * photograph(700, 1000, 8)))
        draw = ImageDraw.Draw(tones)
        draw.text((60, 90), "HARBOUR", fill=255, font=face(110, "DejaVuSans-Bold"))
        draw.text((60, 240), "LIGHTS", fill=255, font=face(110, "DejaVuSans-Bold"))
        draw.rectangle((0, 860, 700, 1000), fill=245)
        draw.text((80, 900), "A year at the old mole", fill=0, font=face(40, "DejaVuSans"))
        page = read_page(np.asarray(tones.rotate(2, fillcolor=90)))
        text = text_of(page)
        for words in ("HARBOUR", "LIGHTS", "A year at the old mole"):
            self.assertIn(words, text)
        boxes = [block.box for block in page.blocks] + [word.box for word in page.words]
        for x0, y0, x1, y1 in boxes:
            self.assertTrue(0 <= x0 <= x1 <= 700 and 0 <= y0 <= y1 <= 1000)


class SpacedOutTest(unittest.TestCase):
    def line(self, text, letter, space):
        """Return a line of letters so wide, with so much white between two parted by a space."""
        boxes, x = [], 0.0
        for sign in text:
            width = letter if sign != " " else space
            boxes.append((x, 0, x + width, 20))
            x += width
        none = np.ones(len(text), np.float32)
        boxes = np.array(boxes, np.float32)
        return PlacedText(text, boxes, none, none[:, None], np.ones((len(text), 3), np.float32))

    def test_letters_come_together_and_words_stay_apart(self):
        """The white between words is wider than that between their letters."""
        spaced = self.line("T O M O", 14, 12)
        self.assertEqual(close_spaced_letters(spaced).text, "TOMO")
        words = self.line("C O N L I C E N Z A", 14, 12)
        words.boxes[6:, [0, 2]] += 22  # after "CON"
        words.boxes[5, 2] += 22
        self.assertEqual(close_spaced_letters(words).text, "CON LICENZA")

    def test_heads_of_columns_and_initials_stay(self):
        """What stands far apart is no word; neither are a few letters."""
        for text, space in (("A B C D E", 60), ("J K L", 12), ("is a x y", 12)):
            line = self.line(text, 14, space)
            self.assertEqual(close_spaced_letters(line).text, text)


if __name__ == "__main__":
    unittest.main()
