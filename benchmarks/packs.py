"""Figures of readers for further scripts.

    python benchmarks/packs.py measure --data DATA hebrew     how a page's measure of lines errs
    python benchmarks/packs.py score --data DATA --work WORK hebrew

`measure` sets pages in each face of print and finds their lines: what the plans hold as `measured`,
`off_size` and `off_base`. `score` reads lines in families that training does not see, by the best
path alone, with the averaged weights of `WORK/NAME/round.pt`.
"""

from __future__ import annotations

import random
from collections import Counter
from pathlib import Path

import click
import numpy as np
import torch
from rapidfuzz.distance import Levenshtein

from amberquarry.imaging.prepare import prepare
from amberquarry.ink.finding import find_text, ink_of
from amberquarry.settings import Settings
from amberquarry.training.net import SHAPES, LineNet
from amberquarry.training.packs.alphabets import load_signs
from amberquarry.training.packs.faces import load_faces
from amberquarry.training.packs.lines import drawer_of, load_texts
from amberquarry.training.packs.plans import PLANS, SCRIPT_OF, SCRIPTS
from amberquarry.training.packs.shaping import LineDrawer, Manner
from amberquarry.training.train import BUCKETS, Course, greedy_text, pack
from amberquarry.training.wear import ABOVE

PLAIN = (0, 0, 0, 0, 0)
SIZE = 18.0  # x-height of the lines that are measured, in pixels
LISTS = Path("training/packs")


def page_of(
    drawer: LineDrawer, paragraphs: list[str], chance: random.Random, direction: object
) -> tuple[np.ndarray, list[float]]:
    """Return a page of lines in a face, and the rows of their base lines."""
    page, bases, y = np.full((1600, 1240), 255, np.uint8), [], 80.0
    for _ in range(400):
        if y > 1500:
            break
        text = "".join(c for c in chance.choice(paragraphs)[:50] if drawer.holds(c)).strip()
        drawn = drawer.draw(text, direction, PLAIN, Manner(), chance) if len(text) > 12 else None
        if drawn is None:
            continue
        ink, top = drawn.ink[:, :1080], int(y - ABOVE * drawer.x_height)
        part = page[top : top + len(ink), 80 : 80 + ink.shape[1]]
        np.minimum(part, (255 * (1 - ink[: len(part)])).astype(np.uint8), out=part)
        bases.append(y)
        y += 3.6 * drawer.x_height
    return page, bases


@click.group()
def main() -> None:
    """Measure readers for further scripts."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.argument("names", nargs=-1, required=True)
def measure(data: Path, names: tuple[str, ...]) -> None:
    """Print how sizes and base lines of found lines stand to those that were set."""
    settings = Settings()
    click.echo(
        f"{'language':10} lines   size: 5, 25, 50, 75, 95 %       base line off, in x-heights"
    )
    for language in (own for name in names for own in PLANS[name].languages):
        script, chance = SCRIPT_OF[language], random.Random(4)
        paragraphs = load_texts(data, language).paragraphs
        families = {
            face.family: face
            for face in load_faces(data / "packs" / "faces.json", {script}, "train")
            if face.style == "print"
        }
        sizes, offs = [], []
        for _, face in sorted(families.items()):
            drawer = drawer_of(data, face, SIZE)
            page, bases = page_of(drawer, paragraphs, chance, SCRIPTS[script].direction)
            prepared = prepare(page, settings.preparation)
            scale = prepared.grey.shape[0] / page.shape[0]
            found = find_text(ink_of(prepared), prepared.letter_height, settings.layout)
            for line in found.lines:
                base = line.baseline_at(line.box.middle[0]) / scale
                nearest = min(bases, key=lambda y: abs(y - base), default=np.inf)
                if len(line.pieces) > 5 and abs(nearest - base) < 1.2 * drawer.x_height:
                    sizes.append(line.x_height / scale / drawer.x_height)
                    offs.append((base - nearest) / drawer.x_height)
        shares = [5, 25, 50, 75, 95]
        rows = [
            " ".join(f"{v:6.2f}" for v in np.percentile(some, shares)) for some in (sizes, offs)
        ]
        click.echo(f"{language:10} {len(sizes):5}  {rows[0]}  {rows[1]}")


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--work", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--lines", default=300, show_default=True)
@click.argument("names", nargs=-1, required=True)
def score(data: Path, work: Path, lines: int, names: tuple[str, ...]) -> None:
    """Print characters wrong by language and wear, and what is taken for what."""
    torch.set_num_threads(1)
    click.echo(f"{'language':10} {'wear':>5} {'CER %':>8} {'half of lines':>14}")
    for name in names:
        signs = load_signs(LISTS, name)
        net = LineNet(SHAPES["usual"], len(signs) + 1)
        state = torch.load(work / name / "round.pt", map_location="cpu", weights_only=True)
        net.load_state_dict(state["average"])
        net.eval()
        taken: Counter[tuple[str, str]] = Counter()
        for wear in (0.0, 0.5, 1.0):
            source = Course(data, LISTS, name).lines("test", 4711)
            samples = []
            while len(samples) < lines:
                samples += [s for s in source.lines(wear) if s.ink.shape[1] <= BUCKETS[-1]]
            wrong: Counter[str] = Counter()
            total: Counter[str] = Counter()
            rates: dict[str, list[float]] = {}
            for sample in samples[:lines]:
                width = next(bucket for bucket in BUCKETS if bucket >= sample.ink.shape[1])
                ink = torch.from_numpy(pack([sample], width).ink).float().div_(255).unsqueeze(1)
                with torch.no_grad():
                    best = net(ink)[0].argmax(2)[0].numpy()
                read, text = greedy_text(best, signs).strip(), sample.text
                own = [
                    language
                    for language in PLANS[name].languages
                    if any(map(SCRIPTS[SCRIPT_OF[language]].has, text))
                ]
                language = own[0] if own else "others"
                errors = Levenshtein.distance(read, text)
                wrong[language] += errors
                total[language] += len(text)
                rates.setdefault(language, []).append(errors / len(text))
                if wear < 1:
                    for edit in Levenshtein.editops(text, read):
                        before = "" if edit.tag == "insert" else text[edit.src_pos]
                        after = "" if edit.tag == "delete" else read[edit.dest_pos]
                        taken[before, after] += 1
            for language, count in sorted(total.items()):
                half = float(np.median(rates[language]))
                rate = 100 * wrong[language] / count
                click.echo(f"{language:10} {wear:5.1f} {rate:8.2f} {100 * half:14.2f}")
        click.echo(
            "  " + ", ".join(f"{a or '–'}→{b or '–'} {n}" for (a, b), n in taken.most_common(16))
        )


if __name__ == "__main__":
    main()
