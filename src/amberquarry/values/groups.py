"""Groups of things that are linked two by two."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def linked(links: NDArray[np.bool_]) -> NDArray[np.int32]:
    """Return the group of each thing; links: (things, things), True where two are linked."""
    first, second = np.nonzero(links)
    return linked_pairs(first, second, len(links))


def linked_pairs(
    first: NDArray[np.integer], second: NDArray[np.integer], count: int
) -> NDArray[np.int32]:
    """Return for each of `count` things the number of its group, in the order of their first.

    first, second: (links,), the two things that each link joins; a thing without links is a group.
    """
    # loaded here, as SciPy's parts take longer than all else of the package
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(first), np.int8), (first, second)), shape=(count, count))
    _, group = connected_components(graph, directed=False)
    return np.asarray(group)
