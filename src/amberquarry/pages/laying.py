"""From the view of a page to its sheet: prepared, on its feet, flat, lines found."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.clock import stage
from amberquarry.imaging import Prepared, View, prepare
from amberquarry.ink.bending import find_bend, straighten
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, sheet_of
from amberquarry.ink.tones import with_tones
from amberquarry.layout.arranging import arrange
from amberquarry.pages.standing import upright
from amberquarry.pages.vertical import VERTICAL, read_vertical
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import Settings
from amberquarry.sheet.sheet import LinesFound, Sheet
from amberquarry.values import Bend, Block, Mapping, PreparationStep, Step

_MOST_FLATTENINGS = 2  # lines that were broken by the bend may join after the first


@dataclass(frozen=True, slots=True)
class Stages:
    """A page on its way from the picture to its sheet."""

    view: View  # the part of the picture that holds it
    prepared: Prepared  # mapped back to the whole picture
    ink: Ink
    sheet: Sheet
    aside: list[Block]  # text that runs up or down the page
    unsure: bool  # whether it may stand otherwise


def lay_out(
    source: NDArray[np.uint8], view: View, reader: LineReader, settings: Settings
) -> Stages:
    """Return a view's page prepared, on its feet, with its lines. source: the whole picture."""
    with stage("preparation"):
        prepared = prepare(view.grey, settings.preparation)
    with stage("ink and lines"):
        ink = ink_of(prepared)
        text, unsure = find_text(ink, prepared.letter_height, settings.layout), False
    if settings.preparation.find_rotation:
        with stage("orientation"):
            standing = upright(view.grey, prepared, ink, text, reader, settings)
        prepared, ink, unsure = standing.prepared, standing.ink, standing.unsure
        text = standing.text or text
    for _ in range(_MOST_FLATTENINGS if settings.preparation.flatten else 0):
        with stage("bending"):
            bend = _bend_of(prepared, ink, text)
            if bend is None:
                break
            prepared = flattened(prepared, bend)
            ink = ink_of(prepared)
            text = find_text(ink, prepared.letter_height, settings.layout)
    aside: list[Block] = []
    if settings.layout.find_vertical:
        with stage("vertical text"):
            aside = read_vertical(prepared, ink, reader, settings)
    if aside:
        room = VERTICAL.room * prepared.letter_height  # their marks stand that far out
        ink = ink.without([block.box.grown(room) for block in aside])
        text = find_text(ink, prepared.letter_height, settings.layout)
    prepared = view.behind(prepared)
    sheet = sheet_of(prepared, ink, text)
    with stage("tones"):
        areas = with_tones(sheet.areas, source, sheet.frame, sheet.letter)
    return Stages(view, prepared, ink, replace(sheet, areas=areas), aside, unsure)


def _bend_of(prepared: Prepared, ink: Ink, text: LinesFound) -> Bend | None:
    """Return how a page is bent, None where its lines are straight.

    Lines that false gutters tore tell it badly: where there is a bend, whole ones are asked.
    """
    shape, letter = prepared.grey.shape, prepared.letter_height
    if find_bend(ink.glyphs, [*text.lines, *text.margin], letter, shape) is None:
        return None
    lines = arrange(sheet_of(prepared, ink, text)).lines
    return find_bend(ink.glyphs, lines, letter, shape)


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
