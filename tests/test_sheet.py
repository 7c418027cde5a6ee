import math
import unittest

import numpy as np

from amberquarry.sheet.areas import Areas, Tones
from amberquarry.sheet.glyphs import Glyphs, core_letters, owned_by
from amberquarry.sheet.rules import Rules
from amberquarry.values import Box
from tests.support.sheets import Set, typeset


def grid(xs, ys, tilt=0.0):
    """Rules of a grid; a tilt in pixels makes the boxes around the segments thicker."""
    across = np.array([[xs[0], y, xs[-1], y + 3 + tilt] for y in ys], float)
    down = np.array([[x, ys[0], x + 3 + tilt, ys[-1]] for x in xs], float)
    return Rules(across, down, [Box(xs[0], ys[0], xs[-1] + 3 + tilt, ys[-1] + 3 + tilt)])


class RulesTest(unittest.TestCase):
    def test_cells_from_rule_to_rule(self):
        """A grid is given as rows of cells."""
        [rows] = grid([0, 200, 500], [0, 60, 120, 180]).grids(50)
        self.assertEqual([len(row) for row in rows], [2, 2, 2])
        for edge, wanted in zip(rows[1][1], (200, 60, 500, 120), strict=True):
            self.assertAlmostEqual(edge, wanted, delta=5)

    def test_rules_a_little_askew(self):
        """Segments that are tilted by some pixels make the same cells."""
        [rows] = grid([0, 200, 500], [0, 60, 120, 180], tilt=8).grids(50)
        self.assertEqual([len(row) for row in rows], [2, 2, 2])

    def test_rules_in_pieces(self):
        """Pieces of a rule that together run through are one."""
        whole = grid([0, 500], [0, 120])
        pieces = np.array([[0, 60, 240, 63], [250, 61, 500, 64]], float)
        rules = Rules(np.concatenate([whole.across, pieces]), whole.down, whole.boxes)
        [rows] = rules.grids(50)
        self.assertEqual(len(rows), 2)
        half = Rules(np.concatenate([whole.across, pieces[:1]]), whole.down, whole.boxes)
        [rows] = half.grids(50)
        self.assertEqual(len(rows), 1)

    def test_small_grids_are_none(self):
        """Boxes to tick are no grids."""
        self.assertEqual(grid([0, 30], [0, 30]).grids(50), [])

    def test_rules_that_leave_no_room(self):
        """Rules so thick or so near that nothing lies between them are no grid."""
        thick = np.array([[0, 0, 500, 200]], float)
        self.assertEqual(Rules(thick, np.zeros((0, 4)), [Box(0, 0, 500, 200)]).grids(50), [])

    def test_frames_hold_no_rule(self):
        """A frame with a rule through it is none; its own edges don't count."""
        frame = grid([0, 500], [0, 120], tilt=8)
        self.assertEqual(len(frame.frames(10)), 1)
        self.assertEqual(grid([0, 250, 500], [0, 120]).frames(10), [])

    def test_upside_down(self):
        """Turned twice they are as before."""
        rules = grid([0, 200, 500], [0, 60, 120])
        again = rules.upside_down((400, 600)).upside_down((400, 600))
        np.testing.assert_array_equal(again.across, rules.across)
        self.assertEqual(again.boxes, rules.boxes)

    def test_no_rules(self):
        """A page without rules has neither frames nor grids."""
        self.assertEqual((Rules().frames(5), Rules().grids(5)), ([], []))


class GlyphsTest(unittest.TestCase):
    def setUp(self):
        self.sheet, self.texts = typeset([Set("the lamp", 100, 200), Set("was lit", 100, 260)])

    def test_boxes_and_places(self):
        """Boxes of pieces, around them, and which lie in an area."""
        glyphs, [first, second] = self.sheet.glyphs, self.sheet.found.lines
        self.assertEqual(glyphs.boxes_of(first.pieces).shape, (7, 4))
        self.assertEqual(glyphs.box_of(first.pieces), first.box)
        self.assertEqual(np.flatnonzero(glyphs.inside(second.box)).tolist(), second.pieces.tolist())

    def test_the_ground_is_no_piece(self):
        """Index 0 is never a letter, and belongs to no line."""
        core = core_letters(self.sheet.glyphs, self.sheet.letter)
        self.assertFalse(core[0])
        self.assertEqual(owned_by(self.sheet.found.lines, self.sheet.glyphs).sum(), 13)

    def test_upside_down(self):
        """Turned twice they are as before."""
        again = self.sheet.glyphs.upside_down().upside_down()
        self.assertIsInstance(again, Glyphs)
        np.testing.assert_array_equal(again.left, self.sheet.glyphs.left)

    def test_lines_are_measured_from_boxes(self):
        """Base line and x-height come from the letters' boxes alone."""
        [line, _] = self.sheet.found.lines
        self.assertAlmostEqual(line.baseline_at(150), 200, delta=0.5)
        self.assertAlmostEqual(line.x_height, 20, delta=1)

    def test_texts_of_a_layer(self):
        """Who knows the letters gives the text of a line, with its places."""
        for number, line in enumerate(self.sheet.found.lines):
            line.number = number
        read = self.texts.read(self.sheet.found.lines)
        self.assertEqual([read[n].text for n in (0, 1)], ["the lamp", "was lit"])
        self.assertEqual(len(read[0].words), 2)
        self.assertTrue(math.isclose(read[0].box.x0, 100, abs_tol=1))


class AreasTest(unittest.TestCase):
    def test_tones_of_a_box(self):
        """Cells of a box, those of the page alone."""
        tones = Tones(8.0, np.arange(100, dtype=np.uint8).reshape(10, 10))
        self.assertEqual(tones.within(Box(8, 16, 24, 24)).tolist(), [[21, 22]])
        self.assertEqual(tones.within(Box(-50, -50, 8, 8)).tolist(), [[0]])
        self.assertEqual(tones.within(Box(900, 900, 990, 990)).size, 0)

    def test_upside_down(self):
        """Pictures turn with the page."""
        areas = Areas(pictures=[Box(0, 0, 10, 20)]).upside_down((100, 200))
        self.assertEqual(areas.pictures, [Box(190, 80, 200, 100)])


if __name__ == "__main__":
    unittest.main()
