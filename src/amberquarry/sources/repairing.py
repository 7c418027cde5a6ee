"""Broken PDF files, put together again from what is left of them.

qpdf finds the objects of a file whose table of them is broken (ISO 32000-1, 7.5.4). Where what
names its first object is lost as well, objects are taken out of their streams (7.5.7), and a new
first object names all pages in the order in which they lie in the file.
"""

from __future__ import annotations

import io
import logging
import re
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import pikepdf

log = logging.getLogger(__name__)
# what it says of broken files is expected here, and no one else may be listening
logging.getLogger("pikepdf").addHandler(logging.NullHandler())

_MOST_BYTES = 300_000_000  # of a file that is put together, and of its objects in streams
_NUMBER = re.compile(rb"(\d{1,7})\s+\d{1,5}\s+(?:obj|R)\b")  # of an object, there or lost
_PAGE = re.compile(
    rb"(\d{1,7})\s+(\d{1,5})\s+obj\b(?:(?!endobj).){0,3000}?/Type\s*/Page\b", re.DOTALL
)
_STREAM = re.compile(rb"<<((?:(?!stream).){0,500}?/ObjStm\b.{0,500}?)stream\r?\n", re.DOTALL)
_FAULTS = (pikepdf.PdfError, ValueError, TypeError, AttributeError, KeyError, RuntimeError)


class Repaired(NamedTuple):
    """What could be had of a broken file."""

    data: bytes
    pages: int
    bare: int  # of them, that are without what stood on them


def repaired(content: Path | bytes, password: str = "") -> Repaired | None:
    """Return a file with the pages that can be had of a broken one, None where there are none.

    password: that opens it, empty where there is none.
    """
    size = len(content) if isinstance(content, bytes) else content.stat().st_size
    if size > _MOST_BYTES:
        return None
    data = content if isinstance(content, bytes) else content.read_bytes()
    for tried in _ways(data):
        try:
            with pikepdf.open(io.BytesIO(tried), password=password) as pdf:
                bare = sum(not _has_content(page) for page in pdf.pages)
                if bare < len(pdf.pages):
                    out = io.BytesIO()
                    pdf.save(out)
                    return Repaired(out.getvalue(), len(pdf.pages), bare)
        except _FAULTS as error:
            log.debug("not repaired: %s", error)
    return None


def _has_content(page: pikepdf.Page) -> bool:
    return isinstance(page.obj.get("/Contents"), pikepdf.Stream | pikepdf.Array)


def _ways(data: bytes) -> Iterator[bytes]:
    """Yield a file as it is, then with all its objects laid bare under a new first one."""
    yield data
    # what is left of the old tables of objects would lead astray
    bare = data.replace(b"startxref", b"%%%%%%%%%").replace(b"trailer", b"%%%%%%%")
    bare += b"\n" + b"".join(_out_of_streams(data))
    # the last of one number counts
    own = {found[1]: found[2] for found in _PAGE.finditer(bare)}
    pages = b" ".join(b"%s %s R" % page for page in own.items())
    tree = max(map(int, _NUMBER.findall(bare)), default=0) + 1
    yield bare + (
        b"\n%d 0 obj\n<< /Type /Pages /Kids [%s] /Count %d >>\nendobj\n"
        b"%d 0 obj\n<< /Type /Catalog /Pages %d 0 R >>\nendobj\n"
        b"trailer\n<< /Root %d 0 R >>\n%%%%EOF\n"
    ) % (tree, pages, len(own), tree + 1, tree, tree + 1)


def _out_of_streams(data: bytes) -> Iterator[bytes]:
    """Yield the objects that lie in streams of a file as they would stand outside of them."""
    left = _MOST_BYTES
    for found in _STREAM.finditer(data):
        facts = dict(re.findall(rb"/(N|First)\s+(\d{1,7})", found[1]))
        if len(facts) < 2 or left <= 0:
            continue
        first = int(facts[b"First"])
        inner = _inflated(data[found.end() :], left)
        left -= len(inner)
        numbers = [int(n) for n in re.findall(rb"\d{1,10}", inner[:first])][: 2 * int(facts[b"N"])]
        starts = [first + at for at in numbers[1::2]]
        for number, start, end in zip(
            numbers[::2], starts, [*starts[1:], len(inner)], strict=False
        ):
            yield b"%d 0 obj\n%s\nendobj\n" % (number, inner[start:end])


def _inflated(data: bytes, most: int) -> bytes:
    """Return what compressed data hold at their beginning, as far as they are whole."""
    decoder, found = zlib.decompressobj(), bytearray()
    view = memoryview(data)
    try:
        for at in range(0, len(view), 4096):  # what lies before a fault is kept
            found += decoder.decompress(view[at : at + 4096], most - len(found))
            if decoder.eof or len(found) >= most:
                break
    except zlib.error:
        pass
    return bytes(found)
