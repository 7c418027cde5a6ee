"""What may go to a terminal."""

from __future__ import annotations


def printable(text: str) -> str:
    """Return text with what a terminal would obey spelled out.

    Names of files may hold line ends, escape sequences and signs that turn the direction of text.
    """
    return "".join(
        sign if sign.isprintable() else sign.encode("unicode_escape").decode("ascii")
        for sign in text.encode("utf-8", "backslashreplace").decode("utf-8")
    )
