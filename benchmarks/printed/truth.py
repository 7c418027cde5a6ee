"""The truth of a printed document: what stands where, told by the colours of its text.

Text of a part is set in a colour that looks black and names the part: red is the kind, green and
blue the number. On dark ground the same colours stand inverted. Figures are links, whose places
the PDF holds.
"""

from __future__ import annotations

import ctypes
import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray
from pypdfium2 import raw

from amberquarry.values import BlockKind
from textlayer import tight_box, tight_word

KINDS = tuple(BlockKind)
FIGURE_LINK = "https://figure.invalid/"
MOST_PARTS = 1024
# How parts are named in HTML: by the colour of their text, figures by their link.
_NAMED = re.compile(
    rf"rgb\((?P<red>\d+),(?P<green>\d+),(?P<blue>\d+)\)|{re.escape(FIGURE_LINK)}(?P<figure>\d+)"
)
_SPACE = 0.26  # of the tallest letter, between words at least; the library sees more spaces


@dataclass(slots=True)
class Part:
    """A part of a document's source."""

    kind: BlockKind
    text: str  # whole, without hyphens of line ends
    level: int | None = None
    depth: int | None = None  # of an item
    taken_for: tuple[BlockKind, ...] = ()  # other kinds that are right as well
    place: int = 0  # among the document's parts, in the order in which they are read


@dataclass(slots=True)
class _Line:
    number: int
    words: list[dict[str, Any]] = field(default_factory=list)


def levels_of(kind: BlockKind, number: int) -> tuple[int, int, int]:
    """Return red, green and blue of a part's text, 0 to 255."""
    return KINDS.index(kind), number >> 5, number & 31


def colour(kind: BlockKind, number: int, light: bool = False) -> str:
    """Return the colour of a part's text, for CSS."""
    return "rgb({},{},{})".format(*(255 - v if light else v for v in levels_of(kind, number)))


def place_parts(text: str, parts: list[Part]) -> None:
    """Number parts in the order in which they stand in a document's HTML, in place.

    They need not be made in that order.
    """
    places: dict[int, int] = {}
    for match in _NAMED.finditer(text):
        if match["figure"]:
            number = int(match["figure"])
        else:
            shade = [int(match[name]) for name in ("red", "green", "blue")]
            _, high, low = (255 - v for v in shade) if shade[0] > 127 else shade
            number = (high << 5) + low
        places.setdefault(number, match.start())
    for number, part in enumerate(parts):
        part.place = places.get(number, len(text) + number)


def page_blocks(
    page: pdfium.PdfPage, clean: NDArray[np.uint8], dpi: float, parts: list[Part]
) -> list[dict[str, Any]]:
    """Return the blocks of a page in reading order, as in pages.jsonl, with their parts' facts."""
    lines = _lines(page, clean, dpi / 72)
    figures = {number: tight_box(box, clean) for number, box in _figures(page, dpi / 72).items()}
    numbers = sorted({line.number for line in lines} | set(figures), key=_rank(parts))
    blocks = []
    for number in numbers:
        part = parts[number]
        own = _markers_first([line for line in lines if line.number == number])
        records = [
            {
                "box": _around(word["box"] for word in line.words),
                "text": " ".join(word["text"] for word in line.words),
                "confidence": 1.0,
                "words": line.words,
            }
            for line in own
        ]
        box = figures.get(number) or _around(record["box"] for record in records)
        blocks.append({"id": f"t{number}", "kind": part.kind.value, "box": box, "confidence": 1.0,
                       "text": "\n".join(r["text"] for r in records), "lines": records,
                       "source": part.text, "depth": part.depth,
                       "taken_for": [kind.value for kind in part.taken_for],
                       **({} if part.level is None else {"level": part.level})})  # fmt: skip
    return blocks


def _markers_first(lines: list[_Line]) -> list[_Line]:
    """Return the lines of a part, a marker that the layer holds after its item put before it."""
    out: list[_Line] = []
    for line in lines:
        box = line.words[0]["box"]
        behind = next(
            (
                other
                for other in out
                if len(line.words) == 1
                and box[2] <= other.words[0]["box"][0]
                and other.words[0]["box"][1] < (box[1] + box[3]) / 2 < other.words[0]["box"][3]
            ),
            None,
        )
        if behind is None:
            out.append(line)
        else:
            behind.words.insert(0, line.words[0])
    return out


def _rank(parts: list[Part]) -> Any:
    """Return the key by which parts come in reading order: heads first, notes and feet last."""
    ends = {
        BlockKind.RUNNING_HEAD: -1,
        BlockKind.FOOTNOTE: 1,
        BlockKind.RUNNING_FOOT: 2,
        BlockKind.PAGE_NUMBER: 3,
    }
    return lambda number: (ends.get(parts[number].kind, 0), parts[number].place)


def _around(boxes: Iterable[list[float]]) -> list[float]:
    edges = np.array(list(boxes))
    return [*edges[:, :2].min(0).tolist(), *edges[:, 2:].max(0).tolist()]


def _lines(page: pdfium.PdfPage, clean: NDArray[np.uint8], scale: float) -> list[_Line]:
    layer, height_pt = page.get_textpage(), page.get_height()
    lines: list[_Line] = []
    letters, boxes = "", []
    current: int | None = None
    guessed = False  # the library saw a space before the next letter, none is in the document

    def end_word() -> None:
        nonlocal letters, boxes, guessed
        if letters and current is not None:
            _add(lines, current, tight_word(letters, boxes, clean))
        letters, boxes, guessed = "", [], False

    for index in range(layer.count_chars()):
        code = raw.FPDFText_GetUnicode(layer.raw, index)
        character = "-" if code in (0x02, 0xAD, 0x2010, 0xFFFE) else chr(code)
        if (character.isspace() or code < 0x20) and code != 0x02:
            if raw.FPDFText_IsGenerated(layer.raw, index):
                guessed = True
            else:
                end_word()
            continue
        edges = [ctypes.c_double() for _ in range(4)]
        raw.FPDFText_GetCharBox(layer.raw, index, *edges)
        left, right, bottom, top = (edge.value for edge in edges)
        number = _number(layer, index)
        if right <= left or top <= bottom or number is None:
            continue
        box = (left * scale, (height_pt - top) * scale, right * scale, (height_pt - bottom) * scale)
        # points and hyphens are low: the tallest letter so far tells the size of type
        high = max([box[3] - box[1], *(b[3] - b[1] for b in boxes)])
        apart = bool(boxes) and box[0] - boxes[-1][2] > _SPACE * high
        if number != current or (
            boxes
            and (
                box[0] < boxes[-1][0] - high
                or abs(box[3] - boxes[-1][3]) > 1.5 * high
                or (guessed and apart)
            )
        ):
            end_word()
            current = number
        letters += character
        boxes.append(box)
        guessed = False
    end_word()
    return lines


def _number(layer: pdfium.PdfTextPage, index: int) -> int | None:
    levels = [ctypes.c_uint() for _ in range(4)]
    if not raw.FPDFText_GetFillColor(layer.raw, index, *levels):
        return None
    red, green, blue = (v.value if levels[0].value < 128 else 255 - v.value for v in levels[:3])
    known = red < len(KINDS) and green < 32 and blue < 32
    return green * 32 + blue if known else None


def _add(lines: list[_Line], number: int, word: dict[str, Any]) -> None:
    """Add a word to the line before it, or begin a line."""
    if lines and lines[-1].number == number:
        last = lines[-1].words[-1]["box"]
        box = word["box"]
        shared = min(last[3], box[3]) - max(last[1], box[1])
        level = shared > 0.3 * min(last[3] - last[1], box[3] - box[1])
        if level and box[0] >= last[0]:
            lines[-1].words.append(word)
            return
    lines.append(_Line(number, [word]))


def _figures(page: pdfium.PdfPage, scale: float) -> dict[int, list[float]]:
    """Return the boxes of figures by the number of their part."""
    found: dict[int, list[float]] = {}
    at, link = ctypes.c_int(0), raw.FPDF_LINK()
    while raw.FPDFLink_Enumerate(page.raw, at, link):
        action = raw.FPDFLink_GetAction(link)
        text = ctypes.create_string_buffer(256)
        raw.FPDFAction_GetURIPath(page.pdf.raw, action, text, 256)
        uri = text.value.decode("ascii", "replace")
        edges = raw.FS_RECTF()
        if uri.startswith(FIGURE_LINK) and raw.FPDFLink_GetAnnotRect(link, edges):
            high = page.get_height()
            found[int(uri.removeprefix(FIGURE_LINK))] = [
                edges.left * scale,
                (high - edges.top) * scale,
                edges.right * scale,
                (high - edges.bottom) * scale,
            ]
    return found
