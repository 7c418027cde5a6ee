"""Render the line pictures that the reader is trained on."""

from __future__ import annotations

import itertools
import random
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.characters import ALPHABET, CLASS_OF
from amberquarry.training.faces import LOWERED, RAISED, Face, FormulaDrawer, GlyphDrawer
from amberquarry.training.foreign import (
    ForeignDrawer,
    ForeignFace,
    label_of,
    pick_face,
    random_word,
)
from amberquarry.training.formulas import Piece, with_formulas
from amberquarry.training.net import STYLES
from amberquarry.training.texts import (
    SCRIPTS,
    Corpus,
    code_word,
    number,
    of_script,
    old_spelling,
    sample_text,
)
from amberquarry.training.wear import ABOVE, BELOW, Drawn, Sample, Type, Wear, scan_by_chance

GROUP_WEIGHTS = {"core": 5.0, "other": 1.0, "hand": 1.0}
# Among the hands, those that are print: broken letters
_BROKEN = frozenset(
    {"unifrakturcook", "pirataone", "grenzegotisch", "jacquard24", "manufacturingconsent"}
)
LINES_PER_FACE = 10  # drawn one after the other, so that fonts and glyphs are opened rarely
# Families in which most papers and manuals with formulas are set, then those drawn like the faces
# that every system and printer has: they are met twice as often as others.
_STANDARD, _STANDARD_WEIGHT = ("latinmodern", "cmu"), 2.0
_FORMULAS, _STANDARD_FORMULAS = 0.03, 0.12  # of the faces, that set lines with formulas in them
_ON_SYSTEMS = ("nimbus", "liberation", "free", "tinos", "arimo", "cousine", "carlito", "caladea")
_COUNTED = re.compile(r"\d{1,3} (?=[^\W\d])")
_SIGNS, _INDICES = re.compile("[∈≤≥∑=→∂√∇]"), 0.3  # of formulas; how often they have indices
_LOGO = re.compile(r"(?:LATEX|TEX)(?![^\W\d_])")
# Letters of the logo of the typesetting program TeX and of what is built on it, as The TeXbook and
# the LaTeX kernel set them: size, and how far down and to the left, in x-heights.
_LOGO_LETTERS: dict[str, list[tuple[float, float, float]]] = {
    "LATEX": [(1, 0, 0), (0.7, -0.47, 0.84), (1, 0, 0.35), (1, 0.5, 0.39), (1, 0, 0.29)],
    "TEX": [(1, 0, 0), (1, 0.5, 0.39), (1, 0, 0.29)],
}
_OF_LOGO = {
    f"{name} {n}": letter
    for name, letters in _LOGO_LETTERS.items()
    for n, letter in enumerate(letters)
}
_FIXED_PITCH = ("mono", "courier", "cursor", "code", "typewriter", "console", "inconsolata")
_BESIDE_CODE = 0.25  # of the faces beside which a face of fixed pitch sets words of programs
_AFTER_CODE = (",", ".", ";", ":", ")")
_OLD_SHARE = 0.06  # of the faces that can set hand-set print, and do


@dataclass(frozen=True, slots=True)
class Run:
    """A part of a line in one face."""

    text: str
    drawer: GlyphDrawer | ForeignDrawer
    bold: bool | None = None
    slanted: bool | None = None
    written: bool | None = None
    manner: str = ""  # of all its letters, as of `settings_of_letters`; by chance where empty
    space: float = 1.0  # of the face's own

    def styles(self, raised: int = 0, lowered: int = 0) -> tuple[int, ...]:
        """Return the labels of a letter, in the order of `STYLES`."""
        return (_mark(self.bold), _mark(self.slanted), raised, lowered, _mark(self.written))


@dataclass(frozen=True, slots=True)
class _Glyphs:
    """Letters that are drawn as one: what they are, their picture, and how they are set."""

    label: str
    mask: NDArray[np.uint8]
    left: int
    top: int
    advance: float
    styles: tuple[int, ...]


def _mark(known: bool | None) -> int:
    return -1 if known is None else int(known)


@dataclass(frozen=True, slots=True)
class _Setting:
    """How a line is set; by default plainly, as a careful printer would."""

    tracking: float = 0.0  # pixels between letters beyond their advance
    space: float = 1.0  # of the font's own space
    kerned: bool = True
    unsteady: float = 0.0  # pixels that a letter leaves the base line, standard deviation
    gap: float = 1.0  # of a space, where one in four is wider
    set_small: bool = True  # raised and lowered figures as small figures
    ligatures: bool = True
    before_marks: float = 0.0  # pixels before marks, where old print sets them off


def _setting_by_chance(drawer: GlyphDrawer, chance: random.Random) -> _Setting:
    """Return how a line for training is set: mostly near to plain, some of it far from that."""
    height = drawer.x_height_px
    tracking = 0.0
    if chance.random() < 0.12:
        tracking = chance.uniform(-0.05, 0.35 if chance.random() < 0.3 else 0.1) * height
    space = chance.uniform(0.75, 1.3) if chance.random() < 0.6 else chance.uniform(0.55, 2.2)
    kerned = chance.random() < 0.5
    unsteady = chance.uniform(0.02, 0.1) * height if chance.random() < 0.05 else 0.0
    gap = chance.uniform(1.3, 3.5) if chance.random() < 0.1 else 1.0
    if chance.random() < 0.03:
        gap = chance.uniform(3.5, 14)  # as between the cells of a row
    if drawer.fixed_pitch and chance.random() < 0.8:
        tracking, space, kerned = 0.0, 1.0, False
    set_small, ligatures = chance.random() < 0.7, chance.random() < 0.6 and tracking <= 0
    before_marks = chance.uniform(0.1, 0.7) * height if drawer.old else 0.0  # no space, but near it
    return _Setting(tracking, space, kerned, unsteady, gap, set_small, ligatures, before_marks)


def settings_of_letters(text: str, drawer: GlyphDrawer, chance: random.Random) -> list[str]:
    """Return for each character how it is set: plain, raised, lowered, small, of a logo.

    Raised and lowered letters keep their label: that they are raised is a matter of style.
    """
    found = ["plain"] * len(text)
    logos = [] if drawer.fixed_pitch else list(_LOGO.finditer(text))
    if logos and chance.random() < 0.9:
        for match in logos:
            found[match.start() : match.end()] = [f"{match[0]} {n}" for n in range(len(match[0]))]
        return found
    draw = chance.random()
    counted = _COUNTED.match(text)
    if counted and chance.random() < 0.6:  # the figures that count lines are often small
        found[: counted.end()] = ["small figure"] * counted.end()
        return found
    if draw < (_INDICES if _SIGNS.search(text) else 0.04):  # marks of notes, endings, indices
        words = [m for m in re.finditer(r"\w+", text) if m.end() - m.start() >= 2]
        for match in chance.sample(words, min(len(words), chance.randint(1, 3))):
            most = min(3, match.end() - match.start() - 1)
            manner = "raised" if chance.random() < 0.7 else "lowered"
            for at in range(match.end() - chance.randint(1, most), match.end()):
                found[at] = manner
    elif draw < 0.065:  # names set as logos: some capitals stand higher, lower or smaller
        words = [m for m in re.finditer(r"[^\W\d_]{3,9}", text) if m[0].upper() == m[0]]
        for match in words[: chance.randint(1, 3)]:
            for at in range(match.start() + 1, match.end()):
                found[at] = chance.choice(["high capital", "low capital", "plain", "plain"])
    elif draw < 0.085:  # next to a capital, else nothing tells small ones from large ones
        for match in re.finditer(r"[^\W\d_]+", text):
            if match[0][:1].isupper() and not match[0][1:].isupper():
                for at in range(match.start() + 1, match.end()):
                    upper = text[at].upper()
                    if text[at].islower() and len(upper) == 1 and drawer.holds(upper):
                        found[at] = "small capital"
    return found


def _glyphs_of(run: Run, setting: _Setting, chance: random.Random | None) -> list[_Glyphs]:
    """Return a run letter by letter, or word by word where the font shapes whole words."""
    if isinstance(run.drawer, ForeignDrawer):
        return [
            _Glyphs(label_of(word), *run.drawer.word(word), run.styles())
            for word in run.text.split(" ")
        ]
    drawer, found = run.drawer, []
    manners, figures, capitals = [run.manner or "plain"] * len(run.text), (0.6, 0.8), 0.75
    if chance:
        if not run.manner:
            manners = settings_of_letters(run.text, drawer, chance)
        figures = (chance.uniform(0.5, 0.75), chance.uniform(0.6, 1.0))
        capitals = chance.uniform(0.68, 0.84)
    plain = all(manner == "plain" for manner in manners)
    at = 0
    for cluster in drawer.clusters(run.text, setting.ligatures and plain):
        manner = manners[at]
        at += len(cluster)
        made, styles = drawer.glyph(cluster), run.styles()
        if cluster == " ":
            made = (*made[:3], made[3] * run.space)
        if cluster in RAISED:
            styles = run.styles(raised=1)
        elif cluster in LOWERED:
            styles = run.styles(lowered=1)
        if manner == "small capital":
            made = drawer.scaled(cluster.upper(), capitals, 0.0)
        elif chance and manner in _OF_LOGO:
            size, down, near = (value * chance.uniform(0.9, 1.1) for value in _OF_LOGO[manner])
            made = _nearer(drawer, drawer.scaled(cluster, size, down), near)
        elif chance and manner in ("high capital", "low capital"):
            made = _logo_letter(drawer, cluster, manner, chance)
        elif manner == "small figure":
            made = drawer.scaled(cluster, figures[0], 0.0)
        elif manner == "raised" and cluster != " ":
            made, styles = drawer.scaled(cluster, figures[0], -figures[1]), run.styles(raised=1)
        elif manner == "lowered" and cluster != " ":
            made, styles = drawer.scaled(cluster, figures[0], 0.25), run.styles(lowered=1)
        elif setting.set_small:
            # print sets most raised and lowered figures as small figures
            if drawer.holds(RAISED.get(cluster, "")) and cluster in RAISED:
                made = drawer.scaled(RAISED[cluster], figures[0], -figures[1])
            elif drawer.holds(LOWERED.get(cluster, "")) and cluster in LOWERED:
                made = drawer.scaled(LOWERED[cluster], figures[0], 0.25)
        found.append(_Glyphs(cluster, *made, styles))
    return found


def _logo_letter(
    drawer: GlyphDrawer, letter: str, manner: str, chance: random.Random
) -> tuple[NDArray[np.uint8], int, int, float]:
    """Return a capital off the line and drawn near to its neighbours, as logos of names are set."""
    size = 1.0 if chance.random() < 0.4 else chance.uniform(0.66, 0.9)
    high = manner == "high capital"
    down = -chance.uniform(0.2, 0.65) if high else chance.uniform(0.15, 0.55)
    near = chance.uniform(0.0, 0.35)
    mask, left, top, advance = _nearer(drawer, drawer.scaled(letter, size, down), near)
    return mask, left, top, advance - near * chance.uniform(0.0, 1.0) * drawer.x_height_px


def _nearer(
    drawer: GlyphDrawer, made: tuple[NDArray[np.uint8], int, int, float], near: float
) -> tuple[NDArray[np.uint8], int, int, float]:
    """Return a glyph moved to the left by so many x-heights, and what follows with it."""
    mask, left, top, advance = made
    near *= drawer.x_height_px
    return mask, round(left - near), top, advance - near


def draw_line(
    drawer: GlyphDrawer, runs: list[Run], chance: random.Random | None = None
) -> Drawn | None:
    """Return a line drawn glyph by glyph, or None where nothing would show.

    drawer: the line's main face, which gives the spaces between runs and the measures.
    chance: decides how the line is set; without it, it is set plainly.
    """
    height = drawer.x_height_px
    setting = _setting_by_chance(drawer, chance) if chance else _Setting()
    between = _Glyphs(" ", *drawer.glyph(" "), (-1,) * len(STYLES))
    at, previous = 0.0, " "
    placed: list[tuple[NDArray[np.uint8], int, int]] = []
    centres: list[float] = []
    kept: list[str] = []
    styles: list[tuple[int, ...]] = []
    glyphs: list[tuple[Run, _Glyphs]] = []
    for run in runs:
        for place, glyph in enumerate(_glyphs_of(run, setting, chance)):
            if isinstance(run.drawer, ForeignDrawer) and place:
                glyphs.append((runs[0], between))
            glyphs.append((run, glyph))
    for run, glyph in glyphs:
        if glyph.label == " ":
            wide = max(glyph.advance, 0.3 * height) * setting.space
            if chance:
                wide *= chance.uniform(0.93, 1.07)
                if setting.gap > 1 and chance.random() < 0.25:
                    wide *= setting.gap
            centres.append(at + wide / 2)
            kept.append(" ")
            styles.append(between.styles)
            at += wide
            previous = " "
            continue
        if setting.kerned and isinstance(run.drawer, GlyphDrawer) and run.drawer.holds(previous):
            at += run.drawer.kerning(previous, glyph.label)
        if setting.before_marks and (glyph.label in ",;:?!)" or previous == "("):
            at += min(setting.before_marks, 0.45 * between.advance * setting.space)
        shift = round(chance.gauss(0, setting.unsteady)) if chance and setting.unsteady else 0
        placed.append((glyph.mask, round(at) + glyph.left, glyph.top + shift))
        if glyph.mask.size:  # the ink's own middle, not the advance's
            first, width = round(at) + glyph.left, glyph.mask.shape[1]
            for letter in range(len(glyph.label)):
                centres.append(first + width * (letter + 0.5) / len(glyph.label))
            kept.extend(glyph.label)
            styles.extend([glyph.styles] * len(glyph.label))
        at += glyph.advance + setting.tracking
        previous = glyph.label if isinstance(run.drawer, GlyphDrawer) else " "
    boxes = [(x, x + m.shape[1]) for m, x, _ in placed if m.size]
    if not boxes:
        return None
    left = min(x for x, _ in boxes)
    right = max(x for _, x in boxes)
    if right - left > 8000:
        return None
    rows = round((ABOVE + BELOW) * height)
    base = round(ABOVE * height)
    ink = np.zeros((rows, right - left), np.uint8)
    for mask, x, y in placed:
        y0, y1 = max(0, base + y), min(rows, base + y + mask.shape[0])
        if y1 <= y0 or not mask.size:
            continue
        part = mask[y0 - base - y : y1 - base - y]
        target = ink[y0:y1, x - left : x - left + mask.shape[1]]
        np.maximum(target, part, out=target)
    text = "".join(kept)
    return Drawn((ink / 255.0).astype(np.float32), text, [c - left for c in centres], styles)


class LineSource:
    """An endless, seeded stream of training lines."""

    def __init__(
        self,
        data: Path,
        corpus: Corpus,
        faces: list[Face],
        foreign: dict[str, list[ForeignFace]],
        seed: int,
        longest: int = 64,
        write: Callable[[Corpus, random.Random, int, float], str] = sample_text,
    ) -> None:
        self._fonts = data / "fonts"
        self._corpus = corpus
        self._foreign = foreign
        self._chance = random.Random(seed)
        self._noise = np.random.default_rng(seed)
        self._longest = longest
        self._write = write
        families: dict[str, list[Face]] = {}
        for face in faces:
            families.setdefault(face.family, []).append(face)
        self._families = [families[name] for name in sorted(families)]
        self._weights = [
            GROUP_WEIGHTS[faces[0].group]
            * (1.5 if len(faces) > 3 else 1.0)
            * (_STANDARD_WEIGHT if faces[0].family.startswith(_STANDARD + _ON_SYSTEMS) else 1.0)
            for faces in self._families
        ]
        signs = [c for c in ALPHABET if not c.isalnum()]
        held = [sum(c in "".join(face.characters) for c in signs) for face in faces]
        self._lenders = [
            face for face, count in zip(faces, held, strict=True) if count >= 0.9 * max(held)
        ]
        self._mathematical = [
            face for face in faces if "math" in face.family and face.group != "hand"
        ]
        self._for_code = [
            face
            for face in faces
            if face.group != "hand"
            and any(part in face.family for part in _FIXED_PITCH)
            and not face.family.endswith("caps")
        ]
        self._wear = Wear(self._chance, self._noise, CLASS_OF)
        self._in_script = (
            []
            if write is not sample_text
            else [(script, part) for script in SCRIPTS if (part := of_script(corpus, script)).words]
        )

    def _corpus_for(self, drawer: GlyphDrawer) -> Corpus:
        """Return what a face's lines are taken from: all, or what is in a script that it holds.

        Most faces hold Latin letters alone, so that other scripts are met more in those that do.
        """
        draw = self._chance.random()
        for script, part in self._in_script:
            if not drawer.holds(script.marks):
                continue
            if draw < script.share:
                return part
            draw -= script.share
        return self._corpus

    def lines(self, strength: float) -> Iterator[Sample]:
        """Yield the lines of one face; `strength` (0 to 1) is how badly they are worn."""
        chance = self._chance
        family = chance.choices(self._families, self._weights)[0]
        face = chance.choice(family)
        scan, render = scan_by_chance(chance, strength)
        drawer = GlyphDrawer(face, self._fonts, render)
        old = chance.random() < _OLD_SHARE and drawer.holds("ſæœ") and not drawer.fixed_pitch
        if old:
            drawer = GlyphDrawer(face, self._fonts, render, old)
        companion = chance.choice(family)
        if chance.random() < 0.5 or _style(companion) == _style(face):
            companion = face
        second = (
            drawer
            if companion is face
            else GlyphDrawer(companion, self._fonts, drawer.size_px * companion.x_height, old)
        )
        print_ = Type(drawer.x_height_px, drawer.fixed_pitch, drawer.old)
        lender = self._lender(drawer)
        corpus = self._corpus_for(drawer)
        listings = 0.4 if drawer.fixed_pitch else 0.02
        cuts = self._cuts_of_formulas(drawer, Run("", second, *_style(companion)))
        code = self._code_beside(drawer)
        made, tried = 0, 0
        while made < LINES_PER_FACE and tried < 5 * LINES_PER_FACE:
            tried += 1
            if cuts and chance.random() < 0.6:
                pieces = with_formulas(corpus, chance, self._length(), self._longest)
                words = "".join(piece.text for piece in pieces if not piece.formula)
                if not drawer.holds(words):
                    continue
                runs = _runs_with_formulas(pieces, Run("", drawer, *_style(face)), cuts, chance)
            else:
                text = self._write(corpus, chance, self._length(), listings)
                text = text[: self._longest].strip()
                if old:
                    text = old_spelling(text, chance)
                missing = {c for c in text if not drawer.holds(c)}
                borrowed = bool(missing) and not any(map(str.isalnum, missing))
                if missing and not (borrowed and lender.holds("".join(missing))):
                    kept = "".join(c for c in text if drawer.holds(c))
                    text, borrowed = " ".join(kept.split()) if chance.random() < 0.3 else "", False
                if not text:
                    continue
                runs = [Run(text, drawer, *_style(face))]
                if borrowed:
                    runs = _with_borrowed(runs[0], lender)
                elif code and " " in text and chance.random() < 0.5:
                    runs = self._with_code(runs[0], code)
                elif companion is not face:
                    runs = self._with_companion(runs[0], Run("", second, *_style(companion)))
                if self._foreign and chance.random() < 0.04:
                    runs = self._with_foreign(runs, drawer)
            drawn = draw_line(drawer, runs, chance)
            if drawn is None or not drawn.text.strip() or drawn.text[0] == " ":
                continue
            made += 1
            sample = self._wear.worn(drawn, print_, scan)
            if sample is not None:
                yield sample

    def _cuts_of_formulas(self, drawer: GlyphDrawer, second: Run) -> list[Run]:
        """Return in what formulas are set beside a text, by preference; empty where it has none.

        second: of the text's family, taken for the letters where it is slanted.
        """
        chance = self._chance
        if not self._mathematical or drawer.fixed_pitch or drawer.old:
            return []
        standard = drawer.family.startswith(_STANDARD)
        if chance.random() > (_STANDARD_FORMULAS if standard else _FORMULAS):
            return []
        faces = self._mathematical
        if standard and chance.random() < 0.9:
            faces = [face for face in faces if face.family.startswith(_STANDARD)] or faces
        face = chance.choice(faces)
        cuts = [
            Run("", FormulaDrawer(face, self._fonts, drawer.x_height_px), False, True),
            Run("", GlyphDrawer(face, self._fonts, drawer.x_height_px), False, False),
        ]
        if second.slanted and chance.random() < (0.15 if standard else 0.5):
            cuts.insert(0, second)
        return cuts

    def _lender(self, drawer: GlyphDrawer) -> GlyphDrawer:
        """Return a face with many signs, for those that `drawer` has not."""
        face = self._chance.choice(self._lenders)
        size = drawer.size_px * self._chance.uniform(0.9, 1.15)
        return GlyphDrawer(face, self._fonts, size * face.x_height)

    def _length(self) -> int:
        draw = self._chance.random()
        if draw < 0.14:
            return self._chance.randint(1, 5)
        if draw < 0.34:
            return self._chance.randint(5, 16)
        return self._chance.randint(14, self._longest)

    def _with_companion(self, run: Run, other: Run) -> list[Run]:
        """Return a run cut in three, a few words in the middle set in the other's face."""
        words = run.text.split(" ")
        first = self._chance.choice([0, self._chance.randrange(len(words))])
        last = min(len(words), first + self._chance.choice([1, 1, 2, 3, 5]))
        middle = " ".join(words[first:last])
        assert isinstance(other.drawer, GlyphDrawer)
        if not other.drawer.holds(middle):
            return [run]
        before = "".join(word + " " for word in words[:first])
        after = "".join(" " + word for word in words[last:])
        return [
            part
            for part in (
                replace(run, text=before),
                replace(other, text=middle),
                replace(run, text=after),
            )
            if part.text
        ]

    def _code_beside(self, drawer: GlyphDrawer) -> Run | None:
        """Return in what words of programs are set in running text: fixed pitch, often smaller.

        Its capitals may be as low as small letters of the text, and are capitals all the same.
        """
        chance = self._chance
        if not self._for_code or drawer.fixed_pitch or drawer.old or chance.random() > _BESIDE_CODE:
            return None
        face = chance.choice(self._for_code)
        if any(_style(face)):  # bold and slanted ones are rare
            face = chance.choice(self._for_code)
        size = drawer.size_px * chance.uniform(0.72, 1.02)
        other = GlyphDrawer(face, self._fonts, size * face.x_height)
        return Run("", other, *_style(face), manner="plain") if other.fixed_pitch else None

    def _with_code(self, run: Run, code: Run) -> list[Run]:
        """Return a run with one or two of its words replaced by words of programs."""
        words = run.text.split(" ")
        at = self._chance.randrange(len(words))
        parts = [
            code_word(self._corpus, self._chance) for _ in range(self._chance.choice([1, 1, 1, 2]))
        ]
        text = " ".join(parts)
        assert isinstance(code.drawer, GlyphDrawer)
        if not code.drawer.holds(text.replace(" ", "")):
            return [run]
        mark = words[at][-1] if words[at][-1:] in _AFTER_CODE else ""
        before, after = " ".join([*words[:at], ""]), " ".join(["", *words[at + 1 :]])
        runs = replace(run, text=before), replace(code, text=text), replace(run, text=mark + after)
        return [part for part in runs if part.text]

    def _with_foreign(self, runs: list[Run], drawer: GlyphDrawer) -> list[Run]:
        """Return a line of another script, or the line with a few words of it at its end."""
        chance = self._chance
        face = pick_face(self._foreign, chance)
        size = round(drawer.size_px * chance.uniform(0.85, 1.25))
        length, words = self._length(), [random_word(face, chance)]
        whole = chance.random() < 0.7
        if whole:
            while sum(map(len, words)) < 0.7 * length:
                words.append(random_word(face, chance))
        foreign = Run(" ".join(words), ForeignDrawer(face, self._fonts, size))
        if not whole:
            return [*runs[:-1], replace(runs[-1], text=runs[-1].text + " "), foreign]
        if chance.random() < 0.25:
            tail = replace(runs[0], text=" " + number(chance))
            assert isinstance(tail.drawer, GlyphDrawer)
            return [foreign, tail] if tail.drawer.holds(tail.text) else [foreign]
        return [foreign]


def _runs_with_formulas(
    pieces: list[Piece], text: Run, cuts: list[Run], chance: random.Random
) -> list[Run]:
    """Return the parts of a line with formulas, each character in a face that has it.

    text: the face of what is no slanted letter. cuts: the other faces, those of letters first.
    """
    space = chance.uniform(0.5, 1.0)  # formulas are set with narrower spaces than words
    found = []
    for piece in pieces:
        if not piece.formula:
            found.append(replace(text, text=piece.text))
            continue
        order = [*cuts, text] if piece.letters else [text, *reversed(cuts)]
        for letter in piece.text:
            fitting = (
                run
                for run in order
                if isinstance(run.drawer, GlyphDrawer) and run.drawer.holds(letter)
            )
            run = next(fitting, None)
            if run is not None:
                found.append(replace(run, text=letter, manner=piece.manner, space=space))
    return found


def _with_borrowed(run: Run, lender: GlyphDrawer) -> list[Run]:
    """Return a run cut where its face lacks a sign, which is drawn from another face."""
    assert isinstance(run.drawer, GlyphDrawer)
    found = []
    for held, letters in itertools.groupby(run.text, run.drawer.holds):
        text = "".join(letters)
        found.append(replace(run, text=text) if held else Run(text, lender))
    return found


def _style(face: Face) -> tuple[bool | None, bool | None, bool | None]:
    """Return whether a face is bold, slanted and like a hand; hands slant as they like."""
    if face.group != "hand":
        return face.bold, face.slanted, False
    return None, None, None if face.family in _BROKEN else True
