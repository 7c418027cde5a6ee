"""Pictures of blocks as files, and where they stand."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from amberquarry.values import RUNNING, Block, BlockKind, Page

_AROUND = 300  # characters of text before and after a picture
_TEXT = frozenset({BlockKind.PARAGRAPH, BlockKind.ITEM, BlockKind.HEADING})


def write_pictures(blocks: Iterable[Block], folder: Path) -> list[Path]:
    """Write the pictures of blocks to a folder, which is made where there are any.

    A picture that is there already, as one on many pages is, stays as it is.
    """
    written = []
    for picture in (block.picture for block in blocks):
        if picture is not None and picture.data:
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / picture.name
            if not _holds(path, picture.data):
                path.write_bytes(picture.data)
            written.append(path)
    return written


def _holds(path: Path, data: bytes) -> bool:
    return path.is_file() and path.stat().st_size == len(data) and path.read_bytes() == data


def picture_records(pages: Iterable[Page], folder: str) -> list[dict[str, Any]]:
    """Return where the pictures of figures stand, with their captions and the text around them.

    folder: what comes before the names of their files.
    """
    blocks = [(p.number, b) for p in pages for b in p.blocks if b.kind not in RUNNING]
    texts = {block.id: block.text for _, block in blocks}
    around: list[str | None] = [b.text if b.kind in _TEXT and b.text else None for _, b in blocks]
    before, after = [*around], [*around]
    for place in range(1, len(blocks)):
        before[place] = before[place] or before[place - 1]
        after[-1 - place] = after[-1 - place] or after[-place]
    return [
        {
            "image": folder + block.picture.name,
            "page": number,
            "block": block.id,
            "caption": texts.get(block.caption) if block.caption else None,
            "before": (before[place] or "")[-_AROUND:].strip() or None,
            "after": (after[place] or "")[:_AROUND].strip() or None,
        }
        for place, (number, block) in enumerate(blocks)
        if block.kind is BlockKind.FIGURE and block.picture is not None
    ]
