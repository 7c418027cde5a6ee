"""Read the lines of a page."""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.reading.alphabet import EUROPEAN, Alphabet
from amberquarry.reading.bullets import lone_bullet, settle_ring, without_piece
from amberquarry.reading.confidence import set_confidences
from amberquarry.reading.decode import (
    Characters,
    Doubt,
    decode,
    doubts_of,
    figures_at_start,
    figures_joined,
    resolve,
    sure_words,
    weighed,
    with_note_mark,
)
from amberquarry.reading.languages import Prior, identify, load_prior
from amberquarry.reading.line_reader import LineReader, Trial
from amberquarry.reading.net import LineNetwork, load_network
from amberquarry.reading.normalise import LinePicture, LoneLine, OwnedLine, Owners, cut_line
from amberquarry.reading.placed import (
    PlacedText,
    close_marks,
    close_spaced_letters,
    in_one_line,
    part_figures,
    set_leaders,
    set_on_grid,
    with_bullet,
    without_feet,
)
from amberquarry.reading.places import Unplaced, place_characters
from amberquarry.reading.repair import repair_words
from amberquarry.reading.scripts import (
    PageLetters,
    main_script,
    settle_articles,
    settle_brackets,
    settle_case,
    settle_cedillas,
    settle_figures,
    settle_scripts,
)
from amberquarry.reading.search import Search
from amberquarry.reading.styles import edges_of, settle_bold, word_styles, words_at
from amberquarry.settings import ReadingSettings
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine
from amberquarry.sheet.typography import type_size
from amberquarry.values import UNKNOWN, Box, Line, Style


@dataclass(frozen=True, slots=True)
class Believable:
    """What is believed to be text: mean confidences of characters."""

    least: float = 0.4  # of a line, at least
    extra: float = 0.5  # by which a short one must be surer: specks and textures give such
    short: float = 6.0  # characters over which that falls to a third
    mostly: float = 0.6  # of a page's letters in an unknown script: then scraps are too
    scrap: int = 5  # letters of a line that tell nothing by themselves
    hand_column: int = 4  # the net's column that tells writing from print
    by_hand: int = 4  # letters of a line that tell it, at least


@dataclass(frozen=True, slots=True)
class Retry:
    """Lines that are read again in other sizes, or in parts; lengths in x-heights."""

    few: int = 6  # pieces of a short line
    sure_short: float = 0.9  # confidence below which a short line is read again
    sure_long: float = 0.85  # the same of a longer one
    most: int = 300  # such lines of a page: more are noise
    wide_gap: float = 4.0  # of white in a row of a listing, over which it is read in parts
    part_gap: float = 1.5  # of white beside which type may have another size
    other_size: float = 0.14  # logarithm of the ratio of such sizes, at least
    surer: float = 0.01  # mean confidence by which a line in parts must be read better
    far_apart: float = 0.3  # logarithm of sizes from which that is not asked
    capitals: int = 2  # letters read as such that may be small ones


@dataclass(frozen=True, slots=True)
class LoneDash:
    """A dash that stands alone in its cell."""

    cells: int = 2  # lines in its row, at least
    most: float = 0.25  # of a page's sure lines: more are textures
    across: float = 2.0  # width over height of such a stroke, at least


@dataclass(frozen=True, slots=True)
class NoteMark:
    """The raised mark with which a note begins; lengths in x-heights."""

    foot: float = 0.5  # over the line, at least
    height: float = 0.75  # of it, at least


@dataclass(frozen=True, slots=True)
class TrialLines:
    """Lines that a page is tried with."""

    short: int = 15  # letters, at least
    long: int = 45  # letters: longer ones tell as much


BELIEVABLE, RETRY, DASH, NOTE_MARK, TRIAL = (
    Believable(),
    Retry(),
    LoneDash(),
    NoteMark(),
    TrialLines(),
)
_STYLES = (Style.BOLD, Style.ITALIC, Style.SUPERSCRIPT, Style.SUBSCRIPT)  # the net's order
_OTHER_SIZES = (1 / CAPITAL_RATIO, CAPITAL_RATIO)
_NEAR_SIZES = (0.8, 1.25)
_DASHES = ("-", "–", "—", "−")


@dataclass(frozen=True, slots=True)
class _Reading:
    line: TextLine
    picture: LinePicture
    read: Characters
    doubts: list[Doubt]
    first_figure: NDArray[np.float32]  # (10,), odds of each figure where the first sign stands

    @property
    def confidence(self) -> float:
        """Mean confidence of the characters, 0 without any."""
        return float(self.read.confidences.mean()) if self.read.text else 0.0

    @property
    def centres(self) -> NDArray[np.float32]:
        """Page x of each character's middle."""
        return self.picture.page_x(self.read.columns)

    def unplaced(self, ink: OwnedLine) -> Unplaced:
        """Return what was read, to be placed on its ink."""
        return Unplaced(ink, self.line, self.read.text, self.centres)


@dataclass(frozen=True, slots=True)
class NetReader:
    """A reader of lines with a net (see `LineReader`)."""

    network: LineNetwork
    settings: ReadingSettings

    @property
    def digest(self) -> str:
        """The hash of the model."""
        return self.network.digest

    @property
    def alphabet(self) -> Alphabet:
        """The signs that the model knows."""
        return self.network.alphabet

    def read(
        self, grey: NDArray[np.uint8], ink: Ink, lines: Sequence[TextLine]
    ) -> list[Line | None]:
        """Return what stands in each line, None where it is not believable as text."""
        return read_lines(grey, ink, [*lines], self.network, self.settings)

    def trial(self, grey: NDArray[np.uint8], ink: Ink, lines: Sequence[TextLine]) -> Trial:
        """Return how surely lines are read as letters and figures."""
        return try_lines(grey, ink, [*lines], self.network, self.settings)


def load_reader(settings: ReadingSettings) -> LineReader:
    """Return the reader that settings ask for; ModelError where its model can't be used."""
    return NetReader(load_network(settings.model), settings)


def read_lines(
    grey: NDArray[np.uint8],
    ink: Ink,
    lines: list[TextLine],
    network: LineNetwork,
    settings: ReadingSettings,
) -> list[Line | None]:
    """Return what stands in each line, None where it is not believable as text.

    Boxes are in the prepared page's frame. Doubtful words are read anew once the page's language
    is known from all of its lines.
    """
    owners = Owners.of(ink, lines)
    owned = [owners.line(number) for number in range(len(lines))]
    readings = _read_all(grey, ink, lines, owned, network, settings)
    page = _PageWords.of([part for parts in readings for part in parts], settings)
    numbers = [number for number, parts in enumerate(readings) if parts]
    bullets = {}
    for number in numbers:
        parts = readings[number]
        bullet = lone_bullet(ink, parts[0].line, float(parts[0].centres[0]))
        if bullet is not None:
            bullets[number] = bullet
            owners.give_up(bullet[1])
            owned[number].forget()
            line = without_piece(ink, parts[0].line, bullet[1])
            parts = [replace(parts[0], line=line), *parts[1:]]
        readings[number] = [page.resolved(part) for part in parts]
    boxes = iter(place_characters([p.unplaced(owned[n]) for n in numbers for p in readings[n]]))
    texts: list[PlacedText] = []
    sizes: list[float] = []
    for number in numbers:
        whole = in_one_line([_placed(part, next(boxes)) for part in readings[number]])
        whole = _settled(whole, readings[number][0].line, lines[number], ink, page.letters)
        size = type_size(whole.text, whole.boxes) or lines[number].x_height
        gridded = set_on_grid(whole, lines[number].step) if lines[number].step else whole
        whole = part_figures(whole, size) if gridded is whole else gridded
        if number in bullets:
            sign, piece = bullets[number]
            whole = with_bullet(whole, sign, ink.glyphs.boxes_of(np.array([piece]))[0])
        texts.append(whole)
        sizes.append(size)
    kept = [make_line(text, network.alphabet) for text in texts]
    settle_bold(kept, texts, np.array(sizes))
    settle_unknown(kept)
    set_confidences(kept, page.prior)
    if page.prior and settings.repair_words:
        repair_words(kept, page.prior)
    results: list[Line | None] = [None] * len(lines)
    for number, line_read in zip(numbers, kept, strict=True):
        results[number] = line_read
    return results


@dataclass(frozen=True, slots=True)
class _PageWords:
    """What all lines of a page together say of its words."""

    letters: PageLetters
    prior: Prior | None  # of the page's language
    known: Prior | None  # the same, with the page's own words
    search: Search | None  # where doubtful words are read anew

    @classmethod
    def of(cls, parts: list[_Reading], settings: ReadingSettings) -> _PageWords:
        """Return what the lines of a page say."""
        texts = [part.read.text for part in parts]
        script, language = main_script(texts), identify(" ".join(texts))
        prior = load_prior(language) if language else None
        letters = PageLetters(script, language)
        if prior and script != "LATIN":
            letters = PageLetters(script, language, prior.words, load_prior("en").words)
        if not prior or not settings.prior_weight:
            return cls(letters, prior, None, None)
        here = set().union(*(sure_words(part.read, part.doubts) for part in parts))
        search = Search(settings.search_width, settings.prior_weight)
        return cls(letters, prior, prior.knowing(here), search)

    def resolved(self, part: _Reading) -> _Reading:
        """Return a part of a line with its doubtful words read anew."""
        if not part.doubts or not self.known or not self.search:
            return part
        return replace(part, read=resolve(part.read, part.doubts, self.known, self.search))


def _settled(
    whole: PlacedText, first: TextLine, line: TextLine, ink: Ink, page: PageLetters
) -> PlacedText:
    """Return a line with its look-alike signs, leaders and spaces as page and ink tell them.

    first: the line's first part.
    """
    text = settle_scripts(whole.text, page)
    text = settle_brackets(settle_figures(text, page.language))
    text = settle_articles(text, whole.confidences, page.language)
    text = settle_cedillas(text, page.language)
    text = settle_ring(text, whole.boxes, first.x_height)
    whole = set_leaders(replace(whole, text=text), line, ink)
    whole = close_spaced_letters(without_feet(whole))
    # French sets its marks off by custom
    return whole if page.language == "fr" else close_marks(whole)


def _read_all(
    grey: NDArray[np.uint8],
    ink: Ink,
    lines: list[TextLine],
    owned_lines: list[OwnedLine],
    network: LineNetwork,
    settings: ReadingSettings,
) -> list[list[_Reading]]:
    """Return each line as read, in parts of one size of type; none where it is no text."""
    readings: list[list[_Reading]] = []
    dashes: dict[int, _Reading] = {}
    tried = 0

    def read_as(line: TextLine, own: OwnedLine) -> _Reading:
        picture = cut_line(grey, line, own, settings)
        steps = weighed(figures_joined(network.steps(picture.ink)), settings.word_parting)
        read = decode(steps)
        return _Reading(line, picture, read, doubts_of(steps), figures_at_start(steps, read))

    for number, line in enumerate(lines):
        owned = owned_lines[number]
        parts = parts_at_wide_gaps(line, ink) if line.step else [line]
        if len(parts) > 1:
            apart = [one for part in parts if (one := read_as(part, owned)).read.text.strip()]
            readings.append(apart if any(believable(part.read) for part in apart) else [])
            continue
        best = read_as(line, owned)
        short = line.plain or len(line.pieces) <= RETRY.few
        # letters of one height may be small ones or capitals and figures; in faint or broken print
        # the measure of a line is a little off
        sure, sizes = (RETRY.sure_short, _OTHER_SIZES) if short else (RETRY.sure_long, _NEAR_SIZES)
        if best.confidence < sure and tried < RETRY.most:
            tried += 1
            others = [replace(line, x_height=line.x_height * ratio) for ratio in sizes]
            others_read = [read_as(other, owned) for other in others]
            best = max([best, *others_read], key=lambda reading: reading.confidence)
        if not believable(best.read):
            if _is_dash(line, best.read, ink):
                dashes[number] = best
            readings.append([])
            continue
        if _widest_gap(line, ink) <= RETRY.part_gap * line.x_height:
            readings.append([best])
            continue
        [boxes] = place_characters([best.unplaced(owned)])
        in_parts = []
        for own in parts_of_one_size(line, best.read.text, boxes, ink):
            inside = (best.centres >= own.box.x0) & (best.centres <= own.box.x1)
            anew, before = read_as(own, owned), best.read.confidences[inside]
            if len(before) and anew.confidence < float(before.mean()):
                anew = read_as(replace(own, x_height=line.x_height), owned)
            in_parts.append(anew)
        readings.append(in_parts if _surer(in_parts, best) else [best])
    for number, dash in _in_rows(dashes, readings).items():
        readings[number] = [dash]
    return readings


def _in_rows(dashes: dict[int, _Reading], readings: list[list[_Reading]]) -> dict[int, _Reading]:
    """Return those dashes that stand in a row with other lines that are surely read.

    Strokes of textures and of broken leaders are read as dashes too.
    """
    beside = np.array(
        [
            parts[0].line.box
            for parts in readings
            if parts and parts[0].confidence > RETRY.sure_short and len(parts[0].line.pieces) > 1
        ]
    ).reshape(-1, 4)
    if len(dashes) >= DASH.most * len(beside):
        return {}
    middles = {number: dash.line.box.middle[1] for number, dash in dashes.items()}
    cells = {n: ((beside[:, 1] < y) & (y < beside[:, 3])).sum() for n, y in middles.items()}
    return {n: dash for n, dash in dashes.items() if cells[n] >= DASH.cells}


def _placed(part: _Reading, boxes: NDArray[np.float32]) -> PlacedText:
    """Return the characters of a part of a line where their ink is; boxes: (N, 4)."""
    read, line = part.read, part.line
    base = np.polyval(line.baseline, part.centres)
    if len(read.text) > BELIEVABLE.scrap:
        foot, height = base[0] - boxes[0, 3], boxes[0, 3] - boxes[0, 1]
        if foot > NOTE_MARK.foot * line.x_height and height > NOTE_MARK.height * line.x_height:
            read = with_note_mark(read, part.first_figure)
    text = settle_case(read.text, base - boxes[:, 1])
    return PlacedText(text, boxes, read.confidences, read.styles, edges_of(part.picture, boxes))


def _surer(parts: list[_Reading], whole: _Reading) -> bool:
    """Return whether a line is read more surely in parts, or as surely where they differ much."""
    if not parts or not all(part.read.text for part in parts):
        return False
    confidences = np.concatenate([part.read.confidences for part in parts])
    sizes = [part.line.x_height for part in parts]
    gain = RETRY.surer if math.log(max(sizes) / min(sizes)) < RETRY.far_apart else 0.0
    return float(confidences.mean()) > whole.confidence + gain


def _gaps_of(line: TextLine, ink: Ink) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Return a line's pieces from the left, and the white before each but the first, in pixels."""
    pieces = line.pieces[np.argsort(ink.glyphs.left[line.pieces], kind="stable")]
    reached = np.maximum.accumulate(ink.glyphs.right[pieces])
    return pieces, ink.glyphs.left[pieces[1:]] - reached[:-1]


def _widest_gap(line: TextLine, ink: Ink) -> int:
    return int(_gaps_of(line, ink)[1].max(initial=0))


def parts_at_wide_gaps(line: TextLine, ink: Ink) -> list[TextLine]:
    """Return the parts of a row of a listing that stand far apart: the net reads dots in the white.

    They keep the base line and size of the row.
    """
    pieces, gaps = _gaps_of(line, ink)
    cuts = np.flatnonzero(gaps > RETRY.wide_gap * line.x_height) + 1
    return [
        replace(line, box=ink.glyphs.box_of(own), pieces=own)
        for own in np.split(pieces, cuts)
        if len(own)
    ]


def parts_of_one_size(
    line: TextLine, text: str, boxes: NDArray[np.float32], ink: Ink
) -> list[TextLine]:
    """Return the parts of a line with wide gaps in which type has one size; none if all has.

    What was entered in a form is seldom as large as the label before it.
    text, boxes (N, 4): what was read in the line, and where.
    """
    signs = np.array([n for n, letter in enumerate(text) if letter != " "], np.int64)
    gaps = boxes[signs[1:], 0] - boxes[signs[:-1], 2]
    # the words of an entry in large type stand farther apart than those of its label
    high = boxes[signs, 3] - boxes[signs, 1]
    size_there = np.maximum(line.x_height, np.minimum(high[1:], high[:-1]))
    runs = np.split(signs, np.flatnonzero(gaps > RETRY.part_gap * size_there) + 1)
    if len(runs) < 2:
        return []
    parts: list[tuple[NDArray[np.int64], float]] = []
    for run in runs:
        size = _size_of("".join(text[n] for n in run), boxes[run])
        before = parts[-1][1] if parts else 0.0
        if parts and (not size or not before or abs(math.log(size / before)) < RETRY.other_size):
            parts[-1] = np.concatenate([parts[-1][0], run]), before or size
        else:
            parts.append((run, size))
    if len(parts) < 2:
        return []
    edges = [(boxes[a[-1], 2] + boxes[b[0], 0]) / 2 for (a, _), (b, _) in itertools.pairwise(parts)]
    middle = (ink.glyphs.left[line.pieces] + ink.glyphs.right[line.pieces]) / 2
    share = np.searchsorted(edges, middle)
    own = [line.pieces[share == n] for n in range(len(parts))]
    if not all(map(len, own)):
        return []
    return [
        TextLine(ink.glyphs.box_of(pieces), pieces, line.baseline, size or line.x_height)
        for pieces, (_, size) in zip(own, parts, strict=True)
    ]


def _size_of(text: str, boxes: NDArray[np.float32]) -> float:
    """Return the x-height of a part of a line.

    What was read as capitals may be small letters that are larger than the rest.
    """
    letters = [letter for letter in text if letter.isalpha()]
    capitals = sum(map(str.isupper, letters))
    mostly = capitals >= max(RETRY.capitals, BELIEVABLE.mostly * len(letters))
    return CAPITAL_RATIO ** int(mostly) * type_size(text, boxes)


def believable(found: Characters) -> bool:
    """Return whether what was read can be text: neither empty, nor doubtful throughout."""
    text = found.text.strip()
    if not text:
        return False
    least = BELIEVABLE.least + BELIEVABLE.extra * math.exp(-len(text) / BELIEVABLE.short)
    return float(found.confidences.mean()) >= least


def _is_dash(line: TextLine, read: Characters, ink: Ink) -> bool:
    """Return whether a line is one stroke across, read as a dash: only which is doubtful."""
    [first, *others] = line.pieces.tolist()
    across = ink.glyphs.width[first] > DASH.across * ink.glyphs.height[first]
    return not others and bool(across) and read.text.strip() in _DASHES


def make_line(placed: PlacedText, alphabet: Alphabet = EUROPEAN) -> Line:
    """Return a line with its words; a word's confidence is the product over its characters.

    Letters of an unknown script have no confidence: what stands there is not known.
    """
    text, boxes = placed.text, placed.boxes
    unknown = np.array([letter == UNKNOWN for letter in text], bool)
    confidences = np.where(unknown, np.float32(0), placed.confidences)
    spans = alphabet.words_in(text)
    apart = (word_styles(text, spans, placed.styles) > 0.5).tolist()
    words = words_at(text, spans, boxes, confidences, [_set_apart(own) for own in apart])
    letters = sum(letter.isalpha() for letter in text) + int(unknown.sum())
    return Line(
        text,
        Box.around([word.box for word in words]),
        float(confidences.mean()),
        words,
        boxes,
        confidences,
        unsupported_script=bool(unknown.sum() > 0.5 * letters),
        handwritten=_by_hand(placed),
        direction=alphabet.direction,
    )


def _by_hand(line: PlacedText) -> bool:
    """Return whether the letters of a line look written by hand; False where few tell."""
    letters = [n for n, sign in enumerate(line.text) if sign.isalnum()]
    if line.styles.shape[1] <= BELIEVABLE.hand_column or len(letters) < BELIEVABLE.by_hand:
        return False
    return float(line.styles[letters, BELIEVABLE.hand_column].mean()) > 0.5


def _set_apart(likely: list[bool]) -> frozenset[Style]:
    """Return the styles that a word has by itself; its weight is told against the page's."""
    if not any(likely):
        return frozenset()
    return frozenset(
        style
        for style, has in zip(_STYLES, likely, strict=False)
        if has and style is not Style.BOLD
    )


def settle_unknown(lines: list[Line]) -> None:
    """Mark scraps on a page in an unknown script as well: its marks often stand as lines."""
    unknown = sum(line.text.count(UNKNOWN) for line in lines)
    letters = unknown + sum(letter.isalpha() for line in lines for letter in line.text)
    if unknown <= BELIEVABLE.mostly * letters:
        return
    for line in lines:
        own = [letter for letter in line.text if letter.isalpha() or letter == UNKNOWN]
        scrap = len(own) <= BELIEVABLE.scrap and not any(letter.isnumeric() for letter in line.text)
        if UNKNOWN in own or (own and scrap):
            line.unsupported_script = True


def trial_lines(ink: Ink, lines: list[TextLine], letter: float, most: int) -> list[TextLine]:
    """Return a few lines to try a page with: of middle length, which tell as much as long ones.

    Long lines come next, and short ones, which may be anything, last. letter: usual height of the
    page's letters; lower pieces may be specks and don't count.
    """

    def rank(line: TextLine) -> tuple[int, int]:
        tall = int((ink.glyphs.height[line.pieces] >= 0.5 * letter).sum())
        if tall > TRIAL.long:
            return 1, tall
        return (0 if tall >= TRIAL.short else 2), -tall

    return sorted(lines, key=rank)[:most]


def try_lines(
    grey: NDArray[np.uint8],
    ink: Ink,
    lines: list[TextLine],
    network: LineNetwork,
    settings: ReadingSettings,
) -> Trial:
    """Return how surely lines are read as letters and figures; 0 without lines."""
    total, known, count = 0.0, 0.0, 0
    alone = LoneLine(ink)
    for line in lines:
        read = decode(network.steps(cut_line(grey, line, alone, settings).ink))
        for confidence, sign in zip(read.confidences.tolist(), read.text, strict=True):
            total += confidence if sign.isalnum() or sign == UNKNOWN else 0
            known += confidence if sign.isalnum() else 0
        # dots lead on either way up and tell nothing
        tall = int((ink.glyphs.height[line.pieces] >= 0.5 * line.x_height).sum())
        count += max(tall // 2, len(re.sub(r"[ .·]", "", read.text)))
    return Trial(total / count, known / count) if count else Trial(0.0, 0.0)
