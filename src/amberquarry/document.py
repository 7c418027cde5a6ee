"""The values that every stage speaks in: boxes, words, lines, blocks, pages, documents.

One rule for places: origin at the top left, x to the right, y down, half-open boxes; pixel (0, 0)
covers [0, 1) x [0, 1). Points are (x, y), arrays are [y, x]. Boxes of a finished page are in
pixels of the source page as displayed.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from amberquarry.settings import OutputSettings

LOW_CONFIDENCE = 0.6  # pages read with a lower mean are counted and marked


class Box(NamedTuple):
    """A rectangle; x1 and y1 are exclusive."""

    x0: float
    y0: float
    x1: float
    y1: float

    @property
    def width(self) -> float:
        """The extent in x, never negative."""
        return max(0.0, self.x1 - self.x0)

    @property
    def height(self) -> float:
        """The extent in y, never negative."""
        return max(0.0, self.y1 - self.y0)

    @property
    def area(self) -> float:
        """Width times height."""
        return self.width * self.height

    def within(self, width: float, height: float) -> Box:
        """Return the box without what lies outside of a page of this width and height."""
        x0, x1 = (min(max(0.0, x), width) for x in (self.x0, self.x1))
        y0, y1 = (min(max(0.0, y), height) for y in (self.y0, self.y1))
        return Box(x0, y0, x1, y1)

    def overlap(self, other: Box) -> float:
        """Return the area that both boxes cover."""
        width = min(self.x1, other.x1) - max(self.x0, other.x0)
        height = min(self.y1, other.y1) - max(self.y0, other.y0)
        return max(0.0, width) * max(0.0, height)

    @property
    def middle(self) -> tuple[float, float]:
        """The point (x, y) halfway between the edges."""
        return (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2

    def contains(self, x: float, y: float) -> bool:
        """Return whether the point lies inside."""
        return self.x0 <= x < self.x1 and self.y0 <= y < self.y1

    @classmethod
    def around(cls, boxes: Iterable[Box]) -> Box:
        """Return the smallest box that holds all of `boxes`; ValueError if there are none."""
        x0, y0, x1, y1 = zip(*boxes, strict=True)
        return cls(min(x0), min(y0), max(x1), max(y1))


Quad = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]
"""Four points, clockwise from the text's own top left."""


class BlockKind(StrEnum):
    """What a block of a page is."""

    HEADING = "heading"
    PARAGRAPH = "paragraph"
    ITEM = "item"
    TABLE = "table"
    EQUATION = "equation"
    FIGURE = "figure"
    CAPTION = "caption"
    FOOTNOTE = "footnote"
    CODE = "code"
    RUNNING_HEAD = "running_head"
    RUNNING_FOOT = "running_foot"
    PAGE_NUMBER = "page_number"
    MARGIN_NOTE = "margin_note"
    LABEL = "label"
    ENTRY = "entry"


RUNNING = frozenset({BlockKind.RUNNING_HEAD, BlockKind.RUNNING_FOOT, BlockKind.PAGE_NUMBER})
"""Kinds that are no part of the text that flows from page to page."""

_LEAST_PROBABILITY = 1e-3  # less tells no more
_OUTSIDE = RUNNING | {BlockKind.FIGURE}  # what stands in figures is kept apart


class Style(StrEnum):
    """How a word is set apart from the text around it."""

    BOLD = "bold"
    ITALIC = "italic"
    SUPERSCRIPT = "superscript"
    SUBSCRIPT = "subscript"


class Origin(StrEnum):
    """Where a page's words come from."""

    SCAN = "scan"
    TEXT_LAYER = "text-layer"
    MIXED = "mixed"


class Step(StrEnum):
    """What can be done to a page's picture before it is read."""

    SHEET = "sheet"  # cut out of a photograph and laid flat
    LIFT = "lift"  # coloured marks that cross the print taken off it
    SPLIT = "split"  # one of two facing pages
    REVERSE = "reverse"  # areas of light letters on dark turned into dark on light
    LIGHT = "light"  # uneven or tinted ground made white
    BORDER = "border"  # dark areas at the edges cleared
    BLEED = "bleed"  # print of the other side that shines through taken off
    MEND = "mend"  # broken strokes of a black-and-white scan grown together
    TURN = "turn"  # by quarters
    RESIZE = "resize"  # to the letter size that is read best
    LEVEL = "level"  # skew taken out
    FLATTEN = "flatten"  # bent lines made straight
    SCENE = "scene"  # lines of text on boards or signs cut out of a photograph
    CHOOSE = "choose"  # of several ways to prepare the page, the one that reads best


@dataclass(frozen=True, slots=True)
class PreparationStep:
    """A step of a page's preparation, and why it was taken."""

    step: Step
    why: str


class FindingCode(StrEnum):
    """Doubts and facts about a page or document that a user should know."""

    TEXT_LAYER_IGNORED = "text-layer-ignored"
    LOW_CONFIDENCE = "low-confidence"
    RESOLUTION_LOWERED = "resolution-lowered"
    ORIENTATION_UNSURE = "orientation-unsure"
    UNSUPPORTED_SCRIPT = "unsupported-script"
    NO_RELIABLE_TEXT = "no-reliable-text"
    PICTURE_DAMAGED = "picture-damaged"
    PAGE_FAILED = "page-failed"


@dataclass(frozen=True, slots=True)
class Finding:
    """A doubt or fact: a code, a sentence, and the page (from 1) where there is one."""

    code: FindingCode
    message: str
    page: int | None = None


@dataclass(slots=True)
class Word:
    """A word with its ink box; `start` and `end` are its span in the line's text."""

    text: str
    box: Box
    confidence: float
    start: int
    end: int
    quad: Quad | None = None
    styles: frozenset[Style] = frozenset()
    repaired: str | None = None  # what it should be by the language's spelling, where that is asked


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class Line:
    """A text line. Characters lie in arrays, one row for each code point of `text`."""

    text: str
    box: Box
    confidence: float
    words: list[Word]
    character_boxes: NDArray[np.float32]  # (N, 4); spaces have zero width
    character_confidences: NDArray[np.float32]  # (N,)
    quad: Quad | None = None
    x_height: float = 0.0  # of its small letters, in pixels of the boxes; 0 where not measured
    unsupported_script: bool = False  # most of it stands in letters that the reader doesn't know
    handwritten: bool = False  # its letters look written by hand

    def part(self, words: list[Word]) -> Line:
        """Return a line of some of its words that follow each other; ValueError without words."""
        start, end = words[0].start, words[-1].end
        inside = slice(start, end)
        return replace(
            self,
            text=self.text[inside],
            box=Box.around([word.box for word in words]),
            confidence=weighted_confidence(words),
            words=[replace(word, start=word.start - start, end=word.end - start) for word in words],
            character_boxes=self.character_boxes[inside],
            character_confidences=self.character_confidences[inside],
        )


class Emphasis(NamedTuple):
    """A part of a block's text that is set apart."""

    start: int
    end: int
    styles: frozenset[Style]


@dataclass(slots=True)
class Picture:
    """What a block looks like, cut out of its page."""

    name: str  # of its file, within its document
    data: bytes = b""  # PNG or JPEG; empty once a run has written the file


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class Block:
    """A region of a page with what was read in it."""

    kind: BlockKind
    box: Box
    lines: list[Line] = field(default_factory=list)
    level: int | None = None  # of a heading, 1 is the highest
    text: str = ""
    rotation: int = 0  # degrees by which its lines stand turned clockwise on the upright page
    emphasis: list[Emphasis] = field(default_factory=list)
    goes_on: bool = False  # it is the rest of the last paragraph or item before it
    marker: str | None = None  # of an item: the bullet or number with which its text begins
    depth: int | None = None  # of an item, 0 for those of the outermost list
    picture: Picture | None = None  # of a figure or equation
    label: str | None = None  # of a caption and of what it belongs to, such as "Figure 3"
    caption: Block | None = None  # of a figure, table or listing
    paragraphs: list[Block] = field(default_factory=list)  # that speak of it, or stand around it
    ruled: bool = False  # of a table: rules part some of its rows

    @property
    def words(self) -> Iterator[Word]:
        """The words of the block in reading order."""
        return (word for line in self.lines for word in line.words)

    @property
    def confidence(self) -> float:
        """Mean confidence of the words, weighted by their length; 0 without words."""
        return weighted_confidence(self.words)

    def part(self, kind: BlockKind, lines: list[Line]) -> Block:
        """Return a block of some lines in its place; ValueError without lines."""
        box = Box.around([line.box for line in lines])
        return replace(self, kind=kind, lines=lines, box=box, level=None)


@dataclass(slots=True)
class Page:
    """One page as it was read; boxes are in pixels of the source page as displayed."""

    number: int
    width: int
    height: int
    dpi: tuple[float, float] | None  # None where the file does not say
    rotation: int = 0  # degrees by which the content stands turned clockwise: 0, 90, 180, 270
    skew: float = 0.0  # degrees by which lines rise (positive) or fall on the source page
    origin: Origin = Origin.SCAN
    blocks: list[Block] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    to_points: tuple[float, float, float, float, float, float] | None = None  # x', y' in PDF points
    preparation: list[PreparationStep] = field(default_factory=list)
    source_page: int = 0  # which page of the file it is, or is half of; 0 stands for `number`
    legibility: float = 0.0  # from 0 to 1, see `legibility_of`

    def __post_init__(self) -> None:
        self.source_page = self.source_page or self.number

    @classmethod
    def failed(cls, index: int, message: str) -> Page:
        """Return the record of a page, counted from 0, that could not be processed."""
        finding = Finding(FindingCode.PAGE_FAILED, message, index + 1)
        return cls(index + 1, 0, 0, None, findings=[finding])

    @property
    def words(self) -> Iterator[Word]:
        """The words of the page in reading order."""
        return (word for block in self.blocks for word in block.words)

    @property
    def text(self) -> str:
        """The page's text, blocks parted by empty lines; without running heads and feet."""
        return "\n\n".join(
            block.text for block in self.blocks if block.text and block.kind not in _OUTSIDE
        )

    @property
    def confidence(self) -> float:
        """Mean confidence of the words, weighted by their length; 0 without words."""
        return weighted_confidence(self.words)

    def within(self, box: Box) -> list[Word]:
        """Return the words whose middle lies in `box`, in reading order."""
        return [word for word in self.words if box.contains(*word.box.middle)]

    def text_within(self, box: Box) -> str:
        """Return the text of the words whose middle lies in `box`, a line for each line of them."""
        lines = (
            " ".join(word.text for word in line.words if box.contains(*word.box.middle))
            for block in self.blocks
            for line in block.lines
        )
        return "\n".join(line for line in lines if line)


@dataclass(slots=True)
class Document:
    """A document with its pages in order."""

    identifier: str  # from the SHA-256 of the content
    source: str
    pages: list[Page]
    findings: list[Finding] = field(default_factory=list)
    file_info: dict[str, str] = field(default_factory=dict)

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

    def to_markdown(self, output: OutputSettings | None = None) -> str:
        """Return the document as GitHub-flavoured Markdown, or as plain text if `output` says so.

        Figures are links to files; `save_pictures` writes them.
        """
        from amberquarry.formats.markdown import document_text

        return document_text(self, output)[0]

    def save_pictures(self, folder: str | os.PathLike[str]) -> list[Path]:
        """Write the pictures of figures and equations to a folder; returns the files.

        In a document that `convert` made they are in its run folder already.
        """
        return write_pictures(self.blocks(), Path(folder))

    def to_record(self) -> dict[str, Any]:
        """Return the document as a record of documents.jsonl (without `made_by` facts)."""
        from amberquarry.formats.records import document_record

        return document_record(self, {})


def write_pictures(blocks: Iterable[Block], folder: Path) -> list[Path]:
    """Write the pictures of blocks to a folder, which is made where there are any."""
    written = []
    for picture in (block.picture for block in blocks):
        if picture is not None and picture.data:
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / picture.name
            path.write_bytes(picture.data)
            written.append(path)
    return written


def legibility_of(lines: Iterable[Line]) -> float:
    """Return the geometric mean of the probabilities of the letters of lines, 0 without any.

    It asks how clear the print is, not which words are known: pages in the order of their
    legibility are nearly in the order of their errors.
    """
    letters = [line.character_confidences for line in lines if len(line.character_confidences)]
    if not letters:
        return 0.0
    return float(np.exp(np.log(np.maximum(np.concatenate(letters), _LEAST_PROBABILITY)).mean()))


def weighted_confidence(words: Iterable[Word]) -> float:
    """Return the mean confidence of words weighted by length, 0 if there are none.

    A row of dots counts as one sign: how many they are is often in doubt, and matters little.
    """
    total = weight = 0.0
    for word in words:
        own = len(word.text.strip(".")) or 1
        total += word.confidence * own
        weight += own
    return total / weight if weight else 0.0
