"""Fit how likely a word is right, on pages with truth.

`python -m amberquarry.training.confidence PAGES...` reads the page pictures of the given folders,
each with its truth beside it as JSON (as `benchmarks/devpages.py` makes them), and writes
`models/confidence.json`.
"""

from __future__ import annotations

import json
import multiprocessing
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from amberquarry.errors import QuarryError
from amberquarry.formats.records import page_from_record
from amberquarry.library import read_page
from amberquarry.reading import confidence
from amberquarry.reading.confidence import FACTS, facts_of
from amberquarry.reading.languages import identify, load_prior
from amberquarry.scoring.compare import match_words
from amberquarry.scoring.text import plain
from amberquarry.values import Page

_PULL = 1e-3  # towards small weights


def words_right(page: Page, truth: Page) -> list[bool]:
    """Return for each word of a page whether the truth has it in its place with equal text."""
    found, wanted = list(page.words), list(truth.words)
    right = [False] * len(found)
    for mine, other in match_words(found, wanted):
        right[mine] = plain(found[mine].text) == plain(wanted[other].text)
    return right


def page_facts(path: Path) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return facts of a page's words, and whether each is right."""
    truth = page_from_record(json.loads(path.with_suffix(".json").read_text(encoding="utf-8")))
    try:
        page = read_page(path)
    except QuarryError:
        return np.zeros((0, len(FACTS))), np.zeros(0, bool)
    lines = [line for block in page.blocks for line in block.lines]
    language = identify(" ".join(line.text for line in lines))
    _, facts = facts_of(lines, load_prior(language) if language else None)
    return facts, np.array(words_right(page, truth), bool)


def fit(facts: NDArray[np.float64], right: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return the weights of the logistic regression of greatest likelihood."""
    sign = np.where(right, 1.0, -1.0)

    def loss(weights: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        margin = sign * (facts @ weights)
        slope = -sign / (1 + np.exp(margin))
        value = float(np.logaddexp(0, -margin).mean() + _PULL * weights @ weights)
        return value, facts.T @ slope / len(sign) + 2 * _PULL * weights

    result = minimize(loss, np.zeros(facts.shape[1]), jac=True, method="L-BFGS-B")
    weights: NDArray[np.float64] = result.x
    return weights


@click.command()
@click.argument("folders", nargs=-1, required=True, type=click.Path(path_type=Path, exists=True))
@click.option("--jobs", default=2, show_default=True)
def main(folders: tuple[Path, ...], jobs: int) -> None:
    """Fit on the pages of FOLDERS."""
    paths = [
        path
        for folder in folders
        for path in sorted(folder.glob("*"))
        if path.suffix != ".json" and path.with_suffix(".json").exists()
    ]
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        parts = pool.map(page_facts, paths, chunksize=4)
    facts = np.concatenate([part for part, _ in parts])
    right = np.concatenate([part for _, part in parts])
    weights = fit(facts, right)
    path = Path(confidence.__file__).parent.parent / "models" / "confidence.json"
    stored = dict(zip(FACTS, np.round(weights, 4).tolist(), strict=True))
    path.write_text(json.dumps({"weights": stored}, indent=1) + "\n", encoding="utf-8")
    click.echo(f"{len(right)} words of {len(paths)} pages, {100 * right.mean():.1f} % right")
    for name, weight in stored.items():
        click.echo(f"{weight:8.3f}  {name}")


if __name__ == "__main__":
    main()
