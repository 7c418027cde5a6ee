"""Settings that change what is read, and limits that keep a page or file in bounds."""

from __future__ import annotations

import dataclasses
import difflib
import hashlib
import json
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from amberquarry.errors import SettingsError


@dataclass(frozen=True, slots=True, kw_only=True)
class RenderSettings:
    """How pages of a PDF become pictures."""

    dpi: float = 300.0  # for pages that are not one whole scan
    scan_share: float = 0.95  # of the page that one picture covers to count as its scan

    def __post_init__(self) -> None:
        if not 50 <= self.dpi <= 1200:
            raise SettingsError(f"render.dpi must be between 50 and 1200, got {self.dpi}")
        if not 0.5 <= self.scan_share <= 1:
            raise SettingsError(
                f"render.scan_share must be between 0.5 and 1, got {self.scan_share}"
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class PreparationSettings:
    """How a page picture is made ready."""

    find_sheet: bool = True  # a sheet on a photograph is cut out and laid flat
    find_rotation: bool = True  # by quarter turns, through reading a few lines each way
    flatten: bool = True  # lines bent by a book's spine are made straight
    max_skew_deg: float = 10.0  # 0 leaves the page as it lies
    max_megapixels: float = 30.0  # larger pictures are reduced

    def __post_init__(self) -> None:
        if not 0 <= self.max_skew_deg <= 20:
            raise SettingsError(
                f"preparation.max_skew_deg must be between 0 and 20, got {self.max_skew_deg}"
            )
        if not 1 <= self.max_megapixels <= 200:
            raise SettingsError(
                f"preparation.max_megapixels must be between 1 and 200, got {self.max_megapixels}"
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingSettings:
    """How lines become text."""

    prior_weight: float = 0.3  # of the language's usual letters in doubtful words; 0 is ink alone
    search_width: int = 6  # readings of a doubtful word that are followed side by side
    repair_words: bool = False  # doubtful words that are nearly one of the language's become it
    model: str = ""  # a file made by `learn`; empty takes the one that comes with the package

    def __post_init__(self) -> None:
        if not 0 <= self.prior_weight <= 2:
            raise SettingsError(
                f"reading.prior_weight must be between 0 and 2, got {self.prior_weight}"
            )
        if not 1 <= self.search_width <= 64:
            raise SettingsError(
                f"reading.search_width must be between 1 and 64, got {self.search_width}"
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputSettings:
    """What the records hold."""

    min_confidence: float = 0.0  # words below it are left out of text and records
    characters: bool = False  # character boxes in pages.jsonl

    def __post_init__(self) -> None:
        if not 0 <= self.min_confidence <= 1:
            raise SettingsError(
                f"output.min_confidence must be between 0 and 1, got {self.min_confidence}"
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """All settings of a conversion, one group for each stage."""

    render: RenderSettings = field(default_factory=RenderSettings)
    preparation: PreparationSettings = field(default_factory=PreparationSettings)
    reading: ReadingSettings = field(default_factory=ReadingSettings)
    output: OutputSettings = field(default_factory=OutputSettings)

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Settings:
        """Return settings from nested mappings; unknown names raise SettingsError with a hint."""
        return _build(cls, values, "")

    @classmethod
    def from_toml(cls, path: Path) -> Settings:
        """Return the settings of a TOML file."""
        try:
            values = tomllib.loads(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise SettingsError(f"{path}: not a readable TOML file ({error})") from error
        return cls.from_dict(values)

    def to_dict(self) -> dict[str, Any]:
        """Return nested plain mappings that `from_dict` takes."""
        return dataclasses.asdict(self)

    def digest(self) -> str:
        """Return a hash that is equal for equal settings."""
        text = json.dumps(self.to_dict(), sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()[:16]


def _build(cls: Any, values: Mapping[str, Any], prefix: str) -> Any:
    known = {item.name: item for item in dataclasses.fields(cls)}
    arguments = {}
    for name, value in values.items():
        if name not in known:
            near = difflib.get_close_matches(name, known, n=1)
            hint = f"; did you mean {prefix}{near[0]}?" if near else ""
            raise SettingsError(f"unknown setting {prefix}{name}{hint}")
        default = known[name].default
        if default is dataclasses.MISSING:  # a group of settings
            if not isinstance(value, Mapping):
                raise SettingsError(f"{prefix}{name} is a group of settings, got {value!r}")
            arguments[name] = _build(known[name].default_factory, value, f"{prefix}{name}.")
            continue
        wanted = (int, float) if isinstance(default, float) else type(default)
        if not isinstance(value, wanted) or isinstance(value, bool) != isinstance(default, bool):
            raise SettingsError(f"{prefix}{name} must be a {type(default).__name__}, got {value!r}")
        arguments[name] = float(value) if isinstance(default, float) else value
    return cls(**arguments)


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """Bounds for untrusted input, checked before memory is taken."""

    file_bytes: int = 2_000_000_000  # larger files are rejected unopened
    pages: int = 5_000  # of one file
    pixels: int = 120_000_000  # of one encoded picture
    seconds_per_page: float = 60.0  # in runs: then the worker is ended and the page fails
