"""Named rules over the blocks of a page: in order, each told when it decided, each to be left out.

A rule takes the blocks of a page and what is known of it, and returns the blocks as they are then.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Generic, TypeVar

from amberquarry.values import Block

Facts = TypeVar("Facts")

_left_out: ContextVar[frozenset[str]] = ContextVar("left_out", default=frozenset())


@dataclass(frozen=True, slots=True)
class Rule(Generic[Facts]):
    """A rule with its name and what it is for."""

    name: str
    about: str  # a sentence, with the pages that it was made for where they are not all
    apply: Callable[[list[Block], Facts], list[Block]]


def apply_rules(rules: Sequence[Rule[Facts]], blocks: list[Block], facts: Facts) -> list[Block]:
    """Return the blocks of a page after all rules that are not left out, in their order.

    Each block keeps the names of the rules that made it or gave it its kind (`Block.why`).
    """
    for rule in rules:
        if rule.name in _left_out.get():
            continue
        before = {_known_by(block) for block in blocks}
        noted = {name for block in blocks for name in block.why}
        blocks = rule.apply(blocks, facts)
        for block in blocks:
            own_sign = set(block.why) - noted  # told more exactly than by the rule's name
            if not own_sign and _known_by(block) not in before:
                note(block, rule.name)
    return blocks


def _known_by(block: Block) -> tuple[object, ...]:
    """Return what changes where a rule decides on a block: its kind and what stands in it."""
    if not block.lines:
        return block.kind, block.box
    return block.kind, *block.lines


def note(block: Block, name: str) -> None:
    """Note that a rule decided on a block; once for a rule."""
    if name not in block.why:
        block.why = (*block.why, name)


def is_left_out(name: str) -> bool:
    """Return whether a rule is left out at present."""
    return name in _left_out.get()


@contextmanager
def without_rules(*names: str) -> Iterator[None]:
    """Leave some rules out, to see what they are worth (`benchmarks/layout.py rules`)."""
    token = _left_out.set(_left_out.get() | set(names))
    try:
        yield
    finally:
        _left_out.reset(token)
