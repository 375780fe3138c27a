"""Finding nodes that announce themselves (DNS-SD `_wot._tcp`), and announcing the hub
(`_hombi._tcp`)."""

from __future__ import annotations

import ipaddress
import logging
import socket
from collections.abc import Callable
from typing import Any

from zeroconf import (  # type: ignore[attr-defined]  # one public name is not in __all__
    AddressResolverIPv4,
    InterfaceChoice,
    ServiceStateChange,
    Zeroconf,
)
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from hombi.links.machine import own_address, own_addresses
from hombi.links.wifi.web import WELL_KNOWN
from hombi.links.work import Work

log = logging.getLogger(__name__)
NODES, HUBS = "_wot._tcp.local.", "_hombi._tcp.local."
ASK_MS = 3_000
PROTOCOL_VERSION = "1"
# How long another machine has to say that a name is its own, and how many may.
PROBE_MS, MOST_HUBS = 750, 20


async def free_name(zeroconf: Zeroconf, own: set[str]) -> str:
    """A host name under `local` (RFC 6762, 8.1) that no other machine answers to; `own`
    are this machine's addresses."""
    for number in range(1, MOST_HUBS + 1):
        name = f"hombi{f'-{number}' if number > 1 else ''}.local."
        pv4 = AddressResolverIPv4(name)
        await pv4.async_request(zeroconf, PROBE_MS)
        if set(pv4.parsed_addresses()) <= own:
            return name
    raise OSError(f"{MOST_HUBS} other machines are called hombi.local and so on")


class Discovery:
    """Hears nodes announce themselves, and tells `found` the address of each one's
    description.

    `interfaces` is "all", "off", or the addresses to use, with commas between them.
    `host` is the name by which the hub is found; of two hubs in a network, the second
    has a number after it.
    """

    def __init__(self, interfaces: str, found: Callable[[str], None], work: Work) -> None:
        self._interfaces, self._found, self._work = interfaces, found, work
        self._known: dict[str, str] = {}
        self._zeroconf: AsyncZeroconf | None = None
        self.host = ""
        self.problem = "switched off in hombi.toml (wifi.discovery)" if interfaces == "off" else ""

    async def start(self, name: str, port: int, properties: dict[str, str]) -> None:
        """Announce the hub and begin to listen. A network that does not allow it is a
        problem that `problem` tells."""
        if self._interfaces == "off":
            return
        chosen: Any = InterfaceChoice.Default
        if self._interfaces != "all":
            chosen = [one.strip() for one in self._interfaces.split(",")]
        try:
            self._zeroconf = AsyncZeroconf(interfaces=chosen)
            announcing = self._announce(self._zeroconf, name, port, properties)
            self._work.start(announcing, name="announcing the hub")
            self._browser = AsyncServiceBrowser(
                self._zeroconf.zeroconf, NODES, handlers=[self._changed]
            )
        except Exception as error:  # noqa: BLE001 - whatever the network says, the hub works without
            self._cannot(error)

    def _cannot(self, error: Exception) -> None:
        self.problem = (
            f"this network does not let the hub find nodes by itself "
            f"({str(error) or type(error).__name__})"
        )
        log.warning("%s", self.problem)

    async def _announce(
        self, zeroconf: AsyncZeroconf, name: str, port: int, properties: dict[str, str]
    ) -> None:
        """Say where the hub is, under a name that nobody else has."""
        address = own_address(self._interfaces)
        try:
            host = await free_name(zeroconf.zeroconf, {address, *map(str, own_addresses())})
            info = AsyncServiceInfo(
                HUBS, f"{name[:40].replace('.', ' ')} ({port}).{HUBS}", port=port, server=host,
                addresses=[socket.inet_aton(address)],
                properties={"v": PROTOCOL_VERSION, **properties},
            )  # fmt: skip
            await zeroconf.async_register_service(info, cooperating_responders=True)
        except Exception as error:  # noqa: BLE001 - whatever the network says, the hub works without
            self._cannot(error)
        else:
            self.host = host.rstrip(".")

    async def stop(self) -> None:
        """Say goodbye."""
        if self._zeroconf is not None:
            await self._zeroconf.async_unregister_all_services()
            await self._zeroconf.async_close()

    def known(self) -> dict[str, str]:
        """The addresses of the descriptions of all nodes that are announced, by the
        name of their service."""
        return dict(self._known)

    def _changed(
        self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange
    ) -> None:
        if state_change is ServiceStateChange.Removed:
            self._known.pop(name, None)
            return
        resolving = self._resolve(zeroconf, service_type, name)
        self._work.start(resolving, name=f"finding {name}")

    async def _resolve(self, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        info = AsyncServiceInfo(service_type, name)
        if not await info.async_request(zeroconf, ASK_MS):
            return
        fields = {
            key.decode(errors="replace"): (value or b"").decode(errors="replace")
            for key, value in info.properties.items()
        }
        addresses = info.parsed_addresses()
        # WoT Discovery, 6.1: `td` is the path, `scheme` http unless it says otherwise,
        # `type` Thing or Directory.
        if (
            not addresses
            or fields.get("type", "Thing") != "Thing"
            or fields.get("scheme", "http") not in ("http", "https")
        ):
            return
        host = addresses[0]
        if ipaddress.ip_address(host).version == 6:
            host = f"[{host}]"
        path = fields.get("td", WELL_KNOWN).lstrip("/")
        url = f"{fields.get('scheme', 'http')}://{host}:{info.port}/{path}"
        if self._known.get(name) != url:
            self._known[name] = url
            self._found(url)
