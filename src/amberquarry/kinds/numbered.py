"""Numbers that count every line in the margin, as in listings and pleadings."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

import numpy as np

from amberquarry.sheet.measuring import CAPITAL_RATIO
from amberquarry.tables.placing import is_tabular
from amberquarry.values import Block, BlockKind, Box, Line, Word, weighted_confidence

_NUMBER = re.compile(r"[\dOoIl]{1,4}")
_AS_FIGURES = str.maketrans("OoIl", "0011")


@dataclass(frozen=True, slots=True)
class LineNumbers:
    """Numbers of lines in a column beside a text."""

    fewest: int = 6  # of a column
    same_edge: float = 0.6  # letters by which their edges lie apart
    in_step: float = 0.8  # of the numbers from the first to the last, that are there
    off: float = 0.7  # x-heights of white between a number and its line
    small: float = 0.9  # of the height of capitals in the lines beside them
    many: int = 15  # numbers as large as the text, which then must be prose


NUMBERS = LineNumbers()


@dataclass(slots=True)
class _Number:
    word: Word
    line: Line
    value: int


def join_line_numbers(blocks: list[Block], letter: float) -> list[Block]:
    """Return blocks with numbers that count lines and stood by themselves put into these lines.

    Such numbers stand on one edge and grow by one. They are smaller than the text, or many beside
    prose: the first column of a table is none.
    letter: usual height of the letters.
    """
    flow = [b for b in blocks if b.kind is not BlockKind.FIGURE and not b.rotation]
    lines = [line for block in flow for line in block.lines]
    for group in _columns(lines, letter):
        blocks = _joined(blocks, [number.line for number in group if len(number.line.words) == 1])
    return blocks


def _columns(lines: list[Line], letter: float) -> list[list[_Number]]:
    """Return the numbers of lines, column by column, from the top down."""
    found: list[list[_Number]] = []
    for candidates in (_at_ends(lines, 0), _at_ends(lines, -1)):
        waiting = candidates
        for edge in (lambda box: box.x1, lambda box: box.x0):
            kept: list[_Number] = []
            for group in _on_edges(waiting, edge, NUMBERS.same_edge * letter):
                for run in _runs(group):
                    counted = _counting(run)
                    if counted and _counts_lines(counted, lines):
                        found.append(counted)
                    else:
                        kept += run
            waiting = kept
    own: set[Word] = set()
    columns = []
    for group in found:
        rest = [number for number in group if number.word not in own]
        own.update(number.word for number in rest)
        if len(rest) == len(group):
            columns.append(group)
    return columns


def _at_ends(lines: list[Line], end: int) -> list[_Number]:
    """Return the numbers with which lines begin (0) or end (-1), with white beside them."""
    numbers = []
    for line in lines:
        if not line.words:
            continue
        word = line.words[end]
        if not _NUMBER.fullmatch(word.text) or not any(sign.isdigit() for sign in word.text):
            continue
        if len(line.words) > 1:
            left, right = line.words[:2] if end == 0 else line.words[-2:]
            if right.box.x0 - left.box.x1 < NUMBERS.off * line.x_height:
                continue
        numbers.append(_Number(word, line, int(word.text.translate(_AS_FIGURES))))
    return numbers


def _on_edges(numbers: list[_Number], edge, least: float) -> list[list[_Number]]:  # type: ignore[no-untyped-def]
    """Return numbers in groups that have one edge in common, from the top down."""
    ordered = sorted(numbers, key=lambda number: edge(number.word.box))
    groups: list[list[_Number]] = []
    for number in ordered:
        if groups and edge(number.word.box) - edge(groups[-1][-1].word.box) < least:
            groups[-1].append(number)
        else:
            groups.append([number])
    return [sorted(group, key=lambda number: number.word.box.y0) for group in groups]


def _runs(group: list[_Number]) -> list[list[_Number]]:
    """Return a column cut where it begins to count anew."""
    runs: list[list[_Number]] = []
    for number in group:
        if runs and number.value > runs[-1][-1].value:
            runs[-1].append(number)
        else:
            runs.append([number])
    return runs


def _counting(group: list[_Number]) -> list[_Number]:
    """Return a column of numbers that grow, if most grow by one; else none."""
    if len(group) < NUMBERS.fewest:
        return []
    grown = group[-1].value - group[0].value
    return group if len(group) - 1 >= NUMBERS.in_step * grown else []


def _counts_lines(numbers: list[_Number], lines: list[Line]) -> bool:
    top, foot = numbers[0].word.box.y0, numbers[-1].word.box.y1
    own = {number.word for number in numbers}
    beside = [
        line
        for line in lines
        if top < line.box.middle[1] < foot and any(word not in own for word in line.words)
    ]
    if not beside:
        return False
    high = float(np.median([number.word.box.height for number in numbers]))
    if high < NUMBERS.small * CAPITAL_RATIO * float(np.median([line.x_height for line in beside])):
        return True
    return len(numbers) >= NUMBERS.many and not is_tabular(
        [line.part(words) for line in beside
         if (words := [word for word in line.words if word not in own])]
    )  # fmt: skip


def _joined(blocks: list[Block], numbers: list[Line]) -> list[Block]:
    """Return blocks with some numbers in the lines beside which they stand.

    What counts an empty line stays a line, after the one that was counted before it.
    """
    own = {number for number in numbers}
    others = [line for block in blocks for line in block.lines if line not in own and line.words]
    inside: dict[Line, Line] = {}  # by the line that they stand in
    after: dict[Line, list[Line]] = {}  # by the line that they follow
    last: Line | None = None
    placed: set[Line] = set()
    for number in numbers:
        x, y = number.box.middle
        level = [line for line in others if line.box.y0 < y < line.box.y1]
        if level:
            last = min(level, key=lambda line: abs(line.box.middle[0] - x))
            inside[last] = number
        elif last is not None:
            after.setdefault(last, []).append(number)
        if last is not None:
            placed.add(number)
    out = []
    for block in blocks:
        if not any(line in placed or line in inside for line in block.lines):
            out.append(block)
            continue
        lines: list[Line] = []
        for line in block.lines:
            if line in placed:
                continue
            own_number = inside.get(line)
            lines.append(_with(line, own_number) if own_number else line)
            lines += after.get(line, [])
        if lines:
            loose = block.kind is BlockKind.TABLE and not is_tabular(lines)
            out.append(block.part(BlockKind.PARAGRAPH if loose else block.kind, lines))
    return out


def _with(line: Line, number: Line) -> Line:
    """Return a line with the number that stands before or after it."""
    first, second = sorted((number, line), key=lambda part: part.start)
    shift = len(first.text) + 1
    moved = [replace(w, start=w.start + shift, end=w.end + shift) for w in second.words]
    space = np.array([[first.box.x1, first.box.y0, first.box.x1, first.box.y1]], np.float32)
    words = [*first.words, *moved]
    return replace(
        line,
        text=f"{first.text} {second.text}",
        box=Box.around([first.box, second.box]),
        confidence=weighted_confidence(words),
        words=words,
        character_boxes=np.concatenate([first.character_boxes, space, second.character_boxes]),
        character_confidences=np.concatenate(
            [first.character_confidences, np.ones(1, np.float32), second.character_confidences]
        ),
    )
