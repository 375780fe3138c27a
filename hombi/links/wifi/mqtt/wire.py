"""The data types of MQTT on the wire (section 1.5): numbers, texts and binary data,
read from the front of a body."""

from __future__ import annotations

import struct

MALFORMED = 0x81


class MalformedPacket(Exception):
    """The bytes are not a packet that the standard allows; the connection must be
    closed (4.8, in MQTT 5 4.13).

    `reason` is the code that a client of MQTT 5 is told.
    """

    def __init__(self, what: str, reason: int = MALFORMED) -> None:
        super().__init__(what)
        self.reason = reason


class Body:
    """A packet's body, read from the front."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def byte(self) -> int:
        if self.at >= len(self.data):
            raise MalformedPacket("the packet ends too early")
        self.at += 1
        return self.data[self.at - 1]

    def word(self) -> int:
        return self.byte() << 8 | self.byte()

    def varint(self) -> int:
        """A variable byte integer (MQTT 5, 1.5.5)."""
        value = 0
        for count in range(4):
            byte = self.byte()
            value |= (byte & 0x7F) << (7 * count)
            if not byte & 0x80:
                if count and not byte:
                    raise MalformedPacket(
                        "a number is written longer than it must be [MQTT-1.5.5-1]"
                    )
                return value
        raise MalformedPacket("a number has more than four bytes")

    def binary(self) -> bytes:
        length = self.word()
        if self.at + length > len(self.data):
            raise MalformedPacket("the packet ends too early")
        self.at += length
        return self.data[self.at - length : self.at]

    def text(self) -> str:
        return text(self.binary())

    def packet_id(self) -> int:
        number = self.word()
        if number == 0:
            raise MalformedPacket("packet identifier 0 is not allowed [MQTT-2.3.1-1]", 0x82)
        return number

    def rest(self) -> bytes:
        """All that is left."""
        left, self.at = self.data[self.at :], len(self.data)
        return left

    @property
    def ended(self) -> bool:
        """Whether all was read."""
        return self.at >= len(self.data)

    def end(self) -> None:
        """Raises MalformedPacket when something is left."""
        if self.at != len(self.data):
            raise MalformedPacket("the packet is longer than its content")


def text(data: bytes) -> str:
    """A UTF-8 text."""
    try:
        decoded = data.decode()
    except UnicodeDecodeError as error:
        raise MalformedPacket("a text is not UTF-8 [MQTT-1.5.3-1]") from error
    if "\0" in decoded:
        raise MalformedPacket("a text holds U+0000 [MQTT-1.5.3-2]")
    return decoded


def binary(data: bytes) -> bytes:
    """Binary data with its length before it."""
    return struct.pack(">H", len(data)) + data


def string(value: str) -> bytes:
    """A text with its length before it."""
    return binary(value.encode())


def varint(value: int) -> bytes:
    """A variable byte integer; also the remaining length."""
    out = bytearray()
    while True:
        value, digit = value >> 7, value & 0x7F
        out.append(digit | (0x80 if value else 0))
        if not value:
            return bytes(out)
