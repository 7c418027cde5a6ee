"""Errors of the line reader by script and by what wears print down, and the confusions that remain.

`python benchmarks/lines.py --data DATA` draws lines in fonts held out of training: the same texts
and faces for every kind of wear, each with nothing else done to it but light paper and a light
scan. It prints the share of wrong characters by kind and script, spaces that are missing or too
many of a thousand, and what is taken for what most often. Words of languages without running text
come from their lists.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein

from amberquarry.imaging.light import heal
from amberquarry.reading import load_network
from amberquarry.reading.decode import decode, figures_joined, weighed
from amberquarry.reading.ground import even_ground
from amberquarry.reading.net import DEFAULT_MODEL, LineNetwork
from amberquarry.reading.scripts import main_script, settle_scripts
from amberquarry.settings import ReadingSettings
from amberquarry.training import degrade
from amberquarry.training.faces import Face, GlyphDrawer, load_faces
from amberquarry.training.lines import Run, draw_line
from amberquarry.training.texts import LANGUAGE_WEIGHTS, Corpus, cells, running
from amberquarry.training.wear import error_of_size, to_normal_form

Ink = NDArray[np.float32]
Noise = np.random.Generator
SCRIPTS = {
    "English": ("en",),
    "Latin": tuple(
        sorted(LANGUAGE_WEIGHTS.keys() - {"en", "el", "ru", "uk", "bg", "sr", "mk", "be"})
    ),
    "Greek": ("el",),
    "Cyrillic": ("ru", "uk", "bg", "sr"),
    "figures": ("en",),
}
X_HEIGHT, SMALL = 18.0, 6.5  # pixels of usual print at 300 dpi and of small print
LIGHT = 0.15


def _bilevel(grey: NDArray[np.float32], noise: Noise, height: float) -> NDArray[np.uint8]:
    soft = cv2.GaussianBlur(grey, (0, 0), 0.08 * height) + noise.normal(0, 8, grey.shape)
    level = float(grey.min()) + noise.uniform(0.4, 0.65) * float(np.ptp(grey))
    return heal(np.where(soft > level, 255, 0).astype(np.uint8))


def _coded(grey: NDArray[np.float32], noise: Noise, height: float) -> NDArray[np.uint8]:
    soft = np.clip(cv2.GaussianBlur(grey, (0, 0), 0.1 * height), 0, 255).astype(np.uint8)
    data = cv2.imencode(".jpg", soft, [cv2.IMWRITE_JPEG_QUALITY, int(noise.integers(25, 45))])[1]
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE), np.uint8)


def _scanned(grey: NDArray[np.float32], noise: Noise, height: float) -> NDArray[np.uint8]:
    return degrade.scan(grey, noise, height, 0.0)


def _cheap(grey: NDArray[np.float32], noise: Noise, height: float) -> NDArray[np.uint8]:
    return degrade.scan(grey, noise, height, 1.0, office=True)


# What is done to the ink, to the paper's grey levels, and by the scanner; pixels of x-height.
KINDS: dict[str, tuple[str, str, Callable[..., NDArray[np.uint8]], float]] = {
    "clean": ("", "", _scanned, X_HEIGHT),
    "small print": ("", "", _scanned, SMALL),
    "worn strokes": ("worn", "", _scanned, X_HEIGHT),
    "uneven ink": ("uneven", "", _scanned, X_HEIGHT),
    "specks and holes": ("specks", "", _scanned, X_HEIGHT),
    "printer with needles": ("needles", "", _scanned, X_HEIGHT),
    "print shines through": ("", "behind", _scanned, X_HEIGHT),
    "dot screen": ("", "screen", _scanned, X_HEIGHT),
    "hard coding": ("", "", _coded, 10.0),
    "1 bit": ("", "", _bilevel, 10.0),
    "cheap machine": ("worn", "", _cheap, 9.0),
}


def worn(ink: Ink, other: Ink, kind: str, noise: Noise) -> tuple[NDArray[np.uint8], float]:
    """Return the picture of a line and its x-height in pixels; ink: X_HEIGHT high in x-height."""
    on_ink, on_paper, scanner, height = KINDS[kind]
    if on_ink == "worn":
        ink = degrade.wear_strokes(ink, noise, X_HEIGHT, 1.0)
    elif on_ink == "uneven":
        ink = degrade.ink_unevenly(ink, noise, X_HEIGHT)
    elif on_ink == "specks":
        ink = degrade.speckle(ink, noise, X_HEIGHT)
    elif on_ink == "needles":
        ink = degrade.dot_matrix(ink, noise, X_HEIGHT)
    size = tuple(max(8, round(side * height / X_HEIGHT)) for side in ink.shape[::-1])
    ink = np.asarray(cv2.resize(ink, size, interpolation=cv2.INTER_AREA), np.float32)
    if on_paper == "behind":
        ink = degrade.bleed_through(ink, other, noise)
    grey = degrade.lay_on_paper(ink, noise, LIGHT)
    if on_paper == "screen":
        grey = degrade.halftone(grey, noise)
    picture, enlarged = degrade.enlarge(scanner(grey, noise, height), height)
    return picture, height * enlarged


def text_for(corpus: Corpus, script: str, chance: random.Random) -> str:
    """Return what a line of a script says."""
    if script == "figures":
        return cells(corpus, chance, 30)
    language = chance.choice(SCRIPTS[script])
    paragraphs = [p for p in corpus.paragraphs.get(language, []) if len(p) > 60]
    words = corpus.words[language]
    listed = " ".join(chance.choices(words, k=8))
    return running(Corpus({language: paragraphs or [listed]}, {language: words}), chance, 45)


def drawn_lines(
    data: Path, corpus: Corpus, faces: list[Face], script: str, count: int
) -> list[tuple[Ink, str]]:
    """Return ink and text of lines of a script, each in another face."""
    chance = random.Random(f"lines {script}")
    found: list[tuple[Ink, str]] = []
    while len(found) < count:
        face = chance.choice(faces)
        if face.group == "hand":
            continue
        drawer = GlyphDrawer(face, data / "fonts", X_HEIGHT)
        text = text_for(corpus, script, chance)
        if not text or not drawer.holds(text.replace(" ", "")):
            continue
        drawn = draw_line(drawer, [Run(text, drawer)], chance)
        if drawn is not None:
            room = round(X_HEIGHT)
            found.append((np.pad(drawn.ink, ((0, 0), (room, room))), drawn.text))
    return found


def read(
    network: LineNetwork,
    picture: NDArray[np.uint8],
    height: float,
    text: str,
    chance: random.Random,
) -> str:
    """Return the best path's text of a picture of a line, its look-alike letters in one script."""
    line, _, _ = to_normal_form(picture, height, error_of_size(text, chance), chance)
    steps = figures_joined(network.steps(even_ground(line)))
    found = decode(weighed(steps, ReadingSettings().word_parting)).text.strip()
    return settle_scripts(found, main_script([found]))


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--model", type=click.Path(path_type=Path, exists=True), default=DEFAULT_MODEL)
@click.option("--lines", default=60, show_default=True, help="For each script and kind.")
@click.option("--confusions", default=40, show_default=True)
def main(data: Path, model: Path, lines: int, confusions: int) -> None:
    """Print errors by script and kind, and the confusions that remain."""
    network, corpus = load_network(model), Corpus.load(data / "corpus")
    faces = load_faces(data / "faces.json", "test")
    drawn = {script: drawn_lines(data, corpus, faces, script, lines) for script in SCRIPTS}
    taken: dict[bool, Counter[tuple[str, str]]] = {True: Counter(), False: Counter()}
    click.echo(f"{'kind':22}" + "".join(f"{s:>10}" for s in SCRIPTS) + "   missing  extra spaces ‰")
    for kind in KINDS:
        noise, chance = np.random.default_rng(3), random.Random(kind)
        row, spaces, missing, extra = "", 0, 0, 0
        for own in drawn.values():
            wrong = length = 0
            for number, (ink, text) in enumerate(own):
                picture, height = worn(ink, own[number - 1][0], kind, noise)
                got = read(network, picture, height, text, chance)
                length += len(text)
                spaces += text.count(" ")
                for step in Levenshtein.editops(text, got):
                    wrong += 1
                    was = "" if step.tag == "insert" else text[step.src_pos]
                    now = "" if step.tag == "delete" else got[step.dest_pos]
                    missing += was == " "
                    extra += now == " "
                    taken[kind == "clean"][was, now] += 1
            row += f"{100 * wrong / length:10.2f}"
        click.echo(f"{kind:22}{row}{1000 * missing / spaces:10.1f}{1000 * extra / spaces:7.1f}")
    for clean, title in ((True, "clean"), (False, "worn")):
        pairs = taken[clean].most_common(confusions)
        shown = ", ".join(
            f"{was or 'nothing'} as {now or 'nothing'} {n}" for (was, now), n in pairs
        )
        click.echo(f"\nmost frequent, {title}: {shown.replace('  ', ' space ')}")


if __name__ == "__main__":
    main()
