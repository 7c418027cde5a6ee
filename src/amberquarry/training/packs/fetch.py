"""Fetch the texts and faces of further scripts.

`python -m amberquarry.training.packs.fetch --lists training/packs --out DATA` downloads what is
named in `texts.tsv` and `fonts.tsv` with the ordinary clients and unpacks the parts in use to
`DATA/packs/texts/PACKAGE/` and `DATA/packs/fonts/PACKAGE/`. What is there already is left alone.
"""

from __future__ import annotations

import logging
import shutil
from collections.abc import Callable
from pathlib import Path

import click

from amberquarry.training.fetch import copy_fonts, fetch, read_table


def packages_of(rows: list[dict[str, str]]) -> list[dict[str, str]]:
    """Return one row for each package, the first of those that name it."""
    found: dict[tuple[str, str], dict[str, str]] = {}
    for row in rows:
        found.setdefault((row["registry"], row["package"]), row)
    return list(found.values())


def copier_of_texts(rows: list[dict[str, str]]) -> Callable[[Path, Path], None]:
    """Return what copies, from an unpacked package, the files that its rows name, in their folders.

    rows: with the columns `package` and `path`, a pattern with `*` and `**`.
    """
    paths: dict[str, list[str]] = {}
    for row in rows:
        paths.setdefault(row["package"], []).append(row["path"])

    def copy(tree: Path, target: Path) -> None:
        for pattern in paths[tree.name]:
            for path in sorted(tree.glob(pattern)):
                if path.is_file() and not path.is_symlink():
                    plain = target / path.relative_to(tree)
                    plain.parent.mkdir(parents=True, exist_ok=True)
                    shutil.copy(path, plain)

    return copy


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--out", type=click.Path(path_type=Path), required=True)
def main(lists: Path, out: Path) -> None:
    """Fetch texts and faces named in LISTS into OUT/packs."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    texts, fonts = read_table(lists / "texts.tsv"), read_table(lists / "fonts.tsv")
    out = out / "packs"
    fetch(packages_of(texts), lambda row: out / "texts" / row["package"], copier_of_texts(texts))
    fetch(packages_of(fonts), lambda row: out / "fonts" / row["package"], copy_fonts)


if __name__ == "__main__":
    main()
