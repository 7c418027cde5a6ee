"""What `export` makes and prints."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import groupby
from pathlib import Path

import click

from amberquarry.cli.terminal import printable
from amberquarry.errors import SourceError
from amberquarry.formats.searchable import is_signed, joined, searchable
from amberquarry.runs import Run, open_run
from amberquarry.sources import FileKind, kind_of


@dataclass(slots=True)
class _Making:
    """What is made of a run's files, and what was so far."""

    files: Path  # the folder of the originals
    passwords: Sequence[str]
    replace_layers: bool
    made: int = 0
    before: int = 0  # bytes of the originals
    after: int = 0
    failed: list[str] = field(default_factory=list)

    def searchable(self, run: Run, source: str) -> bytes | None:
        """Return a document as a searchable PDF, None where that fails, which is said."""
        try:
            content = (self.files / source).read_bytes()
            if is_signed(content):
                click.echo(f"{printable(source)}: the copy loses its signature", err=True)
            data = searchable(
                content,
                run.document(source),
                passwords=self.passwords,
                replace_layers=self.replace_layers,
            )
        except (SourceError, OSError) as error:
            self.failed.append(source)
            said = error.message if isinstance(error, SourceError) else error.strerror
            click.echo(f"{printable(source)}: {said}", err=True)
            return None
        self.before += len(content)
        return data

    def write(self, target: Path, data: bytes) -> None:
        """Write a file as a whole."""
        target.parent.mkdir(parents=True, exist_ok=True)
        part = target.with_name(f"{target.name}.part")
        part.write_bytes(data)
        part.replace(target)
        self.made, self.after = self.made + 1, self.after + len(data)


def run_export(
    run: Path, out: Path, files: Path, replace_layers: bool, join: bool, passwords: Sequence[str]
) -> int:
    """Write searchable PDFs of the documents of a run; return the exit status."""
    finished = open_run(run)
    making = _Making(files, passwords, replace_layers)
    for folder, sources in _groups(finished.sources, files, join):
        own = [(name, making.searchable(finished, name)) for name in sources]
        made = [(name, data) for name, data in own if data is not None]
        if folder is not None and made:
            title = folder.name or out.resolve().name
            whole = joined([(Path(name).stem, data) for name, data in made], title)
            made = [((folder / f"{title}.pdf").as_posix(), whole)]
        for name, data in made:
            making.write(_target(out, name), data)
    click.echo(f"files made       {making.made}")
    size = f"{making.after / 1e6:.1f} MB, of {making.before / 1e6:.1f} MB of the originals"
    click.echo(f"size             {size}")
    if making.failed:
        count = len(making.failed)
        click.echo(f"not made         {count}; see above. --files names the files' folder")
    click.echo(f"results in       {printable(str(out))}")
    return 1 if making.failed else 0


def _groups(
    sources: Sequence[str], files: Path, join: bool
) -> Iterator[tuple[Path | None, list[str]]]:
    """Yield documents, the pictures of a folder together with it where they are to be joined.

    They lie in a run in the natural order of their names.
    """

    def folder_of(source: str) -> Path | None:
        return Path(source).parent if join and _is_picture(files / source) else None

    for folder, group in groupby(sources, folder_of):
        if folder is None:
            yield from ((None, [source]) for source in group)
        else:
            yield folder, [*group]


def _is_picture(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return kind_of(file.read(1024)) is FileKind.PICTURE
    except OSError:
        return False


def _target(out: Path, source: str) -> Path:
    """Return where the PDF of a document goes: as its original lies, within the folder `out`."""
    relative = Path(source)
    kept = [part for part in relative.parts if part not in (relative.anchor, "..")]
    target = out.joinpath(*kept)
    return target if target.suffix.lower() == ".pdf" else target.with_name(f"{target.name}.pdf")
