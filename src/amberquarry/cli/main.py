"""The `amberquarry` command."""

from __future__ import annotations

import functools
import logging
import sys
from collections.abc import Callable
from enum import StrEnum
from pathlib import Path
from typing import Any, TypeVar

import click

from amberquarry.cli.terminal import printable
from amberquarry.errors import QuarryError, RunFolderError, SettingsError, WorkerError
from amberquarry.settings import Effort, LayerUse
from amberquarry.version import version

F = TypeVar("F", bound=Callable[..., Any])

DONE, SOME_FAILED, WRONG_USAGE = 0, 1, 2


class ExportForm(StrEnum):
    """What a run can be exported as."""

    PDF = "pdf"


def say_errors(command: F) -> F:
    """Turn our errors into one line on standard error and an exit status, without a traceback."""

    @functools.wraps(command)
    def wrapped(*args: Any, **kwargs: Any) -> Any:
        try:
            return command(*args, **kwargs)
        except (RunFolderError, SettingsError, WorkerError, FileNotFoundError, ValueError) as error:
            click.echo(f"amberquarry: {printable(str(error))}", err=True)
            sys.exit(WRONG_USAGE)
        except (QuarryError, OSError) as error:
            click.echo(f"amberquarry: {printable(str(error))}", err=True)
            sys.exit(SOME_FAILED)
        except KeyboardInterrupt:
            click.echo("\namberquarry: stopped; run the same command again to resume", err=True)
            sys.exit(130)

    return wrapped  # type: ignore[return-value]


class _Path(click.Path):
    """A path; an empty one, as an unset variable of a shell gives, is no path."""

    def __init__(self, **options: Any) -> None:
        super().__init__(path_type=Path, **options)

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the path; fails where it is empty."""
        if value == "":
            self.fail("the path is empty; . stands for the current folder", param, ctx)
        return super().convert(value, param, ctx)


class PageRange(click.ParamType):  # type: ignore[type-arg]
    """Pages as `7`, `3-12` or `5-`."""

    name = "pages"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> range | None:
        """Return the range of page numbers; fails with a message that shows the form."""
        if value is None or isinstance(value, range):
            return value
        first, dash, last = str(value).partition("-")
        try:
            start = int(first)
            stop = int(last) if last else (1_000_000 if dash else start)
        except ValueError:
            self.fail(f"{value!r} is no range of pages; write 7, 3-12 or 5-", param, ctx)
        if start < 1 or stop < start:
            self.fail(f"{value!r} is no range of pages; they count from 1 upwards", param, ctx)
        return range(start, stop + 1)


pages_option = click.option(
    "--pages", type=PageRange(), help="Only these pages of each file: 7, 3-12 or 5-."
)
jobs_option = click.option(
    "--jobs", type=click.IntRange(1, 256), help="Worker processes.  [default: cores]"
)


def _adding(*options: Callable[[F], F]) -> Callable[[F], F]:
    """Return what adds some options to a command."""

    def add(command: F) -> F:
        return functools.reduce(lambda own, option: option(own), options, command)

    return add


# what opens protected files
password_options = _adding(
    click.option(
        "--passwords",
        "password_file",
        type=_Path(dir_okay=False),
        help="File of passwords, one a line, tried on protected PDF files.",
    ),
    click.option(
        "--password",
        "passwords",
        multiple=True,
        help="Password tried on protected PDF files. Other users see it in the list of "
        "processes: a file of passwords is safer.",
    ),
)
# what says how pages are read
reading_options = _adding(
    click.option(
        "--settings",
        "settings_file",
        type=_Path(dir_okay=False),
        help="TOML file of settings; options on the command line override it.",
    ),
    click.option(
        "--reader",
        type=_Path(dir_okay=False),
        help="A model file made by `learn`.",
    ),
    click.option(
        "--effort",
        type=click.Choice([effort.value for effort in Effort]),
        help="How much time a page may take.  [default: normal]",
    ),
    click.option(
        "--text-layer",
        type=click.Choice([use.value for use in LayerUse]),
        help="The text that PDF pages hold: auto takes it where it can be trusted and reads "
        "ink elsewhere, only never reads ink, ignore always does.  [default: auto]",
    ),
)


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 96})
@click.version_option(version(), prog_name="amberquarry")
@click.option("--verbose", is_flag=True, help="Say more on standard error.")
def main(verbose: bool) -> None:
    """Turn PDFs and page pictures into structured text with a place for every word.

    \b
    amberquarry convert scans/ --out run     a folder to Markdown and JSON lines
    amberquarry look page.png --out seen.png  a picture of what was seen
    amberquarry compare scans/ --vary preparation.ink_threshold=0.3,0.42 --out trial
                                              which settings read better
    amberquarry export run --as pdf --out searchable --files scans/
                                              the same files with text to search and copy
    amberquarry score run truth.jsonl         how right it is, where truth is known
    amberquarry learn lines/ --out ours.onnx  train the reader further on your own lines
    amberquarry demo                          all of this on the shipped collection
    """
    logging.basicConfig(
        level=logging.INFO if verbose else logging.ERROR,
        stream=sys.stderr,
        format="%(levelname)s %(name)s: %(message)s",
    )


@main.command()
@click.argument("inputs", nargs=-1)
@click.option(
    "--out",
    type=_Path(),
    help="Folder for the results. A run that was stopped is resumed.",
)
@pages_option
@jobs_option
@click.option(
    "--min-confidence",
    type=click.FloatRange(0, 1),
    default=None,
    help="Leave out words with a lower confidence.  [default: 0]",
)
@click.option("--characters", is_flag=True, help="Put character boxes into pages.jsonl.")
@click.option("--print-settings", is_flag=True, help="Print all settings and what they mean.")
@reading_options
@password_options
@say_errors
def convert(
    inputs: tuple[str, ...],
    out: Path | None,
    pages: range | None,
    jobs: int | None,
    min_confidence: float | None,
    characters: bool,
    print_settings: bool,
    reader: Path | None,
    settings_file: Path | None,
    effort: str | None,
    text_layer: str | None,
    passwords: tuple[str, ...],
    password_file: Path | None,
) -> None:
    """Convert files, folders (searched through) and glob patterns into a run folder.

    \b
    amberquarry convert scans/ --out run
    amberquarry convert 'letters/*.pdf' plan.tif --out run --pages 1-2 --jobs 4
    amberquarry convert --print-settings > ours.toml
    amberquarry convert scans/ --out run --settings ours.toml --effort thorough
    amberquarry convert reports/ --out run --text-layer ignore

    Exit status, of all that the run folder holds: 0 all converted, 1 some files rejected or pages
    failed, 2 wrong usage, or a folder that can't be used.
    """
    from amberquarry.cli.choices import chosen_passwords, chosen_settings
    from amberquarry.cli.convert import run_convert

    settings, limits = chosen_settings(settings_file, effort, reader, text_layer)
    given: dict[str, Any] = {"output.characters": True} if characters else {}
    if min_confidence is not None:
        given["output.min_confidence"] = min_confidence
    settings = settings.with_values(given)
    if print_settings:
        click.echo(settings.to_toml(meanings=True))
        return
    if not inputs or out is None:
        raise click.UsageError("name the files to read and --out FOLDER for the results")
    secrets = chosen_passwords(passwords, password_file)
    sys.exit(run_convert(inputs, out, settings, limits, jobs, pages, secrets))


@main.command()
@click.argument("page_file", metavar="PAGE", type=_Path())
@click.option("--out", type=_Path(dir_okay=False), help="The PNG to write.")
@click.option(
    "--page",
    default=1,
    type=click.IntRange(1),
    show_default=True,
    help="Page number, for files of several pages.",
)
@click.option(
    "--show",
    default="regions,order,words",
    show_default=True,
    help="Any of regions, order, lines, words, characters, separated by commas.",
)
@click.option("--label", is_flag=True, help="Write text and confidence beside each box.")
@click.option(
    "--steps",
    help="Draw the processing steps instead: all, or any of source, sheet, prepared, ink, regions, "
    "lines, words. A single step is drawn at full size.",
)
@click.option("--text", is_flag=True, help="Print the text of the page.")
@click.option("--why", is_flag=True, help="Print each block with the rules that decided its kind.")
@reading_options
@password_options
@say_errors
def look(
    page_file: Path,
    out: Path | None,
    page: int,
    show: str,
    label: bool,
    text: bool,
    why: bool,
    steps: str | None,
    reader: Path | None,
    settings_file: Path | None,
    effort: str | None,
    text_layer: str | None,
    passwords: tuple[str, ...],
    password_file: Path | None,
) -> None:
    """Draw what was recognised on a page: regions, reading order, lines, words, characters.

    Colours tell the confidence: teal from 0.95, green from 0.8, orange from 0.6, red below. Words
    of a PDF's text layer are violet.

    \b
    amberquarry look scan.pdf --page 3 --out seen.png
    amberquarry look scan.png --show words --label --out words.png
    amberquarry look photo.jpg --steps all --out steps.png
    amberquarry look scan.png --text --reader ours.onnx
    amberquarry look scan.png --why
    """
    from amberquarry.cli.choices import chosen_passwords, chosen_settings
    from amberquarry.cli.look import Shown, run_look

    settings, limits = chosen_settings(settings_file, effort, reader, text_layer)
    secrets = chosen_passwords(passwords, password_file)
    run_look(page_file, out, page, Shown(show, label, steps, text, why), settings, limits, secrets)


@main.command()
@click.argument("inputs", nargs=-1, required=True)
@click.option(
    "--vary",
    multiple=True,
    metavar="NAME=V1,V2,...",
    help="A setting and its values; given several times, all combinations are tried.",
)
@click.option(
    "--out",
    type=_Path(file_okay=False),
    required=True,
    help="The folder for runs, sheet and the best settings; a stopped comparison is resumed.",
)
@click.option(
    "--truth",
    type=_Path(dir_okay=False),
    help="Page records to measure by, as for `score`.",
)
@click.option(
    "--files",
    type=_Path(file_okay=False),
    default=Path("."),
    help="The folder of the files that finished runs were made of.  [default: here]",
)
@pages_option
@jobs_option
@reading_options
@say_errors
def compare(
    inputs: tuple[str, ...],
    vary: tuple[str, ...],
    out: Path,
    truth: Path | None,
    files: Path,
    pages: range | None,
    jobs: int | None,
    reader: Path | None,
    settings_file: Path | None,
    effort: str | None,
    text_layer: str | None,
) -> None:
    """Read the same pages in several ways, or take finished runs, and show which reads better.

    Prints words, confidence, time and, with --truth, errors; draws the words that differ side by
    side; writes the best settings as best.toml. Without truth the best way is the one that reads
    most letters most surely.

    \b
    amberquarry compare scans/ --pages 1 --vary preparation.ink_threshold=0.3,0.42 --out trial
    amberquarry compare scans/ --vary reading.prior_weight=0,0.3 --vary render.dpi=200,300 \\
        --truth truth.jsonl --out trial
    amberquarry convert scans/ --out run --settings trial/best.toml
    amberquarry compare old-run new-run --files scans/ --out trial
    """
    from amberquarry.cli.choices import chosen_settings
    from amberquarry.cli.compare import run_compare

    settings, limits = chosen_settings(settings_file, effort, reader, text_layer)
    run_compare(inputs, vary, out, truth, settings, limits, jobs, pages, files)


@main.command()
@click.argument("run", type=_Path())
@click.option(
    "--as",
    "form",
    type=click.Choice([form.value for form in ExportForm]),
    required=True,
    help="pdf: the files as they are, with the words that were read laid over them unseen.",
)
@click.option("--out", type=_Path(), required=True, help="Folder for what is made.")
@click.option(
    "--files",
    type=_Path(file_okay=False),
    default=Path("."),
    help="The folder of the files that the run was made from.  [default: here]",
)
@click.option(
    "--replace-layers",
    is_flag=True,
    help="Take unseen text of earlier readers out of pages that were read, and lay ours over them.",
)
@click.option(
    "--join",
    is_flag=True,
    help="Make one PDF of the pictures of a folder, in the order of their names.",
)
@password_options
@say_errors
def export(
    run: Path,
    form: str,
    out: Path,
    files: Path,
    replace_layers: bool,
    join: bool,
    passwords: tuple[str, ...],
    password_file: Path | None,
) -> None:
    """Make files of another form from a finished RUN, without reading a page again.

    \b
    amberquarry convert scans/ --out run
    amberquarry export run --as pdf --out searchable --files scans/
    amberquarry export run --as pdf --out books --files scans/ --join

    Exit status: 0 all made, 1 some files could not be used, 2 wrong usage.
    """
    from amberquarry.cli.choices import chosen_passwords
    from amberquarry.cli.export import run_export

    secrets = chosen_passwords(passwords, password_file)
    sys.exit(run_export(run, out, files, replace_layers, join, secrets))


@main.command()
@click.argument("lines", type=_Path(exists=True))
@click.option(
    "--out",
    type=_Path(dir_okay=False),
    required=True,
    help="The model file to write, NAME.onnx; a card NAME.json goes beside it.",
)
@click.option(
    "--files",
    type=_Path(file_okay=False),
    default=Path("."),
    help="The folder of the files that corrected pages were read from.  [default: here]",
)
@click.option(
    "--passes",
    type=click.IntRange(1, 1000),
    default=30,
    show_default=True,
    help="How many times each line is trained on.",
)
@say_errors
def learn(lines: Path, out: Path, files: Path, passes: int) -> None:
    """Train the reader further on your own lines; writes a model for `convert --reader`.

    LINES is a folder of line pictures, each with its text in a file of the same name (line-1.png,
    line-1.txt), or a pages.jsonl in which you have corrected the text of lines. Needs the extra
    packages of `pip install 'amberquarry[train]'`. A seventh of the lines is held back to measure
    by. After a stop, the same command resumes.

    \b
    amberquarry learn lines/ --out ours.onnx
    amberquarry learn run/pages.jsonl --files scans/ --out ours.onnx
    amberquarry convert scans/ --out better --reader ours.onnx
    """
    from amberquarry.cli.learn import run_learn

    run_learn(lines, out, files, passes)


@main.command()
@click.argument("run", type=_Path())
@click.argument("truth", type=_Path())
@say_errors
def score(run: Path, truth: Path) -> None:
    """Measure the accuracy of RUN against TRUTH, page records like pages.jsonl.

    Records of the truth name their document by its identifier or by its source path, and may carry
    a `class`; each class has its row.

    \b
    amberquarry score run truth.jsonl
    """
    from amberquarry.cli.score import run_score

    run_score(run, truth)


@main.command()
@click.option(
    "--out",
    type=_Path(),
    default=Path("amberquarry-demo"),
    show_default=True,
    help="Where files and results go.",
)
@jobs_option
@click.option("--few", is_flag=True, help="Only a few pages, as a quick trial.")
@say_errors
def demo(out: Path, jobs: int | None, few: bool) -> None:
    """Convert, score and draw the shipped collection, and say what to open.

    \b
    amberquarry demo
    amberquarry demo --few --out /tmp/trial
    """
    from amberquarry.cli.demo import run_demo

    sys.exit(run_demo(out, jobs, few))
