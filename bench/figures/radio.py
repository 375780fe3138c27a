"""Zigbee and Bluetooth."""

from __future__ import annotations

import contextlib
import statistics
import tempfile
import time

from bench import rig
from bench.figures.measures import Row, processor_s
from hombi.client import Missing
from tests.house import until


def zigbee(count: int = 200, frames: int = 24_000, samples: int = 300) -> list[Row]:
    """200 Zigbee nodes reporting over a pty: frames to committed readings, and from a
    frame in to the automation's frame out."""
    with (
        tempfile.TemporaryDirectory() as folder,
        rig.air("zigbee", folder, str(count)) as air,
        rig.hub(HOMBI_ZIGBEE_PORT=f"{folder}/stick") as service,
        service.hub() as hub,
    ):
        until(lambda: hub.zigbee.info().state == "up")
        for number in range(count + 1):
            if number % 50 == 0:
                hub.pairing.open("15 min")
            thing = air(f"join {number}")
            result = until(
                lambda thing=thing: [
                    a for a in hub.pairing.arrivals() if (a.thing, a.state) == (thing, "waiting")
                ],
                30,
            )
            hub.pairing.admit(result[0].id, name=f"Node {number}")
        hub.pairing.close()
        until(lambda: len(hub.nodes.list()) == count + 1)
        rates = []
        for _ in range(3):
            before = hub.house().readings_committed
            begun = air(f"flood {frames}")
            until(lambda before=before: hub.house().readings_committed - before >= frames, 60)
            rates.append(frames / (time.time() - begun))
            time.sleep(3)  # each node may send so many a second, and more for a while
        text = (
            '[watch]\nentity = "node-0/temperature"\n{0} = "20 °C"\n[[starts]]\nswitch = '
            '"node-{2}/switch"\nto = "{1}"\n'
        )
        hub.automations.add('name = "Over"\n' + text.format("over", "on", count))
        hub.automations.add('name = "Under"\n' + text.format("under", "off", count))
        air("react 10")
        times = air(f"react {samples}")
    rate, p99 = statistics.median(rates), statistics.quantiles(times, n=100)[98]
    what = f"{statistics.median(times):.1f} ms, p99 {p99:.1f} ms"
    return [
        (
            f"{count} Zigbee nodes, frames/s to committed readings",
            f"{rate:,.0f}",
            "2,000 or more",
            rate >= 2000,
        ),
        (
            "Zigbee, from the frame in to the automation's command frame out",
            what,
            "p99 under 15 ms",
            p99 < 15,
        ),
    ]


def bluetooth(count: int = 100, rate: float = 1_000, seconds: float = 20) -> list[Row]:
    """1,000 advertisements a second from 100 nodes, 20 of them let in: the hub's
    processor time."""
    with (
        tempfile.TemporaryDirectory() as folder,
        rig.air("bluetooth", folder, str(count), str(rate)) as air,
    ):
        env = {"HOMBI_BLUETOOTH_USE": "on", "DBUS_SYSTEM_BUS_ADDRESS": f"unix:path={folder}/bus"}
        with rig.hub(**env) as service, service.hub() as hub:
            hub.pairing.open("1 min")
            # All are heard, and only so many can wait: who waits changes all the while.
            until(lambda: len(hub.pairing.arrivals()) >= 20, 30)
            while len(hub.nodes.list()) < 20:
                arrival = hub.pairing.arrivals()[-1]
                with contextlib.suppress(Missing):
                    hub.pairing.admit(arrival.id, name=arrival.title)
            hub.pairing.close()
            pid = int((service.data / "hub.lock").read_text())
            time.sleep(2)
            before, sent, begun = processor_s(pid), air("count_sent"), time.time()
            readings = hub.house().readings_committed
            time.sleep(seconds)
            spent, heard, took = (
                processor_s(pid) - before,
                air("count_sent") - sent,
                time.time() - begun,
            )
            readings = hub.house().readings_committed - readings
    share = spent / took
    what = (
        f"{100 * share:.1f} % of a core ({heard / took:,.0f}/s heard, "
        f"{readings / took:,.0f} readings/s committed)"
    )
    return [
        (f"{rate:,.0f} Bluetooth advertisements/s, processor", what, "under 15 %", share < 0.15)
    ]
