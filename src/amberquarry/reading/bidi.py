"""The order of mixed directions on a line, by the Unicode bidirectional algorithm (UAX #9).

What is printed holds no marks of direction, so the rules for explicit embeddings are left out.
"""

from __future__ import annotations

import re
import unicodedata
from itertools import accumulate, groupby
from typing import TypeVar

from amberquarry.values import Direction

Item = TypeVar("Item")

_TO_THE_LEFT = re.compile(r"[\u0590-\u08ff\ufb1d-\ufefc]")

_STRONG = {"L": "L", "R": "R", "AL": "R"}
# Brackets and signs that are drawn mirrored in text that runs from right to left.
_MIRRORED = str.maketrans("()[]{}<>«»‹›≤≥≪≫⟨⟩", ")(][}{><»«›‹≥≤≫≪⟩⟨")


def clusters_of(text: str) -> list[str]:
    """Return a text cut into letters with the marks that belong to them."""
    found: list[str] = []
    for sign in text:
        if found and unicodedata.category(sign) in ("Mn", "Mc", "Me", "Cf"):
            found[-1] += sign
        else:
            found.append(sign)
    return found


def levels_of(clusters: list[str], base: Direction, turned: bool = False) -> list[int]:
    """Return the level of each letter: even ones run from left to right, odd ones to the left.

    turned: whether what runs from left to right stands the wrong way round.
    """
    start = "R" if base is Direction.RIGHT_TO_LEFT else "L"
    kinds = _weak([unicodedata.bidirectional(cluster[0]) for cluster in clusters], start, turned)
    kinds = _neutral(kinds, start)
    if start == "R":
        return [1 if kind == "R" else 2 for kind in kinds]
    return [{"L": 0, "R": 1}.get(kind, 2) for kind in kinds]


def _weak(kinds: list[str], start: str, turned: bool) -> list[str]:
    """Settle figures and the signs among them (rules W2 to W7)."""
    strong = start
    found = []
    for kind in kinds:  # figures after Arabic letters
        if kind in _STRONG:
            strong = kind
        found.append("AN" if kind == "EN" and strong == "AL" else kind)
    for at in range(1, len(found) - 1):  # one separator within a number
        before, kind, after = found[at - 1 : at + 2]
        within = kind == "CS" or (kind == "ES" and before == "EN")
        if within and before == after and before in ("EN", "AN"):
            found[at] = before
    at = 0
    for kind, run in groupby(list(found)):  # signs before and after a number
        length = len(list(run))
        beside = found[max(0, at - 1) : at] + found[at + length : at + length + 1]
        if kind == "ET":
            found[at : at + length] = ["EN" if "EN" in beside else "ON"] * length
        at += length
    strong = start
    order = range(len(found))
    for at in reversed(order) if turned else order:  # figures after Latin letters
        kind = found[at]
        if kind in _STRONG:
            strong = found[at] = _STRONG[kind]
        elif kind == "EN" and strong == "L":
            found[at] = "L"
        elif kind not in ("EN", "AN"):
            found[at] = "ON"
    return found


def _neutral(kinds: list[str], start: str) -> list[str]:
    """Settle spaces and marks by what stands on both sides (rules N1 and N2)."""
    found = list(kinds)
    at = 0
    for neutral, run in groupby(kinds, lambda kind: kind == "ON"):
        length = len(list(run))
        if neutral:
            sides = [
                ("R" if kind in ("EN", "AN") else kind)
                for kind in (
                    kinds[at - 1] if at else start,
                    kinds[at + length] if at + length < len(kinds) else start,
                )
            ]
            found[at : at + length] = [sides[0] if sides[0] == sides[1] else start] * length
        at += length
    return found


def visual_order(text: str, base: Direction) -> str:
    """Return a text as it stands on the line from left to right, brackets by their looks."""
    clusters = clusters_of(text)
    levels = levels_of(clusters, base)
    shown = [_mirrored(c, level) for c, level in zip(clusters, levels, strict=True)]
    return "".join(_turned(shown, levels))


def logical_order(text: str, base: Direction) -> str:
    """Return a text in the order in which it is read, from how it stands on the line.

    The inverse of `visual_order`, but where two orders look alike: a number beside a Latin word is
    taken to follow it.
    """
    if base is Direction.LEFT_TO_RIGHT and not _TO_THE_LEFT.search(text):
        return text
    clusters = clusters_of("".join(text[place] for place in places_in_order(text, base)))
    levels = levels_of(clusters, base)
    return "".join(_mirrored(c, level) for c, level in zip(clusters, levels, strict=True))


def places_in_order(text: str, base: Direction) -> list[int]:
    """Return the places of the signs of a line, from the left, in the order of reading."""
    clusters = clusters_of(text)
    order = list(range(len(clusters)))
    if base is Direction.RIGHT_TO_LEFT:
        order = order[::-1]
        levels = levels_of([clusters[number] for number in order], base, turned=True)
        order = reversed_runs(order, levels, 2)
    else:
        order = _turned(order, levels_of(clusters, base))
    starts = [0, *accumulate(map(len, clusters))]
    return [place for number in order for place in range(starts[number], starts[number + 1])]


def _mirrored(cluster: str, level: int) -> str:
    return cluster.translate(_MIRRORED) if level % 2 else cluster


def _turned(items: list[Item], levels: list[int]) -> list[Item]:
    """Return letters with what runs to the left turned around (rule L2)."""
    for least in range(max(levels, default=0), 0, -1):
        items, levels = reversed_runs(items, levels, least), reversed_runs(levels, levels, least)
    return items


def reversed_runs(items: list[Item], levels: list[int], least: int) -> list[Item]:
    """Return items with each run of at least a level turned around."""
    found: list[Item] = []
    for inside, run in groupby(zip(items, levels, strict=True), lambda pair: pair[1] >= least):
        part = [item for item, _ in run]
        found += part[::-1] if inside else part
    return found
