"""Fetch the fonts and texts that the line reader is trained on.

`python -m amberquarry.training.fetch --lists training --out DATA` downloads the packages named in
`fonts.tsv` and `texts.tsv` with the ordinary clients (apt-get, npm) and unpacks the parts in use to
`DATA/fonts/PACKAGE/` and `DATA/texts/LANGUAGE/`. Packages already there are left alone, so the
command can be repeated after an interruption.
"""

from __future__ import annotations

import csv
import gzip
import logging
import shutil
import subprocess
import tarfile
import tempfile
from pathlib import Path

import click

log = logging.getLogger(__name__)

FONT_SUFFIXES = {".ttf", ".otf", ".woff2", ".pfb", ".t1"}
TEXT_FOLDERS = (
    "share/man",
    "share/doc",
    "share/games/fortunes",
    "share/dict",
    "share/hunspell",
    "share/aptitude",
    "share/debian-reference",
)


def read_table(path: Path) -> list[dict[str, str]]:
    """Return the rows of a tab-separated file with a header line."""
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file, delimiter="\t"))


def unpack_debian(package: str, folder: Path) -> None:
    """Download a Debian package and unpack it below `folder`; nothing is installed."""
    subprocess.run(["apt-get", "download", "-qq", package], cwd=folder, check=True)
    for archive in folder.glob("*.deb"):
        subprocess.run(["dpkg", "-x", archive.name, "tree"], cwd=folder, check=True)


def unpack_npm(package: str, folder: Path) -> None:
    """Download a package of the npm registry and unpack it below `folder`."""
    subprocess.run(
        ["npm", "pack", "--silent", package], cwd=folder, check=True, stdout=subprocess.DEVNULL
    )
    for archive in folder.glob("*.tgz"):
        with tarfile.open(archive) as tar:
            tar.extractall(folder / "tree", filter="data")


def fetch_fonts(rows: list[dict[str, str]], out: Path) -> None:
    """Put the font files of each package into `out/PACKAGE/`."""
    for row in rows:
        target = out / row["package"]
        if target.exists():
            continue
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            try:
                if row["registry"] == "debian":
                    unpack_debian(row["package"], folder)
                else:
                    unpack_npm(f"@fontsource/{row['package']}", folder)
            except subprocess.CalledProcessError as error:
                log.warning("%s: %s", row["package"], error)
                continue
            part = target.with_suffix(".part")
            part.mkdir(parents=True, exist_ok=True)
            for path in sorted((folder / "tree").rglob("*")):
                if path.suffix.lower() in FONT_SUFFIXES and path.is_file():
                    shutil.copy(path, part / path.name)
            part.rename(target)


def fetch_texts(rows: list[dict[str, str]], out: Path) -> None:
    """Put the text files of each package into `out/LANGUAGE/PACKAGE/`, unpacked."""
    for row in rows:
        target = out / row["language"] / row["package"]
        if target.exists():
            continue
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            try:
                unpack_debian(row["package"], folder)
            except subprocess.CalledProcessError as error:
                log.warning("%s: %s", row["package"], error)
                continue
            part = target.with_suffix(".part")
            part.mkdir(parents=True, exist_ok=True)
            for path in sorted((folder / "tree" / "usr").rglob("*")):
                inside = path.relative_to(folder / "tree" / "usr").as_posix()
                if not path.is_file() or path.is_symlink() or not inside.startswith(TEXT_FOLDERS):
                    continue
                plain = part / inside.replace("/", "_").removesuffix(".gz")
                data = path.read_bytes()
                plain.write_bytes(gzip.decompress(data) if path.suffix == ".gz" else data)
            part.rename(target)


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), default=Path("training"))
@click.option("--out", type=click.Path(path_type=Path), required=True)
def main(lists: Path, out: Path) -> None:
    """Fetch fonts and texts named in LISTS into OUT."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    fetch_texts(read_table(lists / "texts.tsv"), out / "texts")
    fetch_fonts(read_table(lists / "fonts.tsv"), out / "fonts")


if __name__ == "__main__":
    main()
