"""Draw the text of a training line: running text, loose words, and what stands in tables.

Real pages hold amounts, dates, codes and references besides sentences. Each kind has its
function here; `sample_text` picks one by weight.
"""

from __future__ import annotations

import random
import re
import string
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from amberquarry.reading.characters import ALPHABET

LANGUAGE_WEIGHTS = {
    "en": 30,
    "de": 8,
    "fr": 8,
    "es": 6,
    "it": 6,
    "pt": 4,
    "nl": 3,
    "pl": 4,
    "cs": 4,
    "da": 2,
    "sv": 2,
    "nb": 2,
    "fi": 2,
    "hu": 3,
    "ro": 3,
    "tr": 3,
    "ca": 1,
    "hr": 1,
    "sl": 1,
    "sk": 3,
    "lt": 2,
    "lv": 2,
    "el": 7,
    "ru": 9,
    "uk": 3,
    "bg": 2,
    "sr": 2,
    "mk": 1,
    "be": 1,
}
_LEAST_TEXT = 400_000  # characters of running text in a language of a script


@dataclass(frozen=True, slots=True)
class Script:
    """A script beside Latin, of which most faces have no letters."""

    languages: tuple[str, ...]
    letters: str  # a pattern for one of them
    marks: str  # letters by which it is known whether a face holds it
    share: float  # of the lines in faces that hold it


SCRIPTS = (
    Script(("ru", "uk", "bg", "sr", "mk", "be"), "[Ѐ-ӿ]", "жщяї", 0.4),
    Script(("el",), "[Ͱ-Ͽἀ-῿]", "λψήώ", 0.25),
)
_QUOTES = [
    ('"', '"'),
    ("“", "”"),
    ("„", "“"),
    ("«", "»"),
    ("‘", "’"),
    ("'", "'"),
    ("»", "«"),
    ("„", "”"),
    ("‹", "›"),
    ("⟨", "⟩"),
]
_MARKS = [".", ",", ";", ":", "?", "!", "...", ".", ",", " –", " —", ")", "’s", "-"]
_LOGOS = ["LATEX", "LATEX", "TEX", "TEX", "(LA)TEX", "BIBTEX", "PDFTEX", "LATEX 2ε"]
_ALPHABET = frozenset(ALPHABET)
_RARE = [c for c in ALPHABET if not c.isalnum() and c not in string.ascii_letters + " .,-"]
_MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
    "Jan.",
    "Feb.",
    "Mar.",
    "Apr.",
    "Aug.",
    "Sept.",
    "Oct.",
    "Nov.",
    "Dec.",
    "Januar",
    "Mai",
    "Juni",
    "mars",
    "avril",
    "août",
    "gennaio",
    "febbraio",
    "марта",
    "июля",
    "августа",
]
_UNITS = [
    "km",
    "m",
    "cm",
    "mm",
    "kg",
    "g",
    "mg",
    "l",
    "ml",
    "°C",
    "°F",
    "K",
    "Hz",
    "kHz",
    "MHz",
    "V",
    "mV",
    "A",
    "W",
    "kW",
    "kWh",
    "Pa",
    "hPa",
    "bar",
    "mol",
    "s",
    "ms",
    "min",
    "h",
    "px",
    "pt",
    "dpi",
    "€",
    "$",
    "£",
    "%",
    "‰",
    "m²",
    "m³",
    "km²",
    "ft",
    "in",
    "lb",
    "oz",
    "N",
    "J",
    "eV",
    "dB",
]


# Parts of programs, shell sessions and summaries of commands, two blanks between them: a, b and c
# are names, i and j letters, n a figure, o an operator, v a value, w a word.
_PROGRAM_PARTS = re.split(
    r"\s\s+",
    r"""{a}->{b}  {a}->{b}({c})  {a} -> {b}  {a}::{b}  ({a}, {b}) => {v}  {a}...  ...  [{a}...]
    {a} {o} {v}  {a} {o} {v}  {a}{o}{b}  {a}({b}, {v});  {a}[{b}]  {a}[{n}]  &{a}  *{a}++  !{a}
    ${a}  ${{{a}}}  $({a} {b})  @{a}  #{a}  {a}.{b}()  {a}.{b}.{c}  --{a}={v}  -{i} {b}  [--{a}]
    [-{i}|-{j}]  <{a}>  </{a}>  <{a} {b}="{c}">  [{a}]...  ({a} ({b} {c}))  {{{a}: {v}}}  {a}_{b}
    \{a}{{{b}}}  \{a}[{b}]{{{c}}}  ~/{a}/{b}.{j}  /{a}/{b}  {a}*  '{i}'  '\{i}'  0x{n}{i}{n}
    {a}:  {a};  // {w}  # {w}  /* {w} */  % {a}  `{a}`  C-{i}  M-{i}  ^{i}  if {a}  def {a}  $ {a}
    while {a}  return {a};  int {a}  char *{a}  let {a}  end {a}  else  {{  }}  }};  }})  (  )  [
    ]  |  \  &  ;  $  >  do  then  fi  ⟨{a}⟩  ⟨{a}⟩  {b}⟨{a}⟩  "{w}",  {n},  '{w}'  "{n}","{w}"
    {a}="{w}"  {b}='{w}'  ={v})  c("{b}", "{c}"  "{w}":  {n} {n} {n} ...  {a} ~ {b}  . ~ . - {a}
    [[{a}::{b}]]  [{n}] "{w}"  -{n}.{n}{n}e-0{n}  {n}{n}-{n}{n}-{n}{n}  {n}.{n}-{n}  -{n}.{n}{n}
    ^^{i}{n}  \{a}^{i}{j}  {a}{n}_{b}  {i}{n}  {j}[{i}, {n}]  %{i}%  {a}@{b}@{c}  {a} %>% {b}
    """.strip(),
)
_OPERATORS = re.split(" ", "== != <= >= < > && || + - * / % += = = := << | ^ ! ?")


@dataclass(frozen=True, slots=True)
class Corpus:
    """Paragraphs and words by language."""

    paragraphs: dict[str, list[str]]
    words: dict[str, list[str]]

    @classmethod
    def load(cls, folder: Path) -> Corpus:
        """Read what `training.corpus` wrote."""
        paragraphs, words = {}, {}
        for path in sorted(folder.glob("*.words")):
            words[path.stem] = path.read_text(encoding="utf-8").split("\n")[:-1]
            lines = path.with_suffix(".txt").read_text(encoding="utf-8").split("\n")[:-1]
            if lines:
                paragraphs[path.stem] = lines
        return cls(paragraphs, words)


def of_script(corpus: Corpus, script: Script) -> Corpus:
    """Return what of a corpus is written in a script.

    Languages with little running text get paragraphs of listed words: of texts that are met again
    and again the net would learn the wording.
    """
    one, chance = re.compile(script.letters), random.Random(script.letters)
    paragraphs, words = {}, {}
    for language in script.languages:
        listed = [word for word in corpus.words.get(language, []) if one.search(word)]
        if not listed:
            continue
        words[language] = listed
        found = [
            text
            for text in corpus.paragraphs.get(language, [])
            if len(one.findall(text)) > 0.5 * sum(map(str.isalpha, text))
        ]
        missing = _LEAST_TEXT - sum(map(len, found))
        while missing > 0:
            found.append(_sentences(listed, chance))
            missing -= len(found[-1])
        paragraphs[language] = found
    return Corpus(paragraphs, words)


def _sentences(words: list[str], chance: random.Random) -> str:
    """Return a paragraph of words that make no sense, set as sentences."""
    parts = []
    for _ in range(4):
        sentence = chance.choices(words, k=chance.randint(4, 12))
        sentence = [word + ("," if chance.random() < 0.1 else "") for word in sentence]
        parts.append(" ".join(sentence).rstrip(",").capitalize() + chance.choice("....?!:"))
    return " ".join(parts)


def _language(chance: random.Random, among: dict[str, list[str]]) -> str:
    names = [name for name in LANGUAGE_WEIGHTS if name in among]
    return chance.choices(names, [LANGUAGE_WEIGHTS[name] for name in names])[0]


def running(corpus: Corpus, chance: random.Random, length: int) -> str:
    """Return a piece of a paragraph that starts at a word."""
    paragraph = chance.choice(corpus.paragraphs[_language(chance, corpus.paragraphs)])
    start = chance.randrange(max(1, len(paragraph) - length))
    if start:
        start = paragraph.find(" ", start) + 1
    end = start + length
    if end < len(paragraph) and chance.random() < 0.9:
        end = max(paragraph.rfind(" ", start, end), start + 2)
    text = paragraph[start:end]
    if chance.random() < 0.08 and text[-1:].isalpha():
        text += "-"
    return text


def loose_words(corpus: Corpus, chance: random.Random, length: int) -> str:
    """Return words that make no sentence, with marks, quotes and brackets."""
    words = corpus.words[_language(chance, corpus.words)]
    parts: list[str] = []
    while sum(map(len, parts)) + len(parts) < length:
        word = chance.choice(words)
        draw = chance.random()
        if draw < 0.12:
            word = word.capitalize()
        elif draw < 0.18:
            word = word.upper()
        draw = chance.random()
        if draw < 0.15:
            word += chance.choice(_MARKS)
        elif draw < 0.19:
            left, right = chance.choice(_QUOTES)
            word = left + word + right
        elif draw < 0.22:
            word = "(" + word + ")"
        elif draw < 0.25:
            word += chance.choice("-/–&") + chance.choice(words)
        elif draw < 0.29:
            word = number(chance)
        elif draw < 0.32:
            word += chance.choice("¹²³⁴*†‡§⁵⁶⁷⁸⁹⁰")
        elif draw < 0.35:  # initials: capitals that stand alone, in the words' own script
            word = word[0].upper() + chance.choice([".", "", "", ")"])
        parts.append(word)
    return " ".join(parts)


def number(chance: random.Random) -> str:
    """Return a number in one of the ways that numbers are printed."""
    digits = "".join(chance.choice("0123456789") for _ in range(chance.choice([1, 1, 2, 2, 3, 4])))
    draw = chance.random()
    if draw < 0.35:
        return digits
    if draw < 0.6:
        return (
            digits
            + chance.choice(".,")
            + "".join(chance.choice("0123456789") for _ in range(chance.choice([1, 2, 2, 3, 4])))
        )
    if draw < 0.75:
        separator = chance.choice(",. ’'")
        tail = separator + f"{chance.randrange(1000):03d}"
        if chance.random() < 0.4:
            tail += ("," if separator != "," else ".") + f"{chance.randrange(100):02d}"
        return digits[:3] + tail
    if draw < 0.85:
        return chance.choice(["-", "–", "+", "±", "<", ">", "~", "≈", "≤", "≥", "×"]) + digits
    if draw < 0.92:
        return digits + chance.choice("½¼¾⅓⅔⅛")
    return digits + chance.choice(["×10⁻³", "e-05", "E+03", "×10⁶", "·10²", "%", "°", "′", "k"])


def amount(chance: random.Random) -> str:
    """Return an amount of money or a measure with its unit."""
    if chance.random() < 0.5:
        sign = chance.choice(["$", "€", "£", "¥", "USD ", "EUR ", "CHF ", "Fr. ", "¢", "₽"])
        value = f"{chance.uniform(0, 10 ** chance.randrange(1, 6)):,.2f}"
        if chance.random() < 0.3:
            value = value.replace(",", "_").replace(".", ",").replace("_", ".")
        text = sign + value if chance.random() < 0.6 else f"{value} {sign.strip()}"
        return f"({text})" if chance.random() < 0.1 else text
    return number(chance) + chance.choice([" ", ""]) + chance.choice(_UNITS)


def date(chance: random.Random) -> str:
    """Return a date or a time of day."""
    day, month, year = chance.randint(1, 31), chance.randint(1, 12), chance.randint(1780, 2049)
    draw = chance.randrange(8)
    if draw == 0:
        return f"{year}-{month:02d}-{day:02d}"
    if draw == 1:
        return f"{day:02d}.{month:02d}.{year}"
    if draw == 2:
        return f"{day}/{month}/{year % 100:02d}"
    if draw == 3:
        return f"{day} {chance.choice(_MONTHS)} {year}"
    if draw == 4:
        return f"{chance.choice(_MONTHS)} {day}, {year}"
    if draw == 5:
        return f"{chance.randrange(24):02d}:{chance.randrange(60):02d}"
    if draw == 6:
        return (
            f"{chance.randrange(1, 13)}.{chance.randrange(60):02d} {chance.choice(['a.m.', 'pm'])}"
        )
    return f"{year}–{chance.randrange(100):02d}"


def code(chance: random.Random) -> str:
    """Return a part number, reference, address on the net or a line of a program."""
    letters, digits = string.ascii_uppercase, string.digits
    draw = chance.choice((0, 1, 2, 3, 4, 5, 6, 6, 6, 7, 8))  # programs hold the most signs
    if draw == 0:
        return "".join(chance.choice(letters + digits) for _ in range(chance.randint(4, 12)))
    if draw == 1:
        return "-".join(
            "".join(chance.choice(digits + "ABX") for _ in range(chance.randint(2, 5)))
            for _ in range(chance.randint(2, 4))
        )
    if draw == 2:
        word = "".join(chance.choice(string.ascii_lowercase) for _ in range(chance.randint(3, 9)))
        return f"{word}{chance.choice(['.', '_', ''])}{chance.choice('abcxyz')}@{word[:5]}.example"
    if draw == 3:
        word = "".join(chance.choice(string.ascii_lowercase) for _ in range(chance.randint(4, 9)))
        host = chance.choice(["www.", ""]) + word
        return f"http{chance.choice(['', 's'])}://{host}.example/{word[::-1]}"
    if draw == 4:
        return (
            f"[{chance.randrange(1, 99)}]"
            if chance.random() < 0.5
            else f"({chance.randrange(1, 30)}{chance.choice(['', '.', 'a', '.1'])})"
        )
    if draw == 5:
        return ".".join(str(chance.randrange(1, 20)) for _ in range(chance.randint(2, 4)))
    if draw == 6:
        name = "".join(
            chance.choice(string.ascii_lowercase + "_") for _ in range(chance.randint(2, 8))
        )
        return chance.choice(
            [
                f"{name}({chance.choice('xynij')})",
                f"{name} = {number(chance)};",
                f"if ({name} == {chance.randrange(10)}) {{",
                f"#{name}",
                f"<{name}>",
                f"--{name}={chance.randrange(9)}",
                f"{name}[i] += {name[::-1]}",
                f'"{name}": {chance.randrange(99)},',
                f"${name}",
                f"/{name}/{name[::-1]}",
                f"\\{name}{{{name[::-1]}}}",
                f"\\begin{{{name}}}",
                f"{name} <- {name[::-1]}({chance.randrange(9)})",
                f"{{{name}}}{{{chance.randrange(9)}}}",
            ]
        )
    if draw == 7:
        return "+" + " ".join(
            "".join(chance.choice(digits) for _ in range(chance.randint(2, 4)))
            for _ in range(chance.randint(2, 5))
        )
    roman = chance.choice(
        [
            "i",
            "ii",
            "iii",
            "iv",
            "v",
            "vi",
            "vii",
            "viii",
            "ix",
            "x",
            "xi",
            "xii",
            "xiv",
            "xix",
            "I",
            "II",
            "III",
            "IV",
            "V",
            "VI",
            "IX",
            "XII",
        ]
    )
    return chance.choice(
        [
            roman,
            roman + ".",
            f"({roman})",
            f"§ {chance.randrange(1, 300)}",
            f"No. {chance.randrange(999)}",
            f"№ {chance.randrange(999)}",
            f"p. {chance.randrange(999)}",
            f"pp. {chance.randrange(99)}–{chance.randrange(999)}",
            f"Fig. {chance.randrange(30)}",
            f"vol. {roman}",
        ]
    )


def _words_of_programs(corpus: Corpus) -> list[str]:
    return corpus.words.get("en") or next(iter(corpus.words.values()))


def _name(corpus: Corpus, chance: random.Random) -> str:
    words = _words_of_programs(corpus)
    if chance.random() < 0.5:
        name = chance.choice(words)
    else:
        letters = string.ascii_lowercase + "aeiou__"
        name = "".join(chance.choice(letters) for _ in range(chance.randint(1, 9)))
    draw = chance.random()
    if draw < 0.1:
        return name.upper()
    return name + chance.choice(words).capitalize() if draw < 0.16 else name


def listing(corpus: Corpus, chance: random.Random, length: int) -> str:
    """Return a line of a program, a shell session or the summary of a command."""
    word = chance.choice(_words_of_programs(corpus))
    text = ""
    for pattern in chance.choices(_PROGRAM_PARTS, k=chance.randint(1, 6)):
        first, second, third = (_name(corpus, chance) for _ in range(3))
        value = chance.choice([number(chance), second, f'"{word}"', f"'{word}'"])
        part = pattern.format(
            a=first,
            b=second,
            c=third,
            i=first[0],
            j=second[0],
            n=chance.randrange(10),
            o=chance.choice(_OPERATORS),
            v=value,
            w=word,
        )
        if text and len(text) + len(part) >= length:
            break
        text += (chance.choice([" ", " ", " ", ""]) if text else "") + part
    return text


def code_word(corpus: Corpus, chance: random.Random) -> str:
    """Return what texts about programs set in fixed pitch: a constant, a name, an option."""
    words = [
        w for w in chance.choices(_words_of_programs(corpus), k=8) if w.isascii() and w.isalpha()
    ]
    words = [word.lower()[:10] for word in words[: chance.choice([1, 2, 2, 3])]] or ["x"]
    draw = chance.random()
    if draw < 0.35:
        text = "_".join(words).upper()
    elif draw < 0.6:
        text = "".join(map(str.capitalize, words))
        text = text if chance.random() < 0.5 else text[0].lower() + text[1:]
    elif draw < 0.75:
        text = chance.choice("__-.:").join(words)
    elif draw < 0.85:
        text = chance.choice(["-", "--", "\\", "/", "$", "@", "#", ".", "<"]) + words[0]
    else:
        return listing(corpus, chance, 14)
    if chance.random() < 0.25:
        text += chance.choice(
            ["()", "()", "[]", str(chance.randrange(100)), ".h", ".txt", "=", "*"]
        )
    return text


def mark_of_note(chance: random.Random) -> str:
    """Return a mark of a note, a power or an index: mostly one raised figure, often two."""
    if chance.random() < 0.2:
        return chance.choice("₀₁₂₃₄₅₆₇₈₉")
    mark = chance.choice("¹²³⁴⁵⁶⁷⁸⁹")
    return mark + (chance.choice("⁰¹²³⁴⁵⁶⁷⁸⁹") if chance.random() < 0.5 else "")


def name_with_figures(chance: random.Random) -> str:
    """Return a version, or a name in which figures stand beside letters that look like them."""

    def figure() -> str:
        return chance.choice("00158" + string.digits)

    draw = chance.randrange(5)
    if draw == 0:
        return f"v{figure()}.{figure()}" + chance.choice(["", figure(), f".{figure()}"])
    if draw == 1:
        return f"{figure()}.{figure()}" + chance.choice([figure(), f".{figure()}"])
    letters = string.ascii_letters if draw < 4 else string.ascii_uppercase
    name = "".join(chance.choice(letters) for _ in range(chance.choice([1, 1, 2, 3])))
    return name + figure() + chance.choice(["", "", figure(), chance.choice(letters)])


def formula(chance: random.Random) -> str:
    """Return inline mathematics as far as it stands on one level."""
    greek = "αβγδεθλμνξπρστφχψωΔΓΣΩΛ"

    def name() -> str:
        return chance.choice("abcdfghijkmnpqrstuvxyzABCEFHKLMNPRSTVX" + greek)

    parts = [name()]
    for _ in range(chance.randint(1, 5)):
        parts.append(
            chance.choice(
                [
                    "=",
                    "+",
                    "–",
                    "<",
                    ">",
                    "≤",
                    "≥",
                    "≈",
                    "∈",
                    "→",
                    "≠",
                    "×",
                    "·",
                    "/",
                    "∼",
                    "⊂",
                    "∝",
                    "≡",
                    "±",
                    "∧",
                    "⊕",
                    "∞",
                    "|",
                ]
            ).replace("∼", "~")
        )
        parts.append(
            chance.choice(
                [
                    name(),
                    number(chance),
                    f"{name()}({name()})",
                    f"{name()}²",
                    f"{name()}₁",
                    f"√{name()}",
                    f"∑{name()}",
                    f"∂{name()}",
                    f"{name()}₀",
                    f"{name()}{mark_of_note(chance)}",
                    f"{name()}₁/{name()}₂",
                    f"[{name()}₁, {name()}₂, {name()}₃]",
                    f"({name()}₁, ..., {name()}{chance.choice('₅₉nkm')})",
                    f"{name()}{chance.choice('ijkmn')}",
                    f"({name()}, {name()})",
                    f"⟨{name()}, {name()}⟩",
                    f"{name()}′",
                    f"∇{name()}",
                ]
            )
        )
    return (" " if chance.random() < 0.7 else "").join(parts)


def cells(corpus: Corpus, chance: random.Random, length: int) -> str:
    """Return what stands in one or a few cells of a table or form."""
    makers: list[Callable[[random.Random], str]] = [
        number,
        number,
        number,
        amount,
        amount,
        date,
        code,
    ]
    parts: list[str] = []
    while True:
        if chance.random() < 0.25:
            parts.append(chance.choice(corpus.words[_language(chance, corpus.words)]))
        else:
            parts.append(chance.choice(makers)(chance))
        if sum(map(len, parts)) >= length:
            return " ".join(parts)


def odd_string(chance: random.Random, length: int) -> str:
    """Return characters drawn from the whole alphabet, so that the rare ones are seen."""
    pools = [ALPHABET, _RARE, string.punctuation, string.ascii_letters + string.digits]
    pool = chance.choice(pools)
    return re.sub(r" +", " ", "".join(chance.choice(pool) for _ in range(max(1, length // 2))))


def _capitals(text: str) -> str:
    """Return capitals; letters that have none in one character stay as they are."""
    return "".join(c.upper() if c.upper() in _ALPHABET else c for c in text)


def vary(text: str, chance: random.Random) -> str:
    """Return `text` with the variations of print: capitals, quotes, rare signs, old s."""
    draw = chance.random()
    if draw < 0.07:
        text = _capitals(text)
    elif draw < 0.09:
        text = text.title()
    elif draw < 0.115:
        text = re.sub(r"s(?=\w)", "ſ", text)
    elif draw < 0.16:
        words = text.split(" ")
        at = chance.randrange(len(words))
        words[at] = _capitals(words[at])
        text = " ".join(words)
    if '"' in text and chance.random() < 0.6:
        left, right = chance.choice(_QUOTES[1:])
        text = re.sub(r'"([^"]*)"?', rf"{left}\1{right}", text)
    if chance.random() < 0.3:
        text = text.replace("'", "’")
    if chance.random() < 0.3:
        text = text.replace(" - ", chance.choice([" – ", " — ", "—"])).replace(" -- ", " – ")
    if chance.random() < 0.045:  # marks of notes, units and powers
        text = re.sub(
            r"(?<=[\w.,;)])(?=[ .,;]|$)",
            lambda _: mark_of_note(chance) if chance.random() < 0.3 else "",
            text,
        )
    if chance.random() < 0.03:
        words = text.split(" ")
        words.insert(chance.randrange(len(words) + 1), name_with_figures(chance))
        text = " ".join(words)
    if chance.random() < 0.02:  # lines of verse, of editions and of programs are counted
        text = f"{chance.choice([5 * chance.randrange(1, 80), chance.randrange(1, 400)])} {text}"
    if chance.random() < 0.025:  # names that are always set as logos
        words = text.split(" ")
        logo = chance.choice(_LOGOS) + chance.choice(["", "", "", ".", ",", ")", "-", "’s"])
        words.insert(chance.randrange(len(words) + 1), logo)
        text = " ".join(words)
    if chance.random() < 0.08:
        words = text.split(" ")
        at = chance.randrange(len(words))
        words[at] += chance.choice(["", " "]) + chance.choice(_RARE)
        text = " ".join(words)
    if chance.random() < 0.05:
        text = (
            chance.choice(
                [
                    "• ",
                    "– ",
                    "— ",
                    "* ",
                    "■ ",
                    "1. ",
                    "2) ",
                    "(a) ",
                    "□ ",
                    "☐ ",
                    "☒ ",
                    "● ",
                    "▪ ",
                    "→ ",
                    "III. ",
                    "a) ",
                    "3.1 ",
                    "† ",
                ]
            )
            + text
        )
    if chance.random() < 0.02:
        dots = chance.choice([".", " ."]) * chance.randint(4, 20)
        text += chance.choice(["", " "]) + dots.strip() + " " + str(chance.randrange(400))
    return text


def alphabet(corpus: Corpus, chance: random.Random, length: int) -> str:
    """Return letters of a language one by one, as tables of letters and specimens show them."""
    words = corpus.words[_language(chance, corpus.words)]
    letters = sorted(set("".join(chance.sample(words, min(len(words), 200))).lower()) & _ALPHABET)
    letters = [letter for letter in letters if letter.isalpha()]
    marked = [letter for letter in letters if ord(letter) > 127]
    if marked and chance.random() < 0.6:
        letters = marked
    if chance.random() < 0.5:
        letters = chance.choices(letters, k=length)
    pairs = chance.random() < 0.5
    parts: list[str] = []
    for letter in letters[chance.randrange(len(letters)) :] + letters:
        upper = _capitals(letter)
        parts += [upper, letter] if pairs else [upper if chance.random() < 0.4 else letter]
    joint = chance.choice([" ", " ", ", ", "  ", " | "])
    return joint.join(parts[: max(1, length // (1 + len(joint)))])


def old_spelling(text: str, chance: random.Random) -> str:
    """Return `text` as hand-set books of the 17th and 18th centuries spell it: ſ, æ, œ.

    Latin lends the letters to other languages here, so that they are met often enough.
    """
    text = re.sub(r"s(?=[^\W\d_])", "ſ", text)
    if chance.random() < 0.5:
        text = text.replace("ae", "æ").replace("oe", "œ")
        text = re.sub(r"(?<=[^\W\d_]{2})a\b", lambda _: chance.choice("aæ"), text)
        text = re.sub(r"\be(?=[^\W\d_]{3})", lambda _: chance.choice("eæ"), text)
    return text


def sample_text(corpus: Corpus, chance: random.Random, length: int, listings: float = 0.02) -> str:
    """Return a line of about `length` characters, of a kind picked by weight.

    listings: the share of lines of programs, which most fixed-pitch print is.
    """
    if chance.random() < listings:
        return re.sub(r" +", " ", listing(corpus, chance, length)).strip()
    draw = chance.random()
    if length <= 5 and draw < 0.12:  # what stands alone on its line in listings and lists
        return chance.choice(["{", "}", "(", ")", "[", "]", "};", "},", "})", "{}", "}}", "•", "—"])
    if draw < 0.58:
        text = running(corpus, chance, length)
    elif draw < 0.74:
        text = loose_words(corpus, chance, length)
    elif draw < 0.90:
        text = cells(corpus, chance, length)
    elif draw < 0.935:
        text = formula(chance)
    elif draw < 0.955:
        text = alphabet(corpus, chance, length)
    else:
        text = odd_string(chance, length)
    return re.sub(r" +", " ", vary(text, chance)).strip()
