"""Automations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from hombi import wire
from hombi.client.calls.base import Call, given, path

REPLAY_S = 120.0


def list_() -> Call[list[wire.Automation]]:
    """All automations."""
    return Call("GET", "/api/automations", list[wire.Automation])


def get(automation: str) -> Call[wire.Automation]:
    """One automation."""
    return Call("GET", path("automations", automation), wire.Automation)


def check(text: str) -> Call[wire.Checked]:
    """Every mistake in a text; nothing is kept."""
    body = wire.TextRequest(text=text)
    return Call("POST", "/api/automations/check", wire.Checked, body=body)


def add(text: str) -> Call[wire.Automation]:
    """Add an automation. Raises Wrong with its mistakes."""
    body = wire.TextRequest(text=text)
    return Call("POST", "/api/automations", wire.Automation, body=body)


def change(automation: str, text: str, *, leave: bool = False) -> Call[wire.Automation]:
    """Give an automation another text. With `leave` what is on stays as it is."""
    body = wire.AutomationChange(text=text, leave=leave)
    return Call("PATCH", path("automations", automation), wire.Automation, body=body)


def duty(automation: str, on: bool, *, leave: bool = False) -> Call[wire.Automation]:
    """Put an automation on duty, or off it. With `leave` what is on stays as it is."""
    body = wire.AutomationChange(enabled=on, leave=leave)
    return Call("PATCH", path("automations", automation), wire.Automation, body=body)


def remove(automation: str, *, leave: bool = False) -> Call[None]:
    """Remove an automation. What is on ends first; with `leave` it stays as it is."""
    params = {"leave": "true"} if leave else {}
    return Call("DELETE", path("automations", automation), None, params)


def acknowledge(automation: str) -> Call[wire.Automation]:
    """Say that somebody sees to what an automation has started for."""
    return Call("POST", path("automations", automation, "acknowledge"), wire.Automation)


def schema() -> Call[dict[str, Any]]:
    """The JSON Schema of an automation's text."""
    return Call("GET", "/api/automations/schema", dict[str, Any])


def texts(automation: str) -> Call[list[wire.KeptText]]:
    """The texts that an automation had, the present one first."""
    return Call("GET", path("automations", automation, "texts"), list[wire.KeptText])


def edit(text: str, place: Sequence[str | int], value: str | None) -> Call[wire.Written]:
    """A text with another value at one place, like ("watch", "over"); all else stays.
    None takes the key out. Nothing is kept."""
    body = wire.EditRequest(text=text, path=list(place), value=value)
    return Call("POST", "/api/automations/edit", wire.Written, body=body)


def replay(
    text: str, *, start: int = 0, end: int = 0, limit: str = "", automation: str = ""
) -> Call[wire.Replay]:
    """What a text would have done over a span of the past, in ms, the last 30 days
    unless given; nothing is done. `limit` is tried in place of the text's own,
    `automation` is the one on duty to compare with."""
    body = wire.ReplayRequest(text=text, start=start, end=end, limit=limit, automation=automation)
    # A year of several values takes longer than other calls.
    where = "/api/automations/replay"
    return Call("POST", where, wire.Replay, body=body, quiet_s=REPLAY_S)


def why(automation: str, at: int | None = None) -> Call[wire.Account]:
    """Where an automation stood at a moment (in ms, now unless given), and what each
    part said."""
    return Call("GET", path("automations", automation, "why"), wire.Account, given(at=at))


def rehearse(
    text: str, values: Sequence[wire.PretendValue], *, lasts: str = "", at: int = 0
) -> Call[wire.Rehearsal]:
    """What a text would do with pretend values; the house is not touched."""
    body = wire.RehearseRequest(text=text, said=list(values), lasts=lasts, at=at)
    return Call("POST", "/api/automations/rehearse", wire.Rehearsal, body=body)


def run(automation: str, edge: Literal["start", "end"] = "start") -> Call[wire.Automation]:
    """Run the actions of an edge now, ignoring its conditions."""
    body = wire.RunRequest(edge=edge)
    return Call("POST", path("automations", automation, "run"), wire.Automation, body=body)


def starters() -> Call[list[wire.Starter]]:
    """Ready-made automations, with their blanks."""
    return Call("GET", "/api/starters", list[wire.Starter])


def fill(starter: str, blanks: Mapping[str, str]) -> Call[wire.Written]:
    """The text that a starter makes of its blanks, checked; nothing is kept."""
    body = wire.StarterRequest(blanks=dict(blanks))
    return Call("POST", path("starters", starter), wire.Written, body=body)


def first_values(starter: str, entity: str, blank: str = "sensor") -> Call[list[wire.FirstValue]]:
    """First values for a starter's limits, from the last 30 days of an entity."""
    return Call(
        "GET",
        path("starters", starter, "values"),
        list[wire.FirstValue],
        given(entity=entity, blank=blank),
    )
