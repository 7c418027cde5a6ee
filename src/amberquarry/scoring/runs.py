"""Measure a run folder against a file of truth."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from pathlib import Path

from amberquarry.errors import RunFolderError
from amberquarry.formats.records import page_from_record
from amberquarry.runs.folder import PAGES, read_records
from amberquarry.scoring.compare import PageScore, Score, score_page, total
from amberquarry.values import Page


@dataclass(frozen=True, slots=True)
class PageOfFile:
    """A page of a file of records."""

    document: str  # identifier; in a truth file it may be the source path
    source: str  # path of the document, '' where the record does not say
    page: Page
    name: str  # of the class under which it is reported


def load_pages(path: Path) -> list[PageOfFile]:
    """Return the pages of a file like pages.jsonl.

    A truth file may name documents by their source path, and give each page a `class` under which
    it is reported. Raises RunFolderError where it can't be read or holds other records.
    """
    if not path.is_file():
        raise RunFolderError(f"{path}: there is no such file")
    pages = []
    for number, record in enumerate(read_records(path), start=1):
        try:
            document, source = str(record["document"]), str(record.get("source", ""))
            name = str(record.get("class") or "all")
            pages.append(PageOfFile(document, source, page_from_record(record), name))
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise RunFolderError(
                f"{path}, record {number}: not a page record ({error!r})"
            ) from error
    return pages


def score_run(run: Path, truth: Path, count_missing: bool = True) -> dict[str, Score]:
    """Return the score by class of pages, and under `all` that of all together.

    run: a run folder. truth: a file like pages.jsonl, in which `document` is the document's
    identifier or its source path. Pages of the truth that the run lacks count as all wrong, or
    are left out without `count_missing`. Raises RunFolderError for a truth without pages.
    """
    wanted = load_pages(truth)
    if not wanted:
        raise RunFolderError(f"{truth}: holds no page records")
    found: dict[tuple[str, int], Page] = {}
    for own in load_pages(run / PAGES):
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
