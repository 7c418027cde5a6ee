import unittest

import numpy as np

from amberquarry.imaging import views_of
from amberquarry.pages.laying import lay_out
from amberquarry.pages.reading import read_laid_out
from amberquarry.reading import NetReader
from amberquarry.reading.alphabet import EUROPEAN, Alphabet
from amberquarry.reading.decode import decode, figures_joined, weighed
from amberquarry.reading.steps import Steps
from amberquarry.settings import ReadingSettings, Settings
from amberquarry.sheet.typography import rows_of
from amberquarry.sources import PagePicture
from amberquarry.values import UNKNOWN, Direction
from tests.support.blocks import line_of
from tests.support.pages import pixels, text_page

RIGHT_TO_LEFT = Alphabet("אבגד 0123456789⁰¹²³⁴⁵⁶⁷⁸⁹₀₁₂₃₄₅₆₇₈₉" + UNKNOWN, Direction.RIGHT_TO_LEFT)
BY_SYLLABLES = Alphabet(EUROPEAN.signs, word=r"[^\s·]+")


class OtherNetwork:
    """Reads the same letters of another alphabet on every line."""

    digest = "stand-in"

    def __init__(self, text, alphabet):
        self.text, self.alphabet = text, alphabet

    def steps(self, ink):
        """W / 4 steps with a peak for each letter."""
        count = max(2 * len(self.text) + 1, ink.shape[1] // 4)
        found = np.full((count, self.alphabet.classes), 1e-4, np.float32)
        found[:, 0] = 0.95
        for number, sign in enumerate(self.text):
            step = round((number + 0.5) * count / len(self.text))
            found[step, 0], found[step, self.alphabet.class_of[sign]] = 1e-4, 0.97
        return Steps(found, np.zeros((count, 5), np.float32), self.alphabet)


def page_read_by(reader):
    """A page of some lines, read by a reader of any script."""
    picture = PagePicture(pixels(text_page(4)))
    settings = Settings()
    [view] = views_of(picture.grey, settings.preparation)
    stages = lay_out(picture.grey, view, reader, settings)
    return read_laid_out(picture, 1, stages, reader, settings)


class AlphabetTest(unittest.TestCase):
    def test_classes_and_signs(self):
        """The blank is class 0; signs come back from their classes."""
        self.assertEqual(EUROPEAN.classes, len(EUROPEAN.signs) + 1)
        classes = np.array([EUROPEAN.class_of[sign] for sign in "Tide 4"])
        self.assertEqual(EUROPEAN.text_of(classes), "Tide 4")
        self.assertTrue(EUROPEAN.open[0] and EUROPEAN.open[EUROPEAN.space])
        self.assertFalse(EUROPEAN.open[EUROPEAN.class_of["4"]])
        self.assertFalse(EUROPEAN.open[EUROPEAN.unknown])

    def test_what_it_spells(self):
        """A text with any other sign is not spelt."""
        self.assertTrue(EUROPEAN.spells("Прилив Παλίρροια tide"))
        self.assertFalse(EUROPEAN.spells("אבג"))
        self.assertTrue(RIGHT_TO_LEFT.spells("אבג 12"))

    def test_words(self):
        """Words are parted as the alphabet says."""
        self.assertEqual(EUROPEAN.words_in("high  water"), [(0, 4), (6, 11)])
        self.assertEqual(BY_SYLLABLES.words_in("ti·de at"), [(0, 2), (3, 5), (6, 8)])

    def test_normal_form(self):
        """Letters with marks are one code point where there is one."""
        self.assertEqual(EUROPEAN.normal("e\u0301"), "é")

    def test_alphabets_without_noughts(self):
        """What only some scripts have is left alone in others."""
        self.assertEqual(len(RIGHT_TO_LEFT.noughts), 0)
        steps = OtherNetwork("אב 12", RIGHT_TO_LEFT).steps(np.zeros((40, 200), np.float32))
        self.assertEqual(decode(weighed(figures_joined(steps), 0.0)).text, "אב 12")


class OtherReaderTest(unittest.TestCase):
    def test_a_page_in_another_script(self):
        """A reader with another alphabet needs no change anywhere else."""
        reader = NetReader(OtherNetwork("אבגד אבג 12", RIGHT_TO_LEFT), ReadingSettings())
        lines = [line for block in page_read_by(reader).blocks for line in block.lines]
        self.assertGreater(len(lines), 3)
        for line in lines:
            self.assertEqual(line.direction, Direction.RIGHT_TO_LEFT)
            self.assertEqual([word.text for word in line.words], ["אבגד", "אבג", "12"])
            self.assertGreater(line.x_height, 0)
            self.assertIsNotNone(line.baseline)

    def test_words_parted_by_the_alphabet(self):
        """Another way of parting words is the reader's own."""
        reader = NetReader(OtherNetwork("ti·de at", BY_SYLLABLES), ReadingSettings())
        [line, *_] = [line for block in page_read_by(reader).blocks for line in block.lines]
        self.assertEqual([word.text for word in line.words], ["ti", "de", "at"])

    def test_rows_go_by_direction(self):
        """Lines side by side come in the order in which they are read."""
        parts = [line_of(text, y=100.0, x=x) for text, x in (("one", 0.0), ("two", 300.0))]
        [row] = rows_of(parts)
        self.assertEqual([line.text for line in row], ["one", "two"])
        for line in parts:
            line.direction = Direction.RIGHT_TO_LEFT
        [row] = rows_of(parts)
        self.assertEqual([line.text for line in row], ["two", "one"])


if __name__ == "__main__":
    unittest.main()
