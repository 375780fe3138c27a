"""What a person says of an entity: what it is called, and what it is."""

from __future__ import annotations

import errno
from typing import Any

import pytest

from hombi.core.quality import Quality
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import Invalid
from hombi.hub.kernel import Change, Event
from hombi.hub.nodes.admission import AdmitArrival, EntityChoice
from hombi.hub.nodes.described import ChangeKind
from hombi.hub.nodes.entities import ChangeEntity
from hombi.hub.nodes.feature import ChangeNode, RemoveNode
from hombi.hub.nodes.picks import AddNode, AddPosted
from hombi.hub.rooms.feature import ChangeRoom
from tests.house import description
from tests.hub.parts import Rig, rig, settle

PLAIN = {"depth": {"type": "number", "readOnly": True}, "level": {"type": "number", "unit": "%"}}


async def weir(r: Rig, **choices: EntityChoice) -> None:
    r.hub.pairing.open_window(60_000)
    arrival, _ = await r.hub.pairing.ask(description("Weir", **PLAIN), "0" * 64)
    arrival.record.proof = ""
    await r.do(AdmitArrival(arrival.record.id, "", "Weir", "", entities=choices))


async def test_another_kind_begins_anew_and_the_past_keeps_what_it_was() -> None:
    async with rig() as r:
        await weir(r)
        depth = r.hub.house.entity("weir/depth")
        assert (depth.kind.name, depth.history_channels()) == ("distance", [0])
        r.say("weir", "depth", 2.0)
        await settle()
        await r.do(ChangeKind("weir/depth", "temperature", "°F"))
        assert depth.kind.name == "temperature"
        assert depth.latest is None, "what it was before says nothing of what it is now"
        assert depth.history_channels() == [1]
        r.say("weir", "depth", 50.0)
        await settle()
        assert depth.latest is not None
        assert depth.latest.value == pytest.approx(10.0)
        single = r.records.history.single(depth.id, 0, 2**60, 10)
        assert [(one.channel, one.sent) for one in single] == [(0, 2.0), (1, 50.0)]
        await r.do(ChangeKind("weir/depth", "distance"))
        assert depth.history_channels() == [0], "the first channel is taken up again"


async def test_the_kind_that_was_chosen_outlives_a_restart_and_a_new_description() -> None:
    async with rig() as r:
        await weir(r, depth=EntityChoice("", False, "rain", "mm"))
        depth = r.hub.house.entity("weir/depth")
        assert (depth.kind.name, depth.wire_unit) == ("rain", "mm")
        r.say("weir", "depth", 1.5)
        await settle()
        assert depth.latest is not None
        assert (depth.latest.value, depth.latest.quality) == (1.5, Quality.GOOD)
        before = r.hub.house.node("weir")
        await r.do(RemoveNode("weir"))
        r.hub.pairing.open_window(60_000)
        more = {**PLAIN, "flow": {"type": "number", "unit": "l/min", "readOnly": True}}
        arrival, _ = await r.hub.pairing.ask(description("Weir", **more), "0" * 64)
        arrival.record.proof = ""
        await r.do(AdmitArrival(arrival.record.id, "", "Weir", ""))
        assert before.thing_id == r.hub.house.node("weir").thing_id


async def test_an_automation_that_does_not_fit_any_more_says_so() -> None:
    async with rig() as r:
        await weir(r)
        runner = await r.do(
            AddAutomation(
                'name = "High"\n[watch]\nentity = "weir/depth"\nover = "1 m"\n'
                '[[starts]]\nnotify = "everyone"\ntitle = "High"\n'
            )
        )
        assert runner.at_work
        await r.do(ChangeKind("weir/depth", "temperature"))
        after = r.hub.automations.find("high")
        assert not after.at_work
        assert "m" in after.mistakes[0].what


@pytest.mark.parametrize(
    ("kind", "unit", "said"),
    [
        ("temp", "", "there is no kind temp; did you mean temperature"),
        ("temperature", "hPa", "hPa measures pressure"),
        ("contact", "%", "a contact has no unit"),
    ],
)
async def test_what_cannot_be_is_refused_and_changes_nothing(
    kind: str, unit: str, said: str
) -> None:
    async with rig() as r:
        await weir(r)
        with pytest.raises(Invalid, match=said):
            await r.do(ChangeKind("weir/depth", kind, unit))
        assert r.hub.house.entity("weir/depth").kind.name == "distance"


async def test_a_value_that_is_posted_may_be_another_kind_too() -> None:
    async with rig() as r:
        await r.do(AddNode("Board"))
        entity = await r.do(AddPosted("board", "Turns", "number"))
        await r.do(ChangeKind("board/turns", "frequency", "1/min"))
        assert (entity.kind.name, entity.wire_unit) == ("frequency", "1/min")
        assert entity.source == {"via": "http", "pointer": ""}


async def test_a_bare_number_is_in_the_unit_that_is_shown() -> None:
    async with rig() as r:
        await weir(r)
        await r.do(CommandEntity("weir/level", "40"))
        await r.do(CommandEntity("Weir/Level", "0.5 1"))
        assert [wanted.value for _, wanted in r.link.sent] == [40.0, 50.0]
        with pytest.raises(Invalid, match="beyond what a level can be"):
            await r.do(CommandEntity("weir/level", "140"))


async def test_a_pointer_that_is_none_is_refused() -> None:
    async with rig() as r:
        await r.do(AddNode("Board"))
        with pytest.raises(Invalid, match="climate/t"):
            await r.do(AddPosted("board", "Air", "temperature", pointer="climate/t"))


@pytest.mark.parametrize(
    ("change", "saves"),
    [
        (ChangeNode("cellar-rack", "Other"), "save_node"),
        (ChangeNode("cellar-rack", room="Loft"), "save_node"),
        (ChangeNode("cellar-rack", "Other", "A new room"), "save_node"),
        (ChangeNode("cellar-rack", "Other", "A new room"), "add_room"),
        (ChangeKind("cellar-rack/humidity", "moisture"), "add_entity"),
        (
            ChangeKind(
                "cellar-rack/humidity",
                "moisture",
                rest=ChangeEntity("cellar-rack/humidity", title="Other"),
            ),
            "save_entity",
        ),
        (
            ChangeEntity("cellar-rack/humidity", title="Other", hidden=True, seen_in="%"),
            "save_entity",
        ),
        (ChangeRoom("cheese-cellar", name="Cave"), "save_room"),
    ],
)
async def test_what_cannot_be_stored_has_not_been_changed(
    change: Change[Any, Any], saves: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with rig() as r:
        await r.cellar()

        def state() -> tuple[Any, ...]:
            node = r.hub.house.nodes["cellar-rack"]
            entity = r.hub.house.entities["cellar-rack/humidity"]
            room = r.hub.house.rooms["cheese-cellar"]
            return (
                *(node.title, node.room, dict(node.reach), room.name, set(r.hub.house.rooms)),
                *(entity.title, entity.hidden, dict(entity.own), entity.kind, entity.origin),
            )

        before, events = state(), list[Event]()
        r.hub.context.hear(Event, events.append)

        def full(*_: Any) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        with monkeypatch.context() as broken:
            broken.setattr(r.hub.context.records.house, saves, full)
            with pytest.raises(OSError, match="No space"):
                await r.do(change)
        assert state() == before
        assert events == []
        await r.do(change)
        assert state() != before
        assert events
