"""Changing one value in a text that a person wrote. Only that place changes: comments,
order, spacing and line ends stay to the byte."""

from __future__ import annotations

import re

from hombi.core.toml_text import Path, TomlText, read_toml

_BARE = re.compile(r"[A-Za-z0-9_-]+")


class EditError(ValueError):
    """A place that cannot be changed so; the message says why, and what to do."""


def with_value(text: str, path: Path, value: str | None) -> str:
    """The text with another value (a text) at a path like ("watch", "over"); None takes
    the key out. A key that is not there yet comes after the last one of its table, a
    table at the end. Raises EditError."""
    toml = read_toml(text)
    if toml.mistakes:
        raise EditError(f"the text is not sound: {toml.mistakes[0]}")
    source = text.encode()
    if path in toml.places.value_bytes:
        if value is None:
            return _without(toml, source, path)
        begin, end = toml.places.value_bytes[path]
        fresh = quoted(value, like=source[begin:end].decode())
        return (source[:begin] + fresh.encode() + source[end:]).decode()
    return text if value is None else _with(toml, source, path, value)


def _without(toml: TomlText, source: bytes, path: Path) -> str:
    if path not in toml.places.pair_bytes:
        raise EditError(f"{path[-1]} stands within a line; take it out in the text")
    begin, end = toml.places.pair_bytes[path]
    first = source.rfind(b"\n", 0, begin) + 1
    after = source.find(b"\n", end)
    if after < 0 and first:
        # The last line of a text that ends without a line end.
        return (source[: first - (2 if source[first - 2 : first] == b"\r\n" else 1)]).decode()
    return (source[:first] + (b"" if after < 0 else source[after + 1 :])).decode()


def _with(toml: TomlText, source: bytes, path: Path, value: str) -> str:
    table, key = path[:-1], path[-1]
    if not _BARE.fullmatch(str(key)):
        raise EditError(f"{str(key)[:40]!r} is not a key")
    ends = "\r\n" if b"\r\n" in source else "\n"
    line = f"{key} = {quoted(value)}"
    siblings = [(span, at) for at, span in toml.places.pair_bytes.items() if at[:-1] == table]
    if siblings or table in toml.places.head_bytes:
        if siblings:
            (_, last), beside = max(siblings)
            # Beside `watch.over = …`, which stands outside of its table, it is
            # `watch.until = …`.
            line = toml.places.key_starts[beside].decode() + line
        else:
            _, last = toml.places.head_bytes[table]
        after = source.find(b"\n", last)
        if after < 0:
            return source.decode() + ends + line
        return (source[: after + 1] + (line + ends).encode() + source[after + 1 :]).decode()
    if table in toml.places.value_bytes:
        raise EditError(f"{table[-1]} is written within a line; add {key} in the text")
    if len(table) != 1:
        raise EditError(f"there is no [{'.'.join(map(str, table))}]")
    body = source.decode()
    gap = "" if not body else ends if body.endswith("\n") else ends * 2
    return f"{body}{gap}[{table[0]}]{ends}{line}{ends}"


def quoted(value: str, like: str = "") -> str:
    """It as a TOML string, in the quotes of the one before where it fits in them."""
    plain = all(sign.isprintable() for sign in value)
    if like.startswith("'") and not like.startswith("'''") and "'" not in value and plain:
        return f"'{value}'"
    escaped = value.replace("\\", "\\\\").replace(chr(34), "\\" + chr(34))
    signs = (sign if sign.isprintable() else f"\\U{ord(sign):08X}" for sign in escaped)
    return chr(34) + "".join(signs) + chr(34)
