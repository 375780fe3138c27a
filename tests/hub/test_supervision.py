"""Whatever fails, fails alone: each loop of the hub is killed, and each part's failure
is kept from the others, said, and got over."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from pathlib import Path
from typing import Any

import pytest

import hombi.hub.automations.feature as automations_module
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import Refused
from hombi.hub.hub import open_hub
from hombi.hub.kernel import Actor, ActorKind, Limit, Supervisor
from hombi.hub.kernel.events import Event
from hombi.hub.kernel.policy import LIMITS, OTHERS, ROLES, Right, allows
from hombi.hub.kernel.supervisor import PartFailed
from hombi.hub.nodes.events import NodeMoved
from hombi.hub.nodes.feature import ChangeNode, RemoveNode
from hombi.hub.settings.config import make_config
from hombi.links.base import Link, LinkContext
from tests.hub.parts import ManualClock, Phones, Rig, Wireless, rig, settle
from tests.memory import MemoryRecords

DRY = (
    'name = "{name}"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n'
    '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
)
LOOPS = (
    "the writer",
    "the journal",
    "keeping",
    "watching for silence",
    "looking for what is not heard",
    "watching hombi.toml",
    "the event loop",
)


class Assassin:
    """Sits between the supervisor and its loops, and ends any of them."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.begun: dict[str, int] = {}
        self._knives: dict[str, asyncio.Event] = {}
        watch, assassin = Supervisor.watch, self

        def watched(
            tasks: Supervisor, name: str, run: Callable[[], Coroutine[Any, Any, None]]
        ) -> asyncio.Task[None]:
            tasks.pauses_s = (0.01,)
            return watch(tasks, name, lambda: assassin._stalk(name, run))

        monkeypatch.setattr(Supervisor, "watch", watched)

    async def _stalk(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> None:
        self.begun[name] = self.begun.get(name, 0) + 1
        knife = self._knives[name] = asyncio.Event()
        victim = asyncio.ensure_future(run())
        stab = asyncio.ensure_future(knife.wait())
        try:
            await asyncio.wait((victim, stab), return_when=asyncio.FIRST_COMPLETED)
            if knife.is_set():
                raise ZeroDivisionError(f"{name} was killed")
            await victim
        finally:
            for task in (victim, stab):
                task.cancel()
            await asyncio.gather(victim, stab, return_exceptions=True)

    async def kill(self, name: str) -> None:
        before = self.begun[name]
        self._knives[name].set()
        async with asyncio.timeout(5):
            while self.begun[name] == before:
                await asyncio.sleep(0.005)
        await settle()


async def works(r: Rig) -> None:
    """A reading comes in, is stored and told; the automation on it switches; a change
    stands in the journal."""
    sent, stored = len(r.link.sent), len(r.events())
    for value in (90.0, 70.0):
        await r.clock.forward(1_000)
        r.say("cellar-rack", "humidity", value)
        await settle()
    entity = r.hub.house.entities["cellar-rack/humidity"]
    now = r.clock.now
    single = r.records.history.single(entity.id, now - 1_500, now + 1, 9)
    assert [reading.value for reading in single] == [90.0, 70.0]
    assert len(r.link.sent) > sent
    await r.do(ChangeNode("cellar-rack", f"Rack {stored}"))
    await settle()
    assert len(r.events()) > stored


async def test_every_loop_is_killed_said_and_begun_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    assassin = Assassin(monkeypatch)
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY.format(name="Too dry")))
        await works(r)
        loops = list(assassin.begun)
        assert len(loops) >= len(LOOPS)
        for name in loops:
            await assassin.kill(name)
            said = [e.text for e in r.records.journal.all if e.event == "PartFailed"]
            assert any(name in text and "was killed" in text for text in said), name
            assert any(f"{name} fails" in need.text for need in r.hub.needs()), name
            await works(r)


async def test_one_that_hears_of_an_event_and_fails_is_alone() -> None:
    async with rig() as r:
        await r.cellar()
        heard: list[str] = []

        def fails(event: NodeMoved) -> None:
            raise ZeroDivisionError(event.node)

        r.hub.context.hear(NodeMoved, fails)
        r.hub.context.hear(NodeMoved, lambda event: heard.append(event.node))
        await r.do(ChangeNode("cellar-rack", room="Loft"))
        assert heard == ["cellar-rack"]
        await settle()
        assert "PartFailed" in r.events()


async def test_one_automation_that_fails_leaves_the_other_at_work(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    step = automations_module.step

    def cracked(program: Any, *rest: Any) -> Any:
        if program.name == "Cracked":
            raise ZeroDivisionError("inside")
        return step(program, *rest)

    monkeypatch.setattr(automations_module, "step", cracked)
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY.format(name="Cracked")))
        await r.do(AddAutomation(DRY.format(name="Sound")))
        r.say("cellar-rack", "humidity", 70.0)
        await settle()
        assert [wanted.value for _, wanted in r.link.sent] == [1.0]
        needs = [need.text for need in r.hub.needs()]
        assert any("cracked" in text and "inside" in text for text in needs)
        assert not any("sound" in text for text in needs)


async def test_a_timers_call_that_fails_stops_no_other() -> None:
    async with rig() as r:
        done: list[str] = []
        tasks, now = r.hub.context.tasks, r.clock.now

        def fails() -> None:
            raise ZeroDivisionError

        tasks.at(now + 1_000, fails, "a call")
        tasks.at(now + 1_000, lambda: done.append("other"), "another")
        await r.clock.forward(2_000)
        assert done == ["other"]
        assert "PartFailed" in r.events()


async def test_work_that_nobody_waits_for_is_said_when_it_fails() -> None:
    async with rig() as r:

        async def fails() -> None:
            raise ZeroDivisionError("halfway")

        r.hub.context.tasks.start(fails(), "an errand")
        await settle()
        (said,) = [e.text for e in r.records.journal.all if e.event == "PartFailed"]
        assert said == "an errand failed: ZeroDivisionError: halfway"


@pytest.mark.parametrize("when", ["made", "started", "stopped"])
async def test_a_link_that_cannot_be_used_keeps_no_hub_from_starting(when: str) -> None:
    class Broken(Wireless):
        link = "bluetooth"

        def __init__(self, context: LinkContext) -> None:
            if when == "made":
                raise ZeroDivisionError(when)
            super().__init__(context)

        async def start(self) -> None:
            if when == "started":
                raise ZeroDivisionError(when)

        async def stop(self) -> None:
            if when == "stopped":
                raise ZeroDivisionError(when)

    links = [
        Link("bluetooth", {}, lambda *_: None, lambda context, _: Broken(context)),
        Link("wifi", {}, lambda *_: None, lambda context, _: Wireless(context)),
    ]
    records, clock = MemoryRecords(), ManualClock()
    settings = make_config(Path("/nowhere"), {"https": {"use": False}}, links)
    async with open_hub(settings, records, clock=clock, push=Phones(), links=links) as hub:
        assert "wifi" in hub.links.drivers
        if when != "stopped":
            assert any("the link bluetooth" in need.text for need in hub.needs())
    said = [entry.event for entry in records.journal.all]
    assert {"HubStarted", "HubStopped", "PartFailed"} <= set(said)


async def test_a_driver_that_reports_nonsense_of_one_node_is_heard_of_the_other() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reports.observed("cellar-rack", [object()], None)  # type: ignore[list-item]
        r.say("cellar-mister", "switch", True)
        await settle()
        assert r.hub.house.entities["cellar-mister/switch"].latest is not None
        assert r.hub.house.entities["cellar-mister/switch"].latest.value == 1.0


async def test_who_may_do_what_is_one_table() -> None:
    assert set(ROLES) == set(Right)
    assert set(OTHERS) == set(ActorKind) - {ActorKind.PERSON}
    assert set(LIMITS) == set(Limit)
    async with rig() as r:
        await r.cellar()
        changes = r.hub.context.changes
        for actor in (Actor.automation("Too dry"), Actor.node("cellar-rack")):
            assert not allows(actor, Right.ADMIT)
            with pytest.raises(Refused, match=f"{actor.name} may not let nodes in"):
                await changes.do(RemoveNode("cellar-rack"), actor)
        assert "cellar-rack" in r.hub.house.nodes


async def test_the_journal_says_who_did_it() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(ChangeNode("cellar-rack", "Old rack"), by="bea")
        await settle()
        (entry,) = [e for e in r.records.journal.all if e.event == "NodeRenamed"]
        assert (entry.by, entry.node) == ("bea", "cellar-rack")


def test_a_failure_is_told_in_one_sentence() -> None:
    assert PartFailed(part="the writer", error="OSError: full", pause_s=2.0).sentence == (
        "the writer failed: OSError: full; it is started again in 2 s"
    )


def kinds_of(base: type[Event]) -> list[type[Event]]:
    """All kinds of an event, however far below it."""
    return [kind for subclass in base.__subclasses__() for kind in (subclass, *kinds_of(subclass))]


def test_each_event_that_the_journal_has_says_itself() -> None:
    written = [kind for kind in kinds_of(Event) if kind.journaled]
    assert len(written) > 100
    ends = [kind for kind in written if not kind.__subclasses__()]
    assert [kind.__name__ for kind in ends if kind.sentence is Event.sentence] == []
