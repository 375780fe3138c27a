"""Applies changes in `hombi.toml` while the hub runs: what can be changed is
changed, what cannot is said."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator

from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.kernel.registry import Registry
from hombi.hub.machine.events import SettingsChanged, SettingsRefused, SettingsTakenUp
from hombi.hub.settings.config import FILE_NAME, Config, ConfigError, is_live, load_config
from hombi.links.base import LinkError

LOOK_EVERY_S = 2.0
AGAIN_AFTER_LOOKS = 30


class Reload(Feature):
    """Watches the file, and gives what changed in it to the parts. `problem` says what
    is wrong with the file as it stands, `waiting` what is set but needs a restart."""

    name = "settings"
    pressing = 3

    def __init__(self, context: Context, config: Config, registry: Registry) -> None:
        super().__init__(context)
        self._registry = registry
        self.config, self._started = config, config
        # The settings that all parts have taken up.
        self._taken = config
        self.problem = ""
        self.waiting: list[str] = []
        self._seen = self._look()
        self._looks, self._not_taken = 0, False

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
        except ConfigError as error:
            self._refused(str(error))
            return
        changed, self.config = new.differs_at(self.config), new
        problem = ""
        # Where a part has not taken up what was given last, the others have: whatever
        # the file says now, all are given it.
        live = any(is_live(table, key) for table, key in changed)
        if live or self._not_taken:
            failures = await self._registry.reconfigured(new, self._taken)
            problem = "; ".join(
                str(error) if isinstance(error, LinkError) else f"{part}: {error}"
                for part, error in failures.items()
            )
            self.context.announce(SettingsTakenUp())
        self._not_taken = bool(problem)
        if problem:
            self._refused(problem)
        else:
            self.problem, self._taken = "", new
        waiting = (at for at in new.differs_at(self._started) if not is_live(*at))
        self.waiting = [".".join(at) for at in waiting]
        if changed:
            keys = tuple(".".join(at) for at in changed)
            self.context.announce(SettingsChanged(keys=keys, waiting=tuple(self.waiting)))

    def _refused(self, problem: str) -> None:
        if problem != self.problem:
            self.problem = problem
            self.context.announce(SettingsRefused(problem=problem))

    @property
    def _tries_again(self) -> bool:
        """Whether settings that a part has refused are given once more: what was in its
        way may be gone, like a port that another program had."""
        return self._not_taken and self._looks % AGAIN_AFTER_LOOKS == 0

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
