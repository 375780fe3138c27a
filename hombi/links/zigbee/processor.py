"""The co-processor as something that can be asked: one request in flight, answers
awaited, everything else handed on."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections import deque
from collections.abc import AsyncIterator, Callable
from typing import Any, TypeVar

from hombi.links.zigbee.answers import parse
from hombi.links.zigbee.commands import (
    Id,
    Item,
    store_init,
    store_length,
    store_read,
    store_write,
)
from hombi.links.zigbee.errors import CodecError, Declined, NoAnswer, Unreadable
from hombi.links.zigbee.frames import Decoder, Frame, encode
from hombi.links.zigbee.serial_port import SerialPort

log = logging.getLogger(__name__)

T = TypeVar("T")
ANSWER_S = 3.0
RESET_S = 8.0
STALE_S = 0.2
CREATED = 0x09
# With these a stick says that it has no such item; with any other that it could not
# read it.
NOT_THERE = frozenset({0x02, 0x09, 0x0A})
READS, READ_AGAIN_S = 3, 0.02
ERRORS = {1: "subsystem", 2: "command", 3: "parameter", 4: "length"}


class Processor:
    """`told` gets each thing that the co-processor says by itself, parsed; `lost` why
    the line is gone."""

    def __init__(self, path: str, told: Callable[[Any], None], lost: Callable[[str], None]) -> None:
        self.path, self._told, self._gone = path, told, lost
        self._port = SerialPort(path, self._received, self._lost)
        self._decoder = Decoder()
        self._one_at_a_time = asyncio.Lock()
        self._answer: tuple[int, asyncio.Future[Frame]] | None = None
        self._awaited: deque[tuple[type, Callable[[Any], bool], asyncio.Future[Any]]] = deque()
        self._stale: asyncio.TimerHandle | None = None
        # The command whose answer has not come, 0 for none.
        self._late = 0
        self.garbled = 0

    @property
    def skipped(self) -> int:
        """Bytes on the line that were not frames."""
        return self._decoder.skipped

    async def open(self, baud: int = 115_200, answer_s: float = ANSWER_S) -> None:
        """Open the port and have the stick answer. Raises NoStick, NoAnswer."""
        self._port.open(baud)
        try:
            # Some boards wait in their loader until they hear this byte.
            self._port.write(b"\xef")
            for last in (False, True):
                try:
                    await self.request(Frame(Id.PING), answer_s)
                    return
                except NoAnswer:
                    if last:
                        raise
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Let the port go; who waits for an answer hears that there will be none."""
        self._port.close()
        self._fail("the port was closed")

    async def request(self, frame: Frame, within_s: float = ANSWER_S) -> Frame:
        """Ask, and wait for the answer. Raises NoAnswer, Declined when the stick does
        not know the command."""
        async with self._one_at_a_time:
            if self._late:
                await self._catch_up(within_s)
            try:
                return await self._exchange(frame, within_s)
            except (NoAnswer, asyncio.CancelledError):
                self._late = frame.command
                raise

    async def _catch_up(self, within_s: float) -> None:
        """An answer has not come in time, and may come yet. Answers do not say which
        question they answer, but come in the order of the questions: after the answer
        to another one, none of before can be mistaken for the next."""
        other = Id.PING if self._late != Id.PING else Id.VERSION
        with contextlib.suppress(Declined):
            await self._exchange(Frame(other), within_s)
        self._late = 0

    async def _exchange(self, frame: Frame, within_s: float) -> Frame:
        answer: asyncio.Future[Frame] = asyncio.get_running_loop().create_future()
        self._answer = (frame.command + 0x4000, answer)
        try:
            self._port.write(encode(frame))
            async with asyncio.timeout(within_s):
                return await answer
        except TimeoutError as error:
            name = Id(frame.command).name.lower().replace("_", " ")
            raise NoAnswer(f"the Zigbee stick at {self.path} does not answer ({name})") from error
        finally:
            self._answer = None

    def send(self, frame: Frame) -> None:
        """Send what has no answer of its own. Raises ZigbeeError."""
        self._port.write(encode(frame))

    async def ask(self, frame: Frame) -> Any:
        """What the answer says, parsed. Raises as `request` does, and NoAnswer for one
        that cannot be read."""
        answer = await self.request(frame)
        try:
            return parse(answer)
        except CodecError as error:
            raise NoAnswer(
                f"the Zigbee stick at {self.path} answers what cannot be understood: {error}"
            ) from error

    async def do(self, frame: Frame, *fine: int) -> int:
        """Ask for something to be done; its status. Raises Declined for one that is
        neither 0 nor among `fine`."""
        answer = await self.request(frame)
        status = answer.data[0] if answer.data else 0
        if status and status not in fine:
            raise Declined(
                f"the stick does not do "
                f"{Id(frame.command).name.lower().replace('_', ' ')}: 0x{status:02X}",
                status,
            )
        return status

    @contextlib.asynccontextmanager
    async def expect(
        self, kind: type[T], fits: Callable[[T], bool] = lambda _: True, within_s: float = ANSWER_S
    ) -> AsyncIterator[asyncio.Future[T]]:
        """A future for the next thing of this kind that fits; begun before asking, so
        that a fast answer is not missed.

        Awaiting it within the context raises NoAnswer when it does not come in time.
        """
        future: asyncio.Future[T] = asyncio.get_running_loop().create_future()
        entry = (kind, fits, future)
        self._awaited.append(entry)
        try:
            async with asyncio.timeout(within_s):
                yield future
        except TimeoutError as error:
            raise NoAnswer(f"nothing came back within {within_s:g} s") from error
        finally:
            self._awaited.remove(entry)
            future.cancel()

    async def store(self, item: Item, value: bytes) -> None:
        """Write an item of the stick's store, which is made if it is not there. Raises
        Declined, NoAnswer."""
        await self.do(store_init(item, value), CREATED)
        await self.do(store_write(item, value))

    async def stored(self, item: Item) -> bytes | None:
        """An item of the stick's store, None when the stick says that there is none.

        Raises NoAnswer, and Unreadable for one that is there, or may be, and cannot be
        read: that is not the same as nothing.
        """
        status, absent = -1, 0
        for _ in range(READS):
            answer = (await self.request(store_read(item))).data
            if len(answer) >= 2 and not answer[0] and len(answer) >= 2 + answer[1] and answer[1]:
                return answer[2 : 2 + answer[1]]
            status = answer[0] if answer else -1
            absent += status in NOT_THERE
            await asyncio.sleep(READ_AGAIN_S)
        if absent == READS and await self._length(item) == 0:
            return None
        raise Unreadable(
            f"item {item:04X} of the stick's store cannot be read (status 0x{status & 0xFF:02X})"
        )

    async def _length(self, item: Item) -> int:
        """How long an item is; 0 also from a stick that does not know the question,
        whose status must do."""
        try:
            answer = (await self.request(store_length(item))).data
        except Declined:
            return 0
        return int.from_bytes(answer[:2], "little")

    def _received(self, data: bytes) -> None:
        if self._stale is not None:
            self._stale.cancel()
            self._stale = None
        for frame in self._decoder.feed(data):
            self._take(frame)
        if self._decoder.unfinished:
            self._stale = asyncio.get_running_loop().call_later(STALE_S, self._give_up)

    def _give_up(self) -> None:
        """Half a frame has been lying here: it was none."""
        self._stale = None
        for frame in self._decoder.give_up():
            self._take(frame)

    def _take(self, frame: Frame) -> None:
        kind = frame.command >> 8 & 0xE0
        if kind == 0x60:
            self._answered(frame)
            return
        try:
            answer = parse(frame)
        except CodecError:
            self.garbled += 1
            return
        if answer is None:
            return
        for wanted, fits, future in self._awaited:
            if isinstance(answer, wanted) and not future.done() and fits(answer):
                future.set_result(answer)
                break
        try:
            self._told(answer)
        except Exception:
            # What one frame says must not take those with it that came in the same
            # breath.
            self.garbled += 1
            log.exception("a frame of the Zigbee stick is not understood: %r", frame)

    def _answered(self, frame: Frame) -> None:
        if self._answer is None or self._answer[1].done():
            return
        command, answer = self._answer
        if frame.command == command:
            answer.set_result(frame)
        elif (
            frame.command == Id.ERROR
            and len(frame.data) >= 3
            and frame.data[1] << 8 | frame.data[2] == command - 0x4000
        ):
            what = ERRORS.get(frame.data[0], f"0x{frame.data[0]:02X}")
            answer.set_exception(
                Declined(
                    f"the stick does not know the {what} of {command - 0x4000:04X}", frame.data[0]
                )
            )

    def _lost(self, why: str) -> None:
        self._fail(why)
        self._gone(why)

    def _fail(self, why: str) -> None:
        if self._stale is not None:
            self._stale.cancel()
            self._stale = None
        waiting: list[asyncio.Future[Any]] = [future for _, _, future in self._awaited]
        if self._answer is not None:
            waiting.append(self._answer[1])
        for future in waiting:
            if not future.done():
                future.set_exception(NoAnswer(f"the Zigbee stick at {self.path}: {why}"))
                future.exception()  # who does not await it any more is not told
