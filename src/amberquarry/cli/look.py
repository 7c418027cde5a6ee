"""What `look` draws and prints."""

from __future__ import annotations

from pathlib import Path

import click

from amberquarry.drawing import Mark, draw_page
from amberquarry.library import page_picture, read_page_picture
from amberquarry.settings import Limits, Settings


def run_look(
    path: Path,
    out: Path | None,
    number: int,
    show: str,
    label: bool,
    text: bool,
    settings: Settings,
) -> None:
    """Read one page; write the drawing to `out` and print the text where asked."""
    if out is None and not text:
        raise ValueError("nothing to do: give --out PNG, --text or both")
    marks = set()
    for name in filter(None, (part.strip() for part in show.split(","))):
        try:
            marks.add(Mark(name))
        except ValueError:
            raise ValueError(f"--show: {name!r} is none of {', '.join(Mark)}") from None
    if out is not None and not out.parent.is_dir():
        raise ValueError(f"--out: there is no folder {out.parent}")
    picture = page_picture(path, number, settings, Limits())
    page = read_page_picture(picture, number, settings)
    if out is not None:
        draw_page(picture.grey, page, marks, label).save(out, "PNG")
        click.echo(
            f"{out}: {sum(1 for _ in page.words)} words, mean confidence "
            f"{page.confidence:.2f}, turned {page.rotation}°, skew {page.skew:.1f}°",
            err=True,
        )
    if text:
        click.echo(page.text)
