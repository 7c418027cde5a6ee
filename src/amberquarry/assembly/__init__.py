"""From pages to a document: the text of blocks, and the document around its pages."""

from amberquarry.assembly.paragraphs import join_lines, set_texts

__all__ = ["join_lines", "set_texts"]
