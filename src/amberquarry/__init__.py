"""Amber Quarry turns scanned pages into structured text with a place for every word."""

from amberquarry.document import Document
from amberquarry.errors import (
    LearningError,
    ModelError,
    PageError,
    QuarryError,
    Rejection,
    RunFolderError,
    SettingsError,
    SourceError,
    WorkerError,
)
from amberquarry.library import read_document, read_line, read_page
from amberquarry.runs import Progress, RunSummary, convert
from amberquarry.settings import Limits, OutputSettings, Settings, TextForm
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Emphasis,
    Finding,
    FindingCode,
    Line,
    Page,
    Picture,
    PreparationStep,
    Step,
    Style,
    Word,
)

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
    "OutputSettings",
    "Page",
    "PageError",
    "Picture",
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
    "TextForm",
    "Word",
    "WorkerError",
    "convert",
    "read_document",
    "read_line",
    "read_page",
]
