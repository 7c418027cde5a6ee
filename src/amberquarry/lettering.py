"""The face in which labels are drawn on pictures.

Pillow's own face has few letters beyond ASCII: the package brings one that has nearly all that the
reader knows.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PIL import ImageFont

from amberquarry.values import UNKNOWN

_FACE = Path(__file__).parent / "faces" / "DejaVuSans.ttf"
_NO_CHARACTER = "\ufdd0"  # of Unicode: no face has it


@lru_cache(maxsize=16)
def face(size_px: float) -> ImageFont.FreeTypeFont:
    """Return the face at a size."""
    return ImageFont.truetype(_FACE, size_px)


def drawable(text: str) -> str:
    """Return text with what the face can't draw shown by its code point, in brackets."""
    return "".join(sign if _has(sign) else f"[{_named(sign)}]" for sign in text)


def _named(sign: str) -> str:
    return "?" if sign == UNKNOWN else format(ord(sign), "04X")


@lru_cache(maxsize=4096)
def _has(sign: str) -> bool:
    font = face(16.0)
    return sign != UNKNOWN and bytes(font.getmask(sign)) != bytes(font.getmask(_NO_CHARACTER))
