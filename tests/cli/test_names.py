"""Names work wherever addresses do, in any case; those that mean several things are
listed."""

from __future__ import annotations

import json
from collections.abc import Iterator

import pytest

from tests.house import CLIMATE, Joined, Service, description, let_in

DRY = (
    'name = "Too dry"\n\n[watch]\nentity = "cellar-rack/humidity"\nunder = "20 %"\n\n'
    '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
)


@pytest.fixture(scope="module", autouse=True)
def house(service: Service, rack: Joined, mister: Joined) -> Iterator[None]:
    """A rack that has spoken, a mister that obeys, and two window sills."""
    rack.post([{"n": "temperature", "v": 11.25}, {"n": "humidity", "v": 84.5}])
    with service.hub() as hub:
        hub.automations.add(DRY)
        for room in ("Loft", "Terrace"):
            sill = let_in(service, description(f"{room} sill", **CLIMATE))
            hub.nodes.rename(sill.node, "Window sill")
            hub.nodes.move(sill.node, room)
    with mister.connected() as client:
        mister.publish(client, [{"n": "switch", "vb": False}])
        yield


def said(service: Service, *words: str) -> str:
    done = service.hombi(*words)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.parametrize("word", ["cellar-rack", "Cellar rack", "CELLAR  RACK"])
def test_a_node(service: Service, word: str) -> None:
    assert "cellar-rack" in said(service, "node", "show", word)
    assert "cellar-rack/humidity" in said(service, "now", "--node", word)
    assert said(service, "node", "settings", word)
    assert said(service, "journal", "--node", word, "-n", "3")


@pytest.mark.parametrize(
    "word",
    [
        "cellar-rack/humidity",
        "Cellar rack/Humidity",
        "cellar rack humidity",
        "cellar-rack/HUMIDITY",
    ],
)
def test_an_entity(service: Service, word: str) -> None:
    assert "84.5" in said(service, "entity", "show", word)
    assert "84.5" in said(service, "history", word, "--span", "hour")
    (row,) = json.loads(said(service, "entity", "hide", word, "--show", "--json"))
    assert row["entity"] == "cellar-rack/humidity"


def test_a_switch_is_set_by_its_name(service: Service) -> None:
    assert "is on, confirmed" in said(service, "set", "Cellar mister/Switch", "on")
    assert "is off, confirmed" in said(service, "set", "Cellar mister", "off")


@pytest.mark.parametrize("word", ["cheese-cellar", "Cheese cellar", "CHEESE CELLAR"])
def test_a_room(service: Service, word: str) -> None:
    assert "cellar-rack/humidity" in said(service, "now", "--room", word)
    (room,) = json.loads(said(service, "room", "move", word, "--position", "0", "--json"))
    assert room["room"] == "cheese-cellar"
    said(service, "node", "move", "cellar rack", word)
    with service.hub() as hub:
        assert hub.nodes.get("cellar-rack").room == "cheese-cellar"


def test_an_automation(service: Service) -> None:
    assert said(service, "automation", "show", "too DRY") == DRY
    (result,) = json.loads(said(service, "automation", "duty", "Too dry", "off", "--json"))
    assert (result["automation"], result["enabled"]) == ("too-dry", False)


@pytest.mark.parametrize(
    ("words", "listed"),
    [
        (("node", "show", "window sill"), "loft-sill, terrace-sill"),
        (("entity", "show", "Window sill/Temperature"), "loft-sill/temperature, terrace-sill/t"),
        (("history", "window sill temperature"), "loft-sill/temperature, terrace-sill/temp"),
    ],
)
def test_several_of_a_name_are_listed(
    service: Service, words: tuple[str, ...], listed: str
) -> None:
    done = service.hombi(*words)
    assert done.returncode == 1
    assert listed in done.stderr
    assert "name one by its address" in done.stderr


@pytest.mark.parametrize(
    ("words", "hint"),
    [
        (("node", "show", "celler rack"), "no node celler rack; did you mean cellar-rack?"),
        (("now", "--room", "Chese cellar"), "no room Chese cellar; did you mean cheese-cellar?"),
        (("history", "cellar-rack/humidty"), "did you mean cellar-rack/humidity?"),
        (("automation", "show", "To dry"), "no automation To dry; did you mean too-dry?"),
        (("now", "--kind", "temp"), "there is no kind temp; did you mean temperature?"),
        (("now", "--kind", "motion"), "there is no kind motion; did you mean occupancy?"),
        (("journal", "--event", "AutomationStartd"), "did you mean AutomationStarted?"),
        (("node", "do", "Cellar rack", "blow"), "Cellar rack has no action blow; it has none"),
    ],
)
def test_what_is_not_there_is_refused_with_the_nearest(
    service: Service, words: tuple[str, ...], hint: str
) -> None:
    done = service.hombi(*words)
    assert done.returncode == (2 if {"--kind", "--event"} & set(words) else 1)
    assert hint in done.stderr


def test_a_piped_table_has_each_row_on_one_line(service: Service) -> None:
    long = ", ".join(["The rack by the door"] * 5)
    with service.hub() as hub:
        hub.nodes.rename("cellar-rack", long)
        lines = said(service, "node", "list").splitlines()
        hub.nodes.rename("cellar-rack", "Cellar rack")
        assert len(lines) == 1 + len(hub.nodes.list())
    (row,) = [line for line in lines if line.startswith("cellar-rack ")]
    assert long in row


@pytest.mark.parametrize(
    ("words", "key"),
    [
        (("node", "rename", "cellar rack", "Cellar rack"), "node"),
        (("node", "add", "Weir board"), "key"),
        (("node", "add-value", "Weir board", "Flow", "--kind", "flow"), "entity"),
        (("node", "key", "weir-board"), "key"),
        (("entity", "rename", "weir-board/flow", "Flow over"), "entity"),
        (("room", "add", "Apple store"), "room"),
        (("room", "rename", "apple store", "Pear store"), "room"),
        (("room", "add-floor", "Attic"), "name"),
        (("room", "rename-floor", "attic", "Roof"), "name"),
        (("room", "move-floor", "roof", "0"), "name"),
        (("pair", "--for", "20 s"), "open"),
        (("pair", "--close"), "open"),
        (("mqtt", "add", "plotter", "--subscribe", "mill/#"), "key"),
        (("mqtt", "change", "plotter", "--subscribe", "mill/+/state"), "subscribe"),
        (("set", "cellar-mister/switch", "on"), "state"),
        (("kinds",), "kind"),
        (("node", "remove", "Weir board", "--yes"), "node"),
    ],
)
def test_every_answer_is_also_json(service: Service, words: tuple[str, ...], key: str) -> None:
    result = json.loads(said(service, *words, "--json"))
    assert result
    assert key in result[0]


def test_floors_and_rooms_are_taken_away_when_they_are_empty(service: Service) -> None:
    said(service, "room", "add-floor", "Cellar", "--position", "0")
    said(service, "room", "add", "Root store", "--floor", "cellar")
    with service.hub() as hub:
        assert hub.house().floors[0].name == "Cellar"
    refused = service.hombi("room", "remove-floor", "Cellar")
    assert (refused.returncode, "Cellar has rooms (Root store)" in refused.stderr) == (1, True)
    said(service, "room", "remove", "root store")
    said(service, "room", "remove-floor", "CELLAR")
    with service.hub() as hub:
        assert "Cellar" not in [floor.name for floor in hub.house().floors]
    assert "no floor Cellar" in service.hombi("room", "remove-floor", "Cellar").stderr


def test_words_that_are_wrong_end_with_2_and_a_node_is_answered_with_its_values(
    service: Service, rack: Joined, mister: Joined
) -> None:
    rack.post([{"n": "humidity", "v": 80}])
    for words in (
        ("review", "decade"),
        ("set", "cellar-mister/switch", "perhaps"),
        ("history", "cellar-rack"),
        ("history", "Cellar rack"),
    ):
        assert service.hombi(*words).returncode == 2, words
    said = service.hombi("history", "cellar-rack").stderr
    assert "cellar-rack/humidity" in said.replace("\n", "")
    assert service.hombi("history", "no-such").returncode == 1
