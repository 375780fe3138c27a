"""`confirmed` beside `switch` and `set`: what follows comes once the node has done
it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from hombi.core.automation import describing
from hombi.core.automation.actions.wait_until import WaitUntil, goes_on
from hombi.core.automation.comparisons import Is, Within
from hombi.core.automation.describing import Schema
from hombi.core.automation.form import Field, given, optional
from hombi.core.automation.text import span_ms, to_other
from hombi.core.automation.watch import Watch
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

KEYS: Mapping[str, Schema] = {
    "confirmed": describing.text("what follows comes once the node has done it, within", "30 s"),
    "otherwise": describing.text("when it never was", one_of=("go on", "stop")),
}
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
    compared = (
        Is(value) if kind.words is not None else Within(value - near, value + near, kind.arithmetic)
    )
    return WaitUntil(Watch(address, kind, compared), at_most_ms, on, confirms=True)


def fields(table: Mapping[str, Any], path: Path, when: str, *, last: bool) -> Iterator[Field]:
    """Its values in a form. What nothing follows need not be waited for, and nobody
    knows before which is the other state."""
    sure = {"confirmed": f"{when}: wait until it is done, at most"}
    yield from (given if last or to_other(table) else optional)(table, path, sure)
    if table.get("confirmed"):
        otherwise = {"otherwise": f"{when}: if it is not done, stop or go on"}
        yield from optional(table, path, otherwise)


def sentence(sure: WaitUntil | None) -> str:
    """As in "loft lamp on (stop unless it is confirmed within 30 s)"."""
    if sure is None:
        return ""
    within = show_span(sure.at_most_ms)
    if sure.goes_on:
        return f" (go on once it is confirmed, or after {within})"
    return f" (stop unless it is confirmed within {within})"
