"""Markdown and records under any text: what is printed comes back as it was."""

import json
import unittest

import jsonschema
import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st
from markdown_it import MarkdownIt

from amberquarry import (
    Block,
    BlockKind,
    Box,
    Document,
    Finding,
    FindingCode,
    Line,
    Page,
    Style,
    Word,
)
from amberquarry.assembly import set_texts
from amberquarry.formats.markdown import document_text, escape, page_to_markdown
from amberquarry.formats.records import (
    document_record,
    dump,
    page_from_record,
    page_record,
    schema,
)
from amberquarry.reading.characters import ALPHABET
from amberquarry.scoring import score_page, total
from amberquarry.scoring.compare import match_words
from amberquarry.scoring.text import errors, errors_at_best_place, join_hyphens, plain
from amberquarry.settings import OutputSettings
from amberquarry.values import Item

PARSER = MarkdownIt("commonmark").enable(["table", "strikethrough"])
STYLE_OF_TAG = {
    "strong": Style.BOLD,
    "em": Style.ITALIC,
    "sup": Style.SUPERSCRIPT,
    "sub": Style.SUBSCRIPT,
}
MADE_BY = {"version": "0", "model": "x", "settings": "y"}

# what is read from a page: characters of the alphabet in words with single blanks
word_text = st.text(st.sampled_from(ALPHABET.replace(" ", "")), min_size=1, max_size=8)
markup = st.text(st.sampled_from(r"\`*_{}[]()#+-.!<>|~&;=: 1a"), min_size=1, max_size=30)
# rules, underlines of headings, empty items
ruled = st.text(st.sampled_from("--- ==1.)+*_a"), min_size=1, max_size=6).filter(
    lambda text: bool(text.strip())
)
some_styles = st.sampled_from(
    [
        frozenset(),
        frozenset({Style.BOLD}),
        frozenset({Style.BOLD, Style.ITALIC}),
        frozenset({Style.SUPERSCRIPT}),
    ]
)
line_text = st.lists(word_text, min_size=1, max_size=8).map(" ".join)


def shown(markdown):
    """Return block kinds and the text that a reader of the Markdown sees."""
    kinds, texts = [], []
    for token in PARSER.parse(markdown):
        if token.type == "inline":
            for child in token.children:
                if child.type in ("softbreak", "hardbreak"):
                    texts.append("\n")
                else:
                    kinds.append(child.type)
                    texts.append(child.content)
        elif token.type.endswith("_open") or token.nesting == 0:
            kinds.append(token.type)
    return kinds, "".join(texts)


def line(text, x=0.0, y=0.0, confidence=0.9):
    """Return a line of words ten pixels a character, and twenty high."""
    words, at = [], 0
    for part in text.split():
        start = text.index(part, at)
        at = start + len(part)
        box = Box(x + 10 * start, y, x + 10 * at, y + 20)
        words.append(Word(part, box, confidence, start, at))
    boxes = np.zeros((len(text), 4), np.float32)
    sure = np.full(len(text), confidence, np.float32)
    return Line(text, Box(x, y, x + 10 * len(text), y + 20), confidence, words, boxes, sure)


def block(texts, kind=BlockKind.PARAGRAPH, y=0.0, level=None):
    """Return a block of lines under each other."""
    lines = [line(text, y=y + 30 * number) for number, text in enumerate(texts)]
    joined = "\n".join(texts) if kind is BlockKind.TABLE else join_hyphens(texts)
    return Block(kind, Box.around([item.box for item in lines]), lines, level, joined)


def page(blocks, number=1):
    """Return a page that holds the blocks."""
    return Page(number, 1000, 1400, (300.0, 300.0), blocks=list(blocks))


def styled_block(lines):
    """Return a paragraph of lines of (word, styles)."""
    found = [line(" ".join(text for text, _ in words)) for words in lines]
    for item, words in zip(found, lines, strict=True):
        for word, (_, styles) in zip(item.words, words, strict=True):
            word.styles = styles
    result = Block(BlockKind.PARAGRAPH, Box.around([item.box for item in found]), found)
    set_texts([page([result])])
    return result


class EscapeTest(unittest.TestCase):
    @given(st.one_of(line_text, markup, ruled))
    @example("-- - -")
    @example("--- -")
    @example("=")
    @example("1. not an item")
    @example("- nor this")
    @example("# nor a heading")
    @example("<b>&amp;</b>")
    @example("a_b_c *d* `e` [f](g) ![h](i)")
    @example("=== under a line")
    @example("| a | b |")
    @example("http://a.example/b_c_d")
    @settings(max_examples=400)
    def test_text_comes_back(self, text):
        """A Markdown parser sees plain text and nothing else, whatever stands on the page."""
        text = " ".join(text.split())
        if not text:
            return
        kinds, seen = shown(escape(text))
        self.assertEqual(seen, text)
        self.assertLessEqual(set(kinds), {"paragraph_open", "text", "text_special"})

    @given(st.one_of(line_text, markup.map(lambda text: f"a {text.strip()} b #")))
    @example("# 1 #")
    @settings(max_examples=100)
    def test_headings_are_headings(self, text):
        """A heading block is one heading with its text."""
        heading = block([text], BlockKind.HEADING, level=2)
        kinds, seen = shown(page_to_markdown(page([heading])))
        self.assertEqual(seen, heading.text)
        self.assertEqual(kinds[0], "heading_open")

    @given(st.lists(st.one_of(line_text, ruled), min_size=1, max_size=5))
    @example(["a", "=", "b"])
    @example(["a", "--", "b"])
    @example(["a", "- - -", "b"])
    @settings(max_examples=150)
    def test_rows_stay_rows(self, rows):
        """The rows of a table block are lines of one paragraph."""
        rows = [" ".join(row.split()) for row in rows]
        kinds, seen = shown(page_to_markdown(page([block(rows, BlockKind.TABLE)])))
        self.assertEqual(seen.split("\n"), rows)
        self.assertEqual(kinds.count("paragraph_open"), 1)

    @given(st.one_of(line_text, ruled))
    @example("--")
    @example("= =")
    @settings(max_examples=100)
    def test_items_stay_items(self, text):
        """What stands behind a bullet is that item's text, whatever it is."""
        text = " ".join(text.split())
        item = block([f"• {text}"], BlockKind.ITEM)
        item.payload = Item("•")
        kinds, seen = shown(page_to_markdown(page([item])))
        self.assertEqual(seen, item.text.removeprefix("•").lstrip())
        self.assertEqual(kinds[:3], ["bullet_list_open", "list_item_open", "paragraph_open"])

    @given(st.lists(st.one_of(line_text, ruled), min_size=1, max_size=6), st.integers(1, 30))
    @example(["--- http://e.com and so on"], 8)
    @example(["= averylongwordthatfillsaline"], 8)
    @settings(max_examples=150)
    def test_broken_lines_are_the_same_text(self, texts, width):
        """Lines broken at a width hold the same paragraphs and items."""
        texts = [" ".join(text.split()) for text in texts]
        blocks = [block([text]) for text in texts]
        item = block([f"• {texts[0]}"], BlockKind.ITEM)
        item.payload = Item("•")
        whole = Document("0" * 32, "a", [page([item, *blocks])])
        made = OutputSettings(line_width=width, page_marks=False)
        kinds, seen = shown(document_text(whole, made)[0])
        wanted, text = shown(document_text(whole, OutputSettings(page_marks=False))[0])
        self.assertEqual(seen.replace("\n", " "), text)
        self.assertEqual(
            [kind for kind in kinds if kind != "text"], [k for k in wanted if k != "text"]
        )

    @given(st.lists(st.lists(line_text, min_size=1, max_size=3), min_size=1, max_size=4))
    @settings(max_examples=60)
    def test_blocks_stay_apart(self, texts):
        """Each paragraph of the page is a paragraph of the Markdown."""
        found = page(block(text, y=200 * n) for n, text in enumerate(texts))
        kinds, _ = shown(page_to_markdown(found))
        self.assertEqual(kinds.count("paragraph_open"), len(texts))

    @given(st.lists(line_text, min_size=1, max_size=4))
    @settings(max_examples=60)
    def test_spans_are_pages(self, texts):
        """A page's span holds just its own Markdown."""
        pages = [page([block([text])], n) for n, text in enumerate(texts, start=1)]
        document = Document("id", "book.pdf", pages)
        whole, spans = document_text(document)
        for found, (start, end) in zip(pages, spans, strict=True):
            self.assertEqual(whole[start:end], page_to_markdown(found))
        self.assertTrue(whole.endswith("\n"))

    @given(
        st.lists(
            st.tuples(
                st.one_of(line_text, markup.map(lambda text: " ".join(f"a {text} b".split()))),
                st.sampled_from(
                    [
                        BlockKind.PARAGRAPH,
                        BlockKind.FOOTNOTE,
                        BlockKind.CAPTION,
                        BlockKind.HEADING,
                        BlockKind.CODE,
                    ]
                ),
            ),
            min_size=1,
            max_size=5,
        ),
        st.integers(1, 30),
    )
    @example([("the tide - rose 1. by # four + marks", BlockKind.PARAGRAPH)], 8)
    @settings(max_examples=150)
    def test_wrapped_text_is_the_same_document(self, texts, width):
        """A parser sees the same tree in wrapped Markdown: line ends stand for spaces only."""
        document = Document("id", "book.pdf", [
            page(block([text], kind, y=100 * n, level=1 if kind is BlockKind.HEADING else None)
                 for n, (text, kind) in enumerate(texts))
        ])  # fmt: skip
        whole, wrapped = (
            shown(document_text(document, OutputSettings(line_width=most))[0])
            for most in (0, width)
        )
        self.assertEqual(
            [k for k in wrapped[0] if k != "text"], [k for k in whole[0] if k != "text"]
        )
        self.assertEqual(wrapped[1].split(), whole[1].split())

    @given(
        st.lists(st.lists(st.tuples(word_text, some_styles), min_size=1), min_size=1, max_size=4)
    )
    @example([[("1.", frozenset({Style.BOLD})), ("*", frozenset({Style.BOLD, Style.ITALIC}))]])
    @example([[("baro-", frozenset({Style.BOLD}))], [("meter", frozenset())]])
    @example([[("baro-", frozenset({Style.ITALIC}))], [("meter", frozenset({Style.ITALIC}))]])
    @settings(max_examples=200)
    def test_emphasis_is_seen(self, lines):
        """What is set apart on the page is set apart in the Markdown, word for word."""
        found = styled_block(lines)
        seen = []
        styles = set()
        for token in PARSER.parse(page_to_markdown(page([found])))[1].children:
            name = token.type.removesuffix("_open").removesuffix("_close")
            if token.type == "html_inline":
                name = token.content.strip("</>")
            if name in STYLE_OF_TAG:
                styles ^= {STYLE_OF_TAG[name]}
            seen += [(letter, frozenset(styles)) for letter in token.content if name == "text"]
        self.assertEqual("".join(letter for letter, _ in seen), found.text)
        whole = dict(enumerate(seen))
        for part in found.emphasis:
            for at in range(part.start, part.end):
                self.assertEqual(whole.pop(at)[1], part.styles)
        self.assertEqual({styles for _, styles in whole.values()} - {frozenset()}, set())

    def test_emphasis_of_joined_words(self):
        """Words of one style stand together; half a word is not set apart."""
        bold, plain_style = frozenset({Style.BOLD}), frozenset()
        for lines, expected in (
            ([[("the", bold), ("low", bold), ("tide", plain_style)]], "**the low** tide"),
            ([[("a", plain_style), ("baro-", bold)], [("meter", bold)]], "a **barometer**"),
            ([[("a", plain_style), ("baro-", bold)], [("meter", plain_style)]], "a barometer"),
        ):
            with self.subTest(expected):
                self.assertEqual(page_to_markdown(page([styled_block(lines)])), expected)


class RecordTest(unittest.TestCase):
    @given(st.lists(st.lists(line_text, min_size=1, max_size=3), max_size=4))
    @settings(max_examples=60)
    def test_pages_come_back(self, texts):
        """A page goes into its record and back, and the record keeps to its schema."""
        first = page(block(text, y=200 * n) for n, text in enumerate(texts))
        for word in list(first.words)[::2]:
            word.styles = frozenset({Style.ITALIC, Style.SUBSCRIPT})
        set_texts([first])
        first.findings.append(Finding(FindingCode.LOW_CONFIDENCE, "low", 1))
        record = json.loads(dump(page_record(first, "id", characters=True)))
        jsonschema.validate(record, schema("page"))
        again = page_from_record(record)
        self.assertEqual([w.text for w in again.words], [w.text for w in first.words])
        self.assertEqual([w.box for w in again.words], [w.box for w in first.words])
        self.assertEqual([b.text for b in again.blocks], [b.text for b in first.blocks])
        self.assertEqual(again.findings, first.findings)
        self.assertEqual([w.styles for w in again.words], [w.styles for w in first.words])
        self.assertEqual([b.emphasis for b in again.blocks], [b.emphasis for b in first.blocks])

    @given(st.lists(line_text, max_size=3))
    @settings(max_examples=60)
    def test_documents_keep_to_their_schema(self, texts):
        """Documents of any text give one valid line of JSON."""
        pages = [page([block([text])], n) for n, text in enumerate(texts, start=1)]
        written = dump(document_record(Document("id", "book.pdf", pages), MADE_BY))
        self.assertNotIn("\n", written)
        record = json.loads(written)
        jsonschema.validate(record, schema("document"))
        self.assertEqual([p["words"] for p in record["pages"]], [len(t.split()) for t in texts])

    def test_what_is_no_number_is_not_written(self):
        """JSON has no word for what is not a number."""
        with self.assertRaises(ValueError):
            dump({"confidence": float("nan")})


class MeasureTest(unittest.TestCase):
    @given(line_text, line_text)
    @settings(max_examples=200)
    def test_errors_are_a_distance(self, one, other):
        """Equal texts have none, and both directions agree."""
        self.assertEqual(errors(one, one), 0)
        self.assertEqual(errors(one, other), errors(other, one))
        self.assertLessEqual(errors(one, other), max(len(one), len(other)))
        self.assertGreaterEqual(errors(one, other), abs(len(one) - len(other)))

    @given(line_text, line_text, line_text)
    @settings(max_examples=100)
    def test_part_in_a_text_has_no_errors(self, before, part, after):
        """A part that stands in the text as it is costs nothing at its best place."""
        self.assertEqual(errors_at_best_place(part, f"{before} {part} {after}"), 0)

    @given(line_text)
    @settings(max_examples=100)
    def test_plain_form_is_settled(self, text):
        """The form in which texts are compared does not change a second time."""
        self.assertEqual(plain(plain(text)), plain(text))

    @given(st.lists(line_text, min_size=1, max_size=5))
    @settings(max_examples=80)
    def test_a_page_is_its_own_truth(self, texts):
        """Measured against itself a page is right in every way."""
        found = page([block([text], y=60 * n) for n, text in enumerate(texts)])
        score = total([score_page(found, found)])
        self.assertEqual((score.cer, score.wer), (0.0, 0.0))
        self.assertEqual((score.box_f1, score.word_f1), (1.0, 1.0))
        if score.order is not None:
            self.assertEqual(score.order, 1.0)

    def test_moved_boxes_are_other_places(self):
        """A box that covers the other less than by half is not in its place."""
        words = line("tide book").words
        near = [Word(w.text, Box(w.box.x0 + 5, *w.box[1:]), 0.9, w.start, w.end) for w in words]
        far = [
            Word(w.text, Box(w.box.x0 + 500, w.box.y0, w.box.x1 + 500, w.box.y1), 0.9, 0, 1)
            for w in words
        ]
        self.assertEqual(sorted(match_words(near, words)), [(0, 0), (1, 1)])
        self.assertEqual(match_words(far, words), [])
        self.assertEqual(match_words([], words), [])

    def test_reversed_order_is_told(self):
        """Blocks read backwards have their words, and no order."""
        texts = ["the keeper went", "a boat came in", "fog over water", "one lamp lit", "no wind"]
        blocks = [block([text], y=60 * n) for n, text in enumerate(texts)]
        score = total([score_page(page(blocks[::-1]), page(blocks))])
        self.assertEqual(score.word_f1, 1.0)
        self.assertLess(score.tau, 0)
        self.assertEqual(score.cer_any_order, 0.0)
        self.assertGreater(score.cer, 0.3)

    def test_tables_are_left_out(self):
        """What lies where the truth has a table counts neither for nor against."""
        text, table = block(["the tide went out"]), block(["1.20 4.71"], BlockKind.TABLE, y=300)
        whole = total([score_page(page([text, table]), page([text, table]))])
        without = total([score_page(page([text]), page([text, table]))])
        for name in ("cer", "wer", "box_f1", "order"):
            self.assertEqual(getattr(whole, name), getattr(without, name), name)

    def test_pages_weigh_by_what_is_on_them(self):
        """A short bad page does not outweigh a long good one."""
        long_page, short_page = page([block(["a" * 90])]), page([block(["b" * 10])])
        parts = [score_page(long_page, long_page), score_page(None, short_page)]
        self.assertAlmostEqual(total(parts).cer, 0.1)
        self.assertEqual(total(parts).pages, 2)
        self.assertIsNone(total([]).cer)
