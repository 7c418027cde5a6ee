"""PDF pages with text layers, made in code."""

import io

import cv2
import numpy as np
import pikepdf

FONTS = {
    "F1": "Helvetica",
    "F2": "Helvetica-Bold",
    "F3": "Courier",
    "F4": "Times-Italic",
}
PROSE = (
    "The keeper of the harbour light wrote the level of the water down",
    "every morning, and when the wind had turned to the north he sent",
    "a boat to the island with letters, bread and oil for the lamps.",
)


def layered(content, size=(595, 842), picture=None, **page):
    """Return a PDF of one page with this content; `picture` is a grey one, /Im0 there."""
    pdf = pikepdf.new()
    pdf.add_blank_page(page_size=size)
    own = pdf.pages[0]
    fonts = pikepdf.Dictionary()
    for name, base in FONTS.items():
        fonts[f"/{name}"] = pikepdf.Dictionary(
            Type=pikepdf.Name.Font,
            Subtype=pikepdf.Name.Type1,
            BaseFont=pikepdf.Name(f"/{base}"),
            Encoding=pikepdf.Name.WinAnsiEncoding,
        )
    own.Resources = pikepdf.Dictionary(Font=fonts)
    if picture is not None:
        image = pdf.make_stream(cv2.imencode(".jpg", picture)[1].tobytes())
        image.Type, image.Subtype = pikepdf.Name.XObject, pikepdf.Name.Image
        image.Width, image.Height = picture.shape[1], picture.shape[0]
        image.ColorSpace, image.BitsPerComponent = pikepdf.Name.DeviceGray, 8
        image.Filter = pikepdf.Name.DCTDecode
        own.Resources.XObject = pikepdf.Dictionary(Im0=image)
    own.Contents = pdf.make_stream(content.encode("latin-1"))
    for name, value in page.items():
        own.obj[f"/{name}"] = value
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def text(words, x, y, font="F1", size=11, matrix=None, before=""):
    """Return what draws words at a place in points, from the page's lower left corner."""
    words = words.replace("\\", r"\\").replace("(", r"\(").replace(")", r"\)")
    place = " ".join(map(str, (*matrix, x, y))) + " Tm" if matrix else f"{x} {y} Td"
    return f"BT {before} /{font} {size} Tf {place} ({words}) Tj ET\n"


def paragraph(x=72, y=700, lines=PROSE, font="F1", size=11):
    """Return what draws a paragraph."""
    return "".join(
        text(line, x, y - 1.3 * size * number, font, size) for number, line in enumerate(lines)
    )


def picture_of(content, dpi=200):
    """Return the grey levels of a page with this content, as a scan of it has."""
    import pypdfium2 as pdfium

    page = pdfium.PdfDocument(layered(content))[0]
    bitmap = page.render(scale=dpi / 72, grayscale=True)
    return np.array(bitmap.to_numpy()).reshape(bitmap.height, bitmap.width)
