"""How long each stage of a page takes, where somebody asks."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_spent: ContextVar[Counter[str] | None] = ContextVar("spent", default=None)


@contextmanager
def stage(name: str) -> Iterator[None]:
    """Count the processor seconds of a block of code to a stage, if they are counted at all."""
    spent = _spent.get()
    if spent is None:
        yield
        return
    began = time.thread_time()
    try:
        yield
    finally:
        spent[name] += time.thread_time() - began  # type: ignore[assignment]


@contextmanager
def counted() -> Iterator[Counter[str]]:
    """Give a counter that fills with the processor seconds of stages, by name."""
    spent: Counter[str] = Counter()
    token = _spent.set(spent)
    try:
        yield spent
    finally:
        _spent.reset(token)
