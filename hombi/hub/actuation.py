"""Commands: asking an entity to take a value, and waiting for its node to confirm that it did."""

from __future__ import annotations

import asyncio
import math
from dataclasses import dataclass
from enum import StrEnum
from itertools import count
from typing import Any

from hombi.core.errors import ValueTextError
from hombi.core.units import convert
from hombi.core.values import parse_value, show_value
from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity, House, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.links.base import Driver, LinkError, Wanted


class CommandState(StrEnum):
    """How far a command has come."""

    ASKED = "asked"
    CONFIRMED = "confirmed"
    UNANSWERED = "unanswered"
    UNREACHABLE = "unreachable"


@dataclass(slots=True)
class Command:
    """One command. `by` is the person or the automation that asked."""

    id: int
    entity: Entity
    value: float
    by: str
    asked_ms: int
    state: CommandState = CommandState.ASKED
    problem: str = ""
    answered_ms: int = 0


@dataclass(slots=True)
class _Waiting:
    value: float
    answer: asyncio.Future[int]


class Actuation:
    """Sends commands through the links. It hears every reading, and takes the one with the wanted value as confirmation."""

    def __init__(
        self, house: House, clock: Clock, live: Live, journal: Journal, drivers: dict[str, Driver], answer_s: float
    ) -> None:
        self._house, self._clock, self._live, self._journal = house, clock, live, journal
        self._drivers, self.answer_s = drivers, answer_s
        self._numbers = count(1)
        self._waiting: dict[str, list[_Waiting]] = {}

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A reading came in; it may be the answer to what was asked."""
        waiting = self._waiting.get(entity.address)
        if not waiting:
            return
        for one in waiting:
            if not one.answer.done() and math.isclose(one.value, reading.value, rel_tol=1e-3, abs_tol=1e-2):
                one.answer.set_result(self._clock.now_ms())

    def check(self, address: str, text: str) -> tuple[Entity, float]:
        """What a command written by a person means. Raises NotFound, Invalid."""
        entity = self._house.entity(address)
        if not entity.writable:
            raise Invalid(f"{address} is only read; it cannot be set")
        if text.strip().lower() == "toggle" and entity.kind.words is not None:
            if entity.latest is None:
                raise Invalid(f"{address} has not said yet how it stands; say on or off")
            return entity, 1.0 - entity.latest.value
        try:
            value = parse_value(text, entity.kind)
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        return entity, value

    async def command(self, entity: Entity, value: float, by: str) -> Command:
        """Ask, and wait for the answer. Never raises for a node that does not answer: the command's state says so."""
        command = Command(next(self._numbers), entity, value, by, self._clock.now_ms())
        answer: asyncio.Future[int] = asyncio.get_running_loop().create_future()
        waiting = _Waiting(value, answer)
        self._waiting.setdefault(entity.address, []).append(waiting)
        self._announce(command)
        try:
            await self._send(entity, value)
            async with asyncio.timeout(self.answer_s):
                command.answered_ms = await answer
            command.state = CommandState.CONFIRMED
        except LinkError as error:
            command.state, command.problem = CommandState.UNREACHABLE, str(error)
        except TimeoutError:
            command.state = CommandState.UNANSWERED
            command.problem = f"{entity.node.address} did not confirm within {self.answer_s:g} s"
        finally:
            waits = self._waiting[entity.address]
            waits.remove(waiting)
            if not waits:
                del self._waiting[entity.address]
        self._announce(command)
        self._note(command)
        return command

    async def _send(self, entity: Entity, value: float) -> None:
        binary = entity.kind.words is not None
        sent = value if binary or not entity.kind.unit else convert(value, entity.kind.unit, entity.wire_unit)
        await self._drivers[entity.node.link].send(entity.node.address, [Wanted(entity.wire_name, sent, entity.wire_unit, binary)])

    def _announce(self, command: Command) -> None:
        self._live.publish("command", command_data(command))

    def _note(self, command: Command) -> None:
        entity, shown = command.entity, show_value(command.value, command.entity.kind)
        if command.state is CommandState.CONFIRMED:
            event, text = "CommandConfirmed", f"{entity.address} is {shown}, asked by {command.by}"
        else:
            event, text = "CommandFailed", f"{entity.address} was to be {shown}, asked by {command.by}: {command.problem}"
        self._journal.note(event, text, node=entity.node.address, entity=entity.address)


def command_data(command: Command) -> dict[str, Any]:
    """A command as programs see it."""
    return {
        "id": command.id,
        "entity": command.entity.address,
        "value": command.value,
        "by": command.by,
        "state": command.state.value,
        "problem": command.problem,
        "asked_at": command.asked_ms,
        "answered_at": command.answered_ms or None,
    }
