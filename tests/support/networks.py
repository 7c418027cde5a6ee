"""Stand-ins for the line reader's net."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.alphabet import EUROPEAN
from amberquarry.reading.characters import ALPHABET, CLASS_OF
from amberquarry.reading.steps import Steps


class SayingNetwork:
    """Reads the same text on every line, spread evenly over its steps."""

    digest = "stand-in"
    alphabet = EUROPEAN

    def __init__(
        self, text: str, sureness: float = 0.9, style: tuple[float, ...] = (0, 0, 0, 0)
    ) -> None:
        self.text, self.sureness, self.style = text, sureness, style

    def steps(self, ink: NDArray[np.float32]) -> Steps:
        """Return W / 4 steps with a peak for each character, all in one style."""
        steps = max(2 * len(self.text) + 1, ink.shape[1] // 4)
        rest = (1 - self.sureness) / len(ALPHABET)
        result = np.full((steps, len(ALPHABET) + 1), rest, np.float32)
        result[:, 0] = self.sureness
        for number, letter in enumerate(self.text):
            step = round((number + 0.5) * steps / max(1, len(self.text)))
            result[step] = rest
            result[step, CLASS_OF[letter]] = self.sureness
        return Steps(result, np.tile(np.float32(self.style), (steps, 1)))
