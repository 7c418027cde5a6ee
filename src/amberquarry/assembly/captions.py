"""Captions with what they belong to, and the paragraphs that speak of it."""

from __future__ import annotations

import re

from amberquarry.kinds.captions import CAPTION, label_of
from amberquarry.values import Block, BlockKind, Box, Page

_CAPTIONED = frozenset({BlockKind.FIGURE, BlockKind.TABLE, BlockKind.CODE})
_SPEAKING = frozenset({BlockKind.PARAGRAPH, BlockKind.ITEM, BlockKind.FOOTNOTE})
_PARTS = re.compile(r"([^\W\d]+)\W*([A-Z]?\d.*)", re.IGNORECASE)  # word and number of a label
_STEM = 3  # letters of a label's word that all its forms share: figure, fig., figs.


def join_captions(pages: list[Page]) -> None:
    """Give figures, tables and listings their captions and paragraphs, in place.

    A caption belongs to the nearest of them on its page, and comes next to it in reading order.
    """
    caption_of: dict[Block, Block] = {}
    for page in pages:
        for block in page.blocks:
            block.label, block.caption, block.paragraphs = None, None, []
        captions = [block for block in page.blocks if block.kind is BlockKind.CAPTION]
        owners = [block for block in page.blocks if block.kind in _CAPTIONED]
        pairs = sorted(
            ((_gap(caption.box, owner.box), n, m)
             for n, caption in enumerate(captions) for m, owner in enumerate(owners)),
        )  # fmt: skip
        taken: set[int] = set()
        for gap, n, m in pairs:
            caption, owner = captions[n], owners[m]
            size = max((line.x_height for line in caption.lines), default=0.0)
            if owner in caption_of or n in taken or gap > CAPTION.near * max(size, 1.0):
                continue
            taken.add(n)
            caption_of[owner] = caption
        for caption in captions:
            caption.label = label_of(caption.text)
        for owner in owners:
            if owner in caption_of:
                owner.label = caption_of[owner].label
                _bring_together(page.blocks, owner, caption_of[owner])
    number_blocks(pages)
    for owner, caption in caption_of.items():
        owner.caption = caption.id
    _find_paragraphs(pages)


def number_blocks(pages: list[Page]) -> None:
    """Give each block its id, in place: by its page and its place in reading order."""
    for page in pages:
        for number, block in enumerate(page.blocks, start=1):
            block.id = f"p{page.number}b{number}"


def _gap(box: Box, other: Box) -> float:
    """Return how far two boxes lie apart in x or y, whichever is more; 0 where they overlap."""
    across = max(box.x0, other.x0) - min(box.x1, other.x1)
    down = max(box.y0, other.y0) - min(box.y1, other.y1)
    return max(across, down, 0.0)


def _bring_together(blocks: list[Block], owner: Block, caption: Block) -> None:
    """Move the caption of a figure next to it; tables and listings keep the side it stands on."""
    after = blocks.index(caption) > blocks.index(owner) or owner.kind is BlockKind.FIGURE
    blocks.remove(caption)
    blocks.insert(blocks.index(owner) + after, caption)


def _find_paragraphs(pages: list[Page]) -> None:
    """Set the paragraphs of figures and tables: those that name the label, else the neighbours."""
    speaking = [b for page in pages for b in page.blocks if b.kind in _SPEAKING and b.text]
    for page in pages:
        for place, block in enumerate(page.blocks):
            if block.kind not in (BlockKind.FIGURE, BlockKind.TABLE):
                continue
            if block.label:
                named = _naming(block.label)
                block.paragraphs = [other.id for other in speaking if named.search(other.text)]
            if not block.paragraphs:
                before = [b for b in page.blocks[:place] if b.kind in _SPEAKING]
                after = [b for b in page.blocks[place + 1 :] if b.kind in _SPEAKING]
                block.paragraphs = [other.id for other in (*before[-1:], *after[:1])]


def _naming(label: str) -> re.Pattern[str]:
    """Return a pattern of the places that name a label, in whatever form of its word."""
    word, number = _PARTS.match(label).groups()  # type: ignore[union-attr]
    return re.compile(
        rf"\b{re.escape(word[:_STEM])}\w*\.?\s?{re.escape(number)}(?![\w]|[.\-–]\d)", re.IGNORECASE
    )
