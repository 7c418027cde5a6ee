"""What is on a sheet: the one way from lines and areas to blocks, whoever knows their text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from amberquarry.clock import stage
from amberquarry.kinds.drawings import place_drawings
from amberquarry.kinds.fields import place_fields
from amberquarry.kinds.figures import (
    drawings_of_tables,
    find_figures,
    place_figures,
    whole_photographs,
)
from amberquarry.kinds.headings import HEADING_RULES
from amberquarry.kinds.listing import code_text
from amberquarry.kinds.numbered import join_line_numbers
from amberquarry.kinds.screens import place_screens
from amberquarry.kinds.settling import KIND_RULES, settle_kinds
from amberquarry.layout.arranging import Layout, arrange
from amberquarry.layout.order import reading_order
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine
from amberquarry.sheet.rulebook import Rule, apply_rules
from amberquarry.sheet.sheet import Sheet, Texts
from amberquarry.tables.placing import TABLE_RULES, TableFacts, place_tables
from amberquarry.values import UNKNOWN, Block, BlockKind, Box, Line


@dataclass(frozen=True, slots=True)
class Believed:
    """What is believed to be text, by mean confidence; figures count from 0 to 1."""

    sure_text: float = 0.7  # a line that parts figures
    scale_letters: float = 0.7  # to a figure, in the scale of a chart, which may read badly
    row_of_dots: int = 5
    mostly_dots: float = 0.6  # of a line's characters
    sure_dots: float = 0.8  # railings and rules are read as rows of dots, less surely than leaders


@dataclass(frozen=True, slots=True)
class Grids:
    """Which rules make frames and grids, in letters."""

    edge: float = 0.4  # in which the rules of a frame lie
    least: float = 3.0  # height and width


BELIEVED, GRIDS = Believed(), Grids()
# What the places of lines alone tell.
_BY_PLACE = {
    BlockKind.TABLE: ("lines in step",),
    BlockKind.MARGIN_NOTE: ("beside the text",),
}


@dataclass(frozen=True, slots=True)
class Placing:
    """What is known of a page when what was read is put in its places."""

    sheet: Sheet
    layout: Layout
    read: dict[int, Line]
    letter: float  # usual height of the letters

    @property
    def sure(self) -> list[TextLine]:
        """The lines that are surely text."""
        least = BELIEVED.sure_text
        return [
            line
            for line in self.layout.lines
            if line.number in self.read and self.read[line.number].confidence >= least
        ]


def _with_fields(blocks: list[Block], page: Placing) -> list[Block]:
    rules = page.sheet.rules
    frames = rules.frames(GRIDS.edge * page.letter)
    return place_fields(blocks, rules.boxes, frames, page.letter)


def _with_tables(blocks: list[Block], page: Placing) -> list[Block]:
    rules = page.sheet.rules
    grids = rules.grids(GRIDS.least * page.letter)
    facts = TableFacts(rules.boxes, grids, page.layout.columns, page.letter)
    return place_tables(blocks, facts)


def _with_figures(blocks: list[Block], page: Placing) -> list[Block]:
    columns = page.layout.columns
    scales = [line.box for line in page.sure if _is_scale(page.read[line.number])]
    figures = find_figures(page.sheet, page.sure, page.letter, scales, columns)
    if not figures:
        return blocks
    # strokes of a picture had a place in the order too, while they were taken for letters
    return reading_order(place_figures(blocks, figures), columns, page.letter)


PLACE_RULES: tuple[Rule[Placing], ...] = (
    Rule(
        "numbers beside lines",
        "Counted numbers in a margin belong to the lines that they stand beside (verse, laws).",
        lambda blocks, page: join_line_numbers(blocks, page.letter),
    ),
    Rule(
        "labels and entries of forms",
        "What stands in a frame or on a rule to write on is an entry, with the label over it.",
        _with_fields,
    ),
    Rule("tables", "See `TABLE_RULES`.", _with_tables),
    Rule(
        "figures by their strokes",
        "Pictures, strokes that are no rules, and all ink around them that no text parts from it.",
        _with_figures,
    ),
)
FIGURE_RULES: tuple[Rule[Sheet], ...] = (
    Rule(
        "table that is a drawing",
        "A table that reads badly on a page that reads well: names in a map, marks in a chart.",
        lambda blocks, sheet: drawings_of_tables(blocks),
    ),
    Rule(
        "picture of a screen",
        "A toned or framed rectangle with words in it, but no running text (manuals).",
        lambda blocks, sheet: place_screens(blocks, sheet.areas.windows),
    ),
    Rule(
        "photograph by its tones",
        "What is toned all over is a photograph as far as it reaches; shadows are none (scans).",
        lambda blocks, sheet: whole_photographs(
            blocks, sheet.areas, (sheet.frame.width, sheet.frame.height)
        ),
    ),
    Rule(
        "drawing by its caption",
        "Labels and strokes over the caption of a figure that has no picture are its drawing.",
        place_drawings,
    ),
)


def rules_of_pages() -> list[tuple[str, str]]:
    """Return name and purpose of all rules in the order in which they are asked."""
    lists = (PLACE_RULES, TABLE_RULES, KIND_RULES, FIGURE_RULES)
    found = [(rule.name, rule.about) for own in lists for rule in own]
    signs = [(name, "A sign of a heading.") for name, _ in HEADING_RULES]
    return [*found, *signs]


def compose(sheet: Sheet, texts: Texts, aside: Sequence[Block] = ()) -> list[Block]:
    """Return the blocks of a sheet in reading order, in its level frame.

    texts: who knows what stands in its lines. aside: blocks that are known already, such as text
    that runs up the page.
    """
    with stage("blocks and order"):
        layout = arrange(sheet)
    with stage("reading"):
        read = texts.read(layout.lines)
    with stage("places"):
        blocks = in_places(sheet, layout, read)
    with stage("kinds"):
        blocks = settle_kinds(blocks, sheet.rules.boxes, sheet.frame.height)
    with stage("figures"):
        blocks = apply_rules(FIGURE_RULES, believed([*blocks, *aside]), sheet)
    for block in blocks:
        if block.kind is BlockKind.CODE:
            block.text = code_text(block.lines)
    return blocks


def in_places(sheet: Sheet, layout: Layout, read: dict[int, Line]) -> list[Block]:
    """Return the blocks of a sheet with what was read, in order: forms, tables, figures placed.

    read: lines by the numbers of those of the layout.
    """
    blocks = []
    for region in layout.regions:
        lines = [read[line.number] for line in region.lines if line.number in read]
        if lines:
            box = Box.around([line.box for line in lines])
            why = _BY_PLACE.get(region.kind, ())
            blocks.append(Block(region.kind, box, lines, headline=region.headline, why=why))
    sizes = [line.x_height for block in blocks for line in block.lines]
    if not sheet.letter_px and not sizes:
        return blocks
    letter = sheet.letter_px or CAPITAL_RATIO * float(np.median(sizes))
    return apply_rules(PLACE_RULES, blocks, Placing(sheet, layout, read, letter))


def _is_scale(line: Line) -> bool:
    """Return whether a line holds hardly any letters beside its figures."""
    letters, figures = (sum(map(of, line.text)) for of in (str.isalpha, str.isdigit))
    return letters < BELIEVED.scale_letters * figures


def believed(blocks: list[Block]) -> list[Block]:
    """Return the blocks of a page, without those of lines where nothing is a letter or a figure.

    Strokes and dots stand in pictures too: on a page of nothing else they are no text. Neither are
    doubtful rows of dots anywhere: railings and rules are read so.
    """
    blocks = [own for block in blocks for own in _without_doubtful_dots(block)]
    signs = (sign for block in blocks for line in block.lines for sign in line.text)
    if any(sign.isalnum() or sign == UNKNOWN for sign in signs):
        return blocks
    return [block for block in blocks if not block.lines]


def _without_doubtful_dots(block: Block) -> list[Block]:
    """Return a block without rows of dots of which the reader is not sure; none if none is left."""
    kept = [
        line
        for line in block.lines
        if line.confidence >= BELIEVED.sure_dots
        or line.text.count(".") < max(BELIEVED.row_of_dots, BELIEVED.mostly_dots * len(line.text))
    ]
    if len(kept) == len(block.lines):
        return [block]
    if block.kind is BlockKind.FIGURE:  # it is there without its labels too
        return [replace(block, lines=kept)]
    if not kept:
        return []
    return [replace(block, lines=kept, box=Box.around([line.box for line in kept]))]
