"""Columns around pictures and pull quotes: is the text read in order, and is none of it torn?

    python benchmarks/insets.py build --data DATA    draw 48 pages (Chromium)
    python benchmarks/insets.py score --data DATA    read them and print a table

A quote or a picture stands between two columns, over one and a half, across all, in a corner, or in
one column. A third of the pages is scanned in black and white. Only the text of the columns is
scored; what is set into it may come anywhere, but not inside of a paragraph.
"""

from __future__ import annotations

import base64
import html
import io
import json
import multiprocessing
import random
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from amberquarry import Box, read_page
from amberquarry.demo.prose import paragraph, sentence
from amberquarry.scoring.text import errors, errors_at_best_place, join_hyphens
from screens import FLAGS

PAGES_OF_KIND = 8
SCALE = 2  # device pixels for one of 1/96 inch
HEIGHT, WIDTH, GUTTER = 1040, 700, 24
FACES = ("Liberation Serif", "DejaVu Serif", "Liberation Sans", "Lato", "Roboto")


def _picture(chance: random.Random, width: int, height: int) -> str:
    """Return an element of a made-up photograph: ground, sky, and things of several tones."""
    make = np.random.default_rng(chance.randrange(1 << 30))
    grey = np.zeros((height, width), np.float32)
    for cells in (3, 7, 20, 60):
        rough = make.normal(0, 40 / cells**0.5, (cells, cells)).astype(np.float32)
        grey += cv2.resize(rough, (width, height), interpolation=cv2.INTER_CUBIC)
    grey += np.linspace(170, 70, height, dtype=np.float32)[:, None]
    for _ in range(6):
        middle = (chance.randrange(width), chance.randrange(height))
        cv2.circle(grey, middle, chance.randrange(10, 60), chance.uniform(20, 240), -1)
    noisy = np.clip(grey + make.normal(0, 6, grey.shape), 0, 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(noisy).save(out, "PNG")
    data = base64.b64encode(out.getvalue()).decode()
    return f'<img src="data:image/png;base64,{data}" style="width:100%;height:100%;display:block">'


def _inset(chance: random.Random, width: float, height: float, quote: bool) -> str:
    """Return what stands in a hole of the text: a quote between rules, or a picture."""
    if quote:
        words = sentence(chance)
        return f"<div class=quote style='height:{height - 40:.0f}px'>“{html.escape(words)}”</div>"
    caption = html.escape(" ".join(sentence(chance).split()[:7]))
    shown = _picture(chance, round(width), round(height - 34))
    return (
        f"<div style='height:{height - 34:.0f}px'>{shown}</div><div class=caption>{caption}.</div>"
    )


def _page(columns: list[str], holes: list[list[tuple[str, float, float, float]]], inset: str,
          place: tuple[float, float, float, float], style: str) -> str:  # fmt: skip
    """Return a page: columns of text, holes in each (side, top, width, height), and the inset."""
    width = (WIDTH - GUTTER * (len(columns) - 1)) / len(columns)
    out = []
    for number, (text, own) in enumerate(zip(columns, holes, strict=True)):
        floats, down = "", 0.0
        for side, top, wide, high in own:
            # a thin float holds the place over the hole
            floats += f"<div style='float:{side};width:0;height:{top - down:.0f}px'></div>"
            size = f"width:{wide:.0f}px;height:{high:.0f}px"
            floats += f"<div style='float:{side};clear:{side};{size}'></div>"
            down = top + high
        left = number * (width + GUTTER)
        out.append(
            f"<div class=column style='left:{left:.0f}px;width:{width:.0f}px'>{floats}{text}</div>"
        )
    x, y, wide, high = place
    where = f"left:{x:.0f}px;top:{y:.0f}px;width:{wide:.0f}px;height:{high:.0f}px"
    out.append(f"<div class=inset style='{where}'>{inset}</div>")
    head = f"<!doctype html><meta charset=utf-8><style>{style}</style>"
    return f"{head}<div class=page>{''.join(out)}</div>"


Holes = list[list[tuple[str, float, float, float]]]


def between(chance: random.Random) -> tuple[int, Holes, tuple[float, float, float, float]]:
    """A hole half in the one column and half in the other."""
    wide, high = chance.uniform(190, 300), chance.uniform(140, 230)
    top = chance.uniform(150, 600)
    own = wide / 2 - GUTTER / 2 + 12
    place = (WIDTH / 2 - wide / 2, top, wide, high)
    return 2, [[("right", top - 8, own, high + 16)], [("left", top - 8, own, high + 16)]], place


def corner(chance: random.Random) -> tuple[int, Holes, tuple[float, float, float, float]]:
    """A hole over the first column and the most of the second, at the head."""
    column = (WIDTH - GUTTER) / 2
    part, high = chance.uniform(0.4, 0.68) * column, chance.uniform(260, 460)
    place = (0.0, 0.0, column + GUTTER + part - 16, high)
    return 2, [[("left", 0, column, high + 10)], [("left", 0, part, high + 10)]], place


def across(chance: random.Random) -> tuple[int, Holes, tuple[float, float, float, float]]:
    """A hole across all columns, at the head or the foot."""
    count, high = chance.choice((2, 3)), chance.uniform(150, 300)
    column = (WIDTH - GUTTER * (count - 1)) / count
    top = chance.choice((0.0, HEIGHT - high - 10))
    return (
        count,
        [[("left", top, column, high + 10)] for _ in range(count)],
        (0.0, top + 5, WIDTH, high),
    )


def within(chance: random.Random) -> tuple[int, Holes, tuple[float, float, float, float]]:
    """A hole as wide as its column, somewhere along it."""
    count, high = chance.choice((2, 3)), chance.uniform(130, 240)
    column = (WIDTH - GUTTER * (count - 1)) / count
    own, top = chance.randrange(count), chance.uniform(120, 650)
    holes: Holes = [[] for _ in range(count)]
    holes[own] = [("left", top - 8, column, high + 16)]
    return count, holes, (own * (column + GUTTER), top, column, high)


def beside(chance: random.Random) -> tuple[int, Holes, tuple[float, float, float, float]]:
    """A hole at the outer side of a column, narrower than it."""
    column = (WIDTH - GUTTER) / 2
    wide, high, top = 0.45 * column, chance.uniform(130, 220), chance.uniform(100, 650)
    right = chance.random() < 0.5
    own = ("right" if right else "left", top - 8, wide + 10, high + 16)
    place = (WIDTH - wide if right else 0.0, top, wide, high)
    return 2, [[], [own]] if right else [[own], []], place


KINDS: dict[
    str, Callable[[random.Random], tuple[int, Holes, tuple[float, float, float, float]]]
] = {
    "between": between,
    "corner": corner,
    "across": across,
    "within": within,
    "beside": beside,
}
STYLE = """
body {{margin:40px 47px;font:{size}px/1.3 '{face}';color:#111}}
.page {{position:relative;width:700px}}
.column {{position:absolute;top:0;height:1040px;overflow:hidden;text-align:{set}}}
.column p {{margin:0;text-indent:1.4em}} .inset {{position:absolute;overflow:hidden}}
.quote {{border-top:2px solid #333;border-bottom:2px solid #333;padding:8px 4px;font-size:{large}px;
line-height:1.25;text-align:center;font-style:{slant};overflow:hidden}}
.caption {{font-size:.85em;font-style:italic;padding-top:4px}}
"""


def _filled(chance: random.Random, characters: int) -> tuple[list[str], str]:
    """Return paragraphs of about so many characters, and as elements."""
    texts: list[str] = []
    while sum(map(len, texts)) < characters:
        texts.append(paragraph(chance, chance.randint(2, 5)))
    return texts, "".join(f"<p>{html.escape(text)}</p>" for text in texts)


def shoot(job: tuple[str, int, str]) -> None:
    """Draw one page and write its truth."""
    name, number, data = job
    chance = random.Random(100 * list(KINDS).index(name) + number)
    target = Path(data) / "insets" / f"{name}-{number}.png"
    if target.with_suffix(".json").exists():
        return
    size = chance.choice((13, 14, 15))
    count, holes, place = KINDS[name](chance)
    style = STYLE.format(
        size=size,
        face=chance.choice(FACES),
        set=chance.choice(("justify", "left")),
        large=size + chance.choice((3, 6)),
        slant=chance.choice(("normal", "italic")),
    )
    column = (WIDTH - GUTTER * (count - 1)) / count
    texts: list[str] = []
    elements: list[str] = []
    for own in holes:
        free = column * HEIGHT - sum(wide * high for _, _, wide, high in own)
        found, element = _filled(chance, int(0.7 * free / (0.62 * size * size)) - 250)
        texts += found
        elements.append(element)
    quote = number % 2 == 0 and name != "corner"  # as large as that are pictures
    inset = _inset(chance, place[2], place[3], quote)
    page = _page(elements, holes, inset, place, style)
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "page.html"
        source.write_text(page, encoding="utf-8")
        common = ["chromium", *FLAGS, "--window-size=794,1123", f"--user-data-dir={folder}/u"]
        drawn = [f"--force-device-scale-factor={SCALE}", f"--screenshot={target}", source.as_uri()]
        subprocess.run([*common, *drawn], check=True, capture_output=True, timeout=120)
    if number % 3 == 2:
        with Image.open(target) as image:
            image.convert("L").convert("1").save(target)
    x, y, wide, high = place
    box = [SCALE * edge for edge in (47 + x, 40 + y, 47 + x + wide, 40 + y + high)]
    truth = {"texts": texts, "inset": box}
    target.with_suffix(".json").write_text(json.dumps(truth), encoding="utf-8")


def measure(path: Path) -> tuple[str, int, int, int]:
    """Return a page's name, characters, errors in order, and in any order."""
    truth = json.loads(path.with_suffix(".json").read_text("utf-8"))
    hole = Box(*truth["inset"])
    page = read_page(path)
    lines = [line for block in page.blocks for line in block.lines]
    read = join_hyphens([line.text for line in lines if not hole.contains(*line.box.middle)])
    any_order = sum(min(len(text), errors_at_best_place(text, read)) for text in truth["texts"])
    whole = " ".join(truth["texts"])
    return path.stem, len(whole), errors(read, whole), any_order


@click.group()
def main() -> None:
    """Draw and read columns around insets."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
@click.option("--jobs", default=2, show_default=True)
def build(data: Path, jobs: int) -> None:
    """Draw the pages."""
    (data / "insets").mkdir(parents=True, exist_ok=True)
    work = [(name, number, str(data)) for name in KINDS for number in range(PAGES_OF_KIND)]
    with multiprocessing.Pool(jobs) as pool:
        pool.map(shoot, work, chunksize=1)


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--pages", is_flag=True, help="Also list every page.")
def score(data: Path, jobs: int, pages: bool) -> None:
    """Read the pages and print a table."""
    paths = sorted((data / "insets").glob("*.png"))
    with multiprocessing.Pool(jobs) as pool:
        found = pool.map(measure, paths, chunksize=1)
    click.echo(f"{'inset':16} {'pages':>6} {'in order CER %':>15} {'any order':>10}")
    for name in [*KINDS, ""]:
        own: NDArray[np.int64] = np.array([row[1:] for row in found if row[0].startswith(name)])
        count, in_order, any_order = own.sum(0).tolist()
        line = f"{100 * in_order / count:15.2f} {100 * any_order / count:10.2f}"
        click.echo(f"{name or 'all':16} {len(own):6} {line}")
        if pages and name:
            for stem, count, in_order, any_order in found:
                if stem.startswith(name):
                    line = f"{100 * in_order / count:15.2f} {100 * any_order / count:10.2f}"
                    click.echo(f"  {stem:14} {'':6} {line}")


if __name__ == "__main__":
    main()
