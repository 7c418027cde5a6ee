"""Memory and time of a process that reads one very large picture, beside a usual page.

    python benchmarks/large.py PAGE

PAGE: any scan. It is enlarged to 99 megapixels and written in grey, in 16 bits, in colour, and as
many small pages side by side. Each is read in a process of its own.
"""

from __future__ import annotations

import multiprocessing
import resource
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
import cv2
import numpy as np

from amberquarry import read_page

PIXELS = 99e6


def read(path: str) -> tuple[int, float, int]:
    """Return how many words a picture holds, seconds, and the most memory taken in MiB."""
    cv2.setNumThreads(1)
    began = time.perf_counter()
    words = len(list(read_page(path).words))
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    return words, time.perf_counter() - began, most


def write_pictures(page: str, folder: str) -> list[tuple[str, str, float]]:
    """Write large pictures of a page; returns the name, path and megapixels of each."""
    grey = np.asarray(cv2.imread(page, cv2.IMREAD_GRAYSCALE), np.uint8)
    scale = (PIXELS / grey.size) ** 0.5
    large = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    colours = np.repeat(large[:, :, None], 3, 2)
    tinted = colours.copy()
    tinted[: len(large) // 3, :, 0] //= 2
    side = int(PIXELS**0.5)
    tiles = [-(-side // length) for length in grey.shape]
    found = []
    for name, picture in {
        "usual page": grey,
        "grey": large,
        "16 bits": large.astype(np.uint16) * 257,
        "grey, saved as colour": colours,
        "in colour": tinted,
        "many small pages": np.tile(grey, tiles)[:side, :side],
    }.items():
        path = str(Path(folder) / f"{name}.png")
        cv2.imwrite(path, picture, [cv2.IMWRITE_PNG_COMPRESSION, 1])
        found.append((name, path, picture.shape[0] * picture.shape[1] / 1e6))
    return found


def in_own_process(call: Callable[..., Any], *arguments: object) -> Any:
    """Return what a call gives in a fresh process: one that was large counts as large for good."""
    with multiprocessing.get_context("spawn").Pool(1) as pool:
        return pool.apply(call, arguments)


@click.command()
@click.argument("page", type=click.Path(path_type=Path, exists=True))
def main(page: Path) -> None:
    """Print a row for each kind of picture."""
    click.echo(f"{'picture':24} {'megapixels':>10} {'words':>7} {'seconds':>8} {'MiB':>6}")
    with tempfile.TemporaryDirectory() as folder:
        for name, path, size in in_own_process(write_pictures, str(page), folder):
            words, seconds, most = in_own_process(read, path)
            click.echo(f"{name:24} {size:10.0f} {words:7} {seconds:8.1f} {most:6}")


if __name__ == "__main__":
    main()
