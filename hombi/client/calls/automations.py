"""Automations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from hombi.client.calls.base import Call, given, path
from hombi.wire.automations import (
    Account,
    Automation,
    AutomationChange,
    Checked,
    EditRequest,
    FirstValue,
    KeptText,
    PretendValue,
    Rehearsal,
    RehearseRequest,
    Replay,
    ReplayRequest,
    RunRequest,
    Starter,
    StarterRequest,
    TextRequest,
    Written,
)

REPLAY_S = 120.0


def list_() -> Call[list[Automation]]:
    """All automations."""
    return Call("GET", "/api/automations", list[Automation])


def get(automation: str) -> Call[Automation]:
    """One automation."""
    return Call("GET", path("automations", automation), Automation)


def check(text: str) -> Call[Checked]:
    """Every mistake in a text; nothing is kept."""
    body = TextRequest(text=text)
    return Call("POST", "/api/automations/check", Checked, body=body)


def add(text: str) -> Call[Automation]:
    """Add an automation. Raises Wrong with its mistakes."""
    body = TextRequest(text=text)
    return Call("POST", "/api/automations", Automation, body=body)


def change(automation: str, text: str, *, leave: bool = False) -> Call[Automation]:
    """Give an automation another text. With `leave` what is on stays as it is."""
    body = AutomationChange(text=text, leave=leave)
    return Call("PATCH", path("automations", automation), Automation, body=body)


def duty(automation: str, on: bool, *, leave: bool = False) -> Call[Automation]:
    """Put an automation on duty, or off it. With `leave` what is on stays as it is."""
    body = AutomationChange(enabled=on, leave=leave)
    return Call("PATCH", path("automations", automation), Automation, body=body)


def remove(automation: str, *, leave: bool = False) -> Call[None]:
    """Remove an automation. What is on ends first; with `leave` it stays as it is."""
    params = {"leave": "true"} if leave else {}
    return Call("DELETE", path("automations", automation), None, params)


def acknowledge(automation: str) -> Call[Automation]:
    """Say that somebody sees to what an automation has started for."""
    return Call("POST", path("automations", automation, "acknowledge"), Automation)


def schema() -> Call[dict[str, Any]]:
    """The JSON Schema of an automation's text."""
    return Call("GET", "/api/automations/schema", dict[str, Any])


def texts(automation: str) -> Call[list[KeptText]]:
    """The texts that an automation had, the present one first."""
    return Call("GET", path("automations", automation, "texts"), list[KeptText])


def edit(text: str, place: Sequence[str | int], value: str | None) -> Call[Written]:
    """A text with another value at one place, like ("watch", "over"); all else stays.
    None takes the key out. Nothing is kept."""
    body = EditRequest(text=text, path=list(place), value=value)
    return Call("POST", "/api/automations/edit", Written, body=body)


def replay(
    text: str, *, start: int = 0, end: int = 0, limit: str = "", automation: str = ""
) -> Call[Replay]:
    """What a text would have done over a span of the past, in ms, the last 30 days
    unless given; nothing is done. `limit` is tried in place of the text's own,
    `automation` is the one on duty to compare with."""
    body = ReplayRequest(text=text, start=start, end=end, limit=limit, automation=automation)
    # A year of several values takes longer than other calls.
    where = "/api/automations/replay"
    return Call("POST", where, Replay, body=body, quiet_s=REPLAY_S)


def why(automation: str, at: int | None = None) -> Call[Account]:
    """Where an automation stood at a moment (in ms, now unless given), and what each
    part said."""
    return Call("GET", path("automations", automation, "why"), Account, given(at=at))


def rehearse(
    text: str, values: Sequence[PretendValue], *, lasts: str = "", at: int = 0
) -> Call[Rehearsal]:
    """What a text would do with pretend values; the house is not touched."""
    body = RehearseRequest(text=text, said=list(values), lasts=lasts, at=at)
    return Call("POST", "/api/automations/rehearse", Rehearsal, body=body)


def run(automation: str, edge: Literal["start", "end"] = "start") -> Call[Automation]:
    """Run the actions of an edge now, ignoring its conditions."""
    body = RunRequest(edge=edge)
    return Call("POST", path("automations", automation, "run"), Automation, body=body)


def starters() -> Call[list[Starter]]:
    """Ready-made automations, with their blanks."""
    return Call("GET", "/api/starters", list[Starter])


def fill(starter: str, blanks: Mapping[str, str]) -> Call[Written]:
    """The text that a starter makes of its blanks, checked; nothing is kept."""
    body = StarterRequest(blanks=dict(blanks))
    return Call("POST", path("starters", starter), Written, body=body)


def first_values(starter: str, entity: str, blank: str = "sensor") -> Call[list[FirstValue]]:
    """First values for a starter's limits, from the last 30 days of an entity."""
    return Call(
        "GET",
        path("starters", starter, "values"),
        list[FirstValue],
        given(entity=entity, blank=blank),
    )
