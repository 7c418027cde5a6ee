"""Kinds and reading order on real pages that were labelled by hand.

    python benchmarks/labelled.py DATA FOLDER

DATA holds the development pages of `devpages.py`; `labelled.tsv` beside this file says what the
lines of some of them are. FOLDER holds real scans as `realpages.py` takes them: their truth has
kinds and text, no places.
"""

from __future__ import annotations

import json
from collections import Counter, defaultdict
from itertools import pairwise
from pathlib import Path
from typing import Any

import click
from rapidfuzz.distance import Indel

from amberquarry import BlockKind, Page, read_page
from amberquarry.formats.records import page_from_record
from amberquarry.values import RUNNING, Box
from layout import HEAD, Counts, compare, row

_REAL = {
    "heading": BlockKind.HEADING, "paragraph": BlockKind.PARAGRAPH, "list": BlockKind.ITEM,
    "caption": BlockKind.CAPTION, "footnote": BlockKind.FOOTNOTE, "table": BlockKind.TABLE,
    "header": BlockKind.RUNNING_HEAD, "footer": BlockKind.RUNNING_FOOT,
    "pagenum": BlockKind.PAGE_NUMBER,
}  # fmt: skip
_ALIKE = 0.6  # of two texts that are one block


def labels(path: Path) -> dict[str, list[tuple[list[str], range]]]:
    """Return for each page its blocks: kinds that are right, the wanted first, and their lines."""
    found: dict[str, list[tuple[list[str], range]]] = {}
    for line in path.read_text(encoding="utf-8").splitlines():
        if line.startswith("#"):
            continue
        page, blocks = line.split("\t")
        found[page] = []
        for block in blocks.split("; "):
            kinds, lines = block.split(" ")
            first, _, last = lines.partition("-")
            found[page].append((kinds.split("/"), range(int(first), int(last or first) + 1)))
    return found


def labelled_record(record: dict[str, Any], blocks: list[tuple[list[str], range]]) -> Any:
    """Return the record of a development page with its lines in labelled blocks."""
    lines = [line for block in record["blocks"] for line in block["lines"]]
    made = []
    for number, (kinds, chosen) in enumerate(blocks):
        own = [lines[n] for n in chosen]
        box = Box.around([Box(*line["box"]) for line in own])
        text = "\n".join(line["text"] for line in own)
        made.append({"id": f"t{number}", "kind": kinds[0], "box": list(box), "text": text,
                     "lines": own, "confidence": 1.0, "source": text, "depth": None,
                     "taken_for": kinds[1:]})  # fmt: skip
    return {**record, "blocks": made}


def compare_texts(page: Page, truth: dict[str, Any]) -> Counter[str]:
    """Return counts by kind, and of neighbours in order, where the truth has no places."""
    counts: Counter[str] = Counter()
    wanted = [block for block in truth["blocks"] if block.get("text") and block["kind"] in _REAL]
    places: list[int] = []
    for block in wanted:
        kind = _REAL[block["kind"]]
        alike = [Indel.normalized_similarity(block["text"], own.text) for own in page.blocks]
        best = max(range(len(alike)), key=lambda n: alike[n], default=0)
        hit = bool(alike) and alike[best] >= _ALIKE
        counts[f"{kind} wanted"] += 1
        if hit:
            counts[f"{kind} right"] += page.blocks[best].kind is kind
            if kind not in RUNNING:
                places.append(best)
    counts["neighbours"] = max(0, len(places) - 1)
    counts["in order"] = sum(a <= b for a, b in pairwise(places))
    return counts


@click.command()
@click.argument("data", type=click.Path(path_type=Path, exists=True))
@click.argument("folder", type=click.Path(path_type=Path, exists=True))
def main(data: Path, folder: Path) -> None:
    """Read the labelled pages and print a table for each of the two sorts."""
    click.echo(HEAD)
    everything = Counts()
    for stem, blocks in labels(Path(__file__).with_suffix(".tsv")).items():
        path = data / "devpages" / "inspect" / "clean" / f"{stem}.json"
        record = labelled_record(json.loads(path.read_text(encoding="utf-8")), blocks)
        page = read_page(next(p for p in path.parent.glob(f"{stem}.*") if p.suffix != ".json"))
        counts = compare(page, page_from_record(record), record["blocks"])
        name = stem.split("_", 1)[1][-20:]
        click.echo(row(name, counts))
        everything += counts
    click.echo(row("all", everything))
    click.echo("\nreal scans: blocks found with their kind, of those wanted")
    sums: dict[str, int] = defaultdict(int)
    for path in sorted((folder / "truth").glob("*.json")):
        truth = json.loads(path.read_text(encoding="utf-8"))
        if truth["score"] != "full":
            continue
        page = read_page(next((folder / "images").glob(path.stem + ".*")))
        found = compare_texts(page, truth)
        click.echo(f"{path.stem:26} {_shown(found)}")
        for name, count in found.items():
            sums[name] += count
    click.echo(f"{'all':26} {_shown(sums)}")


def _shown(counts: Any) -> str:
    kinds = [kind for kind in BlockKind if counts.get(f"{kind} wanted")]
    parts = [
        f"{kind} {counts.get(f'{kind} right', 0)}/{counts[f'{kind} wanted']}" for kind in kinds
    ]
    return ", ".join([*parts, f"in order {counts['in order']}/{counts['neighbours']}"])


if __name__ == "__main__":
    main()
