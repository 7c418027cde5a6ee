"""Milliseconds for a line of eighty characters on one core, and what 8-bit integers cost.

`python benchmarks/line_speed.py --data DATA` draws lines of 76 to 84 characters in fonts held out
of training, reads each with the model that ships and with the same weights in floating point, and
prints the median time of the net alone and of net and decoding together (search with the prior
included), and the share of wrong characters on clean and worn lines.
"""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import click
import numpy as np
import torch

from amberquarry.reading import load_network
from amberquarry.reading.decode import decode, doubts_of, resolve
from amberquarry.reading.languages import load_prior
from amberquarry.reading.net import DEFAULT_MODEL, LineNetwork
from amberquarry.reading.search import Search
from amberquarry.settings import ReadingSettings
from amberquarry.training.faces import load_faces
from amberquarry.training.labelled import LabelledLine
from amberquarry.training.learn import WEIGHTS
from amberquarry.training.lines import LineSource
from amberquarry.training.net import export_onnx, net_of
from amberquarry.training.texts import Corpus, running
from learn import error_rate

LENGTHS = range(76, 85)
WEARS = {"clean": 0.0, "worn": 1.0}


def lines_of(data: Path, wear: float, count: int) -> list[LabelledLine]:
    """Return English lines of about eighty characters in held-out fonts."""
    whole = Corpus.load(data / "corpus")
    english = Corpus({"en": whole.paragraphs["en"]}, {"en": whole.words["en"]})
    faces = load_faces(data / "faces.json", "test")
    source = LineSource(data, english, faces, {}, seed=80, write=write, longest=LENGTHS[-1])
    found: list[LabelledLine] = []
    while len(found) < count:
        found += [
            LabelledLine("", sample.ink, sample.text)
            for sample in source.lines(wear)
            if len(sample.text) in LENGTHS
        ]
    return found[:count]


def write(corpus: Corpus, chance: random.Random, length: int, listings: float) -> str:
    """Return running text of about eighty characters, whatever length is asked for."""
    return running(corpus, chance, LENGTHS[-1])


def milliseconds(read: Callable[[LabelledLine], object], lines: list[LabelledLine]) -> float:
    """Return the median time of reading a line, each read three times."""
    times = []
    for sample in lines:
        for _ in range(3):
            began = time.perf_counter()
            read(sample)
            times.append(time.perf_counter() - began)
    return 1000 * float(np.median(times))


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--lines", default=200, show_default=True, help="Of each wear.")
def main(data: Path, lines: int) -> None:
    """Print a row for the shipped model and one for floating point."""
    settings = ReadingSettings()
    search = Search(settings.search_width, settings.prior_weight)
    prior = load_prior("en")
    drawn = {name: lines_of(data, wear, lines) for name, wear in WEARS.items()}
    columns = np.mean([sample.ink.shape[1] for sample in drawn["clean"]])
    click.echo(f"{lines} lines, {columns:.0f} columns in the mean")
    click.echo("model     MB    net ms  net, decoding ms  clean %  worn %")
    with tempfile.TemporaryDirectory() as folder:
        whole = Path(folder) / "whole.onnx"
        export_onnx(
            net_of(torch.load(WEIGHTS, map_location="cpu", weights_only=True)).eval(), whole
        )
        for name, path in (("shipped", DEFAULT_MODEL), ("floats", whole)):
            network = load_network(path)

            def read(sample: LabelledLine, network: LineNetwork = network) -> str:
                steps = network.steps(sample.ink)
                return resolve(decode(steps), doubts_of(steps), prior, search).text

            def alone(sample: LabelledLine, network: LineNetwork = network) -> object:
                return network.steps(sample.ink)

            click.echo(
                f"{name:8} {path.stat().st_size / 2**20:4.1f} "
                f"{milliseconds(alone, drawn['clean']):8.2f} "
                f"{milliseconds(read, drawn['clean']):17.2f} "
                f"{100 * error_rate(network, drawn['clean']):8.2f} "
                f"{100 * error_rate(network, drawn['worn']):7.2f}"
            )


if __name__ == "__main__":
    main()
