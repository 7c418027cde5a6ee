"""A small typesetter that remembers where every word's ink lies."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

DPI = 300
A4 = (2480, 3508)


class Typeface:
    """A face in one style; web fonts come in pieces by script."""

    def __init__(self, fonts: Path, family: str, weight: int = 400, style: str = "normal") -> None:
        self._paths = [
            path
            for subset in ("latin", "latin-ext", "cyrillic")
            if (path := fonts / family / f"{family}-{subset}-{weight}-{style}.woff2").exists()
        ]
        if not self._paths:
            raise FileNotFoundError(f"no font {family} {weight} {style} below {fonts}")
        self.path = str(self._paths[0])  # of the piece with the Latin letters
        self._covered = [_characters(path) for path in self._paths]
        self._cache: dict[tuple[int, int], ImageFont.FreeTypeFont] = {}

    def runs(self, text: str, size: int) -> list[tuple[str, ImageFont.FreeTypeFont]]:
        """Return the text cut into runs, each with the piece of the face that holds it."""
        runs: list[tuple[str, int]] = []
        for character in text:
            number = next(
                (n for n, covered in enumerate(self._covered) if ord(character) in covered), 0
            )
            if runs and runs[-1][1] == number:
                runs[-1] = (runs[-1][0] + character, number)
            else:
                runs.append((character, number))
        return [(part, self._font(number, size)) for part, number in runs]

    def length(self, text: str, size: int) -> float:
        """Return the advance of a text in pixels."""
        return sum(font.getlength(part) for part, font in self.runs(text, size))

    def _font(self, number: int, size: int) -> ImageFont.FreeTypeFont:
        key = (number, size)
        if key not in self._cache:
            self._cache[key] = ImageFont.truetype(str(self._paths[number]), size)
        return self._cache[key]


def _characters(path: Path) -> set[int]:
    from fontTools.ttLib import TTFont

    with TTFont(path, lazy=True) as font:
        return set(font.getBestCmap())


@dataclass(slots=True)
class SetPage:
    """A page being set: its picture and the truth of what stands on it."""

    size: tuple[int, int] = A4
    blocks: list[dict[str, Any]] = field(default_factory=list)
    image: Image.Image = field(init=False)
    draw: ImageDraw.ImageDraw = field(init=False)

    def __post_init__(self) -> None:
        self.image = Image.new("L", self.size, 255)
        self.draw = ImageDraw.Draw(self.image)

    @property
    def pixels(self) -> NDArray[np.uint8]:
        """The picture as grey levels."""
        return np.asarray(self.image, np.uint8)

    def word(
        self, x: float, base: float, text: str, face: Typeface, size: int, ink: int = 0
    ) -> dict[str, Any]:
        """Draw a word with its base line at `base` and return its truth."""
        boxes = []
        for part, font in face.runs(text, size):
            at = (round(x), round(base))
            self.draw.text(at, part, font=font, fill=ink, anchor="ls")
            boxes.append(list(self.draw.textbbox(at, part, font=font, anchor="ls")))
            x += font.getlength(part)
        return {"text": text, "box": _around(boxes), "confidence": 1.0}

    def block(self, kind: str, lines: list[list[dict[str, Any]]], level: int | None = None) -> None:
        """Note a block of lines of words."""
        rows: list[dict[str, Any]] = []
        for words in lines:
            box = _around([word["box"] for word in words])
            rows.append(
                {
                    "box": box,
                    "text": " ".join(word["text"] for word in words),
                    "confidence": 1.0,
                    "words": words,
                }
            )
        record: dict[str, Any] = {
            "id": f"t{len(self.blocks) + 1}",
            "kind": kind,
            "box": _around([r["box"] for r in rows]),
            "text": "\n".join(r["text"] for r in rows),
            "confidence": 1.0,
            "lines": rows,
        }
        if level:
            record["level"] = level
        self.blocks.append(record)

    def paragraph(
        self,
        text: str,
        x: int,
        y: int,
        width: int,
        face: Typeface,
        size: int,
        *,
        kind: str = "paragraph",
        leading: float = 1.3,
        indent: int = 0,
        justify: bool = True,
        level: int | None = None,
        ink: int = 0,
        centre: bool = False,
        bottom: int | None = None,
    ) -> tuple[int, str]:
        """Set a paragraph from the top at `y`; return the y below it and what did not fit."""
        space = face.length(" ", size)
        words = text.split()
        lines: list[list[dict[str, Any]]] = []
        base = y + round(size * 0.95)
        at = 0
        while at < len(words):
            if bottom is not None and base > bottom:
                break
            start = indent if not lines else 0
            room = width - start
            taken: list[str] = []
            used = 0.0
            while at < len(words):
                length = face.length(words[at], size)
                if taken and used + space + length > room:
                    head, tail = _hyphenated(words[at])
                    piece = face.length(head, size)
                    if head and justify and used + space + piece <= room:
                        taken.append(head)
                        used += space + piece
                        words[at] = tail
                    break
                used += (space if taken else 0) + length
                taken.append(words[at])
                at += 1
            last = at >= len(words)
            gap = space
            if justify and not last and len(taken) > 1:
                gap += (room - used) / (len(taken) - 1)
            pen = float(x + start + ((room - used) / 2 if centre else 0))
            row = []
            for word in taken:
                row.append(self.word(pen, base, word, face, size, ink))
                pen += face.length(word, size) + gap
            lines.append(row)
            base += round(size * leading)
        if lines:
            self.block(kind, lines, level)
        return base - round(size * 0.95), " ".join(words[at:])

    def rule(self, x0: int, y0: int, x1: int, y1: int, width: int = 3, ink: int = 0) -> None:
        """Draw a rule."""
        self.draw.line((x0, y0, x1, y1), fill=ink, width=width)


def _around(boxes: list[list[float]]) -> list[float]:
    x0, y0, x1, y1 = zip(*boxes, strict=True)
    return [min(x0), min(y0), max(x1), max(y1)]


def _hyphenated(word: str) -> tuple[str, str]:
    """Return a long word cut behind a vowel near its middle, or nothing and the word."""
    if len(word) < 9 or not word.isalpha():
        return "", word
    for at in range(len(word) // 2, len(word) - 3):
        if word[at - 1] in "aeiouаеиоу" and word[at] not in "aeiouаеиоу":
            return word[:at] + "-", word[at:]
    return "", word
