"""Where characters stand, and how lines are cut out of a page: letters made in code."""

import unittest
from dataclasses import replace

import numpy as np

from amberquarry.ink.components import find_ink
from amberquarry.reading.alphabet import EUROPEAN
from amberquarry.reading.decode import weighed
from amberquarry.reading.normalise import LoneLine, Owners, cut_line
from amberquarry.reading.places import Unplaced, place_characters
from amberquarry.reading.steps import Steps
from amberquarry.settings import ReadingSettings
from amberquarry.sheet.measuring import TextLine
from amberquarry.values.groups import linked, linked_pairs

LETTERS = [(40, 20), (66, 30), (100, 20), (150, 24)]  # x and width; the gap before the last is wide


def page_of(rows):
    """Return the grey levels of a page, its ink, and a line for each base line."""
    grey = np.full((600, 240), 255, np.uint8)
    for base in rows:
        for number, (x, width) in enumerate(LETTERS):
            grey[base - 20 - 4 * number : base, x : x + width] = 0
    ink = find_ink((grey < 128).astype(np.uint8), grey, 20.0)
    lines = []
    for number, base in enumerate(rows):
        own = np.flatnonzero(ink.glyphs.bottom == base)
        box = ink.glyphs.box_of(own)
        lines.append(TextLine(box, own, np.array([0.0, float(base)]), 20.0, number=number))
    return grey, ink, lines


class PlacedTest(unittest.TestCase):
    def unplaced(self, text, centres):
        """Return two lines with a text, to be placed at some centres."""
        _, ink, lines = page_of((100, 300))
        owners = Owners.of(ink, lines)
        centres = np.array(centres, np.float32)
        return [Unplaced(owners.line(line.number), line, text, centres) for line in lines]

    def test_boxes_are_those_of_the_ink(self):
        """Each letter has its ink's box, whichever other lines are placed with it."""
        both = self.unplaced("abcd", [50, 81, 110, 162])
        boxes = place_characters(both)
        for base, found in zip((100, 300), boxes, strict=True):
            wanted = [[x, base - 20 - 4 * n, x + w, base] for n, (x, w) in enumerate(LETTERS)]
            self.assertEqual(found.tolist(), wanted)
        self.assertEqual(place_characters(both[1:])[0].tolist(), boxes[1].tolist())
        self.assertEqual(place_characters([]), [])

    def test_spaces_and_letters_without_ink(self):
        """A space has no width; what has no ink of its own gets a box of the x-height."""
        [found, _] = place_characters(self.unplaced("abcxd", [50, 81, 110, 135, 162]))
        self.assertEqual(found[3].tolist(), [130, 80, 140, 100])
        [found, _] = place_characters(self.unplaced("abc d", [50, 81, 110, 135, 162]))
        self.assertEqual(found[3].tolist(), [135, 80, 135, 100])
        self.assertEqual(found[4].tolist(), [150, 68, 174, 100])


class CutTest(unittest.TestCase):
    def test_other_lines_are_hidden(self):
        """Ink of the line above is not seen, and the picture is as if it were not there."""
        grey, ink, lines = page_of((100, 136))
        own = cut_line(grey, lines[1], Owners.of(ink, lines).line(1), ReadingSettings())
        alone, ink, [line] = page_of((136,))
        wanted = cut_line(alone, line, LoneLine(ink), ReadingSettings())
        self.assertLess(float(np.abs(own.ink - wanted.ink).mean()), 0.004)
        seen = cut_line(grey, lines[1], LoneLine(ink), ReadingSettings())
        self.assertGreater(float(np.abs(seen.ink - wanted.ink).mean()), 0.02)

    def test_bends_that_can_not_be_seen(self):
        """A base line bent by less than a third of a row is as good as straight; others are not."""
        grey, ink, [line] = page_of((136,))
        straight = cut_line(grey, line, LoneLine(ink), ReadingSettings())
        width = line.box.x1 - line.box.x0
        for rise, least, most in ((0.3, 0.0, 0.01), (8.0, 0.02, 1.0)):
            curve = np.array([4 * rise / width**2, 0.0, 136.0])  # from the left edge down
            curve = np.array(
                [curve[0], -2 * curve[0] * line.box.x0, 136 + curve[0] * line.box.x0**2]
            )
            bent = cut_line(grey, replace(line, baseline=curve), LoneLine(ink), ReadingSettings())
            off = float(np.abs(bent.ink - straight.ink).mean())
            self.assertTrue(least <= off <= most, (rise, off))


class WeighedTest(unittest.TestCase):
    def test_odds_of_spaces_and_unknown_signs(self):
        """Spaces gain, unknown signs lose, and the odds of each step still make one."""
        classes = np.full((3, EUROPEAN.classes), 1e-6, np.float32)
        for step, (space, unknown) in enumerate(((0.2, 0.0), (0.0, 0.6), (0.0, 0.0))):
            classes[step, EUROPEAN.space], classes[step, EUROPEAN.unknown] = space, unknown
            classes[step, EUROPEAN.class_of["a"]] = 1 - classes[step].sum()
        before = classes.copy()
        after = weighed(Steps(classes, np.zeros((3, 5), np.float32)), 1.0).classes
        self.assertTrue(np.allclose(after.sum(1), 1, atol=1e-3))
        factors = np.ones(EUROPEAN.classes)
        factors[EUROPEAN.space], factors[EUROPEAN.unknown] = np.e, 0.05
        wanted = before * factors
        wanted /= wanted.sum(1, keepdims=True)
        self.assertTrue(np.allclose(after, wanted, atol=2e-4))


class LinkedTest(unittest.TestCase):
    def test_groups(self):
        """Things linked over others are one group; groups count from the first thing."""
        found = linked_pairs(np.array([3, 0]), np.array([1, 2]), 5)
        self.assertEqual(found.tolist(), [0, 1, 0, 1, 2])
        links = np.zeros((5, 5), bool)
        links[3, 1] = links[0, 2] = True
        self.assertEqual(linked(links).tolist(), found.tolist())
        self.assertEqual(linked_pairs(np.zeros(0, int), np.zeros(0, int), 2).tolist(), [0, 1])
