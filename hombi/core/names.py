"""Names: from what a person calls something to its address."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from anyascii import anyascii


def slug(text: str) -> str:
    """A text as an address uses it: small letters, digits and hyphens, other scripts
    written in these ("Überlauf" is "uberlauf", "日本" is "ri-ben"); "" when nothing is
    left."""
    text = anyascii(text)
    text = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "-", text)
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:60]


def meant(word: str, known: Mapping[str, Iterable[str]]) -> list[str]:
    """The addresses that a word may mean, among addresses and the names that go with
    each: the one with this address, else all with this name, in any case."""
    if word in known:
        return [word]
    plain = _plain(word)
    return [one for one, names in known.items() if plain in map(_plain, (one, *names))]


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold()
