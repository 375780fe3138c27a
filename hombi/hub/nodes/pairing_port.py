"""The pairing port: arrivals."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(slots=True)
class ArrivalRecord:
    """A node that was heard and is not let in yet (or was, and has not collected its
    key).

    `offer` is what it has, as plain data. One that asked has a `proof` of its setup
    code. One that was found by its link has a `reach` instead, and `asks` says what
    must be known to use it ("user and password", "token"; "" for nothing). `sender` is
    the address that it spoke from. One that is still "asking" (being asked what it has)
    is not stored.
    """

    id: str
    thing_id: str
    title: str
    offer: dict[str, Any]
    proof: str
    ticket_hash: str
    asked_ms: int
    state: str = "waiting"
    wrong_codes: int = 0
    node: str = ""
    reach: dict[str, Any] = field(default_factory=dict)
    asks: str = ""
    link: str = ""
    sender: str = ""


class PairingPort(Protocol):
    """Who asked to join."""

    def arrivals(self) -> list[ArrivalRecord]: ...

    def save(self, arrival: ArrivalRecord) -> None: ...

    def remove(self, arrival_id: str) -> None: ...
