"""Pictures of a PDF page as the files that they were made from."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray
from PIL import Image
from pypdfium2 import raw

from amberquarry.sources.layer import PictureFile
from amberquarry.sources.objects import pictures_of, to_pixels, to_points_of
from amberquarry.values import Box

_ALIKE = 0.85  # of the area, that a picture fills, and the other way round
_LOOK_PX, _FINER = 360, 6  # longer side of an area that is drawn, and how much smaller it is seen
_FINE = 100  # parts of a point in which places on a page are taken: the library's are whole
_OFF = 10.0  # grey levels by which they may differ, the mean
_UPRIGHT = 1  # of a picture's EXIF orientation


def original_of(page: pdfium.PdfPage, area: Box, most_pixels: int) -> PictureFile | None:
    """Return the one picture of the file that fills an area of a page, None where none does.

    area: in the page's points, y upwards. JPEG data come as they are, others as PNG with all their
    pixels. A picture that looks otherwise on the page, since it is cut, turned, masked or drawn
    over there, is not what the page shows, and gives None.
    """
    fitting = [(_overlap(box, area), item, box) for item, box in pictures_of(page)]
    share, item, box = max(fitting, key=lambda found: found[0], default=(0.0, None, area))
    if item is None or share < _ALIKE:
        return None
    picture = pdfium.PdfImage(item, page)
    if np.prod(picture.get_px_size()) > most_pixels:
        return None
    pixels = _pixels_of(picture)
    if pixels is None or not _looks_like(pixels, page, box):
        return None
    own = _jpeg_of(picture)
    if own is not None:
        return PictureFile("jpg", own)
    channels = cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR) if pixels.ndim == 3 else pixels
    return PictureFile("png", cv2.imencode(".png", channels)[1].tobytes())


def _overlap(one: Box, other: Box) -> float:
    """Return the shared area over that of both together."""
    wide = min(one.x1, other.x1) - max(one.x0, other.x0)
    high = min(one.y1, other.y1) - max(one.y0, other.y0)
    shared = max(0.0, wide) * max(0.0, high)
    return shared / max(1e-9, one.area + other.area - shared)


def _pixels_of(picture: pdfium.PdfImage) -> NDArray[np.uint8] | None:
    """Return a picture's own pixels, (H, W) or (H, W, 3) RGB, None where they can't be decoded."""
    try:
        bitmap = picture.get_bitmap(render=False)
    except pdfium.PdfiumError:
        return None
    pixels = np.array(bitmap.to_numpy())
    if pixels.ndim == 2 or pixels.shape[2] == 1:
        return pixels.reshape(pixels.shape[:2])
    colours = np.ascontiguousarray(pixels[..., 2::-1])
    grey = (colours == colours[..., :1]).all()
    return np.ascontiguousarray(colours[..., 0]) if grey else colours


def _looks_like(pixels: NDArray[np.uint8], page: pdfium.PdfPage, area: Box) -> bool:
    """Return whether an area of a page shows all of a picture, upright and nothing else."""
    shown = _rendered(page, area)
    if shown is None:
        return False
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY) if pixels.ndim == 3 else pixels
    size = [max(3, side // _FINER) for side in shown.shape[::-1]]
    # the library leaves out pixels where it draws smaller
    one, other = (cv2.resize(of, size, interpolation=cv2.INTER_AREA) for of in (grey, shown))
    edge = 1  # the picture may end within a pixel
    off = np.abs(one.astype(float) - other)[edge:-edge, edge:-edge]
    return bool(off.size and off.mean() <= _OFF)


def _rendered(page: pdfium.PdfPage, area: Box) -> NDArray[np.uint8] | None:
    """Return a small grey picture of an area of a page, None where there is nothing of it."""
    scale = _LOOK_PX / max(area.width, area.height, 1e-9)
    columns, rows = (max(1, round(scale * side)) for side in (area.width, area.height))
    if min(columns, rows) < 3:
        return None
    width, height = (round(_FINE * side) for side in page.get_size())
    matrix = to_pixels(np.array(to_points_of(page, width, height)).reshape(3, 2)) / _FINE
    corners = np.array([(area.x0, area.y0), (area.x1, area.y1)]) @ matrix[:2] + matrix[2]
    (x0, y0), (x1, y1) = corners.min(0).tolist(), corners.max(0).tolist()
    across, down = columns / max(1e-9, x1 - x0), rows / max(1e-9, y1 - y0)
    bitmap = pdfium.PdfBitmap.new_native(columns, rows, raw.FPDFBitmap_Gray)
    try:
        bitmap.fill_rect((255, 255, 255, 255), 0, 0, columns, rows)
        place = raw.FS_MATRIX(across, 0, 0, down, -x0 * across, -y0 * down)
        clip = raw.FS_RECTF(0, 0, columns, rows)
        raw.FPDF_RenderPageBitmapWithMatrix(bitmap, page, place, clip, 0)
        return np.array(bitmap.to_numpy()).reshape(rows, columns)
    finally:
        bitmap.close()


def _jpeg_of(picture: pdfium.PdfImage) -> bytes | None:
    """Return a picture's JPEG data, None where it has none that others show as the page does."""
    filters = picture.get_filters(skip_simple=True)
    if filters != ["DCTDecode"]:
        return None
    data = bytes(picture.get_data(decode_simple=True))
    try:
        with Image.open(io.BytesIO(data), formats=["JPEG"]) as image:
            plain = image.mode in ("L", "RGB") and image.size == picture.get_px_size()
            upright = image.getexif().get(0x0112, _UPRIGHT) == _UPRIGHT
    except (OSError, ValueError, SyntaxError):
        return None
    return data if plain and upright else None
