"""Headings: short blocks that size, weight, numbers, capitals or italics set apart."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from amberquarry.sheet.rulebook import is_left_out, note
from amberquarry.sheet.typography import MOSTLY, Measures, share_of, size_of
from amberquarry.values import Block, BlockKind, Style

SECTION = re.compile(
    r"^(?:\d{1,2}(?:\.\d{1,2}){0,4}\.?|[A-Z]\.(?:\d+\.?)*|§\s?\d+|[IVX]{1,5}\.)\s+\S"
)
_OPENING = " ([{«„“‘\"'"


@dataclass(frozen=True, slots=True)
class Heading:
    """What sets a heading apart; sizes over the usual x-height (`benchmarks/layout.py`)."""

    size: float = 1.17
    same_size: float = 1.08  # more than that is larger, with a number before it
    larger: float = 1.1  # of a line that white parts from the text
    apart: float = 0.55  # of the usual step from line to line: that white
    most_lines: int = 4
    most_letters: int = 200
    narrow_letters: int = 110  # of a heading of more lines, in a narrow column
    few_words: int = 9  # of one in capitals or italics
    one_size: float = 1.12  # ratio of two lines of one heading
    alone: int = 2  # lines of one that only its style tells


HEADING = Heading()


@dataclass(frozen=True, slots=True)
class _Look:
    """How a block looks that may be a heading."""

    text: str
    size: float  # over the usual x-height
    lines: int
    bold: bool
    italic: bool
    numbered: bool
    apart: bool  # white parts it from what stands before it
    leads: bool  # something that is no headline follows

    @property
    def alone(self) -> bool:
        return self.lines <= HEADING.alone

    @property
    def ends(self) -> bool:
        return self.text.rstrip()[-1:] in ".,;"

    @property
    def capitals(self) -> bool:
        letters = sum(sign.isalpha() for sign in self.text)
        return self.text.upper() == self.text and letters >= 4

    @property
    def few_words(self) -> bool:
        return len(self.text.split()) <= HEADING.few_words


# Signs of headings in their order, the first that holds decides. Each can be left out by its name.
HEADING_RULES: tuple[tuple[str, Callable[[_Look], bool]], ...] = (
    ("heading: larger type", lambda own: own.size > HEADING.size),
    (
        "heading: a little larger, apart",
        lambda own: own.size > HEADING.larger and own.lines == 1 and own.apart and own.leads
        and not own.ends and own.text[:1].isupper(),
    ),
    (
        "heading: bold",  # terms over their meanings begin small
        lambda own: own.bold and own.alone and not own.ends
        and not own.text.lstrip(_OPENING)[:1].islower(),
    ),
    (
        "heading: numbered",
        lambda own: own.numbered and own.alone and not own.ends
        and (own.size > HEADING.same_size or own.capitals or own.italic),
    ),
    (
        "heading: capitals",
        lambda own: own.capitals and own.alone and not own.ends and own.leads and own.few_words,
    ),
    (
        "heading: italics",
        lambda own: own.italic and own.alone and not own.ends and own.leads
        and own.text[0].isupper() and own.few_words,
    ),
)  # fmt: skip


def mark_headings(blocks: list[Block], usual: Measures) -> None:
    """Mark the headings among the blocks of a page, in place; all other text is none."""
    told = (BlockKind.PARAGRAPH, BlockKind.ITEM)
    text = [block for block in blocks if block.kind in told and block.lines]
    candidates = [block for block in text if block.kind is BlockKind.PARAGRAPH]
    looks = [_look(block, blocks, usual) for block in candidates]
    for block, look in zip(candidates, looks, strict=True):
        name = _sign_of(look)
        if name is not None:
            block.kind = BlockKind.HEADING
            note(block, name)
    for block in text:
        block.level, block.headline = None, 0


def _look(block: Block, blocks: list[Block], usual: Measures) -> _Look:
    number = blocks.index(block)
    text = " ".join(line.text for line in block.lines)
    bold, italic = (
        min(share_of(style, line) for line in block.lines) > MOSTLY
        for style in (Style.BOLD, Style.ITALIC)
    )
    section = SECTION.match(text)
    after = next((other for other in blocks[number + 1 :] if other.lines), None)
    before = next((other for other in reversed(blocks[:number]) if other.lines), None)
    return _Look(
        text,
        size_of(block) / usual.size,
        len(block.lines),
        bold,
        italic,
        # lines of verse are numbered as well
        section is not None and ("." in section[0] or not section[0][-1].islower()),
        before is None or block.box.y0 - before.box.y1 > HEADING.apart * usual.pitch,
        after is not None and not (after.headline and after.kind is BlockKind.PARAGRAPH),
    )


def _sign_of(look: _Look) -> str | None:
    """Return the name of the rule by which a block is a heading, None where it is none."""
    few = look.lines <= HEADING.most_lines
    if len(look.text) > (HEADING.most_letters if few else HEADING.narrow_letters):
        return None
    if sum(sign.isalpha() for sign in look.text) < 2:
        return None
    for name, holds in HEADING_RULES:
        if not is_left_out(name) and holds(look):
            return name
    return None
