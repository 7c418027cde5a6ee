"""The characters that the line reader knows, and how text is brought to them.

Class 0 of the net is the CTC blank; class i (i >= 1) is `ALPHABET[i - 1]`. The order is part of
every trained model: new characters are only ever added at the end.
"""

from __future__ import annotations

import unicodedata

from amberquarry.values import UNKNOWN

_ASCII = "".join(chr(code) for code in range(0x20, 0x7F))
_LATIN_1 = "".join(chr(code) for code in range(0xA1, 0x100) if code != 0xAD)
_LATIN_EXTENDED_A = "".join(
    chr(code) for code in range(0x100, 0x180) if code not in (0x132, 0x133, 0x13F, 0x140, 0x149)
)
_LATIN_MORE = "ƒȘșȚțẞ"
_GREEK = "ΑΒΓΔΕΖΗΘΙΚΛΜΝΞΟΠΡΣΤΥΦΧΨΩαβγδεζηθικλμνξοπρςστυφχψωΆΈΉΊΌΎΏάέήίόύώΪΫϊϋΐΰϑϕϵ"
_CYRILLIC = (
    "".join(chr(code) for code in range(0x410, 0x450))
    + "".join(chr(code) for code in range(0x401, 0x410) if code != 0x40D)
    + "".join(chr(code) for code in range(0x451, 0x460) if code != 0x45D)
    + "ҐґѢѣ"
)
_TYPOGRAPHIC = "–—‘’“”„†‡•‰′″‹›⁄€№™₽₺"
_SUPERSCRIPT = "⁰⁴⁵⁶⁷⁸⁹⁺⁻ⁿ₀₁₂₃₄₅₆₇₈₉⅓⅔⅛⅜⅝⅞"
_ARROWS = "←↑→↓↔⇐⇒⇔"
_MATHEMATICAL = "∀∂∃∅∇∈∉∏∑√∝∞∧∨∩∪∫≈≠≡≤≥≪≫⊂⊆⊕⊗⊥ℓℝ⟨⟩‖"
_SHAPES = "■□▪▲△►▼◆◇○●★☆☐☑☒♀♂✓✗"

ALPHABET = (
    _ASCII
    + _LATIN_1
    + _LATIN_EXTENDED_A
    + _LATIN_MORE
    + _GREEK
    + _CYRILLIC
    + _TYPOGRAPHIC
    + _SUPERSCRIPT
    + _ARROWS
    + _MATHEMATICAL
    + _SHAPES
    + UNKNOWN
)
CLASS_OF = {character: index for index, character in enumerate(ALPHABET, start=1)}

# Characters that print alike, or that are spelt out, are read as one of their forms.
_FOLD = str.maketrans(
    {
        "…": "...",
        "\u00b5": "μ",
        "\u2126": "Ω",
        "\u2206": "Δ",
        "\u00a0": " ",
        "\u2009": " ",
        "\u202f": " ",
        "\u2003": " ",
        "\u2002": " ",
        "\t": " ",
        "\u00ad": "",
        "\u200b": "",
        "\u2010": "-",
        "\u2011": "-",
        "\u2012": "–",
        "\u2212": "–",
        "\u2015": "—",
        "∗": "*",
        "ﬀ": "ff",
        "ﬁ": "fi",
        "ﬂ": "fl",
        "ﬃ": "ffi",
        "ﬄ": "ffl",
        "ﬅ": "ſt",
        "ﬆ": "st",
        "ĳ": "ij",
        "Ĳ": "IJ",
        "ŀ": "l·",
        "Ŀ": "L·",
        "ŉ": "'n",
        "‚": ",",
        "‛": "‘",
        "‟": "“",
        "ʹ": "′",
        "ʼ": "’",
        "˝": "″",
        "‧": "·",
        "∙": "·",
        "⋅": "·",
        "⋆": "*",
        "◦": "○",
        "∘": "○",
        "‣": "►",
        "▶": "►",
        "♦": "◆",
        "⁃": "-",
        "✔": "✓",
        "✘": "✗",
        "☓": "☒",
        "∣": "|",
        "∥": "‖",
        "ϐ": "β",
        "ϱ": "ρ",
        "∕": "/",
        "∖": "\\",
        "〈": "⟨",
        "〉": "⟩",
        "∶": ":",
        "∼": "~",
        "₤": "£",
    }
)


def fold(text: str) -> str:
    """Return `text` in composed form, with look-alikes and ligatures in the reader's spelling.

    Characters outside the alphabet are left in place: callers decide what to do with them.
    """
    return unicodedata.normalize("NFC", text.translate(_FOLD))


def unknown_characters(text: str) -> set[str]:
    """Return the characters of `text` that the reader has no class for."""
    return set(text) - CLASS_OF.keys()
