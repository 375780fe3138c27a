"""Only the hub's loop touches the house as it is now: what works in the thread of the
records, or in another one, is given a copy."""

from __future__ import annotations

import threading
import traceback
from collections.abc import Iterator
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from hombi.core.series import HOUR_MS
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.computed.changes import MakeComputed
from hombi.hub.conditioning.changes import ConditionEntity
from hombi.hub.house import Entity, House, Node
from tests.hub.parts import CLIMATE, PLUG, rig, settle, until

AIR = "bench/temperature"


class Watched:
    """The house that is watched, and who touched it from where."""

    def __init__(self) -> None:
        self.house: House | None = None
        self.loop = threading.get_ident()
        self.touched: list[str] = []

    def look(self, thing: object, name: str) -> None:
        if threading.get_ident() == self.loop or self.house is None or name.startswith("__"):
            return
        house, self.house = self.house, None  # looking is no touching
        try:
            live = [*house.entities.values(), *house.nodes.values()]
            if any(thing is one for one in live):
                where = traceback.extract_stack()[-3]
                self.touched.append(f"{type(thing).__name__}.{name} in {where.name}")
        finally:
            self.house = house


@pytest.fixture
def watched(monkeypatch: pytest.MonkeyPatch) -> Iterator[Watched]:
    watch = Watched()
    for kind in (Entity, Node):

        def guarded(self: Any, name: str, own: Any = kind.__getattribute__) -> Any:
            watch.look(self, name)
            return own(self, name)

        monkeypatch.setattr(kind, "__getattribute__", guarded)
    yield watch
    watch.house = None


async def test_the_guard_sees_a_thread_that_touches_the_house(watched: Watched) -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        watched.house = r.hub.house
        entity = r.hub.house.entity(AIR)
        assert entity.title
        await r.hub.context.thread.run(lambda: entity.title)
        assert watched.touched == ["Entity.title in <lambda>"]


async def test_no_thread_but_the_loop_touches_the_house(watched: Watched) -> None:
    """What works over the past, stores, sums up and forgets, all of it once."""
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Mister", **PLUG)
        watched.house = r.hub.house
        for minute in range(0, 240, 10):
            r.clock.now += 600_000
            r.say("bench", "temperature", 10.0 + minute / 10)
            r.say("bench", "humidity", 50.0 + minute % 7)
            await settle()
        await r.do(MakeComputed("dew-point", [AIR, "bench/humidity"]))
        await r.do(MakeComputed("moving-mean", [AIR], {"window": "1 h"}))
        await r.do(ConditionEntity(AIR, [{"step": "linear", "offset": 1.0}], past=True))
        await until(lambda: not r.hub.jobs.under_way())
        r.hub.rollups.move_to(ZoneInfo("Asia/Tokyo"))
        r.hub.rollups.keep_ms = HOUR_MS
        r.clock.now += 2 * HOUR_MS
        await r.hub.rollups.catch_up()
        await r.do(CommandEntity("mister/switch", "on"))
        await until(lambda: not r.hub.jobs.under_way())
        await r.hub.writer.flushed()
    assert watched.touched == []
