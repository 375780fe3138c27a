"""The contracts of the hub's ports: one suite, on the records in memory and on the
database."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from hombi.core.quality import Quality
from hombi.core.series import HOUR_MS, Reading, Rollup
from hombi.hub.acting.scenes_port import SceneRecord
from hombi.hub.automations.port import TextRecord
from hombi.hub.house import House, MqttAccount
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.hub.notices.port import NewNotice, PhoneRecord
from hombi.hub.records import Records
from hombi.hub.rooms.dashboards_port import DashboardRecord
from tests.memory import MemoryRecords
from tests.service import ports
from tests.service.ports import HUMIDITY, RACK, admit, loaded, rows

# Fixtures are found by their names.
database, records = ports.database, ports.records


class TestHouse:
    def test_what_is_stored_is_loaded_as_it_was(self, records: Records) -> None:
        floor = records.house.add_floor("Ground", 0)
        room = records.house.add_room("cheese-cellar", "Cheese cellar", floor, 0)
        _, entities = admit(records, room_id=room.id, offer={"title": "Rack"}, reach={"a": [1]})
        records.history.store(rows(entities["humidity"], 80.0, 81.5, None))
        house = loaded(records)
        node = house.nodes["cellar-rack"]
        assert node.room is not None
        assert (node.room.slug, node.room.floor.name) == ("cheese-cellar", "Ground")
        assert (node.offer.title, node.reach, node.thing_id) == ("Rack", {"a": [1]}, RACK)
        entity = node.entities["humidity"]
        assert entity.latest == Reading(2_020, 0, None, None, Quality.NO_VALUE)
        assert entity.wire_unit == "%RH"

    def test_a_node_that_comes_again_goes_on_with_its_history(self, records: Records) -> None:
        _, before = admit(records)
        records.history.store(rows(before["humidity"], 80.0))
        records.house.remove_node(loaded(records).nodes["cellar-rack"], keep_history=True)
        assert loaded(records).nodes == {}
        _, after = admit(records)
        assert after == before
        assert [r.value for r in records.history.single(after["humidity"], 0, 9_000, 9)] == [80.0]

    def test_another_unit_is_another_channel_and_its_readings_stay(self, records: Records) -> None:
        warm = NewEntity("air", "Air", "temperature", "air", "Cel", -40.0, 85.0, False)
        _, entities = admit(records, warm)
        node = loaded(records).nodes["cellar-rack"]
        number = entities["air"]
        records.history.store(rows(number, 11.0))
        other = NewEntity("air", "Air", "temperature", "air", "[degF]", -40.0, 85.0, False)
        again, channels = records.house.add_entity(node, other, 5_000)
        assert again == number
        assert (channels.now.number, channels.now.unit, len(channels)) == (1, "[degF]", 2)
        back, channels = records.house.add_entity(node, warm, 6_000)
        assert (back, channels.now.number, len(channels)) == (number, 0, 2)
        assert [r.sent for r in records.history.single(number, 0, 9_000, 9)] == [11.0]

    def test_without_its_history_nothing_of_a_node_is_left(self, records: Records) -> None:
        _, entities = admit(records)
        number = entities["humidity"]
        records.history.store(rows(number, 80.0))
        hour = Rollup(0, 0, 1, 80.0, 80.0, 80.0, 80.0, 9)
        records.history.put_rollups(number, HOUR_MS, 0, 1, [hour])
        records.history.mark_stale([(number, 0)])
        records.house.remove_node(loaded(records).nodes["cellar-rack"], keep_history=False)
        assert loaded(records).nodes == {}
        assert records.history.single(number, 0, 9_000, 9) == []
        assert records.history.rollups(number, HOUR_MS, 0, 9_000) == []
        assert records.history.stale(9) == []

    def test_an_entity_goes_with_its_history_and_its_neighbour_stays(
        self, records: Records
    ) -> None:
        other = NewEntity("air", "Air", "temperature", "air", "Cel", -40.0, 85.0, False)
        _, entities = admit(records, HUMIDITY, other)
        records.history.store(rows(entities["humidity"], 80.0) + rows(entities["air"], 11.0))
        records.house.remove_entity(loaded(records).nodes["cellar-rack"].entities["humidity"])
        assert set(loaded(records).nodes["cellar-rack"].entities) == {"air"}
        assert records.history.single(entities["humidity"], 0, 9_000, 9) == []
        assert len(records.history.single(entities["air"], 0, 9_000, 9)) == 1


class TestOthers:
    def test_arrivals(self, records: Records) -> None:
        arrival = ArrivalRecord("a1", RACK, "Rack", {"title": "Rack"}, "p", "t", 5, sender="x")
        records.pairing.save(arrival)
        arrival.state, arrival.wrong_codes = "admitted", 2
        records.pairing.save(arrival)
        assert records.pairing.arrivals() == [arrival]
        records.pairing.remove("a1")
        records.pairing.remove("a1")
        assert records.pairing.arrivals() == []

    def test_an_admission_and_its_arrival_are_one(self, records: Records) -> None:
        arrival = ArrivalRecord("a1", RACK, "Rack", {}, "p", "t", 5, state="admitted")
        new = NewNode("cellar-rack", "Rack", "wifi", RACK, None, 1_000, (HUMIDITY,))
        records.house.admit(new, arrival)
        assert [one.state for one in records.pairing.arrivals()] == ["admitted"]

    def test_automations(self, records: Records) -> None:
        first = records.automations.add("dry", "one")
        second = records.automations.add("wet", "two")
        first.text, first.enabled, first.state = "new", False, {"phase": "holding"}
        records.automations.save(first)
        records.automations.remove(second)
        records.automations.save(second)
        assert [
            (one.slug, one.text, one.enabled, one.state) for one in records.automations.all()
        ] == [("dry", "new", False, {"phase": "holding"})]

    def test_the_journal(self, records: Records) -> None:
        entries = [
            JournalEntry(
                1_000 + number,
                "Even" if number % 2 == 0 else "Odd",
                f"entry {number}",
                by="ada",
                node="cellar-rack" if number > 3 else "",
                data={"n": number},
            )
            for number in range(6)
        ]
        numbers = [*records.journal.add(entries[:1]), *records.journal.add(entries[1:])]
        assert numbers == sorted(set(numbers))
        assert [entry.id for entry in reversed(records.journal.entries(10))] == numbers
        every = records.journal.entries(10)
        assert [one.text for one in every] == [f"entry {n}" for n in (5, 4, 3, 2, 1, 0)]
        assert (every[0].by, every[0].data) == ("ada", {"n": 5})
        third = every[3].id
        assert [entry.data["n"] for entry in records.journal.entries(2, before=third)] == [1, 0]
        assert [entry.data["n"] for entry in records.journal.entries(9, after=third)] == [5, 4, 3]
        assert [entry.data["n"] for entry in records.journal.entries(9, event="Odd")] == [5, 3, 1]
        assert len(records.journal.entries(9, node="cellar-rack")) == 2
        assert len(records.journal.entries(9, since_ms=1_004)) == 2
        started = (("dry", 2_000), ("dry", 2_005), ("wet", 2_001), ("wet", 2_002), ("", 2_009))
        records.journal.add([JournalEntry(at, "Begun", "x", automation=n) for n, at in started])
        assert records.journal.moments("Begun", 2_003) == {"dry": [2_005], "wet": [2_002]}
        assert records.journal.moments("Begun", 0)["wet"] == [2_001, 2_002]

    def test_notices(self, records: Records) -> None:
        phone = records.notices.add_phone(
            PhoneRecord(0, "Ada’s phone", "ada", "https://push.example/1", "k", "a", 1)
        )
        gone = records.notices.add_phone(
            PhoneRecord(0, "Old phone", "ada", "https://push.example/2", "k", "a", 1)
        )
        assert 0 < phone.id != gone.id
        notice = NewNotice("n1", "Dry", "The rack is dry.", "/", 5)
        deliveries = records.notices.add_notice(notice, [phone, gone])
        assert [delivery.phone for delivery in deliveries] == ["Ada’s phone", "Old phone"]
        deliveries[0].state, deliveries[0].attempts = "delivered", 1
        records.notices.save(deliveries[0])
        assert [one.id for one in records.notices.waiting()] == [deliveries[1].id]
        records.notices.remove_phone(gone.id)
        assert records.notices.waiting() == []
        assert {one.phone for one in records.notices.latest(9)} == {"Ada’s phone", "Old phone"}
        assert [one.name for one in records.notices.phones()] == ["Ada’s phone"]
        assert records.notices.push_key("first") == records.notices.push_key("second") == "first"

    def test_mqtt_accounts(self, records: Records) -> None:
        account = MqttAccount("boards", "hash", ["boards/#"], [], 5)
        records.mqtt_accounts.save(account)
        account.publish = ["boards/out"]
        records.mqtt_accounts.save(account)
        assert records.mqtt_accounts.all() == [account]
        records.mqtt_accounts.remove("boards")
        assert records.mqtt_accounts.all() == []

    def test_what_is_kept(self, records: Records) -> None:
        records.keeping.keep({"zigbee/network": {"pan": 7}, "wifi/x\0y": {"a": [1, None]}})
        records.keeping.keep({"zigbee/network": {"pan": 8}, "wifi/x\0y": None, "nothing": None})
        assert records.keeping.all() == {"zigbee/network": {"pan": 8}}


def test_what_fails_together_leaves_nothing(database: Callable[[], Records]) -> None:
    records = database()

    def half() -> None:
        with records.together():
            records.mqtt_accounts.save(MqttAccount("boards", "hash", [], [], 5))
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        half()
    assert records.mqtt_accounts.all() == []


def test_scenes_are_kept(database: Callable[[], Records]) -> None:
    for records in (MemoryRecords(), database()):
        for one in (("b", "B", {"x/y": 1.0}), ("a", "A", {}), ("b", "B2", {"x/y": 0.5})):
            records.scenes.save(SceneRecord(*one))
        assert records.scenes.all() == [SceneRecord("a", "A"), SceneRecord("b", "B2", {"x/y": 0.5})]
        records.scenes.remove("a")
        assert [one.slug for one in records.scenes.all()] == ["b"]


def test_dashboards_are_kept_and_go_with_their_room(database: Callable[[], Records]) -> None:
    for records in (MemoryRecords(), database()):
        house = House()
        records.house.load(house)
        floor = next(iter(house.floors.values()), None) or records.house.add_floor("Pages", 9)
        room = records.house.add_room("tile-room", "Tile room", floor, 0)
        own = DashboardRecord("evening", "Evening", "", [{"sort": "text", "text": "x"}])
        beside = DashboardRecord("room-tile-room", "Tile room", "tile-room", [])
        for one in (own, beside, DashboardRecord("room-none", "None", "no-room", [])):
            records.dashboards.save(one)
        assert sorted(one.slug for one in records.dashboards.all()) == ["evening", "room-tile-room"]
        other = DashboardRecord("evening", "Late", "", [])
        records.dashboards.save(other)
        assert other in records.dashboards.all()
        records.house.remove_room(room)
        assert records.dashboards.all() == [other], "it went with its room"
        records.dashboards.remove("evening")
        assert records.dashboards.all() == []


def test_sequences_are_kept_by_their_slug(records: Records) -> None:
    records.sequences.save("close-up", 'name = "Close up"\n')
    records.sequences.save("air", "a")
    records.sequences.save("close-up", "b")
    assert list(records.sequences.all().items()) == [("air", "a"), ("close-up", "b")]
    records.sequences.remove("air")
    records.sequences.remove("gone")
    assert records.sequences.all() == {"close-up": "b"}


def test_the_texts_of_an_automation_are_kept_so_many_of_them(records: Records) -> None:
    texts = [TextRecord(n, "ada", f"text {n}") for n in range(5)]
    for text in texts:
        records.automations.keep_text("mist", text, 3)
    records.automations.keep_text("lamp", texts[0], 3)
    assert records.automations.texts("mist") == texts[:1:-1]
    assert records.automations.texts("lamp") == texts[:1]
    assert records.automations.texts("fan") == []
