"""The signs that a reader for further scripts knows.

`python -m amberquarry.training.packs.alphabets --lists training/packs --data DATA` writes
`training/packs/alphabets/NAME.txt`: a sign's place there is its class in every model made with it.
"""

from __future__ import annotations

from collections import Counter
from pathlib import Path

import click

from amberquarry.training.packs.plans import COMMON, PLANS, SCRIPT_OF, SCRIPTS, Plan

_LEAST_COUNT = 8  # in the texts of a language


def signs_of(plan: Plan, corpus: Path) -> str:
    """Return common signs first, then those that a plan's texts hold often enough, and its extra.

    The joiners of Arabic and Indic scripts show nothing by themselves and are no signs.
    """
    found: set[str] = set(plan.extra)
    for language in plan.languages:
        script = SCRIPTS[SCRIPT_OF[language]]
        counts = Counter((corpus / f"{language}.txt").read_text(encoding="utf-8"))
        found |= {s for s, n in counts.items() if n >= _LEAST_COUNT and script.has(s)}
    found -= {*COMMON, "\u200c", "\u200d", "\u3000"}
    return COMMON + "".join(sorted(found))


def load_signs(lists: Path, name: str) -> str:
    """Read the signs of a reader."""
    return (lists / "alphabets" / f"{name}.txt").read_text(encoding="utf-8").rstrip("\n")


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.argument("names", nargs=-1)
def main(lists: Path, data: Path, names: tuple[str, ...]) -> None:
    """Write the signs of the readers NAMES, by default of all."""
    out = lists / "alphabets"
    out.mkdir(exist_ok=True)
    for name in names or PLANS:
        signs = signs_of(PLANS[name], data / "packs" / "corpus")
        (out / f"{name}.txt").write_text(signs + "\n", encoding="utf-8")
        click.echo(f"{name}: {len(signs)} signs")


if __name__ == "__main__":
    main()
