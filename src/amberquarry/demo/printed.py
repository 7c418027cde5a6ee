"""PDF pages that hold text: printed ones, one with a picture of a screen, a scan read before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
from pikepdf import Array, Dictionary, Name, Pdf, Stream, String
from PIL import ImageDraw

from amberquarry.demo.typeset import DPI, SetPage, Typeface

A4_POINTS = (595, 842)
_FONTS = {"R": "Times-Roman", "B": "Times-Bold", "I": "Times-Italic"}
_MARGIN = 72.0
_PX = DPI / 72


@dataclass(slots=True)
class PrintedPage:
    """A page being set in the fonts of every PDF reader; lengths in points, y upwards."""

    y: float = 760.0
    commands: list[str] = field(default_factory=list)
    blocks: list[tuple[str, int | None, list[str]]] = field(default_factory=list)
    links: list[tuple[str, str]] = field(default_factory=list)  # a word, and where it leads

    def set(
        self,
        kind: str,
        lines: Sequence[str],
        size: float = 11,
        font: str = "R",
        level: int | None = None,
        x: float = _MARGIN,
    ) -> None:
        """Set the lines of a block below what stands there."""
        for line in lines:
            self._show(line, x, size, font)
            self.y -= 1.35 * size
        self.y -= 0.9 * size
        self.blocks.append((kind, level, [*lines]))

    def table(self, rows: Sequence[Sequence[str]], columns: Sequence[float]) -> None:
        """Set a ruled table. columns: where they begin, and where the last one ends."""
        pitch, top = 20.0, self.y + 14
        for number, row in enumerate(rows):
            for x, cell in zip(columns, row, strict=False):
                self._show(cell, x + 6, 11, "R" if number else "B")
            self.y -= pitch
        foot = self.y + 14
        ends = [(columns[0], y, columns[-1], y) for y in np.arange(top, foot - 1, -pitch).tolist()]
        ends += [(x, top, x, foot) for x in columns]
        self.commands += [f"0.8 w {a} {b} m {c} {d} l S" for a, b, c, d in ends]
        self.y -= 10
        self.blocks.append(("table", None, [" ".join(row) for row in rows]))

    def _show(self, words: str, x: float, size: float, font: str) -> None:
        escaped = words.replace("\\", r"\\").replace("(", r"\(").replace(")", r"\)")
        self.commands.append(f"BT /{font} {size} Tf {x} {self.y:.1f} Td ({escaped}) Tj ET")

    def write(self, pdf: Pdf) -> pikepdf.Page:
        """Add the page to a file, without its links."""
        pdf.add_blank_page(page_size=A4_POINTS)
        page = pdf.pages[-1]
        fonts = {
            f"/{name}": Dictionary(
                Type=Name.Font,
                Subtype=Name.Type1,
                BaseFont=Name(f"/{base}"),
                Encoding=Name.WinAnsiEncoding,
            )
            for name, base in _FONTS.items()
        }
        page.Resources = Dictionary(Font=Dictionary(fonts))
        page.Contents = Stream(pdf, "\n".join(self.commands).encode("cp1252"))
        return page


def truth_of(path: Path, index: int, blocks: list[tuple[str, int | None, list[str]]]) -> SetPage:
    """Return the truth of a page, its word boxes from the outlines of its fonts.

    blocks: kind, level of a heading and lines, in the order in which the page draws them.
    """
    pdf = pdfium.PdfDocument(path)
    layer = pdf[index].get_textpage()
    height, text = pdf[index].get_height(), layer.get_text_range()
    page, at = SetPage(), 0
    for kind, level, lines in blocks:
        rows = []
        for line in lines:
            row = []
            for word in line.split():
                at = text.index(word, at)
                edges = np.array([layer.get_charbox(n) for n in range(at, at + len(word))])
                (x0, y0), (x1, y1) = edges[:, :2].min(0), edges[:, 2:].max(0)
                corners = np.array([x0, height - y1, x1, height - y0]) * _PX
                box = [round(float(v), 1) for v in corners]
                row.append({"text": word, "box": box, "confidence": 1.0})
                at += len(word)
            rows.append(row)
        page.block(kind, rows, level)
    pdf.close()
    return page


def write_circular(path: Path) -> SetPage:
    """Write a printed circular with a table and links, and return its truth."""
    page = PrintedPage()
    page.set("heading", ["Second circular to all observers"], 20, "B", 1)
    page.set(
        "paragraph",
        [
            "The new gauges stand since the tenth of May. Readings of both months are given",
            "below in centimetres over the zero of the old staff; where a float stuck, nothing",
            "is given. Corrections go to the station at Port Ellory, not to the Board.",
        ],
    )
    page.set("heading", ["Mean levels"], 14, "B", 2)
    rows = [
        ("Station", "April", "May", "Change"),
        ("Port Ellory", "212", "219", "7"),
        ("Quernmouth", "187", "181", "-6"),
        ("Outer Mole", "240", "243", "3"),
        ("Saint Brannock", "", "198", ""),
    ]
    page.table(rows, (_MARGIN, 220, 310, 400, 490))
    page.set("heading", ["Forms and questions"], 14, "B", 2)
    page.set(
        "paragraph",
        [
            "Forms lie at https://tides.ellory.example/forms and are sent by the noon boat to",
            "those who ask for them. Questions go to keeper@ellory.example before the end of",
            "each month.",
        ],
    )
    for sign, words in (
        ("1.", "The sheet is signed by the observer who took the reading."),
        ("2.", "Ink is used; pencil will be sent back."),
        ("3.", "The scale of winds is that of the yearbook for 1931."),
    ):
        page.set("item", [f"{sign} {words}"], x=_MARGIN + 14)
        page.y += 8
    pdf = pikepdf.new()
    page.write(pdf)
    pdf.docinfo["/Title"] = String("Second circular to all observers")
    pdf.docinfo["/Author"] = String("Port Ellory Tide and Weather Observatory")
    save_pdf(pdf, path)
    truth = truth_of(path, 0, page.blocks)
    leads = {
        "https://tides.ellory.example/forms": "https://tides.ellory.example/forms",
        "keeper@ellory.example": "mailto:keeper@ellory.example",
    }
    with Pdf.open(path, allow_overwriting_input=True) as own:
        own.pages[0].obj.Annots = Array(
            own.make_indirect(_link(word["box"], leads[word["text"]]))
            for block in truth.blocks
            for line in block["lines"]
            for word in line["words"]
            if word["text"] in leads
        )
        save_pdf(own, path)
    return truth


def _link(box: list[float], uri: str) -> Dictionary:
    x0, y0, x1, y1 = (edge / _PX for edge in box)
    place = [round(v, 1) for v in (x0, A4_POINTS[1] - y1, x1, A4_POINTS[1] - y0)]
    action = Dictionary(S=Name.URI, URI=String(uri))
    return Dictionary(Type=Name.Annot, Subtype=Name.Link, Rect=place, Border=[0, 0, 0], A=action)


def screen(face: Typeface, bold: Typeface) -> SetPage:
    """Return the picture of a screen that shows what a gauge sends."""
    page = SetPage((900, 420))
    page.draw = ImageDraw.Draw(page.image)
    page.draw.rectangle((0, 0, 899, 419), fill=236, outline=90, width=3)
    page.draw.rectangle((0, 0, 899, 58), fill=70)
    rows = [
        [page.word(24, 42, "Gauge", bold, 32, 250), page.word(130, 42, "monitor", bold, 32, 250)]
    ]
    for number, (name, value) in enumerate(
        (("Water level", "219 cm"), ("Battery", "12.6 V"), ("Last reading", "06:00"))
    ):
        base, pen, row = 136 + 92 * number, 40.0, []
        for word in name.split():
            row.append(page.word(pen, base, word, face, 36))
            pen = row[-1]["box"][2] + 12
        page.draw.rectangle((500, base - 46, 840, base + 18), fill=255, outline=140, width=2)
        pen = 524.0
        for word in value.split():
            row.append(page.word(pen, base, word, face, 36))
            pen = row[-1]["box"][2] + 12
        rows.append(row)
    page.block("figure", rows)
    return page


def write_manual(path: Path, shown: SetPage) -> SetPage:
    """Write a printed page with the picture of a screen in it, and return its truth."""
    page = PrintedPage()
    page.set("heading", ["The gauge monitor"], 20, "B", 1)
    page.set(
        "paragraph",
        [
            "The monitor in the gauge house shows what the float sends every ten minutes. The",
            "keeper looks at it before each reading and writes the level into the day book.",
        ],
    )
    wide, high = 300.0, 140.0
    left, top = _MARGIN + 70, page.y + 8
    page.y = top - high - 22
    over = len(page.blocks)
    page.set("caption", ["Figure 1: What the monitor shows after a reading"], 10, "I")
    page.set(
        "paragraph",
        [
            "If the battery stands below eleven volts, the cells are changed and the time is",
            "noted. A level that stays the same for an hour means that the float is stuck.",
        ],
    )
    page.commands.append(f"q {wide} 0 0 {high} {left} {top - high:.1f} cm /Screen Do Q")
    pdf = pikepdf.new()
    own = page.write(pdf)
    picture = Stream(pdf, shown.pixels.tobytes())
    picture.Type, picture.Subtype = Name.XObject, Name.Image
    picture.Width, picture.Height = shown.size
    picture.ColorSpace, picture.BitsPerComponent = Name.DeviceGray, 8
    own.Resources.XObject = Dictionary(Screen=picture)
    save_pdf(pdf, path)
    truth = truth_of(path, 0, page.blocks)
    scale = wide * _PX / shown.size[0]
    corner = (left * _PX, (A4_POINTS[1] - top) * _PX)
    inside = [[_placed(word, scale, corner) for word in row["words"]]
              for row in shown.blocks[0]["lines"]]  # fmt: skip
    truth.block("figure", inside)
    truth.blocks.insert(over, truth.blocks.pop())
    return truth


def _placed(word: dict[str, Any], scale: float, corner: tuple[float, float]) -> dict[str, Any]:
    edges = np.array(word["box"], float).reshape(2, 2) * scale + corner
    return {**word, "box": [round(float(v), 1) for v in edges.reshape(-1)]}


def lay_old_reading(path: Path, blocks: list[dict[str, Any]]) -> None:
    """Lay an earlier reading unseen over a scan, many of its letters taken wrongly.

    path: of a PDF of one page that one picture fills. blocks: what stands there, in its pixels.
    """
    wrong = str.maketrans({"h": "li", "e": "c", "m": "rn", "d": "cl", "t": "l", "a": "o"})
    with Pdf.open(path, allow_overwriting_input=True) as pdf:
        page = pdf.pages[0]
        [(_, picture)] = page.Resources.XObject.items()
        height = int(picture.Height)
        scale = float(page.mediabox[3]) / height
        page.Resources.Font = Dictionary(
            F=Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Courier)
        )
        drawn = []
        for word in (w for block in blocks for line in block["lines"] for w in line["words"]):
            x0, _, x1, y1 = word["box"]
            text = word["text"].translate(wrong).encode("ascii", "ignore").decode()
            text = text.replace("(", "").replace(")", "").replace("\\", "")
            wide = (x1 - x0) * scale / max(1, len(text)) / 0.6
            at = f"{x0 * scale:.1f} {(height - y1) * scale:.1f}"
            drawn.append(f"BT 3 Tr /F {wide:.1f} Tf {at} Td ({text}) Tj ET")
        page.contents_add(Stream(pdf, "\n".join(drawn).encode()))
        save_pdf(pdf, path)


def save_pdf(pdf: Pdf, path: Path) -> None:
    """Write a file that is the same on each run."""
    pdf.save(
        path,
        compress_streams=True,
        deterministic_id=True,
        object_stream_mode=pikepdf.ObjectStreamMode.generate,
    )
