"""Searchable PDF files: the pages as they are, with the words that were read laid over them unseen.

Words are drawn without ink (text rendering mode 3, ISO 32000-1, 9.3.6) in a font whose letters are
empty boxes, so that each covers its part of the word's box, and every letter has its Unicode value.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
from numpy.typing import NDArray
from pikepdf import Array, Dictionary, Name, Pdf
from PIL import Image, ImageSequence

from amberquarry.errors import Rejection, SourceError
from amberquarry.values import UNKNOWN, DocumentData, Origin, Page, Word

_CODES = 224  # letters of one font, from code 32 on; 32 is the space
_FIRST = 33
_POINTS = 72.0
_USUAL_DPI = 300.0  # of pictures that do not say
_SHOWING = ("Tj", "TJ", "'", '"')


@dataclass(slots=True)
class _Letters:
    """The letters that a file's unseen text has, in fonts of some two hundred each."""

    codes: dict[str, tuple[int, int]] = field(default_factory=dict)  # font and code of each

    def code_of(self, letter: str) -> tuple[int, int]:
        """Return the font and the code of a letter, new ones as they come."""
        if letter not in self.codes:
            number = len(self.codes)
            self.codes[letter] = number // (_CODES - 1), _FIRST + number % (_CODES - 1)
        return self.codes[letter]

    @property
    def fonts(self) -> int:
        """How many fonts there are."""
        return -(-len(self.codes) // (_CODES - 1))

    def font(self, pdf: Pdf, number: int) -> pikepdf.Object:
        """Return a font whose letters are empty boxes, one unit wide (ISO 32000-1, 9.6.5)."""
        own = {code: letter for letter, (font, code) in self.codes.items() if font == number}
        last = max(own, default=_FIRST)
        empty = pdf.make_stream(b"1000 0 0 0 1000 1000 d1")
        names = Dictionary({f"/g{code}": empty for code in (32, *own)})
        differences = Array([32, Name("/g32"), *self._named(own)])
        return pdf.make_indirect(
            Dictionary(
                Type=Name.Font,
                Subtype=Name.Type3,
                FontBBox=[0, 0, 1000, 1000],
                FontMatrix=[0.001, 0, 0, 0.001, 0, 0],
                CharProcs=names,
                Encoding=Dictionary(Type=Name.Encoding, Differences=differences),
                FirstChar=32,
                LastChar=last,
                Widths=[1000] * (last - 31),
                Resources=Dictionary(),
                ToUnicode=pdf.make_stream(_unicode_map({32: " ", **own})),
            )
        )

    @staticmethod
    def _named(own: dict[int, str]) -> Iterator[object]:
        for code in sorted(own):
            yield code
            yield Name(f"/g{code}")


def _unicode_map(letters: dict[int, str]) -> bytes:
    """Return the map from codes to Unicode values (ISO 32000-1, 9.10.3)."""
    rows = [
        f"<{c:02X}> <{t.encode('utf-16-be').hex().upper()}>" for c, t in sorted(letters.items())
    ]
    parts = []
    for start in range(0, len(rows), 100):
        own = rows[start : start + 100]
        parts.append(f"{len(own)} beginbfchar\n" + "\n".join(own) + "\nendbfchar\n")
    return (
        "/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n"
        "/CMapName /Unseen def\n/CMapType 2 def\n"
        "1 begincodespacerange\n<00> <FF>\nendcodespacerange\n"
        + "".join(parts)
        + "endcmap\nCMapName currentdict /CMap defineresource pop\nend\nend"
    ).encode("ascii")


def searchable(
    content: Path | bytes,
    document: DocumentData,
    *,
    passwords: Sequence[str] = (),
    replace_layers: bool = False,
) -> bytes:
    """Return a file as a PDF whose words can be searched, selected and copied.

    content: the PDF or picture that the document was read from. Its pictures and drawings stay as
    they are, byte by byte; only words are added to pages that were read from ink. Pages that have
    text already keep it and get none, unless `replace_layers`: then text without ink is taken out
    of pages that were read, and ours is added. Raises SourceError where the file can't be used.
    """
    pdf = _opened(content, passwords)
    letters = _Letters()
    by_page: dict[int, list[Page]] = {}
    for page in document.pages:
        by_page.setdefault(page.source_page, []).append(page)
    made: list[tuple[int, bytes]] = []
    for number, pages in sorted(by_page.items()):
        if not 1 <= number <= len(pdf.pages):
            raise SourceError(Rejection.UNREADABLE, "the file has fewer pages than were read")
        own = pdf.pages[number - 1]
        if all(page.origin is Origin.TEXT_LAYER for page in pages):
            continue
        if replace_layers:
            _without_unseen(pdf, own)
        elif _has_text(own):
            continue
        drawn = b"".join(_unseen_words(page, own, letters) for page in pages)
        if drawn:
            made.append((number, drawn))
    fonts = [letters.font(pdf, number) for number in range(letters.fonts)]
    for number, drawn in made:
        own = pdf.pages[number - 1]
        for place, font in enumerate(fonts):
            own.add_resource(font, Name.Font, Name(f"/AqUnseen{place}"), replace_existing=True)
        own.contents_add(pdf.make_stream(b"q\n"), prepend=True)
        own.contents_add(pdf.make_stream(b"Q\nq BT 3 Tr\n" + drawn + b"ET Q\n"))
    _say_facts(pdf, document)
    out = io.BytesIO()
    pdf.save(out, compress_streams=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()


def joined(parts: Sequence[tuple[str, bytes]], title: str) -> bytes:
    """Return PDFs as one file with this title, its pages labelled by the names of the parts.

    parts: name and bytes of each, one at least. Each is an entry of the outline as well.
    """
    whole = pikepdf.new()
    labels: list[Any] = []
    with whole.open_outline() as outline:
        for name, data in parts:
            first = len(whole.pages)
            with pikepdf.open(io.BytesIO(data)) as pdf:
                whole.pages.extend(pdf.pages)
                if first == 0 and "/Lang" in pdf.Root:
                    whole.Root.Lang = pikepdf.String(str(pdf.Root.Lang))
            several = len(whole.pages) - first > 1
            label = Dictionary(P=pikepdf.String(f"{name}-" if several else name))
            if several:
                label.S = Name.D
            labels += [first, label]
            outline.root.append(pikepdf.OutlineItem(name, first))
    whole.Root.PageLabels = Dictionary(Nums=Array(labels))
    whole.docinfo["/Title"] = title
    out = io.BytesIO()
    whole.save(out, compress_streams=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()


def is_signed(content: Path | bytes) -> bool:
    """Return whether a PDF file bears a signature, which any change makes invalid."""
    data = content.read_bytes() if isinstance(content, Path) else content
    return b"/ByteRange" in data and b"/Sig" in data


def _opened(content: Path | bytes, passwords: Sequence[str]) -> Pdf:
    """Return a PDF, or one made of the frames of a picture."""
    data = content.read_bytes() if isinstance(content, Path) else content
    if b"%PDF-" not in data[:1024]:
        return _of_picture(data)
    for password in ("", *passwords):
        try:
            return pikepdf.open(io.BytesIO(data), password=password)
        except pikepdf.PasswordError:
            continue
        except pikepdf.PdfError as error:
            raise SourceError(Rejection.DAMAGED, f"the PDF can't be changed ({error})") from error
    raise SourceError(Rejection.ENCRYPTED, "the PDF asks for a password; give it with --password")


def _of_picture(data: bytes) -> Pdf:
    """Return a PDF with a page for each frame of a picture, JPEG data as they are."""
    pdf = pikepdf.new()
    try:
        with Image.open(io.BytesIO(data)) as image:
            for frame in ImageSequence.Iterator(image):
                _add_picture(pdf, frame, data)
    except (OSError, ValueError, SyntaxError) as error:
        raise SourceError(Rejection.DAMAGED, f"the picture can't be opened ({error})") from error
    return pdf


def _add_picture(pdf: Pdf, frame: Image.Image, data: bytes) -> None:
    width, height = frame.size
    across, down = (float(v) for v in frame.info.get("dpi", (_USUAL_DPI, _USUAL_DPI)))
    across, down = (dpi if 20 <= dpi <= 5000 else _USUAL_DPI for dpi in (across, down))
    turned = frame.getexif().get(0x112, 1)
    packed = _packed_rows(data) if frame.format == "PNG" else None
    picture = pdf.make_stream(b"")
    if frame.format == "JPEG" and frame.mode in ("L", "RGB"):
        picture = pdf.make_stream(data)
        picture.Filter = Name.DCTDecode
        picture.ColorSpace, picture.BitsPerComponent = _colours(frame.mode), 8
    elif packed is not None:
        picture = pdf.make_stream(packed.rows)
        picture.Filter = Name.FlateDecode
        picture.DecodeParms = Dictionary(
            Predictor=15, Colors=packed.channels, BitsPerComponent=packed.bits, Columns=width
        )
        picture.BitsPerComponent = packed.bits
        picture.ColorSpace = _colours("RGB" if packed.channels == 3 else "L")
        if packed.palette:
            last = len(packed.palette) // 3 - 1
            colours = pikepdf.String(packed.palette)
            picture.ColorSpace = Array([Name.Indexed, Name.DeviceRGB, last, colours])
    else:
        mode = "1" if frame.mode == "1" else "L" if frame.mode in ("L", "I;16", "I", "F") else "RGB"
        picture = pdf.make_stream(frame.convert(mode).tobytes())
        picture.ColorSpace, picture.BitsPerComponent = _colours(mode), 1 if mode == "1" else 8
    picture.Type, picture.Subtype = Name.XObject, Name.Image
    picture.Width, picture.Height = width, height
    wide, high = width * _POINTS / across, height * _POINTS / down
    pdf.add_blank_page(page_size=(wide, high))
    page = pdf.pages[-1]
    page.Rotate = {3: 180, 6: 90, 8: 270}.get(turned, 0)
    name = page.add_resource(picture, Name.XObject)
    page.contents_add(pdf.make_stream(f"q {wide:.4f} 0 0 {high:.4f} 0 0 cm {name} Do Q\n".encode()))


def _colours(mode: str) -> Name:
    return Name.DeviceRGB if mode == "RGB" else Name.DeviceGray


@dataclass(frozen=True, slots=True)
class _Packed:
    """The rows of a PNG file as they are packed there."""

    rows: bytes
    channels: int
    bits: int
    palette: bytes  # three bytes a colour; empty where pixels are levels themselves


def _packed_rows(data: bytes) -> _Packed | None:
    """Return the packed rows of a PNG file, which a PDF takes as they are; None where it can't.

    Not those that are interlaced, transparent, or of 16 bits (PNG specification, 11.2).
    """
    channels = {0: 1, 2: 3, 3: 1}.get(data[25]) if len(data) > 33 else None
    if channels is None or data[24] > 8 or data[28] != 0:
        return None
    rows, palette, at = [], b"", 8
    while at + 8 <= len(data):
        length, kind = int.from_bytes(data[at : at + 4], "big"), data[at + 4 : at + 8]
        part = data[at + 8 : at + 8 + length]
        if kind == b"tRNS":
            return None
        if kind == b"PLTE":
            palette = part
        elif kind == b"IDAT":
            rows.append(part)
        at += 12 + length
    return _Packed(b"".join(rows), channels, data[24], palette if data[25] == 3 else b"")


def _has_text(page: pikepdf.Page) -> bool:
    """Return whether a page, or a form on it, shows text."""
    return any(
        str(instruction.operator) in _SHOWING
        for part in _streams_of(page)
        for instruction in _instructions(part)
    )


def _streams_of(page: pikepdf.Page) -> Iterator[pikepdf.Page | pikepdf.Object]:
    yield page
    forms = page.obj.get("/Resources", Dictionary()).get("/XObject", Dictionary())
    yield from (form for _, form in forms.items() if form.get("/Subtype") == "/Form")


def _instructions(
    part: pikepdf.Page | pikepdf.Object,
) -> Iterable[pikepdf.ContentStreamInstruction]:
    try:
        found = pikepdf.parse_content_stream(part)
    except pikepdf.PdfError:
        return []
    return [one for one in found if isinstance(one, pikepdf.ContentStreamInstruction)]


def _without_unseen(pdf: Pdf, page: pikepdf.Page) -> None:
    """Take text without ink out of a page, in place."""
    mode = 0
    kept: list[Any] = []
    try:
        found = pikepdf.parse_content_stream(page)
    except pikepdf.PdfError:
        return
    modes = []
    for instruction in found:
        operator = str(instruction.operator)
        if operator == "q":
            modes.append(mode)
        elif operator == "Q" and modes:
            mode = modes.pop()
        elif operator == "Tr":
            mode = int(instruction.operands[0])
        if mode == 3 and operator in _SHOWING:
            continue
        kept.append(instruction)
    if len(kept) < len(found):
        page.Contents = pdf.make_stream(pikepdf.unparse_content_stream(kept))


def _unseen_words(page: Page, own: pikepdf.Page, letters: _Letters) -> bytes:
    """Return what draws the words of a page without ink, in the page's own units."""
    to_points = _to_points(page, own)
    drawn = []
    for block in page.blocks:
        for line in block.lines:
            if line.origin is Origin.SCAN or page.origin is Origin.SCAN:
                drawn += [_unseen(word, to_points, letters) for word in line.words]
    return "".join(drawn).encode("ascii")


def _to_points(page: Page, own: pikepdf.Page) -> NDArray[np.float64]:
    """Return the mapping (3, 2) from pixels to the page's units; pictures fill their page."""
    if page.to_points is not None:
        return np.array(page.to_points).reshape(3, 2)
    x0, y0, x1, y1 = (float(edge) for edge in own.mediabox)
    wide, high = (x1 - x0, y1 - y0)
    turned = int(own.obj.get("/Rotate", 0)) % 360
    across, down, corner = {
        0: ((wide, 0), (0, -high), (x0, y1)),
        90: ((0, high), (wide, 0), (x0, y0)),
        180: ((-wide, 0), (0, high), (x1, y0)),
        270: ((0, -high), (-wide, 0), (x1, y1)),
    }[turned]
    return np.array([np.array(across) / page.width, np.array(down) / page.height, corner], float)


def _unseen(word: Word, to_points: NDArray[np.float64], letters: _Letters) -> str:
    """Return what draws a word so that its letters cover its box in parts of one width."""
    corners = np.array(word.quad or word.box.corners) @ to_points[:2] + to_points[2]
    top, _, right, foot = corners
    shown = [letter for letter in word.text if letter != UNKNOWN]
    if not shown or np.allclose(right, foot) or np.allclose(top, foot):
        return ""
    step, rise = (right - foot) / len(shown), top - foot
    numbers = " ".join(f"{value:.3f}" for value in (*step, *rise, *foot))
    parts, font = [f"{numbers} Tm"], -1
    codes = ""
    for letter in shown:
        own, code = letters.code_of(letter)
        if own != font:
            parts += [f"<{codes}> Tj"] * bool(codes) + [f"/AqUnseen{own} 1 Tf"]
            font, codes = own, ""
        codes += f"{code:02X}"
    return " ".join([*parts, f"<{codes}20> Tj"]) + "\n"


def _say_facts(pdf: Pdf, document: DocumentData) -> None:
    """Set title and language where the file does not say them, in place."""
    from amberquarry.assembly import languages_of

    title = document.file.info.get("Title") or next((b.text for b in document.headings), "")
    if title and "/Title" not in pdf.docinfo:
        pdf.docinfo["/Title"] = title
    languages = languages_of(document.pages)
    if languages and "/Lang" not in pdf.Root:
        pdf.Root.Lang = pikepdf.String(next(iter(languages)))
