"""From options to settings."""

from __future__ import annotations

import dataclasses
from pathlib import Path

from amberquarry.settings import Settings


def chosen_settings(settings_file: Path | None, reader: Path | None) -> Settings:
    """Return the settings of a TOML file, or the usual ones, with the reader that was asked for."""
    settings = Settings.from_toml(settings_file) if settings_file else Settings()
    if reader is None:
        return settings
    reading = dataclasses.replace(settings.reading, model=str(reader.resolve()))
    return dataclasses.replace(settings, reading=reading)
