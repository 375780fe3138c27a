"""Hubs that announce themselves in this network (DNS-SD `_hombi._tcp`)."""

from __future__ import annotations

import threading

HUBS = "_hombi._tcp.local."
ASK_MS = 1_000


def hubs_nearby(for_s: float) -> list[str]:
    """The addresses of the hubs that answer within this time; none where the network
    does not allow to ask."""
    from zeroconf import ServiceBrowser, ServiceStateChange, Zeroconf  # noqa: PLC0415 - slow to load, and seldom needed

    names: set[str] = set()
    first = threading.Event()

    def changed(
        zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange
    ) -> None:
        if state_change is ServiceStateChange.Added:
            names.add(name)
            first.set()

    try:
        with Zeroconf() as zeroconf:
            ServiceBrowser(zeroconf, HUBS, handlers=[changed])
            first.wait(for_s)
            infos = [zeroconf.get_service_info(HUBS, name, ASK_MS) for name in sorted(names)]
            return [
                f"http://{info.parsed_addresses()[0]}:{info.port}"
                for info in infos
                if info and info.parsed_addresses()
            ]
    except OSError:
        return []
