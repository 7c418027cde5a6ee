"""Documents as GitHub-flavoured Markdown."""

from __future__ import annotations

import re

from amberquarry.document import Block, BlockKind, Document, Page, Style

_SPECIAL = re.compile(r"([\\`*_\[\]<>|~])")
_LINE_START = re.compile(r"^(\s*)(#{1,6}(?=\s|$)|[-+](?=\s|$)|={2,}\s*$|-{3,}\s*$|>)")
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
_AMPERSAND = re.compile(r"&(?=#?\w+;)")


def escape(text: str) -> str:
    """Return `text` so that Markdown shows it as it is, whatever stands in it."""
    text = _AMPERSAND.sub("&amp;", _SPECIAL.sub(r"\\\1", text))
    text = _LINE_START.sub(lambda m: m[1] + "\\" + m[2], text)
    return _NUMBER_START.sub(r"\1\\\2", text)


def block_to_markdown(block: Block) -> str:
    """Return one block; '' where it has no text."""
    if not block.text.strip():
        return ""
    if block.kind is BlockKind.HEADING:
        text = _CLOSING.sub(r"\\\1", escape(block.text.strip()))
        return "#" * min(6, block.level or 2) + " " + text
    if block.kind is BlockKind.TABLE:
        return "  \n".join(escape(row.strip()) for row in block.text.split("\n"))
    return emphasise(block)


def emphasise(block: Block) -> str:
    """Return the block's text escaped, with `**`, `*` and raised or lowered words marked up.

    Words of one style stand together, parted from others by a space, so that no mark stands
    inside another and each is next to a space or the text's end.
    """
    parts, at = [], 0
    for start, end, styles in block.emphasis:
        opening = "".join(_SIGNS[style][0] for style in Style if style in styles)
        closing = "".join(_SIGNS[style][1] for style in reversed(Style) if style in styles)
        parts += [block.text[at:start], opening, block.text[start:end], closing]
        at = end
    text = escape("".join([*parts, block.text[at:]]).strip())
    return _SIGN.sub(lambda match: _MARKUP[match[0]], text)


def page_to_markdown(page: Page) -> str:
    """Return the blocks of a page, parted by empty lines."""
    return "\n\n".join(part for block in page.blocks if (part := block_to_markdown(block)))


def document_to_markdown(document: Document) -> tuple[str, list[tuple[int, int]]]:
    """Return the document's Markdown and each page's span in it, in code points.

    Every page starts with a comment that names it.
    """
    parts: list[str] = []
    spans: list[tuple[int, int]] = []
    at = 0
    for page in document.pages:
        mark = f"<!-- page {page.number} -->"
        body = page_to_markdown(page)
        text = f"{mark}\n\n{body}\n\n" if body else f"{mark}\n\n"
        start = at + len(mark) + 2
        spans.append((start, start + len(body)))
        parts.append(text)
        at += len(text)
    return "".join(parts).rstrip("\n") + "\n", spans
