import itertools
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PIL import ImageDraw

import amberquarry as aq
from amberquarry.imaging import prepare
from amberquarry.reading import NetReader, Trial, load_network, read_lines
from amberquarry.reading.bullets import lone_bullet
from amberquarry.reading.characters import ALPHABET, CLASS_OF, UNKNOWN, fold, unknown_characters
from amberquarry.reading.confidence import set_confidences
from amberquarry.reading.decode import decode
from amberquarry.reading.ground import LINE_HEIGHT, even_ground
from amberquarry.reading.languages import load_prior
from amberquarry.reading.net import OnnxLineNetwork
from amberquarry.reading.placed import (
    PlacedText,
    close_marks,
    part_figures,
    set_on_grid,
    without_feet,
)
from amberquarry.reading.reader import make_line, settle_bold
from amberquarry.reading.scripts import (
    PageLetters,
    settle_articles,
    settle_brackets,
    settle_case,
    settle_cedillas,
    settle_figures,
    settle_scripts,
)
from amberquarry.settings import PreparationSettings, ReadingSettings
from tests.support.networks import SayingNetwork
from tests.support.pages import PROSE, blank, pixels, text_page, wrap, write_lines
from tests.support.sheets import laid_out


class AlphabetTest(unittest.TestCase):
    def test_each_character_has_one_class(self):
        """Classes count from 1 without gaps; look-alikes are folded into the alphabet."""
        self.assertEqual(sorted(CLASS_OF.values()), list(range(1, len(ALPHABET) + 1)))
        self.assertEqual(fold("ﬁn… −5\u00a0µ"), "fin... –5 μ")
        self.assertEqual(unknown_characters("a語"), {"語"})

    @given(st.text(ALPHABET, max_size=40))
    def test_folding_twice_changes_nothing(self, text):
        """Folding is idempotent."""
        self.assertEqual(fold(fold(text)), fold(text))


class GroundTest(unittest.TestCase):
    def test_paper_is_zero_and_ink_one(self):
        """Level and slope of the light do not matter."""
        line = np.full((LINE_HEIGHT, 400), 220.0)
        line[15:30, 20:380:12] = 60
        line *= np.linspace(1, 0.5, 400)[None]
        ink = even_ground(line.astype(np.uint8))
        self.assertLess(float(np.median(ink)), 0.05)
        self.assertGreater(float(ink[20, 20:380:12].min()), 0.8)

    def test_odd_pictures(self):
        """No width, one pixel, one colour: no error and no ink out of nothing."""
        self.assertEqual(even_ground(np.zeros((40, 0), np.uint8)).shape, (40, 0))
        for level in (0, 128, 255):
            for width in (1, 7, 300):
                ink = even_ground(np.full((40, width), level, np.uint8))
                self.assertEqual((ink.shape, bool(np.isfinite(ink).all())), ((40, width), True))


class DecodeTest(unittest.TestCase):
    @given(st.text(ALPHABET.replace(" ", ""), min_size=1, max_size=30))
    def test_what_is_said_is_read(self, text):
        """A peak for each character gives the text, with columns in order."""
        read = decode(SayingNetwork(text).steps(np.zeros((40, 16 * len(text)), np.float32)))
        self.assertEqual(read.text, text)
        self.assertTrue((np.diff(read.columns) > 0).all())
        self.assertTrue(((read.confidences > 0) & (read.confidences <= 1)).all())

    def test_blanks_at_the_ends_and_doubled_ones_go(self):
        """Spaces only stand between words, one at a time."""
        read = decode(SayingNetwork(" a  b ").steps(np.zeros((40, 200), np.float32)))
        self.assertEqual(read.text, "a b")
        self.assertEqual(len(read.columns), 3)


class ScriptTest(unittest.TestCase):
    def test_look_alikes_follow_their_word(self):
        """A letter that several scripts share takes the script of the word, then of the line."""
        for given_text, wanted in (
            ("Mockва", "Москва"),
            ("THΕ END", "THE END"),
            ("дом с TOP", "дом с ТОР"),
            ("word α = 2", "word α = 2"),
            ("λόγoς", "λόγος"),
        ):
            with self.subTest(given_text):
                self.assertEqual(settle_scripts(given_text), wanted)

    def test_words_of_look_alikes_follow_the_page(self):
        """Where a line has no letter of one script alone, the page's script decides."""
        self.assertEqual(settle_scripts("арРУ(", PageLetters("LATIN")), "apPY(")
        self.assertEqual(settle_scripts("PACY", PageLetters("CYRILLIC")), "РАСУ")
        self.assertEqual(settle_scripts("арРУ("), "арРУ(")
        self.assertEqual(settle_scripts("0D ЗА 46", PageLetters("LATIN")), "0D 3A 46")
        for text in ("ЗА ЛЕС", "За", "ЗА"):
            self.assertEqual(settle_scripts(text, PageLetters("CYRILLIC")), text)
        self.assertEqual(settle_scripts("ЗА лес", PageLetters("LATIN")), "ЗА лес")

    def test_latin_names_stay_latin_in_other_scripts(self):
        """Words with a letter that the page's script or language lacks, and listed ones."""
        latin = {"copy", "http", "tex", "pace"}
        for script, language, text, wanted in (
            ("CYRILLIC", "ru", "файл ІЅО из ВІОЅ", "файл ISO из BIOS"),
            ("CYRILLIC", "ru", "Глава ХІХ", "Глава XIX"),
            ("CYRILLIC", "uk", "глава ХІХ", "глава ХІХ"),
            ("CYRILLIC", "sr", "Ја и она", "Ја и она"),
            ("CYRILLIC", "mk", "од ЅСС", "од ЅСС"),
            ("GREEK", "el", "το ΒΙΟS και CSΜ", "το BIOS και CSM"),
            ("CYRILLIC", "ru", "по НТТР в ТеХ", "по HTTP в TeX"),
            ("CYRILLIC", "ru", "о расе и МОСТ", "о расе и МОСТ"),
            ("CYRILLIC", "ru", "шаг ot дома", "шаг от дома"),
            ("CYRILLIC", "ru", "команда get ot user", "команда get ot user"),
            ("GREEK", "el", "To λάθος στο ΒΙΟς", "Το λάθος στο BIOS"),
        ):
            with self.subTest(text=text):
                page = PageLetters(script, language, {"расе", "мост", "το", "от"}, latin)
                self.assertEqual(settle_scripts(text, page), wanted)

    def test_marks_below_are_those_of_the_language(self):
        """Romanian has commas, Turkish cedillas; where the language is not known, as read."""
        for language, text, wanted in (
            ("ro", "poştă şi viaţă", "poștă și viață"),
            ("tr", "șimdi", "şimdi"),
            (None, "şi și", "şi și"),
        ):
            self.assertEqual(settle_cedillas(text, language), wanted)

    def test_a_stroke_at_the_end_of_capitals_is_one(self):
        """Not in words of small letters, nor before more of them."""
        for text, wanted in (
            ("UEFl", "UEFI"),
            ("UEFι", "UEFI"),
            ("HCl", "HCl"),
            ("ABCle", "ABCle"),
        ):
            self.assertEqual(settle_case(text, np.zeros(len(text))), wanted)

    @given(st.text(ALPHABET, max_size=60))
    def test_length_is_kept(self, text):
        """Character places stay valid."""
        self.assertEqual(len(settle_scripts(text)), len(text))


class PlaceTest(unittest.TestCase):
    def test_words_lie_on_their_ink(self):
        """With the true text given, each word's box holds its ink and nothing of its neighbours."""
        page = prepare(pixels(text_page(1)), PreparationSettings())
        layout = laid_out(page)
        first = wrap(PROSE, 52)[0]
        line = read_lines(
            page.grey, layout.ink, layout.lines[:1], SayingNetwork(first), ReadingSettings()
        )[0]
        self.assertEqual([word.text for word in line.words], first.split())
        boxes = [word.box for word in line.words]
        for left, right in itertools.pairwise(boxes):
            self.assertLessEqual(left.x1, right.x0)
        whole = aq.Box.around(boxes)
        self.assertGreater(whole.overlap(layout.lines[0].box), 0.98 * layout.lines[0].box.area)

    def test_doubtful_lines_are_no_text(self):
        """A line read with low confidence throughout is left out."""
        page = prepare(pixels(text_page(1)), PreparationSettings())
        layout = laid_out(page)
        network = SayingNetwork("nonsense", sureness=0.3)
        self.assertEqual(
            read_lines(page.grey, layout.ink, layout.lines[:1], network, ReadingSettings()),
            [None],
        )

    def test_word_confidence_is_a_product(self):
        """A word is as sure as all its characters together."""
        boxes = np.array([[0, 0, 5, 9], [6, 0, 9, 9], [9, 0, 9, 9], [12, 0, 20, 9]], np.float32)
        sure = np.array([0.9, 0.5, 1, 0.8], np.float32)
        line = make_line(PlacedText("ab c", boxes, sure, np.zeros((4, 4)), np.zeros((4, 3))))
        self.assertEqual(
            [(w.text, round(w.confidence, 3), w.start, w.end) for w in line.words],
            [("ab", 0.45, 0, 2), ("c", 0.8, 3, 4)],
        )

    def test_confidence_follows_letters_language_and_neighbours(self):
        """A doubtful letter, an odd word and a badly read line each lower a word's confidence."""

        def line_of(text, sureness, doubtful=()):
            boxes = np.array([[10 * n, 0, 10 * n + 8, 9] for n in range(len(text))], np.float32)
            sure = np.full(len(text), sureness, np.float32)
            sure[list(doubtful)] = 0.4
            plain = np.zeros((len(text), 4)), np.zeros((len(text), 3))
            return make_line(PlacedText(text, boxes, sure, *plain))

        clear = line_of("the harbour opens at dawn", 0.999)
        odd = line_of("the harbonr opens at dawn", 0.999)
        doubtful = line_of("the harbour opens at dawn", 0.999, doubtful=[8])
        faint = line_of("the harbour opens at dawn", 0.85)
        unread = line_of("the \ufffd\ufffd\ufffd opens at dawn", 0.999)
        lines = [clear, odd, doubtful, faint, unread]
        for line in lines:  # each as a page of its own
            set_confidences([line], load_prior("en"))
        found = [line.words[1].confidence for line in lines]
        self.assertGreater(found[0], 0.97)
        self.assertGreater(found[0], found[1])
        self.assertGreater(found[1], found[3])
        self.assertLess(found[2], 0.75)
        self.assertLess(doubtful.words[0].confidence, clear.words[0].confidence)
        self.assertEqual(found[4], 0)
        set_confidences([], None)  # a page without text

    def test_thin_gaps_at_marks_are_no_spaces(self):
        """Half a space before a mark goes, a whole one stays, as does one that tells nothing."""

        def line_of(text, thin):
            """A line of letters 10 wide, with spaces of 10, those before `thin` marks of 5."""
            at, rows = 0.0, []
            for n, letter in enumerate(text):
                wide = 5.0 if letter == " " and (text[n + 1] in thin or text[n - 1] in thin) else 10
                rows.append([at, 0, at if letter == " " else at + wide, 9])
                at += wide
            count = len(text)
            plain = np.zeros((count, 4)), np.zeros((count, 3))
            return PlacedText(text, np.array(rows, np.float32), np.ones(count), *plain)

        old = "in fog , snow ; ( so they say )"
        for text, thin, wanted in (
            (old, ",;()", "in fog, snow; (so they say)"),
            (old, "", old),
            ("one , two", ",", "one , two"),
            ("if a ? b : c", "", "if a ? b : c"),
        ):
            with self.subTest(text=text, thin=thin):
                closed = close_marks(line_of(text, thin))
                self.assertEqual(closed.text, wanted)
                self.assertEqual(len(closed.boxes), len(wanted))

    def test_points_that_are_feet_of_letters(self):
        """They touch the letter before them, and are unclear."""
        for text, gap, confidence, wanted in (
            ("the high.er tide", 0.0, 0.7, "the higher tide"),
            ("the high.er tide", 0.0, 0.99, "the high.er tide"),
            ("at tide.log", 3.0, 0.7, "at tide.log"),
            ("so i.e. now", 0.0, 0.7, "so i.e. now"),
        ):
            with self.subTest(text=text, gap=gap):
                starts = np.cumsum([0.0] + [8.0 + (gap if s == "." else 2.0) for s in text[1:]])
                boxes = np.stack([starts, 0 * starts, starts + 8, 0 * starts + 9], 1)
                sure = np.where([sign == "." for sign in text], confidence, 1.0)
                plain = np.zeros((len(text), 4)), np.zeros((len(text), 3))
                line = PlacedText(text, boxes.astype(np.float32), sure.astype(np.float32), *plain)
                self.assertEqual(without_feet(line).text, wanted)

    def test_commas_are_followed_by_the_space_that_stands_there(self):
        """White tells it, against the white before the comma: not within a figure."""

        def line_of(text, before, after):
            """Return a line of letters 8 wide and 2 apart, commas 3 wide."""
            at, rows = 0.0, []
            for n, sign in enumerate(text):
                wide = 0.0 if sign == " " else 3.0 if sign == "," else 8.0
                gap = 2.0 if n else 0.0
                if sign == ",":
                    gap = before
                elif n and text[n - 1] == ",":
                    gap = 0.0 if sign == " " else after
                elif n and text[n - 1] == " ":
                    gap = after
                at += gap
                rows.append([at, 0, at + wide, 9])
                at += wide
            plain = np.zeros((len(text), 4)), np.zeros((len(text), 3))
            return PlacedText(text, np.array(rows, np.float32), np.ones(len(text)), *plain)

        for text, before, after, wanted in (
            ("week,15,42", 2.0, 8.0, "week, 15, 42"),
            ("costs 1,234", 2.0, 3.0, "costs 1,234"),
            ("1,234", 7.0, 8.0, "1,234"),
            ("tide, 51,66", 1.0, 5.0, "tide, 51, 66"),
        ):
            with self.subTest(text=text):
                spaced = part_figures(line_of(text, before, after), 10.0)
                self.assertEqual(spaced.text, wanted)
                self.assertEqual(len(spaced.boxes), len(wanted))

    def test_spaces_between_words_and_figures(self):
        """White as wide as a space parts a word and a figure; names with figures stay whole."""
        for text, gap, wanted in (
            ("winter of1878.", 7.0, "winter of 1878."),
            ("a step of13 metres", 6.0, "a step of 13 metres"),
            ("a step of13 metres", 1.0, "a step of13 metres"),
            ("valve B12 and H2O", 7.0, "valve B12 and H2O"),
        ):
            at, rows = 0.0, []
            for n, letter in enumerate(text):
                if n and letter.isdigit() and not text[n - 1].isdigit():
                    at += gap
                rows.append([at, 0, at if letter == " " else at + 8, 9])
                at += 5.0 if letter == " " else 9.0
            plain = np.zeros((len(text), 4)), np.zeros((len(text), 3))
            line = PlacedText(text, np.array(rows, np.float32), np.ones(len(text)), *plain)
            self.assertEqual(part_figures(line, 10.0).text, wanted)

    def test_spaces_of_fixed_pitch_are_empty_places(self):
        """On a grid of 10 pixels spaces follow the places; off it they stay as they were read."""

        def line_of(text, places, wide=8.0):
            middle = 10 * np.array(places, np.float32) + 5
            spaces = np.array([sign == " " for sign in text])
            half = np.where(spaces, 0.0, wide / 2)
            boxes = np.stack([middle - half, 0 * middle, middle + half, 0 * middle + 9], 1)
            count = len(text)
            plain = np.zeros((count, 4)), np.zeros((count, 3))
            return PlacedText(text, boxes, np.ones(count, np.float32), *plain)

        whole = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9]
        for text, places, wanted in (
            ("gauge(i=1)", whole, "gauge(i=1)"),
            ("gauge (i=1)", [0, 1, 2, 3, 4, 4.5, 5, 6, 7, 8, 9], "gauge(i=1)"),
            ("gauge(i=1)", [0, 1, 2, 3, 4, 7, 8, 9, 10, 11], "gauge (i=1)"),
            ("levels –1.5", [*whole, 10], "levels -1.5"),
            ("aa,15, 42", [0, 1, 2, 3, 4, 5, 5.7, 6.4, 7.4], "aa,15, 42"),
            ("week,15,42", [0, 1, 2, 3, 4.3, 5, 6, 7.3, 8, 9], "week,15,42"),
            ("a tide of", [0, 0.7, 1.4, 2.7, 3.9, 5.2, 5.6, 6.1, 7.4], "a tide of"),
        ):
            with self.subTest(text=text):
                set_line = set_on_grid(line_of(text, places), 10.0)
                self.assertEqual(set_line.text, wanted)
                self.assertEqual(len(set_line.boxes), len(wanted))
                self.assertTrue((np.diff(set_line.boxes[:, 0]) > 0).all())

    def test_words_have_styles(self):
        """A word has a style if most of its letters have it; points and brackets don't count."""
        styles = np.zeros((8, 4), np.float32)
        styles[0:2, 2] = 0.9
        styles[4:7, 1] = 0.8
        boxes = np.tile(np.float32([0, 0, 5, 9]), (8, 1))
        line = make_line(PlacedText("ab, (cd)", boxes, np.ones(8), styles, np.zeros((8, 3))))
        self.assertEqual(
            [w.styles for w in line.words], [{aq.Style.SUPERSCRIPT}, {aq.Style.ITALIC}]
        )

    def test_bold_is_heavier_than_the_page(self):
        """Where every word is heavy none is set apart; one that is heavier than the rest is.

        What is heavier is told by the net, by the width of strokes, or by both together.
        """

        def lines_of(weights, widths=None, text="tide"):
            count = len(text)
            placed = [
                PlacedText(
                    text,
                    np.tile(np.float32([0, 0, 5, 9]), (count, 1)),
                    np.ones(count, np.float32),
                    np.tile(np.float32([weight, 0, 0, 0]), (count, 1)),
                    np.tile(np.float32([10 * width, 3, 4]), (count, 1)),
                )
                for weight, width in zip(weights, widths or [2.0] * len(weights), strict=True)
            ]
            lines = [make_line(text) for text in placed]
            settle_bold(lines, placed, np.full(len(lines), 20.0))
            return [aq.Style.BOLD in line.words[0].styles for line in lines]

        self.assertEqual(lines_of([0.9] * 40), [False] * 40)
        self.assertEqual(lines_of([0.15] * 40 + [0.75]), [False] * 40 + [True])
        self.assertEqual(lines_of([0.2, 0.9]), [False, True])
        wider = [2.0] * 40 + [3.7, 2.3]
        self.assertEqual(lines_of([0.2] * 42, wider), [False] * 40 + [True, False])
        self.assertEqual(lines_of([0.2] * 41 + [0.6], wider)[40:], [True, True])
        self.assertEqual(lines_of([0.2] * 42, [0.0] * 42), [False] * 42)
        # where print is heavy throughout, words must be clearly heavier
        self.assertEqual(lines_of([0.7] * 40 + [0.85, 0.99], [2.0] * 42)[40:], [False, True])
        # a whole line need not be as heavy as a word in it
        half = [0.2] * 40 + [0.45]
        self.assertEqual(
            [lines_of(half, [*wider[:40], 2.3], text)[-1] for text in ("sea", "tides")],
            [False, True],
        )

    def test_slanted_lines_are_italic(self):
        """Words of a page come out with the style that the net tells."""
        page = prepare(pixels(text_page(3)), PreparationSettings())
        layout = laid_out(page)
        network = SayingNetwork("a line of text " * 6, style=(0, 0.9, 0, 0))
        lines = read_lines(page.grey, layout.ink, layout.lines, network, ReadingSettings())
        self.assertEqual(lines[0].words[0].styles, {"italic"})

    def test_unknown_scripts_are_marked(self):
        """A line mostly of signs for the unknown is marked, and sure of nothing."""
        page = prepare(pixels(text_page(1)), PreparationSettings())
        layout = laid_out(page)
        for text, expected in ((f"{UNKNOWN * 4} {UNKNOWN} 12", True), (f"tides {UNKNOWN}", False)):
            [line] = read_lines(
                page.grey, layout.ink, layout.lines[:1], SayingNetwork(text), ReadingSettings()
            )
            self.assertEqual(line.text, text)
            self.assertEqual(line.unsupported_script, expected)
            unknown = [w.confidence for w in line.words if UNKNOWN in w.text]
            self.assertEqual(max(unknown), 0)


class LegibilityTest(unittest.TestCase):
    def test_worse_prints_are_less_legible(self):
        """The same page scanned worse and worse comes lower each time, whatever its words are."""
        clean = pixels(text_page(2))
        seen = [aq.read_page(clean).legibility]
        for spread in (2.2, 4.0):
            seen.append(aq.read_page(cv2.GaussianBlur(clean, (0, 0), spread)).legibility)
        self.assertEqual(seen, sorted(seen, reverse=True))
        self.assertGreater(seen[0], 0.98)
        self.assertLess(seen[2], seen[0] - 0.01)


class FigureTest(unittest.TestCase):
    def test_letters_among_figures(self):
        """l, I and O among figures are figures; words, codes and single letters are left."""
        for text, wanted in (
            ("No. 1l8", "No. 118"),
            ("4.7I, 3O,5", "4.71, 30,5"),
            ("3O,55 l2.l2.l9", "30,55 12.12.19"),
            ("O2 I3 10 l of oil", "O2 I3 10 l of oil"),
            ("Il 1l", "Il 1l"),
            ("lA 2A lD l'A lAS", "1A 2A 1D l'A lAS"),
            ("B12O4", "B12O4"),
            ("#FFOO80 #FFOOFF #OA8 #OASIS #O", "#FF0080 #FF00FF #0A8 #OASIS #O"),
            ("#CODE #FOO #DECODE", "#CODE #FOO #DECODE"),
        ):
            with self.subTest(text):
                self.assertEqual(settle_figures(text), wanted)

    def test_noughts_of_old_style_after_one_figure(self):
        """They look like the letter o, which stands after figures in some languages."""
        text = "was 1o divisions, 8.o metres (2o), C1o 1ob"
        settled = "was 10 divisions, 8.0 metres (20), C1o 1ob"
        for language, wanted in (("en", settled), ("pt", text), (None, text)):
            with self.subTest(language=language):
                self.assertEqual(settle_figures(text, language), wanted)

    def test_capitals_as_low_as_small_letters(self):
        """Letters of one shape follow their height; small capitals and true ones stay."""
        for text, wanted, tall in (
            ("воЗмоЖность Пути", "возможность Пути", "П"),
            ("Some coVeS and VoiCes", "Some coves and voices", "S"),
            ("Vox and Corvus", "Vox and Corvus", "VC"),
            ("the NORTH mole, TODaY", "the NORTH mole, TODaY", ""),
        ):
            with self.subTest(text):
                rise = np.array([14.2 if letter in tall else 10.0 for letter in text])
                # the second S of a word that begins with a true one stands low
                rise[1:] = np.where([a.isalpha() for a in text[:-1]], 10.0, rise[1:])
                self.assertEqual(settle_case(text, rise), wanted)

    def test_constants_in_small_type(self):
        """Joined words of letters of one height are in capitals; with risers they are small."""
        text = "type norm_OBJECt_dAtA, norm_data or a_x"
        flat = np.array([16.0 if 5 <= n < 21 else 15.0 for n in range(len(text))])
        risen = [n for n, letter in enumerate(text) if n > 21 and letter in "dt"]
        flat[risen] = 22.0
        self.assertEqual(settle_case(text, flat), "type NORM_OBJECT_DATA, norm_data or a_x")

    def test_a_dot_that_stands_over_the_next_letter(self):
        """In slanted type it makes that letter tall: other words tell how high small ones are."""
        text = "Wind from the west"
        rise = np.array([30.0 if n < 4 else 22.0 for n in range(len(text))])
        self.assertEqual(settle_case(text, rise), text)

    def test_bits_of_a_broken_rule_are_no_bullets(self):
        """A bullet is about as wide as it is high."""
        for width, wanted in ((14, "■"), (3, None)):
            image = text_page(2)
            ImageDraw.Draw(image).rectangle((60, 146, 60 + width, 160), fill=0)
            prepared = prepare(pixels(image), PreparationSettings())
            layout = laid_out(prepared)
            line = min(layout.lines, key=lambda line: line.box.y0)
            found = lone_bullet(layout.ink, line, 125.0)
            self.assertEqual(found[0] if found else None, wanted)

    def test_a_lone_nought_before_a_word(self):
        """Where sentences begin with the word "O" an unclear nought is that; clear ink stays."""
        text = "0 mar subiu. 0 cais tem 0 degraus. 0 12"
        unsure = np.full(len(text), 0.7, np.float32)
        read = settle_articles(text, unsure, "pt")
        self.assertEqual(read, "O mar subiu. O cais tem 0 degraus. 0 12")
        self.assertEqual(settle_articles(text, unsure, "en"), text)
        self.assertEqual(settle_articles(text, unsure + 0.29, "pt"), text)

    def test_angle_brackets_have_partners(self):
        """One beside a round bracket is round; pairs, and those of states, stay."""
        for text, wanted in (
            ("f(x⟩ + g", "f(x) + g"), ("⟨x)", "(x)"), ("⟨a, b⟩", "⟨a, b⟩"), ("|a⟩", "|a⟩"),
            ("end of it⟩.", "end of it)."), ("(⟨a⟩)", "(⟨a⟩)"), ("a < b", "a < b"),
        ):  # fmt: skip
            with self.subTest(text=text):
                self.assertEqual(settle_brackets(text), wanted)


class ModelTest(unittest.TestCase):
    def test_bad_model_files_are_named(self):
        """A missing or foreign file gives an error with its path."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "model.onnx"
            with self.assertRaisesRegex(aq.ModelError, "model.onnx.*can't be read"):
                OnnxLineNetwork(path)
            path.write_bytes(b"not a model")
            with self.assertRaisesRegex(aq.ModelError, "model.onnx.*hash"):
                OnnxLineNetwork(path)

    def test_shape_is_checked(self):
        """The net takes pictures of one height."""
        with self.assertRaisesRegex(ValueError, r"got shape \(39, 100\)"):
            load_network().steps(np.zeros((39, 100), np.float32))


class PageTest(unittest.TestCase):
    def test_prose_is_read(self):
        """A clean page in a face the reader never saw comes out nearly right, in any input form."""
        image = text_page(2)
        wanted = " ".join((PROSE * 2).split())
        for source in (image, pixels(image), image.convert("RGB")):
            page = aq.read_page(source)
            found = " ".join(page.text.split())
            self.assertLess(abs(len(found) - len(wanted)), 12)
            right = sum(word in found for word in wanted.split())
            self.assertGreater(right / len(wanted.split()), 0.93)

    def test_turned_pages_are_found(self):
        """Each quarter turn is told, and boxes stay in the picture as given."""
        image = text_page(2)
        for turned in (90, 180, 270):
            with self.subTest(turned=turned):
                page = aq.read_page(image.rotate(-turned, expand=True))
                self.assertEqual(page.rotation, turned)
                self.assertIn("keeper", page.text)
                words = [w for w in page.words if w.text == "keeper"]
                tall = words[0].box.height > words[0].box.width
                self.assertEqual(tall, turned in (90, 270))

    def test_figures_on_their_side_turn_no_page(self):
        """They look like letters of an unknown script, and surely so; known letters do turn it."""
        image, chance = blank(1240, 1000), np.random.default_rng(5)
        for row, column in np.ndindex(14, 18):
            figure = str(chance.integers(0, 100))
            write_lines(image, [figure], x=120 + 44 * column, y=200 + 30 * row, size=20)
        for known, wanted in ((0.0, {0}), (0.94, {90, 270})):
            upright, turned, on_its_head = Trial(0.8, 0.8), Trial(0.94, known), Trial(0.3, 0.3)
            trials = [upright, on_its_head, turned, on_its_head]
            with mock.patch.object(NetReader, "trial", side_effect=trials):
                self.assertIn(aq.read_page(image).rotation, wanted)

    def test_pages_without_text(self):
        """Blank, black, noisy and tiny pages give no words and no error."""
        noise = np.random.default_rng(3).integers(0, 256, (500, 400), dtype=np.uint8)
        for picture in (
            np.full((900, 700), 255, np.uint8),
            np.zeros((900, 700), np.uint8),
            noise,
            np.zeros((1, 1), np.uint8),
            np.full((20, 2000), 255, np.uint8),
        ):
            with self.subTest(shape=picture.shape):
                self.assertLessEqual(len(list(aq.read_page(picture).words)), 1)

    def test_page_numbers_are_checked(self):
        """Asking for a page that is not there says how many there are."""
        from amberquarry.demo import COLLECTION

        with self.assertRaisesRegex(ValueError, "no page 9, the file has 1"):
            aq.read_page(COLLECTION / "circular.pdf", page=9)
