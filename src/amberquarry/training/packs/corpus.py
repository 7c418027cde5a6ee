"""Turn fetched texts of further scripts into paragraphs and words, one a line.

`python -m amberquarry.training.packs.corpus --lists training/packs --data DATA` writes
`DATA/packs/corpus/LANGUAGE.txt` and `LANGUAGE.words`. A tenth of every source stays out, so that
others can measure on it: whole documents, or single paragraphs where a source is one list of them.
"""

from __future__ import annotations

import gzip
import html
import json
import random
import re
import unicodedata
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path

import click
import polib

from amberquarry.training.corpus import (
    paragraphs_of_html,
    paragraphs_of_manual,
    paragraphs_of_sayings,
)
from amberquarry.training.fetch import read_table
from amberquarry.training.packs.plans import SCRIPT_OF, SCRIPTS, Script

MOST_CHARACTERS = 6_000_000  # of running text for each language
MOST_WORDS = 150_000
_LEAST = 4  # letters of the script in a paragraph,
_SHARE = 0.5  # and their share of its letters
_ENDINGS = re.compile(r"\.(?:gz|html?|page|xml|utf8|utf-8)$")
_LANGUAGE = re.compile(r"\.(?:[a-z]{2}(?:[-_][A-Za-z]{2,4})?)$")
_PATTERNS = re.compile(r"[%{}<>=|\\]|\$\w|_\w")  # of messages with parts that a program fills in


def kept_out(unit: str) -> bool:
    """Return whether a document, by its name, or a paragraph stays out of what is trained on."""
    return zlib.crc32(unicodedata.normalize("NFC", unit).encode()) % 10 == 7


def name_of(path: Path) -> str:
    """Return the name of a document without folder, endings and language.

    Descriptions of one thing in many languages are named by their folder.
    """
    if path.name.startswith("description."):
        return path.parent.name
    name = path.name
    while _ENDINGS.search(name):
        name = _ENDINGS.sub("", name)
    return _LANGUAGE.sub("", name)


def plain(text: str) -> str:
    """Return a paragraph without markup, with single spaces, in the normal form NFC."""
    text = html.unescape(re.sub(r"<[^<>]*>", "", text))
    return re.sub(r"\s+", " ", unicodedata.normalize("NFC", text)).strip()


def _text_of(path: Path) -> str:
    data = path.read_bytes()
    if path.suffix == ".gz":
        data = gzip.decompress(data)
    for encoding in ("utf-8", "iso-2022-jp", "gb18030", "big5"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return ""


def messages_of(path: Path) -> Iterator[str]:
    """Yield the translated messages of a catalogue (MO)."""
    for message in polib.mofile(str(path)):
        texts = [message.msgstr, *message.msgstr_plural.values()]
        yield from (text for text in texts if text and text != message.msgid)


def _messages_of_add_on(path: Path) -> Iterator[str]:
    """Yield the messages of a translation of a browser: Fluent and properties files in archives."""
    with zipfile.ZipFile(path) as archive:
        for name in sorted(archive.namelist()):
            if name.endswith((".ftl", ".properties")):
                text = archive.read(name).decode("utf-8", "replace")
                for line in re.sub(r"\n\s+(?![.}])", " ", text).splitlines():
                    key, _, value = line.partition("=")
                    if value and not key.startswith("#"):
                        yield re.sub(r"\\u([0-9a-fA-F]{4})", _of_code, value)


def _of_code(match: re.Match[str]) -> str:
    return chr(int(match[1], 16))


def paragraphs_of(path: Path) -> Iterator[str]:
    """Yield the paragraphs of a file by its kind."""
    name = path.name
    if path.suffix == ".mo":
        yield from messages_of(path)
    elif path.suffix == ".xpi":
        yield from _messages_of_add_on(path)
    elif path.suffix == ".json":
        for poem in json.loads(_text_of(path)):
            for value in poem.values() if isinstance(poem, dict) else ():
                if isinstance(value, list):
                    yield from (part for part in value if isinstance(part, str))
                elif isinstance(value, str):
                    yield value
    elif re.search(r"\.(html?|page|xml|utf8)$", name):
        yield from paragraphs_of_html(_text_of(path))
    elif path.parent.name.startswith("man"):
        yield from paragraphs_of_manual(_text_of(path))
    elif "fortunes" in path.parts:
        yield from paragraphs_of_sayings(_text_of(path))
    else:
        yield from re.split(r"\n\s*\n", _text_of(path))


def wanted(text: str, script: Script) -> bool:
    """Return whether a paragraph is mostly of a script, and no pattern of a program's message."""
    own = sum(map(script.has, text))
    letters = sum(map(str.isalpha, text))
    return own >= _LEAST and own >= _SHARE * letters and not _PATTERNS.search(text)


def texts_of(language: str, rows: list[dict[str, str]], data: Path) -> tuple[list[str], list[str]]:
    """Return the paragraphs and the listed words of a language, those kept out left away."""
    script = SCRIPTS[SCRIPT_OF[language]]
    paragraphs: dict[str, None] = {}
    words: dict[str, None] = {}
    for row in rows:
        if row["language"] != language:
            continue
        for path in sorted((data / row["package"]).glob(row["path"])):
            if not path.is_file() or (row["rule"] == "doc" and kept_out(name_of(path))):
                continue
            if row["rule"] == "words":
                words |= dict.fromkeys(_words_of(path, script))
                continue
            for whole in paragraphs_of(path):
                if row["rule"] == "par" and kept_out(plain(whole)):
                    continue
                for part in whole.split("\n\n"):
                    text = plain(part)
                    if wanted(text, script) and not (row["rule"] == "par" and kept_out(text)):
                        paragraphs[text] = None
    return list(paragraphs), list(words)


def _words_of(path: Path, script: Script) -> Iterator[str]:
    """Yield the words of a dictionary for spelling."""
    for line in path.read_bytes().decode("utf-8", "ignore").splitlines():
        word = unicodedata.normalize("NFC", re.split(r"[/\t ]", line)[0])
        if 1 < len(word) <= 24 and all(map(script.has, word)):
            yield word


@click.command()
@click.option("--lists", type=click.Path(path_type=Path, exists=True), required=True)
@click.option("--data", type=click.Path(path_type=Path, exists=True), required=True)
@click.argument("languages", nargs=-1)
def main(lists: Path, data: Path, languages: tuple[str, ...]) -> None:
    """Write the corpora of LANGUAGES, by default of all."""
    rows = read_table(lists / "texts.tsv")
    out = data / "packs" / "corpus"
    out.mkdir(parents=True, exist_ok=True)
    for language in languages or SCRIPT_OF:
        paragraphs, words = texts_of(language, rows, data / "packs" / "texts")
        script = SCRIPTS[SCRIPT_OF[language]]
        chance = random.Random(7)
        chance.shuffle(paragraphs)
        size, last = 0, len(paragraphs)
        for at, paragraph in enumerate(paragraphs):
            size += len(paragraph)
            if size > MOST_CHARACTERS:
                last = at
                break
        paragraphs = paragraphs[:last]
        for paragraph in paragraphs:
            for word in paragraph.split():
                word = word.strip("\"'.,;:!?()[]«»“”„،؛؟।…-–—/*")
                if 1 < len(word) <= 24 and all(map(script.has, word)):
                    words.append(word)
        words = sorted(set(words))
        if len(words) > MOST_WORDS:
            words = sorted(chance.sample(words, MOST_WORDS))
        (out / f"{language}.txt").write_text("\n".join(paragraphs) + "\n", encoding="utf-8")
        (out / f"{language}.words").write_text("\n".join(words) + "\n", encoding="utf-8")
        own = sum(sum(map(script.has, paragraph)) for paragraph in paragraphs)
        click.echo(f"{language}: {len(paragraphs)} paragraphs, {own} letters, {len(words)} words")


if __name__ == "__main__":
    main()
