"""The changelog as releases with what is new in each, out of its Markdown."""

from __future__ import annotations

import re
from dataclasses import dataclass

_SPACES = re.compile(r"\s+")
_EMPHASIS = re.compile(r"\*(\S[^*]*)\*|`")


@dataclass(frozen=True, slots=True)
class Release:
    """One release: its heading, and its paragraphs and points as plain lines."""

    name: str
    lines: tuple[str, ...]


def releases(text: str) -> list[Release]:
    """Those of a changelog, the newest first: a heading of the second level each; a
    point or a paragraph is a line, however it was wrapped."""
    result = []
    for part in re.split(r"^## ", text, flags=re.MULTILINE)[1:]:
        name, _, body = part.partition("\n")
        lines = re.split(r"\n\s*\n|^- ", body, flags=re.MULTILINE)
        plain = (_EMPHASIS.sub(r"\1", _SPACES.sub(" ", line)).strip() for line in lines)
        result.append(Release(name.strip(), tuple(one for one in plain if one)))
    return result
