"""What is read of a PDF page beside its pixels: letters, lines, drawings, pictures."""

import io
import unittest

import numpy as np
import pikepdf

from amberquarry.settings import Limits, Settings
from amberquarry.sources import open_source
from amberquarry.sources.layer import LayerFont
from amberquarry.sources.objects import _with_pitch
from amberquarry.sources.pictures import PictureSource
from tests.support.layers import layered, picture_of, text

SCALE = 300 / 72


def layer_of(content, **page):
    source = open_source(
        content if isinstance(content, bytes) else layered(content, **page), Settings(), Limits()
    )
    try:
        return source.layer(0)
    finally:
        source.close()


def objects_of(content, **page):
    """The text layer of a page with this content and a word, so that it has one at all."""
    return layer_of(content + "\n" + text("word", 500, 20), **page).text


def pixels(x0, y0, x1, y1):
    """A box in points from the lower left corner, in pixels from the upper left."""
    return np.array([x0, 842 - y1, x1, 842 - y0]) * SCALE


class LettersTest(unittest.TestCase):
    def test_codes_places_and_sizes(self):
        """Each letter has its code, the point where it stands, and its size in pixels."""
        found = objects_of(text("Tide", 72, 700, size=24))
        self.assertEqual("".join(map(chr, found.codes[:4])), "Tide")
        self.assertTrue(np.allclose(found.origins[0], [72 * SCALE, 142 * SCALE], atol=0.5))
        self.assertAlmostEqual(found.size[0], 24 * SCALE, delta=0.1)
        self.assertTrue((found.advances[:4, 2] > found.advances[:4, 0]).all())
        self.assertTrue((found.boxes[:4, 1] > found.advances[:4, 1] - 1).all())

    def test_size_and_angle_come_from_the_matrix(self):
        """Type enlarged or turned by its matrix is as large and turned as it is seen."""
        found = objects_of(text("ab", 300, 400, size=1, matrix=(0, 20, -20, 0)))
        self.assertAlmostEqual(found.size[0], 20 * SCALE, delta=0.1)
        self.assertEqual(found.angle[0], 270)
        found = objects_of(text("ab", 300, 400), Rotate=90)
        self.assertEqual(found.angle[0], 90)
        self.assertEqual((found.width, found.height), (3509, 2480))

    def test_fonts(self):
        """Weight, slant and pitch are told by the names of fonts."""
        found = objects_of(
            "".join(
                text("x", 72, 700 - 20 * n, name) for n, name in enumerate(("F1", "F2", "F3", "F4"))
            )
        )
        facts = {font.name: font for font in found.fonts}
        self.assertTrue(facts["Helvetica-Bold"].bold and not facts["Helvetica"].bold)
        self.assertTrue(facts["Times-Italic"].italic and not facts["Helvetica"].italic)
        self.assertTrue(facts["Courier"].fixed_pitch and not facts["Helvetica"].fixed_pitch)
        self.assertEqual(found.fonts[found.font[0]].name, "Helvetica")

    def test_pitch_by_the_room_of_letters(self):
        """Letters that all take one room are of fixed pitch, whatever the font is called."""
        own = LayerFont("Plain", False, False, False, False)
        told = LayerFont("Typed", False, False, True, False)
        codes = np.frombuffer("filmywork".encode("utf-32-le"), np.uint32)
        none = np.zeros(len(codes), np.int64)
        even, uneven = np.full(len(codes), 0.6), np.linspace(0.3, 0.9, len(codes))
        even[3] = 0.66  # a letter that reaches out of its room
        for fonts, room, fixed in (((own,), even, True), ((told,), uneven, False)):
            [found] = _with_pitch(fonts, none, codes, room)
            self.assertEqual(found.fixed_pitch, fixed)
        [found] = _with_pitch((told,), none[:4], codes[:4], uneven[:4])
        self.assertTrue(found.fixed_pitch)  # few letters tell nothing: its name does

    def test_spaces_that_the_library_adds(self):
        """White between runs is marked as added; it has no font."""
        found = objects_of(text("one", 72, 700) + text("two", 140, 700))
        self.assertTrue(found.generated.any())
        self.assertEqual(set(found.font[found.generated].tolist()), {-1})

    def test_letters_without_ink(self):
        """Text of mode 3 is drawn unseen."""
        found = objects_of(
            text("gone", 72, 700, before="3 Tr") + text("here", 72, 600, before="0 Tr")
        )
        self.assertTrue(found.invisible[:4].all())
        self.assertFalse(found.invisible[-4:].any())

    def test_nothing_to_take(self):
        """A page without letters, and a picture, have no layer."""
        self.assertIsNone(layer_of("72 600 m 500 600 l S"))
        out = io.BytesIO()
        out.write(b"P5 4 4 255\n" + bytes(16))
        source = open_source(out.getvalue(), Settings(), Limits())
        self.assertIsInstance(source, PictureSource)
        self.assertIsNone(source.layer(0))
        self.assertEqual(source.links(0), [])
        source.close()


class DrawnTest(unittest.TestCase):
    def test_lines(self):
        """Stroked lines and thin filled rectangles are lines as thick as they are drawn."""
        found = objects_of("2 w 72 600 m 500 600 l S 72 300 1.5 250 re f").lines
        self.assertTrue(np.allclose(found[0], pixels(72, 599, 500, 601), atol=5))
        self.assertAlmostEqual(found[0, 3] - found[0, 1], 2 * SCALE, delta=0.6)
        self.assertTrue(np.allclose(found[1], pixels(72, 300, 73.5, 550), atol=1))

    def test_a_frame_is_four_lines(self):
        """A stroked rectangle is its four sides; so is one drawn line by line and closed."""
        for frame in ("72 300 200 100 re S", "72 300 m 272 300 l 272 400 l 72 400 l s"):
            self.assertEqual(len(objects_of(frame).lines), 4)

    def test_a_grid_in_one_path(self):
        """Each line of a grid counts, though all are one path."""
        grid = "".join(f"72 {y} m 300 {y} l " for y in range(300, 400, 20))
        self.assertEqual(len(objects_of(grid + "S").lines), 5)

    def test_drawings_and_fills(self):
        """Curves and slanting lines are drawings; filled rectangles are toned areas."""
        found = objects_of(
            "100 100 m 200 300 300 300 400 100 c S 100 500 m 300 700 l S 0.8 g 72 300 200 100 re f"
        )
        self.assertEqual((len(found.lines), len(found.drawings), len(found.fills)), (0, 2, 1))
        self.assertTrue(np.allclose(found.fills[0], pixels(72, 300, 272, 400), atol=1))

    def test_white_is_not_drawn(self):
        """What is as white as paper is no line and no area."""
        found = objects_of("1 G 72 600 m 500 600 l S 1 g 72 300 200 100 re f 0 g 0 G")
        self.assertEqual((len(found.lines), len(found.fills)), (0, 0))

    def test_pictures(self):
        """A picture's place; what lies outside of the page is left out."""
        grey = picture_of(text("x", 72, 700), 30)
        place = "q 200 0 0 100 72 300 cm /Im0 Do Q q 50 0 0 50 700 300 cm /Im0 Do Q\n"
        found = objects_of(place, picture=grey).pictures
        self.assertEqual(len(found), 1)
        self.assertTrue(np.allclose(found[0], pixels(72, 300, 272, 400), atol=1))

    def test_forms_within_forms(self):
        """Lines and letters of a form lie where the form's matrices put them."""
        pdf = pikepdf.open(io.BytesIO(layered("")))
        fonts = pdf.pages[0].Resources.Font

        def form(content, matrix, **resources):
            made = pdf.make_stream(content.encode())
            made.Type, made.Subtype = pikepdf.Name.XObject, pikepdf.Name.Form
            made.BBox, made.Matrix = [0, 0, 600, 850], matrix
            made.Resources = pikepdf.Dictionary(Font=fonts, **resources)
            return made

        inner = form("0 0 m 100 0 l S " + text("word", 0, 10), [1, 0, 0, 1, 50, 0])
        own = pikepdf.Dictionary(In=inner)
        outer = form("q 1 0 0 1 0 100 cm /In Do Q", [2, 0, 0, 2, 10, 20], XObject=own)
        pdf.pages[0].Resources.XObject = pikepdf.Dictionary(Out=outer)
        pdf.pages[0].Contents = pdf.make_stream(b"/Out Do")
        out = io.BytesIO()
        pdf.save(out)
        found = layer_of(out.getvalue()).text
        self.assertTrue(np.allclose(found.lines[0, [0, 2]], [110 * SCALE, 310 * SCALE], atol=6))
        self.assertAlmostEqual(found.lines[0, 3], (842 - 220) * SCALE, delta=6)
        self.assertAlmostEqual(found.size[0], 22 * SCALE, delta=0.2)

    def test_crop_box_and_user_unit(self):
        """Pixels count from the corner of what is displayed, in the page's own unit."""
        found = objects_of(text("a", 172, 700), CropBox=[100, 100, 500, 800])
        self.assertEqual(found.width, round(400 * SCALE))
        self.assertTrue(np.allclose(found.origins[0], [72 * SCALE, 100 * SCALE], atol=1))
        found = objects_of(text("a", 72, 700), UserUnit=2.0, CropBox=[0, 442, 300, 842])
        self.assertAlmostEqual(found.origins[0, 0], 144 * SCALE, delta=1)


if __name__ == "__main__":
    unittest.main()
