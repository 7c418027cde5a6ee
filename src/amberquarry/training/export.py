"""Write a trained net as the model file that the reader runs.

`python -m amberquarry.training.export WORK/round.pt src/amberquarry/models/lines.onnx --data DATA`
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import click
import numpy as np
import onnx
import torch
from numpy.typing import NDArray
from onnxruntime.quantization import (
    CalibrationDataReader,
    QuantFormat,
    QuantType,
    quant_pre_process,
    quantize_static,
)

from amberquarry.training.lines import LineSource
from amberquarry.training.net import LineNet, export_onnx
from amberquarry.training.train import line_source

_CALIBRATION_LINES = 200


class _Lines(CalibrationDataReader):
    """Training lines of middling wear, from which the ranges of the activations are taken."""

    def __init__(self, data: Path) -> None:
        self._lines = self._pictures(line_source(data, "train", seed=77))

    @staticmethod
    def _pictures(source: LineSource) -> Iterator[NDArray[np.float32]]:
        made = 0
        while made < _CALIBRATION_LINES:
            for sample in source.lines(0.6):
                made += 1
                width = -(-sample.ink.shape[1] // 16) * 16
                yield np.pad(sample.ink, ((0, 0), (0, width - sample.ink.shape[1])))

    def get_next(self) -> dict[str, NDArray[np.float32]] | None:
        """Return the next line as the model's input, None after the last."""
        ink = next(self._lines, None)
        return None if ink is None else {"ink": ink[None, None]}


def quantise(whole: Path, model: Path, data: Path) -> None:
    """Write the model with the convolutions in 8-bit integers, but for the first and the last.

    The sums of the residual steps stay in floating point as well: in integers they cost time and
    accuracy.
    """
    with tempfile.TemporaryDirectory() as folder:
        ready = Path(folder) / "ready.onnx"
        quant_pre_process(whole, ready, skip_symbolic_shape=True)
        convolutions = [n.name for n in onnx.load(ready).graph.node if n.op_type == "Conv"]
        quantize_static(
            ready,
            model,
            _Lines(data),
            quant_format=QuantFormat.QDQ,
            op_types_to_quantize=["Conv"],
            nodes_to_exclude=[convolutions[0], *convolutions[-2:]],
            per_channel=True,
            activation_type=QuantType.QUInt8,
            weight_type=QuantType.QInt8,
        )


@click.command()
@click.argument("state", type=click.Path(path_type=Path, exists=True))
@click.argument("model", type=click.Path(path_type=Path))
@click.option(
    "--data",
    type=click.Path(path_type=Path, exists=True),
    help="Fonts and texts for lines by which the model is brought to 8-bit integers.",
)
@click.option(
    "--weights",
    type=click.Path(path_type=Path),
    help="Also write the weights in half precision, to start a later round from.",
)
def main(state: Path, model: Path, data: Path | None, weights: Path | None) -> None:
    """Export the averaged weights of STATE to MODEL."""
    loaded = torch.load(state, map_location="cpu", weights_only=True)
    net = LineNet()
    net.take(loaded.get("average", loaded))
    export_onnx(net.eval(), model)
    if data:
        quantise(model, model, data)
    if weights:
        torch.save(
            {
                name: value.half() if value.is_floating_point() else value
                for name, value in net.state_dict().items()
            },
            weights,
        )
    click.echo(f"{model}: {model.stat().st_size} bytes")


if __name__ == "__main__":
    main()
