"""Pages of files: from their text layer where it can be trusted, from ink elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray

from amberquarry.clock import stage
from amberquarry.layer.characters import Characters, characters_of
from amberquarry.layer.sheet import Turn, sheet_of_layer
from amberquarry.layer.texts import LayerTexts
from amberquarry.layer.trust import Trust, Verdict, judged, seen_on, unread_areas
from amberquarry.layout.arranging import arrange
from amberquarry.pages.compose import compose, in_places
from amberquarry.pages.pictures import keep_pictures
from amberquarry.pages.sampled import (
    SAMPLES,
    better_read,
    can_be_read,
    samples_of,
    says_the_same,
)
from amberquarry.pages.ways import read_in_ways, read_picture
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import LayerUse, Settings
from amberquarry.sources import PagePicture, Source
from amberquarry.sources.layer import PageLayer, PageLink
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Finding,
    FindingCode,
    Mapping,
    Origin,
    Page,
    at_source,
    legibility_of,
    mapped_blocks,
    mapped_box,
)

_QUARTER = 90.0
_STRAIGHT = 1.0  # degrees by which text may stand off an upright or level line


def read_page_of(
    source: Source, index: int, reader: Callable[[], LineReader], settings: Settings
) -> list[Page]:
    """Return what is on a page of a file; two pages where it shows two facing ones.

    index: of the page, from 0. reader: gives what reads ink, and is asked only where ink is read.
    Boxes are in the level frame of each page. Raises PageError.
    """
    picture = cache(partial(source.picture, index))
    pages = _pages_of(source, index, picture, reader, settings)
    if settings.output.pictures:
        keep_pictures(source, index, pages, picture)
    links = source.links(index)
    if links:
        for page in pages:
            _set_links(page, links)
    return pages


def _set_links(page: Page, links: list[PageLink]) -> None:
    """Tell the words of a page where they lead, in place."""
    if page.to_points is None:
        return
    matrix = np.array(page.to_points).reshape(3, 2).T
    to_frame = Mapping.of(matrix).inverse()
    if page.frame is not None:
        to_frame = page.frame.to_source.inverse().after(to_frame)
    areas = [(mapped_box(Box(*link.box), to_frame)[0], link.uri) for link in links]
    for word in page.words:
        x, y = word.box.middle
        word.link = next((uri for area, uri in areas if area.contains(x, y)), word.link)


def _pages_of(
    source: Source,
    index: int,
    picture: Callable[[], PagePicture],
    reader: Callable[[], LineReader],
    settings: Settings,
) -> list[Page]:
    number = index + 1
    if settings.layer.use is LayerUse.IGNORE:
        return read_picture(picture(), number, reader(), settings)
    with stage("text layer"):
        layer = source.layer(index)
    if layer is None:
        if settings.layer.use is LayerUse.ONLY:
            height, width = picture().grey.shape
            return [Page(number, width, height, picture().dpi, origin=Origin.TEXT_LAYER)]
        return read_picture(picture(), number, reader(), settings)
    characters = characters_of(layer.text)
    seen = seen_on(layer, characters)
    shown = characters.chosen(seen)
    only = settings.layer.use is LayerUse.ONLY
    verdict = Verdict(Trust.GOOD) if only else judged(layer, characters, seen, settings.layer)
    earlier = verdict.trust is Trust.EARLIER
    if earlier or verdict.trust is Trust.DOUBTFUL:
        verdict = _held_against_ink(verdict, picture(), layer, shown, reader(), settings)
    if verdict.trust is Trust.NONE:
        pages = read_picture(picture(), number, reader(), settings)
        what = f"the text layer was not used: {verdict.why}"
        pages[0].findings.append(Finding(FindingCode.TEXT_LAYER_IGNORED, what, number))
        return pages
    if not only and (earlier or verdict.partly or len(unread_areas(layer, shown))):
        sure = replace(shown, sure=verdict.sure)
        pages = _mixed(picture(), number, sure, layer, reader(), settings)
        if earlier:
            what = "the text layer tells what a picture shows, and was kept: it reads as well"
            pages[0].findings.append(Finding(FindingCode.EARLIER_READING, what, number))
        if verdict.partly:
            what = f"lines of the text layer were read from ink instead: {verdict.partly}"
            pages[0].findings.append(Finding(FindingCode.TEXT_LAYER_IGNORED, what, number))
    else:
        pages = [page_of_layer(layer, shown, number, settings)]
    hidden = int((~seen).sum())
    if hidden:
        what = f"{hidden} characters of the text layer are not seen on the page and were left out"
        pages[0].findings.append(Finding(FindingCode.HIDDEN_TEXT, what, number))
    return pages


def _held_against_ink(
    verdict: Verdict,
    picture: PagePicture,
    layer: PageLayer,
    shown: Characters,
    reader: LineReader,
    settings: Settings,
) -> Verdict:
    """Return whether a layer says what a few of its lines show.

    Letters of other scripts than the reader's can't be held against it: they are believed.
    """
    if not can_be_read(shown, reader):
        return verdict._replace(trust=Trust.GOOD)
    page = page_of_layer(layer, shown, 1, settings)
    at_source(page)
    earlier = verdict.trust is Trust.EARLIER
    count = SAMPLES.of_scan if earlier else SAMPLES.lines
    samples = samples_of(page, picture, reader, settings, count)
    if earlier:
        sure = better_read(samples)
        good, instead = sure > 0, "reading it anew is better"
    else:
        sure, good, instead = 1.0, says_the_same(samples), "lines read from ink say something else"
    if good:
        return verdict._replace(trust=Trust.GOOD, sure=sure)
    return Verdict(Trust.NONE, f"{verdict.why}, and {instead}")


def _mixed(
    picture: PagePicture,
    number: int,
    shown: Characters,
    layer: PageLayer,
    reader: LineReader,
    settings: Settings,
) -> list[Page]:
    """Return a page whose lines are found as ink, with the text of the layer where it has some."""
    scale = picture.grey.shape[1] / layer.text.width
    own = shown.moved(Mapping.of(np.array([[scale, 0.0, 0.0], [0.0, scale, 0.0]])))
    pages = [tries.best.page for tries in read_in_ways(picture, number, reader, settings, own)]
    for page in pages:
        origins = {line.origin for block in page.blocks for line in block.lines}
        page.origin = Origin.MIXED if len(origins) > 1 else next(iter(origins), Origin.SCAN)
    return pages


def page_of_layer(layer: PageLayer, shown: Characters, number: int, settings: Settings) -> Page:
    """Return a page from the characters of its text layer alone, in its level frame."""
    text = layer.text
    turned = _usual_turn(shown)
    turn = Turn(turned, text.width, text.height)
    level = turn.characters(shown.chosen(_near(shown.angle, turned)))
    with stage("ink and lines"):
        sheet = sheet_of_layer(text, level, turn, settings.layout)
    aside = _aside(layer, shown, turn, settings) if settings.layout.find_vertical else []
    page = Page(
        number,
        text.width,
        text.height,
        (layer.dpi, layer.dpi),
        rotation=turned,
        origin=Origin.TEXT_LAYER,
        blocks=compose(sheet, LayerTexts(level), aside),
        to_points=_six(text.to_points),
        frame=sheet.frame,
    )
    page.legibility = legibility_of(line for block in page.blocks for line in block.lines)
    return page


def _six(matrix: NDArray[np.float64]) -> tuple[float, float, float, float, float, float]:
    a, b, c, d, e, f = matrix.reshape(-1).tolist()
    return a, b, c, d, e, f


def _usual_turn(shown: Characters) -> int:
    """Return by how many degrees, a multiple of 90, most characters stand turned clockwise."""
    if not len(shown):
        return 0
    quarters = np.round(shown.angle / _QUARTER).astype(int) % 4
    return int(np.bincount(quarters, minlength=4).argmax()) * 90


def _near(angles: NDArray[np.float64], degrees: float) -> NDArray[np.bool_]:
    """Return which angles are about that of a line."""
    return np.asarray(np.abs((angles - degrees + 180) % 360 - 180) <= _STRAIGHT)


def _aside(layer: PageLayer, shown: Characters, turn: Turn, settings: Settings) -> list[Block]:
    """Return blocks of the text that stands turned against the rest, in the page's level frame."""
    none = np.zeros((0, 4))
    text = replace(layer.text, lines=none, drawings=none, fills=none, pictures=none)
    left = shown.chosen(~_near(shown.angle, turn.degrees))
    found: list[Block] = []
    while len(left):
        angles, counts = np.unique(left.angle, return_counts=True)
        degrees = float(angles[counts.argmax()])
        own = _near(left.angle, degrees)
        its = Turn(degrees, text.width, text.height)
        level = its.characters(left.chosen(own))
        sheet = sheet_of_layer(text, level, its, settings.layout)
        layout = arrange(sheet)
        texts = LayerTexts(level).read(layout.lines)
        blocks = [block for block in in_places(sheet, layout, texts) if block.lines]
        to_level = turn.to_source.inverse().after(its.to_source)
        relative = (degrees - turn.degrees) % 360
        for block in mapped_blocks(blocks, to_level, turned=True):
            block.kind, block.level = BlockKind.LABEL, None
            block.rotation = int(relative) if relative in (90, 180, 270) else 0
            found.append(block)
        left = left.chosen(~own)
    return found
