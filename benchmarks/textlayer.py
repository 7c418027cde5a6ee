"""Truth from the text layer of a PDF: words with ink-tight boxes, lines, blocks in source order."""

from __future__ import annotations

import ctypes
import math
import re
import unicodedata
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray
from pypdfium2 import raw

from amberquarry.reading.characters import fold, unknown_characters
from amberquarry.reading.scripts import settle_scripts

_MATHEMATICS = re.compile(
    r"CMMI|CMSY|CMEX|MSAM|MSBM|MTMI|MTSY|MTEX|Math|Symbol|txsy|txmi|pxsy|pxmi|"
    r"rsfs|EUFM|EURM|LMMath"
)
# Weight and slant in the names that foundries and the families of TeX give their fonts
_BOLD = re.compile(
    r"Bold|Black|Heavy|Demi|-Medi\b|(?i:^(cm|cs|ec|sf)\w*bx)|^CMB\d|^SFSX|[OT][BZ]$|MTB$"
)
_ITALIC = re.compile(
    r"Ital|Obli|Slant|-It\b|(?i:^(cm|cs)(ti|sl|itt|ssi|mi)|^(ec|sf)(ti|sl|it))|[OT]I$"
)
# Old symbol fonts have no names for their signs: the layer then holds the letters at their codes.
# Encodings as in "Fonts for digital typesetting", appendix F of The TeXbook, and amsfonts' manual.
_BY_CODE = {
    "CMSY": dict(zip("012689fghijknprsxyz", "′∞∈\u0338∀∃{}⟨⟩|‖\\√∇∫§†‡", strict=True)),
    "MSAM": {"6": "≤", ">": "≥"},
    "CMEX": {"P": "∑", "X": "∑", "Q": "∏", "Y": "∏", "R": "∫", "Z": "∫"},
}


_WIDE_GAP = 1.5  # of a line's height; more than justified setting opens between two words


@dataclass(slots=True)
class TruthLine:
    """A line of the text layer."""

    words: list[dict[str, Any]] = field(default_factory=list)
    mathematics: float = 0.0


def page_truth(
    page: pdfium.PdfPage, clean: NDArray[np.uint8], dpi: float
) -> list[dict[str, Any]] | None:
    """Return the blocks of a page as in pages.jsonl, None where its text layer can't be trusted."""
    layer = page.get_textpage()
    height_pt = page.get_height()
    count = layer.count_chars()
    lines: list[TruthLine] = []
    line, letters, boxes, mathematics = TruthLine(), "", [], []
    fonts: list[str] = []  # of the letters of a word
    held: list[str] = []  # as the layer has it: what it is trusted by
    odd = turned = 0
    scale = dpi / 72

    def end_word() -> None:
        nonlocal letters, boxes, fonts
        if letters.strip() and boxes:
            word = tight_word(settle_scripts(compose(letters, boxes)), boxes, clean)
            line.words.append({**word, "styles": styles_of(fonts)})
        letters, boxes, fonts = "", [], []

    def end_line() -> None:
        nonlocal line, mathematics
        end_word()
        if line.words:
            line.words = join_ellipses(line.words)
            line.mathematics = float(np.mean(mathematics)) if mathematics else 0.0
            lines.append(line)
        line, mathematics = TruthLine(), []

    previous: tuple[float, float, float] | None = None  # x, y and size in points
    for index in range(count):
        code = raw.FPDFText_GetUnicode(layer.raw, index)
        if code in (0x0D, 0x0A):
            end_line()
            previous = None
            continue
        if code in (0x02, 0xFFFE):
            code = ord("-")
        character = chr(code)
        if character.isspace():
            end_word()
            continue
        if code == 0 or 0xE000 <= code < 0xF900 or code == 0xFFFD or code < 0x20:
            odd += 1
            continue
        edges = [ctypes.c_double() for _ in range(4)]
        raw.FPDFText_GetCharBox(layer.raw, index, *edges)
        left, right, bottom, top = (edge.value for edge in edges)
        if right <= left or top <= bottom:
            continue
        angle = raw.FPDFText_GetCharAngle(layer.raw, index)
        turned += abs(angle) > 0.1
        x, y = ctypes.c_double(), ctypes.c_double()
        raw.FPDFText_GetCharOrigin(layer.raw, index, x, y)
        size = raw.FPDFText_GetFontSize(layer.raw, index) or 10.0
        if previous is not None:  # the layer joins words that are divided at a line's end
            fallen = abs(y.value - previous[1]) > 1.2 * previous[2]
            if fallen or x.value < previous[0] - 3 * previous[2]:
                end_line()
        previous = (x.value, y.value, size)
        if abs(math.remainder(angle, math.pi / 2)) > 0.1:  # across the page: a mark on its paper
            held.append(character)
            continue
        font = _font_name(layer, index)
        held.append(character)
        fonts.append(font)
        letters += _BY_CODE.get(font[:4], {}).get(character, character)
        boxes.append(
            (left * scale, (height_pt - top) * scale, right * scale, (height_pt - bottom) * scale)
        )
        mathematics.append(bool(_MATHEMATICS.search(font)))
    end_line()
    text = fold("".join(held))
    if len(text) < 250 or odd > 0.005 * len(text) or turned > 0.05 * len(text):
        return None
    foreign = sum(Counter(text)[c] for c in unknown_characters(text))
    if foreign > 0.01 * len(text):
        return None
    if not in_reading_order(lines, clean):
        return None
    return _blocks(lines)


def in_reading_order(lines: list[TruthLine], clean: NDArray[np.uint8]) -> bool:
    """Return whether the layer's words stand on ink and come as running text is read.

    Many layers are written in another order than they are read: two texts side by side come line
    by line across both, as tables do. Such a page can't say whether another order is wrong.
    """
    words = [word for line in lines for word in line.words]
    without_ink = across = 0
    for line in lines:
        boxes = np.array([word["box"] for word in line.words])
        without_ink += sum(not (clean[y0:y1, x0:x1] < 160).any() for x0, y0, x1, y1 in boxes)
        height = float(np.median(boxes[:, 3] - boxes[:, 1]))
        gaps = boxes[1:, 0] - boxes[:-1, 2]
        wide = np.flatnonzero(gaps > _WIDE_GAP * height) + 1
        across += bool(((wide >= 3) & (len(boxes) - wide >= 3)).any())
    return without_ink <= 0.02 * len(words) and across <= 0.2 * len(lines)


# Marks that stand before what they are set on, and the combining ones; the last is negation.
_MARKS = dict(
    zip("´`ˆ^¨˜~¸ˇ˘˚˙˝\u0338", "\u0301\u0300\u0302\u0302\u0308\u0303\u0303\u0327\u030c\u0306\u030a"
        "\u0307\u030b\u0338", strict=True)
)  # fmt: skip


def compose(letters: str, boxes: list[tuple[float, float, float, float]]) -> str:
    """Return a word with what the layer holds apart, but print sets as one sign, made one.

    Accents stand before their letter and over the same columns; so does the stroke of negation.
    boxes: of each letter, as (left, top, right, bottom).
    """
    found, at = "", 0
    while at < len(letters):
        mark = _MARKS.get(letters[at])
        if mark and at + 1 < len(letters):
            (left, _, right, _), (first, _, last, _) = boxes[at : at + 2]
            shared = min(right, last) - max(left, first)
            whole = unicodedata.normalize("NFC", letters[at + 1].replace("ı", "i") + mark)
            if len(whole) == 1 and shared > 0.4 * min(right - left, last - first):
                found, at = found + whole, at + 2
                continue
        found, at = found + letters[at], at + 1
    return found


def join_ellipses(words: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return the words of a line with three spaced points as one sign, as `fold` spells it."""
    found: list[dict[str, Any]] = []
    at = 0
    while at < len(words):
        texts = [word["text"] for word in words[at : at + 4]]
        many = len(texts) == 4 and texts[3].startswith(".")
        if (
            len(texts) >= 3
            and texts[0].endswith(".")
            and texts[1] == "."
            and not many
            and texts[2].startswith(".")
            and not (found and found[-1]["text"] == ".")
        ):
            boxes = np.array([word["box"] for word in words[at : at + 3]])
            box = [*boxes[:, :2].min(0).tolist(), *boxes[:, 2:].max(0).tolist()]
            found.append({**words[at], "text": "".join(texts[:3]), "box": box})
            at += 3
        else:
            found.append(words[at])
            at += 1
    return found


def _font_name(layer: pdfium.PdfTextPage, index: int) -> str:
    buffer, flags = ctypes.create_string_buffer(128), ctypes.c_int()
    raw.FPDFText_GetFontInfo(layer.raw, index, buffer, 128, flags)
    return buffer.value.decode("latin-1").split("+")[-1]


def styles_of(fonts: list[str]) -> list[str]:
    """Return the styles that the names of the fonts of all letters of a word tell."""
    return [
        name
        for name, pattern in (("bold", _BOLD), ("italic", _ITALIC))
        if all(map(pattern.search, fonts))
    ]


def tight_word(
    text: str, boxes: list[tuple[float, float, float, float]], clean: NDArray[np.uint8]
) -> dict[str, Any]:
    """Return a word with the box of its ink, which lies in the boxes that its font gives."""
    edges = np.array(boxes)
    box = tight_box([*edges[:, :2].min(0).tolist(), *edges[:, 2:].max(0).tolist()], clean)
    return {"text": text, "box": box, "confidence": 1.0}


def tight_box(box: list[float], clean: NDArray[np.uint8]) -> list[float]:
    """Return the box of the ink in a box, or a pixel beside it; the box itself without ink."""
    x0, y0 = max(0, math.floor(box[0]) - 1), max(0, math.floor(box[1]) - 1)
    x1, y1 = math.ceil(box[2]) + 1, math.ceil(box[3]) + 1
    part = clean[y0:y1, x0:x1] < 160
    if part.any():
        rows, columns = np.flatnonzero(part.any(1)), np.flatnonzero(part.any(0))
        x0, y0, x1, y1 = x0 + columns[0], y0 + rows[0], x0 + columns[-1] + 1, y0 + rows[-1] + 1
    return [int(x0), int(y0), int(x1), int(y1)]


def _blocks(lines: list[TruthLine]) -> list[dict[str, Any]]:
    """Return lines as blocks in the order of the source; displayed mathematics stands apart."""
    blocks: list[dict[str, Any]] = []
    previous: tuple[float, float, str] | None = None
    for line in lines:
        boxes = np.array([word["box"] for word in line.words])
        box = [*boxes[:, :2].min(0).tolist(), *boxes[:, 2:].max(0).tolist()]
        kind = "equation" if line.mathematics > 0.4 and len(line.words) < 25 else "paragraph"
        height = box[3] - box[1]
        record = {
            "box": box,
            "text": " ".join(w["text"] for w in line.words),
            "confidence": 1.0,
            "words": line.words,
        }
        joins = (
            previous is not None
            and kind == previous[2]
            and 0 < box[3] - previous[0] < 2.4 * max(height, previous[1])
        )
        if joins:
            block = blocks[-1]
            block["lines"].append(record)
            block["text"] += "\n" + record["text"]
            block["box"] = [
                min(block["box"][0], box[0]),
                min(block["box"][1], box[1]),
                max(block["box"][2], box[2]),
                max(block["box"][3], box[3]),
            ]
        else:
            blocks.append(
                {
                    "id": f"t{len(blocks) + 1}",
                    "kind": kind,
                    "box": box,
                    "text": record["text"],
                    "confidence": 1.0,
                    "lines": [record],
                }
            )
        previous = (box[3], height, kind)
    return blocks
