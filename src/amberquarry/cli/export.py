"""What `export` makes and prints."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import click

from amberquarry.cli.terminal import printable
from amberquarry.errors import SourceError
from amberquarry.formats.searchable import is_signed, searchable
from amberquarry.runs import open_run


def run_export(
    run: Path, out: Path, files: Path, replace_layers: bool, passwords: Sequence[str]
) -> int:
    """Write a searchable PDF for each document of a run; return the exit status."""
    finished = open_run(run)
    made = before = after = 0
    failed = []
    for document in finished:
        source = document.source
        path = files / source
        try:
            content = path.read_bytes()
            if is_signed(content):
                click.echo(f"{printable(source)}: the copy loses its signature", err=True)
            data = searchable(content, document, passwords=passwords, replace_layers=replace_layers)
        except (SourceError, OSError) as error:
            failed.append(source)
            said = error.message if isinstance(error, SourceError) else error.strerror
            click.echo(f"{printable(source)}: {said}", err=True)
            continue
        relative = Path(source)
        kept = [part for part in relative.parts if part not in (relative.anchor, "..")]
        target = out.joinpath(*kept)
        if target.suffix.lower() != ".pdf":
            target = target.with_name(f"{target.name}.pdf")
        target.parent.mkdir(parents=True, exist_ok=True)
        part = target.with_name(f"{target.name}.part")
        part.write_bytes(data)
        part.replace(target)
        made, before, after = made + 1, before + len(content), after + len(data)
    click.echo(f"files made       {made}")
    click.echo(f"size             {after / 1e6:.1f} MB, of {before / 1e6:.1f} MB of the originals")
    if failed:
        click.echo(f"not made         {len(failed)}; see above. --files names the files' folder")
    click.echo(f"results in       {printable(str(out))}")
    return 1 if failed else 0
