"""Line pictures with their text, as users have them."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from amberquarry.errors import LearningError, QuarryError, RunFolderError
from amberquarry.imaging import views_of
from amberquarry.layout.arranging import arrange
from amberquarry.pages.laying import lay_out
from amberquarry.pages.lines import line_in
from amberquarry.reading import load_reader
from amberquarry.reading.characters import fold, unknown_characters
from amberquarry.reading.normalise import LoneLine, Owners, cut_line
from amberquarry.runs.opened import PageOfFile, read_pages
from amberquarry.settings import Limits, Settings
from amberquarry.sources import open_source
from amberquarry.values import Box, Line, mapped_box

log = logging.getLogger(__name__)

PICTURES = {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp", ".webp"}
_LEAST_OVERLAP = 0.5  # of a found line with a labelled one, over both


@dataclass(frozen=True, slots=True)
class LabelledLine:
    """A line in the net's form with its text."""

    name: str
    ink: NDArray[np.float32]  # (LINE_HEIGHT, W)
    text: str


def label_of(text: str, name: str) -> str:
    """Return a label in the reader's spelling; LearningError where it can't be one."""
    label = " ".join(fold(text).split())
    if not label:
        raise LearningError(f"{name}: the label is empty; write what the line says, or remove it")
    unknown = sorted(unknown_characters(label))
    if unknown:
        shown = ", ".join(f"{c!r} (U+{ord(c):04X})" for c in unknown[:5])
        raise LearningError(
            f"{name}: the label holds characters outside the reader's set: {shown}; leave the line "
            "out or write them in another way"
        )
    return label


def lines_of_folder(folder: Path) -> Iterator[LabelledLine]:
    """Yield the line pictures of a folder that have a text file of the same name beside them."""
    paths = [p for p in sorted(folder.rglob("*")) if p.suffix.lower() in PICTURES]
    settings = Settings()
    for path in paths:
        written = path.with_suffix(".txt")
        if not written.is_file():
            continue
        try:
            label = label_of(written.read_text(encoding="utf-8-sig"), str(written))
        except UnicodeDecodeError as error:
            raise LearningError(f"{written}: not text in UTF-8") from error
        try:
            source = open_source(path, settings, Limits())
            try:
                found = line_in(source.picture(0).grey, settings)
            finally:
                source.close()
        except QuarryError as error:
            raise LearningError(f"{path}: not a readable picture ({error})") from error
        if found is None:
            log.warning("%s: no ink found, left out", path)
            continue
        prepared, ink, line = found
        picture = cut_line(prepared.grey, line, LoneLine(ink), settings.reading)
        yield LabelledLine(str(path), picture.ink, label)


def lines_of_pages(corrected: Path, files: Path) -> Iterator[LabelledLine]:
    """Yield the lines of corrected page records, cut out of the files that they were read from.

    corrected: a file like pages.jsonl. files: the folder below which the sources lie, as the
    records name them. Raises LearningError for other records or sources that are not there.
    """
    settings = Settings()
    for found in _pages_in(corrected):
        page, path = found.page, files / found.source
        if not path.is_file():
            raise LearningError(f"{path}: there is no such file; name the sources' folder")
        source = open_source(path, settings, Limits())
        try:
            grey = source.picture(page.source_page - 1).grey
        finally:
            source.close()
        written = [line for block in page.blocks for line in block.lines if line.text.strip()]
        for view in views_of(grey, settings.preparation):
            stages = lay_out(grey, view, load_reader(settings.reading), settings)
            ink, lines = stages.ink, arrange(stages.sheet).lines
            owners = Owners.of(ink, lines)
            for number, seen in enumerate(lines):
                line = _in_place(mapped_box(seen.box, stages.prepared.to_source)[0], written)
                if line is None:
                    continue
                name = f"{corrected}, page {page.number}, {line.text[:30]!r}"
                own = owners.line(number)
                picture = cut_line(stages.prepared.grey, seen, own, settings.reading)
                yield LabelledLine(name, picture.ink, label_of(line.text, name))


def _pages_in(corrected: Path) -> Iterator[PageOfFile]:
    try:
        yield from read_pages(corrected)
    except RunFolderError as error:
        raise LearningError(str(error)) from error


def _in_place(box: Box, lines: list[Line]) -> Line | None:
    """Return the line whose box covers nearly the same place, None where there is none."""

    def share(line: Line) -> float:
        shared = box.overlap(line.box)
        return shared / max(1e-9, box.area + line.box.area - shared)

    best = max(lines, key=share, default=None)
    return best if best is not None and share(best) >= _LEAST_OVERLAP else None
