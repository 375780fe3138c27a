"""The language at work in a hub: several watched, waits over a restart, ways back."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from zoneinfo import ZoneInfo

import pytest

import hombi.hub.acting.actuation as actuation_module
from hombi.core.automation import EdgeKind
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.automations.changes import (
    Acknowledge,
    AddAutomation,
    ChangeAutomation,
    RemoveAutomation,
    RunActions,
)
from hombi.hub.automations.looking_back import looked_back
from hombi.hub.computed.changes import RemoveComputed
from hombi.hub.errors import Invalid, Refused
from hombi.hub.machine.events import ClockSet
from hombi.hub.nodes.feature import RemoveNode
from hombi.links.base import Wanted
from tests.house import PLUG
from tests.hub.parts import START, ManualClock, Rig, rig, settle, until, with_phone
from tests.memory import MemoryRecords

MIN = 60_000
BOTH = """name = "Mist while it is dry and warm"
[watch]
all = [
  { entity = "cellar-rack/humidity", under = "82 %" },
  { entity = "cellar-rack/temperature", over = "10 °C" },
]
[[starts]]
switch = "cellar-mister/switch"
to = "on"
for = "5 min"
[[starts]]
wait = "10 min"
[[starts]]
notify = "everyone"
title = "Still dry: {entity} {value}"
[[remind]]
every = "30 min"
at_most = 1
notify = "everyone"
title = "For {for} now"
"""


async def says(r: Rig, humidity: float, temperature: float) -> None:
    r.say("cellar-rack", "humidity", humidity)
    r.say("cellar-rack", "temperature", temperature)
    await settle()


def sent(r: Rig) -> list[float]:
    return [wanted.value for _, wanted in r.link.sent]


async def test_several_watched_waits_and_ways_back_over_a_restart() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(BOTH))
        await says(r, 81, 9)
        assert sent(r) == []
        await says(r, 81, 11)
        assert sent(r) == [1.0]
        started = next(e for e in records.journal.all if e.event == "AutomationStarted")
        assert started.text.endswith(
            "Cellar rack humidity: 81.0 % under 82 %; Cellar rack temperature: 11.0 °C over 10 °C"
        )
        assert started.entity == "cellar-rack/temperature"
        for _ in range(4):
            await clock.forward(MIN)
            await says(r, 81, 11)
        assert sent(r) == [1.0]
    async with rig(records, clock) as r:
        await says(r, 81, 11)
        await clock.forward(MIN)
        assert sent(r) == [0.0], "it went back on time"
        for _ in range(5):
            await says(r, 81, 11)
            await clock.forward(MIN)
        assert [title for _, title, _ in r.phones.told] == [
            "Still dry: Cellar rack temperature 11.0 °C"
        ]
    # A restart that lasts over the moment: it is done when the hub is back.
    await clock.forward(20 * MIN)
    async with rig(records, clock) as r:
        await says(r, 81, 11)
        await clock.forward(0)
        assert [(who, title) for who, title, _ in r.phones.told] == [
            ("Ada's phone", "For 30 min now")
        ]
        await says(r, 90, 11)
        assert sent(r) == []
        (last,) = [one for one in records.journal.all if one.event == "AutomationEnded"]
        assert "90.0 %, back past 82 %" in last.text


async def test_what_ends_early_says_nothing_and_what_is_removed_goes_back() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(BOTH))
        await says(r, 81, 11)
        await says(r, 90, 11)
        await r.clock.forward(20 * MIN)
        assert sent(r) == [1.0, 0.0], "on, and back after five minutes"
        assert r.phones.told == []
        await says(r, 81, 11)
        await r.do(RemoveAutomation("mist-while-it-is-dry-and-warm"))
        await settle()
        assert sent(r) == [1.0, 0.0, 1.0, 0.0]


async def test_a_clock_that_is_set_moves_what_waits() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(BOTH))
        await says(r, 81, 11)
        r.clock.now += 3_600_000
        r.hub.context.announce(ClockSet(by_ms=3_600_000))
        await r.clock.forward(4 * MIN)
        assert sent(r) == [1.0]
        await r.clock.forward(2 * MIN)
        assert sent(r) == [1.0, 0.0]


async def test_a_moment_of_the_day_in_a_hub() -> None:
    text = """name = "Mist at noon"
[watch]
at = "12:00"
lasts = "5 min"
[only]
when = [ { entity = "cellar-rack/humidity", under = "90 %" } ]
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""
    async with rig() as r:
        await r.cellar()
        await says(r, 80, 11)
        runner = await r.do(AddAutomation(text))
        for _ in range(3):
            assert runner.due is not None
            await r.clock.forward(runner.due - r.clock.now)
            await settle()
            runner = r.hub.automations.find("mist-at-noon")
        # On, off, and on the next day again.
        assert sent(r) == [1.0, 0.0, 1.0]
        started = [e.text for e in r.records.journal.all if e.event == "AutomationStarted"]
        assert started == ["Mist at noon started: it is 12:00"] * 2
        await r.clock.forward(5 * MIN)
        await says(r, 95, 11)
        assert runner.due is not None
        await r.clock.forward(runner.due - r.clock.now)
        await settle()
        assert sent(r) == [1.0, 0.0, 1.0, 0.0], "it is damp enough"
        assert runner.due is not None, "tomorrow again"


ENDS = """name = "Mist"
[watch]
entity = "cellar-rack/humidity"
under = "82 %"
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[ends]]
wait = "5 min"
[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


async def test_what_waits_is_seen_to_when_the_text_or_the_house_changes() -> None:
    for change in (
        lambda: ChangeAutomation("mist", text=ENDS.replace('wait = "5 min"', 'wait = "9 min"')),
        lambda: ChangeAutomation("mist", enabled=False),
        lambda: RemoveNode("cellar-rack"),
    ):
        async with rig() as r:
            await r.cellar()
            await r.do(AddAutomation(ENDS))
            await says(r, 80, 11)
            await says(r, 90, 11)
            assert sent(r) == [1.0]
            await r.do(change())
            await settle()
            assert sent(r) == [1.0, 0.0], "it must not mist for ever"
            await r.clock.forward(20 * MIN)
            assert sent(r) == [1.0, 0.0], "and is told so once"


async def test_actions_alone_need_somebody_who_sees_to_them() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(BOTH))
        name = "mist-while-it-is-dry-and-warm"
        await r.do(RunActions(name, EdgeKind.START))
        await settle()
        assert sent(r) == [1.0]
        await r.do(ChangeAutomation(name, enabled=False))
        await settle()
        assert sent(r) == [1.0, 0.0], "off duty, it goes back at once"
        with pytest.raises(Refused, match="put it on duty"):
            await r.do(RunActions(name, EdgeKind.START))


async def test_a_command_is_told_with_the_automation_that_asked_and_reminders_end() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(BOTH))
        name = "mist-while-it-is-dry-and-warm"
        with pytest.raises(Refused, match="is not on"):
            await r.do(Acknowledge(name))
        await says(r, 81, 11)
        told = [entry for entry in r.records.journal.all if entry.automation == name]
        confirmed = next(one for one in told if one.event == "CommandConfirmed")
        assert confirmed.entity == "cellar-mister/switch"
        assert confirmed.data["took_ms"] == 0
        await r.do(Acknowledge(name))
        for _ in range(13):
            await r.clock.forward(3 * MIN)
            await says(r, 81, 11)
        assert [title for _, title, _ in r.phones.told] == [
            "Still dry: Cellar rack temperature 11.0 °C"
        ], "no reminder"


async def test_what_is_switched_over_goes_to_where_it_is_not() -> None:
    over = """name = "A button"
[watch]
entity = "cellar-rack/humidity"
over = "90 %"
[[starts]]
switch = "cellar-mister/switch"
to = "other"
"""
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(over))

        async def press() -> None:
            await says(r, 95, 11)
            await says(r, 80, 11)

        await press()
        assert sent(r) == []
        (failed,) = [one for one in r.records.journal.all if one.event == "ActionFailed"]
        assert failed.text.endswith(
            "cellar-mister/switch has not told its state yet; say on or off"
        )
        r.say("cellar-mister", "switch", True)
        for _ in range(3):
            await press()
        assert sent(r) == [0.0, 1.0, 0.0]
        # What it was asked for and has not confirmed counts as done: twice is back.
        r.link.obeys = False
        await press()
        await press()
        assert sent(r) == [0.0, 1.0, 0.0, 1.0, 0.0]
        assert r.hub.house.entities["cellar-mister/switch"].latest.value == 0.0


LAMP = {**PLUG, "level": {"type": "number", "@type": "level", "unit": "%"}}
SLOWLY = """name = "Slowly"
[watch]
entity = "cellar-rack/humidity"
under = "85 %"
[[starts]]
set = "loft-lamp/level"
to = "40 %"
taking = "5 s"
"""


def levels(r: Rig) -> list[tuple[float, int]]:
    return [(wanted.value, wanted.taking_ms) for _, wanted in r.link.sent]


async def test_what_cannot_go_slowly_by_itself_is_led_in_steps() -> None:
    async with rig() as r:
        await r.cellar()
        await r.let_in("Loft lamp", **LAMP)
        r.link.reports.presence("loft-lamp", True)
        r.say("loft-lamp", "level", 10.0)
        await r.do(AddAutomation(SLOWLY))
        await says(r, 81, 11)
        assert levels(r) == [(16.0, 0)], "the first step at once"
        for _ in range(5):
            await r.clock.forward(1_000)
        assert levels(r) == [(16.0, 0), (22.0, 0), (28.0, 0), (34.0, 0), (40.0, 0)]
        (done,) = [one for one in r.records.journal.all if one.event == "CommandConfirmed"]
        assert done.data["took_ms"] == 4_000
        # Another word in between ends it, and is what holds.
        await says(r, 90, 11)
        r.say("loft-lamp", "level", 90.0)
        await says(r, 81, 11)
        await r.clock.forward(1_000)
        assert [value for value, _ in levels(r)[5:]] == [80.0, 70.0]
        await r.do(CommandEntity("loft-lamp/level", "3 %"))
        await r.clock.forward(10_000)
        assert [value for value, _ in levels(r)[5:]] == [80.0, 70.0, 3.0]
        (failed,) = [one for one in r.records.journal.all if one.event == "CommandFailed"]
        assert "something else was asked of it meanwhile" in failed.text
        assert r.hub.actuation.wishes.get("loft-lamp/level") is None


async def test_a_slow_node_is_not_made_to_catch_up_and_a_clock_that_is_set_stops_nothing(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(actuation_module, "STEP_MS", 20)
    async with rig() as r:
        await r.cellar()
        await r.let_in("Loft lamp", **LAMP)
        r.link.reports.presence("loft-lamp", True)
        r.say("loft-lamp", "level", 0.0)
        r.hub.actuation.answer_s = 5.0
        send = r.link.send

        async def slowly(node: str, wanted: Sequence[Wanted]) -> None:
            await send(node, wanted)
            if len(r.link.sent) == 1:
                await asyncio.sleep(0.045)
                r.clock.now -= 3_600_000

        monkeypatch.setattr(r.link, "send", slowly)
        await r.do(AddAutomation(SLOWLY.replace("5 s", "0.1 s")))
        await says(r, 81, 11)
        await asyncio.sleep(0.06)
        for _ in range(4):
            await r.clock.forward(20)
        # Of 8, 16, 24 and 32 those are left out whose time came while the first was
        # taken: two at least, and more where the machine is slow.
        values = [value for value, _ in levels(r)]
        assert (values[0], values[-1]) == (8.0, 40.0)
        assert not {16.0, 24.0} & set(values)


@pytest.mark.parametrize("slow", [set(), {"level"}])
async def test_what_is_asked_last_holds_also_in_one_turn(slow: set[str]) -> None:
    last = '[[starts]]\nset = "loft-lamp/level"\nto = "80 %"\n'
    async with rig() as r:
        await r.cellar()
        await r.let_in("Loft lamp", **LAMP)
        r.link.reports.presence("loft-lamp", True)
        r.link.slow, r.link.quick = slow, True
        r.say("loft-lamp", "level", 10.0)
        await r.do(AddAutomation(SLOWLY + last))
        await says(r, 81, 11)
        await r.clock.forward(10_000)
        assert levels(r) == [(80.0, 0)]
        assert r.hub.actuation.wishes.get("loft-lamp/level") is None


async def test_a_node_that_goes_slowly_by_itself_is_told_once() -> None:
    async with rig() as r:
        await r.cellar()
        await r.let_in("Loft lamp", **LAMP)
        await r.do(AddAutomation(SLOWLY))
        await says(r, 81, 11)
        assert levels(r) == [(40.0, 0)], "from a value that nobody knows no steps lead"
        r.link.slow = {"level"}
        r.link.obeys = False
        for value in (90, 81):
            await says(r, value, 11)
        assert levels(r)[1:] == [(40.0, 5_000)]
        await r.clock.forward(2_000)
        wishes = r.hub.actuation.wishes
        wish = wishes.get("loft-lamp/level")
        assert wish is not None
        assert wishes.shown(wish) == "on its way to 40 %, for another 3 s"
        assert wishes.needs() == [], "nobody need see to that"
        await r.clock.forward(4_000)
        assert wishes.shown(wish) == "wanted 40 % for 6 s, not confirmed"


async def test_a_node_that_goes_away_on_the_way_is_not_led_on() -> None:
    async with rig() as r:
        await r.cellar()
        await r.let_in("Loft lamp", **LAMP)
        r.link.reports.presence("loft-lamp", True)
        r.say("loft-lamp", "level", 10.0)
        await r.do(AddAutomation(SLOWLY))
        await says(r, 81, 11)
        r.link.reachable = False
        await r.clock.forward(1_000)
        await r.clock.forward(1_000)
        assert levels(r) == [(16.0, 0)]
        wish = r.hub.actuation.wishes.get("loft-lamp/level")
        assert wish is not None
        assert (wish.value, wish.problem) == (40.0, "loft-lamp is not connected")


async def test_two_that_put_each_other_on_and_off_duty_are_stopped() -> None:
    """A puts B on duty, B takes A off, A's end takes B off, B's end puts A on."""

    def text(name: str, other: str, start: str, end: str) -> str:
        return (
            f'name = "{name}"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n'
            f'[[starts]]\nduty = "{other}"\nto = "{start}"\n'
            f'[[ends]]\nduty = "{other}"\nto = "{end}"\n'
        )

    async with rig() as r:
        await r.cellar()
        await says(r, 90, 11)
        await r.do(AddAutomation(text("A", "A", "on", "off")))
        await r.do(AddAutomation(text("B", "A", "off", "on")))
        await r.do(ChangeAutomation("b", enabled=False))
        await r.do(ChangeAutomation("a", text=text("A", "B", "on", "off")))
        await says(r, 80, 11)
        runners = r.hub.automations.runners
        await until(lambda: any(runner.broken for runner in runners.values()))
        assert [runner.broken for runner in runners.values() if runner.broken] == [
            "it puts others on and off duty again and again"
        ]
        told = len(r.records.journal.all)
        await settle()
        assert len(r.records.journal.all) == told, "they are at rest"


PAST = """name = "Damper than usual"
[watch]
entity = "cellar-rack/humidity"
over = "= mean(1 h) + 5 %"
until = "= mean(1 h)"
[[starts]]
switch = "cellar-mister/switch"
to = "on"
[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


async def test_a_limit_follows_the_mean_of_its_own_past() -> None:
    async with rig() as r:
        await r.cellar()
        for minute in range(60):
            r.clock.now = START + minute * MIN
            await says(r, 70.0 + minute % 2, 12.0)
        runner = await r.do(AddAutomation(PAST))
        assert runner.program is not None
        mean = "cellar-rack/humidity-mean-of-1-h"
        await until(lambda: mean in r.hub.house.entities)
        await until(lambda: r.hub.house.entity(mean).latest is not None)
        assert mean in r.hub.automations.runners["damper-than-usual"].program.entities
        assert r.hub.house.entity(mean).latest.value == pytest.approx(70.5, abs=0.2)
        r.clock.now = START + 61 * MIN
        await says(r, 75.0, 12.0)
        assert sent(r) == [], "less than 5 % over it"
        r.clock.now = START + 62 * MIN
        await says(r, 77.0, 12.0)
        await until(lambda: sent(r) == [1.0])
        r.clock.now = START + 63 * MIN
        await says(r, 70.0, 12.0)
        await until(lambda: sent(r) == [1.0, 0.0])
        # The same value serves each text that asks for it.
        await r.do(AddAutomation(PAST.replace("than usual", "again")))
        await settle()
        assert sum("mean-of" in entity for entity in r.hub.house.entities) == 1


@pytest.mark.parametrize(
    ("span", "name"),
    [("7 d", "7-d"), ("31 d", "31-d"), ("10 min", "10-min"), ("1501 min", "1501-min")],
)
async def test_each_mean_that_a_limit_may_name_can_be_made(span: str, name: str) -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(PAST.replace("1 h", span)))
        mean = f"cellar-rack/humidity-mean-of-{name}"
        await until(lambda: mean in r.hub.house.entities)
        program = r.hub.automations.runners["damper-than-usual"].program
        assert program is not None
        assert set(program.entities) == {"cellar-rack/humidity", mean}
        assert "AutomationStopped" not in r.events()
        with pytest.raises(Invalid) as refused:
            r.hub.automations.sound(PAST.replace("mean(1 h)", "mean(32 d)"))
        assert "a mean goes back for 10 min to 31 d" in str(refused.value.mistakes[0])


async def test_the_mean_that_was_taken_away_is_made_again() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(PAST))
        mean = "cellar-rack/humidity-mean-of-1-h"
        await until(lambda: mean in r.hub.house.entities)
        await r.do(RemoveComputed(mean))
        await until(lambda: mean in r.hub.house.entities)


async def test_a_draft_is_replayed_over_the_mean_of_a_past_that_no_value_says_yet() -> None:
    async with rig() as r:
        await r.cellar()
        for minute in range(120):
            r.clock.now = START + minute * MIN
            await says(r, 80.0 if 90 <= minute < 100 else 70.0, 12.0)
        await until(lambda: not r.hub.writer.held)
        program = r.hub.automations.sound(PAST)
        entity = r.hub.house.entity("cellar-rack/humidity").snapshot()
        span = (START, START + 120 * MIN)
        result = looked_back(
            program,
            dict.fromkeys(program.entities, entity),
            r.records.history,
            span,
            ZoneInfo("UTC"),
        )
        assert [one.why.at_ms for one in result.replayed.acted] == [
            START + 90 * MIN, START + 100 * MIN,
        ]  # fmt: skip
        assert not any("mean-of" in one for one in r.hub.house.entities), "it is a draft"
