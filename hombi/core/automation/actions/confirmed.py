"""`confirmed` beside `switch` and `set`: what follows comes once the node has done
it."""

from __future__ import annotations

from typing import Any

from hombi.core.automation.actions.wait_until import WaitUntil, goes_on
from hombi.core.automation.comparisons import Is, Within
from hombi.core.automation.text import span_ms
from hombi.core.automation.watch import Watch
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

KEYS = frozenset({"confirmed", "otherwise"})
# A dimmer may say 39.8 % of a 40.
NEARLY = 0.005


def confirmed(
    toml: TomlText, path: Path, table: dict[str, Any], address: str, kind: Kind, value: float
) -> WaitUntil | None:
    """The wait for an entity to be at the value that it was given; None for an action
    that nothing waits for."""
    at_most_ms = span_ms(toml, path, table, "confirmed")
    on = goes_on(toml, path, table, usually=False)
    if not at_most_ms:
        if "otherwise" in table and "confirmed" not in table:
            what = "otherwise says what comes when it is not confirmed"
            toml.blame((*path, "otherwise"), what, 'add confirmed = "30 s"')
        return None
    near = NEARLY * max(1.0, abs(value))
    compared = Is(value) if kind.words is not None else Within(value - near, value + near)
    return WaitUntil(Watch(address, kind, compared), at_most_ms, on, confirms=True)


def sentence(sure: WaitUntil | None) -> str:
    """As in "loft lamp on (stop unless it is confirmed within 30 s)"."""
    if sure is None:
        return ""
    within = show_span(sure.at_most_ms)
    if sure.goes_on:
        return f" (go on once it is confirmed, or after {within})"
    return f" (stop unless it is confirmed within {within})"
