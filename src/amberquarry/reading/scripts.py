"""Letters that look alike in several scripts are settled by the word they stand in."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from statistics import median

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.typography import LOW_LETTERS

_PAIRS = [
    ("A", "А", "Α"),
    ("B", "В", "Β"),
    ("C", "С", ""),
    ("E", "Е", "Ε"),
    ("H", "Н", "Η"),
    ("I", "І", "Ι"),
    ("J", "Ј", ""),
    ("K", "К", "Κ"),
    ("M", "М", "Μ"),
    ("N", "", "Ν"),
    ("O", "О", "Ο"),
    ("P", "Р", "Ρ"),
    ("S", "Ѕ", ""),
    ("T", "Т", "Τ"),
    ("X", "Х", "Χ"),
    ("Y", "У", "Υ"),
    ("Z", "", "Ζ"),
    ("a", "а", ""),
    ("c", "с", ""),
    ("e", "е", ""),
    ("i", "і", ""),
    ("j", "ј", ""),
    ("o", "о", "ο"),
    ("p", "р", ""),
    ("s", "ѕ", ""),
    ("x", "х", ""),
    ("y", "у", ""),
    ("v", "", "ν"),
    ("ï", "ї", ""),
    ("ë", "ё", ""),
    ("Ë", "Ё", ""),
    ("Ï", "Ї", ""),
    ("k", "к", "κ"),
    ("ó", "", "ό"),
    ("ß", "", "β"),
    ("u", "", "υ"),
]
_AS_FIGURES = str.maketrans("lIOoЗОо", "1100300")
_AMONG_FIGURES = re.compile(r"(?<!\S)(?=\S*\d\S*\d)(?=\S*[lIOoЗОо])[\dlIOoЗОо.,:/–-]+(?!\S)")
# An old-style nought read as a letter after one figure; languages that write "1o" for the first.
_OLD_NOUGHT = re.compile(r"(?<![^\s(])([1-9]|\d[.,])o(?![^\s.,;:!?)])")
_HEXADECIMAL = re.compile(r"(?<!\S)l(?=[A-F](?!\S))")  # a small l before a capital is a figure
# A colour as sheets of styles write it, in base sixteen; words as "#CODE" have such letters too.
_COLOUR = re.compile(
    r"(?<=#)(?:(?=\w*\d)[\dA-FO]{3,4}|(?=\w*(?:\d|OO))(?:[\dA-FO]{6}|[\dA-FO]{8}))(?!\w)"
)
_WITH_FIRST_O = frozenset(("es", "fr", "it", "pt", "ro"))
# Languages in which sentences begin with the word "O"; a nought there that letters follow; its
# confidence from which it is one.
_WITH_LONE_O = frozenset(("cs", "es", "it", "pl", "pt", "sk"))
_LONE_NOUGHT = re.compile(r"(?:^|(?<=[.!?] ))0(?= [^\W\d_])")
_CLEAR_INK = 0.95
# Capitals that are small letters enlarged; how high these stand at most, in x-heights.
_ONE_SHAPE = frozenset("COSVWXZВГЖЗИКЛМНОПСТХЦЧШЩЪЫЬЭЮЯΟ")
_SMALL_LETTER = 1.15
# Words run together with capitals between, as names in programs; how high another capital stands
# there, in those heights.
_WITH_INNER_CAPITAL = re.compile(r"[a-zа-я][A-ZА-Я]")
_AS_HIGH = (0.9, 1.1)
# Words joined by strokes below, as constants of programs are; small letters that rise above others;
# how much higher than others these are at least.
_JOINED = re.compile(r"[^\W\d_]\w*_\w*[^\W\d_]")
_RISING = frozenset("bdfhklt")
_RISEN = 1.2
# A stroke that ends a word of capitals, read as a small letter.
_STROKE_AMONG_CAPITALS = re.compile(r"(?<=[A-Z]{3})[liι](?![^\W_])")
# Romanian writes a comma below, Turkish a cedilla, where faces draw both alike.
_COMMA_BELOW, _CEDILLA = str.maketrans("ŞşŢţ", "ȘșȚț"), str.maketrans("Șș", "Şş")
_TO: dict[str, dict[str, str]] = {"LATIN": {}, "CYRILLIC": {}, "GREEK": {}}
for _latin, _cyrillic, _greek in _PAIRS:
    for _name, _own in (("LATIN", _latin), ("CYRILLIC", _cyrillic), ("GREEK", _greek)):
        for _other in (_latin, _cyrillic, _greek):
            if _own and _other and _other != _own:
                _TO[_name].setdefault(_other, _own)
# Cyrillic capitals that look like Latin ones or, З, like the figure three.
_LATIN_SHAPES = {"З", *filter(str.isupper, _TO["LATIN"])}
# Look-alikes that are no letters of a language in Cyrillic; where it is not known, Macedonian's.
_LACKING = {
    "be": "ЇїЈјЅѕ",
    "bg": "ІіЇїЈјЅѕ",
    "mk": "ІіЇї",
    "ru": "ІіЇїЈјЅѕ",
    "sr": "ІіЇїЅѕ",
    "uk": "ЈјЅѕ",
}
_RARE = "Ѕѕ"
# Letters of other scripts that some faces draw nearly like Latin ones.
_NEAR = {
    "CYRILLIC": dict(zip("ntum", "птит", strict=True)),
    "GREEK": dict(zip("aitwnpy", "αιτωηργ", strict=True)),
}
_LEAST_NAME = 3  # letters of a word that is Latin in a line of another script
_SHARED = {letter for row in _PAIRS[:33] for letter in row if letter}


def script_of(letter: str) -> str | None:
    """Return LATIN, CYRILLIC or GREEK, None for anything else."""
    if not letter.isalpha():
        return None
    name = unicodedata.name(letter, "").split(" ")[0]
    return name if name in _TO else None


def _votes(text: str) -> list[str]:
    return [
        script
        for letter in text
        if letter not in _SHARED and (script := script_of(letter)) is not None
    ]


def main_script(texts: Iterable[str]) -> str | None:
    """Return the script of most letters that only one script has, None where there are none."""
    votes = Counter(script for text in texts for script in _votes(text))
    return max(sorted(votes), key=lambda script: votes[script]) if votes else None


def settle_figures(text: str, language: str | None = None) -> str:
    """Return `text` with letters that look like figures read as figures among figures.

    Only in words of nothing but figures, their points and strokes, and such letters, with at least
    two figures; the letter o, which old-style noughts look like, after one figure as well, but not
    in languages that write "1o" for the first. The text keeps its length.
    """
    text = _AMONG_FIGURES.sub(lambda match: match[0].translate(_AS_FIGURES), text)
    text = _HEXADECIMAL.sub("1", text)
    text = _COLOUR.sub(lambda match: match[0].replace("O", "0"), text)
    if language is None or language in _WITH_FIRST_O:
        return text
    return _OLD_NOUGHT.sub(lambda match: f"{match[1]}0", text)


def settle_case(text: str, heights: NDArray[np.floating]) -> str:
    """Return `text` with capitals that are no higher than the small letters of their word as such.

    In words of which a third are small letters: letters that have one shape in both cases, whose
    size the net sees, but not always what it says, and small capitals after the first letter. In
    names of programs with capitals between, letters of one shape as high as these are capitals. A
    small l or i that ends a word of capitals is an I. Constants of programs in smaller type are
    read as small capitals: words joined by strokes below whose letters are of one height are in
    capitals. Keeps the length.

    heights: (N,), from the line's foot to the top of each character.
    """
    signs, rise = list(text), heights.tolist()
    every = [rise[n] for n, sign in enumerate(signs) if sign in LOW_LETTERS]
    usual = median(every) if every else 0.0
    for match in re.finditer(r"[^\W\d_]+", text):
        own = range(match.start(), match.end())
        low = [rise[n] for n in own if signs[n] in LOW_LETTERS]  # words may differ in size
        if not low or 3 * sum(map(str.islower, match[0])) < len(match[0]):
            continue
        # in slanted type the dot of an "i" may stand over the letter after it
        small = min(median(low), usual)
        for n in own:
            either = signs[n] in _ONE_SHAPE or (n > match.start() and len(signs[n].lower()) == 1)
            if either and rise[n] < _SMALL_LETTER * small:
                signs[n] = signs[n].lower()
        if not _WITH_INNER_CAPITAL.search(match[0]):
            continue
        high = median(rise[n] for n in own if text[n].isupper())
        for n in own:
            as_high = high * _AS_HIGH[0] < rise[n] < high * _AS_HIGH[1]
            if signs[n].upper() in _ONE_SHAPE and as_high and rise[n] > _RISEN * small:
                signs[n] = signs[n].upper()
    for match in _JOINED.finditer(text):
        letters = [n for n in range(*match.span()) if text[n].isalpha()]
        even = max(rise[n] for n in letters) < _RISEN * min(rise[n] for n in letters)
        if even and any(text[n] in _RISING for n in letters):
            for n in letters:
                signs[n] = signs[n].upper() if len(signs[n].upper()) == 1 else signs[n]
    return _STROKE_AMONG_CAPITALS.sub("I", "".join(signs))


def settle_articles(text: str, confidences: NDArray[np.float32], language: str | None) -> str:
    """Return `text` with a lone nought at the start of a sentence or line read as the word "O".

    In languages with such a word, before letters, and only where the ink was not clear. The text
    keeps its length. confidences: (N,), of the characters.
    """
    if language not in _WITH_LONE_O:
        return text
    return _LONE_NOUGHT.sub(
        lambda match: "O" if confidences[match.start()] < _CLEAR_INK else match[0], text
    )


def settle_cedillas(text: str, language: str | None) -> str:
    """Return `text` with the marks below letters that the language writes. Keeps the length."""
    if language == "ro":
        return text.translate(_COMMA_BELOW)
    return text.translate(_CEDILLA) if language == "tr" else text


def settle_brackets(text: str) -> str:
    """Return `text` with angle brackets read as round ones where a round one is their partner.

    So are closing ones whose partner stands on no line of signs such as |a⟩. Keeps the length.
    """
    if "⟨" not in text and "⟩" not in text:
        return text
    signs, opened = list(text), []
    for at, sign in enumerate(signs):
        if sign in "(⟨":
            opened.append(at)
        elif sign in ")⟩":
            if opened:
                first = opened.pop()
                if (signs[first] == "(") != (sign == ")"):
                    signs[first], signs[at] = "(", ")"
            elif sign == "⟩" and "|" not in text:
                signs[at] = ")"
    return "".join(signs)


@dataclass(frozen=True, slots=True)
class PageLetters:
    """What the whole page says of the letters of a line."""

    script: str | None = None
    language: str | None = None
    listed: Collection[str] = ()  # words of the language, in small letters
    listed_latin: Collection[str] = ()  # words that stand in Latin letters wherever they stand

    def writes(self, script: str, letter: str) -> bool:
        """Return whether a letter has a form in a script that the language writes with."""
        form = _in_script(letter, script)
        lacking = _LACKING.get(self.language or "", _RARE)
        return script_of(form) == script and form not in lacking


def _in_script(word: str, script: str) -> str:
    return "".join(
        letter if script_of(letter) == script else _TO[script].get(letter, letter)
        for letter in word
    )


def settle_scripts(text: str, page: PageLetters | None = None) -> str:
    """Return `text` with the look-alikes of each word in the script of its other letters.

    A word of look-alikes only takes the script of the line, or of the page where the line has
    none, if each of its letters has a form there that the language writes with: "ISO" stays Latin
    in Russian and Greek. So do words of the list for Latin script that the language's own lacks:
    "exec", "HTTP". A word in Latin letters alone among others is the listed one that looks nearly
    like it: "ot" is "от". The text keeps its length.
    """
    page = page or PageLetters()
    line = main_script([text]) or page.script

    def settle(match: re.Match[str]) -> str:
        word = match[0]
        if word[-1] == "ς" and len(word) >= _LEAST_NAME and word[:-1].isupper():
            word = f"{word[:-1]}S"  # the last sigma of a word in small letters
        own = main_script([word])
        beside = text[: match.start()], text[match.end() :]
        as_figure = own == "CYRILLIC" and page.script == "LATIN" and set(word) <= _LATIN_SHAPES
        if as_figure and main_script(beside) != own:  # "3A" in a table, not a word of Russian
            own, word = page.script, word.replace("З", "3")
        if own == "LATIN" and line == page.script and line in _NEAR:
            next_to = beside[0].split()[-1:] + beside[1].split()[:1]
            near = _in_script("".join(_NEAR[line].get(letter, letter) for letter in word), line)
            if near.lower() in page.listed and main_script(next_to) in (line, None):
                return near
        script = own or line
        if script is None:
            return word
        if not own and not all(page.writes(script, letter) for letter in word):
            script = next(
                (s for s in _TO if all(page.writes(s, letter) for letter in word)), script
            )
        settled = _in_script(word, script)
        if own or settled.lower() in page.listed:
            return settled
        # Greek letters stand alone in formulas: they bind words of three letters and more
        if len(word) < _LEAST_NAME:
            return word if script == "GREEK" else settled
        latin = _in_script(word, "LATIN")
        return latin if latin.lower() in page.listed_latin else settled

    # parts of a name with strokes or figures in it are of one script
    return re.sub(r"[^\W\d_](?:\w*[^\W\d_])?", settle, text)
