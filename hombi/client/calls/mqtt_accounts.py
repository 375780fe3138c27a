"""MQTT accounts for boards and programs of a person's own, and the tokens of
programs."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path
from hombi.wire.base import UNSET
from hombi.wire.people import (
    KnownBrowser,
    KnownToken,
    MqttAccount,
    MqttAccountChange,
    MqttAccountRequest,
    NewMqttAccount,
)


def list_() -> Call[list[MqttAccount]]:
    """The MQTT accounts."""
    return Call("GET", "/api/mqtt-accounts", list[MqttAccount])


def add(
    name: str, publish: Sequence[str] = (), subscribe: Sequence[str] = ()
) -> Call[NewMqttAccount]:
    """Make an MQTT account; its key is told this once."""
    body = MqttAccountRequest(name=name, publish=list(publish), subscribe=list(subscribe))
    return Call("POST", "/api/mqtt-accounts", NewMqttAccount, body=body)


def change(
    account: str, *, publish: Sequence[str] | None = None, subscribe: Sequence[str] | None = None
) -> Call[MqttAccount]:
    """Give an MQTT account other topics; what is not given stays."""
    body = MqttAccountChange(
        publish=UNSET if publish is None else list(publish),
        subscribe=UNSET if subscribe is None else list(subscribe),
    )
    return Call("PATCH", path("mqtt-accounts", account), MqttAccount, body=body)


def new_key(account: str) -> Call[NewMqttAccount]:
    """A new key for an MQTT account; the one before is void at once."""
    return Call("POST", path("mqtt-accounts", account, "key"), NewMqttAccount)


def remove(account: str) -> Call[None]:
    """Remove an MQTT account."""
    return Call("DELETE", path("mqtt-accounts", account), None)


def tokens() -> Call[list[KnownToken]]:
    """The programs that are signed in."""
    return Call("GET", "/api/tokens", list[KnownToken])


def browsers() -> Call[list[KnownBrowser]]:
    """The browsers that are signed in, newest first: an owner sees all, others their
    own."""
    return Call("GET", "/api/browsers", list[KnownBrowser])


def end_browser(browser: str) -> Call[None]:
    """Sign it out: what it shows ends, and it must sign in again."""
    return Call("DELETE", path("browsers", browser), None)


def revoke_token(token: int) -> Call[None]:
    """Make a token void."""
    return Call("DELETE", path("tokens", str(token)), None)
