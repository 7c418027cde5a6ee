import copy
import unittest

from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import Levenshtein

from amberquarry import Box, Word
from amberquarry.scoring import score_page, total
from amberquarry.scoring.text import errors_at_best_place, join_hyphens, plain
from tests.test_formats import page_of

letters = st.text("abc ", max_size=12)


class TextTest(unittest.TestCase):
    def test_comparison_form(self):
        """Quotes, dashes, ligatures and white space do not count."""
        self.assertEqual(plain(" “ﬁne”  – it’s\n²"), '"fine" - it\'s 2')
        self.assertEqual(join_hyphens(["baro-", "meter", "", "x"]), "barometer x")

    @given(letters, letters)
    def test_best_place_is_the_least_of_all_stretches(self, part, text):
        """The quick way agrees with trying every stretch."""
        least = min(
            Levenshtein.distance(part, text[a:b])
            for a in range(len(text) + 1)
            for b in range(a, len(text) + 1)
        )
        self.assertEqual(errors_at_best_place(part, text), least)


class PageTest(unittest.TestCase):
    def test_equal_pages_have_no_errors(self):
        """A page against itself is perfect."""
        page = page_of(["one two three"], ["four five"])
        score = total([score_page(page, page)])
        self.assertEqual(
            (score.cer, score.wer, score.box_f1, score.word_f1, score.order, score.tau),
            (0, 0, 1, 1, 1, 1),
        )

    def test_missing_page_is_all_wrong(self):
        """What was not read counts in full."""
        truth = page_of(["one two three"])
        score = total([score_page(None, truth)])
        self.assertEqual((score.cer, score.cer_any_order, score.wer, score.word_f1), (1, 1, 1, 0))

    def test_swapped_blocks_cost_order_only(self):
        """Text in the wrong order is right in any order."""
        truth = page_of(["alpha beta gamma delta"], ["epsilon zeta eta theta"])
        truth.blocks[1].lines[0].words = [w for w in truth.blocks[1].lines[0].words]
        for word in truth.blocks[1].lines[0].words:
            word.box = Box(word.box.x0, 200, word.box.x1, 220)
        found = page_of(["x"])
        found.blocks = truth.blocks[::-1]
        score = total([score_page(found, truth)])
        self.assertEqual((score.cer_any_order, score.cer_in_place, score.word_f1), (0, 0, 1))
        self.assertGreater(score.cer, 0.5)
        self.assertLess(score.order, 1)

    def test_words_that_are_not_there_count_in_place(self):
        """What was read where the truth has nothing is an error of its length."""
        truth = page_of(["one two three"])
        found = copy.deepcopy(truth)
        found.blocks[0].lines[0].words[0].text = "ons"
        far = Word("ghost", Box(4000, 4000, 4100, 4020), 0.9, 0, 5)
        found.blocks[0].lines[0].words.append(far)
        self.assertAlmostEqual(total([score_page(found, truth)]).cer_in_place, 6 / 13)
        self.assertEqual(total([score_page(None, truth)]).cer_in_place, 1.0)

    def test_digits_and_spaces_have_their_columns(self):
        """Figures and spaces are counted line by line, whatever the order of the lines."""
        truth = page_of(["gauge 4071 at noon"], ["the 12 of May"])
        for block, top in zip(truth.blocks, (0, 300), strict=True):
            for word in block.words:
                word.box = Box(word.box.x0, top, word.box.x1, top + 20)
        found = copy.deepcopy(truth)
        found.blocks.reverse()
        self.assertEqual(total([score_page(found, truth)]).digits, 1.0)
        gauge = found.blocks[1].lines[0].words
        gauge[1].text = "4O71"  # a letter for a figure
        gauge[2].text, gauge[2].box = "atnoon", Box.around([gauge[2].box, gauge[3].box])
        del gauge[3]
        may = found.blocks[0].lines[0].words
        may[-1].text = "M ay"
        score = total([score_page(found, truth)])
        self.assertAlmostEqual(score.digits, 5 / 6)
        self.assertAlmostEqual(score.spaces_missing, 1 / 6)
        self.assertAlmostEqual(score.spaces_extra, 1 / 6)

    def test_missing_lines_lose_their_digits(self):
        """Figures that were not read at all are not right."""
        truth = page_of(["gauge 4071 at noon"])
        self.assertEqual(total([score_page(page_of(["x"]), truth)]).digits, 0)
        self.assertIsNone(total([score_page(page_of(["x"]), page_of(["no figures"]))]).digits)
