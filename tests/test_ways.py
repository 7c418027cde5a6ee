import unittest
from types import SimpleNamespace
from unittest import mock

import numpy as np

from amberquarry.imaging import View
from amberquarry.pages.ways import Attempt, read_best, ways
from amberquarry.settings import Settings
from amberquarry.sources import PagePicture
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Mapping,
    Page,
    PreparationStep,
    Step,
)
from tests.support.blocks import line_of

GREY = np.tile(np.arange(0, 240, 2, dtype=np.uint8), (200, 1))


def page_of(letters, confidence, *steps):
    """A page of words of ten letters that are so sure."""
    line = line_of(" ".join(["abcdefghij"] * (letters // 10)))
    for word in line.words:
        word.confidence = confidence
    blocks = [Block(BlockKind.PARAGRAPH, Box(0, 0, 90, 90), [line])]
    done = [PreparationStep(step, "because") for step in steps]
    return Page(1, 120, 200, None, blocks=blocks, preparation=done)


class Pages:
    """What is read in each way, by the settings that are changed."""

    def __init__(self, as_it_stands, **others):
        self.as_it_stands, self.others, self.asked = as_it_stands, others, []

    def laid_out(self, source, view, reader, settings):
        """Remember which settings are not as usual."""
        usual, own = Settings().preparation, settings.preparation
        names = [name for name in ("flatten", "lift_bleed", "ink_threshold", "smoothing_px")
                 if getattr(usual, name) != getattr(own, name)]  # fmt: skip
        self.asked.append(names[0] if names else "")
        return SimpleNamespace(name=self.asked[-1])

    def read(self, picture, number, stages, reader, settings, layer=None):
        """The page for the settings."""
        return self.others.get(stages.name, self.as_it_stands)


THOROUGH = Settings().with_values({"preparation.alternatives": 3})


def best_of(pages, scene=None):
    """What is taken of some pages, and all that was tried."""
    picture = PagePicture(GREY)
    scene = scene or Page(1, 120, 200, None)
    with (
        mock.patch("amberquarry.pages.ways.lay_out", pages.laid_out),
        mock.patch("amberquarry.pages.ways.read_laid_out", pages.read),
        mock.patch("amberquarry.pages.ways.read_scene", return_value=scene),
        mock.patch("amberquarry.pages.ways.paper_share", return_value=0.99),
    ):
        return read_best(picture, 1, View(GREY, Mapping()), None, THOROUGH)


class AttemptTest(unittest.TestCase):
    def test_more_right_characters_win(self):
        """A reading wins by the characters that are likely right, not by their mean."""
        few, many = (Attempt("", page_of(*given), None) for given in ((100, 0.9), (200, 0.6)))
        self.assertTrue(many.beats(few))
        self.assertFalse(few.beats(many))

    def test_a_little_more_is_not_enough(self):
        """Equal readings stay with the first."""
        one, other = (Attempt("", page_of(1000, sure), None) for sure in (0.900, 0.905))
        self.assertFalse(other.beats(one))

    def test_what_is_more_must_be_believable(self):
        """Where asked, the characters that come in addition must be likely right themselves."""
        few, doubtful = (Attempt("", page_of(*given), None) for given in ((100, 0.9), (200, 0.6)))
        self.assertFalse(doubtful.beats(few, believable=0.7))


class WaysTest(unittest.TestCase):
    def test_a_page_that_reads_well(self):
        """Nothing else is tried."""
        pages = Pages(page_of(2000, 0.99))
        tries = best_of(pages)
        self.assertEqual(pages.asked, [""])
        self.assertEqual([tried.way for tried in tries.attempts], ["as it stands"])

    def test_flattened_pages_are_also_read_as_they_were(self):
        """Where lines were made straight, the page counts that reads better."""
        pages = Pages(page_of(2000, 0.9, Step.FLATTEN), flatten=page_of(2000, 0.97))
        tries = best_of(pages)
        self.assertEqual(tries.best.way, "unflattened")
        self.assertIn("bent lines read better", tries.best.page.preparation[-1].why)

    def test_print_of_the_other_side(self):
        """Pale print that is not believable stays off the page."""
        for sure, wanted in ((0.6, "as it stands"), (0.93, "pale print kept")):
            with self.subTest(sure=sure):
                first = page_of(2000, 0.95, Step.BLEED)
                tries = best_of(Pages(first, lift_bleed=page_of(2400, sure)))
                self.assertEqual(tries.best.way, wanted)

    def test_pages_that_read_badly(self):
        """Other preparations are tried in their order, and the best of all counts."""
        pages = Pages(
            page_of(2000, 0.5), ink_threshold=page_of(2000, 0.6), smoothing_px=page_of(2000, 0.7)
        )
        tries = best_of(pages)
        self.assertEqual(pages.asked, ["", "ink_threshold", "ink_threshold", "smoothing_px"])
        self.assertEqual(tries.best.way, "smoothed")
        self.assertEqual([round(tried.confidence, 1) for tried in tries.attempts],
                         [0.5, 0.6, 0.6, 0.7])  # fmt: skip

    def test_quick_reading_tries_nothing(self):
        """How many preparations are tried is a setting."""
        names = [way.name for way in ways(THOROUGH)]
        self.assertIn("smoothed", names)
        quick = Settings().with_values({"preparation.alternatives": 0})
        self.assertEqual([way.name for way in ways(quick)], ["scene", "scene"])


if __name__ == "__main__":
    unittest.main()
