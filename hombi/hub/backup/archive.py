"""A backup's file: the whole house in one, as a compressed tar archive, sealed if a
passphrase is given.

`about.json` comes first and says what is in it; each other file is listed there with
its size and SHA-256, so that a check finds what was damaged.
"""

from __future__ import annotations

import contextlib
import gzip
import hashlib
import io
import os
import sqlite3
import tarfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO, cast

import msgspec

from hombi.hub.backup.sealed import MAGIC, SealedReader, SealedWriter, WrongPassphrase

ABOUT, DATABASE = "about.json", "hub.sqlite3"
FORMAT = 1
# The first level of compression takes a third of the time of the usual one.
LEVEL = 1
BLOCK, LARGE = 1 << 20, 1 << 30


class BackupError(Exception):
    """A backup cannot be made or used; the message says why and what to do."""


class Held(msgspec.Struct, frozen=True):
    """One file in a backup; its size in bytes."""

    name: str
    size: int
    sha256: str


class About(msgspec.Struct, frozen=True):
    """What is in a backup: of which house, made when (ms since 1970) and by which
    version, how much of what."""

    format: int
    version: str
    house: str
    made_ms: int
    counts: dict[str, int]
    nodes: dict[str, int]
    files: tuple[Held, ...]


# What the parts of a file that was changed may raise.
_DAMAGED = (
    OSError, EOFError, zlib.error, tarfile.TarError, msgspec.MsgspecError, ValueError,
)  # fmt: skip


def hashed(name: str, path: Path) -> Held:
    """A file as a backup lists it."""
    result = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(BLOCK):
            result.update(block)
    return Held(name, path.stat().st_size, result.hexdigest())


def pack(to: Path, about: About, files: Mapping[str, Path], passphrase: str = "") -> None:
    """Write a backup: whole, or not at all. Raises BackupError."""
    part = to.with_name(f".{to.name}.part")
    try:
        part.unlink(missing_ok=True)
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out:
            with (
                _sealing(out, passphrase) as plain,
                gzip.GzipFile("", "wb", LEVEL, plain, mtime=0) as packed,
                tarfile.open(fileobj=packed, mode="w|") as tar,
            ):
                _put(tar, ABOUT, msgspec.json.encode(about))
                for file in about.files:
                    tar.add(files[file.name], file.name, recursive=False, filter=_plain)
            out.flush()
            os.fsync(out.fileno())
        part.rename(to)
    except (OSError, tarfile.TarError) as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise BackupError(f"{to} cannot be written ({error})") from error


@contextlib.contextmanager
def _sealing(out: IO[bytes], passphrase: str) -> Iterator[IO[bytes]]:
    if not passphrase:
        yield out
        return
    with SealedWriter(out, passphrase) as sealed:
        yield cast(IO[bytes], sealed)


def _plain(info: tarfile.TarInfo) -> tarfile.TarInfo:
    """Of whom a file was on this machine is nothing to another."""
    info.uid = info.gid = 0
    info.uname = info.gname = ""
    info.mode = 0o600
    return info


def _put(tar: tarfile.TarFile, name: str, content: bytes) -> None:
    info = tarfile.TarInfo(name)
    info.size, info.mode = len(content), 0o600
    tar.addfile(info, io.BytesIO(content))


def is_sealed(path: Path) -> bool:
    """Whether a backup needs a passphrase. Raises BackupError."""
    try:
        with path.open("rb") as file:
            return file.read(len(MAGIC)) == MAGIC
    except OSError as error:
        raise BackupError(f"{path} cannot be read ({error.strerror or error})") from error


def unpack(path: Path, passphrase: str = "", into: Path | None = None) -> About:
    """What is in a backup; every byte of it is read and compared. With `into`, its
    files are put into that folder. Raises BackupError."""
    try:
        with path.open("rb") as file, _opened(file, passphrase) as tar:
            about = _about(tar)
            wanted = {held.name: held for held in about.files}
            while (entry := tar.next()) is not None:
                held = wanted.pop(entry.name, None)
                if held is None or not entry.isreg() or entry.size != held.size:
                    raise BackupError(f"{path} holds {entry.name!r}, which it does not list")
                _take(path, tar, entry, held, into)
            if wanted:
                raise BackupError(f"{path} lacks {', '.join(sorted(wanted))}")
            return about
    except WrongPassphrase as error:
        raise BackupError(f"{path} cannot be opened: {error}") from error
    except _DAMAGED as error:
        raise BackupError(
            f"{path} is damaged, or no backup of Hombi ({str(error) or type(error).__name__})"
        ) from error


class _Bounded(tarfile.TarInfo):
    """An entry whose extended headers are small. tarfile reads them into memory whole,
    however long they say that they are; ours have a name of some letters."""

    LONGEST = 64 * 1024
    _EXTENDED = frozenset({
        tarfile.XHDTYPE, tarfile.XGLTYPE, tarfile.SOLARIS_XHDTYPE, tarfile.GNUTYPE_LONGNAME,
        tarfile.GNUTYPE_LONGLINK,
    })  # fmt: skip

    def _proc_member(self, tar: tarfile.TarFile) -> tarfile.TarInfo:
        if self.type in self._EXTENDED and self.size > self.LONGEST:
            raise tarfile.ReadError(f"it has a header of {self.size} bytes")
        return cast(tarfile.TarInfo, super()._proc_member(tar))  # type: ignore[misc]


@contextlib.contextmanager
def _opened(file: IO[bytes], passphrase: str) -> Iterator[tarfile.TarFile]:
    plain: IO[bytes] = file
    if file.read(len(MAGIC)) == MAGIC:
        if not passphrase:
            raise WrongPassphrase("it is sealed with a passphrase")
        plain = io.BufferedReader(SealedReader(file, passphrase), 1 << 17)
    else:
        file.seek(0)
    with gzip.GzipFile(fileobj=plain, mode="rb") as packed:
        with tarfile.open(fileobj=packed, mode="r|", tarinfo=_Bounded) as tar:
            yield tar
        # The end of the stream holds its sums: read it, so that they are compared.
        while packed.read(BLOCK):
            pass
        while plain.read(BLOCK):
            pass


def _about(tar: tarfile.TarFile) -> About:
    first = tar.next()
    if first is None or first.name != ABOUT or first.size > BLOCK:
        raise ValueError("it does not begin with what is in it")
    content = tar.extractfile(first)
    assert content is not None
    text = content.read()
    answer = msgspec.json.decode(text)
    if not isinstance(answer, dict):
        raise ValueError("what it says of itself is not a table")
    form = answer.get("format")
    if form != FORMAT:
        raise BackupError(f"this backup has format {form}, and this Hombi reads format {FORMAT}; "
                          "restore it with a newer Hombi")  # fmt: skip
    return msgspec.json.decode(text, type=About)


def _take(
    path: Path, tar: tarfile.TarFile, entry: tarfile.TarInfo, held: Held, into: Path | None
) -> None:
    """Read one file, and put it where it belongs; its name leads nowhere else."""
    if Path(held.name).is_absolute() or ".." in Path(held.name).parts:
        raise BackupError(f"{path} holds {held.name!r}, which leads out of the folder")
    content, result = tar.extractfile(entry), hashlib.sha256()
    assert content is not None
    with contextlib.ExitStack() as stack:
        out: IO[bytes] | None = None
        if into is not None:
            target = into / held.name
            target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            fd = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            out = stack.enter_context(os.fdopen(fd, "wb"))
        while block := content.read(BLOCK):
            result.update(block)
            if out is not None:
                out.write(block)
        if out is not None:
            out.flush()
            os.fsync(out.fileno())
    if result.hexdigest() != held.sha256:
        raise BackupError(f"{path} is damaged: {held.name} is not what it was")


def proved(database: Path) -> str:
    """What is wrong with a database's file, "" when it is whole."""
    try:
        with contextlib.closing(
            sqlite3.connect(f"file:{database}?mode=ro", uri=True)
        ) as connection:
            sentence = str(connection.execute("PRAGMA quick_check(1)").fetchone()[0])
    except sqlite3.DatabaseError as error:
        return str(error)
    return "" if sentence == "ok" else sentence


def counted(database: Path) -> tuple[dict[str, int], dict[str, int]]:
    """How much of what a database holds, and its nodes by link."""
    with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
        tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}

        def count(table: str) -> int:
            if table not in tables:
                return 0
            return int(connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0])  # noqa: S608

        # Of years of readings, counting alone would take minutes.
        large = database.stat().st_size > LARGE
        counts = {
            name: count(table)
            for name, table in _COUNTED.items()
            if not (large and name == "readings")
        }
        links = connection.execute("SELECT link, count(*) FROM records_node GROUP BY link")
        return counts, {str(link): int(number) for link, number in links}


_COUNTED = {
    "rooms": "records_room",
    "nodes": "records_node",
    "entities": "records_entity",
    "readings": "records_reading",
    "automations": "records_automation",
    "people": "auth_user",
}


def kept_backups(folder: Path) -> Sequence[Path]:
    """The backups in a folder, oldest first."""
    return sorted(folder.glob("hombi-*.backup"))
