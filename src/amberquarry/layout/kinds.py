"""What the blocks of a page are, told from their text, type and place.

Works on blocks whose lines were read, in the frame in which lines are level. Only what one page can
tell is settled here; what repeats from page to page is for the document.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from amberquarry.document import RUNNING, Block, BlockKind, Box, Line, Style
from amberquarry.layout.lines import CAPITAL_RATIO, weighted_median

_LOW_LETTERS, _LEAST_LOW = frozenset("acemnorsuvwxzавгежзиклмнопстхчшыьэюяαεικνοπστυω"), 3
_FIXED_LETTERS, _FIXED_SHARE = 10, 0.8
_OFF_GRID = 0.25  # of the pitch, by which a line of a listing begins off its grid
_PITCHES = np.linspace(0.94, 1.06, 49)  # tried, in usual distances of letters side by side
_TYPEWRITTEN = 0.6  # of a page's letters in fixed pitch: then it is no sign of code
BULLETS = "•◦▪■□●○▸►‣⁃·∙*–—-."
_SURE_BULLETS = "•◦▪■□●○▸►‣⁃∙"
_LEADER = re.compile(r"(?:\.\s?){5,}\s*\d{0,4}\s*$")  # dots to the number of a page
_NEAR_LINES = 10  # among which the next item is looked for
_BULLET = re.compile(rf"^([{re.escape(BULLETS)}])(?:\s+|$)")
_NUMBERED = re.compile(r"^(\(?(?:\d{1,3}|[a-zα-ωа-я]|[ivx]{1,5})[.)]|\[\d{1,3}\])(?:\s+|$)", re.I)
_LABELS = """
    figure figures fig abbildung abb figura figuur afb afbeelding рисунок рис rysunek rys obrázek
    obr kuva şekil ábra σχήμα εικόνα slika table tabelle tab tableau tabla tabela tabella tabel
    tabell таблица табл tabulka taulukko tablo πίνακας listing plate chart map scheme diagram schéma
    schema graphique graph algorithm photo karte
"""
_CAPTION = re.compile(
    rf"^(?:{'|'.join(_LABELS.split())})\.?\s?[A-Z]?\d+(?:[.\-–]\d+)*\s*([.:—–-]|$|\s)",
    re.IGNORECASE,
)
_RAISED = "⁰¹²³⁴⁵⁶⁷⁸⁹"
_NOTE = re.compile(rf"^\s*([*†‡§¶]{{1,3}}|\d{{1,3}}|[{_RAISED}]{{1,3}}|[a-z])[\s.)]?\s?\S")
_FOLIO = re.compile(
    r"^[\s\W]*(?:(?:page|seite|pagina|página|стр|s|p)\.?\s*)?"
    r"(\d{1,4}|[ivxlc]{1,7})(?:\s*(?:/|of|von|de|из)\s*\d{1,4})?[\s\W]*$",
    re.IGNORECASE,
)
_SECTION = re.compile(
    r"^(?:\d{1,2}(?:\.\d{1,2}){0,4}\.?|[A-Z]\.(?:\d+\.?)*|§\s?\d+|[IVX]{1,5}\.)\s+\S"
)
_HEADING_SIZE, _SAME_SIZE = 1.17, 1.08  # over the usual x-height
_MOST_HEADING_LINES, _MOST_HEADING_LETTERS = 4, 200
_MOSTLY = 0.6  # of a line's letters in bold or italics
_ONE_SIZE, _ONE_HEADING = 1.12, 1.1  # of two lines of one heading: ratio; gap in x-heights
_TINY = 0.86  # of the usual x-height: at the foot of a column it is a note
_SMALL = 0.93  # of the usual x-height: notes, captions
_GAP_AROUND = 1.25  # of the usual distance of lines, that parts heads and feet from the text
_LONGEST_TITLE = 90  # letters of a running title
_EDGE = 0.14  # of the page's height, in which heads and feet stand


@dataclass(frozen=True, slots=True)
class Measures:
    """What is usual on a page."""

    size: float  # x-height of most text
    pitch: float  # between base lines of running text
    typewritten: bool
    middle: float  # of what stands on the page, from its top


def type_size(line: Line) -> float:
    """Return the x-height of a line from the boxes of its letters, 0 where none tells it.

    Small letters without ascenders tell it by themselves; capitals, figures and tall letters where
    there are hardly any.
    """
    heights = line.character_boxes[:, 3] - line.character_boxes[:, 1]
    low = np.array([sign in _LOW_LETTERS for sign in line.text], bool)
    if low.sum() >= _LEAST_LOW:
        return float(np.median(heights[low]))
    tall = np.array([sign.isupper() or sign.isdigit() or sign in "bdfhklt" for sign in line.text])
    if low.sum() + tall.sum() == 0:
        return 0.0
    return float(np.median(np.concatenate([heights[low], heights[tall] / CAPITAL_RATIO])))


def fixed_shares(lines: list[Line]) -> NDArray[np.float64]:
    """Return for each line how well its letters stand on a grid of one pitch, 0 to 1.

    That is the length of the mean of the letters' places as phases of the best pitch near the
    usual distance of neighbours (Rayleigh's measure): about 0.9 in faces of fixed pitch, less than
    0.5 in others; 0 for lines of few letters, which would fit by chance.
    """
    shares = np.zeros(len(lines))
    for number, line in enumerate(lines):
        if len(line.character_boxes) < _FIXED_LETTERS:
            continue
        there = np.array([not sign.isspace() for sign in line.text])
        boxes = line.character_boxes.astype(float)
        middle = (boxes[:, 0] + boxes[:, 2]) / 2
        steps = np.diff(middle)[there[1:] & there[:-1]]
        if there.sum() < _FIXED_LETTERS or len(steps) < _FIXED_LETTERS // 2:
            continue
        pitches = np.median(steps) * _PITCHES
        phases = np.exp(2j * np.pi * middle[there][None] / pitches[:, None])
        shares[number] = float(np.abs(phases.mean(1)).max())
    return shares


def pitch_of(lines: list[Line]) -> float:
    """Return the usual distance between the middles of letters that stand side by side."""
    steps = []
    for line in lines:
        middle = (line.character_boxes[:, 0] + line.character_boxes[:, 2]) / 2
        there = np.array([not sign.isspace() for sign in line.text], bool)
        steps.append(np.diff(middle)[there[1:] & there[:-1]])
    every = np.concatenate(steps) if steps else np.zeros(0)
    return max(1.0, float(np.median(every))) if len(every) else 1.0


def first_middle(line: Line) -> float:
    """Return x of the middle of a line's first letter, which tells its cell better than an edge."""
    return float(line.character_boxes[0, 0] + line.character_boxes[0, 2]) / 2


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


def is_fixed(lines: list[Line]) -> bool:
    """Return whether lines are set in fixed pitch; False where they are too short to tell."""
    shares = fixed_shares(lines)
    letters = np.array([len(line.text) for line in lines]) * (shares > 0)
    total = float(letters.sum())
    # few letters stand on some grid by chance
    return total > 0 and float((shares * letters).sum()) / total > _FIXED_SHARE + 2 / total


def measure(blocks: list[Block]) -> Measures | None:
    """Return what is usual on a page; None without lines."""
    flow = [block for block in blocks if block.kind is not BlockKind.FIGURE]
    lines = [line for block in flow for line in block.lines]
    if not lines:
        return None
    letters = np.array([len(line.text) for line in lines], float)
    sizes = np.array([line.x_height for line in lines])
    size = weighted_median(sizes, letters)
    steps = np.array([
        b.box.y1 - a.box.y1 for block in flow for a, b in pairwise(block.lines)
        if b.box.y0 > (a.box.y0 + a.box.y1) / 2
    ])  # fmt: skip
    steps = steps[(steps > 1.2 * size) & (steps < 6 * size)]
    fixed = letters[fixed_shares(lines) > _FIXED_SHARE].sum()
    return Measures(
        size,
        float(np.median(steps)) if len(steps) else 2.6 * size,
        bool(fixed > _TYPEWRITTEN * letters.sum()),
        (min(line.box.y0 for line in lines) + max(line.box.y1 for line in lines)) / 2,
    )


def settle_kinds(blocks: list[Block], height: float) -> list[Block]:
    """Return the blocks of a page, cut where kinds change, each with its kind, in reading order.

    height: of the page, in the frame of the boxes.
    """
    usual = measure(blocks)
    if usual is None:
        return blocks
    parts = _without_edges_joined(blocks)
    starts = _item_starts(parts, usual)
    parts = [part for block in parts for part in _parts(block, usual, starts)]
    parts = _items_whole(parts, usual)
    _mark_captions(parts, usual)
    _mark_headings(parts, usual)
    parts = _joined_headings(parts)
    _mark_edges(parts, usual, height)
    return _ordered(_joined_code(_mark_notes(parts, usual), usual))


def _copy(block: Block, kind: BlockKind, lines: list[Line]) -> Block:
    box = Box.around([line.box for line in lines])
    return replace(block, kind=kind, lines=lines, box=box, level=None)


def _parts(block: Block, usual: Measures, item_starts: set[int]) -> list[Block]:
    """Return a block of text cut into code, items of lists and the paragraphs between them."""
    if block.kind not in _CUT or not block.lines:
        return [block]
    code = not usual.typewritten and _size(block) < _HEADING_SIZE * usual.size
    table = block.kind is BlockKind.TABLE
    if code and is_fixed(_whole_rows(block.lines) if table else block.lines):
        return [replace(block, kind=BlockKind.CODE, level=None)]
    if block.kind is not BlockKind.PARAGRAPH:
        return [block]
    starts = [number for number, line in enumerate(block.lines) if id(line) in item_starts]
    if not starts and sum(map(_ends_in_leader, block.lines)) > 1:
        return [_copy(block, BlockKind.ITEM, lines) for lines in _cut_at_leaders(block.lines)]
    if not starts:
        return [_copy(block, block.kind, lines) for lines in _cut_at_bold(block.lines)]
    parts = [] if starts[0] == 0 else [_copy(block, block.kind, block.lines[: starts[0]])]
    for start, end in pairwise([*starts, len(block.lines)]):
        parts.append(_copy(block, BlockKind.ITEM, block.lines[start:end]))
    return parts


def _ends_in_leader(line: Line) -> bool:
    return _LEADER.search(line.text) is not None


def _cut_at_leaders(lines: list[Line]) -> list[list[Line]]:
    """Return the lines of contents cut after each that dots lead to a page."""
    parts: list[list[Line]] = [[]]
    for line in lines:
        parts[-1].append(line)
        if _ends_in_leader(line):
            parts.append([])
    return [part for part in parts if part]


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
            out += [_copy(block, block.kind, [line]) for line in block.lines]
        else:
            out.append(block)
    return out


def _items_whole(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return blocks with items that were taken for a table's rows, or lost their last lines."""
    out: list[Block] = []
    for block in blocks:
        last = out[-1] if out else None
        if block.kind is BlockKind.TABLE:
            out += _items_of_rows(block)
        elif (
            last is not None
            and last.kind is BlockKind.ITEM
            and block.kind is BlockKind.PARAGRAPH
            and _goes_on(last, block, usual)
        ):
            out[-1] = _copy(last, BlockKind.ITEM, [*last.lines, *block.lines])
        else:
            out.append(block)
    return out


def _goes_on(item: Block, block: Block, usual: Measures) -> bool:
    """Return whether a block's lines stand right under the text of an item."""
    step = block.lines[0].box.y1 - item.lines[-1].box.y1
    first = item.lines[0]
    if len(item.lines) == 1 and len(first.words) < 2:
        return False
    at = item.lines[1].box.x0 if len(item.lines) > 1 else first.words[1].box.x0
    under = abs(block.lines[0].box.x0 - at) < 0.9 * usual.size
    return under and 0 < step < 1.3 * usual.pitch and item.box.x0 < block.box.x0 - usual.size


def _items_of_rows(table: Block) -> list[Block]:
    """Return the items of a list whose markers and texts were taken for columns of a table."""
    rows = rows_of(table.lines)
    marked = [len(row) >= 1 and marker_of(f"{row[0].text} ") is not None for row in rows]
    long = [len(row) > 2 for row in rows]
    if sum(marked) < max(2, 0.4 * len(rows)) or any(long) or not marked[0]:
        return [table]
    items: list[list[Line]] = []
    for row, starts in zip(rows, marked, strict=True):
        if starts:
            items.append([])
        items[-1] += row
    return [_copy(table, BlockKind.ITEM, lines) for lines in items]


def rows_of(lines: list[Line]) -> list[list[Line]]:
    """Return lines in rows: what stands on one height, left to right."""
    rows: list[list[Line]] = []
    for line in sorted(lines, key=lambda line: (line.box.y0 + line.box.y1) / 2):
        middle = (line.box.y0 + line.box.y1) / 2
        if rows and any(other.box.y0 < middle < other.box.y1 for other in rows[-1]):
            rows[-1].append(line)
        else:
            rows.append([line])
    return [sorted(row, key=lambda line: line.box.x0) for row in rows]


def marker_of(text: str) -> str | None:
    """Return the bullet or number with which an item's text begins, None where it does not."""
    found = _BULLET.match(text) or _NUMBERED.match(text)
    return found[1] if found else None


def _item_starts(blocks: list[Block], usual: Measures) -> set[int]:
    """Return the lines (by identity) that begin an item of a list.

    Such a line has a marker, and the lines after it stand under its text, or a line near it in the
    column has the same bullet or the next number.
    """
    flow = [line for block in blocks if block.kind is BlockKind.PARAGRAPH for line in block.lines]
    markers = [marker_of(line.text) if line.words else None for line in flow]
    found = set()
    for number, (line, marker) in enumerate(zip(flow, markers, strict=True)):
        if marker is None:
            continue
        rest = flow[number + 1 : number + 1 + _NEAR_LINES]
        if len(line.words) > 1:
            text_x = line.words[1].box.x0
        elif rest and rest[0].box.y0 < (line.box.y0 + line.box.y1) / 2 < rest[0].box.y1:
            text_x, rest = rest[0].box.x0, rest[1:]  # the marker stands far from its text
        else:
            continue
        before = flow[max(0, number - _NEAR_LINES) : number]
        hangs = any(
            abs(other.box.x0 - text_x) < 0.9 * usual.size
            and abs(other.box.y1 - line.box.y1) < 1.5 * usual.pitch
            for other in (*before[-1:], *rest[:1])
        )
        first = max(0, number - _NEAR_LINES)
        alike = any(
            n != number
            and abs(flow[n].box.x0 - line.box.x0) < 0.6 * usual.size
            and follows(marker, markers[n], n > number)
            for n in range(first, min(len(flow), number + 1 + _NEAR_LINES))
        )
        # a lone bullet counts where no plain line stands right over it: a broken letter may be one
        inside = any(
            markers[number - 1] is None
            and abs(other.box.x0 - line.box.x0) < 0.6 * usual.size
            and line.box.y1 - other.box.y1 < 1.3 * usual.pitch
            for other in before[-1:]
        )
        if hangs or alike or (marker in _SURE_BULLETS and not inside):
            found.add(id(line))
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
    if first.isdigit() and second.isdigit():
        return int(second) == int(first) + 1
    romans = ["i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x", "xi", "xii"]
    if first in romans and second in romans and romans.index(second) == romans.index(first) + 1:
        return True
    return len(first) == len(second) == 1 and ord(second) == ord(first) + 1


def _mark_captions(blocks: list[Block], usual: Measures) -> None:
    for block in blocks:
        if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING) or not block.lines:
            continue
        found = _CAPTION.match(block.lines[0].text)
        if found is None:
            continue
        stopped = found[1].strip() != ""
        small = _size(block) < _SMALL * usual.size
        near = any(
            other.kind in (BlockKind.FIGURE, BlockKind.TABLE)
            and _beside(block.box, other.box, usual)
            for other in blocks
        )
        short = len(block.lines) <= 8
        if short and (stopped or (small and near)):
            block.kind, block.level = BlockKind.CAPTION, None


def _beside(box: Box, other: Box, usual: Measures) -> bool:
    gap = max(box.y0 - other.y1, other.y0 - box.y1)
    return gap < 3 * usual.pitch and min(box.x1, other.x1) > max(box.x0, other.x0)


def _size(block: Block) -> float:
    return float(np.median([line.x_height for line in block.lines]))


def share_of(style: Style, line: Line) -> float:
    """Return the share of a line's letters in words of a style."""
    letters = sum(len(word.text) for word in line.words)
    return sum(len(w.text) for w in line.words if style in w.styles) / letters if letters else 0.0


def _mark_headings(blocks: list[Block], usual: Measures) -> None:
    for number, block in enumerate(blocks):
        if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.ITEM):
            continue
        if not block.lines:
            continue
        text = " ".join(line.text for line in block.lines)
        letters = sum(sign.isalpha() for sign in text)
        short = len(block.lines) <= _MOST_HEADING_LINES and len(text) <= _MOST_HEADING_LETTERS
        size = _size(block) / usual.size
        bold, italic = (
            min(share_of(style, line) for line in block.lines) > _MOSTLY
            for style in (Style.BOLD, Style.ITALIC)
        )
        capitals = text.upper() == text and letters >= 4
        numbered = _SECTION.match(text) is not None
        ends = text.rstrip()[-1:] in ".,;"
        after = next((b for b in blocks[number + 1 :] if b.lines), None)
        leads = after is not None and after.kind not in (BlockKind.HEADING,)
        alone = len(block.lines) <= 2
        if block.kind is BlockKind.ITEM:
            is_heading = short and alone and numbered and (bold or size > _HEADING_SIZE)
        else:
            is_heading = short and letters >= 2 and (
                size > _HEADING_SIZE
                or (bold and alone and not ends)
                or (numbered and alone and not ends and (size > _SAME_SIZE or capitals or italic))
                or (capitals and alone and not ends and leads and len(text.split()) <= 9)
            )  # fmt: skip
        block.kind = BlockKind.HEADING if is_heading else (
            BlockKind.ITEM if block.kind is BlockKind.ITEM else BlockKind.PARAGRAPH
        )  # fmt: skip
        block.level = None


def _joined_headings(blocks: list[Block]) -> list[Block]:
    """Return blocks with the lines of one heading joined: type of one size, closely set."""
    joined: list[Block] = []
    for block in blocks:
        last = joined[-1] if joined else None
        if (
            last is not None
            and block.kind is BlockKind.HEADING
            and last.kind is BlockKind.HEADING
            and _one_heading(last, block)
        ):
            joined[-1] = _copy(last, BlockKind.HEADING, [*last.lines, *block.lines])
        else:
            joined.append(block)
    return joined


def _one_heading(above: Block, below: Block) -> bool:
    sizes = sorted((_size(above), _size(below)))
    gap = below.box.y0 - above.box.y1
    text = below.lines[0].text
    return (
        sizes[1] < _ONE_SIZE * sizes[0]
        and -0.6 * sizes[0] < gap < _ONE_HEADING * sizes[0]
        and min(above.box.x1, below.box.x1) > max(above.box.x0, below.box.x0)
        and _SECTION.match(text) is None
        and len(above.lines) + len(below.lines) <= _MOST_HEADING_LINES + 2
    )


def _mark_edges(blocks: list[Block], usual: Measures, height: float) -> None:
    """Mark what stands alone in the first and the last row of a page, as far as one page tells."""
    flow = [b for b in blocks if b.lines and b.kind is not BlockKind.FIGURE]
    for top in (True, False):
        row = _edge_row(flow, usual, top)
        if not row:
            continue
        edge = min(b.box.y0 for b in row) if top else max(b.box.y1 for b in row)
        if (edge > _EDGE * height) if top else (edge < (1 - _EDGE) * height):
            continue
        folio = [b for b in row if _is_folio(b)]
        for block in row:
            if block in folio:
                block.kind, block.level = BlockKind.PAGE_NUMBER, None
            elif _may_run(block, usual, bool(folio)):
                block.kind = BlockKind.RUNNING_HEAD if top else BlockKind.RUNNING_FOOT
                block.level = None


def _edge_row(blocks: list[Block], usual: Measures, top: bool) -> list[Block]:
    """Return the blocks of the outermost row, if it is one line high and stands apart."""
    if len(blocks) < 2:
        return []
    outer = min(blocks, key=lambda b: b.box.y0) if top else max(blocks, key=lambda b: b.box.y1)
    middle = (outer.box.y0 + outer.box.y1) / 2
    row = [b for b in blocks if b.box.y0 < middle < b.box.y1]
    rest = [b for b in blocks if b not in row]
    if not rest or any(len(b.lines) > 2 for b in row):
        return []
    if top:
        gap = min(b.box.y0 for b in rest) - max(b.box.y1 for b in row)
    else:
        gap = min(b.box.y0 for b in row) - max(b.box.y1 for b in rest)
    return row if gap > (_GAP_AROUND - 1) * usual.pitch + 0.3 * usual.size else []


def _is_folio(block: Block) -> bool:
    text = " ".join(line.text for line in block.lines)
    return len(block.lines) == 1 and _FOLIO.match(text) is not None


def _may_run(block: Block, usual: Measures, numbered: bool) -> bool:
    """Return whether a block in the outermost row looks like a running title.

    numbered: whether a page number stands beside it. Without, its type must set it apart: what
    one page alone tells could as well be a sentence.
    """
    text = " ".join(line.text for line in block.lines)
    size = _size(block) / usual.size
    apart = (
        size < _SMALL or text.upper() == text or share_of(Style.ITALIC, block.lines[0]) > _MOSTLY
    )
    return (
        len(block.lines) == 1
        and len(text) < _LONGEST_TITLE
        and size < _HEADING_SIZE
        and not text.rstrip().endswith((".", "-", ","))
        and block.kind in (BlockKind.PARAGRAPH, BlockKind.HEADING)
        and (numbered or apart)
    )


def _mark_notes(blocks: list[Block], usual: Measures) -> list[Block]:
    """Return the blocks with footnotes marked, each by itself.

    A note stands in small type at the foot of its column and begins with a sign.
    """
    flow = [b for b in blocks if b.lines and b.kind not in RUNNING and not b.rotation]
    for block in flow:
        if block.kind not in (BlockKind.PARAGRAPH, BlockKind.ITEM):
            continue
        below = [
            other for other in flow
            if other is not block and other.box.y0 > block.box.y1 - 0.5 * usual.size
            and min(other.box.x1, block.box.x1) > max(other.box.x0, block.box.x0)
        ]  # fmt: skip
        first = block.lines[0]
        raised = bool(first.words) and Style.SUPERSCRIPT in first.words[0].styles
        signed = _NOTE.match(first.text) is not None
        size = _size(block) / usual.size
        small = size < _SMALL
        lowest = all(_size(other) < _SMALL * usual.size for other in below)
        told = signed or raised or size < _TINY  # a raised sign is not always read
        if block.box.y0 > usual.middle and small and lowest and told:
            block.kind = BlockKind.FOOTNOTE
    for block in flow:  # lines of a note that were parted from it
        if block.kind is BlockKind.PARAGRAPH and _size(block) < _SMALL * usual.size:
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
    blocks = [block for block in blocks if block.lines or block.kind is BlockKind.FIGURE]
    notes = [
        _copy(block, BlockKind.FOOTNOTE, lines)
        for block in blocks
        if block.kind is BlockKind.FOOTNOTE
        for lines in _notes_of(block.lines)
    ]
    return [block for block in blocks if block.kind is not BlockKind.FOOTNOTE] + notes


def _notes_of(lines: list[Line]) -> list[list[Line]]:
    """Return the lines of each of several notes: every one begins with the next figure or sign."""
    notes = [[lines[0]]]
    for line in lines[1:]:
        first, own = (_NOTE.match(other.text) for other in (notes[-1][0], line))
        marks = [plain_figures(found[1]) if found else "" for found in (first, own)]
        if all(marks) and (
            follows(marks[0], marks[1]) or (not marks[1].isalnum() and marks[0] != marks[1])
        ):
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
                or (first and _on_grid(block, last))
                or (second and _on_grid(last, block))
            ):
                joined[-1] = _copy(last, BlockKind.CODE, [*last.lines, *block.lines])
                continue
        joined.append(block)
    return joined


def _on_grid(block: Block, code: Block) -> bool:
    """Return whether short lines are set like a listing beside them, and begin on its grid."""
    if block.kind not in (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.ITEM):
        return False
    shares = fixed_shares(block.lines)
    if ((shares > 0) & (shares <= _FIXED_SHARE)).any():  # long enough to tell that it is not
        return False
    pitch = pitch_of(code.lines)
    sizes = sorted((_size(block), _size(code)))
    brackets = sum(len(line.text) for line in block.lines) < 4  # tell no size
    start = first_middle(code.lines[0])
    steps = [(first_middle(line) - start) / pitch for line in block.lines]
    alike = brackets or sizes[1] < _ONE_SIZE * sizes[0]
    return alike and all(abs(s - round(s)) < _OFF_GRID for s in steps)


def _continues(above: Block, below: Block, usual: Measures) -> bool:
    """Return whether a block stands under another, within a few lines and in one column."""
    step = below.box.y0 - above.box.y1
    beside = min(above.box.x1, below.box.x1) > max(above.box.x0, below.box.x0) - 4 * usual.size
    return -0.5 * usual.size < step < 2.2 * usual.pitch and beside and bool(below.lines)
