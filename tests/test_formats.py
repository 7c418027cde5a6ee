import json
import unittest

import jsonschema
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from amberquarry import (
    Block,
    BlockKind,
    Box,
    Document,
    Finding,
    FindingCode,
    Line,
    Page,
    Step,
    Word,
)
from amberquarry.assembly import Lexicon, join_lines, set_texts
from amberquarry.formats.markdown import document_text, escape
from amberquarry.formats.records import document_record, dump, page_from_record, page_record, schema
from amberquarry.reading.languages import load_prior
from amberquarry.values import FileFacts, Item


def line_of(text, y=0.0):
    words, at = [], 0
    for part in text.split():
        start = text.index(part, at)
        at = start + len(part)
        words.append(Word(part, Box(10.0 * start, y, 10.0 * at, y + 20), 0.9, start, at))
    return Line(
        text,
        Box(0, y, 10.0 * len(text), y + 20),
        0.9,
        words,
        np.zeros((len(text), 4), np.float32),
        np.full(len(text), 0.9, np.float32),
    )


def page_of(*texts, kind=BlockKind.PARAGRAPH, number=1):
    blocks = [
        Block(kind, Box(0, 0, 500, 60), [line_of(t, 30.0 * i) for i, t in enumerate(lines)])
        for lines in texts
    ]
    page = Page(number, 800, 1000, (300.0, 300.0), blocks=blocks)
    set_texts([page])
    return page


class ParagraphTest(unittest.TestCase):
    def test_hyphens_at_line_ends(self):
        """Broken words are joined, compounds that the document holds and numbers are not."""
        for lines, lexicon, wanted in (
            (["the baro-", "meter fell"], set(), "the barometer fell"),
            (["a well-", "known gale"], {"well-known"}, "a well-known gale"),
            (["from 1911-", "1914 on"], set(), "from 1911-1914 on"),
            (["Orrelby-", "Farrant"], set(), "Orrelby-Farrant"),
            (["THE BARO-", "METER FELL"], set(), "THE BAROMETER FELL"),
            (["wind –", "rain"], set(), "wind – rain"),
            (["", "a", "", "b"], set(), "a b"),
        ):
            with self.subTest(lines=lines):
                self.assertEqual(join_lines(lines, Lexicon(frozenset(lexicon)))[0], wanted)

    def test_compounds_of_a_language(self):
        """Words that a language writes with a hyphen keep it; others that are divided lose it."""
        for language, left, right, whole in (
            ("en", "storm", "tossed", "storm-tossed"),
            ("en", "recog", "nise", "recognise"),
            ("en", "how", "ever", "however"),
            ("en", "MS-DOS", "based", "MS-DOS-based"),
            ("en", "well-to", "do", "well-to-do"),
            ("fr", "ci", "dessous", "ci-dessous"),
            ("fr", "mar", "chait", "marchait"),
            ("ru", "что", "нибудь", "что-нибудь"),
            ("ru", "погово", "рили", "поговорили"),
            ("de", "Elternpro", "zess", "Elternprozess"),
        ):
            with self.subTest(whole=whole):
                lexicon = Lexicon(frozenset(), load_prior(language))
                lines = [f"a {left}-", f"{right} b"]
                self.assertEqual(join_lines(lines, lexicon)[0], f"a {whole} b")

    @given(
        st.lists(
            st.text("abcdeABC12.,-\u00ad ", min_size=1, max_size=12).map(str.strip), max_size=6
        )
    )
    def test_joining_keeps_every_letter(self, lines):
        """Whatever lines end in, no letter or figure is lost, and each line is found again."""
        for prior in (None, load_prior("en")):
            text, starts = join_lines(lines, Lexicon(frozenset(), prior))
            self.assertEqual([c for c in text if c.isalnum()],
                             [c for line in lines for c in line if c.isalnum()])  # fmt: skip
            for line, start in zip(lines, starts, strict=True):
                # a hyphen at its end may be gone
                self.assertTrue(text[start:].startswith(line.rstrip("-\u00ad")), (line, text))

    def test_rows_of_tables_stay_lines(self):
        """What stands at one height is one row."""
        block = Block(
            BlockKind.TABLE,
            Box(0, 0, 500, 60),
            [line_of("Day", 0), line_of("Metres", 2), line_of("1", 40), line_of("3.20", 41)],
        )
        page = Page(1, 800, 1000, None, blocks=[block])
        set_texts([page])
        self.assertEqual(block.text, "Day   Metres\n1   3.20")


class MarkdownTest(unittest.TestCase):
    def test_markup_in_text_is_escaped(self):
        """Signs that Markdown would take as its own are shown as they are."""
        for text, wanted in (
            ("*a* _b_ `c`", r"\*a\* \_b\_ \`c\`"),
            ("# 4", r"\# 4"),
            ("1. tide", r"1\. tide"),
            ("- 5 m", r"\- 5 m"),
            ("<b>&amp;", r"\<b\>&amp;amp;"),
            ("a # b - c", "a # b - c"),
            ("3 < 4 | 5", r"3 \< 4 \| 5"),
            ("R&D", "R&D"),
        ):
            with self.subTest(text):
                self.assertEqual(escape(text), wanted)

    @given(st.lists(st.text("ab #*-1.<&é語", min_size=1, max_size=12), min_size=1, max_size=4))
    def test_spans_cut_out_each_page(self, texts):
        """The span of a page holds its text and no page mark."""
        pages = [page_of([text], number=n) for n, text in enumerate(texts, start=1)]
        markdown, spans = document_text(Document("d", "a.pdf", pages))
        for page, (start, end) in zip(pages, spans, strict=True):
            part = markdown[start:end]
            self.assertNotIn("<!--", part)
            self.assertEqual(part.strip(), escape(page.text.strip()) if page.text.strip() else "")

    def test_headings_have_their_level(self):
        """A heading is marked by its level."""
        page = page_of(["Gales"], kind=BlockKind.HEADING)
        page.blocks[0].level = 2
        self.assertIn("\n## Gales\n", document_text(Document("d", "a", [page]))[0])


class RecordTest(unittest.TestCase):
    def setUp(self):
        self.page = page_of(["the baro-", "meter fell"], ["next"])
        self.page.findings = [Finding(FindingCode.LOW_CONFIDENCE, "why", 1)]

    def test_schema_knows_every_kind_and_step(self):
        """What the code may write is what the schema allows."""
        fields = schema("page")["properties"]
        kinds = fields["blocks"]["items"]["properties"]["kind"]["enum"]
        steps = fields["preparation"]["items"]["properties"]["step"]["enum"]
        self.assertEqual(set(kinds), {kind.value for kind in BlockKind})
        self.assertEqual(set(steps), {step.value for step in Step})

    def test_lists_and_joints_come_back(self):
        """Marker, depth and what goes on are in the record and read back from it."""
        page = page_of(["1. lamps"], ["and ropes"], kind=BlockKind.ITEM)
        page.blocks[0].payload, page.blocks[1].payload = Item("1."), Item(None, 2)
        page.blocks[1].goes_on = True
        record = json.loads(dump(page_record(page, "d1")))
        jsonschema.validate(record, schema("page"))
        back = page_from_record(record).blocks
        self.assertEqual([(b.marker, b.depth, b.goes_on) for b in back],
                         [("1.", 0, False), (None, 2, True)])  # fmt: skip

    def test_records_keep_to_their_schemas(self):
        """Pages and documents are valid, and so are empty ones."""
        facts = FileFacts({"Title": "T"})
        document = Document("d1", "a.pdf", [self.page, Page(2, 0, 0, None)], [], facts)
        for page in document.pages:
            for characters in (False, True):
                jsonschema.validate(
                    json.loads(dump(page_record(page, "d1", characters))), schema("page")
                )
        made_by = {"version": "1", "model": "m", "settings": "s"}
        jsonschema.validate(
            json.loads(dump(document_record(document, made_by))), schema("document")
        )
        self.assertEqual(document.to_record()["title"], "T")
        self.assertEqual(document.to_markdown().count("<!-- page"), 2)

    def test_page_comes_back_from_its_record(self):
        """Reading a record and writing it again changes nothing."""
        record = page_record(self.page, "d1")
        self.assertEqual(page_record(page_from_record(record), "d1"), record | {"to_points": None})

    def test_queries(self):
        """Words by place, blocks by kind."""
        self.assertEqual([w.text for w in self.page.within(Box(45, 0, 75, 25))], ["baro-"])
        document = Document("d", "a", [self.page])
        self.assertEqual(len(list(document.blocks(BlockKind.PARAGRAPH))), 2)
        self.assertEqual(list(document.blocks(BlockKind.HEADING)), [])
