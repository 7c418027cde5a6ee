"""Bytes in, page pictures out: file types, images, PDF."""

from amberquarry.sources.opening import FileKind, Source, identify, kind_of, open_source
from amberquarry.sources.pictures import PagePicture

__all__ = ["FileKind", "PagePicture", "Source", "identify", "kind_of", "open_source"]
