"""The demo's first start: the house is laid out, and every node is let in."""

from __future__ import annotations

import asyncio
import json
import secrets

import httpx

from hombi.client import AsyncHub, HubProblem
from hombi.core.senml import Record
from hombi.lab.bluetooth_nodes import BluetoothHouse
from hombi.lab.boards import ACCOUNT, POSTING, TOPICS
from hombi.lab.demo_house import Demo, DemoError, Say
from hombi.lab.heron_mill import FLOORS, PLANS, ROOMS
from hombi.lab.node import LabNode
from hombi.lab.web_thing import WebThing
from hombi.lab.zigbee_house import ZigbeeHouse

OWNER = "mill"
PACK = 4_000
PATIENCE_S = 60.0


async def settle_in(
    demo: Demo,
    hub: AsyncHub,
    http: httpx.AsyncClient,
    nodes: list[LabNode],
    kept: dict[str, list[Record]],
    code: str,
    say: Say,
) -> None:
    """Sign in first, lay out the house, let the nodes in, and send
    what they kept."""
    password = "-".join(secrets.token_hex(2) for _ in range(3))
    await hub.sign_in_first(code, OWNER, password)
    path = demo.lab / "owner.json"
    path.touch(mode=0o600)
    path.write_text(json.dumps({"username": OWNER, "password": password}))
    for floor in FLOORS:
        await hub.floors.add(floor)
    for room, floor in ROOMS:
        await hub.rooms.add(room, floor)
    say(f"Letting {len(nodes)} nodes in …")
    await hub.pairing.open("5 min")
    joining = [asyncio.create_task(node.join(http)) for node in nodes]
    plans = {plan.thing_id: plan for plan in PLANS}
    by_title = {plan.title: plan for plan in plans.values()}
    try:
        async with asyncio.timeout(PATIENCE_S):
            while any(node.letter is None for node in nodes):
                for arrival in await hub.pairing.arrivals():
                    if (plan := by_title.get(arrival.title)) is None:
                        continue  # of another demo beside this one
                    await hub.pairing.admit(arrival.id, plan.setup_code, plan.title, plan.room)
                await asyncio.sleep(0.1)
            await asyncio.gather(*joining)
    except TimeoutError as error:
        outside = ", ".join(node.plan.title for node in nodes if node.letter is None)
        raise DemoError(
            f"{outside} did not get in within {PATIENCE_S:.0f} s; remove {demo.data} "
            f"and start again"
        ) from error
    await hub.pairing.close()
    total = sum(len(records) for records in kept.values())
    say(f"Sending the {total:,} readings that the nodes kept …")
    for node in nodes:
        records = kept[node.plan.address]
        for at in range(0, len(records), PACK):
            await node.upload(http, records[at : at + PACK])


async def let_in_foreign(demo: Demo, hub: AsyncHub, vent: WebThing) -> None:
    """Let in the vent by its address, and the boards that know nothing of
    Hombi."""
    async with asyncio.timeout(PATIENCE_S):
        while True:
            try:
                arrival = await hub.pairing.look(f"http://127.0.0.1:{demo.lab_port}{vent.path}")
                break
            except HubProblem:  # the lab's own pages are not up yet
                await asyncio.sleep(0.1)
    await hub.pairing.admit(arrival.id, name=vent.plan.title, room=vent.plan.room)
    account = await hub.mqtt_accounts.add(ACCOUNT, TOPICS, TOPICS)
    posting = await hub.nodes.add(POSTING, "Workshop")
    await hub.nodes.add_entity(posting.node, "Turns", "number")
    await hub.messages.pick(
        topic="mill/{node}/state", pointer="/soil/moisture", kind="moisture",
        title="Soil moisture", nodes=["herb-bed"],
        name="Herb bed", room="Terrace",
    )  # fmt: skip
    path = demo.lab / "boards.json"
    path.touch(mode=0o600)
    path.write_text(
        json.dumps({"account": account.key, "node": posting.node, "node_key": posting.key})
    )


async def let_in_radio(
    hub: AsyncHub, zigbee: ZigbeeHouse, bluetooth: BluetoothHouse | None, say: Say
) -> None:
    """Press the buttons of the radio nodes, and let them in as they
    come."""
    radio = [*zigbee.nodes.values(), *(bluetooth.nodes.values() if bluetooth else ())]
    plans = {node.thing_id: node.plan for node in radio if not node.plan.waits}
    say(f"Pairing {len(plans)} radio nodes …")
    await hub.pairing.open("3 min")
    try:
        async with asyncio.timeout(PATIENCE_S):
            for node in radio:
                if not node.plan.waits:
                    node.press()
            while plans:
                for arrival in await hub.pairing.arrivals():
                    if (
                        arrival.state == "waiting"
                        and (known := plans.pop(arrival.thing, None)) is not None
                    ):
                        await hub.pairing.admit(arrival.id, name=known.title, room=known.room)
                await asyncio.sleep(0.1)
    except TimeoutError as error:
        outside = ", ".join(plan.title for plan in plans.values())
        raise DemoError(
            f"{outside} could not be paired within {PATIENCE_S:.0f} s; `hombi doctor` may say why"
        ) from error
    await hub.pairing.close()
