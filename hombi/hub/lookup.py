"""What people call things: an address, or a name in any case."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TypeVar

from hombi.core.house_facts import did_you_mean
from hombi.core.names import meant, slug
from hombi.hub.errors import NotFound, Refused

T = TypeVar("T")


def find(
    known: Mapping[str, T],
    word: str,
    what: str,
    names: Callable[[T], Iterable[str]] = lambda _: (),
) -> T:
    """What a word means, by its address or one of its names. Raises NotFound, with the
    nearest address; Refused when several have the name."""
    if (result := known.get(word)) is not None:
        return result
    addresses = meant(word, {address: names(one) for address, one in known.items()})
    if len(addresses) > 1:
        raise several(what, word, addresses)
    if addresses:
        return known[addresses[0]]
    hint = did_you_mean(slug(word) if "/" not in word else word, known)
    raise NotFound(f"no {what} {word}" + (f"; {hint}" if hint else ""))


def several(what: str, word: str, addresses: Sequence[str]) -> Refused:
    """The error for a name that means several things."""
    many = {"entity": "entities"}.get(what, f"{what}s")
    listed = ", ".join(sorted(addresses))
    return Refused(f"{len(addresses)} {many} are called {word}: {listed}; name one by its address")
