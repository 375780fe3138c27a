"""MQTT accounts for boards and programs of a person's own, and the tokens of
programs."""

from __future__ import annotations

from collections.abc import Sequence

from hombi import wire
from hombi.client.calls.base import Call, path
from hombi.wire.base import UNSET


def list_() -> Call[list[wire.MqttAccount]]:
    """The MQTT accounts."""
    return Call("GET", "/api/mqtt-accounts", list[wire.MqttAccount])


def add(
    name: str, publish: Sequence[str] = (), subscribe: Sequence[str] = ()
) -> Call[wire.NewMqttAccount]:
    """Make an MQTT account; its key is told this once."""
    body = wire.MqttAccountRequest(name=name, publish=list(publish), subscribe=list(subscribe))
    return Call("POST", "/api/mqtt-accounts", wire.NewMqttAccount, body=body)


def change(
    account: str, *, publish: Sequence[str] | None = None, subscribe: Sequence[str] | None = None
) -> Call[wire.MqttAccount]:
    """Give an MQTT account other topics; what is not given stays."""
    body = wire.MqttAccountChange(
        publish=UNSET if publish is None else list(publish),
        subscribe=UNSET if subscribe is None else list(subscribe),
    )
    return Call("PATCH", path("mqtt-accounts", account), wire.MqttAccount, body=body)


def new_key(account: str) -> Call[wire.NewMqttAccount]:
    """A new key for an MQTT account; the one before is void at once."""
    return Call("POST", path("mqtt-accounts", account, "key"), wire.NewMqttAccount)


def remove(account: str) -> Call[None]:
    """Remove an MQTT account."""
    return Call("DELETE", path("mqtt-accounts", account), None)


def tokens() -> Call[list[wire.KnownToken]]:
    """The programs that are signed in."""
    return Call("GET", "/api/tokens", list[wire.KnownToken])


def browsers() -> Call[list[wire.KnownBrowser]]:
    """The browsers that are signed in, newest first: an owner sees all, others their
    own."""
    return Call("GET", "/api/browsers", list[wire.KnownBrowser])


def end_browser(browser: str) -> Call[None]:
    """Sign it out: what it shows ends, and it must sign in again."""
    return Call("DELETE", path("browsers", browser), None)


def revoke_token(token: int) -> Call[None]:
    """Make a token void."""
    return Call("DELETE", path("tokens", str(token)), None)
