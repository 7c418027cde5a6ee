"""Read what a PDF page says of its text.

PDFium answers for one character at a time; its functions are called over whole ranges, with the
places of their answers in arrays, which costs less than a microsecond a call.
"""

from __future__ import annotations

import ctypes
import itertools
import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import repeat
from typing import Any

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray
from pypdfium2 import raw

from amberquarry.sources.layer import Boxes, LayerFont, TextLayer, steps_of
from amberquarry.values import Box

_MOST_CHARACTERS = 200_000  # of a page
_MOST_OBJECTS = 50_000  # of a page beside text
_MOST_SEGMENTS = 20_000  # of the paths of a page
_DEEPEST = 8  # forms within forms
_TYPEWRITER = re.compile(r"mono|courier|typewriter|^(?:cm|ec|la|lm|sf)[a-z]*tt\d")  # TeX's too
_ALPHABETS = 0x590  # code points of scripts whose letters differ in width: Latin, Greek, Cyrillic
_TELLING = 8  # letters of a font that tell its pitch,
_NARROW, _EVEN = 5, 0.01  # percentile of the room of narrow letters, and by what the median is more
_INVISIBLE = 3  # the mode of text that is neither filled nor stroked (ISO 32000-1, table 106)


def _function(name: str, answer: Any, *arguments: Any) -> Any:
    """Return a function of PDFium that takes plain addresses."""
    address = ctypes.cast(getattr(raw, name), ctypes.c_void_p).value or 0
    return ctypes.CFUNCTYPE(answer, *arguments)(address)


_V, _I = ctypes.c_void_p, ctypes.c_int
_unicode_of = _function("FPDFText_GetUnicode", ctypes.c_uint, _V, _I)
_box_of = _function("FPDFText_GetCharBox", _I, _V, _I, _V, _V, _V, _V)
_advance_of = _function("FPDFText_GetLooseCharBox", _I, _V, _I, _V)
_origin_of = _function("FPDFText_GetCharOrigin", _I, _V, _I, _V, _V)
_object_of = _function("FPDFText_GetTextObject", _V, _V, _I)
_matrix_of = _function("FPDFText_GetMatrix", _I, _V, _I, _V)
_size_of = _function("FPDFText_GetFontSize", ctypes.c_double, _V, _I)
_fill_of = _function("FPDFText_GetFillColor", _I, _V, _I, _V, _V, _V, _V)
_unmapped = _function("FPDFText_HasUnicodeMapError", _I, _V, _I)
_font_of = _function("FPDFTextObj_GetFont", _V, _V)
_mode_of = _function("FPDFTextObj_GetTextRenderMode", _I, _V)


def _each(function: Any, page: int, indices: Any, *into: NDArray[Any]) -> list[Any]:
    """Call a function for some characters; the rows of each array take one answer a character."""
    count = len(indices)
    places = [
        range(array.ctypes.data, array.ctypes.data + array.strides[0] * count, array.strides[0])
        for array in into
    ]
    return list(map(function, repeat(page), indices, *places))


def read_layer(
    page: pdfium.PdfPage, to_points: NDArray[np.float64], size: tuple[int, int]
) -> TextLayer | None:
    """Return what a page says of its text, None where it holds none.

    to_points: (3, 2), rows for a pixel to the right, a pixel down, and the page's corner, as in
    `PagePicture.to_points`. size: columns and rows of the page in those pixels.
    """
    matrix = to_pixels(to_points)
    text = page.get_textpage()
    try:
        count = min(text.count_chars(), _MOST_CHARACTERS)
        own = ctypes.cast(text.raw, ctypes.c_void_p).value or 0
        return _layer(own, count, matrix, to_points, size, page) if count > 0 else None
    finally:
        text.close()


def _layer(
    text: int,
    count: int,
    matrix: NDArray[np.float64],
    to_points: NDArray[np.float64],
    size: tuple[int, int],
    page: pdfium.PdfPage,
) -> TextLayer:
    every = range(count)
    codes = np.array(_each(_unicode_of, text, every), np.uint32).reshape(-1)
    edges = [np.zeros(count) for _ in range(4)]  # left, right, bottom, top
    _each(_box_of, text, every, *edges)
    left, right, bottom, top = edges
    loose = np.zeros((count, 4), np.float32)  # left, top, right, bottom
    _each(_advance_of, text, every, loose)
    origin = [np.zeros(count) for _ in range(2)]
    _each(_origin_of, text, every, *origin)
    objects = np.array([o or 0 for o in _each(_object_of, text, every)], np.uint64).reshape(-1)
    known, first, of_object = np.unique(objects, return_index=True, return_inverse=True)
    of_object = of_object.reshape(-1)
    firsts = first.tolist()
    answers = np.zeros((len(known), 6), np.float32)
    _each(_matrix_of, text, firsts, answers)
    matrices = answers.astype(np.float64)
    sizes = np.array(_each(_size_of, text, firsts), float).reshape(-1)
    colours = [np.zeros(len(known), np.uint32) for _ in range(4)]
    _each(_fill_of, text, firsts, *colours)
    modes = [_mode_of(int(o)) if o else 0 for o in known.tolist()]
    invisible = (np.array(modes, np.int64) == _INVISIBLE) | ((colours[3] == 0) & (known > 0))
    pale = (np.min(colours[:3], axis=0) >= _PAPER) & (known > 0)
    fonts, font_of = _fonts_of(known.tolist())
    across = matrices[:, :2] @ matrix[:2]  # a step along the line, in pixels
    down = matrices[:, 2:4] @ matrix[:2]
    angles = np.round(np.degrees(np.arctan2(across[:, 1], across[:, 0])), 1) % 360.0
    scale = np.hypot(down[:, 0], down[:, 1])
    advances = _boxes([*loose.astype(float).T[[0, 3, 2, 1]]], matrix)
    angle, type_px = np.asarray(angles[of_object], np.float64), (sizes * scale)[of_object]
    room = np.hypot(*steps_of(angle, advances).T) / np.maximum(1e-6, type_px)
    font = font_of[of_object]
    fonts = _with_pitch(fonts, font, codes, room)
    # what a font has no map for is so wherever it stands
    kinds, first, kind = np.unique(
        font * (1 << 32) + codes.astype(np.int64), return_index=True, return_inverse=True
    )
    unmapped = np.array(_each(_unmapped, text, first.tolist()), np.int64).reshape(len(kinds)) == 1
    unmapped = unmapped[kind.reshape(-1)]
    lines, drawings, fills, pictures = _objects_of(page, matrix, size)
    return TextLayer(
        *size,
        to_points,
        codes,
        _boxes((left, bottom, right, top), matrix),
        advances,
        np.stack(origin, 1) @ matrix[:2] + matrix[2],
        angle,
        type_px,
        font,
        invisible[of_object],
        pale[of_object],
        unmapped & (objects > 0),
        objects == 0,
        fonts,
        lines,
        drawings,
        fills,
        pictures,
    )


def on_page(page: pdfium.PdfPage, columns: int, rows: int, x: int, y: int) -> tuple[float, float]:
    """Return where a point of a rendered picture of this size lies on the page, in its units."""
    across, up = ctypes.c_double(), ctypes.c_double()
    raw.FPDF_DeviceToPage(page, 0, 0, columns, rows, 0, x, y, across, up)
    return across.value, up.value


def to_points_of(
    page: pdfium.PdfPage, columns: int, rows: int
) -> tuple[float, float, float, float, float, float]:
    """Return the matrix from pixels to the page's units, whatever its rotation and boxes."""
    (x0, y0), (x1, y1), (x2, y2) = (
        on_page(page, columns, rows, x, y) for x, y in ((0, 0), (columns, 0), (0, rows))
    )
    across = ((x1 - x0) / columns, (y1 - y0) / columns)
    down = ((x2 - x0) / rows, (y2 - y0) / rows)
    return (*across, *down, x0, y0)


def to_pixels(to_points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the inverse (3, 2) of a mapping to points."""
    linear = np.linalg.inv(to_points[:2])
    return np.concatenate([linear, [-to_points[2] @ linear]])


def _boxes(corners: Sequence[NDArray[np.float64]], matrix: NDArray[np.float64]) -> Boxes:
    """Return boxes (N, 4) in pixels. corners: x, y, and x, y of the opposite one, in points."""
    x0, y0, x1, y1 = corners
    one = np.stack([x0, y0], 1) @ matrix[:2] + matrix[2]
    other = np.stack([x1, y1], 1) @ matrix[:2] + matrix[2]
    return np.concatenate([np.minimum(one, other), np.maximum(one, other)], 1)


def _fonts_of(objects: list[int]) -> tuple[tuple[LayerFont, ...], NDArray[np.int64]]:
    """Return the fonts of text objects, and the index of each object's; -1 for object 0."""
    numbers: dict[int, int] = {}
    fonts: list[LayerFont] = []
    found = np.full(len(objects), -1, np.int64)
    for place, own in enumerate(objects):
        pointer = _font_of(own) if own else None
        if not pointer:
            continue
        if pointer not in numbers:
            numbers[pointer] = len(fonts)
            fonts.append(_font(ctypes.cast(pointer, raw.FPDF_FONT)))
        found[place] = numbers[pointer]
    return tuple(fonts), found


def _with_pitch(
    fonts: tuple[LayerFont, ...],
    font: NDArray[np.int64],
    codes: NDArray[np.uint32],
    room: NDArray[np.float64],
) -> tuple[LayerFont, ...]:
    """Return fonts, those whose letters all take the same room as such of fixed pitch.

    Many files don't set the flag. font, codes, room: of each character, its room in sizes of type.
    """
    letters = (codes < _ALPHABETS) & np.array([chr(code).isalpha() for code in codes.tolist()])
    found = []
    for number, own in enumerate(fonts):
        its = letters & (font == number)
        several = len(np.unique(codes[its])) >= _TELLING
        even = several and _is_even(room[its])
        found.append(replace(own, fixed_pitch=even if several else own.fixed_pitch))
    return tuple(found)


def _is_even(room: NDArray[np.float64]) -> bool:
    """Return whether letters take the same room; those that reach out of it are given more."""
    narrow, usual = np.percentile(room, (_NARROW, 50))
    return bool(usual <= (1 + _EVEN) * narrow)


def _font(font: Any) -> LayerFont:
    """Return what a font says of itself, by its flags (ISO 32000-1, table 123) and its name."""
    length = raw.FPDFFont_GetBaseFontName(font, None, 0)
    buffer = ctypes.create_string_buffer(max(1, length))
    raw.FPDFFont_GetBaseFontName(font, buffer, length)
    name = buffer.value.decode("utf-8", "replace")
    plain = name.split("+")[-1].lower()
    flags = max(0, raw.FPDFFont_GetFlags(font))
    angle = ctypes.c_int()
    slanted = bool(raw.FPDFFont_GetItalicAngle(font, angle)) and angle.value != 0
    weight = raw.FPDFFont_GetWeight(font)
    bold = any(word in plain for word in ("bold", "black", "heavy", "demi")) or weight >= 600
    return LayerFont(
        name,
        bold or bool(flags & 1 << 18),
        slanted or bool(flags & 1 << 6) or any(w in plain for w in ("italic", "oblique")),
        bool(flags & 1) or bool(_TYPEWRITER.search(plain)),
        bool(flags & 1 << 2),
    )


def _objects_of(
    page: pdfium.PdfPage, matrix: NDArray[np.float64], size: tuple[int, int]
) -> tuple[Boxes, Boxes, Boxes, Boxes]:
    """Return straight lines, other drawings, toned areas, and pictures of a page."""
    found: tuple[list[Any], ...] = ([], [], [], [])
    left = [_MOST_SEGMENTS]
    for item, kind, own in itertools.islice(_walk(page.raw, np.eye(3)), _MOST_OBJECTS):
        to_page = own[:, :2] @ matrix[:2]
        to_page[2] += matrix[2]
        if kind == raw.FPDF_PAGEOBJ_IMAGE:
            found[3].append(_bounds(item, to_page))
        elif kind == raw.FPDF_PAGEOBJ_SHADING:
            found[2].append(_bounds(item, to_page))
        elif kind == raw.FPDF_PAGEOBJ_PATH:
            _sort_path(item, to_page, found, left)
    edges = np.array([*size, *size], float)
    boxes = []
    for some in found:
        array = np.array(some, float).reshape(-1, 4)
        inside = (array[:, :2] < edges[:2]).all(1) & (array[:, 2:] > 0).all(1)
        boxes.append(np.clip(array[inside], 0, edges))
    return boxes[0], boxes[1], boxes[2], boxes[3]


def pictures_of(page: pdfium.PdfPage) -> Iterator[tuple[Any, Box]]:
    """Yield the pictures of a page with their boxes in its points, y upwards."""
    for item, kind, own in itertools.islice(_walk(page.raw, np.eye(3)), _MOST_OBJECTS):
        if kind == raw.FPDF_PAGEOBJ_IMAGE:
            yield item, Box(*_bounds(item, own[:, :2]))


def _walk(
    holder: Any, matrix: NDArray[np.float64], depth: int = 0
) -> Iterator[tuple[Any, int, Any]]:
    """Yield what is drawn beside text with its kind and its mapping (3, 3) to the page."""
    form = depth > 0
    count = (raw.FPDFFormObj_CountObjects if form else raw.FPDFPage_CountObjects)(holder)
    for number in range(max(0, count)):
        item = (raw.FPDFFormObj_GetObject if form else raw.FPDFPage_GetObject)(holder, number)
        kind = raw.FPDFPageObj_GetType(item)
        if kind != raw.FPDF_PAGEOBJ_TEXT:
            yield item, kind, matrix  # forms too, so that those of nothing but forms are counted
        if kind == raw.FPDF_PAGEOBJ_FORM and depth < _DEEPEST:
            yield from _walk(item, _own_matrix(item) @ matrix, depth + 1)


def _own_matrix(item: Any) -> NDArray[np.float64]:
    own = raw.FS_MATRIX()
    raw.FPDFPageObj_GetMatrix(item, own)
    return np.array([[own.a, own.b, 0], [own.c, own.d, 0], [own.e, own.f, 1]], float)


def _bounds(item: Any, to_page: NDArray[np.float64]) -> list[float]:
    edges = [ctypes.c_float() for _ in range(4)]
    raw.FPDFPageObj_GetBounds(item, *edges)
    x0, y0, x1, y1 = (edge.value for edge in edges)
    corners = np.array([[x0, y0], [x1, y0], [x0, y1], [x1, y1]]) @ to_page[:2] + to_page[2]
    return [*corners.min(0).tolist(), *corners.max(0).tolist()]


def _colour(item: Any, get: Any) -> tuple[int, int]:
    """Return the darkest channel and the opacity of a colour, 0 to 255."""
    parts = [ctypes.c_uint() for _ in range(4)]
    if not get(item, *parts):
        return 0, 255
    *channels, alpha = (part.value for part in parts)
    return min(channels), alpha


_THIN_PX = 9.0  # of a filled rectangle that is a line: 3/4 mm
_LONG = 3.0  # times as long as wide
_PAPER = 243  # the darkest channel of what counts as white


def _sort_path(
    item: Any, to_page: NDArray[np.float64], found: tuple[list[Any], ...], left: list[int]
) -> None:
    """Put a path among the lines, drawings or toned areas, `found` in this order."""
    lines, drawings, fills, _ = found
    mode, stroked = ctypes.c_int(), raw.FPDF_BOOL()
    raw.FPDFPath_GetDrawMode(item, mode, stroked)
    box = _bounds(item, to_page)
    wide, high = box[2] - box[0], box[3] - box[1]
    fill, stroke = (0, 0), (0, 0)
    if mode.value:
        fill = _colour(item, raw.FPDFPageObj_GetFillColor)
    if stroked.value:
        stroke = _colour(item, raw.FPDFPageObj_GetStrokeColor)
    seen = (bool(fill[1]) and fill[0] < _PAPER, bool(stroke[1]) and stroke[0] < _PAPER)
    if seen[0] and min(wide, high) <= _THIN_PX and max(wide, high) >= _LONG * min(wide, high):
        lines.append(box)
        return
    if seen[1]:
        straight, other = _straight_lines(item, to_page, left)
        lines.extend(straight)
        if other:
            drawings.append(box)
    if seen[0]:
        (fills if _is_rectangle(item) else drawings).append(box)


def _is_rectangle(item: Any) -> bool:
    count = raw.FPDFPath_CountSegments(item)
    return 4 <= count <= 6 and not any(
        raw.FPDFPathSegment_GetType(raw.FPDFPath_GetPathSegment(item, n))
        == raw.FPDF_SEGMENT_BEZIERTO
        for n in range(count)
    )


def _straight_lines(
    item: Any, to_page: NDArray[np.float64], left: list[int]
) -> tuple[list[list[float]], bool]:
    """Return the lines across and down of a stroked path, and whether there is anything else.

    left: how many segments may still be looked at, counted down in place.
    """
    width = ctypes.c_float()
    raw.FPDFPageObj_GetStrokeWidth(item, width)
    own = _own_matrix(item)[:, :2]
    count = raw.FPDFPath_CountSegments(item)
    if count > left[0]:
        return [], True
    left[0] -= count
    scale = float(np.sqrt(abs(np.linalg.det(to_page[:2]))))
    half = max(0.5, width.value * scale * float(np.sqrt(abs(np.linalg.det(own[:2])))) / 2)
    lines: list[list[float]] = []
    other = False
    start = at = np.zeros(2)
    x, y = ctypes.c_float(), ctypes.c_float()
    for number in range(count):
        segment = raw.FPDFPath_GetPathSegment(item, number)
        kind = raw.FPDFPathSegment_GetType(segment)
        raw.FPDFPathSegment_GetPoint(segment, x, y)
        point = np.array([x.value, y.value]) @ own[:2] + own[2]
        point = point @ to_page[:2] + to_page[2]
        ends = []
        if kind == raw.FPDF_SEGMENT_MOVETO:
            start = point
        elif kind == raw.FPDF_SEGMENT_LINETO:
            ends.append((at, point))
        else:
            other = True
        at = point
        if raw.FPDFPathSegment_GetClose(segment):
            ends.append((at, start))
            at = start
        for one, two in ends:
            off = np.abs(two - one)
            if min(off) <= 1.0 and max(off) > 2 * half:
                low, high = np.minimum(one, two) - half, np.maximum(one, two) + half
                lines.append([*low.tolist(), *high.tolist()])
            elif max(off) > 2 * half:
                other = True
    return lines, other
