"""`hombi.toml` is taken up while the hub runs: what can be changed is changed, what
cannot is said."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field, fields

from hombi.hub.config import FILE_NAME, SETTINGS, Config, ConfigError, load_config
from hombi.hub.journal import Journal
from hombi.links.base import LinkError

LOOK_EVERY_S = 2.0
# Everything else needs a restart: it is bound when the hub starts.
LIVE = frozenset(
    {"house_name", "time_zone", "answer_s", *(one.field for one in SETTINGS["broker"].values())}
)
_NAMES = {
    one.field: f"{table}.{key}" for table, keys in SETTINGS.items() for key, one in keys.items()
}


@dataclass
class Reload:
    """Watches the file. `problem` says what is wrong with it as it stands, `waiting`
    what is set but needs a restart."""

    config: Config
    journal: Journal
    apply: Callable[[Config], Awaitable[None]]
    problem: str = ""
    waiting: list[str] = field(default_factory=list)
    _seen: tuple[int, int] = (0, 0)

    def __post_init__(self) -> None:
        self._seen, self._started = self._look(), self.config

    async def watch(self) -> None:
        """Take the file up whenever it has changed."""
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            if (seen := self._look()) != self._seen:
                self._seen = seen
                await self.take_up()

    async def take_up(self) -> None:
        """Read the file now; one with a mistake in it changes nothing."""
        try:
            new = await asyncio.to_thread(load_config, self.config.data)
            changed = [
                f.name
                for f in fields(Config)
                if getattr(new, f.name) != getattr(self.config, f.name)
            ]
            if LIVE & set(changed):
                await self.apply(new)
        except (ConfigError, LinkError) as error:
            if str(error) != self.problem:
                self.problem = str(error)
                self.journal.note(
                    "SettingsRefused",
                    f"{FILE_NAME} has a mistake, and nothing of it was taken up: {error}",
                )
            return
        self.problem = ""
        self.config = new
        self.waiting = [
            _NAMES[f.name]
            for f in fields(Config)
            if f.name in _NAMES and self._bound_otherwise(f.name)
        ]
        if changed:
            names = ", ".join(_NAMES[name] for name in changed)
            later = (
                f"; the hub must be started again for {', '.join(self.waiting)}"
                if self.waiting
                else ""
            )
            self.journal.note("SettingsChanged", f"{FILE_NAME} was taken up: {names}{later}")

    def _bound_otherwise(self, name: str) -> bool:
        return name not in LIVE and getattr(self.config, name) != getattr(self._started, name)

    def _look(self) -> tuple[int, int]:
        try:
            stat = (self.config.data / FILE_NAME).stat()
        except OSError:
            return 0, 0
        return stat.st_mtime_ns, stat.st_size
