"""The faces of everything printed: Latin, Greek and Cyrillic, shipped with their licence in drawing/fonts.

What a face has no sign for is printed as "?", and whoever prints says so.
"""

from __future__ import annotations

import functools
import unicodedata
from collections.abc import Iterable
from pathlib import Path
from typing import Any

FONTS = Path(__file__).with_name("fonts")
REGULAR, BOLD = "DejaVuSansCondensed", "DejaVuSansCondensed-Bold"
TEXT, TEXT_BOLD = "AtkinsonHyperlegibleNext-Regular", "AtkinsonHyperlegibleNext-Bold"
"""The face of running text; it has Latin signs alone, and what it lacks is set in the other."""
MOST_NAMED = 12


@functools.cache
def known_signs() -> frozenset[int]:
    """The code points both faces have; the faces are registered with reportlab."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    signs: list[frozenset[int]] = []
    for name in (REGULAR, BOLD):
        font = TTFont(name, str(FONTS / f"{name}.ttf"))
        pdfmetrics.registerFont(font)
        signs.append(frozenset(font.face.charToGlyph))
    return signs[0] & signs[1]


@functools.cache
def text_signs() -> frozenset[int]:
    """The code points the face of running text has, which is registered with reportlab."""
    from reportlab.lib.fonts import addMapping
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    known_signs()
    signs: list[frozenset[int]] = []
    for name in (TEXT, TEXT_BOLD):
        font = TTFont(name, str(FONTS / f"{name}.ttf"))
        pdfmetrics.registerFont(font)
        signs.append(frozenset(font.face.charToGlyph))
    for bold, name in ((0, TEXT), (1, TEXT_BOLD)):
        for italic in (0, 1):
            addMapping(TEXT, bold, italic, name)
            addMapping(TEXT_BOLD, bold, italic, TEXT_BOLD)
    return signs[0] & signs[1]


def text_face(text: str, *, strong: bool = False) -> str:
    """The face some words are set in: that of running text where it has all their signs."""
    whole = all(ord(sign) in text_signs() or sign.isspace() for sign in text)
    return (TEXT_BOLD if strong else TEXT) if whole else (BOLD if strong else REGULAR)


def printable(text: str) -> str:
    """The text with "?" for each sign the faces have not; joined forms are taken before single marks."""
    known = known_signs()
    plain = unicodedata.normalize("NFC", text)
    if all(ord(sign) in known for sign in plain):
        return plain
    return "".join(sign if ord(sign) in known or sign == "\n" else "?" for sign in plain)


def missing_signs(words: Iterable[str]) -> str:
    """The signs of some texts that cannot be printed, each once, in order; empty where all can."""
    known = known_signs()
    found: dict[str, None] = {}
    for text in words:
        found.update(dict.fromkeys(text if text.isascii() else unicodedata.normalize("NFC", text)))
    return "".join(sign for sign in found if ord(sign) not in known and not sign.isspace())


def missing_said(signs: str) -> str:
    """What is said of signs that cannot be printed, in signs that can; empty for none."""
    if not signs:
        return ""
    names = ", ".join(f"U+{ord(sign):04X}" for sign in signs[:MOST_NAMED])
    more = f" and {len(signs) - MOST_NAMED} more" if len(signs) > MOST_NAMED else ""
    return f"Signs this print has no face for are shown as ?: {names}{more}. The document and the pages keep them."


def texts_in(found: Any) -> Iterable[str]:
    """Every text in rows within rows."""
    waiting = [found]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            yield one
        elif isinstance(one, dict):
            waiting += one.values()
        elif isinstance(one, list | tuple):
            waiting += one
