"""Which files a run takes, and in which order."""

from __future__ import annotations

import glob
import itertools
import os
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from amberquarry.errors import RunFolderError

_SYSTEM_NAMES = {"thumbs.db", "desktop.ini", "ehthumbs.db", "icon\r"}
_UNDECODED = {0xDC00 + byte: f"%{byte:02X}" for byte in range(128, 256)}


@dataclass(frozen=True, slots=True)
class InputFile:
    """A file of a run: where it is, and its name in the records."""

    path: Path
    name: str  # with / between folders, see `find_inputs`


@dataclass(frozen=True, slots=True)
class Inputs:
    """The files of a run in order, and what was not taken."""

    files: list[InputFile]
    skipped: list[str]  # hidden and system files
    links: list[str]  # links to folders, which are not followed
    unreadable: list[tuple[str, str]]  # folders that can't be listed, and why


def natural_key(text: str) -> list[tuple[int, int, str]]:
    """Return a key that sorts numbers by value: page 10 comes after page 9."""
    return [
        (0, int(part), "") if part.isdecimal() else (1, 0, part.casefold())
        for part in re.split(r"(\d+)", text)
        if part
    ]


def _path_key(name: str) -> tuple[list[list[tuple[int, int, str]]], str]:
    # the name itself last: "a" and "A", "1" and "01" come in one order on every file system
    return [natural_key(part) for part in PurePosixPath(name).parts], name


def is_system_file(name: str) -> bool:
    """Return whether a file is hidden or the system's own."""
    return name.startswith((".", "~$")) or name.casefold() in _SYSTEM_NAMES


def name_in_records(path: str) -> str:
    """Return a path as text: bytes that are not UTF-8 become %FF and the like."""
    return os.fsencode(path).decode("utf-8", "surrogateescape").translate(_UNDECODED)


def find_inputs(inputs: Iterable[str | os.PathLike[str]], results: Path | None = None) -> Inputs:
    """Return the files named by paths, folders (searched through) and glob patterns.

    results: a folder whose files are no inputs, should it lie inside one that is.

    Raises FileNotFoundError for a path or pattern that names nothing, ValueError for an empty one,
    RunFolderError for one that lies among the results.
    A file named twice is taken once. Records call a file by its path below the folder that was
    given; where several inputs are given, by its path below the folder that holds them all, so
    that the name of a file does not depend on which others lie there.
    """
    found = Inputs([], [], [], [])
    own = os.path.realpath(results) if results is not None else None
    given = [_Input.of(os.fspath(item)) for item in inputs]
    root = _common_folder([item.root for item in given])
    seen: set[str] = set()
    taken: set[str] = set()
    for item in given:
        if own is not None and _is_below(os.path.realpath(item.root), own):
            raise RunFolderError(
                f"{item.matches[0]} lies in {results}, where the results would go; "
                "choose another folder for them"
            )
        for match in sorted(item.matches, key=lambda path: _path_key(Path(path).as_posix())):
            walked = _files_below(match, found, own, root) if os.path.isdir(match) else [match]
            names = {path: _relative(path, root) for path in walked}
            for path in sorted(names, key=lambda path: _path_key(names[path])):
                if own is not None and _is_below(os.path.realpath(path), own):
                    continue
                absolute = os.path.abspath(path)
                if absolute in seen:
                    continue
                seen.add(absolute)
                inner = os.path.relpath(path, match) if path != match else ""
                name = name_in_records(names[path])
                if any(is_system_file(part) for part in PurePosixPath(inner).parts):
                    found.skipped.append(name)
                    continue
                while name in taken:  # bytes spelled out may equal a name of letters
                    name += "~2"
                taken.add(name)
                found.files.append(InputFile(Path(path), name))
    return found


@dataclass(frozen=True, slots=True)
class _Input:
    """What one argument names."""

    matches: list[str]
    root: str  # the folder below which its files have their names, absolute

    @classmethod
    def of(cls, text: str) -> _Input:
        if not text:
            raise ValueError("an input is empty; name a file or folder, . for this one")
        if os.path.lexists(text):
            folder = text if os.path.isdir(text) else os.path.dirname(text)
            return cls([text], os.path.abspath(folder))
        if not glob.has_magic(text):
            raise FileNotFoundError(f"there is no file or folder {text}")
        matches = glob.glob(text, recursive=True)
        if not matches:
            raise FileNotFoundError(f"no file matches {text}")
        plain = itertools.takewhile(lambda part: not glob.has_magic(part), Path(text).parts)
        return cls(matches, os.path.abspath(os.path.join("", *plain)))


def _common_folder(roots: list[str]) -> str:
    try:
        return os.path.commonpath(roots) if roots else ""
    except ValueError:  # on several drives
        return ""


def _relative(path: str, root: str) -> str:
    """Return a path below a folder, with / between its parts; without a folder, without a drive."""
    absolute = os.path.abspath(path)
    below = os.path.relpath(absolute, root) if root else os.path.splitdrive(absolute)[1]
    return below.replace(os.sep, "/").lstrip("/")


def _is_below(path: str, folder: str) -> bool:
    return path == folder or path.startswith(os.path.join(folder, ""))


def _files_below(folder: str, found: Inputs, own: str | None, root: str) -> list[str]:
    """Return the paths of all files below a folder; notes folders that can't be searched."""
    paths = []

    def note(error: OSError) -> None:
        name = name_in_records(_relative(str(error.filename), root))
        why = f"the folder can't be listed ({error.strerror}); check its permissions"
        found.unreadable.append((f"{name}/", why))

    for place, folders, names in os.walk(folder, onerror=note):
        for name in sorted(folders):
            path = os.path.join(place, name)
            if os.path.islink(path):
                found.links.append(name_in_records(_relative(path, root)) + "/")
        folders[:] = [
            name
            for name in folders
            if own is None or os.path.realpath(os.path.join(place, name)) != own
        ]
        paths += [os.path.join(place, name) for name in names]
    found.links.sort(key=_path_key)
    found.unreadable.sort(key=lambda item: _path_key(item[0]))
    return paths
