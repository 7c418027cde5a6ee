"""Everyday paper: invoices, pay slips, statements, forms, cards; what becomes of it, in figures.

    python benchmarks/paper.py build --data DATA           draw 96 pages (Chromium)
    python benchmarks/paper.py score --data DATA           read those of the inspect split
    python benchmarks/paper.py score --data DATA --split score

Half of the pages are for figures only (`score`). A third of each half is photographed. Truth is
what each element of the page says, and where it stands: grids of items, and all other text, which
should not come out as part of a table.
"""

from __future__ import annotations

import html
import json
import multiprocessing
import random
import re
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import click
import cv2
import numpy as np
from PIL import Image

from amberquarry import Block, BlockKind, Box, Line, Page, read_page
from amberquarry.demo import scenes
from amberquarry.scoring.text import errors_at_best_place, plain
from screens import FLAGS

SEEDS = {"inspect": 0, "score": 1000}
PAGES_OF_KIND = 6  # in each split
SCALE = 3  # device pixels for one of 1/96 inch: 288 dots per inch
FACES = ("DejaVu Sans", "Liberation Sans", "Liberation Serif", "DejaVu Serif", "Roboto", "Lato",
         "Liberation Sans Narrow", "Liberation Mono")  # fmt: skip
# Words of each language, in the order of the keys.
KEYS = ["invoice", "no", "date", "due", "customer", "item", "quantity", "price", "amount", "net", "tax", "total", "bank", "account", "payslip", "employee", "salary", "deduction", "statement", "balance", "opening", "closing", "delivery", "weight", "signature", "name", "born", "address", "valid", "note", "thanks", "hours", "receipt", "change", "order", "page"]  # fmt: skip
WORDS = {
    "en": ("Invoice|No.|Date|Due date|Customer no.|Item|Qty|Price|Amount|Net|VAT 20 %|Total|Bank|"
           "Account|Pay slip|Employee|Basic salary|Pension|Statement of account|Balance|Opening "
           "balance|Closing balance|Delivery note|Weight|Signature|Name|Date of birth|Address|"
           "Valid until|Please pay within fourteen days and give the number of this invoice.|"
           "Thank you for your order. Goods stay ours until they are paid in full.|Hours|Receipt|"
           "Change|Your order|Page"),
    "de": ("Rechnung|Nr.|Datum|Zahlbar bis|Kundennr.|Artikel|Menge|Preis|Betrag|Netto|MwSt. 19 %|"
           "Gesamt|Bank|Konto|Gehaltsabrechnung|Mitarbeiter|Grundgehalt|Rentenversicherung|"
           "Kontoauszug|Saldo|Anfangssaldo|Endsaldo|Lieferschein|Gewicht|Unterschrift|Name|"
           "Geboren am|Anschrift|Gültig bis|Bitte zahlen Sie binnen vierzehn Tagen unter Angabe der "
           "Rechnungsnummer.|Vielen Dank für Ihren Auftrag. Die Ware bleibt bis zur Zahlung unser "
           "Eigentum.|Stunden|Quittung|Rückgeld|Ihre Bestellung|Seite"),
    "fr": ("Facture|N°|Date|Échéance|N° client|Article|Qté|Prix|Montant|Hors taxes|TVA 20 %|Total|"
           "Banque|Compte|Bulletin de paie|Salarié|Salaire de base|Retraite|Relevé de compte|Solde|"
           "Ancien solde|Nouveau solde|Bon de livraison|Poids|Signature|Nom|Né le|Adresse|Valable "
           "jusqu'au|Merci de régler sous quatorze jours en rappelant le numéro de cette facture.|"
           "Nous vous remercions de votre commande. Les articles restent notre propriété jusqu'au "
           "paiement.|Heures|Reçu|Rendu|Votre commande|Page"),
    "es": ("Factura|N.º|Fecha|Vencimiento|N.º de cliente|Artículo|Cant.|Precio|Importe|Neto|IVA 21 %|"
           "Total|Banco|Cuenta|Nómina|Empleado|Salario base|Pensión|Extracto de cuenta|Saldo|Saldo "
           "inicial|Saldo final|Albarán|Peso|Firma|Nombre|Nacido el|Dirección|Válido hasta|Rogamos "
           "el pago en catorce días indicando el número de esta factura.|Gracias por su pedido. La "
           "mercancía es nuestra hasta su pago.|Horas|Recibo|Cambio|Su pedido|Página"),
}  # fmt: skip
GOODS = ["Rope, 20 m", "Lamp oil, 5 l", "Brass screw M6", "Gauge glass", "Tar brush", "Signal flag blue", "Oak plank", "Chain link 12 mm", "Paper roll for recorder", "Buoy paint red", "Anchor shackle", "Copper nail", "Storm lantern with hook", "Canvas 2 x 3 m", "Pump valve"]  # fmt: skip
PEOPLE = ("Ada Penrose", "Tomas Fell", "Ines Marrow", "Ruben Lisle", "Greta Holm", "Piet Aalto")
STREETS = ("4 Rope Walk", "17 Harbour Lane", "Mole House 2", "31 Lantern Street", "9 Chandler Row")
FIRMS = (
    "Ellory Ship Chandlers",
    "North Quay Stores",
    "Tide & Lantern Works",
    "Marrow Freight Office",
)


@dataclass(slots=True)
class Sheet:
    """A page in the making."""

    chance: random.Random
    language: str

    def word(self, key: str) -> str:
        """Return a word of the page's language."""
        return WORDS[self.language].split("|")[KEYS.index(key)]

    def number(self, low: float = 1, high: float = 3000) -> str:
        """Return an amount as it is written in the language."""
        text = f"{self.chance.uniform(low, high):,.2f}"
        if self.language == "en":
            return text
        return (
            text.replace(",", "_")
            .replace(".", ",")
            .replace("_", "." if self.language != "fr" else " ")
        )

    def date(self) -> str:
        """Return a date."""
        day, month = self.chance.randint(1, 28), self.chance.randint(1, 12)
        return f"{day:02}.{month:02}.2031" if self.language == "de" else f"{day:02}/{month:02}/2031"

    def pick(self, choices: Any) -> Any:
        """Return one of some choices."""
        return self.chance.choice(choices)

    def text(self, tag: str, text: str, css: str = "") -> str:
        """Return an element of text that is no part of a grid."""
        return f'<{tag} data-part="text" class="{css}">{html.escape(text)}</{tag}>'

    def pair(self, label: str, value: str) -> str:
        """Return a label and its value, which belong on one line."""
        return (f'<div class=pair data-pair="{html.escape(label)} {html.escape(value)}">'
                f'<span data-part="text">{html.escape(label)}</span>'
                f'<span data-part="text">{html.escape(value)}</span></div>')  # fmt: skip

    def address(self, *lines: str) -> str:
        """Return lines that belong together."""
        inner = "".join(f'<div data-part="text">{html.escape(line)}</div>' for line in lines)
        return f'<div class=address data-together="{html.escape(" ".join(lines))}">{inner}</div>'

    def someone(self) -> str:
        """Return a made-up address."""
        return self.address(
            self.pick(PEOPLE), self.pick(STREETS), f"PE{self.chance.randint(1, 9)} Port Ellory"
        )

    def grid(self, head: list[str], rows: list[list[str]], css: str = "") -> str:
        """Return a grid of items."""
        top = "".join(f"<th>{html.escape(cell)}</th>" for cell in head)
        body = "".join(
            f'<tr data-row="{html.escape(" ".join(row))}">'
            + "".join(f"<td>{html.escape(cell)}</td>" for cell in row) + "</tr>"
            for row in rows
        )  # fmt: skip
        return f'<table class="grid {css}" data-part="grid"><tr>{top}</tr>{body}</table>'

    def totals(self, *keys: str) -> str:
        """Return sums under a grid, outside of it."""
        return f"<div class=totals>{''.join(self.pair(self.word(k), self.number()) for k in keys)}</div>"


def _ruling(s: Sheet) -> str:
    return str(s.pick(("full", "lines", "head", "bare", "zebra")))


def _foot(s: Sheet) -> str:
    columns = [
        s.address(s.pick(FIRMS), s.pick(STREETS), "Port Ellory"),
        s.address(f"{s.word('bank')}: Harbour Bank", f"{s.word('account')}: 40 {s.chance.randint(1000, 9999)} 7731"),
        s.address(f"Tel. 0{s.chance.randint(100, 999)} {s.chance.randint(1000, 9999)}", "office@quay.example"),
    ]  # fmt: skip
    return f"<div class=foot>{''.join(columns)}</div>"


def _facts(s: Sheet) -> str:
    return "<div class=facts>" + "".join((
        s.pair(f"{s.word('invoice')} {s.word('no')}", f"{s.chance.randint(1000, 9999)}/31"),
        s.pair(s.word("date"), s.date()),
        s.pair(s.word("customer"), str(s.chance.randint(10000, 99999))),
        s.pair(s.word("due"), s.date()),
    )) + "</div>"  # fmt: skip


def invoice(s: Sheet) -> str:
    """Return an invoice: sender, address beside facts, items, sums, notes, a foot in columns."""
    head = [s.word(key) for key in ("item", "quantity", "price", "amount")]
    rows = [[s.pick(GOODS), str(s.chance.randint(1, 60)), s.number(1, 90), s.number()]
            for _ in range(s.chance.randint(3, 9))]  # fmt: skip
    return (
        s.text("h1", s.pick(FIRMS)) + f"<div class=two>{s.someone()}{_facts(s)}</div>"
        + s.text("h2", s.word("invoice")) + s.text("p", s.word("thanks"))
        + s.grid(head, rows, _ruling(s)) + s.totals("net", "tax", "total")
        + s.text("p", s.word("note")) + _foot(s)
    )  # fmt: skip


def pay_slip(s: Sheet) -> str:
    """Return a pay slip: facts in two columns, then what is paid and what is kept back."""
    facts = "".join(s.pair(s.word(key), value) for key, value in (
        ("employee", s.pick(PEOPLE)), ("no", str(s.chance.randint(100, 999))),
        ("born", s.date()), ("hours", str(s.chance.randint(100, 170)))))  # fmt: skip
    rows = [[s.word(key), s.number(), s.number()]
            for key in ("salary", "deduction", "tax", "hours", "net")]  # fmt: skip
    return (
        s.text("h2", f"{s.word('payslip')} 03/2031") + f"<div class=two>{s.someone()}<div class=facts>{facts}</div></div>"
        + s.grid([s.word("item"), s.word("amount"), s.word("balance")], rows, _ruling(s))
        + s.totals("net", "total") + s.text("p", s.word("thanks"))
    )  # fmt: skip


def delivery_note(s: Sheet) -> str:
    """Return a delivery note with a place to sign."""
    rows = [[str(n + 1), s.pick(GOODS), str(s.chance.randint(1, 90)), f"{s.number(1, 60)} kg"]
            for n in range(s.chance.randint(3, 10))]  # fmt: skip
    head = [s.word(key) for key in ("no", "item", "quantity", "weight")]
    return (
        s.text("h1", s.word("delivery")) + f"<div class=two>{s.someone()}{s.someone()}</div>" + _facts(s)
        + s.grid(head, rows, _ruling(s)) + s.text("p", s.word("thanks"))
        + f"<div class=sign>{s.text('span', s.word('date'))}{s.text('span', s.word('signature'))}</div>" + _foot(s)
    )  # fmt: skip


def statement(s: Sheet) -> str:
    """Return a statement of account with a running balance."""
    rows = [
        [s.date(), f"{s.pick(FIRMS)}", s.number(), s.number()]
        for _ in range(s.chance.randint(6, 14))
    ]
    head = [s.word(key) for key in ("date", "item", "amount", "balance")]
    return (
        s.text("h1", "Harbour Bank") + f"<div class=two>{s.someone()}<div class=facts>"
        + s.pair(s.word("account"), f"40 {s.chance.randint(1000, 9999)} 7731") + s.pair(s.word("date"), s.date())
        + s.pair(s.word("page"), "1 / 1") + "</div></div>" + s.text("h2", s.word("statement"))
        + s.totals("opening") + s.grid(head, rows, _ruling(s)) + s.totals("closing")
        + s.text("p", s.word("thanks"))
    )  # fmt: skip


def form(s: Sheet) -> str:
    """Return a form: labels with boxed entries, no grid of items."""
    entries = "".join(
        f'<div class=field>{s.text("small", s.word(key))}<br>{s.text("span", value)}</div>'
        for key, value in (
            ("name", s.pick(PEOPLE)), ("born", s.date()), ("address", s.pick(STREETS)),
            ("account", str(s.chance.randint(10**7, 10**8))), ("customer", str(s.chance.randint(100, 999))),
            ("date", s.date()))
    )  # fmt: skip
    return (
        s.text("h1", s.word("order")) + s.text("p", s.word("thanks")) + f"<div class=fields>{entries}</div>"
        + s.text("p", s.word("note"))
        + f"<div class=sign>{s.text('span', s.word('date'))}{s.text('span', s.word('signature'))}</div>"
    )  # fmt: skip


def card(s: Sheet) -> str:
    """Return a membership card with a picture."""
    facts = "".join(s.pair(s.word(key), value) for key, value in (
        ("name", s.pick(PEOPLE)), ("born", s.date()), ("no", f"PE-{s.chance.randint(1000, 9999)}"),
        ("valid", s.date())))  # fmt: skip
    return (
        f"<div class=card>{s.text('h2', 'Port Ellory Harbour Library')}<div class=two><div class=face></div>"
        f"<div class=facts>{facts}</div></div></div>" + s.text("p", s.word("thanks"))
    )  # fmt: skip


def letter(s: Sheet) -> str:
    """Return a letter with one table between a caption and text."""
    rows = [[s.pick(GOODS), s.number(), s.date()] for _ in range(s.chance.randint(3, 6))]
    head = [s.word("item"), s.word("price"), s.word("date")]
    text = " ".join(s.chance.sample([s.word("note"), s.word("thanks")] * 3, 5))
    return (
        s.someone() + s.text("p", s.date(), "right") + s.text("h2", s.word("order"))
        + s.text("p", text) + s.text("p", f"{s.word('item')} 1: {s.pick(GOODS)}", "caption")
        + s.grid(head, rows, _ruling(s)) + s.text("p", text) + s.text("p", s.pick(PEOPLE))
    )  # fmt: skip


def receipt(s: Sheet) -> str:
    """Return a shop's receipt: items with amounts, a narrow page without rules."""
    rows = [[s.pick(GOODS), s.number(1, 60)] for _ in range(s.chance.randint(3, 9))]
    return (
        f"<div class=narrow>{s.text('h2', s.pick(FIRMS))}{s.text('div', s.pick(STREETS), 'middle')}"
        + s.text("div", f"{s.word('receipt')} {s.chance.randint(1000, 9999)}  {s.date()}", "middle")
        + s.grid([s.word("item"), s.word("amount")], rows, "bare")
        + s.totals("total", "change") + s.text("p", s.word("thanks")) + "</div>"
    )  # fmt: skip


MAKERS: dict[str, Callable[[Sheet], str]] = {
    "invoice": invoice,
    "pay slip": pay_slip,
    "delivery note": delivery_note,
    "statement": statement,
    "form": form,
    "card": card,
    "letter": letter,
    "receipt": receipt,
}
STYLE = """
body {{margin:46px 54px;font:{size}px '{face}';line-height:{leading};color:#181818;width:686px}}
h1 {{font-size:1.8em;margin:.3em 0}} h2 {{font-size:1.3em}} .two {{display:flex;justify-content:space-between}}
.pair {{display:flex;justify-content:space-between;gap:26px}} .facts {{min-width:{facts}px}}
.totals {{margin:8px 0 8px auto;width:{totals}px}} .address {{margin:10px 0}}
.grid {{border-collapse:collapse;width:100%;margin:12px 0}} .grid td,.grid th {{padding:4px 8px;text-align:left}}
.grid td:last-child,.grid th:last-child {{text-align:right}}
.full td,.full th {{border:1px solid #333}} .lines tr {{border-bottom:1px solid #777}}
.head th {{border-bottom:2px solid #222}} .zebra tr:nth-child(odd) {{background:#ececec}}
.foot {{display:flex;justify-content:space-between;font-size:.8em;border-top:1px solid #999;margin-top:40px}}
.fields {{display:flex;flex-wrap:wrap}} .field {{border:1px solid #444;width:{field}px;padding:3px 8px;margin:4px}}
.sign {{display:flex;gap:120px;margin-top:60px}} .sign span {{border-top:1px solid #222;width:200px}}
.card {{border:2px solid #333;border-radius:14px;padding:14px;width:460px}} .right {{text-align:right}}
.face {{width:110px;height:140px;background:linear-gradient(150deg,#777,#ddd 60%,#555)}}
.narrow {{width:300px}} .middle {{text-align:center}} .caption {{font-style:italic;font-size:.9em}}
"""
PLACES = """<script>window.onload=()=>{const out=[];const one=(e,k,t)=>{const r=e.getBoundingClientRect();
out.push([k,t,r.left,r.top,r.right,r.bottom])};
document.querySelectorAll('[data-part]').forEach(e=>one(e,e.dataset.part,e.innerText));
for(const k of ['pair','together','row'])document.querySelectorAll('[data-'+k+']').forEach(e=>one(e,k,e.dataset[k]));
const p=document.createElement('pre');p.id='places';p.style.display='none';p.textContent=JSON.stringify(out);
document.body.appendChild(p)}</script>"""


def shoot(job: tuple[str, str, int, str]) -> None:
    """Draw one page and write its truth."""
    split, name, number, data = job
    seed = SEEDS[split] + 100 * list(MAKERS).index(name) + number
    chance = random.Random(seed)
    out = Path(data) / "paper" / split
    out.mkdir(parents=True, exist_ok=True)
    target = out / f"{name.replace(' ', '-')}-{number}.png"
    if target.with_suffix(".json").exists():
        return
    language = chance.choice(list(WORDS))
    style = STYLE.format(
        size=chance.choice((12, 13, 14, 15)),
        face=chance.choice(FACES),
        leading=chance.choice((1.25, 1.4, 1.55)),
        facts=chance.choice((190, 240, 290)),
        totals=chance.choice((200, 260, 340)),
        field=chance.choice((190, 300)),
    )
    body = MAKERS[name](Sheet(chance, language))
    page = f"<!doctype html><html lang={language}><meta charset=utf-8><style>{style}</style>{PLACES}{body}"
    height = 640 if name in ("card", "receipt") else 1123
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        (folder / "page.html").write_text(page, encoding="utf-8")
        common = [
            "chromium",
            *FLAGS,
            f"--window-size=794,{height}",
            f"--user-data-dir={folder / 'u'}",
        ]
        link = (folder / "page.html").as_uri()
        drawn = [*common, f"--force-device-scale-factor={SCALE}", f"--screenshot={target}", link]
        subprocess.run(drawn, check=True, capture_output=True, timeout=120)
        told = subprocess.run(
            [*common, "--dump-dom", link], check=True, capture_output=True, timeout=120
        )
    found = re.search(r'<pre id="places"[^>]*>(.*?)</pre>', told.stdout.decode("utf-8"), re.DOTALL)
    parts = json.loads(html.unescape(found[1])) if found else []
    parts = [[k, t, *(SCALE * v for v in box)] for k, t, *box in parts]
    photographed = number % 3 == 2
    if photographed:
        with Image.open(target) as image:
            grey = np.asarray(image.convert("L"))
        scene = scenes.photograph(grey, seed)
        target.unlink()
        target.with_suffix(scene.suffix).write_bytes(scene.data)
        parts = [[k, t, *([0.0] * 4)] for k, t, *_ in parts]
    target.with_suffix(".json").write_text(
        json.dumps(
            {"name": name, "language": language, "photographed": photographed, "parts": parts}
        ),
        encoding="utf-8",
    )


@dataclass(slots=True)
class Counts:
    """What was counted on some pages."""

    pages: int = 0
    characters: int = 0  # of text outside of grids
    missing: int = 0
    in_tables: int = 0
    pairs: int = 0
    pairs_kept: int = 0
    together: int = 0
    together_kept: int = 0
    rows: int = 0
    rows_kept: int = 0
    grids: int = 0
    grids_found: int = 0
    tables: int = 0
    false_tables: int = 0
    overlaps: int = 0

    def add(self, other: Counts) -> None:
        """Add other counts."""
        for name in self.__slots__:  # type: ignore[attr-defined]
            setattr(self, name, getattr(self, name) + getattr(other, name))


def _rows_of(page: Page) -> Iterator[str]:
    """Yield the text of each block, its lines joined."""
    for block in page.blocks:
        yield plain(" ".join(line.text for line in block.lines))


def _kept(part: str, text: str) -> bool:
    """Return whether a text stands somewhere as it is but for a tenth of its letters."""
    part = plain(part)
    return errors_at_best_place(part, text) <= max(1, len(part) // 10)


def measure(path: Path) -> tuple[str, bool, Counts]:
    """Return name of kind, whether photographed, and counts of the page whose truth this is."""
    truth = json.loads(path.read_text("utf-8"))
    page = read_page(next(p for p in path.parent.glob(f"{path.stem}.*") if p != path))
    whole = " ".join(_rows_of(page))
    outside = " ".join(
        text for block, text in zip(page.blocks, _rows_of(page), strict=True)
        if block.kind is not BlockKind.TABLE
    )  # fmt: skip
    # the table's text row by row, as it comes out
    flow = " ".join([whole, *(plain(block.text) for block in page.blocks)])
    counts = Counts(pages=1)
    grids = []
    for kind, text, *box in truth["parts"]:
        if kind == "text" and text.strip():
            part = plain(text)
            missing = min(len(part), errors_at_best_place(part, whole))
            lost = min(len(part), errors_at_best_place(part, outside))
            counts.characters += len(part)
            counts.missing += missing
            counts.in_tables += max(0, lost - missing)
        elif kind == "pair":
            counts.pairs += 1
            counts.pairs_kept += _kept(text, flow)
        elif kind == "together":
            counts.together += 1
            counts.together_kept += _kept(text, flow)
        elif kind == "row":
            counts.rows += 1
            counts.rows_kept += _kept(text, flow)
        elif kind == "grid":
            grids.append(Box(*box))
    tables = [block for block in page.blocks if block.kind is BlockKind.TABLE]
    counts.grids, counts.tables = len(grids), len(tables)
    if truth["photographed"]:
        counts.grids_found = min(len(grids), len(tables))
        counts.false_tables = max(0, len(tables) - len(grids))
    else:
        counts.grids_found = sum(
            any(_iou(grid, table.box) >= 0.5 for table in tables) for grid in grids
        )
        counts.false_tables = sum(
            not any(grid.overlap(table.box) >= 0.5 * table.box.area for grid in grids)
            for table in tables
        )
    counts.overlaps = sum(
        _overlap(one, other)
        for place, one in enumerate(page.blocks)
        for other in page.blocks[:place]
    )
    return truth["name"], truth["photographed"], counts


def _overlap(one: Block, other: Block) -> bool:
    """Return whether two blocks overlap; of a tilted page their lines do, as upright boxes must."""
    if one.box.overlap(other.box) <= 0.05 * min(one.box.area, other.box.area):
        return False
    if not any(line.quad for line in one.lines):
        return True
    return any(_shared(a, b) for a in one.lines for b in other.lines if a.quad and b.quad)


def _shared(line: Line, other: Line) -> bool:
    one, two = (np.array(part.quad, np.float32) for part in (line, other))
    area, _ = cv2.intersectConvexConvex(one, two)
    return area > 0.05 * min(cv2.contourArea(one), cv2.contourArea(two))


def _iou(one: Box, other: Box) -> float:
    shared = one.overlap(other)
    return shared / max(1e-9, one.area + other.area - shared)


@click.group()
def main() -> None:
    """Draw and score everyday paper."""


@main.command()
@click.option("--data", type=click.Path(path_type=Path), required=True)
@click.option("--jobs", default=2, show_default=True)
def build(data: Path, jobs: int) -> None:
    """Draw the pages of both splits."""
    work = [
        (split, name, number, str(data))
        for split in SEEDS
        for name in MAKERS
        for number in range(PAGES_OF_KIND)
    ]
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        pool.map(shoot, work, chunksize=1)
    click.echo(f"{len(work)} pages")


@main.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--split", type=click.Choice(list(SEEDS)), default="inspect", show_default=True)
@click.option("--jobs", default=2, show_default=True)
@click.option("--pages", is_flag=True, help="Also list every page (inspect split only).")
def score(data: Path, split: str, jobs: int, pages: bool) -> None:
    """Read pages and print what stands in tables that should not, what is missing, and order."""
    paths = sorted((data / "paper" / split).glob("*.json"))
    with multiprocessing.get_context("spawn").Pool(jobs) as pool:
        rows = pool.map(measure, paths, chunksize=1)
    groups: dict[str, Counts] = {}
    for name, photographed, counts in rows:
        for group in (name, "photographed" if photographed else "flat", "all"):
            groups.setdefault(group, Counts()).add(counts)
    head = (
        "pages",
        "outside",
        "missing",
        "pairs",
        "together",
        "rows",
        "grids",
        "tables",
        "false",
        "overlap",
    )
    click.echo(f"{'':24}" + "".join(f"{word:>9}" for word in head))
    order = [*MAKERS, "flat", "photographed", "all"]
    for name in order:
        if name in groups:
            click.echo(f"{name:24}{_row(groups[name])}")
    if pages and split == "inspect":
        for path, (_, _, counts) in zip(paths, rows, strict=True):
            click.echo(f"{path.stem:24}{_row(counts)}")


def _row(c: Counts) -> str:
    def share(part: int, of: int) -> str:
        return f"{100 * part / of:9.1f}" if of else f"{'–':>9}"

    return (
        f"{c.pages:9}{share(c.characters - c.in_tables - c.missing, c.characters)}"
        f"{share(c.missing, c.characters)}{share(c.pairs_kept, c.pairs)}"
        f"{share(c.together_kept, c.together)}{share(c.rows_kept, c.rows)}"
        f"{share(c.grids_found, c.grids)}{c.tables:9}{c.false_tables:9}{c.overlaps:9}"
    )


if __name__ == "__main__":
    main()
