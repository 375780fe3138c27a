"""An example of a decoder: the tags of Reed & Rush, a made-up maker, which send a
shelf's weight as manufacturer data.

company 0xFFFF (kept for tests), then: 52 52 (the maker's mark), weight in g as u16,
battery in 0.1 V as u8
"""

from __future__ import annotations

from collections.abc import Sequence

from hombi.links.bluetooth.decoders import Advert, Value

COMPANY = 0xFFFF
MARK = b"RR"


class ReedAndRush:
    """What a shelf weighs. Its entry point is in pyproject.toml."""

    def decode(self, advert: Advert) -> Sequence[Value] | None:
        """Weight and battery."""
        data = advert.manufacturer_data.get(COMPANY, b"")
        if not data.startswith(MARK) or len(data) < 5:
            return None
        return [
            Value("weight", "mass", int.from_bytes(data[2:4], "little"), "g"),
            Value("battery voltage", "voltage", data[4] / 10, "V"),
        ]
