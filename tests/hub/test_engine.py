from __future__ import annotations

import asyncio

import pytest

import hombi.hub.automations.feature as engine_module
from hombi.core.automation import Program
from hombi.core.toml_text import Place
from hombi.hub.acting.events import CommandChanged
from hombi.hub.automations.changes import AddAutomation, ChangeAutomation, RemoveAutomation
from hombi.hub.automations.events import AutomationStarted
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.nodes.feature import RemoveNode
from tests.house import PLUG
from tests.hub.parts import DRY, ManualClock, hold, rig, settle, with_phone
from tests.memory import MemoryRecords


async def test_it_acts_at_both_edges_and_says_why() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY))
        await hold(r, 599_000)
        assert r.link.sent == []
        await r.clock.forward(1_000)
        await r.clock.forward(0)
        assert [(node, w.name, w.value) for node, w in r.link.sent] == [
            ("cellar-mister", "switch", 1.0)
        ]
        assert r.phones.told == [
            (
                "Ada's phone",
                "Cheese cellar is dry",
                "Cellar rack humidity: 81.0 % for 10 min, limit 82 %",
            ),
        ]
        r.say("cellar-rack", "humidity", 87.0)
        await settle()
        assert r.link.sent[-1][1].value == 0.0
        why = next(e for e in r.records.journal.all if e.event == "AutomationStarted")
        assert why.text == "Cellar too dry started: 81.0 % under 82 %, held for 10 min"
        assert (why.data["value"], why.data["limit"], why.data["held_ms"]) == (81.0, 82.0, 600_000)
        assert why.by == "Cellar too dry"


async def test_what_is_switched_does_not_wait_for_what_is_told() -> None:
    text = '[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n[[starts]]\n'
    switch = 'switch = "cellar-mister/switch"\nto = "on"\n'
    notify = 'notify = "everyone"\ntitle = "Dry"\n'
    texts = (text + switch, text + switch + "[[starts]]\n" + notify)
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        for number, one in enumerate(texts):
            await r.do(AddAutomation(f'name = "{number}"\n{one}'))
        await r.do(AddAutomation(f'name = "2"\n{text}{notify}[[starts]]\n{switch}'))
        happened: list[str] = []
        hear = r.hub.context.hear
        hear(CommandChanged, lambda event: happened.append(f"{event.by} {event.state}"))
        hear(AutomationStarted, lambda event: happened.append(f"{event.title} started"))
        r.link.quick = True
        r.say("cellar-rack", "humidity", 80.0)
        # What says something first switches when that is said.
        asked, told = ["0 asked", "1 asked"], ["0 started", "1 started", "2 started"]
        assert happened == [*asked, *told, "2 asked"]
        await settle()
        assert len(r.phones.told) == 2


async def test_one_whose_first_switch_fails_is_stopped_and_does_no_more(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY.replace('held = "10 min"\n', "")))
        monkeypatch.setattr(r.hub.actuation, "begin", lambda *_, **__: 1 / 0)
        r.say("cellar-rack", "humidity", 80.0)
        await settle()
        (runner,) = r.hub.automations.runners.values()
        assert "division by zero" in runner.broken
        assert "AutomationStarted" not in r.events()
        assert r.phones.told == []


async def test_a_new_automation_looks_at_what_is_known_now() -> None:
    async with rig() as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 70.0)
        await r.do(AddAutomation(DRY.replace('held = "10 min"\n', "")))
        await settle()
        assert len(r.link.sent) == 1


async def test_its_text_is_kept_word_for_word() -> None:
    async with rig() as r:
        await r.cellar()
        text = "# mine\n\n" + DRY.replace("under", "under  ") + "\n\n# the end"
        runner = await r.do(AddAutomation(text))
        assert runner.record.text == text
        assert r.records.automations.all()[0].text == text


async def test_a_wrong_text_is_refused_with_its_mistakes_and_changes_nothing() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        with pytest.raises(Invalid, match="the text has 1 mistake") as caught:
            await r.do(ChangeAutomation("cellar-too-dry", text=DRY.replace("82 %", "82 hPa")))
        assert caught.value.mistakes[0].place == Place(5, 9)
        assert r.hub.automations.find("cellar-too-dry").record.text == DRY
        with pytest.raises(Invalid, match="there is an automation"):
            await r.do(AddAutomation(DRY))
        with pytest.raises(NotFound):
            await r.do(ChangeAutomation("nothing", enabled=False))


@pytest.mark.parametrize("name", ["New", "check", "Write!"])
async def test_names_that_are_addresses_of_the_consoles_own_are_refused(name: str) -> None:
    async with rig() as r:
        await r.cellar()
        with pytest.raises(Invalid, match="longer name"):
            await r.do(AddAutomation(DRY.replace("Cellar too dry", name)))


async def test_off_duty_it_does_nothing() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await r.do(ChangeAutomation("cellar-too-dry", enabled=False))
        r.say("cellar-rack", "humidity", 70.0)
        await r.clock.forward(3_600_000)
        assert r.link.sent == []
        await r.do(ChangeAutomation("cellar-too-dry", enabled=True))
        await hold(r, 601_000)
        assert len(r.link.sent) == 1


async def test_a_removed_one_is_gone_with_its_timers() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        r.say("cellar-rack", "humidity", 70.0)
        await r.do(RemoveAutomation("cellar-too-dry"))
        await r.clock.forward(3_600_000)
        assert r.link.sent == []
        assert r.records.automations.all() == []


async def test_without_one_of_its_switches_it_does_what_it_can_and_says_what_it_cannot() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY))
        await r.do(RemoveNode("cellar-mister", keep_history=True))
        assert any("no entity cellar-mister/switch" in need.text for need in r.hub.needs())
        await hold(r, 601_000)
        await r.clock.forward(0)
        assert r.link.sent == []
        assert len(r.phones.told) == 1
        stopped = next(e for e in r.records.journal.all if e.event == "AutomationStopped")
        assert stopped.automation == "cellar-too-dry", "it stands in its own journal"
        await hold(r, 60_000, 90.0)
        await r.let_in("Cellar mister", **PLUG)
        await hold(r, 601_000)
        assert len(r.link.sent) == 1


async def test_without_what_it_watches_it_stops() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await r.do(RemoveNode("cellar-rack", keep_history=True))
        assert r.hub.automations.find("cellar-too-dry").program is None


LOOP = """\
name = "Round and round"
[watch]
entity = "cellar-mister/switch"
is = "on"
[[starts]]
switch = "cellar-mister/switch"
to = "off"
[[ends]]
switch = "cellar-mister/switch"
to = "on"
"""


async def test_one_that_starts_itself_is_warned_of_and_stopped_after_a_handful_of_rounds() -> None:
    async with rig() as r:
        await r.cellar()
        parsed, _ = r.hub.automations.check(LOOP)
        assert "again and again" in parsed.warnings[0].what
        await r.do(AddAutomation(LOOP))
        await r.do(AddAutomation(DRY))
        r.say("cellar-mister", "switch", True)
        for _ in range(50):
            await r.clock.forward(10)
        assert len(r.link.sent) < 20
        assert any(
            "round-and-round was stopped: it starts itself" in need.text for need in r.hub.needs()
        )
        assert r.hub.automations.find("cellar-too-dry").at_work
        await r.do(ChangeAutomation("round-and-round", enabled=False))
        assert r.hub.automations.find("round-and-round").broken == ""


async def test_two_that_start_each_other_are_stopped_too() -> None:
    async with rig() as r:
        await r.cellar()
        await r.let_in("Other", **PLUG)
        for name, watched, switched, to in (
            ("A", "cellar-mister", "other", "on"),
            ("B", "other", "cellar-mister", "off"),
        ):
            back = {"on": "off", "off": "on"}[to]
            await r.do(
                AddAutomation(
                    f'name = "{name}"\n[watch]\nentity = "{watched}/switch"\nis = '
                    f'"on"\n[[starts]]\nswitch = "{switched}/switch"\n'
                    f'to = "{to}"\n[[ends]]\nswitch = "{switched}/switch"\nto = "{back}"\n'
                )
            )
        r.say("cellar-mister", "switch", True)
        for _ in range(80):
            await r.clock.forward(10)
        assert len(r.link.sent) < 40
        assert any("was stopped" in need.text for need in r.hub.needs())


async def test_whatever_fails_in_one_stops_that_one_only(monkeypatch: pytest.MonkeyPatch) -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await r.do(
            AddAutomation(
                DRY.replace("Cellar too dry", "The other").replace('held = "10 min"\n', "")
            )
        )
        step = engine_module.step

        def broken(program: Program, *given: object, **more: object) -> object:
            if program.name == "Cellar too dry":
                raise ZeroDivisionError
            return step(program, *given, **more)  # type: ignore[arg-type]

        monkeypatch.setattr(engine_module, "step", broken)
        r.say("cellar-rack", "humidity", 70.0)
        await settle()
        assert len(r.link.sent) == 1
        assert r.hub.house.entity("cellar-rack/humidity").latest is not None
        assert "ZeroDivisionError" in r.hub.automations.find("cellar-too-dry").broken
        r.hub.automations.time_passed()


async def test_a_stored_text_that_is_not_taken_any_more_keeps_nobody_from_starting() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY))
    stored = records.automations.all()[0]
    stored.text, stored.state = (
        DRY.replace("{value} for", "{value:.1f} {value!x} for"),
        {"phase": "who knows"},
    )
    records.automations.save(stored)
    records.automations.add("nonsense", "\x00[[[")
    async with rig(records, clock) as r:
        await hold(r, 601_000)
        await clock.forward(0)
        assert len(r.link.sent) == 1
        assert "81.0 %" in r.phones.told[0][2]
        assert len([n for n in r.hub.needs() if n.kind == "automation"]) == 2


CALM = DRY.replace('held = "10 min"\n', "")


async def test_an_edit_of_anything_but_the_watch_goes_on_and_does_not_start_again() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(CALM))
        await hold(r, 30_000)
        assert len(r.link.sent) == 1
        edited = "# mine\n" + CALM.replace("{room} is dry", "Dry").replace(
            "Cellar too dry", "Too dry"
        )
        runner = await r.do(ChangeAutomation("cellar-too-dry", text=edited))
        await hold(r, 30_000)
        assert runner.state.phase == "on"
        assert len(r.link.sent) == 1
        assert r.events().count("AutomationStarted") == 1
        await hold(r, 30_000, 90.0)
        assert [wanted.value for _, wanted in r.link.sent] == [1.0, 0.0]


@pytest.mark.parametrize("leave", [False, True])
@pytest.mark.parametrize("how", ["watch", "duty", "remove"])
async def test_what_is_on_ends_with_its_old_text_unless_it_is_left(how: str, leave: bool) -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(CALM))
        await hold(r, 30_000)
        if how == "watch":
            text = (
                CALM.replace('under = "82 %"', 'under = "20 %"')
                .replace('until = "86 %"\n', "")
                .split("[[ends]]")[0]
            )
            await r.do(ChangeAutomation("cellar-too-dry", text=text, leave=leave))
        elif how == "duty":
            await r.do(ChangeAutomation("cellar-too-dry", enabled=False, leave=leave))
        else:
            await r.do(RemoveAutomation("cellar-too-dry", leave=leave))
        await settle()
        assert [wanted.value for _, wanted in r.link.sent] == ([1.0] if leave else [1.0, 0.0])
        assert r.events().count("AutomationEnded") == 1


async def test_four_creations_at_once_make_one() -> None:
    async with rig() as r:
        await r.cellar()
        made = await asyncio.gather(
            *(r.do(AddAutomation(DRY)) for _ in range(4)), return_exceptions=True
        )
        assert sorted(type(one).__name__ for one in made) == [
            "Invalid",
            "Invalid",
            "Invalid",
            "Runner",
        ]


async def test_an_action_that_fails_does_not_stop_the_others() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY))
        r.link.reachable = False
        await hold(r, 601_000, 70.0)
        await r.clock.forward(0)
        assert len(r.phones.told) == 1
        failed = next(e for e in r.records.journal.all if e.event == "CommandFailed")
        assert (
            failed.text == "cellar-mister/switch is not on, as Cellar too dry asked: cellar-mister "
            "is not connected"
        )
