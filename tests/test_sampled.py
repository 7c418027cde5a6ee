"""Lines of a text layer held against the same lines read from ink."""

import unittest
from dataclasses import replace

import numpy as np

import amberquarry as aq
from amberquarry import Settings
from amberquarry.layer.characters import characters_of
from amberquarry.pages.sampled import (
    SAMPLES,
    Sample,
    better_read,
    can_be_read,
    samples_of,
    says_the_same,
)
from amberquarry.reading import load_reader
from amberquarry.settings import Limits
from amberquarry.sources import open_source
from amberquarry.values import Box, Line, Page, Word
from tests.support.layers import PROSE, layered, paragraph, picture_of


def line(text, sure=1.0):
    """A line of words, all as sure."""
    words, at = [], 0
    for word in text.split():
        start = text.index(word, at)
        at = start + len(word)
        words.append(Word(word, Box(10.0 * start, 0, 10.0 * at, 20), sure, start, at))
    none = np.zeros((len(text), 4), np.float32)
    box = Box(0, 0, 10.0 * len(text), 20)
    return Line(text, box, sure, words, none, np.full(len(text), sure, np.float32))


def samples(told, read, sure=1.0):
    """Samples of lines as the layer has them and as they were read."""
    return [Sample(line(one), line(other, sure)) for one, other in zip(told, read, strict=True)]


class AlikeTest(unittest.TestCase):
    def test_white_and_case_do_not_count(self):
        """Two readings that differ in spaces and capitals alone are the same."""
        [own] = samples(["The keeper wrote"], ["the keeperwrote"])
        self.assertEqual(own.alike, 1.0)

    def test_the_middle_line_decides(self):
        """One line that was cut badly leaves a layer what it is; most lines do not."""
        told = list(PROSE)
        self.assertTrue(says_the_same(samples(told, [*told[:2], ""])))
        self.assertFalse(says_the_same(samples(told, [told[0], "", ""])))
        self.assertTrue(says_the_same([]))


class BetterTest(unittest.TestCase):
    def test_the_same_words(self):
        """An earlier reading that ours agrees with is kept, and is sure."""
        self.assertEqual(better_read(samples(PROSE, PROSE)), 1.0)

    def test_misread_words(self):
        """Ours is better where the earlier one has words that the language has not."""
        misread = [own.replace("wa", "vva").replace("th", "tli") for own in PROSE]
        self.assertEqual(better_read(samples(misread, PROSE)), 0.0)

    def test_ours_misread(self):
        """The earlier one is better where ours has such words; how sure it is, is told."""
        misread = [own.replace("the wind", "tlie vvind").replace("morning", "rnorning")
                   for own in PROSE]  # fmt: skip
        self.assertEqual(better_read(samples(PROSE, misread, sure=0.6)), 1.0)

    def test_names_that_no_list_knows(self):
        """Where no list tells, ours is taken if it was surely read, and else the earlier one."""
        told = [own.replace("harbour", "Quarrowby") for own in PROSE]
        read = [own.replace("harbour", "Quarroby") for own in PROSE]
        self.assertEqual(better_read(samples(told, read, sure=0.95)), 0.0)
        kept = better_read(samples(told, read, sure=0.5))
        self.assertTrue(0.95 < kept < 1.0)

    def test_other_words(self):
        """Words of another page are never kept, whatever language they are of."""
        other = [own[::-1] for own in PROSE]
        self.assertEqual(better_read(samples(PROSE, other, sure=0.1)), 0.0)

    def test_nothing_to_compare(self):
        """Without lines of a few words nothing can be said for an earlier reading."""
        self.assertEqual(better_read([]), 0.0)
        self.assertEqual(better_read(samples(["12.40 3.10"], ["12.40 3.10"])), 0.0)

    def test_a_line_that_was_cut_badly(self):
        """Of many lines the least alike are left out."""
        told = [*PROSE, *PROSE]
        self.assertEqual(better_read(samples(told, [*PROSE, *PROSE[:2], ""])), 1.0)


class SamplesTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.settings = Settings()
        cls.reader = load_reader(cls.settings.reading)

    def layer(self, content):
        source = open_source(layered(content), self.settings, Limits())
        try:
            return characters_of(source.layer(0).text)
        finally:
            source.close()

    def test_letters_that_the_reader_knows(self):
        """What is mostly in letters of other scripts can't be held against it."""
        found = self.layer(paragraph())
        self.assertTrue(can_be_read(found, self.reader))
        foreign = replace(found, letters=np.full(len(found), "क"))
        self.assertFalse(can_be_read(foreign, self.reader))
        self.assertFalse(can_be_read(found.chosen(np.zeros(len(found), bool)), self.reader))

    def test_lines_are_read_where_they_stand(self):
        """Lines are cut from the picture at its own resolution, as many as are asked for."""
        content = paragraph() + paragraph(y=600) + paragraph(y=500)
        only = self.settings.with_values({"layer.use": "only"})
        page = aq.read_page(layered(content), settings=only)
        for dpi in (100, 200):
            with self.subTest(dpi=dpi):
                grey = picture_of(content, dpi)
                picture = aq.library.page_picture(grey, 1, self.settings, Limits())
                found = samples_of(page, picture, self.reader, self.settings, 4)
                self.assertEqual(len(found), 4)
                self.assertGreater(min(own.alike for own in found), 0.97)

    def test_short_and_long_lines_are_left_out(self):
        """Lines of a few letters tell nothing; those of very many are no lines."""
        page = Page(1, 1000, 1000, None)
        block = aq.Block(
            aq.BlockKind.PARAGRAPH, Box(0, 0, 10, 10), [line("short"), line("x" * 200)]
        )
        page.blocks = [block]
        picture = aq.library.page_picture(np.full((1000, 1000), 255, np.uint8), 1, self.settings,
                                          Limits())  # fmt: skip
        found = samples_of(page, picture, self.reader, self.settings, SAMPLES.lines)
        self.assertEqual(found, [])
