"""A page as it was read: blocks with their kinds, steps of preparation, findings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import NamedTuple

from amberquarry.values.geometry import Box, Frame
from amberquarry.values.text import Line, Origin, Style, Word, weighted_confidence

LOW_CONFIDENCE = 0.6  # pages read with a lower mean are counted and marked


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
_OUTSIDE = RUNNING | {BlockKind.FIGURE}  # what stands in figures is kept apart


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
    EARLIER_READING = "earlier-reading"
    HIDDEN_TEXT = "hidden-text"
    LOW_CONFIDENCE = "low-confidence"
    RESOLUTION_LOWERED = "resolution-lowered"
    ORIENTATION_UNSURE = "orientation-unsure"
    UNSUPPORTED_SCRIPT = "unsupported-script"
    NO_RELIABLE_TEXT = "no-reliable-text"
    PICTURE_DAMAGED = "picture-damaged"
    PAGE_FAILED = "page-failed"
    FILE_REPAIRED = "file-repaired"


@dataclass(frozen=True, slots=True)
class Finding:
    """A doubt or fact: a code, a sentence, and the page (from 1) where there is one."""

    code: FindingCode
    message: str
    page: int | None = None


class Emphasis(NamedTuple):
    """A part of a block's text that is set apart."""

    start: int
    end: int
    styles: frozenset[Style]


class Link(NamedTuple):
    """A part of a block's text that leads somewhere."""

    start: int
    end: int
    uri: str  # http, https or mailto


@dataclass(slots=True)
class Picture:
    """What a block looks like, cut out of its page."""

    name: str  # of its file, within its document
    data: bytes = b""  # PNG or JPEG; empty once a run has written the file


@dataclass(slots=True)
class Cell:
    """A cell of a table; rows and columns count from 0."""

    row: int
    column: int
    text: str
    box: Box
    row_span: int = 1
    column_span: int = 1
    header: bool = False  # it names what stands under it


@dataclass(slots=True)
class Table:
    """What a table holds. The cells come last, once the words of the document are known."""

    rows: int = 0
    columns: int = 0
    cells: list[Cell] = field(default_factory=list)  # from the top down, then from the left
    ruled: bool = False  # rules part some of its rows
    grid: list[list[Box]] = field(default_factory=list)  # that its rules make; empty when filled

    def to_rows(self) -> list[list[str]]:
        """Return the texts of all cells row by row, '' where none stands."""
        found = [[""] * self.columns for _ in range(self.rows)]
        for cell in self.cells:
            found[cell.row][cell.column] = cell.text
        return found


@dataclass(slots=True)
class Figure:
    """A photograph, drawing or chart."""

    picture: Picture | None = None


@dataclass(slots=True)
class Equation:
    """A displayed equation."""

    picture: Picture | None = None


@dataclass(slots=True)
class Item:
    """How an item begins, and how deep it stands in its list."""

    marker: str | None = None  # the bullet or number with which its text begins
    depth: int = 0  # 0 for those of the outermost list


Payload = Table | Figure | Equation | Item
"""What only one kind of block has."""


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
    payload: Payload | None = None  # what only its kind has
    label: str | None = None  # of a caption and of what it belongs to, such as "Figure 3"
    caption: str | None = None  # of a figure, table or listing: the id of its caption
    paragraphs: list[str] = field(default_factory=list)  # ids of those that speak of it
    id: str = ""  # within its document; the same in every output
    headline: int = 0  # 1 to 3 where its type is larger than the text's, 1 the largest
    why: tuple[str, ...] = ()  # names of the rules that made it or gave it its kind
    links: list[Link] = field(default_factory=list)  # parts of its text that lead somewhere

    @property
    def words(self) -> Iterator[Word]:
        """The words of the block in reading order."""
        return (word for line in self.lines for word in line.words)

    @property
    def confidence(self) -> float:
        """Mean confidence of the words, weighted by their length; 0 without words."""
        return weighted_confidence(self.words)

    @property
    def origin(self) -> Origin:
        """Where its words come from; without lines it is seen on the page."""
        origins = {line.origin for line in self.lines} or {Origin.SCAN}
        return origins.pop() if len(origins) == 1 else Origin.MIXED

    def without_start(self, cut: int) -> Block:
        """Return a block less the first letters of its text, what is marked in it moved along."""
        return replace(
            self,
            text=self.text[cut:],
            emphasis=[
                e._replace(start=max(0, e.start - cut), end=e.end - cut)
                for e in self.emphasis
                if e.end > cut
            ],
            links=[
                link._replace(start=max(0, link.start - cut), end=link.end - cut)
                for link in self.links
                if link.end > cut
            ],
        )

    def part(self, kind: BlockKind, lines: list[Line]) -> Block:
        """Return a block of some lines in its place; ValueError without lines."""
        box = Box.around([line.box for line in lines])
        payload = self.payload if kind is self.kind else None
        return replace(self, kind=kind, lines=lines, box=box, level=None, payload=payload)

    @property
    def is_plain(self) -> bool:
        """Whether it is a paragraph as far as is known: no headline either."""
        return self.kind is BlockKind.PARAGRAPH and not self.headline

    @property
    def table(self) -> Table | None:
        """What a table holds, None for other blocks."""
        return self.payload if isinstance(self.payload, Table) else None

    @property
    def ruled(self) -> bool:
        """Whether rules part some rows of a table."""
        return isinstance(self.payload, Table) and self.payload.ruled

    @property
    def picture(self) -> Picture | None:
        """The picture of a figure or equation."""
        return self.payload.picture if isinstance(self.payload, Figure | Equation) else None

    @property
    def marker(self) -> str | None:
        """The bullet or number with which an item begins."""
        return self.payload.marker if isinstance(self.payload, Item) else None

    @property
    def depth(self) -> int | None:
        """How deep an item stands in its list, None for other blocks."""
        return self.payload.depth if isinstance(self.payload, Item) else None


@dataclass(slots=True)
class Page:
    """One page as it was read; boxes are in pixels of the source page as displayed.

    While it is worked on they lie in its level frame (see `values.at_source`).
    """

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
    frame: Frame | None = None  # in which boxes lie; None: in the source page

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
