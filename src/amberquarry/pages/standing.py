"""Which way up a page stands: its lines are read both ways where their places don't tell."""

from __future__ import annotations

import logging
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared, prepare, upside_down
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, lines_upside_down
from amberquarry.reading.line_reader import LineReader, Trial
from amberquarry.reading.reader import trial_lines
from amberquarry.settings import Settings
from amberquarry.sheet.sheet import LinesFound

log = logging.getLogger(__name__)

SURE = 0.88  # mean confidence at which a page is taken to stand upright without a second look


@dataclass(frozen=True, slots=True)
class Upright:
    """How a page's position is decided (`benchmarks/orientation.py`); confidences from 0 to 1."""

    trial_lines: int = 4  # read each way to tell head from foot
    dim: float = 0.65  # where the first ones read worse,
    alike: float = 0.25  # and nearly as well the other way up,
    more_lines: int = 12  # so many are read
    bias: float = 0.08  # of confidence, in favour of a page that stands as given
    unsure: float = 0.1  # a gain under which a turned page may as well stand as given
    hardly: float = 0.05  # a loss under which a page that lies may as well stand on its head
    # share of letters in lines running down, between which it says little
    doubtful: tuple[float, float] = (0.12, 0.95)
    surely_lying: float = 0.75  # from that share on it says as much as reading


UPRIGHT = Upright()


@dataclass(frozen=True, slots=True)
class Standing:
    """A page as it stands, its ink and its lines."""

    prepared: Prepared
    ink: Ink
    text: LinesFound | None  # None until it is wanted
    trial: Trial
    unsure: bool  # whether it could as well stand on its head


def upright(
    grey: NDArray[np.uint8],
    prepared: Prepared,
    ink: Ink,
    text: LinesFound,
    reader: LineReader,
    settings: Settings,
) -> Standing:
    """Return the page on its feet, with its lines.

    Where the places of the letters don't say which way the lines run, the page is read both ways.
    """
    chosen = _head_or_foot(prepared, ink, text, reader, settings)
    low, high = UPRIGHT.doubtful
    if low < prepared.running_down < high and chosen.trial.confidence < SURE:
        turned = prepare(grey, settings.preparation, lying=prepared.turned == 0)
        its_ink = ink_of(turned)
        its_text = find_text(its_ink, turned.letter_height, settings.layout)
        other = _head_or_foot(turned, its_ink, its_text, reader, settings)
        log.debug("as it seems %s, turned %s", chosen.trial, other.trial)
        gain = other.trial.confidence - chosen.trial.confidence
        lying = prepared.turned != 0 and prepared.running_down < UPRIGHT.surely_lying
        # figures on their side look like letters of an unknown script
        strange = other.trial.known < chosen.trial.known - UPRIGHT.bias
        if gain > (-UPRIGHT.bias if lying else UPRIGHT.bias) and not strange:
            chosen = other
        if abs(gain) < UPRIGHT.bias:
            chosen = replace(chosen, unsure=True)
    if chosen.text is None:
        found = find_text(chosen.ink, chosen.prepared.letter_height, settings.layout)
        chosen = replace(chosen, text=found)
    return chosen


def _head_or_foot(
    prepared: Prepared, ink: Ink, text: LinesFound, reader: LineReader, settings: Settings
) -> Standing:
    """Return the page as it is or turned by half, whichever reads better.

    A few lines are read as they are; where that goes badly, also upside down.
    """
    letter, grey = prepared.letter_height, prepared.grey
    lines = trial_lines(ink, text.lines, letter, UPRIGHT.trial_lines)
    if not lines:
        return Standing(prepared, ink, text, Trial(0.0, 0.0), False)
    as_is = reader.trial(grey, ink, lines)
    if as_is.confidence >= SURE:
        return Standing(prepared, ink, text, as_is, False)
    turned = ink.upside_down()

    def on_its_head() -> Trial:
        measured = lines_upside_down(turned, lines, letter)
        return reader.trial(grey[::-1, ::-1], turned, measured)

    other = on_its_head()
    if as_is.confidence < UPRIGHT.dim and abs(other.confidence - as_is.confidence) < UPRIGHT.alike:
        lines = trial_lines(ink, text.lines, letter, UPRIGHT.more_lines)
        as_is = reader.trial(grey, ink, lines)
        other = on_its_head()
    log.debug("upright %s, upside down %s", as_is, other)
    gain = other.confidence - as_is.confidence
    # a page whose lines run across stands upright far more often than not
    if gain > (UPRIGHT.bias if prepared.turned == 0 else 0.0):
        return Standing(upside_down(prepared), turned, None, other, gain < UPRIGHT.unsure)
    unsure = prepared.turned != 0 and -gain < UPRIGHT.hardly
    return Standing(prepared, ink, text, as_is, unsure)
