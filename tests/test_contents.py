"""Pages of contents and indexes: leaders, numbers of pages without them, entries by the line."""

import unittest
from functools import partial

from PIL import ImageDraw

import amberquarry as aq
from amberquarry import BlockKind
from amberquarry.imaging import prepare
from amberquarry.settings import PreparationSettings
from tests.support.blocks import face, of_kind
from tests.support.pages import PROSE, blank, pixels

font = partial(face, name="DejaVuSans")
WORDS = [word.strip(".,;") for word in PROSE.split()]
RIGHT = 1100


def title(number):
    return f"{number} " + " ".join((4 * WORDS)[3 * number : 3 * number + 3]).capitalize()


def contents(dot=0, step=8, fall=0.0, size=22):
    """Draw a page of contents. dot: side of one of the leaders, 0 without; fall: down per pixel."""
    image = blank()
    draw = ImageDraw.Draw(image)
    draw.text((130, 120), "Contents", font=font(44), fill=0)
    for number in range(1, 31):
        y, text, page = 190 + 46 * number, title(number), str(3 * number + 8)
        draw.text((130, y), text, font=font(size), fill=0)
        start = 130 + draw.textlength(text, font=font(size)) + 12
        end = RIGHT - draw.textlength(page, font=font(size)) - 12
        for x in range(int(start), int(end), step) if dot else ():
            foot = y + 0.95 * size + fall * (x - start)
            draw.rectangle((x, foot - dot + 1, x + dot - 1, foot), fill=0)
        drop = fall * (end - start)
        draw.text((RIGHT, y + drop), page, font=font(size), fill=0, anchor="ra")
    return image


class ContentsTest(unittest.TestCase):
    def check_entries(self, image):
        page = aq.read_page(pixels(image))
        self.assertEqual([b.text for b in of_kind(page, BlockKind.HEADING)], ["Contents"])
        items = of_kind(page, BlockKind.ITEM)
        self.assertEqual(len(items), 30, [b.text for b in page.blocks])
        for number, item in enumerate(items, 1):
            self.assertTrue(item.text.startswith(f"{number} "), item.text)
            self.assertTrue(item.text.endswith(str(3 * number + 8)), item.text)
        self.assertFalse(of_kind(page, BlockKind.MARGIN_NOTE))

    def test_leaders_that_hold_more_ink_than_the_letters(self):
        """The letters give the page its size, not the dots, however many."""
        image = contents(dot=5, step=7, size=20)
        letter = prepare(pixels(image), PreparationSettings()).letter_height
        plain = prepare(pixels(contents(size=20)), PreparationSettings()).letter_height
        self.assertAlmostEqual(letter, plain, delta=0.2 * plain)
        self.check_entries(image)

    def test_rows_of_dots_on_a_bent_page(self):
        """Dots are followed from one to the next, up or down."""
        self.check_entries(contents(dot=4, step=12, fall=0.012))

    def test_numbers_at_the_right_without_leaders(self):
        """They belong to their entries, and are no notes in the margin; the title is none."""
        self.check_entries(contents())


class IndexTest(unittest.TestCase):
    ENTRIES = tuple(f"{word}, {7 + 3 * n}, {90 + n}" for n, word in enumerate(WORDS[:36]))

    def test_each_entry_is_an_item(self):
        """Lines that go on without a number are their entry's; letters over them stand apart."""
        image = blank()
        draw = ImageDraw.Draw(image)
        entries = [*self.ENTRIES]
        entries[4:5] = ["stones of the harbour wall and", "    of the old mole, 12, 45"]
        for n, text in enumerate(["B", *entries]):
            draw.text((130 + 560 * (n // 20), 150 + 60 * (n % 20)), text, font=font(24), fill=0)
        page = aq.read_page(pixels(image))
        texts = [item.text for item in of_kind(page, BlockKind.ITEM)]
        self.assertEqual(len(texts), len(self.ENTRIES), texts)
        self.assertEqual(texts[4], "stones of the harbour wall and of the old mole, 12, 45")
        self.assertNotIn("B", " ".join(texts).split())

    def test_prose_with_years_is_no_index(self):
        """Years that end lines are no pages."""
        image = blank()
        draw = ImageDraw.Draw(image)
        for n in range(20):
            end = f", {1900 + n}" if n % 3 else ""
            text = " ".join(WORDS[n : n + 7])
            draw.text((130, 150 + 44 * n), text + end, font=font(24), fill=0)
        page = aq.read_page(pixels(image))
        self.assertFalse(of_kind(page, BlockKind.ITEM))


if __name__ == "__main__":
    unittest.main()
