"""The ways in which a page may be taken, tried in a fixed order and judged by one score."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

from amberquarry.imaging import View, is_bilevel, paper_share, views_of
from amberquarry.layer.characters import Characters
from amberquarry.pages.laying import Stages, lay_out
from amberquarry.pages.photographs import (
    PAPER,
    has_few_words,
    holds_no_text,
    in_other_script,
    is_photograph,
    letters_in_words,
    read_scene,
    with_words_on_pictures,
    without_marks_of_pictures,
    without_text,
)
from amberquarry.pages.reading import read_laid_out
from amberquarry.reading.line_reader import LineReader
from amberquarry.settings import Settings
from amberquarry.sources import PagePicture
from amberquarry.values import Page, PreparationStep, Step, legibility_of

log = logging.getLogger(__name__)

_LEAST_GAIN = 0.01  # of its characters likely right, by which a way must beat another


@dataclass(frozen=True, slots=True)
class Attempt:
    """A page taken in one way."""

    way: str
    page: Page
    stages: Stages

    @property
    def score(self) -> float:
        """How many of its characters are expected to be right."""
        return sum(word.confidence * len(word.text) for word in self.page.words)

    @property
    def characters(self) -> int:
        """How many characters it has."""
        return sum(len(word.text) for word in self.page.words)

    def beats(self, other: Attempt, believable: float = 0.0) -> bool:
        """Return whether it reads clearly better than another.

        believable: of the characters that it has more, so many must be likely right.
        """
        more = self.characters - other.characters
        return self.score - other.score > max(believable * more, _LEAST_GAIN * other.score)


class Tried(NamedTuple):
    """How a page read in one way; the page itself is let go of unless it is the best."""

    way: str
    confidence: float
    score: float
    characters: int

    @classmethod
    def of(cls, attempt: Attempt) -> Tried:
        """Return how an attempt read."""
        return cls(attempt.way, attempt.page.confidence, attempt.score, attempt.characters)


@dataclass(slots=True)
class Tries:
    """What was tried with a page so far, and the best of it."""

    picture: PagePicture
    number: int
    view: View
    reader: LineReader
    settings: Settings
    layer: Characters | None = None  # what a text layer says, in pixels of the picture
    attempts: list[Tried] = field(default_factory=list)
    best: Attempt = field(init=False)
    steps: set[Step] = field(init=False)  # taken with the page as it stands
    scene: Page | None = None
    _paper: float | None = None  # looked at only where a way asks for it

    def __post_init__(self) -> None:
        self.best = self.taken("as it stands", {})
        self.attempts.append(Tried.of(self.best))
        self.steps = {own.step for own in self.best.page.preparation}

    @property
    def paper(self) -> float:
        """The share of the picture that is plain paper."""
        if self._paper is None:
            self._paper = paper_share(self.view.grey)
        return self._paper

    @property
    def may_be_scene(self) -> bool:
        """Whether a scene is looked for at all: a scan in black and white is none of one."""
        wanted = self.settings.preparation.find_scene_text
        return wanted and not is_bilevel(self.view.grey)

    def taken(self, name: str, changes: dict[str, float]) -> Attempt:
        """Return the page taken with other settings."""
        settings = self.settings.with_values(changes) if changes else self.settings
        stages = lay_out(self.picture.grey, self.view, self.reader, settings)
        page = read_laid_out(self.picture, self.number, stages, self.reader, settings, self.layer)
        return Attempt(name, page, stages)


@dataclass(frozen=True, slots=True)
class Way:
    """A way to take a page: when it is tried, what is changed, and what is said if it wins."""

    name: str
    why: str
    when: Callable[[Tries], bool]
    changes: dict[str, float] = field(default_factory=dict)
    scene: bool = False  # as a photograph with text on parts of it
    believable: float = 0.0  # of the characters that it finds more, that are likely right


def _reads_badly(tries: Tries) -> bool:
    """Whether the page reads badly, though its letters are known."""
    page = tries.best.page
    if not 0 < tries.attempts[0].confidence < tries.settings.preparation.try_below:
        return False
    return not in_other_script(page) and not _has_no_text(tries)


def _has_no_text(tries: Tries) -> bool:
    """Whether the page is a photograph on which nothing is believable."""
    return tries.scene is not None and holds_no_text(tries.best.page)


def _is_photograph(tries: Tries) -> bool:
    return tries.may_be_scene and is_photograph(tries.best.page, lambda: tries.paper)


def _may_be_photograph(tries: Tries) -> bool:
    """Whether a page of few doubtful words may still be one: dark ground as even as paper."""
    page = tries.best.page
    doubtful = tries.may_be_scene and page.confidence < PAPER.doubtful and has_few_words(page)
    return doubtful and tries.scene is None and page.confidence > 0


# The first readings, then other ways to prepare a page that reads badly, those first that helped
# most pages.
_FIRST = (
    Way(
        "unflattened",
        "bent lines read better as they are",  # reading follows those that are bent a little
        lambda tries: Step.FLATTEN in tries.steps,
        {"preparation.flatten": False},
    ),
    Way(
        "pale print kept",
        "the pale print is text",
        lambda tries: Step.BLEED in tries.steps,
        {"preparation.lift_bleed": False},
        believable=0.7,  # else it is print of the other side
    ),
)
_ALTERNATIVES = (
    Way(
        "paler strokes left out",
        "paler strokes are left out",
        _reads_badly,
        {"preparation.ink_threshold": 0.55},
    ),
    Way(
        "paler strokes taken in",
        "paler strokes are taken in",
        _reads_badly,
        {"preparation.ink_threshold": 0.3},
    ),
    Way("smoothed", "grain is smoothed", _reads_badly, {"preparation.smoothing_px": 1.0}),
)
_SCENE = Way("scene", "a photograph with text on parts of it", _is_photograph, scene=True)
_LATE_SCENE = Way("scene", "a photograph with text on parts of it", _may_be_photograph, scene=True)


def ways(settings: Settings) -> tuple[Way, ...]:
    """Return the ways that are tried beside the page as it stands, in their order."""
    count = settings.preparation.alternatives
    return (*(_FIRST if count else ()), _SCENE, *_ALTERNATIVES[:count], _LATE_SCENE)


def read_picture(
    picture: PagePicture, number: int, reader: LineReader, settings: Settings
) -> list[Page]:
    """Return what is on a page, or on both pages where the picture holds two facing ones.

    number: of the picture's page in its file, from 1. Boxes are in the level frame of each page.
    A page without text gives no blocks with words.
    """
    return [tries.best.page for tries in read_in_ways(picture, number, reader, settings)]


def read_in_ways(
    picture: PagePicture,
    number: int,
    reader: LineReader,
    settings: Settings,
    layer: Characters | None = None,
) -> list[Tries]:
    """Return what `read_picture` does, each page with all that was tried."""
    views = views_of(picture.grey, settings.preparation, picture.colours)
    if len(views) == 1:
        read = [read_best(picture, number, views[0], reader, settings, layer)]
    else:  # halves of a book are no photographs of signs
        own = settings.with_values({"preparation.find_scene_text": False})
        read = [read_best(picture, number, view, reader, own) for view in views]
        if all(tries.best.page.rotation in (90, 270) for tries in read):
            # a folded letter on its side: pages of a book do not stand one over the other
            whole = settings.with_values({"preparation.split_spreads": False})
            return read_in_ways(picture, number, reader, whole)
    for tries in read:
        page = tries.best.page
        page.legibility = legibility_of(line for block in page.blocks for line in block.lines)
    return read


def read_best(
    picture: PagePicture,
    number: int,
    view: View,
    reader: LineReader,
    settings: Settings,
    layer: Characters | None = None,
) -> Tries:
    """Return what is on a view's page, taken in the way that reads best."""
    tries = Tries(picture, number, view, reader, settings, layer)
    for way in ways(settings):
        if not way.when(tries):
            continue
        if way.scene:
            tries.scene = scene = read_scene(picture, number, reader, settings)
            attempt = Attempt(way.name, scene, tries.best.stages)
            tries.attempts.append(Tried.of(attempt))
            if _says_more(tries, scene):
                tries.best = attempt
                return tries
            # other ways must beat the page with the words on its pictures
            tries.best = _with_words(tries.best, scene)
            continue
        attempt = tries.taken(way.name, way.changes)
        tries.attempts.append(Tried.of(attempt))
        log.debug("page %d, %s: %.0f for %.0f", number, way.name, attempt.score, tries.best.score)
        if attempt.beats(tries.best, way.believable):
            gain = f"{attempt.score:.0f} characters likely right, not {tries.best.score:.0f}"
            step = PreparationStep(Step.CHOOSE, f"{way.why}: {gain}")
            attempt.page.preparation.append(step)
            tries.best = attempt
    tries.best = _of_photograph(tries)
    return tries


def _says_more(tries: Tries, scene: Page) -> bool:
    """Return whether clearly more was read off boards and signs than off the whole as a page.

    Made for photographs of boards, which read in fragments or not at all as a page. Pages of wide
    capitals, of unknown faces and blurred ones are read in fragments as a scene: what is read there
    with some certainty must be a good deal more, unless next to nothing of the picture is paper.
    """
    least = PAPER.clearly if tries.paper >= PAPER.some else PAPER.as_much
    found = letters_in_words(scene, PAPER.sure_word)
    page = letters_in_words(tries.best.page, PAPER.sure_word)
    return found > max(PAPER.lone_sign, least * page)


def _of_photograph(tries: Tries) -> Attempt:
    """Return the best attempt, without marks that are no text where it shows a photograph."""
    best, scene = tries.best, tries.scene
    if scene is None:
        return best
    if _has_no_text(tries):
        return Attempt(best.way, without_text(best.page), best.stages)
    page = without_marks_of_pictures(best.page)
    return _with_words(Attempt(best.way, page, best.stages), scene)


def _with_words(attempt: Attempt, scene: Page) -> Attempt:
    """Return a page with the words on its pictures that were read as those of a scene."""
    return Attempt(attempt.way, with_words_on_pictures(attempt.page, scene), attempt.stages)
