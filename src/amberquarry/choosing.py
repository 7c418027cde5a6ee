"""What is on a picture's pages: of the ways to prepare and read each, the one that reads best."""

from __future__ import annotations

import logging
from dataclasses import replace

import numpy as np

from amberquarry.imaging import View, cut_out, encoded, is_bilevel, paper_share, views_of
from amberquarry.ink.scene import SceneLine, find_scene_lines, group_boards
from amberquarry.pipeline import (
    SURE,
    Stages,
    lay_out,
    read_line_picture,
    read_stages,
)
from amberquarry.reading import LineNetwork
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
    Picture,
    PreparationStep,
    Step,
    box_at_source,
    legibility_of,
    mapped_blocks,
)

log = logging.getLogger(__name__)

# Other ways to prepare a page that reads badly, those first that helped most pages.
_ALTERNATIVES: tuple[tuple[str, dict[str, float]], ...] = (
    ("paler strokes are left out", {"preparation.ink_threshold": 0.55}),
    ("paler strokes are taken in", {"preparation.ink_threshold": 0.3}),
    ("grain is smoothed", {"preparation.smoothing_px": 1.0}),
)
_LEAST_GAIN = 1.01
_BELIEVABLE = 0.7  # of the characters that another reading has more are right
# A photograph: less of it is plain paper, and it holds fewer words than a page does.
_ON_PAPER, _BARE, _MANY_WORDS = 0.93, 0.85, 150
# Of a page's lines, and how many there are at least: bars and leaves make few rows.
_IN_OTHER_SCRIPT, _ROWS = 0.9, 5
# Letters expected right in sure words, and their share of all: with less, a photograph is taken to
# hold no text.
_FEW_LETTERS, _FEW_OF_ALL = 4.0, 0.1
# Confidence of words that count for boards or page; how many times more letters boards must give.
# On 16 photographs of boards 1.3 and more, or the page reads as well; on three pages at most 1.15.
_SURE_WORD, _CLEARLY = 0.8, 1.3
_LONE_SIGN = 2.0  # letters that a photograph without text may show by chance
_SOME_PAPER, _AS_MUCH = 0.7, 0.95  # of the picture; where less of it is even, so much is enough
_MOSTLY = 0.5  # of a page's letters
_LIKELY = 0.6  # confidence of lines that are text, beside leaves and bricks
_DOUBTFUL = 0.8  # of what may be marks on a photograph whose dark ground is as even as paper
_SURE_SCENE, _LEAST_SCENE_LETTERS = 0.7, 2  # of a line in a photograph
_SHORT_SCENE, _SURE_SHORT_SCENE = 3, 0.9  # letters of one that must be surer: bricks give such
_LEANS = (0.25, -0.25)  # of letters seen from aside, right for each pixel up
_ROOM_PX = 6  # around what is cut out of a page
_SURE_LINE = 0.99


def read_picture(
    picture: PagePicture,
    number: int,
    network: LineNetwork,
    settings: Settings,
) -> list[Page]:
    """Return what is on a page, or on both pages where the picture holds two facing ones.

    number: of the picture's page in its file, from 1. Boxes are in pixels of the picture as given.
    A page without text gives no blocks with words.
    """
    return [page for page, _ in read_in_steps(picture, number, network, settings)]


def read_in_steps(
    picture: PagePicture, number: int, network: LineNetwork, settings: Settings
) -> list[tuple[Page, Stages]]:
    """Return what `read_picture` does, each page with how it came there."""
    views = views_of(picture.grey, settings.preparation, picture.colours)
    if len(views) > 1:  # halves of a book are no photographs of signs
        settings = settings.with_values({"preparation.find_scene_text": False})
    read = [_read_best(picture, number, view, network, settings) for view in views]
    for page, _ in read:
        page.legibility = legibility_of(line for block in page.blocks for line in block.lines)
    if settings.output.pictures:
        _cut_pictures(picture, [page for page, _ in read])
    return read


def _cut_pictures(picture: PagePicture, pages: list[Page]) -> None:
    """Give figures and equations on the pages of one picture their own, in place."""
    pixels = picture.grey if picture.colours is None else picture.colours
    count = 0
    for page in pages:
        for block in page.blocks:
            if block.kind not in (BlockKind.FIGURE, BlockKind.EQUATION):
                continue
            box = box_at_source(block.box, page)
            room = (box.x0 - _ROOM_PX, box.y0 - _ROOM_PX, box.x1 + _ROOM_PX, box.y1 + _ROOM_PX)
            cut = cut_out(pixels, room, page.rotation)
            if cut.size:
                count += 1
                ending, data = encoded(cut)
                block.picture = Picture(f"p{page.source_page}-{count}.{ending}", data)


def _read_best(
    picture: PagePicture, number: int, view: View, network: LineNetwork, settings: Settings
) -> tuple[Page, Stages]:
    """Return what is on a view's page, prepared in the way that reads best.

    A page that reads badly is prepared and read in other ways as well; the one counts in which
    most characters are right, as far as the confidences tell.
    """

    def read(settings: Settings) -> tuple[Page, Stages]:
        stages = lay_out(view, network, settings)
        return read_stages(picture, number, stages, network, settings), stages

    page, stages = read(settings)
    done = {step.step for step in page.preparation}
    if Step.FLATTEN in done and settings.preparation.alternatives:
        # reading follows lines that are bent a little, and straightening may go wrong
        bent, its_stages = read(settings.with_values({"preparation.flatten": False}))
        if _right_characters(bent) > _right_characters(page):
            page, stages = bent, its_stages
            page.preparation.append(
                PreparationStep(Step.CHOOSE, "bent lines read better as they are")
            )
    if Step.BLEED in done and settings.preparation.alternatives:
        whole, its_stages = read(settings.with_values({"preparation.lift_bleed": False}))
        if _lost_text(page, whole):
            page, stages = whole, its_stages
            page.preparation.append(PreparationStep(Step.CHOOSE, "the pale print is text"))
    # a scan in black and white is none of a scene
    scenes = settings.preparation.find_scene_text and not is_bilevel(view.grey)
    photograph = scenes and _is_photograph(page, view)
    if photograph:
        scene = _read_scene(picture, number, network, settings)
        if _says_more(scene, page, view):
            return scene, stages
        letters = _characters(page)
        if _letters_in_words(page, least=0.5) < max(_FEW_LETTERS, _FEW_OF_ALL * letters):
            return _without_text(page), stages
        page = _with_words_on_pictures(page, scene)
    first, chosen = page.confidence, ""
    if not 0 < first < settings.preparation.try_below or _in_other_script(page):
        return page, stages
    for why, changes in _ALTERNATIVES[: settings.preparation.alternatives]:
        other, its_stages = read(settings.with_values(changes))
        log.debug("page %d, %s: %.2f for %.2f", number, why, other.confidence, page.confidence)
        if _right_characters(other) > _LEAST_GAIN * _right_characters(page):
            page, stages, chosen = other, its_stages, why
    if chosen:
        gain = f"{chosen}: read at {page.confidence:.2f} instead of {first:.2f}"
        page.preparation.append(PreparationStep(Step.CHOOSE, gain))
    if scenes and not photograph and page.confidence < _DOUBTFUL and _has_few_words(page):
        photograph = True
        scene = _read_scene(picture, number, network, settings)
        if _says_more(scene, page, view):
            return scene, stages
    return (_without_marks_of_pictures(page) if photograph else page), stages


def _has_few_words(page: Page) -> bool:
    return sum(1 for _ in page.words) < _MANY_WORDS


def _is_photograph(page: Page, view: View) -> bool:
    """Return whether a page may be a photograph: read badly or of few words, and not on paper."""
    if page.confidence >= SURE and not _has_few_words(page):
        return False
    # letters of another script are taken for such, but so are leaves and stones
    most = _BARE if _in_other_script(page) else _ON_PAPER
    return paper_share(view.grey) < most


def _in_other_script(page: Page) -> bool:
    unknown = [line.unsupported_script for block in page.blocks for line in block.lines]
    return len(unknown) >= _ROWS and float(np.mean(unknown)) > _IN_OTHER_SCRIPT


def _says_more(scene: Page, page: Page, view: View) -> bool:
    """Return whether clearly more was read off boards and signs than off the whole as a page.

    Made for photographs of boards, which read in fragments or not at all as a page. Pages of wide
    capitals, of unknown faces and blurred ones are read in fragments as a scene: what is read there
    with some certainty must be a good deal more, unless next to nothing of the picture is paper.
    """
    least = _CLEARLY if paper_share(view.grey) >= _SOME_PAPER else _AS_MUCH
    found = _letters_in_words(scene, _SURE_WORD)
    return found > max(_LONE_SIGN, least * _letters_in_words(page, _SURE_WORD))


def _without_marks_of_pictures(page: Page) -> Page:
    """Return a photograph's page without lines that are hardly text, where most of it is.

    Leaves and bricks beside boards look like such lines; on a page that reads badly throughout they
    are its text.
    """
    letters = sum(sign.isalnum() for word in page.words for sign in word.text)
    if _letters_in_words(page, _SURE_WORD) < _MOSTLY * letters:
        return page
    blocks = []
    for block in page.blocks:
        kept = [
            line
            for line in block.lines
            if line.confidence >= _LIKELY and any(map(str.isalnum, line.text))
        ]
        if kept or not block.lines:
            box = Box.around([line.box for line in kept]) if kept else block.box
            blocks.append(replace(block, lines=kept, box=box))
    return replace(page, blocks=blocks)


def _with_words_on_pictures(page: Page, scene: Page) -> Page:
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
                and line.confidence >= _SURE_WORD
                and sum(map(str.isalnum, line.text)) >= _SHORT_SCENE
                and not any(line.box.overlap(other) > 0 for other in placed)
            ]
            if lines:
                blocks.append(board.part(BlockKind.PARAGRAPH, lines))
                placed += [line.box for line in lines]
    return replace(page, blocks=blocks)


def _letters_in_words(page: Page, least: float = 0.0) -> float:
    """Return how many letters are expected to be right in words that are no lone marks.

    least: confidence of words that count.
    """
    return sum(
        len(word.text) * word.confidence
        for word in page.words
        if word.confidence >= least and sum(map(str.isalnum, word.text)) >= _LEAST_SCENE_LETTERS
    )


def _without_text(page: Page) -> Page:
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


def _read_scene_line(seen: SceneLine, network: LineNetwork, settings: Settings) -> Line:
    """Return what stands in a line of a photograph, its letters set upright if that helps.

    Seen from aside, letters lean; what reads surely as it is, is left so.
    """
    best = read_line_picture(seen.grey, network, settings, seen.to_source)
    for lean in _LEANS:
        if best.confidence >= _SURE_LINE:
            break
        other = seen.sheared(lean)
        line = read_line_picture(other.grey, network, settings, other.to_source)
        if line.confidence > best.confidence and len(line.text) >= 0.8 * len(best.text):
            best = line
    return best


def _read_scene(
    picture: PagePicture, number: int, network: LineNetwork, settings: Settings
) -> Page:
    """Return the text on boards and signs of a photograph, a block for each board."""
    lines = []
    for seen in find_scene_lines(picture.grey):
        line = _read_scene_line(seen, network, settings)
        letters = sum(sign.isalnum() for sign in line.text)
        sure = _SURE_SHORT_SCENE if letters <= _SHORT_SCENE else _SURE_SCENE
        if letters >= _LEAST_SCENE_LETTERS and line.confidence >= sure:
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


def _lost_text(page: Page, whole: Page) -> bool:
    """Return whether what a page lacks against a fuller reading of it is believable text."""
    gain = _right_characters(whole) - _right_characters(page)
    more = _characters(whole) - _characters(page)
    return gain > max(_BELIEVABLE * more, (_LEAST_GAIN - 1) * _right_characters(page))


def _characters(page: Page) -> int:
    return sum(len(word.text) for word in page.words)


def _right_characters(page: Page) -> float:
    """Return how many characters of a page are expected to be right."""
    return sum(word.confidence * len(word.text) for word in page.words)
