"""The buttons of a notice. Each carries a right that can do just that, once, for a day,
without a sign-in: a phone presses it while the console is closed.

The right is made of the delivery, the button and the hub's own key (HMAC-SHA-256), so
none is stored; what is stored is which were used.
"""

from __future__ import annotations

import hmac
from collections.abc import Mapping
from typing import Any

from hombi.hub.errors import Refused
from hombi.hub.notices.port import DeliveryRecord

GOOD_MS = 24 * 3600_000
HUSH_MS = 3600_000
ACKNOWLEDGE, OFF, HUSH = "acknowledge", "off", "hush"
# No buttons: the rights to what comes with a notice.
PICTURE, SOUND = "picture", "sound"


class Buttons:
    """Makes and checks rights."""

    def __init__(self, key: str) -> None:
        self._key = key.encode()

    def offered(self, delivery: DeliveryRecord) -> list[dict[str, str]]:
        """The buttons of a delivery as a phone gets them."""
        return [
            {
                "do": button["do"],
                "label": button["label"],
                "right": self.right(delivery.id, button["do"]),
            }
            for button in delivery.buttons
        ]

    def to_see(self, delivery: DeliveryRecord) -> str:
        """Where the picture of a delivery is seen; "" for one without."""
        if not delivery.picture:
            return ""
        return f"/api/notices/pictures/{self.right(delivery.id, PICTURE)}"

    def right(self, delivery: int, button: str) -> str:
        """The right to press one."""
        mac = hmac.new(self._key, f"{delivery}/{button}".encode(), "sha256").hexdigest()
        return f"{delivery}.{button}.{mac}"

    def named(self, right: str) -> tuple[int, str]:
        """The delivery and the button of a right. Raises Refused for one that was not
        made here."""
        number, _, rest = right.partition(".")
        button, _, _ = rest.partition(".")
        delivery = int(number) if number.isascii() and number.isdigit() and len(number) < 16 else 0
        if not hmac.compare_digest(self.right(delivery, button).encode(), right.encode()):
            raise Refused("this button is not of a notice of this hub")
        return delivery, button


def check(delivery: DeliveryRecord | None, button: str, now_ms: int) -> Mapping[str, Any]:
    """What a button does, if it may still be pressed. Raises Refused."""
    if delivery is None or delivery.phone_id is None:
        raise Refused("this device takes no notices of this hub any more")
    if now_ms - delivery.created_ms > GOOD_MS:
        raise Refused("this notice is more than a day old; open the console")
    if button in delivery.pressed:
        raise Refused("this button was pressed already")
    result = next((one for one in delivery.buttons if one["do"] == button), None)
    if result is None:
        raise Refused("this notice has no such button")
    return result
