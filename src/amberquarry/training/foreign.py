"""Letters of scripts that the reader does not know, so that it learns to say so.

`python -m amberquarry.training.foreign --data DATA --lists training` writes `DATA/foreign.json`.
Words are random letters of one script, shaped by the font's own rules; each letter is labelled
with the one sign for the unknown (`characters.UNKNOWN`).
"""

from __future__ import annotations

import json
import random
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray
from PIL import ImageFont

from amberquarry.training.fetch import read_table
from amberquarry.values import UNKNOWN

# Blocks of the Unicode standard with how often a script is drawn. Scripts whose letters look like
# Latin ones (Cherokee, Coptic, Lisu) are left out: a reader can't know them by their shape.
SCRIPTS: dict[str, tuple[float, tuple[tuple[int, int], ...]]] = {
    "arabic": (3.0, ((0x621, 0x64A), (0x671, 0x6D3))),
    "armenian": (1.0, ((0x531, 0x556), (0x561, 0x587))),
    "bengali": (1.0, ((0x985, 0x9CC),)),
    "devanagari": (2.0, ((0x904, 0x94C),)),
    "ethiopic": (0.7, ((0x1200, 0x135A),)),
    "georgian": (1.0, ((0x10D0, 0x10F0),)),
    "gujarati": (0.6, ((0xA85, 0xACC),)),
    "gurmukhi": (0.6, ((0xA05, 0xA4C),)),
    "han": (3.0, ((0x4E00, 0x9FA5),)),
    "hangul": (2.0, ((0xAC00, 0xD7A3),)),
    "hebrew": (2.0, ((0x5D0, 0x5EA),)),
    "kana": (2.0, ((0x3041, 0x3096), (0x30A1, 0x30FA))),
    "kannada": (0.6, ((0xC85, 0xCCC),)),
    "khmer": (0.6, ((0x1780, 0x17C5),)),
    "lao": (0.5, ((0xE81, 0xEC4),)),
    "malayalam": (0.6, ((0xD05, 0xD4C),)),
    "myanmar": (0.6, ((0x1000, 0x102F),)),
    "oriya": (0.5, ((0xB05, 0xB4C),)),
    "sinhala": (0.5, ((0xD85, 0xDDF),)),
    "tamil": (0.8, ((0xB85, 0xBCC),)),
    "telugu": (0.6, ((0xC05, 0xC4C),)),
    "thai": (1.2, ((0xE01, 0xE46),)),
    "tibetan": (0.4, ((0xF40, 0xF6C),)),
}
_UNPARTED = {"han", "kana", "khmer", "lao", "myanmar", "thai", "tibetan"}  # no spaces in a phrase
_LEAST_LETTERS = 20


@dataclass(frozen=True, slots=True)
class ForeignFace:
    """A font file with the letters of one script that it draws."""

    script: str
    split: str
    file: str
    letters: str
    marks: str  # vowel signs and the like, which stand on or beside a letter


def script_letters(script: str, held: set[int]) -> tuple[str, str]:
    """Return the letters and the marks of a script among the code points that a font holds."""
    letters, marks = [], []
    for first, last in SCRIPTS[script][1]:
        for code in range(first, last + 1):
            category = unicodedata.category(chr(code))
            if code not in held:
                continue
            if category in ("Mn", "Mc"):
                marks.append(chr(code))
            elif category.startswith("L"):
                letters.append(chr(code))
    return "".join(letters), "".join(marks)


def index_foreign(fonts: Path, rows: list[dict[str, str]]) -> list[ForeignFace]:
    """Return every script of every fetched font file that holds enough of its letters."""
    from fontTools.ttLib import TTFont

    found = []
    for row in rows:
        for path in sorted((fonts / row["package"]).glob("*")):
            if path.suffix not in (".ttf", ".otf", ".woff2") or (
                row["registry"] == "npm" and "-400-" not in path.name and "-700-" not in path.name
            ):
                continue
            try:
                with TTFont(path, lazy=True, fontNumber=0) as table:
                    held = set(table.getBestCmap() or {})
                _open(str(path), 40)  # pictures of letters at one size only can't be used
            except Exception as error:  # fonts come from many hands; one bad file is left out
                click.echo(f"left out {path.name}: {error}", err=True)
                continue
            for script in SCRIPTS:
                letters, marks = script_letters(script, held)
                if len(letters) >= _LEAST_LETTERS:
                    name = f"{row['package']}/{path.name}"
                    found.append(ForeignFace(script, row["split"], name, letters, marks))
    return found


def load_foreign(path: Path, split: str) -> dict[str, list[ForeignFace]]:
    """Read the faces of one split, by script."""
    by_script: dict[str, list[ForeignFace]] = {}
    for fields in json.loads(path.read_text(encoding="utf-8")):
        face = ForeignFace(*fields)
        if face.split == split:
            by_script.setdefault(face.script, []).append(face)
    return by_script


def pick_face(faces: dict[str, list[ForeignFace]], chance: random.Random) -> ForeignFace:
    """Return a face of a script drawn by weight."""
    names = sorted(faces)
    script = chance.choices(names, [SCRIPTS[name][0] for name in names])[0]
    return chance.choice(faces[script])


def random_word(face: ForeignFace, chance: random.Random) -> str:
    """Return a word of the face's script, of letters that need make no sense."""
    long = face.script in _UNPARTED
    parts = []
    for _ in range(chance.randint(3, 14) if long else chance.choice([1, 2, 3, 4, 5, 6, 8])):
        parts.append(chance.choice(face.letters))
        if face.marks and chance.random() < 0.4:
            parts.append(chance.choice(face.marks))
    return "".join(parts)


def label_of(word: str) -> str:
    """Return the label of a foreign word: the sign for the unknown for each of its letters."""
    return UNKNOWN * sum(not unicodedata.category(c).startswith("M") for c in word)


class ForeignDrawer:
    """Draws whole words of one foreign face at one size."""

    def __init__(self, face: ForeignFace, fonts: Path, size_px: int) -> None:
        self.face = face
        self._font = _open(str(fonts / face.file), size_px)

    def word(self, word: str) -> tuple[NDArray[np.uint8], int, int, float]:
        """Return mask (H, W), left and top of the mask from the origin, and advance."""
        mask, (left, top) = self._font.getmask2(word, mode="L", anchor="ls")
        array = np.asarray(mask, dtype=np.uint8).reshape(mask.size[1], mask.size[0])
        return array, int(left), int(top), float(self._font.getlength(word))


@lru_cache(maxsize=200)
def _open(path: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(path, size)


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--lists", type=click.Path(path_type=Path, exists=True), default=Path("training"))
def main(data: Path, lists: Path) -> None:
    """Index the letters of other scripts in the fonts below DATA/fonts."""
    faces = index_foreign(data / "fonts", read_table(lists / "fonts.tsv"))
    rows = [[f.script, f.split, f.file, f.letters, f.marks] for f in faces]
    (data / "foreign.json").write_text(json.dumps(rows, ensure_ascii=False), encoding="utf-8")
    for script in SCRIPTS:
        counts = [
            sum(f.script == script and f.split == s for f in faces) for s in ("train", "test")
        ]
        click.echo(f"{script}: {counts[0]} files to train on, {counts[1]} held out")


if __name__ == "__main__":
    main()
