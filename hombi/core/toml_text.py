"""TOML with places: the values of a text, and the line and column at which each of them
stands."""

from __future__ import annotations

import contextlib
import re
import tomllib
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import tree_sitter
import tree_sitter_toml

Path = tuple[str | int, ...]
_PARSER = tree_sitter.Parser(tree_sitter.Language(tree_sitter_toml.language()))
_KEYS = {"bare_key", "quoted_key", "dotted_key"}
_MANY_DIGITS = re.compile(r"\d[\d_]{1000,}")
_TOO_LARGE, _LARGEST = "this number is too large", "a whole number has 19 digits at most"
_AT = re.compile(r"\(at line (\d+), column (\d+)\)|\(at end of document\)")


@dataclass(frozen=True, slots=True)
class Place:
    """A line and a column, both counted from 1."""

    line: int
    column: int


@dataclass(frozen=True, slots=True)
class Mistake:
    """One thing that is wrong in a text: where, what, the line itself, and what to do
    about it."""

    place: Place
    what: str
    source_line: str = ""
    hint: str = ""

    def __str__(self) -> str:
        return f"line {self.place.line}, column {self.place.column}: {self.what}" + (
            f"; {self.hint}" if self.hint else ""
        )


@dataclass
class TomlText:
    """A parsed TOML text. `data` is what tomllib made of it; `mistakes` and
    `warnings` grow as it is checked."""

    text: str
    data: dict[str, Any] = field(default_factory=dict)
    mistakes: list[Mistake] = field(default_factory=list)
    warnings: list[Mistake] = field(default_factory=list)

    @cached_property
    def places(self) -> Places:
        """Where its keys and values stand; found when somebody asks, since most texts
        have no mistakes."""
        source, result = self.text.encode(), Places()
        with contextlib.suppress(RecursionError):  # a key of many hundred parts
            _walk(result, _PARSER.parse(source).root_node, source.split(b"\n"))
        return result

    def blame(self, path: Path, what: str, hint: str = "", *, at_value: bool = True) -> None:
        """Note a mistake at the value (or the key) of a path, or at the nearest parent
        that stands in the text."""
        keys = self.places.keys
        place = (self.places.values if at_value else keys).get(path) or keys.get(path)
        while place is None and path:
            path = path[:-1]
            place = keys.get(path)
        self._note(place or Place(1, 1), what, hint)

    def warn(self, path: Path, what: str, hint: str) -> None:
        """Note something that is allowed and better written otherwise."""
        known = len(self.mistakes)
        self.blame(path, what, hint)
        self.warnings += self.mistakes[known:]
        del self.mistakes[known:]

    def _note(self, place: Place, what: str, hint: str = "") -> None:
        lines = _lines(self.text)
        source = lines[place.line - 1] if place.line <= len(lines) else ""
        self.mistakes.append(Mistake(place, what, source, hint))


@dataclass
class Places:
    """Where the keys and values of a text stand, by their paths; `doubled` is the first
    name that stands there twice, with both places."""

    keys: dict[Path, Place] = field(default_factory=dict)
    values: dict[Path, Place] = field(default_factory=dict)
    # Where values, pairs and the heads of tables stand in the text's bytes, from and
    # to; pairs within an inline table are not among them.
    value_bytes: dict[Path, tuple[int, int]] = field(default_factory=dict)
    pair_bytes: dict[Path, tuple[int, int]] = field(default_factory=dict)
    head_bytes: dict[Path, tuple[int, int]] = field(default_factory=dict)
    # What stands before the last part of a pair's key: "watch." of `watch.over = …`.
    key_starts: dict[Path, bytes] = field(default_factory=dict)
    doubled: tuple[str, Place, Place] | None = None


def read_toml(text: str) -> TomlText:
    """The text parsed; a text that is not TOML comes back with one mistake and no
    data."""
    parsed = TomlText(text)
    try:
        # TOML has both line ends; tomllib counts a lone carriage return as no line end,
        # as we do.
        parsed.data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        _blame_syntax(parsed, str(error))
        return parsed
    except RecursionError:
        return _too_deep(text)
    except ValueError:  # a number of so many digits that Python does not read it
        match = _MANY_DIGITS.search(text)
        before = text[: match.start()] if match is not None else ""
        place = Place(before.count("\n") + 1, len(before) - before.rfind("\n"))
        parsed._note(place, _TOO_LARGE, _LARGEST)
        return parsed
    try:
        large = list(_large(parsed.data, ()))
    except RecursionError:
        return _too_deep(text)
    for path in large:
        parsed.blame(path, _TOO_LARGE, _LARGEST)
    if large:
        parsed.data = {}
    return parsed


def _large(found: object, path: Path) -> Iterator[Path]:
    """Where whole numbers stand that TOML does not have: it has those of 64 bits, and
    nobody can write out what is much larger."""
    if isinstance(found, dict):
        for key, one in found.items():
            yield from _large(one, (*path, key))
    elif isinstance(found, list):
        for place, one in enumerate(found):
            yield from _large(one, (*path, place))
    elif isinstance(found, int) and not -(2**63) <= found < 2**63:
        yield path


def _too_deep(text: str) -> TomlText:
    parsed = TomlText(text)
    parsed._note(
        Place(1, 1), "this is nested too deep", "three levels are enough for every text here"
    )
    return parsed


def _blame_syntax(parsed: TomlText, sentence: str) -> None:
    match = _AT.search(sentence)
    what = _AT.sub("", sentence).strip()
    line, column = (int(match[1]), int(match[2])) if match and match[1] else _end(parsed.text)
    lines = _lines(parsed.text)
    sign = lines[line - 1][column - 1 : column] if line <= len(lines) else ""
    if (
        sign
        and unicodedata.category(sign) in ("Cf", "Zl", "Zp", "Zs", "Cc")
        and sign not in " \t\r"
    ):
        name = (
            "byte-order mark"
            if sign == "\ufeff"
            else unicodedata.name(sign, "control character").lower()
        )
        parsed._note(
            Place(line, column),
            f"an invisible character stands here (U+{ord(sign):04X}, {name})",
            "delete it",
        )
        return
    if "overwrite" in what or "twice" in what or "namespace" in what:
        result = _second(parsed.text)
        if result is not None:
            name, first, again = result
            parsed._note(
                again,
                f"{name} stands here a second time",
                f"the first one is on line {first.line}; keep one of them",
            )
            return
    parsed._note(Place(line, column), f"this is not TOML: {what[:1].lower()}{what[1:]}")


def _second(text: str) -> tuple[str, Place, Place] | None:
    """The first key or table that stands in a text twice: its name, and both places."""
    return TomlText(text).places.doubled


def _lines(text: str) -> list[str]:
    """The lines as TOML has them: other separators that Unicode knows stand within a
    line."""
    return [line.removesuffix("\r") for line in text.split("\n")]


def _end(text: str) -> tuple[int, int]:
    lines = _lines(text)
    if len(lines) > 1 and not lines[-1]:
        lines.pop()
    return len(lines), len(lines[-1]) + 1


def _walk(places: Places, document: tree_sitter.Node, lines: list[bytes]) -> None:
    """Remember where each key and value stands."""
    counts: dict[Path, int] = {}

    def place(node: tree_sitter.Node) -> Place:
        row, column = node.start_point
        return Place(row + 1, len(lines[row][:column].decode(errors="replace")) + 1)

    def key_path(node: tree_sitter.Node) -> Path:
        if node.type == "dotted_key":
            return tuple(part for child in node.named_children for part in key_path(child))
        return ((node.text or b"").decode().strip("\"'"),)

    def mark(path: Path, at: Place) -> None:
        if path in places.keys and places.doubled is None:
            places.doubled = (".".join(map(str, path)), places.keys[path], at)
        places.keys[path] = at
        for length in range(1, len(path)):  # the tables that a dotted key goes through
            places.keys.setdefault(path[:length], at)

    def pair(node: tree_sitter.Node, prefix: Path) -> None:
        # The comment at the end of a line is among the children.
        key, held = [child for child in node.named_children if child.type != "comment"][:2]
        path = prefix + key_path(key)
        mark(path, place(key))
        if node.parent is None or node.parent.type != "inline_table":
            places.pair_bytes[path] = (node.start_byte, held.end_byte)
            last = key.named_children[-1] if key.type == "dotted_key" else key
            places.key_starts[path] = (key.text or b"")[: last.start_byte - key.start_byte]
        value(held, path)

    def value(node: tree_sitter.Node, path: Path) -> None:
        places.values[path] = place(node)
        places.value_bytes[path] = (node.start_byte, node.end_byte)
        if node.type == "inline_table":
            for child in node.named_children:
                if child.type == "pair":
                    pair(child, path)
        elif node.type == "array":
            for number, child in enumerate(c for c in node.named_children if c.type != "comment"):
                places.keys[(*path, number)] = place(child)
                value(child, (*path, number))

    def resolve(path: Path) -> Path:
        """A table's path with the number of the current element after every array of
        tables on the way."""
        full: Path = ()
        for part in path:
            full = (*full, part)
            if full in counts:
                full = (*full, counts[full])
        return full

    for node in document.named_children:
        if node.type == "pair":
            pair(node, ())
        elif node.type in ("table", "table_array_element"):
            head = next((child for child in node.named_children if child.type in _KEYS), None)
            if head is None:
                continue
            name = key_path(head)
            if node.type == "table_array_element":
                bare = (*resolve(name[:-1]), name[-1])
                counts[bare] = counts.get(bare, -1) + 1
                places.keys.setdefault(bare, place(head))
                places.keys[resolve(name)] = place(head)
            else:
                mark(resolve(name), place(head))
            places.head_bytes[resolve(name)] = (node.start_byte, head.end_byte)
            for child in node.named_children:
                if child.type == "pair":
                    pair(child, resolve(name))
