"""Convert many files into a run folder."""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path

from amberquarry.assembly import assemble
from amberquarry.document import Document, FindingCode, Page
from amberquarry.errors import Rejection
from amberquarry.runs.folder import RunFolder
from amberquarry.runs.inputs import InputFile, find_inputs
from amberquarry.runs.workers import Crew, PageDone, Probe, Probed, Range, Refused, Task
from amberquarry.settings import Limits, Settings
from amberquarry.version import made_by

_PAGES_PER_TASK = 4
_FILES_AHEAD = 48  # opened before their turn: bounds what waits in memory


@dataclass(slots=True)
class RunSummary:
    """What a run did."""

    documents: int = 0
    pages: int = 0
    words: int = 0
    already_done: int = 0
    rejected: dict[str, int] = field(default_factory=dict)  # by reason
    skipped: list[str] = field(default_factory=list)  # hidden and system files
    low_confidence_pages: int = 0
    failed_pages: int = 0
    seconds: float = 0.0

    @property
    def rejected_count(self) -> int:
        """How many files were rejected."""
        return sum(self.rejected.values())

    @property
    def pages_per_second(self) -> float:
        """Pages read in this run for each second."""
        return self.pages / self.seconds if self.seconds > 0 else 0.0


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a run is; given to the `progress` callback."""

    files_done: int
    files_total: int
    pages_done: int
    pages_known: int  # of the files opened so far
    seconds: float


@dataclass(slots=True)
class _Job:
    file: InputFile
    identifier: str = ""
    file_info: dict[str, str] = field(default_factory=dict)
    wanted: tuple[int, ...] = ()
    pages: dict[int, list[Page]] = field(default_factory=dict)  # by page of the file
    faults: int = 0  # pages failed by our own fault
    refused: Refused | None = None
    probed: bool = False

    @property
    def complete(self) -> bool:
        return self.refused is not None or (self.probed and len(self.pages) == len(self.wanted))


def convert(
    inputs: Iterable[str | os.PathLike[str]],
    out: str | os.PathLike[str],
    *,
    settings: Settings | None = None,
    limits: Limits | None = None,
    jobs: int | None = None,
    pages: range | None = None,
    progress: Callable[[Progress], None] | None = None,
) -> RunSummary:
    """Read files, folders and glob patterns into the run folder `out` and return what was done.

    pages: numbers from 1 of the pages wanted from each file (all by default). jobs: worker
    processes (by default one for each core). A run that was stopped goes on where it was; records
    lie in the order of the inputs whatever the number of workers.
    Raises FileNotFoundError for inputs that are not there, RunFolderError if `out` can't be used.
    """
    settings, limits = settings or Settings(), limits or Limits()
    jobs = jobs or os.cpu_count() or 1
    if jobs < 1:
        raise ValueError(f"jobs must be at least 1, got {jobs}")
    found = find_inputs(inputs, Path(out))
    folder = RunFolder.open(Path(out), settings, {**made_by(settings), **_page_choice(pages)})
    summary = RunSummary(skipped=found.skipped)
    before = replace(folder.totals)
    try:
        queue = []
        for file in found.files:
            if file.name in folder.done:
                summary.already_done += 1
            else:
                queue.append(_Job(file))
        if queue:
            _run(
                queue,
                folder,
                summary,
                min(jobs, 64),
                pages,
                settings,
                limits,
                progress,
                time.monotonic(),
            )
        for name, count in asdict(folder.totals).items():
            setattr(summary, name, count - getattr(before, name))
        folder.finish(_summary_values(summary))
    finally:
        folder.close()
    return summary


def _page_choice(pages: range | None) -> dict[str, str]:
    return {} if pages is None else {"pages": f"{pages.start}-{pages.stop - 1}"}


def _summary_values(summary: RunSummary) -> dict[str, object]:
    return {
        "rejected": dict(sorted(summary.rejected.items())),
        "skipped": summary.skipped,
        "this_time": {
            "pages": summary.pages,
            "already_done": summary.already_done,
            "seconds": round(summary.seconds, 1),
            "pages_per_second": round(summary.pages_per_second, 2),
        },
    }


def _run(
    queue: list[_Job],
    folder: RunFolder,
    summary: RunSummary,
    jobs: int,
    pages: range | None,
    settings: Settings,
    limits: Limits,
    progress: Callable[[Progress], None] | None,
    began: float,
) -> None:
    waiting: deque[Task] = deque()
    opened = written = pages_known = pages_done = 0
    crew = Crew(min(jobs, max(1, len(queue) * 8)), settings, limits)
    try:
        while written < len(queue):
            while (
                opened < len(queue) and opened < written + _FILES_AHEAD and len(waiting) < 2 * jobs
            ):
                waiting.append(Probe(opened, queue[opened].file.path))
                opened += 1
            while waiting and crew.idle:
                crew.give(waiting.popleft())
            events, again = crew.events()
            waiting.extendleft(reversed(again))
            for event in events:
                job = queue[event.number]
                if isinstance(event, Probed):
                    job.identifier, job.file_info, job.probed = (
                        event.identifier,
                        event.file_info,
                        True,
                    )
                    job.wanted = tuple(
                        i for i in range(event.page_count) if pages is None or i + 1 in pages
                    )
                    pages_known += len(job.wanted)
                    ranges = [
                        Range(event.number, job.file.path, job.wanted[i : i + _PAGES_PER_TASK])
                        for i in range(0, len(job.wanted), _PAGES_PER_TASK)
                    ]
                    # files opened earlier come first, so that their results leave memory
                    for task in reversed(ranges):
                        waiting.appendleft(task)
                elif isinstance(event, Refused):
                    job.refused = event
                elif isinstance(event, PageDone):
                    folder.keep_pictures(job.file.name, event.pages)
                    job.pages[event.index] = event.pages
                    job.faults += event.ours
                    pages_done += 1
            while written < len(queue) and queue[written].complete:
                _write(queue[written], folder, summary)
                queue[written].pages = {}
                written += 1
            summary.seconds = time.monotonic() - began
            if progress is not None and (events or again):
                progress(Progress(written, len(queue), pages_done, pages_known, summary.seconds))
    finally:
        crew.close()


def _write(job: _Job, folder: RunFolder, summary: RunSummary) -> None:
    """Write one finished file to the run folder, as a document or as a rejection."""
    name = job.file.name
    refused = job.refused
    pages = [page for index in sorted(job.pages) for page in job.pages[index]]
    failed = [
        page for page in pages if any(f.code is FindingCode.PAGE_FAILED for f in page.findings)
    ]
    if refused is None and not pages:
        refused = Refused(0, Rejection.EMPTY, "none of the wanted pages is in the file")
    if refused is None and len(failed) == len(pages):
        reason = Rejection.FAILED if job.faults == len(pages) else Rejection.UNREADABLE
        first = failed[0].findings[-1].message
        refused = Refused(0, reason, f"no page could be read; the first one: {first}")
    if refused is not None:
        folder.reject(name, refused.reason, refused.message)
        summary.rejected[refused.reason.value] = summary.rejected.get(refused.reason.value, 0) + 1
        return
    assemble(pages)
    findings = [finding for page in pages for finding in page.findings]
    folder.add(Document(job.identifier, name, pages, findings, job.file_info))
