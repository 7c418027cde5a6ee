"""From options to settings and limits."""

from __future__ import annotations

from pathlib import Path

from amberquarry.settings import Effort, Limits, Settings, toml_values


def chosen_passwords(given: tuple[str, ...], file: Path | None) -> list[str]:
    """Return the passwords of the command line, then those of a file, one a line."""
    listed = file.read_text(encoding="utf-8").splitlines() if file else []
    return [*given, *(line for line in listed if line)]


def chosen_settings(
    settings_file: Path | None, effort: str | None, reader: Path | None, text_layer: str | None
) -> tuple[Settings, Limits]:
    """Return the settings and limits of a TOML file, or the usual ones, with what options ask for.

    An effort moves what the file leaves open.
    """
    values = toml_values(settings_file) if settings_file else {}
    limits = Limits.from_dict(values.get("limits", {}))
    if effort is not None:
        values["effort"] = Effort(effort)
    settings = Settings.from_dict(values)
    if reader is not None:
        settings = settings.with_values({"reading.model": str(reader.resolve())})
    if text_layer is not None:
        settings = settings.with_values({"layer.use": text_layer})
    return settings, limits
