"""Where text lines run and how high their letters are: base line and x-height of many at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.rowwise import Rowwise
from amberquarry.values import Box

CAPITAL_RATIO = 1.42  # height of capitals over x-height, usual in print


@dataclass(frozen=True, slots=True)
class BetweenQuotes:
    """A line of few letters between quotes, which hang over its base line."""

    most: int = 24  # letters, which the quotes may outweigh
    hanging: float = 0.7  # of the height of its tallest: what hangs is lower
    quote: float = 0.55  # of that height: quotes are lower
    per_letter: float = 0.5  # strokes of quotes for each letter, at least
    level: float = 0.4  # heights by which its tall letters may lie off one level


@dataclass(frozen=True, slots=True)
class BaseLine:
    """Where the base line runs; lengths in heights of the letters that stand on it."""

    as_many: float = 0.8  # of the letters on the lower of two levels: then it is the upper one
    hangs: float = 0.45  # by which letters hang under it at most
    one_level: float = 0.06  # by which letters that stand on it differ
    letters: int = 18  # of a line that may be bent
    span: float = 15.0  # that such a line is longer than
    near: tuple[float, ...] = (0.5, 0.3, 0.2, 0.15, 0.12)  # off it, fit by fit: letters count
    steepest: float = 0.2  # slope, at most
    tiny: float = 1e-6  # pixels that rounding makes


@dataclass(frozen=True, slots=True)
class Heights:
    """Which letters tell the x-height."""

    few_low: float = 0.16  # small letters to each tall one: fewer may be marks
    rise: float = 0.35  # of the usual height: letters over the base line


QUOTES, BASE_LINE, HEIGHTS = BetweenQuotes(), BaseLine(), Heights()


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class TextLine:
    """A line of text in the prepared page."""

    box: Box
    pieces: NDArray[np.int64]  # indices of components
    baseline: NDArray[np.float64]  # coefficients for np.polyval, y at x
    x_height: float  # pixels
    plain: bool = False  # all letters of one height: capitals, figures or only low letters
    step: float = 0.0  # pixels from letter to letter in fixed pitch, 0 elsewhere
    number: int = -1  # by which it is known on its sheet, once that is laid out

    @property
    def least_x_height(self) -> float:
        """The x-height if letters of one height are capitals or figures."""
        return self.x_height / (CAPITAL_RATIO if self.plain else 1.0)

    def baseline_at(self, x: float) -> float:
        """Return y of the base line at x."""
        y = 0.0
        for coefficient in self.baseline.tolist():
            y = y * x + coefficient
        return y


def curves_of(lines: Sequence[TextLine]) -> NDArray[np.float64]:
    """Return the base lines (lines, 3) as coefficients for np.polyval."""
    curves = np.zeros((len(lines), 3))
    for curve, line in zip(curves, lines, strict=True):
        curve[3 - len(line.baseline) :] = line.baseline
    return curves


def measure_lines(
    glyphs: Glyphs, groups: list[NDArray[np.int64]], core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return a line for each group of pieces: where it runs and how high its letters are.

    groups: of one piece at least, from the left. core: pieces that may be letters; only they are
    measured, where a group has any.
    """
    if not groups:
        return []
    pieces, rows = np.concatenate(groups), Rowwise.of_lengths([len(own) for own in groups])
    corners = [rows.smallest(edge[pieces]) for edge in (glyphs.left, glyphs.top)]
    corners += [rows.largest(edge[pieces]) for edge in (glyphs.right, glyphs.bottom)]
    boxes = np.stack(corners, 1).tolist()
    letters = core[pieces] | (rows.sum(core[pieces]) == 0)[rows.row]
    pieces, rows = pieces[letters], rows.of(letters)
    standing = _standing(glyphs, pieces, rows)
    pieces, rows = pieces[standing], rows.of(standing)
    x = (glyphs.left[pieces] + glyphs.right[pieces]) / 2
    top, bottom = glyphs.top[pieces].astype(float), glyphs.bottom[pieces].astype(float)
    height = rows.median(bottom - top)
    curves, degrees = _base_lines(x, bottom, bottom - top, height, rows)
    x_heights, plain = x_heights_of(_at(curves, x, rows) - top, height, rows)
    return [
        TextLine(Box(*box), own, curve[2 - degree :], x_height, alike)
        for box, own, curve, degree, x_height, alike in zip(
            boxes, groups, curves, degrees.tolist(), x_heights.tolist(), plain.tolist(), strict=True
        )
    ]


def _at(curves: NDArray[np.float64], x: NDArray[np.float64], rows: Rowwise) -> NDArray[np.float64]:
    """Return the y of each letter's base line at its x. curves: (rows, 3), as for np.polyval."""
    a, b, c = curves[rows.row].T
    return np.asarray((a * x + b) * x + c)


def _level_at(y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return base lines that run level, as coefficients for np.polyval (rows, 3)."""
    return np.stack([np.zeros_like(y), np.zeros_like(y), y], 1)


def _base_lines(
    x: NDArray[np.float64],
    bottom: NDArray[np.float64],
    high: NDArray[np.float64],
    height: NDArray[np.float64],
    rows: Rowwise,
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Return the base line of each row as coefficients for np.polyval (rows, 3), and its degree.

    x, bottom, high: of each letter, its middle, foot and height. height: usual, of each row.
    """
    span = rows.largest(x) - rows.smallest(x)
    curved = (rows.count >= BASE_LINE.letters) & (span > BASE_LINE.span * height)
    usual = rows.median(bottom)
    curves = _level_at(usual)
    degrees = np.zeros(rows.rows, np.int64)
    active = (span > 2 * height) & (rows.count >= 4)
    kept = active[rows.row]
    for attempt, near in enumerate(BASE_LINE.near):
        wanted = np.where(curved & (attempt >= 2), 2, min(attempt, 1))
        for degree in range(3):
            own = active & (wanted == degree)
            if own.any():
                chosen = kept & own[rows.row]
                fitted = fit_curves(x[chosen], bottom[chosen], rows.of(chosen), degree)
                curves[own], degrees[own] = fitted[own], degree
        off = bottom - _at(curves, x, rows)
        limit = np.maximum(1.5, near * height)
        # descenders hang below; what ends above is raised: both are left out
        fresh = np.abs(off - rows.median(off)[rows.row]) <= limit[rows.row]
        active &= rows.sum(fresh) >= np.maximum(3, 0.3 * rows.count)
        kept = np.where(active[rows.row], fresh, kept)
    sloping = degrees > 0
    steep = sloping & (np.abs(curves[:, 1]) > BASE_LINE.steepest)  # no line of text is
    # several descenders at one end tilt a short line
    reach = (np.maximum(1.5, BASE_LINE.one_level * height) + BASE_LINE.tiny)[rows.row]
    beside = rows.between(bottom, bottom - reach, bottom + reach)
    most = rows.largest(beside)
    on_line = rows.sum(np.abs(bottom - _at(curves, x, rows)) <= reach)
    tilted = sloping & ~steep & (most > on_line)
    if tilted.any():
        base = bottom[rows.first_largest(beside)]
        # as many letters may hang under the line as stand on it: "g1 g2"
        under = base[rows.row] - bottom
        over = (
            (beside >= BASE_LINE.as_many * most[rows.row])
            & (under > 0)
            & (under < BASE_LINE.hangs * high)
        )
        base = np.minimum(base, rows.of(over).smallest(bottom[over], np.inf))
        level = np.abs(bottom - base[rows.row]) <= reach
        usual = np.where(tilted, rows.of(level).median(bottom[level]), usual)
    flat = steep | tilted
    curves[flat] = _level_at(usual[flat])
    degrees[flat] = 0
    return curves, degrees


def _standing(glyphs: Glyphs, letters: NDArray[np.int64], rows: Rowwise) -> NDArray[np.bool_]:
    """Return for each letter whether it can stand on its line's base: quotes hang over it.

    All do where quotes can't outvote the letters, and where the line is tilted or bent.
    """
    top, bottom = glyphs.top[letters], glyphs.bottom[letters]
    height, middle = bottom - top, (top + bottom) / 2
    tallest = rows.largest(height)
    tall = height > QUOTES.hanging * tallest[rows.row]
    of_tall, middles = rows.of(tall), middle[tall]
    standing = bottom > of_tall.median(middles)[rows.row]
    level = of_tall.largest(middles) - of_tall.smallest(middles) < QUOTES.level * tallest
    hanging = rows.sum(~standing)
    few = (hanging > 1) & (hanging > QUOTES.per_letter * rows.sum(standing))
    few &= rows.count <= QUOTES.most
    small = rows.largest(np.where(standing, 0, height)) < QUOTES.quote * tallest
    small &= 2 * of_tall.count >= rows.sum(standing)  # not beside one large piece
    return np.asarray(standing | ~(level & few & small)[rows.row])


def measure_together(
    glyphs: Glyphs, groups: list[list[TextLine]], core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return each group of lines, or parts of one, as one line (see `measure_lines`)."""
    pieces = [np.concatenate([line.pieces for line in group]) for group in groups]
    wholes = measure_lines(glyphs, [from_the_left(own, glyphs) for own in pieces], core)
    for whole, group in zip(wholes, groups, strict=True):
        whole.step = max(line.step for line in group)
    return wholes


def lines_joined(
    glyphs: Glyphs, groups: list[list[TextLine]], core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return one line for each group of lines; those that stand alone as they are."""
    wholes = iter(measure_together(glyphs, [own for own in groups if len(own) > 1], core))
    return [next(wholes) if len(own) > 1 else own[0] for own in groups]


def from_the_left(pieces: NDArray[np.int64], glyphs: Glyphs) -> NDArray[np.int64]:
    """Return pieces in the order in which they begin."""
    return pieces[np.argsort(glyphs.left[pieces], kind="stable")]


def x_heights_of(
    rise: NDArray[np.float64], height: NDArray[np.float64], rows: Rowwise
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return the x-height of each row of letters, and whether all are alike.

    rise: of each letter over the base line. height: usual height of each row.
    Low letters and tall ones form two groups, the tall ones 1.25 to 1.7 times as high. The
    height under which most letters fall into one of both is taken.
    """
    high = rise > HEIGHTS.rise * height[rows.row]
    rise, rows = rise[high], rows.of(high)
    low, tall, middling = (
        rows.between(rise, least * rise, most * rise)
        for least, most in ((0.9, 1.1), (1.22, 1.75), (0.6, 0.85))
    )
    if not len(rise):
        return height, np.ones(len(height), bool)
    best = rows.first_largest(low + 0.85 * tall - 0.4 * middling)
    marks = low[best] < HEIGHTS.few_low * tall[best]  # among letters of one height
    best = np.where(marks, rows.first_largest(low), best)
    size = rise[best]
    same = (rise > 0.9 * size[rows.row]) & (rise < 1.1 * size[rows.row])
    alike = np.where(marks, 0, tall[best]) < np.maximum(1, 0.06 * rows.count)
    told = rows.count > 0
    return np.where(told, rows.of(same).median(rise[same]), height), alike | ~told


def fit_curves(
    x: NDArray[np.float64], y: NDArray[np.float64], rows: Rowwise, degree: int
) -> NDArray[np.float64]:
    """Return the least-squares polynomial of each row as coefficients for np.polyval (rows, 3)."""
    count = np.maximum(1, rows.count)
    level, middle = rows.sum(y) / count, rows.sum(x) / count
    if degree == 0:
        return _level_at(level)
    scale = np.maximum(1.0, (rows.largest(x) - rows.smallest(x)) / 2)
    u = (x - middle[rows.row]) / scale[rows.row]
    if degree == 1:
        above = rows.sum(u * (y - level[rows.row]))
        slope = above / np.maximum(1e-9, rows.sum(u * u)) / scale
        return np.stack([np.zeros_like(slope), slope, level - slope * middle], 1)
    powers = np.stack([u * u, u, np.ones_like(u)])
    products = np.array([[rows.sum(one * other) for other in powers] for one in powers])
    squares = products.transpose(2, 0, 1) + 1e-9 * np.eye(3)
    sums = np.stack([rows.sum(power * y) for power in powers], 1)
    a, b, c = np.linalg.solve(squares, sums[..., None])[..., 0].T
    a, b = a / scale**2, b / scale
    return np.stack([a, b - 2 * a * middle, c - b * middle + a * middle**2], 1)


def weighted_median(values: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    """Return the value up to which half of the weight lies; ValueError without values."""
    if not len(values):
        raise ValueError("no values to take the median of")
    order = np.argsort(values, kind="stable")
    total = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(total, total[-1] / 2)])


def curve_at(curve: NDArray[np.float64], x: NDArray[np.floating]) -> NDArray[np.float64]:
    """Return a polynomial's values at some places (np.polyval, but lean)."""
    y = np.full(x.shape, curve[0])
    for coefficient in curve[1:].tolist():
        y = y * x + coefficient
    return y


def lean_median(values: NDArray[np.floating]) -> float:
    """Return the median of a few values (np.median, at a tenth of its time)."""
    ranked = np.sort(values)
    return float(ranked[(len(ranked) - 1) // 2] + ranked[len(ranked) // 2]) / 2


def usual_x_height(lines: list[TextLine]) -> float:
    """Return the x-height of most of the text, weighted by its pieces."""
    heights = np.array([line.x_height for line in lines])
    weights = np.array([len(line.pieces) for line in lines], float)
    return weighted_median(heights, weights)
