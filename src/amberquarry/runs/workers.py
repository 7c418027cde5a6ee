"""Worker processes: each opens files and reads pages; the parent watches them.

A worker that dies or hangs costs the page that it had in hand: it is replaced and the rest of its
pages are given out again. Workers are spawned, not forked, and speak over a pipe.
"""

from __future__ import annotations

import contextlib
import hashlib
import logging
import multiprocessing
import time
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from amberquarry.document import Finding, FindingCode, Page
from amberquarry.errors import PageError, Rejection, SourceError
from amberquarry.settings import Limits, Settings

log = logging.getLogger(__name__)

_OPEN_SECONDS = 60.0


@dataclass(frozen=True, slots=True)
class Probe:
    """Ask for a file's identifier, page count and facts."""

    number: int  # of the file in the run
    path: Path


@dataclass(frozen=True, slots=True)
class Range:
    """Ask for some pages of a file."""

    number: int
    path: Path
    pages: tuple[int, ...]  # indices


Task = Probe | Range


@dataclass(frozen=True, slots=True)
class Probed:
    """Answer to Probe."""

    number: int
    identifier: str
    page_count: int
    file_info: dict[str, str]


@dataclass(frozen=True, slots=True)
class Refused:
    """A file can't be used."""

    number: int
    reason: Rejection
    message: str


@dataclass(frozen=True, slots=True)
class PageDone:
    """A page of a file was read, or failed: then it holds a finding and no blocks.

    A picture of two facing pages gives both.
    """

    number: int
    index: int
    pages: list[Page]
    ours: bool = False  # it failed by our own fault


@dataclass(frozen=True, slots=True)
class _Begun:
    index: int


@dataclass(frozen=True, slots=True)
class _Finished:
    pass


Event = Probed | Refused | PageDone


def failed_page(index: int, message: str) -> Page:
    """Return the record of a page that could not be processed."""
    return Page(
        index + 1, 0, 0, None, findings=[Finding(FindingCode.PAGE_FAILED, message, index + 1)]
    )


def identify(path: Path) -> str:
    """Return the identifier of a file: the start of its content's SHA-256."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()[:32]


def work(pipe: Connection, settings: Settings, limits: Limits) -> None:
    """Serve tasks until the pipe closes (the main function of a worker process)."""
    import cv2

    from amberquarry.reading import load_network

    cv2.setNumThreads(1)
    network = load_network(settings.reading.model)
    try:
        while True:
            task = pipe.recv()
            if task is None:
                return
            if isinstance(task, Probe):
                pipe.send(_probe(task, settings, limits))
            else:
                _read_range(pipe, task, settings, limits, network)
            pipe.send(_Finished())
    except (EOFError, BrokenPipeError, KeyboardInterrupt):
        return


def _probe(task: Probe, settings: Settings, limits: Limits) -> Probed | Refused:
    from amberquarry.sources import open_source

    try:
        source = open_source(task.path, settings, limits)
        try:
            return Probed(task.number, identify(task.path), source.page_count, source.file_info)
        finally:
            source.close()
    except SourceError as error:
        return Refused(task.number, error.reason, error.message)
    except Exception as error:
        log.exception("%s", task.path)
        return Refused(
            task.number, Rejection.FAILED, f"our own fault ({error!r}); please report it"
        )


def _read_range(
    pipe: Connection, task: Range, settings: Settings, limits: Limits, network: Any
) -> None:
    from amberquarry.choosing import read_picture
    from amberquarry.sources import open_source

    try:
        source = open_source(task.path, settings, limits)
    except SourceError as error:  # it changed since it was probed
        pipe.send(Refused(task.number, error.reason, error.message))
        return
    try:
        for index in task.pages:
            pipe.send(_Begun(index))
            ours = False
            try:
                pages = read_picture(source.picture(index), index + 1, network, settings)
                if not settings.output.characters:
                    for line in (li for page in pages for b in page.blocks for li in b.lines):
                        line.character_boxes = line.character_boxes[:0]
                        line.character_confidences = line.character_confidences[:0]
            except PageError as error:
                pages = [failed_page(index, error.message)]
            except Exception as error:
                log.exception("%s, page %d", task.path, index + 1)
                pages = [failed_page(index, f"our own fault ({error!r}); please report it")]
                ours = True
            pipe.send(PageDone(task.number, index, pages, ours))
    finally:
        source.close()


@dataclass(slots=True)
class _Worker:
    process: Any
    pipe: Connection
    task: Task | None = None
    page: int | None = None  # index in hand
    since: float = 0.0
    done: set[int] = field(default_factory=set)


class Crew:
    """A fixed number of worker processes."""

    def __init__(self, size: int, settings: Settings, limits: Limits) -> None:
        self._context = multiprocessing.get_context("spawn")
        self._settings, self._limits = settings, limits
        self._workers = [self._start() for _ in range(size)]

    def _start(self) -> _Worker:
        ours, theirs = self._context.Pipe()
        process = self._context.Process(
            target=work, args=(theirs, self._settings, self._limits), daemon=True
        )
        process.start()
        theirs.close()
        return _Worker(process, ours)

    @property
    def idle(self) -> int:
        """How many workers wait for a task."""
        return sum(worker.task is None for worker in self._workers)

    def give(self, task: Task) -> None:
        """Hand a task to an idle worker; RuntimeError if there is none."""
        for number, worker in enumerate(self._workers):
            if worker.task is not None:
                continue
            try:
                worker.pipe.send(task)
            except (BrokenPipeError, OSError):
                self._workers[number] = worker = self._start()
                worker.pipe.send(task)
            worker.task, worker.page, worker.done = task, None, set()
            worker.since = time.monotonic()
            return
        raise RuntimeError("no worker is idle")

    def events(self, wait_s: float = 0.2) -> tuple[list[Event], list[Task]]:
        """Return what happened, and tasks to be given out again after a worker was lost."""
        events: list[Event] = []
        again: list[Task] = []
        pipes = [worker.pipe for worker in self._workers if worker.task is not None]
        ready = set(multiprocessing.connection.wait(pipes, wait_s)) if pipes else set()
        for number, worker in enumerate(self._workers):
            if worker.task is None:
                continue
            if worker.pipe in ready:
                try:
                    message = worker.pipe.recv()
                except (EOFError, OSError):
                    self._lost(number, "the page made the worker process end", events, again)
                    continue
                if isinstance(message, _Begun):
                    worker.page, worker.since = message.index, time.monotonic()
                elif isinstance(message, _Finished):
                    worker.task = None
                else:
                    if isinstance(message, PageDone):
                        worker.done.add(message.index)
                        worker.page, worker.since = None, time.monotonic()
                    events.append(message)
                continue
            limit = self._limits.seconds_per_page if worker.page is not None else _OPEN_SECONDS
            if time.monotonic() - worker.since > limit:
                self._lost(number, f"the page took longer than {limit:.0f} s", events, again)
        return events, again

    def _lost(self, number: int, why: str, events: list[Event], again: list[Task]) -> None:
        worker = self._workers[number]
        task = worker.task
        log.warning("worker lost on %s: %s", task, why)
        worker.process.kill()
        worker.process.join()
        worker.pipe.close()
        self._workers[number] = self._start()
        if isinstance(task, Probe) or (
            isinstance(task, Range) and worker.page is None and not worker.done
        ):
            events.append(
                Refused(
                    task.number,
                    Rejection.UNREADABLE,
                    "the file can't be opened: it hangs or crashes its library; "
                    "repair it or export it again",
                )
            )
        elif isinstance(task, Range):
            rest = [index for index in task.pages if index not in worker.done]
            if worker.page is not None:
                events.append(PageDone(task.number, worker.page, [failed_page(worker.page, why)]))
                rest.remove(worker.page)
            if rest:
                again.append(Range(task.number, task.path, tuple(rest)))

    def close(self) -> None:
        """End the workers."""
        for worker in self._workers:
            with contextlib.suppress(BrokenPipeError, OSError):
                worker.pipe.send(None)
            worker.pipe.close()
        for worker in self._workers:
            worker.process.join(2)
            if worker.process.is_alive():
                worker.process.kill()
                worker.process.join()
