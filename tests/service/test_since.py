"""Since when a state is what it is: by its readings, also after a restart."""

from __future__ import annotations

import time

from tests.house import Service, description, let_in, until

DOOR = {
    "door": {"type": "boolean", "readOnly": True, "title": "Door"},
    "fan": {"type": "string", "enum": ["slow", "fast"], "readOnly": True},
    "temperature": {"type": "number", "unit": "Cel", "readOnly": True},
}


def test_a_state_says_since_when_also_after_a_restart(service: Service) -> None:
    node = let_in(service, description("Apple shed", **DOOR), room="Drying room")
    began = int(time.time()) - 7_200

    def say(name: str, at_s: int, value: object) -> None:
        key = "vs" if isinstance(value, str) else "vb" if isinstance(value, bool) else "v"
        assert node.post([{"n": name, "t": at_s, key: value}]).is_success

    with service.hub() as hub:
        assert hub.entities.get("apple-shed/door").since is None, "nothing was heard yet"
        for late, is_open in ((0, False), (600, True), (1_200, True), (1_800, True)):
            say("door", began + late, is_open)
        say("fan", began + 60, "slow")
        say("temperature", began, 20.5)
        opened = (began + 600) * 1000
        assert hub.entities.get("apple-shed/door").since == opened
        assert hub.entities.get("apple-shed/fan").since == (began + 60) * 1000
        assert hub.entities.get("apple-shed/temperature").since is None
        # What comes late of a time before changes nothing.
        say("door", began + 300, False)
        assert hub.entities.get("apple-shed/door").since == opened
    service.kill()
    service.start()
    with service.hub() as hub:
        until(lambda: hub.entities.get("apple-shed/door").since == opened)
        until(lambda: hub.entities.get("apple-shed/fan").since == (began + 60) * 1000)
        say("door", began + 1_900, True)
        assert hub.entities.get("apple-shed/door").since == opened
        say("door", began + 2_000, False)
        assert hub.entities.get("apple-shed/door").since == (began + 2_000) * 1000
        zone = hub.house().time_zone
    text = service.hombi("now", "--room", "Drying room").stdout
    assert zone == "UTC"
    assert time.strftime("%H:%M", time.gmtime(began + 2_000)) in text
    assert "since" in service.hombi("entity", "show", "apple-shed/door").stdout
