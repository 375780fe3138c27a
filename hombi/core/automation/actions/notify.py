"""`notify`: send a notice to the phones of one person, or of everyone."""

from __future__ import annotations

import string
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from hombi.core.automation.text import only_keys, text
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.toml_text import Path, TomlText

# What may stand in braces in a title or a text.
TEXT_FIELDS = ("name", "entity", "room", "value", "limit", "held", "for")


@dataclass(frozen=True, slots=True)
class Tell:
    """The effect: this notice is to go to the phones of one person, or of everyone."""

    to: str
    title: str
    text: str

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"tell {self.to} “{self.title}”"


@dataclass(frozen=True, slots=True)
class Notify:
    """The action: `title` and `text` may hold {fields}."""

    to: str
    title: str
    text: str

    word: ClassVar[str] = "notify"

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Notify | None:
        """Understand it from its table."""
        only_keys(toml, path, table, {"notify", "title", "text"})
        to = text(toml, path, table, "notify", required=True)
        known = {"everyone", *facts.people}
        unknown = bool(to) and to not in known
        if unknown:
            hint = did_you_mean(to, known) or f"use {', '.join(sorted(known))}"
            toml.blame((*path, "notify"), f"nobody here is called {to}", hint)
        title = text(toml, path, table, "title", required=True)
        body = text(toml, path, table, "text")
        for key, template in (("title", title), ("text", body)):
            _check(toml, (*path, key), template)
        return None if unknown or not title else cls(to, title, body)

    def effect(self, fields: Mapping[str, str]) -> Tell:
        return Tell(self.to, fill(self.title, fields), fill(self.text, fields))

    def sentence(self, name: Callable[[str], str]) -> str:
        return f"tell {self.to} “{self.title}”"


def _check(toml: TomlText, path: Path, template: str) -> None:
    try:
        fields = [found for found in string.Formatter().parse(template) if found[1] is not None]
    except ValueError:
        what = "a brace stands alone in this text"
        toml.blame(path, what, "write {{ or }} for a brace itself")
        return
    for _, name, form, conversion in fields:
        if form or conversion:
            sign = f":{form}" if form else f"!{conversion}"
            what = f"{{{name}{sign}}} has a format, and there are none here"
            toml.blame(path, what, f"write {{{name}}}")
        elif name and name not in TEXT_FIELDS:
            hint = did_you_mean(name, TEXT_FIELDS) or f"known: {', '.join(TEXT_FIELDS)}"
            toml.blame(path, f"{{{name}}} stands for nothing", hint)
        elif not name:
            toml.blame(path, "{} stands for nothing", f"known: {', '.join(TEXT_FIELDS)}")


def fill(template: str, fields: Mapping[str, str]) -> str:
    """The text of a notice: each {field} replaced by what it stands for. Never raises
    for a template that was checked."""
    parts = []
    for plain, name, _, _ in string.Formatter().parse(template):
        parts.append(plain)
        if name is not None:
            parts.append(fields.get(name, f"{{{name}}}"))
    return "".join(parts)
