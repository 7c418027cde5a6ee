"""The running text of blocks: lines joined, hyphens at line ends taken out."""

from __future__ import annotations

import re
from collections.abc import Iterable

from amberquarry.document import Block, BlockKind, Page

_HYPHENS = "-\u2010\u00ad¬"


def document_words(pages: Iterable[Page]) -> set[str]:
    """Return the words that stand whole inside lines, in lower case: the document's own lexicon."""
    words: set[str] = set()
    for page in pages:
        for block in page.blocks:
            for line in block.lines:
                parts = [word.text for word in line.words]
                for part in parts[1:-1] if len(parts) > 2 else []:
                    words.add(_bare(part))
    return words


def _bare(word: str) -> str:
    return word.strip(".,;:!?()[]{}\"'“”‘’„«»‹›*†‡").lower()


def joined_text(lines: list[str], lexicon: set[str]) -> str:
    """Return lines as one paragraph.

    A hyphen at a line's end goes when a small letter follows, unless the document holds the
    compound with its hyphen, or its left part ends in a figure.
    """
    text = ""
    for line in lines:
        line = line.strip()
        if not line:
            continue
        if not text:
            text = line
            continue
        if len(text) > 1 and text[-1] in _HYPHENS and text[-2].isalpha() and line[0].islower():
            left = re.split(r"\s", text)[-1]
            right = re.split(r"\s", line)[0]
            kept = _bare(left + right) in lexicon and _bare(left[:-1] + right) not in lexicon
            text = text + line if kept else text[:-1] + line
        elif len(text) > 1 and text[-1] in _HYPHENS and text[-2].isalnum():
            text += line
        else:
            text += " " + line
    return text


def set_texts(pages: list[Page]) -> None:
    """Fill in the text of every block, in place, with the words of the whole document at hand."""
    lexicon = document_words(pages)
    for page in pages:
        for block in page.blocks:
            block.text = _block_text(block, lexicon)


def _block_text(block: Block, lexicon: set[str]) -> str:
    lines = [" ".join(word.text for word in line.words) for line in block.lines]
    if block.kind is BlockKind.TABLE:
        return "\n".join(_rows(block, lines))
    return joined_text(lines, lexicon)


def _rows(block: Block, lines: list[str]) -> list[str]:
    """Return the rows of a table as lines: what stands on one height, left to right."""
    rows: list[str] = []
    bottom = top = 0.0
    for line, text in zip(block.lines, lines, strict=True):
        middle = (line.box.y0 + line.box.y1) / 2
        if rows and top < middle < bottom:
            rows[-1] += "   " + text
        else:
            rows.append(text)
            top, bottom = line.box.y0, line.box.y1
    return rows
