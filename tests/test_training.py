import random
import tempfile
import unittest
from pathlib import Path

import matplotlib
import numpy as np

from amberquarry.reading.characters import ALPHABET, CLASS_OF
from amberquarry.reading.ground import LINE_HEIGHT
from amberquarry.training import degrade
from amberquarry.training.corpus import (
    clean,
    decode,
    paragraphs_of_html,
    paragraphs_of_manual,
    paragraphs_of_sayings,
)
from amberquarry.training.faces import (
    Face,
    GlyphDrawer,
    characters_of,
    index_faces,
    load_faces,
    plain_name,
    save_faces,
)
from amberquarry.training.lines import LineSource, draw_line
from amberquarry.training.texts import Corpus, amount, code, date, number, sample_text, vary

FONTS = Path(matplotlib.get_data_path()) / "fonts"
FACE = FONTS / "ttf" / "DejaVuSerif.ttf"

CORPUS = Corpus(
    {
        "en": ["The keeper oiled the gauge, then wrote the reading down."],
        "ru": ["Сторож записал уровень."],
    },
    {"en": ["gauge", "tide"], "ru": ["вода", "ветер"]},
)


def face() -> Face:
    """A face from a font that comes with Matplotlib."""
    known, height, family = characters_of(FACE)
    return Face(plain_name(family), "core", "train", ("ttf/DejaVuSerif.ttf",), (known,), height)


class CorpusTest(unittest.TestCase):
    def test_manual_pages_lose_their_markup(self):
        """Macros part paragraphs, font changes vanish, escapes are resolved."""
        source = (
            ".TH X 1\n.SH NAME\nThe \\fBtide\\fP gauge\n.B reads\nwell\\-known.\n.PP\nNext one."
        )
        self.assertEqual(
            list(paragraphs_of_manual(source)), ["The tide gauge reads well-known.", "Next one."]
        )

    def test_pages_and_sayings_are_cut(self):
        """Paragraphs of HTML and of files of sayings come out as text."""
        page = "<head><title>x</title></head><p>Fish &amp; <b>tide</b></p><li>two</li>"
        parts = [part.strip() for part in paragraphs_of_html(page)]
        self.assertEqual([part for part in parts if part], ["Fish & tide", "two"])
        self.assertEqual(
            [p.strip() for p in paragraphs_of_sayings("one\n%\ntwo\n")], ["one", "two"]
        )

    def test_foreign_text_is_dropped(self):
        """What is mostly outside the alphabet gives nothing, a stray sign is left out."""
        self.assertEqual(clean("漢字漢字"), "")
        self.assertEqual(
            clean("a tide table with a stray 漢 in it"), "a tide table with a stray  in it"
        )

    def test_encodings(self):
        """UTF-8 first, then what the file says; what is neither is None."""
        self.assertEqual(decode("ř".encode("iso-8859-2"), "iso-8859-2"), "ř")
        self.assertIsNone(decode(b"\xff\xfe\xfa"))


class TextTest(unittest.TestCase):
    def test_lines_are_in_the_alphabet(self):
        """Every kind of line can be learnt: nothing is empty for long or foreign."""
        chance = random.Random(4)
        texts = [sample_text(CORPUS, chance, chance.randint(1, 60)) for _ in range(1500)]
        self.assertEqual({c for text in texts for c in text} - set(ALPHABET), set())
        self.assertGreater(sum(bool(text) for text in texts), 1480)
        self.assertTrue(all("  " not in text for text in texts))

    def test_kinds_have_their_signs(self):
        """Numbers hold digits, and amounts, dates and codes vary."""
        chance = random.Random(5)
        for maker in (number, amount, date):
            with self.subTest(maker.__name__):
                found = {maker(chance) for _ in range(200)}
                self.assertGreater(len(found), 100)
                self.assertTrue(all(any(c.isdigit() for c in text) for text in found))
        self.assertTrue(any("@" in code(chance) for _ in range(100)))

    def test_variation_keeps_most_of_the_text(self):
        """Capitals, quotes and signs change a line, but do not replace it."""
        chance = random.Random(6)
        for _ in range(200):
            self.assertIn("tide", vary("a tide table", chance).lower().replace("ſ", "s"))

    def test_same_seed_same_lines(self):
        """A seed gives one sequence."""
        first, second = (
            [sample_text(CORPUS, chance, 30) for _ in range(50)]
            for chance in (random.Random(1), random.Random(1))
        )
        self.assertEqual(first, second)


class FaceTest(unittest.TestCase):
    def test_font_is_measured(self):
        """Characters that draw ink, the x-height and the family are found."""
        known, height, family = characters_of(FACE)
        self.assertTrue(set("aZé9ЖΩ—€") <= set(known))
        self.assertTrue(0.48 < height < 0.56, height)
        self.assertEqual(plain_name(family), "dejavuserif")

    def test_index_round_trip_and_splits(self):
        """A family that is kept apart stays apart, in whatever package it comes."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for package in ("one", "two"):
                (folder / package).mkdir()
                (folder / package / "DejaVuSerif.ttf").write_bytes(FACE.read_bytes())
            rows = [
                {"package": "one", "registry": "debian", "class": "core", "split": "train"},
                {"package": "two", "registry": "debian", "class": "core", "split": "test"},
            ]
            faces = index_faces(folder, rows)
            self.assertEqual({f.split for f in faces}, {"test"})
            save_faces(faces, folder / "faces.json")
            self.assertEqual(load_faces(folder / "faces.json", "test"), faces)
            self.assertEqual(load_faces(folder / "faces.json", "train"), [])

    def test_ligatures_are_one_glyph(self):
        """Only the clusters of print are joined."""
        drawer = GlyphDrawer(face(), FONTS, 20)
        self.assertEqual(
            drawer.clusters("office fit", True), ["o", "ffi", "c", "e", " ", "fi", "t"]
        )
        self.assertEqual(drawer.clusters("fi", False), ["f", "i"])
        self.assertTrue(drawer.holds("tide"))
        self.assertFalse(drawer.holds("漢"))


class LineTest(unittest.TestCase):
    def test_centres_lie_on_the_glyphs(self):
        """Each letter's column has ink, and columns rise."""
        drawer = GlyphDrawer(face(), FONTS, 24)
        for seed in range(8):
            drawn = draw_line(drawer, "tide MOWH box", random.Random(seed))
            self.assertEqual(len(drawn.centres), len(drawn.text))
            self.assertEqual(drawn.centres, sorted(drawn.centres))
            for letter, centre in zip(drawn.text, drawn.centres, strict=True):
                column = drawn.ink[:, max(0, int(centre) - 6) : int(centre) + 7]
                self.assertTrue(letter == " " or column.max() > 0.5, letter)

    def test_stream_of_lines(self):
        """Lines come in the net's form, labelled, placed, and the same for the same seed."""
        with tempfile.TemporaryDirectory() as name:
            data = Path(name)
            (data / "fonts").symlink_to(FONTS)

            def take(strength):
                source = LineSource(data, CORPUS, [face()], seed=3)
                return [s for _ in range(8) for s in source.lines(strength)]

            for strength in (0.0, 1.0):
                samples = take(strength)
                self.assertGreater(len(samples), 24)
                for sample in samples:
                    self.assertEqual(sample.ink.shape[0], LINE_HEIGHT)
                    self.assertTrue(0 <= sample.ink.min() <= sample.ink.max() <= 1)
                    self.assertEqual([CLASS_OF[c] for c in sample.text], sample.classes.tolist())
                    self.assertLess(float(sample.centres[-1]), sample.ink.shape[1])
            again = take(1.0)
            for left, right in zip(samples, again, strict=True):
                self.assertEqual(left.text, right.text)
                np.testing.assert_array_equal(left.ink, right.ink)

    def test_nothing_to_draw(self):
        """A line of blanks draws nothing."""
        self.assertIsNone(draw_line(GlyphDrawer(face(), FONTS, 20), "  ", random.Random(1)))


class WearTest(unittest.TestCase):
    def setUp(self):
        self.ink = draw_line(GlyphDrawer(face(), FONTS, 16), "tide", random.Random(2)).ink

    def test_wear_keeps_shape_and_range(self):
        """Whatever is done, pictures keep their size, and ink and grey levels their range."""
        for seed in range(12):
            chance = np.random.default_rng(seed)
            for strength in (0.0, 0.5, 1.0):
                ink = degrade.wear_strokes(self.ink, chance, 16, strength)
                ink = degrade.bleed_through(degrade.speckle(ink, chance, 16), self.ink, chance)
                self.assertEqual(ink.shape, self.ink.shape)
                self.assertTrue(0 <= ink.min() <= ink.max() <= 1.001)
                grey = degrade.halftone(degrade.lay_on_paper(ink, chance, strength), chance)
                picture = degrade.scan(grey, chance, 16, strength)
                self.assertEqual((picture.dtype, picture.shape), (np.uint8, self.ink.shape))

    def test_letters_stay_darker_than_paper(self):
        """Even worn at full strength, ink can be told from paper in most lines."""
        told = 0
        for seed in range(40):
            chance = np.random.default_rng(seed)
            picture = degrade.scan(degrade.lay_on_paper(self.ink, chance, 1.0), chance, 16, 1.0)
            told += picture[self.ink > 0.8].mean() < picture[self.ink < 0.1].mean() - 15
        self.assertGreaterEqual(told, 36)
