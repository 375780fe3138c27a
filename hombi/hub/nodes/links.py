"""The links of the hub: which there are, their drivers, and what of them needs a
person.

No link's name stands in the hub's logic: what a link can do beside the usual is asked
of its driver, by the protocols in `links.base`.
"""

from __future__ import annotations

import logging
import ssl
from collections.abc import Callable, Iterator, Sequence
from typing import Any, TypeVar

from hombi.core.outcome import Acknowledge, Outcome, first_only
from hombi.core.senml import Resolved
from hombi.hub.errors import Refused
from hombi.hub.house import House, Node
from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.machine.keeper import Keeper
from hombi.hub.nodes.events import LinkTroubled, LinkWell
from hombi.hub.settings.config import Config
from hombi.links.base import Driver, Link, LinkContext, LinkError, Reports
from hombi.links.capabilities import KnowsConnected, Reconfigures, able

log = logging.getLogger(__name__)

C = TypeVar("C")


class LinkReports:
    """What one driver tells the hub. A failure of the hub's over one report reaches
    neither the driver nor the next report."""

    def __init__(self, link: str, context: Context, keeper: Keeper, to: Reports) -> None:
        self._link, self._keeper, self._to = link, keeper, to
        guarded, self._failed = context.tasks.guarded, context.tasks.failed
        self.presence = guarded(f"{link}: a node that came or went", to.presence)
        self.listens = guarded(f"{link}: a node that listens", to.listens)
        self.alive = guarded(f"{link}: a sign of life", to.alive)
        self.left = guarded(f"{link}: a node that left", to.left)
        self.refused = guarded(f"{link}: a refusal", to.refused)
        self.said = guarded(f"{link}: what a node told", to.said)
        self.shut_out = guarded(f"{link}: a node that refuses the hub", to.shut_out)
        self.heard = guarded(f"{link}: a message", to.heard)
        self.found = guarded(f"{link}: a node that was found", to.found)
        self.asking = guarded(f"{link}: an interview", to.asking)

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        once = acknowledge and first_only(acknowledge)
        try:
            self._to.observed(node, values, once)
        except Exception as error:  # noqa: BLE001 - as what is guarded
            self._not_taken(error, once)

    async def observed_in_parts(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        once = acknowledge and first_only(acknowledge)
        try:
            await self._to.observed_in_parts(node, values, once)
        except Exception as error:  # noqa: BLE001 - as what is guarded
            self._not_taken(error, once)

    def _not_taken(self, error: Exception, acknowledge: Acknowledge | None) -> None:
        """Readings met a fault of the hub's own. Sent again, they would meet it
        again."""
        self._failed(f"{self._link}: readings", error)
        if acknowledge is not None:
            acknowledge(Outcome.REFUSED)

    def trouble(self, link: str, what: str) -> None:
        self._to.trouble(link, what)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        self._keeper.keep(f"{self._link}/{key}", state)

    def when_kept(self, call: Callable[[], None]) -> None:
        self._keeper.when_kept(call)


class Links(Feature):
    """The drivers, by their link's name."""

    name = "links"
    pressing = 4

    def __init__(self, context: Context, house: House, keeper: Keeper, config: Config) -> None:
        super().__init__(context)
        self._house, self._keeper, self._settings = house, keeper, config.links
        self.drivers: dict[str, Driver] = {}
        self.troubles: dict[str, str] = {}
        self._opened: list[Driver] = []

    def make(
        self,
        links: Sequence[Link],
        wrong: Sequence[str],
        reports: Reports,
        tls: ssl.SSLContext | None = None,
    ) -> None:
        """Make the drivers; `tls` is for their doors. One that cannot be made is said,
        and left out."""
        for what in wrong:
            self.trouble(what.split()[2], what)
        for link in links:
            own = LinkReports(link.name, self.context, self._keeper, reports)
            given = LinkContext(
                own,
                self.context.clock,
                self.context.tasks,
                self._house,
                self._keeper.of(link.name),
                tls,
            )
            try:
                self.drivers[link.name] = link.make(given, self._settings[link.name])
            except LinkError:
                raise
            except Exception as error:  # noqa: BLE001 - one link does not keep the hub from starting
                self.context.tasks.failed(f"the link {link.name}", error)
                self.trouble(link.name, f"the link {link.name} cannot be used: {error}")

    async def open(self) -> None:
        """Tell the drivers of the nodes that are in, and start them. Raises LinkError
        when one cannot listen."""
        for node in self._house.nodes.values():
            self.follow(node)
            node.here = self.counts_as_here(node)
        for name, driver in self.drivers.items():
            try:
                await driver.start()
            except LinkError:
                raise
            except Exception as error:  # noqa: BLE001 - one link does not keep the hub from starting
                self.context.tasks.failed(f"the link {name}", error)
                self.trouble(name, f"the link {name} does not start: {error}")
            else:
                self._opened.append(driver)

    async def close(self) -> None:
        for driver in reversed(self._opened):
            try:
                await driver.stop()
            except Exception as error:  # noqa: BLE001 - the others must be stopped too
                self.context.tasks.failed(f"the link {driver.link}", error)

    def of(self, node: Node) -> Driver:
        """A node's driver. Raises Refused when its link is not there."""
        driver = self.drivers.get(node.link)
        if driver is None:
            raise Refused(f"{node.title} speaks over {node.link}, and there is no such link here")
        return driver

    def able(self, node: Node, can: type[C], what: str) -> C:
        """A node's driver as one that can do something. Raises Refused for another."""
        driver = self.of(node)
        if not able(driver, can):
            raise Refused(f"{node.title} speaks over {node.link}; {what}")
        return driver

    def that(self, can: type[C]) -> list[C]:
        """All drivers that can do something."""
        return [driver for driver in self.drivers.values() if isinstance(driver, can)]

    def follow(self, node: Node) -> None:
        """Tell a node's driver how it is now."""
        driver = self.drivers.get(node.link)
        if driver is not None:
            self.context.tasks.guarded(f"following {node.address}", driver.follow)(node.on_link())

    def counts_as_here(self, node: Node) -> bool:
        """Whether a node is here until it is silent: it has no connection that could be
        missing."""
        driver = self.drivers.get(node.link)
        return driver is not None and not driver.connects and not node.left

    def connected(self, node: Node) -> bool:
        """Whether a connection to a node stands."""
        driver = self.drivers.get(node.link)
        return isinstance(driver, KnowsConnected) and driver.connected(node.address)

    def way(self, node: Node) -> str:
        """How a node speaks."""
        driver = self.drivers.get(node.link)
        return driver.way(node.on_link()) if driver is not None else "foreign"

    async def reconfigured(self, new: Config, old: Config) -> None:
        """Take up settings that need no restart. A link that cannot keeps no other from
        it. Raises the LinkError of the last one."""
        self._settings, problem = new.links, None
        for name, driver in self.drivers.items():
            if isinstance(driver, Reconfigures):
                try:
                    await driver.change(new.links[name])
                except LinkError as error:
                    problem = error
        if problem is not None:
            raise problem

    def trouble(self, link: str, what: str) -> None:
        """What is wrong with a link, said once until it is something else; "" when it
        is well again."""
        before = self.troubles.get(link, "")
        if what == before:
            return
        self.troubles[link] = what
        if what:
            self.context.announce(LinkTroubled(link=link, problem=what))
        else:
            self.context.announce(LinkWell(link=link))

    def needs(self) -> Iterator[Need]:
        for text in filter(None, self.troubles.values()):
            yield Need("link", text, "/nodes")
