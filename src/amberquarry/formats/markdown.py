"""The text of documents as GitHub-flavoured Markdown, or plain."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import PurePosixPath
from urllib.parse import quote

from amberquarry.assembly.paragraphs import EMPHASISED
from amberquarry.kinds.settling import plain_figures
from amberquarry.settings import OutputSettings, TextForm
from amberquarry.sheet.signs import BULLETS
from amberquarry.values import RUNNING, Block, BlockKind, DocumentData, Emphasis, Page, Style

_SPECIAL = re.compile(r"([\\`*\[\]<>|~$]|(?<![^\W_])_|_(?![^\W_]))")
# Signs that begin a heading, list or quotation, and lines of nothing but dashes or equals signs:
# those are rules, or make a heading of what stands above them.
_LINE_START = re.compile(r"^(\s*)(#{1,6}(?=\s|$)|[-+](?=\s|$)|=+\s*$|-[-\s]*$|>)")
_NUMBER_START = re.compile(r"^(\s*\d{1,9})([.)])(?=\s|$)")
_CLOSING = re.compile(r"(?<!\\)(#+)$")  # would be taken for the end of a heading's mark-up
# Code points that no text holds (noncharacters of Unicode) stand for mark-up until the text
# around it is escaped.
_MARKUP = {
    "\ufdd0": "**",
    "\ufdd1": "*",
    "\ufdd2": "<sup>",
    "\ufdd3": "</sup>",
    "\ufdd4": "<sub>",
    "\ufdd5": "</sub>",
}
_SIGNS = {
    Style.BOLD: ("\ufdd0", "\ufdd0"),
    Style.ITALIC: ("\ufdd1", "\ufdd1"),
    Style.SUPERSCRIPT: ("\ufdd2", "\ufdd3"),
    Style.SUBSCRIPT: ("\ufdd4", "\ufdd5"),
}
_SIGN = re.compile("[\ufdd0-\ufdd5]")
_CALL = "\ufdd6"  # of a note, until the text around it is escaped
_LINK, _LINKED = "\ufdd7", "\ufdd8"  # where a link begins and ends
_IN_ADDRESS = "/:?#@!$&'*+,;=%~"  # that stand for themselves in the address of a link
_RAISED_FIGURES = re.compile("[⁰¹²³⁴⁵⁶⁷⁸⁹]+")
_NOTE_MARK = re.compile(r"\s*([⁰¹²³⁴⁵⁶⁷⁸⁹]{1,3}|\d{1,3}|[*†‡§¶]{1,3}|[a-z](?=[.)\s]))[.)]?")
_LABELS = {"*": "star", "**": "star2", "***": "star3", "†": "dagger", "‡": "double-dagger",
           "§": "section", "¶": "pilcrow"}  # fmt: skip
_NO_LINE = re.compile(r"\s*(?:[-=+*\s]*|\d{1,9}[.)])$")  # alone it is a rule or an empty item
_STARTS_BLOCK = re.compile(r"[-+*>#=~`|]|\d{1,9}[.)]")  # of a line, for a reader of Markdown
_LONGEST_NAME = 80  # letters that stand for a picture
_AMPERSAND = re.compile(r"&(?=#?\w+;)")


def escape_inline(text: str) -> str:
    """Return `text` so that Markdown shows it as it is inside a line."""
    return _AMPERSAND.sub("&amp;", _SPECIAL.sub(r"\\\1", text))


def escape(text: str) -> str:
    """Return `text` so that Markdown shows it as it is, whatever stands in it."""
    text = escape_inline(text)
    text = _LINE_START.sub(lambda m: m[1] + "\\" + m[2], text)
    return _NUMBER_START.sub(r"\1\\\2", text)


@dataclass(slots=True)
class _Unit:
    """A block of the text, and it and those in which it goes on as text."""

    block: Block
    parts: list[tuple[int, str]]  # each with the index of its page
    indent: str = ""  # of an item: what stands over it in the lists that hold it


def block_to_markdown(block: Block, notes: Mapping[str, str] | None = None) -> str:
    """Return one block; '' where it has no text.

    notes: labels of the page's notes by their marks: raised marks become calls of them.
    """
    notes = notes or {}
    if not block.text.strip():
        return ""
    if block.kind is BlockKind.HEADING:
        text = _CLOSING.sub(r"\\\1", escape_inline(block.text.strip()))
        return "#" * min(6, block.level or 2) + " " + text
    if block.kind is BlockKind.TABLE:
        return "  \n".join(escape(row.strip()) for row in block.text.split("\n"))
    if block.kind is BlockKind.CODE:
        return _fenced(block.text)
    if block.kind is BlockKind.ITEM and block.marker:
        sign, rest = list_marker(block.marker), _without(block, len(block.marker))
        kept = "" if sign != "- " or block.marker in BULLETS else escape(block.marker) + " "
        return sign + kept + emphasise(rest, notes)
    called = _NOTE_MARK.match(block.text) if block.kind is BlockKind.FOOTNOTE else None
    if called and (mark := plain_figures(called[1])) in notes:
        own = {key: label for key, label in notes.items() if key != mark}
        return f"[^{notes[mark]}]: {emphasise(_without(block, called.end()), own)}"
    return emphasise(block, notes)


def _fenced(text: str) -> str:
    """Return lines of code between fences longer than any that stand in them."""
    longest = max((len(run) for run in re.findall("`+", text)), default=0)
    fence = "`" * max(3, longest + 1)
    return f"{fence}\n{text}\n{fence}"


def list_marker(marker: str) -> str:
    """Return the marker that Markdown has for a bullet or number."""
    return f"{marker} " if re.fullmatch(r"\d{1,9}[.)]", marker) else "- "


def _without(block: Block, length: int) -> Block:
    """Return a block less the first `length` letters of its text and the spaces after them."""
    cut = len(block.text) - len(block.text[length:].lstrip())
    return block.without_start(cut)


def note_mark(text: str) -> str:
    """Return the plain sign or figure with which a note begins, '' where there is none."""
    found = _NOTE_MARK.match(text)
    return plain_figures(found[1]) if found else ""


def notes_of(page: Page) -> dict[str, str]:
    """Return the labels of a page's notes that its text calls, by their marks."""
    notes = {
        mark: f"p{page.number}-{_LABELS.get(mark, mark)}"
        for block in page.blocks
        if block.kind is BlockKind.FOOTNOTE and (mark := note_mark(block.text))
    }
    called = {
        mark
        for block in page.blocks
        if block.kind in EMPHASISED and block.kind is not BlockKind.FOOTNOTE
        for _, _, mark in _calls(block)
    }
    return {mark: label for mark, label in notes.items() if mark in called}


def _calls(block: Block) -> Iterator[tuple[int, int, str]]:
    """Yield where raised marks stand in a block's text, and their plain form."""
    raised = [(e.start, e.end) for e in block.emphasis if Style.SUPERSCRIPT in e.styles] + [
        match.span() for match in _RAISED_FIGURES.finditer(block.text)
    ]
    for start, end in sorted(set(raised)):
        yield start, end, plain_figures(block.text[start:end]).strip()


def emphasise(block: Block, notes: Mapping[str, str] | None = None) -> str:
    """Return the block's text escaped, with `**`, `*`, raised and lowered words and calls of notes.

    Words of one style stand together, parted from others by a space, so that no mark stands
    inside another and each is next to a space or the text's end.
    """
    calls = [(start, end, notes[mark]) for start, end, mark in _calls(block) if mark in notes] if (
        notes
    ) else []  # fmt: skip
    marks: dict[int, tuple[str, str]] = {}  # what closes, and what opens, at places of the text
    for start, end, styles in _cut_at_links(block):
        if any(a < end and start < b for a, b, _ in calls):
            continue
        opening = "".join(_SIGNS[style][0] for style in Style if style in styles)
        closing = "".join(_SIGNS[style][1] for style in reversed(Style) if style in styles)
        marks[start] = (marks.get(start, ("", ""))[0], opening)
        marks[end] = (closing, marks.get(end, ("", ""))[1])
    for start, end, _ in block.links:
        closing, opening = marks.get(start, ("", ""))
        marks[start] = (closing, _LINK + opening)
        closing, opening = marks.get(end, ("", ""))
        marks[end] = (closing + _LINKED, opening)
    replaced = {start: end for start, end, _ in calls}
    parts, at = [], 0
    for place in sorted({*marks, *replaced}):
        if place < at:
            continue
        parts += [block.text[at:place], *marks.get(place, ())]
        at = place
        if place in replaced:
            parts.append(_CALL)
            at = replaced[place]
    text = escape("".join([*parts, block.text[at:]]).strip())
    labels, uris = [label for *_, label in calls], [link.uri for link in block.links]
    text = re.sub(rf" ?{_CALL}", lambda _: f"[^{labels.pop(0)}]", text)
    text = re.sub(_LINKED, lambda _: f"]({quote(uris.pop(0), _IN_ADDRESS)})", text)
    return _SIGN.sub(lambda match: _MARKUP[match[0]], text.replace(_LINK, "["))


def _cut_at_links(block: Block) -> Iterator[Emphasis]:
    """Yield what is set apart, cut where links begin and end: no mark stands across another."""
    edges = sorted({edge for start, end, _ in block.links for edge in (start, end)})
    for start, end, styles in block.emphasis:
        cuts = [start, *(edge for edge in edges if start < edge < end), end]
        for first, last in itertools.pairwise(cuts):
            inner = block.text[first:last]
            left = first + len(inner) - len(inner.lstrip())
            right = last - (len(inner) - len(inner.rstrip()))
            if left < right:
                yield Emphasis(left, right, styles)


def page_to_markdown(page: Page) -> str:
    """Return the blocks of a page without running heads and feet, parted by empty lines."""
    text, [(start, end)] = document_text(
        DocumentData("", "", [page]), OutputSettings(page_marks=False, link_figures=False)
    )
    return text[start:end]


class _Writer:
    """How blocks are written: as Markdown."""

    def __init__(self, document: DocumentData, output: OutputSettings) -> None:
        self.output, self.folder = output, f"{PurePosixPath(document.source).name}.figures"
        self.notes = [notes_of(page) for page in document.pages]
        self.captions = {b.id: b.text for b in document.blocks(BlockKind.CAPTION)}

    def block(self, block: Block, page: int) -> str:
        """Return a block; '' where nothing of it belongs to the text. page: its index."""
        if block.kind is BlockKind.FIGURE:
            return self._figure(block) if self.output.link_figures else ""
        return block_to_markdown(block, self.notes[page])

    def page_mark(self, page: Page) -> str:
        """Return what says that a page begins."""
        return f"<!-- page {page.number} -->"

    def marker(self, block: Block) -> str:
        """Return what an item begins with."""
        return list_marker(block.marker or "")

    def _figure(self, block: Block) -> str:
        """Return a figure as a link to its picture, shown with what its caption calls it."""
        if block.picture is None:
            return ""
        caption = self.captions.get(block.caption or "", "figure")
        name = block.label or caption[:_LONGEST_NAME]
        return f"![{escape_inline(name)}]({quote(f'{self.folder}/{block.picture.name}')})"


class _PlainWriter(_Writer):
    """How blocks are written without any marks."""

    def block(self, block: Block, page: int) -> str:
        """Return the block's text as it stands."""
        return "" if block.kind is BlockKind.FIGURE else block.text.strip("\n")

    def page_mark(self, page: Page) -> str:
        """Return a form feed, which starts a page in plain text."""
        return "\f" if page.number > 1 else ""

    def marker(self, block: Block) -> str:
        """Return the item's own marker, by whose length those inside it are moved in."""
        return f"{block.marker} "


def _units(pages: list[Page], writer: _Writer) -> list[_Unit]:
    """Return what the text of some pages is made of."""
    units: list[_Unit] = []
    last: _Unit | None = None  # that may go on
    widths: list[int] = []
    for index, page in enumerate(pages):
        for block in page.blocks:
            text = "" if block.kind in RUNNING else writer.block(block, index)
            if not text.strip():
                continue
            if block.goes_on and last is not None:
                last.parts.append((index, text))
                continue
            unit = _Unit(block, [(index, text)])
            if block.kind is BlockKind.ITEM and block.marker:
                depth = min(block.depth or 0, len(widths))
                unit.indent = " " * sum(widths[:depth])
                widths = [*widths[:depth], len(writer.marker(block))]
            else:
                widths = []
            if block.kind in (BlockKind.PARAGRAPH, BlockKind.ITEM):
                last = unit
            units.append(unit)
    return units


def _joined(unit: _Unit, width: int) -> tuple[str, list[int]]:
    """Return the text of a unit, and where in it each of its parts begins."""
    text, starts = "", []
    for _, part in unit.parts:
        text += " " if text else unit.indent
        starts.append(len(text))
        text += part
    return (wrapped(text, width) if width and unit.block.kind in EMPHASISED else text), starts


def wrapped(text: str, width: int) -> str:
    """Return a paragraph with line ends in place of some spaces, so that lines stay within `width`.

    Never before what would begin a list, heading or quotation at a line's start, nor after what
    would be a rule or an empty item by itself.
    """
    out, column, start = list(text), 0, 0
    last: int | None = None  # space at which the line may end
    for at, sign in enumerate(text):
        if sign == "\n":
            column, start, last = 0, at + 1, None
            continue
        if (
            sign == " "
            and not _STARTS_BLOCK.match(text, at + 1)
            and not _NO_LINE.fullmatch(text, start, at)
        ):
            last = at
        column += 1
        if column > width and last is not None:
            out[last] = "\n"
            column, start, last = at - last, last + 1, None
    return "".join(out)


def _between(units: list[_Unit], number: int) -> str:
    """Return what parts a unit from the one before it."""
    both = (units[number - 1].block, units[number].block)
    return "\n" if all(b.kind is BlockKind.ITEM and b.marker for b in both) else "\n\n"


def document_text(
    document: DocumentData, output: OutputSettings | None = None
) -> tuple[str, list[tuple[int, int]]]:
    """Return the document's text and each page's span in it, in code points.

    Where a paragraph goes on over the end of a page, what says that the page begins stands after
    the paragraph, and the page's span begins inside it.
    """
    output = output or OutputSettings()
    made = _Writer if output.text_form is TextForm.MARKDOWN else _PlainWriter
    writer, pages = made(document, output), document.pages
    units = _units(pages, writer)
    parts: list[str] = []
    length = 0
    spans: list[list[int]] = []

    def add(text: str) -> None:
        nonlocal length
        parts.append(text)
        length += len(text)

    def begin(upto: int) -> None:
        """Begin the pages up to one of them."""
        while len(spans) <= upto:
            mark = writer.page_mark(pages[len(spans)]) if output.page_marks else ""
            add(("\n\n" if length and mark else "") + mark)
            begun, at = going.get(len(spans)), length + (2 if length else 0)
            spans.append(begun if begun else [at, at])

    going: dict[int, list[int]] = {}  # spans of pages whose text begins inside a paragraph
    for number, unit in enumerate(units):
        first = unit.parts[0][0]
        new_page = len(spans) <= first
        begin(first)
        body, starts = _joined(unit, output.line_width)
        if length:
            add("\n\n" if new_page or not number else _between(units, number))
        base = length
        add(body)
        for (index, _), start, end in zip(
            unit.parts, starts, [*[s - 1 for s in starts[1:]], len(body)], strict=True
        ):
            if index < len(spans):
                spans[index][1] = base + end
            else:
                going[index] = [going.get(index, [base + start])[0], base + end]
    begin(len(pages) - 1)
    whole = "".join(parts) + "\n"
    return whole, [(min(start, len(whole)), max(start, end)) for start, end in spans]
