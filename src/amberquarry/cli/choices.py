"""From options to settings."""

from __future__ import annotations

from pathlib import Path

from amberquarry.settings import Effort, Settings, toml_values


def chosen_settings(
    settings_file: Path | None, effort: str | None, reader: Path | None
) -> Settings:
    """Return the settings of a TOML file, or the usual ones, with what options ask for.

    An effort moves what the file leaves open.
    """
    values = toml_values(settings_file) if settings_file else {}
    if effort is not None:
        values["effort"] = Effort(effort)
    settings = Settings.from_dict(values)
    return settings.with_values({"reading.model": str(reader.resolve())}) if reader else settings
