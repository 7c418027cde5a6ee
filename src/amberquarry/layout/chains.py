"""Chains of lines that follow each other down a column, and paragraphs in them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.layout.measured import Lines
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class Chain:
    """Lines that follow each other down; lengths in x-heights unless said."""

    same_size: float = 1.25  # ratio of sizes of type, at most
    under_line: float = 0.5  # from a line to a rule under it, at most
    across: float = 0.6  # share of the line, that such a rule spans
    one_edge: float = 1.5  # within which lines begin at one edge
    around: int = 4  # lines over and under one, that tell their distance
    loose: float = 1.28  # over the usual distance of lines: a new block begins
    dots_high: float = 0.45  # of a row of dots
    dots_reach: float = 4.0  # from such a row to the words beside it


CHAIN = Chain()


def steps_down(lines: Lines) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return each line's next one under it (-1: none) and how far their base lines lie apart."""
    # dots that stand for lines left out need not stand under or over a word
    room = np.where(
        lines.y1 - lines.y0 < CHAIN.dots_high * lines.size, CHAIN.dots_reach * lines.size, 0
    )
    x0, x1 = lines.x0 - room, lines.x1 + room
    shared = np.minimum(x1[:, None], x1[None]) - np.maximum(x0[:, None], x0[None])
    width = lines.x1 - lines.x0
    above = shared >= 0.3 * np.minimum(width[:, None], width[None])
    slope = (lines.end - lines.start) / np.maximum(1.0, width)
    x = np.maximum(lines.x0[:, None], lines.x0[None]) + shared / 2
    level = lines.start[:, None] + (x - lines.x0[:, None]) * slope[:, None]
    below = lines.start[None] + (x - lines.x0[None]) * slope[None]
    step = np.where(above, below - level, np.inf)
    step[step <= 0.5 * lines.size[:, None]] = np.inf
    nearest = np.argmin(step, axis=1)
    distance = step[np.arange(len(nearest)), nearest]
    return np.where(np.isfinite(distance), nearest, -1), distance


def _parted(lines: Lines, below: NDArray[np.int64], rules: list[Box]) -> NDArray[np.bool_]:
    """Return for each line whether a rule stands between it and the next one under it."""
    parted = np.zeros(len(below), bool)
    feet = np.maximum(lines.start, lines.end) + CHAIN.under_line * lines.size
    tops = (np.minimum(lines.start, lines.end) - lines.size)[below]
    left, right = np.minimum(lines.x0, lines.x0[below]), np.maximum(lines.x1, lines.x1[below])
    narrow = np.minimum(lines.x1 - lines.x0, (lines.x1 - lines.x0)[below])
    for rule in rules:
        shared = np.minimum(right, rule.x1) - np.maximum(left, rule.x0)
        for edge in (rule.y0, rule.y1):
            parted |= (edge > feet) & (edge < tops) & (shared > CHAIN.across * narrow)
    return parted & (below >= 0)


def _enters_column(lines: Lines, below: NDArray[np.int64], columns: list[Box]) -> NDArray[np.bool_]:
    """Return for each line whether it runs over a gutter, and the next one stands beside that.

    A short last line of what runs over columns has nothing on its other side.
    """
    entered = np.zeros(len(below), bool)
    for column in columns:
        x = column.middle[0]
        over = (lines.x0 < x - 2) & (lines.x1 > x + 2)
        within = (lines.middle_y > column.y0) & (lines.middle_y < column.y1)
        left, right = within & (lines.x1 <= x + 2), within & (lines.x0 >= x - 2)
        levels = lines.middle_y[right]
        gaps = np.abs(lines.middle_y[:, None] - levels[None])
        paired = left & (gaps < 0.8 * lines.size[:, None]).any(1)
        entered |= over & (right | paired)[below]
    return entered & (below >= 0)


def _pitch_around(
    lines: Lines, below: NDArray[np.int64], step: NDArray[np.float64], alike: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """Return for each line how far the lines around it stand apart, in x-heights; 0: unknown.

    Columns of one page may be set more or less closely. Only lines that fill their column tell:
    what stands by itself ends anywhere.
    """
    filled = alike & (np.abs(lines.x1[below] - lines.x1) < CHAIN.one_edge * lines.size)
    tells = np.where(filled, step / lines.size, np.nan)
    above = np.full(len(below), -1)
    above[below[filled]] = np.flatnonzero(filled)
    around = [tells]
    for link in (below, above):
        at = np.arange(len(below))
        for _ in range(CHAIN.around):
            at = np.where(at >= 0, link[at], -1)
            around.append(np.where(at >= 0, tells[at], np.nan))
    every = np.stack(around)
    enough = np.isfinite(every).sum(0) >= CHAIN.around
    pitch = np.zeros(len(below))
    pitch[enough] = np.nanmedian(every[:, enough], axis=0)
    return pitch


def chain_lines(lines: Lines, rules: list[Box], columns: list[Box]) -> list[list[TextLine]]:
    """Return runs of lines that follow each other at an even distance in one column.

    rules: boxes of rules and frames; no run goes on over one. columns: gutters between columns.
    """
    if not lines.lines:
        return []
    below, step = steps_down(lines)
    ratio = lines.size[below] / lines.size
    alike = (below >= 0) & (ratio > 1 / CHAIN.same_size) & (ratio < CHAIN.same_size)
    pitches = (step / lines.size)[alike]
    pitches = pitches[(pitches > 1.4) & (pitches < 7)]
    pitch = float(np.median(pitches)) if len(pitches) >= 3 else 2.8
    usual = np.maximum(pitch, _pitch_around(lines, below, step, alike))
    follows = alike & (step <= CHAIN.loose * usual * np.maximum(lines.size, lines.size[below]))
    follows &= ~(_parted(lines, below, rules) | _enters_column(lines, below, columns))
    above = np.full(len(below), -1)
    for number in np.flatnonzero(follows)[np.argsort(-step[follows], kind="stable")]:
        above[below[number]] = number  # the nearest comes last and stays
    chains: list[list[TextLine]] = []
    chain_of: dict[int, list[TextLine]] = {}
    for number in np.argsort(lines.y0, kind="stable").tolist():
        parent = int(above[number])
        chain = chain_of.pop(parent, None) if parent >= 0 else None
        if chain is None:
            chain = []
            chains.append(chain)
        chain.append(lines.lines[number])
        chain_of[number] = chain
    return chains


def split_paragraphs(chain: list[TextLine]) -> list[list[TextLine]]:
    """Return a run of lines cut where a first line is indented or hangs out, or a last is short.

    Lines are compared with their neighbours only: text may run around a picture.
    """
    if len(chain) < 3:
        return [chain]
    size = float(np.median([line.x_height for line in chain]))
    usual = float(np.median([b.box.y1 - a.box.y1 for a, b in itertools.pairwise(chain)]))
    parts = [[chain[0]]]
    for number in range(1, len(chain)):
        previous, line = chain[number - 1], chain[number]
        after = chain[number + 1] if number + 1 < len(chain) else previous
        before = chain[number - 2] if number >= 2 else line
        step = line.box.x0 - previous.box.x0
        indented = 0.9 * size < step < 8 * size and line.box.x0 - after.box.x0 > 0.9 * size
        first = parts[-1][0]
        hanging = (
            step < -0.9 * size
            and len(parts[-1]) > 1
            and abs(first.box.x0 - line.box.x0) < 0.6 * size
        )
        room = min(line.box.x1, before.box.x1) - previous.box.x1
        short = room > max(5 * size, 0.18 * line.box.width) and step <= 2.5 * size
        gap = line.baseline_at(line.box.x0) - previous.baseline_at(line.box.x0) > 1.18 * usual
        if indented or hanging or short or gap:
            parts.append([line])
        else:
            parts[-1].append(line)
    return parts
