"""Documents and pages as JSON records, and back."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np

from amberquarry.assembly import (
    contents_of,
    is_handwritten,
    is_mostly_picture,
    kinds_held,
    languages_of,
)
from amberquarry.formats.markdown import document_text
from amberquarry.settings import OutputSettings
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    DocumentData,
    Emphasis,
    Finding,
    FindingCode,
    Line,
    Origin,
    Page,
    Picture,
    PreparationStep,
    Step,
    Style,
    Word,
)

SCHEMA_VERSION = "1"


@lru_cache(maxsize=2)
def schema(name: str) -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of `page` or `document` records."""
    text = resources.files("amberquarry.formats").joinpath(f"{name}.schema.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def dump(record: dict[str, Any]) -> str:
    """Return a record as one line of JSON."""
    return json.dumps(record, ensure_ascii=False, separators=(",", ":"), allow_nan=False)


def _box(box: Box) -> list[float]:
    return [_short(value) for value in box]


def _short(value: float) -> float:
    value = round(float(value), 1)
    return int(value) if value == int(value) else value


def _styles(styles: frozenset[Style]) -> list[str]:
    return [style.value for style in Style if style in styles]


def _finding(finding: Finding) -> dict[str, Any]:
    return {"code": finding.code.value, "message": finding.message, "page": finding.page}


def word_record(word: Word, line: Line, characters: bool) -> dict[str, Any]:
    """Return a word: text, box, confidence, and quad and character boxes where there are any."""
    record: dict[str, Any] = {
        "text": word.text,
        "box": _box(word.box),
        "confidence": round(word.confidence, 3),
    }
    if word.repaired is not None:
        record["repaired"] = word.repaired
    if word.styles:
        record["styles"] = _styles(word.styles)
    if word.quad is not None:
        record["quad"] = [[_short(x), _short(y)] for x, y in word.quad]
    if characters:
        record["characters"] = [
            [_short(v) for v in row] for row in line.character_boxes[word.start : word.end]
        ]
    return record


def line_record(line: Line, characters: bool) -> dict[str, Any]:
    """Return a line with its words."""
    record: dict[str, Any] = {
        "box": _box(line.box),
        "text": line.text,
        "confidence": round(line.confidence, 3),
        "words": [word_record(word, line, characters) for word in line.words],
    }
    if line.unsupported_script:
        record["unsupported_script"] = True
    if line.handwritten:
        record["handwritten"] = True
    return record


def block_ids(pages: Iterable[Page]) -> dict[int, str]:
    """Return what the records call each block, by its identity."""
    return {
        id(block): f"p{page.number}b{number}"
        for page in pages
        for number, block in enumerate(page.blocks, start=1)
    }


def block_record(
    block: Block, ids: dict[int, str], characters: bool, pictures: str
) -> dict[str, Any]:
    """Return a block with its lines; what only some kinds have stands only there."""
    record: dict[str, Any] = {
        "id": ids[id(block)],
        "kind": block.kind.value,
        "box": _box(block.box),
        "text": block.text,
        "confidence": round(block.confidence, 3),
    }
    if block.level is not None:
        record["level"] = block.level
    if block.marker is not None:
        record["marker"], record["depth"] = block.marker, block.depth or 0
    if block.goes_on:
        record["goes_on"] = True
    if block.rotation:
        record["rotation"] = block.rotation
    if block.emphasis:
        record["emphasis"] = [
            {"start": start, "end": end, "styles": _styles(styles)}
            for start, end, styles in block.emphasis
        ]
    if block.picture is not None:
        record["image"] = pictures + block.picture.name
    if block.label is not None:
        record["label"] = block.label
    if block.caption is not None:
        record["caption"] = ids[id(block.caption)]
    if block.paragraphs:
        record["paragraphs"] = [ids[id(other)] for other in block.paragraphs if id(other) in ids]
    record["lines"] = [line_record(line, characters) for line in block.lines]
    return record


def page_record(
    page: Page,
    document: str,
    characters: bool = False,
    *,
    source: str = "",
    ids: dict[int, str] | None = None,
    pictures: str = "",
) -> dict[str, Any]:
    """Return the record of a page.

    source: of the document, which tells files of equal content apart.
    ids: from `block_ids`, of the whole document where blocks speak of others on other pages.
    pictures: what comes before the names of pictures, to say where they lie.
    """
    ids = block_ids([page]) if ids is None else ids
    return {
        "document": document,
        "source": source,
        "page": page.number,
        "source_page": page.source_page,
        "width": page.width,
        "height": page.height,
        "dpi": [round(v, 2) for v in page.dpi] if page.dpi else None,
        "rotation": page.rotation,
        "skew": page.skew,
        "preparation": [{"step": s.step.value, "why": s.why} for s in page.preparation],
        "origin": page.origin.value,
        "confidence": round(page.confidence, 3),
        "legibility": round(page.legibility, 4),
        "to_points": [round(v, 6) for v in page.to_points] if page.to_points else None,
        "findings": [_finding(f) for f in page.findings],
        "blocks": [block_record(block, ids, characters, pictures) for block in page.blocks],
    }


def _styles_of(record: dict[str, Any]) -> frozenset[Style]:
    return frozenset(Style(name) for name in record.get("styles", []))


def page_from_record(record: dict[str, Any]) -> Page:
    """Return the page of a record, without characters' boxes and blocks of other pages."""
    blocks = []
    for item in record["blocks"]:
        lines = []
        for row in item.get("lines", []):
            words, at = [], 0
            for word in row["words"]:
                start = max(0, row["text"].find(word["text"], at))
                at = start + len(word["text"])
                words.append(
                    Word(
                        word["text"],
                        Box(*word["box"]),
                        word["confidence"],
                        start,
                        at,
                        styles=_styles_of(word),
                        repaired=word.get("repaired"),
                    )
                )
            lines.append(
                Line(
                    row["text"],
                    Box(*row["box"]),
                    row["confidence"],
                    words,
                    np.zeros((0, 4), np.float32),
                    np.zeros(0, np.float32),
                    unsupported_script=row.get("unsupported_script", False),
                    handwritten=row.get("handwritten", False),
                )
            )
        blocks.append(
            Block(
                BlockKind(item["kind"]),
                Box(*item["box"]),
                lines,
                item.get("level"),
                item["text"],
                item.get("rotation", 0),
                [Emphasis(e["start"], e["end"], _styles_of(e)) for e in item.get("emphasis", [])],
                item.get("goes_on", False),
                item.get("marker"),
                item.get("depth"),
                Picture(item["image"]) if "image" in item else None,
                item.get("label"),
            )
        )
    by_id = {item["id"]: block for item, block in zip(record["blocks"], blocks, strict=True)}
    for item, block in zip(record["blocks"], blocks, strict=True):
        block.caption = by_id.get(item.get("caption"))
        block.paragraphs = [by_id[i] for i in item.get("paragraphs", []) if i in by_id]
    dpi = record.get("dpi")
    findings = [
        Finding(FindingCode(f["code"]), f["message"], f["page"]) for f in record.get("findings", [])
    ]
    return Page(
        record["page"],
        record["width"],
        record["height"],
        tuple(dpi) if dpi else None,
        record.get("rotation", 0),
        record.get("skew", 0.0),
        Origin(record.get("origin", "scan")),
        blocks,
        findings,
        preparation=[
            PreparationStep(Step(s["step"]), s["why"]) for s in record.get("preparation", [])
        ],
        source_page=record.get("source_page", 0),
        legibility=record.get("legibility", 0.0),
    )


def document_record(
    document: DocumentData, made_by: dict[str, str], output: OutputSettings | None = None
) -> dict[str, Any]:
    """Return the record of a document; its text is Markdown if `output` says nothing else."""
    text, spans = document_text(document, output)
    pages = [
        {
            "page": page.number,
            "start": start,
            "end": end,
            "confidence": round(page.confidence, 3),
            "legibility": round(page.legibility, 4),
            "words": sum(1 for _ in page.words),
            "blank": not page.blocks,
            "holds": kinds_held(page),
            "mostly_picture": is_mostly_picture(page),
            "handwritten": is_handwritten(page),
            "turned": page.rotation != 0,
        }
        for page, (start, end) in zip(document.pages, spans, strict=True)
    ]
    heading = next((b.text for b in document.blocks(BlockKind.HEADING) if b.text), None)
    return {
        "document": document.identifier,
        "source": document.source,
        "title": document.file_info.get("Title") or heading,
        "languages": [
            {"language": name, "share": round(share, 3)}
            for name, share in languages_of(document.pages).items()
        ],
        "text": text,
        "contents": [asdict(entry) for entry in contents_of(document.pages)],
        "pages": pages,
        "file_info": document.file_info,
        "findings": [_finding(f) for f in document.findings],
        "made_by": made_by,
        "schema": SCHEMA_VERSION,
    }
