"""What a node can be asked to do beside taking values: blink, stop, sound (ZCL, 3.5,
7.4 and 8.4). No I/O."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from hombi.links.offer import Action, Setting
from hombi.links.zigbee.points import COVERING, IDENTIFY

WARNING = 0x0502
BLINKS_S, SOUNDS_S, LONGEST_S = 5, 30, 600
# The loudness of a siren (8.4.2.2.1.1), and why it sounds.
LOUDNESS = ("low", "medium", "high", "very high")
REASONS = ("burglar", "fire", "emergency", "panic")
_STROBE = 0x01 << 2

Inputs = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Doing:
    """One thing that an endpoint can do: what a person sees of it, and the command of
    its cluster with the payload for what a person gave."""

    action: Action
    endpoint: int
    cluster: int
    command: int
    payload: Callable[[Inputs], bytes] = lambda _: b""


def _seconds(usual: int) -> Setting:
    title = f"Seconds ({usual} unless given)"
    return Setting("seconds", title, "seconds", "number", "", 1, LONGEST_S)


def _blink(given: Inputs) -> bytes:
    return struct.pack("<H", round(given.get("seconds") or BLINKS_S))


def _sound(given: Inputs) -> bytes:
    """Start warning: what for, whether it flashes, how loud; for how long; how it
    flashes."""
    reason = REASONS.index(given.get("reason") or REASONS[0]) + 1
    loud = LOUDNESS.index(given.get("loudness") or LOUDNESS[1])
    seconds = round(given.get("seconds") or SOUNDS_S)
    return struct.pack("<BHBB", reason << 4 | _STROBE | loud, seconds, 50, loud)


def doings(inputs: Mapping[int, tuple[int, ...]]) -> Iterator[Doing]:
    """What a node can do, by the clusters that its endpoints serve. Only one endpoint
    blinks: people look at the whole node."""
    blinks = next((number for number, all_ in sorted(inputs.items()) if IDENTIFY in all_), 0)
    if blinks:
        about = "It blinks or clicks, so that one sees which node it is."
        blink = Action("blink", "Blink", about, "blink", (_seconds(BLINKS_S),))
        yield Doing(blink, blinks, IDENTIFY, 0x00, _blink)
    covers = [number for number, all_ in sorted(inputs.items()) if COVERING in all_]
    for number in covers:
        name = "stop" if len(covers) == 1 else f"stop-{number}"
        stop = Action(name, "Stop", "It stays where it is now.", name)
        yield Doing(stop, number, COVERING, 0x02)
    for number, all_ in sorted(inputs.items()):
        if WARNING in all_:
            yield from _siren(number)


def _siren(number: int) -> Iterator[Doing]:
    loudness = Setting("loudness", "How loud", "loudness", "string", choices=LOUDNESS)
    reason = Setting("reason", "What for", "reason", "string", choices=REASONS)
    asks = (_seconds(SOUNDS_S), loudness, reason)
    sound = Action("sound", "Sound", "It sounds, and flashes if it can.", "sound", asks)
    yield Doing(sound, number, WARNING, 0x00, _sound)
    silence = Action("silence", "Silence", "It is quiet again.", "silence")
    yield Doing(silence, number, WARNING, 0x00, lambda _: bytes(5))
