"""A word with a node: ZCL frames sent and confirmed, and answers to what was asked."""

from __future__ import annotations

import asyncio
import contextlib
import random
from collections.abc import Awaitable, Callable, Coroutine, Sequence
from typing import Any, TypeVar

from hombi.links.base import LinkError, Unreachable
from hombi.links.zigbee import commands, zcl
from hombi.links.zigbee.commands import Address, Confirm, Incoming, data_request
from hombi.links.zigbee.errors import (
    CodecError,
    Declined,
    NoAnswer,
    NotDelivered,
    Refused,
    ZigbeeError,
)
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.processor import Processor
from hombi.links.zigbee.slots import Slots

T = TypeVar("T")

MAX_REPLIES = 64
MOST_DISCOVERED = 64
CONFIRM_S = 10.0
# A node that sleeps fetches what waits for it within 7.68 s (3.6.1.8); then its answer
# has to come.
ANSWER_S = 10.0
# How long a frame is tried again: within the time that a command has.
SEND_S = 4.0
LONGEST_PAUSE_S = 0.6
LATE_S = 1.0
_ANSWERS = {
    zcl.Command.READ_RESPONSE,
    zcl.Command.WRITE_RESPONSE,
    zcl.Command.CONFIGURE_REPORTING_RESPONSE,
    zcl.Command.DEFAULT_RESPONSE,
    zcl.Command.DISCOVER_RESPONSE,
}


class Radio:
    """What is said to nodes through one processor."""

    def __init__(self, processor: Processor) -> None:
        self._processor = processor
        self._slots = Slots()
        self._transaction, self._sequence = 0, 0
        self._confirms: dict[int, asyncio.Future[Confirm]] = {}
        self._answers: dict[tuple[int, int], asyncio.Future[zcl.Zcl]] = {}
        self._replies: set[asyncio.Task[None]] = set()
        # Questions to a node's network layer that got no answer.
        self._unanswered: dict[tuple[type[Any], int], Frame] = {}

    async def send(self, short: int, endpoint: int, cluster: int, frame: zcl.Zcl) -> None:
        """Send, and wait until the node's radio has it. Raises Unreachable, in
        words."""
        data = zcl.encode(frame)
        await self._insist(short, lambda: self._delivered(short, endpoint, cluster, data))

    async def _insist(self, short: int, attempt: Callable[[], Awaitable[T]]) -> T:
        """Try something with a node; what may go well a moment later is tried again
        within `SEND_S`. Raises Unreachable, in words."""
        loop = asyncio.get_running_loop()
        ends_s = loop.time() + SEND_S
        longer = 1.0
        while True:
            async with self._slots.slot(short):
                begun_s = loop.time()
                refusal: NotDelivered | None = None
                try:
                    return await attempt()
                except NotDelivered as error:
                    refusal = error
                finally:
                    # A stick that is full says nothing about the node.
                    if refusal is None or refusal.status not in commands.FULL:
                        took_s = loop.time() - begun_s
                        self._slots.went(short, arrived=refusal is None, took_s=took_s)
            left_s = ends_s - loop.time()
            pause_s = commands.AGAIN_S.get(refusal.status, 0.0)
            if not pause_s or left_s <= 0:
                raise Unreachable(str(refusal)) from refusal
            if refusal.status in commands.FULL:
                # The more it has to send, the longer it is left alone; but a place may
                # become free at any moment.
                pause_s = min(pause_s * longer * random.uniform(0.7, 1.0), LONGEST_PAUSE_S)  # noqa: S311 - so that those who wait do not all come back at once
                longer *= 1.5
            await asyncio.sleep(min(pause_s, left_s))

    async def _delivered(self, short: int, endpoint: int, cluster: int, data: bytes) -> None:
        """Send once. Raises NotDelivered."""
        self._transaction = self._transaction % 255 + 1
        number = self._transaction
        confirm: asyncio.Future[Confirm] = asyncio.get_running_loop().create_future()
        self._confirms[number] = confirm
        try:
            await self._processor.do(data_request(short, endpoint, cluster, number, data))
            async with asyncio.timeout(CONFIRM_S):
                status = (await confirm).status
        except TimeoutError as error:
            raise NotDelivered("the stick does not say whether it arrived") from error
        except Declined as error:
            why = f"the stick does not send it ({commands.status_words(error.status)})"
            raise NotDelivered(why, error.status) from error
        except ZigbeeError as error:
            raise NotDelivered(f"the stick does not send it ({error})") from error
        finally:
            self._confirms.pop(number, None)
        if status:
            raise NotDelivered(commands.status_words(status), status)

    def reply(self, incoming: Incoming, frame: zcl.Zcl) -> None:
        """Answer a node's frame in the background; an answer that is lost is asked for
        again by the node."""
        if len(self._replies) < MAX_REPLIES:
            sending = self.send(incoming.source, incoming.endpoint, incoming.cluster, frame)
            task = asyncio.get_running_loop().create_task(_quietly(sending))
            self._replies.add(task)
            task.add_done_callback(self._replies.discard)

    def next_sequence(self) -> int:
        """A sequence number for a ZCL frame."""
        self._sequence = self._sequence % 255 + 1
        return self._sequence

    async def ask(
        self,
        short: int,
        endpoint: int,
        cluster: int,
        command: int,
        payload: bytes = b"",
        maker: int = 0,
    ) -> zcl.Zcl:
        """Send a command and await the node's answer. Raises Unreachable, NoAnswer."""
        sequence = self.next_sequence()
        answer: asyncio.Future[zcl.Zcl] = asyncio.get_running_loop().create_future()
        self._answers[short, sequence] = answer
        try:
            await self.send(
                short, endpoint, cluster, zcl.Zcl(sequence, command, payload, manufacturer=maker)
            )
            async with asyncio.timeout(ANSWER_S):
                return await answer
        except TimeoutError as error:
            raise NoAnswer("it does not answer what it is asked") from error
        finally:
            self._answers.pop((short, sequence), None)

    async def read(
        self, short: int, endpoint: int, cluster: int, attributes: Sequence[int], maker: int = 0
    ) -> list[zcl.Attribute]:
        """Attributes of a node; those that it does not have come with their status.
        Raises Unreachable, NoAnswer."""
        result: list[zcl.Attribute] = []
        for at in range(
            0, len(attributes), 4
        ):  # more than a few do not fit into one frame of the radio
            answer = await self.ask(
                short,
                endpoint,
                cluster,
                zcl.Command.READ,
                zcl.read(attributes[at : at + 4]),
                maker=maker,
            )
            if answer.command == zcl.Command.READ_RESPONSE:
                result += _parsed(zcl.parse_read_response, answer)
        return result

    async def discover(self, short: int, endpoint: int, cluster: int) -> list[int]:
        """The attributes of a cluster that a node says it has. Raises Unreachable,
        NoAnswer."""
        numbers: list[int] = []
        first = 0
        while len(numbers) < MOST_DISCOVERED:
            content = zcl.discover(first, 16)
            answer = await self.ask(short, endpoint, cluster, zcl.Command.DISCOVER, content)
            if answer.command != zcl.Command.DISCOVER_RESPONSE:
                break
            complete, some = _parsed(zcl.parse_discovered, answer)
            numbers += [number for number, _ in some]
            if complete or not some or some[-1][0] < first or some[-1][0] == 0xFFFF:
                break
            first = some[-1][0] + 1
        return numbers

    async def write(
        self, short: int, endpoint: int, cluster: int, attribute: zcl.Attribute, maker: int = 0
    ) -> None:
        """Write one attribute. Raises Unreachable, NoAnswer, Refused."""
        answer = await self.ask(
            short, endpoint, cluster, zcl.Command.WRITE, zcl.write([attribute]), maker=maker
        )
        refused = (
            _parsed(zcl.parse_statuses, answer)
            if answer.command == zcl.Command.WRITE_RESPONSE
            else _default(answer)
        )
        if refused:
            raise Refused(f"it refuses: {zcl.said(next(iter(refused.values())))}")

    async def configure(
        self,
        short: int,
        endpoint: int,
        cluster: int,
        reports: Sequence[zcl.Reporting],
        maker: int = 0,
    ) -> dict[int, int]:
        """Agree on reports; what the node does not do, by attribute. Raises
        Unreachable, NoAnswer."""
        payload = zcl.configure(reports)
        answer = await self.ask(
            short, endpoint, cluster, zcl.Command.CONFIGURE_REPORTING, payload, maker=maker
        )
        if answer.command != zcl.Command.CONFIGURE_REPORTING_RESPONSE:
            return {report.attribute: zcl.Status.UNSUPPORTED_COMMAND for report in reports}
        try:
            refused = zcl.parse_statuses(answer.payload, with_direction=True)
            return (
                refused
                if zcl.EVERY not in refused
                else {report.attribute: refused[zcl.EVERY] for report in reports}
            )
        except CodecError:
            return {report.attribute: zcl.Status.FAILURE for report in reports}

    async def network(
        self,
        frame: Frame,
        kind: type[Any],
        short: int,
        within_s: float = ANSWER_S,
        fits: Callable[[Any], bool] = lambda _: True,
    ) -> Any:
        """Ask a node's network layer; its answer. Raises Unreachable, NoAnswer."""
        question = kind, short

        def answers(said: Any) -> bool:
            return bool(said.source == short and fits(said))

        late = self._unanswered.pop(question, frame) != frame
        try:
            first = await self._question(short, frame, kind, answers, within_s)
        except NoAnswer:
            self._unanswered[question] = frame
            raise
        if late:
            # These answers do not say what they answer (2.4.4): what came may be the
            # late answer to the question before, and then its own comes soon.
            with contextlib.suppress(NoAnswer):
                async with self._processor.expect(kind, answers, LATE_S) as answer:
                    return await answer
        return first

    async def whereabouts(
        self, frame: Frame, short: int, fits: Callable[[Address], bool], within_s: float
    ) -> Address:
        """Ask a node who it is, or all where one is. Raises Unreachable, NoAnswer."""
        return await self._question(short, frame, Address, fits, within_s)

    async def _question(
        self,
        short: int,
        frame: Frame,
        kind: type[T],
        fits: Callable[[T], bool],
        within_s: float,
    ) -> T:
        async def attempt() -> T:
            async with self._processor.expect(kind, fits, within_s) as answer:
                try:
                    await self._processor.do(frame)
                except Declined as error:
                    words = commands.status_words(error.status)
                    raise NotDelivered(words, error.status) from error
                return await answer

        return await self._insist(short, attempt)

    def confirmed(self, confirm: Confirm) -> None:
        """The stick says what became of something sent."""
        waiting = self._confirms.get(confirm.transaction)
        if waiting is not None and not waiting.done():
            waiting.set_result(confirm)

    def answered(self, source: int, frame: zcl.Zcl) -> None:
        """A node sent something that may be an answer."""
        waiting = self._answers.get((source, frame.sequence))
        if (
            waiting is not None
            and not waiting.done()
            and not frame.cluster_command
            and frame.command in _ANSWERS
        ):
            waiting.set_result(frame)


async def _quietly(sending: Coroutine[Any, Any, None]) -> None:
    with contextlib.suppress(LinkError):
        await sending


def _default(answer: zcl.Zcl) -> dict[int, int]:
    status = answer.payload[1] if len(answer.payload) > 1 else 0
    return {0: status} if status else {}


def _parsed(parser: Any, answer: zcl.Zcl) -> Any:
    try:
        return parser(answer.payload)
    except CodecError as error:
        raise ZigbeeError(f"it answers what cannot be understood: {error}") from error
