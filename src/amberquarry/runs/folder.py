"""The run folder: what is written where, who may write, and how a stopped run goes on."""

from __future__ import annotations

import errno
import hashlib
import json
import os
import re
import socket
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import filelock

from amberquarry.document import Document
from amberquarry.errors import Rejection, RunFolderError
from amberquarry.formats.pictures import write_pictures
from amberquarry.formats.records import document_record, dump, page_record
from amberquarry.settings import Settings, TextForm
from amberquarry.values import LOW_CONFIDENCE, FindingCode, Page

DOCUMENTS, PAGES, REJECTED, SUMMARY = (
    "documents.jsonl",
    "pages.jsonl",
    "rejected.jsonl",
    "summary.json",
)
LOCK = "run.lock"
TEXTS = {TextForm.MARKDOWN: ("markdown", ".md"), TextForm.PLAIN: ("text", ".txt")}
"""The folder of the documents' texts and their ending."""
_FIGURES = ".figures"
_TAKEN_ENDINGS = (".md", ".txt", _FIGURES)  # of input folders, which our own files may have
_LONGEST_NAME = 255 - len(_FIGURES)  # bytes: what most file systems take, less our endings
_PAGE_START = re.compile(
    rb'\{"document":("(?:[^"\\]|\\.)*"),"source":("(?:[^"\\]|\\.)*"),"page":(\d+),'
)
_COPIED_AT_ONCE = 1 << 20
_NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EROFS)  # faults of the disk, not of one file


def read_records(path: Path) -> Iterator[dict[str, Any]]:
    """Yield the records of a JSON-lines file; a torn last line, of a stopped run, is left out."""
    with path.open("rb") as file:
        for number, line in enumerate(file, start=1):
            if not line.strip():
                continue
            try:
                yield record_of(path, number, line)
            except RunFolderError:
                if line.endswith(b"\n"):
                    raise
                return


def record_of(path: Path, number: int, line: bytes) -> dict[str, Any]:
    """Return the record in a line of a file; RunFolderError where it holds none."""
    try:
        record = json.loads(line.decode("utf-8"))
    except ValueError as error:  # of JSON or of UTF-8
        raise RunFolderError(
            f"{path}, line {number}: not JSON ({error}); the file was changed by hand or by a "
            "fault of the disk"
        ) from error
    if not isinstance(record, dict):
        raise RunFolderError(f"{path}, line {number}: not a record but {str(record)[:40]!r}")
    return record


def write_whole(path: Path, text: str) -> None:
    """Write a file aside and rename it, so that it is there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(".part")  # a fixed name: the file's own may be as long as names can be
    part.write_text(text, encoding="utf-8", newline="\n")
    os.replace(part, path)


def output_name(source: str) -> str:
    """Return what a document's files are called, without our endings: like its source.

    Names too long for a file system are cut and end in a part of their hash. Folders whose names
    end like our own files get a ~, so that they never stand where a file has to.
    """
    *folders, name = source.split("/")
    marked = [f"{part}~" if part.endswith(_TAKEN_ENDINGS) else part for part in folders]
    return "/".join(_shortened(part) for part in [*marked, name])


def figures_folder(run: Path, source: str, form: TextForm) -> Path:
    """Return the folder of a run in which the pictures of a document lie."""
    return run / TEXTS[form][0] / (output_name(source) + _FIGURES)


def _shortened(name: str) -> str:
    data = name.encode("utf-8")
    if len(data) <= _LONGEST_NAME:
        return name
    mark = "~" + hashlib.sha256(data).hexdigest()[:8]
    return data[: _LONGEST_NAME - len(mark)].decode("utf-8", "ignore") + mark


@dataclass(slots=True)
class Totals:
    """Counts over documents of a run folder."""

    documents: int = 0
    pages: int = 0
    words: int = 0
    low_confidence_pages: int = 0
    failed_pages: int = 0

    @classmethod
    def of(cls, record: dict[str, Any]) -> Totals:
        """Return the counts of one document's record."""
        pages = record["pages"]
        return cls(
            1,
            len(pages),
            sum(page["words"] for page in pages),
            sum(page["words"] > 0 and page["confidence"] < LOW_CONFIDENCE for page in pages),
            sum(f["code"] == FindingCode.PAGE_FAILED for f in record["findings"]),
        )

    @classmethod
    def sum(cls, parts: Iterable[Totals]) -> Totals:
        """Return counts added up."""
        total = cls()
        for part in parts:
            for name, count in asdict(part).items():
                setattr(total, name, getattr(total, name) + count)
        return total


class Part(NamedTuple):
    """Bytes of a file, from one offset to another."""

    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Written:
    """A document in the run folder, and where its records lie."""

    identifier: str
    totals: Totals
    record: Part
    pages: tuple[Part, ...]

    @property
    def is_good(self) -> bool:
        """Whether no page failed: such a document is not read again."""
        return not self.totals.failed_pages


@dataclass(slots=True)
class RunFolder:
    """An open run folder, which nobody else writes to."""

    path: Path
    made_by: dict[str, str]
    settings: Settings
    documents: dict[str, Written] = field(default_factory=dict)  # by source; the last one counts
    rejections: dict[str, dict[str, str]] = field(default_factory=dict)  # by path
    added: Totals = field(default_factory=Totals)  # by this start
    _files: dict[str, BinaryIO] = field(default_factory=dict)
    _lock: filelock.BaseFileLock | None = None

    @classmethod
    def open(cls, path: Path, settings: Settings, made_by: dict[str, str]) -> RunFolder:
        """Start a run folder, or go on with one made with the same settings and model.

        Raises RunFolderError where the folder holds something else or another process writes to it.
        """
        folder = cls(path, made_by, settings)
        if path.exists() and not path.is_dir():
            raise RunFolderError(f"{path} is a file; name a folder for the results")
        try:
            path.mkdir(parents=True, exist_ok=True)
            earlier = folder._earlier()
            folder._take_lock(earlier)
            try:
                folder._begin()
            except BaseException:
                folder.close()
                raise
        except OSError as error:
            raise cannot_write(path, error) from error
        return folder

    def _earlier(self) -> dict[str, Any]:
        """Return the summary of the run that the folder holds, {} where it is empty."""
        others = {entry.name for entry in self.path.iterdir()} - {LOCK, ".part"}
        if not others:
            return {}
        try:
            earlier = json.loads((self.path / SUMMARY).read_text(encoding="utf-8"))
            earlier["settings"], earlier["made_by"].get("version")
        except (OSError, ValueError, KeyError, TypeError, AttributeError) as error:
            raise RunFolderError(
                f"{self.path} is not empty and holds no run of ours; choose another folder"
            ) from error
        found: dict[str, Any] = earlier
        return found

    def _take_lock(self, earlier: dict[str, Any]) -> None:
        lock = filelock.FileLock(self.path / LOCK)
        try:
            lock.acquire(blocking=False)
        except filelock.Timeout as error:
            raise RunFolderError(
                f"a run is going on in {self.path}"
                f" (process {earlier.get('process', '?')} on {earlier.get('host', '?')}); "
                "wait for its end or choose another folder"
            ) from error
        self._lock = lock

    def _begin(self) -> None:
        earlier = self._earlier()  # again: another process may have begun and ended meanwhile
        if earlier:
            self._check(earlier)
            self._take_up()
        self._summary({"state": "running", "process": os.getpid(), "host": socket.gethostname()})
        for name in (DOCUMENTS, PAGES, REJECTED):
            self._files[name] = (self.path / name).open("ab")

    def _check(self, earlier: dict[str, Any]) -> None:
        made_by = earlier["made_by"]
        if made_by == self.made_by and earlier["settings"] == self.settings.to_dict():
            return
        names = sorted({*self.made_by, *made_by})
        different = [name for name in names if made_by.get(name) != self.made_by.get(name)]
        raise RunFolderError(
            f"{self.path} holds a run made with other {' and '.join(different) or 'settings'}; "
            "choose another folder, or remove it to start anew"
        )

    def _take_up(self) -> None:
        """Find the documents that are complete with all their pages, and cut off what is torn."""
        there: dict[tuple[str, str, int], list[Part]] = defaultdict(list)
        pages_file, documents_file = self.path / PAGES, self.path / DOCUMENTS
        for number, line, at in _cut_to_whole_lines(pages_file):
            there[page_key(pages_file, number, line)].append(Part(at, at + len(line)))
        for number, line, at in _cut_to_whole_lines(documents_file):
            record = record_of(documents_file, number, line)
            try:
                source, identifier = record["source"], record["document"]
                keys = [(identifier, source, page["page"]) for page in record["pages"]]
                totals = Totals.of(record)
            except (KeyError, TypeError) as error:
                raise RunFolderError(
                    f"{documents_file}, line {number}: no record of a document ({error!r})"
                ) from error
            if all(there[key] for key in keys):
                pages = tuple(there[key].pop(0) for key in keys)
                own = Part(at, at + len(line))
                self.documents[source] = Written(identifier, totals, own, pages)
        if (self.path / REJECTED).exists():
            for found in read_records(self.path / REJECTED):
                self.rejections[str(found.get("path"))] = found

    def begin_inputs(self, names: Iterable[str]) -> None:
        """Forget the rejections of files that are now tried again."""
        for name in names:
            self.rejections.pop(name, None)
        self._files[REJECTED].truncate(0)
        for record in self.rejections.values():
            self._write(REJECTED, record)

    def add(self, document: Document) -> None:
        """Write a document: its text, its pages, then its own record, which makes it count."""
        output = self.settings.output
        folder, ending = TEXTS[output.text_form]
        name = f"{folder}/{output_name(document.source)}"
        pictures = f"{name}{_FIGURES}/"
        record = document_record(document, self.made_by, output, pictures=pictures)
        write_whole(self.path / f"{name}{ending}", record["text"])
        self._drop_old_pictures(document)
        pages = tuple(
            self._write(
                PAGES,
                page_record(
                    page,
                    document.identifier,
                    output.characters,
                    source=document.source,
                    pictures=pictures,
                ),
            )
            for page in document.pages
        )
        self._files[PAGES].flush()
        totals = Totals.of(record)
        own = self._write(DOCUMENTS, record)
        self._files[DOCUMENTS].flush()
        self.documents[document.source] = Written(document.identifier, totals, own, pages)
        self.added = Totals.sum([self.added, totals])

    def _write(self, name: str, record: dict[str, Any]) -> Part:
        file, line = self._files[name], dump(record).encode("utf-8") + b"\n"
        start = file.tell()
        file.write(line)
        return Part(start, start + len(line))

    def keep_pictures(self, source: str, pages: list[Page]) -> None:
        """Write the pictures of some pages of a document, and let go of their bytes.

        Pages come in long before their document is whole: their pictures don't wait in memory.
        """
        blocks = [block for page in pages for block in page.blocks]
        write_pictures(blocks, self._figures_of(source))
        for block in blocks:
            if block.picture is not None:
                block.picture.data = b""

    def _figures_of(self, source: str) -> Path:
        return figures_folder(self.path, source, self.settings.output.text_form)

    def _drop_old_pictures(self, document: Document) -> None:
        """Remove pictures that an earlier reading of the document wrote and this one did not."""
        folder = self._figures_of(document.source)
        if document.source in self.documents and folder.is_dir():
            kept = {block.picture.name for block in document.blocks() if block.picture is not None}
            for path in folder.iterdir():
                if path.is_file() and path.name not in kept:
                    path.unlink()

    def reject(self, name: str, reason: Rejection, message: str) -> None:
        """Write that a file was not converted."""
        record = {"path": name, "reason": reason.value, "message": message}
        self.rejections[name] = record
        self._write(REJECTED, record)
        self._files[REJECTED].flush()

    def forget(self, name: str) -> None:
        """Leave out a document whose file has other content now."""
        self.documents.pop(name, None)

    def _summary(self, values: dict[str, Any]) -> None:
        record = {**values, "made_by": self.made_by, "settings": self.settings.to_dict()}
        write_whole(self.path / SUMMARY, json.dumps(record, indent=2, ensure_ascii=False) + "\n")

    @property
    def totals(self) -> Totals:
        """Counts over all documents of the folder, whenever they were written."""
        return Totals.sum(written.totals for written in self.documents.values())

    def finish(self, names: Iterable[str], values: dict[str, Any]) -> None:
        """Bring the records into the order of the inputs and write the closing summary.

        names: of this start's inputs; what was made of others stands before them.
        """
        place = {name: number for number, name in enumerate(names)}
        ordered = sorted(self.documents, key=lambda name: place.get(name, -1))
        documents = [self.documents[name] for name in ordered]
        for file in self._files.values():
            file.flush()
        # documents first: a page without its document is left out by the next start
        self._keep(DOCUMENTS, [written.record for written in documents])
        self._keep(PAGES, [part for written in documents for part in written.pages])
        self._summary({"state": "finished", **asdict(self.totals), **values})

    def _keep(self, name: str, parts: list[Part]) -> None:
        """Leave just some parts in a file, in this order."""
        path = self.path / name
        ends = [0, *(part.end for part in parts)]
        if all(part.start == end for part, end in zip(parts, ends, strict=False)) and (
            ends[-1] == path.stat().st_size
        ):
            return
        self._files.pop(name).close()
        aside = path.with_name(".part")
        with path.open("rb") as old, aside.open("wb") as new:
            for part in parts:
                old.seek(part.start)
                left = part.end - part.start
                while left:
                    data = old.read(min(left, _COPIED_AT_ONCE))
                    new.write(data)
                    left -= len(data)
        os.replace(aside, path)

    def stop(self) -> None:
        """Write that the run was stopped before its end."""
        self._summary({"state": "stopped"})

    def close(self) -> None:
        """Close the files and let others write to the folder."""
        for file in self._files.values():
            file.close()
        if self._lock is not None:
            self._lock.release()


def cannot_write(path: Path, error: OSError) -> RunFolderError:
    """Return the error that says why a run folder can't be written, and what to do."""
    advice = (
        "free some room and start the same command again"
        if error.errno in (errno.ENOSPC, errno.EDQUOT)
        else "choose another folder"
    )
    return RunFolderError(f"{path}: can't be written ({error.strerror}); {advice}")


def is_fault_of_disk(error: OSError) -> bool:
    """Return whether an error would meet every file, not just the one in hand."""
    return error.errno in _NO_ROOM


def whole_lines(path: Path) -> Iterator[tuple[int, bytes, int]]:
    """Yield number, bytes and offset of a file's whole lines, without a torn one at its end.

    A full disk or a loss of power leaves such a line; it may end inside a letter.
    """
    if not path.exists():
        return
    at = 0
    with path.open("rb") as file:
        for number, line in enumerate(file, start=1):
            if line.endswith(b"\n"):
                yield number, line, at
                at += len(line)


def _cut_to_whole_lines(path: Path) -> Iterator[tuple[int, bytes, int]]:
    """Yield what `whole_lines` does, then cut off a torn line."""
    end = 0
    for number, line, at in whole_lines(path):
        yield number, line, at
        end = at + len(line)
    if path.exists() and end < path.stat().st_size:
        with path.open("r+b") as file:
            file.truncate(end)


def page_key(path: Path, number: int, line: bytes) -> tuple[str, str, int]:
    """Return document, source and number of a page's record, without parsing all of it."""
    found = _PAGE_START.match(line)
    if found and line.endswith(b"}\n"):
        try:
            return json.loads(found[1]), json.loads(found[2]), int(found[3])
        except ValueError:
            pass  # said below, with the line
    record = record_of(path, number, line)
    return str(record.get("document")), str(record.get("source")), int(record.get("page") or 0)
