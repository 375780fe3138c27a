"""Who is home: by their word, and by what is named for them."""

from __future__ import annotations

import pytest

from hombi.core.kinds import AT_HOME, KINDS
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.household.presence import FollowPerson, SayHome
from hombi.hub.machine.events import ClockSet
from hombi.hub.nodes.entities import ChangeEntity
from tests.hub.parts import ManualClock, Rig, rig, settle
from tests.memory import MemoryRecords

MIN = 60_000
GONE = """name = "Mister off when nobody is home"
[watch]
home = "nobody"
held = "5 min"
[[starts]]
switch = "cellar-mister/switch"
to = "off"
"""


def people(records: MemoryRecords) -> MemoryRecords:
    records.house.people = {"ada", "ben"}
    return records


def home(r: Rig) -> dict[str, float | None]:
    latest = {
        person.name: person.entity and person.entity.latest for person in r.hub.presence.people
    }
    return {name: found.value if found else None for name, found in latest.items()}


async def test_a_word_is_kept_and_switches() -> None:
    records, clock = people(MemoryRecords()), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        with pytest.raises(Invalid):
            await r.do(AddAutomation(GONE))
        for who in ("ada", "ben"):
            await r.do(SayHome(who, home=True))
        with pytest.raises(NotFound, match="nobody here is called cleo"):
            await r.do(SayHome("cleo", home=True))
        await r.do(AddAutomation(GONE))
        await r.do(SayHome("ada", home=False))
        await clock.forward(10 * MIN)
        assert r.link.sent == [], "one is still home"
        # It can be told like any value that can be set: by a tile, by an automation.
        told = await r.do(CommandEntity("house/ben", "away"))
        assert told.state.value == "confirmed"
        assert home(r) == {"ada": 0.0, "ben": 0.0}
    async with rig(records, clock) as r:
        assert home(r) == {"ada": 0.0, "ben": 0.0}, "it survives a restart"
        await clock.forward(5 * MIN)
        assert [wanted.value for _, wanted in r.link.sent] == [0.0]
        said = [entry.text for entry in records.journal.all if entry.event == "PersonSaid"]
        assert said == ["ada is home", "ben is home", "ada is away"]


async def test_what_is_named_tells_it_and_a_word_stands_until_it_tells_again() -> None:
    async with rig(people(MemoryRecords())) as r:
        await r.cellar()
        r.say("cellar-mister", "switch", 1.0)
        with pytest.raises(Invalid, match="not a length of time"):
            await r.do(FollowPerson("ada", ["cellar-mister/switch"], "soon"))
        await r.do(FollowPerson("ada", ["cellar-mister/switch"], "10 min"))
        await settle()
        assert home(r)["ada"] == 1.0
        r.say("cellar-mister", "switch", 0.0)
        for _ in range(3):
            await r.clock.forward(3 * MIN)
            r.hub.presence.look()
        assert home(r)["ada"] == 1.0, "it lingers"
        r.say("cellar-mister", "switch", 1.0)
        r.say("cellar-mister", "switch", 0.0)
        # A clock that is set makes nobody leave.
        r.clock.now += 3_600_000
        r.hub.context.announce(ClockSet(by_ms=3_600_000))
        for _ in range(3):
            await r.clock.forward(3 * MIN)
            r.hub.presence.look()
        assert home(r)["ada"] == 1.0, "the last sign counts"
        await r.clock.forward(2 * MIN)
        r.hub.presence.look()
        assert home(r)["ada"] == 0.0
        # Their own word stands until what is named says something new.
        await r.do(SayHome("ada", home=True))
        await r.clock.forward(30 * MIN)
        r.hub.presence.look()
        assert home(r)["ada"] == 1.0
        with pytest.raises(Invalid, match="name values of nodes"):
            await r.do(FollowPerson("ben", ["house/ada"]))
        await r.do(FollowPerson("ada", []))
        assert r.hub.presence.person("ada").follows == ()


async def test_a_tag_tells_it_while_it_is_heard() -> None:
    async with rig(people(MemoryRecords())) as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 80.0)
        await r.do(FollowPerson("ben", ["cellar-rack/humidity"], "1 min"))
        assert home(r)["ben"] == 1.0
        r.hub.house.entities["cellar-rack/humidity"].silent = True
        r.hub.presence.look()
        await r.clock.forward(MIN)
        r.hub.presence.look()
        assert home(r)["ben"] == 0.0


async def test_what_a_node_calls_so_is_no_person() -> None:
    async with rig(people(MemoryRecords())) as r:
        await r.cellar()
        tag = r.hub.house.entities["cellar-mister/switch"]
        tag.kind, tag.title = KINDS[AT_HOME], "ada"
        assert r.hub.house.facts().homes == {}
        await r.do(SayHome("ada", home=True))
        assert r.hub.house.facts().homes == {"ada": "house/ada"}


async def test_another_title_or_a_name_like_theirs_is_not_another_person() -> None:
    records, clock = MemoryRecords(), ManualClock()
    records.house.people = {"ada", "Ada"}
    async with rig(records, clock) as r:
        await r.do(SayHome("ada", home=True))
        with pytest.raises(Invalid, match="that is another value"):
            await r.do(SayHome("Ada", home=False))
        await r.do(ChangeEntity("house/ada", title="Miller"))
        assert home(r) == {"Ada": None, "ada": 1.0}
    async with rig(records, clock) as r:
        assert home(r) == {"Ada": None, "ada": 1.0}
        assert r.hub.house.facts().homes == {"ada": "house/ada"}
