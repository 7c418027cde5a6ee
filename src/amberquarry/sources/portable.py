"""Page pictures of PDF files, through PDFium.

PDFium is not thread-safe: every call stands under one lock. Runs use it in worker processes only,
so that a crash or hang costs one file.
"""

from __future__ import annotations

import ctypes
import threading
from pathlib import Path

import cv2
import numpy as np
import pypdfium2 as pdfium
from pypdfium2 import raw

from amberquarry.document import Finding, FindingCode
from amberquarry.errors import PageError, Rejection, SourceError
from amberquarry.settings import Limits, RenderSettings
from amberquarry.sources.pictures import PagePicture, has_colour

_LOCK = threading.RLock()
_POINTS_PER_INCH = 72.0
_LEAST_SCAN_DPI, _MOST_SCAN_DPI = 40.0, 1200.0
_INFO_KEYS = ("Title", "Author", "Subject", "Creator", "Producer", "CreationDate", "ModDate")


class PortableSource:
    """A PDF file."""

    def __init__(
        self, content: Path | bytes, limits: Limits, settings: RenderSettings, max_pixels: float
    ) -> None:
        self._settings, self._max_pixels = settings, max_pixels
        with _LOCK:
            try:
                self._pdf = pdfium.PdfDocument(content)
            except pdfium.PdfiumError as error:
                if raw.FPDF_GetLastError() == raw.FPDF_ERR_PASSWORD:
                    raise SourceError(
                        Rejection.ENCRYPTED,
                        "the PDF asks for a password; save a copy without protection",
                    ) from error
                raise SourceError(
                    Rejection.DAMAGED,
                    "the PDF can't be opened; it may be cut off: fetch or export it again",
                ) from error
            self.page_count = len(self._pdf)
            self.file_info = {
                key: value for key in _INFO_KEYS if (value := self._pdf.get_metadata_value(key))
            }
        if self.page_count == 0:
            self.close()
            raise SourceError(Rejection.EMPTY, "the PDF has no pages")
        if self.page_count > limits.pages:
            count = self.page_count
            self.close()
            raise SourceError(
                Rejection.TOO_LARGE, f"{count} pages, the limit is {limits.pages}; split the file"
            )

    def picture(self, index: int) -> PagePicture:
        """Return a page rendered; raises PageError where it can't be."""
        with _LOCK:
            try:
                page = self._pdf[index]
            except pdfium.PdfiumError as error:
                raise PageError(index, "the page is damaged and can't be loaded") from error
            try:
                return self._render(page, index)
            except (pdfium.PdfiumError, MemoryError) as error:
                raise PageError(index, f"the page can't be rendered ({error})") from error
            finally:
                page.close()

    def _render(self, page: pdfium.PdfPage, index: int) -> PagePicture:
        width_pt, height_pt = page.get_size()
        if not (width_pt > 0 and height_pt > 0):
            raise PageError(index, f"the page's size is {width_pt} x {height_pt} points")
        findings = []
        dpi = self._scan_dpi(page, width_pt, height_pt) or self._settings.dpi
        pixels = width_pt * height_pt * (dpi / _POINTS_PER_INCH) ** 2
        if pixels > self._max_pixels:
            lower = dpi * (self._max_pixels / pixels) ** 0.5 * 0.999
            findings.append(
                Finding(
                    FindingCode.RESOLUTION_LOWERED,
                    f"rendered at {lower:.0f} dpi instead of {dpi:.0f}: "
                    f"the page measures {width_pt:.0f} x {height_pt:.0f} points",
                    index + 1,
                )
            )
            dpi = lower
        if has_text(page):
            findings.append(
                Finding(
                    FindingCode.TEXT_LAYER_IGNORED,
                    "the page has a text layer; its ink was read instead",
                    index + 1,
                )
            )
        # a hair less, so that rounding up does not add a column to a scan's own width
        scale = dpi / _POINTS_PER_INCH * (1 - 1e-6)
        bitmap = page.render(scale=scale, may_draw_forms=False)
        try:
            channels = bitmap.to_numpy()  # blue, green, red
            grey = np.asarray(cv2.cvtColor(channels, cv2.COLOR_BGR2GRAY), np.uint8)
            colours = (
                np.asarray(cv2.cvtColor(channels, cv2.COLOR_BGR2RGB), np.uint8)
                if has_colour(channels)
                else None
            )
        finally:
            bitmap.close()
        inverse = _POINTS_PER_INCH / dpi
        return PagePicture(
            grey,
            (dpi, dpi),
            (inverse, 0.0, 0.0, -inverse, 0.0, height_pt),
            tuple(findings),
            colours,
        )

    def _scan_dpi(self, page: pdfium.PdfPage, width_pt: float, height_pt: float) -> float | None:
        """Return the resolution of the one picture that covers the page, or None."""
        turned = page.get_rotation() in (90, 270)
        raw_width, raw_height = (height_pt, width_pt) if turned else (width_pt, height_pt)
        for item in page.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=3):
            left, bottom, right, top = item.get_bounds()
            covered = (min(right, raw_width) - max(left, 0)) * (
                min(top, raw_height) - max(bottom, 0)
            )
            if covered < self._settings.scan_share * raw_width * raw_height:
                continue
            if raw.FPDFPageObj_HasTransparency(item.raw):
                continue
            columns, rows = ctypes.c_uint(), ctypes.c_uint()
            if not raw.FPDFImageObj_GetImagePixelSize(item.raw, columns, rows):
                continue
            dpi = (
                max(columns.value / (right - left), rows.value / (top - bottom)) * _POINTS_PER_INCH
            )
            return min(max(dpi, _LEAST_SCAN_DPI), _MOST_SCAN_DPI)
        return None

    def close(self) -> None:
        """Release the file."""
        with _LOCK:
            self._pdf.close()


def has_text(page: pdfium.PdfPage) -> bool:
    """Return whether the page has a text layer with characters in it."""
    layer = page.get_textpage()
    try:
        return bool(layer.count_chars() > 0)
    finally:
        layer.close()
