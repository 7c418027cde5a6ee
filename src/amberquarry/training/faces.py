"""Find out what each font file can draw, and draw single glyphs from it.

`python -m amberquarry.training.faces --data DATA --lists training` writes `DATA/faces.json`.
A face is one family in one weight and style. Web fonts come cut into files by script; the pieces
of a face stand together and each character is drawn from the first piece that holds it.
"""

from __future__ import annotations

import json
import re
from collections import OrderedDict
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import ImageFont

from amberquarry.reading.characters import ALPHABET
from amberquarry.training.fetch import read_table
from amberquarry.training.formulas import slanted

_PROBE_SIZE = 64
_LIGATURES = ("ffi", "ffl", "fi", "fl", "ff")
_OLD_LIGATURES = ("ſſi", "ſſ", "ſi", "ſl", "ſt", "ct", "st", *_LIGATURES)
_OLD_FEATURES = ["onum", "dlig", "hlig"]  # figures with heads and tails, joined ct and st
# Print sets most raised and lowered figures as small figures, not as glyphs of their own.
RAISED = dict(zip("⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻ⁿ", "0123456789+–n", strict=True))
LOWERED = dict(zip("₀₁₂₃₄₅₆₇₈₉", "0123456789", strict=True))
# Subsets of web fonts that hold characters of ours.
_SUBSET = re.compile(
    r"^(?P<family>.+?)-(?P<subset>latin-ext|latin|cyrillic-ext|cyrillic|greek-ext|greek|math|symbols2?)"
    r"-(?P<weight>\d+)-(?P<style>normal|italic)$"
)


@dataclass(frozen=True, slots=True)
class Face:
    """One family in one weight and style: its files and the characters in each."""

    family: str
    group: str  # core, other or hand: how often it is met in print
    split: str  # train, test or demo
    files: tuple[str, ...]
    characters: tuple[str, ...]  # for each file
    x_height: float  # of the size
    bold: bool | None  # None where name and strokes disagree
    slanted: bool


@dataclass(frozen=True, slots=True)
class FontFile:
    """What one font file holds."""

    family: str
    characters: str  # those that draw ink
    x_height: float  # of the size; 0 without lower case, -1 where it is small capitals
    weight: int  # 100 to 900
    slanted: bool
    stroke: float  # thickness of the letters' strokes in x-heights, 0 where unknown


def glyph_outline_box(font: ImageFont.FreeTypeFont, text: str) -> tuple[int, int, int, int]:
    """Return the ink box of `text` relative to the baseline origin; all zero when empty."""
    left, top, right, bottom = font.getbbox(text, anchor="ls")
    return int(left), int(top), int(right), int(bottom)


def read_font(path: Path) -> FontFile:
    """Return what a font file holds.

    Faces that draw lower case as small capitals have the x-height -1: they would be labelled
    wrongly.
    """
    font = ImageFont.truetype(str(path), _PROBE_SIZE, layout_engine=ImageFont.Layout.BASIC)
    from fontTools.ttLib import TTFont

    with TTFont(path, lazy=True, fontNumber=0) as table:
        cmap = table.getBestCmap() or {}
        names = table["name"]
        family = names.getDebugName(16) or names.getDebugName(1) or path.stem
        subfamily = (names.getDebugName(17) or names.getDebugName(2) or "").lower()
        weight = int(table["OS/2"].usWeightClass) if "OS/2" in table else 400
        slanted = bool(
            ("OS/2" in table and table["OS/2"].fsSelection & 0x201)
            or ("post" in table and table["post"].italicAngle)
            or re.search("italic|oblique|slanted", subfamily)
        )
    known = []
    for character in ALPHABET:
        if ord(character) not in cmap:
            continue
        mask = font.getmask(character, mode="L")
        if character == " " or (mask.size[0] and mask.getbbox()):
            known.append(character)
    held = set(known)
    height = 0.0
    if {"x", "X"} <= held:
        _, top, _, bottom = glyph_outline_box(font, "x")
        capital = glyph_outline_box(font, "X")
        height = (bottom - top) / _PROBE_SIZE
        if (
            (bottom - top) > 0.93 * (capital[3] - capital[1])
            or not 0.2 < height < 0.8
            or font.getmask("a").size == font.getmask("A").size
        ):
            height = -1.0
    elif {"х", "о"} & held:
        _, top, _, bottom = glyph_outline_box(font, "х" if "х" in held else "о")
        height = (bottom - top) / _PROBE_SIZE
    stroke = 0.0
    if height > 0:
        letters = [c for c in "nlouпо" if c in held]
        stroke = stroke_thickness(font, letters) / (height * _PROBE_SIZE)
    return FontFile(family, "".join(known), height, weight, slanted, stroke)


def stroke_thickness(font: ImageFont.FreeTypeFont, letters: list[str]) -> float:
    """Return the thickness of strokes in pixels: twice the area for each pixel of outline."""
    found = []
    for letter in letters:
        mask = font.getmask(letter, mode="L")
        array = np.asarray(mask, dtype=np.uint8).reshape(mask.size[1], mask.size[0])
        ink = np.pad((array > 127).astype(np.uint8), 2)
        outlines, _ = cv2.findContours(ink, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        around = sum(cv2.arcLength(outline, True) for outline in outlines)
        if around:
            found.append(2 * float(ink.sum()) / around)
    return float(np.median(found)) if found else 0.0


def is_bold(weight: int, stroke: float) -> bool | None:
    """Return whether a face is bold by name and by its strokes, None where the two disagree."""
    if weight >= 600 and stroke > 0.185:
        return True
    if weight < 600 and 0 < stroke < 0.185:
        return False
    return None


def tell_bold(faces: list[Face], weights: list[int], strokes: list[float]) -> list[Face]:
    """Return faces with their boldness, told by name, by strokes and by their family.

    weights, strokes: of each face, as in `FontFile`. Light families have bold faces no thicker
    than the plain ones of others: bold is also what is a fifth thicker than all plain faces of its
    family with the same slant.
    """
    told = [is_bold(weight, stroke) for weight, stroke in zip(weights, strokes, strict=True)]
    plain: dict[tuple[str, bool], float] = {}
    for face, bold, stroke in zip(faces, told, strokes, strict=True):
        if bold is False:
            key = face.family, face.slanted
            plain[key] = max(stroke, plain.get(key, 0.0))
    found = []
    for face, bold, weight, stroke in zip(faces, told, weights, strokes, strict=True):
        beside = plain.get((face.family, face.slanted))
        if bold is None and weight >= 600 and beside is not None and stroke > 1.2 * beside:
            bold = True
        found.append(replace(face, bold=bold))
    return found


def plain_name(family: str) -> str:
    """Return a family name without case, blanks and foundry words, to compare families by."""
    return re.sub(r"[^a-z0-9]|\b(regular|variable|vf)\b", "", family.lower())


def index_faces(fonts: Path, rows: list[dict[str, str]]) -> list[Face]:
    """Return the faces of all fetched packages; families in a kept-apart split stay there."""
    apart: dict[str, str] = {}
    found: list[Face] = []
    weights: list[int] = []
    strokes: list[float] = []
    for row in sorted(rows, key=lambda row: row["split"] == "train"):  # kept-apart ones first
        folder = fonts / row["package"]
        pieces: OrderedDict[str, list[tuple[str, FontFile]]] = OrderedDict()
        named: dict[str, int] = {}  # web fonts say in the name what their tables may not
        for path in sorted(folder.glob("*")):
            parts = _SUBSET.match(path.stem)
            if row["registry"] == "npm" and (parts is None or path.suffix != ".woff2"):
                continue
            key = f"{parts['family']}-{parts['weight']}-{parts['style']}" if parts else path.stem
            if parts and parts["weight"] not in ("300", "400", "500", "700", "900"):
                continue
            try:
                font = read_font(path)
            except Exception as error:  # fonts come from many hands; one bad file is left out
                click.echo(f"left out {path.name}: {error}", err=True)
                continue
            known = len(font.characters)
            if font.x_height < 0 or (known < 40 and not parts) or known < 2:
                continue
            pieces.setdefault(key, []).append((f"{row['package']}/{path.name}", font))
            named[key] = int(parts["weight"]) if parts else font.weight
        for key, files in pieces.items():
            heights = [font.x_height for _, font in files if font.x_height > 0]
            everything = set("".join(font.characters for _, font in files))
            if not heights or not (
                {"a", "e", "n"} <= everything
                or {"а", "е"} <= everything
                or {"α", "ε"} <= everything
            ):
                continue
            family = plain_name(files[-1][1].family)
            files.sort(key=lambda file: -len(file[1].characters))
            split = row["split"]
            if split != "train":
                apart[family] = split
            else:
                split = apart.get(family, "train")
            found.append(
                Face(
                    family,
                    row["class"],
                    split,
                    tuple(name for name, _ in files),
                    tuple(font.characters for _, font in files),
                    heights[0],
                    None,
                    key.endswith("italic") or any(font.slanted for _, font in files),
                )
            )
            weights.append(named[key])
            strokes.append(next((font.stroke for _, font in files if font.stroke > 0), 0.0))
    return tell_bold(found, weights, strokes)


def save_faces(faces: list[Face], path: Path) -> None:
    """Write the index of faces."""
    path.write_text(
        json.dumps([asdict(face) for face in faces], ensure_ascii=False), encoding="utf-8"
    )


def load_faces(path: Path, split: str) -> list[Face]:
    """Read the faces of one split."""
    rows = json.loads(path.read_text(encoding="utf-8"))
    return [
        Face(**{**row, "files": tuple(row["files"]), "characters": tuple(row["characters"])})
        for row in rows
        if row["split"] == split
    ]


class GlyphDrawer:
    """Draws the glyphs of one face at one size, and remembers them.

    old: whether with the joined letters and figures of hand-set print, where the font has them.
    """

    def __init__(self, face: Face, fonts: Path, x_height_px: float, old: bool = False) -> None:
        self.old = old
        self.family = face.family
        self.size_px = max(6, round(x_height_px / face.x_height))
        self.x_height_px = face.x_height * self.size_px
        self._fonts = [_open(str(fonts / name), self.size_px) for name in face.files]
        self._file_of = {}
        for number in reversed(range(len(face.files))):
            for character in face.characters[number]:
                self._file_of[character] = number
        self._masks: dict[str, tuple[NDArray[np.uint8], int, int, float]] = {}
        self._kerning: dict[str, float] = {}

    @property
    def fixed_pitch(self) -> bool:
        """Whether narrow and wide letters have the same advance, as on a typewriter."""
        if not self.holds("im"):
            return False
        return abs(self.glyph("i")[3] - self.glyph("m")[3]) < 0.5

    def holds(self, text: str) -> bool:
        """Return whether every character of `text` can be drawn."""
        return all(character in self._file_of for character in text)

    def scaled(
        self, cluster: str, size: float, shift: float
    ) -> tuple[NDArray[np.uint8], int, int, float]:
        """Return a glyph made smaller by `size` and moved down by `shift` x-heights."""
        mask, left, top, advance = self.glyph(cluster)
        if not mask.size:
            return mask, left, top, advance * size
        shape = (max(1, round(mask.shape[1] * size)), max(1, round(mask.shape[0] * size)))
        mask = np.asarray(cv2.resize(mask, shape, interpolation=cv2.INTER_AREA), np.uint8)
        top = round(top * size + shift * self.x_height_px)
        return mask, round(left * size), top, advance * size

    def glyph(self, cluster: str) -> tuple[NDArray[np.uint8], int, int, float]:
        """Return mask (H, W), left and top of the mask from the origin, and advance."""
        known = self._masks.get(cluster)
        if known is None:
            font = self._fonts[self._file_of[cluster[0]]]
            features = _OLD_FEATURES if self.old else None
            mask, (left, top) = font.getmask2(cluster, mode="L", anchor="ls", features=features)
            array = np.asarray(mask, dtype=np.uint8).reshape(mask.size[1], mask.size[0])
            known = (array, int(left), int(top), float(font.getlength(cluster, features=features)))
            self._masks[cluster] = known
        return known

    def kerning(self, left: str, right: str) -> float:
        """Return how far `right` moves towards `left`, in pixels (mostly negative or zero)."""
        pair = left[-1] + right[0]
        known = self._kerning.get(pair)
        if known is None:
            number = self._file_of[left[-1]]
            known = 0.0
            if self._file_of[right[0]] == number and " " not in pair:
                whole = float(self._fonts[number].getlength(pair))
                known = whole - self.glyph(pair[0])[3] - self.glyph(pair[1])[3]
            self._kerning[pair] = known
        return known

    def clusters(self, text: str, ligatures: bool) -> list[str]:
        """Return `text` cut into what is drawn as one glyph."""
        if not ligatures:
            return list(text)
        found, at = [], 0
        while at < len(text):
            for ligature in _OLD_LIGATURES if self.old else _LIGATURES:
                if text.startswith(ligature, at) and self._in_one_file(ligature):
                    found.append(ligature)
                    at += len(ligature)
                    break
            else:
                found.append(text[at])
                at += 1
        return found

    def _in_one_file(self, letters: str) -> bool:
        return len({self._file_of.get(letter) for letter in letters}) == 1


class FormulaDrawer(GlyphDrawer):
    """Draws letters in the slanted cut that fonts for formulas have for them.

    The letters are those of Unicode's Mathematical Alphanumeric Symbols, drawn for the plain ones.
    """

    def __init__(self, face: Face, fonts: Path, x_height_px: float) -> None:
        super().__init__(face, fonts, x_height_px)
        self._cut = _characters_of(str(fonts / face.files[0]))

    def holds(self, text: str) -> bool:
        """Return whether the font has the slanted cut of every letter of `text`."""
        return all(slanted(character) in self._cut for character in text)

    def glyph(self, cluster: str) -> tuple[NDArray[np.uint8], int, int, float]:
        """Return mask (H, W), left and top of the mask from the origin, and advance."""
        letter = slanted(cluster)
        self._file_of.setdefault(letter, 0)
        return super().glyph(letter)

    def kerning(self, left: str, right: str) -> float:
        """Return 0: letters of a formula are no word."""
        return 0.0


@lru_cache(maxsize=600)
def _open(path: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(path, size)


@lru_cache(maxsize=20)
def _characters_of(path: str) -> frozenset[str]:
    from fontTools.ttLib import TTFont

    with TTFont(path, lazy=True, fontNumber=0) as table:
        return frozenset(map(chr, table.getBestCmap() or {}))


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--lists", type=click.Path(path_type=Path, exists=True), default=Path("training"))
def main(data: Path, lists: Path) -> None:
    """Index the fonts below DATA/fonts."""
    rows = [row for row in read_table(lists / "fonts.tsv") if row["class"] != "foreign"]
    faces = index_faces(data / "fonts", rows)
    save_faces(faces, data / "faces.json")
    for split in ("train", "test", "demo"):
        chosen = [face for face in faces if face.split == split]
        click.echo(f"{split}: {len(chosen)} faces of {len({f.family for f in chosen})} families")


if __name__ == "__main__":
    main()
