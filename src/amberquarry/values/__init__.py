"""The values that every stage speaks in, without the code of any stage."""

from amberquarry.values.document import DocumentData
from amberquarry.values.geometry import Bend, Box, Frame, Mapping, Points, Quad
from amberquarry.values.page import (
    LOW_CONFIDENCE,
    RUNNING,
    Block,
    BlockKind,
    Emphasis,
    Finding,
    FindingCode,
    Origin,
    Page,
    Picture,
    PreparationStep,
    Step,
)
from amberquarry.values.places import (
    at_source,
    box_at_source,
    mapped_blocks,
    mapped_box,
    mapped_line,
)
from amberquarry.values.text import UNKNOWN, Line, Style, Word, legibility_of, weighted_confidence

__all__ = [
    "LOW_CONFIDENCE",
    "RUNNING",
    "UNKNOWN",
    "Bend",
    "Block",
    "BlockKind",
    "Box",
    "DocumentData",
    "Emphasis",
    "Finding",
    "FindingCode",
    "Frame",
    "Line",
    "Mapping",
    "Origin",
    "Page",
    "Picture",
    "Points",
    "PreparationStep",
    "Quad",
    "Step",
    "Style",
    "Word",
    "at_source",
    "box_at_source",
    "legibility_of",
    "mapped_blocks",
    "mapped_box",
    "mapped_line",
    "weighted_confidence",
]
