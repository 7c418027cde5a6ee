"""Measure a run folder against a file of truth."""

from __future__ import annotations

from collections import defaultdict
from pathlib import Path

from amberquarry.document import Page
from amberquarry.errors import RunFolderError
from amberquarry.formats.records import page_from_record
from amberquarry.runs.folder import DOCUMENTS, PAGES, read_records
from amberquarry.scoring.compare import PageScore, Score, score_page, total


def load_pages(path: Path) -> dict[tuple[str, int], tuple[Page, str]]:
    """Return pages by document and number, with their class, from a file like pages.jsonl.

    A truth file may name documents by their source path, and give each page a `class` under which
    it is reported.
    """
    if not path.is_file():
        raise RunFolderError(f"{path}: there is no such file")
    pages = {}
    for record in read_records(path):
        try:
            page = page_from_record(record)
            pages[record["document"], page.number] = (page, record.get("class", "all"))
        except (KeyError, TypeError, ValueError) as error:
            raise RunFolderError(f"{path}: a record is not a page record ({error!r})") from error
    return pages


def score_run(run: Path, truth: Path, count_missing: bool = True) -> dict[str, Score]:
    """Return the score by class of pages, and under `all` that of all together.

    run: a run folder. truth: a file like pages.jsonl, in which `document` is the document's
    identifier or its source path. Pages of the truth that the run lacks count as all wrong, or
    are left out without `count_missing`.
    """
    found = load_pages(run / PAGES)
    names = {}
    if (run / DOCUMENTS).is_file():
        names = {record["source"]: record["document"] for record in read_records(run / DOCUMENTS)}
    parts: dict[str, list[PageScore]] = defaultdict(list)
    for (document, number), (page, name) in load_pages(truth).items():
        mine = found.get((document, number)) or found.get((names.get(document, ""), number))
        if mine is None and not count_missing:
            continue
        score = score_page(mine[0] if mine else None, page)
        parts[name].append(score)
        if name != "all":
            parts["all"].append(score)
    return {name: total(scores) for name, scores in sorted(parts.items())}
