"""The frames of a TIFF, each opened alone, so that a broken one costs only itself.

Source of the format: TIFF revision 6.0 (1992); BigTIFF with offsets of eight bytes.
"""

from __future__ import annotations

import io
import os
import struct
from dataclasses import dataclass
from typing import Any, BinaryIO

# The first bytes, with the order of bytes, and whether offsets have eight of them.
_HEADS = {
    b"II*\0": ("<", False),
    b"MM\0*": (">", False),
    b"II+\0": ("<", True),
    b"MM\0+": (">", True),
}


@dataclass(frozen=True, slots=True)
class Frame:
    """Where a frame's directory lies in its file, and how to make it the file's only one."""

    offset: int
    patches: tuple[tuple[int, bytes], ...]  # what to read at some places instead


def frames_of(file: BinaryIO, most: int) -> list[Frame]:
    """Return the frames of a TIFF in order, at most `most`; [] if it is no TIFF.

    The chain of frames ends where it leaves the file or comes back to itself; what lies outside of
    the file counts as one frame more, which can't be opened.
    """
    file.seek(0)
    head = file.read(16)
    if head[:4] not in _HEADS:
        return []
    order, big = _HEADS[head[:4]]
    pointer = struct.Struct(order + ("Q" if big else "I"))
    counter, entry = struct.Struct(order + ("Q" if big else "H")), 20 if big else 12
    first_at = 8 if big else 4
    size = file.seek(0, os.SEEK_END)
    frames: list[Frame] = []
    seen: set[int] = set()
    at = first_at
    while len(frames) < most:
        offset = _number(file, at, pointer)
        if not offset or offset in seen:
            break
        seen.add(offset)
        count = _number(file, offset, counter)
        at = offset + counter.size + (count or 0) * entry
        ends = count is None or at + pointer.size > size
        first = (first_at, pointer.pack(offset))
        frames.append(Frame(offset, (first,) if ends else (first, (at, pointer.pack(0)))))
        if ends:
            break
    return frames


def _number(file: BinaryIO, at: int, form: struct.Struct) -> int | None:
    """Return the number at a place of a file, None beyond its end."""
    file.seek(at)
    data = file.read(form.size)
    return int(form.unpack(data)[0]) if len(data) == form.size else None


class OneFrame(io.RawIOBase):
    """A TIFF file that seems to hold one of its frames only."""

    def __init__(self, file: BinaryIO, frame: Frame) -> None:
        self._file, self._patches = file, frame.patches
        file.seek(0)

    def readable(self) -> bool:
        """Return True."""
        return True

    def seekable(self) -> bool:
        """Return True."""
        return True

    def fileno(self) -> int:
        """Return the descriptor of the file; OSError if it lies in memory."""
        return self._file.fileno()

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        """Move to a place and return it."""
        return self._file.seek(offset, whence)

    def tell(self) -> int:
        """Return the place."""
        return self._file.tell()

    def readinto(self, buffer: Any) -> int:
        """Read bytes into a buffer and return how many."""
        view = memoryview(buffer).cast("B")
        start = self._file.tell()
        data = bytearray(self._file.read(len(view)))
        for at, patch in self._patches:
            first, last = max(at, start), min(at + len(patch), start + len(data))
            if first < last:
                data[first - start : last - start] = patch[first - at : last - at]
        view[: len(data)] = data
        return len(data)
