"""Channels: what an entity is sent (kind and unit), and since when.

A node that begins to send another unit, or another kind of value, begins another
channel. Each sample names its channel, so past and present never mix.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from hombi.core.kinds import Kind


@dataclass(frozen=True, slots=True)
class Channel:
    """One channel. `number` counts from 0 within its entity; `unit` is the one that
    samples are sent in ("" for a kind without one). `file` is the name of the file that
    was imported over it; "" for what a node sends."""

    number: int
    kind: Kind
    unit: str
    since_ms: int
    file: str = ""


class Channels:
    """All channels of one entity; `now` is what it is sent at present."""

    def __init__(self, known: Iterable[Channel]) -> None:
        self._all = {channel.number: channel for channel in known}
        sent = [channel for channel in self._all.values() if not channel.file]
        self._by_unit = {(c.kind.key, c.unit): c for c in sent}
        if not sent:
            raise ValueError("an entity has at least one channel")
        self.now = max(sent, key=lambda channel: (channel.since_ms, channel.number))

    def copy(self) -> Channels:
        """The same channels, that begin no other with these."""
        made = Channels(self._all.values())
        made.now = self.now
        return made

    def find(self, kind: Kind, unit: str) -> Channel | None:
        """The channel of this kind and unit, if there was one."""
        return self._by_unit.get((kind.key, unit))

    def begin(self, kind: Kind, unit: str, since_ms: int) -> Channel:
        """A channel of this kind and unit, which must be new, from a moment on."""
        channel = Channel(max(self._all) + 1, kind, unit, since_ms)
        self._all[channel.number] = self._by_unit[(kind.key, unit)] = channel
        return channel

    def imports(self) -> list[Channel]:
        """The channels of files that were imported."""
        return [channel for channel in self._all.values() if channel.file]

    def imported(self, kind: Kind, unit: str, since_ms: int, file: str) -> Channel:
        """A channel for a file; its node goes on over its own."""
        channel = Channel(max(self._all) + 1, kind, unit, since_ms, file)
        self._all[channel.number] = channel
        return channel

    def forget(self, number: int) -> None:
        """The import of this number was taken back."""
        del self._all[number]

    def unit_of(self, number: int) -> str:
        """The unit in which the samples of a channel were sent."""
        return self._all[number].unit

    def numbered(self, number: int) -> Channel:
        """The channel of a number."""
        return self._all[number]

    def of_kind(self, kind: Kind) -> list[int]:
        """The numbers of all channels of a kind: what makes up its history."""
        return [channel.number for channel in self._all.values() if kind.goes_on(channel.kind)]

    def __len__(self) -> int:
        return len(self._all)
