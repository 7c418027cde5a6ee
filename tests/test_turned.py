"""The same page turned, scaled and shifted: structure and text stay, boxes go with it."""

import unittest

import numpy as np
from PIL import Image, ImageDraw

import amberquarry as aq
from amberquarry.imaging import turned_back
from amberquarry.values import Mapping, mapped_box
from tests.support.pages import blank, pixels, prose_at, write_lines

LIST = (
    (0, "1. The gauge is read at noon"),
    (1, "a) before the tide turns"),
    (1, "b) after the tide has turned"),
    (0, "2. The lamp is lit at dusk"),
    (1, "a) with a dry wick"),
    (1, "b) with a full can"),
    (0, "3. The log is kept"),
)


def page_of_all():
    """A page with a heading, nested items, a drawing over its caption, and a note."""
    image = blank()
    draw = ImageDraw.Draw(image)
    write_lines(image, ["Instruments of the tower"], x=160, y=120, size=44)
    prose_at(image, 210)
    y = 560
    for depth, text in LIST:
        write_lines(image, [text], x=160 + 60 * depth, y=y)
        y += 44
    for n in range(12):
        draw.line((260 + 30 * n, 1160 - 18 * (n % 5), 290 + 30 * n, 1160 - 18 * ((n + 1) % 5)),
                  fill=0, width=3)  # fmt: skip
    draw.ellipse((300, 940, 420, 1060), outline=0, width=3)
    draw.ellipse((460, 960, 560, 1060), outline=0, width=3)
    write_lines(image, ["Figure 3. The gauge and its float"], x=260, y=1190, size=22)
    prose_at(image, 1290)
    return image


def structure(page):
    """Kinds in reading order, with levels, depths and joints."""
    return [(b.kind.value, b.level, b.depth, b.goes_on) for b in page.blocks]


class TurnedTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.image = page_of_all()
        cls.page = aq.read_page(cls.image)

    def check(self, picture, to_page, turned):
        """Compare a page in another position with the page as it stands."""
        page = aq.read_page(picture)
        self.assertEqual(page.rotation, turned)
        self.assertEqual(structure(page), structure(self.page))
        self.assertEqual(page.text, self.page.text)
        for block, wanted in zip(page.blocks, self.page.blocks, strict=True):
            box, _ = mapped_box(block.box, to_page)
            for edge, other in zip(box, wanted.box, strict=True):
                self.assertAlmostEqual(edge, other, delta=4)

    def test_the_page_as_it_stands(self):
        """It holds what it should: nested items, a figure with its caption."""
        kinds = [block.kind.value for block in self.page.blocks]
        self.assertEqual(kinds[0], "heading")
        self.assertEqual([b.depth for b in self.page.blocks if b.depth is not None],
                         [depth for depth, _ in LIST])  # fmt: skip
        self.assertEqual(kinds.count("figure"), 1)
        self.assertEqual(kinds[kinds.index("figure") + 1], "caption")

    def test_turned_by_quarters(self):
        """Lists keep their depth and no figure is invented, however the page lies."""
        grey = pixels(self.image)
        height, width = grey.shape
        for turned in (90, 180, 270):
            with self.subTest(turned=turned):
                picture = np.ascontiguousarray(np.rot90(grey, turned // 90))
                self.check(picture, turned_back(turned, width, height), (360 - turned) % 360)

    def test_shifted_on_a_larger_sheet(self):
        """White around the page moves the boxes, and nothing else."""
        wide, high = self.image.size
        sheet = Image.new("L", (wide + 150, high + 190), 255)
        sheet.paste(self.image, (70, 110))
        moved = Mapping.of(np.array([[1.0, 0.0, -70], [0.0, 1.0, -110]]))
        self.check(sheet, moved, 0)


if __name__ == "__main__":
    unittest.main()
