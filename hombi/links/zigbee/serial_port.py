"""A serial port on the event loop: raw, ours alone, and without a thread.

Unplugging shows as end of file, or as an I/O error; both are told once through `lost`.
"""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import os
import struct
import termios
from collections.abc import Callable
from pathlib import Path

from hombi.links.zigbee.errors import NoStick, ZigbeeError

BY_ID = Path("/dev/serial/by-id")
READ_AT_ONCE = 65_536
MAX_WAITING = 65_536
_SPEEDS = {
    speed: getattr(termios, f"B{speed}") for speed in (38400, 57600, 115200, 230400, 460800, 921600)
}


class SerialPort:
    """An open port. `received` gets what comes, `lost` why nothing will come any
    more."""

    def __init__(
        self, path: str, received: Callable[[bytes], None], lost: Callable[[str], None]
    ) -> None:
        self.path, self._received, self._lost = path, received, lost
        self._fd = -1
        self._waiting = bytearray()

    def open(self, baud: int = 115_200) -> None:
        """Open it. Raises NoStick in words for a person."""
        try:
            fd = os.open(self.path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        except FileNotFoundError as error:
            raise NoStick(f"there is no Zigbee stick at {self.path}{_found()}") from error
        except PermissionError as error:
            raise NoStick(
                f"the Zigbee stick at {self.path} may not be opened by this user; add "
                f"it to the group that owns the port"
            ) from error
        except OSError as error:
            raise NoStick(
                f"the Zigbee stick at {self.path} cannot be opened ({error.strerror})"
            ) from error
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
            _raw(fd, baud)
        except BlockingIOError as error:
            os.close(fd)
            raise NoStick(
                f"the Zigbee stick at {self.path} is in use by another program; stop that one"
            ) from error
        except (OSError, termios.error) as error:
            os.close(fd)
            raise NoStick(f"{self.path} is not a serial port ({error})") from error
        _let_run(fd)
        self._fd = fd
        asyncio.get_running_loop().add_reader(fd, self._read)

    def write(self, data: bytes) -> None:
        """Send bytes; those that the line does not take at once follow. Raises
        ZigbeeError when it takes none any more."""
        if self._fd < 0:
            raise ZigbeeError(f"{self.path} is not open")
        if self._waiting:
            if len(self._waiting) > MAX_WAITING:
                raise ZigbeeError(f"{self.path} does not take what is sent")
            self._waiting += data
            return
        sent = self._write_some(data)
        if sent < len(data) and self._fd >= 0:
            self._waiting += data[sent:]
            asyncio.get_running_loop().add_writer(self._fd, self._write_more)

    def close(self) -> None:
        """Let the port go. It may be closed twice."""
        if self._fd < 0:
            return
        loop = asyncio.get_running_loop()
        loop.remove_reader(self._fd)
        loop.remove_writer(self._fd)
        self._waiting.clear()
        os.close(self._fd)
        self._fd = -1

    def _read(self) -> None:
        try:
            data = os.read(self._fd, READ_AT_ONCE)
        except BlockingIOError:
            return
        except OSError as error:
            self._end(error.strerror or str(error))
            return
        if data:
            self._received(data)
        else:
            self._end("it was unplugged")

    def _write_some(self, data: bytes | bytearray) -> int:
        try:
            return os.write(self._fd, data)
        except BlockingIOError:
            return 0
        except OSError as error:
            self._end(error.strerror or str(error))
            return 0

    def _write_more(self) -> None:
        sent = self._write_some(self._waiting)
        del self._waiting[:sent]
        if not self._waiting and self._fd >= 0:
            asyncio.get_running_loop().remove_writer(self._fd)

    def _end(self, why: str) -> None:
        self.close()
        self._lost("it was unplugged" if why == os.strerror(5) else why)


def plugged_in() -> list[str]:
    """The serial ports that have a name of their own here."""
    return sorted(str(path) for path in BY_ID.iterdir()) if BY_ID.is_dir() else []


def _found() -> str:
    result = plugged_in()
    return f"; found {', '.join(result)}" if result else "; no other serial stick is plugged in"


def _raw(fd: int, baud: int) -> None:
    """Eight bits, no parity, nothing interpreted on the way."""
    iflag, oflag, cflag, lflag, _, _, control = termios.tcgetattr(fd)
    iflag &= ~(
        termios.IGNBRK
        | termios.BRKINT
        | termios.PARMRK
        | termios.ISTRIP
        | termios.INLCR
        | termios.IGNCR
        | termios.ICRNL
    )
    iflag &= ~(termios.IXON | termios.IXOFF)
    oflag &= ~termios.OPOST
    lflag &= ~(termios.ECHO | termios.ECHONL | termios.ICANON | termios.ISIG | termios.IEXTEN)
    cflag = (
        cflag & ~(termios.CSIZE | termios.PARENB | termios.CSTOPB)
        | termios.CS8
        | termios.CREAD
        | termios.CLOCAL
    )
    termios.tcsetattr(
        fd, termios.TCSANOW, [iflag, oflag, cflag, lflag, _SPEEDS[baud], _SPEEDS[baud], control]
    )
    termios.tcflush(fd, termios.TCIFLUSH)


def _let_run(fd: int) -> None:
    """Some sticks are held in reset, or in their loader, by DTR and RTS: both are let
    go. A pty has no such lines."""
    with contextlib.suppress(OSError):
        fcntl.ioctl(fd, termios.TIOCMBIC, struct.pack("I", termios.TIOCM_DTR | termios.TIOCM_RTS))
