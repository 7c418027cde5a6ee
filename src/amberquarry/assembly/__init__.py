"""From pages to a document: page numbers, its structure, and the text of blocks."""

from amberquarry.assembly.captions import join_captions
from amberquarry.assembly.doubtful import leave_out_doubtful
from amberquarry.assembly.facts import (
    contents_of,
    is_handwritten,
    is_mostly_picture,
    kinds_held,
    languages_of,
)
from amberquarry.assembly.numbering import number_pages
from amberquarry.assembly.paragraphs import Lexicon, join_lines, set_texts
from amberquarry.assembly.structure import (
    find_joints,
    set_levels,
    set_markers,
    settle_payloads,
    settle_running,
)
from amberquarry.values import Page, at_source

__all__ = [
    "Lexicon",
    "assemble",
    "contents_of",
    "is_handwritten",
    "is_mostly_picture",
    "join_lines",
    "kinds_held",
    "languages_of",
    "number_pages",
    "set_texts",
]


def assemble(pages: list[Page], least_confidence: float = 0.0) -> None:
    """Make pages one document, in place: numbers, running heads, levels, lists, texts.

    Words below a confidence are left out. Last of all, boxes go from the level frame of each page
    to the source.
    """
    leave_out_doubtful(pages, least_confidence)
    number_pages(pages)
    settle_running(pages)
    settle_payloads(pages)
    set_levels(pages)
    set_markers(pages)
    find_joints(pages)
    set_texts(pages)
    join_captions(pages)
    for page in pages:
        at_source(page)
