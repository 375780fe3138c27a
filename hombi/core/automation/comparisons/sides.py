"""What the comparisons with a side, `over` and `under`, have in common."""

from __future__ import annotations

from typing import Any

from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import TomlText


def read_until(toml: TomlText, table: dict[str, Any], kind: Kind) -> float | None:
    """The value at which it ends, if one is given."""
    if "until" not in table:
        return None
    return quantity(toml, ("watch", "until"), table["until"], kind)


def check_limit(toml: TomlText, word: str, kind: Kind) -> None:
    """A kind with two states has no sides."""
    if kind.words is not None:
        what = f"a {kind.name} is not over or under"
        toml.blame(("watch", word), what, f'write is = "{kind.words[1]}"')
