"""The line reader's net, for training with PyTorch and for export to ONNX."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import torch
from torch import Tensor, nn

from amberquarry.reading.characters import ALPHABET
from amberquarry.reading.ground import LINE_HEIGHT

CLASSES = len(ALPHABET) + 1
STYLES = ("bold", "slanted", "raised", "lowered", "written")


@dataclass(frozen=True, slots=True)
class Shape:
    """Channels of the stem and of the context, and how far each step of the context reaches."""

    stem: tuple[int, int, int]
    wide: int
    narrow: int
    dilations: tuple[int, ...]


# The large one begins as the usual one, so it can start from the usual one's weights.
SHAPES = {
    "usual": Shape((16, 32, 64), 256, 96, (1, 2, 4, 8, 1)),
    "large": Shape((24, 48, 96), 256, 128, (1, 2, 4, 8, 1, 2, 4, 8, 1)),
}


def _step(
    inside: int,
    outside: int,
    size: tuple[int, int],
    stride: tuple[int, int],
    padding: tuple[int, int],
) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(inside, outside, size, stride, padding, bias=False),
        nn.BatchNorm2d(outside),
        nn.ReLU(),
    )


class _Residual2d(nn.Module):
    def __init__(self, channels: int) -> None:
        super().__init__()
        self.body = nn.Sequential(
            nn.Conv2d(channels, channels, 3, padding=1, bias=False),
            nn.BatchNorm2d(channels),
            nn.ReLU(),
            nn.Conv2d(channels, channels, 3, padding=1, bias=False),
            nn.BatchNorm2d(channels),
        )

    def forward(self, x: Tensor) -> Tensor:
        return torch.relu(x + self.body(x))


class _Bottleneck1d(nn.Module):
    def __init__(self, channels: int, narrow: int, dilation: int) -> None:
        super().__init__()
        self.body = nn.Sequential(
            nn.Conv1d(channels, narrow, 1, bias=False),
            nn.BatchNorm1d(narrow),
            nn.ReLU(),
            nn.Conv1d(narrow, narrow, 5, padding=2 * dilation, dilation=dilation, bias=False),
            nn.BatchNorm1d(narrow),
            nn.ReLU(),
            nn.Conv1d(narrow, channels, 1, bias=False),
            nn.BatchNorm1d(channels),
        )

    def forward(self, x: Tensor) -> Tensor:
        return torch.relu(x + self.body(x))


class LineNet(nn.Module):
    """Ink (N, 1, 40, W) to class scores (N, W / 4, classes), a step for every four columns.

    Two-dimensional convolutions bring the height down to one row, then dilated one-dimensional
    bottlenecks let each step see about eight characters to each side. Trained with CTC
    (Graves et al., 2006).
    """

    def __init__(self, shape: Shape = SHAPES["usual"], classes: int = CLASSES) -> None:
        super().__init__()
        first, second, third = shape.stem
        rows = LINE_HEIGHT // 8
        self.stem = nn.Sequential(
            _step(1, first, (5, 5), (2, 2), (2, 2)),
            _step(first, second, (3, 3), (2, 2), (1, 1)),
            _Residual2d(second),
            _step(second, third, (3, 3), (2, 1), (1, 1)),
            _Residual2d(third),
            _step(third, shape.wide, (rows, 1), (1, 1), (0, 0)),
        )
        self.context = nn.Sequential(
            *[_Bottleneck1d(shape.wide, shape.narrow, d) for d in shape.dilations]
        )
        self.classify = nn.Conv1d(shape.wide, classes, 1)
        self.style = nn.Conv1d(shape.wide, len(STYLES), 1)

    def forward(self, ink: Tensor) -> tuple[Tensor, Tensor]:
        """Return scores of the classes (N, W / 4, classes) and of the styles (N, W / 4, styles)."""
        features = self.features(ink)
        return self.classify(features).transpose(1, 2), self.style(features).transpose(1, 2)

    def features(self, ink: Tensor) -> Tensor:
        """Return what both outputs are told from: (N, wide, W / 4)."""
        found: Tensor = self.context(self.stem(ink).squeeze(2))
        return found

    def take(self, state: dict[str, Tensor]) -> None:
        """Take finished weights, also those of a smaller net.

        A net that knew fewer classes: a new class starts as very unlikely (classes are only ever
        added at the end). A net with fewer channels or steps: what is new starts without any
        effect on what was there (Chen et al., 2016), so that the net reads as the smaller one did.
        """
        own = self.state_dict()
        for name, value in own.items():
            known = state.get(name)
            if known is None:
                # a step of the context that the smaller net did not have adds nothing yet
                if name.endswith("body.7.weight"):
                    value.zero_()
                continue
            if name.startswith("classify."):
                value.fill_(-8.0 if name.endswith("bias") else 0.0)
            corner = tuple(slice(0, size) for size in known.shape)
            if value.dim() > 1:
                value[: len(known)] = 0.0
            value[corner] = known
        self.load_state_dict(own)


def halved(state: dict[str, Tensor]) -> dict[str, Tensor]:
    """Return weights in half precision, to keep and to start a later round from."""
    return {
        name: value.half() if value.is_floating_point() else value for name, value in state.items()
    }


def for_signs(state: dict[str, Tensor], before: str, after: str, net: LineNet) -> dict[str, Tensor]:
    """Return finished weights for another list of signs: known ones keep theirs.

    before, after: the signs of the two alphabets. net: the one that takes the weights; signs that
    are new begin as they stand there.
    """
    moved = dict(state)
    class_of = {sign: number for number, sign in enumerate(before, start=1)}
    pairs = [(0, 0), *((n, class_of[s]) for n, s in enumerate(after, start=1) if s in class_of)]
    new, old = (torch.tensor(rows) for rows in zip(*pairs, strict=True))
    for name, value in net.state_dict().items():
        if name.startswith("classify."):
            moved[name] = value.clone()
            moved[name][new] = state[name][old].to(value.dtype)
    return moved


def net_of(state: dict[str, Tensor]) -> LineNet:
    """Return a net of the shape that finished weights have, with them."""
    steps = {name.split(".")[1] for name in state if name.startswith("context.")}
    shape = next(s for s in SHAPES.values() if len(s.dilations) == len(steps))
    net = LineNet(shape)
    net.take(state)
    return net


def export_onnx(net: LineNet, path: Path) -> None:
    """Write the net with probabilities as its output, for pictures of any width.

    Both outputs are one product of matrices there: its weights may be integers at no loss.
    """

    class _WithProbabilities(nn.Module):
        def __init__(self) -> None:
            super().__init__()
            self.net = net
            last = net.classify, net.style
            self.weight = nn.Parameter(torch.cat([one.weight for one in last]).squeeze(2).T)
            self.bias = nn.Parameter(torch.cat([one.bias for one in last if one.bias is not None]))

        def forward(self, ink: Tensor) -> tuple[Tensor, Tensor]:
            """Return probabilities instead of scores."""
            scores = self.net.features(ink).transpose(1, 2) @ self.weight + self.bias
            classes, styles = scores[:, :, :CLASSES], scores[:, :, CLASSES:]
            return torch.softmax(classes, dim=2), torch.sigmoid(styles)

    module = _WithProbabilities().eval()
    torch.onnx.export(
        module,
        (torch.zeros(1, 1, LINE_HEIGHT, 256),),
        str(path),
        input_names=["ink"],
        output_names=["probabilities", "styles"],
        opset_version=17,
        dynamo=False,
        dynamic_axes={
            "ink": {0: "lines", 3: "columns"},
            "probabilities": {0: "lines", 1: "steps"},
            "styles": {0: "lines", 1: "steps"},
        },
    )
