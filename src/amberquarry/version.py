"""Which version made a record, with which model and settings."""

from __future__ import annotations

from functools import lru_cache
from importlib import metadata

from amberquarry.settings import Settings


@lru_cache(maxsize=1)
def version() -> str:
    """Return the version of the installed package."""
    try:
        return metadata.version("amber-quarry")
    except metadata.PackageNotFoundError:  # run from a checkout
        return "0+unknown"


def made_by(settings: Settings) -> dict[str, str]:
    """Return what records say of their maker; ModelError where the model can't be used."""
    from amberquarry.reading import load_reader

    model = load_reader(settings.reading).digest
    return {"version": version(), "model": model, "settings": settings.digest()}
