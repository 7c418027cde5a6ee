"""What `look` draws and prints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import TypeVar

import click
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from amberquarry.cli.terminal import printable
from amberquarry.drawing import Mark, draw_page
from amberquarry.library import page_picture, read_in_steps, read_page
from amberquarry.settings import Limits, Settings
from amberquarry.sheets import StepView, draw_step, draw_steps
from amberquarry.values import Page

_START = 34  # letters of a block's text

E = TypeVar("E", bound=StrEnum)


@dataclass(frozen=True, slots=True)
class Shown:
    """What is wanted of a page: names separated by commas, and what is printed."""

    show: str
    label: bool = False
    steps: str | None = None
    text: bool = False
    why: bool = False


def run_look(
    path: Path,
    out: Path | None,
    number: int,
    shown: Shown,
    settings: Settings,
    limits: Limits,
    passwords: Sequence[str] = (),
) -> None:
    """Read one page; write the drawing to `out` and print what is asked for."""
    if not path.exists():
        raise FileNotFoundError(f"there is no file {path}")
    if out is None and not (shown.text or shown.why):
        raise ValueError("nothing to do: give --out PNG, --text or --why")
    marks = _chosen(shown.show, Mark, "--show")
    steps = shown.steps
    views = [*StepView] if steps == "all" else _chosen(steps or "", StepView, "--steps")
    if out is not None and not out.parent.is_dir():
        raise ValueError(f"--out: there is no folder {out.parent}")
    drawn = out is not None or bool(views)
    if drawn:
        picture = page_picture(path, number, settings, limits, passwords)
    if views:
        page, read = read_in_steps(picture, number, settings)
        stages = [tries.best.stages for tries in read]
    else:
        page = read_page(path, page=number, settings=settings, limits=limits, passwords=passwords)
    if out is not None:
        if not views:
            # a page from its text layer counts in pixels of 300 dpi, whatever its pictures have
            image = draw_page(_in_size(picture.grey, page), page, marks, shown.label)
        elif len(views) == 1:
            image = draw_step(views[0], picture.grey, stages, page)
        else:
            image = draw_steps(views, picture.grey, read, page)
        image.save(out, "PNG")
        click.echo(
            f"{out}: {sum(1 for _ in page.words)} words, mean confidence "
            f"{page.confidence:.2f}, legibility {page.legibility:.3f}, turned {page.rotation}°, "
            f"skew {page.skew:.1f}°",
            err=True,
        )
    if shown.why:
        click.echo(_reasons(page))
    if shown.text:
        click.echo(page.text)


def _in_size(grey: NDArray[np.uint8], page: Page) -> NDArray[np.uint8]:
    """Return a picture in the size in which a page's boxes count."""
    if grey.shape == (page.height, page.width):
        return grey
    return np.asarray(Image.fromarray(grey).resize((page.width, page.height)))


def _reasons(page: Page) -> str:
    """Return a row for each block: its kind, how it begins, and the rules that decided its kind."""
    rows = []
    for block in page.blocks:
        text = printable(" ".join(block.text.split()))
        start = text if len(text) <= _START else text[: _START - 1] + "…"
        why = "; ".join(block.why) or "text by its place"
        rows.append(f"{block.id:7} {block.kind.value:12} {start:{_START}}  {why}")
    return "\n".join(rows)


def _chosen(text: str, kind: type[E], option: str) -> list[E]:
    """Return what a list of names separated by commas stands for, each once."""
    names = dict.fromkeys(part.strip() for part in text.split(",") if part.strip())
    known = {member.value: member for member in kind}
    for name in names:
        if name not in known:
            raise ValueError(f"{option}: {name!r} is none of {', '.join(known)}")
    return [known[name] for name in names]
