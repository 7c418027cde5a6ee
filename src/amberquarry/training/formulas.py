"""Write formulas as they stand in running text: letters of their own cut, indices, raised brackets.

What is on a level of its own (fractions, limits over and under signs) is left out: that is no line.
"""

from __future__ import annotations

import random
import re
from dataclasses import dataclass
from itertools import accumulate

from amberquarry.training.texts import Corpus, number, running

_LATIN = "abcdefghijkmnpqrstuvwxyzABCDEFGHKLMNPQRSTUVXYZ"
_GREEK = "αβγδεηθλμνξπρστφχψωϕϵαβθλμσ"
_UPRIGHT_GREEK = "ΓΔΘΛΣΦΨΩ"
_FUNCTIONS = ["log", "exp", "ln", "min", "max", "sin", "cos", "Pr", "E", "Var", "P", "det", "dim"]
_RELATIONS = re.split(" ", "= = = = < > ≤ ≥ ≈ ∈ → ≠ ~ ⊂ ≡ ∝ |")
_OPERATORS = re.split(" ", "+ – + – × · / ⊕ ∧ ∪ ∩ ±")
_RAISED = re.split(" ", "2 2 3 n T k * ′ –1 –1 (t) (t+1) (k) (i) n+1 n–1 –x 1/2 + † (0) (m,n) m")
_WORDS_BELOW = ["max", "min", "new", "old", "obs", "eff", "tot", "ref"]
# Mathematical Alphanumeric Symbols of Unicode, where fonts for formulas have their slanted letters
_SMALL, _CAPITAL, _GREEK_CAPITAL, _GREEK_SMALL = 0x1D44E, 0x1D434, 0x1D6E2, 0x1D6FC
_APART = {"h": "ℎ", "ϵ": "\U0001d716", "ϑ": "\U0001d717", "ϕ": "\U0001d719"}


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a line set in one way."""

    text: str
    letters: bool = False  # in the slanted cut of formulas
    manner: str = "plain"  # or raised, lowered
    formula: bool = True


def slanted(letter: str) -> str:
    """Return the slanted letter of formulas for a plain one, others as they are."""
    if letter in _APART:
        return _APART[letter]
    for first, last, start in (
        ("a", "z", _SMALL),
        ("A", "Z", _CAPITAL),
        ("Α", "Ω", _GREEK_CAPITAL),
        ("α", "ω", _GREEK_SMALL),
    ):
        if first <= letter <= last:
            return chr(start + ord(letter) - ord(first))
    return letter


def _cut(text: str, manner: str = "plain") -> list[Piece]:
    """Return a text as pieces, its Latin and small Greek letters in the slanted cut."""
    return [
        Piece(c, c.isalpha() and c not in _UPRIGHT_GREEK and not "Ⅰ" <= c <= "ↈ", manner)
        for c in text
    ]


def _letter(chance: random.Random) -> str:
    draw = chance.random()
    return chance.choice(_LATIN if draw < 0.65 else _GREEK if draw < 0.95 else _UPRIGHT_GREEK)


def _index(chance: random.Random) -> list[Piece]:
    draw = chance.random()
    first, second = chance.choice("ijknmtxs"), chance.choice("ijklmt")
    if draw < 0.35:
        return _cut(chance.choice("0123456789"), "lowered")
    if draw < 0.65:
        return _cut(first, "lowered")
    if draw < 0.9:
        joint = chance.choice(["", "", ",", "+", "–"])
        end = chance.choice("112") if joint in ("+", "–") else second
        return _cut(first + joint + end, "lowered")
    return [Piece(chance.choice(_WORDS_BELOW), manner="lowered")]


def _term(chance: random.Random, deep: bool = True) -> list[Piece]:
    """Return a letter with its marks, a figure, or a function of letters."""
    draw = chance.random()
    if draw < 0.14:
        return [Piece(number(chance))]
    letter = _cut(_letter(chance))
    if draw < 0.36:
        return letter
    if draw < 0.6:
        return letter + _index(chance)
    if draw < 0.8:
        return letter + _cut(chance.choice(_RAISED), "raised")
    if not deep:
        return letter
    if draw < 0.9:
        name = letter if chance.random() < 0.6 else [Piece(chance.choice(_FUNCTIONS))]
        inner = _term(chance, deep=False)
        if chance.random() < 0.4:
            joint = chance.choice([", ", ",", " | ", ";", " – ", "–"])
            inner += [Piece(joint), *_term(chance, deep=False)]
        return [*name, Piece("("), *inner, Piece(")")]
    pair = chance.choice(["()", "[]", "{}", "||", "⟨⟩", "‖‖"])
    terms = _term(chance, deep=False)
    for _ in range(chance.randint(0, 2)):
        terms += [Piece(chance.choice([", ", ", ", ",", " + "])), *_term(chance, deep=False)]
    if chance.random() < 0.25:
        terms += [Piece(", . . . , "), *_term(chance, deep=False)]
    return [Piece(pair[0]), *terms, Piece(pair[1])]


def formula(chance: random.Random) -> list[Piece]:
    """Return a formula: terms with what stands between them."""
    found = _term(chance)
    for _ in range(chance.choice([0, 0, 1, 1, 2, 3])):
        relation = chance.random() < 0.5
        sign = chance.choice(_RELATIONS if relation else _OPERATORS)
        wide = " " if sign != "/" and chance.random() < (0.85 if relation else 0.6) else ""
        if sign == "–" and chance.random() < 0.3:
            found.append(Piece(chance.choice("∑∏∫√∂∇")))
        found += [Piece(wide + sign + wide), *_term(chance)]
    return found


def with_formulas(corpus: Corpus, chance: random.Random, length: int, most: int) -> list[Piece]:
    """Return a line of about `length` characters: running text with formulas in it.

    most: characters, where the line is cut.
    """
    found: list[Piece] = []
    while True:
        if chance.random() < 0.85 or not found:
            text = running(corpus, chance, chance.randint(3, 24)).strip()
            found.append(Piece(text + " ", formula=False))
        found += formula(chance)
        if sum(len(piece.text) for piece in found) >= length:
            break
        found.append(Piece(chance.choice([" ", " ", " ", ", ", ". ", "; ", ") "]), formula=False))
    if chance.random() < 0.3:
        found.append(Piece(chance.choice([".", ",", ";", f"  ({chance.randint(1, 40)})"])))
    if chance.random() < 0.1:
        found = [piece for piece in found if piece.formula]
    ends = list(accumulate(len(piece.text) for piece in found))
    return [piece for piece, end in zip(found, ends, strict=True) if end <= most]
