"""Measure what `learn` gives on faces that the reader does not know, and what it costs elsewhere.

`python benchmarks/learn.py --data DATA` draws lines of English text in faces kept apart from all
training (`apart` in `training/fonts.tsv`: blackletter and hands), learns from some of them, and
prints the share of wrong characters before and after on others, and on lines of the base mixture in
held-out fonts that `learn` never sees.
"""

from __future__ import annotations

import random
import tempfile
import time
from pathlib import Path

import click
import numpy as np
from PIL import Image
from rapidfuzz.distance import Levenshtein

from amberquarry.reading import load_network
from amberquarry.reading.decode import decode
from amberquarry.reading.net import LineNetwork
from amberquarry.training.faces import Face, GlyphDrawer, load_faces
from amberquarry.training.labelled import LabelledLine, lines_of_folder
from amberquarry.training.learn import learn
from amberquarry.training.lines import Run, draw_line
from amberquarry.training.texts import Corpus, running
from amberquarry.training.train import line_source

OTHERS, BASE = 250, 1200  # lines that are measured only: of the face, of the base mixture


def draw_lines(data: Path, face: Face, count: int, folder: Path, seed: int) -> list[LabelledLine]:
    """Write line pictures with their texts, and return them as `learn` sees them."""
    drawer, chance = GlyphDrawer(face, data / "fonts", 26.0), random.Random(seed)
    corpus = Corpus.load(data / "corpus")
    english = Corpus({"en": corpus.paragraphs["en"]}, {"en": corpus.words["en"]})
    folder.mkdir(parents=True, exist_ok=True)
    made = 0
    while made < count:
        text = running(english, chance, chance.randint(15, 60))
        text = " ".join("".join(c for c in text if drawer.holds(c)).split())
        drawn = draw_line(drawer, [Run(text, drawer)], chance) if len(text) > 4 else None
        if drawn is None:
            continue
        grey = 255 - np.pad((drawn.ink * 225).astype(np.uint8), 20)
        Image.fromarray(grey).save(folder / f"{made:04d}.png")
        (folder / f"{made:04d}.txt").write_text(drawn.text + "\n", encoding="utf-8")
        made += 1
    return list(lines_of_folder(folder))


def error_rate(network: LineNetwork, lines: list[LabelledLine]) -> float:
    """Return the share of wrong characters of the exported model, by the best path."""
    wrong = sum(
        Levenshtein.distance(decode(network.steps(line.ink)).text, line.text) for line in lines
    )
    return wrong / sum(len(line.text) for line in lines)


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--face", "chosen", multiple=True, help="Families; by default all kept apart.")
@click.option("--lines", default=300, show_default=True)
@click.option("--passes", default=30, show_default=True)
@click.option("--only-before", is_flag=True, help="Measure the base model on the faces, no more.")
def main(data: Path, chosen: tuple[str, ...], lines: int, passes: int, only_before: bool) -> None:
    """Print errors before and after learning."""
    faces: dict[str, Face] = {}
    for face in load_faces(data / "faces.json", "apart"):
        faces.setdefault(face.family, face)
    source = line_source(data, "test", seed=31_337)
    base: list[LabelledLine] = []
    while len(base) < BASE:
        base += [LabelledLine("", sample.ink, sample.text) for sample in source.lines(0.4)]
    before = error_rate(load_network(), base)
    click.echo("face                  lines  before %  after %  base before %  after %  minutes")
    for family in chosen or sorted(faces):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            others = draw_lines(data, faces[family], OTHERS, folder / "others", seed=2)
            row = f"{family:20} {lines:6} {100 * error_rate(load_network(), others):9.2f}"
            if only_before:
                click.echo(row)
                continue
            own = draw_lines(data, faces[family], lines, folder / "own", seed=1)
            began = time.monotonic()
            learn(own, folder / "taught.onnx", passes)
            minutes = (time.monotonic() - began) / 60
            taught = load_network(folder / "taught.onnx")
            click.echo(
                f"{row} {100 * error_rate(taught, others):8.2f} {100 * before:14.2f} "
                f"{100 * error_rate(taught, base):8.2f} {minutes:8.1f}"
            )


if __name__ == "__main__":
    main()
