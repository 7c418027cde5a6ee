"""Lines of a text layer, a few of them, held against the same lines read from ink."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from rapidfuzz.distance import Indel

from amberquarry.layer.characters import Characters
from amberquarry.pages.lines import read_line_picture
from amberquarry.reading.languages import identify, load_prior, words_of
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import Settings
from amberquarry.sources import PagePicture
from amberquarry.values import Box, Line, Page


@dataclass(frozen=True, slots=True)
class Samples:
    """Lines of a doubtful layer that are read from ink, to hold it against them."""

    lines: int = 5
    of_scan: int = 10  # of the layer of an earlier reading
    shortest: int = 12  # letters
    longest: int = 110
    known: float = 0.7  # of the layer's letters, that the reader knows
    alike: float = 0.75  # similarity of the texts, the median line
    same_scan: float = 0.85  # the same of an earlier reading, of all lines together
    sure: float = 0.8  # mean confidence of words that no list knows: ours are right then
    words: int = 3  # of a line, at least, that two readings are compared by
    word: float = 5.0  # letters of a usual word
    best: float = 0.8  # of such lines, those that are most alike
    room: float = 0.25  # of a line's height, that is cut around it


SAMPLES = Samples()


class Sample(NamedTuple):
    """One line, as the layer has it and as it was read."""

    told: Line
    read: Line

    @property
    def alike(self) -> float:
        """How alike both are, from 0 to 1; white and case don't count."""
        return Indel.normalized_similarity(_letters(self.read.text), _letters(self.told.text))


def can_be_read(characters: Characters, reader: LineReader) -> bool:
    """Return whether the reader knows the letters of a layer; else nothing can be held to it."""
    signs = reader.alphabet.class_of
    known = [letter in signs for letter in characters.letters.tolist()]
    return bool(known) and float(np.mean(known)) >= SAMPLES.known


def samples_of(
    page: Page, picture: PagePicture, reader: LineReader, settings: Settings, count: int
) -> list[Sample]:
    """Return some lines of a page that was taken from its layer, read from its picture as well.

    page: with its boxes in its source's pixels, which may be others than the picture's.
    """
    lines = [
        line
        for block in page.blocks
        for line in block.lines
        if line.quad is None and SAMPLES.shortest <= len(line.text) <= SAMPLES.longest
    ]
    step = max(1, len(lines) // count)
    scale = picture.grey.shape[1] / page.width
    found = []
    for line in lines[::step][:count]:
        room = SAMPLES.room * line.box.height
        x0, y0, x1, y1 = (scale * edge for edge in line.box.grown(room))
        cut = picture.part(Box(x0, y0 + room * scale / 2, x1, y1 - room * scale / 2))
        found.append(Sample(line, read_line_picture(cut.grey, reader, settings)))
    return found


def says_the_same(samples: list[Sample]) -> bool:
    """Return whether a layer says what its lines show, faults of reading aside."""
    return not samples or float(np.median([own.alike for own in samples])) >= SAMPLES.alike


def better_read(samples: list[Sample]) -> float:
    """Return how likely a letter of an earlier reading is right, 0 where ours is better.

    Where both differ, the one is better of whose words more are listed in the language; where
    lists don't tell, ours are, if they were surely read. The lines that are least alike are left
    out: they may have been cut badly.
    """
    prose = [own for own in samples if len(words_of(own.told.text)) >= SAMPLES.words]
    prose = sorted(prose, key=lambda own: -own.alike)[: math.ceil(SAMPLES.best * len(prose))]
    texts = " ".join(own.told.text for own in prose)
    if not prose or np.mean([own.alike for own in prose]) < SAMPLES.same_scan:
        return 0.0
    language = identify(texts)
    listed = load_prior(language).words if language else frozenset()
    told, read = [], []
    for own in prose:
        for theirs, ours in _differing(own):
            told += [word in listed for word in theirs]
            read += [(word in listed, confidence) for word, confidence in ours]
    right, wrong = sum(told), sum(known for known, _ in read)
    if wrong > right:
        return 0.0
    if wrong == right and read and np.mean([own for _, own in read]) >= SAMPLES.sure:
        return 0.0
    of_words = 1 - (len(told) - right) / len(words_of(texts))
    return float(of_words ** (1 / SAMPLES.word))


def _differing(sample: Sample) -> Iterator[tuple[list[str], list[tuple[str, float]]]]:
    """Yield the words in which both differ, as told, and as read with their confidences."""
    told = [word for own in sample.told.words for word in words_of(own.text)]
    read = [(word, own.confidence) for own in sample.read.words for word in words_of(own.text)]
    for step in Indel.opcodes(told, [word for word, _ in read]):
        if step.tag != "equal":
            yield told[step.src_start : step.src_end], read[step.dest_start : step.dest_end]


def _letters(text: str) -> str:
    return "".join(text.split()).casefold()
