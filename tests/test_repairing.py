"""Broken PDF files: what can be had of them is, and the user is told."""

import io
import re
import tempfile
import unittest
import zlib
from pathlib import Path
from unittest import mock

import pikepdf
import pypdfium2 as pdfium

import amberquarry as aq
from amberquarry import FindingCode
from amberquarry.sources import objects, repairing
from tests.support.layers import layered, paragraph, text


def whole(pages=5, packed=False):
    """A file of some pages, each with its number; packed: its objects lie in streams."""
    pdf = pikepdf.new()
    for number in range(1, pages + 1):
        content = layered(paragraph() + text(f"Sheet {number} of the log", 72, 300))
        with pikepdf.open(io.BytesIO(content)) as one:
            pdf.pages.extend(one.pages)
    out = io.BytesIO()
    mode = pikepdf.ObjectStreamMode
    pdf.save(out, object_stream_mode=mode.generate if packed else mode.disable)
    return out.getvalue()


class RepairTest(unittest.TestCase):
    def test_what_can_be_had(self):
        """Files cut off, without tables, roots or right counts give their pages, and say so."""
        data, packed = whole(), whole(packed=True)
        broken = {
            "cut": data[: data.rindex(b"xref\n0")],
            "objects in streams, cut": packed[: int(0.95 * len(packed))],
            "no root": data.replace(b"/Root", b"/Boot"),
            "more pages said than there are": re.sub(rb"/Count \d+", b"/Count 900", data),
        }
        for name, content in broken.items():
            with self.subTest(name):
                document = aq.read_document(content)
                self.assertEqual(len(document.pages), 5)
                told = [page.text.split()[-5:] for page in document.pages]
                wanted = [["Sheet", str(n), "of", "the", "log"] for n in range(1, 6)]
                # what was cut off is lost: the last page may be empty
                self.assertEqual(told[:4], wanted[:4])
                self.assertIn(told[4], (wanted[4], []) if name == "cut" else (wanted[4],))
                [finding] = document.findings
                self.assertEqual(finding.code, FindingCode.FILE_REPAIRED)

    def test_whole_files_are_left_alone(self):
        """No finding where nothing is broken, nor where PDFium finds its way by itself."""
        data = whole(2)
        for content in (data, re.sub(rb"startxref\n\d+", b"startxref\n7", data)):
            self.assertEqual(aq.read_document(content).findings, [])

    def test_nothing_to_be_had(self):
        """Without a page the file is refused with a reason."""
        data = whole(1)
        with self.assertRaisesRegex(aq.SourceError, "no page of it found"):
            aq.read_document(b"%PDF-1.7\n" + b"noise " * 500)
        self.assertIsNone(repairing.repaired(data[:200]))

    def test_streams_that_swell(self):
        """A stream of objects that unpacks to very much is unpacked to a limit."""
        swollen = zlib.compress(b"1 0 " + b" " * (1 << 24), 9)
        with mock.patch.object(repairing, "_MOST_BYTES", 1 << 20):
            found = repairing._inflated(swollen, 1 << 20)
            self.assertEqual(len(found), 1 << 20)
            data = b"%PDF-1.5\n1 0 obj <</Type /ObjStm /N 1 /First 4>>\nstream\n" + swollen
            self.assertIsNone(repairing.repaired(data))

    def test_trees_that_bite_their_tail(self):
        """A tree of pages that holds itself gives each page once."""
        data = re.sub(rb"/Kids \[", b"/Kids [ 2 0 R ", whole(3))
        self.assertEqual(len(aq.read_document(data).pages), 3)

    def test_a_run_goes_on(self):
        """A run reads a broken file among others; its record holds the finding."""
        with tempfile.TemporaryDirectory() as folder:
            own = Path(folder) / "in"
            own.mkdir()
            (own / "cut.pdf").write_bytes(whole()[:-600])
            (own / "noise.pdf").write_bytes(b"%PDF-1.7\n" + bytes(range(256)) * 40)
            summary = aq.convert([own], Path(folder) / "run")
            self.assertEqual((summary.pages, summary.rejected), (5, {"damaged": 1}))
            [document] = aq.open_run(Path(folder) / "run")
            self.assertEqual(document.findings[0].code, FindingCode.FILE_REPAIRED)


class FormTest(unittest.TestCase):
    def test_forms_within_forms_are_counted(self):
        """Forms that hold nothing but each other, many times over, are walked to a limit."""
        pdf = pikepdf.open(io.BytesIO(layered(paragraph() + "/Fm0 Do\n")))
        inner = None
        for _ in range(4):
            form = pdf.make_stream(b"/X Do " * 6 if inner is not None else b"")
            form.Type, form.Subtype = pikepdf.Name.XObject, pikepdf.Name.Form
            form.BBox = [0, 0, 600, 850]
            if inner is not None:
                form.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(X=inner))
            inner = pdf.make_indirect(form)
        pdf.pages[0].Resources.XObject = pikepdf.Dictionary(Fm0=inner)
        out = io.BytesIO()
        pdf.save(out)
        page = pdfium.PdfDocument(out.getvalue())[0]
        with (
            mock.patch.object(objects, "_MOST_OBJECTS", 200),
            mock.patch.object(objects, "_own_matrix", wraps=objects._own_matrix) as entered,
        ):
            self.assertEqual([*objects.pictures_of(page)], [])
        self.assertLessEqual(entered.call_count, 200)
