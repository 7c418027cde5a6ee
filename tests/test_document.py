import pickle
import unittest

from hypothesis import given
from hypothesis import strategies as st

from amberquarry import Box, PageError, Rejection, Settings, SettingsError, SourceError
from amberquarry.settings import OutputSettings, PreparationSettings, RenderSettings
from amberquarry.values import Page, Word, weighted_confidence

numbers = st.floats(-1000, 1000)
boxes = st.builds(
    lambda x, y, w, h: Box(x, y, x + w, y + h),
    numbers,
    numbers,
    st.floats(0, 500),
    st.floats(0, 500),
)


class BoxTest(unittest.TestCase):
    @given(boxes, boxes)
    def test_overlap_is_symmetric_and_bounded(self, a, b):
        """Neither box can share more than its own area."""
        self.assertAlmostEqual(a.overlap(b), b.overlap(a), places=3)
        self.assertLessEqual(a.overlap(b), min(a.area, b.area) + 1e-6)

    @given(st.lists(boxes, min_size=1, max_size=6))
    def test_around_holds_every_box(self, found):
        """The box around others covers each of them whole."""
        whole = Box.around(found)
        for box in found:
            self.assertAlmostEqual(whole.overlap(box), box.area, places=3)

    def test_edges_are_half_open(self):
        """A point on the right or lower edge lies outside."""
        box = Box(0, 0, 10, 10)
        self.assertTrue(box.contains(0, 0))
        self.assertFalse(box.contains(10, 5))

    def test_around_nothing_raises(self):
        """There is no box around no boxes."""
        with self.assertRaises(ValueError):
            Box.around([])


class ConfidenceTest(unittest.TestCase):
    def test_long_words_weigh_more(self):
        """The mean is taken over characters."""
        words = [Word("abcdef", Box(0, 0, 1, 1), 1.0, 0, 6), Word("xy", Box(0, 0, 1, 1), 0.2, 7, 9)]
        self.assertAlmostEqual(weighted_confidence(words), 0.8)
        dots = Word("." * 40, Box(0, 0, 9, 9), 0.1, 0, 40)  # a leader counts as one sign
        self.assertGreater(weighted_confidence([*words, dots]), 0.6)

    def test_page_without_words_has_none(self):
        """A blank page has confidence 0 and no text."""
        page = Page(1, 100, 100, None)
        self.assertEqual((page.confidence, page.text, list(page.words)), (0.0, "", []))
        self.assertEqual(page.legibility, 0.0)


class SettingsTest(unittest.TestCase):
    def test_round_trip(self):
        """What to_dict gives, from_dict takes."""
        settings = Settings(
            render=RenderSettings(dpi=200.0), output=OutputSettings(characters=True)
        )
        self.assertEqual(Settings.from_dict(settings.to_dict()), settings)

    def test_unknown_name_gets_a_hint(self):
        """A misspelt setting names the nearest one."""
        with self.assertRaises(SettingsError) as caught:
            Settings.from_dict({"render": {"dpj": 200}})
        self.assertEqual(
            str(caught.exception), "unknown setting render.dpj; did you mean render.dpi?"
        )

    def test_wrong_values_are_refused(self):
        """Type and range are checked, with the name in the message."""
        for values, name in (
            ({"render": {"dpi": "high"}}, "render.dpi"),
            ({"render": {"dpi": 5}}, "render.dpi"),
            ({"output": 3}, "output"),
            ({"output": {"min_confidence": True}}, "output.min_confidence"),
            ({"output": {"min_confidence": 2}}, "output.min_confidence"),
        ):
            with self.subTest(values=values), self.assertRaisesRegex(SettingsError, name):
                Settings.from_dict(values)

    def test_digest_tells_settings_apart(self):
        """Equal settings have equal hashes, others not."""
        other = Settings(preparation=PreparationSettings(max_skew_deg=0.0))
        self.assertEqual(Settings().digest(), Settings().digest())
        self.assertNotEqual(Settings().digest(), other.digest())


class ErrorTest(unittest.TestCase):
    def test_errors_survive_pickling(self):
        """Errors cross processes with their facts."""
        for error in (SourceError(Rejection.DAMAGED, "cut off"), PageError(3, "too large")):
            with self.subTest(error=error):
                again = pickle.loads(pickle.dumps(error))
                self.assertEqual((str(again), vars(again)), (str(error), vars(error)))
