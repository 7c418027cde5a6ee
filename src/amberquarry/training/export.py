"""Write a trained net as the model file that the reader runs.

`python -m amberquarry.training.export WORK/round.pt src/amberquarry/models/lines.onnx`
"""

from __future__ import annotations

from pathlib import Path

import click
import torch

from amberquarry.training.net import LineNet, export_onnx


@click.command()
@click.argument("state", type=click.Path(path_type=Path, exists=True))
@click.argument("model", type=click.Path(path_type=Path))
@click.option(
    "--weights",
    type=click.Path(path_type=Path),
    help="Also write the weights in half precision, to start a later round from.",
)
def main(state: Path, model: Path, weights: Path | None) -> None:
    """Export the averaged weights of STATE to MODEL."""
    average = torch.load(state, map_location="cpu", weights_only=True)["average"]
    net = LineNet()
    net.load_state_dict(average)
    export_onnx(net.eval(), model)
    if weights:
        torch.save(
            {
                name: value.half() if value.is_floating_point() else value
                for name, value in average.items()
            },
            weights,
        )
    click.echo(f"{model}: {model.stat().st_size} bytes")


if __name__ == "__main__":
    main()
