"""Notices spoken: by a node that takes a text."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from hombi.hub.errors import HubError
from hombi.hub.kernel import HOUSE, Change, Context
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.ports import DeliveryRecord, PhoneRecord

# What is said long after it happened frightens.
LATE_MS = 10 * 60_000


class Loudspeaker:
    """Has a node say it: the way's address is node/action, or node/action/input. `act`
    makes the change that asks a node to do something."""

    def __init__(
        self, context: Context, act: Callable[[str, str, dict[str, Any]], Change[Any, Any]]
    ) -> None:
        self._context, self._act = context, act

    async def send(self, way: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt."""
        node, _, rest = way.endpoint.partition("/")
        action, _, given = rest.partition("/")
        if self._context.clock.now_ms() - delivery.created_ms > LATE_MS:
            return Sent(Fate.TOO_LATE, "it could not be said in time")
        text = f"{delivery.title}. {delivery.text}".strip(" .")
        try:
            await self._context.changes.do(self._act(node, action, {given or "text": text}), HOUSE)
        except HubError as error:
            return Sent(Fate.LATER, f"{way.endpoint}: {error}")
        return Sent(Fate.DELIVERED)
