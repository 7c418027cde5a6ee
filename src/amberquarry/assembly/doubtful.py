"""Leave out words that were read with little confidence, where the user asks for that."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from amberquarry.values import Block, Box, Line, Page


def leave_out_doubtful(pages: list[Page], least: float) -> None:
    """Leave words below a confidence out of pages, in place: of text, words and characters alike.

    Comes before the text of blocks is made. Lines and blocks of which nothing is left go.
    """
    if least <= 0:
        return
    for page in pages:
        page.blocks = [
            kept for block in page.blocks if (kept := _believed(block, least)) is not None
        ]


def _believed(block: Block, least: float) -> Block | None:
    if not block.lines:
        return block
    lines = [kept for line in block.lines if (kept := _surely_read(line, least)) is not None]
    if not lines:
        return replace(block, lines=[]) if block.picture is not None else None
    return replace(block, lines=lines)


def _surely_read(line: Line, least: float) -> Line | None:
    """Return a line of its surer words, a space between two of them; None if there are none."""
    words = [word for word in line.words if word.confidence >= least]
    if len(words) == len(line.words):
        return line
    if not words:
        return None
    kept: list[int] = []  # places in the text
    spans = []
    for word in words:
        if kept and word.start > 0:
            kept.append(word.start - 1)
        spans.append(len(kept))
        kept += range(word.start, word.end)
    whole = len(line.character_boxes) == len(line.text)  # workers may have dropped them
    places = np.array(kept if whole else [], int)
    return replace(
        line,
        text="".join(line.text[place] for place in kept),
        box=Box.around([word.box for word in words]),
        words=[
            replace(word, start=start, end=start + word.end - word.start)
            for word, start in zip(words, spans, strict=True)
        ],
        character_boxes=line.character_boxes[places],
        character_confidences=line.character_confidences[places],
    )
