"""The co-processor's frames on the serial line: SOF, length, two command bytes, data,
and a check byte.

    FE  length  CMD0  CMD1  data (up to 250)  FCS = exclusive or of length to data

CMD0 is the type in its upper three bits and the subsystem in the lower five. The codec
knows no I/O.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

SOF = 0xFE
MAX_DATA = 250


class FrameError(Exception):
    """A frame cannot be written: its data is too long."""


class Frame(msgspec.Struct, frozen=True):
    """One frame. `command` is CMD0 and CMD1 as one number, 0x2101 for a ping."""

    command: int
    data: bytes = b""


def encode(frame: Frame) -> bytes:
    """The bytes on the line. Raises FrameError beyond 250 bytes of data."""
    length = len(frame.data)
    if length > MAX_DATA:
        raise FrameError(f"a frame holds up to {MAX_DATA} bytes, not {length}")
    body = bytes((length, frame.command >> 8, frame.command & 0xFF)) + frame.data
    return bytes((SOF,)) + body + bytes((check(body),))


def check(body: bytes) -> int:
    """The exclusive or of all bytes."""
    result = 0
    for byte in body:
        result ^= byte
    return result


class Decoder:
    """Bytes in, frames out. What is not a frame is skipped and counted; the next SOF is
    looked for behind the bad one's first byte."""

    def __init__(self) -> None:
        self._buffer = bytearray()
        self.skipped = 0

    def feed(self, data: bytes) -> Iterator[Frame]:
        """The frames that are whole now."""
        buffer = self._buffer
        buffer += data
        at, end = 0, len(buffer)
        frames = []
        while True:
            start = buffer.find(SOF, at)
            if start < 0:
                self.skipped += end - at
                at = end
                break
            self.skipped += start - at
            at = start
            if end - at < 2:
                break
            length = buffer[at + 1]
            if length > MAX_DATA:
                self.skipped += 1
                at += 1
                continue
            if end - at < length + 5:
                break
            body = bytes(buffer[at + 1 : at + 4 + length])
            if check(body) != buffer[at + 4 + length]:
                self.skipped += 1
                at += 1
                continue
            frames.append(Frame(body[1] << 8 | body[2], body[3:]))
            at += length + 5
        del buffer[:at]
        return iter(frames)

    @property
    def unfinished(self) -> bool:
        """Whether a frame has begun and not ended."""
        return bool(self._buffer)

    def give_up(self) -> Iterator[Frame]:
        """What has come of a frame will not be finished: the frames that lie behind it
        in what is here.

        A byte that only looked like an SOF would otherwise hold up all that follows
        until its length is full. All that is here is as old, so whatever is unfinished
        in it stays so.
        """
        frames: list[Frame] = []
        while self._buffer:
            del self._buffer[:1]
            self.skipped += 1
            frames += self.feed(b"")
        return iter(frames)
