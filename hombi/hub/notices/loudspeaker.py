"""Notices spoken: by a node that takes a text, or plays what an address leads to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from hombi.hub.errors import HubError
from hombi.hub.house import House
from hombi.hub.kernel import HOUSE, Change, Context
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.notices.voice import Voice
from hombi.links.offer import Setting

# What is said long after it happened frightens.
LATE_MS = 10 * 60_000


class Loudspeaker:
    """Has a node say it: the contact's address is node/action, or node/action/input.
    `act` makes the change that asks a node to do something. A node that plays gets what
    `voice` makes."""

    def __init__(
        self,
        context: Context,
        house: House,
        act: Callable[[str, str, dict[str, Any]], Change[Any, Any]],
        voice: Voice,
    ) -> None:
        self._context, self._house, self._act, self._voice = context, house, act, voice

    async def send(self, contact: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt."""
        node, _, rest = contact.endpoint.partition("/")
        action, _, given = rest.partition("/")
        if self._context.clock.now_ms() - delivery.created_ms > LATE_MS:
            return Sent(Fate.TOO_LATE, "it could not be said in time")
        text = f"{delivery.title}. {delivery.text}".strip(" .")
        try:
            wanted = input_of(self._house, contact.endpoint)
            if wanted is not None and wanted.format == "uri":
                text = await self._voice.spoken(delivery, text)
            await self._context.changes.do(self._act(node, action, {given or "text": text}), HOUSE)
        except HubError as error:
            return Sent(Fate.LATER, f"{contact.endpoint}: {error}")
        return Sent(Fate.DELIVERED)


def input_of(house: House, address: str) -> Setting | None:
    """What the input of a node's action takes, by node/action/input; None where there
    is none."""
    node, _, rest = address.partition("/")
    action, _, given = rest.partition("/")
    result = house.nodes.get(node)
    does = result.actions.get(action) if result is not None else None
    inputs = does.inputs if does is not None else ()
    return next((setting for setting in inputs if (setting.name or "input") == given), None)
