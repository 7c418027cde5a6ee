"""Measure what the prior of letters gains, and that it leaves figures alone.

`python benchmarks/prior.py --data DATA` draws worn lines in fonts held out of training, from
paragraphs held out of the prior (languages without running text: from word lists, which the prior
has seen), reads each by the best path and with the prior, and prints errors by language. Then it
reads lines of amounts, dates and codes and counts those whose figures the prior changed.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from pathlib import Path

import click
from rapidfuzz.distance import Levenshtein

from amberquarry.reading import load_network
from amberquarry.reading.decode import decode, doubts_of, resolve
from amberquarry.reading.languages import load_prior
from amberquarry.reading.net import DEFAULT_MODEL, LineNetwork
from amberquarry.reading.search import Search
from amberquarry.training.faces import load_faces
from amberquarry.training.lines import LineSource, Sample
from amberquarry.training.texts import LANGUAGE_WEIGHTS, Corpus, cells, sample_text

APART = 50  # every so many paragraphs were kept out of the prior
WEAR = 0.8


def figures_only(corpus: Corpus, chance: random.Random, length: int, _: float) -> str:
    """Return a line of amounts, dates and codes."""
    return cells(corpus, chance, length)


def samples(
    data: Path,
    corpus: Corpus,
    count: int,
    seed: int,
    write: Callable[[Corpus, random.Random, int, float], str] = sample_text,
) -> list[Sample]:
    """Return worn lines in held-out fonts."""
    faces = load_faces(data / "faces.json", "test")
    source = LineSource(data, corpus, faces, {}, seed, write=write)
    found: list[Sample] = []
    while len(found) < count:
        found.extend(source.lines(WEAR))
    return found[:count]


def of_language(corpus: Corpus, language: str) -> Corpus:
    """Return the part of the corpus in one language that its prior has not counted."""
    apart = corpus.paragraphs.get(language, [])[::APART]
    long = [p for p in apart if len(p) > 30]
    words = corpus.words[language]
    return Corpus({language: long or [" ".join(words[:40])]}, {language: words})


def read(
    network: LineNetwork, found: list[Sample], language: str, searches: list[Search]
) -> list[list[str]]:
    """Return the texts of each line: the best path's, then those of the searches."""
    rows = []
    for sample in found:
        steps = network.steps(sample.ink)
        plain = decode(steps)
        doubts = doubts_of(steps)
        prior = load_prior(language)
        rows.append(
            [plain.text, *(resolve(plain, doubts, prior, search).text for search in searches)]
        )
    return rows


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--model", type=click.Path(path_type=Path, exists=True), default=DEFAULT_MODEL)
@click.option("--lines", default=150, show_default=True, help="For each language.")
@click.option("--weight", "weights", multiple=True, type=float, default=[0.3])
@click.option("--figures", default=1200, show_default=True, help="Lines of figures.")
@click.option("--language", "chosen", multiple=True)
def main(
    data: Path,
    model: Path,
    lines: int,
    weights: list[float],
    figures: int,
    chosen: tuple[str, ...],
) -> None:
    """Print errors by language, and figures that the prior changed."""
    network = load_network(model)
    corpus = Corpus.load(data / "corpus")
    searches = [Search(6, weight) for weight in weights]
    click.echo("language  lines  best path %  " + "  ".join(f"weight {w}" for w in weights))
    whole = [0] * (len(searches) + 1)
    characters = 0
    for language in chosen or sorted(LANGUAGE_WEIGHTS.keys() & corpus.words.keys()):
        found = samples(data, of_language(corpus, language), lines, seed=5)
        wrong = [0] * (len(searches) + 1)
        for sample, texts in zip(found, read(network, found, language, searches), strict=True):
            for number, text in enumerate(texts):
                wrong[number] += Levenshtein.distance(text, sample.text)
        length = sum(len(sample.text) for sample in found)
        characters += length
        whole = [a + b for a, b in zip(whole, wrong, strict=True)]
        click.echo(
            f"{language:8} {len(found):6} " + "  ".join(f"{100 * w / length:10.2f}" for w in wrong)
        )
    click.echo(f"{'all':8} {'':6} " + "  ".join(f"{100 * w / characters:10.2f}" for w in whole))

    found = samples(data, of_language(corpus, "en"), figures, 6, figures_only)
    changed = numbers = 0
    for texts in read(network, found, "en", searches):
        old = re.findall(r"\S*\d\S*", texts[0])
        numbers += len(old)
        for text in texts[1:]:
            changed += sum(
                a != b for a, b in zip(old, re.findall(r"\S*\d\S*", text), strict=False)
            ) + abs(len(old) - len(re.findall(r"\S*\d\S*", text)))
    click.echo(f"words with figures: {numbers}, changed by the prior: {changed}")


if __name__ == "__main__":
    main()
