"""Page pictures of PDF files, through PDFium.

PDFium is not thread-safe: every call stands under one lock. Runs use it in worker processes only,
so that a crash or hang costs one file.
"""

from __future__ import annotations

import contextlib
import ctypes
import io
import itertools
import math
import mmap
import threading
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum, auto
from functools import lru_cache
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

import cv2
import numpy as np
import pikepdf
import pypdfium2 as pdfium
from PIL import Image
from pypdfium2 import raw

from amberquarry.errors import PageError, Rejection, SourceError
from amberquarry.settings import Limits, RenderSettings
from amberquarry.sources.embedded import original_of
from amberquarry.sources.layer import PageLayer, PageLink, PictureFile
from amberquarry.sources.objects import on_page, read_layer, to_points_of
from amberquarry.sources.pictures import PagePicture, has_colour
from amberquarry.sources.repairing import Repaired, repaired
from amberquarry.values import Box, FileFacts, Finding, FindingCode, OutlineEntry

_LOCK = threading.RLock()
_POINTS_PER_INCH = 72.0
_LAYER_DPI = 300.0  # of the pixels in which a page counts that nobody renders
_GLANCE_DPI = 100.0  # of the small picture that a layer is held against
_LEAST_SHARE = 0.02  # of the page that a picture covers, from which its damage is told
_MOST_LOST = 0.5  # of the page
_NEARLY_NOTHING = 0.01  # of a picture's pixels
_A_BIT_MORE = 1.02  # bytes that a picture may have after its pixels
# Bits that a pixel may take in the file, by those that it takes once PDFium has decoded it.
_BITS = {1: (1,), 8: (2, 4, 8, 16), 24: (3, 6, 12, 24, 48, 4, 8, 16, 32, 64)}
_END_OF_JPEG = b"\xff\xd9"
_OF_PIXELS = ("", "FlateDecode", "LZWDecode", "RunLengthDecode", "ASCIIHexDecode", "ASCII85Decode")
_DEEPEST, _MOST_ENTRIES = 12, 20_000  # levels and entries of an outline
_ADDRESSES, _LONGEST_ADDRESS = ("http://", "https://", "mailto:"), 4096
_MOST_UNITS = 75_000.0  # of 1/72 inch: what the standard's largest page needs
_LEAST_SCAN_DPI, _MOST_SCAN_DPI = 40.0, 1200.0
_INFO_KEYS = ("Title", "Author", "Subject", "Creator", "Producer", "CreationDate", "ModDate")


class PortableSource:
    """A PDF file."""

    def __init__(
        self,
        content: Path | bytes,
        limits: Limits,
        settings: RenderSettings,
        max_pixels: float,
        passwords: Sequence[str] = (),
    ) -> None:
        self._settings, self._max_pixels = settings, max_pixels
        self._most_pixels = limits.pixels
        self._flat: set[int] = set()  # pages whose forms and notes were made part of them
        self._links: dict[int, list[PageLink]] = {}
        with _LOCK:
            self._pdf, password, mended = _opened(content, passwords)
            self.page_count = len(self._pdf)
            self.facts = self._facts()
        if mended is not None:
            bare = f", {mended.bare} without what stood on them" if mended.bare else ""
            what = f"the file is broken; {mended.pages} of its pages could be had{bare}"
            self.facts.findings.append(Finding(FindingCode.FILE_REPAIRED, what))
        self._units = (
            _user_units(content, password)
            if isinstance(content, bytes)
            else _units_of(content, password)
        )
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
            page = self._loaded(index)
            try:
                return self._render(page, index)
            except (pdfium.PdfiumError, MemoryError) as error:
                raise PageError(index, f"the page can't be rendered ({error})") from error
            finally:
                page.close()

    def layer(self, index: int) -> PageLayer | None:
        """Return what a page says of its text, None where it holds none; raises PageError."""
        with _LOCK:
            page = self._loaded(index)
            try:
                return self._layer(page, index)
            except (pdfium.PdfiumError, MemoryError) as error:
                raise PageError(index, f"the page's text can't be taken ({error})") from error
            finally:
                page.close()

    def original(self, index: int, area: Box) -> PictureFile | None:
        """Return the one picture of the file that fills an area, in the page's points."""
        with _LOCK:
            page = self._loaded(index)
            try:
                return original_of(page, area, self._most_pixels)
            except (pdfium.PdfiumError, MemoryError):
                return None
            finally:
                page.close()

    def _loaded(self, index: int) -> pdfium.PdfPage:
        """Return a page with what was typed into its forms and notes, as it is printed."""
        try:
            page = self._pdf[index]
            if index not in self._flat and raw.FPDFPage_GetAnnotCount(page) > 0:
                self._links[index] = list(self._links_of(page))
                # the file stays as it is: this changes the copy in memory
                raw.FPDFPage_Flatten(page, raw.FLAT_NORMALDISPLAY)
                page.close()
                page = self._pdf[index]
            self._flat.add(index)
        except pdfium.PdfiumError as error:
            raise PageError(index, "the page is damaged and can't be loaded") from error
        return page

    def links(self, index: int) -> list[PageLink]:
        """Return the links of a page that was asked for before."""
        return self._links.get(index, [])

    def _links_of(self, page: pdfium.PdfPage) -> Iterator[PageLink]:
        """Yield the links of a page to addresses of the net and to mailboxes."""
        place, link = ctypes.c_int(0), raw.FPDF_LINK()
        for _ in range(_MOST_ENTRIES):
            if not raw.FPDFLink_Enumerate(page, place, link):
                return
            action, edges = raw.FPDFLink_GetAction(link), raw.FS_RECTF()
            if not action or not raw.FPDFLink_GetAnnotRect(link, edges):
                continue
            length = raw.FPDFAction_GetURIPath(self._pdf, action, None, 0)
            if not 0 < length <= _LONGEST_ADDRESS:
                continue
            buffer = ctypes.create_string_buffer(length)
            raw.FPDFAction_GetURIPath(self._pdf, action, buffer, length)
            uri = buffer.value.decode("utf-8", "replace").strip()
            if uri.lower().startswith(_ADDRESSES) and uri.isprintable():
                yield PageLink(uri, (edges.left, edges.bottom, edges.right, edges.top))

    def _layer(self, page: pdfium.PdfPage, index: int) -> PageLayer | None:
        width_pt, height_pt = page.get_size()
        unit = self._units.get(index, 1.0)
        dpi = _LAYER_DPI
        pixels = width_pt * height_pt * (dpi * unit / _POINTS_PER_INCH) ** 2
        if not pixels > 1:
            return None
        if pixels > self._max_pixels:
            dpi *= (self._max_pixels / pixels) ** 0.5 * 0.999
        scale = dpi * unit / _POINTS_PER_INCH * (1 - 1e-6)
        size = (max(1, math.ceil(width_pt * scale)), max(1, math.ceil(height_pt * scale)))
        text = read_layer(page, np.array(to_points_of(page, *size)).reshape(3, 2), size)
        if text is None:
            return None
        glance_scale = min(1.0, _GLANCE_DPI / dpi)
        bitmap = page.render(scale=scale * glance_scale, may_draw_forms=False, grayscale=True)
        try:
            glance = np.array(bitmap.to_numpy()).reshape(bitmap.height, bitmap.width)
        finally:
            bitmap.close()
        areas = np.prod(text.pictures[:, 2:] - text.pictures[:, :2], axis=1)
        whole = areas.max(initial=0.0) >= self._settings.scan_share * size[0] * size[1]
        return PageLayer(text, glance, glance.shape[1] / size[0], dpi, bool(whole))

    def _facts(self) -> FileFacts:
        """Return what the file says of itself beside its pages; what is broken is left out."""
        info = {key: value for key in _INFO_KEYS if (value := self._info(key))}
        outline, labels, names = [], [], []
        with contextlib.suppress(pdfium.PdfiumError, ValueError, UnicodeError):
            for entry in itertools.islice(self._pdf.get_toc(max_depth=_DEEPEST), _MOST_ENTRIES):
                target = entry.get_dest()
                index = target.get_index() if target else None
                page = index + 1 if index is not None and 0 <= index < len(self._pdf) else None
                outline.append(OutlineEntry(entry.level + 1, _plain(entry.get_title()), page))
        with contextlib.suppress(pdfium.PdfiumError, ValueError, UnicodeError):
            labels = [self._pdf.get_page_label(index) for index in range(len(self._pdf))]
        if all(label in ("", str(number)) for number, label in enumerate(labels, 1)):
            labels = []
        with contextlib.suppress(pdfium.PdfiumError, ValueError, UnicodeError):
            count = min(self._pdf.count_attachments(), _MOST_ENTRIES)
            names = [_plain(self._pdf.get_attachment(n).get_name()) for n in range(count)]
        return FileFacts(info, outline, labels, names)

    def _info(self, key: str) -> str:
        """Return what the file says of itself; letters that are cut in half are replaced."""
        name = key.encode("ascii")
        length = raw.FPDF_GetMetaText(self._pdf, name, None, 0)
        if length <= 2:
            return ""
        buffer = ctypes.create_string_buffer(length)
        raw.FPDF_GetMetaText(self._pdf, name, buffer, length)
        return buffer.raw[: length - 2].decode("utf-16-le", "replace")

    def _render(self, page: pdfium.PdfPage, index: int) -> PagePicture:
        width_pt, height_pt = page.get_size()
        if not (width_pt > 0 and height_pt > 0):
            raise PageError(index, f"the page's size is {width_pt} x {height_pt} points")
        unit = self._units.get(index, 1.0)
        pictures = list(self._pictures(page))
        findings = self._damage(pictures, page, index)
        dpi = self._scan_dpi(pictures, unit) or self._settings.dpi
        pixels = width_pt * height_pt * (dpi * unit / _POINTS_PER_INCH) ** 2
        if pixels > self._max_pixels:
            lower = dpi * (self._max_pixels / pixels) ** 0.5 * 0.999
            findings.append(
                Finding(
                    FindingCode.RESOLUTION_LOWERED,
                    f"rendered at {lower:.0f} dpi instead of {dpi:.0f}: the page measures "
                    f"{width_pt * unit:.0f} x {height_pt * unit:.0f} points",
                    index + 1,
                )
            )
            dpi = lower
        # a hair less, so that rounding up does not add a column to a scan's own width
        scale = dpi * unit / _POINTS_PER_INCH * (1 - 1e-6)
        if not (width_pt * scale >= 1 and height_pt * scale >= 1):
            raise PageError(
                index, f"the page is less than a pixel wide: {width_pt:g} x {height_pt:g} points"
            )
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
        rows, columns = grey.shape
        return PagePicture(
            grey, (dpi, dpi), to_points_of(page, columns, rows), tuple(findings), colours
        )

    def _pictures(self, page: pdfium.PdfPage) -> Iterator[_Placed]:
        """Yield the pictures on a page with the share of it that they cover."""
        # 100 x 100 of anything: corners of the page in its own units
        corners = [on_page(page, 100, 100, x, y) for x, y in ((0, 0), (100, 100))]
        left, right = sorted(x for x, _ in corners)
        bottom, top = sorted(y for _, y in corners)
        for item in page.get_objects(filter=[raw.FPDF_PAGEOBJ_IMAGE], max_depth=3):
            x0, y0, x1, y1 = item.get_bounds()
            width = max(0.0, min(x1, right) - max(x0, left))
            height = max(0.0, min(y1, top) - max(y0, bottom))
            columns, rows = ctypes.c_uint(), ctypes.c_uint()
            if raw.FPDFImageObj_GetImagePixelSize(item.raw, columns, rows):
                share = width * height / max(1e-9, (right - left) * (top - bottom))
                size = (columns.value, rows.value)
                yield _Placed(item, share, size, (x1 - x0, y1 - y0))

    def _scan_dpi(self, pictures: list[_Placed], unit: float) -> float | None:
        """Return the resolution of the one picture that covers the page, or None."""
        for picture in pictures:
            if picture.share < self._settings.scan_share:
                continue
            if raw.FPDFPageObj_HasTransparency(picture.item.raw):
                continue
            dots = max(of / length for of, length in zip(picture.size, picture.extent, strict=True))
            dpi = dots * _POINTS_PER_INCH / unit
            return min(max(dpi, _LEAST_SCAN_DPI), _MOST_SCAN_DPI)
        return None

    def _damage(self, pictures: list[_Placed], page: pdfium.PdfPage, index: int) -> list[Finding]:
        """Return what can't be seen on a page, since its pictures can't be decoded.

        Raises PageError where that is most of the page and there is nothing else on it.
        """
        lost, cut = 0.0, 0.0
        for picture in pictures:
            if picture.share < _LEAST_SHARE or np.prod(picture.size) > self._most_pixels:
                continue
            state = _state_of(picture)
            lost += picture.share * (state is _State.LOST)
            cut += picture.share * (state is _State.CUT)
        if lost >= _MOST_LOST and not has_text(page):
            raise PageError(
                index, "the page's picture can't be decoded; fetch or scan the file again"
            )
        return [
            Finding(
                FindingCode.PICTURE_DAMAGED,
                f"pictures on {min(1, share):.0%} of the page {what}",
                index + 1,
            )
            for share, what in (
                (lost, "can't be decoded; what they show is missing"),
                (cut, "are cut off; a part of what they show is missing"),
            )
            if share
        ]

    def close(self) -> None:
        """Release the file."""
        with _LOCK:
            self._pdf.close()


@dataclass(frozen=True, slots=True)
class _Placed:
    """A picture on a page."""

    item: Any
    share: float  # of the page
    size: tuple[int, int]  # columns, rows
    extent: tuple[float, float]  # across and up, in the page's units


class _State(Enum):
    WHOLE = auto()
    CUT = auto()
    LOST = auto()


def _state_of(picture: _Placed) -> _State:
    """Return whether all of a picture can be decoded."""
    item = picture.item
    bitmap = raw.FPDFImageObj_GetBitmap(item.raw)
    if not bitmap:
        return _State.LOST
    raw.FPDFBitmap_Destroy(bitmap)
    filters = item.get_filters()
    last = filters[-1] if filters else ""
    if last == "DCTDecode":
        data = bytes(item.get_data(decode_simple=True))
        # a JPEG's own end is looked for first: decoding it once more takes time
        return _State.CUT if _END_OF_JPEG not in data[-64:] and _is_cut(data) else _State.WHOLE
    if last in _OF_PIXELS:
        found = raw.FPDFImageObj_GetImageDataDecoded(item.raw, None, 0)
        wanted = [
            picture.size[1] * ((picture.size[0] * bits + 7) // 8)
            for bits in _BITS.get(item.get_metadata().bits_per_pixel, ())
        ]
        undone = filters and found == raw.FPDFImageObj_GetImageDataRaw(item.raw, None, 0)
        if undone or found < _NEARLY_NOTHING * min(wanted, default=0):
            return _State.LOST
        whole = any(size <= found <= _A_BIT_MORE * size for size in wanted)
        return _State.WHOLE if whole or found >= max(wanted, default=0) else _State.CUT
    return _State.WHOLE


def _is_cut(data: bytes) -> bool:
    try:
        with Image.open(io.BytesIO(data), formats=["JPEG"]) as image:
            image.load()
    except (OSError, ValueError, SyntaxError):
        return True
    return False


class _Opened(NamedTuple):
    """An open file."""

    pdf: pdfium.PdfDocument
    password: str  # empty where it has none
    mended: Repaired | None = None  # where it was broken


def _opened(content: Path | bytes, passwords: Sequence[str]) -> _Opened:
    """Return a file, opened; raises SourceError.

    Many files are protected with an empty password against changes alone.
    """
    error: pdfium.PdfiumError | None = None
    for password in ("", *passwords):
        try:
            pdf = pdfium.PdfDocument(content, password=password or None)
        except pdfium.PdfiumError as own:
            error = own
            code = raw.FPDF_GetLastError()
            if code == raw.FPDF_ERR_PASSWORD:
                continue
            break
        if len(pdf) and not _has_last_page(pdf) and (mended := _mended(content, password)):
            pdf.close()
            return mended
        return _Opened(pdf, password)
    if code == raw.FPDF_ERR_PASSWORD:
        said = "none of the passwords given opens it" if passwords else "give it with --password"
        raise SourceError(Rejection.ENCRYPTED, f"the PDF asks for a password; {said}") from error
    if mended := _mended(content, password):
        return mended
    if code == raw.FPDF_ERR_SUCCESS:  # nothing is wrong with it but that
        raise SourceError(Rejection.EMPTY, "the PDF has no pages") from error
    raise SourceError(
        Rejection.DAMAGED,
        "the PDF can't be opened, and no page of it found; fetch or export it again",
    ) from error


def _has_last_page(pdf: pdfium.PdfDocument) -> bool:
    """Return whether a file has as many pages as it says; cut and broken ones lack the last."""
    try:
        pdf[len(pdf) - 1].close()
    except pdfium.PdfiumError:
        return False
    return True


def _mended(content: Path | bytes, password: str) -> _Opened | None:
    """Return what can be had of a broken file, opened, None where that is nothing."""
    if isinstance(content, bytes):
        found = repaired(content, password)
    else:
        now = content.stat()
        found = _mended_once(content, now.st_size, now.st_mtime_ns, password)
    try:
        return _Opened(pdfium.PdfDocument(found.data), password, found) if found else None
    except pdfium.PdfiumError:
        return None


@lru_cache(maxsize=1)
def _mended_once(path: Path, size: int, changed_ns: int, password: str) -> Repaired | None:
    """Return what `repaired` does of a file in this state, which a run opens again and again."""
    return repaired(path, password)


def _units_of(path: Path, password: str) -> Mapping[int, float]:
    """Return what `_user_units` does, of a file that a run opens anew for every few pages."""
    now = path.stat()
    return _units_once(path, now.st_size, now.st_mtime_ns, password)


@lru_cache(maxsize=8)
def _units_once(path: Path, size: int, changed_ns: int, password: str) -> Mapping[int, float]:
    """Return the units of a file in this state, found once in a process."""
    return MappingProxyType(_user_units(path, password))


def _user_units(content: Path | bytes, password: str) -> dict[int, float]:
    """Return the units of pages that count in others than points: 1/72 inch times so much.

    PDFium does not know them. They are rare, and looked for where the file may have them.
    """
    if not _holds(content, b"/UserUnit") and not _holds(content, b"/ObjStm"):
        return {}
    source = io.BytesIO(content) if isinstance(content, bytes) else content
    try:
        with pikepdf.open(source, password=password, attempt_recovery=False) as pdf:
            found = {index: page.obj.get("/UserUnit") for index, page in enumerate(pdf.pages)}
            return {
                index: float(unit)
                for index, unit in found.items()
                if unit is not None and 0 < float(unit) <= _MOST_UNITS
            }
    except (pikepdf.PdfError, ValueError, TypeError, AttributeError, RuntimeError):
        return {}


def _holds(content: Path | bytes, word: bytes) -> bool:
    """Return whether some bytes stand in a file, without taking it into memory."""
    if isinstance(content, bytes):
        return word in content
    with content.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        return data.find(word) >= 0


def _plain(text: str) -> str:
    """Return a title or name on one line."""
    return " ".join(text.replace("\0", "").split())


def has_text(page: pdfium.PdfPage) -> bool:
    """Return whether the page has a text layer with characters in it."""
    layer = page.get_textpage()
    try:
        return bool(layer.count_chars() > 0)
    finally:
        layer.close()
