from __future__ import annotations

import pytest

from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.errors import Invalid, NotFound
from tests.hub.parts import Rig, rig, settle


async def command(r: Rig, to: str = "on", address: str = "cellar-mister/switch") -> tuple[str, str]:
    done = await r.do(CommandEntity(address, to))
    await settle()
    return done.state.value, done.problem


async def test_the_nodes_own_word_confirms_it() -> None:
    async with rig() as r:
        await r.cellar()
        assert await command(r) == ("confirmed", "")
        latest = r.hub.house.entity("cellar-mister/switch").latest
        assert latest is not None
        assert latest.value == 1.0
        assert r.records.journal.all[-1].text == "cellar-mister/switch is on, as ada asked"


async def test_a_node_that_does_not_answer_is_said_so() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.obeys = False
        assert await command(r) == ("unanswered", "cellar-mister did not confirm within 0.25 s")
        assert r.hub.house.entity("cellar-mister/switch").latest is None, "never shown as done"
        assert r.records.journal.all[-1].event == "CommandFailed"


async def test_a_node_that_says_something_else_has_not_confirmed() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.obeys = False
        r.say("cellar-mister", "switch", False)
        assert (await command(r))[0] == "unanswered"


async def test_a_node_that_is_not_there_is_unreachable() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.reachable = False
        assert await command(r) == ("unreachable", "cellar-mister is not connected")


async def test_where_its_link_can_a_command_is_sent_before_anybody_has_another_turn() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.quick = True
        switch = r.hub.house.entity("cellar-mister/switch")
        asking = r.hub.actuation.begin(switch, 1.0, "ada")
        assert [(node, one.value) for node, one in r.link.sent] == [("cellar-mister", 1.0)]
        assert (await asking).state.value == "confirmed", "also by an answer that was as quick"
        assert r.hub.actuation.wishes.get(switch.address) is None
        assert len(r.link.sent) == 1, "once"


async def test_what_cannot_be_sent_at_once_is_told_and_stays_wanted() -> None:
    async with rig() as r:
        await r.cellar()
        r.link.quick, r.link.reachable = True, False
        assert await command(r) == ("unreachable", "cellar-mister is not connected")
        assert r.hub.actuation.wishes.get("cellar-mister/switch") is not None
        r.link.reachable, r.link.sent = True, None  # type: ignore[assignment]
        state, problem = await command(r)
        assert state == "unreachable", "a driver's mistake is its own"
        assert "could not send it" in problem


@pytest.mark.parametrize(
    ("address", "to", "error", "said"),
    [
        ("cellar-mister/swich", "on", NotFound, "did you mean cellar-mister/switch?"),
        ("cellar-rack/humidity", "80 %", Invalid, "read-only"),
        ("cellar-mister/switch", "onn", Invalid, "use 'on' or 'off'"),
    ],
)
async def test_says_what_is_wrong_with_a_command(
    address: str, to: str, error: type[Exception], said: str
) -> None:
    async with rig() as r:
        await r.cellar()
        with pytest.raises(error, match=said):
            await r.do(CommandEntity(address, to))


async def test_a_value_is_sent_in_the_nodes_own_unit() -> None:
    async with rig() as r:
        await r.let_in(
            "Stove", target={"type": "number", "unit": "[degF]", "@type": "x:Temperature"}
        )
        assert (await command(r, "20 °C", "stove/target"))[0] == "confirmed"
        (_, wanted), *_ = r.link.sent
        assert (wanted.value, wanted.unit) == (pytest.approx(68.0), "[degF]")
