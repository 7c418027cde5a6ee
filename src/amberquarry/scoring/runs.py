"""Measure a run folder against a file of truth."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

from amberquarry.errors import RunFolderError
from amberquarry.runs.opened import open_run, read_pages
from amberquarry.scoring.compare import PageScore, Score, score_page, total
from amberquarry.values import Page


def score_run(run: Path, truth: Path, count_missing: bool = True) -> dict[str, Score]:
    """Return the score by class of pages, and under `all` that of all together.

    run: a run folder. truth: a file like pages.jsonl, in which `document` is the document's
    identifier or its source path. Pages of the truth that the run lacks count as all wrong, or
    are left out without `count_missing`. Raises RunFolderError for a truth without pages.
    """
    wanted = list(read_pages(truth))
    if not wanted:
        raise RunFolderError(f"{truth}: holds no page records")
    found: dict[tuple[str, int], Page] = {}
    for own in open_run(run).pages():
        for name in (own.document, own.source):
            found.setdefault((name, own.page.number), own.page)
    parts: dict[str, list[PageScore]] = defaultdict(list)
    for item in wanted:
        # of files of equal content, the one of this path
        number = item.page.number
        mine = found.get((item.source or item.document, number)) or found.get(
            (item.document, number)
        )
        if mine is None and not count_missing:
            continue
        score = score_page(mine, item.page)
        parts[item.name].append(score)
        if item.name != "all":
            parts["all"].append(score)
    return {name: total(scores) for name, scores in sorted(parts.items())}
