"""Putting a backup in the place of a house, or on a new machine. What was there before
is moved aside, never deleted."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from hombi import __version__
from hombi.hub.backup.archive import DATABASE, About, BackupError, proved, unpack
from hombi.hub.machine.workspace import tidy, workspace
from hombi.service.data_folder import HOUSE_FILES, before_update, holding, house_files, moved_aside
from hombi.service.table_places import keep_places

_VERSION = re.compile(r"\d+(\.\d+){1,3}\S{0,20}")


@dataclass(frozen=True, slots=True)
class Restored:
    """What is there now, and where what was there before is; None where there was
    nothing."""

    about: About
    aside: Path | None


def restore(data: Path, file: Path, passphrase: str = "") -> Restored:
    """Put all of a backup into a data folder. Nothing is changed before the whole of it
    was read and compared. Raises BackupError, DataError."""
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    with holding(data), _making(data) as folder:
        about = unpack(file, passphrase, folder)
        if not _VERSION.fullmatch(about.version):
            raise BackupError(f"{file} was made by no version of Hombi ({about.version[:40]!r})")
        for held in about.files:
            if held.name != DATABASE and held.name.partition("/")[0] not in HOUSE_FILES:
                raise BackupError(f"{file} holds {held.name[:80]!r}, which no backup has")
        if _newer(about.version):
            raise BackupError(
                f"{file} was made by Hombi {about.version}, and this is {__version__}; install "
                "that one, or a newer one"
            )
        if wrong := proved(folder / DATABASE):
            raise BackupError(f"{file} holds a damaged database ({wrong}); take another backup")
        aside = moved_aside(data, "before-restore") if house_files(data) else None
        # The database comes last: where there is one, the house around it is whole.
        for held in sorted(about.files, key=lambda one: one.name == DATABASE):
            target = data / held.name
            target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            (folder / held.name).rename(target)
        keep_places(data / DATABASE)
    os.sync()  # whoever reads that it is done may pull the plug
    return Restored(about, aside)


def restore_before_update(data: Path) -> Path:
    """Put back the database as it was before the last update of Hombi. The one that is
    there is moved aside; where it is then. Raises BackupError, DataError."""
    copy = before_update(data)
    with holding(data):
        if not copy.exists():
            raise BackupError(f"there is no copy of before an update ({copy})")
        if wrong := proved(copy):
            raise BackupError(f"the copy of before the update is damaged ({wrong})")
        # With the log beside it: SQLite would play that into the copy.
        aside = moved_aside(data, "damaged")
        copy.rename(data / DATABASE)
    os.sync()
    return aside


@contextlib.contextmanager
def _making(data: Path) -> Iterator[Path]:
    tidy(data)
    with workspace(data, "restore") as folder:
        yield folder


def _newer(version: str) -> bool:
    def parts(text: str) -> tuple[int, ...]:
        return tuple(int(one) for one in text.split(".") if one.isdigit())

    return parts(version) > parts(__version__)


def what_is_needed(about: About) -> list[str]:
    """What a person must see to on a new machine, in sentences."""
    result = []
    if about.nodes.get("zigbee"):
        result.append(
            "Zigbee: plug in the stick and set zigbee.port in hombi.toml. The stick of before goes "
            "on with its network; into another one, the kept network is put at the first start, so "
            "that no node need be paired anew. Never run both sticks at once."
        )
    if about.nodes.get("bluetooth"):
        result.append("Bluetooth: nodes are heard again by themselves; those with a bond may want "
                     "to be paired anew with another adapter.")  # fmt: skip
    if about.nodes.get("wifi"):
        result.append(
            "Wi-Fi: nodes find the hub as hombi.local. Those that were given an address need this "
            "machine to have it: give it the address of the old one in the router."
        )
    result.append("Phones and browsers go on as they are: the house's authority came with it.")
    return result
