"""Pictures of PDF pages as the files that they were made from."""

import io
import json
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
import pikepdf
from PIL import Image

import amberquarry as aq
from amberquarry import BlockKind
from amberquarry.formats.pictures import picture_records
from amberquarry.values import Figure, Picture
from tests.support.blocks import block_of, pages_of
from tests.support.layers import layered, paragraph

PLACE = "q {w} 0 0 {h} {x} {y} cm /Im0 Do Q\n"


def scene(wide=640, high=400):
    """A picture in colours, without edges that look like letters."""
    x, y = np.meshgrid(np.arange(wide), np.arange(high))
    waves = [128 + 100 * np.sin(x / 90 + k) * np.cos(y / 70 + 2 * k) for k in range(3)]
    return np.stack(waves, 2).astype(np.uint8)


def jpeg_of(pixels, **facts):
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "JPEG", quality=90, **facts)
    return out.getvalue()


def with_picture(content, data, pages=1, mask=None, size=None):
    """A PDF whose picture Im0 are JPEG data, or grey ones of a size, on each of its pages."""
    wide, high = size or Image.open(io.BytesIO(data)).size
    pdf = pikepdf.open(io.BytesIO(layered(content)))
    picture = pdf.make_stream(data)
    picture.Type, picture.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
    picture.Width, picture.Height, picture.BitsPerComponent = wide, high, 8
    if size:
        picture.ColorSpace = pikepdf.Name.DeviceGray
    else:
        picture.ColorSpace, picture.Filter = pikepdf.Name.DeviceRGB, pikepdf.Name.DCTDecode
    if mask is not None:
        picture.SMask = pdf.make_stream(mask.tobytes())
        picture.SMask.Type, picture.SMask.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
        picture.SMask.Width, picture.SMask.Height = mask.shape[1], mask.shape[0]
        picture.SMask.ColorSpace, picture.SMask.BitsPerComponent = pikepdf.Name.DeviceGray, 8
    pdf.pages[0].Resources.XObject = pikepdf.Dictionary(Im0=picture)
    for _ in range(1, pages):
        pdf.pages.append(pdf.pages[0])
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def figures(content, **facts):
    document = aq.read_document(content, **facts)
    return [block.picture for block in document.blocks(BlockKind.FIGURE)]


class OriginalTest(unittest.TestCase):
    def setUp(self):
        self.jpeg = jpeg_of(scene())
        self.content = paragraph(y=780) + PLACE.format(w=320, h=200, x=100, y=450)

    def test_jpeg_data_stay_as_they_are(self):
        """A picture is the file's own, byte by byte, and one on two pages has one name."""
        one, other = figures(with_picture(self.content, self.jpeg, pages=2))
        self.assertEqual(one.data, self.jpeg)
        self.assertEqual(one.name, other.name)
        self.assertRegex(one.name, r"^[0-9a-f]{16}\.jpg$")

    def test_other_pictures_keep_their_pixels(self):
        """Pictures without JPEG data become PNG with each pixel as it was."""
        grey = np.ascontiguousarray(scene()[..., 0])
        content = with_picture(self.content, grey.tobytes(), size=(640, 400))
        [picture] = figures(content)
        shown = cv2.imdecode(np.frombuffer(picture.data, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertRegex(picture.name, r"\.png$")
        np.testing.assert_array_equal(shown, grey)

    def test_what_looks_otherwise_is_cut_out(self):
        """A picture turned, cut, masked or drawn over is taken from the page as it shows there."""
        half = "q 100 450 160 200 re W n " + PLACE.format(w=320, h=200, x=100, y=450) + "Q\n"
        turned = paragraph(y=780) + "q 0 320 -200 0 400 300 cm /Im0 Do Q\n"
        mask = np.full((400, 640), 255, np.uint8)
        mask[:, 320:] = 0
        ways = {
            "turned": with_picture(turned, self.jpeg),
            "cut": with_picture(paragraph(y=780) + half, self.jpeg),
            "masked": with_picture(self.content, self.jpeg, mask=mask),
            "drawn over": with_picture(self.content + "0 g 100 450 160 200 re f\n", self.jpeg),
            "stored on its side": with_picture(self.content, jpeg_of(scene(), exif=_turned())),
        }
        for name, content in ways.items():
            with self.subTest(name):
                pictures = figures(content)
                self.assertTrue(pictures)
                for picture in pictures:
                    self.assertNotEqual(picture.data, self.jpeg)
                    self.assertIsNotNone(Image.open(io.BytesIO(picture.data)).getbbox())

    def test_a_run_says_where_they_stand(self):
        """A run keeps one file for a picture on two pages, and names the text around each."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "chart.pdf"
            path.write_bytes(with_picture(self.content, self.jpeg, pages=2))
            aq.convert([path], Path(folder) / "run")
            record = json.loads((Path(folder) / "run/documents.jsonl").read_text())
            entries = record["pictures"]
            self.assertEqual([entry["page"] for entry in entries], [1, 2])
            self.assertEqual(
                {(Path(folder) / "run" / e["image"]).read_bytes() for e in entries}, {self.jpeg}
            )
            kept = (Path(folder) / "run" / entries[0]["image"]).parent
            self.assertEqual(len([*kept.iterdir()]), 1)
            self.assertIn("harbour", entries[0]["before"])
            self.assertIn("harbour", entries[0]["after"])


class RecordTest(unittest.TestCase):
    def pages(self):
        """A figure with a caption, one at the end without, and what stands around them."""
        figure = block_of(BlockKind.FIGURE, "labels of it", 200)
        figure.payload, figure.caption = Figure(Picture("a.png")), "c1"
        caption = block_of(BlockKind.CAPTION, "Figure 1: levels", 260)
        caption.id = "c1"
        last = block_of(BlockKind.FIGURE, "x", 300)
        last.payload = Figure(Picture("b.jpg"))
        blocks = [
            block_of(BlockKind.RUNNING_HEAD, "Yearbook", 10),
            block_of(BlockKind.PARAGRAPH, "word " * 100, 50),
            block_of(BlockKind.TABLE, "12 13", 100),
            figure,
            caption,
            block_of(BlockKind.PAGE_NUMBER, "7", 900),
        ]
        pages = pages_of(blocks, [block_of(BlockKind.ITEM, "first of all", 40), last])
        for page in pages:
            for block in page.blocks:
                block.text = "\n".join(line.text for line in block.lines).strip()
        return pages

    def test_captions_and_text_around(self):
        """Running heads and tables are no text around a picture; long texts are cut at its side."""
        first, other = picture_records(self.pages(), "out/")
        self.assertEqual((first["image"], first["page"]), ("out/a.png", 1))
        self.assertEqual(first["caption"], "Figure 1: levels")
        self.assertTrue(first["before"].endswith("word word"))
        self.assertLessEqual(len(first["before"]), 300)
        self.assertEqual(first["after"], "first of all")  # of the next page
        self.assertEqual((other["image"], other["page"]), ("out/b.jpg", 2))
        self.assertEqual((other["before"], other["after"]), ("first of all", None))
        self.assertIsNone(other["caption"])

    def test_figures_without_pictures(self):
        """A figure whose picture was not kept has no entry."""
        pages = self.pages()
        for page in pages:
            for block in page.blocks:
                if block.kind is BlockKind.FIGURE:
                    block.payload = None
        self.assertEqual(picture_records(pages, ""), [])


def _turned():
    exif = Image.Exif()
    exif[0x0112] = 6
    return exif
