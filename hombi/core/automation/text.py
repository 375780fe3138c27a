"""Reading the tables of an automation's text: each helper notes what is wrong with its
place, and gives what can be used."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Collection, Mapping
from datetime import time
from typing import Any

from hombi.core.errors import ValueTextError
from hombi.core.house_facts import EntityFacts, HouseFacts, did_you_mean
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import parse_span_ms, parse_value

# As `to` of what has two states: the one in which it is not.
OTHER = "other"
# So long is what is given to a sequence or to a node, at most.
LONGEST_GIVEN = 200

# These are left out rather than left empty.
_NOT_EMPTY = frozenset({"held", "until", "between", "lost", "for", "pause", "lasts", "until_held"})


def only_keys(toml: TomlText, path: Path, table: dict[str, Any], known: Collection[str]) -> None:
    """Blame each key that is not known here."""
    for key in table:
        if key not in known:
            hint = did_you_mean(key, known) or f"known here: {', '.join(sorted(known))}"
            toml.blame((*path, key), f"{key!r} means nothing here", hint, at_value=False)


def text(
    toml: TomlText, path: Path, table: dict[str, Any], key: str, *, required: bool = False
) -> str:
    """The text of a key, "" for none."""
    value = table.get(key)
    if value is None:
        if required:
            toml.blame(path, f"{key} is missing", f'add {key} = "…"')
        return ""
    if not isinstance(value, str):
        hint = f'write {key} = "{_instead(value)}"'
        toml.blame((*path, key), f"{key} must be a text in quotes", hint)
        return ""
    if not value.strip() and (required or key in _NOT_EMPTY):
        toml.blame((*path, key), f"{key} is empty", "" if required else f"leave {key} out")
        return ""
    controls = (sign for sign in value if unicodedata.category(sign) == "Cc")
    if odd := next((sign for sign in controls if sign not in "\n\r\t"), None):
        what = f"{key} holds a control character (U+{ord(odd):04X})"
        toml.blame((*path, key), what, "delete it")
        return ""
    return value


def _instead(value: object) -> str:
    """What a person who wrote this probably meant."""
    if isinstance(value, time):
        return f"{value:%H:%M}"
    return str(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else "…"


def texts(toml: TomlText, path: Path, table: dict[str, Any], key: str) -> dict[str, str] | None:
    """A table of texts, like what is given to a sequence; None for one that is not."""
    given = table.get(key, {})
    if not isinstance(given, dict) or not all(isinstance(one, str) for one in given.values()):
        toml.blame((*path, key), f"{key} is a table of texts", f'write {key} = {{ name = "…" }}')
        return None
    if long := next((name for name, one in given.items() if len(one) > LONGEST_GIVEN), None):
        toml.blame((*path, key, long), f"{long} has {LONGEST_GIVEN} characters at most")
        return None
    return dict(given)


def table(toml: TomlText, key: str) -> dict[str, Any] | None:
    """The table of a key."""
    result = toml.data.get(key)
    if result is None:
        return None
    if not isinstance(result, dict):
        hint = f"write [{key}] on a line of its own"
        toml.blame((key,), f"{key} must be a table", hint, at_value=False)
        return None
    return result


def entity(toml: TomlText, path: Path, address: str, facts: HouseFacts) -> EntityFacts | None:
    """What is known of the entity at an address."""
    result = facts.entities.get(address)
    if result is None and address:
        hint = did_you_mean(address, facts.entities) or "`hombi entity list` names them"
        toml.blame(path, f"no entity {address}", hint)
    return result


def quantity(toml: TomlText, path: Path, value: object, kind: Kind) -> float | None:
    """A value with its unit, in the kind's own."""
    if not isinstance(value, str):
        if kind.words is not None:
            what = "a state is a text in quotes"
            instead = kind.words[1 if value in (True, 1) and len(kind.words) > 1 else 0]
        else:
            what, instead = "a value is a text with its unit", f"{kind.high:g} {kind.unit}"
            if isinstance(value, (int, float)) and not isinstance(value, bool):
                instead = f"{value} {kind.unit}" if math.isfinite(value) else instead
        toml.blame(path, what, f'write "{instead.strip()}"')
        return None
    try:
        number = parse_value(value, kind)
    except ValueTextError as error:
        toml.blame(path, str(error))
        return None
    if kind.earlier is not None and value.strip().lower() not in (kind.words or ()):
        now = kind.word(number)
        toml.warn(path, f"{value!r} is called {now!r} now", f'write "{now}"')
    return number


def to_other(table: Mapping[str, Any]) -> bool:
    """Whether `to` says the other state."""
    to = table.get("to")
    return isinstance(to, str) and to.strip().lower() == OTHER


def wanted(toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> float | None:
    """What `to` says that an entity is to be."""
    if "to" not in table or table["to"] == "":
        text(toml, path, table, "to", required=True)
        return None
    if isinstance(table["to"], str) and table["to"].lstrip().startswith("+"):
        what = f"{table['to']!r} is a step, and `to` takes the value itself"
        toml.blame((*path, "to"), what, f'write to = "{table["to"].strip(" +")}"')
        return None
    return quantity(toml, (*path, "to"), table["to"], kind)


def span_ms(
    toml: TomlText, path: Path, table: dict[str, Any], key: str, *, required: bool = False
) -> int:
    """A length of time in ms, 0 for none."""
    value = table.get(key)
    if value is not None and not isinstance(value, str):
        count = value if isinstance(value, int) and value > 0 and value is not True else 5
        hint = f'write {key} = "{count} min"'
        toml.blame((*path, key), f"{key} is a length of time, as a text in quotes", hint)
        return 0
    written = text(toml, path, table, key, required=required)
    if not written:
        return 0
    try:
        return parse_span_ms(written)
    except ValueTextError as error:
        toml.blame((*path, key), str(error))
        return 0
