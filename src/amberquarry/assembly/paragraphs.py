"""The running text of blocks: lines joined, hyphens at line ends taken out."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from amberquarry.reading.languages import Prior, identify, load_prior
from amberquarry.tables.cells import fill_cells
from amberquarry.tables.placing import cells_of
from amberquarry.values import Block, BlockKind, Emphasis, Line, Link, Page, Style

# Running text: headings are set apart as a whole, tables and code are shown as they stand.
EMPHASISED = {
    BlockKind.PARAGRAPH,
    BlockKind.ITEM,
    BlockKind.CAPTION,
    BlockKind.FOOTNOTE,
    BlockKind.MARGIN_NOTE,
    BlockKind.ENTRY,
}
_SAMPLE_LINES = 400  # of a document, to tell its language by


@dataclass(frozen=True, slots=True)
class Hyphen:
    """Log odds against the word without a hyphen, up to which a compound keeps it."""

    beside: float = -12.0  # a part that holds a hyphen already
    long: float = -8.0  # between two known words long enough to be no syllables
    short: float = -3.0  # between other known words
    unknown: float = 0.0  # between what is not known
    letters: int = 4  # of a long word
    capitals: int = 4  # letters of a word in capitals that may be divided


HYPHEN = Hyphen()
# Languages that write compounds in one word: that both parts are known tells nothing there.
_JOINING = frozenset({"de", "nl", "da", "nb", "sv", "fi", "hu"})
_HYPHENS = "-\u2010\u00ad¬"


@dataclass(frozen=True, slots=True)
class Lexicon:
    """Words that are known: those of the document, and those of its language."""

    own: frozenset[str]
    prior: Prior | None = None  # what is known of the language

    @classmethod
    def of(cls, pages: Iterable[Page]) -> Lexicon:
        """Return the lexicon of a document: words that stand whole inside its lines, and a list."""
        own: set[str] = set()
        sample: list[str] = []
        for page in pages:
            for block in page.blocks:
                for line in block.lines:
                    parts = [word.text for word in line.words]
                    own.update(_bare(part) for part in parts[1:-1])
                    if len(sample) < _SAMPLE_LINES:
                        sample.append(line.text)
        return cls(frozenset(own)).in_language_of(" ".join(sample))

    def in_language_of(self, text: str) -> Lexicon:
        """Return the lexicon with the words of a text's language, unchanged where none is told."""
        language = identify(text)
        return self if language is None else replace(self, prior=load_prior(language))

    def keeps_hyphen(self, left: str, right: str) -> bool:
        """Return whether a word divided as `left-` and `right` is a compound with a hyphen."""
        whole, compound = _bare(left + right), _bare(f"{left}-{right}")
        if whole in self.own:
            return False
        if compound in self.own:
            return True
        if len(left) > 1 and left.isupper() and right.islower():
            return True  # words are divided within letters of one case
        if self.prior is None:
            return False
        listed = self.prior.words
        if (whole in listed) != (compound in listed):
            return compound in listed
        odds = self.prior.log_probability_of(compound) - self.prior.log_probability_of(whole)
        if whole in listed:
            return odds > 0
        parts = compound.split("-")
        if "-" in left or "-" in right:
            return odds > HYPHEN.beside
        known = all(part in listed or part in self.own for part in parts)
        if not known or self.prior.language in _JOINING:
            return odds > HYPHEN.unknown
        return odds > (HYPHEN.long if min(map(len, parts)) >= HYPHEN.letters else HYPHEN.short)


def _bare(word: str) -> str:
    return word.strip(".,;:!?()[]{}\"'“”‘’„«»‹›*†‡").lower()


def join_lines(lines: list[str], lexicon: Lexicon) -> tuple[str, list[int]]:
    """Return lines as one paragraph, and where in it each line starts.

    A hyphen at a line's end goes when a small letter follows, unless it belongs to a compound or
    its left part ends in a figure.
    """
    text = ""
    starts = []
    for line in lines:
        if text and line:
            left, right = re.split(r"\s", text)[-1], re.split(r"\s", line)[0]
            hyphen = len(left) > 1 and left[-1] in _HYPHENS
            # capitals are divided as small letters are
            goes_on = line[0].islower() or (line[0].isupper() and _in_capitals(left + right))
            if hyphen and left[-2].isalpha() and goes_on:
                text = text if lexicon.keeps_hyphen(left[:-1], right) else text[:-1]
            elif not (hyphen and left[-2].isalnum()):
                text += " "
        starts.append(len(text))
        text += line
    return text, starts


def _in_capitals(text: str) -> bool:
    """Return whether a text has several letters, all of them capitals."""
    letters = [sign for sign in text if sign.isalpha()]
    return len(letters) >= HYPHEN.capitals and all(sign.isupper() for sign in letters)


def links_of(block: Block, text: str, starts: list[int]) -> list[Link]:
    """Return the parts of a block's text that lead somewhere. starts: as in `emphasis_of`."""
    found: list[Link] = []
    for line, start in zip(block.lines, starts, strict=True):
        for word in [] if line.unsupported_script else line.words:
            length = len(word.repaired or word.text)
            end = min(len(text), start + length)
            if word.link and start < end:
                own = text[start:end].rstrip()  # a hyphen at the end of a line may be gone
                near = found and found[-1].uri == word.link and start - found[-1].end <= 1
                first = found.pop().start if near else start
                found.append(Link(first, start + len(own), word.link))
            start += length + 1
    return found


def emphasis_of(block: Block, text: str, starts: list[int]) -> list[Emphasis]:
    """Return the parts of a block's text that are set apart, whole words joined where they can be.

    starts: for each line of the block, where its words begin in `text`.
    """
    parts: list[tuple[int, frozenset[Style]]] = []
    for line, start in zip(block.lines, starts, strict=True):
        for word in [] if line.unsupported_script else line.words:
            parts.append((start, word.styles))
            start += len(word.repaired or word.text) + 1
    parts.reverse()
    found: list[Emphasis] = []
    for match in re.finditer(r"\S+", text):  # a word may be made of the ends of two lines
        styles = frozenset(Style)
        while parts and parts[-1][0] < match.end():
            styles &= parts.pop()[1]
        if found and found[-1].styles == styles and found[-1].end == match.start() - 1:
            found[-1] = Emphasis(found[-1].start, match.end(), styles)
        elif styles:
            found.append(Emphasis(match.start(), match.end(), styles))
    return found


def set_texts(pages: list[Page]) -> None:
    """Fill in the text of every block, in place, with the words of the whole document at hand.

    Lines in a script that the reader does not know stay in the record and out of the text.
    """
    lexicon = Lexicon.of(pages)
    for page in pages:
        for block in page.blocks:
            lines = [
                ""
                if line.unsupported_script
                else " ".join(word.repaired or word.text for word in line.words)
                for line in block.lines
            ]
            if block.kind is BlockKind.TABLE:
                block.text = "\n".join(_rows(block))
                fill_cells(block)
                continue
            if block.kind is BlockKind.CODE:
                continue  # its text was made from the places of its letters
            if block.kind is BlockKind.FIGURE:
                block.text = "\n".join(line for line in lines if line)
                continue
            divided = any(line[-1:] in _HYPHENS for line in lines if line)
            known = lexicon.in_language_of(" ".join(lines)) if divided else lexicon
            block.text, starts = join_lines(lines, known)
            if block.kind in EMPHASISED:
                block.emphasis = emphasis_of(block, block.text, starts)
            block.links = links_of(block, block.text, starts)
    before: Block | None = None
    for page in pages:
        for block in page.blocks:
            if block.goes_on and before is not None:
                _make_whole(before, block, lexicon)
            if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM) and block.text:
                before = block


def _make_whole(before: Block, block: Block, lexicon: Lexicon) -> None:
    """Give a word that is divided over two blocks to the first of them, in place."""
    if not before.text or before.text[-1] not in _HYPHENS or not block.text:
        return
    head, _, rest = block.text.partition(" ")
    before.text, _ = join_lines([before.text, head], lexicon)
    cut = len(block.text) - len(rest)
    shorter = block.without_start(cut)
    block.text, block.emphasis, block.links = shorter.text, shorter.emphasis, shorter.links


def _rows(block: Block) -> list[str]:
    """Return the rows of a table as lines: what stands on one height, with white between cells."""
    rows: list[str] = []
    last: Line | None = None
    for line in block.lines:
        if line.unsupported_script:
            continue
        text = "   ".join(cells_of([line]))
        if last is not None and _in_row(last, line):
            rows[-1] += "   " + text
        else:
            rows.append(text)
        last = line
    return rows


def _in_row(line: Line, other: Line) -> bool:
    """Return whether two lines of a table stand on one height."""
    off = abs(line.box.middle[1] - other.box.middle[1])
    return off < 0.5 * min(line.box.height, other.box.height)
