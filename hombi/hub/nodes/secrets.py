"""What nodes and the hub know of one another: the keys that nodes come in with, and the
secrets that they ask the hub for."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from hombi.hub.errors import Refused
from hombi.hub.house import Node, hash_key
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.nodes.events import KeyChanged, KeyRevoked, SecretChanged
from hombi.hub.nodes.feature import Nodes
from hombi.hub.nodes.links import Links
from hombi.links.base import LinkError, ShutOut, Unreachable
from hombi.links.capabilities import TriesSecrets


async def try_secret(
    links: Links, link: str, reach: Mapping[str, Any], title: str, secret: str
) -> None:
    """Ask a node something with a secret, where its link can. Raises Refused when it
    does not take it, or does not answer."""
    driver = links.drivers.get(link)
    if not isinstance(driver, TriesSecrets):
        return
    try:
        await driver.try_secret(reach, secret)
    except Unreachable as error:
        raise Refused(f"{title} does not answer now, so its secret cannot be tried") from error
    except ShutOut as error:
        raise Refused(f"{title} does not take this secret: {error}") from error
    except LinkError:
        return  # what else is wrong with it says nothing of its secret


class ChangeSecret(Change[Nodes, Node], frozen=True):
    """Give the hub another secret for a node. It is tried first. Raises NotFound,
    Refused."""

    node: str
    secret: str

    feature = Nodes
    right = Right.ADMIT

    async def do(self, feature: Nodes, by: Actor) -> Done[Node]:
        node = feature.house.node(self.node)
        if feature.links.way(node) != "described":
            raise Refused(f"{node.title} asks the hub for no secret")
        await try_secret(feature.links, node.link, node.reach, node.title, self.secret)
        node.reach = {**node.reach, "secret": self.secret}
        await feature.save(node)
        feature.links.follow(node)
        feature.shut_out(node.address, "")
        return Done(node, SecretChanged(node=node.address, title=node.title))


class NewNodeKey(Change[Nodes, str], frozen=True):
    """Give a node a new key, told this once; the one before is void."""

    node: str

    feature = Nodes
    right = Right.KEEP

    async def do(self, feature: Nodes, by: Actor) -> Done[str]:
        node, key = feature.house.node(self.node), secrets.token_urlsafe(24)
        feature.check_key(node)
        await feature.set_key(node, hash_key(key))
        return Done(key, KeyChanged(node=node.address, title=node.title))


class RevokeNodeKey(Change[Nodes, None], frozen=True):
    """Take a node's key away: it is shut out until it has a new one."""

    node: str

    feature = Nodes
    right = Right.KEEP

    async def do(self, feature: Nodes, by: Actor) -> Done[None]:
        node = feature.house.node(self.node)
        feature.check_key(node)
        await feature.set_key(node, "")
        return Done(None, KeyRevoked(node=node.address, title=node.title))
