"""Development pages: real text-layer documents, rendered, scanned in three levels, read, scored.

    python benchmarks/devpages.py build --data DATA     fetch packages, choose pages, write pages
    python benchmarks/devpages.py further --data DATA   the pages of `further.tsv`, likewise
    python benchmarks/devpages.py score --data DATA --split inspect

Pages are drawn once by seed; whole documents (with their translations) belong to one split. The
further pages, one or two of each document, were looked at for faults as those to inspect were,
in two lots.
"""

from __future__ import annotations

import csv
import gzip
import hashlib
import json
import multiprocessing
import random
import re
import subprocess
import time
from collections import defaultdict
from pathlib import Path
from typing import Any

import click
import numpy as np
import pypdfium2 as pdfium

from amberquarry import Page, QuarryError, read_page
from amberquarry.demo.scanner import LEVELS, move_blocks, scan_page, through
from amberquarry.formats.records import page_from_record
from amberquarry.scoring import PageScore, score_page, total
from textlayer import page_truth

HERE = Path(__file__).parent
PACKAGES = [
    "r-cran-survival",
    "r-cran-zoo",
    "r-cran-rrcov",
    "r-cran-robustbase",
    "r-cran-vcd",
    "r-cran-strucchange",
    "r-cran-expm",
    "r-cran-msm",
    "libsuitesparse-doc",
    "glpk-doc",
    "pari-doc",
    "debian-refcard",
    "maint-guide",
    "texlive-lang-cyrillic",
    "texlive-lang-portuguese",
    "texlive-lang-french",
    "texlive-humanities-doc",
]
SPLITS = ("train", "inspect", "score")
FURTHER = ("further", "further-2", "further-3", "further-4", "further-5", "further-6")
SCORED = (*SPLITS, *FURTHER)
PAGES_OF_SPLIT = {"train": 60, "inspect": 60, "score": 90}
MOST_OF_DOCUMENT = 3
DPI = 300.0
SEED = 20_261
_LANGUAGE = {
    "texlive-lang-cyrillic": "ru",
    "texlive-lang-french": "fr",
    "texlive-lang-portuguese": "pt",
}


def fetch(folder: Path, packages: list[str]) -> None:
    """Download and unpack packages (nothing is installed)."""
    folder.mkdir(parents=True, exist_ok=True)
    for package in packages:
        if (folder / package).exists():
            continue
        subprocess.run(["apt-get", "download", "-qq", package], cwd=folder, check=True)
        for archive in folder.glob("*.deb"):
            subprocess.run(["dpkg", "-x", archive.name, package], cwd=folder, check=True)
            archive.unlink()


def left_out() -> set[tuple[str, str]]:
    """Return documents of the packages that no one develops or measures on."""
    rows = (HERE / "left_out.tsv").read_text(encoding="utf-8").splitlines()[1:]
    return {tuple(row.split("\t")) for row in rows if row}  # type: ignore[misc]


def group_of(package: str, name: str) -> str:
    """Return the name under which a document and its translations stand together."""
    if package == "debian-refcard":
        return "debian-refcard/refcard"
    return f"{package}/{re.sub(r'[-_.](en|es|fr|pt|pt-BR|ru|de|it|a4|lt|eng|rus|fra)$', '', name)}"


def split_of(group: str) -> str:
    """Return the split of a group of documents, by its name alone."""
    if group == "debian-refcard/refcard":  # many columns in many languages: kept for scoring
        return "score"
    return SPLITS[hashlib.sha256(group.encode()).digest()[0] % 3]


def language_of(package: str, name: str) -> str:
    """Return the language that a document's name tells, en by default."""
    found = re.search(r"[-_]([a-z]{2})(?:[-_][A-Z]{2})?(?:-a4)?$", name)
    if found and found[1] not in ("nf", "mf", "lt", "ml"):
        return found[1]
    return _LANGUAGE.get(package, "en")


def columns_of(name: str) -> str:
    """Return whether a document of that name is known to stand in several columns."""
    return "multi" if any(part in name for part in ("refcard", "quickref", "cheat")) else "single"


def documents(folder: Path) -> list[tuple[str, str, Path]]:
    """Return package, name and path of every PDF that may be used."""
    out = []
    keep = left_out()
    for package in PACKAGES:
        for path in sorted((folder / package).rglob("*.pdf*")):
            name = path.name.removesuffix(".gz").removesuffix(".pdf")
            if path.is_file() and not path.is_symlink() and (package, name) not in keep:
                out.append((package, name, path))
    return out


def opened(path: Path, raw: bytes) -> pdfium.PdfDocument:
    """Return a PDF file, packed or not, from its bytes."""
    return pdfium.PdfDocument(gzip.decompress(raw) if path.suffix == ".gz" else raw)


def rendered(page: pdfium.PdfPage) -> np.ndarray:
    """Return the grey levels of a page."""
    picture = np.array(page.render(scale=DPI / 72, grayscale=True).to_numpy())
    return picture[:, :, 0] if picture.ndim == 3 else picture


def write_truth(
    folder: Path, key: str, size: tuple[int, int], blocks: list[dict[str, Any]], **facts: Any
) -> None:
    """Write the truth of a page of `size` (width, height) as a page record, with further facts."""
    record = {"document": key, "page": 1, "width": size[0], "height": size[1], **facts}
    record["blocks"] = blocks
    (folder / f"{key}.json").write_text(json.dumps(record), encoding="utf-8")


def write_page(
    folder: Path, key: str, level: str, clean: np.ndarray, blocks: list[dict[str, Any]]
) -> None:
    """Write a page as scanned and its truth, unless both are there."""
    if (folder / f"{key}.json").exists():
        return
    seed = int(hashlib.sha256(f"{key}{level}".encode()).hexdigest()[:8], 16)
    scan = scan_page(clean, level, seed)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / f"{key}{scan.suffix}").write_bytes(scan.data)
    moved = move_blocks(blocks, through(scan.matrix))
    write_truth(folder, key, scan.size, moved, dpi=[scan.dpi, scan.dpi])


def listed(split: str) -> dict[str, dict[str, str]]:
    """Return the facts of the pages of a split by key, from the list in the repository."""
    name = "further.tsv" if split in FURTHER else "devpages.tsv"
    with (HERE / name).open(encoding="utf-8", newline="") as file:
        return {
            row["key"]: row for row in csv.DictReader(file, delimiter="\t") if row["split"] == split
        }


@click.group()
def main() -> None:
    """Build and score development pages."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
def build(data: Path) -> None:
    """Choose pages by seed, render and scan them, and write their truth."""
    fetch(data / "devpk", PACKAGES)
    out = data / "devpages"
    chance = random.Random(SEED)
    found = documents(data / "devpk")
    chance.shuffle(found)
    found.sort(key=lambda item: columns_of(item[1]) == "single")  # the few with columns first
    counts: dict[str, int] = defaultdict(int)
    of_group: dict[str, int] = defaultdict(int)
    chosen: list[dict[str, Any]] = []
    for package, name, path in found:
        group = group_of(package, name)
        split = split_of(group)
        most = 30 if group.startswith("debian-refcard") else 2 * MOST_OF_DOCUMENT
        if counts[split] >= PAGES_OF_SPLIT[split] or of_group[group] >= most:
            continue
        raw = path.read_bytes()
        try:
            pdf = opened(path, raw)
        except (pdfium.PdfiumError, OSError):
            continue
        indices = chance.sample(range(len(pdf)), min(len(pdf), 12))
        taken = 0
        for index in indices:
            if (
                taken >= (1 if group.startswith("debian-refcard") else MOST_OF_DOCUMENT)
                or counts[split] >= PAGES_OF_SPLIT[split]
            ):
                break
            clean = rendered(pdf[index])
            if clean.size > 20_000_000:
                continue
            blocks = page_truth(pdf[index], clean, DPI)
            if blocks is None:
                continue
            key = f"{package}_{name}_{index + 1}"
            if any(row["key"] == key for row in chosen):  # examples share names across folders
                continue
            for level in LEVELS:
                write_page(out / split / level, key, level, clean, blocks)
            chosen.append(
                {
                    "split": split,
                    "key": key,
                    "package": package,
                    "document": name,
                    "page": index + 1,
                    "columns": columns_of(name),
                    "language": language_of(package, name),
                    "sha256": hashlib.sha256(raw).hexdigest(),
                }
            )
            counts[split] += 1
            of_group[group] += 1
            taken += 1
    chosen.sort(key=lambda row: (row["split"], row["key"]))
    text = "\n".join("\t".join(str(row[k]) for k in row) for row in chosen)
    (HERE / "devpages.tsv").write_text("\t".join(chosen[0]) + "\n" + text + "\n", encoding="utf-8")
    click.echo(dict(counts))


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
def further(data: Path) -> None:
    """Render and scan the further pages, and write their truth."""
    rows = [row for split in FURTHER for row in listed(split).values()]
    fetch(data / "devpk", sorted({row["package"] for row in rows}))
    for row in rows:
        path = data / "devpk" / row["package"] / row["path"]
        raw = path.read_bytes()
        if hashlib.sha256(raw).hexdigest() != row["sha256"]:
            click.echo(f"{path} is another version than the one listed", err=True)
            continue
        page = opened(path, raw)[int(row["page"]) - 1]
        clean = rendered(page)
        blocks = page_truth(page, clean, DPI)
        if not blocks:
            continue
        for level in LEVELS:
            folder = data / "devpages" / row["split"] / level
            write_page(folder, row["key"], level, clean, blocks)


def read_one(path: str) -> tuple[str, PageScore, float]:
    """Return the score of one development page and the seconds that it took."""
    import cv2

    cv2.setNumThreads(1)
    text = Path(path).with_suffix(".json").read_text(encoding="utf-8")
    truth = page_from_record(json.loads(text))
    began = time.perf_counter()
    page: Page | None = None
    try:
        page = read_page(path)
    except QuarryError as error:  # a page that fails counts as all wrong
        click.echo(f"{path}: {error}", err=True)
    return Path(path).stem, score_page(page, truth), time.perf_counter() - began


def groups_of(fact: dict[str, str]) -> list[str]:
    """Return the rows of the table in which a page counts."""
    english = fact["language"] == "en"
    names = ["all", f"{fact['columns']} column", f"in {fact['language']}"]
    if not english:
        names.append("other languages")
    elif fact["columns"] == "single":
        names.append("English single")
    return names


def figures(parts: list[tuple[PageScore, float]]) -> list[float]:
    """Return the row of a table as its head names it."""
    s = total(part for part, _ in parts)
    rates = [100 * (rate or 0) for rate in (s.cer, s.cer_any_order, s.cer_in_place, s.wer)]
    shares = [s.box_f1 or 0, s.word_f1 or 0, s.order or 0, s.tau or 0]
    signs = [100 * (v or 0) for v in (s.digits, s.spaces_missing, s.spaces_extra)]
    return [*rates, *shares, *signs, sum(seconds for _, seconds in parts) / len(parts)]


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", type=click.Choice(SCORED), default="inspect", show_default=True)
@click.option("--level", "levels", multiple=True, type=click.Choice(LEVELS), default=LEVELS)
@click.option("--most", default=0, help="Only so many pages of each level.")
@click.option("--jobs", default=2, show_default=True)
@click.option("--worst", default=0, help="Also list so many of the worst pages of each level.")
@click.option("--out", type=click.Path(path_type=Path), help="Write the table as JSON lines too.")
def score(
    data: Path,
    split: str,
    levels: tuple[str, ...],
    most: int,
    jobs: int,
    worst: int,
    out: Path | None,
) -> None:
    """Read the pages of a split and print a table."""
    facts = listed(split)
    head = (
        "level    pages of           n    CER    any  place    WER  boxF1 wordF1  order    tau "
        "digits spaces lost added s/page"
    )
    click.echo(head)
    rows = []
    for level in levels:
        folder = data / "devpages" / split / level
        paths = [str(p) for key in sorted(facts) for p in folder.glob(f"{key}.*")
                 if p.suffix != ".json"]  # fmt: skip
        if most:
            paths = random.Random(3).sample(paths, min(most, len(paths)))
        with multiprocessing.get_context("spawn").Pool(jobs) as pool:
            results = pool.map(read_one, paths, chunksize=1)
        groups: dict[str, list[tuple[PageScore, float]]] = defaultdict(list)
        for key, part, seconds in results:
            for name in groups_of(facts[key]):
                groups[name].append((part, seconds))
        for name, parts in sorted(groups.items()):
            line = figures(parts)
            shown = [f"{v:6.3f}" if 4 <= n < 8 else f"{v:6.2f}" for n, v in enumerate(line)]
            click.echo(f"{level:8} {name:16} {len(parts):3} " + " ".join(shown))
            rows.append(
                {"split": split, "level": level, "pages": name, "n": len(parts), "values": line}
            )
        results.sort(key=lambda row: -row[1].errors_in_order / max(1, row[1].characters))
        for key, part, _ in results[:worst]:
            line = figures([(part, 0.0)])
            click.echo(f"   {line[0]:6.1f} {line[1]:6.1f} {line[2]:6.1f} {line[6]:5.2f} {key}")
    if out:
        out.write_text("".join(json.dumps(row) + "\n" for row in rows), encoding="utf-8")


if __name__ == "__main__":
    main()
