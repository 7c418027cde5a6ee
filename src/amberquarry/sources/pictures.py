"""Page pictures of image files, through Pillow."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from amberquarry.document import Finding
from amberquarry.errors import PageError, Rejection, SourceError
from amberquarry.settings import Limits

FORMATS = ("PNG", "JPEG", "TIFF", "BMP", "GIF", "WEBP", "JPEG2000", "PPM")

_LOOK_STEP, _LEAST_COLOURED = 6, 0.0005  # share of the page from which colour is looked into
_COLOUR_SPREAD = 24  # grey levels between the channels


@dataclass(frozen=True, slots=True)
class PagePicture:
    """The picture of a page, as displayed."""

    grey: NDArray[np.uint8]  # (H, W), 0 is black
    dpi: tuple[float, float] | None = None  # None where the file does not say
    to_points: tuple[float, float, float, float, float, float] | None = None
    findings: tuple[Finding, ...] = ()
    colours: NDArray[np.uint8] | None = None  # (H, W, 3) RGB; None where it has next to no colour

    @property
    def brightest(self) -> NDArray[np.uint8] | None:
        """The brightest channel (H, W), in which coloured marks are palest; None without colour."""
        if self.colours is None:
            return None
        red, green, blue = cv2.split(self.colours)
        return np.asarray(cv2.max(cv2.max(red, green), blue), np.uint8)

    @classmethod
    def of_image(cls, image: Image.Image) -> PagePicture:
        """Return the picture of a page that Pillow opened."""
        return cls(grey_levels(image), colours=_colours_of(image))


def grey_levels(image: Image.Image) -> NDArray[np.uint8]:
    """Return (H, W) grey levels of any Pillow image: 1 to 16 bits, palette, alpha, CMYK.

    Transparent places count as white paper. Deeper images are scaled to their own range.
    """
    if image.mode in ("I", "F") or image.mode.startswith("I;16"):
        deep = np.asarray(image, dtype=np.float64)
        deep = np.nan_to_num(deep, nan=0.0, posinf=0.0, neginf=0.0)
        top = (
            65535.0
            if image.mode != "F" and deep.max(initial=0) > 255
            else (255.0 if deep.max(initial=0) > 1 else 1.0)
        )
        return np.clip(deep / max(top, float(deep.max(initial=1))) * 255, 0, 255).astype(np.uint8)
    return np.asarray(_on_paper(image).convert("L"), dtype=np.uint8)


def has_colour(channels: NDArray[np.uint8]) -> bool:
    """Return whether a picture (H, W, 3), its channels in any order, has more than grey in it."""
    sample = channels[::_LOOK_STEP, ::_LOOK_STEP].astype(np.int16)
    return bool((np.ptp(sample, axis=2) > _COLOUR_SPREAD).mean() >= _LEAST_COLOURED)


def _colours_of(image: Image.Image) -> NDArray[np.uint8] | None:
    """Return the colours (H, W, 3) of a Pillow image, None where it has next to none."""
    if image.mode in ("1", "L", "LA", "La", "I", "F") or image.mode.startswith("I;16"):
        return None
    colours = np.asarray(_on_paper(image).convert("RGB"), np.uint8)
    return colours if has_colour(colours) else None


def _on_paper(image: Image.Image) -> Image.Image:
    """Return an image with white where it is transparent."""
    if image.mode in ("LA", "La", "PA", "RGBA", "RGBa") or "transparency" in image.info:
        image = image.convert("RGBA")
        return Image.alpha_composite(Image.new("RGBA", image.size, "white"), image)
    return image


def image_of_array(array: NDArray[Any]) -> Image.Image:
    """Return a Pillow image of an array (H, W), (H, W, 3) RGB or (H, W, 4) RGBA.

    Integers of 8 or 16 bits count by their full range, booleans as black (False) and white, floats
    from 0 to 1. Raises TypeError or ValueError for anything else.
    """
    if array.ndim not in (2, 3) or (array.ndim == 3 and array.shape[2] not in (1, 3, 4)):
        raise ValueError(f"need an array (H, W), (H, W, 3) or (H, W, 4), got shape {array.shape}")
    if array.size == 0:
        raise ValueError(f"the picture has no pixels, its shape is {array.shape}")
    if array.dtype == np.bool_:
        array = array.astype(np.uint8) * 255
    elif array.dtype == np.uint16:
        array = (array // 256).astype(np.uint8)
    elif np.issubdtype(array.dtype, np.floating):
        array = (np.clip(np.nan_to_num(array), 0, 1) * 255).astype(np.uint8)
    elif array.dtype != np.uint8:
        raise TypeError(f"need bool, uint8, uint16 or float pixels, got {array.dtype}")
    if array.ndim == 3 and array.shape[2] == 1:
        array = array[:, :, 0]
    return Image.fromarray(np.ascontiguousarray(array))


class PictureSource:
    """An image file; each frame of a TIFF is a page."""

    def __init__(self, content: Path | bytes, limits: Limits) -> None:
        self._limits = limits
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # sizes are checked here, by our own limits
                self._image = Image.open(
                    io.BytesIO(content) if isinstance(content, bytes) else content, formats=FORMATS
                )
                frames = getattr(self._image, "n_frames", 1)
        except UnidentifiedImageError as error:
            raise SourceError(
                Rejection.DAMAGED, "the picture's header can't be read; export it again"
            ) from error
        except Image.DecompressionBombError as error:
            raise SourceError(
                Rejection.TOO_LARGE,
                "the picture has too many pixels; reduce it or cut it into pages",
            ) from error
        except (OSError, ValueError, SyntaxError, EOFError) as error:
            raise SourceError(
                Rejection.DAMAGED, f"the picture can't be opened ({error}); export it again"
            ) from error
        self.page_count = frames if self._image.format == "TIFF" else 1
        self.file_info: dict[str, str] = {}
        if self.page_count > limits.pages:
            raise SourceError(
                Rejection.TOO_LARGE,
                f"{self.page_count} pages, the limit is {limits.pages}; split the file",
            )

    def picture(self, index: int) -> PagePicture:
        """Return one frame; raises PageError where it can't be decoded."""
        try:
            self._image.seek(index)
            width, height = self._image.size
            if width * height > self._limits.pixels:
                raise PageError(
                    index,
                    f"{width} x {height} pixels, the limit is "
                    f"{self._limits.pixels}; reduce the picture or cut it into pages",
                )
            dpi = self._image.info.get("dpi")
            image = ImageOps.exif_transpose(self._image)
            picture = PagePicture.of_image(image)
        except PageError:
            raise
        except (OSError, ValueError, SyntaxError, EOFError, MemoryError) as error:
            raise PageError(index, f"the picture can't be decoded ({error})") from error
        try:
            known = (float(dpi[0]), float(dpi[1])) if dpi else None
        except (TypeError, ValueError, ZeroDivisionError):
            known = None
        if known and not all(20 <= value <= 5000 for value in known):
            known = None
        return replace(picture, dpi=known)

    def close(self) -> None:
        """Release the file."""
        self._image.close()
