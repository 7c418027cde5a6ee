"""Bytes in, page pictures out: file types, images, PDF."""

from amberquarry.sources.opening import FileKind, PagePicture, Source, kind_of, open_source

__all__ = ["FileKind", "PagePicture", "Source", "kind_of", "open_source"]
