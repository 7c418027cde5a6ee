"""Make docs/screenshots anew from the demo collection.

python docs/make_screenshots.py

Needs Debian's xvfb, xterm and imagemagick, and the package installed with its examples.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image

from amberquarry.demo import COLLECTION, TRUTH
from amberquarry.formats.records import dump
from amberquarry.runs.folder import read_records

SHOTS = Path(__file__).parent / "screenshots"
SIZE = (1280, 800)


def terminal(commands: list[str], target: Path, folder: Path, most: float = 400) -> None:
    """Run commands in a terminal window and take its picture when they end, or after `most` s."""
    done = folder / "done"
    done.unlink(missing_ok=True)
    script = folder / "commands.sh"
    lines = ["export PS1='$ '", "clear"]
    for command in commands:
        lines += [f"echo '$ {command}'", command]
    script.write_text("\n".join([*lines, f"touch {done}", "sleep 600"]) + "\n", encoding="utf-8")
    display = ":97"
    screen = subprocess.Popen(["Xvfb", display, "-screen", "0", f"{SIZE[0]}x{SIZE[1]}x24"])
    time.sleep(2)
    environment = {**os.environ, "DISPLAY": display}
    window = subprocess.Popen(
        ["xterm", "-geometry", "142x50+0+0", "-fa", "DejaVu Sans Mono", "-fs", "11",
         "-bg", "#fdfbf5", "-fg", "#222222", "-b", "12", "-e", "bash", str(script)],
        env=environment, cwd=folder,
    )  # fmt: skip
    until = time.monotonic() + most
    while not done.exists() and time.monotonic() < until:
        time.sleep(0.5)
    time.sleep(1)  # until the window shows the last line
    subprocess.run(["import", "-window", "root", str(target)], env=environment, check=True)
    window.kill()
    screen.kill()
    screen.wait()


def shrink(path: Path) -> None:
    """Bring a drawing to screen size with few colours."""
    with Image.open(path) as image:
        picture = image.convert("RGB")
    picture.thumbnail((SIZE[0], 1400))
    picture.quantize(128).save(path, optimize=True)


def main() -> None:
    """Take every screenshot."""
    SHOTS.mkdir(exist_ok=True)
    command = shutil.which("amberquarry") or f"{sys.executable} -m amberquarry"
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        shutil.copytree(COLLECTION, folder / "scans")
        shutil.copy(TRUTH, folder / "truth.jsonl")
        (folder / "amberquarry").write_text(f'#!/bin/sh\nexec {command} "$@"\n')
        (folder / "amberquarry").chmod(0o755)
        os.environ["PATH"] = f"{folder}:{os.environ['PATH']}"
        terminal(
            ["amberquarry convert scans --out run"], SHOTS / "convert-progress.png", folder, 20
        )
        terminal(
            ["amberquarry convert scans --out run2", "amberquarry score run2 truth.jsonl"],
            SHOTS / "convert-and-score.png", folder,
        )  # fmt: skip
        terminal(
            ["amberquarry export run2 --as pdf --out searchable --files scans"],
            SHOTS / "export.png", folder,
        )  # fmt: skip
        for target, arguments in (
            ("look-layer.png", ["scans/gauge-monitor.pdf"]),
            ("look-page.png", ["scans/yearbook-1932.pdf"]),
            ("look-words.png", ["scans/storm-notice.png", "--show", "words", "--label"]),
            ("look-tilted.png", ["scans/worn/old-page-2.jpg", "--show", "lines,words"]),
            ("look-characters.png", ["scans/repair-slip-118.jpg", "--show", "characters"]),
            ("look-blocks.png", ["scans/gauge-trace.tif", "--show", "regions,order"]),
            ("look-steps.png", ["scans/camera/open-book.jpg", "--steps", "all"]),
            ("look-sheet.png", ["scans/camera/leaf-on-table.jpg"]),
            ("look-boards.png", ["scans/camera/quay-boards.jpg", "--show", "words", "--label"]),
        ):
            subprocess.run(
                ["amberquarry", "look", *arguments, "--out", str(SHOTS / target)],
                cwd=folder, check=True,
            )  # fmt: skip
            shrink(SHOTS / target)
        shutil.copytree(folder / "scans" / "worn", folder / "worn")
        kept = [r for r in read_records(TRUTH) if r["document"].startswith("worn/")]
        records = [{**r, "document": r["document"].removeprefix("worn/")} for r in kept]
        (folder / "worn.jsonl").write_text("".join(dump(r) + "\n" for r in records))
        varied = "--vary preparation.ink_threshold=0.25,0.42 --truth worn.jsonl --out trial"
        terminal([f"amberquarry compare worn {varied}"], SHOTS / "compare-table.png", folder)
        shutil.copy(folder / "trial" / "differences.png", SHOTS / "compare.png")
        shrink(SHOTS / "compare.png")
        example = Path(__file__).parent.parent / "examples" / "draw_words.py"
        subprocess.run(
            [sys.executable, str(example), str(folder / "scans" / "repair-slip-119.jpg"),
             str(SHOTS / "example-draw-words.png")], check=True,
        )  # fmt: skip


if __name__ == "__main__":
    main()
