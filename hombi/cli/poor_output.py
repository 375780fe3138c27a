"""Output where a terminal or a file cannot take every sign (Latin-1, ASCII): what it
cannot take is written in a poorer way, and nothing ends for it."""

from __future__ import annotations

import codecs
import sys
from io import TextIOWrapper

HANDLER = "hombi.poorer"
_POORER = {
    "–": "-", "—": "-", "−": "-", "→": "->", "…": "...", "·": "-", "×": "x", "≥": ">=", "≤": "<=",
    "“": '"', "”": '"', "‘": "'", "’": "'", "\u202f": " ", "\u2009": " ", "³": "3", "²": "2",
    "μ": "u", "µ": "u", "°": "deg ", "│": "|", "┃": "|", "─": "-", "━": "-",
}  # fmt: skip
_POORER |= {block: str(height) for height, block in enumerate("▁▂▃▄▅▆▇█", 1)}


def _poorer(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    signs = error.object[error.start : error.end]
    return "".join(_POORER.get(sign, "?") for sign in signs), error.end


def take_any_sign() -> None:
    """Have standard output and errors take whatever is printed."""
    codecs.register_error(HANDLER, _poorer)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper) and stream.encoding.lower() not in ("utf-8", "utf8"):
            stream.reconfigure(errors=HANDLER)
