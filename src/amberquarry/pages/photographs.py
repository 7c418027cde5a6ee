"""Photographs with text on parts of them: boards, signs, covers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from amberquarry.ink.scene import SceneLine, find_scene_lines, group_boards
from amberquarry.pages.lines import read_line_picture
from amberquarry.pages.standing import SURE
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import Settings
from amberquarry.sources import PagePicture
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Finding,
    FindingCode,
    Line,
    Page,
    PreparationStep,
    Step,
    mapped_blocks,
)


@dataclass(frozen=True, slots=True)
class Paper:
    """What tells a photograph from a page; shares of the picture, confidences from 0 to 1."""

    on_paper: float = 0.93  # plain paper, at least, of a page
    bare: float = 0.85  # of a page in another script, which leaves and stones look like
    many_words: int = 150  # which only a page holds
    other_script: float = 0.9  # of the lines of such a page
    rows: int = 5  # lines of it at least: bars and leaves make few
    few_letters: float = 4.0  # right ones expected in words: with less it holds no text,
    few_of_all: float = 0.1  # or with less of all letters
    # On 16 photographs of boards 1.3 and more, or the page reads as well; on three pages at
    # most 1.15 (`benchmarks/scenes.py`, boards).
    clearly: float = 1.3  # times more letters boards must give,
    as_much: float = 0.95  # or so many where less
    some: float = 0.7  # of the picture than that is paper
    sure_word: float = 0.8  # of words that count for that
    lone_sign: float = 2.0  # letters that a photograph without text may show by chance
    doubtful: float = 0.8  # of what may be marks on a photograph with ground as even as paper


@dataclass(frozen=True, slots=True)
class SceneText:
    """What is believed to be text in a photograph (`benchmarks/scenes.py`, boards, textless)."""

    mostly: float = 0.5  # of a page's letters are in sure words: then doubtful lines are leaves
    likely: float = 0.6  # confidence of lines that are text, beside leaves and bricks
    sure: float = 0.7
    least_letters: int = 2
    short: int = 3  # letters of a line that must be surer: bricks give such
    sure_short: float = 0.9
    sure_line: float = 0.99  # needs no other leaning
    leans: tuple[float, float] = (0.25, -0.25)  # of letters seen from aside, right per pixel up


PAPER, SCENE = Paper(), SceneText()


def has_few_words(page: Page) -> bool:
    """Return whether a page holds few words."""
    return sum(1 for _ in page.words) < PAPER.many_words


def is_photograph(page: Page, paper: Callable[[], float]) -> bool:
    """Return whether a page may be a photograph: read badly or of few words, and not on paper.

    paper: gives the share of the picture that is plain paper.
    """
    if page.confidence >= SURE and not has_few_words(page):
        return False
    # letters of another script are taken for such, but so are leaves and stones
    most = PAPER.bare if in_other_script(page) else PAPER.on_paper
    return paper() < most


def in_other_script(page: Page) -> bool:
    """Return whether nearly all of a page is in letters that the reader does not know."""
    unknown = [line.unsupported_script for block in page.blocks for line in block.lines]
    return len(unknown) >= PAPER.rows and float(np.mean(unknown)) > PAPER.other_script


def without_marks_of_pictures(page: Page) -> Page:
    """Return a photograph's page without lines that are hardly text, where most of it is.

    Leaves and bricks beside boards look like such lines; on a page that reads badly throughout they
    are its text.
    """
    letters = sum(sign.isalnum() for word in page.words for sign in word.text)
    if letters_in_words(page, PAPER.sure_word) < SCENE.mostly * letters:
        return page
    blocks = []
    for block in page.blocks:
        kept = [
            line
            for line in block.lines
            if line.confidence >= SCENE.likely and any(map(str.isalnum, line.text))
        ]
        if kept or not block.lines:
            box = Box.around([line.box for line in kept]) if kept else block.box
            blocks.append(replace(block, lines=kept, box=box))
    return replace(page, blocks=blocks)


def with_words_on_pictures(page: Page, scene: Page) -> Page:
    """Return a page with the words that stand on its pictures, as those of a cover do.

    scene: the same picture, read as a photograph with text on parts of it.
    """
    boards = scene.blocks
    if page.frame is not None:
        boards = mapped_blocks(boards, page.frame.to_source.inverse())
    placed = [line.box for block in page.blocks for line in block.lines]
    blocks: list[Block] = []
    for block in page.blocks:
        blocks.append(block)
        if block.kind is not BlockKind.FIGURE:
            continue
        for board in boards:
            lines = [
                line
                for line in board.lines
                if block.box.contains(*line.box.middle)
                and line.confidence >= PAPER.sure_word
                and sum(map(str.isalnum, line.text)) >= SCENE.short
                and not any(line.box.overlap(other) > 0 for other in placed)
            ]
            if lines:
                blocks.append(board.part(BlockKind.PARAGRAPH, lines))
                placed += [line.box for line in lines]
    return replace(page, blocks=blocks)


def letters_in_words(page: Page, least: float = 0.0) -> float:
    """Return how many letters are expected to be right in words that are no lone marks.

    least: confidence of words that count.
    """
    return sum(
        len(word.text) * word.confidence
        for word in page.words
        if word.confidence >= least and sum(map(str.isalnum, word.text)) >= SCENE.least_letters
    )


def holds_no_text(page: Page) -> bool:
    """Return whether next to nothing that was read on a photograph is believable."""
    letters = sum(len(word.text) for word in page.words)
    least = max(PAPER.few_letters, PAPER.few_of_all * letters)
    return letters_in_words(page, least=0.5) < least


def without_text(page: Page) -> Page:
    """Return a photograph's page without what was taken for text on it."""
    found = sum(1 for _ in page.words)
    finding = Finding(
        FindingCode.NO_RELIABLE_TEXT,
        f"a picture in which {found} marks look like words, none of them believable",
        page.number,
    )
    kept = [block for block in page.blocks if not block.lines]
    if found and not any(block.kind is BlockKind.FIGURE for block in kept):
        kept.append(Block(BlockKind.FIGURE, Box(0, 0, page.width, page.height)))
    of_text = (
        FindingCode.LOW_CONFIDENCE,
        FindingCode.UNSUPPORTED_SCRIPT,
        FindingCode.ORIENTATION_UNSURE,
    )
    others = [other for other in page.findings if other.code not in of_text]
    return replace(page, blocks=kept, findings=[*others, finding] if found else others)


def _read_scene_line(seen: SceneLine, reader: LineReader, settings: Settings) -> Line:
    """Return what stands in a line of a photograph, its letters set upright if that helps.

    Seen from aside, letters lean; what reads surely as it is, is left so.
    """
    best = read_line_picture(seen.grey, reader, settings, seen.to_source)
    for lean in SCENE.leans:
        if best.confidence >= SCENE.sure_line:
            break
        other = seen.sheared(lean)
        line = read_line_picture(other.grey, reader, settings, other.to_source)
        if line.confidence > best.confidence and len(line.text) >= 0.8 * len(best.text):
            best = line
    return best


def read_scene(picture: PagePicture, number: int, reader: LineReader, settings: Settings) -> Page:
    """Return the text on boards and signs of a photograph, a block for each board."""
    lines = []
    for seen in find_scene_lines(picture.grey):
        line = _read_scene_line(seen, reader, settings)
        letters = sum(sign.isalnum() for sign in line.text)
        sure = SCENE.sure_short if letters <= SCENE.short else SCENE.sure
        if letters >= SCENE.least_letters and line.confidence >= sure:
            lines.append(line)
    blocks = (
        [
            Block(
                BlockKind.PARAGRAPH,
                Box.around([lines[n].box for n in board]),
                [lines[n] for n in board],
            )
            for board in group_boards([line.box for line in lines])
        ]
        if lines
        else []
    )
    height, width = picture.grey.shape
    return Page(
        number,
        width,
        height,
        picture.dpi,
        blocks=blocks,
        findings=[*picture.findings],
        to_points=picture.to_points,
        preparation=[PreparationStep(Step.SCENE, "a photograph with text on parts of it")],
    )
