"""How far what was read is from what was written."""

from __future__ import annotations

from amberquarry import Page
from amberquarry.scoring.text import errors, plain


def error_rate(found: Page | str, wanted: str | list[str]) -> float:
    """Return character errors for each character that was written, blanks made alike."""
    text = found if isinstance(found, str) else found.text
    wanted = wanted if isinstance(wanted, str) else " ".join(wanted)
    return errors(plain(text), plain(wanted)) / max(1, len(plain(wanted)))


def in_order(text: str, parts: list[str]) -> bool:
    """Return whether all parts stand in the text, one after the other."""
    at = 0
    for part in parts:
        at = text.find(part, at)
        if at < 0:
            return False
        at += len(part)
    return True
