"""Running text, titles and code to set documents from."""

from __future__ import annotations

import inspect
import json.decoder
import random
import re
import shutil
import tarfile
import textwrap
from pathlib import Path

_VOWELS = "aeiouyáàâäãåæéèêëíìîïóòôöõøœúùûüýаеёиоуыэюяіїєαεηιουωάέήίόύώ"
_CAPTIONS = {
    "en": ("Figure", "Fig.", "Table"), "de": ("Abbildung", "Abb.", "Tabelle"),
    "fr": ("Figure", "Fig.", "Tableau"), "it": ("Figura", "Fig.", "Tabella"),
    "es": ("Figura", "Fig.", "Tabla"), "pt": ("Figura", "Fig.", "Tabela"),
    "pl": ("Rysunek", "Rys.", "Tabela"), "nl": ("Figuur", "Afb.", "Tabel"),
    "ru": ("Рисунок", "Рис.", "Таблица"), "cs": ("Obrázek", "Obr.", "Tabulka"),
}  # fmt: skip
LANGUAGES = tuple(_CAPTIONS)
_PROGRAMS = (json.decoder, shutil, tarfile, textwrap, random, inspect)


def hyphenate(word: str) -> str:
    """Return a word with soft hyphens where it may be divided: between consonants after a vowel."""
    if len(word) < 7 or not word.isalpha():
        return word
    out = word[:2]
    for at in range(2, len(word) - 2):
        before, after, beyond = word[at - 1].lower(), word[at].lower(), word[at + 1].lower()
        open_syllable = before in _VOWELS and after not in _VOWELS and beyond in _VOWELS
        closed = before not in _VOWELS and after not in _VOWELS and beyond in _VOWELS
        if (open_syllable or closed) and "\u00ad" not in out[-2:]:
            out += "\u00ad"
        out += word[at]
    return out + word[-2:]


class Words:
    """Texts of one language, drawn in the order of a seed."""

    def __init__(self, corpus: Path, language: str, chance: random.Random) -> None:
        self.language, self.chance = language, chance
        text = (corpus / f"{language}.txt").read_text(encoding="utf-8")
        lines = [line for line in text.splitlines() if line.count(" ") > 5]
        chance.shuffle(lines)
        prose = [line for line in lines if line[:1].isupper() and line[-1] in ".!?"]
        self._prose = iter(prose)
        self._words = [
            word
            for line in lines[:400]
            for word in line.split()
            if word.isalpha() and len(word) > 3
        ]

    def paragraph(self, least: int, most: int) -> str:
        """Return prose of about so many words."""
        wanted = self.chance.randint(least, most)
        words: list[str] = []
        while len(words) < least:
            words += next(self._prose).split()
        # cut at the end of a sentence if there is one
        ends = [n for n, w in enumerate(words[: wanted + 15], 1) if n >= least and w[-1] in ".!?"]
        words = words[: ends[-1] if ends else wanted]
        return " ".join(words).rstrip(",;:") + ("" if words[-1][-1] in ".!?:" else ".")

    def some(self, least: int, most: int) -> list[str]:
        """Return single words."""
        return self.chance.choices(self._words, k=self.chance.randint(least, most))

    def title(self, least: int = 2, most: int = 6) -> str:
        """Return words as a title."""
        words = self.some(least, most)
        text = " ".join(w if n and self.chance.random() < 0.5 else w.capitalize()
                        for n, w in enumerate(words))  # fmt: skip
        return text[0].upper() + text[1:]

    def caption(self, table: bool, number: int) -> str:
        """Return a caption with its label."""
        long, short, of_table = _CAPTIONS[self.language]
        label = of_table if table else self.chance.choice((long, short))
        stop = self.chance.choice((".", ":", ".", " –"))
        return f"{label} {number}{stop} {self.paragraph(5, 18)}"

    def name(self) -> str:
        """Return something like a person's name."""
        return " ".join(word.capitalize()[:9] for word in self.some(2, 2))

    def code(self, least: int, most: int, longest: int = 78) -> str:
        """Return consecutive lines of a program, or a session at a prompt.

        longest: letters of a line.
        """
        if self.chance.random() < 0.3:
            return "\n".join(
                f"$ {word.lower()} --{other.lower()} {third.lower()}.txt"[:longest]
                for word, other, third in (self.some(3, 3) for _ in range(least))
            )
        lines = inspect.getsource(self.chance.choice(_PROGRAMS)).splitlines()
        count = self.chance.randint(least, most)
        while True:
            start = self.chance.randrange(len(lines) - count)
            part = lines[start : start + count]
            if sum(bool(line.strip()) for line in part) >= 0.7 * count and part[0].strip():
                break
        text = textwrap.dedent("\n".join(part))
        text = "\n".join(line[:longest].rstrip() for line in text.split("\n"))
        return re.sub(r"[^\x20-\x7e\n]", "?", text).rstrip()
