"""Folders full of odd names, links, devices and damaged files."""

from __future__ import annotations

import io
import os
import socket
import struct
import zlib
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image

from tests.support.pages import encoded, small_page

GOOD = "The keeper read the gauge"


def tiff(pages: list[Image.Image], compression: str | None = None) -> bytearray:
    """Return a TIFF of several frames."""
    data = io.BytesIO()
    options = {"compression": compression} if compression else {}
    pages[0].save(data, "TIFF", save_all=True, append_images=pages[1:], **options)
    return bytearray(data.getvalue())


def directory(data: bytearray, frame: int) -> int:
    """Return where the directory of a frame begins in a little-endian TIFF."""
    (at,) = struct.unpack_from("<I", data, 4)
    for _ in range(frame):
        (count,) = struct.unpack_from("<H", data, at)
        (at,) = struct.unpack_from("<I", data, at + 2 + 12 * count)
    return int(at)


def entry(data: bytearray, frame: int, tag: int) -> int:
    """Return where the entry of a tag begins in the directory of a frame."""
    at = directory(data, frame)
    (count,) = struct.unpack_from("<H", data, at)
    return next(
        place
        for place in range(at + 2, at + 2 + 12 * count, 12)
        if struct.unpack_from("<H", data, place)[0] == tag
    )


def scan_pdf(
    path: Path, data: bytes, filter_name: str, size: tuple[int, int], color: str = "/DeviceGray"
) -> None:
    """Write a PDF whose page is one picture with this data, 300 dots per inch."""
    width, height = size[0] * 72 / 300, size[1] * 72 / 300
    with pikepdf.new() as pdf:
        pdf.add_blank_page(page_size=(width, height))
        picture = pikepdf.Stream(
            pdf,
            data,
            Type=pikepdf.Name.XObject,
            Subtype=pikepdf.Name.Image,
            Width=size[0],
            Height=size[1],
            ColorSpace=pikepdf.Name(color),
            BitsPerComponent=8,
            Filter=pikepdf.Name(filter_name),
        )
        page = pdf.pages[0]
        page.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Im0=picture))
        page.Contents = pikepdf.Stream(pdf, f"q {width} 0 0 {height} 0 0 cm /Im0 Do Q".encode())
        pdf.save(path)


def fill(folder: Path) -> dict[str, str]:
    """Write odd files; return what each must give: "good", "partly" or "bad", by its path."""
    image = small_page(GOOD)
    page = encoded(image, "PNG")
    expected: dict[str, str] = {}

    def put(name: str | bytes, data: bytes, kind: str, told: str = "") -> None:
        path = os.path.join(os.fsencode(folder), os.fsencode(name))
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "wb") as file:
            file.write(data)
        expected[told or str(name)] = kind

    for name in (
        "plain.png",
        "  blanks at both ends  .png",
        "two\nlines.png",
        "tab\there.png",
        "bell\x07.png",
        "clear\x1b[2Jscreen.png",
        "turned \u202egnp.exe.png",
        "quote'\"`.png",
        "-rf.png",
        "--out",
        "*?[a].png",
        "$(reboot).png",
        "back\\slash.png",
        "per%20cent%.png",
        "名" * 83 + ".pn",
        "a" * 255,
        "é" * 120 + ".png",
        "e\u0301 decomposed.png",
        "🪨.png",
        "no ending",
        "b.png.md/x.png",
        "b.png.figures/p1-1.png/y.png",
        "deep/" + "/".join(f"level {n}" for n in range(40)) + "/page.png",
        "#hash & ampersand; <tag>.png",
        "CON",
        "trailing dot.",
        "page1.png",
        "page01.png",
        "PAGE1.png",
    ):
        put(name, page, "good")
    put("b.png", page, "good")
    put(b"latin-\xff\xe9.png", page, "good", "latin-%FF%E9.png")
    put(b"bad-\xc3.pdf", b"%PDF-1.4 nothing", "bad", "bad-%C3.pdf")

    put("empty.png", b"", "bad")
    put("zeros.bin", bytes(4000), "bad")
    put("text.pdf", b"not a PDF at all", "bad")
    put("head only.pdf", b"%PDF-1.7\n", "bad")
    put("cut.png", page[: len(page) // 2], "bad")
    put("head.png", page[:40], "bad")
    put("bomb.png", _png_head(60_000, 60_000), "bad")
    put("gif.gif", b"GIF89a" + bytes(20), "bad")
    put("jpeg.jpg", b"\xff\xd8\xff\xe0" + bytes(200), "bad")
    put("riff.webp", b"RIFF\x10\0\0\0WEBPVP8 ", "bad")
    put("j2k.jp2", b"\0\0\0\x0cjP  \r\n\x87\n" + bytes(60), "bad")
    put("pnm.pgm", b"P5 10 10 255\n" + bytes(10), "bad")
    put("archive.zip", b"PK\3\4" + bytes(40), "bad")
    put("script.ps", b"%!PS-Adobe-3.0 EPSF-3.0\n(hello) show\n", "bad")

    three = tiff([small_page(f"Leaf {n} of three") for n in (1, 2, 3)])
    for name, frame, tag, field, value in (
        ("strips away.tif", 1, 273, 8, 1 << 30),
        ("width of no type.tif", 1, 256, 2, 77),
        ("odd bits.tif", 1, 258, 8, 5),
    ):
        data = bytearray(three)
        place = entry(data, frame, tag) + field
        struct.pack_into("<H" if field == 2 else "<I", data, place, value)
        put(name, bytes(data), "partly")
    put("cut in frame 2.tif", bytes(three[: directory(three, 1) + 30]), "partly")
    looped = bytearray(three)
    at = directory(looped, 2)
    (count,) = struct.unpack_from("<H", looped, at)
    struct.pack_into("<I", looped, at + 2 + 12 * count, directory(looped, 0))
    put("frames in a circle.tif", bytes(looped), "good")

    jpeg, size = encoded(image, "JPEG"), image.size
    flat = zlib.compress(np.asarray(image).tobytes())
    for name, data, filter_name, kind in (
        ("scan.pdf", jpeg, "/DCTDecode", "good"),
        ("scan of zeros.pdf", bytes(len(jpeg)), "/DCTDecode", "bad"),
        ("scan cut.pdf", jpeg[: len(jpeg) * 2 // 3], "/DCTDecode", "marked"),
        ("scan flat cut.pdf", flat[: len(flat) * 2 // 3], "/FlateDecode", "marked"),
        ("scan flat garbage.pdf", b"garbage" * 300, "/FlateDecode", "bad"),
        ("scan unknown.pdf", flat, "/Unheard", "bad"),
        ("scan jp2 cut.pdf", encoded(image, "JPEG2000")[:9000], "/JPXDecode", "bad"),
    ):
        scan_pdf(folder / name, data, filter_name, size)
        expected[name] = kind
    with pikepdf.new() as pdf:
        pdf.save(folder / "no pages.pdf")
    expected["no pages.pdf"] = "bad"
    with pikepdf.open(folder / "scan.pdf") as pdf:
        pdf.docinfo["/Title"] = pikepdf.String(b"\xfe\xff\xd8\x3d\0A\xd8\0")
        pdf.save(folder / "title cut in a letter.pdf")
    expected["title cut in a letter.pdf"] = "good"

    (folder / "loop").symlink_to("loop")
    (folder / "to nothing").symlink_to("nowhere")
    (folder / "to a page.png").symlink_to("plain.png")
    (folder / "linked folder").symlink_to("b.png.md")
    expected.update({"loop": "bad", "to nothing": "bad", "to a page.png": "good"})
    os.mkfifo(folder / "pipe.pdf")
    with socket.socket(socket.AF_UNIX) as server:
        place = os.getcwd()
        os.chdir(folder)  # the path of a socket is short
        try:
            server.bind("socket.png")
        finally:
            os.chdir(place)
    expected.update({"pipe.pdf": "bad", "socket.png": "bad"})
    return expected


def _png_head(width: int, height: int) -> bytes:
    """Return a PNG that says it is so large and holds next to nothing."""
    parts = []
    for name, data in (
        (b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)),
        (b"IDAT", zlib.compress(bytes(10))),
    ):
        parts.append(struct.pack(">I", len(data)) + name + data)
        parts.append(struct.pack(">I", zlib.crc32(name + data)))
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)
