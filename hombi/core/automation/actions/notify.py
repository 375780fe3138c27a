"""`notify`, and `mail`, `post`, `announce`, which say in which way: tell one person, or
everyone."""

from __future__ import annotations

import string
from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar, Self

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.describing import Schema
from hombi.core.automation.form import Field, given
from hombi.core.automation.text import only_keys, text
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.picture import picture_problem
from hombi.core.toml_text import Path, TomlText

# What may stand in braces in a title or a text.
TEXT_FIELDS = ("name", "entity", "room", "value", "limit", "held", "for", "since")


_TEXTS: Mapping[str, Schema] = {
    "title": describing.text("the notice's title; {value}, {room} and others stand for values"),
    "text": describing.text("the notice's text", "{value} for {held}"),
    "urgent": describing.yes_or_no("it comes in quiet hours too"),
}
_PICTURE = describing.text("a camera's picture with it", "http://192.0.2.30/snapshot.jpg")


class Tell(msgspec.Struct, frozen=True):
    """The effect: this notice is to go to one person, to everyone, or over one contact
    of a person (`ada/mail`). `sorts` are the sorts of contacts; the usual ones when
    there are none. `picture` is the address of a camera's."""

    to: str
    title: str
    text: str
    urgent: bool = False
    sorts: tuple[str, ...] = ()
    picture: str = ""

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"{_VERBS[self.sorts]} {self.to} “{self.title}”"


class Notify(ActionWord, frozen=True):
    """The action: `title` and `text` may hold {fields}. One that is `urgent` comes in
    quiet hours too. `picture` is the address of a camera's."""

    to: str
    title: str
    text: str
    urgent: bool = False
    picture: str = ""

    word: ClassVar[str] = "notify"
    place: ClassVar[float] = 40.0
    does: ClassVar[str] = (
        "sends a notice to everyone, or to a person, in the way that each of them has chosen. One "
        "that is `urgent` comes in quiet hours too"
    )
    keys: ClassVar[Mapping[str, Schema]] = {
        "notify": describing.text(
            "send a notice to everyone, or to a person", "everyone", takes=describing.PERSON
        ),
        **_TEXTS,
        "picture": _PICTURE,
    }
    sorts: ClassVar[tuple[str, ...]] = ()

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Self | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        to = text(toml, path, table, cls.word, required=True)
        known = {"everyone", *facts.people, *facts.contacts}
        unknown = bool(to) and to not in known
        if unknown:
            hint = did_you_mean(to, known) or f"use {', '.join(sorted(known))}"
            what = f"no way to reach {to}" if "/" in to else f"nobody here is called {to}"
            toml.blame((*path, cls.word), what, hint)
        urgent = table.get("urgent", False)
        if not isinstance(urgent, bool):
            toml.blame((*path, "urgent"), "urgent is true or false", "write urgent = true")
        title = text(toml, path, table, "title", required=True)
        body = text(toml, path, table, "text")
        for key, template in (("title", title), ("text", body)):
            check_fields(toml, (*path, key), template)
        picture = text(toml, path, table, "picture")
        if picture and (problem := picture_problem(picture)):
            toml.blame((*path, "picture"), problem)
        return None if unknown or not title else cls(to, title, body, urgent is True, picture)

    @classmethod
    def fields(
        cls, table: Mapping[str, Any], path: Path, when: str, *, last: bool
    ) -> Iterator[Field]:
        labels = {"title": f"{_VERBS[cls.sorts]} {table[cls.word]}"}
        labels |= {key: key for key in ("text", "picture") if key in cls.keys}
        yield from given(table, path, {key: f"{when}: {label}" for key, label in labels.items()})

    def effect(self, fields: Mapping[str, str]) -> Tell:
        title, body = fill(self.title, fields), fill(self.text, fields)
        return Tell(self.to, title, body, self.urgent, self.sorts, self.picture)

    def sentence(self, name: Callable[[str], str]) -> str:
        shown = ", with a picture" if self.picture else ""
        return f"{_VERBS[self.sorts]} {self.to} “{self.title}”{shown}"


class Mail(Notify, frozen=True):
    """By mail."""

    word = "mail"
    place = 41.0
    does = "the same by mail"
    keys: ClassVar[Mapping[str, Schema]] = {
        "mail": describing.text(
            "send a mail to everyone, or to a person", "ada", takes=describing.PERSON
        ),
        **_TEXTS,
        "picture": _PICTURE,
    }
    sorts = ("mail",)


class Post(Notify, frozen=True):
    """To the addresses that are posted to."""

    word = "post"
    place = 42.0
    does = "the same to the addresses that are posted to"
    keys: ClassVar[Mapping[str, Schema]] = {
        "post": describing.text(
            "post to the addresses of everyone, or of a person", "everyone", takes=describing.PERSON
        ),
        **_TEXTS,
    }
    sorts = ("post",)


class Announce(Notify, frozen=True):
    """Spoken by loudspeakers."""

    word = "announce"
    place = 43.0
    does = "the same by loudspeakers, which say it"
    keys: ClassVar[Mapping[str, Schema]] = {
        "announce": describing.text(
            "have loudspeakers say it", "everyone", takes=describing.PERSON
        ),
        **_TEXTS,
    }
    sorts = ("loudspeaker",)


# How each is said in a sentence.
_VERBS = {(): "tell", Mail.sorts: "mail", Post.sorts: "post to", Announce.sorts: "announce to"}


def check_fields(toml: TomlText, path: Path, template: str) -> None:
    """Blame each field in braces that stands for nothing."""
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
