"""Measure bold and italic words, raised and lowered ones, and lines in unknown scripts.

`python benchmarks/styles.py --data DATA` sets pages of English text in families held out of
training that have bold and italic faces, with some words in each, scans them at each level, and
prints precision, recall and F1 of bold and italic words; the same of development pages, whose text
layers name their fonts, with how many of their lines are flagged as unknown by mistake. Then it
sets pages of random words in each unknown script (held-out fonts where there are any, else known
fonts, new words) and prints how many of their lines are flagged.
"""

from __future__ import annotations

import io
import json
import random
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from rapidfuzz.distance import Levenshtein

from amberquarry import Line, Page, Style, Word, read_page
from amberquarry.demo.scanner import LEVELS, scan_page
from amberquarry.formats.records import page_from_record
from amberquarry.training.faces import Face, GlyphDrawer, load_faces
from amberquarry.training.foreign import SCRIPTS, ForeignDrawer, load_foreign, random_word
from amberquarry.training.lines import Run, draw_line
from amberquarry.training.texts import Corpus, running

LINES = 26
HEAD = "words  bold P  bold R  bold F1  italic P  italic R  italic F1"
FAMILY_KINDS = ((False, False), (True, False), (False, True))  # (bold, slanted)


def paste(page: NDArray[np.uint8], ink: NDArray[np.float32], left: int, top: int) -> None:
    """Lay a line's ink on a page, cut at its right edge."""
    height, width = ink.shape[0], min(ink.shape[1], page.shape[1] - left - 60)
    page[top : top + height, left : left + width] -= (ink[:, :width] * 255).astype(np.uint8)


def styled_page(
    data: Path, faces: dict[tuple[bool, bool], Face], corpus: Corpus, chance: random.Random
) -> tuple[NDArray[np.uint8], list[tuple[str, frozenset[Style]]]]:
    """Return a page at 300 dpi and its words with their styles."""
    plain = GlyphDrawer(faces[False, False], data / "fonts", chance.uniform(19, 26))
    drawers = {
        kind: GlyphDrawer(face, data / "fonts", plain.size_px * face.x_height)
        for kind, face in faces.items()
    }
    page = np.full((3300, 2500), 255, np.uint8)
    words: list[tuple[str, frozenset[Style]]] = []
    top = 250
    while top < 250 + LINES * round(2.7 * plain.x_height_px):
        line = running(corpus, chance, chance.randint(30, 60)).split()
        runs, kept = [], []
        for number, word in enumerate(line):
            kind = chance.choices(FAMILY_KINDS, (0.7, 0.15, 0.15))[0]
            drawer = drawers[kind]
            if not word.isascii() or not drawer.holds(word):
                continue
            space = " " if number < len(line) - 1 else ""
            runs.append(Run(word, drawer, *kind))
            if space:
                runs.append(Run(space, plain))
            styles = {Style.BOLD} if kind[0] else {Style.ITALIC} if kind[1] else set()
            kept.append((word, frozenset(styles)))
        drawn = draw_line(plain, runs) if runs else None
        if drawn is None or drawn.ink.shape[1] > 2000:
            continue
        paste(page, drawn.ink, 250, top)
        words += kept
        top += round(2.7 * plain.x_height_px)
    return page, words


def counts(page: Page, wanted: list[tuple[str, frozenset[Style]]]) -> dict[Style, list[int]]:
    """Return right, said and true counts of each style over words that are read alike."""
    found = [(word.text, word.styles) for word in page.words]
    result = {Style.BOLD: [0, 0, 0], Style.ITALIC: [0, 0, 0]}
    steps = Levenshtein.opcodes([text for text, _ in found], [text for text, _ in wanted])
    for step in steps:
        if step.tag != "equal":
            continue
        for offset in range(step.src_end - step.src_start):
            said, true = found[step.src_start + offset][1], wanted[step.dest_start + offset][1]
            if not any(letter.isalpha() for letter in found[step.src_start + offset][0]):
                continue
            for style, row in result.items():
                row[0] += style in said and style in true
                row[1] += style in said
                row[2] += style in true
    return result


def measure_styles(data: Path, pages: int) -> None:
    """Print the table of styles."""
    whole = Corpus.load(data / "corpus")
    corpus = Corpus({"en": whole.paragraphs["en"]}, {"en": whole.words["en"]})
    families: dict[str, dict[tuple[bool, bool], Face]] = {}
    for face in load_faces(data / "faces.json", "test"):
        if face.bold is not None:
            families.setdefault(face.family, {}).setdefault((face.bold, face.slanted), face)
    chosen = [faces for faces in families.values() if all(kind in faces for kind in FAMILY_KINDS)]
    click.echo(f"styles, {len(chosen)} families held out of training")
    click.echo(f"level    {HEAD}")
    for level in LEVELS:
        chance = random.Random(4)
        sums = {Style.BOLD: np.zeros(3), Style.ITALIC: np.zeros(3)}
        words = 0
        for number in range(pages):
            faces = {kind: chosen[number % len(chosen)][kind] for kind in FAMILY_KINDS}
            clean, wanted = styled_page(data, faces, corpus, chance)
            page = read_page(Image.open(io.BytesIO(scan_page(clean, level, number).data)))
            words += len(wanted)
            for style, row in counts(page, wanted).items():
                sums[style] += row
        click.echo(row_of(level, words, sums))


def measure_documents(data: Path, split: str) -> None:
    """Print the table of styles on development pages, whose fonts' names tell weight and slant.

    And how many of their lines, all in known scripts, are flagged as unknown by mistake.
    """
    click.echo(f"{split} pages, words read right\nlevel    {HEAD}")
    for level in LEVELS:
        sums, words = {Style.BOLD: np.zeros(3), Style.ITALIC: np.zeros(3)}, 0
        lines: list[Line] = []
        for path in sorted((data / "devpages" / split / level).glob("*")):
            if path.suffix == ".json":
                continue
            truth = page_from_record(json.loads(path.with_suffix(".json").read_text("utf-8")))
            page = read_page(path)
            lines += [line for block in page.blocks for line in block.lines]
            for found, wanted in words_in_place(page, truth):
                words += 1
                for style, row in sums.items():
                    said, true = style in found.styles, style in wanted.styles
                    row += [said and true, said, true]
        click.echo(row_of(level, words, sums))
        flagged = sum(line.unsupported_script for line in lines)
        click.echo(f"         {flagged} of {len(lines)} lines flagged by mistake")


def words_in_place(page: Page, truth: Page) -> list[tuple[Word, Word]]:
    """Return the words of letters that are read right where they stand, with the true ones."""
    wanted = [word for word in truth.words if any(map(str.isalpha, word.text))]
    if not wanted:
        return []
    boxes = np.array([tuple(word.box) for word in wanted])
    found = []
    for word in page.words:
        x, y = word.box.middle
        around = (boxes[:, :2] <= [x, y]).all(1) & (boxes[:, 2:] >= [x, y]).all(1)
        found += [(word, wanted[n]) for n in np.flatnonzero(around) if wanted[n].text == word.text]
    return found


def row_of(level: str, words: int, sums: dict[Style, NDArray[np.float64]]) -> str:
    """Return a row of a table: sums are of right, said and true words of each style."""
    cells = []
    for right, said, true in sums.values():
        precision, recall = right / max(1, said), right / max(1, true)
        f1 = 2 * precision * recall / max(1e-9, precision + recall)
        cells.append(f"{precision:6.3f}  {recall:6.3f}   {f1:6.3f}")
    return f"{level:8} {words:5}  " + "    ".join(cells)


def measure_scripts(data: Path) -> None:
    """Print how many lines of unknown scripts are flagged."""
    held_out, known = (load_foreign(data / "foreign.json", s) for s in ("test", "train"))
    click.echo("unknown scripts: lines, flagged %, left out as no text %, read as text %")
    sums = np.zeros(3)
    for number, script in enumerate(SCRIPTS):
        chance = random.Random(number)
        faces = held_out.get(script) or known[script]
        page = np.full((2200, 2000), 255, np.uint8)
        for line in range(12):
            face = chance.choice([f for f in faces if len(f.letters) >= 24] or faces)
            drawer = ForeignDrawer(face, data / "fonts", chance.randint(36, 56))
            at = 150
            while at < 1500:
                mask, left, top, advance = drawer.word(random_word(face, chance))
                x, y = max(0, at + left), 160 + 160 * line + top
                page[y : y + mask.shape[0], x : x + mask.shape[1]] -= mask[:, : 2000 - x]
                at += round(advance) + 20
        read = [line for block in read_page(page).blocks for line in block.lines]
        flagged = sum(line.unsupported_script for line in read)
        rows = np.array([flagged, max(0, 12 - len(read)), len(read) - flagged], float)
        sums += rows
        shown = "  ".join(f"{100 * value / max(12, len(read)):6.1f}" for value in rows)
        source = "held out" if script in held_out else "known fonts"
        click.echo(f"{script:12} {max(12, len(read)):4}  {shown}  ({source})")
    click.echo(f"all {100 * sums[0] / sums.sum():.1f} % of {sums.sum():.0f} lines flagged")


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--pages", default=16, show_default=True, help="Of each level, for styles.")
@click.option("--split", default="inspect", show_default=True, help="Of the development pages.")
def main(data: Path, pages: int, split: str) -> None:
    """Print the tables."""
    cv2.setNumThreads(1)
    measure_styles(data, pages)
    measure_documents(data, split)
    measure_scripts(data)


if __name__ == "__main__":
    main()
