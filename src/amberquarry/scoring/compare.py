"""Compare a page with its truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, fields

import numpy as np
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein

from amberquarry.scoring.text import (
    errors,
    errors_at_best_place,
    join_hyphens,
    plain,
    word_errors,
)
from amberquarry.values import Block, BlockKind, Box, Page, Word

# Judged by measures of their own; their words are left out of the text on both sides.
APART = frozenset({BlockKind.TABLE, BlockKind.EQUATION, BlockKind.FIGURE})
_SAME_PLACE = 0.5  # intersection over union


@dataclass(slots=True)
class PageScore:
    """Counts of one page, added up by `total`."""

    characters: int = 0
    errors_in_order: int = 0
    errors_any_order: int = 0
    characters_in_place: int = 0
    errors_in_place: int = 0
    words: int = 0
    word_errors: int = 0
    truth_boxes: int = 0
    found_boxes: int = 0
    same_place: int = 0
    same_place_and_text: int = 0
    neighbours: int = 0
    neighbours_in_order: int = 0
    pairs: int = 0
    pairs_in_order: int = 0
    digits: int = 0
    digits_right: int = 0
    spaces: int = 0
    spaces_missing: int = 0
    spaces_extra: int = 0


@dataclass(frozen=True, slots=True)
class Score:
    """Rates over one or more pages; None where there is nothing to measure."""

    pages: int
    cer: float | None
    cer_any_order: float | None
    cer_in_place: float | None  # line by line, by what was read where it stands
    wer: float | None
    box_f1: float | None
    word_f1: float | None  # same place and equal text
    order: float | None  # neighbours in the right order
    tau: float | None
    digits: float | None  # figures 0 to 9 that are right
    spaces_missing: float | None  # of all spaces inside lines
    spaces_extra: float | None
    parts: list[PageScore] = field(default_factory=list)


def total(parts: Iterable[PageScore]) -> Score:
    """Return the rates of pages together, each page weighted by what is on it."""
    parts = list(parts)
    sums = {
        item.name: sum(getattr(part, item.name) for part in parts) for item in fields(PageScore)
    }

    def rate(above: str, below: str) -> float | None:
        return sums[above] / sums[below] if sums[below] else None

    boxes = sums["truth_boxes"] + sums["found_boxes"]
    tau = rate("pairs_in_order", "pairs")
    return Score(
        len(parts),
        rate("errors_in_order", "characters"),
        rate("errors_any_order", "characters"),
        rate("errors_in_place", "characters_in_place"),
        rate("word_errors", "words"),
        2 * sums["same_place"] / boxes if boxes else None,
        2 * sums["same_place_and_text"] / boxes if boxes else None,
        rate("neighbours_in_order", "neighbours"),
        2 * tau - 1 if tau is not None else None,
        rate("digits_right", "digits"),
        rate("spaces_missing", "spaces"),
        rate("spaces_extra", "spaces"),
        parts,
    )


def body_lines(blocks: Iterable[Block], apart: list[Box]) -> list[list[str]]:
    """Return the lines of the blocks of body text, without words that lie in `apart`."""
    result = []
    for block in blocks:
        lines = []
        for line in block.lines:
            words = [
                word.text
                for word in line.words
                if not any(box.contains(*word.box.middle) for box in apart)
            ]
            lines.append(" ".join(words))
        result.append(lines)
    return result


def block_lines(block: Block) -> list[str]:
    """Return the lines of a truth block; a block without lines gives its text."""
    return [line.text for line in block.lines] or block.text.split("\n")


def score_page(found: Page | None, truth: Page) -> PageScore:
    """Return the counts of a page against its truth; a page that is missing counts as empty."""
    apart = [block.box for block in truth.blocks if block.kind in APART]
    body = [block for block in truth.blocks if block.kind not in APART]
    wanted = [join_hyphens(block_lines(block)) for block in body]
    got = body_lines(found.blocks, apart) if found else []
    text = join_hyphens([line for lines in got for line in lines])
    # hyphens across blocks are joined on both sides alike
    flowing = join_hyphens([line for block in body for line in block_lines(block)])
    score = PageScore(characters=len(flowing), words=len(flowing.split()))
    score.errors_in_order = min(errors(text, flowing), max(len(flowing), len(text)))
    score.word_errors = word_errors(text, flowing)
    score.errors_any_order = sum(
        min(len(part), errors_at_best_place(part, text)) for part in wanted if part
    )
    truth_words = [word for block in body for word in block.words]
    found_words = [
        word
        for word in (found.words if found else [])
        if not any(box.contains(*word.box.middle) for box in apart)
    ]
    if truth_words or not truth.blocks:  # what is read on a page without text is invented
        _score_words(score, found_words, truth_words)
        pairs, stray = line_pairs(found_words, body)
        score.errors_in_place = sum(map(len, stray))
        for wanted_line, got_line in pairs:
            score.characters_in_place += len(wanted_line)
            score.errors_in_place += errors(got_line, wanted_line)
            _score_signs(score, got_line, wanted_line)
    return score


def line_pairs(found: list[Word], body: list[Block]) -> tuple[list[tuple[str, str]], list[str]]:
    """Return for each line of the truth its text and what was read in its place, as compared.

    A word that was read belongs to the line whose words it overlaps most; words of a line are
    taken in the order in which they stand, so that reading order plays no part. Also returns the
    words that were read where the truth has none.
    """
    lines = [line for block in body for line in block.lines if line.words]
    words = [word for line in lines for word in line.words]
    owner = np.repeat(np.arange(len(lines)), [len(line.words) for line in lines])
    got: list[list[Word]] = [[] for _ in lines]
    stray = np.ones(len(found), bool)
    if found and words:
        a = np.array([word.box for word in found], float)
        b = np.array([word.box for word in words], float)
        for start in range(0, len(a), 512):
            shared = _intersection_over_union(a[start : start + 512], b)
            for row in np.flatnonzero(shared.max(1) > 0):
                stray[start + row] = False
                by_line = np.bincount(owner, shared[row], len(lines))
                got[int(by_line.argmax())].append(found[start + row])
    pairs = []
    for line, mine in zip(lines, got, strict=True):
        box = Box.around([word.box for word in line.words])
        first, last = line.words[0].box, line.words[-1].box
        if box.width >= box.height:  # from the right on pages that stand on their head
            sign = 1 if last.x0 >= first.x0 else -1
            mine.sort(key=lambda word: sign * word.box.x0)
        else:  # lying pages and labels, down or up
            sign = 1 if last.y0 >= first.y0 else -1
            mine.sort(key=lambda word: sign * word.box.y0)
        wanted = " ".join(word.text for word in line.words)
        pairs.append((plain(wanted), plain(" ".join(word.text for word in mine))))
    return pairs, [plain(found[n].text) for n in np.flatnonzero(stray)]


def _score_signs(score: PageScore, found: str, truth: str) -> None:
    """Count figures and spaces of a line, and how many of them are right."""
    score.digits += sum(letter in "0123456789" for letter in truth)
    score.spaces += truth.count(" ")
    wrong = 0
    for step in Levenshtein.editops(truth, found):
        old = truth[step.src_pos] if step.tag != "insert" else ""
        new = found[step.dest_pos] if step.tag != "delete" else ""
        wrong += old != "" and old in "0123456789"
        score.spaces_missing += old == " "
        score.spaces_extra += new == " "
    score.digits_right += sum(letter in "0123456789" for letter in truth) - wrong


def match_words(found: list[Word], truth: list[Word]) -> list[tuple[int, int]]:
    """Return pairs (found, truth) of words in one place: best overlap first, each used once."""
    if not found or not truth:
        return []
    a = np.array([word.box for word in found], float)
    b = np.array([word.box for word in truth], float)
    candidates: list[tuple[float, int, int]] = []
    for start in range(0, len(a), 512):
        overlap = _intersection_over_union(a[start : start + 512], b)
        for row, column in np.argwhere(overlap >= _SAME_PLACE):
            candidates.append((-float(overlap[row, column]), start + int(row), int(column)))
    pairs, used_found, used_truth = [], set(), set()
    for _, row, column in sorted(candidates):
        if row not in used_found and column not in used_truth:
            used_found.add(row)
            used_truth.add(column)
            pairs.append((row, column))
    return pairs


def shared_areas(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the area (N, M) that each box of `a` (N, 4) shares with each of `b` (M, 4)."""
    low = np.maximum(a[:, None, :2], b[None, :, :2])
    high = np.minimum(a[:, None, 2:], b[None, :, 2:])
    return np.asarray(np.clip(high - low, 0, None).prod(2))


def _intersection_over_union(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    shared = shared_areas(a, b)
    areas = (a[:, 2:] - a[:, :2]).prod(1)[:, None] + (b[:, 2:] - b[:, :2]).prod(1)[None]
    result: NDArray[np.float64] = shared / np.maximum(areas - shared, 1e-9)
    return result


def _score_words(score: PageScore, found: list[Word], truth: list[Word]) -> None:
    pairs = match_words(found, truth)
    score.truth_boxes, score.found_boxes = len(truth), len(found)
    score.same_place = len(pairs)
    score.same_place_and_text = sum(plain(found[a].text) == plain(truth[b].text) for a, b in pairs)
    # ranks in the output of words that lie next to each other in the truth
    order = np.array([a for a, _ in sorted(pairs, key=lambda pair: pair[1])])
    if len(order) < 2:
        return
    rank = np.argsort(np.argsort(order))
    score.neighbours = len(rank) - 1
    score.neighbours_in_order = int((np.diff(rank) == 1).sum())
    score.pairs = len(rank) * (len(rank) - 1) // 2
    upper = np.triu_indices(len(rank), 1) if len(rank) <= 4000 else None
    if upper is None:
        score.pairs = score.neighbours
        score.pairs_in_order = int((np.diff(rank) > 0).sum())
    else:
        score.pairs_in_order = int((rank[upper[1]] > rank[upper[0]]).sum())
