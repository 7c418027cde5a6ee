"""A document: its pages in order, and how to find something in them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from amberquarry.values.geometry import Box
from amberquarry.values.page import RUNNING, Block, BlockKind, Finding, Page


@dataclass(frozen=True, slots=True)
class OutlineEntry:
    """An entry of the outline that a file brings along, as its author made it."""

    level: int  # 1 is the highest
    title: str
    page: int | None = None  # where it leads, from 1; None where that is no page of the file


@dataclass(slots=True)
class FileFacts:
    """What a file says of itself, beside its pages."""

    info: dict[str, str] = field(default_factory=dict)  # author, dates, producer ...
    outline: list[OutlineEntry] = field(default_factory=list)
    page_labels: list[str] = field(default_factory=list)  # as "iv"; empty where all count from 1
    attachments: list[str] = field(default_factory=list)  # names of files in the file
    findings: list[Finding] = field(default_factory=list)  # on the file as a whole


@dataclass(slots=True)
class DocumentData:
    """A document with its pages in order, as formats take it; users have `Document`."""

    identifier: str  # from the SHA-256 of the content
    source: str
    pages: list[Page]
    findings: list[Finding] = field(default_factory=list)
    file: FileFacts = field(default_factory=FileFacts)

    def blocks(
        self, kind: BlockKind | None = None, *, page: int | None = None, within: Box | None = None
    ) -> Iterator[Block]:
        """Yield the blocks of the document in reading order.

        kind: only those of a kind. page: only those of the page of this number. within: only those
        whose middle lies in this box of their page.
        """
        for own in self.pages:
            if page is not None and own.number != page:
                continue
            for block in own.blocks:
                if (kind is None or block.kind is kind) and (
                    within is None or within.contains(*block.box.middle)
                ):
                    yield block

    def block(self, identifier: str) -> Block:
        """Return the block of an id, such as the caption of a figure; KeyError without one."""
        for found in self.blocks():
            if found.id == identifier:
                return found
        raise KeyError(f"no block of the document has the id {identifier!r}")

    @property
    def headings(self) -> list[Block]:
        """The headings in reading order."""
        return list(self.blocks(BlockKind.HEADING))

    @property
    def tables(self) -> list[Block]:
        """The tables in reading order."""
        return list(self.blocks(BlockKind.TABLE))

    @property
    def figures(self) -> list[Block]:
        """The figures in reading order."""
        return list(self.blocks(BlockKind.FIGURE))

    def under(self, heading: Block | str) -> list[Block]:
        """Return the blocks that stand under a heading, up to the next of its level or above.

        heading: one of `headings`, or its text, whatever its case and with or without its number.
        Running heads, feet and page numbers are left out. Raises ValueError where there is none.
        """
        if isinstance(heading, str):
            wanted = heading.casefold().strip()
            found = next(
                (
                    block
                    for block in self.headings
                    if (own := block.text.casefold()) == wanted
                    or own.partition(" ")[2].strip() == wanted
                ),
                None,
            )
            if found is None:
                known = ", ".join(repr(block.text) for block in self.headings[:10])
                raise ValueError(f"no heading says {heading!r}; the first ones are: {known}")
            heading = found
        under: list[Block] | None = None
        for block in self.blocks():
            if block is heading:
                under = []
            elif under is not None and block.kind not in RUNNING:
                if block.kind is BlockKind.HEADING and (block.level or 1) <= (heading.level or 1):
                    break
                under.append(block)
        if under is None:
            raise ValueError("the heading is none of this document's")
        return under
