"""Items of lists and lines of contents: where they begin, and what is theirs."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import pairwise

from amberquarry.sheet.signs import BULLETS, SURE_BULLETS
from amberquarry.sheet.typography import (
    Measures,
    rows_of,
    size_of,
)
from amberquarry.values import Block, BlockKind, Item, Line

_HOLLOW = "◦"
_LEADER = re.compile(r"(?:\.\s?){5,}\s*\d{0,4}\s*$")  # dots to the number of a page


@dataclass(frozen=True, slots=True)
class Entries:
    """Entries of contents, of an index, of a catalogue."""

    after_bullet: float = 1.8  # x-heights of white after a letter that is a bullet
    to_page: float = 2.5  # x-heights of white before the page of an entry
    fewest: int = 5  # entries of contents
    share: float = 0.85  # of the lines, that must be so
    fewest_indexed: int = 12  # lines of an index that end in pages
    indexed: float = 0.5  # share of them
    set_in: float = 0.5  # letters by which lines that go on are set in
    few_lines: int = 2  # of an entry over a page's end
    large: float = 1.15  # of the type: larger is that of headings
    near: int = 10  # lines among which the next item is looked for
    fewest_counted: int = 4  # entries of a catalogue, on a page
    fewest_hanging: int = 3  # of them, whose second line stands under the text of the first


ENTRIES = Entries()
# Pages at the end of a line of an index.
_PAGES = re.compile(r"(?:^|,\s?)(?:\d{1,3}|1[0-4]\d\d)(?:\s?[-–—]\s?\d{1,4})?[.,;]?$")  # no years
_BULLET = re.compile(rf"^([{re.escape(BULLETS)}])(?:\s+|$)")
_NUMBERED = re.compile(  # the second of two square brackets may be misread
    r"^(\(?(?:\d{1,3}|[a-zα-ωа-я]|[ivx]{1,5})[.)]|\[\d{1,3}[\])]?)(?:\s+|$)"
    r"|^(\(\d{1,2}\))(?=[^\W\d_])",  # the space after it is narrow
    re.I,
)

# Entries of a catalogue or bibliography, which count up without a point. A dash stands for the
# author of the entry before.
_COUNTED = re.compile(r"^(\d{1,4})\s+(?:[—–-]\s*)*(?=[\"'“„«(]?[^\W\d_])")


def ends_in_leader(line: Line) -> bool:
    """Return whether dots lead from a line to the number of a page."""
    return _LEADER.search(line.text) is not None


def leads_to_page(lines: list[Line]) -> bool:
    """Return whether lines are an entry of contents: a title, dots or white, and a number."""
    if ends_in_leader(lines[-1]):
        return True
    page = lines[-1].words[-1] if lines[-1].words else None
    if page is None or not page.text.isdecimal() or len(lines) + len(lines[0].words) < 3:
        return False
    before = lines[-1].words[-2].box.x1 if len(lines[-1].words) > 1 else lines[-2].box.x1
    return page.box.x0 - before > ENTRIES.to_page * lines[-1].x_height


def _entries_of_contents(table: Block) -> list[Block]:
    """Return the entries of contents whose numbers of pages were taken for a table's column.

    What stands over the first of them without a number is their title.
    """
    rows = rows_of(table.lines)
    pages = [row[-1].words[-1].text if row[-1].words else "" for row in rows]
    paged = [text.isdecimal() and len(text) < 5 for text in pages]
    numbers = [int(text) for text, own in zip(pages, paged, strict=True) if own]
    growing = sum(a <= b for a, b in pairwise(numbers))
    if (
        len(rows) < ENTRIES.fewest
        or len(numbers) < ENTRIES.share * len(rows)
        or growing < ENTRIES.share * (len(numbers) - 1)
        or any(len(row) > 2 for row in rows)
        or sum(sum(map(str.isalpha, row[0].text)) > 2 for row in rows) < ENTRIES.share * len(rows)
    ):
        return [table]
    first = paged.index(True)
    title = [table.part(BlockKind.PARAGRAPH, row) for row in rows[:first]]
    return title + [table.part(BlockKind.ITEM, row) for row in rows[first:]]


def cut_index(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return the blocks of a page, those of an index cut into its entries.

    Most lines of such a page end in numbers of pages, after a comma. A line goes on from the one
    before where it begins with a number, or is set in under an entry that has no page yet.
    """
    texts = [b for b in blocks if b.is_plain and b.lines]
    lines = [line for block in texts for line in block.lines]
    paged = sum(_ends_in_pages(line) for line in lines)
    if paged < max(ENTRIES.fewest_indexed, ENTRIES.indexed * len(lines)):
        return blocks
    cut: list[Block] = []
    for block, after in zip(blocks, [*blocks[1:], None], strict=True):
        paged = sum(map(_ends_in_pages, block.lines))
        begins = (
            after is not None
            and len(block.lines) <= ENTRIES.few_lines
            and _is_over(block, after, usual)
        )
        if not block.is_plain or not (begins or paged >= ENTRIES.indexed * len(block.lines)):
            cut.append(block)
            continue
        for line in block.lines:
            if cut and _goes_under(cut[-1], line, usual):
                cut[-1] = cut[-1].part(BlockKind.ITEM, [*cut[-1].lines, line])
            else:  # the letters under which entries stand are headings
                kind = BlockKind.ITEM if len(line.text) > 1 else BlockKind.PARAGRAPH
                cut.append(block.part(kind, [line]))
    return cut


def _is_over(block: Block, after: Block, usual: Measures) -> bool:
    """Return whether a block ends in the line of an entry that goes on in the block after it."""
    if not block.lines or not after.lines or size_of(block) > ENTRIES.large * usual.size:
        return False
    return _goes_under(block.part(BlockKind.ITEM, block.lines[-1:]), after.lines[0], usual)


def _goes_under(entry: Block, line: Line, usual: Measures) -> bool:
    """Return whether a line right under an entry of an index goes on with it."""
    if entry.kind is not BlockKind.ITEM:
        return False
    near = 0 < line.box.y1 - entry.lines[-1].box.y1 < 2 * usual.pitch
    under = line.box.x0 > entry.lines[0].box.x0 + ENTRIES.set_in * usual.size
    return near and (line.text[:1].isdigit() or (under and not _ends_in_pages(entry.lines[-1])))


def _ends_in_pages(line: Line) -> bool:
    return _PAGES.search(line.text) is not None


def cut_at_leaders(lines: list[Line]) -> list[list[Line]]:
    """Return the lines of contents cut after each that dots lead to a page."""
    parts: list[list[Line]] = [[]]
    for line in lines:
        parts[-1].append(line)
        if ends_in_leader(line):
            parts.append([])
    return [part for part in parts if part]


def items_whole(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with items that were taken for a table's rows, or lost their last lines."""
    out: list[Block] = []
    for block in blocks:
        last = out[-1] if out else None
        if block.kind is BlockKind.TABLE:
            rows = _items_of_rows(block, last)
            out += rows if len(rows) > 1 else _entries_of_contents(block)
        elif (
            last is not None
            and last.kind is BlockKind.ITEM
            and block.is_plain
            and _goes_on(last, block, usual)
        ):
            out[-1] = last.part(BlockKind.ITEM, [*last.lines, *block.lines])
        else:
            out.append(block)
    return out


def _goes_on(item: Block, block: Block, usual: Measures) -> bool:
    """Return whether a block's lines stand right under the text of an item."""
    step = block.lines[0].box.y1 - item.lines[-1].box.y1
    first = item.lines[0]
    if len(item.lines) == 1 and len(first.words) < 2:
        return False
    if item.marker is not None and len(item.lines) == 1:  # an entry that is counted
        return 0 < step < 1.3 * usual.pitch and _hangs(first, block.lines[0], usual)
    at = item.lines[1].box.x0 if len(item.lines) > 1 else first.words[1].box.x0
    under = abs(block.lines[0].box.x0 - at) < 0.9 * usual.size
    return under and 0 < step < 1.3 * usual.pitch and item.box.x0 < block.box.x0 - usual.size


def _items_of_rows(table: Block, before: Block | None) -> list[Block]:
    """Return the items of a list whose markers and texts were taken for columns of a table.

    before: the block before it; where that is an entry that is counted, the rows may go on so.
    """
    rows = rows_of(table.lines)
    numbers = [number_of(" ".join(line.text for line in row)) for row in rows]
    last = before.marker if before else None
    counted = last is not None and numbers[0] is not None and follows(last, numbers[0])
    marked = [
        marker_of(f"{row[0].text} ") is not None or (counted and number is not None)
        for row, number in zip(rows, numbers, strict=True)
    ]
    long = [len(row) > 2 for row in rows]
    if sum(marked) < max(2, 0.4 * len(rows)) or any(long) or not marked[0]:
        return [table]
    items: list[tuple[str | None, list[Line]]] = []
    for row, number, starts in zip(rows, numbers, marked, strict=True):
        if starts:
            items.append((number if counted else None, []))
        items[-1][1].extend(row)
    return [
        replace(table.part(BlockKind.ITEM, lines), payload=Item(number)) for number, lines in items
    ]


def marker_of(text: str) -> str | None:
    """Return the bullet or number with which an item's text begins, None where it does not."""
    found = _BULLET.match(text) or _NUMBERED.match(text)
    return found[found.lastindex or 1] if found else None


def number_of(text: str) -> str | None:
    """Return the number without a point with which an entry begins, None where it does not."""
    found = _COUNTED.match(text)
    return found[1] if found else None


def _hangs(entry: Line, line: Line, usual: Measures) -> bool:
    """Return whether a line is set in under an entry, about as far as the text of the entry."""
    text_x = entry.words[1].box.x0
    return entry.box.x0 + usual.size < line.box.x0 < text_x + 2 * usual.size


def _counted_entries(flow: list[Line], usual: Measures) -> set[Line]:
    """Return the lines that begin entries of a list that counts them.

    Their numbers stand on one edge, most of them grow by one, and what an entry has more than a
    line is set in. What has the form of the entries around it is one too, since
    figures are misread now and then.
    """
    held = [
        n
        for n, line in enumerate(flow)
        if len(line.words) > 1 and number_of(line.text) and not leads_to_page([line])
    ]
    pairs = [
        (a, b)
        for a, b in pairwise(held)
        if b - a < ENTRIES.near and abs(flow[a].box.x0 - flow[b].box.x0) < 0.6 * usual.size
    ]
    grown = {
        n
        for a, b in pairs
        if int(flow[b].words[0].text) == int(flow[a].words[0].text) + 1
        for n in (a, b)
    }
    hanging = sum(
        n + 1 < len(flow)
        and n + 1 not in held
        and _hangs(flow[n], flow[n + 1], usual)
        and 0 < flow[n + 1].box.y1 - flow[n].box.y1 < 1.5 * usual.pitch
        for n in grown
    )
    if len(grown) < ENTRIES.fewest_counted or hanging < ENTRIES.fewest_hanging:
        return set()
    places = {len(flow[n].words[0].text) for n in grown}
    entries = grown | {
        n
        for a, b in pairs
        for n in (a, b)
        if min(grown) < n < max(grown) and len(flow[n].words[0].text) in places
    }
    return {flow[n] for n in entries}


def set_hollow_bullets(blocks: list[Block]) -> None:
    """Make the letter o a bullet where it stands so, far from the text after it, in place.

    Items within items are often marked with that letter. Several do so on one edge, or other
    bullets stand on the page; a word of one letter has no such white after it.
    """
    lines = [line for block in blocks for line in block.lines if len(line.words) > 1]
    marked = [
        line
        for line in lines
        if line.words[0].text == "o"
        and line.words[1].box.x0 - line.words[0].box.x1 > ENTRIES.after_bullet * line.x_height
    ]
    bullets = any(line.words[0].text in SURE_BULLETS for line in lines)
    for line in marked:
        slack = 0.6 * line.x_height
        alike = sum(abs(other.box.x0 - line.box.x0) < slack for other in marked)
        if bullets or alike > 1:
            line.text = _HOLLOW + line.text[1:]
            line.words[0].text = _HOLLOW


def item_starts(blocks: list[Block], usual: Measures) -> set[Line]:
    """Return the lines that begin an item of a list.

    Such a line has a marker, and the lines after it stand under its text, or a line near it in the
    column has the same bullet or the next number.
    """
    flow = [line for block in blocks if block.is_plain for line in block.lines]
    markers = [marker_of(line.text) if line.words else None for line in flow]
    found = _counted_entries(flow, usual)
    for number, (line, marker) in enumerate(zip(flow, markers, strict=True)):
        if marker is None:
            continue
        rest = flow[number + 1 : number + 1 + ENTRIES.near]
        if len(line.words[0].text) > len(marker):
            text_x = float(line.character_boxes[len(marker), 0])
        elif len(line.words) > 1:
            text_x = line.words[1].box.x0
        elif rest and rest[0].box.y0 < line.box.middle[1] < rest[0].box.y1:
            text_x, rest = rest[0].box.x0, rest[1:]  # the marker stands far from its text
        else:
            continue
        before = flow[max(0, number - ENTRIES.near) : number]
        hangs = any(
            abs(other.box.x0 - text_x) < 0.9 * usual.size
            and abs(other.box.y1 - line.box.y1) < 1.5 * usual.pitch
            for other in (*before[-1:], *rest[:1])
        )
        first = max(0, number - ENTRIES.near)
        alike = any(
            n != number
            and abs(flow[n].box.x0 - line.box.x0) < 0.6 * usual.size
            and follows(marker, markers[n], n > number)
            for n in range(first, min(len(flow), number + 1 + ENTRIES.near))
        )
        # a lone bullet counts where no plain line stands right over it: a broken letter may be one
        inside = any(
            markers[number - 1] is None
            and abs(other.box.x0 - line.box.x0) < 0.6 * usual.size
            and line.box.y1 - other.box.y1 < 1.3 * usual.pitch
            for other in before[-1:]
        )
        if hangs or alike or (marker in SURE_BULLETS and not inside):
            found.add(line)
    return found


def follows(marker: str, other: str | None, after: bool = True) -> bool:
    """Return whether another marker is the same bullet, or the next (or last) number."""
    if other is None:
        return False
    if marker in BULLETS:
        return marker == other
    first, second = (re.sub(r"\W", "", mark).lower() for mark in (marker, other))
    if not after:
        first, second = second, first
    if first.isdecimal() and second.isdecimal():
        return int(second) == int(first) + 1
    romans = ["i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x", "xi", "xii"]
    if first in romans and second in romans and romans.index(second) == romans.index(first) + 1:
        return True
    return len(first) == len(second) == 1 and ord(second) == ord(first) + 1
