"""The demo: the hub in a process of its own, and Heron Mill around it, until Ctrl-C."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import json
import os
import secrets
import shutil
import signal
import sys
import time
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass
from pathlib import Path

import httpx
import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from hombi.client import AsyncHub, HubProblem, HubUnreachable
from hombi.core.senml import Record
from hombi.lab.bluetooth_nodes import BluetoothHouse
from hombi.lab.bluez import NoDaemon
from hombi.lab.boards import POSTING, TOOL, TOPICS, Boards, post_for_ever
from hombi.lab.controls import Controls
from hombi.lab.heron_mill import FLOORS, OUTSIDE, PLANS, ROOMS
from hombi.lab.history import history
from hombi.lab.node import LabNode
from hombi.lab.phone import LabPhone
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import BLUETOOTH
from hombi.lab.thing_plans import web_things
from hombi.lab.web_thing import WebThing, announced
from hombi.lab.zigbee_house import ZigbeeHouse

OWNER = "mill"
STEP_S = 0.25
STOP_S = 2.5
PACK = 4_000
STEAM_S = 60.0
PATIENCE_S = 60.0
Say = Callable[[str], None]


class DemoError(Exception):
    """The demo cannot run; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Demo:
    """Where the demo runs and how: `speed` is how many times faster than the clock the
    mill lives."""

    data: Path
    port: int
    speed: float
    seed: int

    @property
    def lab(self) -> Path:
        """What the lab keeps: the nodes' keys, the phone's, the owner's password."""
        return self.data / "lab"

    @property
    def unfinished(self) -> Path:
        """A file that is there for as long as the house is being made."""
        return self.lab / "unfinished"

    @property
    def lab_port(self) -> int:
        """The port of the lab's own pages."""
        return self.port + 2


async def run_demo(demo: Demo, say: Say) -> None:
    """Start everything, say how to sign in, and go on until cancelled. Raises
    DemoError."""
    if (demo.data / "hub.sqlite3").exists() and not demo.lab.exists():
        raise DemoError(
            f"{demo.data} holds a house of its own; set HOMBI_DATA to another folder for the demo"
        )
    if demo.unfinished.exists():
        say("The demo's house was not finished the last time; it is made anew.")
        _clear(demo)
    demo.lab.mkdir(parents=True, exist_ok=True, mode=0o700)
    if not (demo.data / "hub.sqlite3").exists():
        demo.unfinished.touch()
    say("Starting the hub …")
    zigbee = ZigbeeHouse(Mill(demo.seed, time.time()), demo.lab)
    zigbee.stick.plug()
    async with _bluetooth(demo, say) as bluetooth, _hub_process(demo, bluetooth) as code:
        url = f"http://127.0.0.1:{demo.port}"
        token = json.loads((demo.data / "hub.token").read_text())["token"]
        async with (
            AsyncHub(url, token) as hub,
            httpx.AsyncClient(base_url=url, timeout=15, trust_env=False) as http,
        ):
            phone = LabPhone.kept_in(demo.lab / "phone.json", "Lab phone")
            first = demo.unfinished.exists()
            mill, kept = Mill(demo.seed, time.time()), dict[str, list[Record]]()
            if first:
                say("Making the last 35 days at Heron Mill …")
                # The physics is plain computation: in a thread, so that the hub's
                # questions are answered meanwhile.
                mill, kept = await asyncio.to_thread(history, demo.seed, time.time())
            else:
                mill = _kept_mill(demo, mill)
            nodes = [
                LabNode(plan, mill, url, demo.lab / f"{plan.address}.json", demo.speed)
                for plan in PLANS
            ]
            zigbee.move_to(mill)
            if bluetooth is not None:
                bluetooth.move_to(mill)
            if first:
                await _settle_in(demo, hub, http, nodes, kept, code, say)
            vent, gauge = [WebThing(plan, mill) for plan in web_things(demo.lab_port)]
            controls = Controls({**zigbee.nodes, **(bluetooth.nodes if bluetooth else {})}, zigbee)
            async with announced([vent, gauge], demo.lab_port), asyncio.TaskGroup() as group:
                group.create_task(_pages(demo, mill, phone, [vent, gauge], controls))
                group.create_task(zigbee.run(), name="zigbee")
                if bluetooth is not None:
                    group.create_task(bluetooth.run(), name="bluetooth")
                if first:
                    await _let_in_radio(hub, zigbee, bluetooth, say)
                if first:
                    await hub.phones.add(
                        phone.name,
                        f"http://127.0.0.1:{demo.lab_port}/push/{phone.channel}",
                        phone.keys(),
                        OWNER,
                    )
                outside = LabNode(
                    OUTSIDE, mill, url, demo.lab / f"{OUTSIDE.address}.json", demo.speed
                )
                for node in [*nodes, outside]:
                    group.create_task(node.run(http), name=node.plan.address)
                if first:
                    await _let_in_foreign(demo, hub, vent)
                keys = json.loads((demo.lab / "boards.json").read_text())
                letter = nodes[0].letter
                assert letter is not None, "it was let in above, or at an earlier start"
                boards = Boards(mill, "127.0.0.1", letter.port, keys["tool"], demo.speed)
                group.create_task(boards.run(), name="boards")
                group.create_task(
                    post_for_ever(http, mill, keys["node"], keys["node_key"], demo.speed),
                    name="wheel board",
                )
                if first:
                    for text in sorted((Path(__file__).parent / "automations").glob("*.toml")):
                        await hub.automations.add(text.read_text())
                    demo.unfinished.unlink()
                _say_ready(demo, url, say)
                await _live(demo, mill)


@contextlib.asynccontextmanager
async def _bluetooth(demo: Demo, say: Say) -> AsyncIterator[BluetoothHouse | None]:
    """The Bluetooth nodes and their bus; None, and a word, where there is no bus
    daemon."""
    if os.environ.get("HOMBI_BLUETOOTH_USE") == "off":
        yield None
        return
    house = BluetoothHouse(BLUETOOTH, Mill(demo.seed, time.time()), demo.lab)
    try:
        await house.start()
    except NoDaemon as error:
        say(f"No Bluetooth nodes: {error}; sudo apt-get install dbus-daemon brings it.")
        yield None
        return
    try:
        yield house
    finally:
        await house.stop()


@contextlib.asynccontextmanager
async def _hub_process(demo: Demo, bluetooth: BluetoothHouse | None) -> AsyncIterator[str]:
    """The hub, as a process of its own; yields the claim code, "" when it is
    claimed."""
    env = {
        "HOMBI_HTTP_HOST": "127.0.0.1",
        "HOMBI_MQTT_HOST": "127.0.0.1",
        "HOMBI_HOUSE_NAME": "Heron Mill",
        "HOMBI_WIFI_DISCOVERY": "127.0.0.1",
        "HOMBI_NOTICES_PUSH_SERVICES": f"http://127.0.0.1:{demo.lab_port}",
        "HOMBI_ZIGBEE_PORT": str(demo.lab / "zigbee-stick"),
        **os.environ,
        **(
            {"DBUS_SYSTEM_BUS_ADDRESS": bluetooth.bus.address}
            if bluetooth
            else {"HOMBI_BLUETOOTH_USE": "off"}
        ),
        "HOMBI_DATA": str(demo.data),
        "HOMBI_PORT": str(demo.port),
    }
    process = await asyncio.create_subprocess_exec(
        sys.executable,
        "-m",
        "hombi.cli.app",
        "serve",
        env=env,
        stdout=asyncio.subprocess.PIPE,
        start_new_session=True,
    )
    assert process.stdout is not None
    try:
        code = ""
        while True:
            line = (await process.stdout.readline()).decode()
            if not line:
                raise DemoError("the hub did not start; what it said is above")
            if line.startswith("Nobody owns"):
                code = line.split()[-1]
            if line.startswith("Ready"):
                break
        yield code
    finally:
        if process.returncode is None:
            process.send_signal(signal.SIGTERM)
            try:
                async with asyncio.timeout(STOP_S):
                    await process.wait()
            except TimeoutError:
                process.kill()
                await process.wait()


async def _settle_in(
    demo: Demo,
    hub: AsyncHub,
    http: httpx.AsyncClient,
    nodes: list[LabNode],
    kept: dict[str, list[Record]],
    code: str,
    say: Say,
) -> None:
    """The first start: claim the hub, lay out the house, let the nodes in, and send
    what they kept."""
    password = "-".join(secrets.token_hex(2) for _ in range(3))
    await hub.claim(code, OWNER, password)
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


async def _let_in_foreign(demo: Demo, hub: AsyncHub, vent: WebThing) -> None:
    """The first start: the vent by its address, and the boards that know nothing of
    Hombi."""
    async with asyncio.timeout(PATIENCE_S):
        while True:
            try:
                arrival = await hub.pairing.look(f"http://127.0.0.1:{demo.lab_port}{vent.path}")
                break
            except HubProblem:  # the lab's own pages are not up yet
                await asyncio.sleep(0.1)
    await hub.pairing.admit(arrival.id, name=vent.plan.title, room=vent.plan.room)
    tool = await hub.tools.add(TOOL, TOPICS, TOPICS)
    posting = await hub.nodes.add(POSTING, "Workshop")
    await hub.nodes.add_entity(posting.node, "Turns", "number")
    await hub.messages.pick(
        topic="mill/{node}/state", pointer="/soil/moisture", kind="moisture",
        title="Soil moisture", nodes=["herb-bed"],
        name="Herb bed", room="Terrace",
    )  # fmt: skip
    path = demo.lab / "boards.json"
    path.touch(mode=0o600)
    path.write_text(json.dumps({"tool": tool.key, "node": posting.node, "node_key": posting.key}))


async def _let_in_radio(
    hub: AsyncHub, zigbee: ZigbeeHouse, bluetooth: BluetoothHouse | None, say: Say
) -> None:
    """The first start: press the buttons of the radio nodes, and let them in as they
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


def _clear(demo: Demo) -> None:
    """Remove what an unfinished preparation has left, and nothing else that is in the
    folder. Raises DemoError."""
    lock = demo.data / "hub.lock"
    if lock.exists():
        with lock.open() as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError as error:
                raise DemoError(
                    f"its hub still runs (process {file.read().strip()}); stop that first"
                ) from error
    for pattern in ("hub.*", "secret.key"):
        for path in demo.data.glob(pattern):
            path.unlink()
    shutil.rmtree(demo.lab)


def _say_ready(demo: Demo, url: str, say: Say) -> None:
    owner = json.loads((demo.lab / "owner.json").read_text())
    say("")
    say(f"Heron Mill is at   {url}")
    say(f"Sign in as         {owner['username']}   password {owner['password']}")
    say(f"The lab's phone    http://127.0.0.1:{demo.lab_port}/phone")
    say(f"Radio nodes        http://127.0.0.1:{demo.lab_port}/ has their buttons")
    say(
        f"Two nodes wait     {OUTSIDE.title}, setup code {OUTSIDE.setup_code}, and the "
        f"Race gauge; hombi pair lets them in"
    )
    say("Two need a press   hombi pair, then hombi lab press cellar-floor or workshop-air")
    say("Try                hombi now · hombi follow · hombi set loft-lamp/level 40%")
    say("Ctrl-C stops everything.")


async def _live(demo: Demo, mill: Mill) -> None:
    """Move the mill on with the clock. Its state is kept, so that the next start goes
    on from it."""
    real, began, saved = time.time(), mill.time_s, 0.0
    try:
        while True:
            await asyncio.sleep(STEP_S)
            now = began + (time.time() - real) * demo.speed
            mill.people()
            mill.step(now)
            if time.time() - saved > 10:
                saved = time.time()
                _keep_mill(demo, mill)
    finally:
        _keep_mill(demo, mill)


def _keep_mill(demo: Demo, mill: Mill) -> None:
    rooms = {name: (room.temperature, room.vapour) for name, room in mill.rooms.items()}
    d = mill.devices
    devices = {
        "mister": d.mister,
        "fan": d.fan,
        "kettle": d.kettle,
        "lights": d.lights,
        "hen_lamp": d.hen_lamp,
    }
    (demo.lab / "mill.json").write_text(
        json.dumps({"rooms": rooms, "devices": devices, "energy": mill.energy_kwh})
    )


def _kept_mill(demo: Demo, mill: Mill) -> Mill:
    path = demo.lab / "mill.json"
    if path.exists():
        kept = json.loads(path.read_text())
        for name, (temperature, vapour) in kept["rooms"].items():
            mill.rooms[name].temperature, mill.rooms[name].vapour = temperature, vapour
        for name, on in kept["devices"].items():
            setattr(mill.devices, name, on)
        mill.energy_kwh = kept["energy"]
    return mill


async def _pages(
    demo: Demo, mill: Mill, phone: LabPhone, things: list[WebThing], controls: Controls
) -> None:
    """The lab's own pages: the phone, the nodes' setup codes, steam for the cellar's
    sensor, the radio nodes in hand."""

    async def nodes(request: Request) -> Response:
        return JSONResponse(
            [
                {"node": p.address, "title": p.title, "setup_code": p.setup_code}
                for p in (*PLANS, OUTSIDE)
            ]
        )

    async def steam(request: Request) -> Response:
        mill.devices.steam_until_s = mill.time_s + STEAM_S
        return JSONResponse({"steam": f"at the cellar rack for {STEAM_S:.0f} s"})

    app = Starlette(
        routes=[
            Route("/push/{channel}", phone.push, methods=["POST"]),
            Route("/phone", phone.page),
            Route("/phone/notices", phone.shown),
            Route("/phone/answer", phone.behave, methods=["POST"]),
            Route("/nodes", nodes),
            Route("/steam", steam, methods=["POST"]),
            *controls.routes(),
            *(route for thing in things for route in thing.routes()),
        ]
    )
    config = uvicorn.Config(
        app, host="127.0.0.1", port=demo.lab_port, loop="none", log_level="warning", lifespan="off"
    )
    server = uvicorn.Server(config)
    # The demo itself listens for Ctrl-C.
    server.capture_signals = contextlib.nullcontext  # type: ignore[method-assign, assignment]
    try:
        await server.serve()
    except SystemExit as error:
        raise DemoError(
            f"the lab's port {demo.lab_port} cannot be opened; set HOMBI_PORT to another port"
        ) from error


def demo(data: Path, port: int, speed: float, seed: int, say: Say) -> None:
    """Run the demo in the foreground. Raises DemoError."""
    try:
        asyncio.run(_until_told(Demo(data, port, speed, seed), say))
    except* (DemoError, HubProblem, HubUnreachable) as group:
        raise DemoError("; ".join(str(e) for e in group.exceptions)) from group


async def _until_told(plan: Demo, say: Say) -> None:
    """Run until SIGINT or SIGTERM."""
    running = asyncio.create_task(run_demo(plan, say))
    loop = asyncio.get_running_loop()
    for sign in (signal.SIGINT, signal.SIGTERM):
        loop.add_signal_handler(sign, running.cancel)
    with contextlib.suppress(asyncio.CancelledError):
        await running
