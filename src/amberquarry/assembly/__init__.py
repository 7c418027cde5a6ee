"""From pages to a document: the text of blocks, and the document around its pages."""

from amberquarry.assembly.paragraphs import joined_text, set_texts

__all__ = ["joined_text", "set_texts"]
