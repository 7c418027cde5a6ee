"""Measure where characters are said to stand.

`python benchmarks/places.py --data DATA` sets pages in fonts held out of training, the middle
of every character's ink known, reads them, and prints how many of the characters that are read
right have the middle of their box within a third of their width from it.
"""

from __future__ import annotations

import random
from pathlib import Path

import click
import cv2
import numpy as np
from rapidfuzz.distance import Levenshtein

from amberquarry import read_page
from amberquarry.training.faces import GlyphDrawer, load_faces
from amberquarry.training.lines import Run, draw_line
from amberquarry.training.texts import Corpus, running
from styles import paste

LINES = 24


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=20, show_default=True)
def main(data: Path, pages: int) -> None:
    """Print the share of characters in their place."""
    cv2.setNumThreads(1)
    chance = random.Random(2)
    corpus = Corpus.load(data / "corpus")
    faces = [f for f in load_faces(data / "faces.json", "test") if f.group == "core"]
    inside = total = lines_read = 0
    off: list[float] = []
    for _ in range(pages):
        drawer = GlyphDrawer(chance.choice(faces), data / "fonts", chance.uniform(19, 26))
        page = np.full((300 + LINES * 110, 2500), 255, np.uint8)
        wanted: list[tuple[str, np.ndarray, float]] = []
        while len(wanted) < LINES:
            text = running(corpus, chance, chance.randint(30, 60))
            text = " ".join("".join(c for c in text if drawer.holds(c)).split())
            drawn = draw_line(drawer, [Run(text, drawer)], chance) if len(text) > 5 else None
            if drawn is None or drawn.ink.shape[1] > 2100:
                continue
            top = 150 + 110 * len(wanted)
            paste(page, drawn.ink, 200, top)
            base = top + drawn.ink.shape[0] * 2.5 / 4
            wanted.append((drawn.text, np.array(drawn.centres) + 200, base))
        for block in read_page(page).blocks:
            for line in block.lines:
                text, centres, base = min(wanted, key=lambda item: abs(item[2] - line.box.y1))
                if abs(base - line.box.y1) > 40:
                    continue
                lines_read += 1
                boxes = line.character_boxes
                for step in Levenshtein.opcodes(line.text, text):
                    if step.tag != "equal":
                        continue
                    for n in range(step.src_end - step.src_start):
                        at, to = step.src_start + n, step.dest_start + n
                        if line.text[at] == " ":
                            continue
                        width = max(4.0, float(boxes[at, 2] - boxes[at, 0]))
                        distance = abs(float(boxes[at, 0] + boxes[at, 2]) / 2 - centres[to]) / width
                        off.append(distance)
                        total += 1
                        inside += distance <= 1 / 3
    click.echo(f"{pages} pages, {lines_read} lines, {total} characters read right")
    click.echo(f"within a third of their width: {100 * inside / total:.2f} %")
    click.echo(
        f"median distance {np.median(off):.3f} widths, 99th percentile {np.percentile(off, 99):.2f}"
    )


if __name__ == "__main__":
    main()
