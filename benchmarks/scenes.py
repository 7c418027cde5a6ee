"""Pages as cameras and books deliver them: drawn from development pages, read, scored.

    python benchmarks/scenes.py build --data DATA     draw the pages of each class
    python benchmarks/scenes.py score --data DATA     read them and print a table
    python benchmarks/scenes.py flat --data DATA      what is done to flat scans, and its time

Each class is read with preparation as shipped, with what this class calls for switched off, and the
same pages flat as a scanner delivers them. Boards and pages without text count words.
"""

from __future__ import annotations

import io
import json
import multiprocessing
import random
import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from amberquarry import PreparationStep, QuarryError, Settings, read_page
from amberquarry.demo import scenes
from amberquarry.demo.scanner import move_blocks
from amberquarry.formats.records import page_from_record
from amberquarry.imaging import prepare, views_of
from amberquarry.imaging.sheet import find_sheet
from amberquarry.scoring import PageScore, score_page, total
from amberquarry.sources.pictures import grey_levels
from devpages import listed, write_truth

PAGES = 14  # of each class
BOARDS = 16
GROUNDS = ("stamped", "ruled", "screened", "bled")
BOARDED = ("boards", "textless")
CLASSES = ("photographed", "bent", "reversed", "shaded", "spreads", *BOARDED, *GROUNDS)
OFF: dict[str, dict[str, Any]] = {
    "photographed": {"find_sheet": False},
    "bent": {"flatten": False},
    "reversed": {"reverse_dark": False},
    "shaded": {"even_light": False},
    "spreads": {"split_spreads": False},
    "stamped": {"lift_marks": False},
    "ruled": {"lift_marks": False},
    "screened": {"even_light": False},
    "bled": {"lift_bleed": False},
}
WORDS = re.split(
    r"\s+",
    """Port Ellory Harbour Office Tide Tables Sold Here No Mooring Beyond This Point Lifeboat
    Station Open Daily Fresh Crab Bread and Cakes Ferry Every Hour Mind the Step Private Quay
    Ring Bell for Service Storm Cone Look Out Rope Paint Lamps Museum of Weather Lane Closed Hotel
    Rooms To Let Keep Clear Danger Deep Water Post Bakery Chandler Net Loft Slipway 1874 Pier 7
    Berth 12""",
)


def flat_pages(data: Path, count: int, seed: int) -> list[tuple[str, Path]]:
    """Return clean development pages in one column, of the train and inspect splits."""
    facts = listed("train") | listed("inspect")
    found = [
        (key, data / "devpages" / fact["split"] / "clean" / f"{key}.png")
        for key, fact in sorted(facts.items())
        if fact["columns"] == "single"
    ]
    return random.Random(seed).sample(found, count)


def draw(name: str, clean: NDArray[np.uint8], blocks: list[dict[str, Any]], seed: int) -> Any:
    """Return the scene of a class."""
    if name == "photographed":
        return scenes.photograph(clean, seed)
    if name == "bent":
        return scenes.bend(clean, seed)
    if name == "shaded":
        return scenes.shade(clean, seed)
    boxes = np.array([block["box"] for block in blocks], float)
    return scenes.reverse_areas(clean, boxes, seed)


def build_grounds(data: Path) -> None:
    """Draw pages with stamps, rules, screens and print that shines through."""
    for number, name in enumerate(GROUNDS):
        pages = flat_pages(data, PAGES + 1, seed=10 + number)
        pictures = [np.asarray(Image.open(path).convert("L")) for _, path in pages]
        for count, (key, path) in enumerate(pages[:PAGES]):
            blocks = json.loads(path.with_suffix(".json").read_text(encoding="utf-8"))["blocks"]
            scene = scenes.mark_ground(
                pictures[count], pictures[count + 1], name, 1100 + 100 * number + count
            )
            moved = move_blocks(blocks, scene.place)
            write(data / "scenes" / name, key, scene, moved, flat=[key])


def write(
    folder: Path, key: str, scene: scenes.Scene, blocks: list[dict[str, Any]], **facts: Any
) -> None:
    """Write a picture and its truth."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / f"{key}{scene.suffix}").write_bytes(scene.data)
    write_truth(folder, key, scene.size, blocks, dpi=None, **facts)


def draw_spread(folder: Path, left: tuple[str, Path], right: tuple[str, Path], seed: int) -> None:
    """Write two pages as one scan; the truth holds the blocks of the left one first."""
    clean, blocks = [], []
    for _, path in (left, right):
        clean.append(np.asarray(Image.open(path).convert("L")))
        blocks.append(json.loads(path.with_suffix(".json").read_text(encoding="utf-8"))["blocks"])
    scene, place = scenes.spread(*clean, seed)
    moved = move_blocks(blocks[0], scene.place) + move_blocks(blocks[1], place)
    write(folder, f"{seed}", scene, moved, flat=[left[0], right[0]])


@click.group()
def main() -> None:
    """Draw and score scenes."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
def build(data: Path) -> None:
    """Draw the pages of all classes, by seed."""
    for number, name in enumerate(CLASSES[:4]):
        for count, (key, path) in enumerate(flat_pages(data, PAGES, seed=number)):
            clean = np.asarray(Image.open(path).convert("L"))
            blocks = json.loads(path.with_suffix(".json").read_text(encoding="utf-8"))["blocks"]
            scene = draw(name, clean, blocks, 100 * number + count)
            sheet = None if scene.sheet is None else scene.sheet.round(1).tolist()
            moved = move_blocks(blocks, scene.place)
            write(data / "scenes" / name, key, scene, moved, sheet=sheet, flat=[key])
    pages = flat_pages(data, 2 * PAGES, seed=4)
    for number, (left, right) in enumerate(zip(pages[::2], pages[1::2], strict=True)):
        draw_spread(data / "scenes" / "spreads", left, right, 400 + number)
    build_grounds(data)
    fonts = sorted(
        str(path)
        for family in ("alegreya-sans", "spectral", "anonymous-pro")
        for path in (data / "fonts" / family).glob("*-latin-[47]00-normal.woff2")
    )
    chance = random.Random(5)
    for count in range(2 * BOARDS):
        texts = [
            [
                " ".join(chance.sample(WORDS, chance.randint(1, 3)))
                for _ in range(chance.randint(1, 4))
            ]
            for _ in range(chance.randint(1, 3))
        ]
        bare = count >= BOARDS
        scene, boards = scenes.place_boards([] if bare else texts, fonts, 900 + count)
        blocks = []
        for board in boards:
            words = []
            for text, quad in board:
                low, high = quad.min(0).round(1).tolist(), quad.max(0).round(1).tolist()
                words.append({"text": text, "box": [*low, *high], "confidence": 1.0})
            line = {
                "box": [0, 0, 1, 1],
                "text": " ".join(w["text"] for w in words),
                "confidence": 1.0,
            }
            blocks.append({"id": "b", "kind": "paragraph", "box": [0, 0, 1, 1], "confidence": 1.0,
                           "text": line["text"], "lines": [{**line, "words": words}]})  # fmt: skip
        write(data / "scenes" / BOARDED[bare], f"{count:02d}", scene, blocks)


def covered(
    found: NDArray[np.float64] | None, truth: list[list[float]], shape: tuple[int, int]
) -> float:
    """Return the intersection over union of two quadrilaterals inside a picture (H, W)."""
    if found is None:
        return 0.0
    masks = [np.zeros((shape[0] // 4, shape[1] // 4), np.uint8) for _ in range(2)]
    for mask, corners in zip(masks, (found, np.array(truth)), strict=True):
        cv2.fillPoly(mask, [np.round(corners / 4).astype(np.int32)], 1)
    return float((masks[0] & masks[1]).sum() / (masks[0] | masks[1]).sum())


Result = tuple[
    str, PageScore, list[PageScore], list[PageScore], float | None, list[PreparationStep]
]


def read_one(job: tuple[str, str, str]) -> Result:
    """Return the scores of a page: as shipped, without the class's step, flat; and its sheet."""
    name, path, pages = job
    cv2.setNumThreads(1)
    record = json.loads(Path(path).with_suffix(".json").read_text(encoding="utf-8"))
    truth = page_from_record(record)

    def scored(
        settings: Settings, file: str, wanted: Any
    ) -> tuple[PageScore, list[PreparationStep]]:
        try:
            page = read_page(file, settings=settings)
        except QuarryError as error:
            click.echo(f"{file}: {error}", err=True)
            return score_page(None, wanted), []
        return score_page(page, wanted), page.preparation

    shipped, steps = scored(Settings(), path, truth)
    without, plain = [], []
    if name in OFF:
        without = [scored(Settings.from_dict({"preparation": OFF[name]}), path, truth)[0]]
    for key in record.get("flat", []):
        [flat] = Path(pages).glob(f"*/clean/{key}.png")
        wanted = page_from_record(json.loads(flat.with_suffix(".json").read_text("utf-8")))
        plain.append(scored(Settings(), str(flat), wanted)[0])
    overlap = None
    if record.get("sheet"):
        grey = grey_levels(Image.open(io.BytesIO(Path(path).read_bytes())))
        overlap = covered(find_sheet(grey), record["sheet"], grey.shape)
    return Path(path).stem, shipped, without, plain, overlap, steps


def rate(scores: list[PageScore]) -> str:
    """Return the error of some pages line by line, in percent; a dash where not measured."""
    return f"{100 * (total(scores).cer_in_place or 0):8.2f}" if scores else f"{'–':>8}"


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--class", "names", multiple=True, type=click.Choice(CLASSES), default=CLASSES)
@click.option("--jobs", default=2, show_default=True)
@click.option("--pages", is_flag=True, help="Also list every page.")
def score(data: Path, names: tuple[str, ...], jobs: int, pages: bool) -> None:
    """Read the scenes and print a table: CER in place, words where there are boards."""
    click.echo(
        "class          n  shipped  without     flat  order  sheets >= 0.95  words found  "
        "invented a page"
    )
    show: Callable[[Result], None] = lambda row: click.echo(
        f"    {row[0]:44} {rate([row[1]])} {rate(row[2])} {rate(row[3])} "
        f"{'' if row[4] is None else f'{row[4]:.3f}'} {' '.join(s.step.value for s in row[5])}"
    )
    for name in names:
        paths = sorted(p for p in (data / "scenes" / name).iterdir() if p.suffix != ".json")
        jobs_of = [(name, str(p), str(data / "devpages")) for p in paths]
        with multiprocessing.get_context("spawn").Pool(jobs) as pool:
            rows = pool.map(read_one, jobs_of, chunksize=1)
        sheets = [row[4] for row in rows if row[4] is not None]
        found = (
            f"{100 * sum(v >= 0.95 for v in sheets) / len(sheets):12.1f} %"
            if sheets
            else f"{'–':>14}"
        )
        sums = [(s.truth_boxes, s.found_boxes, s.same_place_and_text) for _, s, *_ in rows]
        there, read, right = np.array(sums).sum(0).tolist()
        words = f"{right / there:.3f}" if there and name in BOARDED else "–"
        extra = f"{(read - right) / len(rows):.2f}" if name in BOARDED else "–"
        shipped = total([row[1] for row in rows])
        columns = [[row[1] for row in rows], [s for row in rows for s in row[2]]]
        columns.append([s for row in rows for s in row[3]])
        rates = " ".join(map(rate, columns))
        order = f"{shipped.order:.3f}" if shipped.order is not None and name not in BOARDED else "–"
        click.echo(f"{name:13} {len(rows):3} {rates} {order:>6} {found} {words:>12} {extra:>16}")
        if pages:
            for row in rows:
                show(row)


def prepare_one(path: str) -> tuple[str, list[str], float, float]:
    """Return the steps that the preparation takes on a flat page, and its times in seconds.

    The first time is that of looking for sheets and folds, the second of all else.
    """
    cv2.setNumThreads(1)
    settings = Settings().preparation
    grey = grey_levels(Image.open(path))
    began = time.perf_counter()
    views = views_of(grey, settings)
    looked = time.perf_counter()
    steps = [step.step.value for step in views[0].steps]
    for view in views:
        steps += [step.step.value for step in prepare(view.grey, settings).steps]
    return path, steps, looked - began, time.perf_counter() - looked


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=72, show_default=True, help="Of each scanner level.")
@click.option("--jobs", default=1, show_default=True, help="Times hold for one.")
def flat(data: Path, pages: int, jobs: int) -> None:
    """Count what is done to flat scans, which need no sheet or fold, and time it."""
    folder = data / "devpages"
    click.echo("level      n  sheets  folds  reversed    seconds: views  rest")
    for level in ("clean", "office", "poor"):
        found = [p for p in folder.glob(f"*/{level}/*") if p.suffix != ".json"]
        chosen = random.Random(6).sample(sorted(found), min(pages, len(found)))
        with multiprocessing.get_context("spawn").Pool(jobs) as pool:
            rows = pool.map(prepare_one, map(str, chosen), chunksize=4)
        counts = [sum(step in row[1] for row in rows) for step in ("sheet", "split", "reverse")]
        views, rest = (float(np.median([row[column] for row in rows])) for column in (2, 3))
        click.echo(
            f"{level:8} {len(rows):3} {counts[0]:7} {counts[1]:6} {counts[2]:9} "
            f"{views:17.3f} {rest:5.3f}"
        )
        for path, steps, _, _ in rows:
            if "sheet" in steps or "split" in steps:
                click.echo(f"    {Path(path).name}: {', '.join(steps)}")


if __name__ == "__main__":
    main()
