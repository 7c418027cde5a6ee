"""Even out the ground of a page: light, tint, dark areas; then part ink from paper."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.panels import turn_panels
from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.shade import without_shade
from amberquarry.imaging.shrink import BLOCK, in_blocks
from amberquarry.values import PreparationStep, Step

Grey = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Ground:
    """The level of the paper over a page, in blocks."""

    flat: int = 250  # one that is nowhere darker than this is left alone
    steep: float = 0.1  # of its level by which it may change over a few blocks
    beside: float = 0.4  # of the paper: what is darker and reaches the edge may lie beside it


@dataclass(frozen=True, slots=True)
class DarkArea:
    """Areas with light letters on dark (`benchmarks/scenes.py`, reversed)."""

    stroke_share: int = 98  # percentile of blocks: an area may hold few letters
    notch: float = 0.75  # of the paper's level: blocks above it lie beside the dark area
    seam_px: int = 5  # of the soft edge around it
    stroke_px: int = 17  # of light letters near its edge
    level: float = 0.62  # of the paper's level: areas below it are of the other polarity
    lighter: float = 1.5  # contrast of light strokes over that of dark ones, at least
    no_paper: int = 140  # grey level of blocks: nothing as light as paper is there, only letters
    edge: float = 0.95  # of the blocks along its edge
    large: int = 3000  # blocks of a large one
    share: float = 0.94  # of these that are dark
    strong: float = 30.0  # grey levels by which strokes differ from it,
    strong_share: float = 0.5  # or share of its level;
    weak: float = 14.0  # the same where they stand out from its usual grain
    weak_share: float = 0.25  # or share of its level,
    stands_out: float = 2.5  # by so many times
    few: float = 0.0005  # of it with strokes: a slide of a few words is no table top


@dataclass(frozen=True, slots=True)
class Threshold:
    """Where ink begins; grey levels unless said."""

    lowest: float = 100.0  # of it
    depth: float = 12.0  # of it under white
    contrast: float = 18.0  # tiles with less take the page's ink level
    noise: float = 4.5  # deviations of the paper's noise, as far as faint print is trusted
    contrast_noise: float = 7.0  # the same for the contrast of a tile
    grain_px: float = 0.8  # pixels of a blur that halves the noise of single pixels
    darkest: float = 0.02  # part of a tile's pixels
    darker: float = 0.16  # part of a tile's pixels
    grain: float = 2.2  # of the depth of the second part, that the first has in ink
    grain_depth: float = 45.0  # of grain, at most
    under_grain: float = 1.6  # of grain's depth, where the threshold lies in it
    mostly: float = 0.8  # of a page, that is grain
    low_paper: int = 200  # of a tile's median: what is lower is ink, or a picture
    off_white: int = 10  # under white, that are no grain
    rough: int = 9  # of grain: 12 and more where it read as ink, 6 in blurred print


@dataclass(frozen=True, slots=True)
class Look:
    """What is looked at for the share of paper, and in scans in black and white."""

    paper: int = 215  # grey level of evened paper, at least
    pixels: float = 1.5e6  # of the picture that is looked at
    speck: int = 4  # pixels of a speck, at most
    specks: int = 2  # for each letter: then the scan is full of them


GROUND, DARK, THRESHOLD, LOOK = Ground(), DarkArea(), Threshold(), Look()
INK_SHARE = 0.42
HEALED_INK_SHARE = 0.3  # thin strokes of healed pictures are pale
MERGED_INK_SHARE = 0.58  # the grey between the letters of blurred words is deep


def dark_areas(small: Grey, paper: float, reach: int) -> NDArray[np.bool_]:
    """Return where a page shrunk by blocks is dark over more than a stroke's width.

    reach: blocks that a dark area must measure at least in both directions.
    """
    calm = cv2.medianBlur(small, 5)
    dark = (calm < DARK.level * paper).astype(np.uint8)
    kernel = np.ones((reach, reach), np.uint8)
    dark = cv2.morphologyEx(dark, cv2.MORPH_OPEN, kernel)
    # light letters leave holes and notches in the area they stand on
    wide = _closed(dark, reach)
    # a strip of paper between two dark areas is longer than a letter's stroke
    bright = (calm > DARK.notch * paper).astype(np.uint8)
    for shape in ((3, 4 * reach), (4 * reach, 3)):
        wide = wide & (1 - cv2.morphologyEx(bright, cv2.MORPH_OPEN, np.ones(shape, np.uint8)))
    return wide.astype(bool)


def _closed(dark: NDArray[np.uint8], reach: int) -> NDArray[np.uint8]:
    """Return areas with their holes and notches filled, as if they went on beyond the picture."""
    room = 2 * reach
    wide = cv2.copyMakeBorder(dark, room, room, room, room, cv2.BORDER_REPLICATE)
    wide = cv2.morphologyEx(wide, cv2.MORPH_CLOSE, np.ones((room + 1, room + 1), np.uint8))
    return np.asarray(wide[room:-room, room:-room], np.uint8)


@dataclass(frozen=True, slots=True)
class _Blocks:
    """What stands in each block of pixels: arrays of one shape."""

    mean: NDArray[np.float32]
    darkest: NDArray[np.float32]
    lightest: NDArray[np.float32]

    @classmethod
    def of(cls, grey: Grey, mean: Grey) -> _Blocks:
        """Look into the blocks of a page whose means are known."""
        block = np.ones((BLOCK, BLOCK), np.uint8)
        darkest, lightest = (
            find(grey, block, anchor=(0, 0))[::BLOCK, ::BLOCK] for find in (cv2.erode, cv2.dilate)
        )
        return cls(*(part.astype(np.float32) for part in (mean, darkest, lightest)))


@dataclass(frozen=True, slots=True)
class _DarkArea:
    """Blocks of an area with light letters, and the levels of its ground and its letters."""

    blocks: NDArray[np.bool_]
    ground: float
    letters: float


def _with_light_letters(blocks: _Blocks, dark: NDArray[np.bool_], paper: float) -> list[_DarkArea]:
    """Return those of the dark areas whose letters are lighter than they, not shadows on print.

    The lightest pixel of each block is held against the ground around it, and the darkest: the
    blocks with the most of either say whether strokes are light or dark.
    """
    ground = cv2.medianBlur(blocks.mean.astype(np.uint8), 9).astype(np.float32)
    count, labels = cv2.connectedComponents(dark.astype(np.uint8), connectivity=8)
    inner = cv2.erode(dark.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    low = blocks.mean < DARK.level * paper
    found = []
    for number in range(1, count):
        area = labels == number
        if not _is_panel(area, low):
            continue
        inside = inner & area & (blocks.mean < DARK.notch * paper)
        if not inside.any():
            inside = area
        light = float(np.percentile((blocks.lightest - ground)[inside], DARK.stroke_share))
        dark_strokes = float(np.percentile((ground - blocks.darkest)[inside], DARK.stroke_share))
        # in pictures and inside bold letters both are alike
        if light >= max(DARK.lighter * dark_strokes, THRESHOLD.contrast):
            level = float(np.median(blocks.mean[inside]))
            letters = float(np.percentile(blocks.lightest[inside], DARK.stroke_share))
            found.append(_DarkArea(area, level, max(letters, level + THRESHOLD.contrast)))
    return found


def _is_panel(area: NDArray[np.bool_], dark: NDArray[np.bool_]) -> bool:
    """Return whether an area is dark all along its edge, or large and dark nearly throughout.

    Bold letters of headlines are not: white reaches into them from outside.
    """
    edge = area & (cv2.erode(area.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    along = float(dark[edge].mean()) if edge.any() else 1.0
    return along >= DARK.edge or (area.sum() >= DARK.large and dark[area].mean() >= DARK.share)


def _outlined(grey: Grey, small: Grey, dark: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Return dark areas (H, W), 1 inside, with their outline to the pixel.

    Near the outline of the blocks a pixel is inside where it is nearer to the area's level than to
    that of the ground beside it; strokes of light letters are filled.
    """
    height, width = grey.shape
    mask = dark.astype(np.uint8)
    near = np.ones((5, 5), np.uint8)
    band = cv2.dilate(mask, near) - cv2.erode(mask, near)
    full = cv2.resize(mask, (width, height), interpolation=cv2.INTER_NEAREST)
    if not (band[~dark] > 0).any():
        return full
    level = (np.median(small[dark]) + np.median(small[(band > 0) & ~dark])) / 2
    inside = (grey < level).astype(np.uint8)
    strokes = np.ones((DARK.stroke_px, DARK.stroke_px), np.uint8)
    inside = cv2.morphologyEx(inside, cv2.MORPH_CLOSE, strokes)
    inside = cv2.morphologyEx(inside, cv2.MORPH_OPEN, strokes)
    chosen = cv2.resize(band, (width, height), interpolation=cv2.INTER_NEAREST)
    return np.where(chosen > 0, inside, full)


def _reversed(grey: Grey, areas: list[_DarkArea], full: NDArray[np.uint8]) -> Grey:
    """Return the page with each dark area's ground at white and its letters dark.

    full: the areas to the pixel. Each takes its own level as white, so that no grey is left.
    """
    ground = np.zeros(areas[0].blocks.shape, np.float32)
    letters = np.zeros_like(ground)
    for area in areas:
        ground[area.blocks], letters[area.blocks] = area.ground, area.letters
    dark, reach = letters > 0, np.ones((5, 5), np.uint8)  # outlines may lie beside the blocks
    size = (grey.shape[1], grey.shape[0])
    low, high = (
        cv2.resize(
            np.where(dark, part, cv2.dilate(part, reach)), size, interpolation=cv2.INTER_NEAREST
        )
        for part in (ground, letters)
    )
    above = (grey - low) * (255 / np.maximum(high - low, 1))
    return np.where(full > 0, 255 - np.clip(above, 0, 255).astype(np.uint8), grey)


def _steep(ground: Grey) -> NDArray[np.bool_]:
    """Return the blocks near which the ground changes at once, as at the edge of a shadow."""
    near = np.ones((7, 7), np.uint8)
    high, low = cv2.dilate(ground, near), cv2.erode(ground, near)
    return np.asarray(high - low > GROUND.steep * high)


def _with_edges(grey: Grey, ground: Grey, steep: NDArray[np.bool_]) -> Grey:
    """Return the ground (H, W) with its edges where they are, which the look in blocks blurs."""
    height, width = grey.shape
    half = cv2.resize(grey, (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA)
    reach = 11 * BLOCK // 2 + 1
    fine = cv2.morphologyEx(
        cv2.medianBlur(half, 3), cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8)
    )
    fine = cv2.resize(cv2.GaussianBlur(fine, (0, 0), 1.5), (width, height))
    chosen = cv2.resize(steep.astype(np.uint8), (width, height), interpolation=cv2.INTER_NEAREST)
    return np.where(chosen > 0, fine, ground)


def even_page(
    grey: Grey, reverse: bool = True, light: bool = True
) -> tuple[Grey, tuple[PreparationStep, ...]]:
    """Return the page with paper at 255 and ink dark, whatever the light and the polarity.

    Also returns what had to be done.

    grey: (H, W). reverse: areas of light letters on dark are turned round first. light: the ground
    is made white.
    """
    steps = []
    seam = None
    small, source = in_blocks(grey, BLOCK), grey
    beside = beside_paper(grey, small) if light else None
    if reverse:
        grey, panels = turn_panels(grey, small)
        if panels:
            small, source = in_blocks(grey, BLOCK), grey
        grey, seam, share = reverse_dark(grey, small)
        share += panels
        if share:
            steps.append(PreparationStep(Step.REVERSE, f"light letters on {share:.0%} of the page"))
    if light:
        small = small if grey is source else in_blocks(grey, BLOCK)
        lifted = without_shade(grey, small)
        ground = _paper_level(small if lifted is grey else in_blocks(lifted, BLOCK))
        grey = lifted
        if int(ground.min()) < GROUND.flat:
            levels = f"the background lies between {ground.min()} and {ground.max()} of 255"
            steps.append(PreparationStep(Step.LIGHT, levels))
            grey = _lit(grey, ground)
    if seam is not None:  # between an area turned round and the page beside it
        grey = np.where(seam, np.uint8(255), grey)
    if beside is not None:
        steps.append(PreparationStep(Step.BORDER, "dark ground shows beside the paper"))
        grey = np.where(beside, np.uint8(255), grey)
    return grey, tuple(steps)


def reverse_dark(grey: Grey, small: Grey) -> tuple[Grey, NDArray[np.bool_] | None, float]:
    """Return the page with light letters on dark areas turned into dark ones on white.

    Also returns the seam around such areas, None where there is none, and their share of the page.
    small: the page in blocks.
    """
    lightest = float(np.percentile(small, 97))
    # a page that is dark but for its letters has no paper to compare with
    paper = 255.0 if lightest < DARK.no_paper else lightest
    reach = 5
    dark = (
        dark_areas(small, paper, reach)
        if min(small.shape) > 4 * reach
        else np.full(small.shape, np.median(small) < 110)
    )
    areas = _with_light_letters(_Blocks.of(grey, small), dark, paper) if dark.any() else []
    if not areas:
        return grey, None, 0.0
    dark = np.any([area.blocks for area in areas], axis=0)
    full = _outlined(grey, small, dark)
    seam = None
    if not dark.all():
        near = np.ones((DARK.seam_px, DARK.seam_px), np.uint8)
        seam = cv2.morphologyEx(full, cv2.MORPH_GRADIENT, near) > 0
    return _reversed(grey, areas, full), seam, float(dark.mean())


def ground_of(grey: Grey) -> Grey:
    """Return the paper's level in blocks: a morphological closing of the page."""
    return _paper_level(in_blocks(grey, BLOCK))


def _paper_level(small: Grey) -> Grey:
    ground = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((11, 11), np.uint8))
    return np.asarray(cv2.GaussianBlur(cv2.medianBlur(ground, 5), (0, 0), 2.0), np.uint8)


def _lit(grey: Grey, ground: Grey) -> Grey:
    """Return the page divided by its ground, given in blocks."""
    whole = np.asarray(cv2.resize(ground, grey.shape[::-1]), np.uint8)
    steep = _steep(ground)
    if steep.any():
        whole = _with_edges(grey, whole, steep)
    return np.asarray(cv2.divide(grey, np.maximum(whole, 30), scale=255), np.uint8)


def beside_paper(grey: Grey, small: Grey | None = None) -> NDArray[np.bool_] | None:
    """Return where (H, W) a table or a lid shows beside the paper, None where none does.

    That is dark ground without any strokes that reaches the picture's edge. Evened like paper it
    would turn into grain. small: the page in blocks, where it is at hand.
    """
    small = in_blocks(grey, BLOCK) if small is None else small
    if min(small.shape) < 16:
        return None
    dark = cv2.medianBlur(small, 5) < GROUND.beside * float(np.percentile(small, 97))
    dark = cv2.morphologyEx(dark.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    wide = _closed(dark, 5)  # light letters in it belong to a dark area
    _, labels = cv2.connectedComponents(wide, connectivity=8)
    edges = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    edges = edges[edges > 0]
    if not len(edges):
        return None
    blocks = _Blocks.of(grey, small)
    inner = cv2.erode(wide, np.ones((3, 3), np.uint8), borderValue=1) > 0
    plain = np.zeros(dark.shape, np.uint8)
    for number in edges:
        area = labels == number
        inside = area & inner
        if not inside.any():
            continue
        strokes = np.maximum(blocks.mean - blocks.darkest, blocks.lightest - blocks.mean)[inside]
        level = float(np.median(blocks.mean[inside]))
        weak = max(DARK.weak, DARK.weak_share * level, DARK.stands_out * float(np.median(strokes)))
        varied = strokes > min(weak, max(DARK.strong, DARK.strong_share * level))
        if varied.sum() <= max(2, DARK.few * varied.size):
            plain[area & (dark > 0)] = 1
    if not plain.any():
        return None
    # the paper's edge lies in blocks that are partly dark
    plain = cv2.dilate(plain, np.ones((5, 5), np.uint8))
    whole = cv2.resize(plain, grey.shape[::-1], interpolation=cv2.INTER_NEAREST)
    return np.asarray(whole > 0)


def clear_borders(even: Grey) -> Grey:
    """Return the page without the solid dark areas that reach its edges (lids, folds, desks)."""
    height, width = even.shape
    solid = (in_blocks(even, BLOCK) < 60).astype(np.uint8)
    rows, columns = solid.shape
    if not solid.any() or min(rows, columns) < 8:
        return even
    labels, stats = connected_pieces(solid)
    x, y, w, h, _ = stats.T
    border = (x == 0) | (y == 0) | (x + w == columns) | (y + h == rows)
    border[0] = False
    if not border.any():
        return even
    mask = cv2.dilate(border[labels].astype(np.uint8), np.ones((3, 3), np.uint8))
    even = even.copy()
    even[cv2.resize(mask, (width, height), interpolation=cv2.INTER_NEAREST) > 0] = 255
    return even


def paper_share(grey: Grey) -> float:
    """Return how much of a picture is plain paper once it is evened: little on photographs.

    Pictures in black and white are scans of paper, however many specks they hold.
    """
    if is_bilevel(grey):
        return 1.0
    shrink = max(1.0, (grey.size / LOOK.pixels) ** 0.5)
    size = tuple(max(1, round(length / shrink)) for length in grey.shape[::-1])
    small = np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)
    paper = even_page(small)[0] > LOOK.paper
    beside = beside_paper(small)  # evened, it is white as well
    return float((paper if beside is None else paper & ~beside).mean())


def noise_level(even: Grey) -> float:
    """Return the standard deviation of the pixel noise, from the paper's fine structure."""
    sample = even[::9].astype(np.int16)
    steps = np.abs(np.diff(sample, axis=1))
    return (
        float(np.median(steps[(sample[:, 1:] > 200) & (sample[:, 1:] < 255)]))
        if ((sample > 200) & (sample < 255)).mean() > 0.2
        else 0.0
    )


def is_bilevel(grey: Grey) -> bool:
    """Return whether a picture has only black and white, but for stray pixels."""
    sample = grey[::3, ::3]
    return bool(((sample > 8) & (sample < 247)).mean() < 0.002)


def drop_specks(grey: Grey) -> Grey:
    """Return a black-and-white picture without the specks of a scan that is full of them.

    Specks of a few pixels go where they are many more than the letters and lie apart from them; on
    other pages they may be points and accents, and stay.
    """
    ink = (grey < 128).astype(np.uint8)
    labels, stats = connected_pieces(ink)
    area = stats[:, cv2.CC_STAT_AREA]
    specks = area <= LOOK.speck
    if specks.sum() < LOOK.specks * max(50, int((area >= 4 * LOOK.speck).sum())):
        return grey
    letters = cv2.dilate((~specks[labels] & (ink > 0)).astype(np.uint8), np.ones((5, 5), np.uint8))
    beside = np.zeros(len(area), bool)
    beside[np.unique(labels[letters > 0])] = True
    drop = specks & ~(beside & (area > 1))
    drop[0] = False
    return np.where(drop[labels], np.uint8(255), grey)


def heal(grey: Grey) -> Grey:
    """Return a black-and-white picture with soft edges: strokes that broke in it grow together."""
    return cv2.GaussianBlur(grey, (0, 0), 0.9)


def _tiles_of(even: Grey, rows: int, columns: int, step: int) -> Grey:
    """Return every `step`th pixel each way in so many rows and columns of tiles (N, H, W)."""
    high, wide = (even.shape[0] // rows) // step, (even.shape[1] // columns) // step
    sample = even[::step, ::step][: rows * high, : columns * wide]
    return sample.reshape(rows, high, columns, wide).swapaxes(1, 2).reshape(-1, high, wide)


def _roughness(tiles: Grey) -> NDArray[np.floating]:
    """Return the usual change of slope from pixel to pixel in each tile (N, H, W): (N,).

    Soft letters have slopes, grain changes them all the time.
    """
    levels = tiles.astype(np.int16)
    bends = np.abs(levels[:, :, :-2] - 2 * levels[:, :, 1:-1] + levels[:, :, 2:])
    return np.asarray(np.median(bends.reshape(len(tiles), -1), axis=1))


def ink_of(
    even: Grey,
    share: float = INK_SHARE,
    noise: float | None = None,
    enlarged: float = 1.0,
    least_contrast: float = THRESHOLD.contrast,
    tell_grain: bool = True,
) -> NDArray[np.uint8]:
    """Return the ink (1) of an evened page: a threshold between paper and each tile's own ink.

    share: of the way from paper to ink where the threshold lies. noise, enlarged: of the paper
    before the picture was enlarged, and by how much that was. least_contrast: of ink, in grey
    levels. tell_grain: leave out what thins out as grain does; so does print that shines through.
    """
    height, width = even.shape
    noise, grained = noise_level(even) if noise is None else noise, even
    if noise > 5:
        even = cv2.GaussianBlur(even, (0, 0), THRESHOLD.grain_px * max(1.0, enlarged))
        noise /= 2
    least = max(least_contrast, THRESHOLD.contrast_noise * noise)
    highest = 255 - max(THRESHOLD.depth, THRESHOLD.noise * noise)
    tile = 128
    rows, columns = max(1, height // tile), max(1, width // tile)
    step = 2 if min(height, width) > 400 else 1
    tiles = _tiles_of(even, rows, columns, step)
    tiles = tiles.reshape(len(tiles), -1)
    ranks = [
        int(part * (tiles.shape[1] - 1)) for part in (THRESHOLD.darkest, THRESHOLD.darker, 0.5)
    ]
    ranked = np.sort(tiles, axis=1, kind="stable")  # bytes by their digits: faster than parting
    darkest, darker, paper = (ranked[:, rank].astype(np.float32) for rank in ranks)
    depth = 255 - darkest
    # grain thins out slowly, ink ends at once
    grain = (
        (depth <= THRESHOLD.grain_depth) & (depth <= THRESHOLD.grain * (255 - darker)) & tell_grain
    )
    if grain.mean() <= THRESHOLD.mostly:  # faint print looks like grain in places
        grain[:] = False
    inked = (depth >= least) & ~grain
    usual = float(np.median(darkest[inked])) if inked.any() else 255 - least
    darkest[~inked] = usual
    # where a dark copy was evened its grain is deep, and the paper between its grains is grey
    dull = (paper >= THRESHOLD.low_paper) & (paper < 255 - THRESHOLD.off_white)
    if dull.any():
        dull &= _roughness(_tiles_of(grained, rows, columns, step)) >= THRESHOLD.rough
    white = np.where(dull, paper + THRESHOLD.off_white, 255)
    levels = white - share * (white - darkest)
    levels = np.where(grain, np.minimum(levels, 255 - THRESHOLD.under_grain * depth), levels)
    levels = np.clip(levels, THRESHOLD.lowest, highest)
    if float(levels.max() - levels.min()) < 12:
        return cv2.threshold(even, float(levels.mean()), 1, cv2.THRESH_BINARY_INV)[1]
    field = cv2.GaussianBlur(levels.reshape(rows, columns).astype(np.float32), (0, 0), 0.7)
    field = cv2.resize(field.astype(np.uint8), (width, height), interpolation=cv2.INTER_LINEAR)
    return cv2.compare(even, field, cv2.CMP_LT) & 1
