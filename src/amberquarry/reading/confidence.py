"""How likely a word is right: the net's own figures, the language and the words around it.

A logistic regression over a few facts of each word, fitted by `amberquarry.training.confidence` on
pages with truth.
"""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.languages import Prior, words_of
from amberquarry.values import UNKNOWN, Line, Word

FACTS = (
    "constant",
    "sureness of all its characters together",
    "sureness of the least sure",
    "log of the product of its characters' probabilities",
    "mean log of them",
    "characters in doubt",
    "share of them",
    "log of its length",
    "single character",
    "holds a figure",
    "holds a sign",
    "in the language's word list",
    "letters only and not in the list",
    "how usual its letters are",
    "sureness over its line",
    "sureness over its page",
)
_LEAST = 1e-3  # probabilities below it tell no more
_LEAST_ERROR = 1e-4  # nor do smaller chances of an error
_DOUBT = float(np.log(0.9))  # logarithm of the probability below which a character is in doubt


@dataclass(frozen=True, slots=True)
class Calibration:
    """Weights of the facts, in their order."""

    weights: NDArray[np.float64]

    def probability(self, facts: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the probability that each word is right; facts: (words, len(FACTS))."""
        # the logistic function, without overflow
        return np.asarray(np.exp(-np.logaddexp(0.0, -(facts @ self.weights))), np.float64)


@lru_cache(maxsize=1)
def load_calibration() -> Calibration:
    """Return the calibration that comes with the reader's model."""
    text = (resources.files("amberquarry.models") / "confidence.json").read_text("utf-8")
    stored = json.loads(text)["weights"]
    return Calibration(np.array([stored[name] for name in FACTS]))


def facts_of(lines: list[Line], prior: Prior | None) -> tuple[list[Word], NDArray[np.float64]]:
    """Return the words of a page's lines and their facts (words, len(FACTS))."""
    words: list[Word] = []
    rows: list[list[float]] = []
    logs = [np.log(np.maximum(line.character_confidences, _LEAST)) for line in lines]
    over_page = _sureness(float(np.concatenate(logs).mean())) if logs else 0.0
    for line, log in zip(lines, logs, strict=True):
        over_line = _sureness(float(log.mean())) if len(log) else 0.0
        logs_of_line = log.tolist()
        for word in line.words:
            own = logs_of_line[word.start : word.end]
            total, doubts = sum(own), float(sum(value < _DOUBT for value in own))
            known, unknown, usual = _in_language(word.text, prior)
            words.append(word)
            rows.append(
                [
                    1.0,
                    _sureness(total),
                    _sureness(min(own)),
                    total,
                    total / len(own),
                    doubts,
                    doubts / len(own),
                    math.log(len(word.text)),
                    float(len(word.text) == 1),
                    float(any(letter.isnumeric() for letter in word.text)),
                    float(not word.text.isalnum()),
                    known,
                    unknown,
                    usual,
                    over_line,
                    over_page,
                ]
            )
    return words, np.array(rows, np.float64).reshape(len(rows), len(FACTS))


def _sureness(log_probability: float) -> float:
    """Return the negative logarithm of the chance of an error: tells 0.99 from 0.999."""
    return -math.log(max(-math.expm1(log_probability), _LEAST_ERROR))


def _in_language(text: str, prior: Prior | None) -> tuple[float, float, float]:
    """Return whether a word is listed, is a word but not listed, and how usual its letters are."""
    found = words_of(text)
    if prior is None or len(found) != 1 or any(letter.isnumeric() for letter in text):
        return 0.0, 0.0, 0.0
    word = found[0]
    listed = word in prior.words
    usual = prior.log_probability_of(word) / (len(word) + 1)
    return float(listed), float(not listed), usual + 2.5


def set_confidences(lines: list[Line], prior: Prior | None) -> None:
    """Set each word's confidence to the probability that it is right, in place."""
    words, facts = facts_of(lines, prior)
    if not words:
        return
    for word, value in zip(words, load_calibration().probability(facts), strict=True):
        word.confidence = 0.0 if UNKNOWN in word.text else float(value)
