"""What a switch is wanted to be is kept until its node confirms it, or somebody wants
something else."""

from __future__ import annotations

from hombi.core.values import show_span
from hombi.hub.acting.wanted import PAUSES_MS
from hombi.hub.nodes.feature import RemoveNode
from tests.hub.parts import Rig, rig, settle
from tests.hub.test_actuation import command

SWITCH = "cellar-mister/switch"


def tries(r: Rig) -> int:
    wish = r.hub.actuation.wishes.get(SWITCH)
    return -1 if wish is None else wish.tries


def needs(r: Rig) -> list[str]:
    return [said for _, said in r.hub.actuation.wishes.needs()]


async def test_it_is_sent_again_at_growing_intervals_and_after_a_minute_a_person_is_needed() -> (
    None
):
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        assert (await command(r))[0] == "unreachable"
        for number, pause in enumerate(PAUSES_MS[:4], 1):
            assert tries(r) == number
            await r.clock.forward(pause - 1)
            assert tries(r) == number, f"not before {show_span(pause)}"
            await r.clock.forward(1)
        (said,) = needs(r)
        assert said == "Cellar mister is wanted on for 6 min 20 s, not confirmed"
        assert r.hub.house.entity(SWITCH).latest is None, "never shown as done"
        r.link.reachable = True
        await r.clock.forward(PAUSES_MS[4])
        assert [one.value for _, one in r.link.sent] == [1.0]
        assert tries(r) == -1
        assert needs(r) == []
        assert r.records.journal.all[-1].event == "CommandConfirmed"
        assert r.records.journal.all[-1].text == f"{SWITCH} is on, as ada asked 21 min 20 s before"


async def test_it_is_not_urgent_before_a_minute() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        await command(r)
        await r.clock.forward(59_000)
        assert needs(r) == []
        await r.clock.forward(1_000)
        assert len(needs(r)) == 1


async def test_it_is_sent_at_once_when_the_node_is_back() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reports.presence("cellar-mister", here=True)
        r.link.reachable = False
        r.link.reports.presence("cellar-mister", here=False)
        await command(r)
        await r.clock.forward(3_600_000)
        r.link.reachable = True
        r.link.reports.presence("cellar-mister", here=True)
        await settle()
        assert [one.value for _, one in r.link.sent] == [1.0]
        assert tries(r) == -1


async def test_the_nodes_own_word_that_comes_late_confirms_it() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.obeys = False
        assert (await command(r))[0] == "unanswered"
        r.say("cellar-mister", "switch", False)
        await settle()
        assert tries(r) >= 0, "it says something else"
        r.say("cellar-mister", "switch", True)
        await settle()
        assert tries(r) == -1
        assert "as ada asked" in r.records.journal.all[-1].text


async def test_it_is_withdrawn_when_somebody_wants_something_else() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        await command(r, "on")
        r.link.reachable = True
        assert (await command(r, "off"))[0] == "confirmed"
        await r.clock.forward(24 * 3_600_000)
        assert [one.value for _, one in r.link.sent] == [0.0]


async def test_it_is_kept_over_a_restart() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        await command(r)
        records, clock = r.records, r.clock
    clock.now += 120_000
    async with rig(records, clock) as r:
        assert "wanted on for 2 min, not confirmed" in needs(r)[0]
        await r.clock.forward(PAUSES_MS[0])
        assert [one.value for _, one in r.link.sent] == [1.0]
    async with rig(records, clock) as r:
        await r.clock.forward(PAUSES_MS[0])
        assert r.link.sent == [], "and not once more after it was confirmed"


async def test_of_a_node_that_is_taken_out_nothing_is_wanted() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        await command(r)
        await r.do(RemoveNode("cellar-mister", keep_history=True))
        await r.clock.forward(3_600_000)
        assert needs(r) == []
        assert tries(r) == -1
