"""Fields of forms: labels with what was entered on a line or in a box beside them."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import groupby, pairwise

from amberquarry.sheet.measuring import lean_median
from amberquarry.sheet.typography import rows_of, type_size
from amberquarry.values import Block, BlockKind, Box, Line, Style, Word


@dataclass(frozen=True, slots=True)
class Entry:
    """A place to write in: a line or a box with its label; lengths in letters."""

    fewest: int = 4  # fields that make a form
    thin: float = 0.5  # thickness of a line to write on, at most
    line: float = 3.0  # length of a line to write on, or of a box, at least
    same_ends: float = 0.8  # by which the edges of one box end apart
    cell: tuple[float, float] = (1.3, 6.0)  # height of a box to write in
    tall: float = 26.0  # height of a box with sides, at most
    longest_label: int = 50  # letters
    most_letters: int = 150  # in a box: a text in a frame is no field
    over: float = 1.1  # that its last row stands over its line
    under: float = 0.5  # that its last row hangs below its line
    row: float = 3.3  # between the feet of two rows of one entry
    gap: float = 1.25  # x-heights between a label and its entry in one box
    to_line: float = 2.0  # from a label to its line
    space: float = 0.9  # between the words of a label, at most
    tall_word: float = 1.5  # higher words may be the sides of boxes
    side: float = 0.7  # of a box's height, that is no letter but its side


ENTRY = Entry()
_SIDES = frozenset("|[]lI1!¦/\\")  # as which upright strokes are read
_KINDS = (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.TABLE)


@dataclass(slots=True)
class _Piece:
    """A word on its page, with the line that it stands in."""

    word: Word
    line: Line
    foot: float  # where most of its letters end, without those that hang below


@dataclass(slots=True)
class _Field:
    label: list[_Piece] = field(default_factory=list)
    entry: list[_Piece] = field(default_factory=list)

    @property
    def label_letters(self) -> int:
        """How many letters its label has."""
        return sum(len(piece.word.text) for piece in self.label)


def place_fields(
    blocks: list[Block], rules: list[Box], frames: list[Box], letter: float
) -> list[Block]:
    """Return blocks with the fields of a form as labels and entries, each label before its entry.

    rules: boxes of rules and of what they make up. frames: those that enclose a free area.
    letter: usual height of the letters.
    """
    lying = [r for r in rules if r.height < ENTRY.thin * letter and r.width > ENTRY.line * letter]
    boxes = [f for f in frames if ENTRY.cell[0] * letter < f.height < ENTRY.tall * letter]
    if len(lying) + len(boxes) < ENTRY.fewest:
        return blocks
    lines = [line for block in blocks if block.kind in _KINDS for line in block.lines]
    pieces = [
        _Piece(word, line, lean_median(line.character_boxes[word.start : word.end, 3]))
        for line in lines
        for word in line.words
    ]
    pieces = [
        piece
        for piece in pieces
        if piece.word.box.height < ENTRY.tall_word * letter or not set(piece.word.text) <= _SIDES
    ]
    edges = _frames(lying, [piece.word.box for piece in pieces], letter)
    boxes += [Box(top.x0, top.y0, top.x1, foot.y1) for top, foot in edges]
    framing = {rule for pair in edges for rule in pair}
    under = [rule for rule in lying if rule not in framing]
    fields = [_boxed(box, pieces) for box in boxes]
    fields += [_on_line(rule, lying, pieces, letter) for rule in under]
    fields = [own for own in fields if 0 < own.label_letters < ENTRY.longest_label]
    if len(fields) < ENTRY.fewest:
        return blocks
    return _without_sides(_with_fields(blocks, fields), boxes, letter)


def _without_sides(blocks: list[Block], boxes: list[Box], letter: float) -> list[Block]:
    """Return blocks without the sides of boxes, which were read as upright strokes."""

    def is_side(word: Word) -> bool:
        return set(word.text) <= _SIDES and any(
            any(word.box.x0 - letter < x < word.box.x1 + letter for x in (box.x0, box.x1))
            and word.box.height > ENTRY.side * box.height
            and box.y0 - letter < word.box.middle[1] < box.y1 + letter
            for box in boxes
        )

    out = []
    for block in blocks:
        if not any(is_side(word) for line in block.lines for word in line.words):
            out.append(block)
            continue
        kept = [[word for word in line.words if not is_side(word)] for line in block.lines]
        lines = [line.part(words) for line, words in zip(block.lines, kept, strict=True) if words]
        if lines:
            out.append(block.part(block.kind, lines))
    return out


def _frames(rules: list[Box], words: list[Box], letter: float) -> list[tuple[Box, Box]]:
    """Return the upper and lower edges of boxes whose short sides are no rules.

    Rules of a table part a row from the next; between two boxes nothing is written.
    """
    found: list[tuple[Box, Box]] = []
    waiting = sorted(rules, key=lambda rule: rule.y0)
    while waiting:
        first = waiting[0]
        group = [
            rule
            for rule in waiting
            if max(abs(rule.x0 - first.x0), abs(rule.x1 - first.x1)) < ENTRY.same_ends * letter
        ]
        waiting = [rule for rule in waiting if not any(rule is other for other in group)]
        pairs: list[tuple[Box, Box]] = []
        while len(group) > 1:
            top, foot = group[:2]
            high = ENTRY.cell[0] * letter < foot.y1 - top.y0 < ENTRY.cell[1] * letter
            framed = high and not any(
                top.y0 < word.middle[1] < foot.y1 and 0 < top.x0 - word.x1 < ENTRY.to_line * letter
                for word in words
            )  # else two lines to write on under each other
            if framed:
                pairs.append((top, foot))
            group = group[2 if framed else 1 :]
        between = [
            Box(above.x0, above.y1, above.x1, below.y0)
            for (_, above), (below, _) in pairwise(pairs)
            if below.y0 - above.y1 < ENTRY.cell[1] * letter
        ]
        written = sum(any(gap.contains(*word.middle) for word in words) for gap in between)
        if 2 * written < max(1, len(between)):  # a heading may stand between two rows of boxes
            found += pairs
    return found


def _boxed(box: Box, pieces: list[_Piece]) -> _Field:
    """Return the field in a box: its label comes first, a wide gap or a colon parts its entry."""
    inside = [p for p in pieces if box.contains(*p.word.box.middle)]
    if not inside or sum(len(piece.word.text) for piece in inside) > ENTRY.most_letters:
        return _Field()
    lines = [line for row in rows_of(_unique(inside)) for line in row]
    inside.sort(
        key=lambda p: (next(n for n, other in enumerate(lines) if other is p.line), p.word.start)
    )
    for number in range(1, len(inside)):
        before, after = inside[number - 1], inside[number]
        gap = after.word.box.x0 - before.word.box.x1
        if (
            before.word.text.endswith(":")
            or after.word.box.y0 > before.word.box.y1
            or gap > ENTRY.gap * min(before.line.x_height, after.line.x_height)
        ):
            return _Field(inside[:number], inside[number:])
    return _Field(inside)


def _on_line(rule: Box, rules: list[Box], pieces: list[_Piece], letter: float) -> _Field:
    """Return the field whose entry stands on a line: its rows upwards, the label to their left.

    What stands over another of the form's `rules` belongs to that one.
    """
    edge = max(
        (r.y1 for r in rules if r.y1 < rule.y0 and r.x0 < rule.x1 and rule.x0 < r.x1), default=0.0
    )
    over = sorted(
        (
            p
            for p in pieces
            if rule.x0 - 0.5 * letter < p.word.box.middle[0] < rule.x1 + 0.5 * letter
            and p.word.box.middle[1] > edge
        ),
        key=lambda p: -p.foot,
    )
    foot = rule.y0
    entry: list[_Piece] = []
    for piece in over:
        rise = foot - piece.foot
        most = ENTRY.over if not entry else ENTRY.row
        bold = [Style.BOLD in p.word.styles for p in (piece, *entry[:1])]
        alike = not entry or bold[0] == bold[1]  # a heading may stand over it
        begins = _begin_of(piece, letter) > rule.x0 - 0.5 * letter
        if -ENTRY.under * letter < rise < most * letter and alike and (begins or not entry):
            entry.append(piece)
            foot = min(foot, piece.foot)
    top = min((p.word.box.y0 for p in entry), default=rule.y0 - 1.5 * letter)
    if any(
        top < p.word.box.middle[1] < rule.y1 and 0 < p.word.box.x0 - rule.x1 < ENTRY.space * letter
        for p in pieces
    ):
        return _Field()  # words underlined in running text
    row = [
        p
        for p in pieces
        if top - 0.5 * letter < p.word.box.middle[1] < rule.y1
        and p.word.box.x1 < rule.x0 + letter
        and not any(p is other for other in entry)
    ]
    return _Field(_leading(row, rule.x0, letter), entry)


def _begin_of(piece: _Piece, letter: float) -> float:
    """Return where the words of a line begin that lead up to one with no wide gap among them."""
    x = piece.word.box.x0
    for word in reversed([w for w in piece.line.words if w.start < piece.word.start]):
        if x - word.box.x1 > ENTRY.space * letter:
            break
        x = word.box.x0
    return x


def _leading(row: list[_Piece], x: float, letter: float) -> list[_Piece]:
    """Return the words of a row that lead up to x, with no wide gap among them."""
    label: list[_Piece] = []
    for piece in sorted(row, key=lambda p: -p.word.box.x1):
        if x - piece.word.box.x1 > (ENTRY.space if label else ENTRY.to_line) * letter:
            break
        label.insert(0, piece)
        x = piece.word.box.x0
    return label


def _unique(pieces: list[_Piece]) -> list[Line]:
    return list(dict.fromkeys(p.line for p in pieces))


def _with_fields(blocks: list[Block], fields: list[_Field]) -> list[Block]:
    """Return blocks without the words of fields, and these row by row where their first was."""
    made: list[tuple[list[Line], list[Line]]] = []
    owner: dict[Word, int] = {}
    for number, own in enumerate(fields):
        for part in (own.label, own.entry):
            for piece in part:
                owner.setdefault(piece.word, number)
    for number, own in enumerate(fields):
        label, entry = (
            _lines_of([p for p in part if owner[p.word] == number])
            for part in (own.label, own.entry)
        )
        made.append((label, entry))
    placed: set[int] = set()
    out: list[Block] = []
    for block in blocks:
        run: list[Line] = []
        for line in block.lines:
            for words, owned in _runs(line, owner):
                if owned is None:
                    run.append(line if len(words) == len(line.words) else line.part(words))
                    continue
                if run:
                    out.append(block.part(_plain(block), run))
                    run = []
                if owned not in placed:
                    placed.add(owned)
                    for kind, lines in zip(
                        (BlockKind.LABEL, BlockKind.ENTRY), made[owned], strict=True
                    ):
                        if lines:
                            out.append(Block(kind, Box.around([line.box for line in lines]), lines))
        if run:
            out.append(block.part(_plain(block), run))
        elif not block.lines:
            out.append(block)
    return _rows_in_order(out)


def _rows_in_order(blocks: list[Block]) -> list[Block]:
    """Return blocks with fields that follow each other set row by row, each from left to right.

    The rows are those of the first lines of labels: an entry may be higher than its neighbours.
    """
    out: list[Block] = []
    for of_form, group in groupby(blocks, lambda b: b.kind in (BlockKind.LABEL, BlockKind.ENTRY)):
        if not of_form:
            out += group
            continue
        fields: dict[Line, list[Block]] = {}
        first: Line | None = None
        for block in group:
            if first is None or block.kind is BlockKind.LABEL:
                first = block.lines[0]
            fields.setdefault(first, []).append(block)
        lines = [own[0].lines[0] for own in fields.values()]
        out += [block for row in rows_of(lines) for line in row for block in fields[line]]
    return out


def _plain(block: Block) -> BlockKind:
    return BlockKind.PARAGRAPH if block.kind is BlockKind.TABLE else block.kind


def _runs(line: Line, owner: dict[Word, int]) -> list[tuple[list[Word], int | None]]:
    """Return the words of a line in runs that belong to one field, or to none."""
    runs: list[tuple[list[Word], int | None]] = []
    for word in line.words:
        number = owner.get(word)
        if runs and runs[-1][1] == number:
            runs[-1][0].append(word)
        else:
            runs.append(([word], number))
    return runs


def _lines_of(pieces: list[_Piece]) -> list[Line]:
    """Return some words as lines, in rows."""
    found: dict[Line, list[_Piece]] = {}
    for piece in pieces:
        found.setdefault(piece.line, []).append(piece)
    lines = [
        own[0].line.part(sorted((p.word for p in own), key=lambda word: word.start))
        for own in found.values()
    ]
    for line in lines:  # an entry need not be as large as its label
        line.x_height = type_size(line.text, line.character_boxes) or line.x_height
    return [line for row in rows_of(lines) for line in row]
