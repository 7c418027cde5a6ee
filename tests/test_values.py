import unittest

import numpy as np

from amberquarry.imaging import in_frame
from amberquarry.values import (
    Bend,
    Block,
    BlockKind,
    Box,
    Frame,
    Line,
    Mapping,
    Page,
    Word,
    at_source,
    mapped_line,
)

QUARTER = Mapping.of(np.array([[0.0, -1.0, 400.0], [1.0, 0.0, 0.0]]))  # 300 x 400 to 400 x 300


def tilted(degrees, shift=(0.0, 0.0)):
    """A mapping that turns by some degrees about the origin, then shifts."""
    angle = np.radians(degrees)
    cos, sin = np.cos(angle), np.sin(angle)
    return Mapping.of(np.array([[cos, -sin, shift[0]], [sin, cos, shift[1]]]))


def bent(height=3.0):
    """A bend as pages have near a fold, at every 20 pixels of 400 x 300."""
    x = np.arange(0, 420, 20) / 400
    shift = np.zeros((16, 21, 2), np.float32)
    shift[..., 1] = height * np.sin(np.pi * x)[None]
    return Mapping((Bend(shift, 20.0),))


def line(box, text="ab", quad=None):
    """A line of one word."""
    word = Word(text, box, 0.9, 0, len(text), quad)
    boxes = np.array([box] * len(text), np.float32)
    return Line(text, box, 0.9, [word], boxes, np.full(len(text), 0.9, np.float32), quad, 10.0)


class MappingTest(unittest.TestCase):
    def test_inverse(self):
        """There and back again comes to the same points, through bends too."""
        points = np.array([[10.0, 20.0], [200.0, 150.0], [390.0, 290.0]])
        chain = QUARTER.after(tilted(2.0, (5, 7))).after(bent())
        back = chain.inverse().apply(chain.apply(points))
        np.testing.assert_allclose(back, points, atol=0.02)

    def test_many_points_at_once(self):
        """A bend moves as many points as a page has pixels."""
        points = np.zeros((70_000, 2))
        self.assertEqual(bent().apply(points).shape, points.shape)


class InFrameTest(unittest.TestCase):
    def test_picture_of_a_turned_page(self):
        """A quarter turn gives back the same pixels."""
        grey = np.random.default_rng(0).integers(0, 255, (300, 400), np.uint8)
        np.testing.assert_array_equal(in_frame(grey, QUARTER, (300, 400)), np.rot90(grey))

    def test_paper_beyond_the_picture(self):
        """What lies beside the picture is as light as its paper."""
        grey = np.full((300, 400), 200, np.uint8)
        shifted = Mapping.of(np.array([[1.0, 0.0, -50.0], [0.0, 1.0, 0.0]]))
        self.assertEqual(in_frame(grey, shifted, (400, 300)).min(), 200)


class AtSourceTest(unittest.TestCase):
    def page(self, to_source, blocks):
        """A page of 400 x 300 whose blocks lie in a frame."""
        return Page(1, 400, 300, None, blocks=blocks, frame=Frame(300, 400, to_source))

    def test_turned_page_has_upright_boxes(self):
        """After a quarter turn boxes need no quads."""
        block = Block(BlockKind.PARAGRAPH, Box(20, 30, 80, 50), [line(Box(20, 30, 80, 50))])
        page = self.page(QUARTER, [block])
        at_source(page)
        self.assertEqual(page.blocks[0].box, Box(350, 20, 370, 80))
        [own] = page.blocks[0].lines
        self.assertEqual((own.box, own.quad), (Box(350, 20, 370, 80), None))
        self.assertAlmostEqual(own.x_height, 10.0)
        self.assertEqual(own.character_boxes[0].tolist(), [350, 20, 370, 80])

    def test_tilted_lines_have_quads(self):
        """The quad begins at the text's own top left, and the box is around it."""
        page = self.page(
            tilted(10.0, (60, 0)),
            [Block(BlockKind.PARAGRAPH, Box(0, 0, 0, 0), [line(Box(20, 30, 80, 50))])],
        )
        at_source(page)
        [own] = page.blocks[0].lines
        (x0, y0), (x1, y1), *_ = own.quad
        self.assertGreater(y1, y0)
        self.assertAlmostEqual(np.hypot(x1 - x0, y1 - y0), 60, delta=0.2)
        self.assertEqual(own.box, page.blocks[0].box)
        self.assertEqual(own.words[0].quad, own.quad)

    def test_nothing_beyond_the_page(self):
        """Boxes, quads and characters end at the page's edges."""
        figure = Block(BlockKind.FIGURE, Box(-20, -30, 500, 90))
        text = Block(BlockKind.PARAGRAPH, Box(0, 0, 0, 0), [line(Box(-5, 10, 500, 30))])
        page = self.page(tilted(1.0), [figure, text])
        at_source(page)
        for box in (page.blocks[0].box, page.blocks[1].box, page.blocks[1].lines[0].box):
            self.assertEqual(box, box.within(400, 300))
        quad = np.array(page.blocks[1].lines[0].quad)
        self.assertTrue((quad >= 0).all() and (quad <= (400, 300)).all())
        self.assertLessEqual(page.blocks[1].lines[0].character_boxes.max(), 400)

    def test_only_once(self):
        """A page that is at its source stays as it is."""
        page = self.page(QUARTER, [Block(BlockKind.FIGURE, Box(20, 30, 80, 50))])
        at_source(page)
        before = page.blocks[0].box
        at_source(page)
        self.assertEqual(page.blocks[0].box, before)

    def test_lines_that_run_up_keep_their_quad(self):
        """A vertical line on a page that is tilted begins at its own top left."""
        upright = line(Box(0, 0, 60, 20))
        up = mapped_line(
            upright, Mapping.of(np.array([[0.0, 1.0, 100.0], [-1.0, 0.0, 200.0]])), turned=True
        )
        self.assertEqual(up.box, Box(100, 140, 120, 200))
        self.assertEqual(up.quad[0], (100.0, 200.0))
        page = self.page(tilted(5.0), [Block(BlockKind.LABEL, up.box, [up])])
        at_source(page)
        (_, y0), (_, y1), *_ = page.blocks[0].lines[0].quad
        self.assertLess(y1, y0)
