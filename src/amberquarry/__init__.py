"""Amber Quarry turns scanned pages into structured text with a place for every word."""

from amberquarry.document import (
    Block,
    BlockKind,
    Box,
    Document,
    Emphasis,
    Finding,
    FindingCode,
    Line,
    Page,
    PreparationStep,
    Step,
    Style,
    Word,
)
from amberquarry.errors import (
    LearningError,
    ModelError,
    PageError,
    QuarryError,
    Rejection,
    RunFolderError,
    SettingsError,
    SourceError,
)
from amberquarry.library import read_document, read_line, read_page
from amberquarry.runs import Progress, RunSummary, convert
from amberquarry.settings import Limits, Settings

__all__ = [
    "Block",
    "BlockKind",
    "Box",
    "Document",
    "Emphasis",
    "Finding",
    "FindingCode",
    "LearningError",
    "Limits",
    "Line",
    "ModelError",
    "Page",
    "PageError",
    "PreparationStep",
    "Progress",
    "QuarryError",
    "Rejection",
    "RunFolderError",
    "RunSummary",
    "Settings",
    "SettingsError",
    "SourceError",
    "Step",
    "Style",
    "Word",
    "convert",
    "read_document",
    "read_line",
    "read_page",
]
