"""What reads the lines of a page; a reader for another script is another object of this form."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.reading.alphabet import Alphabet
from amberquarry.sheet.measuring import TextLine
from amberquarry.sheet.typography import type_size
from amberquarry.values import Line


@dataclass(frozen=True, slots=True)
class Trial:
    """How surely a few lines are read: as letters and figures of any script, and of known ones."""

    confidence: float
    known: float


class LineReader(Protocol):
    """A model with its alphabet: direction, normal form and parting into words go with that."""

    @property
    def digest(self) -> str:
        """What tells the model from others."""
        ...

    @property
    def alphabet(self) -> Alphabet:
        """The signs that it knows."""
        ...

    def read(
        self, grey: NDArray[np.uint8], ink: Ink, lines: Sequence[TextLine]
    ) -> list[Line | None]:
        """Return what stands in each line of a page, None where it is not believable as text."""
        ...

    def trial(self, grey: NDArray[np.uint8], ink: Ink, lines: Sequence[TextLine]) -> Trial:
        """Return how surely lines are read as letters and figures."""
        ...


@dataclass(frozen=True, slots=True)
class InkTexts:
    """The texts of a sheet whose lines a reader reads from ink."""

    grey: NDArray[np.uint8]  # (H, W), the prepared page
    ink: Ink
    reader: LineReader

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers, without those not believable as text."""
        results = self.reader.read(self.grey, self.ink, lines)
        found = {}
        for measured, line in zip(lines, results, strict=True):
            if line is not None:
                line.x_height = type_size(line.text, line.character_boxes) or measured.x_height
                x0, x1 = line.box.x0, line.box.x1
                line.baseline = (x0, measured.baseline_at(x0)), (x1, measured.baseline_at(x1))
                found[measured.number] = line
        return found
