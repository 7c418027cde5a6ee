"""Languages are told, and their letters settle what the ink leaves open."""

import itertools
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from amberquarry import Settings, read_page
from amberquarry.assembly import set_texts
from amberquarry.formats.records import page_record
from amberquarry.reading.characters import ALPHABET, CLASS_OF
from amberquarry.reading.decode import (
    decode,
    doubts_of,
    figures_at_start,
    figures_joined,
    resolve,
    sure_words,
    weighed,
    with_note_mark,
)
from amberquarry.reading.languages import identify, load_prior, sign_of, words_of
from amberquarry.reading.repair import nearest_word
from amberquarry.reading.search import Search, align, doubtful_parts, log_likelihood
from amberquarry.reading.steps import Steps
from tests.support.pages import blank, text_page, write_lines

TEXTS = {
    "en": "The keeper wrote down the height of the water every hour and lit the lamp at dusk.",
    "de": "Der Wärter schrieb jede Stunde den Wasserstand auf und zündete abends die Lampe an.",
    "fr": "Le gardien notait chaque heure la hauteur de l'eau et allumait la lampe le soir venu.",
    "es": "El guardián anotaba cada hora la altura del agua y encendía la lámpara por la noche.",
    "it": "Il guardiano annotava ogni ora l'altezza dell'acqua e accendeva la lampada la sera.",
    "pl": "Latarnik zapisywał co godzinę wysokość wody, a wieczorem zapalał lampę na wieży.",
    "ru": "Смотритель каждый час записывал уровень воды и вечером зажигал лампу на башне.",
    "uk": "Доглядач щогодини записував рівень води, а ввечері запалював лампу на вежі.",
    "el": "Ο φύλακας έγραφε κάθε ώρα το ύψος του νερού και άναβε τη λάμπα το βράδυ.",
    "tr": "Bekçi her saat suyun yüksekliğini yazar ve akşam olunca kuledeki lambayı yakardı.",
}
SEARCH = Search(6, 0.3)


def said(text, doubts=(), sureness=0.99):
    """Return steps that read `text`; doubts are (place, [(letter, probability), …])."""
    steps = np.full((3 * len(text) + 1, len(ALPHABET) + 1), 1e-6, np.float32)
    steps[:, 0] = sureness
    for number, letter in enumerate(text):
        steps[3 * number + 1, 0] = 0.001
        steps[3 * number + 1, CLASS_OF[letter]] = sureness
    for place, letters in doubts:
        row = steps[3 * place + 1]
        row[:] = 1e-6
        for letter, share in letters:
            row[CLASS_OF[letter] if letter else 0] = share
    return Steps(steps, np.zeros((len(steps), 4), np.float32))


def settled(steps, language="en"):
    return resolve(decode(steps), doubts_of(steps), load_prior(language), SEARCH)


class LanguageTest(unittest.TestCase):
    def test_figures_join_the_odds_of_their_forms(self):
        """A raised figure, half read as one that stands on the line, outweighs a letter."""
        forms = [("s", 0.35), ("8", 0.2), ("⁸", 0.3), ("₈", 0.0)]
        steps = said("2x", [(1, forms)])
        self.assertEqual(decode(steps).text, "2s")
        joined = figures_joined(steps)
        self.assertEqual(decode(joined).text, "2⁸")
        self.assertAlmostEqual(decode(joined).confidences[1], 0.5, 5)
        np.testing.assert_allclose(joined.classes.sum(1), steps.classes.sum(1), rtol=1e-5)

    def test_raised_capital_o_is_nought(self):
        """A capital O off the line, as marks of notes and powers stand, is read as a figure."""
        steps = said("1OD", [(1, [("O", 0.8), ("0", 0.1), ("⁰", 0.05)])])
        self.assertEqual(decode(figures_joined(steps)).text, "1OD")
        steps.styles[:6, 2] = 0.9
        raised = figures_joined(steps)
        self.assertEqual(decode(raised).text, "10D")
        self.assertAlmostEqual(decode(raised).confidences[1], 0.95, 5)

    def test_mark_of_a_note(self):
        """What may be a figure is one where a note's mark stands; a sure letter is left."""
        for share, wanted in ((0.2, "6Which"), (0.01, "°Which")):
            steps = said("°Which", [(0, [("°", 0.7), ("6", share / 2), ("⁶", share / 2)])])
            found = decode(steps)
            marked = with_note_mark(found, figures_at_start(steps, found))
            self.assertEqual(marked.text, wanted)
            self.assertEqual(bool(marked.styles[0, 2]), share > 0.1)

    def test_raised_mark_on_a_page(self):
        """The mark of a note is told by its place: a quotation mark in the line's height stays."""
        image = blank()
        write_lines(image, ["'Lamps of the outer quay"], x=160, y=200)
        write_lines(image, ["1"], x=150, y=298, size=22)
        write_lines(image, ["Lamps of the outer quay"], x=166, y=300)
        said_odds = []

        def marked(found, odds):
            said_odds.append(found.text[:1])
            return with_note_mark(found, odds)

        with mock.patch("amberquarry.reading.reader.with_note_mark", marked):
            page = read_page(image)
        self.assertEqual(len(said_odds), 1)
        self.assertEqual([line.text[0] for b in page.blocks for line in b.lines], ["'", "1"])

    def test_unknown_letters_only_for_certain(self):
        """A blurred letter is read as what it may be; one of another script stays unknown."""
        steps = said("tide", [(1, [("\ufffd", 0.7), ("i", 0.3)])])
        steps.classes[:] /= steps.classes.sum(1, keepdims=True)
        blurred = weighed(steps, 0.0)
        self.assertEqual(decode(blurred).text, "tide")
        np.testing.assert_allclose(blurred.classes.sum(1), 1, rtol=1e-4)
        self.assertEqual(decode(weighed(said("t\ufffdde"), 0.0)).text, "t\ufffdde")

    def test_words_parted_sooner(self):
        """More weight on the blank between words parts them where the ink leaves it open."""
        steps = said("highatide", [(4, [("a", 0.6), (" ", 0.3)])])
        self.assertEqual(decode(weighed(steps, 0.0)).text, "highatide")
        self.assertEqual(decode(weighed(steps, 2.0)).text, "high tide")

    def test_languages_are_told(self):
        """A sentence is enough to tell its language."""
        for language, text in TEXTS.items():
            with self.subTest(language):
                self.assertEqual(identify(text), language)

    def test_too_little_text(self):
        """Figures and single words have no language."""
        for text in ("", "4.71 3.20 12:40 " * 20, "tide", "�� ��� " * 30):
            self.assertIsNone(identify(text))

    def test_words_as_counted(self):
        """Case and the form of apostrophes don't matter; compounds stand together."""
        self.assertEqual(words_of("L’eau, well-known 12 x2"), ["l'eau", "well-known", "x"])
        self.assertEqual([sign_of(c) for c in "Aé’-.7"], ["a", "é", "'", "-", " ", " "])

    def test_usual_letters_are_likelier(self):
        """Letters that follow each other often are likelier, and all have some probability."""
        prior = load_prior("en")
        self.assertGreater(prior.log_probability(" t", "h"), prior.log_probability(" t", "b"))
        self.assertGreater(prior.log_probability("qqqq", "ж"), -15)
        self.assertIn("water", prior.words)


class SearchTest(unittest.TestCase):
    def test_ties_between_letters(self):
        """Where the ink leaves two letters open, the language decides."""
        steps = said("the tbe of", [(5, [("b", 0.5), ("h", 0.45)])])
        self.assertEqual(decode(steps).text, "the tbe of")
        self.assertEqual(settled(steps).text, "the the of")

    def test_clear_ink_stays(self):
        """A word that is no word stays if its letters are clear."""
        for steps in (said("the tbe of"), said("tbe", [(1, [("b", 0.94), ("h", 0.05)])])):
            self.assertEqual(settled(steps).text, decode(steps).text)

    def test_listed_words_before_others(self):
        """A word that is no word gives way to one that the ink allows, in its own case."""
        for text, place, letters, wanted in (
            ("the hcavily", 5, [("c", 0.85), ("e", 0.12)], "the heavily"),
            ("THE HCAVILY", 5, [("C", 0.85), ("E", 0.12)], "THE HEAVILY"),
            ("Hcavily", 1, [("c", 0.85), ("e", 0.12)], "Heavily"),
            ("lnside", 0, [("l", 0.9), ("I", 0.08)], "Inside"),
            ("Ysland", 0, [("Y", 0.9), ("I", 0.08)], "Ysland"),  # perhaps a name
            ("hcavily", 1, [("c", 0.98), ("e", 0.01)], "hcavily"),  # clear ink
            ("at hcavily", 4, [("c", 0.93), ("e", 0.06)], "at heavily"),
            ("my_hcavily", 4, [("c", 0.93), ("e", 0.06)], "my_hcavily"),  # a name
            ("hcavily-2", 1, [("c", 0.93), ("e", 0.06)], "hcavily-2"),
        ):
            self.assertEqual(settled(said(text, [(place, letters)])).text, wanted)

    def test_capitals_that_the_reader_lacks(self):
        """Listed words whose capitals are none of the reader's signs are passed over."""
        steps = said("ΑΠΛΟΙΚΟΣ ΠΡΟΙΟΝ", [(5, [("Ι", 0.6), ("Ϊ", 0.3)]), (12, [("Ι", 0.7)])])
        self.assertEqual(len(settled(steps, "el").text), 15)
        for language in ("el", "tr", "de"):
            prior = load_prior(language)
            odd = [w for w in prior.sorted_words if not CLASS_OF.keys() >= set(w.upper())][:3]
            for word in odd:
                text = "".join(c for c in word.upper() if c in CLASS_OF)[:-1] + "Q"
                steps = said(text, [(len(text) - 1, [("Q", 0.5), ("X", 0.3)])])
                self.assertTrue(resolve(decode(steps), doubts_of(steps), prior, SEARCH).text)

    def test_a_likely_space_beside_a_word_in_doubt_stays(self):
        """The word is read anew, what parts it from its neighbours is not."""
        steps = said("at tne sea", [(4, [("n", 0.5), ("h", 0.4)]), (6, [(" ", 0.97)])])
        beside = steps.classes[[18, 20]]  # the space is surest in the step after it, which parts
        beside[:, CLASS_OF[" "]] = 0.04, 0.99
        beside[1, 0] = 1e-6
        steps.classes[[18, 20]] = beside
        self.assertEqual(settled(steps).text, "at the sea")

    def test_words_of_the_page_are_known(self):
        """What is read surely elsewhere on a page, as names are, is no misread word there."""
        steps = said("the lampe", [(8, [("e", 0.93), ("s", 0.06)])])
        self.assertEqual(settled(steps).text, "the lamps")
        sure = said("Lampe and the tide")
        known = sure_words(decode(sure), doubts_of(sure))
        self.assertEqual(known, {"lampe", "and", "the", "tide"})
        self.assertEqual(sure_words(decode(steps), doubts_of(steps)), {"the"})
        prior = load_prior("en").knowing(known)
        self.assertEqual(resolve(decode(steps), doubts_of(steps), prior, SEARCH).text, "the lampe")
        self.assertNotIn("lampe", load_prior("en").words)

    def test_likelihood_counts_all_paths(self):
        """The forward sums agree with summing over every path of a small example."""
        chance = np.random.default_rng(4)
        classes = ["", "a", "b"]
        columns = [CLASS_OF[c] if c else 0 for c in classes]
        shares = np.full((4, 1 + len(ALPHABET)), 0, np.float32)
        shares[:, columns] = chance.dirichlet([1, 1, 1], 4)
        for text in ("ab", "aa", "b", ""):
            whole = 0.0
            for path in itertools.product(range(3), repeat=4):
                kept = [classes[c] for n, c in enumerate(path) if n == 0 or path[n - 1] != c]
                if "".join(kept) == text:
                    whole += np.prod([shares[n, columns[c]] for n, c in enumerate(path)])
            self.assertAlmostEqual(
                log_likelihood(Steps(shares, np.zeros((4, 4), np.float32)), text),
                np.log(whole),
                places=4,
            )

    def test_lost_spaces(self):
        """A space that the best path leaves out comes back where words part."""
        steps = said("of the", [(2, [("", 0.55), (" ", 0.42)])])
        self.assertEqual(decode(steps).text, "ofthe")
        self.assertEqual(settled(steps).text, "of the")

    def test_places_of_changed_words(self):
        """A word read anew keeps its place, and its characters stand in order."""
        steps = said("the tbe of", [(5, [("b", 0.5), ("h", 0.45)])])
        before, after = decode(steps), settled(steps)
        self.assertEqual(len(after.columns), len(after.text))
        self.assertLess(float(np.abs(before.columns - after.columns).max()), 4)
        self.assertAlmostEqual(float(after.confidences[5]), 0.45, places=3)

    @given(
        st.text("ab1290 O,l-", min_size=1, max_size=14).map(lambda t: " ".join(t.split())),
        st.integers(0, 10_000),
    )
    @settings(max_examples=150)
    def test_figures_never_change(self, text, seed):
        """Whatever is in doubt, words with figures come out as the best path reads them."""
        if not text:
            return
        chance = np.random.default_rng(seed)
        letters = "ab1290Olo ,-"
        doubts = [
            (n, [(letters[int(chance.integers(len(letters)))], 0.35), (text[n], 0.4), ("", 0.2)])
            for n in range(len(text))
            if chance.random() < 0.5
        ]
        steps = said(text, doubts)
        old = [word for word in decode(steps).text.split() if any(c.isdigit() for c in word)]
        new = [word for word in settled(steps).text.split() if any(c.isdigit() for c in word)]
        self.assertEqual(old, new)

    def test_doubtful_parts_are_words(self):
        """A part reaches from one certain space to the next."""
        steps = said("one two six", [(5, [("w", 0.6), ("v", 0.3)])])
        [(first, last)] = doubtful_parts(steps)
        self.assertEqual(
            decode(Steps(steps.classes[first:last], steps.styles[first:last])).text, "two"
        )

    def test_edges_of_letters_are_no_doubt(self):
        """Where a letter begins, it shares a step with the blank; a rival letter is a doubt."""
        steps = said("one two six")
        steps.classes[3, 0], steps.classes[3, CLASS_OF["n"]] = 0.55, 0.44  # before the n
        self.assertEqual(doubtful_parts(steps), [])
        steps.classes[3, CLASS_OF["n"]], steps.classes[3, CLASS_OF["m"]] = 0.34, 0.1
        self.assertEqual(len(doubtful_parts(steps)), 1)

    def test_letters_without_a_rival_may_be_weak(self):
        """A sign that is nowhere sure is a doubt, also where all others are below notice."""
        steps = said("one two six", [(5, [("w", 0.7), ("", 0.04)])])
        self.assertEqual(len(doubtful_parts(steps)), 1)

    def test_alignment(self):
        """Each letter of a text is found at the step that says it."""
        steps = said("hello")
        at = align(steps.classes, [CLASS_OF[c] for c in "hello"])
        self.assertEqual(at.tolist(), [1, 4, 7, 10, 13])


class RepairTest(unittest.TestCase):
    def test_nearest_words(self):
        """One letter wrong is mended, with case and marks kept; what is unclear is left."""
        prior = load_prior("en")
        for text, wanted in (
            ("Possibie,", "Possible,"),
            ("(DOCUMENTATI0N)", None),  # holds a figure
            ("documentatiom", "documentation"),
            ("water", None),  # a word already
            ("xyzzqk", None),
            ("cat", None),  # too short to be sure
        ):
            with self.subTest(text):
                self.assertEqual(nearest_word(text, prior), wanted)

    def test_repair_is_optional_and_keeps_the_reading(self):
        """Only asked for, only for doubtful words; the record holds both."""
        image = text_page(6)
        for asked in (False, True):
            page_settings = Settings.from_dict({"reading": {"repair_words": asked}})
            page = read_page(image, settings=page_settings)
            page.blocks[0].lines[0].words[0].repaired = "Repaired"
            word = page.blocks[0].lines[0].words[0]
            set_texts([page])
            self.assertTrue(page.text.startswith("Repaired"))
            self.assertNotEqual(word.text, "Repaired")
            record = page_record(page, "id")["blocks"][0]["lines"][0]["words"][0]
            self.assertEqual((record["repaired"], record["text"]), ("Repaired", word.text))
            sure = [w for w in page.words if w is not word and w.confidence > 0.6]
            self.assertEqual({w.repaired for w in sure}, {None})


if __name__ == "__main__":
    unittest.main()
