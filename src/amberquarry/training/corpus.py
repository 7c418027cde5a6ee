"""Turn fetched documentation, manual pages, messages and word lists into plain training text.

`python -m amberquarry.training.corpus --data DATA` reads `DATA/texts/LANGUAGE/` and writes
`DATA/corpus/LANGUAGE.txt` (one paragraph a line) and `DATA/corpus/LANGUAGE.words`.
"""

from __future__ import annotations

import html
import random
import re
from collections.abc import Iterator
from pathlib import Path

import click
from babel.messages.mofile import read_mo

from amberquarry.reading.characters import CLASS_OF, fold

MOST_CHARACTERS = 4_000_000  # of running text for each language
MOST_WORDS = 150_000

_ROFF_ESCAPES = [
    (re.compile(r"\\f(\[[^\]]*\]|\(..|.)"), ""),
    (re.compile(r"\\s[-+]?\d"), ""),
    (re.compile(r"\\m\[[^\]]*\]"), ""),
    (re.compile(r"\\\(co"), "©"),
    (re.compile(r"\\\(bu"), "•"),
    (re.compile(r"\\\((em|\[em\])"), "—"),
    (re.compile(r"\\\(en"), "–"),
    (re.compile(r"\\\(lq"), "“"),
    (re.compile(r"\\\(rq"), "”"),
    (re.compile(r"\\\(aq"), "'"),
    (re.compile(r"\\\(dq"), '"'),
    (re.compile(r"\\\(oq"), "‘"),
    (re.compile(r"\\\(cq"), "’"),
    (re.compile(r"\\\(Fo"), "«"),
    (re.compile(r"\\\(Fc"), "»"),
    (re.compile(r"\\\(.."), ""),
    (re.compile(r"\\\[[^\]]*\]"), ""),
    (re.compile(r"\\\*\S"), ""),
    (re.compile(r"\\[&/,|^!]"), ""),
    (re.compile(r"\\-"), "-"),
    (re.compile(r"\\e"), r"\\"),
    (re.compile(r"\\([ '.])"), r"\1"),
]


def paragraphs_of_manual(text: str) -> Iterator[str]:
    """Yield the running paragraphs of a manual page in roff."""
    words: list[str] = []
    for line in text.splitlines():
        if line.startswith(("'", '.\\"')):
            continue
        if line.startswith("."):
            macro, _, rest = line.partition(" ")
            if macro in (".B", ".I", ".BR", ".IR", ".RB", ".BI", ".IB"):
                line = rest.replace('"', "")
            else:
                if words:
                    yield " ".join(words)
                words = []
                continue
        for pattern, plain in _ROFF_ESCAPES:
            line = pattern.sub(plain, line)
        if line.strip():
            words.append(line.strip())
        elif words:
            yield " ".join(words)
            words = []
    if words:
        yield " ".join(words)


def paragraphs_of_html(text: str) -> Iterator[str]:
    """Yield the paragraphs and items of a page of documentation, in HTML or a like markup."""
    text = re.sub(r"<(script|style|head|pre|info|screen)\b.*?</\1>", " ", text, flags=re.S | re.I)
    for part in re.split(r"</?(?:p|li|dd|dt|td|div|h\d|title)\b[^>]*>", text, flags=re.I):
        yield html.unescape(re.sub(r"<[^>]+>", "", part))


def paragraphs_of_sayings(text: str) -> Iterator[str]:
    """Yield the sayings of a file in which a line with a percent sign parts them."""
    for part in re.split(r"^%.*$", text, flags=re.M):
        yield re.sub(r"\x1b\[[\d;]*m", "", part)


def paragraphs_of_messages(path: Path) -> Iterator[str]:
    """Yield the translated messages of a program that are whole sentences, not patterns for some.

    path: a message catalogue as gettext writes it (MO).
    """
    with path.open("rb") as file:
        for message in read_mo(file):
            text = message.string
            if isinstance(text, str) and text != message.id and not re.search(r"[%_{}<>=]", text):
                yield from text.split("\n\n")


def decode(data: bytes, encoding: str | None = None) -> str | None:
    """Return the text of a file in UTF-8 or in the given encoding, None if it is neither."""
    for name in ("utf-8", encoding):
        if name:
            try:
                return data.decode(name)
            except (UnicodeDecodeError, LookupError):
                continue
    return None


def clean(paragraph: str) -> str:
    """Return a paragraph folded to the reader's alphabet, '' if too much of it is foreign."""
    text = re.sub(r"\s+", " ", fold(paragraph)).strip()
    kept = "".join(character for character in text if character in CLASS_OF)
    return kept if len(kept) >= 0.95 * len(text) else ""


def texts_of_language(folder: Path) -> tuple[list[str], list[str]]:
    """Return the paragraphs and the words found below a language's folder."""
    paragraphs: dict[str, None] = {}
    words: dict[str, None] = {}
    encodings = {}
    for path in sorted(folder.rglob("*.aff")):
        found = re.search(rb"^SET\s+(\S+)", path.read_bytes(), flags=re.M)
        encodings[path.stem] = found[1].decode("ascii") if found else "iso-8859-1"
    for path in sorted(folder.rglob("*")):
        if not path.is_file() or path.suffix in (".aff", ".png", ".css", ".dat", ".js", ".gif"):
            continue
        name = path.name
        if any(word in name.lower() for word in ("copyright", "changelog", "news", "readme")):
            continue
        text = "" if path.suffix == ".mo" else decode(path.read_bytes(), encodings.get(path.stem))
        if text is None:
            continue
        if "share_dict" in name or path.suffix == ".dic":
            for line in text.splitlines():
                word = clean(line.split("/")[0].split("\t")[0])
                if word and len(word) <= 30 and not word[0].isdigit():
                    words[word] = None
            continue
        if "share_man" in name:
            found_paragraphs = paragraphs_of_manual(text)
        elif path.suffix == ".mo":
            found_paragraphs = paragraphs_of_messages(path)
        elif path.suffix in (".html", ".htm", ".page"):
            found_paragraphs = paragraphs_of_html(text)
        elif "fortunes" in name:
            found_paragraphs = paragraphs_of_sayings(text)
        else:
            continue
        for paragraph in found_paragraphs:
            cleaned = clean(paragraph)
            if len(cleaned) >= 25:
                paragraphs[cleaned] = None
    return list(paragraphs), list(words)


@click.command()
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
def main(data: Path) -> None:
    """Write the corpus of each language below DATA/texts."""
    out = data / "corpus"
    out.mkdir(exist_ok=True)
    english: set[str] = set()  # comes first: what stands in it as well was not translated
    for folder in sorted((data / "texts").iterdir(), key=lambda path: (path.name != "en", path)):
        paragraphs, words = texts_of_language(folder)
        paragraphs = [paragraph for paragraph in paragraphs if paragraph not in english]
        if folder.name == "en":
            english = set(paragraphs)
        chance = random.Random(7)
        chance.shuffle(paragraphs)
        size, kept = 0, []
        for paragraph in paragraphs:
            size += len(paragraph)
            if size > MOST_CHARACTERS:
                break
            kept.append(paragraph)
        for paragraph in kept:
            for word in re.findall(r"[^\W\d_]+(?:[-’'][^\W\d_]+)*", paragraph):
                words.append(word)
        words = sorted(set(words))
        if len(words) > MOST_WORDS:
            words = sorted(chance.sample(words, MOST_WORDS))
        (out / f"{folder.name}.txt").write_text("\n".join(kept) + "\n", encoding="utf-8")
        (out / f"{folder.name}.words").write_text("\n".join(words) + "\n", encoding="utf-8")
        click.echo(f"{folder.name}: {len(kept)} paragraphs, {size} characters, {len(words)} words")


if __name__ == "__main__":
    main()
