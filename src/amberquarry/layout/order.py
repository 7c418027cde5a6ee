"""Reading order by recursive cuts along the white between blocks."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Protocol, TypeVar

import numpy as np

from amberquarry.values import BlockKind, Box


class Placed(Protocol):
    """What has its place on a page: a block, read or not yet."""

    kind: BlockKind
    box: Box
    headline: int


_Part = TypeVar("_Part", bound=Placed)


@dataclass(frozen=True, slots=True)
class Story:
    """Where stories begin and go on over columns; lengths in letters."""

    headed: float = 0.6  # share of columns that start with a heading, where new stories begin
    drop: float = 2.5  # that their tops lie apart, at most
    over_both: float = 8.0  # of text on both sides
    last_line: float = 4.0  # height of a text's last line
    level: float = 3.0  # by which two columns begin apart, at most
    alike: float = 0.85  # share of the one's width that the other has
    short: float = 0.7  # of its height that makes it short
    number: float = 6.0  # of the widest number of a page
    wide_gutter: float = 3.0  # of white
    runs_on: float = 5.0  # of white between two paragraphs of one column, at most
    to_gutter: float = 2.0  # from its text to its gutter, at most
    in_column: float = 1.5  # by which a block lies in a column, at least
    touching: float = 0.35  # by which one block reaches into what it stands over, at most
    centred: float = 0.03  # of its width that a title stands off the middle of the page, at most


@dataclass(frozen=True, slots=True)
class Inset:
    """A block that a column is set around; lengths in letters."""

    runs_in: float = 2.0  # by which the column reaches under it
    same_edge: float = 4.0  # by which the column's edge beside it is off
    mostly: float = 0.5  # share of it that the column stands beside


STORY, INSET = Story(), Inset()


def reading_order(regions: list[_Part], columns: list[Box], letter: float) -> list[_Part]:
    """Return blocks in the order in which a person reads them.

    Notes in the margin come after what they stand beside.
    """
    flow = [r for r in regions if r.kind is not BlockKind.MARGIN_NOTE]
    gutters = _clear_of_spanning(columns, flow, letter)
    ordered = _ordered(flow, gutters, letter)
    notes = [r for r in regions if r.kind is BlockKind.MARGIN_NOTE]
    return with_notes_beside([*ordered, *notes], letter)


def with_notes_beside(
    parts: list[_Part], letter: float, is_name: Callable[[_Part], bool] = lambda part: False
) -> list[_Part]:
    """Return the parts of a page with notes in the margin after what they begin beside.

    What is a name stands before that.
    """
    placed = [part for part in parts if part.kind is not BlockKind.MARGIN_NOTE]
    notes = [part for part in parts if part.kind is BlockKind.MARGIN_NOTE]
    for note in sorted(notes, key=lambda part: -part.box.y0):
        beside = [n for n, p in enumerate(placed) if p.box.y0 <= note.box.y0 + letter < p.box.y1]
        over = [n for n, p in enumerate(placed) if p.box.y0 <= note.box.y0]
        name = bool(beside) and is_name(note)
        placed.insert(max(beside or over or [-1]) + (0 if name else 1), note)
    return placed


def _clear_of_spanning(columns: list[Box], regions: list[_Part], letter: float) -> list[Box]:
    """Return gutters without their ends that lie within what is set over several columns.

    The white beside a short last line, of a heading or a summary, is no part of the gutter under
    it.
    """
    out = []
    for gutter in columns:
        x, top, foot = gutter.middle[0], gutter.y0, gutter.y1
        for region in regions:
            box = region.box
            heading = region.headline
            room = 0.0 if heading else STORY.over_both * letter
            if box.x0 + room < x < box.x1 - room:
                end = math.inf if heading else STORY.last_line * letter
                top = box.y1 if box.y0 <= top < box.y1 < top + end else top
                foot = box.y0 if foot - end < box.y0 < foot <= box.y1 else foot
        if foot > top:
            out.append(Box(gutter.x0, top, gutter.x1, foot))
    return out


def _ordered(regions: list[_Part], columns: list[Box], letter: float) -> list[_Part]:
    """Return blocks in order, without regard to notes in the margin.

    A page is cut upright where a column's gutter runs through all of it; else across, at white
    that no gutter passes; what can't be cut is read from the top down.
    Method: recursive cuts (Nagy and Seth 1984), led by the gutters.
    """
    if len(regions) <= 1:
        return list(regions)
    area = Box.around([region.box for region in regions])
    inside = [
        g
        for g in columns
        if g.x0 > area.x0
        and g.x1 < area.x1
        and min(g.y1, area.y1) - max(g.y0, area.y0) > 0.5 * letter
    ]
    stories = _cut_at_stories(regions, inside, letter, large=True)
    if len(stories) > 1:
        return [region for band in stories for region in _ordered(band, columns, letter)]
    upright = _cut_upright(regions, inside, area, letter)
    if upright is not None:
        return [region for part in upright for region in _ordered(part, columns, letter)]
    around = _cut_around_inset(regions, inside, area, letter, text_beside=True)
    if around is not None:
        return [region for part in around for region in _ordered(part, columns, letter)]
    beside = _cut_short_column(regions, letter)
    if beside is not None:
        return [region for part in beside for region in _ordered(part, columns, letter)]
    bands = _with_columns_whole(_cut_across(regions, inside, letter), inside, letter)
    if len(bands) == 1:
        bands = _cut_at_stories(regions, inside, letter, large=False)
    if len(bands) > 1:
        return [region for band in bands for region in _ordered(band, columns, letter)]
    around = _cut_around_inset(regions, inside, area, letter, text_beside=False)
    if around is not None:
        return [region for part in around for region in _ordered(part, columns, letter)]
    gaps = _cut_beside_figures(regions, area, letter)
    if len(gaps) > 1:
        return [region for part in gaps for region in _ordered(part, columns, letter)]
    return _from_the_top(regions, letter)


def _from_the_top(regions: list[_Part], letter: float) -> list[_Part]:
    """Return regions from the top down, each after those that stand right over it.

    Of regions beside each other the left one comes first, unless it begins a good deal lower.
    """
    left = sorted(regions, key=lambda region: (region.box.y0 + 0.2 * region.box.x0, region.box.x0))
    boxes = np.array([region.box for region in left])
    x0, y0, x1, y1 = boxes.T
    over = (y1[:, None] < y0 + STORY.touching * letter) & (y0[:, None] < y0)
    over &= np.minimum(x1[:, None], x1) > np.maximum(x0[:, None], x0)
    waiting = np.ones(len(left), bool)
    out = []
    for _ in left:
        free = waiting & ~over[waiting].any(0)
        first = int(np.flatnonzero(free)[0])
        waiting[first] = False
        out.append(left[first])
    return out


def _cut_upright(
    regions: list[_Part], gutters: list[Box], area: Box, letter: float
) -> list[list[_Part]] | None:
    """Return left and right part where a gutter runs along most of the area and nothing crosses."""
    best: tuple[float, list[_Part], list[_Part]] | None = None
    for gutter in gutters:
        # where a column is short the white beside it is wide: the next one begins at its end
        width = min(gutter.width, STORY.wide_gutter * letter)
        x = gutter.x1 - width / 2
        left = [r for r in regions if r.box.middle[0] < x]
        right = [r for r in regions if r.box.middle[0] >= x]
        if not left or not right:
            continue
        slack = 0.25 * width + 0.8 * letter  # a mark may lie in the gutter
        across = [r for r in left if r.box.x1 > x + slack]
        across += [r for r in right if r.box.x0 < x - slack]
        # what the gutter runs into is two lines joined by mistake, not a heading over both columns
        if any(r.headline or _shared_height(r.box, gutter) < 0.5 * r.box.height for r in across):
            continue
        if _title_over(left, right, area, gutters) or _title_over(right, left, area, gutters):
            continue
        length = min(gutter.y1, area.y1) - max(gutter.y0, area.y0)
        shared = min(max(r.box.y1 for r in left), max(r.box.y1 for r in right)) - max(
            min(r.box.y0 for r in left), min(r.box.y0 for r in right)
        )
        if length < 0.5 * shared or shared <= 0:
            continue
        if best is None or length > best[0]:
            best = (length, left, right)
    return [best[1], best[2]] if best else None


def _title_over(part: list[_Part], other: list[_Part], area: Box, gutters: list[Box]) -> bool:
    """Return whether what is set over several columns of one part stands over all of both.

    The title of a page of many columns may be narrower than all of them: it is set to the middle.
    """
    top = min(region.box.y0 for region in other)
    over = [region.box for region in part if region.box.y1 < top]
    if not over or len(over) == len(part):
        return False
    foot = max(box.y1 for box in over)
    if any(region.box.y0 < foot for region in part if region.box.y1 >= top):
        return False
    return any(
        abs(box.middle[0] - area.middle[0]) < STORY.centred * area.width
        and any(box.x0 < g.middle[0] < box.x1 and g.y0 > box.middle[1] for g in gutters)
        for box in over
    )


def _cut_short_column(regions: list[_Part], letter: float) -> list[list[_Part]] | None:
    """Return left and right part where text ends early in the second of two columns.

    The columns are as wide, and begin level; nothing stands under the short one but, in the last
    row, the number of the page.
    """
    low = max(region.box.y1 for region in regions)
    flow = [r for r in regions if r.box.y1 < low or r.box.width > STORY.number * letter]
    parts = _parts_by_white(flow, _sides, 0.5 * letter) if flow else []
    if len(parts) != 2:
        return None
    left, right = (Box.around([region.box for region in part]) for part in parts)
    if (
        abs(left.y0 - right.y0) > STORY.level * letter
        or not STORY.alike * left.width < right.width < left.width / STORY.alike
        or right.height > STORY.short * left.height
        or any(region.kind is not BlockKind.PARAGRAPH or region.headline for region in parts[1])
    ):
        return None
    return [*parts, [region for region in regions if region not in flow]]


def _cut_around_inset(
    regions: list[_Part], gutters: list[Box], area: Box, letter: float, text_beside: bool
) -> list[list[_Part]] | None:
    """Return inset, left and right part where only an inset is in the way of an upright cut.

    What is set into the upper half of two columns, such as a summary, is read before them, what
    stands lower after them. A figure may be larger than the text in the columns.
    text_beside: only what text stands beside, which goes on over or under it.
    """
    for gutter, height in sorted(_in_line(gutters), key=lambda part: -part[1]):
        x = gutter.middle[0]
        inset = [r for r in regions if r.box.x0 < x - letter and r.box.x1 > x + letter]
        rest = [r for r in regions if r not in inset]
        if not inset or height < 0.4 * area.height:
            continue
        if text_beside and not all(_runs_past(r.box, rest, letter) for r in inset):
            continue
        covered = sum(r.box.area for r in inset if r.kind is not BlockKind.FIGURE)
        parts = _cut_upright(rest, [gutter], area, letter)
        if parts is None or covered > 0.25 * sum(r.box.area for r in rest):
            continue
        upper = min(r.box.y0 for r in inset) < area.middle[1]
        return [inset, *parts] if upper else [*parts, inset]
    return None


def _cut_beside_figures(regions: list[_Part], area: Box, letter: float) -> list[list[_Part]]:
    """Return parts with white between them from left to right, over which figures may stand.

    Such figures come before them, or after them where they stand low.
    """
    flow = [region for region in regions if region.kind is not BlockKind.FIGURE]
    parts = _parts_by_white(flow or regions, _sides, 0.5 * letter)
    if not flow or len(parts) < 2:
        return _parts_by_white(regions, _sides, 0.5 * letter)
    over: list[list[_Part]] = []
    under: list[list[_Part]] = []
    areas = [Box.around([region.box for region in part]) for part in parts]
    for figure in [region for region in regions if region.kind is BlockKind.FIGURE]:
        beneath = [n for n, own in enumerate(areas) if _shared_width(own, figure.box) > 0]
        if len(beneath) == 1:
            parts[beneath[0]].append(figure)
        else:
            (over if figure.box.middle[1] < area.middle[1] else under).append([figure])
    return [*over, *parts, *under]


def _runs_past(inset: Box, regions: list[_Part], letter: float) -> bool:
    """Return whether a column runs past most of an inset, set narrower beside it.

    A headline over several columns may have others beside it, but none that goes on under it.
    """
    boxes = [region.box for region in regions if not region.headline]
    into = [box for box in boxes if _shared_width(box, inset) > INSET.runs_in * letter]
    covered, foot = 0.0, inset.y0
    for box in sorted(boxes, key=lambda box: box.y0):
        if _shared_height(box, inset) <= 0:
            continue
        right = box.middle[0] > inset.middle[0]
        edge = box.x1 if right else box.x0
        if any(abs((o.x1 if right else o.x0) - edge) < INSET.same_edge * letter for o in into):
            covered += max(0.0, min(box.y1, inset.y1) - max(box.y0, foot))
            foot = max(foot, box.y1)
    return covered > INSET.mostly * inset.height


def _shared_width(box: Box, other: Box) -> float:
    return min(box.x1, other.x1) - max(box.x0, other.x0)


def _in_line(gutters: list[Box]) -> list[tuple[Box, float]]:
    """Return gutters with those joined that go on in one line, over and under an inset.

    Also returns for each how many pixels of its height are gutter.
    """
    out = []
    for gutter in gutters:
        x = gutter.middle[0]
        parts = sorted((g.y0, g.y1) for g in gutters if g.x0 <= x <= g.x1)
        height, foot = 0.0, -math.inf
        for y0, y1 in parts:
            height += max(0.0, y1 - max(y0, foot))
            foot = max(foot, y1)
        out.append((Box(gutter.x0, parts[0][0], gutter.x1, foot), height))
    return out


def _shared_height(box: Box, other: Box) -> float:
    return min(box.y1, other.y1) - max(box.y0, other.y0)


def _cut_across(regions: list[_Part], gutters: list[Box], letter: float) -> list[list[_Part]]:
    """Return bands from top to bottom, cut at white that no gutter passes through."""
    joined: list[list[_Part]] = []
    for band in _bands(regions, letter):
        if joined and _passing(joined[-1], band, gutters, letter):
            joined[-1].extend(band)
        else:
            joined.append(band)
    return joined


def _with_columns_whole(
    bands: list[list[_Part]], gutters: list[Box], letter: float
) -> list[list[_Part]]:
    """Return bands with those joined that one column runs through, on beside a shorter one."""
    joined = [bands[0]]
    for band in bands[1:]:
        both = [*joined[-1], *band]
        first = min(band, key=lambda region: region.box.y0)
        over = [
            region
            for region in joined[-1]
            if min(region.box.x1, first.box.x1) > max(region.box.x0, first.box.x0)
        ]
        near = bool(over) and first.box.y0 - max(r.box.y1 for r in over) < STORY.runs_on * letter
        # what stands over the whole page, such as a salutation, ends anywhere
        edge = max(region.box.x1 for region in band)
        filled = any(abs(edge - g.x0) < STORY.to_gutter * letter for g in gutters)
        filled |= all(region.headline for region in band)
        area = Box.around([region.box for region in both])
        whole = near and filled and len(bands) > 2
        if whole and _cut_upright(both, gutters, area, letter) is not None:
            joined[-1] = both
        else:
            joined.append(band)
    return joined


def _cut_at_stories(
    regions: list[_Part], gutters: list[Box], letter: float, large: bool
) -> list[list[_Part]]:
    """Return bands from top to bottom, cut where a row of stories begins under headings.

    large: only under headings in type much larger than the text.
    """
    joined: list[list[_Part]] = []
    for band in _bands(regions, letter):
        passed = _passing(joined[-1], band, gutters, letter) if joined else []
        if joined and not (passed and _begins_stories(joined[-1], band, passed, letter, large)):
            joined[-1].extend(band)
        else:
            joined.append(band)
    return joined


def _bands(regions: list[_Part], letter: float) -> list[list[_Part]]:
    """Return regions from top to bottom, parted by white."""
    return _parts_by_white(regions, lambda box: (box.y0, box.y1), -0.35 * letter)


def _passing(
    above: list[_Part], below: list[_Part], gutters: list[Box], letter: float
) -> list[Box]:
    """Return the gutters that pass from one band to the next."""
    ends = (max(r.box.y1 for r in above), min(r.box.y0 for r in below))
    low, high = min(ends), max(ends)
    return [g for g in gutters if g.y0 < low - 1.2 * letter and g.y1 > high + 1.2 * letter]


def _begins_stories(
    above: list[_Part], band: list[_Part], gutters: list[Box], letter: float, large: bool
) -> bool:
    """Return whether new stories begin in a band: most of its columns start with a heading.

    above: the band over it, which must not end with a part of the same headings. gutters: those
    that pass from one band to the other; they part its columns. large: only headings in type much
    larger than the text count. A mark at the end of a line heads none.
    """
    start = min(region.box.y0 for region in band)
    over = [r for r in above if r.headline and r.box.y1 > start - 2 * letter]
    edges = [-math.inf, *sorted({g.middle[0] for g in gutters}), math.inf]
    columns = [
        [r for r in band if min(r.box.x1, right) - max(r.box.x0, left) > STORY.in_column * letter]
        for left, right in pairwise(edges)
    ]
    filled = [column for column in columns if column]
    ordered = [sorted(column, key=lambda region: region.box.y0) for column in filled]
    first = [(column[0], column[1:]) for column in ordered]
    lowest = 2 if len(filled) > 2 else 1  # two sections may begin side by side by chance
    headed = [
        region.headline > 0
        and (not large or (region.headline or 3) <= lowest)
        and region.box.y0 < start + STORY.drop * letter
        and not any(min(r.box.x1, region.box.x1) > max(r.box.x0, region.box.x0) for r in over)
        and not any(_ends_line(region, r) for r in beside)
        for region, beside in first
    ]
    return len(filled) > 1 and headed[0] and sum(headed) >= STORY.headed * len(headed)


def _ends_line(region: _Part, other: _Part) -> bool:
    """Return whether a region is a mark at the end of another's line."""
    box, before = region.box, other.box
    level = _shared_height(box, before) > 0.5 * box.height
    return level and before.x0 < box.x0 and before.width > box.width


def _sides(box: Box) -> tuple[float, float]:
    return box.x0, box.x1


def _parts_by_white(
    regions: list[_Part], extent: Callable[[Box], tuple[float, float]], least: float
) -> list[list[_Part]]:
    """Return regions in groups parted by at least `least` pixels of white along one axis."""
    ordered = sorted(regions, key=lambda region: extent(region.box))
    parts = [[ordered[0]]]
    end = extent(ordered[0].box)[1]
    for region in ordered[1:]:
        start, stop = extent(region.box)
        if start - end > least:
            parts.append([region])
        else:
            parts[-1].append(region)
        end = max(end, stop)
    return parts
