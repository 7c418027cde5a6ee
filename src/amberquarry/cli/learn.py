"""What `learn` does and prints."""

from __future__ import annotations

import time
from pathlib import Path

import click

from amberquarry.errors import LearningError


def run_learn(lines: Path, out: Path, files: Path, passes: int) -> None:
    """Train the reader further on lines of a folder or of corrected pages; prints the result."""
    try:
        from amberquarry.training.labelled import lines_of_folder, lines_of_pages
        from amberquarry.training.learn import Report, learn
    except ImportError as error:
        raise LearningError(
            f"learning needs more packages ({error.name}): pip install 'amberquarry[train]'"
        ) from error
    if lines.is_dir():
        labelled = list(lines_of_folder(lines))
        if not labelled:
            raise LearningError(
                f"{lines}: no line pictures with a text file of the same name (line-1.png, "
                "line-1.txt)"
            )
    else:
        labelled = list(lines_of_pages(lines, files))
    click.echo(f"{len(labelled)} labelled lines", err=True)
    began = shown = time.monotonic()

    def progress(share: float, loss: float) -> None:
        nonlocal shown
        now = time.monotonic()
        if now - shown >= 5 and share > 0:
            shown = now
            left = (now - began) * (1 - share) / share
            click.echo(
                f"\r{100 * share:3.0f} %, loss {loss:.3f}, {left / 60:.0f} min left ",
                err=True,
                nl=False,
            )

    report: Report = learn(labelled, out, passes, progress)
    click.echo(err=True)
    click.echo(f"{'characters wrong':34} before   after")
    click.echo(
        f"{f'your lines ({report.held_back} held back)':34} "
        f"{100 * report.own_before:5.2f} % {100 * report.own_after:5.2f} %"
    )
    click.echo(
        f"{'other lines, as they came with it':34} "
        f"{100 * report.base_before:5.2f} % {100 * report.base_after:5.2f} %"
    )
    if report.own_after >= report.own_before:
        click.echo("Your lines are read no better: more of them, or labels with fewer slips, help.")
    click.echo(f"amberquarry convert … --reader {out}")
