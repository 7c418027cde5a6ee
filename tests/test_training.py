import importlib.util
import random
import re
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

if not all(importlib.util.find_spec(name) for name in ("torch", "fontTools", "babel")):
    raise unittest.SkipTest("the training kit needs the extra `train`")

import matplotlib
import numpy as np
from babel.messages import Catalog
from babel.messages.mofile import write_mo

from amberquarry.reading.characters import ALPHABET, CLASS_OF, UNKNOWN
from amberquarry.reading.ground import LINE_HEIGHT
from amberquarry.training import degrade
from amberquarry.training.corpus import (
    clean,
    decode,
    paragraphs_of_html,
    paragraphs_of_manual,
    paragraphs_of_messages,
    paragraphs_of_sayings,
)
from amberquarry.training.faces import (
    Face,
    FormulaDrawer,
    GlyphDrawer,
    index_faces,
    is_bold,
    load_faces,
    plain_name,
    read_font,
    save_faces,
    tell_bold,
)
from amberquarry.training.fetch import copy_texts
from amberquarry.training.foreign import ForeignDrawer, index_foreign, label_of, random_word
from amberquarry.training.formulas import slanted, with_formulas
from amberquarry.training.lines import LineSource, Run, draw_line, settings_of_letters
from amberquarry.training.texts import (
    SCRIPTS,
    Corpus,
    alphabet,
    amount,
    code,
    date,
    mark_of_note,
    name_with_figures,
    number,
    of_script,
    old_spelling,
    sample_text,
    vary,
)

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
    return face_of("DejaVuSerif.ttf", bold=False)


def face_of(name: str, bold: bool) -> Face:
    font = read_font(FONTS / "ttf" / name)
    return Face(
        plain_name(font.family),
        "core",
        "train",
        (f"ttf/{name}",),
        (font.characters,),
        font.x_height,
        bold,
        False,
    )


def runs(drawer: GlyphDrawer, text: str) -> list[Run]:
    return [Run(text, drawer, False, False)]


class CorpusTest(unittest.TestCase):
    def test_messages_give_their_sentences(self):
        """Translated ones without places for values, a paragraph each."""
        catalog = Catalog(locale="el")
        for said, written in (
            ("Gauge ready.", "Έτοιμο το όργανο."),
            ("Tide: %s", "Παλίρροια: %s"),
            ("Mole", "Mole"),
            ("Two\n\nparts", "Δύο\n\nμέρη"),
        ):
            catalog.add(said, written)
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "harbour.mo"
            with path.open("wb") as file:
                write_mo(file, catalog)
            found = list(paragraphs_of_messages(path))
        self.assertEqual(sorted(found), sorted(["Έτοιμο το όργανο.", "Δύο", "μέρη"]))

    def test_packages_of_many_languages_give_one(self):
        """Of handbooks and messages only the language's own are copied."""
        with tempfile.TemporaryDirectory() as name:
            tree, target = Path(name) / "tree", Path(name) / "el" / "handbook.part"
            for inside in (
                "help/el/tides.page",
                "help/ru/tides.page",
                "locale/el/LC_MESSAGES/a.mo",
            ):
                path = tree / "usr" / "share" / inside
                path.parent.mkdir(parents=True)
                path.write_text("x", encoding="utf-8")
            target.mkdir(parents=True)
            copy_texts(tree, target)
            copied = sorted(path.name for path in target.iterdir())
        self.assertEqual(copied, ["share_help_el_tides.page", "share_locale_el_LC_MESSAGES_a.mo"])

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

    def test_marks_of_notes_and_names_with_figures(self):
        """Marks have one or two figures of one form; names hold a figure."""
        chance = random.Random(3)
        marks = {mark_of_note(chance) for _ in range(400)}
        self.assertEqual({len(mark) for mark in marks}, {1, 2})
        self.assertTrue(any(len(mark) == 2 and mark[1] == "⁰" for mark in marks))
        self.assertFalse(any(mark[0] == "⁰" for mark in marks))
        for _ in range(100):
            self.assertRegex(name_with_figures(chance), r"^(v?\d\.\d|[A-Za-z]{1,3}\d).*$")

    def test_letters_one_by_one(self):
        """Lines of letters hold those of a language, marked ones and pairs of capitals too."""
        chance = random.Random(2)
        corpus = Corpus({"sk": ["x"]}, {"sk": ["ľahký", "šťastný", "päť", "dážď", "stĺp"]})
        lines = [alphabet(corpus, chance, 30) for _ in range(60)]
        self.assertTrue(all(len(part) == 1 for line in lines for part in re.split("[ ,|]+", line)))
        self.assertLessEqual({"ľ", "Ľ", "ť", "Ť"}, set("".join(lines)))

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
        font = read_font(FACE)
        self.assertTrue(set("aZé9ЖΩ—€") <= set(font.characters))
        self.assertTrue(0.48 < font.x_height < 0.56, font.x_height)
        self.assertEqual(plain_name(font.family), "dejavuserif")

    def test_weight_and_slant(self):
        """Weight comes from the name and must be borne out by the strokes."""
        for name, bold, leans in (
            ("DejaVuSerif.ttf", False, False),
            ("DejaVuSerif-Bold.ttf", True, False),
            ("DejaVuSans-Oblique.ttf", False, True),
            ("DejaVuSans-BoldOblique.ttf", True, True),
        ):
            with self.subTest(name):
                font = read_font(FONTS / "ttf" / name)
                self.assertEqual(is_bold(font.weight, font.stroke), bold)
                self.assertEqual(font.slanted, leans)
        self.assertIsNone(is_bold(400, 0.3))
        self.assertIsNone(is_bold(700, 0.1))

    def test_light_bold_is_told_by_its_family(self):
        """What is named bold and is thicker than the family's plain face is bold, else unknown."""
        plain = Face("thin", "core", "train", ("a.ttf",), ("abc",), 0.5, None, False)
        told = tell_bold([plain] * 3, [300, 700, 700], [0.10, 0.15, 0.11])
        self.assertEqual([face.bold for face in told], [False, True, None])
        alone = tell_bold([plain], [700], [0.15])
        self.assertIsNone(alone[0].bold)

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

    def test_hand_set_letters(self):
        """Old print joins more letters, where one file has them all."""
        drawer = GlyphDrawer(face(), FONTS, 20, old=True)
        self.assertEqual(drawer.clusters("actſt", True), ["a", "ct", "ſt"])
        halves = replace(face(), files=face().files * 2, characters=("c", "at"))
        self.assertEqual(GlyphDrawer(halves, FONTS, 20, old=True).clusters("act", True), [*"act"])

    def test_old_spelling(self):
        """Long s stands everywhere but at the end of words; a text keeps its words otherwise."""
        for seed in range(5):
            text = old_spelling("Caesar passes", random.Random(seed))
            self.assertIn(text, ("Caeſar paſſes", "Cæſar paſſes"))


class LineTest(unittest.TestCase):
    def test_gaps_before_marks_are_no_spaces(self):
        """Hand-set lines set their marks apart and keep their text."""
        text = "tide, box; (tide) box"
        wide, plain = (
            [draw_line(drawer, runs(drawer, text), random.Random(seed)) for seed in range(6)]
            for drawer in (GlyphDrawer(face(), FONTS, 24, old=old) for old in (True, False))
        )
        for drawn, other in zip(wide, plain, strict=True):
            self.assertEqual((drawn.text, other.text), (text, text))
        self.assertGreater(
            sum(drawn.ink.shape[1] for drawn in wide), sum(drawn.ink.shape[1] for drawn in plain)
        )

    def test_centres_lie_on_the_glyphs(self):
        """Each letter's column has ink, and columns rise."""
        drawer = GlyphDrawer(face(), FONTS, 24)
        for seed in range(8):
            drawn = draw_line(drawer, runs(drawer, "tide MOWH box"), random.Random(seed))
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
                source = LineSource(data, CORPUS, [face()], {}, seed=3)
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
        drawer = GlyphDrawer(face(), FONTS, 20)
        self.assertIsNone(draw_line(drawer, runs(drawer, "  "), random.Random(1)))

    def test_styles_of_letters(self):
        """Each letter carries the weight of its run; raised figures are told as raised."""
        plain = GlyphDrawer(face(), FONTS, 20)
        heavy = GlyphDrawer(face_of("DejaVuSerif-Bold.ttf", bold=True), FONTS, 20)
        line = [Run("tide ", plain, False, False), Run("m³", heavy, True, False)]
        for seed in range(6):
            drawn = draw_line(plain, line, random.Random(seed))
            styles = dict(zip(drawn.text, drawn.styles, strict=True))
            self.assertEqual(drawn.text, "tide m³")
            self.assertEqual((styles["t"][0], styles["m"][0]), (0, 1))
            self.assertEqual((styles["t"][2], styles["³"][2]), (0, 1))

    def test_raised_letters_keep_their_label(self):
        """Some words end in raised or lowered letters, some are set in small capitals."""
        drawer = GlyphDrawer(face(), FONTS, 20)
        found = set()
        for seed in range(300):
            found.update(settings_of_letters("The Tide 23rd", drawer, random.Random(seed)))
        self.assertEqual(found, {"plain", "raised", "lowered", "small capital"})

    def test_numbers_of_lines_and_indices(self):
        """Lines may begin with their number in small figures; formulas have indices often."""
        drawer = GlyphDrawer(face(), FONTS, 20)
        manners = [
            settings_of_letters("125 the tide", drawer, random.Random(n))[:4] for n in range(40)
        ]
        self.assertIn(["small figure"] * 4, manners)
        self.assertIn(["plain"] * 4, manners)
        counts = [
            sum(
                "lowered" in settings_of_letters(text, drawer, random.Random(n)) for n in range(200)
            )
            for text in ("xi = yj", "xi or yj")
        ]
        self.assertGreater(counts[0], 2 * counts[1])

    def test_formulas_have_letters_of_their_own(self):
        """Letters of a formula are drawn slanted under their plain label, indices off the line."""
        self.assertEqual("".join(map(slanted, "ahAαΩ2")), "𝑎ℎ𝐴𝛼𝛺2")
        font = face_of("STIXGeneral.ttf", bold=False)
        drawers = [GlyphDrawer(font, FONTS, 24), FormulaDrawer(font, FONTS, 24)]
        self.assertTrue(drawers[1].holds("aAα"))
        self.assertFalse(FormulaDrawer(face(), FONTS, 24).holds("α"))
        plain, cut = (draw_line(drawer, [Run("ab", drawer)]) for drawer in drawers)
        self.assertEqual((plain.text, cut.text), ("ab", "ab"))
        self.assertNotEqual(plain.ink.shape, cut.ink.shape)
        base = draw_line(drawers[0], [Run("x", drawers[0])])
        raised = draw_line(drawers[0], [Run("x", drawers[0], manner="raised")], random.Random(1))
        self.assertEqual(raised.styles[0][2], 1)
        rows = [np.flatnonzero(line.ink.any(axis=1))[-1] for line in (base, raised)]
        self.assertLess(rows[1], rows[0] - 5)

    def test_running_text_with_formulas(self):
        """Formulas stand among words, are cut to the line, and come out of a source of lines."""
        for seed in range(30):
            pieces = with_formulas(CORPUS, random.Random(seed), 40, 50)
            self.assertLessEqual(sum(len(piece.text) for piece in pieces), 50)
            self.assertLessEqual({piece.manner for piece in pieces}, {"plain", "raised", "lowered"})
        with tempfile.TemporaryDirectory() as name:
            data = Path(name)
            (data / "fonts").symlink_to(FONTS)
            faces = [
                replace(face_of("DejaVuSerif.ttf", bold=False), family="latinmodernroman"),
                replace(face_of("STIXGeneral.ttf", bold=False), family="latinmodernmath"),
            ]
            source = LineSource(data, CORPUS, faces, {}, seed=3)
            texts = [sample.text for _ in range(60) for sample in source.lines(0.2)]
        among = [t for t in texts if re.search("(keeper|oiled|gauge|reading).* [α-ω]", t)]
        self.assertGreater(len(among), 2)

    def test_other_scripts_are_met_often(self):
        """Faces that hold Cyrillic set it in two lines of five, though most text is Latin."""
        cyrillic, greek = (of_script(CORPUS, script) for script in SCRIPTS)
        self.assertTrue(all(re.search("[Ѐ-ӿ]", word) for word in cyrillic.words["ru"]))
        self.assertGreater(sum(map(len, cyrillic.paragraphs["ru"])), 100_000)
        self.assertEqual(greek.words, {})
        with tempfile.TemporaryDirectory() as name:
            data = Path(name)
            (data / "fonts").symlink_to(FONTS)
            source = LineSource(data, CORPUS, [face_of("DejaVuSerif.ttf", bold=False)], {}, seed=3)
            texts = [sample.text for _ in range(30) for sample in source.lines(0.2)]
        share = np.mean([bool(re.search("[Ѐ-ӿ]", text)) for text in texts])
        self.assertTrue(0.2 < share < 0.6, share)

    def test_logos_keep_their_letters(self):
        """Letters of a logo stand off the line and over each other; the label names them."""
        drawer = GlyphDrawer(face(), FONTS, 24)
        chance = random.Random(5)
        manners = {tuple(settings_of_letters("by LATEX", drawer, chance)) for _ in range(40)}
        logo = ("plain",) * 3 + tuple(f"LATEX {n}" for n in range(5))
        self.assertIn(logo, manners)
        self.assertNotIn("TEX 0", settings_of_letters("TEXTS", drawer, chance))
        plain = draw_line(drawer, [Run("LATEX", drawer)])
        drawn = [draw_line(drawer, [Run("LATEX", drawer)], random.Random(n)) for n in range(20)]
        self.assertTrue(all(line.text == "LATEX" for line in drawn))
        self.assertLess(np.median([line.ink.shape[1] for line in drawn]), plain.ink.shape[1])

    def test_other_scripts_are_labelled_as_unknown(self):
        """Each letter of another script has the sign for the unknown as its label."""
        with tempfile.TemporaryDirectory() as name:
            data = Path(name)
            (data / "fonts" / "one").mkdir(parents=True)
            (data / "fonts" / "one" / "a.ttf").write_bytes(
                (FONTS / "ttf/DejaVuSans.ttf").read_bytes()
            )
            rows = [{"package": "one", "registry": "debian", "class": "core", "split": "train"}]
            faces = index_foreign(data / "fonts", rows)
            self.assertIn("hebrew", {f.script for f in faces})
            hebrew = next(f for f in faces if f.script == "hebrew")
            word = random_word(hebrew, random.Random(3))
            self.assertEqual(set(label_of(word)), {UNKNOWN})
            foreign = Run(word, ForeignDrawer(hebrew, data / "fonts", 32))
            plain = GlyphDrawer(face(), FONTS, 20)
            drawn = draw_line(plain, [Run("No. ", plain), foreign], random.Random(1))
            self.assertEqual(drawn.text, "No. " + label_of(word))
            self.assertEqual(drawn.centres, sorted(drawn.centres))


class WearTest(unittest.TestCase):
    def setUp(self):
        self.ink = self.draw().ink

    def draw(self):
        drawer = GlyphDrawer(face(), FONTS, 16)
        return draw_line(drawer, runs(drawer, "tide"), random.Random(2))

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

    def test_dot_matrix(self):
        """Dots on a grid keep the letters' place and most of their ink."""
        for seed in range(6):
            dots = degrade.dot_matrix(self.ink, np.random.default_rng(seed), 16)
            self.assertEqual(dots.shape, self.ink.shape)
            self.assertGreater(np.corrcoef(dots.ravel(), self.ink.ravel())[0, 1], 0.5)

    def test_letters_stay_darker_than_paper(self):
        """Even worn at full strength, ink can be told from paper in most lines."""
        told = 0
        for seed in range(40):
            chance = np.random.default_rng(seed)
            picture = degrade.scan(degrade.lay_on_paper(self.ink, chance, 1.0), chance, 16, 1.0)
            told += picture[self.ink > 0.8].mean() < picture[self.ink < 0.1].mean() - 15
        self.assertGreaterEqual(told, 36)

    def test_cheap_scans_keep_their_letters(self):
        """Some have specks on the paper; their letters are darker than it all the same."""
        grey = degrade.lay_on_paper(self.ink, np.random.default_rng(1), 0.0)
        specked = 0
        for seed in range(60):
            picture = degrade.scan(grey, np.random.default_rng(seed), 16, 1.0, office=True)
            dark = picture < 128
            paper = dark[self.ink < 0.01].mean()
            specked += paper > 0.01
            self.assertGreater(dark[self.ink > 0.8].mean(), paper + 0.2)
        self.assertTrue(3 <= specked <= 30, specked)
