"""A week of the past in three rooms, one of them damp at night, for looking back at."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from tests.house import CLIMATE, Service, description, let_in, until

PLACES: dict[str, tuple[str, Callable[[int], float]]] = {
    "Loft beam": ("Loft", lambda hour: 70.0 if hour < 6 else 55.0),
    "Cellar rack": ("Cheese cellar", lambda _: 56.0),
    "Bench": ("Workshop", lambda _: 54.0),
}
WATCH = """name = "Loft too damp"
[watch]
entity = "loft-beam/humidity"
over = "65 %"
[[starts]]
notify = "everyone"
title = "Damp"
"""


def last_week() -> datetime:
    """When the last whole week began, by UTC."""
    today = datetime.now(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    return today - timedelta(days=today.weekday() + 7)


def fill(service: Service) -> None:
    """Let the nodes in with their week: a value each ten minutes; the cellar's is
    silent on Wednesday from 10:00 to 13:00, and its battery runs down."""
    start = last_week()
    battery = {"type": "number", "unit": "%EL", "readOnly": True, "@type": "battery"}
    for title, (room, humidity) in PLACES.items():
        node = let_in(service, description(title, **CLIMATE, battery=battery), room)
        pack = []
        for number in range(7 * 144):
            at = start + timedelta(minutes=10 * number)
            if title == "Cellar rack" and at.weekday() == 2 and 10 <= at.hour < 13:
                continue
            pack.append({"n": "humidity", "t": at.timestamp(), "v": humidity(at.hour)})
            if number % 144 == 0:
                pack.append({"n": "battery", "t": at.timestamp(), "v": 60})
        for first in range(0, len(pack), 400):
            assert node.post(pack[first : first + 400]).is_success
    with service.hub() as hub:
        hub.automations.add(WATCH)
        begin = round(start.timestamp() * 1000)

        def stored() -> bool:
            one = hub.entities.numbers("bench/humidity", start=begin, end=begin + 7 * 86_400_000)
            return one.count == 7 * 144

        until(stored)
    # An hour is rolled up when the hub starts, or within half a minute.
    service.stop()
    service.start()
    with service.hub() as hub:
        on = start.date().isoformat()

        def whole() -> bool:
            result = hub.review("week", on=on)
            known = [e.known for k in result.kinds for e in k.entities]
            return len(known) == len(result.batteries) == 3 and min(known) > 160

        until(whole)
