"""Layout: reading order and kinds of blocks on printed documents whose source tells both.

    python benchmarks/layout.py build --data DATA      set documents, by Chromium and LaTeX
    python benchmarks/layout.py score --data DATA      read them and print a table
    python benchmarks/layout.py seconds --data DATA    how long layout takes

DATA holds fonts and corpus of the training kit. Documents of some kinds are only in the split
`score`.
"""

from __future__ import annotations

import json
import multiprocessing
import pickle
import random
import shutil
import subprocess
import tempfile
import time
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import click
import cv2
import numpy as np
import pypdfium2 as pdfium

from amberquarry import BlockKind, Page, read_page
from amberquarry.assembly import assemble
from amberquarry.clock import counted
from amberquarry.formats.records import page_from_record
from amberquarry.imaging import views_of
from amberquarry.layout.arranging import arrange
from amberquarry.library import page_picture
from amberquarry.pages.compose import compose, rules_of_pages
from amberquarry.pages.laying import lay_out
from amberquarry.reading import InkTexts, load_reader
from amberquarry.scoring import PageScore, score_page, total
from amberquarry.scoring.compare import APART, match_words, shared_areas
from amberquarry.scoring.text import plain
from amberquarry.settings import Limits, Settings
from amberquarry.sheet.measuring import TextLine
from amberquarry.sheet.rulebook import without_rules
from amberquarry.values import RUNNING, Block, Box, Line
from devpages import write_page
from printed import latex
from printed.documents import HELD_OUT, MAKERS, make
from printed.truth import page_blocks
from printed.words import LANGUAGES

NAMES = (*MAKERS, *latex.MAKERS)
SPLITS = {"inspect": 6, "score": 9}  # documents of each kind
LEVELS = ("clean", "office")
DPI = 300.0
_FLAGS = (
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--allow-file-access-from-files", "--no-pdf-header-footer", "--virtual-time-budget=30000",
)  # fmt: skip


def print_pdf(text: str) -> bytes:
    """Return the PDF that the browser prints of a page of HTML."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "page.html").write_text(text, encoding="utf-8")
        places = [f"--user-data-dir={folder / 'profile'}", f"--print-to-pdf={folder / 'page.pdf'}"]
        command = ["chromium", *_FLAGS, *places, (folder / "page.html").as_uri()]
        subprocess.run(command, check=True, capture_output=True, timeout=120)
        return (folder / "page.pdf").read_bytes()


def build_one(job: tuple[str, str, int, str]) -> int:
    """Write the pages of one document; returns how many."""
    split, name, seed, data = job
    out = Path(data) / "layout" / split
    language = random.Random(f"language{name}{seed}").choice(("en", "en", "en", *LANGUAGES))
    key = f"{name}-{seed}"
    if (out / "pdf" / f"{key}.pdf").exists():
        return 0
    if name in latex.MAKERS:
        raw, parts = latex.make_pdf(name, seed, Path(data))
    else:
        text, parts = make(name, seed, Path(data), language)
        raw = print_pdf(text)
    pdf, pages = pdfium.PdfDocument(raw), 0
    for index in range(len(pdf)):
        page = pdf[index]
        clean = np.array(page.render(scale=DPI / 72, grayscale=True).to_numpy())
        clean = clean[:, :, 0] if clean.ndim == 3 else clean
        blocks = page_blocks(page, clean, DPI, parts)
        if sum(len(block["text"]) for block in blocks) < 150:
            continue
        for level in LEVELS:
            write_page(out / level, f"{key}_{index + 1}", level, clean, blocks)
        pages += 1
    (out / "pdf").mkdir(parents=True, exist_ok=True)
    (out / "pdf" / f"{key}.pdf").write_bytes(raw)
    return pages


@dataclass(slots=True)
class Counts:
    """What was counted on some pages; added up by `+=`."""

    kinds: Counter[str] = field(default_factory=Counter)  # "heading right", "heading found", ...
    scores: list[PageScore] = field(default_factory=list)
    seconds: float = 0.0

    def __iadd__(self, other: Counts) -> Counts:
        self.kinds.update(other.kinds)
        self.scores += other.scores
        self.seconds += other.seconds
        return self

    def share(self, above: str, below: str) -> str:
        """Return a share in percent, a dash where there is nothing to measure."""
        return (
            f"{100 * self.kinds[above] / self.kinds[below]:6.1f}" if self.kinds[below] else "     –"
        )

    def f1(self, kind: str) -> str:
        """Return the F1 of a kind in percent."""
        both = self.kinds[f"{kind} found"] + self.kinds[f"{kind} wanted"]
        if not self.kinds[f"{kind} wanted"]:
            return "     –"
        right = self.kinds[f"{kind} right"] + self.kinds[f"{kind} hit"]
        return f"{100 * right / both:6.1f}"


SCORED = ("heading", "item", "caption", "footnote", "code", "table", "equation", "label", "entry",
          "margin_note", "running_head", "running_foot", "page_number")  # fmt: skip


def compare(found: Page, truth: Page, facts: list[dict[str, Any]]) -> Counts:
    """Return the counts of a page: blocks by kind, order of the flow, what was lost or invented.

    A block is right where more than half of its words and of the other's are the same, by place,
    and the kinds agree, or where their boxes share 0.7 of what they cover; for tables and equations
    only this counts.
    facts: of the truth's blocks, as in the record.
    """
    counts = Counts(scores=[score_page(found, truth)])
    kinds = counts.kinds
    own = [(word, n) for n, block in enumerate(found.blocks) for word in block.words]
    wanted = [(word, n) for n, block in enumerate(truth.blocks) for word in block.words]
    pairs = match_words([word for word, _ in own], [word for word, _ in wanted])
    shared = Counter((own[a][1], wanted[b][1]) for a, b in pairs)
    sizes = Counter(n for _, n in own), Counter(n for _, n in wanted)
    best: dict[int, int] = {}
    for (mine, theirs), number in shared.items():
        half = 0.5 * max(sizes[0][mine], sizes[1][theirs])
        if number > half and truth.blocks[theirs].kind not in APART:
            best[theirs] = mine
    for n, block in enumerate(truth.blocks):
        # parts of equations are read in no order, and "- 15 -" may be one word: places count
        if block.kind in APART or n not in best:
            places = [
                mine for mine, other in enumerate(found.blocks)
                if other.kind is block.kind and overlap(other.box, block.box) >= 0.7
            ]  # fmt: skip
            if places:
                best[n] = places[0]
    back = {mine: theirs for theirs, mine in best.items()}
    for n, block in enumerate(truth.blocks):
        if facts[n]["taken_for"]:
            continue
        kinds[f"{block.kind} wanted"] += 1
        twin = found.blocks[best[n]] if n in best else None
        if twin is not None and twin.kind is block.kind:
            kinds[f"{block.kind} right"] += 1
            kinds["level right"] += block.kind is BlockKind.HEADING and twin.level == block.level
    for n, block in enumerate(found.blocks):
        twin_facts = facts[back[n]] if n in back else None
        of = [theirs for mine, theirs in shared if mine == n]
        if (
            twin_facts is None
            and of
            and all(block.kind.value in facts[theirs]["taken_for"] for theirs in of)
        ):  # what may be taken for it, gathered
            continue
        if twin_facts and block.kind.value in twin_facts["taken_for"]:
            continue
        if twin_facts and twin_facts["taken_for"] and twin_facts["kind"] == block.kind.value:
            continue
        kinds[f"{block.kind} found"] += 1
        kinds[f"{block.kind} hit"] += bool(twin_facts and twin_facts["kind"] == block.kind.value)
    # order of the flow
    place = {b: a for a, b in pairs}
    flow = [place[b] for b, (_, n) in enumerate(wanted)
            if b in place and truth.blocks[n].kind not in (*RUNNING, *APART)]  # fmt: skip
    rank = {a: r for r, a in enumerate(sorted(flow))}
    kinds["neighbours"] += max(0, len(flow) - 1)
    kinds["in order"] += sum(rank[b] - rank[a] == 1 for a, b in pairwise(flow))
    figures = [block.box for block in truth.blocks if block.kind is BlockKind.FIGURE]
    for box in figures:
        kinds["figures"] += 1
        kinds["figures found"] += any(
            block.kind is BlockKind.FIGURE and overlap(block.box, box) >= 0.7
            for block in found.blocks
        )
    a = np.array([word.box for word, _ in own], float).reshape(-1, 4)
    b = np.array([word.box for word, _ in wanted], float).reshape(-1, 4)
    near = shared_areas(a, b)
    for (word, n), touched in zip(wanted, near.sum(0) > 0, strict=True):
        if truth.blocks[n].kind not in APART:
            kinds["characters"] += len(word.text)
            kinds["lost"] += 0 if touched else len(word.text)
    for (word, _), touched in zip(own, near.sum(1) > 0, strict=True):
        inside = any(box.contains(*word.box.middle) for box in figures)
        kinds["invented"] += 0 if touched or inside else len(word.text)
    flowing = _flowing_texts(found.blocks)
    for n, block in enumerate(truth.blocks):
        if n in best and block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM, BlockKind.FOOTNOTE):
            _count_hyphens(kinds, block, facts[n]["source"], flowing[best[n]])
    return counts


def _flowing_texts(blocks: list[Block]) -> list[str]:
    """Return for each block the text of the whole paragraph that it is a part of."""
    heads: list[int] = []
    last = 0
    for number, block in enumerate(blocks):
        heads.append(last if block.goes_on else number)
        if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM) and not block.goes_on:
            last = number
    whole: dict[int, str] = defaultdict(str)
    for head, block in zip(heads, blocks, strict=True):
        whole[head] += f" {block.text}"
    return [whole[head] for head in heads]


def _count_hyphens(kinds: Counter[str], block: Block, source: str, text: str) -> None:
    """Count words divided at the ends of a block's lines, and those that come out whole."""
    words, got = set(source.split()), set(text.split())
    for first, second in pairwise(block.lines):
        if not first.words or not second.words or not first.words[-1].text.endswith("-"):
            continue
        start, end = first.words[-1].text, second.words[0].text
        whole = next((w for w in (start[:-1] + end, start + end) if w in words), None)
        if whole and plain(start[:-1]).isalpha():
            kinds["hyphens"] += 1
            kinds["hyphens right"] += whole in got


def overlap(a: Box, b: Box) -> float:
    """Return the intersection over union of two boxes."""
    shared = a.overlap(b)
    return shared / max(1e-9, a.area + b.area - shared)


def truths_of(paths: list[str]) -> tuple[list[dict[str, Any]], list[Page]]:
    """Return the records of a document's truth, and its pages, whose levels count from 1."""
    records = [json.loads(Path(p).with_suffix(".json").read_text(encoding="utf-8")) for p in paths]
    truths = [page_from_record(record) for record in records]
    # nothing on a card without a title tells that its headings were set as a second level
    levels = sorted({b.level for truth in truths for b in truth.blocks if b.level})
    for block in (block for truth in truths for block in truth.blocks if block.level):
        block.level = 1 + levels.index(block.level or 1)
    return records, truths


class Known:
    """Texts that were read before, by the numbers of their lines."""

    def __init__(self, read: dict[int, Line]) -> None:
        self._read = pickle.dumps(read)  # rules change lines: each time they come anew

    def read(self, lines: Sequence[TextLine]) -> dict[int, Line]:
        """Return what stands in lines by their numbers."""
        found: dict[int, Line] = pickle.loads(self._read)
        return found


def without_each(job: tuple[str, list[str]]) -> list[tuple[str, Counts]]:
    """Return the counts of a document's pages with all rules, and without each of them."""
    _, paths = job
    cv2.setNumThreads(1)
    settings = Settings()
    reader = load_reader(settings.reading)
    records, truths = truths_of(paths)
    laid = []
    for path in paths:
        grey = page_picture(path, 1, settings, Limits()).grey
        [view, *_] = views_of(grey, settings.preparation)
        stages = lay_out(grey, view, reader, settings)
        texts = InkTexts(stages.prepared.grey, stages.ink, reader)
        laid.append((grey.shape, stages, Known(texts.read(arrange(stages.sheet).lines))))
    found = []
    for name in ("", *(rule for rule, _ in rules_of_pages())):
        pages = []
        for number, ((height, width), stages, texts) in enumerate(laid, 1):
            with without_rules(name):
                blocks = compose(stages.sheet, texts, pickle.loads(pickle.dumps(stages.aside)))
            pages.append(Page(number, width, height, None, blocks=blocks, frame=stages.sheet.frame))
        assemble(pages)
        counts = Counts()
        for page, record, truth in zip(pages, records, truths, strict=True):
            counts += compare(page, truth, record["blocks"])
        found.append((name, counts))
    return found


def page_from_layer(picture: str) -> Page:
    """Return the page of a PDF that a picture was rendered from, from its text layer alone."""
    path = Path(picture)
    name, _, number = path.stem.rpartition("_")
    settings = Settings().with_values({"layer.use": "only"})
    return read_page(
        path.parent.parent / "pdf" / f"{name}.pdf", page=int(number), settings=settings
    )


def read_one(job: tuple[str, list[str], bool]) -> tuple[str, list[tuple[str, Counts]]]:
    """Return the counts of each page of a document, from its ink or from its text layer."""
    key, paths, from_layer = job
    cv2.setNumThreads(1)
    pages, times = [], []
    for number, path in enumerate(paths, 1):
        began = time.perf_counter()
        page = page_from_layer(path) if from_layer else read_page(path)
        times.append(time.perf_counter() - began)
        page.number = page.source_page = number
        pages.append(page)
    assemble(pages)
    records, truths = truths_of(paths)
    rows = []
    for page, path, seconds, record, truth in zip(
        pages, paths, times, records, truths, strict=True
    ):
        counts = compare(page, truth, record["blocks"])
        counts.seconds = seconds
        rows.append((Path(path).stem, counts))
    return key, rows


HEAD = "pages of        n " + " ".join(
    f"{name:>6}"
    for name in ("CER", "any", "order", "head", "level", "item", "capt", "foot", "code", "table",
                 "equa", "label", "entry", "marg", "r.head", "r.foot", "numb", "figs", "lost",
                 "invent", "hyphen", "s/page")
)  # fmt: skip


def row(name: str, counts: Counts) -> str:
    """Return a row of the table."""
    s = total(counts.scores)
    cells = [f"{100 * (s.cer or 0):6.2f}", f"{100 * (s.cer_any_order or 0):6.2f}",
             counts.share("in order", "neighbours"), counts.f1("heading"),
             counts.share("level right", "heading right"),
             *(counts.f1(kind) for kind in SCORED[1:]),
             counts.share("figures found", "figures"), counts.share("lost", "characters"),
             counts.share("invented", "characters"), counts.share("hyphens right", "hyphens"),
             f"{counts.seconds / max(1, len(counts.scores)):6.2f}"]  # fmt: skip
    return f"{name:12} {len(counts.scores):4} " + " ".join(cells)


@click.group()
def main() -> None:
    """Build and score printed pages."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", "splits", multiple=True, type=click.Choice(list(SPLITS)), default=SPLITS)
@click.option("--kind", "names", multiple=True, type=click.Choice(NAMES), default=NAMES)
@click.option("--jobs", default=2, show_default=True)
def build(data: Path, splits: tuple[str, ...], names: tuple[str, ...], jobs: int) -> None:
    """Set the documents, by seed, and scan their pages."""
    for program, package in (("chromium", "chromium"), ("pdflatex", "texlive-latex-extra")):
        if shutil.which(program) is None:
            raise click.ClickException(f"{program} is needed: apt-get install {package}")
    work = [
        (split, name, (1000 if split == "score" else 0) + number, str(data))
        for split in splits
        for name in names
        if split == "score" or name not in (*HELD_OUT, *latex.HELD_OUT)
        for number in range(SPLITS[split])
    ]
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        counts = pool.map(build_one, work, chunksize=1)
    for split in splits:
        click.echo(
            f"{split}: {sum(n for n, job in zip(counts, work, strict=True) if job[0] == split)}"
        )


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", type=click.Choice(list(SPLITS)), default="inspect", show_default=True)
@click.option("--level", type=click.Choice(LEVELS), default="clean", show_default=True)
@click.option("--kind", "names", multiple=True, type=click.Choice(NAMES), default=NAMES)
@click.option("--jobs", default=2, show_default=True)
@click.option("--pages", is_flag=True, help="Also list every page (not of the split `score`).")
@click.option("--layer", is_flag=True, help="From the text layer instead of the ink.")
def score(
    data: Path, split: str, level: str, names: tuple[str, ...], jobs: int, pages: bool, layer: bool
) -> None:
    """Read the pages of a split and print a table."""
    documents: dict[str, list[str]] = defaultdict(list)
    for path in sorted((data / "layout" / split / level).iterdir()):
        key = path.stem.rpartition("_")[0]
        if path.suffix != ".json" and key.partition("-")[0] in names:
            documents[key].append(str(path))
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        tasks = [(key, paths, layer) for key, paths in sorted(documents.items())]
        results = pool.map(read_one, tasks, chunksize=1)
    click.echo(HEAD)
    groups: dict[str, Counts] = defaultdict(Counts)
    for key, rows in results:
        for stem, counts in rows:
            for name in (key.partition("-")[0], "all"):
                groups[name] += counts
            if pages and split != "score":
                click.echo(row(stem, counts))
    for name in (*(n for n in NAMES if n in groups), "all"):
        click.echo(row(name, groups[name]))


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=40, show_default=True)
def seconds(data: Path, pages: int) -> None:
    """Print the processor time of each stage on clean 300-dpi pages, on one core."""
    cv2.setNumThreads(1)
    paths = sorted((data / "layout" / "inspect" / "clean").glob("*.png"))
    chosen = paths[:: max(1, len(paths) // pages)][:pages]
    read_page(chosen[0])
    began = time.process_time()
    with counted() as spent:
        for path in chosen:
            read_page(path)
    whole = time.process_time() - began
    for name, seconds_spent in [*spent.most_common(), ("everything", whole)]:
        click.echo(f"{name:20} {1000 * seconds_spent / len(chosen):8.1f} ms a page")


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--type", "names", multiple=True, type=click.Choice(NAMES), default=NAMES)
def rules(data: Path, jobs: int, names: tuple[str, ...]) -> None:
    """Print what each rule is worth on the pages that may be looked at: figures without it.

    Differences are in points, with the rule less without it: positive where it helps, for CER
    negative. Pages are read once.
    """
    documents: dict[str, list[str]] = defaultdict(list)
    for path in sorted((data / "layout" / "inspect" / "clean").iterdir()):
        key = path.stem.rpartition("_")[0]
        if path.suffix != ".json" and key.partition("-")[0] in names:
            documents[key].append(str(path))
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        results = pool.map(without_each, sorted(documents.items()), chunksize=1)
    groups: dict[str, Counts] = defaultdict(Counts)
    for name, counts in (pair for found in results for pair in found):
        groups[name] += counts
    whole = _figures(groups[""])
    click.echo(f"{'rule':36} " + " ".join(f"{key:>8}" for key in whole))
    click.echo(f"{'all':36} " + " ".join(f"{value:8.2f}" for value in whole.values()))
    for name, counts in groups.items():
        if name:
            own = _figures(counts)
            cells = " ".join(f"{whole[key] - own[key]:+8.2f}" for key in whole)
            click.echo(f"{name:36} {cells}")


def _figures(counts: Counts) -> dict[str, float]:
    """Return the figures by which rules are weighed, in percent."""
    scores, kinds = total(counts.scores), counts.kinds
    f1 = []
    for kind in SCORED:
        if kinds[f"{kind} wanted"]:
            right = kinds[f"{kind} right"] + kinds[f"{kind} hit"]
            f1.append(right / (kinds[f"{kind} found"] + kinds[f"{kind} wanted"]))
    return {
        "CER": 100 * (scores.cer or 0),
        "order": 100 * kinds["in order"] / max(1, kinds["neighbours"]),
        "kinds F1": 100 * sum(f1) / max(1, len(f1)),
    }


if __name__ == "__main__":
    main()
