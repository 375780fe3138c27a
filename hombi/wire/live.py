"""The live stream: what is told as it happens, one shape for each kind of event."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import Meta, Ms, Shape
from hombi.wire.entities import Command, Quality
from hombi.wire.people import JournalEntry, Notice


class ReadingNews(Shape, frozen=True, kw_only=True):
    """An entity has a new reading."""

    entity: str
    at: Ms
    value: float | None
    raw: float | None
    quality: Quality
    reason: str


class NodeNews(Shape, frozen=True, kw_only=True):
    """Something about a node, or one of its entities, is another than before. A node
    that came or went changes the list of them too."""

    node: str
    entity: Annotated[str, Meta(description="the entity that it is about, if it is about one")]
    change: Literal["changed", "added", "removed"]


class RoomsNews(Shape, frozen=True, kw_only=True):
    """The floors and rooms are others than before."""


class HouseNews(Shape, frozen=True, kw_only=True):
    """Something about the house as a whole is another: its settings, a link, a part."""

    what: str


class ArrivalNews(Shape, frozen=True, kw_only=True):
    """An arrival is there, is another than before, or is over."""

    id: str
    title: str
    state: str
    progress: str


class PairingNews(Shape, frozen=True, kw_only=True):
    """The pairing window was opened or closed; 0 for closed."""

    until: Ms


class AutomationNews(Shape, frozen=True, kw_only=True):
    """An automation stands elsewhere than before, or is another."""

    automation: str
    change: Literal["changed", "added", "removed"]


class PhoneNews(Shape, frozen=True, kw_only=True):
    """There are other phones than before."""

    phone: int


class MqttAccountNews(Shape, frozen=True, kw_only=True):
    """An account, or a program's token, is another than before."""

    account: str


class BeatNews(Shape, frozen=True, kw_only=True):
    """A sign of life, every 15 s at least: the time of the hub's clock."""

    now: Ms


NEWS: dict[str, type[Shape]] = {
    "beat": BeatNews,
    "reading": ReadingNews,
    "node": NodeNews,
    "rooms": RoomsNews,
    "house": HouseNews,
    "arrival": ArrivalNews,
    "pairing": PairingNews,
    "automation": AutomationNews,
    "command": Command,
    "journal": JournalEntry,
    "notice": Notice,
    "phone": PhoneNews,
    "account": MqttAccountNews,
}
