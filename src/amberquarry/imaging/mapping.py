"""Where points of a worked picture lie on the picture that it was made from."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]  # (..., 2): x, y in pixels, centres of pixels at halves
_STRAIGHT = 1e-6


@dataclass(frozen=True, slots=True)
class Bend:
    """A smooth displacement: a point goes to itself plus the shift at its place."""

    shift: NDArray[np.float32]  # (rows, columns, 2): x and y, at every `step` pixels
    step: float

    def apply(self, points: Points) -> Points:
        """Return where points go; beyond the grid its edge holds."""
        flat = points.reshape(-1, 1, 2) / self.step
        found = cv2.remap(
            self.shift,
            flat[..., 0].astype(np.float32),
            flat[..., 1].astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        return points + found.reshape(points.shape)


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
