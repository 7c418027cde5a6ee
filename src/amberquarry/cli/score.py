"""What `score` prints."""

from __future__ import annotations

from pathlib import Path

import click

from amberquarry.scoring import Score, score_run


def run_score(run: Path, truth: Path) -> None:
    """Print the table of scores."""
    click.echo(score_table(score_run(run, truth)))


def score_table(scores: dict[str, Score]) -> str:
    """Return scores by class as a table; a dash where there is nothing to measure."""
    head = (
        f"{'class':18} {'pages':>5} {'CER %':>7} {'any order':>9} {'in place':>8} {'WER %':>7} "
        f"{'box F1':>7} {'word F1':>7} {'order':>7} {'digits':>7} {'spaces lost':>11} {'added':>6}"
    )
    rows = [head]
    for name in sorted(scores, key=lambda name: (name == "all", name)):
        s = scores[name]
        rows.append(
            f"{name:18} {s.pages:5} {_percent(s.cer):>7} {_percent(s.cer_any_order):>9} "
            f"{_percent(s.cer_in_place):>8} {_percent(s.wer):>7} "
            f"{_share(s.box_f1):>7} {_share(s.word_f1):>7} "
            f"{_share(s.order):>7} {_percent(s.digits):>7} {_percent(s.spaces_missing):>11} "
            f"{_percent(s.spaces_extra):>6}"
        )
    return "\n".join(rows)


def _percent(value: float | None) -> str:
    return "–" if value is None else f"{100 * value:.2f}"


def _share(value: float | None) -> str:
    return "–" if value is None else f"{value:.3f}"
