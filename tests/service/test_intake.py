"""The intake over HTTP: who comes in, what is taken of a pack, and what is refused."""

from __future__ import annotations

import json
import time

import httpx
import pytest

from hombi.client.errors import Wrong
from tests.house import CLIMATE, Joined, Service, ask, call, collect, description


def test_a_node_comes_in_by_http_alone(service: Service) -> None:
    with service.hub() as hub:
        hub.pairing.open("30 s")
        asked = ask(service, description("Loft beam", **CLIMATE))
        assert asked.status_code == 202
        (arrival,) = hub.pairing.arrivals()
        assert (arrival.title, arrival.state, [e.kind for e in arrival.entities]) == (
            "Loft beam",
            "waiting",
            ["temperature", "humidity"],
        )
        assert collect(service, asked.json()) == {"state": "waiting"}
        node = hub.pairing.admit(arrival.id, "1234 5678", "", "Loft")
        hub.pairing.close()
    assert (node.node, node.room) == ("loft-beam", "loft")
    said = collect(service, asked.json())
    assert said["mqtt"]["port"] == service.mqtt_port
    assert said["mqtt"]["readings"] == "hombi/loft-beam/readings"
    joined = Joined(service, said["node"], said["key"], said["mqtt"])
    assert joined.post([{"n": "temperature", "v": 6.5}]).json() == {"stored": 1, "refused": []}
    with service.hub() as hub:
        assert hub.entities.get("loft-beam/temperature").shown == "6.5 °C"


def test_a_value_in_a_unit_that_the_hub_does_not_know_is_kept(service: Service) -> None:
    """It is a plain number, and said so, until a person chooses its unit: when the node
    is let in, or later."""
    odd = {
        "stove": {"type": "number", "unit": "celcius", "readOnly": True, "title": "Stove"},
        "flue": {"type": "number", "unit": "celcius", "readOnly": True, "title": "Flue"},
        "draught": {"type": "number", "unit": "zorks", "readOnly": True, "title": "Draught"},
    }
    with service.hub() as hub:
        hub.pairing.open("30 s")
        asked = ask(service, description("Odd stove", **odd)).json()
        (arrival,) = hub.pairing.arrivals()
        assert [e.kind for e in arrival.entities] == ["number"] * 3
        assert len(arrival.unit_notes) == 3
        assert "stove: no unit 'celcius' is known; did you mean °C" in arrival.unit_notes[0]
        for wrong in ("zorks", "lx°"):
            with pytest.raises(Wrong, match=f"stove: no unit '{wrong}' is known"):
                hub.pairing.admit(
                    arrival.id, "1234-5678", "", "Loft", entities={"stove": {"unit": wrong}}
                )
        node = hub.pairing.admit(
            arrival.id, "1234-5678", "", "Loft", entities={"stove": {"unit": "°F"}}
        )
        hub.pairing.close()
        said = collect(service, asked)
        joined = Joined(service, said["node"], said["key"], said["mqtt"])
        sent = [{"n": name, "v": 212, "u": odd[name]["unit"]} for name in odd]
        assert joined.post(sent).json() == {"stored": 3, "refused": []}
        now = {e.entity: e.shown for e in hub.entities.list() if e.node == node.node}
        assert now == {
            "odd-stove/stove": "100.0 °C",
            "odd-stove/flue": "212.00",
            "odd-stove/draught": "212.00",
        }
        notes = hub.nodes.get(node.node).unit_notes
        assert [note.partition(":")[0] for note in notes] == ["flue", "draught"]
        hub.entities.change_kind("odd-stove/flue", "temperature", "°C")
        assert len(hub.nodes.get(node.node).unit_notes) == 1
        joined.post([{"n": "flue", "v": 212, "u": "celcius"}])
        assert hub.entities.get("odd-stove/flue").shown == "212.0 °C"
    service.stop()
    service.start()
    joined.post([{"n": "flue", "v": 214, "u": "celcius"}])
    with service.hub() as hub:
        assert hub.entities.get("odd-stove/flue").shown == "214.0 °C"
        assert len(hub.nodes.get("odd-stove").unit_notes) == 1


def test_asking_outside_the_window_is_refused(service: Service) -> None:
    answer = ask(service, description("Late", **CLIMATE))
    assert answer.status_code == 409
    assert "pairing is closed" in answer.json()["detail"]


@pytest.mark.parametrize(
    ("body", "status", "said"),
    [
        (b"{", 400, "this is not JSON"),
        (b"[]", 400, "expected an object"),
        (b"{}", 400, "description is missing"),
        (
            b'{"description": 7, "proof": "x"}',
            400,
            "description: expected an object, got a whole number",
        ),
        (
            json.dumps({"description": {"title": "x"}, "proof": "a" * 64}).encode(),
            422,
            "not a Thing Description",
        ),
        (
            json.dumps(
                {
                    "description": description("x", a={"type": "array"}),
                    "proof": "a" * 64,
                }
            ).encode(),
            422,
            "property a: its type array",
        ),
        (
            json.dumps({"description": description("x", **CLIMATE), "proof": "a"}).encode(),
            422,
            "64 hex digits",
        ),
    ],
)
def test_a_malformed_description_is_named(
    service: Service, body: bytes, status: int, said: str
) -> None:
    with service.hub() as hub:
        hub.pairing.open("30 s")
    answer = httpx.post(
        f"{service.url}/api/arrivals", content=body, headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == status
    assert said.lower() in answer.json()["detail"].lower()
    assert answer.headers["content-type"] == "application/problem+json"


@pytest.mark.parametrize(
    ("payload", "said"),
    [
        (b"not json", "not JSON"),
        (b'{"n":"temperature"}', "not SenML"),
        (b'[{"n":"temperature","v":Infinity}]', "no finite number"),
        (b'[{"n":"temperature","v":"21"}]', "$.v"),
        (b'[{"n":"temperature","v":1e400}]', "no finite number"),
        (b'[{"n":"temperature","vs":"warm"}]', "a number was expected"),
        (b'[{"n":"temperature","u":"hPa","v":21}]', "measures pressure"),
        (b'[{"n":"nothing","v":21}]', "no entity 'nothing'"),
        (b'[{"n":"temperature","t":300000000,"v":21}]', "400 days back"),
        (b'[{"n":"temperature","t":4000000000,"v":21}]', "ahead of the hub"),
        (b"\xff\xfe", "not"),
        (b"", "not JSON"),
    ],
)
def test_a_pack_that_cannot_be_is_refused_with_words(
    service: Service, rack: Joined, payload: bytes, said: str
) -> None:
    answer = rack.post(payload, raw=True)
    assert answer.status_code == 422, answer.text
    assert said in answer.json()["detail"]
    assert rack.post([{"n": "temperature", "v": 21.0}]).status_code == 200, (
        "the node goes on as if nothing had happened"
    )


def test_a_pack_that_is_partly_sound_is_stored_as_far_as_it_is(
    service: Service, rack: Joined
) -> None:
    answer = rack.post([{"n": "humidity", "v": 71.5}, {"n": "nothing", "v": 1}])
    assert answer.status_code == 200
    assert answer.json() == {"stored": 1, "refused": ["cellar-rack has no entity 'nothing'"]}


def test_a_value_beyond_its_limits_is_bad_and_seen_so(service: Service, rack: Joined) -> None:
    rack.post([{"n": "humidity", "v": 171.5}])
    with service.hub() as hub:
        entity = hub.entities.get("cellar-rack/humidity")
        assert (entity.value, entity.quality, entity.reason) == (171.5, "bad", "out of range")
        rack.post([{"n": "humidity", "v": 71.5}])
        assert hub.entities.get("cellar-rack/humidity").quality == "good"


def test_a_reading_sent_twice_is_stored_once(service: Service, rack: Joined) -> None:
    at = time.time() - 50
    for value in (60.0, 61.0):
        assert rack.post([{"n": "humidity", "t": at, "v": value}]).status_code == 200
    with service.hub() as hub:
        ms = round(at * 1000)
        assert [r.value for r in hub.entities.readings("cellar-rack/humidity", ms, ms + 1)] == [
            60.0
        ]


def test_only_the_nodes_own_key_opens_the_intake(
    service: Service, rack: Joined, mister: Joined
) -> None:
    for auth in ((rack.node, "wrong"), (rack.node, mister.key), ("nobody", rack.key)):
        assert httpx.post(f"{service.url}/api/intake", content=b"[]", auth=auth).status_code == 401
    assert call(service, "POST", "/api/intake", content=b"[]").status_code == 401, (
        "a person's token is not a node's key"
    )
    assert httpx.get(f"{service.url}/api/house", auth=(rack.node, rack.key)).status_code == 401, (
        "nor the other way round"
    )


@pytest.mark.parametrize("null", ["null", "NaN"])
def test_no_value_is_a_reading_and_the_rest_of_its_pack_stands(
    service: Service, rack: Joined, null: str
) -> None:
    pack = (
        f'[{{"n":"humidity","v":{null}}},{{"n":"nonsense","v":1}},7,{{"n":"temperature","v":11.5}}]'
    )
    said = rack.post(pack.encode(), raw=True).json()
    assert said["stored"] == 2
    assert len(said["refused"]) == 2
    with service.hub() as hub:
        humidity = hub.entities.get("cellar-rack/humidity")
        assert (humidity.value, humidity.quality, humidity.reason) == (None, "bad", "no value")
        assert hub.entities.get("cellar-rack/temperature").value == 11.5


def test_two_values_of_one_millisecond_are_two_readings_and_sent_again_they_are_the_same(
    service: Service, rack: Joined
) -> None:
    at = time.time() - 50_000
    packs = [[{"n": "temperature", "t": at, "v": value}] for value in (3.5, 4.5)]
    for _ in range(3):
        for pack in packs:
            assert rack.post(pack).json()["stored"] == 1
    both = [
        {"n": "temperature", "t": at + 10, "v": 5.5},
        {"n": "temperature", "t": at + 10, "v": 6.5},
    ]
    for _ in range(2):
        assert rack.post(both).json()["stored"] == 2
    with service.hub() as hub:
        values = [
            r.value for r in hub.entities.readings("cellar-rack/temperature", round(at * 1000) - 1)
        ]
        assert [value for value in values if value < 7] == [3.5, 4.5, 5.5, 6.5]


def test_each_value_has_its_own_time(service: Service, rack: Joined) -> None:
    rack.post([{"n": "temperature", "v": 11.0}, {"n": "humidity", "v": 80.0}]).raise_for_status()
    time.sleep(0.3)
    rack.post([{"n": "temperature", "v": 11.1}]).raise_for_status()
    with service.hub() as hub:
        temperature, humidity = (
            hub.entities.get("cellar-rack/temperature"),
            hub.entities.get("cellar-rack/humidity"),
        )
        assert temperature.heard_at is not None
        assert humidity.heard_at is not None
        assert temperature.heard_at - humidity.heard_at >= 250
        assert (
            next(n.heard_at for n in hub.nodes.list() if n.node == "cellar-rack")
            >= temperature.heard_at
        )
