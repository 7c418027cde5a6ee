"""Read a finished run back, document by document."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from amberquarry.document import Document
from amberquarry.errors import RunFolderError
from amberquarry.formats.records import file_from_record, finding_from_record, page_from_record
from amberquarry.runs.folder import (
    DOCUMENTS,
    PAGES,
    REJECTED,
    SUMMARY,
    Part,
    figures_folder,
    page_key,
    read_records,
    record_of,
    whole_lines,
)
from amberquarry.settings import Settings, TextForm
from amberquarry.values import Page


@dataclass(frozen=True, slots=True)
class PageOfFile:
    """A page of a file of records."""

    document: str  # identifier; in a truth file it may be the source path
    source: str  # path of the document, '' where the record does not say
    page: Page
    name: str  # of the class under which it is reported


def read_pages(path: Path) -> Iterator[PageOfFile]:
    """Yield the pages of a file like pages.jsonl.

    A truth file may name documents by their source path, and give each page a `class` under which
    it is reported. Raises RunFolderError where it can't be read or holds other records.
    """
    if not path.is_file():
        raise RunFolderError(f"{path}: there is no such file")
    for number, record in enumerate(read_records(path), start=1):
        try:
            document, source = str(record["document"]), str(record.get("source", ""))
            name = str(record.get("class") or "all")
            found = PageOfFile(document, source, page_from_record(record), name)
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise RunFolderError(f"{path}, record {number}: {_why_no_page(error)}") from error
        yield found


def _why_no_page(error: Exception) -> str:
    if isinstance(error, ValueError) and "schema" in str(error):
        return str(error)
    return f"not a page record ({error!r})"


@dataclass(frozen=True, slots=True)
class _Place:
    """Where the records of a document lie in the files of a run."""

    identifier: str
    record: Part
    pages: tuple[Part, ...]


class Run:
    """A run folder whose documents are read when they are asked for, one at a time.

    `for document in run` goes through all of them, in the order of the inputs.
    """

    def __init__(self, path: Path, summary: dict[str, Any], places: dict[str, _Place]) -> None:
        self.path, self.summary, self._places = path, summary, places

    @property
    def sources(self) -> list[str]:
        """The names of the documents, in the order of the inputs."""
        return list(self._places)

    @property
    def settings(self) -> Settings:
        """The settings that the run was made with."""
        return Settings.from_dict(self.summary["settings"])

    @property
    def rejected(self) -> list[dict[str, str]]:
        """What was not converted: path, reason and message of each file."""
        path = self.path / REJECTED
        return list(read_records(path)) if path.is_file() else []

    def __len__(self) -> int:
        return len(self._places)

    def __contains__(self, name: object) -> bool:
        return name in self._places or any(p.identifier == name for p in self._places.values())

    def __iter__(self) -> Iterator[Document]:
        return map(self.document, self._places)

    def document(self, name: str) -> Document:
        """Return the document of a source path or identifier; KeyError where there is none."""
        place = self._places.get(name)
        if place is None:
            place = next((p for p in self._places.values() if p.identifier == name), None)
        if place is None:
            raise KeyError(f"the run holds no document {name!r}")
        record = self._record(DOCUMENTS, place.record)
        pages = [self._page(part) for part in place.pages]
        findings = [finding_from_record(found) for found in record["findings"]]
        facts = file_from_record(record)
        return Document(record["document"], record["source"], pages, findings, facts)

    def pages(self) -> Iterator[PageOfFile]:
        """Yield all pages, document by document, one in memory at a time."""
        for source, place in self._places.items():
            for part in place.pages:
                yield PageOfFile(place.identifier, source, self._page(part), "all")

    def pictures_of(self, document: Document) -> Path:
        """Return the folder in which the pictures of a document's figures lie."""
        form = TextForm(self.summary["settings"]["output"]["text_form"])
        return figures_folder(self.path, document.source, form)

    def _page(self, part: Part) -> Page:
        try:
            return page_from_record(self._record(PAGES, part))
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise RunFolderError(f"{self.path / PAGES}: {_why_no_page(error)}") from error

    def _record(self, name: str, part: Part) -> dict[str, Any]:
        with (self.path / name).open("rb") as file:
            file.seek(part.start)
            return record_of(self.path / name, 0, file.read(part.end - part.start))


def open_run(path: str | os.PathLike[str]) -> Run:
    """Return a run folder to read from; nothing in it is changed.

    Looks only at where the records lie: documents and pages are parsed when they are asked for.
    Documents of a run that was stopped are there as far as they are complete. Raises
    RunFolderError where there is no run, or its records are none.
    """
    folder = Path(path)
    try:
        summary = json.loads((folder / SUMMARY).read_text(encoding="utf-8"))
        summary["settings"]["output"]["text_form"]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise RunFolderError(f"{folder} holds no run; name the --out folder of one") from error
    pages: dict[tuple[str, str, int], list[Part]] = {}
    for number, line, at in whole_lines(folder / PAGES):
        key = page_key(folder / PAGES, number, line)
        pages.setdefault(key, []).append(Part(at, at + len(line)))
    places: dict[str, _Place] = {}
    for number, line, at in whole_lines(folder / DOCUMENTS):
        record = record_of(folder / DOCUMENTS, number, line)
        try:
            source, identifier = record["source"], record["document"]
            keys = [(identifier, source, page["page"]) for page in record["pages"]]
        except (KeyError, TypeError) as error:
            raise RunFolderError(
                f"{folder / DOCUMENTS}, line {number}: no record of a document ({error!r})"
            ) from error
        if all(pages.get(key) for key in keys):
            own = tuple(pages[key].pop(0) for key in keys)
            places[source] = _Place(identifier, Part(at, at + len(line)), own)
    return Run(folder, summary, places)
