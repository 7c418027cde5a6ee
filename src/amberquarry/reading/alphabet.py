"""The signs that a model knows, which way they run, and how they make words."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.characters import ALPHABET
from amberquarry.values import UNKNOWN, Direction

_FORMS = tuple(zip("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹", "₀₁₂₃₄₅₆₇₈₉", strict=True))
_NOUGHTS = "OОΟ"  # Latin, Cyrillic, Greek: a capital off the line is a nought


@dataclass(frozen=True)
class Alphabet:
    """What belongs to a script rather than to the reading of it.

    Class 0 of a model is the blank between signs; class i (i >= 1) is `signs[i - 1]`.
    """

    signs: str
    direction: Direction = Direction.LEFT_TO_RIGHT
    word: str = r"\S+"  # a pattern: what stands between spaces

    @property
    def classes(self) -> int:
        """How many classes a model has, the blank's included."""
        return len(self.signs) + 1

    @cached_property
    def class_of(self) -> dict[str, int]:
        """The class of each sign."""
        return {sign: number for number, sign in enumerate(self.signs, start=1)}

    @cached_property
    def space(self) -> int:
        """The class of the space between words."""
        return self.class_of[" "]

    @cached_property
    def unknown(self) -> int:
        """The class of the sign for letters of other scripts."""
        return self.class_of[UNKNOWN]

    @cached_property
    def open(self) -> NDArray[np.bool_]:
        """Which classes are letters, the space or the blank: what a prior may decide on."""
        letters = [sign.isalpha() and sign != UNKNOWN for sign in self.signs]
        found = np.array([True, *letters])
        found[self.space] = True
        return found

    @cached_property
    def figures(self) -> NDArray[np.int64]:
        """The classes (10, forms) of each figure: plain, raised, lowered."""
        return np.array([[self.class_of[sign] for sign in forms] for forms in _FORMS])

    @cached_property
    def noughts(self) -> NDArray[np.int64]:
        """The classes of capitals that look like a nought."""
        return np.array([self.class_of[sign] for sign in _NOUGHTS if sign in self.class_of])

    def text_of(self, classes: NDArray[np.int64]) -> str:
        """Return the signs of some classes, none of which is the blank."""
        return "".join(self.signs[number - 1] for number in classes.tolist())

    def spells(self, text: str) -> bool:
        """Return whether all signs of a text are known."""
        return self.class_of.keys() >= set(text)

    def words_in(self, text: str) -> list[tuple[int, int]]:
        """Return the spans of the words of a text, in code points."""
        return [match.span() for match in re.finditer(self.word, text)]

    def normal(self, text: str) -> str:
        """Return a text in the form in which it is kept: NFC, in logical order."""
        return unicodedata.normalize("NFC", text)


EUROPEAN = Alphabet(ALPHABET)
"""Latin, Greek and Cyrillic letters, with the figures and signs that stand among them."""
