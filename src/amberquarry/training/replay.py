"""A sample of the base mixture that comes with the package, so that learning keeps old abilities.

`python -m amberquarry.training.replay --data DATA` draws it anew to `models/replay.npz`: line
pictures in sixteen levels, laid side by side, with their texts.
"""

from __future__ import annotations

from io import BytesIO
from pathlib import Path

import click
import numpy as np

from amberquarry.reading.ground import LINE_HEIGHT
from amberquarry.training.labelled import LabelledLine
from amberquarry.training.wear import Sample

REPLAY = Path(__file__).parent.parent / "models" / "replay.npz"
LINES = 1200
_LEVELS = 15


def load_replay() -> list[LabelledLine]:
    """Return the lines that come with the package."""
    with np.load(BytesIO(REPLAY.read_bytes()), allow_pickle=False) as file:
        packed, widths, texts = file["packed"], file["widths"], file["texts"].tobytes()
    pairs = np.stack([packed >> 4, packed & 15], axis=-1)
    whole = pairs.reshape(-1)[: LINE_HEIGHT * int(widths.sum())].reshape(LINE_HEIGHT, -1)
    whole = whole.astype(np.float32) * np.float32(1 / _LEVELS)
    ends = np.cumsum(widths)
    return [
        LabelledLine(f"base {n}", whole[:, end - width : end], text)
        for n, (end, width, text) in enumerate(
            zip(ends, widths, texts.decode("utf-8").split("\n"), strict=True)
        )
    ]


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
def main(data: Path) -> None:
    """Draw the sample."""
    from amberquarry.training.train import line_source

    clean, worn = line_source(data, "train", seed=4242), line_source(data, "train", seed=4243)
    samples: list[Sample] = []
    while len(samples) < LINES:
        for source, strength in ((clean, 0.2), (worn, 0.8)):
            samples += [s for s in source.lines(strength) if s.ink.shape[1] <= 640]
    samples = samples[:LINES]
    levels = np.round(np.concatenate([s.ink for s in samples], axis=1) * _LEVELS).astype(np.uint8)
    flat = levels.reshape(-1)
    flat = np.concatenate([flat, np.zeros(len(flat) % 2, np.uint8)])
    np.savez_compressed(
        REPLAY,
        packed=(flat[::2] << 4) | flat[1::2],
        widths=np.array([s.ink.shape[1] for s in samples], np.int32),
        texts=np.frombuffer("\n".join(s.text for s in samples).encode("utf-8"), np.uint8),
    )
    click.echo(f"{len(samples)} lines, {REPLAY.stat().st_size} bytes")


if __name__ == "__main__":
    main()
