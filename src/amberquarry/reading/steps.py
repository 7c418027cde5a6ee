"""What a net says along a line."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.alphabet import EUROPEAN, Alphabet


@dataclass(frozen=True)
class Steps:
    """What the net says at each step along a line, TIME_STRIDE columns wide."""

    classes: NDArray[np.float32]  # (steps, classes): probabilities, the first is the blank's
    styles: NDArray[np.float32]  # (steps, styles): of bold, slanted, raised, lowered, written
    alphabet: Alphabet = EUROPEAN

    @cached_property
    def best(self) -> NDArray[np.int64]:
        """The likeliest class of each step; asked for when `classes` change no more."""
        return np.asarray(self.classes.argmax(1))

    def part(self, first: int, last: int) -> Steps:
        """Return a copy of some steps, from the first up to the last, which is none of them."""
        own = slice(first, last)
        return Steps(self.classes[own].copy(), self.styles[own].copy(), self.alphabet)


def runs_of(best: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the first step of each run of one class; best: (steps,), of at least one step."""
    return np.concatenate(([0], np.flatnonzero(best[1:] != best[:-1]) + 1))
