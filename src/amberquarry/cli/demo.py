"""The whole tour on the shipped collection."""

from __future__ import annotations

import json
import shutil
import tempfile
from pathlib import Path

import click

from amberquarry.cli.convert import convert_with_progress, summary_text
from amberquarry.cli.look import Shown, run_look
from amberquarry.cli.score import score_table
from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.errors import RunFolderError
from amberquarry.formats.records import dump
from amberquarry.runs.folder import read_records
from amberquarry.scoring import score_run
from amberquarry.settings import Limits, Settings

_FEW = (
    "instrument-notes.tif",
    "repair-slip-118.jpg",
    "letter-italian.tif",
    "damaged.pdf",
    "locked.pdf",
    "rota.docx",
    "Thumbs.db",
    "storm-notice.png",
)
_DRAWN = (
    "yearbook-1931.pdf",
    "station-log/page-9.jpg",
    "letter-italian.tif",
    "storm-notice.png",
    "instrument-notes.tif",
)
_EXPECTED_REJECTS = 3
_OURS = "demo.json"  # lists the files that the demo copied


def run_demo(out: Path, jobs: int | None, few: bool) -> int:
    """Copy the collection to `out`, convert, score and draw it, and return the exit status.

    The three files that can't be used are part of the show: only other failures count.
    """
    scans, run, pictures = out / "scans", out / "run", out / "pictures"
    _clear_earlier(out)
    copy_collection(scans, few)
    (out / _OURS).write_text(
        json.dumps([path.relative_to(out).as_posix() for path in sorted(scans.rglob("*"))]),
        encoding="utf-8",
    )
    click.echo(f"$ amberquarry convert {scans} --out {run}")
    summary = convert_with_progress((str(scans),), run, Settings(), Limits(), jobs)
    click.echo(summary_text(summary, run))
    truth = TRUTH
    with tempfile.TemporaryDirectory() as folder:
        if few:
            truth = Path(folder) / "truth.jsonl"
            kept = [r for r in read_records(TRUTH) if r["document"] in _FEW]
            truth.write_text("".join(dump(r) + "\n" for r in kept), encoding="utf-8")
        click.echo(f"\n$ amberquarry score {run} {TRUTH}")
        click.echo(score_table(score_run(run, truth)))
    pictures.mkdir(exist_ok=True)
    click.echo("")
    for name in _DRAWN:
        path = scans / name
        if path.exists():
            target = pictures / f"{path.name}.png"
            click.echo(f"$ amberquarry look {path} --out {target}")
            run_look(path, target, 1, Shown("regions,order,words"), Settings(), Limits())
    click.echo(
        f"\nOpen {run / 'markdown'} for the text, {run / 'pages.jsonl'} for words with boxes,\n"
        f"{pictures} for what was seen on some pages."
    )
    return 0 if summary.rejected_count == _EXPECTED_REJECTS and not summary.failed_pages else 1


def _clear_earlier(out: Path) -> None:
    """Take away the scans that an earlier demo copied; RunFolderError if the folder is another's.

    Only files that the demo made are ever removed: of other people's there may be no copy.
    """
    if not out.exists():
        out.mkdir(parents=True)
    elif not out.is_dir():
        raise RunFolderError(f"{out} is a file; name a folder for the demo")
    if not any(out.iterdir()):
        return
    try:
        names = [str(name) for name in json.loads((out / _OURS).read_text(encoding="utf-8"))]
    except (OSError, ValueError, TypeError) as error:
        raise RunFolderError(
            f"{out} is not empty and holds no demo of ours; name a new folder with --out"
        ) from error
    for name in names:
        path = out / name
        if path.is_file() and path.resolve().is_relative_to(out.resolve() / "scans"):
            path.unlink()


def copy_collection(target: Path, few: bool = False) -> None:
    """Copy the shipped files, or a few of them, to a folder."""
    for path in sorted(COLLECTION.rglob("*")):
        name = path.relative_to(COLLECTION).as_posix()
        if path.is_file() and (not few or name in _FEW):
            (target / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(path, target / name)
