"""Papers and lecture notes as LaTeX, each part of which is known by the colour of its text."""

from __future__ import annotations

import random
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image, ImageDraw

from amberquarry.values import BlockKind
from printed.truth import FIGURE_LINK, MOST_PARTS, Part, levels_of
from printed.words import Words, hyphenate

K = BlockKind
LANGUAGES = ("en", "de", "fr", "it", "es", "pt", "nl")
_FONTS = ("lmodern", "mathpazo", "mathptmx", "charter", "newcent", "bookman", "")
_SPECIAL = {
    "\\": r"\textbackslash{}", "~": r"\textasciitilde{}", "^": r"\textasciicircum{}",
    "<": r"\textless{}", ">": r"\textgreater{}", "|": r"\textbar{}", '"': r"\textquotedbl{}",
    "\u00ad": r"\-", **{sign: "\\" + sign for sign in "&%$#_{}"},
}  # fmt: skip
_NARROW = 34  # letters of a line of a program in one of two columns
_LETTERS = "abcdefghikmnpqrstuvxyz"
_GREEK = ("alpha", "beta", "gamma", "delta", "lambda", "mu", "sigma", "omega", "varphi", "theta")


def settable(text: str) -> str:
    """Return a text without what the fonts of LaTeX lack."""
    kept = "".join(s if s.isascii() or (s.isalpha() and ord(s) < 0x180) else " " for s in text)
    return " ".join(kept.split())


def escaped(text: str) -> str:
    """Return text as LaTeX shows it, words divisible at line ends."""
    divisible = " ".join(hyphenate(word) for word in text.split(" "))
    return "".join(_SPECIAL.get(sign, sign) for sign in divisible)


class Source:
    """A document in the making: its parts in reading order."""

    def __init__(self, words: Words, chance: random.Random, folder: Path) -> None:
        self.words, self.chance, self.folder = words, chance, folder
        self.parts: list[Part] = []
        self.titled = False
        self.columns = 1
        self.counts = dict.fromkeys(("section", "sub", "equation", "figure", "table", "note"), 0)

    @property
    def full(self) -> bool:
        """Whether there is hardly room for more parts."""
        return len(self.parts) > MOST_PARTS - 90

    def shade(self, kind: BlockKind, text: str, **facts: Any) -> str:
        """Enter a part and return what sets its colour."""
        self.parts.append(Part(kind, text, place=len(self.parts), **facts))
        red, green, blue = levels_of(kind, len(self.parts) - 1)
        return rf"\color[RGB]{{{red},{green},{blue}}}"

    def prose(self, least: int, most: int) -> str:
        """Return running text."""
        return settable(self.words.paragraph(least, most))

    def paragraph(self, least: int = 30, most: int = 110, notes: bool = True) -> str:
        """Return a paragraph, perhaps with a note and some mathematics in it."""
        text = self.prose(least, most)
        shade = self.shade(K.PARAGRAPH, text)
        body, note = escaped(text), ""
        if notes and self.chance.random() < 0.12:
            self.counts["note"] += 1
            sign, remark = self.counts["note"], self.prose(6, 24)
            colour = self.shade(K.FOOTNOTE, f"{sign} {remark}")
            body += rf"\textsuperscript{{{sign}}}"
            note = rf"\footnotetext{{{colour}\textsuperscript{{{sign}}} {escaped(remark)}}}"
        return f"{{{shade}{body}{note}\\par}}\n"

    def heading(self, level: int, numbered: bool) -> str:
        """Return a heading; level 2 is a section, which is the highest where there is no title."""
        text = settable(self.words.title(1, 6)) or "Notes"
        if numbered:
            if level == 2:
                self.counts["section"] += 1
                self.counts["sub"] = 0
                number = f"{self.counts['section']}"
            else:
                self.counts["sub"] += 1
                number = f"{max(1, self.counts['section'])}.{self.counts['sub']}"
            text = f"{number} {text}"
        shade = self.shade(K.HEADING, text, level=level if self.titled else level - 1)
        command = "section" if level == 2 else "subsection"
        return f"\\{command}*{{{shade}{escaped(text)}}}\n"

    def items(self) -> str:
        """Return a list."""
        count, style = self.chance.randint(2, 5), self.chance.randrange(3)
        out = [r"\begin{itemize}"]
        for number in range(1, count + 1):
            marker = ("•", f"{number}.", f"({number})")[style]
            text = self.prose(5, 28)
            shade = self.shade(K.ITEM, f"{marker} {text}", depth=0)
            sign = r"\textbullet" if marker == "•" else marker
            out.append(rf"\item[{{{shade}{sign}}}] {{{shade}{escaped(text)}}}")
        return "\n".join([*out, r"\end{itemize}", ""])

    def equation(self) -> str:
        """Return a displayed equation, numbered or not."""
        body, number = self._formula(), ""
        if self.chance.random() < 0.6:
            self.counts["equation"] += 1
            number = rf"\tag{{{self.counts['equation']}}}"
        shade = self.shade(K.EQUATION, "")
        return f"{{{shade}\\begin{{equation*}}{body}{number}\\end{{equation*}}}}\n"

    def _formula(self) -> str:
        a, b, c, n = (self._symbol() for _ in range(4))
        forms = (
            rf"{a}({b}) = \frac{{{c}_{{0}} + {n}^2}}{{2 {b}}} - {c}",
            rf"\sum_{{i=1}}^{{n}} {a}_i {b}_i = {c} + \int_0^{{\infty}} {n}(t)\,dt",
            rf"{a}_{{t+1}} = {a}_t + {b}\,({c} - {a}_t)",
            rf"\lim_{{{a} \to 0}} \frac{{\sin {a}}}{{{a}}} = 1, \qquad {b} \ge {c}",
            rf"\left( {a}^2 + {b}^2 \right)^{{1/2}} \le |{a}| + |{b}|",
            rf"{a} = \sqrt{{{b}^2 + {c}^2}}, \quad {n} \in \mathbb{{R}}",
            rf"P({a} \mid {b}) = \frac{{P({b} \mid {a})\,P({a})}}{{P({b})}}",
        )
        return self.chance.choice(forms)

    def _symbol(self) -> str:
        if self.chance.random() < 0.4:
            return "\\" + self.chance.choice(_GREEK)
        return self.chance.choice(_LETTERS)

    def code(self) -> str:
        """Return lines of a program."""
        text = self.words.code(4, 12, _NARROW if self.columns == 2 else 78)
        shade = self.shade(K.CODE, text)
        return f"{{{shade}\\small\n\\begin{{verbatim}}\n{text}\n\\end{{verbatim}}}}\n"

    def table(self) -> str:
        """Return a table with its caption over or under it."""
        rows, columns = self.chance.randint(3, 9), self.chance.randint(3, 5)
        self.counts["table"] += 1
        label = settable(self.words.caption(True, self.counts["table"]))
        above = self.chance.random() < 0.7
        caption = ""
        if above:
            caption = self._caption(label)
        shade = self.shade(K.TABLE, "")
        if not above:
            caption = self._caption(label)
        lines = [
            " & ".join(
                escaped(settable(self.words.some(1, 1)[0])) if not n or not row
                else f"{self.chance.uniform(0, 400):.{self.chance.randint(0, 2)}f}"
                for n in range(columns)
            ) + r" \\"
            for row in range(rows + 1)
        ]  # fmt: skip
        top, middle, foot = self.chance.choice(
            ((r"\toprule", r"\midrule", r"\bottomrule"), (r"\hline", r"\hline", r"\hline"))
        )
        inner = "\n".join([top, lines[0], middle, *lines[1:], foot])
        align = "l" + "r" * (columns - 1)
        table = f"\\begin{{tabular}}{{{align}}}\n{inner}\n\\end{{tabular}}"
        wide = r"\ifdim\width>\columnwidth\columnwidth\else\width\fi"
        body = f"{{{shade}\\small\\resizebox{{{wide}}}{{!}}{{{table}}}}}"
        both = (caption, body) if above else (body, caption)
        return self._float("table", "\n\n\\vspace{4pt}\n".join(both))

    def figure(self) -> str:
        """Return a figure with its caption under it."""
        shade = self.shade(K.FIGURE, "")
        number = len(self.parts) - 1
        self.counts["figure"] += 1
        name = f"figure{self.counts['figure']}.png"
        graph(self.chance).save(self.folder / name)
        label = settable(self.words.caption(False, self.counts["figure"]))
        wide = self.chance.uniform(0.55, 0.95)
        picture = (rf"{shade}\href{{{FIGURE_LINK}{number}}}"
                   rf"{{\includegraphics[width={wide:.2f}\linewidth]{{{name}}}}}")  # fmt: skip
        return self._float("figure", f"{picture}\n\n{self._caption(label)}")

    def _caption(self, text: str) -> str:
        return f"{{{self.shade(K.CAPTION, text)}\\small {escaped(text)}\\par}}"

    def _float(self, kind: str, body: str) -> str:
        return f"\\begin{{{kind}}}[H]\\centering\n{body}\n\\end{{{kind}}}\n"


def graph(chance: random.Random) -> Image.Image:
    """Return a plot of curves or a field of tones."""
    width, height = chance.randint(500, 900), chance.randint(320, 560)
    if chance.random() < 0.35:
        noise = np.random.default_rng(chance.randrange(2**31))
        rough = noise.uniform(20, 240, (chance.randint(4, 9), chance.randint(4, 9)))
        tones = Image.fromarray(rough.astype(np.uint8))
        return tones.resize((width, height), Image.Resampling.BICUBIC)
    image = Image.new("L", (width, height), 255)
    draw = ImageDraw.Draw(image)
    draw.rectangle((40, 10, width - 10, height - 30), outline=0, width=2)
    x = np.linspace(0, 1, 120)
    for _ in range(chance.randint(1, 3)):
        y = 0.5 + 0.35 * np.sin(chance.uniform(2, 14) * x + chance.uniform(0, 6)) * x
        points = np.stack([40 + x * (width - 50), 10 + y * (height - 40)], 1)
        draw.line([tuple(p) for p in points.tolist()], fill=chance.choice((0, 90)), width=3)
    for n in range(5):
        draw.line((36, 10 + n * (height - 40) / 4, 44, 10 + n * (height - 40) / 4), fill=0, width=2)
        draw.text((4, 4 + n * (height - 40) / 4), f"{100 - 25 * n}", fill=0, font_size=18)
    return image


def body(source: Source, sections: int, numbered: bool) -> str:
    """Return sections of text with whatever stands in such."""
    chance, out = source.chance, []
    others: tuple[tuple[Callable[[], str], float], ...] = (
        (source.equation, 0.45), (source.items, 0.12), (source.figure, 0.14),
        (source.table, 0.14), (source.code, 0.07),
    )  # fmt: skip
    for _ in range(sections):
        if source.full:
            break
        out.append(source.heading(2, numbered))
        for number in range(chance.randint(2, 6)):
            if number and chance.random() < 0.2:
                out.append(source.heading(3, numbered))
            out.append(source.paragraph())
            for make, odds in others:
                if chance.random() < odds:
                    out.append(make())
                    break
    return "\n".join(out)


def paper(source: Source) -> str:
    """Return a paper in one or two columns: title, authors, abstract, sections, references."""
    chance = source.chance
    columns = source.columns = chance.choice((1, 2, 2))
    title, authors = settable(source.words.title(4, 9)), settable(source.words.name())
    heading = source.shade(K.HEADING, title, level=1)
    source.titled = True
    by = source.shade(K.PARAGRAPH, authors, taken_for=(K.HEADING,))
    top = (f"\\begin{{center}}{{{heading}\\LARGE {escaped(title)}\\par}}\\vspace{{8pt}}\n"
           f"{{{by}\\large {escaped(authors)}\\par}}\\end{{center}}")  # fmt: skip
    text = source.prose(50, 110)
    abstract = f"{{{source.shade(K.PARAGRAPH, text)}\\small\\noindent {escaped(text)}\\par}}"
    main = body(source, chance.randint(3, 5), chance.random() < 0.7)
    references = [source.heading(2, False), r"\begin{itemize}"]
    for number in range(1, chance.randint(4, 9)):
        entry = f"{settable(source.words.name())}. {source.prose(6, 16)}"
        shade = source.shade(K.ITEM, f"[{number}] {entry}", depth=0)
        references.append(rf"\item[{{{shade}[{number}]}}] {{{shade}{escaped(entry)}}}")
    references.append(r"\end{itemize}")
    folio = source.shade(K.PAGE_NUMBER, "")
    style = rf"\fancyhf{{}}\fancyfoot[C]{{{folio}\thepage}}\renewcommand{{\headrulewidth}}{{0pt}}"
    begin = f"\\twocolumn[{top}{abstract}\\vspace{{14pt}}]" if columns == 2 else f"{top}{abstract}"
    return _whole(chance, style, "\n".join([begin, main, *references]))


def lecture(source: Source) -> str:
    """Return lecture notes in one column, with running heads and numbers at the outer edge."""
    chance = source.chance
    title = settable(source.words.title(2, 5))
    head = source.shade(K.RUNNING_HEAD, title)
    folio = source.shade(K.PAGE_NUMBER, "")
    rule = chance.choice(("0pt", "0.4pt"))
    style = rf"\fancyhf{{}}\fancyhead[L]{{{head}\itshape {escaped(title)}}}"
    style += rf"\fancyhead[R]{{{folio}\thepage}}\renewcommand{{\headrulewidth}}{{{rule}}}"
    return _whole(chance, style, body(source, chance.randint(4, 6), True))


def _whole(chance: random.Random, style: str, text: str) -> str:
    font = chance.choice(_FONTS)
    size = chance.choice(("10pt", "11pt", "12pt"))
    margin = chance.choice(("2.2cm", "2.6cm", "3.2cm"))
    return "\n".join(
        [
            rf"\documentclass[{size},a4paper]{{article}}",
            r"\usepackage[T1]{fontenc}\usepackage[utf8]{inputenc}\usepackage{textcomp}",
            r"\usepackage{amsmath,amssymb,xcolor,graphicx,booktabs,fancyhdr,float}",
            rf"\usepackage[margin={margin}]{{geometry}}",
            rf"\usepackage{{{font}}}" if font else "",
            r"\usepackage[hidelinks]{hyperref}\input{glyphtounicode}\pdfgentounicode=1",
            r"\makeatletter\renewcommand\@makefntext[1]{\noindent #1}\makeatother",
            r"\pagestyle{fancy}" + style,
            r"\raggedbottom\sloppy\emergencystretch=2em\begin{document}",
            text,
            r"\end{document}",
        ]
    )


MAKERS: dict[str, Callable[[Source], str]] = {"paper": paper, "lecture": lecture}
HELD_OUT = ("lecture",)  # only for scoring


def make_pdf(name: str, seed: int, data: Path) -> tuple[bytes, list[Part]]:
    """Return a document's PDF and its parts; RuntimeError where LaTeX fails."""
    chance = random.Random(f"{name}{seed}")
    language = chance.choice(("en", "en", *LANGUAGES))
    with tempfile.TemporaryDirectory() as folder:
        source = Source(Words(data / "corpus", language, chance), chance, Path(folder))
        text = MAKERS[name](source)
        (Path(folder) / "page.tex").write_text(text, encoding="utf-8")
        command = [shutil.which("pdflatex") or "pdflatex", "-interaction=nonstopmode",
                   "-no-shell-escape", "page.tex"]  # fmt: skip
        done = subprocess.run(command, cwd=folder, capture_output=True, timeout=120, check=False)
        made = Path(folder) / "page.pdf"
        if not made.exists():
            raise RuntimeError(done.stdout.decode("latin-1")[-2000:])
        return made.read_bytes(), source.parts
