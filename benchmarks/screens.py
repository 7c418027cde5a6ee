"""Screenshots: drawn by Chromium with grey or sub-pixel smoothing, read, scored.

    python benchmarks/screens.py build --data DATA     draw 48 screens (Chromium)
    python benchmarks/screens.py score --data DATA     read them and print a table

Each screen is read as it is and in grey: a picture whose letters have coloured edges should read as
well as the same picture without colour. Truth is the text of the page's elements; errors are
counted where each element's text is found, so that order plays no part.
"""

from __future__ import annotations

import html
import json
import multiprocessing
import os
import random
import subprocess
import tempfile
from collections import defaultdict
from dataclasses import dataclass
from pathlib import Path

import click
import numpy as np
from PIL import Image

from amberquarry import read_page
from amberquarry.scoring.text import errors_at_best_place, plain

SEED = 4711
SIZES = ((1024, 700), (820, 640), (1280, 760))
FACES = ("DejaVu Sans", "Liberation Sans", "Liberation Serif", "DejaVu Serif", "Roboto", "Lato")
THEMES = {  # paper, text, panel, accent, pale text
    "light": ("#ffffff", "#1b1b1b", "#f3f4f6", "#0b57d0", "#5f6368"),
    "dark": ("#1e1f24", "#dcdcdc", "#2a2c33", "#7fb0ff", "#a0a4ad"),
    "tinted": ("#fdf6e3", "#3b3a36", "#eee8d5", "#a3470c", "#6c6a60"),
    "blue": ("#e8f1fb", "#16324f", "#cfe2f7", "#8a1c4a", "#48637e"),
}
SUBPIXEL = """<?xml version="1.0"?><!DOCTYPE fontconfig SYSTEM "fonts.dtd"><fontconfig>
<include ignore_missing="yes">/etc/fonts/fonts.conf</include>
<match target="font"><edit name="rgba" mode="assign"><const>{order}</const></edit>
<edit name="antialias" mode="assign"><bool>true</bool></edit>
<edit name="hintstyle" mode="assign"><const>{hint}</const></edit></match>
<match target="pattern"><edit name="rgba" mode="assign"><const>{order}</const></edit></match>
</fontconfig>"""
FLAGS = (
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--hide-scrollbars",
)
NAMES = ("Ada Penrose", "Tomas Fell", "Ines Marrow", "Ruben Lisle", "Greta Holm", "Piet Aalto")
NOUNS = [
    "gauge",
    "harbour",
    "buoy",
    "ledger",
    "tide",
    "lantern",
    "station",
    "mast",
    "chart",
    "repair",
    "signal",
    "keeper",
]
VERBS = [
    "checked",
    "moved",
    "replaced",
    "painted",
    "measured",
    "noted",
    "closed",
    "opened",
    "signed",
    "returned",
]
ENDS = (
    "before the noon reading.",
    "because the wind had backed to the west.",
    "and wrote the figure into the book.",
    "with two new bolts from the store.",
    "although nobody had asked for it.",
    "so that the ferry could leave on time.",
)


@dataclass(slots=True)
class Screen:
    """A screen in the making: its HTML and the texts that stand on it."""

    chance: random.Random
    texts: list[str]

    def text(self, text: str) -> str:
        """Enter a text and return it as HTML."""
        self.texts.append(text)
        return html.escape(text)

    def sentence(self) -> str:
        """Return a made-up sentence."""
        pick = self.chance.choice
        return f"{pick(NAMES)} {pick(VERBS)} the {pick(NOUNS)} {pick(ENDS)}"

    def amount(self) -> str:
        """Return a made-up figure."""
        return f"{self.chance.randint(1, 9999):,}.{self.chance.randint(0, 99):02}"


def article(s: Screen) -> str:
    """Return paragraphs under a heading."""
    parts = [f"<h1>{s.text('Notes from the Quay, Week ' + str(s.chance.randint(1, 52)))}</h1>"]
    for _ in range(4):
        body = s.text(" ".join(s.sentence() for _ in range(s.chance.randint(2, 4))))
        parts.append(f"<p>{body}</p>")
    parts.append(f"<h2>{s.text('What comes next')}</h2>")
    parts += [f"<li>{s.text(s.sentence())}</li>" for _ in range(4)]
    return "".join(parts)


def menu(s: Screen) -> str:
    """Return a bar of menus, an open one with shortcuts, and a status line."""
    bar = "".join(f"<span class=m>{s.text(w)}</span>" for w in ("File", "Edit", "View", "Help"))
    rows = "".join(
        f"<tr><td>{s.text(name)}</td><td class=pale>{s.text(key)}</td></tr>"
        for name, key in (
            ("New chart...", "Ctrl+N"),
            ("Open station log...", "Ctrl+O"),
            ("Save a copy as...", "Ctrl+Shift+S"),
            ("Print tide table", "Ctrl+P"),
            ("Page setup", "Alt+F7"),
            ("Recent harbours", "F12"),
            ("Quit", "Ctrl+Q"),
        )
    )
    body = "".join(f"<p>{s.text(s.sentence())}</p>" for _ in range(5))
    status = s.text(f"Line {s.chance.randint(1, 900)}, column 17, saved 4 minutes ago")
    return (
        f"<div class=bar>{bar}</div><div class=split><table class=panel>{rows}</table>"
        f"<div class=body>{body}</div></div><div class=bar>{status}</div>"
    )


def table(s: Screen) -> str:
    """Return a table of figures with rules."""
    head = "".join(f"<th>{s.text(w)}</th>" for w in ("Station", "Date", "High water", "Amount"))
    rows = ""
    for _ in range(14):
        date = f"2031-{s.chance.randint(1, 12):02}-{s.chance.randint(1, 28):02}"
        cells = (s.chance.choice(NAMES), date, f"{s.chance.uniform(1, 7):.2f} m", s.amount())
        rows += "<tr>" + "".join(f"<td>{s.text(cell)}</td>" for cell in cells) + "</tr>"
    return (
        f"<h2>{s.text('Readings of the month')}</h2><table class=grid><tr>{head}</tr>{rows}</table>"
    )


def code(s: Screen) -> str:
    """Return an editor with coloured words and line numbers."""
    lines = []
    for number in range(1, 22):
        noun, verb = s.chance.choice(NOUNS), s.chance.choice(VERBS)
        kind = s.chance.choice(("def", "if", "return", "for"))
        text = {
            "def": f"def {verb}_{noun}(level, station=None):",
            "if": f"    if {noun}.level > {s.chance.randint(2, 900)}:",
            "return": f"        return {noun}[{s.chance.randint(0, 9)}] + {s.chance.randint(10, 99)}",
            "for": f"    for {noun} in read_{noun}s(path, limit=500):",
        }[kind]
        s.texts.append(text.strip())
        shown = html.escape(text).replace(kind, f"<b class=key>{kind}</b>", 1)
        lines.append(f"<span class=pale>{number:3}</span>  {shown}")
    return "<pre>" + "\n".join(lines) + "</pre>"


def chat(s: Screen) -> str:
    """Return messages in bubbles, by turns on both sides."""
    parts = []
    for number in range(9):
        side = "mine" if number % 2 else "theirs"
        name = s.text(
            f"{s.chance.choice(NAMES)}, {s.chance.randint(7, 21)}:{s.chance.randint(10, 59)}"
        )
        parts.append(f"<div class={side}><small>{name}</small><br>{s.text(s.sentence())}</div>")
    return "".join(parts)


def terminal(s: Screen) -> str:
    """Return a terminal with prompts and listings."""
    lines = []
    for _ in range(7):
        command = f"tide {s.chance.choice(VERBS)} --station {s.chance.choice(NOUNS)} --days 14"
        s.texts.append(command)
        lines.append(f"<b class=key>keeper@quay</b>:<i>~/logs</i>$ {html.escape(command)}")
        for _ in range(s.chance.randint(1, 4)):
            size, noun = s.chance.randint(100, 99999), s.chance.choice(NOUNS)
            row = f"-rw-r--r-- 1 keeper staff {size:6} Jan 14 09:{s.chance.randint(10, 59)} {noun}.log"
            lines.append(s.text(row))
    return "<pre>" + "\n".join(lines) + "</pre>"


def form(s: Screen) -> str:
    """Return a dialog with labels, fields and buttons."""
    rows = "".join(
        f"<tr><td class=right>{s.text(label)}</td><td class=field>{s.text(value)}</td></tr>"
        for label, value in (
            ("Name of the station", "Port Ellory, north mole"),
            ("Keeper", s.chance.choice(NAMES)),
            ("Telephone", f"0{s.chance.randint(100, 999)} {s.chance.randint(10000, 99999)}"),
            ("Gauge number", f"PE-{s.chance.randint(100, 999)}/B"),
            ("Mean level (m)", f"{s.chance.uniform(1, 4):.3f}"),
            ("Time zone", "UTC+01:00"),
        )
    )
    buttons = "".join(f"<span class=button>{s.text(w)}</span>" for w in ("Apply", "Cancel", "Help"))
    return (
        f"<h2>{s.text('Station settings')}</h2><table>{rows}</table>"
        f"<p>{s.text(s.sentence())}</p><p>{buttons}</p>"
    )


def mail(s: Screen) -> str:
    """Return a list of messages beside one that is open."""
    rows = "".join(
        f"<div class=row><b>{s.text(s.chance.choice(NAMES))}</b> <span class=pale>"
        f"{s.text(f'{s.chance.randint(1, 28)} March')}</span><br>"
        f"{s.text(f'About the {s.chance.choice(NOUNS)} and the {s.chance.choice(NOUNS)}')}</div>"
        for _ in range(8)
    )
    body = "".join(f"<p>{s.text(' '.join(s.sentence() for _ in range(2)))}</p>" for _ in range(4))
    return (
        f"<div class=split><div class=panel style='width:34%'>{rows}</div><div class=body>"
        f"<h2>{s.text('Minutes of the harbour meeting')}</h2>{body}</div></div>"
    )


MAKERS = {
    "article": article,
    "menu": menu,
    "table": table,
    "code": code,
    "chat": chat,
    "terminal": terminal,
    "form": form,
    "mail": mail,
}


def page(name: str, theme: str, size_px: float, face: str, seed: int) -> tuple[str, list[str]]:
    """Return the HTML of a screen and the texts on it."""
    screen = Screen(random.Random(seed), [])
    body = MAKERS[name](screen)
    paper, text, panel, accent, pale = THEMES[theme]
    style = f"""
    body {{background:{paper};color:{text};font:{size_px}px '{face}';margin:14px;line-height:1.45}}
    h1 {{font-size:1.7em}} h2 {{font-size:1.3em}} .pale {{color:{pale}}}
    .bar {{background:{panel};padding:5px}} .m {{margin-right:18px}}
    .split {{display:flex;gap:16px}} .panel {{background:{panel};padding:8px}}
    .panel td {{padding:2px 14px 2px 4px}} .row {{padding:6px;border-bottom:1px solid {pale}}}
    .grid {{border-collapse:collapse}} .grid td,.grid th {{border:1px solid {pale};padding:3px 12px}}
    th,.key {{color:{accent}}} pre {{font:{size_px}px 'DejaVu Sans Mono';line-height:1.4}}
    .mine {{background:{accent};color:{paper};margin:6px 6px 6px 30%;padding:8px;border-radius:9px}}
    .theirs {{background:{panel};margin:6px 30% 6px 6px;padding:8px;border-radius:9px}}
    .right {{text-align:right;padding:4px 10px}} .field {{border:1px solid {pale};padding:4px 60px 4px 6px}}
    .button {{background:{accent};color:{paper};padding:5px 16px;margin-right:10px}}"""
    return f"<!doctype html><meta charset=utf-8><style>{style}</style>{body}", screen.texts


def cases() -> list[dict[str, object]]:
    """Return what the screens are: each maker in several themes, sizes and kinds of smoothing."""
    chance = random.Random(SEED)
    found: list[dict[str, object]] = []
    for name in MAKERS:
        for number in range(6):
            smoothing = ("rgb", "rgb", "bgr", "none", "rgb", "none")[number]
            found.append(
                {
                    "key": f"{name}-{number}",
                    "name": name,
                    "theme": ("light", "dark", "tinted", "light", "blue", "dark")[number],
                    "scale": 2 if number in (2, 5) else 1,
                    "size_px": chance.choice((11, 12, 13, 13, 14, 15, 16)),
                    "face": chance.choice(FACES),
                    "order": smoothing,
                    "hint": chance.choice(("hintslight", "hintnone", "hintfull")),
                    "window": chance.choice(SIZES),
                    "seed": chance.randrange(10**6),
                }
            )
    return found


def shoot(case: dict[str, object], out: Path) -> None:
    """Draw one screen and write its truth."""
    text, texts = page(
        str(case["name"]),
        str(case["theme"]),
        float(case["size_px"]),  # type: ignore[arg-type]
        str(case["face"]),
        int(case["seed"]),  # type: ignore[call-overload]
    )
    target = out / f"{case['key']}.png"
    width, height = case["window"]  # type: ignore[misc]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "fonts.conf").write_text(SUBPIXEL.format(order=case["order"], hint=case["hint"]))
        (folder / "page.html").write_text(text, encoding="utf-8")
        command = [
            "chromium",
            *FLAGS,
            f"--user-data-dir={folder / 'user'}",
            f"--window-size={width},{height}",
            f"--force-device-scale-factor={case['scale']}",
            f"--screenshot={target}",
            (folder / "page.html").as_uri(),
        ]
        environment = {**os.environ, "FONTCONFIG_FILE": str(folder / "fonts.conf")}
        subprocess.run(command, check=True, capture_output=True, timeout=120, env=environment)
    (out / f"{case['key']}.json").write_text(json.dumps({**case, "texts": texts}))


def measure(path: Path) -> tuple[str, str, int, int, int]:
    """Return key, class, characters, errors as it is and errors in grey."""
    truth = json.loads(path.with_suffix(".json").read_text())
    with Image.open(path) as image:
        colour = image.convert("RGB")
    found = []
    for picture in (colour, colour.convert("L")):
        read = read_page(picture)
        text = plain(" ".join(line.text for block in read.blocks for line in block.lines))
        # what the window cuts off is not there to be read
        found.append([errors_at_best_place(plain(part), text) for part in truth["texts"]])
    seen = [
        (len(plain(part)), one, other)
        for part, one, other in zip(truth["texts"], *found, strict=True)
        if min(one, other) < 0.7 * len(plain(part))
    ] or [(1, 1, 1)]
    chars, as_is, grey = np.array(seen).sum(0).tolist()
    kind = "grey" if truth["order"] == "none" else "sub-pixel"
    return truth["key"], f"{truth['theme']}, {kind}", chars, as_is, grey


@click.group()
def main() -> None:
    """Draw and score screenshots."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
def build(data: Path) -> None:
    """Draw the screens."""
    out = data / "screens"
    out.mkdir(parents=True, exist_ok=True)
    for case in cases():
        if not (out / f"{case['key']}.json").exists():
            shoot(case, out)
    click.echo(f"{len(list(out.glob('*.png')))} screens")


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--worst", default=10, show_default=True)
def score(data: Path, jobs: int, worst: int) -> None:
    """Read the screens in colour and in grey and print errors of both."""
    paths = sorted((data / "screens").glob("*.png"))
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        rows = pool.map(measure, paths, chunksize=1)
    sums: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0, 0])
    for _, name, chars, as_is, grey in rows:
        for group in (name, "all"):
            for place, count in enumerate((1, chars, as_is, grey)):
                sums[group][place] += count
    click.echo(f"{'screens':22} {'n':>3} {'characters':>10} {'CER %':>7} {'in grey':>7}")
    for name in sorted(sums, key=lambda name: (name == "all", name)):
        count, chars, as_is, grey = sums[name]
        shown = f"{100 * as_is / chars:7.2f} {100 * grey / chars:7.2f}"
        click.echo(f"{name:22} {count:3} {chars:10} {shown}")
    apart = [row for row in rows if 100 * (row[3] - row[4]) / row[2] > 0.2]
    click.echo(f"more than 0.2 points behind grey: {len(apart)} of {len(rows)}")
    for key, name, chars, as_is, grey in sorted(rows, key=lambda r: (r[4] - r[3]) / r[2])[:worst]:
        shown = f"{100 * as_is / chars:7.2f} {100 * grey / chars:7.2f}"
        click.echo(f"  {key:14} {name:18} {chars:6} {shown}")


if __name__ == "__main__":
    main()
