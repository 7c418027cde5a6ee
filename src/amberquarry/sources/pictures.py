"""Page pictures of image files, through Pillow."""

from __future__ import annotations

import io
import math
import struct
import warnings
import zlib
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image, ImageOps, UnidentifiedImageError

from amberquarry.errors import PageError, Rejection, SourceError
from amberquarry.settings import Limits
from amberquarry.sources.frames import OneFrame, frames_of
from amberquarry.sources.layer import PageLink
from amberquarry.values import Box, FileFacts, Finding

FORMATS = ("PNG", "JPEG", "TIFF", "BMP", "GIF", "WEBP", "JPEG2000", "PPM")

_ON_ITS_SIDE = range(5, 9)  # of Exif's orientations
_LOOK_STEP, _LEAST_COLOURED = 6, 0.0005  # share of the page from which colour is looked into
_COLOUR_SPREAD = 24  # grey levels between the channels
_RANGES = tuple(float(2**bits - 1) for bits in (8, 10, 12, 14, 16))
_FLOAT_RANGES = (1.0, *_RANGES)
_ROWS_AT_ONCE = 256


@dataclass(frozen=True, slots=True)
class PagePicture:
    """The picture of a page, as displayed."""

    grey: NDArray[np.uint8]  # (H, W), 0 is black
    dpi: tuple[float, float] | None = None  # None where the file does not say
    to_points: tuple[float, float, float, float, float, float] | None = None
    findings: tuple[Finding, ...] = ()
    colours: NDArray[np.uint8] | None = None  # (H, W, 3) RGB; None where it has next to no colour

    @classmethod
    def of_image(cls, image: Image.Image) -> PagePicture:
        """Return the picture of a page that Pillow opened."""
        return cls(grey_levels(image), colours=_colours_of(image))

    def part(self, box: Box) -> PagePicture:
        """Return a part of the picture; ValueError where the box lies outside of it."""
        height, width = self.grey.shape
        x0, y0 = max(0, int(box.x0)), max(0, int(box.y0))
        x1, y1 = min(width, math.ceil(box.x1)), min(height, math.ceil(box.y1))
        if x1 <= x0 or y1 <= y0:
            raise ValueError(f"the region {tuple(box)} holds nothing of a {width} x {height} page")
        colours = None if self.colours is None else self.colours[y0:y1, x0:x1]
        return replace(self, grey=self.grey[y0:y1, x0:x1], colours=colours)


def grey_levels(image: Image.Image) -> NDArray[np.uint8]:
    """Return (H, W) grey levels of any Pillow image: 1 to 16 bits, palette, alpha, CMYK.

    Transparent places count as white paper. Of deeper images the range is the smallest usual one
    that holds their brightest pixel (8, 10, 12, 14 or 16 bits; floats also 0 to 1).
    """
    if image.mode in ("I", "F") or image.mode.startswith("I;16"):
        return _in_eight_bits(np.asarray(image))
    return _pixels_of(image, "L")


def _in_eight_bits(deep: NDArray[Any]) -> NDArray[np.uint8]:
    """Return integers or floats as 0 to 255, by the range that their brightest value tells."""
    ranges = _RANGES
    if np.issubdtype(deep.dtype, np.floating):
        ranges = _FLOAT_RANGES
        deep = np.nan_to_num(deep.astype(np.float32), nan=0.0, posinf=0.0, neginf=0.0)
    brightest = float(deep.max(initial=0))
    scale = np.float32(255 / next((top for top in ranges if brightest <= top), brightest))
    out = np.empty(deep.shape, np.uint8)
    for start in range(0, len(deep), _ROWS_AT_ONCE):  # floats of all at once would weigh much
        part = slice(start, start + _ROWS_AT_ONCE)
        out[part] = np.clip(deep[part].astype(np.float32) * scale, 0, 255)
    return out


def has_colour(channels: NDArray[np.uint8]) -> bool:
    """Return whether a picture (H, W, 3), its channels in any order, has more than grey in it."""
    return _is_coloured(channels[::_LOOK_STEP, ::_LOOK_STEP])


def _is_coloured(sample: NDArray[np.uint8]) -> bool:
    spread = np.ptp(sample.astype(np.int16), axis=2)
    return bool((spread > _COLOUR_SPREAD).mean() >= _LEAST_COLOURED)


def _colours_of(image: Image.Image) -> NDArray[np.uint8] | None:
    """Return the colours (H, W, 3) of a Pillow image, None where it has next to none."""
    if image.mode in ("1", "L", "LA", "La", "I", "F") or image.mode.startswith("I;16"):
        return None
    width, height = (-(-side // _LOOK_STEP) for side in image.size)
    sample = image.resize((width, height), Image.Resampling.NEAREST)
    return _pixels_of(image, "RGB") if _is_coloured(_pixels_of(sample, "RGB")) else None


def _pixels_of(image: Image.Image, mode: str) -> NDArray[np.uint8]:
    """Return a Pillow image's pixels on white paper, as grey ("L") or "RGB".

    A few rows at once: each step makes a copy, which for a large picture is larger than all else.
    """
    width, height = image.size
    found = np.empty((height, width, 3) if mode == "RGB" else (height, width), np.uint8)
    for top in range(0, height, _ROWS_AT_ONCE):
        part = image.crop((0, top, width, min(height, top + _ROWS_AT_ONCE)))
        found[top : top + _ROWS_AT_ONCE] = np.asarray(_on_paper(part).convert(mode))
    return found


def _on_paper(image: Image.Image) -> Image.Image:
    """Return an image with white where it is transparent."""
    if image.mode in ("LA", "La", "PA", "RGBA", "RGBa") or "transparency" in image.info:
        image = image.convert("RGBA")
        return Image.alpha_composite(Image.new("RGBA", image.size, "white"), image)
    return image


def image_of_array(array: NDArray[Any]) -> Image.Image:
    """Return a Pillow image of an array (H, W), (H, W, 3) RGB or (H, W, 4) RGBA.

    Booleans are black (False) and white; 8-bit integers count as they are; of 16-bit integers and
    of floats the range is the smallest usual one that holds the brightest pixel: 8, 10, 12, 14 or
    16 bits, floats also 0 to 1. Raises TypeError or ValueError for anything else.
    """
    if array.ndim not in (2, 3) or (array.ndim == 3 and array.shape[2] not in (1, 3, 4)):
        raise ValueError(f"need an array (H, W), (H, W, 3) or (H, W, 4), got shape {array.shape}")
    if array.size == 0:
        raise ValueError(f"the picture has no pixels, its shape is {array.shape}")
    if array.dtype == np.bool_:
        array = array.astype(np.uint8) * 255
    elif array.dtype == np.uint16 or np.issubdtype(array.dtype, np.floating):
        array = _in_eight_bits(array)
    elif array.dtype != np.uint8:
        raise TypeError(f"need bool, uint8, uint16 or float pixels, got {array.dtype}")
    if array.ndim == 3 and array.shape[2] == 1:
        array = array[:, :, 0]
    return Image.fromarray(np.ascontiguousarray(array))


# What Pillow raises on damaged files, beyond its own errors (found by trying damaged ones).
_DAMAGE = (
    OSError,
    ValueError,
    TypeError,
    KeyError,
    IndexError,
    AttributeError,
    OverflowError,
    SyntaxError,
    EOFError,
    MemoryError,
    ZeroDivisionError,
    RuntimeError,
    AssertionError,
    struct.error,
    zlib.error,
)


class PictureSource:
    """An image file; each frame of a TIFF is a page."""

    def __init__(self, content: Path | bytes, limits: Limits) -> None:
        self._limits = limits
        self.facts = FileFacts()
        self._file: BinaryIO = (
            io.BytesIO(content) if isinstance(content, bytes) else content.open("rb")
        )
        self._frames = frames_of(self._file, limits.pages + 1)
        self.page_count = max(1, len(self._frames))
        try:
            if self.page_count > limits.pages:
                raise SourceError(
                    Rejection.TOO_LARGE,
                    f"more pages than the limit of {limits.pages}; split the file",
                )
            if self.page_count == 1:  # else a damaged frame is a page that fails
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")  # sizes are checked by our own limits
                    self._opened(0)
        except BaseException:
            self.close()
            raise

    def _opened(self, index: int) -> Image.Image:
        """Return a frame as Pillow opens it; SourceError where its header can't be used."""
        self._file.seek(0)
        file = OneFrame(self._file, self._frames[index]) if self._frames else self._file
        try:
            image = Image.open(file, formats=FORMATS)  # type: ignore[arg-type]
        except UnidentifiedImageError as error:
            raise SourceError(
                Rejection.DAMAGED, "the picture's header can't be read; export it again"
            ) from error
        except Image.DecompressionBombError as error:
            raise SourceError(
                Rejection.TOO_LARGE,
                "the picture has too many pixels; reduce it or cut it into pages",
            ) from error
        except _DAMAGE as error:
            raise SourceError(
                Rejection.DAMAGED, f"the picture can't be opened ({_said(error)}); export it again"
            ) from error
        return image

    def picture(self, index: int) -> PagePicture:
        """Return one frame; raises PageError where it can't be decoded."""
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # of damage that costs nothing
                image = self._opened(index)
                width, height = image.size
                if width * height > self._limits.pixels:
                    raise PageError(
                        index,
                        f"{width} x {height} pixels, the limit is "
                        f"{self._limits.pixels}; reduce the picture or cut it into pages",
                    )
                return replace(_upright(image), dpi=_dpi_of(image))
        except SourceError as error:
            raise PageError(index, error.message) from error
        except _DAMAGE as error:
            raise PageError(index, f"the picture can't be decoded ({_said(error)})") from error

    def layer(self, index: int) -> None:
        """Return None: pictures say nothing of their text."""

    def links(self, index: int) -> list[PageLink]:
        """Return none: pictures lead nowhere."""
        return []

    def original(self, index: int, area: Box) -> None:
        """Return None: a picture holds no others."""

    def close(self) -> None:
        """Release the file."""
        self._file.close()


def _said(error: BaseException) -> str:
    return str(error) or type(error).__name__


def _upright(image: Image.Image) -> PagePicture:
    # most pictures lie as they are shown: a copy of them is saved
    lying = image.getexif().get(ExifTags.Base.Orientation, 1) != 1
    return PagePicture.of_image(ImageOps.exif_transpose(image) if lying else image)


def _dpi_of(image: Image.Image) -> tuple[float, float] | None:
    """Return the resolution across and down the picture as displayed, None if not believable."""
    try:
        across, down = (float(value) for value in image.info["dpi"])
    except (KeyError, TypeError, ValueError, ZeroDivisionError):
        return None
    if image.getexif().get(ExifTags.Base.Orientation, 1) in _ON_ITS_SIDE:
        across, down = down, across
    return (across, down) if all(20 <= value <= 5000 for value in (across, down)) else None
