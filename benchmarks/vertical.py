"""Measure blocks set vertically on upright pages.

`python benchmarks/vertical.py --data DATA` sets pages of prose with labels up and down in the
margins, in fonts held out of training, scans them at each level and prints how many labels were
found with their direction, their character error rate, and how many blocks of the prose were taken
for vertical.
"""

from __future__ import annotations

import io
import random
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from rapidfuzz.distance import Levenshtein

from amberquarry import read_page
from amberquarry.demo.scanner import LEVELS, scan_page
from amberquarry.training.faces import Face, GlyphDrawer, load_faces
from amberquarry.training.lines import Run, draw_line
from amberquarry.training.texts import Corpus, running

LABELS = [
    "Height of water in metres",
    "Rainfall (mm)",
    "Station 14",
    "Mean level 1931-1940",
    "Barometer, hPa",
    "PLATE IV",
    "Wind from the north-west",
    "Temperature of the air, °C",
]


def draw(drawer: GlyphDrawer, text: str) -> NDArray[np.uint8] | None:
    """Return ink 0 to 255 of a line set plainly."""
    text = "".join(c for c in text if drawer.holds(c)).strip()
    drawn = draw_line(drawer, [Run(text, drawer)]) if text else None
    return None if drawn is None else (drawn.ink * 255).astype(np.uint8)


def make_page(
    data: Path, face: Face, corpus: Corpus, chance: random.Random
) -> tuple[NDArray[np.uint8], list[tuple[int, str]]]:
    """Return a page at 300 dpi, and rotation and text of its labels."""
    page = np.full((3300, 2500), 255, np.uint8)
    drawer = GlyphDrawer(face, data / "fonts", chance.uniform(19, 26))
    top = 300
    while top < 3000:
        ink = draw(drawer, running(corpus, chance, 70))
        if ink is not None:
            width = min(ink.shape[1], 1700)
            page[top : top + ink.shape[0], 400 : 400 + width] -= ink[:, :width]
            top += round(2.6 * drawer.x_height_px)
            continue
    wanted = []
    for rotation, left in ((90, 2250), (270, 150)):
        top = 350
        for text in chance.sample(LABELS, 3):
            held = "".join(c for c in text if drawer.holds(c))
            ink = draw(drawer, held)
            if ink is None:
                continue
            ink = np.ascontiguousarray(np.rot90(ink, -rotation // 90))
            height, width = ink.shape
            page[top : top + height, left : left + width] -= ink
            wanted.append((rotation, held))
            top += height + 200
    return page, wanted


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=20, show_default=True, help="Of each level.")
def main(data: Path, pages: int) -> None:
    """Print what became of the labels."""
    cv2.setNumThreads(1)
    whole = Corpus.load(data / "corpus")
    corpus = Corpus({"en": whole.paragraphs["en"]}, {"en": whole.words["en"]})
    faces = [f for f in load_faces(data / "faces.json", "test") if f.group == "core"]
    click.echo("level    pages labels  found with direction  CER %  prose taken for vertical")
    for level in LEVELS:
        chance = random.Random(8)
        labels = right = wrong = length = false = 0
        for number in range(pages):
            clean, wanted = make_page(data, chance.choice(faces), corpus, chance)
            scan = scan_page(clean, level, number)
            page = read_page(Image.open(io.BytesIO(scan.data)))
            found = [(b.rotation, b.text) for b in page.blocks if b.rotation]
            for rotation, text in wanted:
                labels += 1
                length += len(text)
                same = [t for r, t in found if r == rotation]
                best = min(same, key=lambda t: Levenshtein.distance(t, text), default="")
                distance = min(len(text), Levenshtein.distance(best, text))
                wrong += distance
                if distance <= 0.5 * len(text):
                    right += 1
                    found.remove((rotation, best))
            false += len(found)
        click.echo(
            f"{level:8} {pages:5} {labels:6} {100 * right / labels:20.1f}  "
            f"{100 * wrong / length:5.2f}  {false}"
        )


if __name__ == "__main__":
    main()
