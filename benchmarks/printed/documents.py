"""Documents of many kinds as HTML, each part of which is known by the colour of its text."""

from __future__ import annotations

import base64
import html
import io
import json
import random
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from amberquarry.values import BlockKind
from printed.truth import FIGURE_LINK, MOST_PARTS, Part, colour, place_parts
from printed.words import Words, hyphenate

K = BlockKind
SERIF = ("alegreya", "crimson-pro", "eb-garamond", "lora", "merriweather", "noto-serif", "old-standard-tt",
         "pt-serif", "source-serif-4", "ibm-plex-serif", "stix-two-text", "literata")  # fmt: skip
SANS = ("fira-sans", "ibm-plex-sans", "inter", "open-sans", "pt-sans", "roboto", "source-sans-3",
        "noto-sans", "roboto-condensed", "archivo-narrow")  # fmt: skip
MONO = ("ibm-plex-mono", "fira-mono", "roboto-mono", "source-code-pro", "pt-mono")
_SUBSETS = ("latin", "latin-ext", "cyrillic")
_BULLETS = ("•", "–", "■", "▪", "◦", "·", "*", "▸", "—")
HERE = Path(__file__).parent


class Draft:
    """A document in the making: its parts, and where they stand in the HTML."""

    def __init__(self, words: Words, chance: random.Random) -> None:
        self.words, self.chance = words, chance
        self.parts: list[Part] = []
        self.numbers = dict.fromkeys(("figure", "table", "note", "section", "sub"), 0)

    def take(self, kind: BlockKind, text: str, **facts: Any) -> int:
        """Enter a part and return its number."""
        self.parts.append(Part(kind, text, place=len(self.parts), **facts))
        return len(self.parts) - 1

    def element(self, tag: str, kind: BlockKind, text: str, css: str = "", style: str = "",
                light: bool = False, inner: str | None = None, **facts: Any) -> str:  # fmt: skip
        """Return an element of one part.

        inner: its HTML, if that is more than its text.
        """
        number = self.take(kind, text, **facts)
        inner = shown(text) if inner is None else inner
        return (f'<{tag} class="{css}" style="color:{colour(kind, number, light)};{style}">'
                f"{inner}</{tag}>")  # fmt: skip

    @property
    def full(self) -> bool:
        """Whether there is hardly room for more parts."""
        return len(self.parts) > MOST_PARTS - 90

    def paragraph(self, least: int = 25, most: int = 110, css: str = "", light: bool = False,
                  notes: bool = False, aside: bool = False) -> str:  # fmt: skip
        """Return a paragraph of prose with some emphasis; perhaps with a note of its own."""
        text = self.words.paragraph(least, most)
        inner = emphasised(text, self.chance)
        number = self.take(K.PARAGRAPH, text)
        extra = ""
        if notes and self.chance.random() < 0.25:
            mark, note = self.note()
            inner += mark
            extra = f'<template class="note">{note}</template>'
        if aside and self.chance.random() < 0.3:
            remark = self.element("div", K.MARGIN_NOTE, self.words.paragraph(5, 14), "margin")
            extra += f'<template class="aside">{remark}</template>'
        shade = colour(K.PARAGRAPH, number, light)
        return f'<p class="splits {css}" style="color:{shade}">{inner}{extra}</p>'

    def note(self) -> tuple[str, str]:
        """Return a mark and the note at the foot that it calls."""
        self.numbers["note"] += 1
        sign = str(self.numbers["note"])
        text = self.words.paragraph(6, 26)
        note = self.element("p", K.FOOTNOTE, f"{sign} {text}", "footnote",
                            inner=f"<sup>{sign}</sup> {shown(text)}")  # fmt: skip
        return f"<sup>{sign}</sup>", note

    def heading(self, level: int, numbered: bool = False, css: str = "", text: str = "") -> str:
        """Return a heading; numbered ones count on."""
        text = text or self.words.title(1 + (level == 1), 6)
        if numbered:
            if level == 1:
                self.numbers["section"] += 1
                self.numbers["sub"] = 0
                text = f"{self.numbers['section']}{self.chance.choice(('', '.'))} {text}"
            else:
                self.numbers["sub"] += 1
                text = f"{max(1, self.numbers['section'])}.{self.numbers['sub']} {text}"
        return self.element(f"h{level}", K.HEADING, text, f"keeps {css}", level=level)

    def items(self, css: str = "", nested: bool = True) -> list[str]:
        """Return the items of a list, some with a list of their own inside."""
        count, style = self.chance.randint(3, 7), self.chance.randrange(5)
        bullet, inner_bullet = self.chance.sample(_BULLETS, 2)
        long = self.chance.random() < 0.5
        out = []
        for number in range(1, count + 1):
            letter = "abcdefghij"[number - 1]
            marker = (bullet, bullet, f"{number}.", f"{letter})", f"({number})")[style]
            out.append(self._item(marker, 0, long, css))
            if nested and self.chance.random() < 0.15:
                inner = inner_bullet if style > 1 or self.chance.random() < 0.5 else ""
                for count in range(1, 3):
                    out.append(self._item(inner or f"{count}.", 1, False, css))
        return out

    def _item(self, marker: str, depth: int, long: bool, css: str) -> str:
        text = self.words.paragraph(8, 32) if long else " ".join(self.words.some(2, 7))
        inner = f'<span class="marker">{marker}</span>{emphasised(text, self.chance)}'
        return self.element("div", K.ITEM, f"{marker} {text}", f"item depth{depth} splits {css}",
                            inner=inner, depth=depth)  # fmt: skip

    def code(self, css: str = "") -> str:
        """Return lines of a program."""
        text = self.words.code(4, 16)
        return self.element("pre", K.CODE, text, css, inner=html.escape(text))

    def table(self, css: str = "", wide: bool = False, caption: bool = True) -> str:
        """Return a table with figures in it, its caption over or under it."""
        rows, columns = self.chance.randint(4, 11), self.chance.randint(3, 5 + 2 * wide)
        ruled = self.chance.choice(("ruled", "lined", "bare"))
        number = len(self.parts)
        above = caption and self.chance.random() < 0.6
        label = ""
        if caption:
            self.numbers["table"] += 1
            text = self.words.caption(True, self.numbers["table"])
        if above:
            label = self.element("div", K.CAPTION, text, "caption")
        number = self.take(K.TABLE, "")
        if caption and not above:
            label = self.element("div", K.CAPTION, text, "caption")
        head = "".join(f"<th>{html.escape(w)}</th>" for w in self.words.some(columns, columns))
        body = "".join(
            "<tr>" + "".join(
                f"<td>{html.escape(self.words.some(1, 1)[0]) if not n else self._figure()}</td>"
                for n in range(columns)
            ) + "</tr>"
            for _ in range(rows)
        )  # fmt: skip
        made = (f'<table class="{ruled}" style="color:{colour(K.TABLE, number)}">'
                f"<tr>{head}</tr>{body}</table>")  # fmt: skip
        return (
            f'<div class="whole {css}">{label if above else ""}{made}{"" if above else label}</div>'
        )

    def _figure(self) -> str:
        value = self.chance.choice((self.chance.random() * 10, self.chance.random() * 2000))
        return self.chance.choice((f"{value:.2f}", f"{value:,.0f}", f"{value:.1f} %", "–"))

    def figure(self, css: str = "", width: int = 300, caption: bool = True) -> str:
        """Return a figure with its caption under it."""
        number = self.take(K.FIGURE, "")
        height = round(width * self.chance.uniform(0.45, 0.85))
        picture = self.chance.choice((chart, photograph, drawing))(
            self.chance, width, height, self.words, colour(K.FIGURE, number)
        )
        label = ""
        if caption:
            self.numbers["figure"] += 1
            text = self.words.caption(False, self.numbers["figure"])
            label = self.element("div", K.CAPTION, text, "caption")
        return (f'<div class="whole figure {css}"><a href="{FIGURE_LINK}{number}" '
                f'style="width:{width}px;height:{height}px">{picture}</a>{label}</div>')  # fmt: skip


def shown(text: str) -> str:
    """Return text as HTML, words divisible at line ends."""
    return html.escape(" ".join(hyphenate(word) for word in text.split(" ")))


def emphasised(text: str, chance: random.Random) -> str:
    """Return text as HTML with a few words in bold or italics."""
    words = [html.escape(hyphenate(word)) for word in text.split(" ")]
    if chance.random() < 0.35 and len(words) > 8:
        start = chance.randrange(len(words) - 3)
        tag = chance.choice(("b", "i", "i"))
        end = start + chance.randint(1, 3)
        words[start] = f"<{tag}>{words[start]}"
        words[end - 1] += f"</{tag}>"
    return " ".join(words)


def chart(chance: random.Random, width: int, height: int, words: Words, shade: str) -> str:
    """Return a chart of bars or lines with labels, as SVG."""
    left, foot = 34, height - 22
    out = [f'<path d="M{left} 8V{foot}H{width - 6}" fill="none" stroke="#222"/>']
    count = chance.randint(4, 8)
    step = (width - left - 12) / count
    values = [chance.uniform(0.1, 0.95) * (foot - 12) for _ in range(count)]
    if chance.random() < 0.5:
        tone = chance.choice(("#555", "#999", "#bbb"))
        out += [
            f'<rect x="{left + n * step + 3:.0f}" y="{foot - v:.0f}" width="{0.7 * step:.0f}" '
            f'height="{v:.0f}" fill="{tone}" stroke="#222"/>'
            for n, v in enumerate(values)
        ]
    else:
        points = " ".join(
            f"{left + (n + 0.5) * step:.0f},{foot - v:.0f}" for n, v in enumerate(values)
        )
        out.append(f'<polyline points="{points}" fill="none" stroke="#111" stroke-width="1.5"/>')
    label = f'style="fill:{shade}" font-size="10"'
    for n in range(count):
        out.append(
            f'<text {label} x="{left + n * step + 2:.0f}" y="{height - 8}">{1990 + 3 * n}</text>'
        )
    for n in range(4):
        out.append(f'<text {label} x="4" y="{foot - n * (foot - 14) / 3:.0f}">{n * 25}</text>')
    if chance.random() < 0.5:
        out.append(f'<text {label} x="{left + 14}" y="16">{html.escape(words.title(1, 2))}</text>')
    return f'<svg width="{width}" height="{height}">{"".join(out)}</svg>'


def drawing(chance: random.Random, width: int, height: int, words: Words, shade: str) -> str:
    """Return a drawing of boxes and strokes with labels, as SVG."""
    out = []
    middle = height / 2
    boxes = chance.randint(2, 4)
    step = width / boxes
    for n in range(boxes):
        x, y = n * step + 8, middle + chance.uniform(-0.25, 0.1) * height
        out.append(f'<rect x="{x:.0f}" y="{y:.0f}" width="{step - 30:.0f}" height="{0.22 * height:.0f}" '
                   f'rx="{chance.choice((0, 6))}" fill="none" stroke="#111"/>')  # fmt: skip
        out.append(f'<text style="fill:{shade}" font-size="11" x="{x + 5:.0f}" '
                   f'y="{y + 0.14 * height:.0f}">{html.escape(words.some(1, 1)[0][:9])}</text>')  # fmt: skip
        if n:
            out.append(f'<path d="M{x - 22:.0f} {middle:.0f}H{x:.0f}" stroke="#111" fill="none"/>')
    for _ in range(chance.randint(2, 5)):
        x, y, r = (
            chance.uniform(20, width - 20),
            chance.uniform(16, height - 16),
            chance.uniform(5, 15),
        )
        out.append(f'<circle cx="{x:.0f}" cy="{y:.0f}" r="{r:.0f}" fill="none" stroke="#111"/>')
    return f'<svg width="{width}" height="{height}">{"".join(out)}</svg>'


def photograph(chance: random.Random, width: int, height: int, words: Words, shade: str) -> str:
    """Return something like a photograph: soft areas of many greys with edges."""
    noise = np.random.default_rng(chance.randrange(2**31))
    levels = np.full((height, width), 128.0)
    for sigma, strength in ((60, 900), (18, 260), (5, 60)):
        field = cv2.GaussianBlur(noise.standard_normal((height, width)), (0, 0), sigma)
        levels += strength * field * (sigma / 20)
    edge = cv2.GaussianBlur(noise.standard_normal((height, width)), (0, 0), 25) > 0
    levels += np.where(edge, 45, -30) + 8 * noise.standard_normal((height, width))
    out = io.BytesIO()
    Image.fromarray(np.clip(levels, 12, 240).astype(np.uint8)).save(out, "JPEG", quality=85)
    data = base64.b64encode(out.getvalue()).decode()
    return f'<img width="{width}" height="{height}" src="data:image/jpeg;base64,{data}">'


def faces(fonts: Path, family: str) -> str:
    """Return the CSS of a family's faces and its name for `font-family`, as "css|names"."""
    rules, names = [], []
    for subset in _SUBSETS:
        name = f"{family}-{subset}"
        for weight in (400, 700):
            for style in ("normal", "italic"):
                path = fonts / family / f"{family}-{subset}-{weight}-{style}.woff2"
                if path.exists():
                    rules.append(f"@font-face{{font-family:'{name}';font-weight:{weight};"
                                 f"font-style:{style};src:url('{path.resolve().as_uri()}')}}")  # fmt: skip
        names.append(f"'{name}'")
    return "".join(rules) + "|" + ",".join(names)


BASE = """
@page { size: %(paper)s; margin: 0 } * { box-sizing: border-box }
html, body { margin: 0; padding: 0 }
section { position: relative; width: %(width)dpx; height: %(height)dpx; padding: %(pad)s; break-after: page;
  display: flex; flex-direction: column; overflow: hidden;
  color: #404040; font: %(size)spx/%(leading)s %(font)s; overflow-wrap: anywhere }
.body { flex: 1 1 0; min-height: 0; overflow: hidden; column-fill: auto; columns: %(columns)d;
  column-gap: %(gap)dpx; %(rule)s }
.head, .feet { display: flex; justify-content: space-between; font-size: 85%%; min-height: 1.4em }
.head { margin-bottom: 16px; %(headrule)s } .feet { margin-top: 12px }
.notes { font-size: 78%%; border-top: 1px solid #333; margin-top: 8px; padding-top: 2px }
.notes:empty { display: none }
p { margin: %(pmargin)s; text-indent: %(indent)s; text-align: %(align)s; hyphens: manual; orphans: 2; widows: 2 }
p.goeson, h1 + p, h2 + p, h3 + p, .footnote, .plain { text-indent: 0 } .footnote { margin: 1px 0 }
h1, h2, h3 { font-family: %(titlefont)s; font-weight: %(weight)s; line-height: 1.15; text-align: left;
  hyphens: manual; break-after: avoid; break-inside: avoid }
h1 { font-size: %(h1)s; margin: 0.9em 0 0.5em } h2 { font-size: %(h2)s; margin: 0.9em 0 0.4em }
h3 { font-size: %(h3)s; margin: 0.8em 0 0.3em; %(h3style)s }
.span { column-span: all } .whole { break-inside: avoid; margin: 12px 0 }
.figure { text-align: center } .figure a { display: block; margin: 0 auto } svg, img { display: block; max-width: 100%% }
.caption { font-size: 88%%; margin: 6px 0; text-align: %(captions)s; %(captionstyle)s }
.item { position: relative; padding-left: 22px; margin: %(itemgap)s 0 } .depth1 { margin-left: 24px }
.marker { position: absolute; left: 2px } .goeson > .marker { display: none }
pre { font: %(codesize)s/1.3 %(mono)s; margin: 8px 0; white-space: pre; overflow: hidden; break-inside: avoid;
  %(codeground)s }
table { border-collapse: collapse; margin: 4px auto; font-size: 90%% } td, th { padding: 2px 8px; text-align: right }
td:first-child, th:first-child { text-align: left }
.ruled td, .ruled th { border: 1px solid #222 } .lined { border-top: 2px solid #222; border-bottom: 2px solid #222 }
.lined th { border-bottom: 1px solid #222 } sup { line-height: 0; font-size: 70%% }
.margin { position: absolute; width: 104px; font-size: 78%%; line-height: 1.2; text-align: left }
.left .margin { left: 34px } .right .margin { right: 34px }
.box { border: 1px solid #222; padding: 8px 12px; margin: 12px 0; break-inside: avoid }
.dark { background: #2a2a2a } .tint { background: #e4e4e4; border: 0 }
"""


def style_of(chance: random.Random, fonts: Path, **fixed: Any) -> str:
    """Return a style sheet drawn from the usual ranges of print, with some values fixed."""
    text, title = (chance.choice(SERIF if chance.random() < 0.65 else SANS) for _ in range(2))
    title = text if chance.random() < 0.5 else title
    mono = chance.choice(MONO)
    rules, names = zip(*(faces(fonts, f).split("|") for f in (text, title, mono)), strict=True)
    spaced = chance.random() < 0.4
    values = {
        "paper": "210mm 297mm", "width": 794, "height": 1122, "pad": "64px 72px", "columns": 1, "gap": 26,
        "size": chance.choice((12.5, 13.5, 14.5, 15.5)), "leading": chance.choice((1.25, 1.32, 1.42)),
        "font": names[0], "titlefont": names[1], "mono": names[2],
        "rule": chance.choice(("", "", "column-rule: 1px solid #555")),
        "headrule": chance.choice(("", "border-bottom: 1px solid #333")),
        "pmargin": "0 0 0.7em" if spaced else "0", "indent": "0" if spaced else "1.4em",
        "align": chance.choice(("justify", "justify", "left")), "weight": chance.choice((700, 700, 400)),
        "h1": chance.choice(("150%", "175%", "200%")), "h2": chance.choice(("118%", "130%")),
        "h3": chance.choice(("100%", "108%")),
        "h3style": chance.choice(("", "font-style: italic", "font-weight: 700")),
        "captions": chance.choice(("left", "center")),
        "captionstyle": chance.choice(("", "font-style: italic", "")),
        "itemgap": chance.choice(("1px", "4px")), "codesize": chance.choice(("11px", "12px")),
        "codeground": chance.choice(("", "background:#eee; padding: 6px", "border:1px solid #888; padding: 6px")),
        **fixed,
    }  # fmt: skip
    return "".join(rules) + BASE % values


def running(draft: Draft) -> tuple[str, str]:
    """Return the head and the foot of pages: left and right pages differ in some books."""
    chance, words = draft.chance, draft.words
    title = draft.element("span", K.RUNNING_HEAD, words.title(2, 4), "onleft2")
    folio = draft.take(K.PAGE_NUMBER, "")
    number = f'<span class="folio" style="color:{colour(K.PAGE_NUMBER, folio)}"></span>'
    style = chance.randrange(5)
    if style == 0:  # as in books
        other = draft.element("span", K.RUNNING_HEAD, words.title(2, 5))
        return (f'<span class="onleft">{number}</span><span class="onleft">{title}</span>'
                f'<span class="onright">{other}</span><span class="onright">{number}</span>'), ""  # fmt: skip
    if style == 1:
        return f"{title}<span></span>", f"<span></span>{number}<span></span>"
    if style == 2:
        foot = draft.element("span", K.RUNNING_FOOT, words.title(2, 4))
        return f"<span></span>{title}", f"{foot}{number}"
    if style == 3:
        dashed = f'<span style="color:{colour(K.PAGE_NUMBER, folio)}">– {number} –</span>'
        return "", f"<span></span>{dashed}<span></span>"
    return f"{title}{number}", ""


def document(css: str, flow: list[str], draft: Draft, head: str = "", feet: str = "", most: int = 4,
             bare: bool = False) -> str:  # fmt: skip
    """Return the HTML of a document whose parts are laid on pages by the script beside this."""
    facts = {"first": draft.chance.randint(1, 180), "most": most, "bare": bare}
    script = (HERE / "paginate.js").read_text(encoding="utf-8")
    parts = "\n".join(flow)
    return f"""<!DOCTYPE html><html lang="{draft.words.language}"><meta charset="utf-8"><style>{css}</style>
<script type="application/json" id="facts">{json.dumps(facts)}</script>
<template id="sheet"><section><div class="head running">{head}</div><div class="body"></div>
<div class="notes"></div><div class="feet running">{feet}</div></section></template>
<div id="flow">{parts}</div><script>{script}</script></html>"""


def report(draft: Draft, fonts: Path) -> str:
    """Chapters in one column with headings, notes, lists, tables and figures."""
    chance = draft.chance
    head, feet = running(draft)
    numbered = chance.random() < 0.5
    aside = chance.random() < 0.25
    flow = [draft.heading(1, numbered)]
    while not draft.full and len(flow) < 70:
        if chance.random() < 0.6:
            flow.append(draft.heading(2, numbered))
        for _ in range(chance.randint(1, 4)):
            flow.append(draft.paragraph(notes=not aside, aside=aside))
        more = chance.random()
        if more < 0.22:
            flow += draft.items()
        elif more < 0.4:
            flow.append(draft.figure(width=chance.randint(240, 480)))
        elif more < 0.58:
            flow.append(draft.table())
        elif more < 0.7:
            flow += [draft.heading(3), draft.paragraph()]
        elif more < 0.78:
            flow.append(draft.heading(1, numbered))
    pad = {"pad": "64px 160px"} if aside else {}
    return document(
        style_of(chance, fonts, **pad), flow, draft, head, feet, most=3, bare=chance.random() < 0.5
    )


def article(draft: Draft, fonts: Path) -> str:
    """A paper in two columns under a title across both."""
    chance = draft.chance
    head, feet = running(draft)
    title = draft.element(
        "h1", K.HEADING, draft.words.title(5, 11), "span", "text-align:center", level=1
    )
    names = draft.element("p", K.PARAGRAPH, ", ".join(draft.words.name() for _ in range(2)), "span plain",
                          "text-align:center;margin:10px 0 18px")  # fmt: skip
    flow = [title, names]
    if chance.random() < 0.6:
        flow.append(draft.paragraph(50, 90, css="span plain"))
    while not draft.full and len(flow) < 60:
        if chance.random() < 0.5:
            flow.append(draft.heading(2, True))
        for _ in range(chance.randint(1, 3)):
            flow.append(draft.paragraph(30, 120, notes=True))
        more = chance.random()
        if more < 0.25:
            flow.append(draft.figure(width=chance.randint(220, 300)))
        elif more < 0.35:
            flow.append(draft.table())
        elif more < 0.45:
            flow += draft.items(nested=False)
    style = style_of(chance, fonts, columns=2, size=chance.choice((11.5, 12.5, 13)))
    return document(style, flow, draft, head, feet, most=2, bare=True)


def manual(draft: Draft, fonts: Path) -> str:
    """A manual with listings, nested lists and boxed hints."""
    chance = draft.chance
    head, feet = running(draft)
    flow = [draft.heading(1, chance.random() < 0.5)]
    while not draft.full and len(flow) < 60:
        flow += [draft.heading(chance.choice((2, 2, 3))), draft.paragraph(15, 60)]
        more = chance.random()
        if more < 0.5:
            flow.append(draft.code())
        if more > 0.35:
            flow += draft.items()
        if chance.random() < 0.2:
            css = chance.choice(("box", "box tint"))
            flow.append(f'<div class="{css}">{draft.paragraph(15, 40, css="plain")}</div>')
        if chance.random() < 0.3:
            flow += [draft.paragraph(10, 40), draft.code()]
    style = style_of(chance, fonts, align="left")
    return document(style, flow, draft, head, feet, most=3)


def newspaper(draft: Draft, fonts: Path) -> str:
    """A sheet with several stories, each with its heading over columns of its own."""
    chance = draft.chance
    name = draft.element("div", K.HEADING, draft.words.title(2, 3), "", "font-size:52px;text-align:center;"
                         "border-bottom:3px double #222;line-height:1.2", level=1)  # fmt: skip
    rows, stories = chance.randint(2, 3), []
    total = chance.choice((4, 5))
    for row in range(rows):
        left = total
        while left > 0:
            wide = min(left, chance.randint(1, 3))
            wide = left if left - wide == 0 or (row == 0 and left == total and wide == 1) else wide
            left -= wide
            size = 20 + 5 * wide - 3 * row
            title = draft.element("div", K.HEADING, draft.words.title(3, 7), "keeps", f"font-size:{size}px;"
                                  "font-weight:700;line-height:1.1;margin-bottom:6px", level=2)  # fmt: skip
            parts = [draft.paragraph(30, 70) for _ in range(9 * wide)]
            if chance.random() < 0.35:
                parts.insert(2, draft.figure(width=140, css="small"))
            stories.append(
                f'<div class="story" style="grid-column:span {wide}">{title}<div class="fits" '
                f'style="columns:{wide}">{"".join(parts)}</div></div>'
            )
    height = 900 // rows
    css = style_of(
        chance, fonts, size=11.5, leading=1.25, pad="44px 50px", pmargin="0", indent="1em", rule=""
    )
    css += ".head,.feet{display:none}" + (f".paper{{display:grid;grid-template-columns:repeat({total},1fr);gap:14px 18px;margin-top:12px}}"
            f".story{{height:{height}px;display:flex;flex-direction:column;min-width:0;overflow:hidden}}"
            ".fits{flex:1 1 0;min-height:0;column-fill:auto;column-gap:18px;overflow:hidden}")  # fmt: skip
    if chance.random() < 0.4:
        css += ".story{border-top:1px solid #333;padding-top:6px}"
    paper = f'<div class="fixed">{name}<div class="paper">{"".join(stories)}</div></div>'
    return document(css, [paper], draft, most=1)


def newsletter(draft: Draft, fonts: Path) -> str:
    """Two or three columns with boxed insets, a quotation and pictures across columns."""
    chance = draft.chance
    head, feet = running(draft)
    flow = [draft.element("h1", K.HEADING, draft.words.title(2, 5), "span", level=1)]
    while not draft.full and len(flow) < 44:
        flow.append(draft.heading(2))
        for _ in range(chance.randint(1, 4)):
            flow.append(draft.paragraph(30, 90))
        more = chance.random()
        if more < 0.3:
            flow.append(draft.figure(width=200))
        elif more < 0.6:
            light = chance.random() < 0.4
            title = draft.element(
                "h3", K.HEADING, draft.words.title(1, 3), "", "margin-top:0", light, level=3
            )
            inner = "".join(draft.paragraph(12, 40, "plain", light) for _ in range(2))
            css = "box dark" if light else chance.choice(("box", "box tint"))
            flow.append(f'<div class="{css}">{title}{inner}</div>')
        elif more < 0.75:
            flow += draft.items(nested=False)
    style = style_of(chance, fonts, columns=chance.choice((2, 3)), size=chance.choice((12, 13)))
    return document(style, flow, draft, head, feet, most=2, bare=True)


def contents(draft: Draft, fonts: Path) -> str:
    """A page of contents with leaders, or an index in columns."""
    chance, words = draft.chance, draft.words
    either = {"taken_for": (K.PARAGRAPH, K.ENTRY, K.TABLE)}
    if chance.random() < 0.5:
        flow = [draft.heading(1, text=words.title(1, 1))]
        page, dots = 1, chance.choice((". ", ".", " . ", "…"))
        style = style_of(chance, fonts) + (
            ".row{display:flex;gap:4px;align-items:baseline;margin:5px 0}.row.in{margin-left:26px}"
            ".lead{flex:1 1 0;overflow:hidden;white-space:nowrap;direction:rtl}"
        )
        leader = (
            f'<span class="lead">{dots * 140}</span>'
            if chance.random() < 0.75
            else '<span class="lead"></span>'
        )
        for number in range(chance.randint(20, 40)):
            page += chance.randint(1, 9)
            inside = number % 4 > 0
            label = f"{1 + number // 4}.{number % 4} " if inside else f"{1 + number // 4} "
            title = label + words.title(2, 6)
            flow.append(
                draft.element("div", K.ITEM, f"{title} {page}", f"row {'in' if inside else ''}",
                              "" if inside else "font-weight:700",
                              inner=f"<span>{shown(title)}</span>{leader}<span>{page}</span>", **either)
            )  # fmt: skip
        return document(style, flow, draft, *running(draft), most=1)
    head, feet = running(draft)
    flow = [draft.element("h1", K.HEADING, words.title(1, 2), "span", level=1)]
    entries = sorted(" ".join(words.some(1, 3)) for _ in range(150))
    for number, entry in enumerate(entries):
        if number % 15 == 0:
            flow.append(draft.element("div", K.HEADING, entry[0].upper(), "", "font-weight:700;margin-top:8px",
                                      level=2, taken_for=(K.PARAGRAPH, K.ITEM)))  # fmt: skip
        pages = ", ".join(
            str(n) for n in sorted(chance.sample(range(1, 300), chance.randint(1, 4)))
        )
        flow.append(
            draft.element(
                "div",
                K.ITEM,
                f"{entry}, {pages}",
                "",
                "padding-left:1em;text-indent:-1em",
                **either,
            )
        )
    style = style_of(chance, fonts, columns=chance.choice((2, 3)), size=12)
    return document(style, flow, draft, head, feet, most=1)


def card(draft: Draft, fonts: Path) -> str:
    """A card of terms with their meanings in three columns."""
    chance, words = draft.chance, draft.words
    either = {"taken_for": (K.PARAGRAPH, K.ENTRY, K.TABLE)}
    flow, two = [], chance.random() < 0.5
    for number in range(150):
        if number % 9 == 0:
            flow.append(draft.element("div", K.HEADING, words.title(1, 3), "keeps", "font-weight:700;"
                                      "margin:9px 0 3px;break-after:avoid", level=2))  # fmt: skip
        term, meaning = " ".join(words.some(1, 2)).lower(), " ".join(words.some(3, 9))
        if two:
            inner = f'<span class="term">{shown(term)}</span><span>{shown(meaning)}</span>'
        else:
            inner = f"<b>{shown(term)}</b><br>{shown(meaning)}"
        flow.append(
            draft.element("div", K.ITEM, f"{term} {meaning}", "pair", inner=inner, **either)
        )
    wide = chance.random() < 0.5
    paper = {"paper": "297mm 210mm", "width": 1122, "height": 794} if wide else {}
    style = style_of(chance, fonts, columns=3, size=11, pad="40px 40px", leading=1.25, **paper)
    if two:
        style += ".pair{display:grid;grid-template-columns:42% 1fr;gap:6px;break-inside:avoid}"
    return document(style + ".pair{margin:2px 0;break-inside:avoid}", flow, draft, most=1)


def form(draft: Draft, fonts: Path) -> str:
    """A form: labels, some with entries, in rows."""
    chance, words = draft.chance, draft.words
    flow = [draft.heading(1), draft.paragraph(12, 30)]
    lined = chance.random() < 0.5
    for _ in range(chance.randint(2, 4)):
        flow.append(draft.heading(2))
        for _ in range(chance.randint(3, 6)):
            cells = ""
            for _ in range(chance.randint(1, 3)):
                label = draft.element("span", K.LABEL, words.title(1, 2) + chance.choice(("", ":")), "lab",
                                      taken_for=(K.PARAGRAPH, K.ENTRY, K.TABLE))  # fmt: skip
                filled = chance.random() < 0.7
                entry = draft.element("span", K.ENTRY, " ".join(words.some(1, 3)), "ent",
                                      taken_for=(K.PARAGRAPH, K.LABEL, K.TABLE)) if filled else '<span class="ent"></span>'  # fmt: skip
                cells += f'<div class="cell">{label}{entry}</div>'
            flow.append(f'<div class="whole rowed">{cells}</div>')
    flow.append(draft.paragraph(15, 40))
    css = style_of(chance, fonts) + (
        ".rowed{display:flex;gap:18px;margin:8px 0}.cell{flex:1;display:flex;gap:8px;align-items:baseline;"
        "min-height:26px}.lab{font-size:85%;white-space:nowrap}.ent{flex:1;font-family:monospace;padding-left:4px}"
    )
    css += (
        ".ent{border-bottom:1px solid #444}"
        if lined
        else ".cell{border:1px solid #444;padding:4px}"
    )
    return document(css, flow, draft, *running(draft), most=1)


def leaflet(draft: Draft, fonts: Path) -> str:
    """A sheet in landscape, folded into three panels."""
    chance = draft.chance
    panels = []
    for _ in range(3):
        parts = [draft.element("h1", K.HEADING, draft.words.title(1, 3), "", level=1)]
        for _ in range(6):
            parts.append(draft.paragraph(15, 50))
            if chance.random() < 0.3:
                parts += draft.items(nested=False)
            if chance.random() < 0.25:
                parts.append(draft.figure(width=220))
            if chance.random() < 0.3:
                parts.append(draft.heading(3))
                parts.append(draft.paragraph(12, 30))
        panels.append(f'<div class="panel fits">{"".join(parts)}</div>')
    css = style_of(chance, fonts, paper="297mm 210mm", width=1122, height=794, pad="0", size=13)
    css += ".panels{display:flex;height:794px}.panel{flex:1 1 0;padding:40px 30px;overflow:hidden;height:794px}"
    css += ".head,.feet{display:none}"
    if chance.random() < 0.5:
        css += ".panel+.panel{border-left:1px solid #888}"
    return document(css, [f'<div class="fixed"><div class="panels">{"".join(panels)}</div></div>'],
                    draft, most=1)  # fmt: skip


MAKERS: dict[str, Callable[[Draft, Path], str]] = {
    maker.__name__: maker
    for maker in (report, article, manual, newspaper, contents, card, form, newsletter, leaflet)
}
HELD_OUT = ("newsletter", "leaflet")  # only for scoring


def make(name: str, seed: int, data: Path, language: str) -> tuple[str, list[Part]]:
    """Return a document's HTML and its parts."""
    chance = random.Random(f"{name}{seed}")
    draft = Draft(Words(data / "corpus", language, chance), chance)
    text = MAKERS[name](draft, data / "fonts")
    place_parts(text, draft.parts)
    return re.sub(r"\n\s*\n", "\n", text), draft.parts
