"""Open a file by what it holds, whatever its name says."""

from __future__ import annotations

import hashlib
import stat
from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path
from typing import Protocol

from amberquarry.errors import Rejection, SourceError
from amberquarry.settings import Limits, Settings
from amberquarry.sources.layer import PageLayer, PageLink, PictureFile
from amberquarry.sources.pictures import PagePicture, PictureSource
from amberquarry.values import Box, FileFacts

_HEAD_BYTES = 1024
_IDENTIFIER = 32  # hexadecimal figures
_PICTURES = (
    b"\x89PNG\r\n\x1a\n",
    b"\xff\xd8\xff",
    b"II*\0",
    b"MM\0*",
    b"II+\0",
    b"MM\0+",
    b"BM",
    b"GIF87a",
    b"GIF89a",
    b"\0\0\0\x0cjP  \r\n\x87\n",
    b"\xff\x4f\xff\x51",
    b"P1",
    b"P2",
    b"P3",
    b"P4",
    b"P5",
    b"P6",
)


class FileKind(StrEnum):
    """What a file is, by its first bytes."""

    PDF = "pdf"
    PICTURE = "picture"
    EMPTY = "empty"
    OTHER = "other"


class Source(Protocol):
    """An opened file: pages are asked for by index."""

    page_count: int
    facts: FileFacts

    def picture(self, index: int) -> PagePicture:
        """Return the picture of a page; raises PageError."""
        ...

    def layer(self, index: int) -> PageLayer | None:
        """Return what a page says of its text, None where it says nothing; raises PageError."""
        ...

    def links(self, index: int) -> list[PageLink]:
        """Return the links of a page whose picture or layer was asked for."""
        ...

    def original(self, index: int, area: Box) -> PictureFile | None:
        """Return the one picture of the file that fills an area, in the page's points."""
        ...

    def close(self) -> None:
        """Release the file."""
        ...


def identify(content: Path | bytes) -> str:
    """Return the identifier of a file: the start of its content's SHA-256."""
    if isinstance(content, bytes):
        return hashlib.sha256(content).hexdigest()[:_IDENTIFIER]
    with content.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()[:_IDENTIFIER]


def kind_of(head: bytes) -> FileKind:
    """Return what a file is from its first kilobyte."""
    if not head:
        return FileKind.EMPTY
    if b"%PDF-" in head:  # junk before the header is common
        return FileKind.PDF
    if head.startswith(_PICTURES) or (head[:4] == b"RIFF" and head[8:12] == b"WEBP"):
        return FileKind.PICTURE
    return FileKind.OTHER


def _foreign_message(head: bytes) -> str:
    if head.startswith((b"PK\3\4", b"\xd0\xcf\x11\xe0")):
        return "this is an archive or office file; print or export it to PDF first"
    return "not a PDF or picture (PNG, JPEG, TIFF, BMP, GIF, WebP, JPEG 2000)"


def open_source(
    content: Path | bytes, settings: Settings, limits: Limits, passwords: Sequence[str] = ()
) -> Source:
    """Return the opened file; raises SourceError with the reason where it can't be used.

    passwords: tried one after the other on protected files.
    """
    try:
        if isinstance(content, bytes):
            size, head = len(content), content[:_HEAD_BYTES]
        else:
            found = content.stat()
            if not stat.S_ISREG(found.st_mode):
                raise SourceError(
                    Rejection.UNSUPPORTED, "this is no file but a folder, pipe, socket or device"
                )
            size = found.st_size
            with content.open("rb") as file:
                head = file.read(_HEAD_BYTES)
    except OSError as error:
        raise SourceError(
            Rejection.UNREADABLE,
            f"the file can't be read ({error.strerror}); check its path and permissions",
        ) from error
    if size > limits.file_bytes:
        raise SourceError(
            Rejection.TOO_LARGE, f"{size} bytes, the limit is {limits.file_bytes}; split the file"
        )
    kind = kind_of(head)
    if kind is FileKind.EMPTY:
        raise SourceError(Rejection.EMPTY, "the file has no bytes")
    if kind is FileKind.OTHER:
        raise SourceError(Rejection.UNSUPPORTED, _foreign_message(head))
    if kind is FileKind.PICTURE:
        return PictureSource(content, limits)
    from amberquarry.sources.portable import PortableSource  # heavy, and only for PDF

    return PortableSource(
        content, limits, settings.render, settings.preparation.max_megapixels * 1e6, passwords
    )
