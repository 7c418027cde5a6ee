"""Which files a run takes, and in which order."""

from __future__ import annotations

import glob
import os
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

_SYSTEM_NAMES = {"thumbs.db", "desktop.ini", "ehthumbs.db", "icon\r"}


@dataclass(frozen=True, slots=True)
class InputFile:
    """A file of a run: where it is, and its name in the records."""

    path: Path
    name: str  # relative to the input it came from, with / between folders


@dataclass(frozen=True, slots=True)
class Inputs:
    """The files of a run in order, and the hidden and system files that were passed over."""

    files: list[InputFile]
    skipped: list[str]


def natural_key(text: str) -> list[tuple[int, int, str]]:
    """Return a key that sorts numbers by value: page 10 comes after page 9."""
    return [
        (0, int(part), "") if part.isdecimal() else (1, 0, part.casefold())
        for part in re.split(r"(\d+)", text)
        if part
    ]


def _path_key(name: str) -> list[list[tuple[int, int, str]]]:
    return [natural_key(part) for part in PurePosixPath(name).parts]


def is_system_file(name: str) -> bool:
    """Return whether a file is hidden or the system's own."""
    return name.startswith((".", "~$")) or name.casefold() in _SYSTEM_NAMES


def find_inputs(inputs: Iterable[str | os.PathLike[str]], results: Path | None = None) -> Inputs:
    """Return the files named by paths, folders (searched through) and glob patterns.

    results: a folder whose files are no inputs, should it lie inside one that is.

    Raises FileNotFoundError for a path or pattern that names nothing. A file named twice is taken
    once. Records call a file by its path below the folder that was given; two folders with equal
    names inside keep them apart by a number.
    """
    files: list[InputFile] = []
    skipped: list[str] = []
    seen: set[Path] = set()
    names: set[str] = set()
    own = results.resolve() if results is not None else None

    def take(path: Path, name: str) -> None:
        real = path.resolve()
        if real in seen or (own is not None and real.is_relative_to(own)):
            return
        seen.add(real)
        unique, number = name, 2
        while unique in names:
            unique, number = f"{name}~{number}", number + 1
        names.add(unique)
        files.append(InputFile(path, unique))

    for item in inputs:
        text = os.fspath(item)
        path = Path(text)
        if path.is_dir() or path.exists() or path.is_symlink():
            matches = [path]
        elif glob.has_magic(text):
            matches = [Path(match) for match in glob.glob(text, recursive=True)]
            if not matches:
                raise FileNotFoundError(f"no file matches {text}")
        else:
            raise FileNotFoundError(f"there is no file or folder {text}")
        for match in sorted(matches, key=lambda m: _path_key(m.as_posix())):
            if match.is_dir():
                for name in sorted(_files_below(match), key=_path_key):
                    if any(is_system_file(part) for part in PurePosixPath(name).parts):
                        skipped.append(name)
                    else:
                        take(match / name, name)
            else:
                take(match, match.name)
    return Inputs(files, skipped)


def _files_below(folder: Path) -> list[str]:
    found = []
    for root, _, names in os.walk(folder):
        for name in names:
            found.append((Path(root) / name).relative_to(folder).as_posix())
    return found
