"""Grids prove themselves by their own cells: lines made in code, no picture."""

import unittest

import numpy as np

from amberquarry import Block, BlockKind, Box, Line, Page, Word
from amberquarry.assembly import assemble, leave_out_doubtful
from amberquarry.tables.grids import cells_in, in_columns, proven, with_columns_beside
from amberquarry.tables.placing import TableFacts, place_tables

LETTER = 20.0


def line(text, x, y, confidence=0.9, letter=10.0):
    """Return a line with letters ten pixels wide; two spaces in a row are a gap of a cell."""
    words, at = [], 0
    for part in text.split():
        start = text.index(part, at)
        at = start + len(part)
        box = Box(x + letter * start, y, x + letter * at, y + 16)
        words.append(Word(part, box, confidence, start, at))
    none = np.zeros((len(text), 4), np.float32)
    box = Box(x, y, x + letter * len(text), y + 16)
    return Line(text, box, confidence, words, none, none[:, 0], x_height=9.0)


def rows(texts, columns, y, pitch=30):
    """Return a line for each cell; '' is an empty cell."""
    return [
        line(text, x, y + pitch * number)
        for number, row in enumerate(texts)
        for text, x in zip(row, columns, strict=True)
        if text
    ]


def block(lines, kind=BlockKind.TABLE):
    """Return a block of lines."""
    return Block(kind, Box.around([own.box for own in lines]), lines)


ITEMS = [
    ("Item", "Qty", "Amount"),
    ("Rope", "3", "12.40"),
    ("Lamp oil", "2", "7.10"),
    ("Anchor", "1", "99.00"),
]
ADDRESS = [("Ada Penrose", "Date", "03/02/2031"), ("4 Rope Walk", "No.", "7781"),
           ("Port Ellory", "Customer", "40-12")]  # fmt: skip


class ProvenTest(unittest.TestCase):
    def kinds(self, blocks):
        return [(b.kind, " ".join(own.text for own in b.lines)) for b in blocks]

    def test_a_grid_stays_whole(self):
        """Rows of one pitch whose cells share edges are a table."""
        [table] = proven(block(rows(ITEMS, (100, 400, 600), 100)), LETTER)
        self.assertIs(table.kind, BlockKind.TABLE)
        self.assertEqual(len(table.lines), 12)

    def test_address_and_labels_over_a_grid_are_text(self):
        """An address comes line by line, each label with its value; the grid is the table."""
        lines = [
            *rows(ADDRESS, (80, 430, 640), 100, 22),
            *rows(ITEMS, (100, 400, 600), 300),
        ]
        found = self.kinds(proven(block(lines), LETTER))
        self.assertEqual(
            found[:4],
            [
                (BlockKind.PARAGRAPH, "Ada Penrose 4 Rope Walk Port Ellory"),
                (BlockKind.PARAGRAPH, "Date 03/02/2031"),
                (BlockKind.PARAGRAPH, "No. 7781"),
                (BlockKind.PARAGRAPH, "Customer 40-12"),
            ],
        )
        self.assertEqual([kind for kind, _ in found[4:]], [BlockKind.TABLE])

    def test_sums_under_a_grid_are_text(self):
        """Sums after wider white keep their amounts beside them."""
        lines = [
            *rows(ITEMS, (100, 400, 600), 100),
            *rows([("Net", "118.50"), ("Total", "142.20")], (470, 640), 290, 22),
        ]
        found = self.kinds(proven(block(lines), LETTER))
        self.assertEqual([kind for kind, _ in found].count(BlockKind.TABLE), 1)
        self.assertIn((BlockKind.PARAGRAPH, "Net 118.50"), found)
        self.assertIn((BlockKind.PARAGRAPH, "Total 142.20"), found)

    def test_columns_of_addresses_are_no_grid(self):
        """The foot of a letter comes column by column."""
        foot = [
            ("Quay Stores", "Bank: Harbour Bank", "Tel. 0410 5655"),
            ("9 Chandler Row", "Account: 40 7731", "office@quay.example"),
            ("Port Ellory", "", ""),
        ]
        lines = rows(foot, (100, 400, 700), 900, 22)
        found = self.kinds(in_columns(block(lines, BlockKind.PARAGRAPH), LETTER, pairs=True))
        self.assertEqual(found[0], (BlockKind.PARAGRAPH, "Quay Stores 9 Chandler Row Port Ellory"))
        self.assertNotIn(BlockKind.TABLE, [kind for kind, _ in found])

    def test_lists_and_terms_stay_row_by_row(self):
        """Markers before items, and terms beside their meanings, make no columns of text."""
        marked = rows([("•", "Oil the pump"), ("•", "Wind the clock")] * 2, (100, 160), 100)
        terms = rows([(f"term {n}", f"what it means {n}") for n in range(7)], (100, 400), 100)
        for lines in (marked, terms):
            own = block(lines, BlockKind.PARAGRAPH)
            self.assertEqual(in_columns(own, LETTER, pairs=False), [own])
        [kept] = proven(block(terms), LETTER)
        self.assertEqual([own.text for own in kept.lines[:2]], ["term 0", "what it means 0"])

    def test_many_short_cells_are_a_grid_without_values(self):
        """Rows of letters of an alphabet, all full, are more columns than any text has."""
        letters = [("A a", "B b", "C c", "D d", "E e"), ("F f", "G g", "H h", "I i", "J j")] * 2
        [found] = proven(block(rows(letters, (100, 220, 340, 460, 580), 100)), LETTER)
        self.assertIs(found.kind, BlockKind.TABLE)

    def test_counted_lines_of_a_listing_stay_together(self):
        """The numbers of its lines are no column of text, however far its lines are set in."""
        listing = [
            ("89", "def today():", ""),
            ("90", "", "number = day"),
            ("91", "", "number += 1"),
            ("92", "return number", ""),
        ]
        own = block(rows(listing, (60, 130, 420), 100, 24), BlockKind.PARAGRAPH)
        self.assertEqual(in_columns(own, LETTER, pairs=False), [own])

    def test_a_few_terms_stay_with_their_meanings(self):
        """Also where white cuts them off the rest; an address beside words does not."""
        terms = [("random point", "random(E)"), ("order", "ellcard(E)"), ("heights", "ellheight")]
        [found] = proven(block(rows(terms, (100, 500), 100)), LETTER)
        self.assertEqual([own.text for own in found.lines], [text for row in terms for text in row])
        beside = [("Ada Penrose", "Please keep"), ("4 Rope Walk", "this sheet"), ("Ellory", "dry")]
        found = proven(block(rows(beside, (100, 500), 100)), LETTER)
        self.assertEqual(found[0].lines[1].text, "4 Rope Walk")

    def test_justified_lines_stay_lines(self):
        """Narrow lines whose words are driven apart to one edge are read line by line."""
        texts = (("manual", "page"), ("user", "configu-"), ("ration", "of"))
        lines = []
        for number, (first, last) in enumerate(texts):
            y = 100 + 24 * number
            lines += [line(first, 100, y), line(last, 400 - 10 * len(last), y)]
        [found] = proven(block(lines), LETTER)
        self.assertEqual([own.text for own in found.lines], [t for row in texts for t in row])

    def test_a_receipt_is_a_grid_of_two_columns(self):
        """Items with amounts are a grid where no other table is there; sums beside one are not."""
        items = [(f"Item {n}", f"{n}.40") for n in range(1, 6)]
        lines = rows(items, (100, 500), 100)
        paragraph = block(lines, BlockKind.PARAGRAPH)
        [found] = place_tables([paragraph], TableFacts([], [], [], LETTER))
        self.assertIs(found.kind, BlockKind.TABLE)
        sums = block(rows([("Net", "1.40"), ("VAT", "2.50"), ("Total", "3.90")], (400, 600), 400),
                     BlockKind.PARAGRAPH)  # fmt: skip
        table = block(rows(ITEMS, (100, 400, 600), 100))
        found = place_tables([table, sums], TableFacts([], [], [], LETTER))
        self.assertEqual([b.kind for b in found], [BlockKind.TABLE, BlockKind.PARAGRAPH])

    def test_a_column_cut_off_comes_back(self):
        """Amounts in step with the rows belong to them; text in step with few does not."""
        table = block(rows(ITEMS, (100, 400, 600), 100))
        balance = block(rows([("Balance",), ("10.00",), ("11.00",), ("12.00",)], (900,), 100),
                        BlockKind.PARAGRAPH)  # fmt: skip
        [whole] = with_columns_beside([table, balance], LETTER)
        self.assertEqual([own.text for own in whole.lines[3::4]],
                         ["Balance", "10.00", "11.00", "12.00"])  # fmt: skip
        note = block(rows([("Ask at",), ("the office",)], (900,), 100, 22), BlockKind.PARAGRAPH)
        self.assertEqual(len(with_columns_beside([table, note], LETTER)), 2)

    def test_addresses_side_by_side_come_one_after_the_other(self):
        """Each is read for itself; labels with their values stay row by row."""
        two = [("Ada Penrose", "Tomas Fell"), ("4 Rope Walk", "17 Harbour Lane"),
               ("PE4 Port Ellory", "PE2 Port Ellory")]  # fmt: skip
        lines = rows(two, (80, 700), 100, 22)
        found = self.kinds(in_columns(block(lines, BlockKind.PARAGRAPH), LETTER, pairs=False))
        self.assertEqual(
            [text for _, text in found],
            [
                "Ada Penrose 4 Rope Walk PE4 Port Ellory",
                "Tomas Fell 17 Harbour Lane PE2 Port Ellory",
            ],
        )
        facts = [
            ("Keeper", "Ada Penrose"),
            ("Room", "4 Rope Walk"),
            ("Since", "the spring of 2031"),
        ]
        own = block(rows(facts, (80, 700), 100, 22), BlockKind.PARAGRAPH)
        self.assertEqual(in_columns(own, LETTER, pairs=False), [own])

    def test_values_far_from_their_labels_come_back(self):
        """Numbers in step with labels belong to them; so does a lone amount, but no page number."""
        labels = block(rows([("Account",), ("Date",), ("Sheet",)], (80,), 100, 24),
                       BlockKind.PARAGRAPH)  # fmt: skip
        values = block(rows([("40 1526 7731",), ("03.03.2031",), ("1/1",)], (700,), 100, 24),
                       BlockKind.PARAGRAPH)  # fmt: skip
        [found] = self.kinds(with_columns_beside([labels, values], LETTER))
        self.assertEqual(found[1], "Account 40 1526 7731 Date 03.03.2031 Sheet 1/1")
        one = block([line("Opening balance", 80, 100)], BlockKind.PARAGRAPH)
        for text, blocks in (("2.471,77", 1), ("12", 2)):
            other = block([line(text, 700, 100)], BlockKind.PARAGRAPH)
            self.assertEqual(len(with_columns_beside([one, other], LETTER)), blocks, text)

    def test_prose_beside_prose_stays_apart(self):
        """Lines of two columns in step are no labels with values."""
        left = block(rows([("of the quay",), ("and its lamps",)], (80,), 100, 24),
                     BlockKind.PARAGRAPH)  # fmt: skip
        right = block(rows([("were trimmed",), ("in 1888 and",)], (700,), 100, 24),
                      BlockKind.PARAGRAPH)  # fmt: skip
        self.assertEqual(len(with_columns_beside([left, right], LETTER)), 2)

    def test_spaces_of_a_typewriter_part_no_cells(self):
        """Where spaces are wide, cells need more white than these."""
        wide = line("Paper roll for recorder", 0, 0)
        for word in wide.words[1:]:
            word.box = Box(word.box.x0 + 5, 0, word.box.x1 + 5, 16)
        self.assertEqual(len(cells_in(wide)), 1)
        self.assertEqual(len(cells_in(line("Paper roll      12.40", 0, 0))), 2)


class DoubtfulWordsTest(unittest.TestCase):
    def test_text_and_words_alike(self):
        """A word below the wanted confidence stands neither in the text nor among the words."""
        own = line("sure xqzv also sure", 100, 100)
        own.words[1].confidence = 0.2
        page = Page(1, 900, 900, None, blocks=[block([own], BlockKind.PARAGRAPH)])
        leave_out_doubtful([page], 0.5)
        assemble([page])
        [found] = page.blocks[0].lines
        self.assertEqual((found.text, page.text), ("sure also sure", "sure also sure"))
        for word in found.words:
            self.assertEqual(found.text[word.start : word.end], word.text)
        self.assertEqual(len(found.character_boxes), len(found.text))

    def test_nothing_left(self):
        """Lines and blocks without a sure word go; without a limit all stay."""
        page = Page(1, 900, 900, None, blocks=[block([line("xqzv", 0, 0, 0.1)])])
        leave_out_doubtful([page], 0.0)
        self.assertEqual(len(page.blocks), 1)
        leave_out_doubtful([page], 0.5)
        self.assertEqual(page.blocks, [])
