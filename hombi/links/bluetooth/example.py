"""Examples of decoders: nodes of Reed & Rush, a made-up maker.

Their shelves and bells broadcast manufacturer data. Company 0xFFFF (kept for tests),
then

    shelf: 52 52, weight in g as u16, battery in 0.1 V as u8
    bell:  52 42, a counter that goes on with each press as u8, what happened as u8
           (1 pressed, 2 held), battery in 0.1 V as u8

Their rain barrels are connected to: one characteristic notifies the level in mm as u16.
"""

from __future__ import annotations

from collections.abc import Sequence

from hombi.links.bluetooth.characteristics import Held, number
from hombi.links.bluetooth.decoders import Advert, Value

COMPANY = 0xFFFF
SHELF, BELL = b"RR", b"RB"
BARREL, BARREL_LEVEL = (
    "7d1a0001-5eed-4b0a-9c1e-52652b527573",
    "7d1a0002-5eed-4b0a-9c1e-52652b527573",
)


class ReedAndRush:
    """What a shelf weighs, and when a bell is pressed. Its entry point is in
    pyproject.toml."""

    def decode(self, advert: Advert) -> Sequence[Value] | None:
        """A shelf's weight or a bell's press, and the battery."""
        data = advert.manufacturer_data.get(COMPANY, b"")
        if len(data) < 5:
            return None
        battery = Value("battery voltage", "voltage", data[4] / 10, "V")
        if data.startswith(SHELF):
            return [Value("weight", "mass", int.from_bytes(data[2:4], "little"), "g"), battery]
        if data.startswith(BELL):
            # The counter makes each press an advertisement of its own.
            press = {1: 0.0, 2: 1.0}.get(data[3])
            return [Value("bell", "press|pressed|held", press), battery]
        return None


# A barrel's level, read by the UUIDs of its service and characteristic.
CONNECTED = {BARREL: {BARREL_LEVEL: number(Held("water level", "distance", "mm"), 2)}}
