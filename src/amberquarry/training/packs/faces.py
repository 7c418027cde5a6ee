"""Find out which fonts draw the letters of further scripts, and how large.

`python -m amberquarry.training.packs.faces --lists training/packs --data DATA` writes
`DATA/packs/faces.json`. Web fonts, which come cut and packed, are unpacked beside their files.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

import click
import numpy as np

from amberquarry.training.faces import plain_name
from amberquarry.training.fetch import read_table
from amberquarry.training.packs.plans import COMMON, SCRIPT_OF, SCRIPTS, Script
from amberquarry.training.packs.shaping import FontAt, letter_box

_WEB = re.compile(r"^(?P<family>.+?)-(?P<subset>[a-z]+)-(?P<weight>\d+)-(?P<style>normal|italic)$")
_WEIGHTS = ("300", "400", "500", "700")
# Of a collection, the faces that draw the shapes of a script.
_REGIONAL = {
    "korean": re.compile(r"\bKR\b"),
    "japanese": re.compile(r"\bJP\b"),
    "simplified": re.compile(r"\b(SC|CN|GB|Zen ?Hei|Micro ?Hei)\b"),
    "traditional": re.compile(r"\b(TC|HK|TW|Big5)\b"),
}
_LEAST_HELD = 0.6  # of the letters that a script's languages use most
_PROBE = 64


@dataclass(frozen=True, slots=True)
class ScriptFace:
    """A face that draws the letters of a script.

    body: height of the letters in `Script.body`, foot: how far these reach under the base line;
    both of the size. files: with the number of the face in each and the signs drawn from it.
    """

    script: str
    family: str
    style: str  # print, display or hand
    split: str
    bold: bool
    slanted: bool
    body: float
    foot: float
    files: tuple[tuple[str, int, str], ...]


def unpacked(path: Path) -> Path:
    """Return a font file that is not packed: the file, or what a web font holds."""
    if path.suffix != ".woff2":
        return path
    target = path.with_suffix(".ttf")
    if not target.exists():
        from fontTools.ttLib import TTFont

        with TTFont(path) as font:
            font.flavor = None
            font.save(target)
    return target


@dataclass(frozen=True, slots=True)
class _Held:
    """What is named and held in a font file."""

    family: str
    full_name: str
    bold: bool
    slanted: bool
    signs: frozenset[str]


def _held_in(path: Path, number: int) -> _Held:
    from fontTools.ttLib import TTFont

    with TTFont(path, lazy=True, fontNumber=number) as font:
        names = font["name"]
        family = names.getDebugName(16) or names.getDebugName(1) or path.stem
        full = names.getDebugName(4) or family
        weight = int(font["OS/2"].usWeightClass) if "OS/2" in font else 400
        slanted = "italic" in full.lower() or "oblique" in full.lower()
        signs = frozenset(map(chr, font.getBestCmap() or {}))
    return _Held(family, full, weight >= 600, slanted, signs)


def _faces_in(path: Path) -> Iterator[int]:
    """Yield the numbers of the faces in a font file."""
    if path.suffix.lower() != ".ttc":
        yield 0
        return
    from fontTools.ttLib import TTCollection

    with TTCollection(path, lazy=True) as collection:
        yield from range(len(collection.fonts))


def _measured(font: FontAt, script: Script) -> tuple[float, float] | None:
    """Return body and foot of a face, None where its letters are empty or all alike."""
    boxes = [letter_box(font, letter) for letter in script.body]
    drawn = [box for box in boxes if box is not None]
    if len(drawn) < len(boxes) or len({box[2] for box in drawn}) < 2:
        return None
    tops, feet = (np.array([box[n] for box in drawn], float) for n in (0, 1))
    body, foot = float(np.median(tops - feet)), float(-np.median(feet))
    return (body / _PROBE, foot / _PROBE) if body > 0.15 * _PROBE else None


def _row_for(rows: list[dict[str, str]], script: str, path: Path) -> dict[str, str] | None:
    """Return the first row that a file of a package falls under for a script."""
    for row in rows:
        if script in row["scripts"].split(",") and re.search(row["files"] or ".", path.name):
            return row
    return None


def index_faces(
    fonts: Path, rows: list[dict[str, str]], letters: dict[str, str]
) -> list[ScriptFace]:
    """Return the faces of all fetched packages.

    letters: for each script, those that its languages use most.
    """
    packages: dict[str, list[dict[str, str]]] = {}
    for row in rows:
        packages.setdefault(row["package"], []).append(row)
    found: list[ScriptFace] = []
    for package, own in packages.items():
        scripts = sorted({script for row in own for script in row["scripts"].split(",")})
        for path in sorted((fonts / package).glob("*")):
            web = _WEB.match(path.stem)
            if path.suffix not in (".ttf", ".otf", ".ttc", ".woff2"):
                continue
            if path.suffix == ".ttf" and path.with_suffix(".woff2").exists():
                continue
            if path.suffix == ".woff2" and (
                not web or web["weight"] not in _WEIGHTS or web["subset"] not in scripts
            ):
                continue
            for script in scripts:
                if web and web["subset"] != script:
                    continue
                fitting = _row_for(own, script, path)
                if fitting is None or fitting["split"] not in ("train", "test"):
                    continue
                try:
                    found += _faces_of(path, script, fitting, letters[script], web)
                except Exception as error:  # fonts come from many hands; a bad one is left out
                    click.echo(f"left out {path.name}: {error}", err=True)
    apart = {(face.script, face.family) for face in found if face.split == "test"}
    return [
        face for face in found if face.split == "test" or (face.script, face.family) not in apart
    ]


def _faces_of(
    path: Path, script: str, row: dict[str, str], letters: str, web: re.Match[str] | None
) -> Iterator[ScriptFace]:
    """Yield the faces of a font file that draw a script."""
    file = unpacked(path)
    for number in _faces_in(file):
        held = _held_in(file, number)
        if sum(letter in held.signs for letter in letters) < _LEAST_HELD * len(letters):
            continue
        regional = _REGIONAL.get(script) if file.suffix == ".ttc" else None
        if regional and (not regional.search(held.full_name) or "Mono" in held.full_name):
            continue
        measured = _measured(FontAt(file, number, _PROBE), SCRIPTS[script])
        if measured is None:
            continue
        files = [(file, number, held.signs)]
        if web:  # figures and marks stand in the Latin part
            latin = path.with_name(path.name.replace(f"-{web['subset']}-", "-latin-", 1))
            if latin.exists():
                files.append((unpacked(latin), 0, _held_in(unpacked(latin), 0).signs))
        wanted = set(COMMON)
        yield ScriptFace(
            script,
            plain_name(web["family"] if web else held.family),
            row["style"],
            row["split"],
            int(web["weight"]) >= 600 if web else held.bold,
            held.slanted,
            *measured,
            tuple(
                (
                    f"{row['package']}/{name.name}",
                    at,
                    "".join(sorted(c for c in signs if c in wanted or SCRIPTS[script].has(c))),
                )
                for name, at, signs in files
            ),
        )


def usual_letters(corpus: Path, script: str) -> str:
    """Return the letters that make up nearly all of the texts of a script."""
    counts: Counter[str] = Counter()
    for language, own in SCRIPT_OF.items():
        if own == script:
            counts.update((corpus / f"{language}.txt").read_text(encoding="utf-8"))
    usual = [(sign, n) for sign, n in counts.most_common() if SCRIPTS[script].has(sign)]
    least = sum(n for _, n in usual) * 2e-5
    return "".join(sign for sign, n in usual if n >= least)


def load_faces(path: Path, scripts: set[str], split: str) -> list[ScriptFace]:
    """Read the faces of some scripts and a split."""
    faces = []
    for row in json.loads(path.read_text(encoding="utf-8")):
        face = ScriptFace(**{**row, "files": tuple(map(tuple, row["files"]))})
        if face.script in scripts and face.split == split:
            faces.append(face)
    return faces


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
def main(lists: Path, data: Path) -> None:
    """Index the fonts below DATA/packs/fonts."""
    packs = data / "packs"
    letters = {script: usual_letters(packs / "corpus", script) for script in SCRIPTS}
    faces = index_faces(packs / "fonts", read_table(lists / "fonts.tsv"), letters)
    (packs / "faces.json").write_text(
        json.dumps([asdict(face) for face in faces], ensure_ascii=False), encoding="utf-8"
    )
    for script in SCRIPTS:
        for split in ("train", "test"):
            own = [face for face in faces if (face.script, face.split) == (script, split)]
            click.echo(f"{script} {split}: {len(own)} faces of {len({f.family for f in own})}")


if __name__ == "__main__":
    main()
