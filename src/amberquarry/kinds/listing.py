"""The text of listings, made from the places of their letters."""

from __future__ import annotations

import numpy as np

from amberquarry.sheet.fixed_pitch import fit_grid
from amberquarry.sheet.typography import FIXED, first_middle, pitch_of, rows_of
from amberquarry.values import Line

_MOST_EMPTY = 2  # empty lines kept between two of a listing


def code_text(lines: list[Line]) -> str:
    """Return lines of code with the spaces and empty lines that their places show."""
    lines = [line for line in lines if line.words]
    if not lines:
        return ""
    pitch = _exact_pitch(lines)
    left = min(map(first_middle, lines))
    rows = rows_of(lines)
    feet = [max(line.box.y1 for line in row) for row in rows]
    usual = float(np.median(np.diff(feet))) if len(feet) > 1 else 1.0
    out: list[str] = []
    for number, row in enumerate(rows):
        if number:
            empty = round((feet[number] - feet[number - 1]) / max(1.0, usual)) - 1
            out += [""] * max(0, min(_MOST_EMPTY, empty))
        text = ""
        for line in row:
            middle = (line.character_boxes[:, 0] + line.character_boxes[:, 2]) / 2
            for word in line.words:
                at = round((float(middle[word.start]) - left) / pitch)
                text += " " * max(1 if text else 0, at - len(text)) + word.text
        out.append(text)
    return "\n".join(out)


def _exact_pitch(lines: list[Line]) -> float:
    """Return the pitch that suits whole lines: a little off it is a column off at their ends."""
    usual = pitch_of(lines)
    longest = max(lines, key=lambda line: line.box.width)
    signs = [n for n, sign in enumerate(longest.text) if not sign.isspace()]
    boxes = longest.character_boxes[signs].astype(float)
    pitch, _, fit = fit_grid((boxes[:, 0] + boxes[:, 2]) / 2, usual)
    return pitch if fit > FIXED.share else usual
