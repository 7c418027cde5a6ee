"""Teach the reader a user's own lines, without unlearning the others.

Half of what it learns from are lines of the base mixture that come with the package; what the base
reader says of them at each step is to be kept (distillation, Li and Hoiem 2016, "Learning without
forgetting"), and in the end the weights are drawn back towards the base reader's. A share of the
user's lines is held back to measure by.
"""

from __future__ import annotations

import hashlib
import itertools
import logging
import math
import random
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

import cv2
import numpy as np
import torch
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein
from torch import Tensor, nn

from amberquarry.errors import LearningError
from amberquarry.reading.characters import CLASS_OF
from amberquarry.reading.ground import LINE_HEIGHT, TIME_STRIDE
from amberquarry.training.export import write_model
from amberquarry.training.labelled import LabelledLine
from amberquarry.training.net import LineNet
from amberquarry.training.replay import load_replay
from amberquarry.training.train import BUCKETS, greedy_text

log = logging.getLogger(__name__)

WEIGHTS = Path(__file__).parent.parent / "models" / "lines.pt"
LEAST_LINES = 20
HELD_BACK = 0.15
_BATCH = 12  # lines, half of them from the base mixture
_RATE = 4e-4
_LINES_AT_ONCE = 15
_SHARES = (0.8, 0.65, 0.5, 0.4)  # of what was learnt that may be kept
_MOST_LOSS = 1.01  # of the base reader's loss on its own lines
_WIDEST = 2400  # columns of a line that is learnt from
_STYLE_WEIGHT = 0.05
_DRIFT_WEIGHT = 1.0  # of how far the reading of base lines moves from the base reader's
_SAVE_EVERY_S = 60


@dataclass(frozen=True, slots=True)
class Report:
    """What learning gave: shares of wrong characters before and after, on lines held back."""

    lines: int
    held_back: int
    passes: int
    own_before: float
    own_after: float
    base_before: float
    base_after: float


def held_back(line: LabelledLine) -> bool:
    """Return whether a line is kept for measuring: settled by its content alone."""
    digest = hashlib.sha256(line.text.encode() + np.round(line.ink * 255).tobytes()).digest()
    return digest[0] < 256 * HELD_BACK


def varied(ink: NDArray[np.float32], chance: random.Random) -> NDArray[np.float32]:
    """Return a line a little wider or narrower, moved, blurred or paler, as the next may be."""
    stretch = chance.uniform(0.92, 1.08)
    width = max(8, round(ink.shape[1] * stretch))
    shift = chance.gauss(0, 0.6)
    matrix = np.array([[width / ink.shape[1], 0, 0], [0, chance.uniform(0.97, 1.03), shift]])
    ink = np.asarray(cv2.warpAffine(ink, matrix, (width, LINE_HEIGHT)), np.float32)
    draw = chance.random()
    if draw < 0.25:
        ink = np.asarray(cv2.GaussianBlur(ink, (0, 0), chance.uniform(0.4, 1.0)), np.float32)
    elif draw < 0.4:
        ink = ink ** np.float32(chance.uniform(0.7, 1.4))
    return np.clip(ink, 0, 1)


def fits(line: LabelledLine) -> bool:
    """Return whether a line has a step for every character, and is not too long to learn from."""
    classes = [CLASS_OF[c] for c in line.text]
    repeats = sum(a == b for a, b in itertools.pairwise(classes))
    return len(classes) + repeats <= line.ink.shape[1] // TIME_STRIDE and (
        line.ink.shape[1] <= _WIDEST
    )


def _stack(inks: list[NDArray[np.float32]]) -> Tensor:
    widest = max(ink.shape[1] for ink in inks)
    width = next((w for w in BUCKETS if w >= widest), widest)
    stacked = np.zeros((len(inks), 1, LINE_HEIGHT, width), np.float32)
    for row, ink in enumerate(inks):
        stacked[row, 0, :, : ink.shape[1]] = ink
    return torch.from_numpy(stacked)


@torch.no_grad()
def error_rate(net: LineNet, lines: list[LabelledLine]) -> float:
    """Return the share of wrong characters by the best path."""
    net.eval()
    wrong = length = 0
    for some in _by_width(lines):
        best = net(_stack([line.ink for line in some]))[0].argmax(2).numpy()
        for line, path in zip(some, best, strict=True):
            wrong += Levenshtein.distance(greedy_text(path).strip(), line.text)
            length += len(line.text)
    return wrong / max(1, length)


def _by_width(lines: list[LabelledLine]) -> list[list[LabelledLine]]:
    """Return lines in groups of similar width, which are read at once."""
    ordered = sorted(lines, key=lambda line: line.ink.shape[1])
    return [ordered[n : n + _LINES_AT_ONCE] for n in range(0, len(ordered), _LINES_AT_ONCE)]


class _Learning:
    """Net and optimiser, how far they have come, and the lines that they learn from."""

    def __init__(self, own: list[LabelledLine], base: list[LabelledLine], crops: int) -> None:
        self.net, self.teacher = LineNet(), LineNet()
        for net in (self.net, self.teacher):
            net.take(torch.load(WEIGHTS, map_location="cpu", weights_only=True))
            net.eval()  # means and spreads of the base mixture are kept throughout
        self.optimiser = torch.optim.AdamW(self.net.parameters(), lr=_RATE, weight_decay=0.0)
        self.own, self.base, self.crops, self.seen = own, base, crops, 0
        self.ctc = nn.CTCLoss(blank=0, reduction="sum", zero_infinity=True)

    def step(self) -> float:
        """Learn from one batch; returns the loss for each character."""
        chance = random.Random(self.seen)
        for group in self.optimiser.param_groups:
            group["lr"] = _RATE * (
                0.05 + 0.95 * 0.5 * (1 + math.cos(math.pi * self.seen / self.crops))
            )
        half = _BATCH // 2
        mine = chance.choices(self.own, k=half)
        old = chance.choices(self.base, k=half)
        # base lines are varied too: else a thousand of them are kept and the others forgotten
        ink = _stack([varied(line.ink, chance) for line in mine + old])
        scores, styles = self.net(ink)
        texts = [line.text for line in mine + old]
        total = self.ctc(
            scores.log_softmax(2).transpose(0, 1),
            torch.tensor([CLASS_OF[c] for text in texts for c in text]),
            torch.full((len(texts),), scores.shape[1]),
            torch.tensor([len(text) for text in texts]),
        )
        loss = total / sum(len(text) for text in texts)
        with torch.no_grad():
            taught, wanted = self.teacher(ink[half:])
        loss = loss + _STYLE_WEIGHT * nn.functional.mse_loss(styles[half:], wanted)
        drift = nn.functional.kl_div(
            scores[half:].log_softmax(2).flatten(0, 1),
            taught.log_softmax(2).flatten(0, 1),
            reduction="sum",
            log_target=True,
        )
        loss = loss + _DRIFT_WEIGHT * drift / sum(len(text) for text in texts[half:])
        self.optimiser.zero_grad(set_to_none=True)
        if torch.isfinite(loss):
            loss.backward()
            nn.utils.clip_grad_norm_(self.net.parameters(), 1.0)
            self.optimiser.step()
        self.seen += _BATCH
        return float(loss.detach())

    def drawn_back(self, kept: list[LabelledLine]) -> LineNet:
        """Return the learnt net, drawn back towards the base reader until that one's lines hold.

        kept: base lines that were not learnt from. Weights are mixed (Wortsman et al. 2022, "Robust
        fine-tuning of zero-shot models"): most of what was learnt outlasts the way back.
        """
        allowed = _MOST_LOSS * self.loss_of(self.teacher, kept)
        mixed = LineNet()
        for share in _SHARES:
            mixed.load_state_dict(
                {
                    name: torch.lerp(old, new, share) if old.is_floating_point() else new
                    for (name, old), new in zip(
                        self.teacher.state_dict().items(),
                        self.net.state_dict().values(),
                        strict=True,
                    )
                }
            )
            if self.loss_of(mixed, kept) <= allowed:
                break
        log.info("%.0f %% of what was learnt is kept", 100 * share)
        return mixed

    @torch.no_grad()
    def loss_of(self, net: LineNet, lines: list[LabelledLine]) -> float:
        """Return the loss for each character of some lines."""
        net.eval()
        total = length = 0.0
        for some in _by_width(lines):
            scores = net(_stack([line.ink for line in some]))[0].log_softmax(2).transpose(0, 1)
            classes = torch.tensor([CLASS_OF[c] for line in some for c in line.text])
            steps = torch.full((len(some),), len(scores))
            sizes = torch.tensor([len(line.text) for line in some])
            total += float(self.ctc(scores, classes, steps, sizes))
            length += len(classes)
        return total / max(1.0, length)

    def save(self, path: Path, lines: str) -> None:
        """Write the state, whole or not at all."""
        part = path.with_name(path.name + ".part")
        state = {
            "net": self.net.state_dict(),
            "optimiser": self.optimiser.state_dict(),
            "seen": self.seen,
            "lines": lines,
        }
        torch.save(state, part)
        part.replace(path)

    def resume(self, path: Path, lines: str) -> bool:
        """Go on from what `save` wrote for the same lines."""
        state = torch.load(path, map_location="cpu", weights_only=True)
        if state["lines"] != lines:
            return False
        self.net.load_state_dict(state["net"])
        self.optimiser.load_state_dict(state["optimiser"])
        self.seen = state["seen"]
        return True


def learn(
    lines: list[LabelledLine],
    out: Path,
    passes: int = 30,
    progress: Callable[[float, float], None] = lambda share, loss: None,
) -> Report:
    """Write a model that has learnt from `lines` to `out`, with a card beside it.

    passes: how often each line is learnt from. progress: called with the share done and the loss.
    A stopped call leaves its state beside `out`; the same call goes on from there.
    Raises LearningError where there are too few lines.
    """
    usable = [line for line in lines if fits(line)]
    own = [line for line in usable if not held_back(line)]
    kept = [line for line in usable if held_back(line)]
    if len(own) < LEAST_LINES or not kept:
        raise LearningError(
            f"{len(usable)} usable lines of {len(lines)}; learning needs {LEAST_LINES} and some to "
            "measure by: label more, at best two hundred and more"
        )
    torch.set_flush_denormal(True)
    torch.manual_seed(1)
    replay = load_replay()
    base_kept, base = replay[::6], [line for n, line in enumerate(replay) if n % 6]
    digest = hashlib.sha256(
        b"".join(line.text.encode() + line.ink.tobytes() for line in own) + bytes([passes % 256])
    ).hexdigest()
    learning = _Learning(own, base, max(_BATCH, 2 * passes * len(own)))
    state = out.with_name(out.name + ".state")
    if state.exists() and learning.resume(state, digest):
        log.info("goes on at %d of %d", learning.seen, learning.crops)
    saved = time.monotonic()
    try:
        while learning.seen < learning.crops:
            loss = learning.step()
            progress(min(1.0, learning.seen / learning.crops), loss)
            if time.monotonic() - saved > _SAVE_EVERY_S:
                learning.save(state, digest)
                saved = time.monotonic()
    except KeyboardInterrupt:
        learning.save(state, digest)
        raise
    taught = learning.drawn_back(base_kept)
    report = Report(
        len(own),
        len(kept),
        passes,
        error_rate(learning.teacher, kept),
        error_rate(taught, kept),
        error_rate(learning.teacher, base_kept),
        error_rate(taught, base_kept),
    )
    usual = [line.ink for line in (own + base)[:: max(1, len(own) // 100)]]
    write_model(taught, out, usual, learnt=asdict(report))
    state.unlink(missing_ok=True)
    return report
