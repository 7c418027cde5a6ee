"""Write a trained net as the model file that the reader runs.

`python -m amberquarry.training.export WORK/round.pt src/amberquarry/models/lines.onnx --data DATA`
"""

from __future__ import annotations

import hashlib
import json
import tempfile
from pathlib import Path
from typing import Any

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
    quantize_dynamic,
    quantize_static,
)

from amberquarry.training.net import LineNet, export_onnx, halved, net_of
from amberquarry.training.train import line_source

_CALIBRATION_LINES = 200


class _Lines(CalibrationDataReader):
    """Lines from which the ranges of the activations are taken."""

    def __init__(self, inks: list[NDArray[np.float32]]) -> None:
        self._inks = iter(inks)

    def get_next(self) -> dict[str, NDArray[np.float32]] | None:
        """Return the next line as the model's input, None after the last."""
        ink = next(self._inks, None)
        if ink is None:
            return None
        width = -(-ink.shape[1] // 16) * 16
        return {"ink": np.pad(ink, ((0, 0), (0, width - ink.shape[1])))[None, None]}


def quantise(whole: Path, model: Path, inks: list[NDArray[np.float32]]) -> None:
    """Write the model in 8-bit integers, but for the first convolution.

    The sums of the residual steps stay in floating point as well: in integers they cost time and
    accuracy. What goes into the last product is measured line by line, and its sums are kept in
    floating point: in integers they cost a quarter more errors.

    inks: a few hundred usual lines, (LINE_HEIGHT, W) each.
    """
    ready, last = whole.with_name("ready.onnx"), whole.with_name("last.onnx")
    quant_pre_process(whole, ready, skip_symbolic_shape=True)
    quantize_dynamic(
        ready,
        last,
        op_types_to_quantize=["MatMul"],
        per_channel=True,
        weight_type=QuantType.QInt8,
    )
    convolutions = [n.name for n in onnx.load(ready).graph.node if n.op_type == "Conv"]
    quantize_static(
        last,
        model,
        _Lines(inks),
        quant_format=QuantFormat.QDQ,
        op_types_to_quantize=["Conv"],
        nodes_to_exclude=convolutions[:1],
        per_channel=True,
        activation_type=QuantType.QUInt8,
        weight_type=QuantType.QInt8,
    )
    onnx.save(streamlined(onnx.load(model)), model)


def streamlined(model: onnx.ModelProto) -> onnx.ModelProto:
    """Return a model in 8-bit integers that runs without detours between its convolutions.

    What a rectified linear unit takes in is not rounded to integers first: the runtime then makes
    it a part of the convolution. Convolutions along one line have a height of one row like those
    before them: the runtime then keeps one order of the axes.
    """
    found = onnx.ModelProto()
    found.CopyFrom(model)
    graph = found.graph
    made_by = {name: node for node in graph.node for name in node.output}
    rounding = []
    for node in graph.node:
        back = made_by.get(node.input[0]) if node.op_type == "Relu" else None
        if back is None or back.op_type != "DequantizeLinear":
            continue
        there = made_by[back.input[0]]
        if made_by[there.input[0]].op_type == "Conv":
            node.input[0] = there.input[0]
            rounding += [there, back]
    for node in rounding:
        graph.node.remove(node)
    [squeeze] = [node for node in graph.node if node.op_type == "Squeeze"]
    [transpose] = [node for node in graph.node if node.op_type == "Transpose"]
    for node in graph.node:
        if squeeze.output[0] in node.input:
            node.input[list(node.input).index(squeeze.output[0])] = squeeze.input[0]
    graph.node.remove(squeeze)
    squeeze.input[0], transpose.input[0] = transpose.input[0], squeeze.output[0]
    graph.node.insert(list(graph.node).index(transpose), squeeze)
    stored = {tensor.name: tensor for tensor in graph.initializer}
    for node in graph.node:
        if node.op_type == "Conv" and node.input[1] in made_by:
            _with_height(node, stored[made_by[node.input[1]].input[0]])
    del graph.value_info[:]
    used = {name for node in graph.node for name in node.input}
    kept = [tensor for tensor in graph.initializer if tensor.name in used]
    del graph.initializer[:]
    graph.initializer.extend(kept)
    onnx.checker.check_model(found)
    return found


def _with_height(node: onnx.NodeProto, weights: onnx.TensorProto) -> None:
    """Give a convolution along a line a height of one row, in place."""
    if len(weights.dims) != 3:
        return
    values = onnx.numpy_helper.to_array(weights)[:, :, None]
    weights.CopyFrom(onnx.numpy_helper.from_array(np.ascontiguousarray(values), weights.name))
    for attribute in node.attribute:
        along = list(attribute.ints)
        if attribute.name in ("kernel_shape", "dilations", "strides"):
            attribute.ints[:] = [1, *along]
        elif attribute.name == "pads":  # before and after, first of the rows
            attribute.ints[:] = [0, along[0], 0, along[1]]


def write_model(net: LineNet, model: Path, inks: list[NDArray[np.float32]], **facts: Any) -> None:
    """Write a net as the file that the reader runs, brought to 8-bit integers.

    A card beside it holds its hash and the given facts.
    """
    with tempfile.TemporaryDirectory() as folder:
        whole = Path(folder) / "whole.onnx"
        export_onnx(net.eval(), whole)
        quantise(whole, model, inks)
    card = {"sha256": hashlib.sha256(model.read_bytes()).hexdigest(), **facts}
    model.with_suffix(".json").write_text(json.dumps(card, indent=1) + "\n", encoding="utf-8")


def _weights_of(path: Path) -> dict[str, torch.Tensor]:
    loaded = torch.load(path, map_location="cpu", weights_only=True)
    return {name: value.float() for name, value in loaded.get("average", loaded).items()}


def mean_weights(parts: list[dict[str, torch.Tensor]], share: float) -> dict[str, torch.Tensor]:
    """Return the first of one or two sets of weights, or their mean with its share."""
    if len(parts) == 1:
        return parts[0]
    first, second = parts
    return {name: share * value + (1 - share) * second[name] for name, value in first.items()}


def _usual_lines(data: Path) -> list[NDArray[np.float32]]:
    """Return training lines of middling wear."""
    source = line_source(data, "train", seed=77)
    inks: list[NDArray[np.float32]] = []
    while len(inks) < _CALIBRATION_LINES:
        inks += [sample.ink for sample in source.lines(0.6)]
    return inks


@click.command()
@click.argument("state", type=click.Path(path_type=Path, exists=True))
@click.argument("model", type=click.Path(path_type=Path))
@click.option(
    "--data",
    type=click.Path(path_type=Path, exists=True),
    required=True,
    help="Fonts and texts for lines by which the model is brought to 8-bit integers.",
)
@click.option(
    "--weights",
    type=click.Path(path_type=Path),
    help="Also write the weights in half precision, to start a later round from.",
)
@click.option(
    "--earlier",
    type=click.Path(path_type=Path, exists=True),
    help="Weights of the round before, to take the mean with.",
)
@click.option(
    "--share", type=click.FloatRange(0, 1), default=0.6, show_default=True,
    help="Of the weights of STATE in that mean.",
)  # fmt: skip
def main(
    state: Path, model: Path, data: Path, weights: Path | None, earlier: Path | None, share: float
) -> None:
    """Export the averaged weights of STATE to MODEL, with a card that holds its hash.

    The mean with the weights that a round began with reads better than either (Wortsman et al.
    2022, Model soups).
    """
    parts = [_weights_of(state)]
    if earlier is not None:
        parts.append(_weights_of(earlier))
    net = net_of(mean_weights(parts, share))
    write_model(net, model, _usual_lines(data))
    if weights:
        torch.save(halved(net.state_dict()), weights)
    click.echo(f"{model}: {model.stat().st_size} bytes")


if __name__ == "__main__":
    main()
