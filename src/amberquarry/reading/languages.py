"""What is known of each language: which letters follow which, and its frequent words.

The files are made by `amberquarry.training.priors`. An n-gram file holds runs of one to five
letters with their counts on a logarithmic scale.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib import resources
from io import BytesIO

import numpy as np
from numpy.typing import NDArray

ORDER = 5  # longest run of letters that is counted
LEVELS_PER_DOUBLING = 6  # steps of the stored logarithm of a count
_LEAST_LETTERS = 45  # from which a text's language is told
WORD = re.compile(r"[^\W\d_]+(?:['-][^\W\d_]+)*")
_UNSEEN = 1e-4


def words_of(text: str) -> list[str]:
    """Return the words of a text as they are counted: small letters, straight apostrophes."""
    return WORD.findall(text.lower().replace("’", "'"))


@lru_cache(maxsize=4096)
def sign_of(letter: str) -> str:
    """Return a character as it is counted; all that stands in no word is a space."""
    if letter.isalpha():
        return letter.lower()[0]
    return {"'": "'", "’": "'", "-": "-"}.get(letter, " ")


class Prior:
    """How likely a letter is after the letters before it, in one language."""

    def __init__(self, language: str, counts: dict[str, float], words: frozenset[str]) -> None:
        self.language, self.words = language, words
        self._counts = counts
        self._known: dict[str, float] = {}
        self._all = sum(count for run, count in counts.items() if len(run) == 1) or 1.0

    def knowing(self, words: set[str]) -> Prior:
        """Return the same with more words, as those of a page that were surely read."""
        other = Prior(self.language, self._counts, self.words | words)
        other._known = self._known
        return other

    @cached_property
    def sorted_words(self) -> list[str]:
        """The listed words in a settled order; only words in doubt ask for them."""
        return sorted(self.words)

    def log_probability(self, history: str, sign: str) -> float:
        """Return the natural logarithm of the probability of `sign` after `history`.

        Runs of different length are mixed by how often they were seen (Jelinek and Mercer 1980).
        """
        run = history[-(ORDER - 1) :] + sign
        known = self._known.get(run)
        if known is None:
            known = math.log(self._probability(run))
            self._known[run] = known
        return known

    def log_probability_of(self, word: str) -> float:
        """Return the natural logarithm of the probability of a word's letters and of its end."""
        signs = f" {word} "
        return sum(
            self.log_probability(signs[:at], sign_of(signs[at])) for at in range(1, len(signs))
        )

    def _probability(self, run: str) -> float:
        if len(run) == 1:
            return max(_UNSEEN, self._counts.get(run, 0.0) / self._all)
        shorter = self._probability(run[1:])
        before = self._counts.get(run[:-1], 0.0)
        if not before:
            return shorter
        own = before / (before + 4.0 * len(run))
        return own * min(1.0, self._counts.get(run, 0.0) / before) + (1 - own) * shorter


@dataclass(frozen=True, slots=True)
class _Languages:
    names: tuple[str, ...]
    row_of: dict[str, int]
    scores: NDArray[np.float32]  # (runs, languages): natural logarithms


def _load(name: str) -> dict[str, NDArray[np.uint8]]:
    data = (resources.files("amberquarry.models") / "languages" / name).read_bytes()
    with np.load(BytesIO(data), allow_pickle=False) as file:
        return dict(file)


@lru_cache(maxsize=8)
def load_prior(language: str) -> Prior:
    """Return what is known of a language that `identify` names."""
    stored = _load(f"{language}.npz")
    runs = stored["runs"].tobytes().decode("utf-8").split("\n")
    counts = np.exp2(stored["levels"].astype(np.float64) / LEVELS_PER_DOUBLING)
    words = frozenset(stored["words"].tobytes().decode("utf-8").split("\n"))
    return Prior(language, dict(zip(runs, counts.tolist(), strict=True)), words)


@lru_cache(maxsize=1)
def _languages() -> _Languages:
    stored = _load("all.npz")
    runs = stored["runs"].tobytes().decode("utf-8").split("\n")
    names = tuple(stored["names"].tobytes().decode("utf-8").split("\n"))
    scores = stored["levels"].astype(np.float32) * np.float32(-1 / 16)
    return _Languages(names, {run: row for row, run in enumerate(runs)}, scores)


def identify(text: str) -> str | None:
    """Return the language of a text as its ISO 639-1 code, None where there is too little of it.

    Method: the sum of logarithms of trigram frequencies (Dunning 1994).
    """
    words = words_of(text)
    if sum(map(len, words)) < _LEAST_LETTERS:
        return None
    known = _languages()
    rows = [
        row
        for word in words
        for at in range(len(word))
        if (row := known.row_of.get(f" {word} "[at : at + 3])) is not None
    ]
    if len(rows) < _LEAST_LETTERS // 3:
        return None
    return known.names[int(known.scores[rows].sum(0).argmax())]
