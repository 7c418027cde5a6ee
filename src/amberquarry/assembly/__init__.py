"""From pages to a document: page numbers, the text of blocks, and the document around its pages."""

from amberquarry.assembly.numbering import number_pages
from amberquarry.assembly.paragraphs import join_lines, set_texts

__all__ = ["join_lines", "number_pages", "set_texts"]
