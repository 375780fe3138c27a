"""`GET /metrics`: how the hub does, in OpenMetrics, for who gathers such numbers."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from typing import Any

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse

from hombi.hub.hub import Hub
from hombi.hub.kernel import Right, allows
from hombi.service.api.live import refused, who_asks
from hombi.service.bridge import hub


async def metrics(request: HttpRequest) -> HttpResponse:
    """For a token that may read."""
    if request.method != "GET":
        return refused(405, "metrics are read with GET")
    who = await sync_to_async(who_asks)(request)
    if who is None:
        return refused(401, "send a token; `hombi sign-in --limit read` makes one")
    if not allows(who, Right.SEE):
        return refused(403, f"{who} may not {Right.SEE}")
    library = await asyncio.to_thread(_library)
    text: bytes = library.generate_latest(_Registry(hub()))
    return HttpResponse(text, content_type=library.CONTENT_TYPE_LATEST)


def _library() -> Any:
    """Loaded when it is asked for: it would make every start a tenth of a second
    longer."""
    from prometheus_client import core  # noqa: F401, PLC0415 - used by what collects
    from prometheus_client.openmetrics import exposition  # noqa: PLC0415

    return exposition


class _Registry:
    """What is so now, as the library wants to collect it."""

    def __init__(self, h: Hub) -> None:
        self._hub = h

    def collect(self) -> Iterator[object]:
        """One family after another."""
        from prometheus_client.core import (  # noqa: PLC0415
            CounterMetricFamily,
            GaugeMetricFamily,
            InfoMetricFamily,
        )

        from hombi import __version__  # noqa: PLC0415

        h = self._hub
        yield InfoMetricFamily("hombi", "The hub.", {"version": __version__})
        counters = (
            ("readings_committed", "Readings written since the start.", h.writer.committed),
            ("notices_failed", "Notices that reached nobody since the start.", h.outbox.failed),
            ("messages_seen", "Messages of nodes that do not know Hombi.", h.messages.seen),
        )
        for name, about, value in counters:
            yield CounterMetricFamily(f"hombi_{name}", about, value)
        nodes = h.house.nodes.values()
        gauges = (
            ("readings_held", "Readings on their way to the disk.", h.writer.held),
            ("loop_delay_seconds", "The longest delay of late.", h.lag.worst_ms / 1000),
            ("nodes", "Nodes in the house.", len(nodes)),
            ("nodes_silent", "Nodes that are not heard.", sum(n.silent for n in nodes)),
            ("entities", "Values of the house.", len(h.house.entities)),
            ("notices_waiting", "Notices on their way.", h.outbox.waiting),
            ("parts_failing", "Parts that fail now.", len(h.context.tasks.failing)),
            ("links_troubled", "Links with a trouble.", sum(map(bool, h.links.troubles.values()))),
            ("database_bytes", "The database's file.", _size(h)),
        )
        for name, about, gauge in gauges:
            yield GaugeMetricFamily(f"hombi_{name}", about, gauge)
        phases = GaugeMetricFamily(
            "hombi_automation_on", "Whether an automation is on.", labels=["automation"]
        )
        for slug, runner in h.automations.runners.items():
            phases.add_metric([slug], float(runner.state.phase.value == "on"))
        yield phases


def _size(h: Hub) -> int:
    folder = h.config.data.glob("hub.sqlite3*")
    return sum(path.stat().st_size for path in folder if path.is_file())
