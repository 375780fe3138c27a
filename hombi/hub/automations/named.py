"""Values that are there once a text names them: the mean of a past, how the hub is."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable
from typing import Any

from hombi.hub.automations.events import AutomationStopped
from hombi.hub.computed.changes import FOR_TEXTS, RemoveComputed
from hombi.hub.errors import HubError
from hombi.hub.house import House
from hombi.hub.kernel import HOUSE, Change, Context


class NamedValues:
    """Has them made; `makes` gives the change for an address, None for any other."""

    def __init__(
        self, context: Context, house: House, makes: Callable[[str], Change[Any, Any] | None]
    ) -> None:
        self._context, self._house, self._makes = context, house, makes
        self._under_way: set[str] = set()

    def want(self, addresses: Iterable[str], automation: str) -> None:
        """An automation names these."""
        for address in addresses:
            if address not in self._house.entities and address not in self._under_way:
                self._under_way.add(address)
                making = self._make(address, automation)
                self._context.tasks.start(making, name="a value that is named")

    def tidy(self, named: Iterable[str]) -> None:
        """No other values than these are named any more: those that were made for texts
        alone go."""
        kept = set(named)
        for address, entity in self._house.entities.items():
            if entity.own.get(FOR_TEXTS) and address not in kept | self._under_way:
                going = self._remove(address)
                self._context.tasks.start(going, name="a value that is not named any more")

    async def _remove(self, address: str) -> None:
        # Others may be computed from it.
        with contextlib.suppress(HubError):
            await self._context.changes.do(RemoveComputed(address), HOUSE)

    async def _make(self, address: str, automation: str) -> None:
        try:
            change = self._makes(address)
            if change is not None:
                await self._context.changes.do(change, HOUSE)
        except HubError as error:
            what = f"cannot do all that it says: {error}"
            self._context.announce(AutomationStopped(automation=automation, what=what))
        finally:
            self._under_way.discard(address)
