"""Spelling repair: a doubtful word that is nearly one of the language's becomes that word.

Optional: what the ink says stays in the record, the repaired word stands beside it.
"""

from __future__ import annotations

from rapidfuzz import process
from rapidfuzz.distance import Levenshtein

from amberquarry.reading.languages import Prior, words_of
from amberquarry.values import Line

_DOUBTFUL = 0.6  # confidence below which a word may be repaired
_LEAST_LETTERS = 4
_LONG = 9  # letters from which two may be wrong


def nearest_word(text: str, prior: Prior) -> str | None:
    """Return the one listed word that differs by a letter (two in long words), None if not one.

    text: as printed, with the marks around it; they and the case of its letters are kept.
    """
    found = words_of(text)
    if len(found) != 1 or any(letter.isnumeric() for letter in text):
        return None
    word = found[0]
    start = text.lower().replace("’", "'").find(word)
    if start < 0 or len(word) < _LEAST_LETTERS or word in prior.words:
        return None
    near = process.extract(
        word,
        prior.sorted_words,
        scorer=Levenshtein.distance,
        score_cutoff=2 if len(word) >= _LONG else 1,
        limit=2,
    )
    if not near or (len(near) > 1 and near[1][1] == near[0][1]):
        return None
    old, new = text[start : start + len(word)], str(near[0][0])
    if old.isupper():
        new = new.upper()
    elif old[0].isupper():
        new = new[0].upper() + new[1:]
    return text[:start] + new + text[start + len(word) :]


def repair_words(lines: list[Line], prior: Prior) -> None:
    """Set `repaired` of doubtful words, in place."""
    for line in lines:
        for word in line.words:
            if word.confidence < _DOUBTFUL:
                word.repaired = nearest_word(word.text, prior)
