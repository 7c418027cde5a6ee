"""Blocks of a page before they are read."""

from __future__ import annotations

from dataclasses import dataclass, field

from amberquarry.sheet.measuring import TextLine
from amberquarry.values import BlockKind, Box


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class Region:
    """A block of a page before it is read."""

    kind: BlockKind
    box: Box
    lines: list[TextLine] = field(default_factory=list)
    headline: int = 0  # 1 to 3 where its type is larger than the text's, 1 the largest
