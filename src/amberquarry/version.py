"""Which version made a record, with which model and settings."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from importlib import metadata
from pathlib import Path

from amberquarry.settings import Settings


@lru_cache(maxsize=1)
def version() -> str:
    """Return the version of the installed package."""
    try:
        return metadata.version("amber-quarry")
    except metadata.PackageNotFoundError:  # run from a checkout
        return "0+unknown"


@lru_cache(maxsize=1)
def model_digest() -> str:
    """Return the hash of the line reader's model."""
    path = Path(__file__).parent / "models" / "lines.onnx"
    return hashlib.sha256(path.read_bytes()).hexdigest()[:16]


def made_by(settings: Settings) -> dict[str, str]:
    """Return what records say of their maker."""
    return {"version": version(), "model": model_digest(), "settings": settings.digest()}
