"""Pictures of figures and equations: as the file holds them, or cut out of their page."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable

import numpy as np

from amberquarry.imaging import cut_out, encoded
from amberquarry.sources import PagePicture, Source
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Equation,
    Figure,
    Mapping,
    Origin,
    Page,
    Picture,
    box_at_source,
    mapped_box,
)

_ROOM_PX = 6  # around what is cut out of a page
_NAME = 16  # hexadecimal figures


def keep_pictures(
    source: Source, index: int, pages: list[Page], picture: Callable[[], PagePicture]
) -> None:
    """Give figures and equations on the pages of a file's page their pictures, in place.

    A figure that shows one picture of the file, and nothing else, is that picture, named by its
    content: one that is on many pages is saved once.
    """
    rest = []
    for page in pages:
        for block in _with_pictures(page):
            own = _original(source, index, page, block)
            if own is None:
                rest.append((page, block))
            else:
                block.payload = Figure(own)
    if rest:
        _cut(picture(), rest)


def cut_pictures(picture: PagePicture, pages: list[Page]) -> None:
    """Cut the pictures of figures and equations out of that of their pages, in place."""
    _cut(picture, [(page, block) for page in pages for block in _with_pictures(page)])


def _with_pictures(page: Page) -> Iterable[Block]:
    return (b for b in page.blocks if b.kind in (BlockKind.FIGURE, BlockKind.EQUATION))


def _original(source: Source, index: int, page: Page, block: Block) -> Picture | None:
    """Return the picture of the file that a figure shows, None where it is not just that."""
    printed_over = any(line.origin is Origin.TEXT_LAYER for line in block.lines)
    if block.kind is not BlockKind.FIGURE or page.to_points is None or printed_over:
        return None
    to_points = Mapping.of(np.array(page.to_points).reshape(3, 2).T)
    area, _ = mapped_box(box_at_source(block.box, page), to_points)
    found = source.original(index, area)
    if found is None:
        return None
    name = hashlib.sha256(found.data).hexdigest()[:_NAME]
    return Picture(f"{name}.{found.ending}", found.data)


def _cut(picture: PagePicture, blocks: list[tuple[Page, Block]]) -> None:
    pixels = picture.grey if picture.colours is None else picture.colours
    count = 0
    for page, block in blocks:
        edges = Box(*box_at_source(block.box, page)).grown(_ROOM_PX)
        cut = cut_out(pixels, edges, page.rotation)
        if not cut.size:
            continue
        count += 1
        ending, data = encoded(cut)
        own = Picture(f"p{page.source_page}-{count}.{ending}", data)
        block.payload = Figure(own) if block.kind is BlockKind.FIGURE else Equation(own)
