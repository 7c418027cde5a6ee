"""From the net's probabilities to characters with column and confidence."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.characters import ALPHABET
from amberquarry.reading.ground import TIME_STRIDE
from amberquarry.reading.net import Steps


@dataclass(frozen=True, slots=True)
class Characters:
    """What was read: text, and for each character the column of its middle and its probability."""

    text: str
    columns: NDArray[np.float32]
    confidences: NDArray[np.float32]
    styles: NDArray[np.float32]  # (N, 4): probability of bold, slanted, raised, lowered


def decode(steps: Steps) -> Characters:
    """Return the characters of the best path through the net's steps.

    The best class of each step is taken, repeats are joined, blanks dropped (Graves et al. 2006).
    A character's column is the centre of mass of its probability around its run, its confidence
    the highest probability in the run. Blanks at the ends and doubled blanks are left out.
    """
    probabilities = steps.classes
    best = probabilities.argmax(1)
    edges = np.flatnonzero(np.diff(best)) + 1
    starts = np.concatenate(([0], edges))
    ends = np.concatenate((edges, [len(best)]))
    letters: list[str] = []
    columns: list[float] = []
    confidences: list[float] = []
    middles: list[int] = []
    for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
        cls = int(best[start])
        if cls == 0:
            continue
        letter = ALPHABET[cls - 1]
        if letter == " " and (not letters or letters[-1] == " "):
            continue
        low, high = max(0, start - 1), min(len(best), end + 1)
        weights = probabilities[low:high, cls].astype(np.float64)
        middle = float((weights * (np.arange(low, high) + 0.5)).sum() / weights.sum())
        letters.append(letter)
        columns.append(middle * TIME_STRIDE)
        confidences.append(float(probabilities[start:end, cls].max()))
        middles.append(min(int(middle), len(best) - 1))
    if letters and letters[-1] == " ":
        letters.pop(), columns.pop(), confidences.pop(), middles.pop()
    return Characters(
        "".join(letters),
        np.array(columns, np.float32),
        np.array(confidences, np.float32),
        steps.styles[np.array(middles, np.int64)],
    )
