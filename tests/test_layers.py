import io
import unittest

import numpy as np
import pikepdf

import amberquarry as aq
from amberquarry import BlockKind, FindingCode, Origin, Settings, Style
from amberquarry.formats.records import (
    document_record,
    file_from_record,
    page_from_record,
    page_record,
)
from amberquarry.layer.characters import characters_of
from amberquarry.layer.trust import Trust, judged, seen_on, unread_areas
from amberquarry.settings import LayerSettings, Limits
from amberquarry.sources import open_source
from tests.support.layers import PROSE, layered, paragraph, picture_of, text

WHOLE = "q 595 0 0 842 0 0 cm /Im0 Do Q\n"


def read(content, use="auto", **page):
    file = content if isinstance(content, bytes) else layered(content, **page)
    return aq.read_page(file, settings=Settings().with_values({"layer.use": use}))


def layer_of(content, **page):
    source = open_source(layered(content, **page), Settings(), Limits())
    try:
        return source.layer(0)
    finally:
        source.close()


def characters(content):
    return characters_of(layer_of(content).text)


def codes(page):
    return [finding.code for finding in page.findings]


class CharactersTest(unittest.TestCase):
    def test_words_and_places(self):
        """Letters lie on their base line in pixels of 300 dpi; spaces part words."""
        found = characters(text("Port Ellory", 72, 700, size=24))
        self.assertEqual("".join(found.letters), "PortEllory")
        self.assertEqual(np.flatnonzero(found.parted).tolist(), [0, 4])
        self.assertAlmostEqual(found.origins[0, 1], (842 - 700) * 300 / 72, delta=1)
        self.assertAlmostEqual(found.size[0], 100, delta=0.1)
        self.assertTrue((found.boxes[:, 3] > found.boxes[:, 1]).all())

    def test_print_made_bold_by_drawing_twice(self):
        """What is drawn again in nearly the same place is there once; letters side by side stay."""
        once = characters(text("letters", 72, 700))
        twice = characters(text("letters", 72, 700) + text("letters", 72.4, 700))
        self.assertEqual("".join(twice.letters), "letters")
        self.assertEqual(len(once), len(twice))

    def test_accents_drawn_by_themselves(self):
        """An accent over the letter that follows makes one letter of both."""
        found = characters(text("\xb4", 80.5, 700) + text("e", 80, 700) + text("te", 86.1, 700))
        self.assertEqual("".join(found.letters), "éte")

    def test_ellipses_and_soft_hyphens(self):
        """Leaders are told by their dots; a hyphen that is not seen is left out."""
        found = characters(text("a\x85b", 72, 700))
        self.assertEqual("".join(found.letters), "a...b")
        self.assertTrue((np.diff(found.boxes[:, 0]) > 0).all())

    def test_chosen_ones_stay_parted(self):
        """White between letters counts though letters between them are left out."""
        found = characters(text("ab c d", 72, 700))
        kept = found.chosen(np.array([True, False, False, True]))
        self.assertEqual(kept.parted.tolist(), [True, True])


class PageTest(unittest.TestCase):
    def test_paragraphs_heading_and_styles(self):
        """A page is taken from its layer: kinds, words with boxes, bold and italic from fonts."""
        content = text("Harbour notes", 72, 760, "F2", 20) + paragraph()
        page = read(content + text("Every word counts", 72, 640, "F4"))
        self.assertEqual(
            (page.origin, page.findings, page.dpi), (Origin.TEXT_LAYER, [], (300, 300))
        )
        kinds = [block.kind for block in page.blocks]
        self.assertEqual(kinds[:2], [BlockKind.HEADING, BlockKind.PARAGRAPH])
        self.assertEqual(page.blocks[1].text, " ".join(PROSE))
        self.assertEqual(page.blocks[0].origin, Origin.TEXT_LAYER)
        self.assertEqual(page.confidence, 1.0)
        words = list(page.words)
        self.assertEqual(words[0].styles, {Style.BOLD})
        self.assertEqual(words[-1].styles, {Style.ITALIC})
        self.assertAlmostEqual(words[0].box.x0, 72 * 300 / 72, delta=8)

    def test_boxes_are_those_of_the_ink(self):
        """Words lie where reading the ink finds them."""
        content = paragraph(size=14)
        layer, ink = read(content), read(content, "ignore")
        self.assertEqual(ink.origin, Origin.SCAN)
        for one, other in zip(layer.words, ink.words, strict=True):
            self.assertEqual(one.text, other.text)
            self.assertLess(np.abs(np.array(one.box) - np.array(other.box)).max(), 4)

    def test_two_columns_drawn_in_rows(self):
        """Reading order comes from places, not from the order in which a file draws."""
        left = [
            "The water of the bay rose for six hours and",
            "fell again before night came down",
        ] * 12
        right = [
            "A boat was sent out to look for the missing",
            "buoy and came back with nothing",
        ] * 12
        rows = [
            text(one, 60, 700 - 14 * n, size=10) + text(other, 320, 700 - 14 * n, size=10)
            for n, (one, other) in enumerate(zip(left, right, strict=True))
        ]
        page = read("".join(rows))
        self.assertEqual(page.text.split(), " ".join(left + right).split())

    def test_turned_pages_and_text_up_the_side(self):
        """A page on its side is set upright; what runs up a page is a label apart."""
        upright = read(paragraph() + paragraph(y=600))
        for degrees in (90, 180, 270):
            page = read(paragraph() + paragraph(y=600), Rotate=degrees)
            self.assertEqual([b.text for b in page.blocks], [b.text for b in upright.blocks])
            self.assertEqual(page.rotation, degrees)
        aside = text("Printed at the light", 40, 300, size=8, matrix=(0, 1, -1, 0))
        page = read(paragraph() + paragraph(y=600) + aside)
        [label] = [block for block in page.blocks if block.kind is BlockKind.LABEL]
        self.assertEqual((label.text, label.rotation), ("Printed at the light", 270))
        self.assertGreater(label.box.height, 3 * label.box.width)

    def test_tilted_words(self):
        """Words set aslant, as a stamp is, are a label apart with a quad."""
        slant = (0.866, 0.5, -0.5, 0.866)
        page = read(paragraph() + text("Copy of the keeper", 150, 400, "F2", 30, matrix=slant))
        [label] = [block for block in page.blocks if block.kind is BlockKind.LABEL]
        self.assertEqual((label.text, label.rotation), ("Copy of the keeper", 0))
        (x0, y0), (x1, y1), *_ = label.lines[0].quad
        self.assertAlmostEqual(np.degrees(np.arctan2(y1 - y0, x1 - x0)), -30, delta=2)

    def test_raised_and_lowered_figures(self):
        """Small figures off the line are signs of their own in words; whole ones have a style."""
        note = text("tide", 72, 700) + text("2", 90.5, 704, size=6) + text("and H", 100, 700)
        note += text("2", 130.4, 698, size=6) + text("O", 134, 700) + text("see 14", 150, 700)
        words = list(read(note + text("12", 190, 704, size=6)).words)
        self.assertEqual([word.text for word in words], ["tide²", "and", "H₂O", "see", "14", "12"])
        self.assertEqual([word.styles for word in words][-2:], [set(), {Style.SUPERSCRIPT}])

    def test_rules_make_tables(self):
        """Lines of a grid are rules, without a pixel: its cells come as a table."""
        rows = [("Gauge", "Level", "Time"), ("North", "3.20", "06:10"), ("South", "2.75", "06:25")]
        content = "0.8 w\n"
        for number, row in enumerate(rows):
            for column, cell in enumerate(row):
                content += text(cell, 80 + 120 * column, 686 - 24 * number)
        for number in range(4):
            content += f"72 {702 - 24 * number} m 432 {702 - 24 * number} l S\n"
            content += f"{72 + 120 * number} 702 m {72 + 120 * number} 630 l S\n"
        page = read(paragraph(y=800) + content)
        [table] = [block for block in page.blocks if block.kind is BlockKind.TABLE]
        self.assertEqual(table.table.to_rows(), [list(row) for row in rows])

    def test_letters_to_the_left(self):
        """A line of letters that run to the left is kept in the order of reading."""
        pdf = pikepdf.open(io.BytesIO(layered(text("tra", 72, 700, size=20) * 1)))
        font = pdf.pages[0].Resources.Font.F1
        rows = "".join(
            f"<{ord(a):02X}> <{ord(b):04X}>\n" for a, b in zip("tra", "אבג", strict=True)
        )
        font.ToUnicode = pdf.make_stream(
            b"/CIDInit /ProcSet findresource begin 12 dict begin begincmap\n"
            b"1 begincodespacerange <00> <FF> endcodespacerange\n3 beginbfchar\n"
            + rows.encode()
            + b"endbfchar\nendcmap end end"
        )
        out = io.BytesIO()
        pdf.save(out)
        page = read(out.getvalue(), "only")
        [line] = [line for block in page.blocks for line in block.lines]
        self.assertEqual((line.text, line.direction.value), ("גבא", "rtl"))
        self.assertTrue((np.diff(line.character_boxes[:, 0]) < 0).all())


class TrustTest(unittest.TestCase):
    def verdict(self, content, **page):
        layer = layer_of(content, **page)
        found = characters_of(layer.text)
        return judged(layer, found, seen_on(layer, found), LayerSettings())

    def test_good_layers(self):
        """Prose is trusted; so is a page of too few words to tell."""
        self.assertIs(self.verdict(paragraph()).trust, Trust.GOOD)
        self.assertIs(self.verdict(text("3.20 m", 72, 700)).trust, Trust.GOOD)

    def test_garbled_words_are_held_against_the_ink(self):
        """Words of no language are in doubt; they stay where the page shows just them."""
        garbled = [line.translate(str.maketrans("aeiounrst", "qzxkvjwyp")) for line in PROSE]
        content = paragraph(lines=garbled) + paragraph(y=600, lines=garbled)
        self.assertIs(self.verdict(content).trust, Trust.DOUBTFUL)
        self.assertEqual(read(content).origin, Origin.TEXT_LAYER)

    def test_a_wrong_map_is_seen(self):
        """A font whose letters are mapped to others is read from ink instead, and that is said."""
        pdf = pikepdf.open(io.BytesIO(layered(paragraph() + paragraph(y=600))))
        rows = "".join(f"<{c:02X}> <{c + 3:04X}>\n" for c in range(0x21, 0x7B))
        pdf.pages[0].Resources.Font.F1.ToUnicode = pdf.make_stream(
            b"/CIDInit /ProcSet findresource begin 12 dict begin begincmap\n"
            b"1 begincodespacerange <00> <FF> endcodespacerange\n90 beginbfchar\n"
            + rows.encode()
            + b"endbfchar\nendcmap end end"
        )
        out = io.BytesIO()
        pdf.save(out)
        page = read(out.getvalue())
        self.assertEqual(
            (page.origin, codes(page)), (Origin.SCAN, [FindingCode.TEXT_LAYER_IGNORED])
        )
        self.assertIn(PROSE[0], page.text)
        self.assertIn("say something else", page.findings[0].message)
        self.assertNotIn(PROSE[0], read(out.getvalue(), "only").text)

    def test_an_older_layer_over_a_scan(self):
        """Words without ink over a picture are not taken for what stands on it."""
        scan = picture_of(paragraph(size=12))
        wrong = "3 Tr " + text("quite other words than these", 72, 700)
        page = read(layered(WHOLE + wrong, picture=scan))
        self.assertEqual(
            (page.origin, codes(page)), (Origin.SCAN, [FindingCode.TEXT_LAYER_IGNORED])
        )
        self.assertIn(PROSE[0], page.text)
        self.assertNotIn("other words", page.text)

    def test_an_earlier_reading_that_is_right_is_kept(self):
        """An older layer that says what the scan shows is kept, with its doubt; the worse is not.

        A sentence of it that lies where the scan is empty is hidden text.
        """
        shown = paragraph(size=12) + paragraph(y=600, size=12)
        scan = picture_of(shown)
        own = "3 Tr " + shown + text("nobody sees this", 72, 300)
        page = read(layered(WHOLE + own, picture=scan))
        said = [FindingCode.EARLIER_READING, FindingCode.HIDDEN_TEXT]
        self.assertEqual((page.origin, codes(page)), (Origin.TEXT_LAYER, said))
        self.assertEqual(page.blocks[0].text, " ".join(PROSE))
        self.assertNotIn("nobody", page.text)
        misread = [line.replace("h", "li").replace("e", "c") for line in PROSE]
        worse = (
            "3 Tr " + paragraph(size=12, lines=misread) + paragraph(y=600, size=12, lines=misread)
        )
        page = read(layered(WHOLE + worse, picture=scan))
        self.assertEqual(page.origin, Origin.SCAN)
        self.assertIn("reading it anew is better", page.findings[0].message)
        # told to use the layer alone, it is used as it is
        self.assertIn(misread[0], read(layered(WHOLE + worse, picture=scan), "only").text)

    def test_text_over_a_background(self):
        """Words printed over a picture that fills the page are taken from the layer."""
        rows = np.linspace(225, 250, 842).astype(np.uint8)
        content = WHOLE + paragraph(size=14) + paragraph(y=600, size=14)
        page = read(layered(content, picture=np.repeat(rows[:, None], 595, 1)))
        self.assertEqual(page.origin, Origin.TEXT_LAYER)
        self.assertEqual(page.blocks[0].text, " ".join(PROSE))

    def test_hidden_text_is_left_out(self):
        """White, covered, tiny, invisible words and those off the page are counted, not told."""
        secret = "nobody sees this"
        ways = {
            "white": "1 g " + text(secret, 72, 500) + "0 g ",
            "covered": text(secret, 72, 500) + "1 g 70 495 200 20 re f 0 g ",
            "white over print": "1 g " + text(secret, 72, 700) + "0 g ",
            "tiny": text(secret, 72, 500, size=0.4),
            "no ink": text(secret, 72, 500, before="3 Tr"),
            "off the page": text(secret, 700, 500),
        }
        for name, hidden in ways.items():
            with self.subTest(name):
                page = read(paragraph() + hidden)
                self.assertEqual(page.origin, Origin.TEXT_LAYER)
                self.assertEqual(page.text, " ".join(PROSE))
                if name != "off the page":
                    self.assertEqual(codes(page), [FindingCode.HIDDEN_TEXT])
                    # a letter may lie over the same one of the print
                    self.assertRegex(page.findings[0].message, "^1[34] characters")

    def test_light_words_on_dark_ground(self):
        """White words are seen where the ground is dark."""
        dark = "0.2 g 60 490 300 30 re f 1 g " + text("Storm signals", 72, 500) + "0 g "
        page = read(dark + paragraph())
        self.assertIn("Storm signals", page.text)
        self.assertEqual(codes(page), [])


class MixedTest(unittest.TestCase):
    def test_text_in_a_picture_is_read(self):
        """A picture among text is read; what the layer says stays as it is, and nothing twice."""
        shown = picture_of(paragraph(x=72, y=700, size=13), 150)[200:420, 100:]
        place = f"q {shown.shape[1] * 0.48} 0 0 {shown.shape[0] * 0.48} 60 420 cm /Im0 Do Q\n"
        content = paragraph(y=780, lines=["Letters from the light " * 3] * 4) + place
        page = read(layered(content, picture=shown))
        self.assertEqual(page.origin, Origin.MIXED)
        found = " ".join(word.text for word in page.words)
        self.assertIn("harbour light wrote the level", found)
        self.assertEqual(found.count("Letters from the light"), 12)
        origins = {line.origin for block in page.blocks for line in block.lines}
        self.assertEqual(origins, {Origin.SCAN, Origin.TEXT_LAYER})

    def test_ink_without_text(self):
        """Rows of letters that no character lies on are found; rules and plain areas are not."""
        layer = layer_of(paragraph() + "0.5 w 72 600 m 500 600 l S 0.9 g 72 400 300 100 re f")
        found = characters_of(layer.text)
        self.assertEqual(len(unread_areas(layer, found)), 0)
        none = found.chosen(np.zeros(len(found), bool))
        areas = unread_areas(layer, none)
        self.assertEqual(len(areas), 3)
        self.assertAlmostEqual(areas[0, 1], (842 - 711) * 300 / 72, delta=20)

    def test_only_and_ignore(self):
        """A user may trust every layer, or none."""
        scan = picture_of(paragraph(size=12))
        file = layered(WHOLE, picture=scan)
        self.assertEqual(
            (read(file, "only").text, read(file, "only").origin), ("", Origin.TEXT_LAYER)
        )
        page = read(paragraph(size=14), "ignore")
        self.assertEqual((page.origin, page.text), (Origin.SCAN, " ".join(PROSE)))


def with_notes():
    """A page with a link, a filled field and a note, in a file with outline and attachment."""
    pdf = pikepdf.open(io.BytesIO(layered(paragraph())))
    page = pdf.pages[0]
    fonts = pikepdf.Dictionary(Font=page.Resources.Font)

    def look(words):
        drawn = pdf.make_stream(text(words, 2, 5).encode())
        drawn.Type, drawn.Subtype = pikepdf.Name.XObject, pikepdf.Name.Form
        drawn.BBox, drawn.Resources = [0, 0, 200, 20], fonts
        return pikepdf.Dictionary(N=drawn)

    def note(kind, box, **facts):
        return pdf.make_indirect(
            pikepdf.Dictionary(
                Type=pikepdf.Name.Annot, Subtype=pikepdf.Name(kind), Rect=box, F=4, **facts
            )
        )

    def link(uri, box):
        return note("/Link", box, A=pikepdf.Dictionary(S=pikepdf.Name.URI, URI=uri))

    entry = note("/Widget", [72, 540, 272, 560], FT=pikepdf.Name.Tx, T="q", AP=look("Ellory Quay"))
    page.obj.Annots = pdf.make_indirect(
        [
            link("https://quay.example/tides?day=(1)", [72, 697, 192, 712]),
            link("javascript:alert(1)", [195, 697, 300, 712]),
            entry,
            note("/FreeText", [72, 500, 272, 520], AP=look("Asked twice")),
        ]
    )
    pdf.Root.AcroForm = pikepdf.Dictionary(Fields=[entry])
    with pdf.open_outline() as outline:
        part = pikepdf.OutlineItem("Tides", 0)
        part.children.append(pikepdf.OutlineItem("Springs", 0))
        outline.root.append(part)
    pdf.attachments["levels.csv"] = b"1,2"
    pdf.Root.PageLabels = pikepdf.Dictionary(Nums=[0, pikepdf.Dictionary(S=pikepdf.Name.r, St=4)])
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


class FileTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.document = aq.read_document(with_notes())

    def test_notes_and_fields_belong_to_the_page(self):
        """What was typed into a form or set as a note is read, from layer and from ink."""
        ink = aq.read_document(
            with_notes(), settings=Settings().with_values({"layer.use": "ignore"})
        )
        for document in (self.document, ink):
            texts = [block.text for block in document.pages[0].blocks]
            self.assertEqual(texts, [" ".join(PROSE), "Ellory Quay", "Asked twice"])

    def test_links(self):
        """Links to the net stand in Markdown; those that run something do not."""
        [link] = self.document.pages[0].blocks[0].links
        self.assertEqual(PROSE[0][link.start : link.end], "The keeper of the harbour")
        text = self.document.to_markdown()
        self.assertIn(
            "[The keeper of the harbour](https://quay.example/tides?day=%281%29) light", text
        )
        self.assertNotIn("javascript", text)

    def test_outline_labels_and_attachments(self):
        """What the file says of itself is kept, and comes back from its record."""
        facts = self.document.file
        self.assertEqual(
            [(e.level, e.title, e.page) for e in facts.outline],
            [(1, "Tides", 1), (2, "Springs", 1)],
        )
        self.assertEqual((facts.page_labels, facts.attachments), (["iv"], ["levels.csv"]))
        record = document_record(self.document, {})
        self.assertEqual(record["pages"][0]["label"], "iv")
        self.assertEqual(file_from_record(record), facts)

    def test_records_keep_origin_and_links(self):
        """A page read back from its record has the same links and origins."""
        page = self.document.pages[0]
        again = page_from_record(page_record(page, "d"))
        for one, other in zip(page.blocks, again.blocks, strict=True):
            self.assertEqual((one.links, one.origin), (other.links, other.origin))
        words = zip(page.words, again.words, strict=True)
        self.assertTrue(all(one.link == other.link for one, other in words))


if __name__ == "__main__":
    unittest.main()
