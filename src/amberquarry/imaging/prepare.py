"""From a page picture to what layout and reading work on."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.bleed import seems_bled, without_bleed
from amberquarry.imaging.colour import without_marks
from amberquarry.imaging.light import (
    HEALED_INK_SHARE,
    INK_SHARE,
    MERGED_INK_SHARE,
    clear_borders,
    drop_specks,
    even_page,
    heal,
    ink_of,
    is_bilevel,
    noise_level,
)
from amberquarry.imaging.pale import with_pale_print
from amberquarry.imaging.sheet import find_sheet, lay_flat
from amberquarry.imaging.skew import find_letters, share_running_down, skew_angle
from amberquarry.imaging.spread import find_fold, halves
from amberquarry.settings import PreparationSettings
from amberquarry.values import Mapping, PreparationStep, Step


@dataclass(frozen=True, slots=True)
class LetterSize:
    """Height of letters to which a page is brought, in pixels."""

    least: float = 17.0  # lower ones are enlarged
    wanted: float = 26.0  # to this
    most: float = 58.0  # higher ones are reduced
    enlargement: float = 4.0  # at most
    of_word: float = 1.3  # letter heights that words run together count as in the layout


@dataclass(frozen=True, slots=True)
class PageSize:
    """Sizes of pages."""

    longest: int = 30_000  # pixels of a side: OpenCV's warps count them in 16 bits
    look: float = 2.5e6  # pixels of the picture on which the page is judged


LETTER_PX, PAGE_PX = LetterSize(), PageSize()
_LEAST_SKEW_DEG = 0.25  # lines are followed one by one: less does no harm


@dataclass(frozen=True, slots=True)
class Prepared:
    """A page made ready: paper 255, ink dark, lines level."""

    grey: NDArray[np.uint8]  # (H, W), evened
    ink: NDArray[np.uint8]  # (H, W), 1 where ink
    to_source: Mapping  # from pixels of `grey` to pixels of the source
    turned: int  # degrees by which the page was turned counter-clockwise: 0, 90, 180, 270
    skew: float  # degrees by which lines rise on the turned source
    letter_height: float  # median height of letters in pixels of `grey`, 0 if unknown
    running_down: float = 0.0  # share of letters on the source whose line seems to run down it
    steps: tuple[PreparationStep, ...] = ()  # what was done, but for turning


@dataclass(frozen=True, slots=True)
class View:
    """The part of a picture that holds the page, seen from straight above."""

    grey: NDArray[np.uint8]
    to_source: Mapping
    steps: tuple[PreparationStep, ...] = ()

    def behind(self, page: Prepared) -> Prepared:
        """Return a page that was prepared from this view, mapped back to the view's source."""
        return replace(
            page, to_source=self.to_source.after(page.to_source), steps=self.steps + page.steps
        )


def views_of(
    source: NDArray[np.uint8],
    settings: PreparationSettings,
    colours: NDArray[np.uint8] | None = None,
) -> list[View]:
    """Return the sheet that lies on a photograph, or the whole picture; two pages of a spread.

    colours: (H, W, 3) of the source, if it has any: coloured marks are taken off the print.
    """
    view = _reduced(source, settings.max_megapixels)
    if colours is not None and settings.lift_marks:
        if view.grey is not source:
            size = view.grey.shape[::-1]
            colours = np.asarray(cv2.resize(colours, size, interpolation=cv2.INTER_AREA), np.uint8)
        lifted = without_marks(view.grey, colours)
        if lifted is not None:
            step = PreparationStep(Step.LIFT, "coloured marks cross the print")
            view = View(lifted, view.to_source, (*view.steps, step))
    corners = find_sheet(view.grey) if settings.find_sheet else None
    if corners is not None:
        step = PreparationStep(Step.SHEET, "a sheet lies on a darker ground")
        sheet, inner = lay_flat(view.grey, corners)
        view = View(sheet, view.to_source.after(inner), (*view.steps, step))
    fold = find_fold(view.grey) if settings.split_spreads else None
    if fold is None:
        return [view]
    steps = (*view.steps, PreparationStep(Step.SPLIT, fold.why))
    return [
        View(half, view.to_source.after(_shifted(start)), steps)
        for half, start in halves(view.grey, fold)
    ]


def _reduced(source: NDArray[np.uint8], most: float) -> View:
    """Return a picture of at most so many megapixels: a larger one is averaged."""
    scale = (most * 1e6 / source.size) ** 0.5 if source.size else 1.0
    if scale >= 1.0:
        return View(source, Mapping())
    why = f"{source.size / 1e6:.0f} megapixels are more than {most:g}"
    grey, mapping = _resized(source, scale, cv2.INTER_AREA)
    return View(grey, mapping, (PreparationStep(Step.RESIZE, why),))


def _resized(
    grey: NDArray[np.uint8], scale: float, interpolation: int
) -> tuple[NDArray[np.uint8], Mapping]:
    """Return a picture in another size, with the mapping back."""
    height, width = grey.shape
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    resized = np.asarray(cv2.resize(grey, size, interpolation=interpolation), np.uint8)
    return resized, Mapping.of(np.array([[width / size[0], 0, 0], [0, height / size[1], 0]]))


def _shifted(x: float) -> Mapping:
    return Mapping.of(np.array([[1.0, 0.0, x], [0.0, 1.0, 0.0]]))


def turned_back(turned: int, width: int, height: int) -> Mapping:
    """Return the mapping from a picture turned counter-clockwise back to its source.

    width, height: of the source picture.
    """
    if turned == 90:  # np.rot90 once: source x = width - y', source y = x'
        return Mapping.of(np.array([[0.0, -1.0, width], [1.0, 0.0, 0.0]]))
    if turned == 180:
        return Mapping.of(np.array([[-1.0, 0.0, width], [0.0, -1.0, height]]))
    if turned == 270:
        return Mapping.of(np.array([[0.0, 1.0, 0.0], [-1.0, 0.0, height]]))
    return Mapping.of(np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]))


def prepare(
    source: NDArray[np.uint8], settings: PreparationSettings, lying: bool | None = None
) -> Prepared:
    """Return the page evened, brought to a workable letter size, and level.

    source: (H, W) grey. Lines that run down the page are turned by 90 degrees here; whether the
    page then stands on its head is for the reader to say (see `upside_down`).
    lying: whether lines run down, where that is known; by default the letters' places decide.
    """
    height, width = source.shape
    even, done = even_page(source, settings.reverse_dark, settings.even_light)
    steps = [*done]
    cleared = clear_borders(even)
    if cleared is not even:
        if Step.BORDER not in {step.step for step in steps}:
            steps.append(PreparationStep(Step.BORDER, "solid dark areas reach the edge"))
        even = cleared
    share, threshold = INK_SHARE, settings.ink_threshold / INK_SHARE
    shines_through = False
    if is_bilevel(source):
        steps.append(PreparationStep(Step.MEND, "the picture holds only black and white"))
        even, share = heal(drop_specks(even)), HEALED_INK_SHARE
    elif seems_bled(even):
        front = without_bleed(even)
        shines_through = front is not None and not settings.lift_bleed
        if front is not None and settings.lift_bleed:
            steps.append(PreparationStep(Step.BLEED, "bleed-through from the other side"))
            even = front
    # whole factors shrink fastest
    shrink = max(1, round((height * width / PAGE_PX.look) ** 0.5))
    look = even
    if shrink > 1:
        size = (max(1, width // shrink), max(1, height // shrink))
        trimmed = even[: size[1] * shrink, : size[0] * shrink]
        look = cv2.resize(trimmed, size, interpolation=cv2.INTER_AREA)
    letters = find_letters(ink_of(look, threshold * share))
    down = share_running_down(letters)
    if lying is None:
        lying = settings.find_rotation and down > 0.6
    turned = 90 if lying else 0
    if lying:
        even = np.ascontiguousarray(np.rot90(even))
        letters = find_letters(np.ascontiguousarray(np.rot90(ink_of(look, threshold * share))))
    if letters.merged:
        share = max(share, MERGED_INK_SHARE)
    letter = letters.height * shrink
    scale = LETTER_PX.wanted / letter if letter > LETTER_PX.most else enlargement(letter)
    scale = min(scale, (settings.max_megapixels * 1e6 / (height * width)) ** 0.5)
    scale = min(scale, PAGE_PX.longest / max(height, width))
    skew = skew_angle(letters, settings.max_skew_deg)
    back = turned_back(turned, width, height)
    if abs(skew) < _LEAST_SKEW_DEG:
        skew = 0.0
    if scale != 1.0:
        steps.append(PreparationStep(Step.RESIZE, f"letters are {letter:.0f} pixels high"))
    if skew:
        steps.append(PreparationStep(Step.LEVEL, f"lines are skewed by {skew:.1f} degrees"))
    # enlarging smooths the noise where it is measured, not where it is taken for ink
    noise = noise_level(even)
    if skew or scale != 1.0:
        even, inner = _level(even, skew, scale)
        back = back.after(inner)
    soft = even
    if settings.smoothing_px:
        soft = np.asarray(cv2.GaussianBlur(even, (0, 0), settings.smoothing_px * scale), np.uint8)
    ink = ink_of(soft, threshold * share, noise, scale, settings.least_contrast)
    letter *= scale
    if not shines_through:
        ink = with_pale_print(soft, ink, letter, noise)
    if letters.merged:  # enlarged, they may stand apart; if not, layout has to do with words
        again = find_letters(ink)
        found = LETTER_PX.of_word * again.height if again.merged else again.height
        letter = found if 0.6 * letter < found < 2 * letter else letter
    return Prepared(even, ink, back, turned, skew, letter, down, tuple(steps))


def enlargement(letter: float) -> float:
    """Return the factor by which a page is enlarged whose letters are `letter` pixels high."""
    if not 0 < letter < LETTER_PX.least:
        return 1.0
    return min(LETTER_PX.enlargement, LETTER_PX.wanted / letter)


def _level(even: NDArray[np.uint8], skew: float, scale: float) -> tuple[NDArray[np.uint8], Mapping]:
    """Return the picture turned so that lines lie level, scaled, with the mapping back."""
    height, width = even.shape
    smooth = cv2.INTER_CUBIC if scale > 1.2 else cv2.INTER_LINEAR
    shrinks = scale < 0.75 or max(height, width) > PAGE_PX.longest
    if shrinks or not skew:
        # averaged where it shrinks, so that nothing is skipped
        even, resized = _resized(even, scale, cv2.INTER_AREA if shrinks else smooth)
        if not skew:
            return even, resized
        level, inner = _level(even, skew, 1.0)
        return level, resized.after(inner)
    angle = np.radians(skew)
    cos, sin = float(np.cos(angle)) * scale, float(np.sin(angle)) * scale
    new_width = max(1, round(width * abs(cos) + height * abs(sin)))
    new_height = max(1, round(height * abs(cos) + width * abs(sin)))
    # lines that rise to the right are turned clockwise
    forward = np.array([[cos, -sin, 0.0], [sin, cos, 0.0]])
    forward[:, 2] = np.array([new_width, new_height]) / 2 - forward[:, :2] @ (width / 2, height / 2)
    # pixel centres lie at half numbers in our frame, at whole numbers in OpenCV's
    shifted = forward.copy()
    shifted[:, 2] += forward[:, :2] @ (0.5, 0.5) - 0.5
    level = cv2.warpAffine(
        even,
        shifted,
        (new_width, new_height),
        flags=smooth,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=255,
    )
    inverse = cv2.invertAffineTransform(forward)
    return level, Mapping.of(np.asarray(inverse, np.float64))


def upside_down(page: Prepared) -> Prepared:
    """Return the page turned by 180 degrees more."""
    height, width = page.grey.shape
    return replace(
        page,
        grey=np.ascontiguousarray(page.grey[::-1, ::-1]),
        ink=np.ascontiguousarray(page.ink[::-1, ::-1]),
        to_source=page.to_source.after(turned_back(180, width, height)),
        turned=(page.turned + 180) % 360,
    )
