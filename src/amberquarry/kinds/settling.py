"""What the blocks of a page are, told from their text, type and place.

Works on blocks whose lines were read, in the frame in which lines are level. Only what one page can
tell is settled here; what repeats from page to page is for the document.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import groupby, pairwise

import numpy as np

from amberquarry.kinds.captions import join_captions, mark_captions
from amberquarry.kinds.equations import mark_equations
from amberquarry.kinds.headings import HEADING, SECTION, mark_headings
from amberquarry.kinds.items import (
    cut_at_leaders,
    cut_index,
    ends_in_leader,
    follows,
    item_starts,
    items_whole,
    number_of,
    set_hollow_bullets,
)
from amberquarry.layout.order import with_notes_beside
from amberquarry.sheet.rulebook import Rule, apply_rules
from amberquarry.sheet.typography import (
    FIXED,
    MOSTLY,
    SMALL,
    Measures,
    first_middle,
    fixed_shares,
    is_fixed,
    join_runs,
    looks_like_code,
    measure,
    pitch_of,
    rows_of,
    share_of,
    size_of,
)
from amberquarry.values import RUNNING, Block, BlockKind, Box, Item, Line, Style


@dataclass(frozen=True, slots=True)
class Paragraph:
    """Where paragraphs end and go on; lengths in x-heights."""

    set_in: float = 5.0  # of a first line, at most
    full_lines: int = 3  # of a paragraph that tells how far lines reach
    widely_set: float = 3.9  # from line to line: half as much more than usual
    gap_around: float = 1.25  # of the distance of lines: parts heads and feet from the text
    one_heading: float = 1.1  # between two lines of one heading
    few_letters: int = 6  # of a line, that do not tell its weight
    off_grid: float = 0.25  # of the pitch, by which a line of a listing begins off its grid


@dataclass(frozen=True, slots=True)
class Note:
    """Footnotes (`benchmarks/layout.py`, notes)."""

    mark_letters: int = 3  # of a mark that stands by itself
    short: float = 5.0  # x-heights that the last line of a note ends early
    tiny: float = 0.86  # of the usual x-height: at the foot of a column it is a note


@dataclass(frozen=True, slots=True)
class Edge:
    """Running heads, feet and page numbers (`benchmarks/layout.py`)."""

    longest_title: int = 90  # letters of a running title
    off_row: float = 0.9  # of the distance of lines: ends of a head may lie off each other
    row_white: float = 8.0  # letters between them
    edge: float = 0.14  # of the page's height, in which heads stand
    folio_edge: float = 0.22  # of the same, in which page numbers do
    ruled: float = 0.8  # of the width of the text, a rule that parts head or foot from it
    rule_px: float = 24.0  # its thickness in pixels, at most
    foot_rows: int = 3  # under such a rule
    least_page: float = 15.0  # lines: what is lower is cut from a page, and its last line no foot


PARAGRAPH, NOTE, EDGE = Paragraph(), Note(), Edge()
_RAISED = "⁰¹²³⁴⁵⁶⁷⁸⁹"
_NOTE = re.compile(rf"^\s*([*†‡§¶]{{1,3}}|\d{{1,3}}|[{_RAISED}]{{1,3}}|[a-z])[\s.)]?\s?\S")
_FOLIO = re.compile(
    r"^[\s\W]*(?:(?:page|seite|pagina|página|стр|s|p)\.?\s*)?"
    r"(\d{1,4}|[ivxlc]{1,7})(?:\s*(?:/|of|von|de|из)\s*\d{1,4})?[\s\W]*$",
    re.IGNORECASE,
)
_SUBSECTION = re.compile(r"^\d{1,2}(?:\.\d{1,2}){1,4}\.?\s+[^\W\d_]")
_ENDED = re.compile(r"[.!?:;…][\"'”’»)\]]*$")
_HYPHENS, _OPENING = "-\u00ad\u2010", " ([{«„“‘\"'"


def _whole_rows(lines: list[Line]) -> list[Line]:
    """Return what stands in one row of a table as one line."""
    return [
        replace(
            row[0],
            text=" ".join(line.text for line in row),
            character_boxes=np.concatenate(
                [
                    part
                    for line in row
                    for part in (line.character_boxes, np.zeros((1, 4), np.float32))
                ]
            )[:-1],
        )
        for row in rows_of(lines)
    ]


@dataclass(frozen=True, slots=True)
class PageFacts:
    """What is known of a page when the kinds of its blocks are settled."""

    usual: Measures
    rules: list[Box]
    height: float


Apply = Callable[[list[Block], PageFacts], list[Block]]


def _in_place(mark: Callable[[list[Block], PageFacts], None]) -> Apply:
    """Return a rule's work that marks blocks where they are."""

    def apply(blocks: list[Block], page: PageFacts) -> list[Block]:
        mark(blocks, page)
        return blocks

    return apply


def _with_items(blocks: list[Block], page: PageFacts) -> list[Block]:
    starts = item_starts(blocks, page.usual)
    contents = sum(ends_in_leader(line) for block in blocks for line in block.lines) > 1
    return [part for block in blocks for part in _parts(block, page.usual, starts, contents)]


def _with_sections(blocks: list[Block], page: PageFacts) -> list[Block]:
    return [part for block in blocks for part in _cut_at_sections(block, blocks, page.usual)]


KIND_RULES: tuple[Rule[PageFacts], ...] = (
    Rule(
        "lines of an edge row",
        "A row at the head or foot of the page, as of title and number, is taken line by line.",
        lambda blocks, page: _without_edges_joined(blocks),
    ),
    Rule(
        "hollow bullets",
        "Letters o that begin lines of one list are its bullets (manuals).",
        _in_place(lambda blocks, page: set_hollow_bullets(blocks)),
    ),
    Rule(
        "index",
        "Entries of an index are items, each with its lines (indexes of manuals).",
        lambda blocks, page: cut_index(blocks, page.usual),
    ),
    Rule(
        "section titles",
        "A numbered title of a section stands by itself, also right over its text (standards).",
        _with_sections,
    ),
    Rule(
        "items and listings",
        "Lines that begin with bullets or counted numbers are items; fixed pitch is a listing.",
        _with_items,
    ),
    Rule(
        "items whole",
        "Lines that hang under an item belong to it, also after a gap.",
        lambda blocks, page: items_whole(blocks, page.usual),
    ),
    Rule(
        "equations",
        "Lines of signs around a sign of relation, set apart, are a displayed equation.",
        lambda blocks, page: mark_equations(blocks, page.usual),
    ),
    Rule(
        "paragraphs whole",
        "What was parted after a short line goes on where the text does (narrow columns).",
        lambda blocks, page: _joined_paragraphs(blocks, page.usual),
    ),
    Rule(
        "captions",
        "What begins with the label of a figure or table, near one, is its caption.",
        _in_place(lambda blocks, page: mark_captions(blocks, page.usual)),
    ),
    Rule(
        "captions whole",
        "Lines in a caption's type that follow it belong to it.",
        lambda blocks, page: join_captions(blocks, page.usual),
    ),
    Rule(
        "headings",
        "Short blocks that their type sets apart; which sign told is said (see `HEADING_RULES`).",
        _in_place(lambda blocks, page: mark_headings(blocks, page.usual)),
    ),
    Rule(
        "headings whole",
        "Lines of one heading, in one size and closely set, are one block.",
        lambda blocks, page: _joined_headings(blocks),
    ),
    Rule(
        "heads, feet and page numbers",
        "What stands alone in the outermost rows of a page, as far as one page tells.",
        _in_place(lambda blocks, page: _mark_edges(blocks, page.rules, page.usual, page.height)),
    ),
    Rule(
        "footnotes",
        "Small type with a mark at the foot of its column is a note, each by itself.",
        lambda blocks, page: _mark_notes(blocks, page.usual),
    ),
    Rule(
        "listings whole",
        "Pieces of a listing are one, with the short lines in and around it that are nothing else.",
        lambda blocks, page: _joined_code(blocks, page.usual),
    ),
)


def settle_kinds(blocks: list[Block], rules: list[Box], height: float) -> list[Block]:
    """Return the blocks of a page, cut where kinds change, each with its kind, in reading order.

    rules: their boxes. height: of the page, in the frame of the boxes.
    """
    usual = measure(blocks)
    if usual is None:
        return blocks
    notes = [block for block in blocks if block.kind is BlockKind.MARGIN_NOTE]
    text = [block for block in blocks if block.kind is not BlockKind.MARGIN_NOTE]
    parts = _ordered(apply_rules(KIND_RULES, text, PageFacts(usual, rules, height)))
    names = [block for block in notes if _is_name(block)]
    notes = [block for block in notes if not _is_name(block)]
    notes += [name for block in names for name in _names_beside(block, parts, usual)]
    return with_notes_beside([*parts, *notes], usual.size, _is_name)


def _is_name(block: Block) -> bool:
    """Return whether each line of a block is one word, as names in a margin are."""
    return all(len(line.words) == 1 for line in block.lines)


def _names_beside(names: Block, blocks: list[Block], usual: Measures) -> list[Block]:
    """Return names that stand under each other, cut before those beside which a block begins."""
    starts = [block.lines[0].box.middle[1] for block in blocks if block.lines]
    parts: list[list[Line]] = []
    for line in names.lines:
        level = line.box.middle[1]
        if not parts or any(abs(start - level) < usual.size for start in starts):
            parts.append([])
        parts[-1].append(line)
    return [names.part(BlockKind.MARGIN_NOTE, lines) for lines in parts]


def _parts(block: Block, usual: Measures, item_starts: set[Line], contents: bool) -> list[Block]:
    """Return a block of text cut into code, items of lists and the paragraphs between them.

    contents: whether dots lead from several lines of the page to numbers.
    """
    if block.kind not in _CUT or not block.lines:
        return [block]
    if contents:
        rows = rows_of(block.lines)
        entries = cut_at_leaders([line for row in rows for line in row])
        if 2 * sum(ends_in_leader(own[-1]) for own in entries) >= len(rows):
            return [block.part(BlockKind.ITEM, own) for own in entries]
    code = size_of(block) < HEADING.size * usual.size and not block.ruled
    if usual.typewritten:  # letters as well as listings are
        code = code and all(looks_like_code(line.text) for line in block.lines)
    table = block.kind is BlockKind.TABLE
    first = block.lines[0]
    # the heading of a section may be the name of a command
    named = SECTION.match(first.text) and Style.BOLD in first.words[0].styles
    named = named and len(block.lines) == 1
    if code and not named and is_fixed(_whole_rows(block.lines) if table else block.lines):
        return [replace(block, kind=BlockKind.CODE, level=None)]
    if not block.is_plain:
        return [block]
    runs = _cut_at_code(block.lines, usual) if code else []
    if len(runs) > 1:
        pieces = [block.part(block.kind, lines) for lines in runs]
        return [part for piece in pieces for part in _parts(piece, usual, item_starts, contents)]
    starts = [number for number, line in enumerate(block.lines) if line in item_starts]
    if not starts and contents and any(map(ends_in_leader, block.lines)):
        return [block.part(BlockKind.ITEM, lines) for lines in cut_at_leaders(block.lines)]
    if not starts:
        runs = [run for part in _cut_at_bold(block.lines) for run in _cut_at_ends(part, usual)]
        return [block.part(block.kind, lines) for lines in runs]
    parts = [] if starts[0] == 0 else [block.part(block.kind, block.lines[: starts[0]])]
    for start, end in pairwise([*starts, len(block.lines)]):
        part = block.part(BlockKind.ITEM, block.lines[start:end])
        parts.append(replace(part, payload=Item(number_of(part.lines[0].text))))
    return parts


def _cut_at_code(lines: list[Line], usual: Measures) -> list[list[Line]]:
    """Return lines cut where lines of a listing begin and end, between those of prose.

    They are set in, or hold the signs of code, as a single line must: capitals may fit a grid by
    chance. Lines of few letters are what those around are.
    """
    edge = min(line.box.x0 for line in lines)
    runs: list[list[Line]] = [[]]
    inside = False

    def may_be_code(line: Line, share: float) -> bool:
        if share == 0:
            return line.box.x0 > edge + usual.size
        return share > FIXED.share and (
            line.box.x0 > edge + usual.size or looks_like_code(line.text)
        )

    pairs = zip(lines, fixed_shares(lines).tolist(), strict=True)
    for listed, group in groupby(pairs, lambda pair: may_be_code(*pair)):
        run = [line for line, _ in group]
        code = listed and is_fixed(run) and (len(run) > 1 or looks_like_code(run[0].text))
        if code or inside:
            runs.append(run)
        else:
            runs[-1] += run
        inside = code
    return [run for run in runs if run]


def _cut_at_sections(block: Block, blocks: list[Block], usual: Measures) -> list[Block]:
    """Return a block cut before and after the number and title of a section of a section.

    Its first word, and the first after it, would fit in the line above: none of them runs on.
    blocks: of the page; lines that begin where this block's do tell how far lines reach.
    """
    titles = [_SUBSECTION.match(line.text) is not None for line in block.lines]
    if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING) or not any(titles):
        return [block]
    edges = [
        line.box.x1
        for other in blocks
        if other.is_plain and len(other.lines) >= PARAGRAPH.full_lines
        for line in other.lines
        if abs(other.box.x0 - block.box.x0) < usual.size
    ]
    right = max(block.box.x1, float(np.median(edges)) if edges else 0.0)
    parts = [[block.lines[0]]]
    for number, (above, below) in enumerate(pairwise(block.lines)):
        if (titles[number] or titles[number + 1]) and _has_room(above, below, right, usual):
            parts.append([])
        parts[-1].append(below)
    return [block.part(block.kind, lines) for lines in parts]


def _cut_at_bold(lines: list[Line]) -> list[list[Line]]:
    """Return lines cut before each that is bold throughout and follows one that is not.

    Terms stand so over their meanings, and headings over their paragraphs.
    """
    bold = [share_of(Style.BOLD, line) == 1 for line in lines]
    parts = [[lines[0]]]
    for number in range(1, len(lines)):
        if bold[number] and not bold[number - 1]:
            parts.append([])
        parts[-1].append(lines[number])
    return parts


def _cut_at_ends(lines: list[Line], usual: Measures) -> list[list[Line]]:
    """Return widely set lines cut where a sentence ends before the line is full.

    Paragraphs of one line each, a blank line apart, look like lines of one that is set so.
    """
    right = max(line.box.x1 for line in lines)
    parts = [[lines[0]]]
    for above, below in pairwise(lines):
        apart = below.box.y1 - above.box.y1 > PARAGRAPH.widely_set * usual.size
        if apart and _ENDED.search(above.text.rstrip()) and _has_room(above, below, right, usual):
            parts.append([])
        parts[-1].append(below)
    return parts


def _has_room(above: Line, below: Line, right: float, usual: Measures) -> bool:
    """Return whether the first word of a line would fit in the one above."""
    if not below.words:
        return False
    return above.box.x1 + below.words[0].box.width + 0.4 * usual.size <= right


def _without_edges_joined(blocks: list[Block]) -> list[Block]:
    """Return blocks with a single row of lines at the top or foot of the page line by line.

    What stands in such a row, such as title and number, was one block as far as geometry tells.
    """
    with_lines = [b for b in blocks if b.lines and b.kind is not BlockKind.FIGURE]
    if not with_lines:
        return blocks
    ends = (
        min(with_lines, key=lambda block: block.box.y0),
        max(with_lines, key=lambda block: block.box.y1),
    )
    out: list[Block] = []
    for block in blocks:
        tops = [line.box.y0 for line in block.lines]
        one_row = len(tops) > 1 and max(tops) < min(line.box.y1 for line in block.lines)
        if any(block is end for end in ends) and one_row and block.kind is not BlockKind.TABLE:
            out += [block.part(block.kind, [line]) for line in block.lines]
        else:
            out.append(block)
    return out


def _joined_paragraphs(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with paragraphs joined that were parted after a short line in a narrow column.

    Where long words can't be divided, lines end early, as last lines do: the text tells.
    """
    return join_runs(blocks, lambda last, block: _one_paragraph(last, block, usual))


def _one_paragraph(above: Block, below: Block, usual: Measures) -> bool:
    if not (above.is_plain and below.is_plain and above.lines and below.lines):
        return False
    last, first = above.lines[-1], below.lines[0]
    sizes = sorted((size_of(above), size_of(below)))
    edge = min(line.box.x0 for line in above.lines)
    bold = [share_of(Style.BOLD, line) > MOSTLY for line in (last, first)]
    return (
        0 < first.box.y1 - last.box.y1 < PARAGRAPH.gap_around * usual.pitch
        and sizes[1] < HEADING.one_size * sizes[0]
        # a single line above may be the first, set in
        and (
            abs(first.box.x0 - edge) < usual.size
            or (len(above.lines) == 1 and 0 < edge - first.box.x0 < PARAGRAPH.set_in * usual.size)
        )
        and bold[0] == bold[1]
        and (goes_on(last.text, first.text) or _had_no_room(above, below, usual))
    )


def _had_no_room(above: Block, below: Block, usual: Measures) -> bool:
    """Return whether a paragraph has not ended and the next word would not fit in its last line."""
    last, first = above.lines[-1], below.lines[0]
    if _ENDED.search(last.text.rstrip()) or not first.words:
        return False
    right = max(line.box.x1 for line in (*above.lines, *below.lines))
    return not _has_room(last, first, right, usual)


def goes_on(before: str, after: str) -> bool:
    """Return whether a text goes on in another: it has not ended, and the next begins small."""
    end, start = before.rstrip(), after.lstrip(_OPENING)
    if not end or not start or _ENDED.search(end):
        return False
    divided = end[-1] in _HYPHENS and start[:1].isalpha()
    return divided or start[:1].islower()


def _joined_headings(blocks: list[Block]) -> list[Block]:
    """Return blocks with the lines of one heading joined: type of one size, closely set."""
    return join_runs(blocks, _one_heading)


def _one_heading(above: Block, below: Block) -> bool:
    if above.kind is not BlockKind.HEADING or below.kind is not BlockKind.HEADING:
        return False
    sizes = sorted((size_of(above), size_of(below)))
    gap = below.box.y0 - above.box.y1
    text = below.lines[0].text
    return (
        sizes[1] < HEADING.one_size * sizes[0]
        and -0.6 * sizes[0] < gap < PARAGRAPH.one_heading * sizes[0]
        and min(above.box.x1, below.box.x1) > max(above.box.x0, below.box.x0)
        and SECTION.match(text) is None
        and _one_weight(above, below)
        and len(above.lines) + len(below.lines) <= HEADING.most_lines + 2
    )


def _one_weight(above: Block, below: Block) -> bool:
    """Return whether two blocks are bold or not alike; few letters do not tell."""
    bold = {
        share_of(Style.BOLD, line) > MOSTLY
        for line in (above.lines[-1], below.lines[0])
        if len(line.text) > PARAGRAPH.few_letters
    }
    return len(bold) < 2


def _mark_edges(blocks: list[Block], rules: list[Box], usual: Measures, height: float) -> None:
    """Mark what stands alone in the first and the last row of a page, as far as one page tells."""
    flow = [b for b in blocks if b.lines and b.kind is not BlockKind.FIGURE]
    cutting = height < EDGE.least_page * usual.pitch
    for top in (True, False):
        ruled = [] if cutting else _beyond_rule(flow, rules, height, top)
        row = ruled or _edge_row(flow, usual, top)
        if not row:
            continue
        edge = min(b.box.y0 for b in row) if top else max(b.box.y1 for b in row)
        inset = edge if top else height - edge
        if inset > EDGE.folio_edge * height:
            continue
        folio = [b for b in row if _is_folio(b)]
        if inset > EDGE.edge * height and len(folio) < len(row):
            continue
        titles = [b for b in row if b not in folio and not cutting]
        # pages of manuals bear one name at both sides
        names = {b.lines[0].text for b in titles}
        sure = bool(folio or ruled) or len(names) < len(titles)
        sure = sure or any(_may_run(b, usual, False) for b in titles)
        for block in row:
            if block in folio:
                block.kind, block.level = BlockKind.PAGE_NUMBER, None
            elif block in titles and _may_run(block, usual, sure):
                block.kind = BlockKind.RUNNING_HEAD if top else BlockKind.RUNNING_FOOT
                block.level = None


def _beyond_rule(blocks: list[Block], rules: list[Box], height: float, top: bool) -> list[Block]:
    """Return the few lines that a rule across the page parts from all else, at its head or foot."""
    if not blocks:
        return []
    text = Box.around([block.box for block in blocks])
    for rule in rules:
        inset = rule.y1 if top else height - rule.y0
        if (
            inset > EDGE.edge * height
            or rule.width < EDGE.ruled * text.width
            or rule.height > EDGE.rule_px
        ):
            continue
        beyond = [b for b in blocks if (b.box.y1 < rule.y1 if top else b.box.y0 > rule.y0)]
        rows = rows_of([line for block in beyond for line in block.lines])
        if any(_begins_note(block.lines[0]) for block in beyond):
            continue
        if 0 < len(rows) <= (1 if top else EDGE.foot_rows) and len(beyond) < len(blocks):
            return beyond
    return []


def _edge_row(blocks: list[Block], usual: Measures, top: bool) -> list[Block]:
    """Return the blocks of the outermost row, if it is one line high and stands apart."""
    if len(blocks) < 2:
        return []
    outer = min(blocks, key=lambda b: b.box.y0) if top else max(blocks, key=lambda b: b.box.y1)
    middle = outer.box.middle[1]
    row = [b for b in blocks if b.box.y0 < middle < b.box.y1 or _ends_row(b, outer, usual)]
    rest = [b for b in blocks if b not in row]
    if not rest or any(len(b.lines) > 2 for b in row):
        return []
    if top:
        gap = min(b.box.y0 for b in rest) - max(b.box.y1 for b in row)
    else:
        gap = min(b.box.y0 for b in row) - max(b.box.y1 for b in rest)
    return row if gap > (PARAGRAPH.gap_around - 1) * usual.pitch + 0.3 * usual.size else []


def _ends_row(block: Block, outer: Block, usual: Measures) -> bool:
    """Return whether a line stands at the other end of a row, a little off it on a bent page."""
    off = abs(block.box.middle[1] - outer.box.middle[1])
    away = max(block.box.x0 - outer.box.x1, outer.box.x0 - block.box.x1)
    single = len(block.lines) == len(outer.lines) == 1
    return single and off < EDGE.off_row * usual.pitch and away > EDGE.row_white * usual.size


def _is_folio(block: Block) -> bool:
    text = " ".join(line.text for line in block.lines)
    return len(block.lines) == 1 and _FOLIO.match(text) is not None


def _may_run(block: Block, usual: Measures, beside: bool) -> bool:
    """Return whether a block in the outermost row looks like a running title.

    beside: whether a page number or such a title stands beside it. Without, its type must set it
    apart: what one page alone tells could as well be a sentence.
    """
    text = " ".join(line.text for line in block.lines)
    size = size_of(block) / usual.size
    capitals = text.upper() == text  # their size is measured less well
    apart = size < SMALL or capitals or share_of(Style.ITALIC, block.lines[0]) > MOSTLY
    # another face may have larger letters; bold ones are of headings
    larger = beside and (capitals or share_of(Style.BOLD, block.lines[0]) <= MOSTLY)
    return (
        len(block.lines) == 1
        and len(text) < EDGE.longest_title
        and size < HEADING.size * (HEADING.larger if larger else 1)
        and not text.rstrip().endswith((".", "-", ","))
        and block.kind in (BlockKind.PARAGRAPH, BlockKind.HEADING)
        and (beside or apart)
    )


def _begins_note(line: Line) -> bool:
    """Return whether a line begins with the sign of a note, raised or not."""
    raised = bool(line.words) and Style.SUPERSCRIPT in line.words[0].styles
    return raised or _NOTE.match(line.text) is not None


def _mark_notes(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return the blocks with footnotes marked, each by itself.

    A note stands in small type at the foot of its column and begins with a sign.
    """
    flow = [b for b in blocks if b.lines and b.kind not in RUNNING and not b.rotation]
    for block in flow:
        size = size_of(block) / usual.size
        # a raised sign is not always read
        told = _begins_note(block.lines[0]) or size < NOTE.tiny
        text = block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM)
        if not (text and told and size < SMALL and block.box.y0 > usual.middle):
            continue
        if _counts_on(block, flow):
            continue
        below = [
            other for other in flow
            if other is not block and other.box.y0 > block.box.y1 - 0.5 * usual.size
            and min(other.box.x1, block.box.x1) > max(other.box.x0, block.box.x0)
        ]  # fmt: skip
        if all(
            other.kind is not BlockKind.CODE and size_of(other) < SMALL * usual.size
            for other in below
        ):
            block.kind = BlockKind.FOOTNOTE
    for block in flow:  # lines of a note that were parted from it
        if block.kind is BlockKind.PARAGRAPH and size_of(block) < SMALL * usual.size:
            over = [
                note
                for note in flow
                if note.kind is BlockKind.FOOTNOTE
                and note.box.y1 < block.box.y0 + usual.size
                and min(note.box.x1, block.box.x1) > max(note.box.x0, block.box.x0)
            ]
            if over:
                last = max(over, key=lambda note: note.box.y1)
                last.lines = [*last.lines, *block.lines]
                last.box, block.lines = Box.around([last.box, block.box]), []
    blocks = _marks_with_notes(
        [block for block in blocks if block.lines or block.kind is BlockKind.FIGURE]
    )
    notes = [
        block.part(BlockKind.FOOTNOTE, lines)
        for block in blocks
        if block.kind is BlockKind.FOOTNOTE
        for lines in _notes_of(block.lines)
    ]
    return [block for block in blocks if block.kind is not BlockKind.FOOTNOTE] + notes


def _counts_on(block: Block, flow: list[Block]) -> bool:
    """Return whether a block has the next number after the text right over it, which is no note.

    The far part of a photographed page is smaller.
    """
    over = [
        other
        for other in flow
        if other.box.y0 < block.box.y0
        and min(other.box.x1, block.box.x1) > max(other.box.x0, block.box.x0)
    ]
    last = max(over, key=lambda other: other.box.y0, default=None)
    if last is None or last.kind is BlockKind.FOOTNOTE:
        return False
    before, own = (number_of(part.lines[0].text) for part in (last, block))
    return before is not None and follows(before, own)


def _marks_with_notes(blocks: list[Block]) -> list[Block]:
    """Return blocks with the marks that stand by themselves before notes made part of them."""
    notes = [block for block in blocks if block.kind is BlockKind.FOOTNOTE]
    joined: set[Block] = set()
    for mark in notes:
        if len(mark.lines) != 1 or len(mark.lines[0].text) > NOTE.mark_letters:
            continue
        for note in notes:
            first = note.lines[0].box
            if note is not mark and mark.box.x1 < first.x0 and first.y0 - mark.box.height < (
                mark.box.middle[1]
            ) < first.y1:  # fmt: skip
                note.lines = [mark.lines[0], *note.lines]
                note.box = Box.around([note.box, mark.box])
                joined.add(mark)
                break
    return [block for block in blocks if block not in joined]


def _notes_of(lines: list[Line]) -> list[list[Line]]:
    """Return the lines of each of several notes.

    Every note begins with the next figure or sign, or a raised one, or after a short line that ends
    a sentence: a mark that was lost leaves that.
    """
    right = max(line.box.x1 for line in lines)
    notes = [[lines[0]]]
    for line in lines[1:]:
        last = notes[-1][-1]
        first, own = (_NOTE.match(other.text) for other in (notes[-1][0], line))
        marks = [plain_figures(found[1]) if found else "" for found in (first, own)]
        counted = all(marks) and (
            follows(marks[0], marks[1]) or (not marks[1].isalnum() and marks[0] != marks[1])
        )
        raised = bool(line.words) and Style.SUPERSCRIPT in line.words[0].styles
        ended = (
            _ENDED.search(last.text.rstrip()) and last.box.x1 < right - NOTE.short * last.x_height
        )
        level = last.box.y0 < line.box.middle[1] < last.box.y1  # the note of a mark by itself
        if (counted or raised or ended) and not level:
            notes.append([line])
        else:
            notes[-1].append(line)
    return notes


def plain_figures(text: str) -> str:
    """Return a text with raised figures as plain ones."""
    return text.translate(str.maketrans(_RAISED, "0123456789"))


_CUT = (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.TABLE)
_LAST = {
    BlockKind.RUNNING_HEAD: -1,
    BlockKind.FOOTNOTE: 1,
    BlockKind.RUNNING_FOOT: 2,
    BlockKind.PAGE_NUMBER: 3,
}


def _ordered(blocks: list[Block]) -> list[Block]:
    """Return blocks with running heads first, notes after the text, feet and number last."""
    return sorted(blocks, key=lambda block: _LAST.get(block.kind, 0))


def _joined_code(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with the pieces of a listing joined, and the short lines in and around it."""
    joined: list[Block] = []
    for block in blocks:
        last = joined[-1] if joined else None
        if last is not None and _continues(last, block, usual):
            first, second = last.kind is BlockKind.CODE, block.kind is BlockKind.CODE
            if (
                (first and second)
                # a page's number may stand under it
                or (first and not _is_folio(block) and _on_grid(block, last))
                or (second and _on_grid(last, block))
            ):
                joined[-1] = last.part(BlockKind.CODE, [*last.lines, *block.lines])
                continue
        joined.append(block)
    return joined


def _is_bold(block: Block) -> bool:
    return all(share_of(Style.BOLD, line) == 1 for line in block.lines)


def _on_grid(block: Block, code: Block) -> bool:
    """Return whether short lines are set like a listing beside them, and begin on its grid."""
    if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.ITEM):
        return False
    if _is_bold(block) and not any(share_of(Style.BOLD, line) for line in code.lines):
        return False
    shares = fixed_shares(block.lines)
    if ((shares > 0) & (shares <= FIXED.share)).any():  # long enough to tell that it is not
        return False
    pitch = pitch_of(code.lines)
    sizes = sorted((size_of(block), size_of(code)))
    brackets = sum(len(line.text) for line in block.lines) < 4  # tell no size
    start = first_middle(code.lines[0])
    told = [line for line in block.lines if set(line.text) != {"."}]  # dots may be one sign
    steps = [(first_middle(line) - start) / pitch for line in told]
    alike = brackets or sizes[1] < HEADING.one_size * sizes[0]
    return alike and all(abs(s - round(s)) < PARAGRAPH.off_grid for s in steps)


def _continues(above: Block, below: Block, usual: Measures) -> bool:
    """Return whether a block stands under another, within a few lines and in one column."""
    step = below.box.y0 - above.box.y1
    beside = min(above.box.x1, below.box.x1) > max(above.box.x0, below.box.x0) - 4 * usual.size
    return -0.5 * usual.size < step < 2.2 * usual.pitch and beside and bool(below.lines)
