"""What links with a radio of their own bring: interviews, nodes that leave, batteries
that run down, values that are none."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec.structs import replace

from hombi.core.quality import Quality
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import Invalid, Refused
from hombi.hub.nodes.admission import AdmitArrival, TurnAway
from hombi.hub.nodes.entities import ChangeEntity
from hombi.links.base import Asking, Found
from hombi.links.thing_description import read_description
from tests.house import CLIMATE, PLUG, description
from tests.hub.parts import rig, settle

LAMP = description("Loft lamp", **PLUG)


def asking(progress: str, *, over: bool = False) -> Asking:
    return Asking("wifi", LAMP["id"], "Zigbee node 000105", progress, over)


def saying(thing: dict[str, Any]) -> Found:
    return Found(LAMP["id"], read_description(thing).offer, {"ieee": "00f1"}, "wifi")


def found(*notes: str) -> Found:
    offer = read_description(LAMP).offer
    return Found(LAMP["id"], replace(offer, left_out=notes), {"ieee": "00f1"}, "wifi")


async def test_an_interview_is_watched_and_becomes_the_same_arrival() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.asking(asking("asking what it has, 1 of 5"))
        (arrival,) = r.hub.pairing.waiting()
        r.hub.nodes.asking(asking("asking what it has, 3 of 5"))
        assert (arrival.record.state, arrival.progress) == ("asking", "asking what it has, 3 of 5")
        assert r.hub.needs()[0].text == "Zigbee node 000105 is being asked what it has"
        assert r.records.pairing.arrivals() == [], "a restart begins it again"
        with pytest.raises(
            Refused, match="still being asked what it has: asking what it has, 3 of 5"
        ):
            await r.do(AdmitArrival(arrival.record.id, "", "", ""))
        r.hub.nodes.found(found("power: unreportable"))
        await settle()
        (after,) = r.hub.pairing.waiting()
        assert (after.record.id, after.record.state, after.offer.left_out) == (
            arrival.record.id,
            "waiting",
            ("power: unreportable",),
        )
        node = await r.do(AdmitArrival(after.record.id, "", "", "Loft"))
        assert node.reach["ieee"] == "00f1"
        r.hub.nodes.asking(asking("asking what it has, 1 of 5"))
        assert r.hub.pairing.waiting() == [], "it is in"


async def test_an_interview_may_end_without_an_arrival() -> None:
    async with rig() as r:
        r.hub.nodes.asking(asking("asking what it has, 1 of 5"))
        assert r.hub.pairing.waiting() == [], "the window is closed"
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.asking(asking("asking what it has, 1 of 5"))
        r.hub.nodes.asking(asking("it has left again", over=True))
        await settle()
        assert r.hub.pairing.waiting() == []
        r.hub.nodes.asking(asking("asking what it has, 1 of 5"))
        (arrival,) = r.hub.pairing.waiting()
        await r.do(TurnAway(arrival.record.id))
        assert r.link.dismissed == [LAMP["id"]]
        assert r.hub.pairing.waiting() == []


async def test_an_interview_that_outlasts_the_window_ends_as_an_arrival() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.asking(asking("asking what it has, 4 of 5"))
        await r.clock.forward(60_000)
        assert not r.link.open
        r.hub.nodes.asking(asking("asking what it has, 5 of 5"))
        r.hub.nodes.found(found())
        await settle()
        assert [a.record.state for a in r.hub.pairing.waiting()] == ["waiting"]


async def test_what_did_not_answer_is_gone_when_the_window_is_opened_again() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.asking(asking("it does not answer"))
        r.hub.pairing.close_window()
        assert len(r.hub.pairing.waiting()) == 1
        r.hub.pairing.open_window(60_000)
        assert r.hub.pairing.waiting() == []


async def test_a_node_that_leaves_is_marked_until_it_is_back() -> None:
    async with rig() as r:
        await r.let_in("Workshop door", **CLIMATE)
        node = r.hub.house.node("workshop-door")
        r.hub.nodes.left("workshop-door")
        r.hub.nodes.left("workshop-door")
        await settle()
        assert r.events().count("NodeLeft") == 1
        assert [need.kind for need in r.hub.needs()] == ["left"]
        await r.clock.forward(86_400_000)
        r.hub.nodes.look_for_silent()
        assert not node.silent, "it is known where it is not"
        r.hub.nodes.alive("workshop-door")
        assert (node.left, node.here, node.heard_ms) == (False, True, r.clock.now)
        assert r.hub.needs() == []


async def test_a_sign_of_life_is_no_reading() -> None:
    async with rig() as r:
        await r.let_in("Cellar rack", **CLIMATE)
        r.say("cellar-rack", "humidity", 84)
        await r.clock.forward(60_000)
        r.hub.nodes.alive("cellar-rack")
        r.hub.nodes.alive("nobody")
        node = r.hub.house.node("cellar-rack")
        assert node.heard_ms == r.clock.now
        assert node.entities["humidity"].latest is not None
        assert node.entities["humidity"].latest.at_ms == r.clock.now - 60_000


async def test_no_value_is_bad_with_a_reason_and_no_number() -> None:
    async with rig() as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 84)
        await r.clock.forward(1_000)
        r.say("cellar-rack", "humidity", None)  # type: ignore[arg-type]
        await settle()
        latest = r.hub.house.entity("cellar-rack/humidity").latest
        assert latest is not None
        assert (latest.sent, latest.value) == (None, None)
        assert (latest.quality.level, latest.quality.reason) == ("bad", "no value")
        stored = list(r.records.history.readings.values())[-1]
        assert (stored.sent, stored.value, stored.quality) == (None, None, Quality.NO_VALUE)


async def test_a_low_battery_is_said_once() -> None:
    async with rig() as r:
        battery = {"battery": {"type": "number", "unit": "%", "readOnly": True}}
        await r.let_in("Hen house perch", **battery)
        for level in (60, 10, 9, 11, 8, 95, 7):
            r.say("hen-house-perch", "battery", level)
        await settle()
        assert r.events().count("BatteryLow") == 2
        assert [need.kind for need in r.hub.needs()] == ["battery"]


async def test_other_and_toggle_are_the_other_state() -> None:
    async with rig() as r:
        await r.cellar()
        with pytest.raises(Invalid, match="has not told its state yet"):
            r.hub.actuation.check("cellar-mister/switch", "toggle")
        r.say("cellar-mister", "switch", True)
        assert r.hub.actuation.check("cellar-mister/switch", "other")[1] == 0.0


async def test_what_is_wrong_with_a_link_is_said_once_and_when_it_is_well() -> None:
    async with rig() as r:
        for what in ("the stick is gone", "the stick is gone", ""):
            r.hub.nodes.trouble("zigbee", what)
        await settle()
        assert [e for e in r.events() if e.startswith("Link")] == ["LinkTroubled", "LinkWell"]
        assert r.hub.needs() == []


async def test_a_node_that_says_more_than_before_has_more_entities_and_keeps_the_others() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.found(found())
        await settle()
        node = await r.do(
            AdmitArrival(r.hub.pairing.waiting()[0].record.id, "", "Loft lamp", "Loft")
        )
        await r.do(ChangeEntity("loft-lamp/power", "Draw", None))
        starts = '[[starts]]\nswitch = "loft-lamp/switch"\nto = "off"\n'
        text = 'name = "Dim"\n[watch]\nentity = "loft-lamp/level"\nover = "50 %"\n' + starts
        with pytest.raises(Invalid, match="1 mistake"):
            await r.do(AddAutomation(text))
        level = {"type": "number", "@type": "level", "unit": "%"}
        power = {
            "title": "Power, measured better",
            "type": "number",
            "@type": "power",
            "unit": "kW",
            "readOnly": True,
        }
        more = description("Loft lamp", **{**PLUG, "level": level, "power": power})
        for _ in range(2):
            r.hub.nodes.found(saying(more))
        await settle()
        assert [(e.text, e.node) for e in r.records.journal.all if e.event == "NodeDescribed"] == [
            ("Loft lamp has new values: level", "loft-lamp")
        ]
        assert node.entities["power"].title == "Draw"
        assert {entity.name for entity in r.link.known["loft-lamp"].entities} == {
            "switch",
            "power",
            "level",
        }
        r.say("loft-lamp", "power", 0.04, "kW")
        assert node.entities["power"].latest is not None
        assert node.entities["power"].latest.value == pytest.approx(40.0)
        await r.do(AddAutomation(text))
        r.hub.nodes.found(saying(LAMP))
        await settle()
        assert "level" in node.entities, "nothing is taken away"


async def test_an_arrival_that_says_more_is_the_same_arrival() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        r.hub.nodes.found(found())
        await settle()
        (first,) = r.hub.pairing.waiting()
        more = description("Loft lamp", **{**PLUG, **CLIMATE})
        r.hub.nodes.found(saying(more))
        await settle()
        (now,) = r.hub.pairing.waiting()
        assert (now.record.id, len(now.offer.values)) == (first.record.id, 4)
