"""Captions and their labels."""

from __future__ import annotations

import re
from dataclasses import dataclass

from amberquarry.sheet.typography import (
    MOSTLY,
    SMALL,
    Measures,
    join_runs,
    share_of,
    size_of,
)
from amberquarry.values import Block, BlockKind, Box, Line, Style

_FIGURES = """
    figure figures fig abbildung abb figura figuur afb afbeelding рисунок рис rysunek rys obrázek
    obr kuva şekil ábra σχήμα εικόνα slika plate chart map scheme diagram schéma schema graphique
    graph photo karte
"""
_OTHERS = """
    table tabelle tab tableau tabla tabela tabella tabel tabell таблица табл tabulka taulukko tablo
    πίνακας listing algorithm
"""


@dataclass(frozen=True, slots=True)
class Caption:
    """Captions and what they belong to; lengths in x-heights."""

    near: float = 6.0  # distance between them
    under: float = 0.5  # of a caption or its picture, that the other spans
    touching: float = 0.5  # of its height, that it reaches into the picture at most
    lines: int = 8  # at most
    pitch: float = 3.0  # from line to line
    one_size: float = 1.12  # of the type of its lines
    hanging: float = 8.0  # indent of its further lines


CAPTION = Caption()
_CAPTION, _OF_FIGURE = (
    re.compile(
        rf"^((?:{'|'.join(names.split())})\.?\s?[A-Z]?\d+(?:[.\-–]\d+)*)\s*([.:—–-]|$|\s)",
        re.IGNORECASE,
    )
    for names in (_FIGURES + _OTHERS, _FIGURES)
)


def label_of(text: str) -> str | None:
    """Return the label with which a caption begins, such as "Figure 3", None without one."""
    found = _CAPTION.match(text)
    return found[1] if found else None


def names_figure(block: Block) -> bool:
    """Return whether a block is the caption of a figure, and not of a table or listing."""
    return block.kind is BlockKind.CAPTION and _OF_FIGURE.match(block.lines[0].text) is not None


def stand_together(caption: Box, picture: Box, size: float) -> bool:
    """Return whether a picture stands over or under a caption, near it. size: usual x-height."""
    shared = min(caption.x1, picture.x1) - max(caption.x0, picture.x0)
    apart = max(caption.y0 - picture.y1, picture.y0 - caption.y1)
    beside = -CAPTION.touching * caption.height < apart < CAPTION.near * size
    return beside and shared > CAPTION.under * min(caption.width, picture.width)


def mark_captions(blocks: list[Block], usual: Measures) -> None:
    """Mark what begins with a label and a stop, or a label set apart or near a figure, as captions.

    In place.
    """
    for block in blocks:
        if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING) or not block.lines:
            continue
        found = _CAPTION.match(block.lines[0].text)
        if found is None:
            continue
        stopped = found[2].strip() != ""
        small = size_of(block) < SMALL * usual.size
        near = any(
            other.kind in (BlockKind.FIGURE, BlockKind.TABLE)
            and _beside(block.box, other.box, usual)
            for other in blocks
        )
        short = len(block.lines) <= CAPTION.lines
        apart = _set_apart(block.lines[0], len(found[1].split()))
        if short and (stopped or apart or (small and near)):
            block.kind, block.level = BlockKind.CAPTION, None


def _set_apart(line: Line, label: int) -> bool:
    """Return whether the first `label` words of a line are bold and the one after them is not."""
    bold = [Style.BOLD in word.styles for word in line.words[: label + 1]]
    return len(bold) > label and all(bold[:label]) and not bold[label]


def join_captions(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with the lines of a caption joined that were parted, being centred or hanging.

    They follow closely, in type of the same size, within what the caption or its figure spans.
    """
    return join_runs(blocks, lambda last, block: _one_caption(last, block, usual))


def _one_caption(caption: Block, block: Block, usual: Measures) -> bool:
    """Return whether a block is the rest of a caption that has not ended."""
    if caption.kind is not BlockKind.CAPTION or not block.is_plain:
        return False
    if not block.lines:
        return False
    sizes = sorted((size_of(caption), size_of(block)))
    step = block.lines[0].box.y1 - caption.lines[-1].box.y1
    pitch = min(usual.pitch, CAPTION.pitch * size_of(caption))
    middle = abs(caption.lines[-1].box.middle[0] - block.lines[0].box.middle[0])
    hanging = 0 <= block.box.x0 - caption.box.x0 < CAPTION.hanging * usual.size
    slanted = {share_of(Style.ITALIC, b.lines[0]) > MOSTLY for b in (caption, block)}
    ended = caption.lines[-1].text.rstrip().endswith((".", "!", "?"))
    return (
        not ended
        and 0 < step < 1.2 * pitch
        and sizes[1] < CAPTION.one_size * sizes[0]
        and len(slanted) == 1
        and (middle < 2 * usual.size or hanging)
        and len(caption.lines) + len(block.lines) <= CAPTION.lines
    )


def _beside(box: Box, other: Box, usual: Measures) -> bool:
    gap = max(box.y0 - other.y1, other.y0 - box.y1)
    return gap < 3 * usual.pitch and min(box.x1, other.x1) > max(box.x0, other.x0)
