"""Settings that change what is read, and limits that keep a page or file in bounds.

Each setting carries its meaning, unit and range; documentation, `convert --print-settings` and the
checks are made from them.
"""

from __future__ import annotations

import dataclasses
import difflib
import hashlib
import json
import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Any, NamedTuple

from amberquarry.errors import SettingsError


class Effort(StrEnum):
    """How much time a page may take: moves the settings that cost time together."""

    QUICK = "quick"
    NORMAL = "normal"
    THOROUGH = "thorough"


class LayerUse(StrEnum):
    """What is done with the text layers of PDF pages."""

    AUTO = "auto"
    ONLY = "only"
    IGNORE = "ignore"


class TextForm(StrEnum):
    """How the text of documents is written."""

    MARKDOWN = "markdown"
    PLAIN = "plain"


def _setting(
    default: Any,
    meaning: str,
    between: tuple[float, float] | None = None,
    unit: str = "",
    quick: Any = None,
    thorough: Any = None,
) -> Any:
    """Return a field; quick, thorough: what it is at these efforts, where that differs."""
    efforts = {
        effort: value
        for effort, value in ((Effort.QUICK, quick), (Effort.THOROUGH, thorough))
        if value is not None
    }
    notes = {"meaning": meaning, "between": between, "unit": unit, "efforts": efforts}
    return field(default=default, metadata=notes)


class _Group:
    """A group of settings whose values are checked when it is made."""

    __slots__ = ()

    def __post_init__(self) -> None:
        for item in dataclasses.fields(self):  # type: ignore[arg-type]
            between, value = item.metadata["between"], getattr(self, item.name)
            if between and not between[0] <= value <= between[1]:
                group = type(self).__name__.removesuffix("Settings").lower()
                raise SettingsError(
                    f"{group}.{item.name} must be between {between[0]:g} and {between[1]:g}, "
                    f"got {value}"
                )


@dataclass(frozen=True, slots=True, kw_only=True)
class RenderSettings(_Group):
    """How pages of a PDF become pictures."""

    dpi: float = _setting(
        300.0, "resolution of pages that are not one whole scan", (50, 1200), "dots per inch"
    )
    scan_share: float = _setting(
        0.95, "share of the page that one picture covers to count as its scan", (0.5, 1)
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerSettings(_Group):
    """What is done with the text that PDF files hold."""

    use: LayerUse = _setting(
        LayerUse.AUTO,
        "auto takes the text layer of a page where it can be trusted and reads the ink elsewhere; "
        "only never reads ink; ignore always does",
    )
    least_visible: float = _setting(
        0.6, "share of a layer's characters that must be seen on the page", (0, 1)
    )
    most_unknown: float = _setting(
        0.03, "share of characters whose letter the file does not tell, at most", (0, 1)
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PreparationSettings(_Group):
    """How a page picture is made ready."""

    find_sheet: bool = _setting(
        True, "the sheet in a photograph is detected, cropped and rectified"
    )
    find_scene_text: bool = _setting(
        True, "text on signs and boards is looked for in photographs", quick=False
    )
    split_spreads: bool = _setting(True, "a picture of two facing pages gives two pages")
    find_rotation: bool = _setting(
        True, "the orientation is detected by reading a few lines each way"
    )
    flatten: bool = _setting(True, "bent pages, as beside the spine of a book, are dewarped")
    lift_marks: bool = _setting(
        True, "coloured stamps, rules and strokes that cross dark print are taken off it"
    )
    lift_bleed: bool = _setting(True, "bleed-through from the other side is removed")
    even_light: bool = _setting(True, "uneven or tinted backgrounds are made white")
    reverse_dark: bool = _setting(True, "areas of light text on dark are inverted")
    ink_threshold: float = _setting(
        0.42,
        "threshold for finding ink (binarization): the share of the way from paper to the darkest "
        "ink near by; a lower value finds fainter strokes and more dirt",
        (0.05, 0.95),
    )
    least_contrast: float = _setting(
        18.0,
        "least contrast between ink and paper",
        (1, 200),
        "grey levels of 255",
    )
    smoothing_px: float = _setting(
        0.0, "blur before binarization, against grain and halftone screens", (0, 5), "pixels"
    )
    max_skew_deg: float = _setting(
        10.0, "pages skewed by up to this are deskewed", (0, 20), "degrees"
    )
    max_megapixels: float = _setting(30.0, "larger pictures are reduced to this", (1, 200))
    alternatives: int = _setting(
        2,
        "other ways of preparing that are tried on pages that read badly; each costs as much time "
        "as the page itself",
        (0, 3),
        quick=0,
        thorough=3,
    )
    try_below: float = _setting(
        0.8,
        "mean confidence of a page's words below which others are tried",
        (0, 1),
        thorough=0.92,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LayoutSettings(_Group):
    """How ink becomes lines."""

    letter_reach: float = _setting(
        0.65,
        "how far a letter looks to each side for the next one of its line",
        (0.2, 2),
        "heights of the letter",
    )
    widest_space: float = _setting(
        5.0,
        "parts of a line that lie further apart are lines of their own, as cells of a table are",
        (1, 20),
        "heights of an x",
    )
    find_vertical: bool = _setting(True, "text set upwards or downwards is read", quick=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingSettings(_Group):
    """How lines become text."""

    line_margin: float = _setting(
        1.16, "what is taken in before and after the text of a line", (0, 4), "heights of an x"
    )
    contrast_floor: float = _setting(
        0.12,
        "the darkest strokes of a line are stretched to full black if they are at least this "
        "much darker than the paper; fainter ones stay paler",
        (0.02, 1),
        "share of the paper's level",
    )
    word_parting: float = _setting(
        0.0,
        "added to the evidence for a blank between letters: above 0 words are parted sooner, "
        "below 0 later",
        (-12, 12),
        "log odds",
    )
    prior_weight: float = _setting(
        0.3,
        "of the language's usual letters in doubtful words; 0 is ink alone",
        (0, 2),
        quick=0.0,
    )
    search_width: int = _setting(
        6,
        "readings of a doubtful word that are followed side by side",
        (1, 64),
        thorough=16,
    )
    repair_words: bool = _setting(
        False, "doubtful words that are nearly one of the language's become it"
    )
    model: str = _setting("", "a file made by `learn`; empty takes the one of the package")


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputSettings(_Group):
    """What the records and texts hold."""

    min_confidence: float = _setting(0.0, "words below it are left out of text and records", (0, 1))
    characters: bool = _setting(False, "character boxes in pages.jsonl")
    pictures: bool = _setting(True, "figures and equations are cut out and saved as pictures")
    text_form: TextForm = _setting(
        TextForm.MARKDOWN, "how texts are written: markdown, or plain without any marks"
    )
    page_marks: bool = _setting(
        True, "texts say where a page begins: a comment in Markdown, a form feed in plain text"
    )
    link_figures: bool = _setting(True, "figures stand in Markdown as links to their pictures")
    line_width: int = _setting(
        0, "lines of paragraphs are broken there; 0 writes each on one line", (0, 1000), "letters"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """All settings of a conversion, one group for each stage."""

    render: RenderSettings = field(default_factory=RenderSettings)
    layer: LayerSettings = field(default_factory=LayerSettings)
    preparation: PreparationSettings = field(default_factory=PreparationSettings)
    layout: LayoutSettings = field(default_factory=LayoutSettings)
    reading: ReadingSettings = field(default_factory=ReadingSettings)
    output: OutputSettings = field(default_factory=OutputSettings)

    @classmethod
    def of_effort(cls, effort: Effort) -> Settings:
        """Return the settings that an effort stands for."""
        return cls.from_dict({"effort": effort.value})

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Settings:
        """Return settings from nested mappings; unknown names raise SettingsError with a hint.

        `effort` beside the groups moves the usual values; what the groups say counts more. A group
        `limits` is left to `Limits.from_dict`.
        """
        values = dict(values)
        values.pop("limits", None)
        effort = values.pop("effort", Effort.NORMAL.value)
        if effort not in [*Effort]:
            raise SettingsError(f"effort must be one of {', '.join(Effort)}, got {effort!r}")
        groups: dict[str, Any] = {}
        for group in dataclasses.fields(cls):
            given = values.pop(group.name, {})
            if not isinstance(given, Mapping):
                raise SettingsError(f"{group.name} is a group of settings, got {given!r}")
            groups[group.name] = _group(group.default_factory, given, group.name, Effort(effort))
        for name in values:
            raise SettingsError(f"unknown setting {name}{_near(name, [*groups, 'effort'])}")
        return cls(**groups)

    @classmethod
    def from_toml(cls, path: Path) -> Settings:
        """Return the settings of a TOML file."""
        return cls.from_dict(toml_values(path))

    def with_values(self, values: Mapping[str, Any]) -> Settings:
        """Return the settings with some values changed; `values` maps "group.name" to each."""
        nested = self.to_dict()
        for name, value in values.items():
            group, _, own = name.partition(".")
            if own not in nested.get(group, {}):
                raise SettingsError(f"unknown setting {name}{_near(name, [*names()])}")
            nested[group][own] = value
        return Settings.from_dict(nested)

    def to_dict(self) -> dict[str, Any]:
        """Return nested plain mappings that `from_dict` takes."""
        return dataclasses.asdict(self)

    def to_toml(self, meanings: bool = False) -> str:
        """Return the settings as TOML that `from_toml` reads, with what they mean if asked."""
        parts = ["# Leave out what you don't change: an effort moves what is left out.", ""]
        parts = parts if meanings else []
        for group, values in self.to_dict().items():
            parts += _toml_lines(_groups()[group], group, values, meanings)
        if meanings:
            parts += _toml_lines(Limits, "limits", dataclasses.asdict(Limits()), meanings)
        return "\n".join(parts)

    def digest(self) -> str:
        """Return a hash that is equal for equal settings."""
        text = json.dumps(self.to_dict(), sort_keys=True)
        return hashlib.sha256(text.encode()).hexdigest()[:16]


class Note(NamedTuple):
    """What a setting is: for documentation."""

    name: str
    default: Any
    meaning: str
    between: tuple[float, float] | None
    unit: str
    efforts: dict[Effort, Any]

    @classmethod
    def of(cls, item: dataclasses.Field[Any]) -> Note:
        """Return what a field of a group says of itself."""
        return cls(item.name, item.default, **item.metadata)

    @property
    def sentence(self) -> str:
        """Meaning, range, unit and efforts in one line."""
        text = self.meaning
        if self.between:
            text += f"; {self.between[0]:g} to {self.between[1]:g}"
        if self.unit:
            text += f" {self.unit}" if self.between else f"; in {self.unit}"
        for effort, value in self.efforts.items():
            text += f"; {effort}: {json.dumps(value)}"
        return text


def toml_values(path: Path) -> dict[str, Any]:
    """Return what a TOML file of settings holds, unchecked; SettingsError if it can't be read."""
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise SettingsError(f"{path}: not a readable TOML file ({error})") from error


def _toml_lines(cls: Any, group: str, values: Mapping[str, Any], meanings: bool) -> list[str]:
    """Return a group of settings as lines of TOML."""
    lines = [f"[{group}]"]
    for item in dataclasses.fields(cls):
        if meanings:
            lines.append(f"# {Note.of(item).sentence}")
        # JSON writes numbers, strings and truth values as TOML does
        lines.append(f"{item.name} = {json.dumps(values[item.name], ensure_ascii=False)}")
    return [*lines, ""]


def _groups() -> dict[str, Any]:
    return {item.name: item.default_factory for item in dataclasses.fields(Settings)}


def names() -> Iterator[str]:
    """Yield the full names of all settings, as "group.name"."""
    for group, cls in _groups().items():
        for item in dataclasses.fields(cls):
            yield f"{group}.{item.name}"


def value_of(name: str, text: str) -> Any:
    """Return the value that `text` stands for in the setting "group.name"; SettingsError if none.

    Numbers and truth values are written as in TOML, strings without quotes.
    """
    group, _, own = name.partition(".")
    known = {item.name: item for item in dataclasses.fields(_groups().get(group, Limits))}
    if group not in _groups() or own not in known:
        raise SettingsError(f"unknown setting {name}{_near(name, [*names()])}")
    if isinstance(known[own].default, str):
        return text
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError as error:
        kind = type(known[own].default).__name__
        raise SettingsError(f"{name} must be a {kind}, got {text!r}") from error


def _near(name: str, known: list[str]) -> str:
    near = difflib.get_close_matches(name, known, n=1)
    if not near:  # the group was left out
        near = [full for full in known if full.endswith(f".{name}")]
    return f"; did you mean {near[0]}?" if near else ""


def _group(cls: Any, values: Mapping[str, Any], group: str, effort: Effort) -> Any:
    known = {item.name: item for item in dataclasses.fields(cls)}
    arguments = {
        name: item.metadata["efforts"][effort]
        for name, item in known.items()
        if effort in item.metadata["efforts"]
    }
    for name, value in values.items():
        if name not in known:
            hint = _near(f"{group}.{name}", [f"{group}.{own}" for own in known])
            raise SettingsError(f"unknown setting {group}.{name}{hint}")
        default = known[name].default
        if isinstance(default, StrEnum):
            choices = type(default)
            if value not in [*choices]:
                raise SettingsError(
                    f"{group}.{name} must be one of {', '.join(choices)}, got {value!r}"
                )
            arguments[name] = choices(value)
            continue
        wanted = (int, float) if isinstance(default, float) else type(default)
        if not isinstance(value, wanted) or isinstance(value, bool) != isinstance(default, bool):
            raise SettingsError(f"{group}.{name} must be a {type(default).__name__}, got {value!r}")
        arguments[name] = (
            float(value) if isinstance(value, int | float) and isinstance(default, float) else value
        )
    return cls(**arguments)


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits(_Group):
    """Bounds for untrusted input, checked before memory is taken; they change no result."""

    file_bytes: int = _setting(
        2_000_000_000, "larger files are rejected unopened", (1, 1e15), "bytes"
    )
    pages: int = _setting(5_000, "files with more pages are rejected", (1, 1e9))
    pixels: int = _setting(120_000_000, "pages whose picture has more pixels fail", (1, 1e12))
    seconds_to_open: float = _setting(
        60.0, "in runs, a file that takes longer to open is rejected", (0.001, 1e6), "seconds"
    )
    seconds_per_page: float = _setting(
        60.0,
        "in runs, a page that takes longer fails; the next start tries it again",
        (0.001, 1e6),
        "seconds",
    )

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Limits:
        """Return limits from a mapping; unknown names raise SettingsError with a hint."""
        found: Limits = _group(cls, values, "limits", Effort.NORMAL)
        return found
