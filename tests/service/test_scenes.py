"""Scenes: recorded as they are, recalled together, by people and by automations."""

from __future__ import annotations

import pytest

from hombi.client import HubProblem, Missing, Wrong
from hombi.wire.dashboards import TileRequest
from tests.house import CLIMATE, PLUG, Joined, Service, description, let_in, until

DIMMER = {"level": {"type": "number", "unit": "%", "@type": "level", "title": "Level",
                    "minimum": 0, "maximum": 100}}  # fmt: skip


@pytest.fixture
def mill(own_service: Service) -> tuple[Service, Joined, Joined]:
    service = own_service.start()
    service.sign_in_first()
    lamp = let_in(service, description("Loft lamp", **DIMMER), "Loft")
    plug = let_in(service, description("Hen lamp", **PLUG), "Hen house")
    let_in(service, description("Cellar rack", **CLIMATE))
    assert lamp.post([{"n": "level", "v": 40}]).is_success
    assert plug.post([{"n": "switch", "vb": True}]).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.get("hen-lamp/switch").value == 1)
        until(lambda: hub.entities.get("loft-lamp/level").value == 40)
    return service, lamp, plug


def test_a_scene_is_recorded_recalled_and_survives(mill: tuple[Service, Joined, Joined]) -> None:
    service, lamp, _ = mill
    with service.hub() as hub:
        made = hub.scenes.record("Evening", ["Loft lamp level", "hen-lamp/switch"])
        assert [(state.entity, state.shown) for state in made.states] == [
            ("loft-lamp/level", "40 %"), ("hen-lamp/switch", "on"),
        ]  # fmt: skip
        for wrong, said in (
            ([], "needs an entity"),
            (["cellar-rack/humidity"], "is read-only"),
            (["hen-lamp/swich"], "did you mean"),
        ):
            with pytest.raises((Wrong, Missing), match=said):
                hub.scenes.record("Morning", wrong)
    service.kill()
    service.start()
    with service.hub() as hub:
        assert hub.scenes.list() == [made]
        lamp.post([{"n": "level", "v": 0}])
        with lamp.connected():
            result = hub.scenes.recall("evening")
        states = {command.entity: command.state for command in result.commands}
        assert states["loft-lamp/level"] == "confirmed"
        assert states["hen-lamp/switch"] != "confirmed", "its node is away"
        said = "the scene Evening was recalled; Hen lamp did not confirm it"
        until(lambda: said in [entry.text for entry in hub.journal()])
        # What is there is recorded anew under its name.
        lamp.post([{"n": "level", "v": 15}])
        until(lambda: hub.entities.get("loft-lamp/level").value == 15)
        again = hub.scenes.record("evening")
        assert (again.title, again.states[0].shown) == ("Evening", "15 %")
        with pytest.raises(Missing, match="no scene dawn"):
            hub.dashboards.add("Dawn", [TileRequest(sort="scene", text="dawn")])
        hub.dashboards.add("Night", [TileRequest(sort="scene", text="evening")])
    told = service.hombi("scene", "list").stdout
    assert "Loft lamp level 15 %, Hen lamp on" in told
    assert service.hombi("scene", "remove", "evening").stdout == "evening is removed.\n"
    with service.hub() as hub:
        tiles = [TileRequest(sort="scene", text="evening"), TileRequest(sort="text", text="x")]
        assert len(hub.dashboards.arrange("night", tiles).tiles) == 2, "its tile stays"


def test_an_automation_recalls_a_scene(mill: tuple[Service, Joined, Joined]) -> None:
    service, *_ = mill
    text = """name = "Evening comes"
[watch]
entity = "cellar-rack/humidity"
over = "80 %"
[[starts]]
scene = "evening"
"""
    with service.hub() as hub:
        checked = hub.automations.check(text)
        assert checked.mistakes[0].what == "no scene evening"
        hub.scenes.record("Evening", ["loft-lamp/level", "hen-lamp/switch"])
        assert hub.automations.check(text).sentence.endswith(": scene “Evening”.")
        made = hub.automations.add(text)
        hub.automations.run(made.automation)
        until(lambda: hub.entities.get("loft-lamp/level").wanted is not None)
        assert hub.automations.replay(text).effects == []
        hub.nodes.remove("hen-lamp")
        assert [state.there for state in hub.scenes.get("evening").states] == [True, False]
        recalled = hub.scenes.recall("evening")
        assert recalled.gone == ["hen-lamp/switch"]
        hub.scenes.remove("evening")
        assert hub.automations.get("evening-comes").mistakes[0].what == "no scene evening"
        with pytest.raises(HubProblem, match="no scene"):
            hub.scenes.recall("evening")
