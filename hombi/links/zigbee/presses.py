"""What a node sends as a client: the commands of its buttons and dials, each a moment.

A node that has a cluster among its outputs sends that cluster's commands to whatever it
is bound to (ZCL, 3.8 to 3.10, 5.2, 7.4, 8.3). The hub is bound, and makes a press of
each. No I/O.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from hombi.core.kinds import KINDS
from hombi.core.senml import Resolved
from hombi.links.offer import OfferedValue
from hombi.links.zigbee import zcl
from hombi.links.zigbee.errors import CodecError

SCENES, ON_OFF, LEVEL, COVERING, COLOUR, PANEL = 0x0005, 0x0006, 0x0008, 0x0102, 0x0300, 0x0501
# Scenes have numbers up to 255; so many of them have words of their own.
SCENES_NAMED = 16
LEVELS = 254


class Pressed(NamedTuple):
    """What a command says: a word, and by how much of its range a dial was turned, in
    %."""

    word: str
    turned: float = 0.0


class GivenPress(NamedTuple):
    """A command that a profile gives a word: its payload begins with these bytes."""

    endpoint: int
    cluster: int
    command: int
    begins: bytes
    word: str


_Reads = Callable[[bytes], Pressed | None]


def _word(word: str) -> _Reads:
    return lambda payload: Pressed(word)


def _by_mode(words: Mapping[int, str]) -> _Reads:
    """A command whose first byte says which way it goes."""

    def read(payload: bytes) -> Pressed | None:
        word = words.get(payload[0])
        return None if word is None else Pressed(word)

    return read


def _step(payload: bytes) -> Pressed | None:
    """A step of the level (ZCL, 3.10.2.3.3): mode, size."""
    mode, size = payload[0], payload[1]
    if mode > 1:
        return None
    turned = round(size * 100 / LEVELS, 2)
    return Pressed("darker", -turned) if mode else Pressed("brighter", turned)


def _scene(payload: bytes) -> Pressed | None:
    """A scene that is recalled (ZCL, 3.7.2.4.6): group, scene."""
    scene = payload[2]
    return Pressed(f"scene {scene}" if scene < SCENES_NAMED else "another scene")


# How a keypad is told that a code is wrong (ZCL, 8.3.2.3.1).
_WRONG_CODE = 0x04


def _arm(payload: bytes) -> Pressed | None:
    """A mode that is asked for (ZCL, 8.3.2.2.1): mode, code. The hub knows no codes: to
    disarm with one means nothing, for anybody could have typed it."""
    return None if _with_code(payload) and payload[0] == 0 else _ARM(payload)


def _with_code(payload: bytes) -> bool:
    return len(payload) > 1 and payload[1] not in (0x00, 0xFF)


_ARM = _by_mode({0: "disarm", 1: "arm home", 2: "arm night", 3: "arm all"})


# How the commands are read, by cluster and command, with how many bytes each has at
# least.
_COMMANDS: dict[int, dict[int, tuple[int, _Reads]]] = {
    ON_OFF: {
        0x00: (0, _word("off")), 0x01: (0, _word("on")), 0x02: (0, _word("toggle")),
        0x40: (0, _word("off")), 0x41: (0, _word("on")), 0x42: (0, _word("on")),
    },
    LEVEL: {
        command + with_on_off: reads
        for with_on_off in (0, 4)
        for command, reads in {
            0x00: (1, _word("level")),
            0x01: (1, _by_mode({0: "brightening", 1: "darkening"})),
            0x02: (2, _step),
            0x03: (0, _word("stop")),
        }.items()
    },
    COLOUR: {
        0x01: (1, _by_mode({0: "stop", 1: "colours forward", 3: "colours back"})),
        0x02: (1, _by_mode({1: "next colour", 3: "previous colour"})),
        0x07: (0, _word("colour")), 0x0A: (0, _word("white")), 0x47: (0, _word("stop")),
        # Up is in mireds, and warmer.
        0x4B: (1, _by_mode({0: "stop", 1: "warming", 3: "cooling"})),
        0x4C: (1, _by_mode({1: "warmer", 3: "colder"})),
    },
    SCENES: {0x05: (3, _scene)},
    COVERING: {
        0x00: (0, _word("open")), 0x01: (0, _word("close")), 0x02: (0, _word("stop")),
        0x05: (1, _word("position")), 0x08: (1, _word("tilt")),
    },
    PANEL: {
        0x00: (1, _arm),
        0x02: (0, _word("emergency")), 0x03: (0, _word("fire")), 0x04: (0, _word("panic")),
    },
}  # fmt: skip
# In this order a person chooses among them; it is part of what is stored.
_WORDS: dict[int, tuple[str, ...]] = {
    ON_OFF: ("off", "on", "toggle"),
    LEVEL: ("brighter", "darker", "brightening", "darkening", "stop", "level"),
    COLOUR: (
        "warmer", "colder", "warming", "cooling", "next colour", "previous colour",
        "colours forward", "colours back", "stop", "colour", "white",
    ),
    SCENES: (*(f"scene {number}" for number in range(SCENES_NAMED)), "another scene"),
    COVERING: ("open", "close", "stop", "position", "tilt"),
    PANEL: ("disarm", "arm home", "arm night", "arm all", "emergency", "fire", "panic"),
}  # fmt: skip
SENT = frozenset(_WORDS)


def answer_of_panel(frame: zcl.Zcl) -> zcl.Zcl | None:
    """What a keypad is told that asks for a mode (ZCL, 8.3.2.3.1): that mode, or that
    its code is wrong."""
    if frame.command or not frame.payload:
        return None
    mode = frame.payload[0] if _arm(frame.payload) is not None else _WRONG_CODE
    return zcl.Zcl(
        frame.sequence,
        0x00,
        bytes((mode,)),
        cluster_command=True,
        from_server=True,
        no_default_response=True,
    )


@dataclass(frozen=True, slots=True)
class Remote:
    """One endpoint that sends commands: what can happen there. `plain` are the clusters
    whose commands have their usual words, `given` what a profile says instead."""

    endpoint: int
    plain: tuple[int, ...]
    given: tuple[GivenPress, ...] = ()

    @property
    def words(self) -> tuple[str, ...]:
        """All that can happen, each once."""
        usual = (word for cluster in self.plain for word in _WORDS[cluster])
        return tuple(dict.fromkeys((*(one.word for one in self.given), *usual)))

    @property
    def clusters(self) -> tuple[int, ...]:
        """The clusters to which the hub is bound."""
        return tuple(sorted({*self.plain, *(one.cluster for one in self.given)}))

    def values(self, *, alone: bool) -> Iterable[OfferedValue]:
        """What is offered of it; with its number, unless it is `alone`."""
        number = "" if alone else f"-{self.endpoint}"
        titled = number.replace("-", " ")
        if self.words:
            kind = KINDS["press"].with_words(self.words)
            yield OfferedValue(
                *(f"button{number}", f"Button{titled}", kind.key, f"{self.endpoint}/press", ""),
                endpoint=f"{self.endpoint}",
            )
        if LEVEL in self.plain:
            yield OfferedValue(
                *(f"dial{number}", f"Dial{titled}", "turn", f"{self.endpoint}/turn", "%"),
                endpoint=f"{self.endpoint}",
            )

    def heard(self, cluster: int, frame: zcl.Zcl, now_ms: int) -> list[Resolved]:
        """What a command comes to: a press, and perhaps a turn; nothing for one that
        means nothing here. Raises CodecError."""
        pressed = self._pressed(cluster, frame)
        if pressed is None or pressed.word not in self.words:
            return []
        number = self.words.index(pressed.word)
        result = [Resolved(f"{self.endpoint}/press", "", now_ms, float(number), True)]
        if pressed.turned:
            result.append(Resolved(f"{self.endpoint}/turn", "%", now_ms, pressed.turned, True))
        return result

    def _pressed(self, cluster: int, frame: zcl.Zcl) -> Pressed | None:
        for one in self.given:
            if (one.cluster, one.command) == (cluster, frame.command) and (
                frame.payload.startswith(one.begins)
            ):
                return Pressed(one.word)
        if cluster not in self.plain or frame.manufacturer:
            return None
        least, read = _COMMANDS[cluster].get(frame.command, (0, None))
        if read is None:
            return None
        if len(frame.payload) < least:
            raise CodecError(f"command {frame.command:02X} ends within its first values")
        return read(frame.payload)


def remotes(
    outputs: Mapping[int, Sequence[int]], given: Sequence[GivenPress] = ()
) -> dict[int, Remote]:
    """The endpoints that send commands, by number. Where a profile gives words to a
    cluster, its usual ones do not count."""
    result = {}
    for endpoint, clusters in sorted(outputs.items()):
        own = tuple(one for one in given if one.endpoint == endpoint)
        named = {one.cluster for one in own}
        plain = tuple(sorted(one for one in {*clusters} & SENT if one not in named))
        if own or plain:
            result[endpoint] = Remote(endpoint, plain, own)
    for endpoint in {one.endpoint for one in given} - set(result):
        own = tuple(one for one in given if one.endpoint == endpoint)
        result[endpoint] = Remote(endpoint, (), own)
    return result
