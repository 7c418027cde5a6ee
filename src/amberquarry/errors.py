"""The errors of Amber Quarry.

    QuarryError
    ├── SourceError       a file can't be used; carries a rejection reason
    ├── PageError         one page can't be processed
    ├── ModelError        a model file is missing, foreign or damaged
    ├── LearningError     labelled lines that can't be learnt from
    ├── SettingsError     a setting has a wrong name or value
    ├── RunFolderError    a run folder can't be written, read or continued
    └── WorkerError       worker processes can't be started

A caller's mistake in a call raises ValueError or TypeError; a doubtful page is a Finding in the
result and raises nothing.
"""

from __future__ import annotations

from enum import StrEnum


class Rejection(StrEnum):
    """Why a file was not converted."""

    DAMAGED = "damaged"
    ENCRYPTED = "encrypted"
    UNSUPPORTED = "unsupported"
    EMPTY = "empty"
    TOO_LARGE = "too-large"
    UNREADABLE = "unreadable"
    FAILED = "failed"


class QuarryError(Exception):
    """Base of all errors that say that something could not be used."""


class SourceError(QuarryError):
    """A file could not be used."""

    def __init__(self, reason: Rejection, message: str) -> None:
        super().__init__(reason, message)  # all arguments: kept by pickle
        self.reason, self.message = reason, message

    def __str__(self) -> str:
        return self.message


class PageError(QuarryError):
    """One page could not be processed."""

    def __init__(self, page_index: int, message: str) -> None:
        super().__init__(page_index, message)
        self.page_index, self.message = page_index, message

    def __str__(self) -> str:
        return f"page {self.page_index + 1}: {self.message}"


class ModelError(QuarryError):
    """A model file could not be used."""


class LearningError(QuarryError):
    """Labelled lines that can't be learnt from."""


class SettingsError(QuarryError):
    """A setting has a wrong name or value."""


class RunFolderError(QuarryError):
    """A run folder can't be written, read or continued."""


class WorkerError(QuarryError):
    """Worker processes can't be started."""


def our_fault(error: Exception) -> str:
    """Return the message for what went wrong in our own code."""
    return f"our own fault ({error!r}); please report it"
