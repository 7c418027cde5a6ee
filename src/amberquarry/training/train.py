"""Train the line reader.

`python -m amberquarry.training.train --data DATA --work WORK --crops N` runs one round: a cosine
schedule over N line pictures. State is saved to WORK every few minutes; the same command goes on
where a stopped one was. `--start FILE` begins a round from finished weights. `--pack NAME` trains a
reader for further scripts (`packs.plans`).
"""

from __future__ import annotations

import json
import logging
import math
import multiprocessing
import queue
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import click
import numpy as np
import torch
from numpy.typing import NDArray
from rapidfuzz.distance import Levenshtein
from torch import nn

from amberquarry.reading.characters import ALPHABET
from amberquarry.reading.ground import LINE_HEIGHT, TIME_STRIDE
from amberquarry.training.faces import load_faces
from amberquarry.training.foreign import load_foreign
from amberquarry.training.lines import LineSource
from amberquarry.training.net import SHAPES, STYLES, LineNet, Shape, for_signs
from amberquarry.training.texts import Corpus
from amberquarry.training.wear import Sample

log = logging.getLogger(__name__)

# Fixed widths: each new shape makes the convolution library build its kernels again.
BUCKETS = (48, 96, 160, 224, 320, 416, 512, 640, 768, 928, 1120)
COLUMNS_PER_BATCH = 15_000
SAVE_EVERY_S = 240
MEASURE_EVERY_CROPS = 25_000
EMA_DECAY = 0.9985
STYLE_WEIGHT = 0.4  # against the loss of one character


@dataclass(frozen=True, slots=True)
class Batch:
    """Line pictures of one width, with their labels laid end to end."""

    ink: NDArray[np.uint8]  # (N, LINE_HEIGHT, W), 255 is full ink
    classes: NDArray[np.int64]
    lengths: NDArray[np.int64]
    frames: NDArray[np.int64]  # (N, W / 4): class at each character's centre, else 0
    styles: NDArray[np.int8]  # (N, W / 4, styles): at each character's centre, -1 elsewhere
    texts: list[str]


def pack(samples: list[Sample], width: int) -> Batch:
    """Return samples no wider than `width` as one batch."""
    ink = np.zeros((len(samples), LINE_HEIGHT, width), np.uint8)
    frames = np.zeros((len(samples), width // TIME_STRIDE), np.int64)
    styles = np.full((*frames.shape, len(STYLES)), -1, np.int8)
    for row, sample in enumerate(samples):
        ink[row, :, : sample.ink.shape[1]] = np.round(sample.ink * 255)
        steps = np.minimum((sample.centres / TIME_STRIDE).astype(int), frames.shape[1] - 1)
        frames[row, steps] = sample.classes
        styles[row, steps] = sample.styles
    return Batch(
        ink,
        np.concatenate([s.classes for s in samples]),
        np.array([len(s.classes) for s in samples]),
        frames,
        styles,
        [s.text for s in samples],
    )


class Lines(Protocol):
    """An endless stream of training lines."""

    def lines(self, strength: float) -> Iterator[Sample]:
        """Yield some lines, worn by `strength` from 0 to 1."""
        ...


@dataclass(frozen=True, slots=True)
class Course:
    """What is learnt: the signs of a reader, and lines of them.

    pack: name of a reader for further scripts, empty for the usual one. lists: the folder with the
    packages and alphabets of those.
    """

    data: Path
    lists: Path
    pack: str = ""

    @property
    def signs(self) -> str:
        """The signs in the order of the net's classes."""
        if not self.pack:
            return ALPHABET
        from amberquarry.training.packs.alphabets import load_signs

        return load_signs(self.lists, self.pack)

    def lines(self, split: str, seed: int) -> Lines:
        """Return the lines drawn in the fonts of a split."""
        if not self.pack:
            return line_source(self.data, split, seed)
        from amberquarry.training.packs.lines import PackLines
        from amberquarry.training.packs.plans import PLANS

        return PackLines(self.data, PLANS[self.pack], self.signs, split, seed)


def batches(source: Lines, strength: Any) -> Any:
    """Yield batches without end; `strength.value` is read anew for every face."""
    waiting: dict[int, list[Sample]] = {width: [] for width in BUCKETS}
    while True:
        for sample in source.lines(strength.value):
            width = next((w for w in BUCKETS if w >= sample.ink.shape[1]), None)
            steps = sample.ink.shape[1] // TIME_STRIDE
            repeats = int((np.diff(sample.classes) == 0).sum())
            if width is None or steps < len(sample.classes) + repeats:
                continue
            waiting[width].append(sample)
            if len(waiting[width]) >= max(4, COLUMNS_PER_BATCH // width):
                yield pack(waiting[width], width)
                waiting[width] = []


def _produce(course: Course, seed: int, strength: Any, out: Any) -> None:
    for batch in batches(course.lines("train", seed), strength):
        out.put(batch)


def line_source(data: Path, split: str, seed: int) -> LineSource:
    """Return the lines drawn in the fonts of a split."""
    return LineSource(
        data,
        Corpus.load(data / "corpus"),
        load_faces(data / "faces.json", split),
        load_foreign(data / "foreign.json", split),
        seed,
    )


def greedy_text(best: NDArray[np.int64], signs: str = ALPHABET) -> str:
    """Return the text of the best class at every step: repeats joined, blanks dropped."""
    changed = np.concatenate(([True], best[1:] != best[:-1]))
    return "".join(signs[c - 1] for c in best[changed] if c)


def held_out_lines(course: Course, count: int = 480) -> dict[str, list[Sample]]:
    """Return fixed lines in fonts that training never sees, clean and worn."""
    found: dict[str, list[Sample]] = {}
    for name, strength in (("clean", 0.0), ("worn", 1.0)):
        source = course.lines("test", 987_654)
        lines: list[Sample] = []
        while len(lines) < count:
            lines.extend(s for s in source.lines(strength) if s.ink.shape[1] <= BUCKETS[-1])
        found[name] = lines[:count]
    return found


@torch.no_grad()
def measure(
    net: LineNet, lines: dict[str, list[Sample]], signs: str = ALPHABET
) -> dict[str, float]:
    """Return the rate of character errors of greedy reading for each set of lines.

    Also the share of characters whose weight and slant are told right.
    """
    net.eval()
    rates = {}
    for name, samples in lines.items():
        errors = characters = styled = right = 0
        for width in BUCKETS:
            low = max((w for w in BUCKETS if w < width), default=0)
            group = [s for s in samples if low < s.ink.shape[1] <= width]
            for start in range(0, len(group), 16):
                batch = pack(group[start : start + 16], width)
                ink = torch.from_numpy(batch.ink).float().div_(255).unsqueeze(1)
                scores, styles = net(ink)
                best = scores.argmax(2).numpy()
                known = batch.styles >= 0
                styled += int(known.sum())
                right += int(((styles.numpy() > 0) == batch.styles)[known].sum())
                for row, text in enumerate(batch.texts):
                    errors += Levenshtein.distance(greedy_text(best[row], signs).strip(), text)
                    characters += len(text)
        rates[name] = errors / characters
        rates[f"{name} styles"] = right / max(1, styled)
    net.train()
    return rates


class Round:
    """One schedule of training: net, averaged net, optimiser, and how far it has come."""

    def __init__(
        self,
        crops: int,
        rate: float,
        frame_crops: int,
        shape: Shape,
        half: bool = False,
        signs: str = ALPHABET,
    ) -> None:
        self.crops, self.rate, self.frame_crops, self.half = crops, rate, frame_crops, half
        self.signs = signs
        self.seen = 0
        self.net = LineNet(shape, len(signs) + 1)
        self.average = LineNet(shape, len(signs) + 1)
        self.average.load_state_dict(self.net.state_dict())
        self.optimiser = torch.optim.AdamW(self.net.parameters(), lr=rate, weight_decay=0.01)
        self.ctc = nn.CTCLoss(blank=0, reduction="sum", zero_infinity=True)
        weights = torch.ones(len(signs) + 1)
        weights[0] = 0.4  # most steps are blank
        self.by_frame = nn.CrossEntropyLoss(weight=weights)

    def start_from(self, path: Path) -> None:
        """Take finished weights, of a model file or of an earlier round.

        The usual reader's serve for others too: what signs have in common is known already.
        """
        state = torch.load(path, map_location="cpu", weights_only=True)
        weights = state.get("average", state)
        if self.signs != ALPHABET and len(weights["classify.bias"]) == len(ALPHABET) + 1:
            weights = for_signs(weights, ALPHABET, self.signs, self.net)
        self.net.take(weights)
        self.average.take(weights)

    def save(self, path: Path) -> None:
        """Write the whole state, whole or not at all."""
        part = path.with_suffix(".part")
        torch.save(
            {
                "net": self.net.state_dict(),
                "average": self.average.state_dict(),
                "optimiser": self.optimiser.state_dict(),
                "seen": self.seen,
            },
            part,
        )
        part.replace(path)

    def resume(self, path: Path) -> None:
        """Go on from what `save` wrote."""
        state = torch.load(path, map_location="cpu", weights_only=True)
        self.net.load_state_dict(state["net"])
        self.average.load_state_dict(state["average"])
        self.optimiser.load_state_dict(state["optimiser"])
        self.seen = state["seen"]

    def rate_now(self) -> float:
        """Return the learning rate: a short warm-up, then a cosine down to a fiftieth."""
        warm = min(1.0, (self.seen + 200) / 8000)
        progress = min(1.0, self.seen / self.crops)
        return self.rate * warm * (0.02 + 0.98 * 0.5 * (1 + math.cos(math.pi * progress)))

    def step(self, batch: Batch) -> float:
        """Learn from one batch; returns the loss for each character."""
        for group in self.optimiser.param_groups:
            group["lr"] = self.rate_now()
        ink = torch.from_numpy(batch.ink).float().div_(255).unsqueeze(1)
        with torch.autocast("cpu", torch.bfloat16, enabled=self.half):
            scores, styles = self.net(ink)
        scores, styles = scores.float(), styles.float()
        if self.seen < self.frame_crops:  # places are known: quicker than CTC from nothing
            loss = self.by_frame(scores.flatten(0, 1), torch.from_numpy(batch.frames).flatten())
            shown = loss.item()
        else:
            steps = torch.full((len(batch.lengths),), scores.shape[1])
            total = self.ctc(
                scores.log_softmax(2).transpose(0, 1),
                torch.from_numpy(batch.classes),
                steps,
                torch.from_numpy(batch.lengths),
            )
            loss = total / float(batch.lengths.sum())
            shown = loss.item()
        target = torch.from_numpy(batch.styles)
        known = target >= 0
        if known.any():
            loss = loss + STYLE_WEIGHT * nn.functional.binary_cross_entropy_with_logits(
                styles[known], target[known].float()
            )
        self.optimiser.zero_grad(set_to_none=True)
        if math.isfinite(shown):
            loss.backward()
            nn.utils.clip_grad_norm_(self.net.parameters(), 2.0)
            self.optimiser.step()
        self.seen += len(batch.lengths)
        decay = min(EMA_DECAY, self.seen / (self.seen + 3000))
        with torch.no_grad():
            for kept, new in zip(
                self.average.state_dict().values(), self.net.state_dict().values(), strict=True
            ):
                if kept.is_floating_point():
                    kept.lerp_(new, 1 - decay)
                else:
                    kept.copy_(new)
        return shown


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--work", type=click.Path(path_type=Path), required=True)
@click.option("--crops", default=400_000, show_default=True)
@click.option("--rate", default=2.5e-3, show_default=True)
@click.option(
    "--frame-crops",
    default=25_000,
    show_default=True,
    help="Crops at the start that are learnt by known places; 0 with --start.",
)
@click.option(
    "--ramp",
    default=0.3,
    show_default=True,
    help="Share of the round over which wear grows to its full strength.",
)
@click.option(
    "--size",
    type=click.Choice(list(SHAPES)),
    default="usual",
    show_default=True,
    help="The large net is for lines that the usual one is unsure of.",
)
@click.option(
    "--half",
    is_flag=True,
    help="Multiply in half precision: twice as quick where the processor has matrix units for it.",
)
@click.option("--pack", default="", help="A reader for further scripts; by default the usual one.")
@click.option("--lists", type=click.Path(path_type=Path), default=Path("training/packs"))
@click.option("--start", type=click.Path(path_type=Path, exists=True))
@click.option("--seed", default=1, show_default=True)
@click.option("--workers", default=1, show_default=True)
@click.option("--threads", default=1, show_default=True)
def main(
    data: Path,
    work: Path,
    crops: int,
    rate: float,
    frame_crops: int,
    ramp: float,
    size: str,
    half: bool,
    pack: str,
    lists: Path,
    start: Path | None,
    seed: int,
    workers: int,
    threads: int,
) -> None:
    """Run one round of training, or go on with it."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(threads)
    torch.set_flush_denormal(True)
    torch.manual_seed(seed)
    work.mkdir(parents=True, exist_ok=True)
    state = work / "round.pt"
    course = Course(data, lists, pack)
    known = start is not None and not pack  # places are learnt again with new signs
    current = Round(crops, rate, 0 if known else frame_crops, SHAPES[size], half, course.signs)
    if state.exists():
        current.resume(state)
        log.info("go on at %d crops", current.seen)
    elif start:
        current.start_from(start)
    context = multiprocessing.get_context("spawn")
    strength = context.Value("d", 0.35)
    supply = context.Queue(maxsize=6)
    for number in range(workers):
        # a resumed round draws new lines, not the first ones again
        context.Process(
            target=_produce,
            daemon=True,
            args=(course, seed * 1000 + number + current.seen, strength, supply),
        ).start()
    lines = held_out_lines(course)
    saved = shown = time.monotonic()
    losses: list[float] = []
    measured = current.seen // MEASURE_EVERY_CROPS
    first = current.seen
    began = time.monotonic()
    while current.seen < crops:
        if ramp > 0:
            strength.value = min(1.0, 0.35 + 0.65 * current.seen / (ramp * crops))
        else:
            strength.value = 1.0
        try:
            batch = supply.get(timeout=120)
        except queue.Empty:
            log.warning("no lines for two minutes")
            continue
        losses.append(current.step(batch))
        now = time.monotonic()
        if now - shown > 30:
            log.info(
                "%d crops, loss %.3f, %.0f crops/s",
                current.seen,
                sum(losses) / len(losses),
                (current.seen - first) / (now - began),
            )
            losses, shown = [], now
        if now - saved > SAVE_EVERY_S:
            current.save(state)
            saved = now
        if current.seen // MEASURE_EVERY_CROPS > measured:
            measured = current.seen // MEASURE_EVERY_CROPS
            rates = measure(current.average, lines, course.signs)
            log.info("measured %s", json.dumps({"crops": current.seen, **rates}))
    current.save(state)
    log.info(
        "done %s",
        json.dumps({"crops": current.seen, **measure(current.average, lines, course.signs)}),
    )


if __name__ == "__main__":
    main()
