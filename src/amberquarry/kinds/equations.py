"""Displayed equations: lines of signs that stand by themselves between lines of prose."""

from __future__ import annotations

import re
from dataclasses import dataclass

from amberquarry.sheet.typography import Measures
from amberquarry.values import Block, BlockKind, Box, Line

_RELATION = re.compile(r"[=≤≥≠≈≡∈∉⊂⊆→⇒↦∑∏∫√±∞∂∇<>]")
_NUMBER = re.compile(r"^[(\[]\s?[A-Z]?\d{1,3}(?:[.\-–]\d{1,3})*[a-z]?'?\s?[)\]]$")  # of an equation
_WORD = re.compile(r"[^\W\d_]{3,}")
_FUNCTIONS = frozenset(
    ("lim", "sin", "cos", "tan", "log", "exp", "max", "min", "sup", "inf", "arg", "det", "deg",
     "mod", "gcd", "cot", "sec", "csc", "sinh", "cosh", "tanh", "ker", "dim")
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Formula:
    """A line that is an equation by itself; lengths in x-heights."""

    prose: float = 0.6  # share of letters in words, at least in prose
    signs: float = 0.4  # the same, at most in an equation
    prose_letters: int = 16  # of a line of prose, at least
    indent: float = 1.2  # by which it stands in from its column
    tall: float = 9.0  # of a figure that may be a sign, such as a sum's
    apart: float = 0.9  # between what belongs to one equation
    near: float = 8.0  # usual distances of lines in which the prose of its column is looked for
    enough: int = 3  # lines that tell the edges of a column


FORMULA = Formula()
_KINDS = (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.ITEM)


@dataclass(frozen=True, slots=True)
class _Candidate:
    line: Line
    block: Block


def mark_equations(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with the displayed equations among them as blocks of their own.

    An equation begins with a line of signs with a relation in it, indented in a column of prose; it
    takes in the short lines of signs over, under and beside it (parts of fractions, limits) and its
    number.
    """
    lines = [line for block in blocks if block.kind in _KINDS for line in block.lines]
    prose = [line for line in lines if _is_prose(line)]
    if not prose:
        return blocks
    candidates = [
        _Candidate(line, block)
        for block in blocks
        if block.kind in _KINDS
        or (block.kind is BlockKind.FIGURE and block.box.height < FORMULA.tall * usual.size)
        for line in block.lines
        if _word_share(line.text) <= FORMULA.signs and not block.rotation
    ]
    taken: set[Line] = set()
    found: list[tuple[list[_Candidate], Box]] = []
    for seed in candidates:
        if seed.line in taken or _RELATION.search(seed.line.text) is None:
            continue
        column = _column(seed.line.box, prose, usual)
        if column is None or not _stands_in(seed.line.box, column, usual):
            continue
        free = [c for c in candidates if c.line not in taken]
        own = _grown(seed, free, column, usual)
        area = Box.around([c.line.box for c in own])
        if any(_crosses(line.box, area) for line in prose):
            continue
        taken.update(c.line for c in own)
        found.append((own, area))
    return _with_equations(blocks, found)


def _word_share(text: str) -> float:
    """Return the share of a text's visible signs that stand in words."""
    visible = sum(not sign.isspace() for sign in text)
    words = sum(len(word) for word in _WORD.findall(text) if word.lower() not in _FUNCTIONS)
    return words / visible if visible else 0.0


def _is_prose(line: Line) -> bool:
    return len(line.text) >= FORMULA.prose_letters and _word_share(line.text) >= FORMULA.prose


def _column(box: Box, prose: list[Line], usual: Measures) -> Box | None:
    """Return what the next lines of prose over and under a box span, None where none is near."""
    beside = [p.box for p in prose if min(p.box.x1, box.x1) > max(p.box.x0, box.x0)]
    reach = FORMULA.near * usual.pitch
    over = sorted(
        (p for p in beside if p.middle[1] < box.middle[1] and box.y0 - p.y1 < reach),
        key=lambda p: -p.y1,
    )
    under = sorted(
        (p for p in beside if p.middle[1] > box.middle[1] and p.y0 - box.y1 < reach),
        key=lambda p: p.y0,
    )
    nearest = [*over[: FORMULA.enough], *under[: FORMULA.enough]]  # last lines are short
    return Box.around(nearest) if nearest else None


def _stands_in(box: Box, column: Box, usual: Measures) -> bool:
    return box.x0 > column.x0 + FORMULA.indent * usual.size and box.x1 < column.x1 + usual.size


def _grown(
    seed: _Candidate, candidates: list[_Candidate], column: Box, usual: Measures
) -> list[_Candidate]:
    """Return a seed with all lines of signs that touch it or what was taken in before."""
    own, area = [seed], seed.line.box
    room = FORMULA.apart * usual.size
    waiting = [
        c
        for c in candidates
        if c is not seed
        and c.line.box.x0 > column.x0 - usual.size
        and c.line.box.x1 < column.x1 + usual.size
        # what begins where the column does is text, but for what stands beside the seed
        and (_stands_in(c.line.box, column, usual) or _level(c.line.box, area))
    ]
    grew = True
    while grew:
        grew = False
        for c in list(waiting):
            box = c.line.box
            near = box.y0 < area.y1 + room and box.y1 > area.y0 - room
            if near or (_NUMBER.match(c.line.text) and _level(box, area)):
                waiting.remove(c)
                own.append(c)
                area, grew = Box.around([area, box]), True
    return own


def _level(box: Box, other: Box) -> bool:
    return other.y0 <= box.middle[1] <= other.y1 or box.y0 <= other.middle[1] <= box.y1


def _crosses(line: Box, area: Box) -> bool:
    """Return whether a line of prose stands in an area."""
    return (
        min(line.x1, area.x1) > max(line.x0, area.x0)
        and min(line.y1, area.y1) - max(line.y0, area.y0) > 0.4 * line.height
    )


def _with_equations(blocks: list[Block], found: list[tuple[list[_Candidate], Box]]) -> list[Block]:
    """Return blocks without the lines of equations, and each equation where its first line was."""
    owner = {c.line: number for number, (own, _) in enumerate(found) for c in own}
    placed: set[int] = set()
    out: list[Block] = []
    for block in blocks:
        if not any(line in owner for line in block.lines):
            out.append(block)
            continue
        run: list[Line] = []
        for line in block.lines:
            number = owner.get(line)
            if number is None:
                run.append(line)
                continue
            if run:
                out.append(block.part(block.kind, run))
                run = []
            if number not in placed:
                placed.add(number)
                out.append(_equation(*found[number]))
        if run:
            out.append(block.part(block.kind, run))
    return out


def _equation(own: list[_Candidate], area: Box) -> Block:
    """Return the block of an equation, signs that were taken for small figures included."""
    figures = [c.block.box for c in own if c.block.kind is BlockKind.FIGURE]
    lines = sorted((c.line for c in own), key=lambda line: (round(line.box.middle[1]), line.start))
    return Block(BlockKind.EQUATION, Box.around([area, *figures]), lines)
