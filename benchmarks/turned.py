"""Turned, scaled and shifted pages: is their structure that of the page as it stands?

    python benchmarks/turned.py score --data DATA    read them and print a table

Every second page of the printed pages that may be looked at (`layout.py build`) is read as it is,
turned by quarters, scaled, and shifted on a larger sheet. Kinds, levels, depths and joints of its
blocks in reading order must be the same, the text nearly, and the boxes must lie where the page
went.
"""

from __future__ import annotations

import difflib
import multiprocessing
from dataclasses import dataclass
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from rapidfuzz.distance import Levenshtein

from amberquarry import Box, Page, read_page
from amberquarry.imaging import turned_back
from amberquarry.values import Mapping, mapped_box

STEP = 2  # of the pages one is taken
SAME_PLACE = 0.8  # of the area of both boxes, that they share


@dataclass(frozen=True, slots=True)
class Variant:
    """A page in another position."""

    name: str
    picture: NDArray[np.uint8]
    to_page: Mapping  # from its pixels to those of the page


def variants(grey: NDArray[np.uint8]) -> list[Variant]:
    """Return a page turned, scaled and shifted."""
    height, width = grey.shape
    found = [
        Variant(
            f"turned {turned}",
            np.ascontiguousarray(np.rot90(grey, turned // 90)),
            turned_back(turned, width, height),
        )
        for turned in (90, 180, 270)
    ]
    for scale in (0.7, 1.5):
        flags = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
        scaled = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=flags)
        back = np.array([[1 / scale, 0, 0], [0, 1 / scale, 0]])
        found.append(Variant(f"scaled {scale}", np.asarray(scaled, np.uint8), Mapping.of(back)))
    paper = int(np.percentile(grey, 90))
    x, y = 61, 133
    sheet = cv2.copyMakeBorder(grey, y, 40, x, 95, cv2.BORDER_CONSTANT, value=(paper,))
    moved = Mapping.of(np.array([[1.0, 0.0, -x], [0.0, 1.0, -y]]))
    found.append(Variant("shifted", np.asarray(sheet, np.uint8), moved))
    return found


def structure(page: Page) -> list[tuple[str, int | None, int | None, bool]]:
    """Return the kinds of a page's blocks in reading order, with what they are in the document."""
    return [(b.kind.value, b.level, b.depth, b.goes_on) for b in page.blocks]


def shared(box: Box, other: Box) -> float:
    """Return the share of two boxes' area that both cover."""
    both = box.overlap(other)
    return both / max(1e-9, box.area + other.area - both)


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a page in another position compares with the page as it stands."""

    page: str
    variant: str
    same: float  # of the blocks of both, that are equal and in the same order
    equal: bool  # all of them
    errors: int  # characters that differ
    letters: int
    in_place: int
    boxes: int


def compare(path: str) -> list[Outcome]:
    """Read a page in all positions."""
    cv2.setNumThreads(1)
    grey = np.asarray(Image.open(path).convert("L"))
    upright = read_page(grey)
    wanted, text = structure(upright), upright.text
    found = []
    for variant in variants(grey):
        page = read_page(variant.picture)
        own = structure(page)
        pairs = difflib.SequenceMatcher(None, wanted, own, autojunk=False).get_matching_blocks()
        in_place = boxes = 0
        for a, b, count in pairs:
            for n in range(count):
                box = mapped_box(page.blocks[b + n].box, variant.to_page)[0]
                boxes += 1
                in_place += shared(box, upright.blocks[a + n].box) >= SAME_PLACE
        found.append(
            Outcome(
                Path(path).name,
                variant.name,
                2 * boxes / max(1, len(wanted) + len(own)),
                own == wanted,
                Levenshtein.distance(text, page.text),
                len(text),
                in_place,
                boxes,
            )
        )
    return found


@click.group()
def main() -> None:
    """Compare pages in several positions."""


@main.command()
@click.option("--data", type=click.Path(exists=True, path_type=Path), required=True)
@click.option("--jobs", type=int, default=2)
@click.option("--worst", type=int, default=10, help="Show so many pages with most differences.")
def score(data: Path, jobs: int, worst: int) -> None:
    """Read the pages and print a table."""
    folder = data / "layout" / "inspect" / "clean"
    paths = sorted(
        str(path) for path in folder.iterdir() if path.suffix in (".png", ".jpg", ".tif")
    )
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        outcomes = [own for found in pool.imap(compare, paths[::STEP]) for own in found]
    print(
        f"{len(paths[::STEP])} pages\n\n"
        "| position | equal | blocks the same | text differs | in place |"
    )
    print("|---|---|---|---|---|")
    for name in dict.fromkeys(own.variant for own in outcomes):
        of = [own for own in outcomes if own.variant == name]
        print(
            f"| {name} | {sum(o.equal for o in of)} of {len(of)} "
            f"| {100 * np.mean([o.same for o in of]):.1f} "
            f"| {100 * sum(o.errors for o in of) / max(1, sum(o.letters for o in of)):.2f} "
            f"| {100 * sum(o.in_place for o in of) / max(1, sum(o.boxes for o in of)):.1f} |"
        )
    for own in sorted(outcomes, key=lambda own: own.same)[:worst]:
        print(f"{own.page} {own.variant}: {100 * own.same:.0f} % the same, {own.errors} differ")


if __name__ == "__main__":
    main()
