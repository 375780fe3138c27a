"""Much to send at once, nodes that are not there, and answers that come too late."""

from __future__ import annotations

import asyncio
import time
from dataclasses import replace
from pathlib import Path

import pytest

from hombi.links.base import LinkError, Wanted
from hombi.links.zigbee import commands, radio, slots
from hombi.links.zigbee.commands import Id, Outcome
from hombi.links.zigbee.errors import NoAnswer
from hombi.links.zigbee.frames import Frame
from tests.links.told import on_link, until
from tests.links.zigbee.rig import PLANS, SWITCH, Rig, rig_at

ON = [Wanted(SWITCH, 1.0, "", True)]


async def lamps(rig: Rig, count: int) -> list[str]:
    """So many lamps on mains, let in."""
    plan = PLANS["terrace-plug"]
    names = [f"lamp-{n}" for n in range(count)]
    for n, name in enumerate(names):
        rig.build(replace(plan, address=name, ieee=plan.ieee + 0x100 + n, switches=""))
    for name in names:
        rig.driver.follow(on_link(name, await rig.arrive(name)))
    rig.driver.pairing(False)
    await until(lambda: not rig.stick.permits)
    await asyncio.sleep(0.2)
    return names


async def test_a_burst_into_full_buffers_arrives_whole(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        names = await lamps(rig, 6)
        rig.stick.not_sent = [commands.BUFFERS_FULL] * 40
        await asyncio.gather(*(rig.driver.send(name, ON) for name in names))
        assert all(rig.node(name).on for name in names)
        # Of one that stays full, a person is told as long as the command has.
        rig.stick.buffers = 0
        begun = time.monotonic()
        with pytest.raises(LinkError, match="buffers are full"):
            await rig.driver.send(names[0], [Wanted(SWITCH, 0.0, "", True)])
        assert time.monotonic() - begun >= radio.SEND_S
        rig.stick.buffers = 16
        await rig.driver.send(names[0], [Wanted(SWITCH, 0.0, "", True)])
        assert not rig.node(names[0]).on


async def test_questions_to_the_network_take_part_in_the_places(tmp_path: Path) -> None:
    """A stick that holds no more than the hub means to send refuses nothing."""
    async with rig_at(tmp_path) as rig:
        names = await lamps(rig, 4)
        rig.stick.buffers, rig.stick.most_held, rig.stick.gives_up_s = slots.AT_ONCE, 0, 0.3
        for name in names:
            rig.node(name).away = True
        up = rig.driver._stick.up
        assert up is not None

        async def ask(short: int) -> None:
            frame = commands.ask(Id.ACTIVE_ENDPOINTS, short)
            with pytest.raises(LinkError):
                await up.radio.network(frame, commands.Endpoints, short, 0.5)

        shorts = [rig.node(name).short for name in names]
        await asyncio.gather(*(ask(short) for short in shorts * 3), *(ask(1 + n) for n in range(9)))
        assert 4 <= rig.stick.most_held <= slots.AT_ONCE
        for name in names:
            rig.node(name).away = False
        await rig.driver.send(names[0], ON)


async def test_dead_nodes_do_not_hold_up_one_that_answers(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        names = await lamps(rig, 9)
        *dead, live = names
        rig.stick.gives_up_s = 0.7
        for name in dead:
            rig.node(name).away = True

        async def to_dead(name: str) -> None:
            with pytest.raises(LinkError):
                await rig.driver.send(name, ON)

        asking = asyncio.gather(*(to_dead(name) for name in dead))
        await asyncio.sleep(1.0)
        took = []
        for n in range(10):
            begun = time.monotonic()
            await rig.driver.send(live, [Wanted(SWITCH, float(n % 2), "", True)])
            took.append(time.monotonic() - begun)
            assert rig.node(live).on == bool(n % 2)
        assert max(took) < 0.5, took  # and not as long as the dead ones take
        await asking
        # They come back, and are as quick as the others.
        for name in dead:
            rig.node(name).away = False
        await asyncio.gather(*(rig.driver.send(name, ON) for name in dead))
        assert all(rig.node(name).on for name in dead)


async def test_an_answer_that_is_late_is_not_taken_for_the_next_ones(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        up = rig.driver._stick.up
        assert up is not None
        processor = up.processor
        first, second = (
            Frame(Id.STORE_READ, item.to_bytes(2, "little") + b"\0") for item in (0x0084, 0x0083)
        )
        wanted = rig.stick.store[0x0083].hex()
        # The hub asks for other things meanwhile: this one answer alone is late.
        rig.stick.late_s[first.command, first.data] = 0.3
        with pytest.raises(NoAnswer):
            await processor.request(first, 0.1)
        answer = await processor.request(second)
        assert answer.data[2:].hex() == wanted
        # Nor that to a question that nobody waits for any more.
        rig.stick.late_s[first.command, first.data] = 0.3
        asking = asyncio.create_task(processor.request(first))
        await asyncio.sleep(0.05)
        asking.cancel()
        answer = await processor.request(second)
        assert answer.data[2:].hex() == wanted


async def test_a_nodes_late_answer_is_not_taken_for_the_next_bindings(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        (name,) = await lamps(rig, 1)
        node = rig.node(name)
        up = rig.driver._stick.up
        assert up is not None
        answered = node._answer_network
        late: list[float] = [0.5]
        node.binds_with = 0

        def slowly(command: int, data: bytes) -> None:
            if late:
                asyncio.get_running_loop().call_later(late.pop(), answered, command, data)
                return
            node.binds_with = 0x8C  # its table is full
            answered(command, data)

        node._answer_network = slowly  # type: ignore[method-assign]

        def bind(cluster: int) -> Frame:
            return commands.bind(node.short, node.ieee, 1, cluster, up.network.ieee, 1)

        with pytest.raises(NoAnswer):
            await up.radio.network(bind(0x0006), Outcome, node.short, 0.2)
        second = asyncio.create_task(up.radio.network(bind(0x0008), Outcome, node.short))
        assert (await second).status == 0x8C
