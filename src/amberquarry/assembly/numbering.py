"""Count the pages of a document."""

from __future__ import annotations

from dataclasses import replace

from amberquarry.values import Page


def number_pages(pages: list[Page]) -> None:
    """Number pages in place, in their order: as in the file, later by one for each split spread."""
    last = 0
    for page in pages:
        page.number = last = max(last + 1, page.source_page)
        page.findings = [replace(finding, page=page.number) for finding in page.findings]
