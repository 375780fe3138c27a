"""Texts from outside, safe to show: what would move the cursor, hide, forge a line or
turn text round is made visible."""

from __future__ import annotations

import unicodedata

# Joiners that several scripts and signs need.
_JOINERS = "\u200c\u200d"
# Control, format (bidi among them), surrogates and private use, and the two odd ends of
# lines.
_HIDING = ("Cc", "Cf", "Cs", "Co", "Zl", "Zp")


def visible(text: str) -> str:
    """The text with each sign that cannot be seen in the place of itself: ESC as
    `\\x1b`, a turned line as `\\u202e`."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(_escaped(sign) if _hides(sign) else sign for sign in text)


def hidden_sign(text: str) -> str:
    """The first sign of a text that cannot be seen, or that Unicode keeps for no text
    (U+FFFE); "" when there is none."""
    return next((sign for sign in text if _hides(sign) or _no_character(sign)), "")


def _no_character(sign: str) -> bool:
    code = ord(sign)
    return code & 0xFFFE == 0xFFFE or 0xFDD0 <= code <= 0xFDEF


def _hides(sign: str) -> bool:
    return sign not in _JOINERS and unicodedata.category(sign) in _HIDING


def _escaped(sign: str) -> str:
    code = ord(sign)
    return (
        f"\\x{code:02x}"
        if code < 0x100
        else f"\\u{code:04x}"
        if code < 0x10000
        else f"\\U{code:08x}"
    )
