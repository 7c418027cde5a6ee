"""Keep the figures that benchmarks print, and tell what changed since they were kept last.

    python benchmarks/results.py keep insets.py score --data DATA    run one and keep its table
    python benchmarks/results.py diff                                what changed, case by case
    python benchmarks/results.py diff --least 0.05 layout.py         of some programs, by so much

Each row of figures that a program prints becomes a line of `benchmarks/results/<program>.jsonl`:
case (program and options but for places), row, figures, commit, machine and versions.
"""

from __future__ import annotations

import json
import os
import platform
import re
import subprocess
import sys
from collections import defaultdict
from importlib import metadata
from pathlib import Path
from typing import Any

import click

HERE = Path(__file__).parent
FOLDER = HERE / "results"
NUMBER = re.compile(r"^[+-]?\d+(?:\.\d+)?%?$")
NONE = "–"
PACKAGES = ("numpy", "opencv-python-headless", "scipy", "onnxruntime", "pypdfium2")


def row_of(line: str) -> tuple[str, list[float | None]] | None:
    """Return the name and the figures of a printed row, None for other lines."""
    if line.startswith("|"):  # a table in Markdown: the first cell is the name
        name, *others = (cell.strip() for cell in line.strip("| \n").split("|"))
        found = [re.search(r"-?\d+(?:\.\d+)?", cell) for cell in others]
        numbers = [None if match is None else float(match[0]) for match in found]
        return (name, numbers) if sum(n is not None for n in numbers) > 1 else None
    cells = [cell for cell in line.split() if cell not in ("ms", "%", "of")]
    figures: list[float | None] = []
    while cells and (NUMBER.match(cells[-1]) or cells[-1] == NONE):
        cell = cells.pop()
        figures.insert(0, None if cell == NONE else float(cell.rstrip("%")))
    if not cells or len(figures) < 2:
        return None
    return " ".join(cells), figures


def case_of(command: list[str]) -> str:
    """Return what a command measures: its words, without the places of data and how many jobs."""
    kept: list[str] = []
    skip = False
    for word in command:
        if skip or word.startswith("/"):
            skip = False
        elif word in ("--data", "--jobs", "--worst", "--out"):
            skip = True
        else:
            kept.append(word)
    return " ".join(kept)


def facts() -> dict[str, Any]:
    """Return what else a figure depends on."""
    commit = subprocess.run(
        ["git", "describe", "--always", "--dirty"], cwd=HERE, capture_output=True, text=True,
        check=False,
    ).stdout.strip()  # fmt: skip
    return {
        "commit": commit,
        "machine": f"{platform.machine()}, {os.cpu_count()} processors",
        "versions": {name: metadata.version(name) for name in PACKAGES},
    }


@click.group()
def main() -> None:
    """Keep and compare figures of benchmarks."""


@main.command(context_settings={"ignore_unknown_options": True})
@click.argument("command", nargs=-1, required=True, type=click.UNPROCESSED)
def keep(command: tuple[str, ...]) -> None:
    """Run a program of this folder, show what it prints and keep its rows of figures."""
    with subprocess.Popen(
        [sys.executable, *command], cwd=HERE, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout is not None
        rows = []
        for line in process.stdout:
            click.echo(line, nl=False)
            found = row_of(line)
            if found is not None:
                rows.append(found)
    if process.returncode:
        sys.exit(process.returncode)
    FOLDER.mkdir(exist_ok=True)
    path = FOLDER / f"{Path(command[0]).stem}.jsonl"
    case, more = case_of([*command]), facts()
    with path.open("a", encoding="utf-8") as file:
        for name, figures in rows:
            record = {"case": case, "row": name, "figures": figures, **more}
            file.write(json.dumps(record, ensure_ascii=False) + "\n")


@main.command()
@click.argument("programs", nargs=-1)
@click.option("--least", default=0.0, help="Show figures that changed by more than this.")
def diff(programs: tuple[str, ...], least: float) -> None:
    """Print the figures that changed between the two commits that were kept last, by case."""
    changed = 0
    for path in sorted(FOLDER.glob("*.jsonl")):
        if programs and f"{path.stem}.py" not in programs:
            continue
        kept: dict[tuple[str, str], dict[str, list[float | None]]] = defaultdict(dict)
        for line in path.read_text(encoding="utf-8").splitlines():
            record = json.loads(line)
            own = kept[record["case"], record["row"]]
            own.pop(record["commit"], None)  # kept again, it is the latest
            own[record["commit"]] = record["figures"]
        for (case, row), by_commit in kept.items():
            if len(by_commit) < 2:
                continue
            (before, old), (after, new) = list(by_commit.items())[-2:]
            for number, (a, b) in enumerate(zip(old, new, strict=False), start=1):
                if a is not None and b is not None and abs(b - a) > least:
                    changed += 1
                    click.echo(f"{case}: {row}, figure {number}: {a} to {b} ({before} to {after})")
    click.echo(f"{changed} figures changed")


if __name__ == "__main__":
    main()
