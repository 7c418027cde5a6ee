"""Documents and pages as JSON records, and back."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict
from functools import lru_cache
from importlib import resources
from pathlib import PurePosixPath
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amberquarry.assembly import (
    contents_of,
    is_handwritten,
    is_mostly_picture,
    kinds_held,
    languages_of,
)
from amberquarry.formats.markdown import document_text
from amberquarry.formats.pictures import picture_records
from amberquarry.settings import OutputSettings
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Cell,
    Direction,
    DocumentData,
    Emphasis,
    Equation,
    Figure,
    FileFacts,
    Finding,
    FindingCode,
    Item,
    Line,
    Link,
    Origin,
    OutlineEntry,
    Page,
    Payload,
    Picture,
    PreparationStep,
    Quad,
    Step,
    Style,
    Table,
    Word,
)

SCHEMA_VERSION = "2"
_READ = ("1", SCHEMA_VERSION)  # versions that can be read; 1 lacks base lines, cells and sizes


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


def _points(points: Iterable[tuple[float, float]]) -> list[list[float]]:
    return [[_short(x), _short(y)] for x, y in points]


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
    if word.link is not None:
        record["link"] = word.link
    if word.quad is not None:
        record["quad"] = _points(word.quad)
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
    }
    if line.x_height > 0:
        record["x_height"] = round(line.x_height, 2)
    if line.baseline is not None:
        record["baseline"] = _points(line.baseline)
    if line.quad is not None:
        record["quad"] = _points(line.quad)
    record["words"] = [word_record(word, line, characters) for word in line.words]
    if line.unsupported_script:
        record["unsupported_script"] = True
    if line.handwritten:
        record["handwritten"] = True
    if line.direction is not Direction.LEFT_TO_RIGHT:
        record["direction"] = line.direction.value
    return record


def table_record(table: Table) -> dict[str, Any]:
    """Return a table with its cells; what only some cells have stands only there."""
    cells = []
    for cell in table.cells:
        record: dict[str, Any] = {"row": cell.row, "column": cell.column}
        if cell.row_span > 1:
            record["row_span"] = cell.row_span
        if cell.column_span > 1:
            record["column_span"] = cell.column_span
        if cell.header:
            record["header"] = True
        cells.append({**record, "text": cell.text, "box": _box(cell.box)})
    return {"rows": table.rows, "columns": table.columns, "ruled": table.ruled, "cells": cells}


def block_record(block: Block, characters: bool, pictures: str) -> dict[str, Any]:
    """Return a block with its lines; what only some kinds have stands only there."""
    record: dict[str, Any] = {
        "id": block.id,
        "kind": block.kind.value,
        "box": _box(block.box),
        "text": block.text,
        "confidence": round(block.confidence, 3),
        "origin": block.origin.value,
    }
    if block.level is not None:
        record["level"] = block.level
    if isinstance(block.payload, Item):
        if block.payload.marker is not None:
            record["marker"] = block.payload.marker
        record["depth"] = block.payload.depth
    if block.goes_on:
        record["goes_on"] = True
    if block.rotation:
        record["rotation"] = block.rotation
    if block.emphasis:
        record["emphasis"] = [
            {"start": start, "end": end, "styles": _styles(styles)}
            for start, end, styles in block.emphasis
        ]
    if block.links:
        record["links"] = [link._asdict() for link in block.links]
    if block.table is not None:
        record["table"] = table_record(block.table)
    if block.picture is not None:
        record["image"] = pictures + block.picture.name
    if block.label is not None:
        record["label"] = block.label
    if block.caption is not None:
        record["caption"] = block.caption
    if block.paragraphs:
        record["paragraphs"] = block.paragraphs
    record["lines"] = [line_record(line, characters) for line in block.lines]
    if block.origin is Origin.MIXED:
        for line, row in zip(block.lines, record["lines"], strict=True):
            row["origin"] = line.origin.value
    return record


def page_record(
    page: Page,
    document: str,
    characters: bool = False,
    *,
    source: str = "",
    pictures: str = "",
) -> dict[str, Any]:
    """Return the record of a page.

    source: of the document, which tells files of equal content apart.
    pictures: what comes before the names of pictures, to say where they lie.
    """
    return {
        "document": document,
        "source": source,
        "page": page.number,
        "schema": SCHEMA_VERSION,
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
        "blocks": [block_record(block, characters, pictures) for block in page.blocks],
    }


def _styles_of(record: dict[str, Any]) -> frozenset[Style]:
    return frozenset(Style(name) for name in record.get("styles", []))


def page_from_record(record: dict[str, Any]) -> Page:
    """Return the page of a record.

    Records of schema 1 lack base lines, sizes of type, quads of lines and cells of tables; the page
    has none then. Raises ValueError for a schema of a later version.
    """
    version = str(record.get("schema", "1"))
    if version not in _READ:
        raise ValueError(
            f"records of schema {version} come from a later version of Amber Quarry; this one "
            f"reads up to {SCHEMA_VERSION}"
        )
    dpi, to_points = record.get("dpi"), record.get("to_points")
    return Page(
        record["page"],
        record["width"],
        record["height"],
        tuple(dpi) if dpi else None,
        record.get("rotation", 0),
        record.get("skew", 0.0),
        Origin(record.get("origin", "scan")),
        [_block_of(item, record.get("origin", "scan")) for item in record["blocks"]],
        [finding_from_record(found) for found in record.get("findings", [])],
        tuple(to_points) if to_points else None,
        [PreparationStep(Step(s["step"]), s["why"]) for s in record.get("preparation", [])],
        record.get("source_page", 0),
        record.get("legibility", 0.0),
    )


def finding_from_record(record: dict[str, Any]) -> Finding:
    """Return the finding that a record tells."""
    return Finding(FindingCode(record["code"]), record["message"], record["page"])


def _block_of(record: dict[str, Any], page: str) -> Block:
    """Return the block of a record. page: where the words of its page come from."""
    emphasis = [Emphasis(e["start"], e["end"], _styles_of(e)) for e in record.get("emphasis", [])]
    return Block(
        BlockKind(record["kind"]),
        Box(*record["box"]),
        [_line_of(row, record.get("origin", page)) for row in record.get("lines", [])],
        record.get("level"),
        record["text"],
        record.get("rotation", 0),
        emphasis,
        record.get("goes_on", False),
        _payload_of(record),
        record.get("label"),
        record.get("caption"),
        list(record.get("paragraphs", [])),
        record.get("id", ""),
        links=[Link(**link) for link in record.get("links", [])],
    )


def _payload_of(record: dict[str, Any]) -> Payload | None:
    image = record.get("image")
    picture = Picture(PurePosixPath(image).name) if image else None
    match BlockKind(record["kind"]):
        case BlockKind.FIGURE:
            return Figure(picture)
        case BlockKind.EQUATION:
            return Equation(picture)
        case BlockKind.ITEM:
            return Item(record.get("marker"), record.get("depth", 0))
        case BlockKind.TABLE:
            table = record.get("table", {})
            cells = [
                Cell(
                    cell["row"],
                    cell["column"],
                    cell["text"],
                    Box(*cell["box"]),
                    cell.get("row_span", 1),
                    cell.get("column_span", 1),
                    cell.get("header", False),
                )
                for cell in table.get("cells", [])
            ]
            rows, columns = table.get("rows", 0), table.get("columns", 0)
            return Table(rows, columns, cells, table.get("ruled", False))
        case _:
            return None


def _line_of(record: dict[str, Any], block: str) -> Line:
    """Return the line of a record. block: where the words of its block come from."""
    text = record["text"]
    words, at = [], 0
    for word in record["words"]:
        start = max(0, text.find(word["text"], at))
        at = start + len(word["text"])
        words.append(
            Word(
                word["text"],
                Box(*word["box"]),
                word["confidence"],
                start,
                at,
                _quad_of(word),
                _styles_of(word),
                word.get("repaired"),
                word.get("link"),
            )
        )
    baseline = record.get("baseline")
    return Line(
        text,
        Box(*record["box"]),
        record["confidence"],
        words,
        _characters_of(record["words"], words, len(text)),
        np.zeros(0, np.float32),
        _quad_of(record),
        record.get("x_height", 0.0),
        (tuple(baseline[0]), tuple(baseline[1])) if baseline else None,
        unsupported_script=record.get("unsupported_script", False),
        handwritten=record.get("handwritten", False),
        direction=Direction(record.get("direction", Direction.LEFT_TO_RIGHT)),
        origin=Origin(record.get("origin", block)),
    )


def _quad_of(record: dict[str, Any]) -> Quad | None:
    if "quad" not in record:
        return None
    one, two, three, four = ((x, y) for x, y in record["quad"])
    return one, two, three, four


def _characters_of(
    records: list[dict[str, Any]], words: list[Word], length: int
) -> NDArray[np.float32]:
    """Return the boxes of a line's characters where the record has them; spaces have no width."""
    if not words or not all("characters" in record for record in records):
        return np.zeros((0, 4), np.float32)
    boxes = np.zeros((length, 4), np.float32)
    for record, word in zip(records, words, strict=True):
        boxes[word.start : word.end] = record["characters"]
        boxes[word.end :] = np.array(word.box, np.float32)[[2, 1, 2, 3]]
    return boxes


def _label_of(page: Page, labels: list[str]) -> str | None:
    """Return the label of a page, None where pages just count from 1."""
    return labels[page.source_page - 1] if 0 < page.source_page <= len(labels) else None


def file_from_record(record: dict[str, Any]) -> FileFacts:
    """Return what the record of a document tells of its file."""
    outline = [OutlineEntry(**entry) for entry in record.get("outline", [])]
    labels = [page.get("label") for page in record["pages"]]
    return FileFacts(
        dict(record.get("file_info", {})),
        outline,
        [label or "" for label in labels] if any(labels) else [],
        list(record.get("attachments", [])),
    )


def document_record(
    document: DocumentData,
    made_by: dict[str, str],
    output: OutputSettings | None = None,
    *,
    pictures: str = "",
) -> dict[str, Any]:
    """Return the record of a document; its text is Markdown if `output` says nothing else.

    pictures: what comes before the names of pictures, to say where they lie.
    """
    text, spans = document_text(document, output)
    pages = [
        {
            "page": page.number,
            "label": _label_of(page, document.file.page_labels),
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
        "title": document.file.info.get("Title") or heading,
        "languages": [
            {"language": name, "share": round(share, 3)}
            for name, share in languages_of(document.pages).items()
        ],
        "text": text,
        "contents": [asdict(entry) for entry in contents_of(document.pages)],
        "pages": pages,
        "file_info": document.file.info,
        "outline": [asdict(entry) for entry in document.file.outline],
        "attachments": document.file.attachments,
        "pictures": picture_records(document.pages, pictures),
        "findings": [_finding(f) for f in document.findings],
        "made_by": made_by,
        "schema": SCHEMA_VERSION,
    }
