"""A database of an earlier version: what it holds is there, in its new places."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys

from tests.house import CLIMATE, Service, description

BEFORE = "0009_retired_entities"
NO_VALUE = 24


def migrated(service: Service, to: str) -> None:
    """Its database as an earlier version had it."""
    (service.data / "hub.sqlite3").unlink()
    for app, name in (("records", to), ("accounts", None), ("sessions", None)):
        words = [sys.executable, "-m", "django", "migrate", app, *([name] if name else [])]
        subprocess.run(
            words,
            env={**service.environment, "DJANGO_SETTINGS_MODULE": "hombi.service.settings"},
            check=True,
            capture_output=True,
        )


def test_an_update_that_signs_every_browser_out_says_so(own_service: Service) -> None:
    migrated(own_service, "0005_messages_one_by_one")
    assert any("signs every browser out" in line for line in own_service.start().said)
    own_service.stop()
    own_service.said.clear()
    assert not any("signs every browser out" in line for line in own_service.start().said)


def test_what_was_stored_before_channels_is_all_there(own_service: Service) -> None:
    """A node whose humidity was once a level in another unit, with a reading of no
    value, an arrival, a radio node, and what links kept under bare names."""
    migrated(own_service, BEFORE)
    rack = {"description": description("Rack", **CLIMATE)}
    lamp = {"ieee": "00f15eed00000105", "description": description("Lamp", **CLIMATE)}
    with sqlite3.connect(own_service.data / "hub.sqlite3") as base:

        def insert(table: str, **values: object) -> int:
            names, marks = ", ".join(values), ", ".join("?" * len(values))
            done = base.execute(
                f"INSERT INTO records_{table} ({names}) VALUES ({marks})",
                tuple(values.values()),
            )
            return int(done.lastrowid or 0)

        def node(address: str, link: str, reach: dict[str, object]) -> int:
            return insert(
                "node", address=address, title=address, link=link, thing_id=f"urn:{address}",
                key_hash="", admitted_ms=1_000, removed=0, reach=json.dumps(reach),
            )  # fmt: skip

        def entity(of: int, name: str, kind: str, unit: str, *, retired: bool = False) -> int:
            return insert(
                "entity", node_id=of, name=name, title=name, kind=kind, wire_name=name,
                wire_unit=unit, low=0, high=100, writable=0, hidden=0, source="{}", sink="{}",
                retired=retired,
            )  # fmt: skip

        cellar, loft = node("cellar-rack", "wifi", rack), node("loft-lamp", "zigbee", lamp)
        old = entity(cellar, "humidity", "level", "%", retired=True)
        now = entity(cellar, "humidity", "humidity", "%RH")
        lost = entity(loft, "temperature", "temperature", "Cel")
        for number, at_ms, value, quality in (
            (old, 2_000, 5.0, 0),
            (now, 3_000, 81.5, 0),
            (now, 4_000, 0.0, NO_VALUE),
            (lost, 3_000, 11.0, 0),
        ):
            insert(
                "reading", entity_id=number, at_ms=at_ms, raw=value, value=value, quality=quality
            )
        insert(
            "arrival", id="a1", thing_id="urn:x", title="Beam", asked_ms=5, state="waiting",
            description=json.dumps(description("Beam", **CLIMATE)), proof="0" * 64,
            ticket_hash="t", wrong_codes=0, node="", reach="{}", asks="", link="", sender="",
        )  # fmt: skip
        insert("linkstate", key="cellar-rack\0main", state="{}")
        insert("linkstate", key="zigbee/network", state="{}")
    own_service.env["HOMBI_READINGS_KEEP"] = "36000 d"
    own_service.start()
    own_service.sign_in_first()
    with own_service.hub() as hub:
        single = hub.entities.readings("cellar-rack/humidity", 0, 5_000)
        found = [(r.at, r.value, r.quality) for r in single]
        assert found == [(3_000, 81.5, "good"), (4_000, None, "bad")]
        mean = hub.entities.history("cellar-rack/humidity", start=0, end=5_000).mean
        assert mean == [81.5], "a level of before is no part of the humidity's history"
        assert hub.entities.get("cellar-rack/humidity").quality == "bad"
        assert hub.entities.get("loft-lamp/temperature").shown == "11.0 °C"
        (arrival,) = hub.pairing.arrivals()
        assert [one.name for one in arrival.entities] == list(CLIMATE)
    own_service.stop()
    with sqlite3.connect(own_service.data / "hub.sqlite3") as base:
        channels = base.execute("SELECT number, kind, unit FROM records_channel WHERE number = 1")
        assert channels.fetchall() == [(1, "humidity", "%RH")]
        samples = base.execute(
            "SELECT at_ms, channel, sent FROM records_reading WHERE at_ms < 5000"
        )
        assert set(samples.fetchall()) == {
            (2_000, 0, 5.0), (3_000, 1, 81.5), (4_000, 1, None), (3_000, 0, 11.0),
        }  # fmt: skip
        reach = dict(base.execute("SELECT address, reach FROM records_node"))
        assert json.loads(reach["loft-lamp"]) == {"ieee": "00f15eed00000105"}
        kept = {key for (key,) in base.execute("SELECT key FROM records_linkstate")}
        assert {"wifi/cellar-rack\0main", "zigbee/network"} <= kept
