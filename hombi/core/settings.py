"""Settings in TOML: what a key expects, and how it is read from a file and from an
environment variable."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from hombi.core.values import parse_span_ms


class SettingsError(Exception):
    """Settings that do not go together; the message says which, and what to do."""


@dataclass(frozen=True, slots=True)
class Key:
    """One key: what is expected of it, how it is read, and what it is unless it is set.

    `read` takes the value from TOML or the text of an environment variable, and raises
    ValueError. One that is `live` applies without a restart; one that is
    `required` must be in the file when its table is.
    """

    expected: str
    read: Callable[[Any], Any]
    default: Any = ""
    live: bool = False
    required: bool = False


Tables = Mapping[str, Mapping[str, Key]]
Values = Mapping[str, Mapping[str, Any]]


def name(value: Any) -> str:
    """A text that is not empty."""
    if not isinstance(value, str) or not value.strip():
        raise ValueError
    return value.strip()


def port(value: Any) -> int:
    """A port number."""
    number = int(value) if isinstance(value, str) else value
    if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number <= 65535:
        raise ValueError
    return number


def seconds(value: Any) -> float:
    """A length of time, in seconds."""
    if not isinstance(value, str):
        raise ValueError
    return parse_span_ms(value) / 1000


def degrees(most: float) -> Callable[[Any], float]:
    """An angle from -most to most, in degrees."""

    def read(value: Any) -> float:
        if isinstance(value, bool):
            raise ValueError
        result = float(value)
        if not -most <= result <= most:
            raise ValueError
        return result

    return read


def file(value: Any) -> str:
    """The path of a file that is there."""
    path = Path(name(value)).expanduser()
    if not path.is_file():
        raise ValueError
    return str(path)


def texts(value: Any) -> tuple[str, ...]:
    """A list of texts, or one text with commas."""
    result = [one.strip() for one in value.split(",")] if isinstance(value, str) else value
    if not isinstance(result, list) or not result:
        raise ValueError
    if not all(isinstance(one, str) and one for one in result):
        raise ValueError
    return tuple(result)


def names(value: Any) -> tuple[str, ...]:
    """Names or addresses of machines."""
    result = texts(value)
    if not all(re.fullmatch(r"[A-Za-z0-9.:_-]{1,253}", one) for one in result):
        raise ValueError
    return result


def addresses(value: Any) -> tuple[str, ...]:
    """IP addresses and networks."""
    return tuple(
        str(ipaddress.ip_network(text)) if "/" in text else str(ipaddress.ip_address(text))
        for text in texts(value)
    )


def origins(value: Any) -> tuple[str, ...]:
    """Web origins: scheme, host and port."""
    result = tuple(text.rstrip("/") for text in texts(value))
    if not all(re.fullmatch(r"https?://[^/@?#\s]+", one) for one in result):
        raise ValueError
    return result


def yes(value: Any) -> bool:
    """True or false; on or off in an environment variable."""
    if isinstance(value, str):
        value = {"true": True, "on": True, "false": False, "off": False}.get(value.lower())
    if not isinstance(value, bool):
        raise ValueError
    return value


def clock_time(value: Any) -> int:
    """A time of the day like "03:30", as minutes after midnight. Raises ValueError."""
    match = re.fullmatch(r"([01]?\d|2[0-3]):([0-5]\d)", value) if isinstance(value, str) else None
    if match is None:
        raise ValueError
    return int(match[1]) * 60 + int(match[2])


def count(value: Any) -> int:
    """How many are kept, from 1 to 100. Raises ValueError."""
    number = int(value) if isinstance(value, str) else value
    if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number <= 100:
        raise ValueError
    return number


def one_of(*choices: Any) -> Callable[[Any], Any]:
    """One of these; an environment variable has it as text."""
    by_text = {str(choice): choice for choice in choices}

    def read(value: Any) -> Any:
        if isinstance(value, bool) or str(value) not in by_text:
            raise ValueError
        return by_text[str(value)]

    return read


def defaults(tables: Tables) -> dict[str, dict[str, Any]]:
    """All keys with what they are unless they are set."""
    return {
        table: {key: one.default for key, one in keys.items()} for table, keys in tables.items()
    }
