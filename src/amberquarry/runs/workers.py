"""Worker processes: each opens files and reads pages; the parent watches them.

A worker that dies or hangs costs the page that it had in hand: it is replaced and the rest of its
pages are given out again. Workers are spawned, not forked, and speak over a pipe.
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import multiprocessing.connection
import signal
import sys
import time
import types
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import partial
from multiprocessing import resource_tracker
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, NamedTuple

from amberquarry.errors import PageError, Rejection, SourceError, WorkerError, our_fault
from amberquarry.settings import Limits, Settings
from amberquarry.values import FileFacts, Page

log = logging.getLogger(__name__)

_START_SECONDS = 120.0
_MOST_FAILED_STARTS = 3  # in a row
_CHANGED = "the file changed while it was read; start the same command again"


class FileState(NamedTuple):
    """What changes with a file's content: to notice that it was replaced while it was read."""

    size: int
    changed_ns: int
    inode: int

    @classmethod
    def of(cls, path: Path) -> FileState:
        """Return the state of a file; OSError where it is gone."""
        found = path.stat()
        return cls(found.st_size, found.st_mtime_ns, found.st_ino)


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
    state: FileState | None = None  # of the file when it was probed


Task = Probe | Range


@dataclass(frozen=True, slots=True)
class Probed:
    """Answer to Probe."""

    number: int
    identifier: str
    page_count: int
    file: FileFacts
    state: FileState


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


@dataclass(frozen=True, slots=True)
class _Ready:
    """The worker has loaded what it needs, or says why it can't."""

    error: str = ""


Event = Probed | Refused | PageDone


def work(
    pipe: Connection, settings: Settings, limits: Limits, passwords: tuple[str, ...] = ()
) -> None:
    """Serve tasks until the pipe closes (the main function of a worker process)."""
    import cv2

    from amberquarry.reading import load_reader

    cv2.setNumThreads(1)
    with contextlib.suppress(EOFError, BrokenPipeError, KeyboardInterrupt):  # the parent is gone
        try:
            if settings.reading.model:  # one that the user names may not fit
                load_reader(settings.reading)
        except Exception as error:
            pipe.send(_Ready(str(error) or repr(error)))
            return
        pipe.send(_Ready())
        while (task := pipe.recv()) is not None:
            if isinstance(task, Probe):
                pipe.send(_probe(task, settings, limits, passwords))
            else:
                _read_range(pipe, task, settings, limits, passwords)
            pipe.send(_Finished())


def _probe(
    task: Probe, settings: Settings, limits: Limits, passwords: tuple[str, ...]
) -> Probed | Refused:
    from amberquarry.sources import identify, open_source

    try:
        source = open_source(task.path, settings, limits, passwords)
        try:
            state = FileState.of(task.path)
            facts = (source.page_count, source.facts, state)
            return Probed(task.number, identify(task.path), *facts)
        finally:
            source.close()
    except SourceError as error:
        return Refused(task.number, error.reason, error.message)
    except OSError as error:
        return Refused(
            task.number, Rejection.UNREADABLE, f"the file went away or can't be read ({error})"
        )
    except Exception as error:
        log.exception("%s", task.path)
        return Refused(task.number, Rejection.FAILED, our_fault(error))


def _read_range(
    pipe: Connection,
    task: Range,
    settings: Settings,
    limits: Limits,
    passwords: tuple[str, ...],
) -> None:
    from amberquarry.pages.layered import read_page_of
    from amberquarry.reading import load_reader
    from amberquarry.sources import open_source

    try:
        source = open_source(task.path, settings, limits, passwords)
        if task.state is not None and FileState.of(task.path) != task.state:
            source.close()
            raise SourceError(Rejection.UNREADABLE, _CHANGED)
    except SourceError as error:
        pipe.send(Refused(task.number, error.reason, error.message))
        return
    except OSError as error:
        pipe.send(Refused(task.number, Rejection.UNREADABLE, f"{_CHANGED} ({error.strerror})"))
        return
    try:
        for index in task.pages:
            pipe.send(_Begun(index))
            ours = False
            try:
                reader = partial(load_reader, settings.reading)  # once in a process
                pages = read_page_of(source, index, reader, settings)
                if not settings.output.characters:
                    for line in (li for page in pages for b in page.blocks for li in b.lines):
                        line.character_boxes = line.character_boxes[:0]
                        line.character_confidences = line.character_confidences[:0]
            except PageError as error:
                pages = [Page.failed(index, error.message)]
            except Exception as error:
                log.exception("%s, page %d", task.path, index + 1)
                pages = [Page.failed(index, our_fault(error))]
                ours = True
            pipe.send(PageDone(task.number, index, pages, ours))
    finally:
        source.close()


@dataclass(slots=True)
class _Worker:
    process: Any
    pipe: Connection
    ready: bool = False  # it has said that it has loaded what it needs
    task: Task | None = None
    page: int | None = None  # index in hand
    since: float = 0.0
    done: set[int] = field(default_factory=set)


@contextlib.contextmanager
def _without_main() -> Iterator[None]:
    """Start processes that don't run the user's own script again.

    A spawned process imports the main module of its parent; a script that calls `convert` without
    `if __name__ == "__main__":` would convert once more in each worker.
    """
    main = sys.modules["__main__"]
    sys.modules["__main__"] = types.ModuleType("__main__")
    try:
        yield
    finally:
        sys.modules["__main__"] = main


@contextlib.contextmanager
def _without_interrupts() -> Iterator[None]:
    """Start processes that Ctrl-C does not reach; one that comes meanwhile is taken afterwards.

    A terminal sends it to workers too. They end with their parent, and one that is still loading
    its modules would show a traceback.
    """
    if not hasattr(signal, "pthread_sigmask"):  # Windows
        yield
        return
    resource_tracker.ensure_running()  # started within, it would let signals through again
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)


class Crew:
    """A fixed number of worker processes.

    Raises WorkerError from its methods where worker processes can't be started.
    """

    def __init__(
        self, size: int, settings: Settings, limits: Limits, passwords: tuple[str, ...] = ()
    ) -> None:
        self._context = multiprocessing.get_context("spawn")
        self._settings, self._limits, self._passwords = settings, limits, passwords
        self._failed_starts = 0
        self._workers = [self._start() for _ in range(size)]

    def _start(self) -> _Worker:
        ours, theirs = self._context.Pipe()
        process = self._context.Process(
            target=work,
            args=(theirs, self._settings, self._limits, self._passwords),
            daemon=True,
        )
        with _without_main(), _without_interrupts():
            process.start()
        theirs.close()
        return _Worker(process, ours, since=time.monotonic())

    @property
    def idle(self) -> int:
        """How many workers can be given a task."""
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
        pipes = [worker.pipe for worker in self._workers if worker.task or not worker.ready]
        ready = set(multiprocessing.connection.wait(pipes, wait_s)) if pipes else set()
        for number, worker in enumerate(self._workers):
            if worker.task is None and worker.ready:
                continue
            if worker.pipe in ready:
                try:
                    message = worker.pipe.recv()
                except (EOFError, OSError):
                    self._lost(number, "the page made the worker process end", events, again)
                    continue
                if isinstance(message, _Ready):
                    if message.error:
                        raise WorkerError(f"worker processes can't start: {message.error}")
                    worker.ready, worker.since = True, time.monotonic()
                    self._failed_starts = 0
                elif isinstance(message, _Begun):
                    worker.page, worker.since = message.index, time.monotonic()
                elif isinstance(message, _Finished):
                    worker.task = None
                else:
                    if isinstance(message, PageDone):
                        worker.done.add(message.index)
                        worker.page, worker.since = None, time.monotonic()
                    events.append(message)
                continue
            limit = self._limits.seconds_to_open if worker.ready else _START_SECONDS
            if worker.page is not None:
                limit = self._limits.seconds_per_page
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
        if not worker.ready:  # no file's fault
            self._failed_starts += 1
            if self._failed_starts >= _MOST_FAILED_STARTS:
                raise WorkerError(
                    f"worker processes can't start (the last one ended with "
                    f"{worker.process.exitcode}); is there memory for them? Try fewer --jobs"
                )
            if task is not None:
                again.append(task)
            return
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
                events.append(PageDone(task.number, worker.page, [Page.failed(worker.page, why)]))
                rest.remove(worker.page)
            if rest:
                again.append(replace(task, pages=tuple(rest)))

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
