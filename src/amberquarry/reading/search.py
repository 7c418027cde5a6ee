"""Search for the best reading where the net is in doubt, with a language's letters as a prior.

The best path decides all that is clear. A word with a doubtful step is read anew by a prefix beam
search (Graves et al. 2006, with letters weighted as by Hannun et al. 2014). Only letters and spaces
between letters are open: figures, signs and what stands with them stay as the best path has them.
A word that the language's list lacks gives way to a listed one that the net finds nearly as likely.
"""

from __future__ import annotations

import itertools
import math
import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from rapidfuzz import process
from rapidfuzz.distance import Levenshtein

from amberquarry.reading.alphabet import Alphabet
from amberquarry.reading.languages import Prior, sign_of
from amberquarry.reading.steps import Steps, runs_of


@dataclass(frozen=True, slots=True)
class Doubt:
    """Where the net is in doubt: probabilities of a step's classes."""

    sure: float = 0.9  # of the best one, from which there is none
    rival: float = 0.05  # from which another sign is a rival of the best one
    parting: float = 0.98  # of a space that parts words for certain
    least: float = 0.02  # of a class to be tried
    classes: int = 4  # tried at a step
    steps: int = 240  # of a part; what is longer is no word but noise, and is left as it is


@dataclass(frozen=True, slots=True)
class Listed:
    """Words of the language that one read in doubt may give way to."""

    letters: int = 3  # of such a word
    long: int = 7  # letters from which two may differ
    candidates: int = 5  # that are weighed against what was read
    worth: float = 2.0  # of being listed, as a logarithm of odds
    against: float = 4.0  # logarithm of the odds against it up to which it may be taken


DOUBT, LISTED = Doubt(), Listed()
# A word with what stands before and after it that makes it a name of a program or a part of a word.
_WORD = re.compile(r"(?<![\w'’\\/@.-])[^\W\d_]+(?![\w'’\\/@-]|\.\w)")


@dataclass(frozen=True, slots=True)
class Search:
    """How a doubtful word is read."""

    width: int  # readings that are kept at each step; 1 is the best path alone
    weight: float  # of the prior's logarithm against the net's
    bonus: float = 0.8  # for each character, since each costs probability


def doubtful_parts(steps: Steps) -> list[tuple[int, int]]:
    """Return ranges of steps (first, last + 1), each a word or a few, that hold a doubt."""
    probabilities, best, alphabet = steps.classes, steps.best, steps.alphabet
    top = probabilities[np.arange(len(best)), best]
    doubt = _in_doubt(probabilities, best, top) & alphabet.open[best]
    if not doubt.any():
        return []
    parting = np.flatnonzero((best == alphabet.space) & (top >= DOUBT.parting))
    edges = [-1, *parting.tolist(), len(best)]
    return [
        (before + 1, after)
        for before, after in itertools.pairwise(edges)
        if doubt[before + 1 : after].any() and after - before <= DOUBT.steps
    ]


def _in_doubt(
    probabilities: NDArray[np.float32], best: NDArray[np.int64], top: NDArray[np.float32]
) -> NDArray[np.bool_]:
    """Return the steps with a rival, or with a sign that is nowhere sure.

    Where a letter begins or ends, it and the blank share a step: that alone is no doubt.
    """
    open_steps = np.flatnonzero(top < 1 - DOUBT.rival)  # others have no room for a rival
    rows, classes = np.nonzero(probabilities[open_steps] > DOUBT.rival)
    steps = open_steps[rows]
    around = np.concatenate([best[:1], best, best[-1:]])
    same = around[steps + np.arange(3)[:, None]] == classes
    known = (classes == 0) | same.any(0)
    doubt = np.zeros(len(best), bool)
    doubt[steps[~known]] = True
    starts = runs_of(best)
    peak = np.maximum.reduceat(top, starts)
    unsure = (peak < DOUBT.sure) & (best[starts] != 0)
    if unsure.any():
        doubt |= np.repeat(unsure, np.diff(starts, append=len(best)))
    return doubt


def read_part(steps: Steps, prior: Prior, search: Search) -> str:
    """Return the best text of one part by net and prior together."""
    probabilities, best, alphabet = steps.classes, steps.best, steps.alphabet
    near_figures = _near_fixed(best, alphabet)
    beams: dict[str, tuple[float, float]] = {"": (1.0, 0.0)}
    prior_of = {"": 0.0}
    for step, row in enumerate(probabilities):
        if not alphabet.open[best[step]] or row[best[step]] >= DOUBT.sure or near_figures[step]:
            classes = [int(best[step])]
        else:
            classes = [int(c) for c in np.flatnonzero((row > DOUBT.least) & alphabet.open)]
            classes = sorted(classes, key=lambda cls: -row[cls])[: DOUBT.classes]
        if classes == [0]:  # nothing is said and nothing weighed
            beams = {text: (blank + letter, 0.0) for text, (blank, letter) in beams.items()}
            continue
        grown: dict[str, tuple[float, float]] = {}
        for text, (blank, letter) in beams.items():
            for cls in classes:
                share = float(row[cls])
                if cls == 0:
                    old = grown.get(text, (0.0, 0.0))
                    grown[text] = (old[0] + (blank + letter) * share, old[1])
                    continue
                sign = alphabet.signs[cls - 1]
                come = blank + letter
                if text.endswith(sign):
                    old = grown.get(text, (0.0, 0.0))
                    grown[text] = (old[0], old[1] + letter * share)
                    come = blank
                longer = text + sign
                if longer not in prior_of:
                    prior_of[longer] = prior_of[text] + _weight_of(text, sign, prior, search)
                old = grown.get(longer, (0.0, 0.0))
                grown[longer] = (old[0], old[1] + come * share)
        ranked = sorted(grown.items(), key=lambda item: -(_log(sum(item[1])) + prior_of[item[0]]))[
            : search.width
        ]
        scale = max(sum(both) for _, both in ranked) or 1.0  # keeps long parts from underflow
        beams = {text: (b / scale, c / scale) for text, (b, c) in ranked}
    ends = {
        text: _log(sum(both)) + prior_of[text] + _weight_of(text, " ", prior, search)
        for text, both in beams.items()
    }
    return max(sorted(ends), key=lambda text: ends[text])


def with_listed_words(steps: Steps, text: str, prior: Prior, search: Search) -> str:
    """Return the text of a part with words that are not listed replaced by listed ones.

    A listed word is taken where the net gives it nearly the odds of what was read (by the forward
    algorithm, Graves et al. 2006) and its letters are the more usual ones. Words with figures or
    signs in them, as names in programs have, are left as they are.
    """
    for found in _WORD.finditer(text):
        word = found.group()
        if len(word) < LISTED.letters or word.lower() in prior.words:
            continue
        around = text[text.rfind(" ", 0, found.start()) + 1 :].split(" ", 1)[0]
        if any(map(str.isnumeric, around)):
            continue
        near = process.extract(
            word.lower(),
            prior.sorted_words,
            scorer=Levenshtein.distance,
            score_cutoff=1 if len(word) < LISTED.long else 2,
            limit=LISTED.candidates,
        )
        candidates = [listed for listed, _, _ in near if listed.isalpha()]
        if not candidates:
            continue
        best, best_score = word, 0.0
        said, own = log_likelihood(steps, text), prior.log_probability_of(word.lower())
        for listed in candidates:
            usual = prior.log_probability_of(listed) - own
            more = len(listed) - len(word)
            worth = search.weight * usual + search.bonus * more + LISTED.worth
            for other in _in_case_of(word, listed):
                if not steps.alphabet.spells(other):  # capitals that the reader lacks
                    continue
                ink = log_likelihood(steps, _replaced(text, found, other)) - said
                if ink > -LISTED.against and ink + worth > best_score:
                    best, best_score = other, ink + worth
        if best != word:
            return with_listed_words(steps, _replaced(text, found, best), prior, search)
    return text


def _replaced(text: str, found: re.Match[str], word: str) -> str:
    return text[: found.start()] + word + text[found.end() :]


def _in_case_of(word: str, listed: str) -> list[str]:
    """Return a listed word as it may stand for one that was read: in its case.

    A small letter that is read first may be a wrong capital: l for I. A capital first letter is the
    best known of a name, and stays.
    """
    if word.isupper():
        return [listed.upper()]
    capital = listed[0].upper() + listed[1:]
    if word[0].isupper():
        return [capital] if capital[0] == word[0] else []
    return [listed] if listed[0] == word[0] else [listed, capital]


def log_likelihood(steps: Steps, text: str) -> float:
    """Return the natural logarithm of what the net gives a text over all paths (forward)."""
    states = np.zeros(2 * len(text) + 1, np.int64)
    states[1::2] = [steps.alphabet.class_of[letter] for letter in text]
    skip = np.zeros(len(states), bool)
    skip[3::2] = states[3::2] != states[1:-2:2]
    shares = steps.classes[:, states].astype(np.float64) + 1e-9
    value = np.zeros(len(states))
    value[:2] = shares[0, :2]
    scale = 0.0
    for row in shares[1:]:
        moved = value.copy()
        moved[1:] += value[:-1]
        moved[2:] += np.where(skip[2:], value[:-2], 0)
        value = moved * row
        whole = value.sum()
        scale += math.log(whole)
        value /= whole
    return scale + math.log(value[-2:].sum() + 1e-300)


def _near_fixed(best: NDArray[np.int64], alphabet: Alphabet) -> NDArray[np.bool_]:
    """Return the steps of words that hold a figure: nothing is open in them."""
    fixed = np.zeros(len(best), bool)
    figures = np.array([cls > 0 and alphabet.signs[cls - 1].isnumeric() for cls in best])
    edges = [-1, *np.flatnonzero(best == alphabet.space).tolist(), len(best)]
    for before, after in itertools.pairwise(edges):
        if figures[before + 1 : after].any():
            fixed[max(0, before) : after + 1] = True
    return fixed


def _weight_of(text: str, sign: str, prior: Prior, search: Search) -> float:
    history = "".join(sign_of(letter) for letter in f" {text}"[-4:])
    mapped = sign_of(sign)
    if mapped == " " and history.endswith(" "):
        return 0.0
    if history[-1] == " ":
        history = " "
    return search.weight * prior.log_probability(history, mapped) + search.bonus


def _log(value: float) -> float:
    return math.log(value) if value > 0 else -1e9


def align(probabilities: NDArray[np.float32], classes: list[int]) -> NDArray[np.int64]:
    """Return for each class of a text the step at which it is most likely read.

    Method: the best path through the blanks and classes of the text (Viterbi).
    """
    states = [0]
    for cls in classes:
        states += [cls, 0]
    scores = np.log(probabilities[:, states] + 1e-12)
    skip = np.array(
        [n % 2 == 1 and n >= 2 and states[n] != states[n - 2] for n in range(len(states))]
    )
    value = np.full(len(states), -np.inf)
    value[:2] = scores[0, :2]
    came = np.zeros(scores.shape, np.int8)
    for step in range(1, len(scores)):
        one = np.concatenate([[-np.inf], value[:-1]])
        two = np.where(
            skip, np.concatenate([[-np.inf, -np.inf], value[:-2]])[: len(states)], -np.inf
        )
        choices = np.stack([value, one, two])
        came[step] = choices.argmax(0)
        value = choices.max(0) + scores[step]
    state = len(states) - 1 if len(states) == 1 or value[-1] >= value[-2] else len(states) - 2
    path = np.empty(len(scores), np.int64)
    for step in range(len(scores) - 1, -1, -1):
        path[step] = state
        state -= int(came[step, state])
    found = np.zeros(len(classes), np.int64)
    for number in range(len(classes)):
        steps = np.flatnonzero(path == 2 * number + 1)
        if len(steps):
            found[number] = steps[scores[steps, 2 * number + 1].argmax()]
        else:
            found[number] = found[number - 1] if number else 0
    return found
