"""Commands: asking an entity to take a value, and waiting for its node to confirm that
it did."""

from __future__ import annotations

import asyncio
import math
from collections.abc import Coroutine
from dataclasses import dataclass
from enum import StrEnum
from itertools import count
from typing import Any

from hombi.core.errors import ValueTextError
from hombi.core.units import convert
from hombi.core.values import parse_value, show_span, show_value
from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity, House, Reading
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.tasks import Tasks
from hombi.hub.wanted import Wish, Wishes
from hombi.hub.writer import Writer
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
    """Sends commands through the links. It hears every reading, and takes the one with
    the wanted value as confirmation."""

    def __init__(
        self,
        house: House,
        clock: Clock,
        live: Live,
        journal: Journal,
        drivers: dict[str, Driver],
        answer_s: float,
        writer: Writer,
        tasks: Tasks,
    ) -> None:
        self._house, self._clock, self._live, self._journal = house, clock, live, journal
        self._drivers, self.answer_s, self._tasks = drivers, answer_s, tasks
        self._numbers = count(1)
        self._waiting: dict[str, list[_Waiting]] = {}
        self.wishes = Wishes(house, clock, live, writer, self._again)

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A reading came in; it may be the answer to what was asked, now or long
        ago."""
        waiting = self._waiting.get(entity.address)
        for one in waiting or ():
            if not one.answer.done() and _is(one.value, reading):
                one.answer.set_result(self._clock.now_ms())
        wish = self.wishes.get(entity.address)
        if wish is not None and not waiting and _is(wish.value, reading):
            self._fulfilled(entity, wish)

    def node_back(self, node: str) -> None:
        """A node is here again."""
        self.wishes.node_back(node)

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
        """Ask, and wait for the answer. Never raises for a node that does not answer:
        the command's state says so, and what was asked stays wanted."""
        return await self.begin(entity, value, by)

    def begin(self, entity: Entity, value: float, by: str) -> Coroutine[Any, Any, Command]:
        """As `command`; it is wanted from this moment on, and asked when the answer is
        awaited."""
        return self._carry_out(self.wishes.want(entity, value, by), entity)

    async def _carry_out(self, wish: Wish, entity: Entity) -> Command:
        value, by = wish.value, wish.by
        command = Command(next(self._numbers), entity, value, by, self._clock.now_ms())
        self._announce(command)
        command.state, command.problem = await self._ask(entity, value)
        if command.state is CommandState.CONFIRMED:
            command.answered_ms = self._clock.now_ms()
            self.wishes.done(wish)
        else:
            self.wishes.failed(wish, command.problem)
        self._announce(command)
        self._note(command)
        return command

    async def _ask(self, entity: Entity, value: float) -> tuple[CommandState, str]:
        answer: asyncio.Future[int] = asyncio.get_running_loop().create_future()
        waiting = _Waiting(value, answer)
        self._waiting.setdefault(entity.address, []).append(waiting)
        try:
            async with asyncio.timeout(self.answer_s):
                await self._send(entity, value)
                await answer
        except LinkError as error:
            return CommandState.UNREACHABLE, str(error)
        except TimeoutError:
            return (
                CommandState.UNANSWERED,
                f"{entity.node.address} did not confirm within {self.answer_s:g} s",
            )
        finally:
            waits = self._waiting[entity.address]
            waits.remove(waiting)
            if not waits:
                del self._waiting[entity.address]
        return CommandState.CONFIRMED, ""

    def _again(self, wish: Wish) -> None:
        entity = self._house.entities.get(wish.entity)
        if entity is None:
            self.wishes.done(wish)
        elif (
            self.wishes.is_current(wish) and entity.address not in self._waiting
        ):  # else it is being asked already
            self._tasks.start(self._send_again(entity, wish), name=f"{wish.entity} again")

    async def _send_again(self, entity: Entity, wish: Wish) -> None:
        state, problem = await self._ask(entity, wish.value)
        if state is CommandState.CONFIRMED:
            self._fulfilled(entity, wish)
        else:
            self.wishes.failed(wish, problem)

    def _fulfilled(self, entity: Entity, wish: Wish) -> None:
        """It was confirmed late."""
        if not self.wishes.is_current(wish):
            return
        late = show_span(self._clock.now_ms() - wish.since_ms)
        text = (
            f"{entity.address} is {show_value(wish.value, entity.kind)}, asked by {wish.by} "
            f"{late} before"
        )
        self._journal.note(
            "CommandConfirmed", text, node=entity.node.address, entity=entity.address
        )
        self.wishes.done(wish)

    async def _send(self, entity: Entity, value: float) -> None:
        binary = entity.kind.words is not None
        sent = (
            value
            if binary or not entity.kind.unit
            else convert(value, entity.kind.unit, entity.wire_unit)
        )
        await self._drivers[entity.node.link].send(
            entity.node.address, [Wanted(entity.wire_name, sent, entity.wire_unit, binary)]
        )

    def _announce(self, command: Command) -> None:
        self._live.publish("command", command_data(command))

    def _note(self, command: Command) -> None:
        entity, shown = command.entity, show_value(command.value, command.entity.kind)
        if command.state is CommandState.CONFIRMED:
            event, text = "CommandConfirmed", f"{entity.address} is {shown}, asked by {command.by}"
        else:
            event, text = (
                "CommandFailed",
                f"{entity.address} was to be {shown}, asked by {command.by}: {command.problem}",
            )
        self._journal.note(event, text, node=entity.node.address, entity=entity.address)


def _is(value: float, reading: Reading) -> bool:
    return reading.known_value is not None and math.isclose(
        value, reading.value, rel_tol=1e-3, abs_tol=1e-2
    )


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
