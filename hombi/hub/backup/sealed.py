"""A stream that is sealed with a passphrase: scrypt (RFC 7914) makes the key, and
AES-256-GCM seals the stream in pieces.

Each piece has its number and whether it is the last in its nonce, so that none can be
left out, put elsewhere or cut off unnoticed (the STREAM construction of Hoang,
Reyhanitabar, Rogaway and Vizár, 2015).

```
magic  16 bytes   "Hombi sealed  1\\n"
salt   16 bytes
prefix  7 bytes   of each nonce
pieces            64 KiB of content each, 16 bytes longer when sealed
```
"""

from __future__ import annotations

import io
import os
from typing import IO

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

MAGIC = b"Hombi sealed  1\n"
SALT, PREFIX, PIECE, TAG = 16, 7, 64 * 1024, 16
# 32 MB of memory and a tenth of a second for each guess.
COST = {"n": 2**15, "r": 8, "p": 1}


class WrongPassphrase(Exception):
    """The passphrase does not open it, or the file was changed."""


def _box(passphrase: str, salt: bytes) -> AESGCM:
    return AESGCM(Scrypt(salt=salt, length=32, **COST).derive(passphrase.encode()))


class SealedWriter(io.RawIOBase):
    """Takes content, and writes it sealed. `close` writes the last piece; the stream
    beneath stays open."""

    def __init__(self, beneath: IO[bytes], passphrase: str) -> None:
        salt, self._prefix = os.urandom(SALT), os.urandom(PREFIX)
        self._box, self._beneath = _box(passphrase, salt), beneath
        self._held, self._number = bytearray(), 0
        beneath.write(MAGIC + salt + self._prefix)

    def writable(self) -> bool:
        return True

    def write(self, data: object) -> int:
        view = memoryview(data)  # type: ignore[arg-type]
        self._held += view
        # One whole piece stays: it may be the last.
        while len(self._held) > PIECE:
            self._seal(bytes(self._held[:PIECE]), last=False)
            del self._held[:PIECE]
        return len(view)

    def close(self) -> None:
        if not self.closed:
            self._seal(bytes(self._held), last=True)
            super().close()

    def _seal(self, piece: bytes, *, last: bool) -> None:
        nonce = self._prefix + self._number.to_bytes(4, "big") + bytes((last,))
        self._beneath.write(self._box.encrypt(nonce, piece, None))
        self._number += 1


class SealedReader(io.RawIOBase):
    """Gives the content of a sealed stream, which stands behind its magic. Raises
    WrongPassphrase."""

    def __init__(self, beneath: IO[bytes], passphrase: str) -> None:
        salt, self._prefix = beneath.read(SALT), beneath.read(PREFIX)
        if len(self._prefix) != PREFIX:
            raise WrongPassphrase("it ends before it has begun")
        self._box, self._beneath = _box(passphrase, salt), beneath
        self._next, self._number, self._left = beneath.read(PIECE + TAG), 0, b""

    def readable(self) -> bool:
        return True

    def readinto(self, into: object) -> int:
        if not self._left and self._next is not None:
            self._open()
        view = memoryview(into)  # type: ignore[arg-type]
        given = self._left[: len(view)]
        view[: len(given)] = given
        self._left = self._left[len(given) :]
        return len(given)

    def _open(self) -> None:
        piece, after = self._next, self._beneath.read(PIECE + TAG)
        last = not after
        nonce = self._prefix + self._number.to_bytes(4, "big") + bytes((last,))
        try:
            self._left = self._box.decrypt(nonce, piece or b"", None)
        except InvalidTag as error:
            what = "the passphrase is another" if self._number == 0 else "it is cut or damaged"
            raise WrongPassphrase(what) from error
        self._number += 1
        self._next = None if last else after  # type: ignore[assignment]
