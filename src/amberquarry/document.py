"""A document as users hold it: its values, and what can be made of them."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from amberquarry.formats.markdown import document_text
from amberquarry.formats.pictures import write_pictures
from amberquarry.formats.records import document_record
from amberquarry.settings import OutputSettings
from amberquarry.values import DocumentData


class Document(DocumentData):
    """A document with its pages in order."""

    __slots__ = ()

    def to_markdown(self, output: OutputSettings | None = None) -> str:
        """Return the document as GitHub-flavoured Markdown, or as plain text if `output` says so.

        Figures are links to files; `save_pictures` writes them.
        """
        return document_text(self, output)[0]

    def save_pictures(self, folder: str | os.PathLike[str]) -> list[Path]:
        """Write the pictures of figures and equations to a folder; returns the files.

        In a document that `convert` made they are in its run folder already.
        """
        return write_pictures(self.blocks(), Path(folder))

    def to_record(self) -> dict[str, Any]:
        """Return the document as a record of documents.jsonl (without `made_by` facts)."""
        return document_record(self, {})
