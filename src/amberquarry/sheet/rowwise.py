"""Measures of many short rows of numbers at once: sums, medians, extremes, row by row."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Rowwise:
    """To which row each of some values belongs.

    row: (values,), rising. rows: how many there are, those without values included.
    """

    row: NDArray[np.int64]
    rows: int

    @classmethod
    def of_lengths(cls, lengths: list[int]) -> Rowwise:
        """Return rows of so many values each."""
        return cls(np.repeat(np.arange(len(lengths)), lengths), len(lengths))

    @cached_property
    def count(self) -> NDArray[np.int64]:
        """Values of each row."""
        return np.bincount(self.row, minlength=self.rows)

    @cached_property
    def first(self) -> NDArray[np.int64]:
        """Index of the first value of each row."""
        return np.cumsum(self.count) - self.count

    def of(self, chosen: NDArray[np.bool_]) -> Rowwise:
        """Return the rows of the chosen values."""
        return Rowwise(self.row[chosen], self.rows)

    def sum(self, values: NDArray[Any]) -> Numbers:
        """Return the sum of each row."""
        return np.asarray(np.bincount(self.row, values, self.rows), np.float64)

    def largest(self, values: NDArray[Any], without: float = 0.0) -> Numbers:
        """Return the largest value of each row. without: for rows without values."""
        return self._reduced(np.maximum, values, without)

    def smallest(self, values: NDArray[Any], without: float = 0.0) -> Numbers:
        """Return the smallest value of each row. without: for rows without values."""
        return self._reduced(np.minimum, values, without)

    def median(self, values: NDArray[Any]) -> Numbers:
        """Return the median of each row, 0 for rows without values."""
        if not len(values):
            return np.zeros(self.rows)
        ranked = values[np.lexsort((values, self.row))]
        filled = self.count > 0
        low = np.where(filled, self.first + (self.count - 1) // 2, 0)
        high = np.where(filled, self.first + self.count // 2, 0)
        return np.where(filled, (ranked[low] + ranked[high]) / 2, 0.0)

    def first_largest(self, values: NDArray[Any]) -> NDArray[np.int64]:
        """Return the index of the first largest value of each row, 0 for rows without values."""
        at = np.flatnonzero(values == self.largest(values)[self.row])
        rows, first = np.unique(self.row[at], return_index=True)
        index = np.zeros(self.rows, np.int64)
        index[rows] = at[first]
        return index

    def between(self, values: Numbers, least: Numbers, most: Numbers) -> NDArray[np.int64]:
        """Return for each value how many of its row are over `least` and under `most` of it."""
        if not len(values):
            return np.zeros(0, np.int64)
        # rows are set apart by more than any bounds reach, so one search serves all
        lowest = min(float(values.min()), float(least.min()))
        apart = 2.0 + max(float(values.max()), float(most.max())) - lowest
        ground = self.row * apart - lowest
        ranked = np.sort(values + ground)
        under = np.searchsorted(ranked, most + ground, "left")
        return np.asarray(under - np.searchsorted(ranked, least + ground, "right"), np.int64)

    def _reduced(self, reduce: np.ufunc, values: NDArray[Any], without: float) -> Numbers:
        found = np.full(self.rows, without)
        filled = self.count > 0
        if len(values):
            found[filled] = reduce.reduceat(values, self.first[filled])
        return found


def by_label(labels: NDArray[Any]) -> list[NDArray[np.int64]]:
    """Return the indices of the values that bear one label, for each label from the lowest."""
    if not len(labels):
        return []
    order = np.argsort(labels, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(labels[order])) + 1)
