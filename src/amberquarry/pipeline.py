"""One page from its picture to what is on it: the only place where the stages meet."""

from __future__ import annotations

import logging
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared, View, in_frame, prepare, turned_back, upside_down
from amberquarry.ink.bending import find_bend, straighten
from amberquarry.ink.components import Components
from amberquarry.ink.vertical import find_vertical
from amberquarry.kinds.drawings import place_drawings
from amberquarry.kinds.fields import place_fields
from amberquarry.kinds.figures import (
    drawings_of_tables,
    find_figures,
    place_figures,
    whole_photographs,
)
from amberquarry.kinds.listing import code_text
from amberquarry.kinds.numbered import join_line_numbers
from amberquarry.kinds.screens import place_screens
from amberquarry.kinds.settling import settle_kinds
from amberquarry.layout.analysis import (
    Layout,
    Text,
    analyse,
    arrange,
    find_text,
    lines_upside_down,
    whole_line,
)
from amberquarry.layout.order import reading_order
from amberquarry.reading import LineNetwork, Trial, read_lines, trial_lines, try_lines
from amberquarry.reading.characters import UNKNOWN
from amberquarry.settings import Settings
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine
from amberquarry.sheet.typography import type_size
from amberquarry.sources import PagePicture
from amberquarry.tables.placing import place_tables
from amberquarry.values import (
    LOW_CONFIDENCE,
    Bend,
    Block,
    BlockKind,
    Box,
    Finding,
    FindingCode,
    Frame,
    Line,
    Mapping,
    Page,
    PreparationStep,
    Step,
    mapped_blocks,
    mapped_line,
)

log = logging.getLogger(__name__)

_TRIAL_LINES = 4  # read each way to tell head from foot
# More lines are read where the first ones read badly, and nearly as well the other way up.
_DIM, _ALIKE, _MORE_TRIAL_LINES = 0.65, 0.25, 12
SURE = 0.88  # mean confidence at which a page is taken to stand upright without a second look
_MOST_FLATTENINGS = 2  # lines that were broken by the bend may join after the first
_BIAS = 0.08  # of that confidence, in favour of a page that stands as given
_EDGE = 0.4  # letters in which the rules of a frame lie
_SURELY_LYING = 0.75  # of letters in lines running down: from there on it says as much as reading
_LEAST_GRID = 3.0  # letters of its height and width
_SURE_TEXT = 0.7  # mean confidence from which a line parts figures
_SCALE_LETTERS = 0.7  # to a figure, in a row of figures, which may overlap and read badly
_LEAST_SURE = 3  # letters that make a reading sure
# Dots in a row; share of its line; confidence from which they are believed, as leaders are.
_ROW_OF_DOTS, _MOSTLY_DOTS, _SURE_DOTS = 5, 0.6, 0.8
_SIDES = (90, 270)  # turns that set a line upright which runs up or down the page
_SURE_VERTICAL = 0.75  # mean confidence from which a vertical line is believed
_DOUBTFUL_SHARE = (0.12, 0.95)  # of letters in lines running down: between them it says little


@dataclass(frozen=True, slots=True)
class Stages:
    """A page on its way from the picture to its lines."""

    view: View  # the part of the picture that holds it
    prepared: Prepared  # mapped back to the whole picture
    layout: Layout
    unsure: bool  # whether it may stand otherwise


def read_stages(
    picture: PagePicture, number: int, stages: Stages, network: LineNetwork, settings: Settings
) -> Page:
    """Return what is on a page that was laid out."""
    prepared, layout = stages.prepared, stages.layout
    findings = list(picture.findings)
    if stages.unsure:
        findings.append(
            Finding(
                FindingCode.ORIENTATION_UNSURE,
                "head and foot of the page look alike to the reader",
                number,
            )
        )
    height, width = picture.grey.shape
    page = Page(
        number,
        width,
        height,
        picture.dpi,
        rotation=prepared.turned,
        skew=round(prepared.skew, 2),
        findings=findings,
        to_points=picture.to_points,
        preparation=[*prepared.steps],
    )
    high, wide = prepared.grey.shape
    page.frame = Frame(wide, high, prepared.to_source)
    if prepared.turned:
        page.preparation.append(PreparationStep(Step.TURN, "it reads better so"))
    aside, cleared = _read_vertical(prepared, layout, network, settings)
    if aside:
        prepared, layout = cleared, analyse(cleared, settings.layout)
    blocks = settle_kinds(
        _read_regions(prepared, layout, network, settings),
        layout.found.rule_boxes,
        prepared.grey.shape[0],
    )
    for block in blocks:
        if block.kind is BlockKind.CODE:
            block.text = code_text(block.lines)
    blocks = drawings_of_tables(_believed(blocks + aside))
    tones = in_frame(picture.grey, prepared.to_source, (wide, high))
    for place in (place_screens, whole_photographs, place_drawings):
        blocks = place(blocks, tones)
    page.blocks = blocks
    unsupported = sum(line.unsupported_script for block in page.blocks for line in block.lines)
    if unsupported:
        findings.append(
            Finding(
                FindingCode.UNSUPPORTED_SCRIPT,
                f"{unsupported} lines in letters that the reader does not know",
                number,
            )
        )
    if page.blocks and 0 < page.confidence < LOW_CONFIDENCE:
        findings.append(
            Finding(
                FindingCode.LOW_CONFIDENCE,
                f"mean confidence of the words is {page.confidence:.2f}",
                number,
            )
        )
    return page


def _believed(blocks: list[Block]) -> list[Block]:
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
        if line.confidence >= _SURE_DOTS
        or line.text.count(".") < max(_ROW_OF_DOTS, _MOSTLY_DOTS * len(line.text))
    ]
    if len(kept) == len(block.lines):
        return [block]
    if block.kind is BlockKind.FIGURE:  # it is there without its labels too
        return [replace(block, lines=kept)]
    if not kept:
        return []
    return [replace(block, lines=kept, box=Box.around([line.box for line in kept]))]


def lay_out(view: View, network: LineNetwork, settings: Settings) -> Stages:
    """Return a view's page prepared, on its feet and laid out."""
    prepared = prepare(view.grey, settings.preparation)
    text, unsure = find_text(prepared, settings.layout), False
    if settings.preparation.find_rotation:
        prepared, text, unsure = stand_upright(view.grey, prepared, text, network, settings)
    layout = arrange(text, prepared.letter_height)
    for _ in range(_MOST_FLATTENINGS if settings.preparation.flatten else 0):
        bend = find_bend(layout.found, layout.lines, prepared.letter_height, prepared.grey.shape)
        if bend is None:
            break
        prepared = flattened(prepared, bend)
        layout = analyse(prepared, settings.layout)
    return Stages(view, view.behind(prepared), layout, unsure)


def flattened(page: Prepared, bend: Bend) -> Prepared:
    """Return a page whose lines are bent with straight ones."""
    step = PreparationStep(Step.FLATTEN, "lines are bent")
    grey = straighten(page.grey, bend)
    return replace(
        page,
        grey=grey,
        ink=straighten(255 * page.ink, bend) // 128,
        to_source=page.to_source.after(Mapping((bend,))),
        steps=page.steps if step in page.steps else (*page.steps, step),
    )


@dataclass(frozen=True, slots=True)
class _Standing:
    """A page as it may stand, and how well a few of its lines are read so."""

    prepared: Prepared
    found: Components
    text: Text | None  # None until it is wanted
    trial: Trial
    unsure: bool  # whether it could as well stand on its head


def stand_upright(
    grey: NDArray[np.uint8],
    prepared: Prepared,
    text: Text,
    network: LineNetwork,
    settings: Settings,
) -> tuple[Prepared, Text, bool]:
    """Return the page on its feet, its lines, and whether that is unsure.

    Where the places of the letters don't say which way the lines run, the page is read both ways.
    """
    chosen = _head_or_foot(prepared, text, network, settings)
    low, high = _DOUBTFUL_SHARE
    if low < prepared.running_down < high and chosen.trial.confidence < SURE:
        turned = prepare(grey, settings.preparation, lying=prepared.turned == 0)
        other = _head_or_foot(turned, find_text(turned, settings.layout), network, settings)
        log.debug("as it seems %s, turned %s", chosen.trial, other.trial)
        gain = other.trial.confidence - chosen.trial.confidence
        lying = prepared.turned != 0 and prepared.running_down < _SURELY_LYING
        # figures on their side look like letters of an unknown script
        strange = other.trial.known < chosen.trial.known - _BIAS
        if gain > (-_BIAS if lying else _BIAS) and not strange:
            chosen = other
        if abs(gain) < _BIAS:
            chosen = replace(chosen, unsure=True)
    own = chosen.text or find_text(chosen.prepared, settings.layout, chosen.found)
    return chosen.prepared, own, chosen.unsure


def _head_or_foot(
    prepared: Prepared, text: Text, network: LineNetwork, settings: Settings
) -> _Standing:
    """Return the page as it is or turned by half, whichever reads better.

    A few lines are read as they are; where that goes badly, also upside down.
    """
    letter, grey, found = prepared.letter_height, prepared.grey, text.found
    lines = trial_lines(found, text.lines, letter, _TRIAL_LINES)
    if not lines:
        return _Standing(prepared, found, text, Trial(0.0, 0.0), False)
    as_is = try_lines(grey, found, lines, network, settings.reading)
    if as_is.confidence >= SURE:
        return _Standing(prepared, found, text, as_is, False)
    turned = found.upside_down()

    def on_its_head() -> Trial:
        measured = lines_upside_down(turned, lines, letter)
        return try_lines(grey[::-1, ::-1], turned, measured, network, settings.reading)

    other = on_its_head()
    if as_is.confidence < _DIM and abs(other.confidence - as_is.confidence) < _ALIKE:
        lines = trial_lines(found, text.lines, letter, _MORE_TRIAL_LINES)
        as_is = try_lines(grey, found, lines, network, settings.reading)
        other = on_its_head()
    log.debug("upright %s, upside down %s", as_is, other)
    gain = other.confidence - as_is.confidence
    # a page whose lines run across stands upright far more often than not
    if gain > (_BIAS if prepared.turned == 0 else 0.0):
        return _Standing(upside_down(prepared), turned, None, other, gain < 0.1)
    return _Standing(prepared, found, text, as_is, prepared.turned != 0 and -gain < 0.05)


def _read_vertical(
    prepared: Prepared, layout: Layout, network: LineNetwork, settings: Settings
) -> tuple[list[Block], Prepared]:
    """Return blocks of text set vertically, and the page without them.

    Each candidate is read upwards, downwards and as it stands; it is taken where one of the first
    two is believable, and clearly better than the last.
    """
    letter = prepared.letter_height
    blocks: list[Block] = []
    grey, ink = prepared.grey, prepared.ink
    wanted = bool(letter) and settings.layout.find_vertical
    for box in find_vertical(layout.found, letter) if wanted else []:
        room = 0.4 * letter
        x0, y0 = max(0, int(box.x0 - room)), max(0, int(box.y0 - room))
        x1, y1 = int(box.x1 + room) + 1, int(box.y1 + room) + 1
        crop = prepared.grey[y0:y1, x0:x1]
        corner = Mapping.of(np.array([[1.0, 0.0, x0], [0.0, 1.0, y0]]))
        read = {turned: _read_turned(crop, turned, corner, network, settings) for turned in _SIDES}
        letters = {turned: _letters(found) for turned, found in read.items()}
        best = max(_SIDES, key=lambda turned: _surety(letters[turned]))
        sure = _surety(letters[best])
        if sure < _SURE_VERTICAL:
            continue
        # letters on their side may pass for a few others, one in a row: "D" for "m"
        as_is = _letters(_read_turned(crop, 0, corner, network, settings))
        if sure < _surety(as_is, len(letters[best])) + _BIAS:
            continue
        for block in read[best]:
            block.kind, block.level = BlockKind.LABEL, None
            block.rotation = best
        blocks += read[best]
        if grey is prepared.grey:
            grey, ink = grey.copy(), ink.copy()
        grey[y0:y1, x0:x1], ink[y0:y1, x0:x1] = 255, 0
    return blocks, replace(prepared, grey=grey, ink=ink)


def _read_turned(
    crop: NDArray[np.uint8],
    turned: int,
    to_page: Mapping,
    network: LineNetwork,
    settings: Settings,
) -> list[Block]:
    """Return what stands in a cut of a page turned by so many degrees, at its place on the page.

    to_page: from the pixels of the cut as it is.
    """
    made = prepare(
        np.ascontiguousarray(np.rot90(crop, turned // 90)), settings.preparation, lying=False
    )
    height, width = crop.shape
    on_cut = turned_back(turned, width, height).after(made.to_source)
    found = _read_regions(made, analyse(made, settings.layout), network, settings)
    read = [block for block in found if block.lines]
    return mapped_blocks(read, to_page.after(on_cut), turned=True)


def _letters(blocks: list[Block]) -> list[float]:
    """Return the confidence of each letter and figure of some blocks, and 0 for other signs."""
    return [
        float(confidence) if sign.isalnum() else 0.0
        for block in blocks
        for line in block.lines
        for sign, confidence in zip(line.text, line.character_confidences, strict=True)
        if sign != " "
    ]


def _surety(letters: list[float], least: int = 0) -> float:
    """Return how sure letters are together, where at least so many could be there."""
    return sum(letters) / max(len(letters), least, _LEAST_SURE)


def line_in(
    grey: NDArray[np.uint8], settings: Settings
) -> tuple[Prepared, Components, TextLine] | None:
    """Return the one line of a picture that was cut to it, None where there is no ink."""
    if min(grey.shape, default=0) < 3:
        return None
    prepared = prepare(grey, settings.preparation, lying=False)
    layout = analyse(prepared, settings.layout)
    if not layout.lines:
        return None
    if len(layout.lines) == 1:
        return prepared, layout.found, layout.lines[0]
    line = whole_line(layout, prepared.letter_height)  # parted by wide gaps
    return prepared, layout.found, line


def read_line_picture(
    grey: NDArray[np.uint8],
    network: LineNetwork,
    settings: Settings,
    to_source: Mapping | None = None,
) -> Line:
    """Return what stands in the picture of one line; empty without ink.

    to_source: from the picture's pixels to those in which the boxes are wanted, if not the same.
    """
    found = line_in(grey, settings)
    if found is None:
        return empty_line()
    prepared, components, line = found
    [read] = read_lines(prepared.grey, components, [line], network, settings.reading)
    if read is None:
        return empty_line()
    own = prepared.to_source
    return mapped_line(read, own if to_source is None else to_source.after(own))


def empty_line() -> Line:
    """Return a line without text, of which nothing is sure."""
    none = np.zeros(0, np.float32)
    return Line("", Box(0, 0, 0, 0), 0.0, [], none.reshape(0, 4), none)


def _read_regions(
    prepared: Prepared, layout: Layout, network: LineNetwork, settings: Settings
) -> list[Block]:
    """Return the blocks of a page with what was read in them, in the prepared page's frame."""
    lines = layout.lines
    results = read_lines(prepared.grey, layout.found, lines, network, settings.reading)
    believed: list[TextLine] = []
    scales: list[Box] = []
    for measured, line in zip(lines, results, strict=True):
        if line is not None:
            line.x_height = type_size(line.text, line.character_boxes) or measured.x_height
            if line.confidence >= _SURE_TEXT:
                believed.append(measured)
                letters = sum(map(str.isalpha, line.text))
                if letters < _SCALE_LETTERS * sum(map(str.isdigit, line.text)):
                    scales.append(measured.box)
    blocks = []
    at = 0
    for region in layout.regions:
        read = [line for line in results[at : at + len(region.lines)] if line is not None]
        at += len(region.lines)
        if read:
            box = Box.around([line.box for line in read])
            blocks.append(Block(region.kind, box, read, region.level))
    sizes = [line.x_height for block in blocks for line in block.lines]
    if not prepared.letter_height and not sizes:
        return blocks
    letter = prepared.letter_height or CAPITAL_RATIO * float(np.median(sizes))
    rules = layout.found.rule_boxes
    blocks = join_line_numbers(blocks, letter)
    blocks = place_fields(blocks, rules, layout.found.frames(_EDGE * letter), letter)
    grids = layout.found.grids(_LEAST_GRID * letter)
    blocks = place_tables(blocks, rules, grids, layout.columns, letter)
    figures = find_figures(layout.found, believed, letter, scales, layout.columns)
    if not figures:
        return blocks
    # strokes of a picture had a place in the order too, while they were taken for letters
    return reading_order(place_figures(blocks, figures), layout.columns, letter)
