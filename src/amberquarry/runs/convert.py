"""Convert many files into a run folder."""

from __future__ import annotations

import contextlib
import logging
import os
import time
from collections import Counter, deque
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path

from amberquarry.assembly import assemble
from amberquarry.document import Document
from amberquarry.errors import Rejection, our_fault
from amberquarry.runs.folder import RunFolder, cannot_write, is_fault_of_disk
from amberquarry.runs.inputs import InputFile, Inputs, find_inputs
from amberquarry.runs.workers import (
    Crew,
    Event,
    PageDone,
    Probe,
    Probed,
    Range,
    Refused,
    Task,
)
from amberquarry.settings import Limits, Settings
from amberquarry.values import FindingCode, Page
from amberquarry.version import made_by

_PAGES_PER_TASK = 4
_FILES_AHEAD = 48  # opened before their turn: bounds what waits in memory

# What was read of a file goes when its content is found to be of these kinds now.
_OF_CONTENT = (Rejection.DAMAGED, Rejection.EMPTY, Rejection.ENCRYPTED, Rejection.UNSUPPORTED)

log = logging.getLogger(__name__)


@dataclass(slots=True)
class RunSummary:
    """What a run did, and how its folder stands."""

    documents: int = 0  # converted by this start, as are pages and words
    pages: int = 0
    words: int = 0
    low_confidence_pages: int = 0
    already_done: int = 0
    rejected: dict[str, int] = field(default_factory=dict)  # of the folder, by reason
    failed_pages: int = 0  # of the folder
    skipped: list[str] = field(default_factory=list)  # hidden and system files
    links: list[str] = field(default_factory=list)  # to folders, which were not followed
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
    probed: Probed | None = None
    wanted: tuple[int, ...] = ()
    pages: dict[int, list[Page]] = field(default_factory=dict)  # by page of the file
    faults: int = 0  # pages failed by our own fault
    refused: Refused | None = None
    done_before: bool = False

    @property
    def complete(self) -> bool:
        if self.refused is not None or self.done_before:
            return True
        return self.probed is not None and len(self.pages) == len(self.wanted)


def convert(
    inputs: Iterable[str | os.PathLike[str]],
    out: str | os.PathLike[str],
    *,
    settings: Settings | None = None,
    limits: Limits | None = None,
    jobs: int | None = None,
    pages: range | None = None,
    progress: Callable[[Progress], None] | None = None,
    passwords: Sequence[str] = (),
) -> RunSummary:
    """Read files, folders and glob patterns into the run folder `out` and return what was done.

    pages: numbers from 1 of the pages wanted from each file (all by default). jobs: worker
    processes (by default one for each core). A run that was stopped goes on where it was; a
    document that is there with the same content and without failed pages is not read again.
    passwords: tried on protected files; they stand in no record.
    Records lie in the order of the inputs whatever the number of workers.
    Raises FileNotFoundError for inputs that are not there or hold no file, RunFolderError if `out`
    can't be used or another run is writing to it, WorkerError if worker processes can't be started.
    """
    settings, limits = settings or Settings(), limits or Limits()
    jobs = jobs or os.cpu_count() or 1
    if jobs < 1:
        raise ValueError(f"jobs must be at least 1, got {jobs}")
    if not os.fspath(out):
        raise ValueError("the run folder's name is empty; name a folder, . for this one")
    inputs = list(inputs)
    found = find_inputs(inputs, Path(out))
    if not found.files and not found.unreadable:
        raise FileNotFoundError(_nothing_found(inputs, found))
    folder = RunFolder.open(Path(out), settings, {**made_by(settings), **_page_choice(pages)})
    summary = RunSummary(skipped=found.skipped, links=found.links)
    names = [*(name for name, _ in found.unreadable), *(file.name for file in found.files)]
    run = _Run(folder, settings, limits, min(jobs, 64), pages, progress, summary, tuple(passwords))
    try:
        folder.begin_inputs(names)
        for name, message in found.unreadable:
            folder.reject(name, Rejection.UNREADABLE, message)
        run.read([_Job(file) for file in found.files])
        summary.rejected = dict(Counter(r["reason"] for r in folder.rejections.values()))
        for name, count in asdict(folder.added).items():
            setattr(summary, name, count)
        summary.failed_pages = folder.totals.failed_pages
        folder.finish(names, _summary_values(summary))
    except OSError as error:
        raise cannot_write(Path(out), error) from error
    except BaseException:
        with contextlib.suppress(OSError):
            folder.stop()
        raise
    finally:
        folder.close()
    return summary


def _nothing_found(inputs: Sequence[str | os.PathLike[str]], found: Inputs) -> str:
    names = ", ".join(os.fspath(item) for item in inputs) or "the inputs"
    text = f"there are no files to convert in {names}"
    if found.skipped:
        text += f"; hidden and system files are skipped: {len(found.skipped)}"
    if found.links:
        text += f"; links to folders are not followed: {', '.join(found.links[:5])}"
    return text


def _page_choice(pages: range | None) -> dict[str, str]:
    return {} if pages is None else {"pages": f"{pages.start}-{pages.stop - 1}"}


def _summary_values(summary: RunSummary) -> dict[str, object]:
    return {
        "rejected": dict(sorted(summary.rejected.items())),
        "skipped": summary.skipped,
        "links": summary.links,
        "this_time": {
            "pages": summary.pages,
            "already_done": summary.already_done,
            "seconds": round(summary.seconds, 1),
            "pages_per_second": round(summary.pages_per_second, 2),
        },
    }


@dataclass(slots=True)
class _Run:
    """The files of one start on their way through the workers into the run folder."""

    folder: RunFolder
    settings: Settings
    limits: Limits
    jobs: int
    pages: range | None
    progress: Callable[[Progress], None] | None
    summary: RunSummary
    passwords: tuple[str, ...] = ()
    waiting: deque[Task] = field(default_factory=deque)
    pages_known: int = 0
    pages_done: int = 0

    def read(self, queue: list[_Job]) -> None:
        """Read the files of a queue; each is written when those before it are."""
        if not queue:
            return
        began = time.monotonic()
        opened = written = 0
        size = min(self.jobs, max(1, len(queue) * 8))
        crew = Crew(size, self.settings, self.limits, self.passwords)
        try:
            while written < len(queue):
                while (
                    opened < len(queue)
                    and opened < written + _FILES_AHEAD
                    and len(self.waiting) < 2 * self.jobs
                ):
                    self.waiting.append(Probe(opened, queue[opened].file.path))
                    opened += 1
                while self.waiting and crew.idle:
                    crew.give(self.waiting.popleft())
                events, again = crew.events()
                self.waiting.extendleft(reversed(again))
                for event in events:
                    self._take(event, queue[event.number])
                while written < len(queue) and queue[written].complete:
                    self._write(queue[written])
                    queue[written].pages = {}
                    written += 1
                self.summary.seconds = time.monotonic() - began
                if self.progress is not None and (events or again):
                    done = (written, len(queue), self.pages_done, self.pages_known)
                    self.progress(Progress(*done, self.summary.seconds))
        finally:
            crew.close()

    def _take(self, event: Event, job: _Job) -> None:
        """Take in what a worker says of a file."""
        if isinstance(event, Probed):
            earlier = self.folder.documents.get(job.file.name)
            same = earlier is not None and earlier.identifier == event.identifier
            if earlier is not None and same and earlier.is_good:
                job.done_before = True
                return
            if not same:
                self.folder.forget(job.file.name)
            job.probed = event
            job.wanted = tuple(
                i for i in range(event.page_count) if self.pages is None or i + 1 in self.pages
            )
            self.pages_known += len(job.wanted)
            ranges = [
                Range(event.number, job.file.path, job.wanted[i : i + _PAGES_PER_TASK], event.state)
                for i in range(0, len(job.wanted), _PAGES_PER_TASK)
            ]
            # files opened earlier come first, so that their results leave memory
            self.waiting.extendleft(reversed(ranges))
        elif isinstance(event, Refused):
            job.refused = event
        elif isinstance(event, PageDone):
            self._guarded(job, lambda: self.folder.keep_pictures(job.file.name, event.pages))
            job.pages[event.index] = event.pages
            job.faults += event.ours
            self.pages_done += 1

    def _guarded(self, job: _Job, action: Callable[[], None]) -> None:
        """Do what one file asks for; what goes wrong is that file's own failure."""
        try:
            action()
        except Exception as error:
            if isinstance(error, OSError) and is_fault_of_disk(error):
                raise
            if isinstance(error, OSError):
                message = f"its results can't be written ({error.strerror}); rename the file"
            else:
                log.exception("%s", job.file.path)
                message = our_fault(error)
            job.refused = Refused(0, Rejection.FAILED, message)

    def _write(self, job: _Job) -> None:
        """Write one finished file to the run folder, as a document or as a rejection."""
        if job.done_before:
            self.summary.already_done += 1
            return
        if job.refused is None:
            job.refused = _why_not(job)
        probed, least = job.probed, self.settings.output.min_confidence
        if job.refused is None and probed is not None:
            self._guarded(job, lambda: self.folder.add(_document(job, probed, least)))
        if job.refused is not None:
            if job.refused.reason in _OF_CONTENT:
                self.folder.forget(job.file.name)
            self.folder.reject(job.file.name, job.refused.reason, job.refused.message)


def _why_not(job: _Job) -> Refused | None:
    """Return why a file whose pages were read gives no document, None where it does."""
    pages = [page for own in job.pages.values() for page in own]
    if not pages:
        return Refused(0, Rejection.EMPTY, "none of the wanted pages is in the file")
    failures = [
        [f.message for f in job.pages[index][0].findings if f.code is FindingCode.PAGE_FAILED]
        for index in sorted(job.pages)
    ]
    if not all(failures):
        return None
    reason = Rejection.FAILED if job.faults == len(pages) else Rejection.UNREADABLE
    return Refused(0, reason, f"no page could be read; the first one: {failures[0][-1]}")


def _document(job: _Job, probed: Probed, least: float) -> Document:
    """Return the document of a file whose pages were read. least: confidence of its words."""
    pages = [page for index in sorted(job.pages) for page in job.pages[index]]
    assemble(pages, least)
    findings = [*probed.file.findings, *(own for page in pages for own in page.findings)]
    return Document(probed.identifier, job.file.name, pages, findings, probed.file)
