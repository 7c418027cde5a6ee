"""Count which letters follow which in each language, for the reader's prior.

`python -m amberquarry.training.priors --data DATA` writes `models/languages/LANGUAGE.npz` and
`models/languages/all.npz` (trigrams of all languages, by which a text's language is told) from the
text and word lists that `training.corpus` made. Every fiftieth paragraph is kept apart, and the
share of those whose language is told right is printed.
"""

from __future__ import annotations

import math
import zlib
from collections import Counter
from pathlib import Path

import click
import numpy as np

from amberquarry.reading import languages
from amberquarry.reading.languages import LEVELS_PER_DOUBLING, ORDER, identify, words_of
from amberquarry.training.texts import LANGUAGE_WEIGHTS, Corpus

MOST_RUNS = 40_000  # for each language
MOST_WORDS = 20_000
MOST_TRIGRAMS = 700  # of each language, to tell languages apart
_LIST_WEIGHT = 0.3  # of a word in a list against one in running text, given a million words
_APART = 50


def count_words(corpus: Corpus, language: str) -> Counter[str]:
    """Return weighted counts of words: running text first, lists for the breadth."""
    counts: Counter[str] = Counter()
    paragraphs = corpus.paragraphs.get(language, [])
    for number, paragraph in enumerate(paragraphs):
        if number % _APART:
            counts.update(words_of(paragraph))
    listed = [word for entry in corpus.words[language] for word in words_of(entry)]
    weight = _LIST_WEIGHT * max(50_000, sum(counts.values())) / max(1, len(listed))
    for word in listed:
        counts[word] += weight  # type: ignore[assignment]
    return counts


def most_frequent(words: Counter[str]) -> list[str]:
    """Return the MOST_WORDS most frequent words; of those as frequent, any across the alphabet."""
    return sorted(words, key=lambda word: (-words[word], zlib.crc32(word.encode())))[:MOST_WORDS]


def count_runs(words: Counter[str]) -> dict[str, float]:
    """Return how often each run of one to ORDER letters stands in words with a space around."""
    runs: dict[str, float] = {}
    for word, count in words.items():
        text = f" {word} "
        for at in range(1, len(text)):
            for length in range(1, ORDER + 1):
                if at + 1 >= length:
                    run = text[at + 1 - length : at + 1]
                    runs[run] = runs.get(run, 0.0) + count
    runs[" "] = runs.get(" ", 0.0)
    return runs


def keep_frequent(runs: dict[str, float], most: int) -> dict[str, float]:
    """Return the most frequent runs; a run's beginnings are kept with it since they are as many."""
    ranked = sorted(runs.items(), key=lambda item: (-item[1], item[0]))
    return dict(ranked[:most])


def _bytes(parts: list[str]) -> np.ndarray:
    return np.frombuffer("\n".join(parts).encode("utf-8"), np.uint8)


def write_prior(path: Path, runs: dict[str, float], words: list[str]) -> None:
    """Write a language's runs, with counts as logarithms, and its words."""
    names = sorted(runs)
    least = min(runs.values())
    levels = [round(LEVELS_PER_DOUBLING * math.log2(runs[n] / least + 1)) for n in names]
    np.savez_compressed(
        path,
        runs=_bytes(names),
        levels=np.minimum(levels, 255).astype(np.uint8),
        words=_bytes(words),
    )


def write_languages(path: Path, trigrams: dict[str, dict[str, float]]) -> None:
    """Write the frequent trigrams of all languages with their frequency in each."""
    names = sorted(trigrams)
    chosen = sorted({run for name in names for run in keep_frequent(trigrams[name], MOST_TRIGRAMS)})
    levels = np.zeros((len(chosen), len(names)), np.uint8)
    for column, name in enumerate(names):
        whole = sum(trigrams[name].values())
        for row, run in enumerate(chosen):
            share = max(trigrams[name].get(run, 0.0) / whole, 1e-6)
            levels[row, column] = min(255, round(-16 * math.log(share)))
    np.savez_compressed(path, runs=_bytes(chosen), names=_bytes(names), levels=levels)


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
def main(data: Path) -> None:
    """Write the priors of all languages of the corpus."""
    corpus = Corpus.load(data / "corpus")
    folder = Path(languages.__file__).parent.parent / "models" / "languages"
    folder.mkdir(exist_ok=True)
    trigrams = {}
    for language in sorted(LANGUAGE_WEIGHTS.keys() & corpus.words.keys()):
        words = count_words(corpus, language)
        runs = count_runs(words)
        trigrams[language] = {run: count for run, count in runs.items() if len(run) == 3}
        frequent = [word for word in most_frequent(words) if len(word) > 1]
        path = folder / f"{language}.npz"
        write_prior(path, keep_frequent(runs, MOST_RUNS), sorted(frequent))
        click.echo(f"{language}: {len(runs)} runs, {path.stat().st_size} bytes")
    write_languages(folder / "all.npz", trigrams)
    for language, paragraphs in sorted(corpus.paragraphs.items()):
        apart = [p for p in paragraphs[::_APART] if len(p) >= 120]
        told = Counter(identify(p[:300]) for p in apart)
        if apart:
            click.echo(
                f"{language}: told right {told[language]} of {len(apart)}, {told.most_common(3)}"
            )


if __name__ == "__main__":
    main()
