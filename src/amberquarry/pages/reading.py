"""The page of a sheet that was laid out, with what should be known about it."""

from __future__ import annotations

from amberquarry.layer.characters import Characters
from amberquarry.layer.texts import MixedTexts
from amberquarry.pages.compose import compose
from amberquarry.pages.laying import Stages
from amberquarry.reading.line_reader import InkTexts, LineReader
from amberquarry.settings import Settings
from amberquarry.sheet.sheet import Texts
from amberquarry.sources import PagePicture
from amberquarry.values import (
    LOW_CONFIDENCE,
    Finding,
    FindingCode,
    Page,
    PreparationStep,
    Step,
)


def read_laid_out(
    picture: PagePicture,
    number: int,
    stages: Stages,
    reader: LineReader,
    settings: Settings,
    layer: Characters | None = None,
) -> Page:
    """Return what is on a page that was laid out, in its level frame.

    layer: characters in the pixels of the picture, which say what stands where they lie.
    """
    prepared, sheet = stages.prepared, stages.sheet
    texts: Texts = InkTexts(prepared.grey, stages.ink, reader)
    if layer is not None:
        texts = MixedTexts(layer.moved(sheet.frame.to_source.inverse()), texts)
    height, width = picture.grey.shape
    page = Page(
        number,
        width,
        height,
        picture.dpi,
        rotation=prepared.turned,
        skew=round(prepared.skew, 2),
        blocks=compose(sheet, texts, stages.aside),
        findings=[*picture.findings],
        to_points=picture.to_points,
        preparation=[*prepared.steps],
        frame=sheet.frame,
    )
    if prepared.turned:
        page.preparation.append(PreparationStep(Step.TURN, "it reads better so"))
    page.findings += _doubts(page, stages.unsure)
    return page


def _doubts(page: Page, unsure: bool) -> list[Finding]:
    """Return what a user should know about how a page was read. unsure: of its position."""
    found: list[tuple[FindingCode, str]] = []
    if unsure:
        what = "head and foot of the page look alike to the reader"
        found.append((FindingCode.ORIENTATION_UNSURE, what))
    unsupported = sum(line.unsupported_script for block in page.blocks for line in block.lines)
    if unsupported:
        what = f"{unsupported} lines in letters that the reader does not know"
        found.append((FindingCode.UNSUPPORTED_SCRIPT, what))
    if page.blocks and 0 < page.confidence < LOW_CONFIDENCE:
        what = f"mean confidence of the words is {page.confidence:.2f}"
        found.append((FindingCode.LOW_CONFIDENCE, what))
    return [Finding(code, what, page.number) for code, what in found]
