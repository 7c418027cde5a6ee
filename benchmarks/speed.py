"""Pages per second of whole `convert` runs, beside the floor of decoding alone, and memory.

    python benchmarks/speed.py --data DATA

Takes clean 300-dpi pages of the development pages' inspect split. Start-up of the workers is
measured by a run of one page and taken off.
"""

from __future__ import annotations

import json
import multiprocessing
import platform
import resource
import tempfile
import time
from pathlib import Path

import click

from amberquarry import Limits, Settings, convert
from amberquarry.sources import open_source
from devpages import listed


def decode(path: str) -> int:
    """Open a file and return its pixels: the floor of any reader."""
    source = open_source(Path(path), Settings(), Limits())
    try:
        return int(source.picture(0).grey.size)
    finally:
        source.close()


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=40, show_default=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--columns", type=click.Choice(["single", "multi"]), default="single")
def main(data: Path, pages: int, jobs: int, columns: str) -> None:
    """Print one row of figures."""
    folder = data / "devpages" / "inspect" / "clean"
    facts = listed("inspect")
    paths = [folder / f"{key}.png" for key in sorted(facts) if facts[key]["columns"] == columns]
    paths = paths[:pages]
    with tempfile.TemporaryDirectory() as name:
        start = convert(paths[:1], Path(name) / "one", jobs=jobs)
        run = convert(paths, Path(name) / "all", jobs=jobs)
    seconds = run.seconds - start.seconds
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        pool.map(decode, [str(paths[0])] * jobs)
        began = time.perf_counter()
        pool.map(decode, [str(path) for path in paths], chunksize=1)
        floor = time.perf_counter() - began
    row = {
        "processor": platform.processor() or platform.machine(),
        "jobs": jobs,
        "columns": columns,
        "pages": run.pages,
        "words": run.words,
        "pages_per_second": round((run.pages - 1) / seconds, 2),
        "start_and_first_page_s": round(start.seconds, 1),
        "decoding_alone_pages_per_second": round(run.pages / floor, 1),
        "largest_worker_mb": resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024,
    }
    click.echo(json.dumps(row, indent=1))


if __name__ == "__main__":
    main()
