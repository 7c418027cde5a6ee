"""The demo collection of the invented Port Ellory Tide and Weather Observatory."""

from pathlib import Path

COLLECTION = Path(__file__).parent / "collection"
TRUTH = Path(__file__).parent / "truth.jsonl"

__all__ = ["COLLECTION", "TRUTH"]
