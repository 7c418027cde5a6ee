"""The calls for one page or document, without a run folder."""

from __future__ import annotations

import logging
import os
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from amberquarry.assembly import assemble
from amberquarry.document import Document
from amberquarry.errors import PageError, Rejection, SourceError, our_fault
from amberquarry.pages.layered import read_page_of
from amberquarry.pages.lines import empty_line, read_line_picture
from amberquarry.pages.pictures import cut_pictures
from amberquarry.pages.ways import Tries, read_in_ways
from amberquarry.reading import load_reader
from amberquarry.settings import Limits, Settings
from amberquarry.sources import PagePicture, Source, identify, open_source
from amberquarry.sources.pictures import image_of_array
from amberquarry.values import Box, Frame, Line, Mapping, Page

log = logging.getLogger(__name__)

PageInput = str | os.PathLike[str] | bytes | NDArray[np.generic] | Image.Image


def page_picture(
    image: PageInput,
    number: int,
    settings: Settings,
    limits: Limits,
    passwords: Sequence[str] = (),
) -> PagePicture:
    """Return the grey picture of a page from a path, bytes, array or Pillow image."""
    if isinstance(image, np.ndarray):
        image = image_of_array(image)
    if isinstance(image, Image.Image):
        if 0 in image.size:
            raise ValueError(f"the picture has no pixels, its size is {image.size}")
        return PagePicture.of_image(image)
    content = image if isinstance(image, bytes) else Path(image)
    source = open_source(content, settings, limits, passwords)
    try:
        _check_number(number, source)
        return source.picture(number - 1)
    finally:
        source.close()


def read_page(
    image: PageInput,
    *,
    page: int = 1,
    region: Box | tuple[float, float, float, float] | None = None,
    settings: Settings | None = None,
    limits: Limits | None = None,
    passwords: Sequence[str] = (),
) -> Page:
    """Return what is on a page.

    image: path or bytes of a file, an array (H, W), (H, W, 3) RGB or (H, W, 4) RGBA, or a Pillow
    image. page: which page of a file, from 1. region: x0, y0, x1, y1 of the part that is read, in
    the page's pixels; boxes count from the page's corner all the same. What lies outside of the
    page is cut off; ValueError where nothing is left. passwords: tried on protected files.
    A picture of two facing pages gives the blocks of the left one, then those of the right one;
    `read_document` gives two pages. Raises SourceError, PageError, ValueError or TypeError where
    the input can't be used.
    """
    settings, limits = settings or Settings(), limits or Limits()
    if region is None and not isinstance(image, np.ndarray | Image.Image):
        return _page_of_file(image, page, settings, limits, passwords)
    picture = page_picture(image, page, settings, limits, passwords)
    return read_in_steps(picture, page, settings, None if region is None else Box(*region))[0]


def _page_of_file(
    image: str | os.PathLike[str] | bytes,
    number: int,
    settings: Settings,
    limits: Limits,
    passwords: Sequence[str],
) -> Page:
    content = image if isinstance(image, bytes) else Path(image)
    source = open_source(content, settings, limits, passwords)
    try:
        _check_number(number, source)
        pages = read_page_of(source, number - 1, lambda: load_reader(settings.reading), settings)
    finally:
        source.close()
    assemble(pages, settings.output.min_confidence)
    return _as_one(pages)


def _check_number(number: int, source: Source) -> None:
    if not 1 <= number <= source.page_count:
        raise ValueError(f"there is no page {number}, the file has {source.page_count}")


def _as_one(pages: list[Page]) -> Page:
    """Return the first of two facing pages with the blocks of both."""
    for other in pages[1:]:
        pages[0].blocks += other.blocks
    return pages[0]


def read_in_steps(
    picture: PagePicture, number: int, settings: Settings, region: Box | None = None
) -> tuple[Page, list[Tries]]:
    """Return what is on an opened page, with the text of its blocks, and what was tried."""
    reader = load_reader(settings.reading)
    part = picture if region is None else picture.part(region)
    read = read_in_ways(part, number, reader, settings)
    pages = [tries.best.page for tries in read]
    if settings.output.pictures:
        cut_pictures(part, pages)
    if region is not None:
        for page in pages:
            _on_whole_page(page, picture, region)
    assemble(pages, settings.output.min_confidence)
    return _as_one(pages), read


def _on_whole_page(page: Page, picture: PagePicture, region: Box) -> None:
    """Let a part of a page that was read by itself count from the whole page's corner, in place."""
    corner = (max(0, int(region.x0)), max(0, int(region.y0)))
    shift = Mapping.of(np.array([[1.0, 0.0, corner[0]], [0.0, 1.0, corner[1]]]))
    frame = page.frame or Frame(page.width, page.height, Mapping())
    page.frame = replace(frame, to_source=shift.after(frame.to_source))
    page.height, page.width = picture.grey.shape


def read_line(image: PageInput, *, settings: Settings | None = None) -> Line:
    """Return what stands in the picture of one line, boxes in its pixels.

    image: as for `read_page`; a picture without pixels or without ink gives an empty line with
    confidence 0.
    """
    settings = settings or Settings()
    if isinstance(image, np.ndarray) and image.size == 0:
        return empty_line()
    grey = page_picture(image, 1, settings, Limits()).grey
    return read_line_picture(grey, load_reader(settings.reading), settings)


def read_document(
    content: str | os.PathLike[str] | bytes,
    *,
    settings: Settings | None = None,
    limits: Limits | None = None,
    passwords: Sequence[str] = (),
) -> Document:
    """Return what is in a file, all pages, read one after the other in this process.

    A page that can't be processed is kept with a finding and without blocks.
    passwords: tried on a protected file. Raises SourceError where the file can't be used. For many
    files see `convert`.
    """
    settings, limits = settings or Settings(), limits or Limits()
    data = content if isinstance(content, bytes) else Path(content)
    source = open_source(data, settings, limits, passwords)
    pages: list[Page] = []
    try:
        for index in range(source.page_count):
            try:
                pages += read_page_of(
                    source, index, lambda: load_reader(settings.reading), settings
                )
            except PageError as error:
                pages.append(Page.failed(index, error.message))
            except Exception as error:  # the other pages are not lost for it
                log.exception("page %d", index + 1)
                pages.append(Page.failed(index, our_fault(error)))
        if all(page.width == 0 for page in pages):
            raise SourceError(Rejection.UNREADABLE, pages[0].findings[-1].message)
    finally:
        source.close()
    assemble(pages, settings.output.min_confidence)
    findings = [*source.facts.findings, *(own for page in pages for own in page.findings)]
    name = "" if isinstance(data, bytes) else data.name
    return Document(identify(data), name, pages, findings, source.facts)
