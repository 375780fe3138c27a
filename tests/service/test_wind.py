"""A wind direction from the node to the history, over north and back."""

from __future__ import annotations

import time

import pytest

from hombi.client import HubProblem
from hombi.core.arithmetic import CIRCLE
from hombi.wire.automations import PretendValue
from tests.house import Service, description, let_in, until

VANE = "mill-vane/wind-from"
NORTH = """name = "Wind from the north"
[watch]
entity = "mill-vane/wind-from"
within = ["330 °", "30 °"]
[[starts]]
notify = "everyone"
title = "Draught in the cheese cellar"
"""


def test_a_vane_around_north(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    vane = let_in(
        service,
        description("Mill vane", **{"wind-from": {"type": "number", "unit": "deg"}}),
        "Terrace",
    )
    with service.hub() as hub:
        entity = hub.entities.get(VANE)
        assert (entity.kind, entity.drawn, entity.unit) == ("wind-direction", "needle", "°")
        begun = round(time.time()) // 3600 * 3600 - 3 * 3600
        pack = [
            {"n": "wind-from", "v": -10 if n % 2 else 10, "t": begun + 60 * n} for n in range(120)
        ]
        assert vane.post(pack).is_success
        span = {"start": begun * 1000, "end": (begun + 7200) * 1000}
        until(lambda: hub.entities.numbers(VANE, **span).count == 120)
        numbers = hub.entities.numbers(VANE, **span)
        assert (numbers.low, numbers.high, numbers.median) == (350, 10, None)
        assert numbers.mean is not None
        assert CIRCLE.difference(numbers.mean, 0) == pytest.approx(0, abs=0.2)
        course = hub.entities.history(VANE, points=2, **span)
        assert all(abs(CIRCLE.difference(mean, 0)) < 1 for mean in course.mean), course.mean
        assert course.low == [350] * len(course.at)
        with pytest.raises(HubProblem, match="no higher and lower values"):
            hub.entities.numbers(VANE, over="90 °")
        # Once its hours are sums, they say the same.
        service.kill()
    service.start()
    with service.hub() as hub:
        until(lambda: len(hub.entities.history(VANE, points=2, **span).mean) == 2)
        course = hub.entities.history(VANE, points=2, **span)
        assert all(abs(CIRCLE.difference(mean, 0)) < 1 for mean in course.mean), course.mean
        made = hub.automations.add(NORTH)
        assert "within 330 ° to 30 °" in made.sentence
        values = [PretendValue(value="180 °"), PretendValue(after="1 min", value="355 °")]
        steps = hub.automations.rehearse(NORTH, values).steps
        assert "355 ° within 330 ° to 30 °" in steps[0].text
        for key, value in (("over", '"90 °"'), ("rising", '"20 ° in 10 min"')):
            wrong = NORTH.replace('within = ["330 °", "30 °"]', f"{key} = {value}")
            checked = hub.automations.check(wrong)
            assert any("wind direction" in mistake.what for mistake in checked.mistakes), checked
