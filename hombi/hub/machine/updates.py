"""That the hub is another version than before: said once, and shown for some days."""

from __future__ import annotations

from hombi import __version__
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.events import HubUpdated
from hombi.hub.machine.keeper import Keeper

SHOWN_MS = 7 * 86_400_000


class Updates(Feature):
    """Remembers which version ran here last."""

    name = "updates"

    def __init__(self, context: Context, keeper: Keeper, version: str = __version__) -> None:
        super().__init__(context)
        self._keeper, self._version = keeper, version
        self._before, self._since_ms = "", 0

    async def open(self) -> None:
        kept = self._keeper.of("updates").get("version", {})
        self._before, self._since_ms = str(kept.get("before", "")), int(kept.get("since_ms", 0))
        last = str(kept.get("version", ""))
        if last == self._version:
            return
        self._before, self._since_ms = last, self.context.clock.now_ms()
        self._keeper.keep(
            "updates/version",
            {"version": self._version, "before": last, "since_ms": self._since_ms},
        )
        if last:
            self.context.announce(HubUpdated(before=last, now=self._version))

    @property
    def lately_from(self) -> str:
        """The version of before, while the update is news; else ""."""
        news = self.context.clock.now_ms() - self._since_ms < SHOWN_MS
        return self._before if news else ""
