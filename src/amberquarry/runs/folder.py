"""The run folder: what is written where, and how a stopped run goes on."""

from __future__ import annotations

import json
import os
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any, TextIO

from amberquarry.document import LOW_CONFIDENCE, Document, FindingCode, Page, write_pictures
from amberquarry.errors import Rejection, RunFolderError
from amberquarry.formats.records import block_ids, document_record, dump, page_record
from amberquarry.settings import Settings, TextForm

DOCUMENTS, PAGES, REJECTED, SUMMARY = (
    "documents.jsonl",
    "pages.jsonl",
    "rejected.jsonl",
    "summary.json",
)
TEXTS = {TextForm.MARKDOWN: ("markdown", ".md"), TextForm.PLAIN: ("text", ".txt")}
"""The folder of the documents' texts and their ending."""


def read_records(path: Path) -> Iterator[dict[str, Any]]:
    """Yield the records of a JSON-lines file; a torn last line, of a stopped run, is left out."""
    with path.open(encoding="utf-8") as file:
        for number, line in enumerate(file, start=1):
            if not line.strip():
                continue
            try:
                yield json.loads(line)
            except json.JSONDecodeError as error:
                if not line.endswith("\n"):
                    return
                raise RunFolderError(
                    f"{path}, line {number}: not JSON ({error.msg}); the file was "
                    "changed by hand or by a fault of the disk"
                ) from error


def write_whole(path: Path, text: str) -> None:
    """Write a file aside and rename it, so that it is there whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(path.name + ".part")
    part.write_text(text, encoding="utf-8", newline="\n")
    os.replace(part, path)


@dataclass(slots=True)
class Totals:
    """Counts over all documents of a run folder, whenever they were written."""

    documents: int = 0
    pages: int = 0
    words: int = 0
    low_confidence_pages: int = 0
    failed_pages: int = 0

    def add(self, record: dict[str, Any]) -> None:
        """Count a document's record."""
        self.documents += 1
        self.pages += len(record["pages"])
        for page in record["pages"]:
            self.words += page["words"]
            self.low_confidence_pages += page["words"] > 0 and page["confidence"] < LOW_CONFIDENCE
        self.failed_pages += sum(
            finding["code"] == FindingCode.PAGE_FAILED for finding in record["findings"]
        )


@dataclass(slots=True)
class RunFolder:
    """An open run folder; documents and rejections are appended in the order of the inputs."""

    path: Path
    made_by: dict[str, str]
    settings: Settings
    done: set[str] = field(default_factory=set)  # names of documents that an earlier start wrote
    totals: Totals = field(default_factory=Totals)
    _files: dict[str, TextIO] = field(default_factory=dict)

    @classmethod
    def open(cls, path: Path, settings: Settings, made_by: dict[str, str]) -> RunFolder:
        """Start a run folder, or go on with one made with the same settings and model.

        Raises RunFolderError where the folder holds something else.
        """
        folder = cls(path, made_by, settings)
        if path.exists() and not path.is_dir():
            raise RunFolderError(f"{path} is a file; name a folder for the results")
        try:
            path.mkdir(parents=True, exist_ok=True)
            if any(path.iterdir()):
                folder._check()
                folder._take_up()
            folder._summary({"state": "running"})
            for name in (DOCUMENTS, PAGES, REJECTED):
                folder._files[name] = (path / name).open("a", encoding="utf-8", newline="\n")
        except OSError as error:
            raise RunFolderError(
                f"{path}: can't be written ({error.strerror}); choose another folder"
            ) from error
        return folder

    def _check(self) -> None:
        try:
            earlier = json.loads((self.path / SUMMARY).read_text(encoding="utf-8"))
            settings, made_by = earlier["settings"], earlier["made_by"]
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise RunFolderError(
                f"{self.path} is not empty and holds no run of ours; choose another folder"
            ) from error
        if made_by != self.made_by or settings != self.settings.to_dict():
            different = [key for key in self.made_by if made_by.get(key) != self.made_by[key]]
            raise RunFolderError(
                f"{self.path} holds a run made with other {' and '.join(different) or 'settings'}; "
                "choose another folder, or remove it to start anew"
            )

    def _take_up(self) -> None:
        """Keep the documents that are complete with all their pages; rejections are tried again."""
        pages_file, documents_file = self.path / PAGES, self.path / DOCUMENTS
        there: Counter[tuple[str, int]] = Counter()
        for record in read_records(pages_file) if pages_file.exists() else ():
            there[record["document"], record["page"]] += 1
        kept, wanted = [], Counter[tuple[str, int]]()
        for record in read_records(documents_file) if documents_file.exists() else ():
            keys = [(record["document"], page["page"]) for page in record["pages"]]
            if any(there[key] <= wanted[key] for key in keys):
                break  # what comes after it would stand before it
            wanted.update(keys)
            kept.append(record)
            self.done.add(record["source"])
            self.totals.add(record)
        write_whole(documents_file, "".join(dump(record) + "\n" for record in kept))
        part = self.path / (PAGES + ".part")
        with part.open("w", encoding="utf-8", newline="\n") as file:
            for record in read_records(pages_file) if pages_file.exists() else ():
                key = (record["document"], record["page"])
                if wanted[key] > 0:
                    wanted[key] -= 1
                    file.write(dump(record) + "\n")
        os.replace(part, pages_file)
        write_whole(self.path / REJECTED, "")

    def add(self, document: Document) -> None:
        """Write a document: its pages first, its text, then its own record."""
        output, ids = self.settings.output, block_ids(document.pages)
        folder, ending = TEXTS[output.text_form]
        for page in document.pages:
            record = page_record(
                page,
                document.identifier,
                output.characters,
                ids=ids,
                pictures=f"{folder}/{document.source}.figures/",
            )
            self._files[PAGES].write(dump(record) + "\n")
        self._files[PAGES].flush()
        record = document_record(document, self.made_by, output)
        write_whole(self.path / folder / f"{document.source}{ending}", record["text"])
        self._files[DOCUMENTS].write(dump(record) + "\n")
        self._files[DOCUMENTS].flush()
        self.totals.add(record)

    def keep_pictures(self, source: str, pages: list[Page]) -> None:
        """Write the pictures of some pages of a document, and let go of their bytes.

        Pages come in long before their document is whole: their pictures don't wait in memory.
        """
        folder = self.path / TEXTS[self.settings.output.text_form][0] / f"{source}.figures"
        blocks = [block for page in pages for block in page.blocks]
        write_pictures(blocks, folder)
        for block in blocks:
            if block.picture is not None:
                block.picture.data = b""

    def reject(self, name: str, reason: Rejection, message: str) -> None:
        """Write that a file was not converted."""
        record = {"path": name, "reason": reason.value, "message": message}
        self._files[REJECTED].write(dump(record) + "\n")
        self._files[REJECTED].flush()

    def _summary(self, values: dict[str, Any]) -> None:
        record = {**values, "made_by": self.made_by, "settings": self.settings.to_dict()}
        write_whole(self.path / SUMMARY, json.dumps(record, indent=2, ensure_ascii=False) + "\n")

    def finish(self, values: dict[str, Any]) -> None:
        """Write the closing summary: the folder's totals and what this start did."""
        self._summary({"state": "finished", **asdict(self.totals), **values})

    def close(self) -> None:
        """Close the files."""
        for file in self._files.values():
            file.close()
