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
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import click

log = logging.getLogger(__name__)

FONT_SUFFIXES = {".ttf", ".otf", ".ttc", ".woff2", ".pfb", ".t1"}
PACKAGES_PER_CALL = 20  # starting a client costs more than most downloads
TEXT_FOLDERS = (
    "share/man",
    "share/doc",
    "share/games/fortunes",
    "share/dict",
    "share/hunspell",
    "share/aptitude",
    "share/debian-reference",
)
# In packages that serve many languages, those of one; handbooks are in English where it says C.
LANGUAGE_FOLDERS = ("share/help/{}/", "share/locale/{}/LC_MESSAGES/")


def read_table(path: Path) -> list[dict[str, str]]:
    """Return the rows of a tab-separated file with a header line."""
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file, delimiter="\t"))


def download_debian(packages: list[str], folder: Path) -> None:
    """Download Debian packages into `folder`; nothing is installed."""
    subprocess.run(["apt-get", "download", "-qq", *packages], cwd=folder, check=True)


def download_npm(packages: list[str], folder: Path) -> None:
    """Download font packages of the npm registry into `folder`."""
    names = [f"@fontsource/{package}" for package in packages]
    subprocess.run(
        ["npm", "pack", "--silent", *names], cwd=folder, check=True, stdout=subprocess.DEVNULL
    )


def download_pypi(packages: list[str], folder: Path) -> None:
    """Download wheels of the Python package index into `folder`; nothing is installed."""
    pip = [sys.executable, "-m", "pip", "download", "--quiet", "--no-deps"]
    subprocess.run([*pip, "--only-binary", ":all:", *packages], cwd=folder, check=True)


def unpack(package: str, folder: Path, tree: Path) -> None:
    """Unpack the archive of a package that was downloaded into `folder` below `tree`, once."""
    if tree.exists():
        return
    tree.mkdir(parents=True)
    for archive in folder.glob(f"{package}-*.whl"):
        with zipfile.ZipFile(archive) as wheel:
            wheel.extractall(tree)
    for archive in folder.glob(f"{package}_*.deb"):
        subprocess.run(["dpkg", "-x", str(archive), str(tree)], check=True)
    for archive in folder.glob("*.tgz"):
        if re.fullmatch(rf"fontsource-{re.escape(package)}-\d[\w.-]*\.tgz", archive.name):
            with tarfile.open(archive) as tar:
                tar.extractall(tree, filter="data")


DOWNLOADS = {"debian": download_debian, "npm": download_npm, "pypi": download_pypi}


def fetch(
    rows: list[dict[str, str]],
    target_of: Callable[[dict[str, str]], Path],
    copy: Callable[[Path, Path], None],
) -> None:
    """Download and unpack what is not there yet, many packages a call.

    target_of: the folder of a row's package. copy: takes what is in use from the unpacked tree to
    that folder, which appears whole or not at all.
    """
    for registry, download in DOWNLOADS.items():
        missing = [
            row
            for row in rows
            if row.get("registry", "debian") == registry and not target_of(row).exists()
        ]
        for start in range(0, len(missing), PACKAGES_PER_CALL):
            _fetch_some(missing[start : start + PACKAGES_PER_CALL], download, target_of, copy)


def _fetch_some(
    rows: list[dict[str, str]],
    download: Callable[[list[str], Path], None],
    target_of: Callable[[dict[str, str]], Path],
    copy: Callable[[Path, Path], None],
) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        try:
            download([row["package"] for row in rows], folder)
        except subprocess.CalledProcessError as error:
            if len(rows) == 1:
                log.warning("%s: %s", rows[0]["package"], error)
                return
            for row in rows:  # one that is not there fails the whole call
                _fetch_some([row], download, target_of, copy)
            return
        for row in rows:
            tree, target = folder / "tree" / row["package"], target_of(row)
            unpack(row["package"], folder, tree)
            part = target.with_suffix(".part")
            part.mkdir(parents=True, exist_ok=True)
            copy(tree, part)
            part.rename(target)
        log.info("%s", " ".join(row["package"] for row in rows))


def copy_fonts(tree: Path, target: Path) -> None:
    """Copy the font files below `tree` side by side."""
    for path in sorted(tree.rglob("*")):
        if path.suffix.lower() in FONT_SUFFIXES and path.is_file():
            shutil.copy(path, target / path.name)


def copy_texts(tree: Path, target: Path) -> None:
    """Copy the text files below `tree` side by side, unpacked.

    target: its parent is named by the language.
    """
    names = {target.parent.name, "C"} if target.parent.name == "en" else {target.parent.name}
    own = tuple(folder.format(name) for folder in LANGUAGE_FOLDERS for name in names)
    for path in sorted((tree / "usr").rglob("*")):
        inside = path.relative_to(tree / "usr").as_posix()
        if not path.is_file() or path.is_symlink() or not inside.startswith(TEXT_FOLDERS + own):
            continue
        data = path.read_bytes()
        plain = target / inside.replace("/", "_").removesuffix(".gz")
        plain.write_bytes(gzip.decompress(data) if path.suffix == ".gz" else data)


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), default=Path("training"))
@click.option("--out", type=click.Path(path_type=Path), required=True)
def main(lists: Path, out: Path) -> None:
    """Fetch fonts and texts named in LISTS into OUT."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    texts, fonts = read_table(lists / "texts.tsv"), read_table(lists / "fonts.tsv")
    fetch(texts, lambda row: out / "texts" / row["language"] / row["package"], copy_texts)
    fetch(fonts, lambda row: out / "fonts" / row["package"], copy_fonts)


if __name__ == "__main__":
    main()
