"""Automations."""

from __future__ import annotations

from hombi import wire
from hombi.client.calls.base import Call, path


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
