"""Measure whether turned pages are set upright, and what that costs.

`python benchmarks/orientation.py --data DATA [--split inspect]` turns every development page with
at least five lines by 0, 90, 180 and 270 degrees, reads how it stands, and prints a table: pages,
share set upright, doubtful ones among the right and the wrong, and milliseconds beyond the
preparation and layout that the page needs anyway.
"""

from __future__ import annotations

import json
import multiprocessing
import random
import time
from collections import defaultdict
from pathlib import Path

import click
import numpy as np
from PIL import Image

from amberquarry.imaging import prepare
from amberquarry.ink.finding import find_text, ink_of
from amberquarry.pages.standing import upright
from amberquarry.reading import load_reader
from amberquarry.settings import Settings

LEVELS = ("clean", "office", "poor")
LEAST_LINES = 5


def turns_of(path: str) -> list[tuple[int, int, bool, float]]:
    """Return turn, turn found, doubt and milliseconds for each of the four ways to lie."""
    import cv2

    cv2.setNumThreads(1)
    settings = Settings()
    reader = load_reader(settings.reading)
    image = np.array(Image.open(path).convert("L"))
    rows = []
    for turn in (0, 90, 180, 270):
        grey = np.ascontiguousarray(np.rot90(image, -turn // 90))
        prepared = prepare(grey, settings.preparation)
        ink = ink_of(prepared)
        text = find_text(ink, prepared.letter_height, settings.layout)
        began = time.perf_counter()
        found = upright(grey, prepared, ink, text, reader, settings)
        seconds = time.perf_counter() - began
        rows.append((turn, found.prepared.turned, found.unsure, 1000 * seconds))
    return rows


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", default="inspect", show_default=True)
@click.option("--level", "levels", multiple=True, type=click.Choice(LEVELS), default=LEVELS)
@click.option("--most", default=0, help="Only so many pages of each level.")
@click.option("--jobs", default=2, show_default=True)
def main(data: Path, split: str, levels: tuple[str, ...], most: int, jobs: int) -> None:
    """Print how many turned pages are set upright."""
    click.echo(
        "level    turn pages  right %  doubtful and right  doubtful and wrong  median ms  mean ms"
    )
    for level in levels:
        paths = []
        for truth in sorted((data / "devpages" / split / level).glob("*.json")):
            blocks = json.loads(truth.read_text(encoding="utf-8"))["blocks"]
            if sum(len(block["lines"]) for block in blocks) >= LEAST_LINES:
                paths += [str(p) for p in truth.parent.glob(f"{truth.stem}.*") if p != truth]
        if most:
            paths = random.Random(3).sample(paths, min(most, len(paths)))
        with multiprocessing.get_context("spawn").Pool(jobs) as pool:
            found = pool.map(turns_of, paths, chunksize=1)
        by_turn: dict[int, list[tuple[bool, bool, float]]] = defaultdict(list)
        for path, rows in zip(paths, found, strict=True):
            for turn, said, doubtful, ms in rows:
                by_turn[turn].append((turn == said, doubtful, ms))
                if turn != said:
                    click.echo(f"    {Path(path).stem}: lies at {turn}, taken for {said}")
        for turn, results in by_turn.items():
            right = 100 * sum(ok for ok, _, _ in results) / len(results)
            sure = [sum(d and ok == want for ok, d, _ in results) for want in (True, False)]
            times = [ms for _, _, ms in results]
            click.echo(
                f"{level:8} {turn:4} {len(results):5} {right:8.1f} {sure[0]:19} {sure[1]:19} "
                f"{np.median(times):10.0f} {np.mean(times):8.0f}"
            )


if __name__ == "__main__":
    main()
