"""Commands: asking an entity to take a value, and waiting for its node to confirm that
it did."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Coroutine, Iterator
from dataclasses import dataclass
from enum import StrEnum
from itertools import count
from typing import Any

from hombi.core.errors import ValueTextError
from hombi.core.same import answers, same
from hombi.core.series import Reading
from hombi.core.units import conversion, convert
from hombi.core.values import parse_value, show_limit, show_span, show_value
from hombi.hub.acting.events import CommandChanged, CommandConfirmed, CommandFailed, SetByHand
from hombi.hub.acting.wanted import OWNER, Wish, Wishes
from hombi.hub.errors import HubError, Invalid, Refused
from hombi.hub.house import Entity, House, Node
from hombi.hub.kernel import Actor, ActorKind, Change, Context, Done, Event, Feature, Need, Right
from hombi.hub.machine.keeper import Keeper
from hombi.hub.nodes.links import Links
from hombi.hub.readings.events import EntitiesChanged, NodeBack
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config
from hombi.links.base import LinkError, Wanted
from hombi.links.capabilities import Glides, Sends, SendsNow, able

# The state of two in which it is not; the second word is that of 0.3.
OTHER = ("other", "toggle")


# So long after a command, a node may still send values on its way.
FOLLOWS_MS = 30_000
# What is led to a value is told where it should be by now this often.
STEP_MS = 1_000
# What has a motor of its own has so much longer to be there.
MOVES_MS = {"position": 60_000, "tilt": 60_000}


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
    """What was asked of a node, and waits for its answer; `sent` says whether it is on
    its way, `failed` why not."""

    value: float
    answer: asyncio.Future[int]
    sent: bool = False
    failed: Exception | None = None
    taking_ms: int = 0
    # What the node had sent last when it was asked.
    before: float | None = None


class Actuation(Feature):
    """Sends commands through the links. It hears every reading, and takes the one with
    the wanted value as confirmation."""

    name = "actuation"
    pressing = 8

    def __init__(
        self,
        context: Context,
        house: House,
        links: Links,
        writer: Writer,
        keeper: Keeper,
        intake: Intake,
        config: Config,
    ) -> None:
        super().__init__(context)
        self.house, self._links, self._clock = house, links, context.clock
        self._keeper, self.answer_s = keeper, config.answer_s
        self._numbers = count(1)
        self._waiting: dict[str, list[_Waiting]] = {}
        # By address: what a node has sent last, and what it was asked last, and when.
        self._last: dict[str, float] = {}
        self._commanded: dict[str, tuple[float, int]] = {}
        # Who takes a value that no node has, by its kind.
        self.takes: dict[str, Callable[[Entity, float], Awaitable[None]]] = {}
        self.wishes = Wishes(context, house, writer, self._again)
        intake.hear(self)
        context.hear(NodeBack, lambda event: self.wishes.node_back(event.node))
        context.hear(EntitiesChanged, lambda _: self.wishes.house_changed())

    async def open(self) -> None:
        self.wishes.load(self._keeper.of(OWNER))

    async def close(self) -> None:
        self.wishes.close()

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.answer_s = new.answer_s

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A reading came in; it may be the answer to what was asked, now or long
        ago."""
        if not entity.writable:
            return
        waiting = self._waiting.get(entity.address)
        for one in waiting or ():
            if not one.answer.done() and _answers(entity, one.value, one.before, reading):
                one.answer.set_result(self._clock.now_ms())
        wish = self.wishes.get(entity.address)
        if wish is not None and not waiting and _answers(entity, wish.value, wish.before, reading):
            self._fulfilled(entity, wish)
        self._look_for_hands(entity, reading, asked=wish is not None or bool(waiting))

    def _look_for_hands(self, entity: Entity, reading: Reading, *, asked: bool) -> None:
        """A value that nobody asked for over the hub was set at the node."""
        if reading.value is None:
            return
        before, self._last[entity.address] = self._last.get(entity.address), reading.value
        wanted, at_ms = self._commanded.get(entity.address, (None, 0))
        late = self._clock.now_ms() - at_ms > FOLLOWS_MS
        if asked or before is None or same(before, reading.value, entity.step):
            return
        if late or wanted is None or not same(wanted, reading.value, entity.step):
            self.context.announce(
                SetByHand(
                    node=entity.address.partition("/")[0],
                    entity=entity.address,
                    by="",
                )
            )

    def by_hand(self, entity: Entity, by: Actor) -> None:
        """A person asks for something, who may be a person or not."""
        if by.kind is ActorKind.PERSON:
            node = entity.address.partition("/")[0]
            self.context.announce(SetByHand(node=node, entity=entity.address, by=str(by)))

    def check(self, address: str, text: str) -> tuple[Entity, float]:
        """What a command written by a person means. Raises NotFound, Invalid."""
        entity = self.house.entity(address)
        if not entity.writable:
            raise Invalid(f"{address} is read-only; it cannot be set")
        if text.strip().lower() in OTHER and entity.kind.two_states:
            return entity, self.other(entity)
        try:
            value = parse_value(text, entity.kind, bare=True)
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        # A limit of the node's own may be off by what its conversion rounds.
        within = entity.low <= value <= entity.high
        if not (within or same(value, entity.low) or same(value, entity.high)):
            kind = self.house.seen(entity)
            takes = f"{show_limit(entity.low, kind)} to {show_limit(entity.high, kind)}"
            raise Invalid(f"{address} takes {takes}, not {text.strip()}")
        return entity, value

    def present(self, entity: Entity) -> float:
        """The value of an entity; one that was asked for, and is not there yet, counts
        as there. Raises Invalid where none is known."""
        wish = self.wishes.get(entity.address)
        if wish is not None:
            return wish.value
        if entity.latest is None or entity.latest.value is None:
            states = entity.kind.two_states
            what, instead = ("state", "on or off") if states else ("value", "what it is to be")
            raise Invalid(f"{entity.address} has not told its {what} yet; say {instead}")
        return entity.latest.value

    def other(self, entity: Entity) -> float:
        """The state in which an entity of two states is not. Raises Invalid where none
        is known."""
        return 1.0 - self.present(entity)

    def begin(
        self, entity: Entity, value: float, by: str, *, at_once: bool = True, taking_ms: int = 0
    ) -> Coroutine[Any, Any, Command]:
        """Ask, and wait for the answer. It is wanted from this moment on. With
        `at_once` it is on its way too, where its link can do that; else it is sent when
        the answer is awaited. It goes there slowly, within `taking_ms`.

        Never raises for a node that does not answer: the command's state says so, and
        what was asked stays wanted.
        """
        self._commanded[entity.address] = (value, self._clock.now_ms())
        wish = self.wishes.want(entity, value, by, taking_ms + _moves_ms(entity))
        command = Command(next(self._numbers), entity, value, by, self._clock.now_ms())
        waiting = self._asked(entity, value, at_once=at_once, taking_ms=taking_ms)
        self._announce(command)
        return self._carry_out(command, wish, waiting)

    async def _carry_out(self, command: Command, wish: Wish, waiting: _Waiting) -> Command:
        command.state, command.problem = await self._answered(command.entity, waiting)
        if command.state is CommandState.CONFIRMED:
            command.answered_ms = self._clock.now_ms()
            self.wishes.done(wish)
        else:
            self.wishes.failed(wish, command.problem)
        self._announce(command)
        return command

    def _asked(
        self, entity: Entity, value: float, *, at_once: bool = True, taking_ms: int = 0
    ) -> _Waiting:
        """Wait for the answer of a node, and send it what it is asked, if that can be
        done at once."""
        future = asyncio.get_running_loop().create_future()
        latest = entity.latest
        sent = None if latest is None else latest.sent
        waiting = _Waiting(value, future, taking_ms=taking_ms, before=sent)
        before = self._waiting.setdefault(entity.address, [])
        for one in before:
            if one.taking_ms and not one.answer.done():  # it would be waited for in vain
                one.answer.set_exception(Refused("something else was asked of it meanwhile"))
        before.append(waiting)
        if at_once and not taking_ms and entity.node is not None:
            try:
                waiting.sent = self._send_now(entity.node, entity, value)
            except Exception as error:  # noqa: BLE001 - it is told when the answer is awaited
                waiting.failed = error
        return waiting

    async def _answered(self, entity: Entity, waiting: _Waiting) -> tuple[CommandState, str]:
        try:
            return await self._answer(entity, waiting)
        finally:
            if waiting.answer.done() and not waiting.answer.cancelled():
                waiting.answer.exception()  # it is known, if nobody waited for it
            waits = self._waiting[entity.address]
            waits.remove(waiting)
            if not waits:
                del self._waiting[entity.address]

    async def _answer(self, entity: Entity, waiting: _Waiting) -> tuple[CommandState, str]:
        node, value = entity.node, waiting.value
        if node is None:
            takes = self.takes.get(entity.kind.name)
            if takes is None:
                return CommandState.UNREACHABLE, f"{entity.address} has no node that could do it"
            try:
                await takes(entity, value)
            except HubError as error:
                return CommandState.UNANSWERED, str(error)
            return CommandState.CONFIRMED, ""
        try:
            if waiting.failed is not None:
                raise waiting.failed
            if waiting.taking_ms and not self._glides(node, entity):
                await self._lead(node, entity, waiting)
                waiting.taking_ms = 0
            async with asyncio.timeout(self._patience_s(entity, waiting)):
                if not (waiting.sent or waiting.answer.done()):
                    driver, wanted = self._sender(node, entity, value, waiting.taking_ms)
                    await driver.send(node.address, [wanted])
                await waiting.answer
        except (LinkError, HubError) as error:
            return CommandState.UNREACHABLE, str(error)
        except TimeoutError:
            within_s = self._patience_s(entity, waiting)
            problem = f"{node.address} did not confirm within {within_s:g} s"
            return CommandState.UNANSWERED, problem
        except Exception as error:  # noqa: BLE001 - a driver's mistake is its own
            self.context.tasks.failed(f"sending to {node.address}", error)
            return CommandState.UNREACHABLE, f"{node.link} could not send it: {error}"
        return CommandState.CONFIRMED, ""

    def _patience_s(self, entity: Entity, waiting: _Waiting) -> float:
        """How long a node has to be what it was asked to be."""
        return self.answer_s + (waiting.taking_ms + _moves_ms(entity)) / 1000

    def _again(self, wish: Wish) -> None:
        entity = self.house.entities.get(wish.entity)
        if entity is None:
            self.wishes.done(wish)
        elif self.wishes.is_current(wish) and entity.address not in self._waiting:
            # Else it is being asked already.
            again = self._send_again(entity, wish)
            self.context.tasks.start(again, name=f"{wish.entity} again")

    async def _send_again(self, entity: Entity, wish: Wish) -> None:
        if entity.address in self._waiting:
            return  # it was begun twice in one turn: the node came back, and subscribed
        state, problem = await self._answered(entity, self._asked(entity, wish.value))
        if state is CommandState.CONFIRMED:
            self._fulfilled(entity, wish)
        else:
            self.wishes.failed(wish, problem)

    def _fulfilled(self, entity: Entity, wish: Wish) -> None:
        """It was confirmed late."""
        if not self.wishes.is_current(wish):
            return
        event = CommandConfirmed(
            node=entity.address.partition("/")[0],
            entity=entity.address,
            shown=show_value(wish.value, entity.kind),
            asked_by=wish.by,
            late=show_span(self._clock.now_ms() - wish.since_ms),
        )
        self.context.announce(event)
        self.wishes.done(wish)

    def _send_now(self, node: Node, entity: Entity, value: float) -> bool:
        driver, wanted = self._sender(node, entity, value)
        return able(driver, SendsNow) and driver.send_now(node.address, [wanted])

    def _glides(self, node: Node, entity: Entity) -> bool:
        """Whether a node goes to a value slowly by itself."""
        driver = self._links.of(node)
        return able(driver, Glides) and driver.glides(node.address, entity.wire_name)

    async def _lead(self, node: Node, entity: Entity, waiting: _Waiting) -> None:
        """Lead an entity towards a value in steps; the last one is left to who asks.
        Nothing leads from a value that is not known, or a node that is away."""
        latest, step = entity.latest, STEP_MS
        if latest is None or latest.value is None:
            return
        first = sent = latest.value
        time = asyncio.get_running_loop().time
        while step < waiting.taking_ms and node.here and not waiting.answer.done():
            way = (waiting.value - first) * step / waiting.taking_ms
            value, begun_s = round(first + way, entity.kind.decimals), time()
            if value != sent:
                driver, wanted = self._sender(node, entity, value)
                async with asyncio.timeout(self.answer_s):
                    await driver.send(node.address, [wanted])
                sent = value
            # A node that was slow to take one is not made to catch up with the others.
            missed = int(1000 * (time() - begun_s)) // STEP_MS
            await self._rest()
            step += STEP_MS * (1 + missed)

    async def _rest(self) -> None:
        """Wait for a step. The clock may be set meanwhile: no moment is waited for."""
        come = asyncio.Event()
        at_ms = self._clock.now_ms() + STEP_MS
        timer = self.context.tasks.at(at_ms, come.set, "a step towards a value")
        try:
            await come.wait()
        finally:
            timer.cancel()

    def _sender(
        self, node: Node, entity: Entity, value: float, taking_ms: int = 0
    ) -> tuple[Sends, Wanted]:
        """The driver of a node, and a value as the node takes it."""
        kind, sent = entity.kind, value
        word = kind.word(value) if kind.words is not None and not kind.two_states else ""
        if kind.unit:
            sent = convert(value, entity.kind.unit, entity.wire_unit)
        driver = self._links.able(node, Sends, "nothing can be sent over it")
        return driver, Wanted(
            entity.wire_name, sent, entity.wire_unit, kind.two_states, taking_ms, word
        )

    def _announce(self, command: Command) -> None:
        event = CommandChanged(
            node=command.entity.address.partition("/")[0],
            entity=command.entity.address,
            id=command.id,
            value=command.value,
            by=command.by,
            state=command.state.value,
            problem=command.problem,
            asked_ms=command.asked_ms,
            answered_ms=command.answered_ms,
        )
        self.context.announce(event)

    def needs(self) -> Iterator[Need]:
        for entity, text in self.wishes.needs():
            yield Need("wanted", text, f"/nodes/{entity.address.partition('/')[0]}")


def _moves_ms(entity: Entity) -> int:
    """How long an entity may take to get where it is sent."""
    return MOVES_MS.get(entity.kind.name, 0)


def _answers(entity: Entity, value: float, before: float | None, reading: Reading) -> bool:
    """Whether a reading says that its node has taken this value."""
    reported = reading.sent
    if reported is None or reading.value is None:
        return False
    if entity.kind.words is not None:
        return same(value, reading.value)
    asked, step = value, entity.kind.step
    if entity.kind.unit:
        factor, addend = conversion(entity.kind.unit, entity.wire_unit)
        asked, step = value * factor + addend, step * abs(factor)
    seen = [one for one in entity.recent.values() if one is not None]
    return answers(asked, reported, before, [*seen, reported], step)


def outcome(command: Command, automation: str = "") -> Event:
    """What a command ended in; `automation` asked for it, if one did."""
    entity = command.entity
    shown, node = show_value(command.value, entity.kind), entity.address.partition("/")[0]
    if command.state is CommandState.CONFIRMED:
        return CommandConfirmed(
            node=node,
            entity=entity.address,
            automation=automation,
            shown=shown,
            asked_by=command.by,
            took_ms=(command.answered_ms or command.asked_ms) - command.asked_ms,
        )
    return CommandFailed(
        node=node,
        entity=entity.address,
        automation=automation,
        shown=shown,
        asked_by=command.by,
        problem=command.problem,
    )


class CommandEntity(Change[Actuation, Command], frozen=True):
    """Ask an entity to take a value as people write it ("on", "40 %"), and wait for its
    node."""

    entity: str
    to: str

    feature = Actuation
    right = Right.SWITCH

    async def do(self, feature: Actuation, by: Actor) -> Done[Command]:
        entity, value = feature.check(self.entity, self.to)
        feature.by_hand(entity, by)
        command = await feature.begin(entity, value, str(by))
        return Done(command, outcome(command))


class SwitchEntity(Change[Actuation, Command], frozen=True):
    """Ask an entity to take a value in its kind's unit. It is wanted from the moment at
    which the change is begun. `automation` is the address of the one that asks; without
    `at_once` what was begun before goes first; it goes there within `taking_ms`."""

    entity: Entity
    value: float
    automation: str = ""
    at_once: bool = True
    taking_ms: int = 0

    feature = Actuation
    right = Right.USE

    def do(self, feature: Actuation, by: Actor) -> Coroutine[Any, Any, Done[Command]]:
        feature.by_hand(self.entity, by)
        asking = feature.begin(
            self.entity, self.value, str(by), at_once=self.at_once, taking_ms=self.taking_ms
        )
        return self._finish(asking)

    async def _finish(self, asking: Coroutine[Any, Any, Command]) -> Done[Command]:
        command = await asking
        return Done(command, outcome(command, self.automation))
