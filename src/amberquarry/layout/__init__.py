"""From lines to blocks in reading order; no pixels."""
