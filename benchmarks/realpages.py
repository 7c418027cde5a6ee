"""Error rates on real pictures with hand-typed truth, one by one.

    python benchmarks/realpages.py FOLDER

FOLDER holds `images/` and `truth/*.json`: `blocks` in reading order with `kind` and `text`, `score`
(`full`, or `probe` where nothing may be read). Kinds that are not running text are left out.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click

from amberquarry import Page, read_page
from amberquarry.scoring.text import errors, errors_at_best_place, join_hyphens

_APART = {"table", "figure", "aside", "unscored"}


def rates(page: Page, truth: dict[str, Any]) -> tuple[int, int, int]:
    """Return characters of the truth, errors in order, errors in any order."""
    body = [b for b in truth["blocks"] if b["kind"] not in _APART and b.get("text")]
    flowing = join_hyphens([line for b in body for line in b.get("lines") or [b["text"]]])
    text = join_hyphens([line.text for block in page.blocks for line in block.lines])
    any_order = sum(
        min(len(part), errors_at_best_place(part, text))
        for part in (join_hyphens(b.get("lines") or [b["text"]]) for b in body)
    )
    return len(flowing), min(errors(text, flowing), max(len(flowing), len(text))), any_order


@click.command()
@click.argument("folder", type=click.Path(path_type=Path, exists=True))
def main(folder: Path) -> None:
    """Print a table of the pictures in FOLDER."""
    click.echo(
        f"{'picture':26} {'characters':>10} {'CER %':>7} {'any order':>9} {'words':>6} {'sure':>5}"
    )
    sums = [0, 0, 0]
    for path in sorted((folder / "truth").glob("*.json")):
        truth = json.loads(path.read_text(encoding="utf-8"))
        image = next((folder / "images").glob(path.stem + ".*"))
        page = read_page(image)
        count, in_order, any_order = rates(page, truth)
        words = sum(1 for _ in page.words)
        if truth["score"] != "full" or not count:
            shown = f"{count:10} {'–':>7} {'–':>9}"
        else:
            shown = f"{count:10} {100 * in_order / count:7.2f} {100 * any_order / count:9.2f}"
            sums = [a + b for a, b in zip(sums, (count, in_order, any_order), strict=True)]
        click.echo(f"{path.stem:26} {shown} {words:6} {page.confidence:5.2f}")
    count, in_order, any_order = sums
    click.echo(
        f"{'all scored':26} {count:10} {100 * in_order / count:7.2f} {100 * any_order / count:9.2f}"
    )


if __name__ == "__main__":
    main()
