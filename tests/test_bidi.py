import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from amberquarry.reading.bidi import clusters_of, levels_of, logical_order, visual_order
from amberquarry.values import Direction

LTR, RTL = Direction.LEFT_TO_RIGHT, Direction.RIGHT_TO_LEFT


class VisualOrderTest(unittest.TestCase):
    def test_words_turn_and_figures_do_not(self):
        """Hebrew letters run to the left; numbers, with their separators, to the right."""
        for text, shown in (
            ("שלום 123 עולם", "םלוע 123 םולש"),
            ("מחיר: 1,234.50 או 50%", "50% וא 1,234.50 :ריחמ"),
            ("תאריך 12/03/2020", "12/03/2020 ךיראת"),
        ):
            self.assertEqual(visual_order(text, RTL), shown)

    def test_latin_names_and_brackets(self):
        """Words of Latin letters keep their order; brackets around turned text look turned."""
        text = "קובץ README.txt (גרסה 2.5) נמצא"
        self.assertEqual(visual_order(text, RTL), "אצמנ (2.5 הסרג) README.txt ץבוק")

    def test_marks_stay_with_their_letters(self):
        """Points of vowels follow the letter that they stand under, also where the line turns."""
        self.assertEqual(clusters_of("שָׁלוֹם"), ["שָׁ", "ל", "וֹ", "ם"])
        self.assertEqual(visual_order("שָׁלוֹם", RTL), "םוֹלשָׁ")

    def test_a_line_from_the_left_with_words_from_the_right(self):
        """Within Latin text only the other script's run turns."""
        self.assertEqual(visual_order("see ספר 12 and", LTR), "see 12 רפס and")

    def test_levels(self):
        """Letters to the left are odd, Latin letters and figures among them lie one above."""
        self.assertEqual(levels_of([*"אב 12 cd"], RTL), [1, 1, 1, 2, 2, 1, 2, 2])
        self.assertEqual(levels_of([*"ab 12"], LTR), [0] * 5)


WORDS = st.sampled_from(
    ["שלום", "ספר", "كتاب", "مدينة", "harbour", "Tide", "7", "12", "1,234.5", "50%", "(אב)", "א-ב"]
)


class RoundTripTest(unittest.TestCase):
    @settings(max_examples=300, deadline=None)
    @given(st.lists(WORDS, min_size=1, max_size=8))
    def test_what_is_read_back_looks_the_same(self, words):
        """Whatever stands beside what, the order that is read gives the line that was seen."""
        shown = visual_order(" ".join(words), RTL)
        self.assertEqual(visual_order(logical_order(shown, RTL), RTL), shown)

    def test_read_back(self):
        """Sentences come back as they were written."""
        for text in (
            "קובץ README.txt (גרסה 2.5) נמצא",
            "מחיר: 50% או ₪1,234.50",
            "גרסת Windows 10 החדשה",
            "السعر 1,234.5 (تقريبًا) في 12/03/2020",
        ):
            self.assertEqual(logical_order(visual_order(text, RTL), RTL), text)
        text = "see ספר and כתב 12 (א) here"
        self.assertEqual(logical_order(visual_order(text, LTR), LTR), text)

    def test_text_of_one_direction_is_left_alone(self):
        """Nothing changes in a line without letters that run to the left."""
        for text in ("Tide (3.5 m) at 12:40", "ключ «да»", ""):
            self.assertEqual(logical_order(text, LTR), text)
            self.assertEqual(visual_order(text, LTR), text)


if __name__ == "__main__":
    unittest.main()
