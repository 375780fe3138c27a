"""What a person sets of the house without an editor: its name, its time zone, where it
stands and its units. They are written into `hombi.toml`, which keeps its comments and
its order."""

from __future__ import annotations

import asyncio
import os
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError

from hombi.core.seen import units_of_house
from hombi.core.sun import Position
from hombi.hub.errors import Invalid, Refused
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.rooms.events import HouseNamed
from hombi.hub.settings.config import FILE_NAME
from hombi.hub.settings.reload import Reload


class ChangeHouse(Change[Reload, None], frozen=True):
    """Name the house, or say in which time zone and where it stands (degrees north and
    east), and in which units it sees its values. Raises Invalid, Refused where the
    environment or a mistake in the file stands in the way."""

    name: str | None = None
    time_zone: str | None = None
    units: Sequence[str] | None = None
    position: Position | None = None

    feature = Reload
    right = Right.ARRANGE

    async def do(self, feature: Reload, by: Actor) -> Done[None]:
        given = (("name", self.name), ("time_zone", self.time_zone))
        wanted: dict[str, Any] = {key: value for key, value in given if value is not None}
        if self.units is not None:
            try:
                wanted["units"] = list(units_of_house(self.units))
            except ValueError as error:
                raise Invalid(str(error)) from error
        if self.position is not None:
            wanted |= self.position._asdict()
        for key in wanted:
            if (variable := f"HOMBI_HOUSE_{key.upper()}") in os.environ:
                raise Refused(f"the environment variable {variable} sets it; change it there")
        path = feature.config.data / FILE_NAME
        before = await asyncio.to_thread(_write, path, wanted)
        await feature.take_up()
        if feature.problem:
            problem = feature.problem
            await asyncio.to_thread(path.write_text, before)
            await feature.take_up()
            raise Invalid(problem)
        return Done(None, HouseNamed(house=feature.config.house_name))


def _write(path: Path, wanted: dict[str, Any]) -> str:
    """Put these into the file's table `house`; its text of before. The file may hold
    passwords: nobody else may read the new one who could not read the old one."""
    path = path.resolve()
    try:
        before = path.read_text() if path.exists() else ""
        document = tomlkit.parse(before)
        house = document.setdefault("house", tomlkit.table())
        for key, value in wanted.items():
            house[key] = value
        fresh = path.with_suffix(".new")
        fresh.touch(0o600)
        if path.exists():
            shutil.copymode(path, fresh)
        fresh.write_text(tomlkit.dumps(document))
        fresh.replace(path)
    except (TOMLKitError, UnicodeDecodeError, TypeError) as error:
        raise Refused(f"{path} has a mistake, so the hub did not change it: {error}") from error
    except OSError as error:
        raise Refused(f"{path} cannot be written: {error.strerror or error}") from error
    return before
