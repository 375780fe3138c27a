"""Sequences that automations run, and the texts that an automation had."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.client import Missing, Wrong
from tests.house import CLIMATE, PLUG, Service, description, let_in, until

CLOSE_UP = """name = "Close up"
[takes]
what = "hen-lamp/switch"
[[steps]]
switch = "{what}"
to = "on"        # a comment
"""
RUNS = """name = "At dusk"
[watch]
entity = "cellar-rack/humidity"
over = "80 %"
[[starts]]
run = "Close up"
"""


@pytest.fixture
def service(own_service: Service) -> Service:
    started = own_service.start()
    started.sign_in_first()
    let_in(started, description("Cellar rack", **CLIMATE))
    let_in(started, description("Hen lamp", **PLUG), "Hen house")
    return started


def test_a_sequence_is_kept_run_and_missed(service: Service, tmp_path: Path) -> None:
    file = tmp_path / "close-up.toml"
    file.write_text(CLOSE_UP)
    with service.hub() as hub:
        assert hub.automations.check(RUNS).mistakes[0].what == "no sequence Close up"
        with pytest.raises(Wrong, match="1 mistake"):
            hub.sequences.put(CLOSE_UP.replace("hen-lamp", "hen-lmp"))
        result = hub.sequences.check(CLOSE_UP.replace("hen-lamp", "hen-lmp"))
        assert (result.mistakes[0].line, result.mistakes[0].hint) == (
            5, "did you mean hen-lamp/switch?",
        )  # fmt: skip
    assert service.hombi("sequence", "check", str(file)).stdout.endswith("Hen lamp on.\n")
    assert "close-up is kept: Hen lamp on." in service.hombi("sequence", "put", str(file)).stdout
    with service.hub() as hub:
        made = hub.automations.add(RUNS)
        assert made.sentence.endswith(": run “Close up”.")
        hub.automations.run(made.automation)
        until(lambda: hub.entities.get("hen-lamp/switch").wanted is not None)
        # Another text of the sequence is another automation: it is read again.
        hub.sequences.put(CLOSE_UP.replace('to = "on"', 'to = "off"'))
        wait = 'name = "Close up"\n[[steps]]\nrun = "Close up"\n'
        with pytest.raises(Wrong) as refused:
            hub.sequences.put(wait)
        assert "without end" in refused.value.mistakes[0].what
    service.kill()
    service.start()
    assert service.hombi("sequence", "show", "close-up").stdout == CLOSE_UP.replace('"on"', '"off"')
    with service.hub() as hub:
        hub.sequences.remove("Close up")
        assert hub.automations.get("at-dusk").mistakes[0].what == "no sequence Close up"
        with pytest.raises(Missing, match="no sequence"):
            hub.sequences.get("close-up")


def test_a_text_of_before_comes_back(service: Service) -> None:
    first = RUNS.replace('run = "Close up"', 'switch = "hen-lamp/switch"\nto = "on"')
    texts = [first, first.replace("80 %", "70 %"), first.replace("80 %", "60 %") + "# dry\n"]
    with service.hub() as hub:
        hub.automations.add(texts[0])
        for text in texts[1:]:
            hub.automations.change("at-dusk", text)
        kept = hub.automations.texts("at-dusk")
        assert [one.text for one in kept] == texts[::-1]
        assert all(one.at and one.by for one in kept)
        hub.automations.duty("at-dusk", False)
        assert len(hub.automations.texts("at-dusk")) == 3, "its duty is not text"
    told = service.hombi("automation", "texts", "at-dusk").stdout
    assert 'over = "60 %" (and 1 more)' in told.replace("\n", " ") or "60 %" in told
    service.hombi("automation", "undo", "at-dusk")
    with service.hub() as hub:
        assert hub.automations.get("at-dusk").text == texts[1]
        assert len(hub.automations.texts("at-dusk")) == 4, "going back can be taken back"
    service.hombi("automation", "undo", "at-dusk", "--to", "4")
    with service.hub() as hub:
        assert hub.automations.get("at-dusk").text == texts[0]
    assert service.hombi("automation", "undo", "at-dusk", "--to", "9").returncode == 1


def test_what_follows_waits_for_the_node_also_over_a_kill(own_service: Service) -> None:
    own_service.start().sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    fan = let_in(own_service, description("Cellar fan", **PLUG))
    let_in(own_service, description("Mister", **PLUG))
    with own_service.hub() as hub, fan.connected(obey=False):
        hub.automations.add(
            RUNS.replace('run = "Close up"', 'switch = "cellar-fan/switch"\nto = "on"\n')
            + 'confirmed = "5 min"\n[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
        )
        assert rack.post([{"n": "humidity", "v": 85}]).is_success
        until(lambda: hub.entities.get("cellar-fan/switch").wanted is not None)
        assert hub.entities.get("mister/switch").wanted is None
    own_service.kill()
    own_service.start()
    with own_service.hub() as hub:
        assert hub.entities.get("mister/switch").wanted is None
        # The fan was asked, and has done it meanwhile.
        assert fan.post([{"n": "switch", "vb": True}]).is_success
        until(lambda: hub.entities.get("mister/switch").wanted is not None)
