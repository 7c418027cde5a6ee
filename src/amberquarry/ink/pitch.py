"""Fixed pitch: rows of listings told by the even steps of their letters, and kept whole.

White runs down through listings as between the columns of a table; but letters on both sides stand
on one grid there.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.marks import attach_marks
from amberquarry.sheet.fixed_pitch import FINER, fit_grid
from amberquarry.sheet.glyphs import Glyphs, owned_by
from amberquarry.sheet.measuring import TextLine, lines_joined
from amberquarry.sheet.rowwise import Rowwise
from amberquarry.values import Box

# Steps of letters that are tried, in x-heights of the line.
_STEPS = np.exp(np.arange(np.log(0.8), np.log(1.65), 0.008))


@dataclass(frozen=True, slots=True)
class FixedPitch:
    """Lines whose letters stand on a grid; lengths in x-heights (`benchmarks/devpages.py`)."""

    tried: int = 26  # letters in the middle of a line
    fewest: int = 8  # letters that tell a step
    at_once: int = 200  # lines, for the sake of memory
    # from 0 to 1: fit of a line of many letters and of few, that has its own step
    on_grid: tuple[float, float] = (0.85, 0.92)
    many: int = 14  # letters of such a line
    row_on_grid: float = 0.8  # fit of parts of a row, that have the step of such a line
    enough: int = 30  # letters of lines with one step: fewer may have it by chance
    tall: float = 0.7  # of pieces that are letters, at least
    broad: float = 1.5  # of such pieces, at most
    touching: float = 0.1  # between pieces of one letter
    one_row: float = 0.35  # between base lines of one row
    farthest: float = 40.0  # of white within a row of a listing
    near_rows: float = 8.0  # up and down in which rows of a listing stand on one grid
    same_step: float = 0.02  # of a step
    typescript: float = 0.85  # of a page's letters on a grid: then columns may be columns
    mark: float = 2.4  # after a line: a mark with a space before it


PITCH = FixedPitch()


def join_fixed_pitch(
    lines: list[TextLine],
    gutters: list[Box],
    glyphs: Glyphs,
    core: NDArray[np.bool_],
) -> tuple[list[TextLine], list[Box]]:
    """Return lines with rows of listings made one line each, and the gutters that part no listing.

    Lines in fixed pitch get their step. Pages that are in fixed pitch throughout stay as they are:
    they have columns and tables like any others. core: for each piece whether it may be a letter.
    """
    letters = [_letters(line, glyphs) for line in lines]
    steps = _steps_of(letters, lines)
    counts = np.array([len(own) for own in letters])
    fixed = steps > 0
    for line, step in zip(lines, steps.tolist(), strict=True):
        line.step = step
    if not fixed.any() or counts[fixed].sum() > PITCH.typescript * counts.sum():
        return lines, gutters
    known = _distinct(steps, counts)
    for line in lines:  # a few letters and figures stand on some grid by chance
        if not any(abs(line.step - step) < 2 * PITCH.same_step * step for step in known):
            line.step = 0.0
    rows = [_runs(row, letters, lines, known) for row in _rows(lines)]
    grids = []
    for numbers in (run for row in rows for run in row):
        own, first = [letters[n] for n in numbers], lines[numbers[0]]
        step = _step_of(own, first.x_height, known)
        if step:
            grids.append(_Grid.of(np.concatenate(own), step, first))
    rows = [_on_near_grid(row, letters, lines, grids) for row in rows]
    runs = [[lines[n] for n in run] for row in rows for run in row]
    wide = [run for run in runs if len(run) > 1]
    kept = [gutter for gutter in gutters if not _runs_over(gutter, wide) or _parts(gutter, runs)]
    parts = [part for run in runs for part in _parted(run, kept)]
    joined = lines_joined(glyphs, parts, core)
    for whole, part in zip(joined, parts, strict=True):
        if not whole.step and len(part) > 1:
            level = whole.box.middle[1]
            whole.step = min(grids, key=lambda grid: abs(grid.level - level)).step
    listing = [line for line in joined if line.step]
    attach_marks(listing, glyphs, owned_by(joined, glyphs), PITCH.mark)
    return joined, kept


@dataclass(frozen=True, slots=True)
class _Grid:
    """The places of the letters of a row of a listing."""

    level: float  # y of the row
    reach: float  # pixels up and down within which other rows may stand on the same places
    step: float
    offset: float  # part of a step

    @classmethod
    def of(cls, letters: NDArray[np.float64], step: float, line: TextLine) -> _Grid:
        """Return the grid of letters, by their x, in a row with that line."""
        step, offset, _ = fit_grid(letters, step)
        return cls(line.box.middle[1], PITCH.near_rows * line.x_height, step, offset)

    def fit(self, letters: NDArray[np.float64]) -> float:
        """Return how well letters stand on the grid, from -1 (between its places) to 1."""
        return _fit_of(letters, self.step, self.offset)


def _fit_of(letters: NDArray[np.float64], step: float, offset: float) -> float:
    """Return how well letters stand on a grid, from -1 (between its places) to 1."""
    return float(np.exp(2j * np.pi * (letters / step - offset)).mean().real)


def _letters(line: TextLine, glyphs: Glyphs) -> NDArray[np.float64]:
    """Return the x of the middle of each letter of a line, from the left. Shape (letters,)."""
    pieces = line.pieces[glyphs.height[line.pieces] > PITCH.tall * line.x_height]
    if not len(pieces):
        return np.zeros(0)
    pieces = pieces[np.argsort(glyphs.left[pieces], kind="stable")]
    left, right = glyphs.left[pieces].astype(float), glyphs.right[pieces].astype(float)
    reached = np.maximum.accumulate(right)
    starts = np.flatnonzero(
        np.append(True, left[1:] > reached[:-1] - PITCH.touching * line.x_height)
    )
    first, last = left[starts], np.maximum.reduceat(right, starts)
    return ((first + last) / 2)[last - first < PITCH.broad * line.x_height]


def _steps_of(letters: list[NDArray[np.float64]], lines: list[TextLine]) -> NDArray[np.float64]:
    """Return the step from letter to letter of each line in fixed pitch, 0 for others."""
    steps = np.zeros(len(lines))
    tried = [n for n, own in enumerate(letters) if len(own) >= PITCH.fewest]
    if not tried:
        return steps
    sizes = np.array([lines[number].x_height for number in tried])
    middles = [_middle_of(letters[number]) for number in tried]
    rows = Rowwise.of_lengths([len(own) for own in middles])
    places = np.concatenate(middles)
    places = (places - places[rows.first][rows.row]) / sizes[rows.row]
    coarse = _turns(places, np.broadcast_to(_STEPS, (len(tried), len(_STEPS))), rows)
    near = sizes * _STEPS[np.abs(coarse).argmax(1)]
    rows = Rowwise.of_lengths([len(letters[number]) for number in tried])
    fine = near[:, None] * FINER
    fits = np.abs(_turns(np.concatenate([letters[number] for number in tried]), fine, rows))
    best = fits.argmax(1)
    every = np.arange(len(tried))
    least = np.where(rows.count < PITCH.many, *PITCH.on_grid[::-1])
    steps[tried] = np.where(fits[every, best] >= least, fine[every, best], 0.0)
    return steps


def _middle_of(letters: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the letters in the middle of a line, as many as are tried."""
    start = max(0, (len(letters) - PITCH.tried) // 2)
    return letters[start : start + PITCH.tried]


def _turns(
    places: NDArray[np.float64], steps: NDArray[np.float64], rows: Rowwise
) -> NDArray[np.complex64]:
    """Return the mean of each row's places as phases of each step, shape as `steps` (rows, tried).

    Single precision is enough for angles below one turn.
    """
    found = np.zeros(steps.shape, np.complex64)
    starts = np.append(rows.first, len(places))
    for start in range(0, len(steps), PITCH.at_once):
        part = slice(start, min(start + PITCH.at_once, len(steps)))
        own = slice(starts[part.start], starts[part.stop])
        turns = places[own, None] / steps[rows.row[own]]
        angles = (2 * np.pi * (turns - np.floor(turns))).astype(np.float32)
        cuts = starts[part] - starts[part.start]
        found[part].real = np.add.reduceat(np.cos(angles), cuts)
        found[part].imag = np.add.reduceat(np.sin(angles), cuts)
    return np.asarray(found / rows.count[:, None], np.complex64)


def _distinct(steps: NDArray[np.float64], counts: NDArray[np.int64]) -> list[float]:
    """Return one step for each group of nearly the same ones that lines of enough letters have.

    Short lines alone have one by chance, in lists of words.
    """
    order = np.argsort(steps, kind="stable")
    order = order[steps[order] > 0]
    ranked = steps[order]
    cuts = np.flatnonzero(np.diff(ranked) > PITCH.same_step * ranked[:-1]) + 1
    groups = np.split(order, cuts)
    return [
        float(np.median(steps[own]))
        for own in groups
        if counts[own].sum() >= PITCH.enough and counts[own].max() >= PITCH.many
    ]


def _rows(lines: list[TextLine]) -> list[list[int]]:
    """Return the numbers of lines by rows of one base line, each from the left."""
    rows: list[list[int]] = []
    last: dict[int, float] = {}
    for number in sorted(range(len(lines)), key=lambda n: (lines[n].box.x0, lines[n].box.y0)):
        line = lines[number]
        start = line.baseline_at(line.box.x0)
        near = [
            row
            for row, level in last.items()
            if abs(level - start) < PITCH.one_row * line.x_height
            and -line.x_height < line.box.x0 - lines[rows[row][-1]].box.x1
        ]
        row = min(near, key=lambda row: abs(last[row] - start), default=len(rows))
        if row == len(rows):
            rows.append([])
        rows[row].append(number)
        last[row] = line.baseline_at(line.box.x1)
    return rows


def _runs(
    row: list[int],
    letters: list[NDArray[np.float64]],
    lines: list[TextLine],
    known: list[float],
) -> list[list[int]]:
    """Return the numbers of a row's lines by runs that stand on one grid of a known step."""
    runs = [[row[0]]]
    for number in row[1:]:
        before = lines[runs[-1][-1]]
        parts = [letters[n] for n in (*runs[-1], number)]
        if _are_near(before, lines[number]) and _step_of(parts, before.x_height, known):
            runs[-1].append(number)
        else:
            runs.append([number])
    return runs


def _on_near_grid(
    runs: list[list[int]],
    letters: list[NDArray[np.float64]],
    lines: list[TextLine],
    grids: list[_Grid],
) -> list[list[int]]:
    """Return runs of a row with those joined that stand on the grid of a row of a listing near by.

    A few letters stand on some grid by chance, but seldom on a given one.
    """
    joined = [runs[0]]
    for run in runs[1:]:
        before = lines[joined[-1][-1]]
        parts = [letters[n] for n in (*joined[-1], *run)]
        near = (grid for grid in grids if abs(grid.level - before.box.middle[1]) < grid.reach)
        if (
            _are_near(before, lines[run[0]])
            and all(map(len, parts))
            and any(
                all(grid.fit(part) > PITCH.row_on_grid for part in parts[::-1]) for grid in near
            )
        ):
            joined[-1] = joined[-1] + run
        else:
            joined.append(run)
    return joined


def _are_near(before: TextLine, after: TextLine) -> bool:
    """Return whether two lines of a row stand near enough for one row of a listing."""
    return after.box.x0 - before.box.x1 < PITCH.farthest * before.x_height


def _step_of(parts: list[NDArray[np.float64]], x_height: float, known: list[float]) -> float:
    """Return the known step that suits letters of a size, all parts of a row on one grid, or 0."""
    together = np.concatenate(parts)
    if len(together) < PITCH.fewest or not all(map(len, parts)):
        return 0.0
    best, best_fit = 0.0, PITCH.row_on_grid
    for near in known:
        if not _STEPS[0] * x_height < near < _STEPS[-1] * x_height:
            continue
        step, offset, _ = fit_grid(together, near)
        fit = min(_fit_of(part, step, offset) for part in parts)
        if fit > best_fit:
            best, best_fit = step, fit
    return best


def _parted(run: list[TextLine], gutters: list[Box]) -> list[list[TextLine]]:
    """Return the lines of a row of a listing by parts between which no gutter lies."""
    parts = [run[:1]]
    for before, after in pairwise(run):
        if any(_lies_between(gutter, before, after) for gutter in gutters):
            parts.append([])
        parts[-1].append(after)
    return parts


def _lies_between(gutter: Box, before: TextLine, after: TextLine) -> bool:
    """Return whether a gutter lies between two lines of a row."""
    beside = before.box.middle[0] < gutter.middle[0] < after.box.middle[0]
    white = gutter.x0 < after.box.x0 and gutter.x1 > before.box.x1
    return beside and white and gutter.y0 <= before.box.middle[1] <= gutter.y1


def _runs_over(gutter: Box, runs: list[list[TextLine]]) -> bool:
    """Return whether a row with text on both sides of a gutter is one of a listing."""
    x = gutter.middle[0]
    beside = (run for run in runs if run[0].box.x0 < x < run[-1].box.x1)
    return any(gutter.y0 <= run[0].box.middle[1] <= gutter.y1 for run in beside)


def _parts(gutter: Box, runs: list[list[TextLine]]) -> bool:
    """Return whether no more rows of listings run over a gutter than it parts."""
    x = gutter.middle[0]
    beside = [run for run in runs if gutter.y0 <= run[0].box.middle[1] <= gutter.y1]
    over = [len(run) > 1 and run[0].box.x0 < x < run[-1].box.x1 for run in beside]
    rest = [line for run, own in zip(beside, over, strict=True) if not own for line in run]
    before = np.array([line.box.middle[1] for line in rest if line.box.x1 <= x])
    after = np.array([line.box.middle[1] for line in rest if line.box.x0 >= x])
    slack = float(np.median([run[0].x_height for run in beside]))
    facing = (np.abs(before[:, None] - after[None]) < slack).any(1).sum()
    return bool(sum(over) <= facing)
