"""Make the demo collection anew, from a seed.

`python -m amberquarry.demo.generate --fonts DATA/fonts` writes the files and `truth.jsonl` beside
this module. Fonts and texts are the demo's own and never in the training material. Everything named
is invented.
"""

from __future__ import annotations

import io
import itertools
import json
import random
import shutil
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import click
import numpy as np
import pikepdf
from numpy.typing import NDArray
from PIL import Image

from amberquarry.demo import COLLECTION, TRUTH, scenes
from amberquarry.demo.printed import (
    lay_old_reading,
    save_pdf,
    screen,
    truth_of,
    write_circular,
    write_manual,
)
from amberquarry.demo.prose import HEADINGS, ITALIAN, RUSSIAN, paragraph
from amberquarry.demo.scanner import move_blocks, scan_page, through
from amberquarry.demo.typeset import A4, DPI, SetPage, Typeface

SEED = 1874
MARGIN = 260


@dataclass(slots=True)
class Faces:
    """The demo's typefaces."""

    text: Typeface
    bold: Typeface
    italic: Typeface
    sans: Typeface
    sans_bold: Typeface
    typewriter: Typeface
    mono: Typeface

    @classmethod
    def load(cls, fonts: Path) -> Faces:
        """Open the faces among the fetched fonts."""
        return cls(
            Typeface(fonts, "spectral"),
            Typeface(fonts, "spectral", 700),
            Typeface(fonts, "spectral", 400, "italic"),
            Typeface(fonts, "alegreya-sans"),
            Typeface(fonts, "alegreya-sans", 700),
            Typeface(fonts, "special-elite"),
            Typeface(fonts, "anonymous-pro"),
        )


def running_head(page: SetPage, faces: Faces, left: str, right: str) -> None:
    """Set a running head with a rule under it."""
    words, pen = [], float(MARGIN)
    for word in left.split():
        words.append(page.word(pen, 200, word, faces.italic, 36))
        pen = words[-1]["box"][2] + 14
    page.block("running_head", [words])
    page.block("page_number", [[page.word(A4[0] - MARGIN - 60, 200, right, faces.text, 36)]])
    page.rule(MARGIN, 222, A4[0] - MARGIN, 222)


def yearbook_page(faces: Faces, chance: random.Random, number: int, year: int) -> SetPage:
    """Return a page in two columns with headings; the first one opens with a title."""
    page = SetPage()
    running_head(page, faces, "Port Ellory Tide and Weather Observatory", str(number))
    top = 300
    if number == 1:
        top, _ = page.paragraph(
            f"Yearbook for {year}",
            MARGIN,
            300,
            A4[0] - 2 * MARGIN,
            faces.bold,
            92,
            kind="heading",
            level=1,
            centre=True,
            justify=False,
        )
        top += 70
    gap = 90
    width = (A4[0] - 2 * MARGIN - gap) // 2
    headings = chance.sample(HEADINGS, 4)
    for column in range(2):
        x, y = MARGIN + column * (width + gap), top
        carry = ""
        first = True
        while y < A4[1] - 380:
            if not carry and ((first and column == 0) or chance.random() < 0.25) and headings:
                y, _ = page.paragraph(
                    headings.pop(),
                    x,
                    y + (0 if first else 30),
                    width,
                    faces.bold,
                    54,
                    kind="heading",
                    level=2,
                    justify=False,
                )
                y += 14
            text = carry or paragraph(chance, chance.randint(3, 7))
            y, carry = page.paragraph(
                text, x, y, width, faces.text, 42, indent=0 if carry else 46, bottom=A4[1] - 300
            )
            first = False
        # what does not fit is not set: each column ends with a whole line
    return page


def notes_page(faces: Faces, chance: random.Random, number: int) -> SetPage:
    """Return a page in one column with a heading, numbered items and a footnote."""
    page = SetPage()
    running_head(page, faces, "Notes on the Instruments", str(number))
    width = A4[0] - 2 * MARGIN
    y, _ = page.paragraph(
        f"{number}. {HEADINGS[(number * 3) % len(HEADINGS)]}",
        MARGIN,
        320,
        width,
        faces.sans_bold,
        66,
        kind="heading",
        level=1,
        justify=False,
    )
    y += 30
    y, _ = page.paragraph(paragraph(chance, 6) + "¹", MARGIN, y, width, faces.sans, 46)
    y += 26
    for item in range(1, 5):
        y, _ = page.paragraph(
            f"({item}) " + paragraph(chance, 1),
            MARGIN + 60,
            y,
            width - 60,
            faces.sans,
            46,
            kind="item",
            justify=False,
        )
        y += 12
    y += 20
    while y < 2650:
        y, _ = page.paragraph(paragraph(chance, 5), MARGIN, y, width, faces.sans, 46, indent=60)
    page.rule(MARGIN, 3040, MARGIN + 500, 3040)
    page.paragraph(
        "1 " + paragraph(chance, 2), MARGIN, 3060, width, faces.sans, 36, kind="footnote"
    )
    return page


def trace_page(faces: Faces, chance: random.Random) -> SetPage:
    """Return a page with the drawn trace of a gauge, its caption, and a displayed equation."""
    page = SetPage()
    running_head(page, faces, "Notes on the Instruments", "12")
    width = A4[0] - 2 * MARGIN

    def text(words: str, y: int, **how: Any) -> int:
        return page.paragraph(words, MARGIN, y, width, faces.sans, 46, **how)[0]

    y, _ = page.paragraph(
        "12. The trace of the gauge", MARGIN, 320, width, faces.sans_bold, 66,
        kind="heading", level=1, justify=False,
    )  # fmt: skip
    y = text(f"Figure 1 shows a day of the gauge at Quernmouth. {paragraph(chance, 4)}", y + 30)
    left, right, top, foot = MARGIN + 320, A4[0] - MARGIN - 260, y + 60, y + 760
    page.draw.line((left, top, left, foot, right, foot), fill=0, width=4)
    hours = np.linspace(0, 24, 400)
    level = np.sin(hours * 0.506) + 0.25 * np.sin(hours * 1.01 + 1) + 0.1 * np.sin(hours * 5)
    x = left + hours / 24 * (right - left)
    points = np.stack([x, (top + foot) / 2 - level * (foot - top) / 3], 1)
    page.draw.line([tuple(point) for point in points.tolist()], fill=0, width=5)
    labels = [
        [page.word(left + hour / 24 * (right - left) - 18, foot + 44, str(hour), faces.sans, 34)]
        for hour in range(0, 25, 6)
    ]
    labels += [
        [page.word(left - 80, foot - n * (foot - top) / 3, f"{n}.0", faces.sans, 34)]
        for n in range(1, 4)
    ]
    page.block("figure", labels)
    y, _ = page.paragraph(
        "Figure 1. Height of the water in metres, by the hour.", MARGIN, foot + 80, width,
        faces.italic, 40, kind="caption", justify=False, centre=True,
    )  # fmt: skip
    y = text(f"The height of the water follows from three figures. {paragraph(chance, 3)}", y + 40)
    pen, words = MARGIN + 700.0, []
    for part in ["h", "=", "a", "+", "b", "sin(n", "t", "+", "g)"]:
        words.append(page.word(pen, y + 110, part, faces.italic, 52))
        pen = words[-1]["box"][2] + 20
    words.append(page.word(A4[0] - MARGIN - 80, y + 110, "(4)", faces.text, 46))
    page.block("equation", [words])
    y = text(f"in which t counts the hours from noon. {paragraph(chance, 4)}", y + 190)
    text(paragraph(chance, 5), y, indent=60)
    return page


def diary_page(faces: Faces, chance: random.Random, day: int) -> SetPage:
    """Return a typewritten page of the weather diary."""
    page = SetPage()
    width = A4[0] - 2 * MARGIN - 100
    y, _ = page.paragraph(
        f"WEATHER DIARY, sheet {day}",
        MARGIN,
        300,
        width,
        faces.typewriter,
        54,
        kind="heading",
        level=1,
        justify=False,
    )
    y += 50
    for entry in range(5):
        y, _ = page.paragraph(
            f"{entry * 3 + 6:02d}.{chance.randint(0, 59):02d} h. " + paragraph(chance, 3),
            MARGIN,
            y,
            width,
            faces.typewriter,
            46,
            justify=False,
            leading=1.5,
        )
        y += 46
    return page


def letter_page(faces: Faces, text: str) -> SetPage:
    """Return a letter: paragraphs with space between."""
    page = SetPage()
    y = 420
    for part in text.split("\n\n"):
        y, _ = page.paragraph(
            part,
            MARGIN + 60,
            y,
            A4[0] - 2 * MARGIN - 120,
            faces.text,
            52,
            justify=False,
            leading=1.4,
        )
        y += 60
    return page


def table_page(faces: Faces, chance: random.Random, ruled: bool) -> SetPage:
    """Return a table of high and low waters with a heading and a note."""
    page = SetPage()
    width = A4[0] - 2 * MARGIN
    y, _ = page.paragraph(
        "High and Low Water at the Outer Mole, March 1931",
        MARGIN,
        320,
        width,
        faces.sans_bold,
        60,
        kind="heading",
        level=1,
        justify=False,
    )
    y, _ = page.paragraph(paragraph(chance, 2), MARGIN, y + 20, width, faces.sans, 44)
    top = y + 80
    columns = [MARGIN + 20 + step * (width // 6) for step in range(6)]
    rows: list[list[dict[str, Any]]] = []
    names = ["Day", "High water", "Metres", "Low water", "Metres", "Wind"]
    rows.append(
        [
            word
            for x, name in zip(columns, names, strict=True)
            for word in _words(page, x, top, name, faces.sans_bold, 40)
        ]
    )
    for day in range(1, 25):
        base = top + 70 + day * 78
        cells = [
            str(day),
            f"{chance.randrange(12):02d}.{chance.randrange(60):02d}",
            f"{chance.uniform(3, 5.4):.2f}",
            f"{chance.randrange(12) + 6:02d}.{chance.randrange(60):02d}",
            f"{chance.uniform(0.2, 1.4):.2f}",
            chance.choice(["N", "NNE", "SW", "W by S", "calm"]),
        ]
        rows.append(
            [
                word
                for x, cell in zip(columns, cells, strict=True)
                for word in _words(page, x, base, cell, faces.sans, 40)
            ]
        )
        if ruled:
            page.rule(MARGIN, base + 22, A4[0] - MARGIN, base + 22, 2)
    if ruled:
        for x in [MARGIN, *(c - 20 for c in columns[1:]), A4[0] - MARGIN]:
            page.rule(x, top - 60, x, top + 70 + 24 * 78 + 22, 2)
    page.block("table", rows)
    page.paragraph(paragraph(chance, 2), MARGIN, top + 70 + 25 * 78 + 60, width, faces.sans, 40)
    return page


def _words(
    page: SetPage, x: float, base: float, text: str, face: Typeface, size: int
) -> list[dict[str, Any]]:
    words = []
    for word in text.split():
        words.append(page.word(x, base, word, face, size))
        x = words[-1]["box"][2] + 12
    return words


def slip_page(faces: Faces, chance: random.Random, number: int) -> SetPage:
    """Return a repair slip whose amounts add up."""
    size = (1750, 1240)
    page = SetPage(size)
    page.paragraph(
        f"Repair slip No. {number}",
        120,
        90,
        1500,
        faces.typewriter,
        64,
        kind="heading",
        level=1,
        justify=False,
    )
    page.paragraph(
        "Port Ellory Tide and Weather Observatory, Mole Lane 7",
        120,
        190,
        1500,
        faces.typewriter,
        38,
        justify=False,
    )
    items = chance.sample(
        [
            "float wire, brass",
            "pen arm",
            "drum clock spring",
            "oil, half pint",
            "funnel lip",
            "glass for dial",
            "hinge, copper",
            "packing ring",
        ],
        5,
    )
    rows, total, base = [], 0.0, 380
    for item in items:
        price = round(chance.uniform(0.4, 38), 2)
        total = round(total + price, 2)
        rows.append(
            _words(page, 140, base, item, faces.typewriter, 42)
            + _words(page, 1300, base, f"{price:.2f}", faces.typewriter, 42)
        )
        base += 88
    page.rule(120, base - 20, 1560, base - 20)
    rows.append(
        _words(page, 140, base + 46, "total", faces.typewriter, 42)
        + _words(page, 1300, base + 46, f"{total:.2f}", faces.typewriter, 42)
    )
    page.block("table", rows)
    page.paragraph(
        f"Received with thanks on {chance.randint(2, 28)} May 1931.",
        120,
        base + 130,
        1500,
        faces.typewriter,
        38,
        justify=False,
    )
    return page


def notice_page(faces: Faces) -> SetPage:
    """Return a notice in white on dark with a lighter part below."""
    page = SetPage((1600, 1100))
    page.draw.rectangle((0, 0, 1600, 620), fill=40)
    page.paragraph(
        "STORM SIGNALS",
        120,
        90,
        1360,
        faces.sans_bold,
        110,
        kind="heading",
        level=1,
        centre=True,
        justify=False,
        ink=245,
    )
    page.paragraph(
        "Two black cones, points down, warn of gales from the south. Boats shall not leave "
        "the inner basin until both cones have been lowered and the lamp shows green.",
        120,
        270,
        1360,
        faces.sans,
        58,
        justify=False,
        ink=240,
    )
    page.paragraph(
        "By order of the harbour office. The key to the signal locker hangs in the gauge "
        "house; ask the keeper between six and nine.",
        120,
        720,
        1360,
        faces.sans,
        52,
        justify=False,
    )
    return page


@dataclass(slots=True)
class Maker:
    """Writes files and gathers their truth."""

    folder: Path
    truth: list[dict[str, Any]]

    def note(
        self,
        name: str,
        number: int,
        page: SetPage,
        size: tuple[int, int],
        dpi: float,
        matrix: NDArray[np.float64],
        kind: str,
    ) -> None:
        """Gather the truth of one page, its boxes moved on to the scanned picture."""
        self.truth.append(
            {
                "document": name,
                "page": number,
                "width": size[0],
                "height": size[1],
                "dpi": [dpi, dpi],
                "class": kind,
                "blocks": move_blocks(page.blocks, through(matrix)),
            }
        )

    def picture(self, name: str, page: SetPage, level: str, seed: int, kind: str) -> None:
        """Write one page as a picture file of a scanner level."""
        scan = scan_page(page.pixels, level, seed)
        path = self.folder / (name + scan.suffix)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(scan.data)
        self.note(name + scan.suffix, 1, page, scan.size, scan.dpi, scan.matrix, kind)

    def scene(
        self, name: str, blocks: list[dict[str, Any]], scene: scenes.Scene, kind: str, page: int = 1
    ) -> None:
        """Write a photograph, and the truth of a page of it."""
        path = self.folder / (name + scene.suffix)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(scene.data)
        self.truth.append(
            {
                "document": name + scene.suffix,
                "page": page,
                "source_page": 1,
                "width": scene.size[0],
                "height": scene.size[1],
                "dpi": None,
                "class": kind,
                "blocks": move_blocks(blocks, scene.place),
            }
        )

    def turned(self, name: str, page: SetPage, turned: int, kind: str) -> None:
        """Write a page that lies turned clockwise by 90, 180 or 270 degrees, as a PNG."""
        pixels = np.rot90(page.pixels, -turned // 90)
        image = Image.fromarray(np.ascontiguousarray(pixels))
        image.quantize(16).save(self.folder / name, dpi=(DPI, DPI))
        height, width = page.pixels.shape
        matrix = _turned_matrix(turned, width, height)
        self.note(name, 1, page, image.size, DPI, matrix, kind)

    def pdf(self, name: str, pages: list[SetPage], level: str, seed: int, kind: str) -> None:
        """Write pages as a PDF of pictures."""
        images = []
        for number, page in enumerate(pages, start=1):
            scan = scan_page(page.pixels, level, seed + number)
            image = Image.open(io.BytesIO(scan.data))
            image.load()
            images.append((image, scan))
            self.note(name, number, page, scan.size, scan.dpi, scan.matrix, kind)
        write_pdf(self.folder / name, [(scan.data, image, scan.dpi) for image, scan in images])

    def tiff(self, name: str, pages: list[SetPage], kind: str) -> None:
        """Write pages as a 1-bit TIFF with several frames."""
        frames = []
        for number, page in enumerate(pages, start=1):
            frames.append(
                Image.fromarray(np.where(page.pixels > 140, 255, 0).astype(np.uint8)).convert("1")
            )
            self.note(name, number, page, frames[-1].size, DPI, np.eye(3)[:2], kind)
        frames[0].save(
            self.folder / name,
            save_all=True,
            append_images=frames[1:],
            compression="group4",
            dpi=(DPI, DPI),
        )


def _turned_matrix(turned: int, width: int, height: int) -> NDArray[np.float64]:
    """Return the affine of a picture turned clockwise."""
    return {
        90: np.array([[0.0, -1.0, height], [1.0, 0.0, 0.0]]),
        180: np.array([[-1.0, 0.0, width], [0.0, -1.0, height]]),
        270: np.array([[0.0, 1.0, 0.0], [-1.0, 0.0, width]]),
    }[turned]


def write_pdf(path: Path, pages: list[tuple[bytes, Image.Image, float]]) -> None:
    """Write a PDF in which each page is one picture: JPEG as it is, others deflated."""
    pdf = pikepdf.new()
    for data, image, dpi in pages:
        size = (image.width * 72 / dpi, image.height * 72 / dpi)
        if image.format == "JPEG":
            stream = pikepdf.Stream(pdf, data)
            stream.Filter = pikepdf.Name.DCTDecode
        else:
            stream = pikepdf.Stream(pdf, image.tobytes())
        bits = 1 if image.mode == "1" else 8
        stream.Type, stream.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
        stream.Width, stream.Height, stream.BitsPerComponent = image.width, image.height, bits
        stream.ColorSpace = pikepdf.Name.DeviceGray
        pdf.add_blank_page(page_size=size)
        page = pdf.pages[-1]
        page.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Scan=stream))
        content = f"q {size[0]:.3f} 0 0 {size[1]:.3f} 0 0 cm /Scan Do Q"
        page.Contents = pikepdf.Stream(pdf, content.encode())
    save_pdf(pdf, path)


def write_text_pdf(path: Path) -> list[list[str]]:
    """Write a PDF whose text is set by fonts of every reader, and return its lines by paragraph."""
    paragraphs = [
        ["Circular to all observers"],
        [
            "From the first of June the morning reading is to be taken at six",
            "and not at seven. The sheets go to Port Ellory by the noon boat.",
        ],
        [
            "Sheets without a signature will be sent back. The keeper has",
            "spare forms and will show how the new wind scale is used.",
        ],
    ]
    commands, y = [], 760
    for number, lines in enumerate(paragraphs):
        size = 20 if number == 0 else 12
        for line in lines:
            commands.append(f"BT /F1 {size} Tf 72 {y} Td ({line}) Tj ET")
            y -= round(size * 1.35)
        y -= 14
    pdf = pikepdf.new()
    pdf.add_blank_page(page_size=(595, 842))
    font = pikepdf.Dictionary(
        Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name("/Times-Roman")
    )
    pdf.pages[0].Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font))
    pdf.pages[0].Contents = pikepdf.Stream(pdf, "\n".join(commands).encode())
    pdf.save(path, deterministic_id=True)
    return paragraphs


def write_unusable(folder: Path, good: Path) -> None:
    """Write the files that must be rejected or skipped."""
    data = good.read_bytes()
    (folder / "damaged.pdf").write_bytes(data[:300] + bytes(200) + b"%%EOF")
    with pikepdf.open(good) as pdf:
        pdf.save(
            folder / "locked.pdf", encryption=pikepdf.Encryption(owner="quay", user="mole", R=6)
        )
    with zipfile.ZipFile(folder / "rota.docx", "w") as archive:
        info = zipfile.ZipInfo("word/document.xml", (1980, 1, 1, 0, 0, 0))
        archive.writestr(info, "<document>Rota of the observers</document>")
    (folder / "Thumbs.db").write_bytes(b"\xd0\xcf\x11\xe0" + bytes(64))


def make(folder: Path, faces: Faces) -> list[dict[str, Any]]:
    """Write the collection to `folder` and return the truth of its pages."""
    chance = random.Random(SEED)
    out = Maker(folder, [])
    two: Callable[[int, int], SetPage] = lambda n, year: yearbook_page(faces, chance, n, year)
    out.pdf("yearbook-1931.pdf", [two(n, 1931) for n in range(1, 5)], "clean", 10, "two columns")
    out.pdf("yearbook-1932.pdf", [two(n, 1932) for n in range(1, 5)], "office", 30, "two columns")
    out.tiff(
        "instrument-notes.tif", [notes_page(faces, chance, n) for n in range(1, 5)], "one column"
    )
    trace = trace_page(faces, random.Random(SEED + 12))
    out.picture("gauge-trace", trace, "office", 70, "one column")
    out.pdf(
        "weather-diary.pdf",
        [diary_page(faces, chance, n) for n in range(1, 4)],
        "office",
        50,
        "typewriter",
    )
    for number in (9, 10, 11):
        out.picture(
            f"station-log/page-{number}",
            notes_page(faces, chance, number),
            "office",
            60 + number,
            "one column",
        )
    out.picture("letter-italian", letter_page(faces, ITALIAN), "office", 81, "other languages")
    out.picture("letter-russian", letter_page(faces, RUSSIAN), "office", 84, "other languages")
    out.picture("tides-march-ruled", table_page(faces, chance, True), "office", 91, "tables")
    out.picture("tides-march-open", table_page(faces, chance, False), "clean", 92, "tables")
    for number in (118, 119):
        out.picture(
            f"repair-slip-{number}", slip_page(faces, chance, number), "office", number, "tables"
        )
    out.turned("notes-lying.png", notes_page(faces, chance, 5), 90, "turned")
    out.turned("notes-upside-down.png", notes_page(faces, chance, 6), 180, "turned")
    for number in range(3):
        out.picture(
            f"worn/old-page-{number + 1}",
            notes_page(faces, chance, 12 + number),
            "poor",
            140 + number,
            "worn",
        )
    out.picture("worn/yearbook-leaf", two(7, 1931), "poor", 151, "worn")
    notice = notice_page(faces)
    image = Image.fromarray(notice.pixels)
    image.save(folder / "storm-notice.png", optimize=True)
    out.note("storm-notice.png", 1, notice, image.size, DPI, np.eye(3)[:2], "white on dark")
    screen = letter_page(faces, "\n\n".join(paragraph(chance, 4) for _ in range(4)))
    scale = 96 / DPI
    small = Image.fromarray(screen.pixels).resize(
        (round(A4[0] * scale), round(A4[1] * scale)), Image.Resampling.LANCZOS
    )
    small.save(folder / "screen-copy.png", optimize=True)
    out.note("screen-copy.png", 1, screen, small.size, 96, np.eye(3)[:2] * scale, "screen")
    circular = folder / "circular.pdf"
    lines = write_text_pdf(circular)
    kinds = [("heading", 1), *[("paragraph", None)] * (len(lines) - 1)]
    blocks = [(kind, level, own) for (kind, level), own in zip(kinds, lines, strict=True)]
    out.note(circular.name, 1, truth_of(circular, 0, blocks), *_OF_LAYER)
    write_unusable(folder, folder / "circular.pdf")
    photographs(out, faces)
    layers(out, faces)
    return out.truth


_OF_LAYER = ((2480, 3509), DPI, np.eye(3)[:2], "text layer")


def layers(out: Maker, faces: Faces) -> None:
    """Write PDF pages that hold text, all of what stands on them or a part, rightly or not."""
    second = write_circular(out.folder / "circular-2.pdf")
    out.note("circular-2.pdf", 1, second, *_OF_LAYER)
    shown = screen(faces.sans, faces.sans_bold)
    manual = write_manual(out.folder / "gauge-monitor.pdf", shown)
    out.note("gauge-monitor.pdf", 1, manual, *_OF_LAYER)
    page = notes_page(faces, random.Random(SEED + 30), 31)
    out.pdf("old-reading.pdf", [page], "office", 309, "text layer")
    lay_old_reading(out.folder / "old-reading.pdf", out.truth[-1]["blocks"])


def photographs(out: Maker, faces: Faces) -> None:
    """Write pages as cameras and books deliver them."""
    chance = random.Random(SEED + 1)
    leaf = notes_page(faces, chance, 21)
    out.scene("camera/leaf-on-table", leaf.blocks, scenes.photograph(leaf.pixels, 12), "camera")
    leaf = notes_page(faces, chance, 22)
    out.scene("camera/bound-leaf", leaf.blocks, scenes.bend(leaf.pixels, 5), "camera")
    leaf = notes_page(faces, chance, 23)
    out.scene("camera/shaded-leaf", leaf.blocks, scenes.shade(leaf.pixels, 7), "camera")
    left, right = (notes_page(faces, chance, number) for number in (24, 25))
    scene, beside = scenes.spread(left.pixels, right.pixels, 11)
    out.scene("camera/open-book", left.blocks, scene, "camera")
    out.scene("camera/open-book", right.blocks, replace(scene, place=beside), "camera", 2)
    texts = [["PORT ELLORY", "Tide Office"], ["Landing Stage 3", "Mind the Step"]]
    scene, boards = scenes.place_boards(texts, [faces.sans_bold.path], 21)
    out.scene("camera/quay-boards", boards_truth(texts, boards), scene, "boards")


def boards_truth(
    texts: list[list[str]], boards: list[list[tuple[str, NDArray[np.float64]]]]
) -> list[dict[str, Any]]:
    """Return a block for each board; the words of its lines stand one after the other."""
    page = SetPage()
    for lines, words in zip(texts, boards, strict=True):
        rest = iter(words)
        rows = []
        for line in lines:
            row = []
            for text, quad in itertools.islice(rest, len(line.split())):
                box = [*quad.min(0).round(1).tolist(), *quad.max(0).round(1).tolist()]
                row.append({"text": text, "box": box, "confidence": 1.0})
            rows.append(row)
        page.block("paragraph", rows)
    return page.blocks


@click.command()
@click.option("--fonts", type=click.Path(path_type=Path, exists=True), required=True)
def main(fonts: Path) -> None:
    """Write collection and truth beside this module."""
    if COLLECTION.exists():
        shutil.rmtree(COLLECTION)
    COLLECTION.mkdir()
    truth = make(COLLECTION, Faces.load(fonts))
    TRUTH.write_text(
        "".join(json.dumps(r, ensure_ascii=False, separators=(",", ":")) + "\n" for r in truth),
        encoding="utf-8",
    )
    size = sum(path.stat().st_size for path in COLLECTION.rglob("*") if path.is_file())
    click.echo(f"{len(truth)} pages, {size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
