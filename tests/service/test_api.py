"""The API on the wire: shapes, errors as problem details, and bad input that loses
nothing."""

from __future__ import annotations

import threading
import time

import httpx
import pytest

from hombi import __version__
from hombi.client import Conflict, HubProblem, Missing, Wrong
from tests.house import CLIMATE, Joined, Service, call, description, let_in


def test_health_says_whether_the_hub_works(service: Service) -> None:
    assert httpx.get(f"{service.url}/api/health").json() == {"status": "ok", "version": __version__}


def test_history_is_buckets_with_mean_lowest_and_highest(service: Service) -> None:
    node = let_in(service, description("Ledge", **CLIMATE), "Terrace")
    now = round(time.time()) - 3600
    node.post(
        [
            {"bn": "", "bt": now, "n": "temperature", "t": place * 10, "v": 10 + place % 4}
            for place in range(100)
        ]
    )
    node.post([{"n": "temperature", "t": now + 5, "v": 900}])
    with service.hub() as hub:
        result = hub.entities.history(
            "ledge/temperature", start=now * 1000, end=(now + 1000) * 1000, points=10
        )
        assert result.width_ms == 100_000
        assert result.count == [10] * 10
        whole = 10 * sum(10 + n % 4 for n in range(10))
        assert result.mean[0] == pytest.approx((whole - 5 * 10) / 95), "until the bad one"
        assert result.mean[4] == pytest.approx(whole / 100)
        assert (min(result.low), max(result.high)) == (10, 13), "the bad one is left out"
        assert result.at[0] == now * 1000 + 50_000
        pages = list(hub.entities.readings("ledge/temperature", now * 1000))
        assert len(pages) == 101
        assert [r.reason for r in pages if r.quality == "bad"] == ["out of range"]


def test_readings_come_page_by_page(service: Service) -> None:
    node = let_in(service, description("Shelf", **CLIMATE), "Terrace")
    start = round(time.time()) - 3000
    node.post([{"bt": start, "n": "humidity", "t": n, "v": n % 100} for n in range(2500)])
    with service.hub() as hub:
        result = list(hub.entities.readings("shelf/humidity", start * 1000))
    assert [r.at for r in result] == [(start + n) * 1000 for n in range(2500)]


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("span=century", "span=century is not known; use hour, day, week, month, year"),
        ("points=0", "points must be 1 to 2000"),
        ("points=many", "not a whole number"),
        ("start=5&end=5", "start must come before end"),
        ("start=-1", "out of range"),
        ("end=99999999999999999999", "out of range"),
    ],
)
def test_wrong_spans_are_refused(service: Service, rack: Joined, query: str, said: str) -> None:
    answer = call(service, "GET", f"/api/entities/cellar-rack/humidity/history?{query}")
    assert answer.status_code == 422
    assert said in answer.json()["detail"]


def test_names_that_do_not_exist_come_with_the_nearest(service: Service, rack: Joined) -> None:
    with service.hub() as hub:
        with pytest.raises(Missing, match=r"did you mean cellar-rack/humidity\?"):
            hub.entities.get("cellar-rack/humidty")
        with pytest.raises(Missing, match=r"did you mean cheese-cellar\?"):
            hub.entities.list(room="cheese-celar")
        with pytest.raises(Missing, match=r"did you mean cellar-rack\?"):
            hub.entities.list(node="cellar-rak")
        with pytest.raises(Missing, match=r"did you mean cellar-rack/humidity\?"):
            hub.entities.set("cellar-rack/humidty", "on")
        with pytest.raises(Missing, match="no automation nothing"):
            hub.automations.get("nothing")
        with pytest.raises(Missing, match="no contact 99"):
            hub.contacts.test(99)


def test_rooms_and_floors_in_the_order_the_person_wants(service: Service, rack: Joined) -> None:
    with service.hub() as hub:
        hub.floors.add("Attic")
        for name in ("North", "South", "East"):
            hub.rooms.add(name, "Attic")
        hub.rooms.move("east", position=0)
        hub.rooms.rename("south", "Sunny side")

        def attic() -> list[str]:
            return next([r.name for r in f.rooms] for f in hub.house().floors if f.name == "Attic")

        assert attic() == ["East", "North", "Sunny side"]
        rooms = hub.rooms.list()
        assert [one.room for one in rooms][-3:] == ["east", "north", "south"]
        assert rooms == [room for floor in hub.house().floors for room in floor.rooms]
        ground = hub.house().floors[0].name
        hub.rooms.move("north", floor=ground)
        assert attic() == ["East", "Sunny side"]
        hub.rooms.remove("north")
        with pytest.raises(Conflict, match=r"not empty \(.*cellar-rack"):
            hub.rooms.remove("cheese-cellar")
        with pytest.raises(Wrong, match="there is a room East already"):
            hub.rooms.add("East")
        for position in (-1, 10**30):
            with pytest.raises(Wrong, match="position"):
                hub.floors.add("Sky", position)
        with pytest.raises(Missing, match="no floor Cloud"):
            hub.rooms.add("West", "Cloud")


def test_a_node_is_renamed_moved_and_taken_out_its_history_kept(service: Service) -> None:
    thing = description("Wanderer", **CLIMATE)
    node = let_in(service, thing, "Loft")
    node.post([{"n": "humidity", "v": 50}])
    with service.hub() as hub:
        hub.nodes.rename("wanderer", "Roof rat")
        changed = hub.nodes.move("wanderer", "Gallery")
        assert (changed.node, changed.title, changed.room) == ("wanderer", "Roof rat", "gallery")
        hub.nodes.remove("wanderer")
        with pytest.raises(Missing):
            hub.entities.get("wanderer/humidity")
        assert node.post([{"n": "humidity", "v": 51}]).status_code == 401
        let_in(service, thing, "Loft")
        since = round(time.time() * 1000) - 60_000
        assert [r.value for r in hub.entities.readings("wanderer/humidity", since)] == [50]
        hub.nodes.remove("wanderer", keep_history=False)
        node = let_in(service, thing, "Loft")
        assert list(hub.entities.readings("wanderer/humidity", since)) == []


def test_readings_on_their_way_when_a_node_is_taken_out_hold_nobody_up(
    service: Service, rack: Joined
) -> None:
    for number in range(6):
        node = let_in(service, description(f"Fleeting {number}", **CLIMATE), "Loft")
        start = round(time.time()) - 3000
        pack = [{"n": "humidity", "t": start + n, "v": n % 100} for n in range(2500)]
        sending = threading.Thread(target=lambda node=node, pack=pack: node.post(pack))
        sending.start()
        with service.hub() as hub:
            hub.nodes.remove(node.node, keep_history=False)
        sending.join(20)
        assert not sending.is_alive()
    assert rack.post([{"n": "humidity", "v": 70}]).json()["stored"] == 1
    assert httpx.get(f"{service.url}/api/health").json()["status"] == "ok"


def test_automations_are_checked_added_changed_and_removed(
    service: Service, rack: Joined, mister: Joined
) -> None:
    text = (
        '# kept\nname = "Too dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "20 %"\n\n'
        '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
    )
    with service.hub() as hub:
        checked = hub.automations.check(text.replace("humidity", "humidty"))
        assert not checked.ok
        assert (checked.mistakes[0].line, checked.mistakes[0].column) == (4, 10)
        assert checked.mistakes[0].source_line == 'entity = "cellar-rack/humidty"'
        with pytest.raises(Wrong) as refused:
            hub.automations.add(text.replace("20 %", "20 hPa"))
        assert refused.value.mistakes[0].line == 5
        added = hub.automations.add(text)
        assert added.automation == "too-dry"
        assert added.text == text
        assert hub.automations.duty("too-dry", on=False).enabled is False
        assert hub.automations.change("too-dry", text=text + "\n# more\n").text.endswith("# more\n")
        assert [a.automation for a in hub.automations.list()] == ["too-dry"]
        hub.automations.remove("too-dry")
        assert hub.automations.list() == []


def test_the_form_writes_a_checked_text(service: Service, rack: Joined, mister: Joined) -> None:
    blanks = {
        "name": "Dry",
        "entity": "cellar-rack/humidity",
        "condition": "under",
        "limit": "82 %",
        "switch": "cellar-mister/switch",
    }
    written = call(service, "POST", "/api/automations/write", json=blanks).json()
    assert written["ok"]
    assert 'under = "82 %"' in written["text"]
    assert written["sentence"].startswith("When Cellar rack humidity is under 82 %")
    assert (
        call(
            service, "POST", "/api/automations/write", json={**blanks, "condition": "beside"}
        ).status_code
        == 400
    )


def test_the_journal_comes_newest_first_page_by_page(service: Service, rack: Joined) -> None:
    with service.hub() as hub:
        entries = list(hub.journal(page_size=5))
        ids = [e.id for e in entries]
        assert ids == sorted(ids, reverse=True)
        assert len(ids) > 5
        assert {e.event for e in hub.journal(event="NodeAdmitted", node="cellar-rack")} == {
            "NodeAdmitted"
        }


def test_what_is_not_there_is_a_problem_too(service: Service) -> None:
    answer = call(service, "GET", "/api/nothing")
    assert (answer.status_code, answer.headers["content-type"]) == (404, "application/problem+json")
    answer = call(service, "PUT", "/api/house")
    assert (answer.status_code, answer.headers["content-type"]) == (405, "application/problem+json")


def test_a_body_that_is_too_large_is_refused_before_it_is_read(
    service: Service, rack: Joined
) -> None:
    large = b"[" + b" " * (1024 * 1024) + b"]"
    assert rack.post(large, raw=True).status_code == 413
    value = f"{service.url}/api/intake/cellar-rack/humidity"
    assert httpx.post(value, content=b" " * 300_000).status_code == 413, "one value is small"
    chunks = (b" " * 65536 for _ in range(200))
    answer = httpx.post(
        f"{service.url}/api/arrivals", content=chunks, headers={"Content-Type": "application/json"}
    )
    assert answer.status_code == 413
    assert "at most 256 kB" in answer.json()["detail"]


def test_the_schema_is_openapi_3_and_names_every_path(service: Service) -> None:
    schema = httpx.get(
        f"{service.url}/api/schema", headers={"Accept": "application/vnd.oai.openapi+json"}
    ).json()
    assert schema["openapi"].startswith("3.")
    for path in (
        "/api/intake",
        "/api/live",
        "/api/entities/{node}/{name}/history",
        "/api/arrivals/{arrival}/admit",
    ):
        assert path in schema["paths"]
    for operations in schema["paths"].values():
        for operation in operations.values():
            assert "application/problem+json" in operation["responses"]["default"]["content"]


def test_the_console_is_served_for_every_page_of_its_own(service: Service) -> None:
    for path in ("/", "/rooms/cheese-cellar", "/settings"):
        answer = httpx.get(service.url + path)
        assert answer.status_code == 200
        assert '<div id="root">' in answer.text
        assert "default-src 'self'" in answer.headers["content-security-policy"]
    assert (
        httpx.get(f"{service.url}/manifest.webmanifest").headers["content-type"]
        == "application/manifest+json"
    )
    assert httpx.get(f"{service.url}/nothing.js").status_code == 404
    assert httpx.get(f"{service.url}/..%2f..%2fsettings.py").status_code == 404


@pytest.mark.parametrize(
    "address",
    [
        "\u00e6\u0092\u00bc&\u0010!",
        "http://a..b/",
        "x" * 70 + ".lan",
        "http://[::1",
        "http://loft.local:99999/",
    ],
)
def test_an_address_that_is_none_is_said_in_words(service: Service, address: str) -> None:
    with service.hub() as hub, pytest.raises(HubProblem) as error:
        hub.pairing.look(address)
    assert error.value.status == 422
    assert error.value.detail


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (b'{"title": "%s"}' % (b"x" * 200), "title: expected a text of at most 120 characters"),
        (b'{"titel": "x"}', "titel means nothing here; did you mean title?"),
        (b'{"%s": 1}' % (b"k" * 100_000), "k" * 60 + " means nothing here"),
        (b'{"title": "\\ud800"}', "this is not JSON"),
        (b'{"title": "\xff"}', "this is not JSON"),
        (b'{"title": NaN}', "this is not JSON"),
        (b'{"a":' * 3_000 + b"1" + b"}" * 3_000, "nested deeper than 64 levels"),
        ('{"title": "x"}'.encode("utf-16"), "this is not JSON"),
    ],
)
def test_a_body_that_is_wrong_is_said_in_words_and_briefly(
    service: Service, rack: Joined, body: bytes, said: str
) -> None:
    headers = {"Authorization": f"Bearer {service.token}", "Content-Type": "application/json"}
    answer = httpx.patch(f"{service.url}/api/nodes/cellar-rack", content=body, headers=headers)
    assert answer.status_code == 400
    assert said in answer.json()["detail"]
    assert len(answer.content) < 500
