"""The demo: the hub in a process of its own, and Heron Mill around it, until Ctrl-C."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import signal
import sys
import time
from collections.abc import AsyncIterator
from pathlib import Path

import httpx

from hombi.client import AsyncHub, HubProblem, HubUnreachable
from hombi.core.senml import Record
from hombi.lab.bluetooth_nodes import BluetoothHouse
from hombi.lab.boards import Boards, post_for_ever
from hombi.lab.bus import NoDaemon
from hombi.lab.controls import Controls
from hombi.lab.demo_house import Demo, DemoError, Say, clear, keep_mill, kept_mill
from hombi.lab.first_start import OWNER, let_in_foreign, let_in_radio, settle_in
from hombi.lab.heron_mill import DERIVED, OUTSIDE, PLANS
from hombi.lab.history import history
from hombi.lab.node import LabNode
from hombi.lab.pages import serve_pages
from hombi.lab.phone import LabPhone
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import BLUETOOTH
from hombi.lab.thing_plans import web_things
from hombi.lab.walls import kitchen_wall
from hombi.lab.web_thing import WebThing, announced
from hombi.lab.zigbee_house import ZigbeeHouse

STEP_S = 0.25
STOP_S = 2.5

# Where Heron Mill stands, in degrees north and east.
WHERE = (53.1, 9.2)

# What the cellar's automation watched at first: people can have its text of before
# back.
FIRST_TRY = ('under = "82 %"', 'under = "80 %"')


async def run_demo(demo: Demo, say: Say) -> None:
    """Start everything, say how to sign in, and go on until cancelled. Raises
    DemoError."""
    if (demo.data / "hub.sqlite3").exists() and not demo.lab.exists():
        raise DemoError(
            f"{demo.data} holds a house of its own; set HOMBI_DATA to another folder for the demo"
        )
    if demo.unfinished.exists():
        say("The demo's house was not finished the last time; it is made afresh.")
        clear(demo)
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
            phone.hub = url
            first = demo.unfinished.exists()
            mill, kept = Mill(demo.seed, time.time()), dict[str, list[Record]]()
            if first:
                say("Making the last 35 days at Heron Mill …")
                # The physics is plain computation: in a thread, so that the hub's
                # questions are answered meanwhile.
                mill, kept = await asyncio.to_thread(history, demo.seed, time.time())
            else:
                mill = kept_mill(demo, mill)
            nodes = [
                LabNode(plan, mill, url, demo.lab / f"{plan.address}.json", demo.speed)
                for plan in PLANS
            ]
            zigbee.move_to(mill)
            if bluetooth is not None:
                bluetooth.move_to(mill)
            if first:
                await settle_in(demo, hub, http, nodes, kept, code, say)
            vent, gauge = [WebThing(plan, mill) for plan in web_things(demo.lab_port)]
            controls = Controls({**zigbee.nodes, **(bluetooth.nodes if bluetooth else {})}, zigbee)
            async with announced([vent, gauge], demo.lab_port), asyncio.TaskGroup() as group:
                group.create_task(serve_pages(demo, mill, phone, [vent, gauge], controls))
                group.create_task(zigbee.run(), name="zigbee")
                if bluetooth is not None:
                    group.create_task(bluetooth.run(), name="bluetooth")
                if first:
                    await let_in_radio(hub, zigbee, bluetooth, say)
                if first:
                    await hub.contacts.add_phone(
                        phone.name,
                        f"http://127.0.0.1:{demo.lab_port}/push/{phone.channel}",
                        phone.keys(),
                        person=OWNER,
                    )
                outside = LabNode(
                    OUTSIDE, mill, url, demo.lab / f"{OUTSIDE.address}.json", demo.speed
                )
                for node in [*nodes, outside]:
                    group.create_task(node.run(http), name=node.plan.address)
                if first:
                    await let_in_foreign(demo, hub, vent)
                keys = json.loads((demo.lab / "boards.json").read_text())
                letter = nodes[0].letter
                assert letter is not None, "it was let in above, or at an earlier start"
                # A demo of before called it a tool.
                key = keys.get("account") or keys["tool"]
                boards = Boards(mill, "127.0.0.1", letter.port, key, demo.speed)
                group.create_task(boards.run(), name="boards")
                group.create_task(
                    post_for_ever(http, mill, keys["node"], keys["node_key"], demo.speed),
                    name="wheel board",
                )
                if first:
                    await hub.change_house(where=WHERE)
                    await hub.presence.say(OWNER, home=True)
                    for text in texts("sequences"):
                        await hub.sequences.put(text)
                    for text in texts("automations"):
                        text = _here(text, demo)  # noqa: PLW2901
                        first_try = text.replace(*FIRST_TRY)
                        added = await hub.automations.add(first_try)
                        if first_try != text:
                            await hub.automations.change(added.automation, text)
                    for method, sources, title, parameters in DERIVED:
                        await hub.computed.make(method, sources, title=title, parameters=parameters)
                    await hub.dashboards.add("Kitchen wall", kitchen_wall(demo.lab_port))
                    demo.unfinished.unlink()
                _say_ready(demo, url, say)
                await _live(demo, mill)


def _here(text: str, demo: Demo) -> str:
    """A text with the lab's address as it is here."""
    return text.replace("127.0.0.1:21462", f"127.0.0.1:{demo.lab_port}")


def texts(folder: str) -> list[str]:
    """The texts in a folder of the lab."""
    files = sorted((Path(__file__).parent / folder).glob("*.toml"))
    return [file.read_text() for file in files]


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
    """The hub, as a process of its own; yields the code of the first sign-in, "" when
    it has an owner."""
    env = {
        "HOMBI_HTTP_HOST": "127.0.0.1",
        "HOMBI_MQTT_HOST": "127.0.0.1",
        "HOMBI_HOUSE_NAME": "Heron Mill",
        "HOMBI_WIFI_DISCOVERY": "127.0.0.1",
        "HOMBI_NOTICES_PUSH_SERVICES": f"http://127.0.0.1:{demo.lab_port}",
        "HOMBI_MAIL_HOST": "127.0.0.1",
        "HOMBI_MAIL_PORT": str(demo.mail_port),
        "HOMBI_MAIL_SECURE": "none",
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
        "-P",  # a folder `hombi` where it is started is not part of it
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


def _say_ready(demo: Demo, url: str, say: Say) -> None:
    owner = json.loads((demo.lab / "owner.json").read_text())
    say("")
    say(f"Heron Mill is at   {url}")
    say(f"Sign in as         {owner['username']}   password {owner['password']}")
    say(f"The lab's phone    http://127.0.0.1:{demo.lab_port}/phone")
    say(f"Its mailbox        http://127.0.0.1:{demo.lab_port}/mailbox")
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
                keep_mill(demo, mill)
    finally:
        keep_mill(demo, mill)


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
