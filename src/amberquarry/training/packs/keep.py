"""Keep the weights of readers in training, so that a later round starts from them.

`python -m amberquarry.training.packs.keep --work WORK --out training/packs/weights` writes those of
each `WORK/NAME/round.pt` in half precision to `NAME.pt`.
"""

from __future__ import annotations

from pathlib import Path

import click
import torch

from amberquarry.training.net import halved


@click.command()
@click.option("--work", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--out", type=click.Path(path_type=Path), required=True)
def main(work: Path, out: Path) -> None:
    """Write the averaged weights of the rounds below WORK to OUT."""
    out.mkdir(parents=True, exist_ok=True)
    for state in sorted(work.glob("*/round.pt")):
        loaded = torch.load(state, map_location="cpu", weights_only=True)
        target = out / f"{state.parent.name}.pt"
        torch.save(halved(loaded["average"]), target)
        click.echo(f"{target}: {loaded['seen']} crops")


if __name__ == "__main__":
    main()
