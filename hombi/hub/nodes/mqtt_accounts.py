"""MQTT accounts for boards and programs of a person's own: accounts with chosen topics,
each with a key of its own."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import replace

from hombi.core.names import slug
from hombi.core.topics import valid_filter
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import House, MqttAccount, hash_key
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.nodes.events import MqttAccountAdded, MqttAccountChanged, MqttAccountRemoved
from hombi.hub.nodes.links import Links
from hombi.links.capabilities import Welcomes

MAX_FILTERS = 50


class MqttAccounts(Feature):
    """The MQTT accounts. A key is told once, when it is made; its hash is kept."""

    name = "mqtt_accounts"

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self.house, self._links = house, links

    async def open(self) -> None:
        kept = await self.context.thread.run(self.context.records.mqtt_accounts.all)
        self.house.mqtt_accounts = {account.name: account for account in kept}

    def find(self, name: str) -> MqttAccount:
        """Raises NotFound."""
        if name not in self.house.mqtt_accounts:
            raise NotFound(f"no MQTT account {name}")
        return self.house.mqtt_accounts[name]

    async def save(self, account: MqttAccount) -> None:
        """Keep an account; what came in with another key or other topics is ended."""
        await self.context.thread.run(self.context.records.mqtt_accounts.save, account)
        known = account.name in self.house.mqtt_accounts
        self.house.mqtt_accounts[account.name] = account
        if known:
            self.cut_off(account.name)

    def cut_off(self, name: str) -> None:
        """End an account's connections."""
        for driver in self._links.that(Welcomes):
            driver.cut_off(name)


class AddMqttAccount(Change[MqttAccounts, tuple[MqttAccount, str]], frozen=True):
    """Make an MQTT account: (the account, its key). Raises Invalid."""

    name: str
    publish: Sequence[str] = ()
    subscribe: Sequence[str] = ()

    feature = MqttAccounts
    right = Right.KEEP

    async def do(self, feature: MqttAccounts, by: Actor) -> Done[tuple[MqttAccount, str]]:
        name, house = self.name, feature.house
        if not name or slug(name) != name:
            raise Invalid(
                f"{name!r} is not a name for an MQTT account; use small letters, digits "
                f"and hyphens, like mill-logger"
            )
        if name in house.mqtt_accounts or name in house.nodes:
            what = "an MQTT account" if name in house.mqtt_accounts else "a node"
            raise Invalid(f"there is {what} {name} already")
        _check(self.publish, self.subscribe)
        key, now = secrets.token_urlsafe(24), feature.context.clock.now_ms()
        account = MqttAccount(name, hash_key(key), list(self.publish), list(self.subscribe), now)
        await feature.save(account)
        return Done((account, key), MqttAccountAdded(account=name))


class ChangeMqttAccount(Change[MqttAccounts, MqttAccount], frozen=True):
    """Give an MQTT account other topics. Raises NotFound, Invalid."""

    name: str
    publish: Sequence[str] | None = None
    subscribe: Sequence[str] | None = None

    feature = MqttAccounts
    right = Right.KEEP

    async def do(self, feature: MqttAccounts, by: Actor) -> Done[MqttAccount]:
        account = feature.find(self.name)
        new = replace(
            account,
            publish=account.publish if self.publish is None else list(self.publish),
            subscribe=account.subscribe if self.subscribe is None else list(self.subscribe),
        )
        _check(new.publish, new.subscribe)
        await feature.save(new)
        return Done(new, MqttAccountChanged(account=self.name, has="other topics"))


class NewMqttAccountKey(Change[MqttAccounts, tuple[MqttAccount, str]], frozen=True):
    """Give an MQTT account a new key; the one before is void. Raises NotFound."""

    name: str

    feature = MqttAccounts
    right = Right.KEEP

    async def do(self, feature: MqttAccounts, by: Actor) -> Done[tuple[MqttAccount, str]]:
        key = secrets.token_urlsafe(24)
        account = replace(feature.find(self.name), key_hash=hash_key(key))
        await feature.save(account)
        return Done((account, key), MqttAccountChanged(account=self.name, has="a new key"))


class RemoveMqttAccount(Change[MqttAccounts, None], frozen=True):
    """Remove an MQTT account. Raises NotFound."""

    name: str

    feature = MqttAccounts
    right = Right.KEEP

    async def do(self, feature: MqttAccounts, by: Actor) -> Done[None]:
        feature.find(self.name)
        await feature.context.thread.run(feature.context.records.mqtt_accounts.remove, self.name)
        del feature.house.mqtt_accounts[self.name]
        feature.cut_off(self.name)
        return Done(None, MqttAccountRemoved(account=self.name))


def _check(publish: Sequence[str], subscribe: Sequence[str]) -> None:
    if not (publish or subscribe):
        raise Invalid(
            "an MQTT account needs at least one topic filter to publish under or to subscribe to"
        )
    for one in (*publish, *subscribe):
        if not valid_filter(one):
            raise Invalid(f"{one!r} is not a topic filter; write it like mill/+/state or mill/#")
    if max(len(publish), len(subscribe)) > MAX_FILTERS:
        raise Invalid(f"an MQTT account has at most {MAX_FILTERS} topic filters of each sort")
