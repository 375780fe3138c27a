"""TOML with places: the values of a text, and the line and column at which each of them stands."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, field
from typing import Any

import tree_sitter
import tree_sitter_toml

Path = tuple[str | int, ...]
_PARSER = tree_sitter.Parser(tree_sitter.Language(tree_sitter_toml.language()))
_KEYS = {"bare_key", "quoted_key", "dotted_key"}
_AT = re.compile(r"\(at line (\d+), column (\d+)\)|\(at end of document\)")


@dataclass(frozen=True, slots=True)
class Place:
    """A line and a column, both counted from 1."""

    line: int
    column: int


@dataclass(frozen=True, slots=True)
class Mistake:
    """One thing that is wrong in a text: where, what, the line itself, and what to do about it."""

    place: Place
    what: str
    source_line: str = ""
    hint: str = ""

    def __str__(self) -> str:
        return f"line {self.place.line}, column {self.place.column}: {self.what}" + (f"; {self.hint}" if self.hint else "")


@dataclass
class TomlText:
    """A parsed TOML text. `data` is what tomllib made of it; `mistakes` grows as it is checked."""

    text: str
    data: dict[str, Any] = field(default_factory=dict)
    mistakes: list[Mistake] = field(default_factory=list)
    _keys: dict[Path, Place] = field(default_factory=dict)
    _values: dict[Path, Place] = field(default_factory=dict)

    def blame(self, path: Path, what: str, hint: str = "", *, at_value: bool = True) -> None:
        """Note a mistake at the value (or the key) of a path, or at the nearest parent that stands in the text."""
        places = self._values if at_value else self._keys
        place = places.get(path) or self._keys.get(path)
        while place is None and path:
            path = path[:-1]
            place = self._keys.get(path)
        self._note(place or Place(1, 1), what, hint)

    def _note(self, place: Place, what: str, hint: str = "") -> None:
        lines = self.text.splitlines()
        source = lines[place.line - 1] if place.line <= len(lines) else ""
        self.mistakes.append(Mistake(place, what, source, hint))


def read_toml(text: str) -> TomlText:
    """The text parsed; a text that is not TOML comes back with one mistake and no data."""
    parsed = TomlText(text)
    try:
        parsed.data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        match = _AT.search(str(error))
        what = _AT.sub("", str(error)).strip()
        line, column = (int(match[1]), int(match[2])) if match and match[1] else _end(text)
        parsed._note(Place(line, column), f"this is not TOML: {what[:1].lower()}{what[1:]}")
        return parsed
    source = text.encode()
    _walk(parsed, _PARSER.parse(source).root_node, source.split(b"\n"))
    return parsed


def _end(text: str) -> tuple[int, int]:
    lines = text.splitlines() or [""]
    return len(lines), len(lines[-1]) + 1


def _walk(parsed: TomlText, document: tree_sitter.Node, lines: list[bytes]) -> None:
    """Remember where each key and value stands."""
    counts: dict[Path, int] = {}

    def place(node: tree_sitter.Node) -> Place:
        row, column = node.start_point
        return Place(row + 1, len(lines[row][:column].decode(errors="replace")) + 1)

    def key_path(node: tree_sitter.Node) -> Path:
        if node.type == "dotted_key":
            return tuple(part for child in node.named_children for part in key_path(child))
        return ((node.text or b"").decode().strip("\"'"),)

    def pair(node: tree_sitter.Node, prefix: Path) -> None:
        # The comment at the end of a line is among the children.
        key, value = [child for child in node.named_children if child.type != "comment"][:2]
        path = prefix + key_path(key)
        parsed._keys[path], parsed._values[path] = place(key), place(value)
        if value.type == "inline_table":
            for child in value.named_children:
                if child.type == "pair":
                    pair(child, path)
        elif value.type == "array":
            for number, child in enumerate(c for c in value.named_children if c.type != "comment"):
                parsed._keys[(*path, number)] = parsed._values[(*path, number)] = place(child)

    def resolve(path: Path) -> Path:
        """A table's path with the number of the current element after every array of tables on the way."""
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
            head = next(child for child in node.named_children if child.type in _KEYS)
            name = key_path(head)
            if node.type == "table_array_element":
                bare = (*resolve(name[:-1]), name[-1])
                counts[bare] = counts.get(bare, -1) + 1
            prefix = resolve(name)
            parsed._keys[prefix] = place(head)
            for child in node.named_children:
                if child.type == "pair":
                    pair(child, prefix)
