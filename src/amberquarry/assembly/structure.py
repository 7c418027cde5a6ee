"""What only a whole document tells: running heads, levels of headings, paragraphs that go on."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from rapidfuzz.distance import Indel

from amberquarry.kinds.items import marker_of
from amberquarry.kinds.settling import goes_on
from amberquarry.values import (
    RUNNING,
    Block,
    BlockKind,
    Box,
    Equation,
    Figure,
    Item,
    Page,
    Style,
    Table,
)


@dataclass(frozen=True, slots=True)
class RunningHeads:
    """Heads and feet that return on other pages."""

    zone: float = 0.15  # of the page's height at top and foot
    height: float = 0.012  # of it, by which one may lie off on another page
    alike: float = 0.8  # of the letters of two of them
    near: int = 4  # pages on which one is looked for: left and right ones differ
    few: int = 3  # pages: fewer say nothing against what one page says


@dataclass(frozen=True, slots=True)
class Levels:
    """Levels of headings."""

    same: float = 0.07  # of the logarithm of sizes: one level
    most: int = 6  # levels


@dataclass(frozen=True, slots=True)
class Stories:
    """Pages of stories side by side, as newspapers have."""

    size: float = 1.3  # of the text: their headings
    fewest: int = 2  # pairs of headings beside each other
    many: int = 5  # such pairs say enough
    sizes: int = 3  # of headings, with which fewer pairs do


HEADS, LEVELS, STORIES = RunningHeads(), Levels(), Stories()
_NUMBERING = re.compile(r"^(\d{1,2}(?:\.\d{1,2}){0,4})\.?\s")


@dataclass(frozen=True, slots=True)
class _Edge:
    """A block at the top or foot of a page, as it is compared with those of other pages."""

    page: int
    block: Block
    top: bool
    height: float  # of its middle on the upright page, 0 at the top, 1 at the foot
    text: str  # letters only


def height_on_page(page: Page, block: Block) -> float:
    """Return where a block's middle stands on the level page, 0 at the top, 1 at the foot."""
    y = block.box.middle[1]
    return y / max(1, page.height) if page.frame is None else page.frame.height_of(y)


def settle_running(pages: list[Page]) -> None:
    """Mark what repeats at the tops and feet of pages as running heads and feet, in place.

    What one page alone made look like such, and no other bears out, is text again.
    """
    edges = [edge for number, page in enumerate(pages) for edge in _edges(page, number)]
    of_page: dict[int, list[_Edge]] = defaultdict(list)
    for edge in edges:
        of_page[edge.page].append(edge)
    for edge in edges:
        near = [
            other
            for number in range(edge.page - HEADS.near, edge.page + HEADS.near + 1)
            for other in (of_page.get(number, []) if number != edge.page else [])
            if other.top == edge.top and abs(other.height - edge.height) < HEADS.height
        ]
        alike = any(
            len(edge.text) > 2 and Indel.normalized_similarity(edge.text, other.text) >= HEADS.alike
            for other in near
        )
        marked = edge.block.kind in RUNNING
        if not marked and alike and len(edge.block.lines) <= 2:
            kind = BlockKind.RUNNING_HEAD if edge.top else BlockKind.RUNNING_FOOT
            edge.block.kind, edge.block.level = kind, None
        elif (
            marked
            and edge.block.kind is not BlockKind.PAGE_NUMBER
            and not near
            and len(pages) >= HEADS.few
        ):
            edge.block.kind = BlockKind.PARAGRAPH
    for page in pages:
        heads = [b for b in page.blocks if b.kind is BlockKind.RUNNING_HEAD]
        feet = [b for b in page.blocks if b.kind in RUNNING and b not in heads]
        flow = [b for b in page.blocks if b.kind not in RUNNING]
        page.blocks = [*heads, *flow, *feet]


def _edges(page: Page, number: int) -> list[_Edge]:
    found = []
    for block in page.blocks:
        if not block.lines or block.rotation:
            continue
        height = height_on_page(page, block)
        if height < HEADS.zone or height > 1 - HEADS.zone:
            letters = "".join(
                sign for line in block.lines for sign in line.text.lower() if sign.isalpha()
            )
            found.append(_Edge(number, block, height < 0.5, height, letters))
    return found


_PAYLOADS = {
    BlockKind.TABLE: Table,
    BlockKind.FIGURE: Figure,
    BlockKind.EQUATION: Equation,
    BlockKind.ITEM: Item,
}


def settle_payloads(pages: list[Page]) -> None:
    """Give each block what its kind has, and nothing else, in place."""
    for block in (block for page in pages for block in page.blocks):
        wanted = _PAYLOADS.get(block.kind)
        if wanted is None:
            block.payload = None
        elif not isinstance(block.payload, wanted):
            block.payload = wanted()


def set_levels(pages: list[Page]) -> None:
    """Number the levels of all headings of a document, in place: 1 is the highest.

    Type of one size and weight is one level, the largest first; numbering such as 2.1 decides
    where sizes say otherwise. Sizes count against the usual one of their page. Headings of stories
    in a newspaper are of one level.
    """
    found: list[tuple[Block, float, int]] = []
    for page in pages:
        sizes = [line.x_height for b in page.blocks for line in b.lines for _ in line.words]
        usual = float(np.median(sizes)) if sizes else 0.0
        headings = [b for b in page.blocks if b.kind is BlockKind.HEADING and b.lines]
        large = [float(np.median([line.x_height for line in b.lines])) for b in headings]
        stories = _over_stories(headings, large, usual)
        for number, block in enumerate(headings):
            own = max(large[n] for n in stories) if number in stories else large[number]
            words = [word for line in block.lines for word in line.words]
            italic = sum(Style.ITALIC in word.styles for word in words) > 0.5 * len(words)
            found.append((block, np.log(own / usual) if own and usual else 0.0, int(italic)))
    if not found:
        return
    order = sorted(range(len(found)), key=lambda n: -found[n][1])
    of_one_size: list[list[int]] = []
    for number in order:
        last = of_one_size[-1][-1] if of_one_size else None
        if last is not None and found[last][1] - found[number][1] < LEVELS.same:
            of_one_size[-1].append(number)
        else:
            of_one_size.append([number])
    level = 0
    for members in (group for own in of_one_size for group in _by_slant(own, found)):
        depths = Counter(
            len(match[1].split(".")) if (match := _NUMBERING.match(_text(found[n][0]))) else 0
            for n in members
        )
        depth = depths.most_common(1)[0][0]
        level = min(LEVELS.most, max(level + 1, depth))
        for n in members:
            found[n][0].level = level


def _by_slant(members: list[int], found: list[tuple[Block, float, int]]) -> list[list[int]]:
    """Return headings of one size, those in italics apart where there are several of both kinds."""
    parts = [[n for n in members if found[n][2] == slanted] for slanted in (0, 1)]
    return parts if min(map(len, parts)) > 1 else [members]


def _over_stories(headings: list[Block], sizes: list[float], usual: float) -> list[int]:
    """Return which headings of a page stand over the stories of a newspaper, none on other pages.

    Several stand beside each other there, and their sizes tell the width of their stories. The name
    at the top is none of them.
    """
    large = [n for n, size in enumerate(sizes) if size > STORIES.size * usual]
    beside = sum(_level(headings[a].box, headings[b].box) for a, b in combinations(large, 2))
    if beside < STORIES.fewest:
        return []
    top = min(large, key=lambda n: headings[n].box.y0)
    named = sizes[top] == max(sizes[n] for n in large)
    over = [n for n in large if n != top or not named]
    steps = np.diff(np.log(sorted(sizes[n] for n in over))) > LEVELS.same
    return over if beside >= STORIES.many or steps.sum() + 1 >= STORIES.sizes else []


def _level(box: Box, other: Box) -> bool:
    """Return whether two boxes stand beside each other."""
    shared = min(box.y1, other.y1) - max(box.y0, other.y0)
    apart = min(box.x1, other.x1) < max(box.x0, other.x0)
    return apart and shared > 0.5 * min(box.height, other.height)


def _text(block: Block) -> str:
    return " ".join(line.text for line in block.lines)


def find_joints(pages: list[Page]) -> None:
    """Mark paragraphs and items that go on from the block before them in the flow, in place.

    That is where a column or page ends, or a figure or note stands between: what came before has
    not ended, and the next begins small or a divided word goes on.
    """
    before: Block | None = None
    apart = False  # whether anything that is no text of the flow stood between
    number = -1
    for count, page in enumerate(pages):
        for block in page.blocks:
            block.goes_on = False
            if block.kind in RUNNING or block.kind in _BETWEEN:
                apart = True
                continue
            if before is not None and block.kind is BlockKind.PARAGRAPH and block.lines:
                moved = number != count or block.box.y0 < before.box.y1 or apart
                block.goes_on = bool(
                    moved
                    and before.kind in _JOINED
                    and goes_on(before.lines[-1].text, block.lines[0].text)
                )
            before, apart, number = block if block.lines else None, False, count


_BETWEEN = frozenset(
    {BlockKind.FIGURE, BlockKind.CAPTION, BlockKind.FOOTNOTE, BlockKind.MARGIN_NOTE}
)
_JOINED = frozenset({BlockKind.PARAGRAPH, BlockKind.ITEM})


def set_markers(pages: list[Page]) -> None:
    """Set the marker of each item and how deep it stands in its list, in place."""
    for page in pages:
        edges: list[float] = []  # where the items of the lists around stand, outermost first
        above: Block | None = None
        for block in page.blocks:
            if block.kind is not BlockKind.ITEM or not block.lines:
                above = None
                continue
            size = max(1.0, block.lines[0].x_height)
            if above is None or block.box.y0 < above.box.y0:  # a new list, or the next column
                edges = []
            while edges and block.box.x0 < edges[-1] - size:
                edges.pop()
            if not edges or block.box.x0 > edges[-1] + size:
                edges.append(block.box.x0)
            edges[-1] = block.box.x0  # on photographs the edge of a list drifts with its lines
            marker = marker_of(block.lines[0].text) or block.marker
            block.payload = Item(marker, len(edges) - 1)
            above = block
