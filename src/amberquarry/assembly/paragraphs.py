"""The running text of blocks: lines joined, hyphens at line ends taken out."""

from __future__ import annotations

import re
from collections.abc import Iterable

from amberquarry.document import Block, BlockKind, Emphasis, Page, Style

# Running text: headings are set apart as a whole, tables and code are shown as they stand.
EMPHASISED = {
    BlockKind.PARAGRAPH,
    BlockKind.ITEM,
    BlockKind.CAPTION,
    BlockKind.FOOTNOTE,
    BlockKind.MARGIN_NOTE,
    BlockKind.ENTRY,
}
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


def join_lines(lines: list[str], lexicon: set[str]) -> tuple[str, list[int]]:
    """Return lines as one paragraph, and where in it each line starts.

    A hyphen at a line's end goes when a small letter follows, unless the document holds the
    compound with its hyphen, or its left part ends in a figure.
    """
    text = ""
    starts = []
    for line in lines:
        if text and line:
            if len(text) > 1 and text[-1] in _HYPHENS and text[-2].isalpha() and line[0].islower():
                left = re.split(r"\s", text)[-1]
                right = re.split(r"\s", line)[0]
                kept = _bare(left + right) in lexicon and _bare(left[:-1] + right) not in lexicon
                text = text if kept else text[:-1]
            elif not (len(text) > 1 and text[-1] in _HYPHENS and text[-2].isalnum()):
                text += " "
        starts.append(len(text))
        text += line
    return text, starts


def emphasis_of(block: Block, text: str, starts: list[int]) -> list[Emphasis]:
    """Return the parts of a block's text that are set apart, whole words joined where they can be.

    starts: for each line of the block, where its words begin in `text`.
    """
    parts: list[tuple[int, frozenset[Style]]] = []
    for line, start in zip(block.lines, starts, strict=True):
        for word in [] if line.unsupported_script else line.words:
            parts.append((start, word.styles))
            start += len(word.repaired or word.text) + 1
    parts.reverse()
    found: list[Emphasis] = []
    for match in re.finditer(r"\S+", text):  # a word may be made of the ends of two lines
        styles = frozenset(Style)
        while parts and parts[-1][0] < match.end():
            styles &= parts.pop()[1]
        if found and found[-1].styles == styles and found[-1].end == match.start() - 1:
            found[-1] = Emphasis(found[-1].start, match.end(), styles)
        elif styles:
            found.append(Emphasis(match.start(), match.end(), styles))
    return found


def set_texts(pages: list[Page]) -> None:
    """Fill in the text of every block, in place, with the words of the whole document at hand.

    Lines in a script that the reader does not know stay in the record and out of the text.
    """
    lexicon = document_words(pages)
    for page in pages:
        for block in page.blocks:
            lines = [
                ""
                if line.unsupported_script
                else " ".join(word.repaired or word.text for word in line.words)
                for line in block.lines
            ]
            if block.kind is BlockKind.TABLE:
                block.text = "\n".join(_rows(block, lines))
                continue
            block.text, starts = join_lines(lines, lexicon)
            if block.kind in EMPHASISED:
                block.emphasis = emphasis_of(block, block.text, starts)


def _rows(block: Block, lines: list[str]) -> list[str]:
    """Return the rows of a table as lines: what stands on one height, left to right."""
    rows: list[str] = []
    bottom = top = 0.0
    for line, text in zip(block.lines, lines, strict=True):
        if not text:
            continue
        middle = (line.box.y0 + line.box.y1) / 2
        if rows and top < middle < bottom:
            rows[-1] += "   " + text
        else:
            rows.append(text)
            top, bottom = line.box.y0, line.box.y1
    return rows
