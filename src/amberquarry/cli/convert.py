"""What `convert` shows: progress on standard error, a closing summary on standard output."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click
from rich.console import Console
from rich.progress import (
    BarColumn,
    MofNCompleteColumn,
    TextColumn,
    TimeElapsedColumn,
)
from rich.progress import Progress as Bar

from amberquarry.cli.terminal import printable
from amberquarry.runs import Progress, RunSummary, convert
from amberquarry.runs.folder import REJECTED, read_records
from amberquarry.settings import Limits, Settings

_REJECTS_SHOWN = 10


def run_convert(
    inputs: tuple[str, ...],
    out: Path,
    settings: Settings,
    limits: Limits,
    jobs: int | None,
    pages: range | None,
    passwords: list[str],
) -> int:
    """Convert with progress and return the exit status."""
    summary = convert_with_progress(inputs, out, settings, limits, jobs, pages, passwords)
    click.echo(summary_text(summary, out))
    return 1 if summary.rejected_count or summary.failed_pages else 0


def convert_with_progress(
    inputs: tuple[str, ...],
    out: Path,
    settings: Settings,
    limits: Limits,
    jobs: int | None,
    pages: range | None = None,
    passwords: Sequence[str] = (),
) -> RunSummary:
    """Convert and draw progress: pages done, rate and time left."""
    console = Console(stderr=True)
    with Bar(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TextColumn("files"),
        TimeElapsedColumn(),
        TextColumn("{task.fields[rate]}"),
        console=console,
        disable=not console.is_terminal,
    ) as bar:
        task = bar.add_task("reading", total=None, rate="")
        shown = 0.0

        def show(state: Progress) -> None:
            nonlocal shown
            rate = state.pages_done / state.seconds if state.seconds else 0.0
            text = progress_text(state, rate)
            bar.update(task, total=state.files_total, completed=state.files_done, rate=text)
            if not console.is_terminal and state.seconds - shown >= 15:
                shown = state.seconds
                console.print(
                    f"{state.files_done} of {state.files_total} files, {text}", highlight=False
                )

        return convert(
            inputs,
            out,
            settings=settings,
            limits=limits,
            jobs=jobs,
            pages=pages,
            progress=show,
            passwords=passwords,
        )


def progress_text(state: Progress, rate: float) -> str:
    """Return pages done, rate and time left in words."""
    text = f"{state.pages_done} pages, {rate:.1f} pages/s"
    if state.pages_done >= 5 and rate > 0 and state.files_total:
        # files not yet opened are taken to be like those that were
        opened = max(1, state.files_done)
        expected = (
            state.pages_known
            if state.files_done == state.files_total
            else max(state.pages_known, state.pages_done / opened * state.files_total)
        )
        left = max(0.0, (expected - state.pages_done) / rate)
        text += f", {_duration(left)} left"
    return text


def _duration(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    if hours:
        return f"{hours} h {minutes} min"
    return f"{minutes} min {rest} s" if minutes else f"{rest} s"


def summary_text(summary: RunSummary, out: Path) -> str:
    """Return the closing summary."""
    lines = [
        f"documents        {summary.documents}",
        f"pages            {summary.pages}",
        f"words            {summary.words}",
        f"rate             {summary.pages_per_second:.2f} pages/s in {_duration(summary.seconds)}",
        f"low confidence   {summary.low_confidence_pages} pages",
    ]
    if summary.already_done:
        lines.append(f"done before      {summary.already_done} documents")
    if summary.failed_pages:
        lines.append(f"failed pages     {summary.failed_pages}; the same command tries them again")
    if summary.skipped:
        lines.append(
            f"skipped          {len(summary.skipped)} hidden or system files: "
            + printable(", ".join(summary.skipped[:5]))
        )
    if summary.links:
        lines.append(
            f"not followed     {len(summary.links)} links to folders: "
            + printable(", ".join(summary.links[:5]))
            + "; name them as inputs to have them read"
        )
    if summary.rejected_count:
        reasons = ", ".join(
            f"{count} {reason}" for reason, count in sorted(summary.rejected.items())
        )
        lines.append(f"rejected         {summary.rejected_count} files: {reasons}")
        for number, record in enumerate(read_records(out / REJECTED)):
            if number == _REJECTS_SHOWN:
                lines.append(f"  … more in {out / REJECTED}")
                break
            lines.append(printable(f"  {record['path']}: {record['message']}"))
    lines.append(f"results in       {out}")
    return "\n".join(lines)
