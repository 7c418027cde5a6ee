"""Character and word errors of text against truth."""

from __future__ import annotations

import re
import unicodedata

import numpy as np
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein

_PLAIN = str.maketrans(
    {
        "‘": "'",
        "’": "'",
        "‚": "'",
        "‛": "'",
        "´": "'",
        "`": "'",
        "′": "'",
        "“": '"',
        "”": '"',
        "„": '"',
        "‟": '"',
        "″": '"',
        "«": '"',
        "»": '"',
        "‐": "-",
        "‑": "-",
        "‒": "-",
        "–": "-",
        "—": "-",
        "―": "-",
        "−": "-",
        "\u00ad": "",
    }
)


def plain(text: str) -> str:
    """Return text as it is compared: NFKC, white space folded, quotes and hyphens straight."""
    text = unicodedata.normalize("NFKC", text).translate(_PLAIN)
    return re.sub(r"\s+", " ", text).strip()


def join_hyphens(lines: list[str]) -> str:
    """Return lines as running text, hyphens at line ends joined wherever a letter follows."""
    text = ""
    for line in lines:
        line = plain(line)
        if not line:
            continue
        if text.endswith("-") and len(text) > 1 and text[-2].isalpha() and line[0].isalpha():
            text = text[:-1] + line
        else:
            text = f"{text} {line}" if text else line
    return text


def errors(found: str, truth: str) -> int:
    """Return the edit distance between two texts."""
    return int(Levenshtein.distance(found, truth))


def word_errors(found: str, truth: str) -> int:
    """Return the edit distance in words."""
    return int(Levenshtein.distance(found.split(), truth.split()))


def errors_at_best_place(part: str, text: str) -> int:
    """Return the least edit distance between `part` and any stretch of `text`.

    Method: Sellers 1980, a row of the table at a time.
    """
    if not part:
        return 0
    if part in text:
        return 0
    letters: NDArray[np.int32] = np.fromiter(map(ord, text), np.int32, len(text))
    ramp = np.arange(len(text) + 1, dtype=np.int32)
    row = np.zeros(len(text) + 1, np.int32)
    for number, letter in enumerate(part, start=1):
        fresh = np.empty_like(row)
        fresh[0] = number
        np.minimum(row[:-1] + (letters != ord(letter)), row[1:] + 1, out=fresh[1:])
        # an insertion costs one for each step to the right
        row = np.minimum.accumulate(fresh - ramp) + ramp
    return int(row.min())
