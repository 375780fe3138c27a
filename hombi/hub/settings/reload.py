"""Applies changes in `hombi.toml` while the hub runs: what can be changed is
changed, what cannot is said."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Iterator

from hombi.hub.kernel import Context, Need, Part
from hombi.hub.machine.events import SettingsChanged, SettingsRefused
from hombi.hub.settings.config import FILE_NAME, Config, ConfigError, is_live, load_config
from hombi.links.base import LinkError

LOOK_EVERY_S = 2.0
AGAIN_AFTER_LOOKS = 30


async def _nothing(_: Config) -> None:
    """Nothing can be changed yet."""


class Reload(Part):
    """Watches the file. `apply` takes up what can be changed; `problem` says what is
    wrong with it as it stands, `waiting` what is set but needs a restart."""

    name = "settings"

    def __init__(self, context: Context, config: Config) -> None:
        super().__init__(context)
        self.config, self._started = config, config
        self.apply: Callable[[Config], Awaitable[None]] = _nothing
        self.problem = ""
        self.waiting: list[str] = []
        self._seen = self._look()
        self._looks, self._refused_by_link = 0, False

    async def open(self) -> None:
        self.context.tasks.watch("watching hombi.toml", self.watch)

    async def watch(self) -> None:
        """Take the file up whenever it has changed."""
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            self._looks += 1
            if (seen := self._look()) != self._seen or self._tries_again:
                self._seen = seen
                await self.take_up()

    async def take_up(self) -> None:
        """Read the file now; one with a mistake in it changes nothing."""
        try:
            new = await asyncio.to_thread(load_config, self.config.data)
            changed = new.differs_at(self.config)
            if any(is_live(table, key) for table, key in changed):
                await self.apply(new)
        except (ConfigError, LinkError) as error:
            self._refused_by_link = isinstance(error, LinkError)
            if str(error) != self.problem:
                self.problem = str(error)
                self.context.announce(SettingsRefused(problem=self.problem))
            return
        self.problem, self._refused_by_link = "", False
        self.config = new
        waiting = (at for at in new.differs_at(self._started) if not is_live(*at))
        self.waiting = [".".join(at) for at in waiting]
        if changed:
            keys = tuple(".".join(at) for at in changed)
            self.context.announce(SettingsChanged(keys=keys, waiting=tuple(self.waiting)))

    @property
    def _tries_again(self) -> bool:
        """Whether settings that a link has refused are given to it once more: what was
        in its way may be gone."""
        return self._refused_by_link and self._looks % AGAIN_AFTER_LOOKS == 0

    def _look(self) -> tuple[int, int]:
        try:
            stat = (self.config.data / FILE_NAME).stat()
        except OSError:
            return 0, 0
        return stat.st_mtime_ns, stat.st_size

    def needs(self) -> Iterator[Need]:
        if self.problem:
            yield Need("settings", f"hombi.toml has a mistake: {self.problem}", "/settings")
        elif self.waiting:
            text = (
                f"{', '.join(self.waiting)} changed in hombi.toml; the hub must be started "
                f"again for that"
            )
            yield Need("settings", text, "/settings")
