"""Automations when what they look at dies, when the hub was away, and when a person
sets something by hand."""

from __future__ import annotations

from typing import Any

import pytest

from hombi.core.senml import Resolved
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.automations import feature
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.nodes.feature import RemoveNode
from tests.house import CLIMATE, PLUG
from tests.hub.parts import ManualClock, Rig, rig, settle
from tests.memory import MemoryRecords

SECOND, MINUTE, HOUR = 1_000, 60_000, 3_600_000
CONTACT = {"contact": {"type": "boolean", "readOnly": True}}
HEAT = """name = "Heat"
[watch]
entity = "door/contact"
is = "open"
[only]
when = [ { entity = "cellar-rack/temperature", under = "5 °C" } ]
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""
FOLLOWS = """name = "Follows"
[watch]
entity = "cellar-rack/humidity"
over = "= beam/humidity + 5 %"
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


async def house(r: Rig) -> None:
    await r.cellar()
    await r.let_in("Door", **CONTACT)
    await r.let_in("Beam", **CLIMATE)
    for entity in ("cellar-rack/temperature", "cellar-rack/humidity", "beam/humidity"):
        r.usual(entity, 10_000)


def sent(r: Rig) -> list[float]:
    return [wanted.value for _, wanted in r.link.sent]


async def test_a_dead_sensor_under_when_ends_what_it_allowed() -> None:
    async with rig() as r:
        await house(r)
        await r.do(AddAutomation(HEAT))
        r.say("cellar-rack", "temperature", 3.0)
        r.say("door", "contact", True)
        await settle()
        assert sent(r) == [1.0]
        await r.clock.forward(59 * SECOND)
        assert sent(r) == [1.0]
        await r.clock.forward(2 * SECOND)  # nobody looked: its time was planned
        assert sent(r) == [1.0, 0.0]
        entry = next(e for e in r.records.journal.all if e.event == "AutomationEnded")
        assert "temperature" in entry.text
        # The sensor comes back, and all is as before.
        r.say("cellar-rack", "temperature", 3.0)
        await settle()
        assert sent(r) == [1.0, 0.0, 1.0]


async def test_a_limit_and_its_value_that_both_die_are_told_as_lost() -> None:
    async with rig() as r:
        await house(r)
        await r.do(AddAutomation(FOLLOWS))
        r.say("beam", "humidity", 50.0)
        r.say("cellar-rack", "humidity", 60.0)
        await settle()
        assert sent(r) == [1.0]
        for _ in range(9):  # the source alone is dead: what is on stays on
            r.say("cellar-rack", "humidity", 60.0)
            await r.clock.forward(10 * SECOND)
            r.hub.automations.look()
        assert sent(r) == [1.0]
        await r.clock.forward(MINUTE)
        r.hub.automations.look()
        await settle()
        assert sent(r) == [1.0, 0.0]
        entry = next(e for e in r.records.journal.all if e.event == "AutomationEnded")
        assert "no longer heard" in entry.text


async def test_a_bad_reading_does_not_start_it_later_from_an_older_good_one() -> None:
    async with rig() as r:
        await house(r)
        await r.do(AddAutomation(FOLLOWS))
        r.say("cellar-rack", "humidity", 60.0)  # its limit is not known yet
        r.say("cellar-rack", "humidity", 250.0)  # bad
        r.say("beam", "humidity", 50.0)  # now it is
        await settle()
        assert sent(r) == []
        r.say("cellar-rack", "humidity", 60.0)
        await settle()
        assert sent(r) == [1.0]


async def test_a_restart_revives_no_stale_value() -> None:
    records, clock = MemoryRecords(), ManualClock()
    text = (
        'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\nheld = "3 min"\n'
        '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
    )
    async with rig(records, clock) as r:
        await house(r)
        await r.do(AddAutomation(text))
        r.say("cellar-rack", "humidity", 80.0)
        await clock.forward(30 * SECOND)
        r.say("cellar-rack", "humidity", 80.0)
        await clock.forward(2 * MINUTE)
        r.say("cellar-rack", "humidity", 250.0)
        await settle()
    await clock.forward(10 * SECOND)
    async with rig(records, clock) as r:
        await clock.forward(2 * MINUTE)
        assert sent(r) == []


async def test_hours_that_began_and_a_when_that_changed_while_the_hub_was_away() -> None:
    records, clock = MemoryRecords(), ManualClock()  # 08:00 of a Friday
    by_hours = (
        'name = "Hours"\n[watch]\nentity = "door/contact"\nis = "open"\n[only]\n'
        'between = "09:00-10:00"\n[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
    )
    changed = (
        'name = "Moved"\n[watch]\nentity = "door/contact"\nchanges = "20 min"\n'
        '[[starts]]\nswitch = "lamp/switch"\nto = "on"\n'
        '[[ends]]\nswitch = "lamp/switch"\nto = "off"\n'
    )
    async with rig(records, clock) as r:
        await house(r)
        await r.let_in("Lamp", **PLUG)
        await r.do(AddAutomation(by_hours))
        await r.do(AddAutomation(changed))
        r.say("door", "contact", False)
        r.say("door", "contact", True)
        await settle()
        assert sent(r) == [1.0]
    await clock.forward(90 * MINUTE)
    async with rig(records, clock) as r:
        r.link.say("door", [Resolved("contact", "", 0, True)])
        await settle()
        switched = {(node, wanted.value) for node, wanted in r.link.sent}
        assert ("cellar-mister", 1.0) in switched, "its hours have begun"
        assert ("lamp", 0.0) in switched, "what changed is long over"


async def test_of_missed_moments_the_latest_is_made_up_for() -> None:
    records, clock = MemoryRecords(), ManualClock()
    text = (
        'name = "Quarter"\n[watch]\nevery = "15 min"\n'
        '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
    )
    async with rig(records, clock) as r:
        await r.cellar()
        await r.do(AddAutomation(text))
        await clock.forward(MINUTE)
    away = 2 * HOUR + 4 * MINUTE
    await clock.forward(away)
    late = clock.now % (15 * MINUTE)
    async with rig(records, clock) as r:
        await settle()
        assert len(r.link.sent) == (1 if late <= 10 * MINUTE else 0)
        await clock.forward(15 * MINUTE)
        assert len(r.link.sent) >= 1


async def test_hours_that_end_while_the_value_is_nearly_back_leave_it_idle() -> None:
    text = (
        'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\nuntil = "86 %"\n'
        'held = "2 min"\n[only]\nwhen = [ { entity = "door/contact", is = "closed" } ]\n'
        '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
        '[[ends]]\nswitch = "cellar-mister/switch"\nto = "off"\n'
    )
    async with rig() as r:
        await house(r)
        await r.do(AddAutomation(text))
        r.say("door", "contact", False)

        async def hold(value: float, seconds: int) -> None:
            for _ in range(seconds // 10):
                r.say("cellar-rack", "humidity", value)
                await r.clock.forward(10 * SECOND)

        await hold(80.0, 130)
        assert sent(r) == [1.0]
        await hold(84.0, 10)  # between the limit and `until`: on
        r.say("door", "contact", True)
        await settle()
        assert sent(r) == [1.0, 0.0]
        assert r.hub.automations.find("dry").state.phase == "idle"
        r.say("door", "contact", False)
        await hold(80.0, 100)
        assert sent(r) == [1.0, 0.0], "the next time it holds first"
        await hold(80.0, 40)
        assert sent(r) == [1.0, 0.0, 1.0]


LAMP_OFF = """name = "Welcome"
[watch]
entity = "door/contact"
is = "open"
[only]
when = [ { entity = "lamp/switch", is = "off" } ]
[[starts]]
switch = "lamp/switch"
to = "on"
"""


async def test_a_lamp_that_a_person_turns_off_stays_off_until_it_starts_anew() -> None:
    async with rig() as r:
        await house(r)
        await r.let_in("Lamp", **PLUG)
        await r.do(AddAutomation(LAMP_OFF))
        r.say("lamp", "switch", False)
        r.say("door", "contact", True)
        await settle()
        assert sent(r) == [1.0]
        await r.clock.forward(MINUTE)
        r.say("lamp", "switch", False)  # at its own button
        await settle()
        await r.clock.forward(HOUR)
        assert sent(r) == [1.0], "the person's hand is respected"
        assert "AutomationLeavesAlone" in r.events()
        r.say("door", "contact", False)
        r.say("door", "contact", True)
        await settle()
        assert sent(r) == [1.0, 1.0], "it starts anew"
        await r.clock.forward(MINUTE)
        await r.do(CommandEntity("lamp/switch", "off"))
        await settle()
        assert sent(r) == [1.0, 1.0, 0.0], "from afar it is the same"
        await r.clock.forward(HOUR)
        assert sent(r) == [1.0, 1.0, 0.0]


async def test_what_an_automation_sets_is_no_hand() -> None:
    async with rig() as r:
        await house(r)
        await r.let_in("Lamp", **PLUG)
        await r.do(AddAutomation(LAMP_OFF))
        r.say("lamp", "switch", False)
        for _ in range(3):
            r.say("door", "contact", True)
            await settle()
            r.say("door", "contact", False)
            r.say("lamp", "switch", False)
            await r.clock.forward(MINUTE)
        assert sent(r) == [1.0, 1.0, 1.0]


DIMMABLE = {"level": {"type": "number", "unit": "%", "title": "Level"}}


async def test_a_loop_through_a_wait_or_an_inexact_answer_is_stopped() -> None:
    """A lamp that shows 99.8 % for 100 %, and two automations that undo one another."""
    texts = [
        'name = "{name}"\n[watch]\nentity = "lamp/level"\n{when} = "50 %"\n'
        '[[starts]]\nwait = "20 s"\n[[starts]]\nset = "lamp/level"\nto = "{to}"\n'
    ]
    async with rig() as r:
        await r.let_in("Lamp", **DIMMABLE)
        r.link.obeys = False
        for name, when, to in (("Dim", "over", "0.2 %"), ("Light", "under", "100 %")):
            await r.do(AddAutomation(texts[0].format(name=name, when=when, to=to)))
        r.say("lamp", "level", 10.0)
        for _ in range(100):
            await r.clock.forward(10 * SECOND)
            if r.link.sent:
                r.say("lamp", "level", 99.8 if r.link.sent[-1][1].value > 50 else 0.0)
                await settle()
        assert len(r.link.sent) < 20
        assert any(
            "again and again" in runner.broken for runner in r.hub.automations.runners.values()
        )


async def test_a_node_that_rounds_confirms_and_one_that_stays_put_does_not() -> None:
    thermostat = {"target": {"type": "number", "unit": "Cel", "title": "Target"}}
    async with rig() as r:
        await r.let_in("Head", **thermostat)
        r.link.obeys = False
        (entity,) = r.hub.house.node("head").entities.values()
        for value in (19.0, 20.0, 21.5):
            r.say("head", "target", value)
        asking = r.hub.context.tasks.start(
            r.do(CommandEntity(entity.address, "20.3 °C")), name="asking"
        )
        await settle()
        r.say("head", "target", 20.5)
        command = await asking
        assert command.state == "confirmed"
        assert r.hub.actuation.wishes.get(entity.address) is None
        asking = r.hub.context.tasks.start(
            r.do(CommandEntity(entity.address, "21.4 °C")), name="asking"
        )
        await settle()
        r.say("head", "target", 20.5)
        command = await asking
        assert command.state == "unanswered"


async def test_1499_does_not_confirm_1500() -> None:
    async with rig() as r:
        await r.let_in("Pump", **{"turns": {"type": "number", "title": "Turns"}})
        r.link.obeys = False
        (entity,) = r.hub.house.node("pump").entities.values()
        r.say("pump", "turns", 1499.0)
        asking = r.hub.context.tasks.start(r.do(CommandEntity(entity.address, "1500")), name="ask")
        await settle()
        r.say("pump", "turns", 1499.0)
        assert (await asking).state == "unanswered"


async def test_a_change_of_the_house_reads_only_the_texts_that_it_touches(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        await house(r)
        await r.do(AddAutomation(HEAT))
        await r.do(AddAutomation(FOLLOWS))
        read: list[str] = []
        plain = feature.parse

        def counted(text: str, *rest: Any) -> Any:
            read.append(text)
            return plain(text, *rest)

        monkeypatch.setattr(feature, "parse", counted)
        await r.let_in("Lamp", **PLUG)
        assert read == []
        await r.do(RemoveNode("beam"))
        assert read == [FOLLOWS]
        for title in ("Fan", "Pump", "Gauge"):
            await r.let_in(title, **PLUG)
        await settle()
        assert set(read) == {FOLLOWS}, "a text with mistakes is looked at again"
        assert r.events().count("AutomationStopped") == 1, "and said once"
        await r.let_in("Beam", **CLIMATE)
        await settle()
        assert r.hub.automations.find("follows").mistakes == ()
