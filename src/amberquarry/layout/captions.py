"""Captions and their labels."""

from __future__ import annotations

import re

from amberquarry.document import Block, BlockKind, Box
from amberquarry.layout.typography import (
    SMALL,
    Measures,
    size_of,
)

_LABELS = """
    figure figures fig abbildung abb figura figuur afb afbeelding рисунок рис rysunek rys obrázek
    obr kuva şekil ábra σχήμα εικόνα slika table tabelle tab tableau tabla tabela tabella tabel
    tabell таблица табл tabulka taulukko tablo πίνακας listing plate chart map scheme diagram schéma
    schema graphique graph algorithm photo karte
"""
_CAPTION = re.compile(
    rf"^((?:{'|'.join(_LABELS.split())})\.?\s?[A-Z]?\d+(?:[.\-–]\d+)*)\s*([.:—–-]|$|\s)",
    re.IGNORECASE,
)


def label_of(text: str) -> str | None:
    """Return the label with which a caption begins, such as "Figure 3", None without one."""
    found = _CAPTION.match(text)
    return found[1] if found else None


def mark_captions(blocks: list[Block], usual: Measures) -> None:
    """Mark what begins with a label and a stop, or a label near a figure, as captions, in place."""
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
        short = len(block.lines) <= 8
        if short and (stopped or (small and near)):
            block.kind, block.level = BlockKind.CAPTION, None


def _beside(box: Box, other: Box, usual: Measures) -> bool:
    gap = max(box.y0 - other.y1, other.y0 - box.y1)
    return gap < 3 * usual.pitch and min(box.x1, other.x1) > max(box.x0, other.x0)
