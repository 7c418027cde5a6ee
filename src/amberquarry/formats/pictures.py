"""Pictures of blocks as files."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from amberquarry.values import Block


def write_pictures(blocks: Iterable[Block], folder: Path) -> list[Path]:
    """Write the pictures of blocks to a folder, which is made where there are any."""
    written = []
    for picture in (block.picture for block in blocks):
        if picture is not None and picture.data:
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / picture.name
            path.write_bytes(picture.data)
            written.append(path)
    return written
