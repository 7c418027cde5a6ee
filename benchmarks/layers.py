"""How text layers of PDF pages are judged, and how fast and how rightly they are taken.

    python benchmarks/layers.py trust --data DATA [--split inspect|score] [--pages]
    python benchmarks/layers.py words --data DATA            words in order beside what was printed
    python benchmarks/layers.py searchable FILES...          words of searchable PDFs, found again
    python benchmarks/layers.py speed --data DATA            pages a second beside bare extraction

Pages are those of the development documents (`devpages.py`) and of printed documents
(`layout.py`). For `trust` each gets a fault by turns: maps of letters shifted, permuted, emptied or
moved to private codes; the words of another page over a scan of it, with ink or without; text
hidden in several ways. What is made is the same on each run.
"""

from __future__ import annotations

import gzip
import io
import json
import multiprocessing
import random
import re
import sys
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from pathlib import Path

import click
import cv2
import numpy as np
import pikepdf
import pypdfium2 as pdfium
from rapidfuzz.distance import Indel

from amberquarry import BlockKind, Page, read_document, read_page
from amberquarry.formats.records import page_from_record
from amberquarry.formats.searchable import searchable
from amberquarry.scoring.text import plain
from amberquarry.settings import Settings
from amberquarry.values import RUNNING

sys.path.insert(0, str(Path(__file__).parent))
from devpages import documents, listed

SECRET = "Zephyr quorum vanquished"  # what is hidden must not be found
HEX = re.compile(rb"<([0-9A-Fa-f]+)>\s*<([0-9A-Fa-f]+)>(\s*<([0-9A-Fa-f]+)>)?")


def content_of(path: str) -> bytes:
    """Return the bytes of a file, unpacked."""
    raw = Path(path).read_bytes()
    return gzip.decompress(raw) if path.endswith(".gz") else raw


def page_alone(content: bytes, number: int) -> pikepdf.Pdf:
    """Return a file with one page of another, from 1."""
    source = pikepdf.open(io.BytesIO(content))
    alone = pikepdf.new()
    alone.pages.append(source.pages[number - 1])
    return alone


def saved(pdf: pikepdf.Pdf) -> bytes:
    """Return the bytes of a file."""
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def fonts_of(pdf: pikepdf.Pdf) -> list[pikepdf.Object]:
    """Return the fonts of a file's first page."""
    fonts = pdf.pages[0].obj.get("/Resources", {}).get("/Font", {})
    return [font for _, font in sorted(fonts.items())]


def mapped(pdf: pikepdf.Pdf, change: Callable[[int], int]) -> bool:
    """Change the letters that codes stand for in the maps of all fonts; whether there are maps."""
    found = False
    for font in fonts_of(pdf):
        if "/ToUnicode" not in font:
            font.ToUnicode = pdf.make_stream(bare_map(change))
            found = True
            continue
        data = font.ToUnicode.read_bytes()
        font.ToUnicode = pdf.make_stream(HEX.sub(lambda m: one_changed(m, change), data))
        found = True
    return found


def bare_map(change: Callable[[int], int]) -> bytes:
    """Return a map for a font of one byte a letter, in which codes are those of Latin letters."""
    rows = "\n".join(f"<{code:02X}> <{change(code):04X}>" for code in range(0x21, 0x7F))
    return (
        "/CIDInit /ProcSet findresource begin 12 dict begin begincmap\n"
        "1 begincodespacerange <00> <FF> endcodespacerange\n"
        f"94 beginbfchar\n{rows}\nendbfchar\nendcmap end end"
    ).encode()


def one_changed(match: re.Match[bytes], change: Callable[[int], int]) -> bytes:
    """Return an entry of a map with another letter; the ranges of codes stay as they are."""
    last = match[4] or match[2]
    if len(last) != 4 or (match[4] is None and len(match[1]) == 4 and int(match[2], 16) < 0x20):
        return match[0]
    new = b"<%04X>" % change(int(last, 16))
    return match[0][: match[0].rindex(b"<")] + new


def shift(code: int) -> int:
    """Return a letter some places on."""
    return code + 3 if code > 0x20 else code


def permute(code: int) -> int:
    """Return another letter of the same case: the alphabet in another order."""
    order = list(range(26))
    random.Random(5).shuffle(order)
    for first in (0x41, 0x61, 0x410, 0x430, 0x391, 0x3B1):  # Latin, Cyrillic, Greek
        if first <= code < first + 26 and code < first + 24 + 2 * (first < 0x391):
            return first + order[code - first]
    return code


def picture_of(content: bytes, number: int, dpi: float = 200) -> np.ndarray:
    """Return the grey levels of a page."""
    page = pdfium.PdfDocument(content)[number - 1]
    return np.array(page.render(scale=dpi / 72, grayscale=True).to_numpy())


def with_picture(pdf: pikepdf.Pdf, grey: np.ndarray, before: bool) -> None:
    """Draw a picture over the whole of a page, under or over what it holds."""
    _, data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, 85])
    image = pdf.make_stream(data.tobytes())
    image.Type, image.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
    image.Width, image.Height = grey.shape[1], grey.shape[0]
    image.ColorSpace, image.BitsPerComponent = pikepdf.Name.DeviceGray, 8
    image.Filter = pikepdf.Name.DCTDecode
    page = pdf.pages[0]
    name = page.add_resource(image, pikepdf.Name.XObject)
    x0, y0, x1, y1 = (float(v) for v in page.mediabox)
    draw = f"q {x1 - x0} 0 0 {y1 - y0} {x0} {y0} cm {name} Do Q".encode()
    page.contents_coalesce()
    own = b"q " + page.Contents.read_bytes() + b" Q"
    page.Contents = pdf.make_stream(draw + b"\n" + own if before else own + b"\n" + draw)


def invisible(pdf: pikepdf.Pdf) -> None:
    """Draw all text of a page without ink."""
    page = pdf.pages[0]
    page.contents_coalesce()
    data = page.Contents.read_bytes()
    page.Contents = pdf.make_stream(re.sub(rb"\bBT\b", b"BT 3 Tr", data))


def hidden(pdf: pikepdf.Pdf, how: str) -> None:
    """Add a sentence that nobody sees."""
    page = pdf.pages[0]
    font = pikepdf.Dictionary(
        Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica
    )
    name = page.add_resource(pdf.make_indirect(font), pikepdf.Name.Font)
    x0, y0, x1, y1 = (float(v) for v in page.cropbox)
    at = (x0 + 60, y1 - 30)
    size, colour, after, mode = 11.0, "0 g", "", 0
    if how == "white":
        colour = "1 g"
    elif how == "covered":
        after = f"1 g {at[0] - 2} {at[1] - 4} 300 18 re f"
    elif how == "tiny":
        size = 0.5
    elif how == "outside":
        at = (x1 + 40, y0 + 100)
        page.mediabox = [x0, y0, x1 + 400, y1]
        page.cropbox = [x0, y0, x1, y1]
    elif how == "no ink":
        mode = 3
    text = f"q {colour} BT {mode} Tr {name} {size} Tf {at[0]} {at[1]} Td ({SECRET}) Tj ET {after} Q"
    page.contents_add(pdf.make_stream(text.encode()))


FAULTS = (
    "good",
    "shifted",
    "good",
    "permuted",
    "private",
    "good",
    "no map",
    "other page, no ink",
    "other page, with ink",
    "own words over a scan",
    "garbled words over a scan",
    "white",
    "covered",
    "tiny",
    "outside",
    "no ink",
)
HIDDEN = {"white", "covered", "tiny", "outside", "no ink"}


def made(content: bytes, number: int, fault: str, count: int) -> bytes | None:
    """Return a file of one page with a fault, None where the page can't have it."""
    pdf = page_alone(content, number)
    if fault in HIDDEN:
        hidden(pdf, fault)
    elif fault in ("shifted", "permuted", "private", "no map"):
        change = {
            "shifted": shift,
            "permuted": permute,
            "private": lambda code: 0xE000 + code % 0x1000,
            "no map": lambda code: 0,
        }[fault]
        if not mapped(pdf, change):
            return None
    elif fault != "good":
        grey = picture_of(content, number)
        if fault.startswith("other page"):
            if count == 1:
                return None
            pdf = page_alone(content, number % count + 1)
        if fault == "garbled words over a scan":
            mapped(pdf, shift)
            if shared_letters(truth_of(saved(pdf), 1), truth_of(content, number)) > 0.8:
                return None  # the letters are not told by the maps
        if fault != "other page, with ink":
            invisible(pdf)
        with_picture(pdf, grey, before=fault != "other page, with ink")
    return saved(pdf)


def truth_of(content: bytes, number: int) -> str:
    """Return the letters of a page as the PDF library gives them."""
    text = pdfium.PdfDocument(content)[number - 1].get_textpage().get_text_range()
    return "".join(text.split())


def shared_letters(one: str, other: str) -> float:
    """Return the share of letters that two texts have in common, in any order."""
    shared = sum((Counter(one) & Counter(other)).values())
    return shared / max(1, len(one), len(other))


def right(fault: str, page: Page, truth: str) -> tuple[bool, str]:
    """Return whether a layer was judged as it should be, and how it was.

    truth: the letters of the page. Lines of a layer that has faults in some may stand beside such
    as were read; then the text must be right.
    """
    used, leaked = page.origin.value, SECRET.split(maxsplit=1)[0] in page.text
    own = "".join("".join(line.text.split()) for b in page.blocks for line in b.lines)
    shared = shared_letters(own, truth)
    said = f"{used}, {shared:.0%} of the letters"
    if leaked:
        return False, f"{said}, leaked"
    if fault == "own words over a scan":  # kept or read anew, but right
        return used == "scan" or shared > 0.9, said
    wanted = "text-layer" if fault == "good" or fault in HIDDEN else "scan"
    return used == wanted or (used == "mixed" and shared > 0.9), said


def judge_one(job: tuple[str, int, str, str]) -> tuple[str, str, bool, str]:
    """Judge one page with a fault; returns its key, the fault, whether that was right, and how."""
    path, number, fault, key = job
    cv2.setNumThreads(1)
    content = content_of(path)
    count = len(pdfium.PdfDocument(content))
    file, truth = made(content, number, fault, count), truth_of(content, number)
    if file is None or len(truth) < 200:
        return key, fault, True, "left out"
    page = read_page(file, settings=Settings().with_values({"output.pictures": False}))
    good, how = right(fault, page, truth)
    if not good and page.findings:
        how += f" ({'; '.join(finding.message for finding in page.findings)})"
    return key, fault, good, how


def pages_of(data: Path, split: str) -> list[tuple[str, int, str]]:
    """Return path, page and key of development pages with a layer, and of printed ones."""
    paths = {(package, name): path for package, name, path in documents(data / "devpk")}
    found = [
        (str(paths[row["package"], row["document"]]), int(row["page"]), key)
        for key, row in sorted(listed(split).items())
        if (row["package"], row["document"]) in paths
    ]
    for path in sorted((data / "layout" / split / "pdf").glob("*.pdf")):
        found.append((str(path), 1, path.stem))
    return found


@click.group()
def main() -> None:
    """Measure what is made of text layers."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", type=click.Choice(["inspect", "score"]), default="inspect")
@click.option("--jobs", default=2, show_default=True)
@click.option("--pages", is_flag=True, help="Also list every page that is judged wrongly.")
@click.option("--most", default=1000, show_default=True)
def trust(data: Path, split: str, jobs: int, pages: bool, most: int) -> None:
    """Judge layers of which is known whether they are good."""
    sources = pages_of(data, split)
    random.Random(9).shuffle(sources)
    jobs_of = [
        (path, number, FAULTS[place % len(FAULTS)], key)
        for place, (path, number, key) in enumerate(sources[:most])
    ]
    counts: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0])
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        for key, fault, good, how in pool.imap(judge_one, jobs_of):
            if how == "left out":
                continue
            for name in (fault, "all"):
                counts[name][0] += 1
                counts[name][1] += good
                counts[name][2] += "leaked" in how
            if pages and split != "score" and not good:
                click.echo(f"{key}, {fault}: {how}")
    click.echo(f"{'layer':28}     n   right %  leaked")
    for name in [*dict.fromkeys(FAULTS), "all"]:
        if name in counts:
            n, good, leaked = counts[name]
            click.echo(f"{name:28} {n:5} {100 * good / n:8.1f} {leaked:7}")


ONLY = Settings().with_values({"layer.use": "only", "output.pictures": False})


def words_one(path: str) -> tuple[str, int, float]:
    """Return pages of a file, and how alike our words are to the library's in its order."""
    cv2.setNumThreads(1)
    content = content_of(path)
    alike, length = 0.0, 0
    pdf = pdfium.PdfDocument(content)
    numbers = range(1, min(len(pdf), 12) + 1)
    for number in numbers:
        words = pdf[number - 1].get_textpage().get_text_range().split()
        own = words_on(read_page(content, page=number, settings=ONLY))
        both = max(1, len(words) + len(own))
        alike += Indel.normalized_similarity(words, own) * both
        length += both
    return path, len(numbers), alike / max(1, length)


def words_on(page: Page, without: frozenset[BlockKind] = frozenset()) -> list[str]:
    """Return the words of a page in order, as it is printed."""
    return [
        plain(word.text)
        for block in page.blocks
        if block.kind not in without
        for line in block.lines
        for word in line.words
    ]


def in_columns(page: Page) -> bool:
    """Return whether paragraphs stand side by side."""
    boxes = [block.box for block in page.blocks if block.kind is BlockKind.PARAGRAPH]
    return any(
        one.x1 <= other.x0 and min(one.y1, other.y1) - max(one.y0, other.y0) > 100
        for one in boxes
        for other in boxes
    )


def printed_one(path: str) -> tuple[str, bool, float]:
    """Return a printed page's name, whether it has columns, and how alike its words are."""
    cv2.setNumThreads(1)
    truth = page_from_record(json.loads(Path(path).read_text(encoding="utf-8")))
    name, _, number = Path(path).stem.rpartition("_")
    pdf = Path(path).parent.parent / "pdf" / f"{name}.pdf"
    page = read_page(pdf, page=int(number), settings=ONLY)
    apart = RUNNING | {BlockKind.FIGURE}
    alike = Indel.normalized_similarity(words_on(truth, apart), words_on(page, apart))
    return Path(path).stem, in_columns(truth), alike


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", type=click.Choice(["inspect", "score"]), default="inspect")
@click.option("--jobs", default=2, show_default=True)
@click.option("--most", default=40, show_default=True, help="Documents.")
@click.option("--worst", default=10, show_default=True)
def words(data: Path, split: str, jobs: int, most: int, worst: int) -> None:
    """Hold our words in our order against what was printed, and against the library's order.

    The library's order is that in which a file draws: other than that of reading in many.
    """
    paths = sorted({path for path, _, _ in pages_of(data, "inspect")})
    random.Random(4).shuffle(paths)
    truths = sorted(map(str, (data / "layout" / split / "clean").glob("*.json")))
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        printed = pool.map(printed_one, truths, chunksize=1)
        rows = pool.map(words_one, paths[:most], chunksize=1)
    click.echo(f"{'printed pages':44} pages  alike %")
    if split == "inspect":
        for name, _, alike in sorted(printed, key=lambda row: row[2])[:worst]:
            click.echo(f"{name[:44]:44}     1 {100 * alike:8.2f}")
    for title, columns in (("in one column", False), ("in columns", True)):
        own = [alike for _, several, alike in printed if several is columns]
        click.echo(f"{title:44} {len(own):5} {100 * np.mean(own):8.2f}")
    click.echo(f"{'against the order of drawing':44} pages  alike %")
    for path, count, alike in sorted(rows, key=lambda row: row[2])[:worst]:
        click.echo(f"{Path(path).name[:44]:44} {count:5} {100 * alike:8.2f}")
    pages = sum(row[1] for row in rows)
    click.echo(f"{'all':44} {pages:5} {100 * sum(r[1] * r[2] for r in rows) / pages:8.2f}")


def words_of_file(content: bytes, index: int) -> list[tuple[str, np.ndarray]]:
    """Return the words of a page as the PDF library gives them, with boxes in points."""
    text = pdfium.PdfDocument(content)[index].get_textpage()
    found: list[tuple[str, np.ndarray]] = []
    word, boxes = "", []
    for at in range(text.count_chars() + 1):
        sign = text.get_text_range(at, 1) if at < text.count_chars() else " "
        if sign.strip():
            word += sign
            boxes.append(text.get_charbox(at))
        elif word:
            edges = np.array(boxes)
            found.append((word, np.r_[edges[:, :2].min(0), edges[:, 2:].max(0)]))
            word, boxes = "", []
    return found


def overlap_of(one: np.ndarray, other: np.ndarray) -> float:
    """Return the area that two boxes share over that of both."""
    low, high = np.maximum(one[:2], other[:2]), np.minimum(one[2:], other[2:])
    shared = np.prod(np.maximum(0, high - low))
    return float(shared / max(1e-9, sum(np.prod(b[2:] - b[:2]) for b in (one, other)) - shared))


def searchable_one(path: str) -> tuple[str, int, int, int, bool, int, int]:
    """Return words, those found, those found in order, whether pixels stay, and both sizes."""
    cv2.setNumThreads(1)
    content = Path(path).read_bytes()
    settings = Settings().with_values({"layer.use": "ignore", "output.pictures": False})
    document = read_document(content, settings=settings)
    made_file = searchable(content, document, replace_layers=True)
    total = found = ordered = 0
    same = True
    pdf = pdfium.PdfDocument(made_file)
    for page in document.pages:
        words = words_of_file(made_file, page.source_page - 1)
        size = pdf[page.source_page - 1].get_size()
        scale = np.array([size[0] / page.width, size[1] / page.height])
        if pdf[page.source_page - 1].get_rotation() or page.to_points is not None:
            to_points = np.array(page.to_points or (1, 0, 0, 1, 0, 0)).reshape(3, 2)
        else:
            to_points = np.array([[scale[0], 0], [0, -scale[1]], [0, size[1]]])
        last = -1
        for word in page.words:
            corners = np.array(word.quad or word.box.corners) @ to_points[:2] + to_points[2]
            box = np.r_[corners.min(0), corners.max(0)]
            text = word.text.replace("\ufffd", "")
            if not text:
                continue
            total += 1
            at = next(
                (
                    n
                    for n, (own, its) in enumerate(words)
                    if own == text and overlap_of(box, its) >= 0.7
                ),
                None,
            )
            found += at is not None
            ordered += at is not None and at > last
            last = max(last, -1 if at is None else at)
    if path.endswith(".pdf"):
        before = pdfium.PdfDocument(content)
        same = all(
            np.array_equal(before[n].render(scale=2).to_numpy(), pdf[n].render(scale=2).to_numpy())
            for n in range(len(before))
        )
    return Path(path).name, total, found, ordered, same, len(content), len(made_file)


@main.command(name="searchable")
@click.argument("files", nargs=-1, type=click.Path(exists=True))
@click.option("--jobs", default=2, show_default=True)
def searchable_files(files: tuple[str, ...], jobs: int) -> None:
    """Read FILES, make searchable PDFs, and look for the words in them."""
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        rows = pool.map(searchable_one, files, chunksize=1)
    click.echo(f"{'file':40} words  found %  in order %  same  kB more")
    sums = np.zeros(4)
    for name, total, found, ordered, same, before, after in rows:
        more = (after - before) / 1000
        sums += (total, found, ordered, more)
        shares = f"{100 * found / max(1, total):8.2f} {100 * ordered / max(1, total):11.2f}"
        click.echo(f"{name[:40]:40} {total:5} {shares}  {'yes' if same else 'no':>4} {more:8.1f}")
    click.echo(
        f"{'all':40} {sums[0]:5.0f} {100 * sums[1] / sums[0]:8.2f} {100 * sums[2] / sums[0]:11.2f}"
        f"       {sums[3]:8.1f}"
    )


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--most", default=40, show_default=True, help="Documents.")
def speed(data: Path, most: int) -> None:
    """Time our pages on one core beside what the library takes for text with boxes."""
    cv2.setNumThreads(1)
    paths = sorted({path for path, _, _ in pages_of(data, "inspect")})
    random.Random(4).shuffle(paths)
    took = {"text": 0.0, "text with boxes": 0.0, "ours": 0.0}
    pages = 0
    for path in paths[:most]:
        content = content_of(path)
        began = time.process_time()
        pdf = pdfium.PdfDocument(content)
        for index in range(len(pdf)):
            pdf[index].get_textpage().get_text_range()
        took["text"] += time.process_time() - began
        began = time.process_time()
        pdf = pdfium.PdfDocument(content)
        for index in range(len(pdf)):
            text = pdf[index].get_textpage()
            for at in range(text.count_chars()):
                text.get_charbox(at)
        took["text with boxes"] += time.process_time() - began
        began = time.process_time()
        pages += len(read_document(content, settings=ONLY).pages)
        took["ours"] += time.process_time() - began
    click.echo(f"{'what':20} pages/s  ms/page")
    for name, seconds in took.items():
        click.echo(f"{name:20} {pages / seconds:7.1f} {1000 * seconds / pages:8.1f}")


if __name__ == "__main__":
    main()
