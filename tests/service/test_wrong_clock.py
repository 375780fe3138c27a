"""A hub on a machine that starts with a wrong time, as libfaketime makes it believe."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

from tests.house import CLIMATE, PLUG, Service, description, let_in, until

(LIBRARY,) = Path("/usr/lib").glob("*/faketime/libfaketimeMT.so.1")
HOUR = 3_600_000
RACK = "cellar-rack/humidity"


def test_until_the_clock_is_set_nothing_is_dated_before_what_was(own_service: Service) -> None:
    own_service.start().sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    let_in(own_service, description("Mister", **PLUG))
    rack.post([{"n": "humidity", "v": 50}])
    with own_service.hub() as hub:
        hub.automations.add(
            f'name = "By day"\n[watch]\nentity = "{RACK}"\nover = "60 %"\n'
            '[only]\nbetween = "00:00-23:59"\n'
            '[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
        )
        last = hub.entities.get(RACK).at
    own_service.stop()
    clock = own_service.data / "clock"
    clock.write_text("-3d\n")
    wrong = {
        "LD_PRELOAD": str(LIBRARY), "FAKETIME_TIMESTAMP_FILE": str(clock),
        "FAKETIME_NO_CACHE": "1", "FAKETIME_DONT_FAKE_MONOTONIC": "1",
        "FAKETIME_DONT_RESET": "1",
    }  # fmt: skip
    cold = subprocess.Popen(
        [sys.executable, "-m", "hombi.cli.app", "serve"],
        env={**own_service.environment, **wrong}, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        assert cold.stdout is not None
        assert any(line.startswith("Ready") for line in cold.stdout)
        with own_service.hub() as hub:
            (need,) = [one for one in hub.house().needs if one.kind == "clock"]
            assert "automations with hours wait" in need.text
            rack.post([{"n": "humidity", "v": 70}])
            meanwhile = hub.entities.get(RACK).at
            assert last < meanwhile < last + 60_000, "after what was, though the clock is not"
            assert hub.automations.get("by-day").phase == "waiting", "for its hours"
            later = clock.with_suffix(".later")
            later.write_text("+2h\n")
            later.replace(clock)  # an empty file would be the right time for a moment
            until(lambda: list(hub.journal(event="DatesPutRight")), 20)
            now = round(time.time() * 1000) + 2 * HOUR
            result = list(hub.entities.readings(RACK, start=last - 1, end=now + HOUR))
            assert [one.value for one in result] == [50, 70]
            assert result[0].at == last
            assert now - 60_000 < result[1].at < now + 1_000
            assert [one for one in hub.house().needs if one.kind == "clock"] == []
            until(lambda: hub.automations.get("by-day").phase == "on")
    finally:
        cold.terminate()
        cold.wait(20)


def test_a_reading_dated_ahead_is_no_present_value_after_a_restart(own_service: Service) -> None:
    own_service.start().sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    now = time.time()
    rack.post([{"n": "humidity", "v": 50, "t": now - 60}, {"n": "temperature", "v": 9, "t": now}])
    # From another sender with its key, whose clock is four minutes ahead.
    rack.post([{"n": "humidity", "v": 90, "t": now + 240}])
    with own_service.hub() as hub:
        ahead = hub.entities.readings(RACK, start=round(now * 1000), end=round(now * 1000) + HOUR)
        assert [one.value for one in ahead] == [90]
    own_service.stop()
    own_service.start()
    with own_service.hub() as hub:
        seen = hub.entities.get(RACK)
        assert (seen.value, seen.at) == (50, round((now - 60) * 1000))
        assert hub.nodes.get("cellar-rack").heard_at <= round(time.time() * 1000)
        rack.post([{"n": "humidity", "v": 51}])
        until(lambda: hub.entities.get(RACK).value == 51)
