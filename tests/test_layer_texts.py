import unittest
from dataclasses import replace

import numpy as np

from amberquarry.layer.characters import Characters, _composed
from amberquarry.layer.sheet import Turn, glyphs_of, letter_of, sheet_of_layer
from amberquarry.layer.texts import LayerTexts, MixedTexts
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.measuring import TextLine
from amberquarry.sources.layer import LayerFont, TextLayer
from amberquarry.values import UNKNOWN, Box, Direction, Origin, Style

PLAIN = LayerFont("Plain", False, False, False, False)
HEAVY = LayerFont("Heavy", True, False, False, False)
SLANTED = LayerFont("Slanted", False, True, False, False)
NONE = np.zeros((0, 4))


def characters(rows, size=30.0, fonts=(PLAIN, HEAVY, SLANTED)):
    """Characters of rows: (text, x, y, font, size), drawn one by one; spaces part words."""
    letters, boxes, origins, font, parted, place, sizes = [], [], [], [], [], [], []
    number = 0
    for row in rows:
        text, x, y, own = (*row, 0)[:4]
        height = row[4] if len(row) > 4 else size
        white = not letters
        for sign in text:
            if sign == " ":
                white = True
                x += 0.3 * height
                number += 1
                continue
            letters.append(sign)
            high = 0.5 if sign in "acemnorsuvwxz" else 0.7
            boxes.append((x, y - high * height, x + 0.5 * height, y))
            origins.append((x, y))
            font.append(own)
            parted.append(white)
            place.append(number)
            sizes.append(height)
            white = False
            number += 1
            x += 0.56 * height
        number += 1
    count = len(letters)
    return Characters(
        np.array(letters, "U1"),
        np.array(boxes, float).reshape(-1, 4),
        np.array(origins, float).reshape(-1, 2),
        np.array(origins, float).reshape(-1, 2) + np.array([0.5 * size, 0.0]),
        np.array(sizes, float),
        np.zeros(count),
        np.array(font, np.int64),
        np.array(parted, bool),
        np.array(place, np.int64),
        np.zeros(count, bool),
        np.zeros(count, bool),
        np.zeros(count, bool),
        fonts,
    )


def line_of(found, number=0, y=100.0, x_height=15.0):
    """A line of all characters on one base line."""
    pieces = np.arange(1, len(found) + 1)
    box = Box(*found.boxes[:, :2].min(0).tolist(), *found.boxes[:, 2:].max(0).tolist())
    return TextLine(box, pieces, np.array([y]), x_height, number=number)


def line_from(found):
    return LayerTexts(found).read([line_of(found)])[0]


def read(rows):
    return line_from(characters(rows))


class WordsTest(unittest.TestCase):
    def test_words_from_spaces_of_the_layer(self):
        """A space of the layer parts words, with the span of each in the text."""
        line = read([("tide and wind", 10, 100)])
        self.assertEqual(line.text, "tide and wind")
        self.assertEqual([line.text[w.start : w.end] for w in line.words], ["tide", "and", "wind"])
        self.assertEqual((line.origin, line.confidence), (Origin.TEXT_LAYER, 1.0))
        self.assertEqual(len(line.character_boxes), len(line.text))
        spaces = line.character_boxes[4]
        self.assertEqual(spaces[0], spaces[2])

    def test_words_from_gaps(self):
        """Runs drawn one after the other part where white is wide, or where it is some at all."""
        self.assertEqual(read([("tide", 10, 100), ("wind", 130, 100)]).text, "tide wind")
        self.assertEqual(read([("ti", 10, 100), ("de", 43.6, 100)]).text, "tide")

    def test_what_is_drawn_in_any_order(self):
        """Parts of a line come in the order in which they stand, whatever the file draws first."""
        line = read([("wind", 200, 100), ("tide", 10, 100), ("and", 110, 100)])
        self.assertEqual(line.text, "tide and wind")

    def test_letters_drawn_one_by_one_backwards(self):
        """Letters that the file draws from the end are read from the left."""
        rows = [(sign, 10 + 16.8 * place, 100) for place, sign in enumerate("tide")][::-1]
        self.assertEqual(read(rows).text, "tide")

    def test_a_space_that_is_no_white(self):
        """White that the library sees between signs that touch is none."""
        found = characters([("ab", 10, 100)])
        found.parted[1] = True
        found.boxes[1, 0] = found.boxes[0, 2]
        self.assertEqual(line_from(found).text, "ab")

    def test_unknown_letters(self):
        """A letter that the file does not tell has no confidence."""
        line = read([(f"ti{UNKNOWN}e wind", 10, 100)])
        self.assertEqual([word.confidence for word in line.words], [0.0, 1.0])
        self.assertFalse(line.unsupported_script)
        self.assertTrue(read([(UNKNOWN * 4, 10, 100)]).unsupported_script)

    def test_styles(self):
        """Words have the styles that all of their letters have; marks beside them don't count."""
        rows = [
            ("tide", 10, 100, 1),
            (" wind", 80, 100, 2),
            (" (", 170, 100),
            ("rain", 195.6, 100, 1),
        ]
        styles = [word.styles for word in read(rows).words]
        self.assertEqual(styles, [{Style.BOLD}, {Style.ITALIC}, {Style.BOLD}])

    def test_raised_figures(self):
        """A raised figure in a word is a sign of its own; a lone one has the style."""
        line = read([("tides", 10, 100), ("2", 94.6, 92, 0, 15.0)])
        self.assertEqual(line.text, "tides²")
        line = read([("tides", 10, 100), ("2", 110, 92, 0, 15.0)])
        self.assertEqual((line.text, line.words[1].styles), ("tides 2", {Style.SUPERSCRIPT}))

    def test_several_lines_at_once(self):
        """Lines that are read together are as each by itself, spaces and words their own."""
        fixed = LayerFont("Typed", False, False, True, False)
        rows = [("tide and wind", 10, 100), ("rain 2", 10, 200), ("at the quay", 10, 300, 1)]
        found = characters(rows, fonts=(PLAIN, fixed))
        of_row = np.round(found.origins[:, 1]).astype(int)
        lines = [
            TextLine(Box(10, y - 20, 400, y), np.flatnonzero(of_row == y) + 1, np.array([y]), 15.0)
            for y in (100.0, 200.0, 300.0)
        ]
        lines = [replace(line, number=7 - n) for n, line in enumerate(lines)]
        texts = LayerTexts(found)
        together = texts.read(lines)
        self.assertEqual(
            {n: line.text for n, line in together.items()},
            {7: "tide and wind", 6: "rain 2", 5: "at the quay"},
        )
        self.assertEqual([together[n].fixed_pitch for n in (7, 6, 5)], [False, False, True])
        for line in lines:
            alone, own = texts.read([line])[line.number], together[line.number]
            self.assertEqual(alone.character_boxes.tolist(), own.character_boxes.tolist())
            self.assertEqual(
                [(w.text, w.box, w.start, w.end) for w in alone.words],
                [(w.text, w.box, w.start, w.end) for w in own.words],
            )
        self.assertEqual(texts.read([]), {})

    def test_letters_to_the_left(self):
        """Hebrew is kept in the order of reading, numbers in their own."""
        found = characters([("12 םולש", 10, 100)])
        line = line_from(found)
        self.assertEqual((line.text, line.direction), ("שלום 12", Direction.RIGHT_TO_LEFT))
        self.assertGreater(line.words[0].box.x0, line.words[1].box.x0)
        self.assertEqual(line.words[0].text, "שלום")


class ComposedTest(unittest.TestCase):
    def test_body_and_accent_of_one_name(self):
        """A letter whose body and accent are drawn by themselves, both named as it, is one."""
        found = characters([("eśli", 10, 100), ("ś", 28, 82)])
        found = found.chosen(np.ones(len(found), bool))
        order = np.array([0, 1, 2, 4, 3])
        names = ("letters", "boxes", "origins", "ends", "size", "angle", "font", "parted", "place")
        arrays = {name: getattr(found, name)[order] for name in names}
        arrays["boxes"][3] = (30.0, 70.0, 36.0, 78.0)
        drawn = replace(found, **arrays)
        self.assertEqual("".join(_composed(drawn).letters.tolist()), "eśli")
        self.assertEqual("".join(_composed(found).letters.tolist()), "eśliś")

    def test_the_same_letter_twice(self):
        """Letters beside each other stay."""
        found = characters([("naïïve", 10, 100)])
        self.assertEqual("".join(_composed(found).letters.tolist()), "naïïve")


class FakeReader:
    """Reads every line as the same."""

    def __init__(self):
        self.asked = []

    def read(self, lines):
        self.asked += [line.number for line in lines]
        return {}


class MixedTextsTest(unittest.TestCase):
    def test_lines_with_characters_are_not_read(self):
        """Ink on which characters lie has their text; the rest goes to the reader."""
        found = characters([("tide and wind", 10, 100)])
        reader = FakeReader()
        one, other = (
            line_of(found),
            TextLine(Box(10, 185, 200, 200), np.array([9]), np.array([200.0]), 15.0, number=1),
        )
        read_lines = MixedTexts(found, reader).read([one, other])
        self.assertEqual((read_lines[0].text, reader.asked), ("tide and wind", [1]))

    def test_half_of_a_line(self):
        """A line of ink that characters cover in part is read as a whole."""
        found = characters([("tide", 10, 100)])
        reader = FakeReader()
        whole = TextLine(Box(10, 80, 900, 100), np.arange(1, 60), np.array([100.0]), 15.0, number=0)
        self.assertEqual(MixedTexts(found, reader).read([whole]), {})
        self.assertEqual(reader.asked, [0])

    def test_lines_of_unknown_letters(self):
        """Characters that stand for no letter leave their line to the reader."""
        found = characters([(UNKNOWN * 3 + "e and wind", 10, 100)])
        reader = FakeReader()
        self.assertEqual(MixedTexts(found, reader).read([line_of(found)]), {})


def layer(lines=NONE, pictures=NONE, drawings=NONE, size=(2000, 2800)):
    none = np.zeros(0)
    return TextLayer(
        *size,
        np.array([[0.24, 0], [0, -0.24], [0, 842.0]]),
        none.astype(np.uint32),
        NONE,
        NONE,
        np.zeros((0, 2)),
        none,
        none,
        none.astype(np.int64),
        none.astype(bool),
        none.astype(bool),
        none.astype(bool),
        none.astype(bool),
        (),
        lines,
        drawings,
        NONE,
        pictures,
    )


class SheetTest(unittest.TestCase):
    def test_turns(self):
        """A page's frame holds the whole page; turned and back is where it was."""
        for degrees in (0, 90, 180, 270, 30, 211.5):
            turn = Turn(degrees, 600, 800)
            points = np.array([[0.0, 0.0], [600.0, 800.0], [150.0, 20.0]])
            level = turn.to_source.inverse().apply(points)
            width, height = turn.size
            self.assertTrue(
                (level >= -1).all() and (level <= (width + 1, height + 1)).all(), degrees
            )
            self.assertTrue(np.allclose(turn.to_source.apply(level), points))
        self.assertEqual(Turn(90, 600, 800).size, (800, 600))
        self.assertEqual(Turn(0, 600, 800).size, (600, 800))

    def test_text_that_runs_down_becomes_level(self):
        """With a quarter turn, what stands under each other stands beside each other."""
        turn = Turn(90, 600, 800)
        boxes = turn.level(np.array([[100.0, 50, 110, 60], [100.0, 90, 110, 100]]))
        self.assertTrue(np.allclose(boxes[:, 1], boxes[0, 1]))
        self.assertGreater(boxes[1, 0], boxes[0, 0])

    def test_glyphs(self):
        """Each character is a piece one on, of whole pixels and at least one wide."""
        glyphs = glyphs_of(np.array([[10.2, 20.2, 10.4, 30.6]]), (100, 200))
        self.assertEqual(glyphs.boxes_of(np.array([1])).tolist(), [[10, 20, 11, 31]])
        self.assertEqual(glyphs.usable.tolist(), [False, True])

    def test_letter(self):
        """The usual height counts letters and figures, not marks."""
        found = characters([("nnn...", 10, 100)])
        self.assertAlmostEqual(letter_of(found.boxes, found.letters), 15.0)
        self.assertEqual(letter_of(NONE, np.zeros(0, "U1")), 0.0)

    def test_objects(self):
        """Rules that touch make a grid; small pictures and those behind the page are left out."""
        across = [[100.0, y, 900, y + 2] for y in (500, 600, 700)]
        down = [[x, 500.0, x + 2, 702] for x in (100, 500, 898)]
        lone = [[100.0, 1500, 900, 1502]]
        pictures = np.array([[100.0, 900, 700, 1300], [100, 2000, 110, 2010], [0, 0, 2000, 2800]])
        found = characters([("tide and wind", 110, 580), ("rain", 520, 580)])
        sheet = sheet_of_layer(
            layer(np.array(across + down + lone), pictures),
            found,
            Turn(0, 2000, 2800),
            LayoutSettings(),
        )
        self.assertEqual((len(sheet.rules.across), len(sheet.rules.down)), (4, 3))
        self.assertEqual(sorted(round(box.height) for box in sheet.rules.boxes), [2, 202])
        self.assertEqual(sheet.areas.pictures, [Box(100, 900, 700, 1300)])
        self.assertEqual(sum(len(line.pieces) for line in sheet.found.lines), len(found))
        self.assertEqual(len(sheet.rules.grids(45.0)[0]), 2)


if __name__ == "__main__":
    unittest.main()
