"""The words of the language that are installed: those of Hombi's own modules, and those
that other packages bring by an entry point."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator
from importlib import import_module
from importlib.metadata import entry_points
from pkgutil import iter_modules
from typing import Any, ClassVar, Protocol, TypeVar

log = logging.getLogger(__name__)


class Word(Protocol):
    """What a word of the language has."""

    word: ClassVar[str]
    place: ClassVar[float]


W = TypeVar("W", bound=Word)


def installed_words(
    package: str, path: Iterable[str], base: type[W], group: str
) -> dict[str, type[W]]:
    """The classes under `base` with a word, in the modules of a package and under an
    entry point group, by their words and in the order of their places.

    A word of Hombi's own stays what it is; one from outside that cannot be used is
    logged and left out.
    """
    found = {each.word: each for each in (*_outside(base, group), *_own(package, path, base))}
    return dict(sorted(found.items(), key=lambda entry: entry[1].place))


def _own(package: str, path: Iterable[str], base: type[W]) -> Iterator[type[W]]:
    for module in iter_modules(path, f"{package}."):
        for value in vars(import_module(module.name)).values():
            if _is_word(value, base):
                yield value


def _outside(base: type[W], group: str) -> Iterator[type[W]]:
    for point in entry_points(group=group):
        try:
            value = point.load()
        except Exception:
            log.exception("the word %s of %s cannot be loaded", point.name, group)
            continue
        if _is_word(value, base) and value.word == point.name:
            yield value
        else:
            log.error("the entry point %s of %s is not a word of this name", point.name, group)


def _is_word(value: Any, base: type[W]) -> bool:
    return isinstance(value, type) and issubclass(value, base) and bool(value.word)
