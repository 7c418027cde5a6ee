import json
import tempfile
import unittest
from dataclasses import fields
from pathlib import Path

import jsonschema
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import amberquarry as aq
from amberquarry.errors import RunFolderError
from amberquarry.formats.records import dump, page_from_record, page_record, schema
from amberquarry.settings import Settings
from amberquarry.values import (
    Block,
    BlockKind,
    Box,
    Cell,
    Emphasis,
    Equation,
    Figure,
    Finding,
    FindingCode,
    Item,
    Line,
    Link,
    Origin,
    Page,
    Picture,
    PreparationStep,
    Step,
    Style,
    Table,
    Word,
)
from tests.support.pages import text_page

TENTHS = st.integers(0, 30_000).map(lambda n: n / 10)
BOXES = st.tuples(TENTHS, TENTHS, TENTHS, TENTHS).map(lambda box: Box(*box))
QUADS = st.none() | st.tuples(*[st.tuples(TENTHS, TENTHS)] * 4)
SURE = st.integers(0, 1000).map(lambda n: n / 1000)
TEXTS = st.text(st.characters(exclude_categories=("Cs", "Cc", "Z")), min_size=1, max_size=6)
STYLES = st.frozensets(st.sampled_from(list(Style)))


@st.composite
def lines(draw):
    """A line of words that stand one after the other in its text."""
    words, text = [], ""
    for own in draw(st.lists(TEXTS, min_size=1, max_size=4)):
        text += " " if text else ""
        box, quad = draw(BOXES), draw(QUADS)
        start, end = len(text), len(text) + len(own)
        repaired = draw(st.none() | TEXTS)
        link = draw(st.none() | st.just("https://quay.example/a"))
        words.append(Word(own, box, draw(SURE), start, end, quad, draw(STYLES), repaired, link))
        text += own
    none = np.zeros(0, np.float32)
    return Line(
        text,
        draw(BOXES),
        draw(SURE),
        words,
        none.reshape(0, 4),
        none,
        draw(QUADS),
        draw(TENTHS),
        draw(st.none() | st.tuples(*[st.tuples(TENTHS, TENTHS)] * 2)),
        draw(st.booleans()),
        draw(st.booleans()),
        origin=draw(st.sampled_from([Origin.SCAN, Origin.TEXT_LAYER])),
    )


@st.composite
def payloads(draw, kind):
    """What a block of a kind has."""
    picture = draw(st.none() | TEXTS.filter(lambda t: "/" not in t and t != ".").map(Picture))
    cells = st.builds(
        Cell,
        st.integers(0, 5),
        st.integers(0, 5),
        TEXTS,
        BOXES,
        st.integers(1, 3),
        st.integers(1, 3),
        st.booleans(),
    )
    found = {
        BlockKind.FIGURE: Figure(picture),
        BlockKind.EQUATION: Equation(picture),
        BlockKind.ITEM: Item(draw(st.none() | TEXTS), draw(st.integers(0, 4))),
        BlockKind.TABLE: Table(6, 6, draw(st.lists(cells, max_size=3)), draw(st.booleans())),
    }
    return found.get(kind)


@st.composite
def blocks(draw, number):
    """A block of any kind."""
    kind = draw(st.sampled_from(list(BlockKind)))
    links = st.builds(Link, st.integers(0, 9), st.integers(1, 9), st.just("mailto:a@b.example"))
    parts = st.builds(Emphasis, st.integers(0, 9), st.integers(1, 9), STYLES.filter(bool))
    return Block(
        kind,
        draw(BOXES),
        draw(st.lists(lines(), max_size=2)),
        draw(st.none() | st.integers(1, 6)),
        draw(TEXTS),
        draw(st.sampled_from([0, 90, 270])),
        draw(st.lists(parts, max_size=2)),
        draw(st.booleans()),
        draw(payloads(kind)),
        draw(st.none() | TEXTS),
        draw(st.none() | st.just("p1b1")),
        draw(st.lists(st.just("p9b9"), max_size=2)),
        f"p1b{number}",
        links=draw(st.lists(links, max_size=2)),
    )


@st.composite
def pages(draw):
    """A page as it is after its document was put together."""
    count = draw(st.integers(0, 3))
    steps = st.builds(PreparationStep, st.sampled_from(list(Step)), TEXTS)
    return Page(
        draw(st.integers(1, 99)),
        draw(st.integers(0, 9999)),
        draw(st.integers(0, 9999)),
        draw(st.none() | st.tuples(TENTHS, TENTHS)),
        draw(st.sampled_from([0, 90, 180, 270])),
        draw(st.integers(-500, 500)) / 100,
        blocks=[draw(blocks(number)) for number in range(1, count + 1)],
        findings=[Finding(FindingCode.LOW_CONFIDENCE, draw(TEXTS), 1)],
        to_points=draw(st.none() | st.tuples(*[TENTHS] * 6)),
        preparation=draw(st.lists(steps, max_size=2)),
        source_page=draw(st.integers(1, 99)),
        legibility=draw(st.integers(0, 10_000)) / 10_000,
    )


def plain(value):
    """A value with all that it holds as plain lists, to compare by; arrays aside."""
    if isinstance(value, np.ndarray):
        return None
    if hasattr(value, "__dataclass_fields__"):
        return [plain(getattr(value, own.name)) for own in fields(value)]
    return [plain(own) for own in value] if isinstance(value, list | tuple) else value


class RoundTripTest(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(pages())
    def test_nothing_is_lost(self, page):
        """A page comes back from its record as it was, and the record is the same again."""
        record = json.loads(dump(page_record(page, "d", source="a.pdf")))
        jsonschema.validate(record, schema("page"))
        back = page_from_record(record)
        self.assertEqual(plain(back), plain(page))

    def test_a_page_that_was_read(self):
        """What reading finds is all in the record, characters too where they are asked for."""
        page = aq.read_page(text_page(3).rotate(2, fillcolor=255, expand=True))
        record = json.loads(dump(page_record(page, "d", characters=True)))
        back = page_from_record(record)
        again = json.loads(dump(page_record(back, "d", characters=True)))
        self.assertEqual(again["blocks"], record["blocks"])
        line = back.blocks[0].lines[0]
        self.assertIsNotNone(line.quad)
        (x0, y0), (x1, y1) = line.baseline
        self.assertTrue(x0 < x1 and y0 > y1)  # turned counter-clockwise, lines rise
        self.assertGreater(line.x_height, 5)
        self.assertEqual(len(line.character_boxes), len(line.text))

    def test_records_of_schema_1(self):
        """They are read, without what they lack."""
        page = aq.read_page(text_page(2))
        record = page_record(page, "d")
        del record["schema"]
        for block in record["blocks"]:
            for line in block["lines"]:
                del line["x_height"], line["baseline"]
        back = page_from_record(record)
        self.assertEqual(back.text, page.text)
        self.assertIsNone(back.blocks[0].lines[0].baseline)

    def test_records_of_a_later_schema(self):
        """They are refused with a sentence."""
        record = {**page_record(Page(1, 9, 9, None), "d"), "schema": "9"}
        with self.assertRaisesRegex(ValueError, "schema 9 come from a later version"):
            page_from_record(record)


class OpenRunTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.root = Path(tempfile.mkdtemp())
        (cls.root / "scans").mkdir()
        for name, rows in (("a", 3), ("b", 4)):
            text_page(rows).save(cls.root / "scans" / f"{name}.png")
        (cls.root / "scans" / "c.pdf").write_bytes(b"%PDF-1.7 torn")
        aq.convert([cls.root / "scans"], cls.root / "run", jobs=1)

    def test_documents_come_back_as_they_were_read(self):
        """In the order of the inputs, by source or identifier, with their texts and settings."""
        run = aq.open_run(self.root / "run")
        self.assertEqual((len(run), run.sources), (2, ["a.png", "b.png"]))
        read = aq.read_document(self.root / "scans" / "a.png")
        own = run.document("a.png")
        self.assertEqual(own.to_markdown(), read.to_markdown())
        self.assertEqual(next(iter(run)).identifier, read.identifier)
        self.assertEqual(run.document(read.identifier).source, "a.png")
        self.assertIn("b.png", run)
        self.assertEqual(run.settings, Settings())
        [rejected] = run.rejected
        self.assertEqual(rejected["path"], "c.pdf")
        with self.assertRaisesRegex(KeyError, "no document 'z'"):
            run.document("z")

    def test_pages_one_by_one(self):
        """Pages come with their document's source; those not asked for are not parsed."""
        run = aq.open_run(self.root / "run")
        found = run.pages()
        self.assertEqual(next(found).source, "a.png")
        self.assertEqual([own.page.number for own in found], [1])

    def test_nothing_is_changed(self):
        """A run that was torn in the middle of a line is read as far as it goes, and left so."""
        torn = self.root / "torn"
        torn.mkdir()
        for name in ("documents.jsonl", "pages.jsonl", "summary.json"):
            data = (self.root / "run" / name).read_bytes()
            (torn / name).write_bytes(data[:-40] if name == "pages.jsonl" else data)
        before = (torn / "pages.jsonl").read_bytes()
        self.assertEqual(aq.open_run(torn).sources, ["a.png"])
        self.assertEqual((torn / "pages.jsonl").read_bytes(), before)

    def test_what_is_no_run(self):
        """It is said which folder to name."""
        with self.assertRaisesRegex(RunFolderError, "holds no run; name the --out folder"):
            aq.open_run(self.root / "scans")


class RegionTest(unittest.TestCase):
    def test_boxes_count_from_the_page(self):
        """A part of a page reads as it does within the page, at the same places."""
        image = text_page(8)
        whole = aq.read_page(image)
        wanted = whole.blocks[0].lines[3]
        x0, y0, x1, y1 = wanted.box
        part = aq.read_page(image, region=(x0 - 20, y0 - 12, x1 + 20, y1 + 12))
        self.assertEqual((part.width, part.height), image.size)
        [line] = [line for block in part.blocks for line in block.lines]
        self.assertEqual(line.text, wanted.text)
        for edge, other in zip(line.box, wanted.box, strict=True):
            self.assertAlmostEqual(edge, other, delta=1.5)

    def test_a_region_beside_the_page(self):
        """It is an error that says so."""
        with self.assertRaisesRegex(ValueError, "holds nothing of a"):
            aq.read_page(text_page(2), region=Box(9000, 0, 9100, 50))


if __name__ == "__main__":
    unittest.main()
