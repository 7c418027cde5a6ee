"""From the net's probabilities to characters with column and confidence."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.ground import TIME_STRIDE
from amberquarry.reading.languages import WORD, Prior
from amberquarry.reading.search import (
    Search,
    align,
    doubtful_parts,
    read_part,
    with_listed_words,
)
from amberquarry.reading.steps import Steps, runs_of

_LEAST_ODDS = 1e-3  # of figures that are looked at
_LEAST_CHANGE = 1e-4  # of a step's odds, that is made
_RAISED, _LOWERED = 2, 3  # columns of the net's styles
_UNKNOWN_ODDS = 0.05  # of the sign for letters of other scripts
_MARK_ODDS = 0.05  # of a figure where a note's mark stands


@dataclass(frozen=True, slots=True)
class Characters:
    """What was read: text, and for each character the column of its middle and its probability."""

    text: str
    columns: NDArray[np.float32]
    steps: NDArray[np.int64]  # the net's step at which each character is read
    confidences: NDArray[np.float32]
    styles: NDArray[np.float32]  # (N, styles): of bold, slanted, raised, lowered, written


def decode(steps: Steps) -> Characters:
    """Return the characters of the best path through the net's steps.

    The best class of each step is taken, repeats are joined, blanks dropped (Graves et al. 2006).
    A character's column is the centre of mass of its probability around its run, its confidence
    the highest probability in the run. Blanks at the ends and doubled blanks are left out.
    """
    probabilities, best = steps.classes, steps.best
    starts = runs_of(best)
    ends = np.append(starts[1:], len(best))
    shown = best[starts] > 0
    starts, ends = starts[shown], ends[shown]
    spaces = best[starts] == steps.alphabet.space
    kept = ~spaces
    kept[1:] |= ~spaces[:-1]  # a space stands after a letter
    kept[np.max(np.flatnonzero(~spaces), initial=-1) + 1 :] = False  # and before one
    starts, ends = starts[kept], ends[kept]
    if not len(starts):
        none = np.zeros(0, np.float32)
        return Characters("", none, np.zeros(0, np.int64), none, steps.styles[:0])
    classes = best[starts]
    first, after = np.maximum(starts - 1, 0), np.minimum(ends + 1, len(best))
    widths = after - first
    begins = np.cumsum(widths) - widths
    at = np.arange(widths.sum()) + np.repeat(first - begins, widths)
    weights = probabilities[at, np.repeat(classes, widths)].astype(np.float64)
    middles = np.add.reduceat(weights * (at + 0.5), begins) / np.add.reduceat(weights, begins)
    in_run = (at >= np.repeat(starts, widths)) & (at < np.repeat(ends, widths))
    confidences = np.maximum.reduceat(np.where(in_run, weights, 0), begins)
    nearest = np.minimum(middles.astype(np.int64), len(best) - 1)
    return Characters(
        steps.alphabet.text_of(classes),
        (middles * TIME_STRIDE).astype(np.float32),
        nearest,
        confidences.astype(np.float32),
        steps.styles[nearest],
    )


def figures_joined(steps: Steps) -> Steps:
    """Give each figure's likeliest form the odds of its other forms; the odds change in place.

    Marks of notes are read as raised figures or as figures that happen to be raised: parted, the
    odds of both may fall below those of a letter. A capital O off the line is a nought.
    """
    classes = steps.classes
    styles = steps.styles
    off_line = np.flatnonzero(np.maximum(styles[:, _RAISED], styles[:, _LOWERED]) > 0.5)
    if len(off_line):
        letters = np.ix_(off_line, steps.alphabet.noughts)
        classes[off_line, steps.alphabet.figures[0, 0]] += classes[letters].sum(1)
        classes[letters] = 0
    figures = steps.alphabet.figures
    forms = classes[:, figures.ravel()].reshape(len(classes), *figures.shape)
    likely = np.flatnonzero(forms.max((1, 2)) > _LEAST_ODDS)  # elsewhere no figure is read
    forms = forms[likely]
    best = np.arange(forms.shape[2]) == forms.argmax(2)[:, :, None]
    joined = np.where(best, forms.sum(2, keepdims=True), 0)
    classes[likely[:, None], figures.ravel()] = joined.reshape(len(likely), figures.size)
    return Steps(classes, styles, steps.alphabet)


def figures_at_start(steps: Steps, found: Characters) -> NDArray[np.float32]:
    """Return the odds (10,) of each figure, in whatever form, where a line's first sign stands."""
    if not found.text:
        return np.zeros(len(steps.alphabet.figures), np.float32)
    first = int(found.steps[0])
    near = steps.classes[max(0, first - 1) : first + 2]
    return np.asarray(near[:, steps.alphabet.figures].sum(2).max(0), np.float32)


def with_note_mark(found: Characters, odds: NDArray[np.float32]) -> Characters:
    """Return a line whose first sign is raised with that read as a figure where it may be one.

    A note begins with its mark right before its first word: a figure there looks like a letter, a
    quotation mark or a degree sign to the net. odds: (10,), of each figure there.
    """
    if found.text[0].isdigit() or odds.max() < _MARK_ODDS:
        return found
    styles, confidences = found.styles.copy(), found.confidences.copy()
    styles[0, _RAISED], confidences[0] = 1, odds.max()
    text = f"{odds.argmax()}{found.text[1:]}"
    return replace(found, text=text, styles=styles, confidences=confidences)


def weighed(steps: Steps, word_parting: float) -> Steps:
    """Raise the odds of a blank between words by their logarithm; the odds change in place.

    The sign for letters of other scripts gets smaller odds: a letter of such a script is told for
    certain, what is a little like one is a blurred or broken letter.
    """
    classes = steps.classes
    columns = [steps.alphabet.space, steps.alphabet.unknown]
    factors = np.array([np.exp(word_parting), _UNKNOWN_ODDS], np.float32)
    odds = classes[:, columns]
    change = odds @ (factors - 1)  # of the sum of a step's odds, which is 1
    changed = np.flatnonzero(np.abs(change) > _LEAST_CHANGE)
    odds = odds[changed] * factors
    classes[changed] /= 1 + change[changed, None]
    classes[changed[:, None], columns] = odds / (1 + change[changed, None])
    return Steps(classes, steps.styles, steps.alphabet)


@dataclass(frozen=True, slots=True)
class Doubt:
    """A word or a few of a line that hold a doubtful step, with what the net said there."""

    first: int  # step
    said: Steps

    def holds(self, found: Characters) -> NDArray[np.bool_]:
        """Return (N,), which characters of the line stand in the part."""
        return (found.steps >= self.first) & (found.steps < self.first + len(self.said.classes))


def doubts_of(steps: Steps) -> list[Doubt]:
    """Return the doubtful parts of a line."""
    return [Doubt(first, steps.part(first, last)) for first, last in doubtful_parts(steps)]


def sure_words(found: Characters, doubts: list[Doubt]) -> set[str]:
    """Return the words of a line that hold no doubt, in small letters."""
    sure = np.ones(len(found.text), bool)
    for doubt in doubts:
        sure &= ~doubt.holds(found)
    return {
        match.group().lower()
        for match in WORD.finditer(found.text)
        if sure[match.start() : match.end()].all()
    }


def resolve(found: Characters, doubts: list[Doubt], prior: Prior, search: Search) -> Characters:
    """Return the characters with the doubtful parts read anew; what agrees is left as it is."""
    for doubt in doubts:
        # a part may begin or end with a space that is no more than likely: it stays
        letters = [n for n in np.flatnonzero(doubt.holds(found)) if found.text[n] != " "]
        if not letters:
            continue
        start, end = int(letters[0]), int(letters[-1]) + 1
        text = read_part(doubt.said, prior, search).strip()
        text = with_listed_words(doubt.said, text, prior, search)
        if not text or text == found.text[start:end]:
            continue
        classes = [doubt.said.alphabet.class_of[letter] for letter in text]
        at = align(doubt.said.classes, classes)
        found = Characters(
            found.text[:start] + text + found.text[end:],
            _spliced(found.columns, start, end, (doubt.first + at + 0.5) * TIME_STRIDE),
            _spliced(found.steps, start, end, doubt.first + at),
            _spliced(found.confidences, start, end, doubt.said.classes[at, classes]),
            _spliced(found.styles, start, end, doubt.said.styles[at]),
        )
    return found


def _spliced(old: NDArray[Any], start: int, end: int, new: NDArray[Any]) -> NDArray[Any]:
    return np.concatenate([old[:start], new.astype(old.dtype), old[end:]])
