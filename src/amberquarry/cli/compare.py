"""What `compare` runs, prints and writes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray

from amberquarry.cli.convert import convert_with_progress
from amberquarry.errors import QuarryError
from amberquarry.formats.records import dump
from amberquarry.library import page_picture
from amberquarry.runs.folder import DOCUMENTS, SUMMARY, write_whole
from amberquarry.runs.inputs import find_inputs
from amberquarry.scoring.variants import (
    Difference,
    RunFigures,
    Variant,
    best_of,
    compare_runs,
    text_of,
    variants_of,
)
from amberquarry.settings import Limits, Settings
from amberquarry.values import weighted_confidence

BEST, DIFFERENCES, SHEET = "best.toml", "differences.jsonl", "differences.png"


def run_compare(
    inputs: Sequence[str],
    vary: Sequence[str],
    out: Path,
    truth: Path | None,
    settings: Settings,
    limits: Limits,
    jobs: int | None,
    pages: range | None,
    files: Path,
) -> None:
    """Compare finished runs, or read files in several ways and compare these runs."""
    folders = [Path(name) for name in inputs]
    finished = [
        all((folder / name).is_file() for name in (SUMMARY, DOCUMENTS)) for folder in folders
    ]
    if vary:
        if any(finished):
            raise ValueError("--vary reads files anew; name files or folders of files, not runs")
        variants = variants_of(settings, vary)
        if len(variants) < 2:
            raise ValueError("--vary gives one way of reading; name at least two values")
        paths = {file.name: file.path for file in find_inputs(inputs, out).files}
        runs = {}
        for number, variant in enumerate(variants, start=1):
            click.echo(f"{number} of {len(variants)}: {variant.name}", err=True)
            folder = out / f"run-{number}"
            convert_with_progress(tuple(inputs), folder, variant.settings, limits, jobs, pages)
            runs[variant.name] = folder
        picture_of = _pictures(paths.get)
    elif all(finished) and len(folders) >= 2:
        if len({folder.resolve() for folder in folders}) < len(folders):
            raise ValueError("a run is named twice; compare different runs")
        variants = []
        runs = {str(folder): folder for folder in folders}
        picture_of = _pictures(lambda name: files / name)
    else:
        raise ValueError("name at least two finished runs, or files and --vary NAME=VALUE,VALUE")
    figures, differences = compare_runs(runs, truth)
    click.echo(table(figures))
    best = best_of(figures)
    click.echo(f"best: {best.name}")
    out.mkdir(parents=True, exist_ok=True)
    _write(out, list(runs), differences, picture_of)
    for variant in variants:
        if variant.name == best.name:
            write_whole(out / BEST, _best_text(variant, best))
            click.echo(f"its settings: {out / BEST}, for `convert --settings`", err=True)
    click.echo(f"{len(differences)} words differ: {out / SHEET}, {out / DIFFERENCES}", err=True)


def _best_text(variant: Variant, found: RunFigures) -> str:
    measure = (
        f"{100 * found.cer:.2f} % of characters wrong"
        if found.cer is not None
        else f"mean confidence {found.confidence:.3f} over {found.words} words"
    )
    return f"# {variant.name}: {measure}\n{variant.settings.to_toml()}"


def table(figures: Sequence[RunFigures]) -> str:
    """Return the figures of compared runs, one row each."""
    scored = any(run.cer is not None for run in figures)
    width = max(8, *(len(run.name) for run in figures))
    head = f"{'':{width}} {'pages':>5} {'words':>6} {'confidence':>10} {'low %':>6} {'s/page':>6}"
    rows = [head + (f" {'CER %':>6} {'WER %':>6}" if scored else "")]
    for run in figures:
        seconds = "–" if run.seconds is None else f"{run.seconds:.2f}"
        row = (
            f"{run.name:{width}} {run.pages:5} {run.words:6} {run.confidence:10.3f} "
            f"{100 * run.low_share:6.1f} {seconds:>6}"
        )
        if run.cer is not None and run.wer is not None:
            row += f" {100 * run.cer:6.2f} {100 * run.wer:6.2f}"
        rows.append(row)
    return "\n".join(rows)


def _write(
    out: Path,
    names: Sequence[str],
    differences: Sequence[Difference],
    picture_of: Callable[[str, int], NDArray[np.uint8] | None],
) -> None:
    from amberquarry.sheets import draw_differences

    rows = [
        dump(
            {
                "source": difference.source,
                "page": difference.page,
                "box": [round(value, 1) for value in difference.box],
                "readings": [
                    {
                        "run": name,
                        "text": text_of(words),
                        "confidence": round(weighted_confidence(words), 3),
                    }
                    for name, words in zip(names, difference.readings, strict=True)
                ],
            }
        )
        for difference in differences
    ]
    write_whole(out / DIFFERENCES, "".join(row + "\n" for row in rows))
    draw_differences(differences, names, picture_of).save(out / SHEET, "PNG")


def _pictures(
    path_of: Callable[[str], Path | None],
) -> Callable[[str, int], NDArray[np.uint8] | None]:
    """Return what gives the picture of a page of a source, None where it can't be opened."""

    @lru_cache(maxsize=8)
    def picture_of(source: str, page: int) -> NDArray[np.uint8] | None:
        path = path_of(source)
        if path is None or not path.is_file():
            return None
        try:
            return page_picture(path, page, Settings(), Limits()).grey
        except (QuarryError, ValueError):
            return None

    return picture_of
