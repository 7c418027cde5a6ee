"""Pictures of screens: windows and dialogs shown in manuals, whose words are no running text."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amberquarry.kinds.captions import names_figure, stand_together
from amberquarry.kinds.figures import place_whole
from amberquarry.sheet.areas import Window
from amberquarry.tables.placing import MOST_PROSE, prose_share, runs_on
from amberquarry.values import Block, BlockKind, Line


@dataclass(frozen=True, slots=True)
class Screen:
    """What tells a picture of a screen from a shaded box of text (manuals of the layout pages)."""

    title: float = 1.4  # of the usual x-height: titles stand on bands of several tones
    word: int = 3  # letters: signs of any size stand in windows
    known: float = 0.7  # of its box, that a figure covers which was found before


SCREEN = Screen()


def place_screens(blocks: list[Block], windows: list[Window]) -> list[Block]:
    """Return blocks with each picture of a screen as one figure, its words as those of the figure.

    Also any other shaded rectangle beside which the caption of a figure stands.
    windows: rectangles that may be such.
    """
    lines = [line for block in blocks for line in block.lines]
    if not lines:
        return blocks
    usual = float(np.median([line.x_height for line in lines]))
    running = {
        line
        for block in blocks
        if block.kind is BlockKind.CODE or runs_on(block)
        for line in block.lines
    }
    figures = [block.box for block in blocks if block.kind is BlockKind.FIGURE]
    captions = [block.box for block in blocks if names_figure(block)]
    found = []
    for window in windows:
        box = window.box
        if any(figure.overlap(box) > SCREEN.known * box.area for figure in figures):
            continue
        inside = [line for line in lines if box.contains(*line.box.middle)]
        if prose_share(inside, running) >= MOST_PROSE:
            continue
        named = any(stand_together(caption, box, usual) for caption in captions)
        # titles stand on bands of several tones
        titled = any(line.x_height > SCREEN.title * usual and _has_words(line) for line in inside)
        if (named and window.toned) or (not titled and window.many_toned):
            found.append(box)
    return place_whole(blocks, found)


def _has_words(line: Line) -> bool:
    return sum(map(str.isalpha, line.text)) >= SCREEN.word
