"""An endless stream of training lines in further scripts."""

from __future__ import annotations

import random
import re
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

import numpy as np

from amberquarry.reading.bidi import clusters_of
from amberquarry.training.packs.faces import ScriptFace, load_faces
from amberquarry.training.packs.plans import SCRIPT_OF, SCRIPTS, Plan
from amberquarry.training.packs.shaping import FontAt, LineDrawer, Manner
from amberquarry.training.texts import amount, code, date, number
from amberquarry.training.wear import Sample, Type, Wear, scan_by_chance

STYLE_WEIGHTS = {"print": 5.0, "display": 1.0, "hand": 1.0}
LINES_PER_FACE = 10  # drawn one after the other, so that fonts are opened rarely
_JOINED = frozenset({"arabic", "devanagari", "bengali"})  # letters that can't be set apart
_UNPARTED = frozenset({"thai", "japanese", "simplified", "traditional"})  # no spaces between words
_JOINERS = str.maketrans("", "", "\u200b\u200e\u200f\u202a\u202b\u202c\u2060\ufeff\u00ad")
_MARKS = (",", ".", ";", ":", "!", "?", ")", "...")


@dataclass(frozen=True, slots=True)
class Texts:
    """Paragraphs and words of a language, and words of English that stand among them."""

    paragraphs: list[str]
    words: list[str]
    latin: list[str]


@lru_cache(maxsize=16)
def load_texts(data: Path, language: str) -> Texts:
    """Read the corpus of a language."""
    corpus = data / "packs" / "corpus"
    paragraphs, words = (
        (corpus / f"{language}.{kind}").read_text(encoding="utf-8").splitlines()
        for kind in ("txt", "words")
    )
    latin = (data / "corpus" / "en.words").read_text(encoding="utf-8").splitlines()
    return Texts(paragraphs, words, latin)


def text_of(texts: Texts, parted: bool, chance: random.Random, length: int) -> str:
    """Return a piece of text of about so many letters.

    parted: whether words stand between spaces.
    """
    draw = chance.random()
    if draw < 0.62 or not texts.words:
        text = _running(texts, parted, chance, length)
    elif draw < 0.82:
        text = _loose(texts, parted, chance, length)
    elif draw < 0.9:
        text = chance.choice([number, amount, date])(chance)
        if chance.random() < 0.5:
            text += " " + _loose(texts, parted, chance, length // 2)
    elif draw < 0.97:
        latin = " ".join(chance.choice(texts.latin) for _ in range(chance.randint(1, 3)))
        if chance.random() < 0.3:
            latin = latin.capitalize() if chance.random() < 0.5 else latin.upper()
        parts = [_loose(texts, parted, chance, length // 2), latin]
        if chance.random() < 0.5:
            parts.append(_loose(texts, parted, chance, length // 3))
        text = (" " if parted or chance.random() < 0.6 else "").join(parts)
    else:
        text = code(chance)
    return text


def _running(texts: Texts, parted: bool, chance: random.Random, length: int) -> str:
    text = chance.choice(texts.paragraphs)
    if chance.random() < 0.6 and len(text) < length:
        text += " " + chance.choice(texts.paragraphs)
    clusters = clusters_of(text)
    if len(clusters) <= length:
        return text
    start = chance.randrange(len(clusters) - length + 1) if chance.random() < 0.75 else 0
    if parted:
        while start and clusters[start - 1] != " ":
            start -= 1
    cut = "".join(clusters[start : start + length])
    if parted and start + length < len(clusters) and " " in cut:
        cut = cut[: cut.rindex(" ")]
    return cut


def _loose(texts: Texts, parted: bool, chance: random.Random, length: int) -> str:
    parts: list[str] = []
    while not parts or sum(map(len, parts)) + len(parts) < length:
        word = chance.choice(texts.words)
        draw = chance.random()
        if draw < 0.12:
            word += chance.choice(_MARKS)
        elif draw < 0.16:
            word = "(" + word + ")"
        elif draw < 0.2:
            left, right = chance.choice(('""', "“”", "«»", "''", "‘’", "[]"))
            word = left + word + right
        elif draw < 0.25:
            word = number(chance)
        elif draw < 0.28:
            word += chance.choice("-/–") + chance.choice(texts.words)
        parts.append(word)
    return (" " if parted or chance.random() < 0.2 else "").join(parts)


def error_of_size(spread: float, text: str, chance: random.Random) -> float:
    """Return by how much the size of a line's type is measured wrongly, as a factor.

    spread: standard deviation of most errors; some are as far off as four times that.
    """
    far = 4 * spread
    error = chance.gauss(0, spread) if chance.random() < 0.65 else chance.uniform(-far, far)
    return max(0.5, 1 + error)


def drawer_of(data: Path, face: ScriptFace, x_height: float) -> LineDrawer:
    """Return what draws lines in a face, its x-height about so many pixels."""
    of_body = SCRIPTS[face.script].of_body * face.body
    size = max(6, round(x_height / of_body))
    fonts = [
        (FontAt(data / "packs" / "fonts" / name, number, size), frozenset(signs))
        for name, number, signs in face.files
    ]
    return LineDrawer(fonts, of_body * size, round(face.foot * size))


class PackLines:
    """An endless, seeded stream of training lines for a reader.

    signs: those that it knows; what else stands in a text is left out.
    """

    def __init__(
        self, data: Path, plan: Plan, signs: str, split: str, seed: int, longest: int = 56
    ) -> None:
        self._data, self._plan, self._longest = data, plan, longest
        self._signs = frozenset(signs)
        self._chance = random.Random(seed)
        noise = np.random.default_rng(seed)
        class_of = {sign: number for number, sign in enumerate(signs, start=1)}
        self._families: dict[str, dict[str, list[ScriptFace]]] = {}
        self._wears: dict[str, Wear] = {}
        scripts = {SCRIPT_OF[language] for language in plan.languages}
        for face in load_faces(data / "packs" / "faces.json", scripts, split):
            families = self._families.setdefault(face.script, {})
            families.setdefault(face.family, []).append(face)
        for script in sorted(scripts):
            own = SCRIPTS[script]
            of_size = partial(error_of_size, own.off_size)
            self._wears[script] = Wear(
                self._chance, noise, class_of, own.base, own.off_base, of_size
            )

    def lines(self, strength: float) -> Iterator[Sample]:
        """Yield the lines of one face; `strength` (0 to 1) is how badly they are worn."""
        chance = self._chance
        languages = self._plan.languages
        language = chance.choices(list(languages), list(languages.values()))[0]
        script = SCRIPT_OF[language]
        families = self._families[script]
        weights = [STYLE_WEIGHTS[faces[0].style] for faces in families.values()]
        face = chance.choice(chance.choices(list(families.values()), weights)[0])
        scan, render = scan_by_chance(chance, strength)
        drawer = drawer_of(self._data, face, render)
        styles = (int(face.bold), int(face.slanted), 0, 0, int(face.style == "hand"))
        texts, parted = load_texts(self._data, language), script not in _UNPARTED
        made = tried = 0
        while made < LINES_PER_FACE and tried < 5 * LINES_PER_FACE:
            tried += 1
            text = self._text(texts, parted)
            if not text or not drawer.holds(text):
                text = "".join(c for c in text if drawer.holds(c)) if made < tried // 4 else ""
                text = " ".join(text.split())
            if not any(map(str.isalnum, text)):
                continue
            manner = self._manner(script, drawer.x_height)
            drawn = drawer.draw(text, self._plan.direction, styles, manner, chance)
            if drawn is None or drawn.text[:1] == " " or not self._signs.issuperset(drawn.text):
                continue
            made += 1
            sample = self._wears[script].worn(drawn, Type(drawer.x_height), scan)
            if sample is not None:
                yield sample

    def _text(self, texts: Texts, parted: bool) -> str:
        """Return a text in signs that the reader knows, '' where it has too many others."""
        chance = self._chance
        draw = chance.random()
        most = self._longest
        length = (
            chance.randint(1, 5)
            if draw < 0.14
            else chance.randint(5, 16)
            if draw < 0.34
            else chance.randint(14, most)
        )
        text = unicodedata.normalize("NFC", text_of(texts, parted, chance, length)).replace(
            "…", "..."
        )
        text = re.sub(r"\s+", " ", text.translate(_JOINERS)).strip()
        known = "".join(c for c in text if c in self._signs or c in "\u200c\u200d")
        if len(known) < 0.9 * len(text):
            return ""
        return "".join(clusters_of(" ".join(known.split()))[:most])

    def _manner(self, script: str, x_height: float) -> Manner:
        chance = self._chance
        tracking = 0.0
        if script not in _JOINED and chance.random() < 0.12:
            tracking = chance.uniform(-0.04, 0.3 if chance.random() < 0.3 else 0.1) * x_height
        space = chance.uniform(0.75, 1.3) if chance.random() < 0.6 else chance.uniform(0.55, 2.2)
        gap = chance.uniform(1.3, 3.5) if chance.random() < 0.1 else 1.0
        if chance.random() < 0.03:
            gap = chance.uniform(3.5, 14)  # as between the cells of a row
        return Manner(tracking, space, gap)
