"""Places: boxes, quads, and mappings from one frame to another.

One rule for places: origin at the top left, x to the right, y down, half-open boxes; pixel (0, 0)
covers [0, 1) x [0, 1). Points are (x, y), arrays are [y, x].
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]  # (..., 2): x, y in pixels, centres of pixels at halves
_STRAIGHT = 1e-6
_ROUNDS = 4  # until the inverse of a bend is right to hundredths of a pixel


@dataclass(frozen=True, slots=True)
class Bend:
    """A smooth displacement: a point goes to itself plus the shift at its place."""

    shift: NDArray[np.float32]  # (rows, columns, 2): x and y, at every `step` pixels
    step: float

    def apply(self, points: Points) -> Points:
        """Return where points go; beyond the grid its edge holds."""
        from scipy.ndimage import map_coordinates  # slow to load, and few pages bend

        x, y = points[..., 0] / self.step, points[..., 1] / self.step
        shifts = [
            map_coordinates(self.shift[..., axis], [y, x], order=1, mode="nearest")
            for axis in (0, 1)
        ]
        return points + np.stack(shifts, -1)

    def inverse(self) -> Bend:
        """Return the displacement back, on the same grid: shifts are small beside their changes."""
        rows, columns = self.shift.shape[:2]
        grid = np.stack(np.meshgrid(np.arange(columns), np.arange(rows)), 2) * self.step
        origin = grid.astype(np.float64)
        for _ in range(_ROUNDS):
            origin = grid - (self.apply(origin) - origin)
        return Bend((origin - grid).astype(np.float32), self.step)


@dataclass(frozen=True, slots=True)
class Mapping:
    """A chain of plane projections, (3, 3) each, and bends, applied one after the other."""

    steps: tuple[NDArray[np.float64] | Bend, ...] = ()

    @classmethod
    def of(cls, matrix: NDArray[np.float64]) -> Mapping:
        """Return the mapping of an affine (2, 3) or a projection (3, 3)."""
        if matrix.shape == (2, 3):
            matrix = np.vstack([matrix, [0.0, 0.0, 1.0]])
        return cls((matrix,))

    def after(self, inner: Mapping) -> Mapping:
        """Return the mapping that applies `inner` first and this one after it."""
        steps = [*inner.steps]
        for step in self.steps:
            if steps and isinstance(step, np.ndarray) and isinstance(steps[-1], np.ndarray):
                steps[-1] = step @ steps[-1]
            else:
                steps.append(step)
        return Mapping(tuple(steps))

    def apply(self, points: Points) -> Points:
        """Return where points (..., 2) lie."""
        for step in self.steps:
            if isinstance(step, Bend):
                points = step.apply(points)
                continue
            moved = points @ step[:, :2].T + step[:, 2]
            points = moved[..., :2] / moved[..., 2:]
        return points

    def inverse(self) -> Mapping:
        """Return the mapping back."""
        back: list[NDArray[np.float64] | Bend] = [
            step.inverse() if isinstance(step, Bend) else np.linalg.inv(step).astype(np.float64)
            for step in reversed(self.steps)
        ]
        return Mapping(tuple(back))

    @property
    def keeps_boxes(self) -> bool:
        """Whether upright boxes stay upright: nothing but shifts, scales and quarter turns."""
        if not all(isinstance(step, np.ndarray) for step in self.steps):
            return False
        for step in self.steps:
            assert isinstance(step, np.ndarray)
            (a, b), (c, d) = step[:2, :2] / step[2, 2]
            straight = abs(b) + abs(c) if abs(a) > abs(b) else abs(a) + abs(d)
            if straight > _STRAIGHT or np.abs(step[2, :2]).max() > _STRAIGHT:
                return False
        return True


@dataclass(frozen=True, slots=True)
class Frame:
    """The frame in which a page is level while it is worked on, and its way to the source page.

    It is larger than a tilted page, whose own head and foot lie at `top` and `foot` in its middle.
    """

    width: float
    height: float
    to_source: Mapping
    top: float = 0.0
    foot: float = 0.0  # 0 stands for its height

    def height_of(self, y: float) -> float:
        """Return how far down the page a height lies: 0 at its head, 1 at its foot."""
        return (y - self.top) / max(1.0, (self.foot or self.height) - self.top)


class Box(NamedTuple):
    """A rectangle; x1 and y1 are exclusive."""

    x0: float
    y0: float
    x1: float
    y1: float

    @property
    def width(self) -> float:
        """The extent in x, never negative."""
        return max(0.0, self.x1 - self.x0)

    @property
    def height(self) -> float:
        """The extent in y, never negative."""
        return max(0.0, self.y1 - self.y0)

    @property
    def area(self) -> float:
        """Width times height."""
        return self.width * self.height

    def within(self, width: float, height: float) -> Box:
        """Return the box without what lies outside of a page of this width and height."""
        x0, x1 = (min(max(0.0, x), width) for x in (self.x0, self.x1))
        y0, y1 = (min(max(0.0, y), height) for y in (self.y0, self.y1))
        return Box(x0, y0, x1, y1)

    def grown(self, by: float) -> Box:
        """Return the box with so much more on all sides."""
        return Box(self.x0 - by, self.y0 - by, self.x1 + by, self.y1 + by)

    def overlap(self, other: Box) -> float:
        """Return the area that both boxes cover."""
        width = min(self.x1, other.x1) - max(self.x0, other.x0)
        height = min(self.y1, other.y1) - max(self.y0, other.y0)
        return max(0.0, width) * max(0.0, height)

    @property
    def middle(self) -> tuple[float, float]:
        """The point (x, y) halfway between the edges."""
        return (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2

    def contains(self, x: float, y: float) -> bool:
        """Return whether the point lies inside."""
        return self.x0 <= x < self.x1 and self.y0 <= y < self.y1

    @property
    def corners(self) -> Quad:
        """The corners, clockwise from the top left."""
        return (self.x0, self.y0), (self.x1, self.y0), (self.x1, self.y1), (self.x0, self.y1)

    @classmethod
    def around(cls, boxes: Iterable[Box]) -> Box:
        """Return the smallest box that holds all of `boxes`; ValueError if there are none."""
        x0, y0, x1, y1 = zip(*boxes, strict=True)
        return cls(min(x0), min(y0), max(x1), max(y1))


Quad = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]
"""Four points, clockwise from the text's own top left."""
