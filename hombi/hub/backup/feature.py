"""Backups while the hub runs: when somebody asks for one, and every night by itself."""

from __future__ import annotations

import asyncio
import shutil
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from pathlib import Path

from hombi import __version__
from hombi.core.house_time import moment_ms
from hombi.hub.backup.archive import (
    DATABASE,
    FORMAT,
    About,
    BackupError,
    counted,
    hashed,
    kept_backups,
    pack,
    proved,
    unpack,
)
from hombi.hub.backup.events import BackupFailed, BackupMade
from hombi.hub.errors import Busy
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Need, Right
from hombi.hub.machine.workspace import workspace
from hombi.hub.settings.config import Config
from hombi.links.base import Check

# What of the data folder goes with the database.
FILES = ("hombi.toml", "secret.key", "authority.pem", "https.pem")
FOLDERS = ("profiles",)
LOOK_EVERY_S, AGAIN_MS = 20.0, 3_600_000
# A backup that is older than this is spoken of.
OLD_MS = 3 * 86_400_000
PART_S = 86_400
# So much must be left on the disk when it is made.
SPARE = 200_000_000


@dataclass(frozen=True, slots=True)
class Made:
    """A backup that was made and proved."""

    path: Path
    about: About
    size: int


class Backups(Feature):
    """Makes them, one at a time, in a thread of its own."""

    name = "backups"
    pressing = 12

    def __init__(self, context: Context, config: Config) -> None:
        super().__init__(context)
        self.config = config
        self._turn = asyncio.Lock()
        self.last_ms, self.problem = 0, ""

    @property
    def folder(self) -> Path:
        """Where those of the night are."""
        own = self.config.backup.folder
        return Path(own) if own else self.config.data / "backups"

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.config = new

    async def open(self) -> None:
        self.last_ms = await asyncio.to_thread(self._newest)
        self.context.tasks.watch("the night's backup", self._watch)

    def _newest(self) -> int:
        try:
            made = [round(backup.stat().st_mtime * 1000) for backup in kept_backups(self.folder)]
            return max(made, default=0)
        except OSError:
            return 0

    async def _watch(self) -> None:
        """In short steps: the clock may be set, and the time of the backup changed."""
        asked, due = self.config.backup.at, self._next()
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            settings, now = self.config.backup, self.context.clock.now_ms()
            if not settings.on or settings.at != asked:
                asked, due = settings.at, self._next()
            elif now >= due:
                due = self._next() if await self.nightly() else now + AGAIN_MS

    def _next(self) -> int:
        config = self.config
        return next_ms(self.context.clock.now_ms(), config.backup.at, config.zone)

    async def nightly(self) -> bool:
        """Make the night's, and let go of those that are too many; whether it was
        made."""
        stamp = datetime.fromtimestamp(self.context.clock.now_ms() / 1000, self.config.zone)
        path = self.folder / f"hombi-{stamp:%Y-%m-%d-%H%M}.backup"
        try:
            made = await self.make(path, self.config.backup.passphrase)
        except (BackupError, Busy) as error:
            self.problem = str(error)
            self.context.announce(BackupFailed(problem=self.problem))
            return False
        self.problem, self.last_ms = "", self.context.clock.now_ms()
        self.context.announce(BackupMade(path=str(path), size=made.size))
        await asyncio.to_thread(self._let_go)
        return True

    def _let_go(self) -> None:
        for old in kept_backups(self.folder)[: -self.config.backup.keep]:
            old.unlink(missing_ok=True)
        for part in self.folder.glob(".hombi-*.part"):  # of a hub that was killed
            if time.time() - part.stat().st_mtime > PART_S:
                part.unlink(missing_ok=True)

    async def make(self, path: Path, passphrase: str = "") -> Made:
        """Make one at this path, and prove it by opening it. Raises BackupError."""
        async with self._turn:
            return await asyncio.to_thread(self._make, path, passphrase)

    def _make(self, path: Path, passphrase: str) -> Made:
        data = self.config.data
        if path.parent == data / "backups":
            path.parent.mkdir(mode=0o700, exist_ok=True)
        if not path.parent.is_dir():
            raise BackupError(f"there is no folder {path.parent}; is the share mounted?")
        size = (data / DATABASE).stat().st_size if (data / DATABASE).exists() else 0
        for place in {data, path.parent}:
            if shutil.disk_usage(place).free < size + SPARE:
                raise BackupError(f"there is not enough room at {place} for a backup")
        # Beside the database: it is on the same disk, and nobody else may read there.
        with workspace(data, "backup") as folder:
            copy = folder / DATABASE
            self.context.records.copy_to(copy)
            if wrong := proved(copy):
                raise BackupError(f"the database is damaged ({wrong}); `hombi doctor` says more")
            counts, nodes = counted(copy)
            files = {DATABASE: copy, **_beside(data, folder)}
            held = tuple(hashed(name, one) for name, one in files.items())
            about = About(
                FORMAT, __version__, self.config.house_name, self.context.clock.now_ms(),
                counts, nodes, held,
            )  # fmt: skip
            pack(path, about, files, passphrase)
        try:
            unpack(path, passphrase)
        except BackupError:
            path.unlink(missing_ok=True)
            raise
        return Made(path, about, path.stat().st_size)

    def needs(self) -> Iterator[Need]:
        if self.problem:
            yield Need("backup", f"there is no new backup: {self.problem}", "/settings#doctor")

    def checks(self) -> list[Check]:
        """How the backups are."""
        if not self.config.backup.on:
            advice = "set backup.use = true in hombi.toml, or run `hombi backup FILE` now and then"
            return [Check("backup", "warning", "switched off", advice)]
        if self.problem:
            return [Check("backup", "fault", self.problem, "set backup.folder in hombi.toml")]
        if not self.last_ms:
            return [Check("backup", "ok", f"the first is made tonight, at {self.folder}")]
        made = datetime.fromtimestamp(self.last_ms / 1000, self.config.zone)
        old = self.context.clock.now_ms() - self.last_ms > OLD_MS
        text = f"the last was made and proved on {made:%d %B %Y %H:%M}, at {self.folder}"
        advice = "see why none was made since: `hombi journal`" if old else ""
        if not old and self.folder.is_relative_to(self.config.data):
            advice = "it is on the same disk as the house; backup.folder names another"
        return [Check("backup", "warning" if old else "ok", text, advice)]


def _beside(data: Path, into: Path) -> dict[str, Path]:
    """Copies of what goes with the database, by its name in the backup: a file may be
    changed while the backup is made."""
    within = [path for folder in FOLDERS for path in sorted((data / folder).rglob("*"))]
    result = {}
    for path in (*(data / name for name in FILES), *within):
        if path.is_file():
            name = path.relative_to(data)
            (into / name).parent.mkdir(parents=True, exist_ok=True)
            result[str(name)] = Path(shutil.copyfile(path, into / name))
    return result


def next_ms(now_ms: int, minutes: int, zone: tzinfo) -> int:
    """When it is so many minutes after midnight the next time."""
    day = datetime.fromtimestamp(now_ms / 1000, UTC).astimezone(zone).date()
    today = moment_ms(day, minutes, zone)
    return today if today > now_ms else moment_ms(day + timedelta(days=1), minutes, zone)


class MakeBackup(Change[Backups, Made], frozen=True):
    """Make a backup at a path, sealed with a passphrase if one is given. Raises
    Busy."""

    path: Path
    passphrase: str = ""

    feature = Backups
    right = Right.KEEP

    async def do(self, feature: Backups, by: Actor) -> Done[Made]:
        try:
            made = await feature.make(self.path, self.passphrase)
        except BackupError as error:
            raise Busy(str(error)) from error
        return Done(made, BackupMade(path="", size=made.size))
