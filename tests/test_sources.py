import tempfile
import unittest
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image

from amberquarry import FindingCode, Limits, PageError, Rejection, Settings, SourceError
from amberquarry.demo import COLLECTION
from amberquarry.settings import PreparationSettings
from amberquarry.sources import FileKind, kind_of, open_source
from amberquarry.sources.pictures import grey_levels, image_of_array
from tests.support.pages import blank, encoded, picture_pdf, text_page


class KindTest(unittest.TestCase):
    def test_content_decides(self):
        """Names play no part: the first bytes do."""
        image = blank(20, 20)
        for head, kind in (
            (b"", FileKind.EMPTY),
            (b"junk\n%PDF-1.7", FileKind.PDF),
            (encoded(image), FileKind.PICTURE),
            (encoded(image, "TIFF"), FileKind.PICTURE),
            (encoded(image, "WEBP"), FileKind.PICTURE),
            (b"hello", FileKind.OTHER),
        ):
            with self.subTest(kind=kind):
                self.assertEqual(kind_of(head), kind)


class RefusalTest(unittest.TestCase):
    def reason(self, content, limits=None):
        with self.assertRaises(SourceError) as caught:
            open_source(content, Settings(), limits or Limits()).close()
        return caught.exception.reason

    def test_each_bad_file_has_its_reason(self):
        """Damaged, encrypted, foreign, empty, missing and too large files are told apart."""
        for name, reason in (
            ("damaged.pdf", Rejection.DAMAGED),
            ("locked.pdf", Rejection.ENCRYPTED),
            ("rota.docx", Rejection.UNSUPPORTED),
            ("no-such.pdf", Rejection.UNREADABLE),
        ):
            with self.subTest(name=name):
                self.assertEqual(self.reason(COLLECTION / name), reason)
        self.assertEqual(self.reason(b""), Rejection.EMPTY)
        self.assertEqual(self.reason(encoded(blank())[:40]), Rejection.DAMAGED)
        self.assertEqual(
            self.reason(COLLECTION / "circular.pdf", Limits(file_bytes=100)), Rejection.TOO_LARGE
        )
        self.assertEqual(
            self.reason(COLLECTION / "yearbook-1931.pdf", Limits(pages=2)), Rejection.TOO_LARGE
        )

    def test_picture_over_the_limit_is_a_page_error(self):
        """The size is checked before pixels are decoded."""
        source = open_source(encoded(blank(300, 300)), Settings(), Limits(pixels=50_000))
        with self.assertRaisesRegex(PageError, "300 x 300 pixels, the limit is 50000"):
            source.picture(0)

    def test_cut_off_picture_is_a_page_error(self):
        """A header that opens is no promise for the rest."""
        data = encoded(text_page(), "JPEG")
        source = open_source(data[: len(data) // 2], Settings(), Limits())
        with self.assertRaisesRegex(PageError, "decoded"):
            source.picture(0)


class PictureTest(unittest.TestCase):
    def test_every_mode_gives_grey_levels(self):
        """Depth, palette, alpha and ink colours all come out as black on white."""
        base = blank(64, 64)
        base.paste(0, (16, 16, 48, 48))
        deep = Image.fromarray(np.asarray(base).astype(np.uint16) * 257)
        clear = Image.new("RGBA", (64, 64), (0, 0, 0, 0))
        clear.paste((0, 0, 0, 255), (16, 16, 48, 48))
        for name, image in (
            ("1", base.convert("1")),
            ("P", base.convert("P")),
            ("16", deep),
            ("LA", base.convert("LA")),
            ("RGBA", clear),
            ("CMYK", base.convert("CMYK")),
            ("I", deep.convert("I")),
            ("F", base.convert("F")),
        ):
            with self.subTest(mode=name):
                grey = grey_levels(image)
                self.assertEqual((grey.dtype, grey.shape), (np.uint8, (64, 64)))
                self.assertLess(int(grey[32, 32]), 12)
                self.assertGreater(int(grey[2, 2]), 243)

    def test_arrays_are_checked(self):
        """Wrong shapes and types are the caller's mistake."""
        with self.assertRaisesRegex(ValueError, r"got shape \(2, 2, 7\)"):
            image_of_array(np.zeros((2, 2, 7), np.uint8))
        with self.assertRaisesRegex(ValueError, "no pixels"):
            image_of_array(np.zeros((0, 5), np.uint8))
        with self.assertRaisesRegex(TypeError, "int32"):
            image_of_array(np.zeros((4, 4), np.int32))
        self.assertEqual(int(grey_levels(image_of_array(np.ones((4, 4))))[0, 0]), 255)
        self.assertEqual(int(grey_levels(image_of_array(np.full((4, 4), np.nan)))[0, 0]), 0)

    def test_orientation_tag_is_followed(self):
        """A picture is taken as a viewer shows it."""
        image = blank(100, 40)
        exif = image.getexif()
        exif[0x0112] = 6
        source = open_source(encoded(image, "JPEG", exif=exif), Settings(), Limits())
        self.assertEqual(source.picture(0).grey.shape, (100, 40))

    def test_all_frames_of_a_tiff(self):
        """Each frame is a page, with its resolution."""
        source = open_source(COLLECTION / "instrument-notes.tif", Settings(), Limits())
        self.assertEqual(source.page_count, 4)
        self.assertEqual(source.picture(3).dpi, (300.0, 300.0))
        source.close()


class PortableTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_scan_keeps_its_own_resolution(self):
        """A picture that covers the page sets the resolution."""
        path = picture_pdf(self.folder / "scan.pdf", [text_page()], dpi=150)
        source = open_source(path, Settings(), Limits())
        picture = source.picture(0)
        self.assertEqual(picture.grey.shape, (1754, 1240))
        self.assertAlmostEqual(picture.dpi[0], 150, delta=0.5)
        source.close()

    def test_huge_page_is_lowered_and_said(self):
        """A wrong page size costs resolution, not memory."""
        pdf = pikepdf.new()
        pdf.add_blank_page(page_size=(5000, 7000))
        pdf.save(self.folder / "huge.pdf")
        settings = Settings(preparation=PreparationSettings(max_megapixels=4.0))
        source = open_source(self.folder / "huge.pdf", settings, Limits())
        picture = source.picture(0)
        self.assertLessEqual(picture.grey.size, 4_000_000)
        self.assertEqual([f.code for f in picture.findings], [FindingCode.RESOLUTION_LOWERED])
        source.close()

    def test_points_of_the_page(self):
        """The matrix brings the last pixel's corner to the page's corner."""
        source = open_source(COLLECTION / "circular.pdf", Settings(), Limits())
        picture = source.picture(0)
        a, _, _, d, e, f = picture.to_points
        height, width = picture.grey.shape
        self.assertAlmostEqual(a * width + e, 595, delta=0.5)
        self.assertAlmostEqual(d * height + f, 0, delta=0.5)
        source.close()
