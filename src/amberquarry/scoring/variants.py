"""The same pages read in several ways: what each way found, where they differ, which is best."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amberquarry.errors import RunFolderError
from amberquarry.runs.folder import DOCUMENTS
from amberquarry.runs.opened import open_run
from amberquarry.scoring.compare import shared_areas
from amberquarry.scoring.runs import score_run
from amberquarry.scoring.text import plain
from amberquarry.settings import Settings, value_of
from amberquarry.values import LOW_CONFIDENCE, Box, Page, Word, weighted_confidence
from amberquarry.values.groups import linked_pairs

MOST_VARIANTS = 64
_SHARED = 0.4  # of the smaller box, from which two words stand in one place


@dataclass(frozen=True, slots=True)
class Variant:
    """Settings to try, and how they differ from those of the others."""

    name: str
    settings: Settings


def variants_of(base: Settings, vary: Sequence[str]) -> list[Variant]:
    """Return all combinations of what is varied; none gives the base alone.

    vary: texts like "preparation.ink_threshold=0.3,0.42". Raises SettingsError where a name or
    value is none, ValueError where the form is wrong or there are too many combinations.
    """
    choices: list[list[tuple[str, Any]]] = []
    for text in vary:
        name, equals, values = text.partition("=")
        if not equals or not values:
            raise ValueError(f"--vary {text}: write it as NAME=VALUE,VALUE")
        choice = [(name, value_of(name, value)) for value in values.split(",")]
        if len(set(choice)) < len(choice):
            raise ValueError(f"--vary {text}: a value stands there twice")
        choices.append(choice)
    count = 1
    for choice in choices:
        count *= len(choice)
    if count > MOST_VARIANTS:
        raise ValueError(f"{count} combinations are too many, at most {MOST_VARIANTS} are tried")
    found = []
    for combination in itertools.product(*choices):
        parts = (f"{name.rpartition('.')[2]}={_shown(value)}" for name, value in combination)
        name = ", ".join(parts)
        found.append(Variant(name or "as given", base.with_values(dict(combination))))
    return found


def _shown(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


@dataclass(frozen=True, slots=True)
class RunFigures:
    """What a run found, over the pages that all compared runs hold."""

    name: str
    pages: int
    words: int
    letters: int  # of the words
    confidence: float  # mean over words, by length
    low_share: float  # of words below LOW_CONFIDENCE
    seconds: float | None  # for each page; None where the run does not say
    cer: float | None  # where truth is given
    wer: float | None

    @property
    def sure_letters(self) -> float:
        """Letters read, each counting from -1 (surely wrong) to 1 (surely right), per page.

        Tells which of several readings is best where there is no truth: a reading gains by finding
        more text and by being surer, and loses by what it invents.
        """
        return 0.0 if not self.pages else self.letters * (2 * self.confidence - 1) / self.pages


@dataclass(frozen=True, slots=True)
class Difference:
    """A place where the runs read different words."""

    source: str  # the document's path as the runs name it
    page: int  # of the file, from 1
    box: Box
    readings: tuple[tuple[Word, ...], ...]  # the words of each run there, left to right


Pages = dict[tuple[str, int], Page]


def pages_of_run(run: Path) -> Pages:
    """Return the pages of a run folder by source path and page of the file.

    Halves of a spread are put together, so that runs that split it compare with runs that don't.
    """
    found: Pages = {}
    for record in open_run(run).pages():
        key = record.source, record.page.source_page
        if key in found:
            found[key].blocks += record.page.blocks
        else:
            found[key] = record.page
    return found


def figures(name: str, run: Path, pages: Sequence[Page], truth: Path | None) -> RunFigures:
    """Return the figures of a run."""
    words = [word for page in pages for word in page.words]
    low = sum(word.confidence < LOW_CONFIDENCE for word in words)
    score = score_run(run, truth, count_missing=False).get("all") if truth else None
    if truth and score is None:
        raise RunFolderError(
            f"{truth}: names none of the pages that were read; its `document` must be the path as "
            f"in {run / DOCUMENTS}"
        )
    return RunFigures(
        name,
        len(pages),
        len(words),
        sum(len(word.text) for word in words),
        weighted_confidence(words),
        low / len(words) if words else 0.0,
        _seconds(run),
        score.cer if score else None,
        score.wer if score else None,
    )


def _seconds(run: Path) -> float | None:
    try:
        done = open_run(run).summary["this_time"]
        return float(done["seconds"]) / done["pages"] if done["pages"] else None
    except (OSError, ValueError, KeyError, TypeError):
        return None


def compare_runs(
    runs: Mapping[str, Path], truth: Path | None = None
) -> tuple[list[RunFigures], list[Difference]]:
    """Return the figures of runs of the same files, and where they read different words.

    Only pages that all runs hold count. Raises RunFolderError where a folder holds no run or the
    runs have no page in common.
    """
    read = {name: pages_of_run(run) for name, run in runs.items()}
    shared = sorted(set.intersection(*(set(pages) for pages in read.values())))
    if not shared:
        raise RunFolderError("the runs have no page in common; compare runs of the same files")
    found = [
        figures(name, runs[name], [pages[key] for key in shared], truth)
        for name, pages in read.items()
    ]
    differences = [
        difference
        for key in shared
        for difference in page_differences(key[0], [pages[key] for pages in read.values()])
    ]
    return found, differences


def page_differences(source: str, pages: Sequence[Page]) -> Iterator[Difference]:
    """Yield the places of a page where its readings differ, from its top to its foot.

    Words that share a good part of their boxes are one place, however a reading parts them.
    """
    words = [word for page in pages for word in page.words]
    if not words:
        return
    owner = np.repeat(np.arange(len(pages)), [sum(1 for _ in page.words) for page in pages])
    boxes = np.array([word.box for word in words], float)
    place = _places(boxes)
    order = np.lexsort((boxes[:, 0], owner, place))
    for members in np.split(order, np.flatnonzero(np.diff(place[order])) + 1):
        readings = tuple(
            tuple(words[n] for n in members if owner[n] == run) for run in range(len(pages))
        )
        if len({plain(text_of(reading)) for reading in readings}) > 1:
            box = Box.around([words[n].box for n in members])
            yield Difference(source, pages[0].source_page, box, readings)


def text_of(reading: Sequence[Word]) -> str:
    """Return the words of a reading as text."""
    return " ".join(word.text for word in reading)


def _places(boxes: NDArray[np.float64]) -> NDArray[np.int64]:
    """Return for each box (N, 4) the number of its place: boxes that overlap well share one.

    Places count from the page's top.
    """
    first: list[NDArray[np.int64]] = []
    second: list[NDArray[np.int64]] = []
    areas = np.maximum((boxes[:, 2:] - boxes[:, :2]).prod(1), 1e-9)
    for start in range(0, len(boxes), 512):
        shared = shared_areas(boxes[start : start + 512], boxes)
        near = shared > _SHARED * np.minimum(areas[start : start + 512, None], areas[None])
        rows, columns = np.nonzero(near)
        first.append(rows + start)
        second.append(columns)
    place = linked_pairs(np.concatenate(first), np.concatenate(second), len(boxes))
    count = int(place.max(initial=-1)) + 1
    top = np.full(count, np.inf)
    np.minimum.at(top, place, boxes[:, 1])
    rank = np.empty(count, np.int64)
    rank[np.argsort(top, kind="stable")] = np.arange(count)
    return rank[place]


def best_of(found: Sequence[RunFigures]) -> RunFigures:
    """Return the run that reads best: with the fewest wrong characters, else the most sure ones.

    Of equal ones the quicker is best, then the first.
    """
    return min(
        found,
        key=lambda run: (
            run.cer if run.cer is not None else 0.0,
            0.0 if run.cer is not None else -round(run.sure_letters, 1),
            run.seconds or 0.0,
        ),
    )
