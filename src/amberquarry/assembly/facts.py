"""Facts about a whole document: its languages, its contents, what its pages hold."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from amberquarry.reading.languages import identify
from amberquarry.values import RUNNING, Block, BlockKind, Page

_TOLD = frozenset({BlockKind.TABLE, BlockKind.EQUATION, BlockKind.FIGURE, BlockKind.CODE})
_FLOW = frozenset(BlockKind) - RUNNING - _TOLD
_MUCH = 0.3  # of a page
_LEAST_SHARE = 0.02  # of the letters: less is names and chance


@dataclass(frozen=True, slots=True)
class Entry:
    """A line of a document's contents."""

    level: int
    text: str
    page: int


def language_of(block: Block) -> str | None:
    """Return the language of a block of running text (ISO 639-1), None where it is too short."""
    return identify(block.text) if block.kind in _FLOW else None


def languages_of(pages: list[Page]) -> dict[str, float]:
    """Return the languages of a document with their shares of its letters, the largest first.

    Blocks too short to tell don't count; a document of such is told as a whole.
    """
    letters: Counter[str] = Counter()
    blocks = [block for page in pages for block in page.blocks]
    for block in blocks:
        language = language_of(block)
        if language is not None:
            letters[language] += sum(sign.isalpha() for sign in block.text)
    if not letters:
        whole = identify(" ".join(block.text for block in blocks if block.kind in _FLOW))
        return {} if whole is None else {whole: 1.0}
    total = sum(letters.values())
    kept = {name: count for name, count in letters.items() if count >= _LEAST_SHARE * total}
    order = sorted(kept, key=lambda name: (-kept[name], name))
    return {name: kept[name] / sum(kept.values()) for name in order}


def contents_of(pages: list[Page]) -> list[Entry]:
    """Return the headings of a document with their levels and pages."""
    return [
        Entry(block.level or 1, block.text, page.number)
        for page in pages
        for block in page.blocks
        if block.kind is BlockKind.HEADING and block.text
    ]


def is_mostly_picture(page: Page) -> bool:
    """Return whether figures cover more of a page than its text does, and much of it."""
    figures = [block.box.area for block in page.blocks if block.kind is BlockKind.FIGURE]
    text = sum(block.box.area for block in page.blocks if block.kind is not BlockKind.FIGURE)
    return bool(sum(figures) > max(text, _MUCH * page.width * page.height))


def is_handwritten(page: Page) -> bool:
    """Return whether most of a page's letters look written by hand."""
    lines = [line for block in page.blocks for line in block.lines]
    by_hand = sum(len(line.text) for line in lines if line.handwritten)
    return by_hand > 0.5 * sum(len(line.text) for line in lines)


def kinds_held(page: Page) -> list[str]:
    """Return which of tables, equations, figures and code a page holds, by name."""
    found = {block.kind for block in page.blocks} & _TOLD
    return sorted(kind.value for kind in found)
