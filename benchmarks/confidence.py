"""Measure whether confidence means what it says.

`python benchmarks/confidence.py --data DATA [--split inspect]` reads development pages of all
scanner levels and prints, beside the plain product of the characters' probabilities as the floor:
the expected calibration error over words in ten equal classes of confidence, the area under the ROC
curve of "this word is right", and the rank correlation of a page's legibility with its true error
(character errors line by line, so that reading order plays no part) over all pages and each level.
"""

from __future__ import annotations

import json
import multiprocessing
import random
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein
from scipy.stats import rankdata, spearmanr

from amberquarry import QuarryError, read_page
from amberquarry.formats.records import page_from_record
from amberquarry.scoring.compare import APART, line_pairs
from amberquarry.training.confidence import words_right
from amberquarry.values import Page

LEVELS = ("clean", "office", "poor")


def product(page: Page) -> list[float]:
    """Return for each word the product of its characters' probabilities: the floor."""
    return [
        float(np.prod(line.character_confidences[word.start : word.end]))
        for block in page.blocks
        for line in block.lines
        for word in line.words
    ]


def read_one(path: str) -> tuple[list[tuple[float, float, bool]], float, float] | None:
    """Return (confidence, product, right) of each word, the page's legibility and its error."""
    import cv2

    cv2.setNumThreads(1)
    text = Path(path).with_suffix(".json").read_text(encoding="utf-8")
    truth = page_from_record(json.loads(text))
    try:
        page = read_page(path)
    except QuarryError as error:
        click.echo(f"{path}: {error}", err=True)
        return None
    body = [b for b in truth.blocks if b.kind not in APART]
    pairs, _ = line_pairs(list(page.words), body)
    wrong = sum(min(len(wanted), Levenshtein.distance(wanted, got)) for wanted, got in pairs)
    confidences = [word.confidence for word in page.words]
    rows = list(zip(confidences, product(page), words_right(page, truth), strict=True))
    return rows, page.legibility, wrong / max(1, sum(len(wanted) for wanted, _ in pairs))


def calibration_error(said: NDArray[np.float64], right: NDArray[np.bool_]) -> float:
    """Return the mean distance of confidence and share of right words over ten classes."""
    classes = np.minimum((said * 10).astype(int), 9)
    gaps = [
        (classes == n).sum() * abs(said[classes == n].mean() - right[classes == n].mean())
        for n in range(10)
        if (classes == n).any()
    ]
    return float(sum(gaps) / len(said))


def area_under_curve(said: NDArray[np.float64], right: NDArray[np.bool_]) -> float:
    """Return the probability that a right word has more confidence than a wrong one."""
    ranks = rankdata(said)
    good, bad = int(right.sum()), int((~right).sum())
    if not good or not bad:
        return float("nan")
    return float((ranks[right].sum() - good * (good + 1) / 2) / (good * bad))


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", default="inspect", show_default=True)
@click.option("--most", default=0, help="Only so many pages of each level.")
@click.option("--jobs", default=2, show_default=True)
def main(data: Path, split: str, most: int, jobs: int) -> None:
    """Print calibration, separation of right from wrong, and order of pages."""
    click.echo(
        "level    pages  words right %   ECE (product)    AUC (product)   pages' rank correlation"
    )
    all_words: list[tuple[float, float, bool]] = []
    all_pages: list[tuple[float, float]] = []

    def show(
        name: str, words: list[tuple[float, float, bool]], pages: list[tuple[float, float]]
    ) -> None:
        table = np.array(words, float)
        said, floor, right = table[:, 0], table[:, 1], table[:, 2] > 0
        order = -float(spearmanr(*zip(*pages, strict=True)).statistic)
        click.echo(
            f"{name:8} {len(pages):5} {len(words):6} {100 * right.mean():7.2f}  "
            f"{calibration_error(said, right):.4f} ({calibration_error(floor, right):.4f})  "
            f"{area_under_curve(said, right):.4f} ({area_under_curve(floor, right):.4f})  "
            f"{order:8.3f}"
        )

    for level in LEVELS:
        folder = data / "devpages" / split / level
        paths = [str(p) for p in sorted(folder.glob("*")) if p.suffix != ".json"]
        if most:
            paths = random.Random(3).sample(paths, min(most, len(paths)))
        with multiprocessing.get_context("spawn").Pool(jobs) as pool:
            results = [found for found in pool.map(read_one, paths, chunksize=1) if found]
        words = [row for rows, _, _ in results for row in rows]
        pages = [(confidence, error) for rows, confidence, error in results if rows]
        show(level, words, pages)
        all_words += words
        all_pages += pages
    show("all", all_words, all_pages)


if __name__ == "__main__":
    main()
